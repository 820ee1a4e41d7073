import type { Trial } from "@gate-clock/contract";
import { type DesignCheck, type Finding, findingIdentities, type StageName } from "@gate-clock/core";
import { formatBytes, formatMhz, formatNs, formatPercent } from "../ui/format.ts";
import { difference, type FigureName } from "../workbench/compare.ts";
import type { HeadView, Station, StationHead } from "../workbench/station.ts";

/** Headline figures of all stations: pure functions of what is known. */

const isFinished = (trial: Trial | null, stage: StageName) => {
  const state = trial?.stages.find((record) => record.stage === stage)?.state;
  return state === "done" || state === "reused";
};

type Figure = Omit<StationHead, "isOld" | "change">;
const waiting: Figure = { figure: "not built", tone: "open" };

/** Of a stage's result: what is not known to be old is shown as it is. */
function built(view: HeadView, stage: StageName, figure: Figure | null, compared?: FigureName): StationHead {
  const { told, trial, reference } = view;
  const isOld = told?.stages.some((each) => each.stage === stage && (each.state === "old" || each.state === "maybe"));
  const change =
    figure && compared && trial && reference ? difference(compared, trial.figures, reference.figures) : null;
  return { ...(figure ?? waiting), isOld: isOld ?? false, change };
}

/** Of the check of the texts: findings if there are any. */
function checked(
  { check, checkKind, accepted }: HeadView,
  figureOf: (check: DesignCheck, count: (findings: readonly Finding[], fallback: string) => Figure) => Figure,
): StationHead {
  const isOld = checkKind !== "current";
  if (checkKind === "unfinished") return { figure: "not finished", tone: "warn", isOld };
  return check
    ? { ...figureOf(check, (findings, fallback) => counted(findings, accepted, fallback)), isOld }
    : { figure: "checking", tone: "open", isOld };
}

function counted(findings: readonly Finding[], accepted: ReadonlySet<string>, fallback: string): Figure {
  const identities = findingIdentities(findings);
  const open = findings.filter((finding, i) => finding.severity === "error" || !accepted.has(identities[i]));
  const count = (severity: string) => open.filter((finding) => finding.severity === severity).length;
  const [errors, warnings] = [count("error"), count("warning")];
  if (errors) return { figure: `${errors} ${errors === 1 ? "error" : "errors"}`, tone: "bad" };
  if (warnings) return { figure: `${warnings} ${warnings === 1 ? "warning" : "warnings"}`, tone: "warn" };
  return { figure: fallback, tone: "good" };
}

/** True for a trial that stopped at a finding of an area, such as `fit`. */
function stoppedAt(trial: Trial | null, area: string): boolean {
  const first = trial?.findings.find((finding) => finding.severity === "error");
  return trial?.status === "failed" && first?.code.split("/")[0] === area;
}

/** The figure that people steer by: setup; hold takes its place only when it fails. */
function timingFigure(trial: Trial | null): Figure | null {
  if (!isFinished(trial, "timing")) return null;
  const { setupSlackPs: setup, holdSlackPs: hold, fmaxMhz } = trial!.figures;
  if (setup === null) return { figure: fmaxMhz === null ? "no clock" : `${formatMhz(fmaxMhz)} MHz`, tone: "warn" };
  const worst = hold !== null && hold < 0 ? Math.min(setup, hold) : setup;
  return {
    figure: `${worst >= 0 ? "+" : "−"}${formatNs(Math.abs(worst))} ns`,
    tone: worst >= 0 ? "good" : "bad",
  };
}

/** Which figure that is. */
function steering(trial: Trial | null): FigureName {
  const { setupSlackPs: setup = null, holdSlackPs: hold = null } = trial?.figures ?? {};
  if (setup === null) return "fmax";
  return hold !== null && hold < 0 && hold < setup ? "hold" : "setup";
}

/** All stations in the order of the work. */
export const stations: readonly Station[] = [
  {
    path: "sources",
    name: "Sources",
    group: "Write",
    key: "S",
    head: (view) =>
      checked(view, ({ sourceFindings, modules }, counted) =>
        counted(sourceFindings, modules.length === 1 ? "1 module" : `${modules.length} modules`),
      ),
  },
  { path: "simulate", name: "Simulate", group: "Write", key: "M", head: ({ benches }) => benches },
  {
    path: "circuit",
    name: "Circuit",
    group: "Write",
    key: "C",
    head(view) {
      const { luts = null, registers = null } = view.trial?.figures ?? {};
      const figure = luts !== null && registers !== null ? `${luts + registers} cells` : null;
      return built(view, "synth", figure === null ? null : { figure, tone: "good" }, "cells");
    },
  },
  {
    path: "pins",
    name: "Pins",
    group: "Rules",
    key: "P",
    head: (view) =>
      checked(view, ({ hierarchy, pinFindings, needs }, counted) =>
        hierarchy || pinFindings.length
          ? counted(pinFindings, `${needs.length} placed`)
          : { figure: "wait for sources", tone: "open" },
      ),
  },
  {
    path: "clocks",
    name: "Clocks",
    group: "Rules",
    key: "K",
    head: (view) =>
      checked(view, ({ timingFindings, clocks }, counted) =>
        counted(
          timingFindings,
          clocks.length === 1 ? `${formatMhz(1e6 / clocks[0].periodPs)} MHz` : `${clocks.length} clocks`,
        ),
      ),
  },
  {
    path: "fit",
    name: "Fit",
    group: "Build",
    key: "F",
    head(view) {
      if (stoppedAt(view.trial, "fit")) return built(view, "synth", { figure: "too big", tone: "bad" });
      const percent = view.trial?.figures.lutPercent ?? null;
      return built(
        view,
        "synth",
        percent === null ? null : { figure: `${formatPercent(percent)} % of LUTs`, tone: "good" },
        "share",
      );
    },
  },
  {
    path: "layout",
    name: "Layout",
    group: "Build",
    key: "L",
    head(view) {
      if (stoppedAt(view.trial, "route")) return built(view, "route", { figure: "not routed", tone: "bad" });
      const wires = isFinished(view.trial, "route") ? view.trial!.figures.wires : null;
      return built(view, "route", wires === null ? null : { figure: `${wires} wires`, tone: "good" }, "wires");
    },
  },
  {
    path: "timing",
    name: "Timing",
    group: "Build",
    key: "T",
    head: (view) => built(view, "timing", timingFigure(view.trial), steering(view.trial)),
  },
  {
    path: "image",
    name: "Image",
    group: "Run",
    key: "I",
    head(view) {
      const bytes = view.trial?.figures.imageBytes ?? null;
      return built(view, "image", bytes === null ? null : { figure: formatBytes(bytes), tone: "good" }, "image");
    },
  },
  {
    path: "bench",
    name: "Bench",
    group: "Run",
    key: "B",
    head(view) {
      const bytes = view.trial?.figures.imageBytes ?? null;
      return built(view, "image", bytes === null ? null : { figure: "ready", tone: "good" });
    },
  },
];
