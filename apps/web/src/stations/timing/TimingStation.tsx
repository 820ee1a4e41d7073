import type { ElaboratedDesign, PathStep, SourcePosition, TimingPath, TimingReport } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import type { ColumnDef } from "@tanstack/react-table";
import { MapPin } from "lucide-react";
import { useMemo } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { artifactQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { formatFocus } from "../../focus/focus.ts";
import { DataTable } from "../../ui/DataTable.tsx";
import { formatMhz, formatNs, formatPercent } from "../../ui/format.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { stationAddress } from "../../workbench/address.ts";
import { useActs, useDesign } from "../../workbench/context.ts";
import { FigureChange } from "../../workbench/Differences.tsx";
import { NotBuilt } from "../../workbench/NotBuilt.tsx";
import { Causes } from "./Causes.tsx";
import { causeRows } from "./causes-view.ts";
import { SlackHistogram } from "./SlackHistogram.tsx";

const groups = { setup: "Setup", hold: "Hold", pads: "Pads" } as const;
type GroupName = keyof typeof groups;

interface Row {
  readonly id: string;
  readonly path: TimingPath;
  readonly slack: number | null;
  readonly from: string;
  readonly to: string;
  readonly levels: number;
  readonly data: number;
  readonly logic: number;
  readonly corner: string;
}
const columns: ColumnDef<Row>[] = [
  {
    accessorKey: "slack",
    header: "Slack ns",
    size: 78,
    meta: { isNumber: true },
    cell: (cell) => (
      <span className={((cell.getValue() as number | null) ?? 0) < 0 ? "font-semibold text-bad" : ""}>
        {formatNs(cell.getValue() as number | null)}
      </span>
    ),
  },
  { accessorKey: "from", header: "From", size: 178, meta: { isMono: true } },
  { accessorKey: "to", header: "To", size: 192, meta: { isMono: true } },
  {
    accessorKey: "data",
    header: "Data ns",
    size: 80,
    meta: { isNumber: true },
    cell: (cell) => formatNs(cell.getValue() as number),
  },
  {
    accessorKey: "logic",
    header: "Logic %",
    size: 78,
    meta: { isNumber: true },
    cell: (cell) => formatPercent(cell.getValue() as number),
  },
  { accessorKey: "levels", header: "Levels", size: 62, meta: { isNumber: true } },
  { accessorKey: "corner", header: "Corner", size: 84 },
];

export function TimingStation() {
  const { trial, design } = useDesign();
  const [params, setParams] = useSearchParams();
  const { data: report, error, isLoading, refetch } = useQuery(artifactQuery(trial, "timing"));
  const { data: elaborated } = useQuery(artifactQuery(trial, "elaborate"));
  const navigate = useNavigate();
  const causes = useMemo(() => (report ? causeRows(report.setupPaths, elaborated) : []), [report, elaborated]);
  if (error) return <ProblemPanel error={error} onRetry={() => void refetch()} />;
  if (!report || !trial)
    return isLoading ? <LoadingPanel what="the timing report" /> : <NotBuilt what="The timing report" trial={trial} />;
  const wanted = params.get("paths");
  const group: GroupName = wanted && wanted in groups ? (wanted as GroupName) : "setup";
  const list = group === "setup" ? report.setupPaths : group === "hold" ? report.holdPaths : report.padPaths;
  const cause = group === "setup" ? (causes[Number(params.get("cause") ?? -1)] ?? null) : null;
  const all = list.map(
    (path, index): Row => ({
      id: String(index),
      path,
      slack: path.slackPs,
      from: path.from,
      to: path.to,
      levels: path.levels,
      data: path.dataPs,
      logic: (100 * path.cellPs) / Math.max(1, path.dataPs),
      corner: path.corner,
    }),
  );
  const rows = cause ? cause.cause.paths.map((index) => all[index]) : all;
  const chosen = rows.find((row) => row.id === params.get("path")) ?? rows[0];
  const set = (changes: Record<string, string | null>) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      for (const [name, value] of Object.entries(changes))
        if (value === null) next.delete(name);
        else next.set(name, value);
      return next;
    });
  return (
    <div className="flex h-full flex-col">
      <TimingVerdict timing={report} />
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,7fr)_minmax(400px,5fr)]">
        <section className="flex min-h-0 flex-col border-r border-line bg-panel">
          <div className="grid shrink-0 grid-cols-[auto_1fr] border-b border-line">
            <table className="m-4 text-[13px]">
              <thead>
                <tr className="border-b border-line text-left text-soft">
                  <th className="pr-4 pb-1 font-semibold">Corner</th>
                  <th className="pr-3 text-right font-semibold">Setup ns</th>
                  <th className="pr-3 text-right font-semibold">Hold ns</th>
                  <th className="text-right font-semibold">Failing</th>
                </tr>
              </thead>
              <tbody>
                {[...new Set(report.checks.map((check) => check.corner))].map((corner) => {
                  const of = (kind: string) =>
                    report.checks.find((check) => check.corner === corner && check.kind === kind)!;
                  const cell = (ps: number | null) => (
                    <td className={`tabular pr-3 text-right ${ps !== null && ps < 0 ? "font-semibold text-bad" : ""}`}>
                      {formatNs(ps)}
                    </td>
                  );
                  return (
                    <tr key={corner}>
                      <td className="py-0.5 pr-4">{corner}</td>
                      {cell(of("setup").worstSlackPs)}
                      {cell(of("hold").worstSlackPs)}
                      <td className="tabular text-right">
                        {of("setup").failingEndpoints + of("hold").failingEndpoints}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            <SlackHistogram slacksPs={report.setupSlacksPs} />
          </div>
          {group === "setup" && (
            <Causes
              rows={causes}
              chosen={cause ? causes.indexOf(cause) : null}
              failing={Math.max(
                0,
                ...report.checks.filter(({ kind }) => kind === "setup").map(({ failingEndpoints }) => failingEndpoints),
              )}
              onChoose={(index) =>
                set({
                  cause: index === null ? null : String(index),
                  path: index === null ? null : String(causes[index].cause.paths[0]),
                })
              }
            />
          )}
          <div
            className="flex shrink-0 items-center gap-1 border-b border-line px-3 pt-2"
            role="tablist"
            aria-label="Paths"
          >
            {(Object.keys(groups) as GroupName[]).map((name) => (
              <button
                key={name}
                type="button"
                role="tab"
                aria-selected={name === group}
                onClick={() => set({ paths: name, path: "0", cause: null })}
                className={`rounded-t-md px-3 py-1 text-[13px] ${name === group ? "bg-indigo-wash font-semibold" : "text-soft hover:bg-raised"}`}
              >
                {groups[name]}{" "}
                {name === "setup"
                  ? report.setupPaths.length
                  : name === "hold"
                    ? report.holdPaths.length
                    : report.padPaths.length}
              </button>
            ))}
            <span className="ml-auto pb-1 text-xs text-soft">
              {group === "pads"
                ? "no rule covers pads yet: longest first"
                : cause
                  ? `${rows.length} of ${all.length}: ${cause.what} ${cause.name}`
                  : "worst path of each endpoint"}
            </span>
          </div>
          <div className="min-h-0 flex-1">
            <DataTable
              rows={rows}
              columns={columns}
              label="paths"
              rowId={(row) => row.id}
              selectedId={chosen?.id}
              onSelect={(row) => set({ path: row.id })}
            />
          </div>
        </section>
        {chosen ? (
          <PathView
            path={chosen.path}
            elaborated={elaborated}
            onDie={(step) =>
              void navigate(
                stationAddress(design.id, "layout", { focus: formatFocus({ kind: "net", name: step.name }) }),
              )
            }
          />
        ) : (
          <p className="p-6 text-soft">No path of this kind.</p>
        )}
      </div>
    </div>
  );
}

function TimingVerdict({ timing }: { timing: TimingReport }) {
  const clocks = timing.clocks;
  const judged = timing.checks.filter((check) => check.worstSlackPs !== null);
  if (!clocks.length) return <Verdict tone="plain">No registers: there is no clock to meet.</Verdict>;
  const slowest = clocks.reduce((a, b) => ((a.fmaxMhz ?? Infinity) <= (b.fmaxMhz ?? Infinity) ? a : b));
  if (!judged.length)
    return (
      <Verdict tone="warn" figure={formatMhz(slowest.fmaxMhz)} unit="MHz" change={<FigureChange figure="fmax" />}>
        {slowest.name} could run so fast, but no rule says how fast it should.
      </Verdict>
    );
  const worst = judged.reduce((a, b) => (a.worstSlackPs! <= b.worstSlackPs! ? a : b));
  const failing = judged.filter((check) => check.failingEndpoints > 0);
  const goal = slowest.periodPs ? `${formatMhz(1e6 / slowest.periodPs)} MHz` : "its requirement";
  if (!failing.length) {
    const least = (kind: string) =>
      Math.min(...judged.filter((check) => check.kind === kind).map((check) => check.worstSlackPs!));
    return (
      <Verdict tone="good" figure={`+${formatNs(least("setup"))}`} unit="ns" change={<FigureChange figure="setup" />}>
        <span className="font-mono">{slowest.name}</span> meets {goal} at every corner; it could run at{" "}
        {formatMhz(slowest.fmaxMhz)} MHz. Hold has {formatNs(least("hold"))} ns to spare.
        {timing.endpointsWithoutGoal > 0 && ` ${timing.endpointsWithoutGoal} endpoints are unconstrained.`}
      </Verdict>
    );
  }
  const paths = (worst.kind === "setup" ? timing.setupPaths : timing.holdPaths).filter(
    (path) => path.slackPs !== null && path.slackPs < 0,
  );
  const ends = new Set(paths.map((path) => path.to.replace(/\[\d+\]| \(.*\)$/g, "")));
  return (
    <Verdict
      tone="bad"
      figure={`−${formatNs(-worst.worstSlackPs!)}`}
      unit="ns"
      change={<FigureChange figure={worst.kind === "setup" ? "setup" : "hold"} />}
    >
      Misses {worst.kind === "setup" ? goal : "hold"} at {worst.corner} on {worst.failingEndpoints}{" "}
      {worst.failingEndpoints === 1 ? "endpoint" : "endpoints"}
      {ends.size === 1 ? (
        <>
          , all in <span className="font-mono">{[...ends][0]}</span>
        </>
      ) : (
        ""
      )}
      . It runs at {formatMhz(slowest.fmaxMhz)} MHz.
    </Verdict>
  );
}

function PathView({
  path,
  elaborated,
  onDie,
}: {
  path: TimingPath;
  elaborated: ElaboratedDesign | undefined;
  onDie: (step: PathStep) => void;
}) {
  const { showPlace } = useActs();
  const longest = Math.max(1, ...path.steps.map((step) => step.delayPs));
  const source = (step: PathStep): SourcePosition | null =>
    step.origin >= 0 ? (elaborated?.positions.cells[step.origin] ?? null) : null;
  return (
    <section className="flex min-h-0 flex-col bg-panel" data-testid="path-view">
      <div className="shrink-0 border-b border-line px-4 py-3">
        <h2 className="truncate font-mono text-[13px] font-semibold" title={`${path.from} to ${path.to}`}>
          {path.from} → {path.to}
        </h2>
        <p className="tabular mt-1 text-[13px] text-soft">
          {path.requirementPs !== null ? (
            <>
              required {formatNs(path.requirementPs)} ns, data {formatNs(path.dataPs)} ns, skew{" "}
              {formatNs(path.captureClockPs - path.launchClockPs)} ns,{" "}
              <span
                className={path.slackPs! < 0 ? "font-semibold text-bad" : "font-semibold text-good"}
                data-testid="path-slack"
              >
                slack {formatNs(path.slackPs)} ns
              </span>
            </>
          ) : (
            <>data {formatNs(path.dataPs)} ns, unconstrained</>
          )}
        </p>
      </div>
      <ol className="min-h-0 flex-1 overflow-auto text-[13px]">
        <li className="sticky top-0 grid grid-cols-[6.5rem_1fr_4rem_4rem] gap-2 border-b border-line bg-cloth px-4 py-1 text-xs font-semibold text-soft">
          <span>Step</span>
          <span>Name</span>
          <span className="text-right">Delay ns</span>
          <span className="text-right">Arrival ns</span>
        </li>
        {path.steps.map((step, i) => {
          const place = source(step);
          return (
            <li
              // biome-ignore lint/suspicious/noArrayIndexKey: the steps of a path are its order
              key={i}
              className="grid grid-cols-[6.5rem_1fr_4rem_4rem] items-center gap-2 border-b border-line/60 px-4 py-1.5"
            >
              <span className="text-soft">{step.what}</span>
              <span className="min-w-0">
                <span className="flex items-center gap-1.5">
                  <span className="truncate font-mono text-xs" title={step.name}>
                    {step.name}
                  </span>
                  {step.what === "net" && (
                    <button
                      type="button"
                      onClick={() => onDie(step)}
                      className="shrink-0 rounded p-0.5 text-indigo hover:bg-raised"
                      aria-label={`Show ${step.name} on the die map`}
                      title="Show on the die map"
                    >
                      <MapPin className="size-3.5" />
                    </button>
                  )}
                </span>
                <span className="flex items-center gap-2 text-[11px] text-soft">
                  <span className="tabular">
                    x{step.tileX} y{step.tileY}
                  </span>
                  {step.fanout > 1 && <span>fan-out {step.fanout}</span>}
                  {place && step.what !== "net" && (
                    <button type="button" className="font-mono text-indigo underline" onClick={() => showPlace(place)}>
                      {place.file}:{place.line}
                    </button>
                  )}
                </span>
                <span
                  className="mt-0.5 block h-1 rounded-full"
                  style={{
                    width: `${(100 * step.delayPs) / longest}%`,
                    background: step.what === "net" ? "var(--thread-b)" : "var(--thread-a)",
                  }}
                />
              </span>
              <span className="tabular text-right">{formatNs(step.delayPs)}</span>
              <span className="tabular text-right text-soft">{formatNs(step.arrivalPs)}</span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
