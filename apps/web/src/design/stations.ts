import type { Trial } from "@gate-clock/contract";
import type { BenchVerdict, DesignCheck, StageName, Staleness } from "@gate-clock/core";
import { formatBytes, formatMhz, formatNs, formatPercent } from "../ui/format.ts";
import type { Tone } from "../ui/Verdict.tsx";
import type { CheckState } from "./use-check.ts";

interface StationHead {
  readonly path: string;
  readonly name: string;
  readonly figure: string;
  readonly tone: Tone;
  /** Result of an older state of the inputs. */
  readonly isOld: boolean;
}

const isFinished = (trial: Trial | null, stage: StageName) => {
  const state = trial?.stages.find((record) => record.stage === stage)?.state;
  return state === "done" || state === "reused";
};

/** How the design's test benches stand, in one figure. */
export function benchState(
  check: DesignCheck | null,
  verdicts: Readonly<Record<string, BenchVerdict>>,
  sourcesKey: string,
  isRunning: boolean,
): Omit<StationHead, "path" | "name"> {
  if (isRunning) return { figure: "running", tone: "open", isOld: false };
  const benches = check?.testBenches ?? [];
  if (!check) return { figure: "checking", tone: "open", isOld: false };
  if (benches.length === 0) return { figure: "no test bench", tone: "open", isOld: false };
  const done = benches.flatMap((bench) => verdicts[bench.name] ?? []);
  if (done.length === 0) return { figure: "not run", tone: "open", isOld: false };
  const isOld = done.some((verdict) => verdict.sourcesKey !== sourcesKey);
  const failed = done.filter((verdict) => !verdict.passed).length;
  if (failed) return { figure: `${failed} failed`, tone: "bad", isOld };
  return {
    figure: `${done.length} of ${benches.length} passed`,
    tone: done.length === benches.length ? "good" : "warn",
    isOld,
  };
}

/**
 * The row of stations: each one's name and headline figure, and whether it is current.
 * @param told How the trial stands to the design; null while that is not known.
 */
export function stationHeads(
  trial: Trial | null,
  check: DesignCheck | null,
  checkKind: CheckState["kind"],
  told: Staleness | null,
  benches: Omit<StationHead, "path" | "name">,
): StationHead[] {
  const isEarlier = checkKind !== "current";
  const unread = {
    figure: checkKind === "unfinished" ? "not finished" : "checking",
    tone: (checkKind === "unfinished" ? "warn" : "open") as Tone,
  };
  const count = (list: readonly { severity: string }[], severity: string) =>
    list.filter((finding) => finding.severity === severity).length;
  const shown = (list: readonly { severity: string }[], fallback: string): { figure: string; tone: Tone } => {
    const errors = count(list, "error");
    const warnings = count(list, "warning");
    if (errors) return { figure: `${errors} ${errors === 1 ? "error" : "errors"}`, tone: "bad" };
    if (warnings) return { figure: `${warnings} ${warnings === 1 ? "warning" : "warnings"}`, tone: "warn" };
    return { figure: fallback, tone: "good" };
  };
  const { figures } = trial ?? {};
  // what is not known to be old is shown as it is
  const isOld = (stage: StageName) =>
    told?.stages.some((each) => each.stage === stage && (each.state === "old" || each.state === "maybe")) ?? false;
  const waiting = { figure: "not built", tone: "open" as Tone };
  const slack = figures?.setupSlackPs;
  const hold = figures?.holdSlackPs;
  // setup is the figure people steer by; hold takes its place only when it fails
  const worst = slack === null || slack === undefined ? null : hold != null && hold < 0 ? Math.min(slack, hold) : slack;
  const failed = trial?.findings.find((finding) => finding.severity === "error")?.code.split("/")[0];
  const failedAt = (areas: string[]) => trial?.status === "failed" && failed !== undefined && areas.includes(failed);
  return [
    {
      path: "sources",
      name: "Sources",
      isOld: isEarlier,
      ...(check && checkKind !== "unfinished"
        ? shown(check.sourceFindings, check.modules.length === 1 ? "1 module" : `${check.modules.length} modules`)
        : unread),
    },
    { path: "simulate", name: "Simulate", ...benches },
    {
      path: "circuit",
      name: "Circuit",
      isOld: isOld("synth"),
      ...(figures?.luts != null && figures.registers != null
        ? { figure: `${figures.luts + figures.registers} cells`, tone: "good" as Tone }
        : waiting),
    },
    {
      path: "pins",
      name: "Pins",
      isOld: isEarlier,
      ...(check && checkKind !== "unfinished"
        ? check.hierarchy || check.pinFindings.length
          ? shown(check.pinFindings, `${check.needs.length} placed`)
          : { figure: "wait for sources", tone: "open" as Tone }
        : unread),
    },
    {
      path: "clocks",
      name: "Clocks",
      isOld: isEarlier,
      ...(check && checkKind !== "unfinished"
        ? shown(
            check.timingFindings,
            check.clocks.length === 1
              ? `${formatMhz(1e6 / check.clocks[0].periodPs)} MHz`
              : `${check.clocks.length} clocks`,
          )
        : unread),
    },
    {
      path: "fit",
      name: "Fit",
      isOld: isOld("synth"),
      ...(failedAt(["fit"])
        ? { figure: "too big", tone: "bad" as Tone }
        : figures?.lutPercent != null
          ? { figure: `${formatPercent(figures.lutPercent)} % of LUTs`, tone: "good" as Tone }
          : waiting),
    },
    {
      path: "layout",
      name: "Layout",
      isOld: isOld("route"),
      ...(failedAt(["route"])
        ? { figure: "not routed", tone: "bad" as Tone }
        : isFinished(trial, "route") && figures?.wires != null
          ? { figure: `${figures.wires} wires`, tone: "good" as Tone }
          : waiting),
    },
    {
      path: "timing",
      name: "Timing",
      isOld: isOld("timing"),
      ...(isFinished(trial, "timing")
        ? worst === null
          ? {
              figure: figures?.fmaxMhz == null ? "no clock" : `${formatMhz(figures.fmaxMhz)} MHz`,
              tone: "warn" as Tone,
            }
          : {
              figure: `${worst >= 0 ? "+" : "−"}${formatNs(Math.abs(worst))} ns`,
              tone: (worst >= 0 ? "good" : "bad") as Tone,
            }
        : waiting),
    },
    {
      path: "image",
      name: "Image",
      isOld: isOld("image"),
      ...(figures?.imageBytes != null ? { figure: formatBytes(figures.imageBytes), tone: "good" as Tone } : waiting),
    },
    {
      path: "bench",
      name: "Bench",
      isOld: isOld("image"),
      ...(figures?.imageBytes != null ? { figure: "ready", tone: "good" as Tone } : waiting),
    },
  ];
}
