import { estimateTiles, findPart, utilization } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useMemo } from "react";
import { type SetURLSearchParams, useSearchParams } from "react-router";
import { artifactQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatPercent } from "../../ui/format.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { useDesign } from "../../workbench/context.ts";
import { FigureChange } from "../../workbench/Differences.tsx";
import { Findings } from "../../workbench/Findings.tsx";
import { NotBuilt } from "../../workbench/NotBuilt.tsx";
import { GrowthView } from "./GrowthView.tsx";
import { MadeOfView } from "./MadeOfView.tsx";
import { moduleRows } from "./module-rows.ts";
import { NamesView } from "./NamesView.tsx";
import { PartsView } from "./PartsView.tsx";
import { ProofView } from "./ProofView.tsx";
import { StylesView } from "./StylesView.tsx";
import { TargetsView } from "./TargetsView.tsx";

const UseView = lazy(async () => ({ default: (await import("./UseView.tsx")).UseView }));
const views = [
  ["use", "Utilization"],
  ["parts", "Parts"],
  ["targets", "Targets"],
  ["growth", "Changes"],
  ["made", "Inferred"],
  ["names", "Name trace"],
  ["styles", "Coding styles"],
  ["proof", "Equivalence"],
  ["findings", "Findings"],
] as const;
type View = (typeof views)[number][0];

export function FitStation() {
  const [params, setParams] = useSearchParams();
  // targets are there before anything is built
  if (params.get("view") === "targets")
    return (
      <div className="flex h-full flex-col">
        <ViewTabs view="targets" setParams={setParams} />
        <div className="min-h-0 flex-1">
          <TargetsView />
        </div>
      </div>
    );
  return <BuiltFit />;
}

function ViewTabs({
  view,
  setParams,
  counts = {},
}: {
  view: View;
  setParams: SetURLSearchParams;
  counts?: Partial<Record<View, number>>;
}) {
  return (
    <div role="tablist" aria-label="Views" className="flex shrink-0 gap-1 border-b border-line bg-cloth px-4 pt-1.5">
      {views.map(([id, name]) => (
        <button
          key={id}
          type="button"
          role="tab"
          aria-selected={view === id}
          data-testid={`view-${id}`}
          onClick={() => showView(setParams, id)}
          className={`rounded-t-md border border-b-0 px-3 py-1 text-[13px] ${view === id ? "border-line bg-panel font-semibold" : "border-transparent text-soft hover:text-ink"}`}
        >
          {name}
          {(counts[id] ?? 0) > 0 && <span className="tabular ml-1.5 text-soft">{counts[id]}</span>}
        </button>
      ))}
    </div>
  );
}

const showView = (setParams: SetURLSearchParams, id: View) =>
  setParams((old) => {
    const next = new URLSearchParams(old);
    next.set("view", id);
    return next;
  });

function BuiltFit() {
  const { trial, design } = useDesign();
  const netlist = useQuery(artifactQuery(trial, "synth"));
  const packed = useQuery(artifactQuery(trial, "pack"));
  const elaborated = useQuery(artifactQuery(trial, "elaborate"));
  const [params, setParams] = useSearchParams();
  const part = useMemo(() => (trial ? findPart(trial.part).part : null), [trial]);
  const uses = useMemo(
    () => (netlist.data && part ? utilization(netlist.data, packed.data ?? null, part) : []),
    [netlist.data, packed.data, part],
  );
  const modules = useMemo(
    () => (netlist.data && elaborated.data ? moduleRows(netlist.data, elaborated.data, design.name) : []),
    [netlist.data, elaborated.data, design.name],
  );
  if (netlist.error) return <ProblemPanel error={netlist.error} onRetry={() => void netlist.refetch()} />;
  if (trial?.status === "failed" && !trial.findings.some((finding) => finding.code.startsWith("fit/")) && !netlist.data)
    return <NotBuilt what="What the design uses" trial={trial} />;
  if (!netlist.data || !elaborated.data || !part)
    return netlist.isLoading || elaborated.isLoading ? (
      <LoadingPanel what="the figures" />
    ) : (
      <NotBuilt what="What the design uses" trial={trial} />
    );
  const view: View = views.find(([id]) => id === params.get("view"))?.[0] ?? "use";
  const tooBig = trial?.findings.find((finding) => finding.code === "fit/too-big");
  const limits = uses.filter((use) => use.available > 0 && use.kind !== "carry links");
  const fullest = [...limits].sort((a, b) => b.used / b.available - a.used / a.available)[0];
  const share = (100 * fullest.used) / fullest.available;
  const findings = trial?.findings ?? [];
  return (
    <div className="flex h-full flex-col">
      {tooBig ? (
        <Verdict
          tone="bad"
          figure={`${formatPercent(share)} %`}
          aside={
            <Button look="main" onClick={() => showView(setParams, "parts")} data-testid="find-part">
              Find a part that fits
            </Button>
          }
        >
          {tooBig.message} {tooBig.remedy}
        </Verdict>
      ) : (
        <Verdict
          tone={share > 85 ? "warn" : "good"}
          figure={`${formatPercent((100 * uses[0].used) / uses[0].available)} %`}
          unit="of LUTs"
          change={<FigureChange figure="share" />}
        >
          Fits {trial!.part}. What would run out first is {fullest.kind}: {formatCount(fullest.used)} of{" "}
          {formatCount(fullest.available)}, {formatPercent(share)} %.
        </Verdict>
      )}
      <ViewTabs
        view={view}
        setParams={setParams}
        counts={{ findings: findings.length, made: netlist.data.inferred.length, targets: design.targetCount }}
      />
      <div className="min-h-0 flex-1">
        <Suspense fallback={<LoadingPanel what="the figures" />}>
          {view === "use" && (
            <UseView
              uses={uses}
              modules={modules}
              estimate={estimateTiles(netlist.data, part)}
              levels={netlist.data.levels}
            />
          )}
          {view === "parts" && <PartsView />}
          {view === "growth" && <GrowthView modules={modules} />}
          {view === "made" && <MadeOfView netlist={netlist.data} elaborated={elaborated.data} />}
          {view === "names" && <NamesView netlist={netlist.data} />}
          {view === "styles" && <StylesView />}
          {view === "proof" && <ProofView />}
          {view === "findings" && (
            <div className="h-full overflow-auto bg-panel">
              {findings.length ? (
                <Findings findings={findings} />
              ) : (
                <p className="p-6 text-soft">The last build found nothing to tell.</p>
              )}
            </div>
          )}
        </Suspense>
      </div>
    </div>
  );
}
