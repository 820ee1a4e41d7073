import type { Design } from "@gate-clock/contract";
import type { DesignInput, Finding, Place } from "@gate-clock/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Hammer, Moon, Square, Sun, TriangleAlert } from "lucide-react";
import { Suspense, useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";
import { Link, NavLink, Outlet, useNavigate, useParams, useSearchParams } from "react-router";
import { api } from "../app/api.ts";
import { designQuery, isLive, updateDesign } from "../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../app/StatePages.tsx";
import { toggleTheme } from "../app/theme.ts";
import { BenchSession } from "../stations/bench/bench-session.ts";
import { Button } from "../ui/Button.tsx";
import { giveOutEvent } from "../ui/give-out.ts";
import { BuildStrip } from "./BuildStrip.tsx";
import { ConflictBar } from "./ConflictBar.tsx";
import { DesignContext, type DesignContextValue } from "./context.ts";
import { DesignSettings } from "./DesignSettings.tsx";
import { useDrafts } from "./drafts.ts";
import { formatFocus } from "./focus.ts";
import { SaveState } from "./SaveState.tsx";
import { benchState, stationHeads } from "./stations.ts";
import { applyEdit } from "./text-edit.ts";
import { useBenches, useSourcesKey } from "./use-benches.ts";
import { useCheck } from "./use-check.ts";
import { useStaleness } from "./use-staleness.ts";

export function Workspace() {
  const { designId } = useParams();
  const { data: design, error, refetch } = useQuery(designQuery(designId!));
  useEffect(() => {
    document.title = design ? `${design.name} · Gate Clock` : "Gate Clock";
  }, [design]);
  if (!design)
    return error ? <ProblemPanel error={error} onRetry={() => void refetch()} /> : <LoadingPanel what="the design" />;
  return <OpenDesign key={design.id} design={design} />;
}

const toneMark = { good: "✓", warn: "!", bad: "✕", open: "·", plain: "·" } as const;
const toneColour = {
  good: "text-good",
  warn: "text-warn",
  bad: "text-bad",
  open: "text-soft",
  plain: "text-soft",
} as const;

function OpenDesign({ design }: { design: Design }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const drafts = useDrafts(design);
  const [params] = useSearchParams();
  const [theme, setTheme] = useState(document.documentElement.dataset["theme"]);
  const [problem, setProblem] = useState<string | null>(null);
  const { texts } = drafts;
  const input = useMemo((): DesignInput => {
    const ofKind = (kind: string) =>
      design.files
        .filter((file) => file.kind === kind)
        .map((file) => ({ name: file.path, text: texts.get(file.id) ?? file.text }));
    return {
      name: design.name,
      top: design.top,
      part: design.part,
      sources: ofKind("source"),
      pinFiles: ofKind("pins"),
      timingFiles: ofKind("timing"),
      recipe: design.recipe,
      seed: design.seed,
    };
  }, [design.files, design.name, design.top, design.part, design.recipe, design.seed, texts]);
  const { result: check, state: checkState, reading, tryAgain: tryCheckAgain } = useCheck(input);
  const trial = design.lastTrial;
  const isRunning = trial !== null && isLive(trial);
  const told = useStaleness(trial, reading);

  const build = useCallback(async () => {
    setProblem(null);
    dispatchEvent(new Event(giveOutEvent));
    if (!(await drafts.flush())) return;
    try {
      // for the target on this page, whatever another tab has chosen meanwhile
      const started = await api.startTargetTrial(design.id, design.targetId);
      updateDesign(queries, design.id, (old) => ({ ...old, lastTrial: started }));
    } catch (error) {
      setProblem((error as Error).message);
    }
  }, [design.id, design.targetId, drafts.flush, queries]);

  const showPlace = useCallback(
    (place: Place) => {
      if (!place.file) return;
      const kind = design.files.find((file) => file.path === place.file)?.kind;
      const station = kind === "pins" ? "pins" : kind === "timing" ? "clocks" : "sources";
      const search = new URLSearchParams({
        file: place.file,
        focus: formatFocus({ kind: "line", file: place.file, line: place.line ?? 1 }),
      });
      void navigate(`/designs/${design.id}/${station}?${search}`);
    },
    [design.files, design.id, navigate],
  );

  const repair = useCallback(
    ({ edit }: Finding) => {
      dispatchEvent(new Event(giveOutEvent));
      const file = edit && design.files.find((candidate) => candidate.path === edit.file);
      if (edit && file) drafts.edit(file.id, applyEdit(drafts.text(file), edit));
    },
    [design.files, drafts],
  );

  const buildRef = useRef(build);
  buildRef.current = build;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey)) return;
      if (event.key === "Enter") {
        event.preventDefault();
        void buildRef.current();
      } else if (event.key === "s") event.preventDefault(); // it is saved by itself
    };
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, []);

  const [bench] = useState(() => new BenchSession());
  useEffect(() => () => bench.close(), [bench]);
  const { simulation, serverRuns } = useBenches(design.id);
  const { verdicts, running } = useSyncExternalStore(simulation.subscribe, simulation.getSnapshot);
  const key = useSourcesKey(input.sources);
  const value: DesignContextValue = {
    design,
    trial,
    drafts,
    check,
    checkState,
    tryCheckAgain,
    bench,
    simulation,
    serverRuns,
    sourcesKey: key,
    sources: input.sources,
    build,
    showPlace,
    repair,
  };
  const heads = stationHeads(
    trial,
    check,
    checkState.kind,
    told,
    benchState(check, verdicts, key, running !== null || serverRuns.some(isLive)),
  );
  const focus = params.get("focus");
  const keep = focus && !focus.startsWith("line:") ? `?${new URLSearchParams({ focus })}` : "";
  return (
    <DesignContext value={value}>
      <div className="flex h-full flex-col">
        <header className="flex h-12 shrink-0 items-center gap-3 border-b border-line bg-panel px-4">
          <Link to="/" aria-label="All designs" className="rounded">
            <img src="/mark.svg" alt="" className="size-7" />
          </Link>
          <h1 className="max-w-[28rem] truncate font-semibold" title={design.name}>
            {design.name}
          </h1>
          <DesignSettings />
          <SaveState drafts={drafts} />
          <span className="flex-1" />
          <Button look="quiet" onClick={() => setTheme(toggleTheme())} aria-label="Switch between light and dark">
            {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
          </Button>
          {isRunning ? (
            <Button look="danger" onClick={() => void api.cancelTrial(design.id, trial.id)} data-testid="cancel">
              <Square className="size-3.5" /> Cancel
            </Button>
          ) : (
            <Button look="main" onClick={() => void build()} title="Ctrl+Enter" data-testid="build">
              <Hammer className="size-4" /> Build
            </Button>
          )}
        </header>
        <nav aria-label="Stations" className="grid shrink-0 grid-cols-10 border-b border-line bg-cloth">
          {heads.map((head, i) => (
            <NavLink
              key={head.path}
              to={`/designs/${design.id}/${head.path}${keep}`}
              className={({ isActive }) =>
                `group relative flex min-w-0 flex-col px-3 py-1.5 ${i ? "border-l border-line" : ""} ${isActive ? "bg-panel shadow-[inset_0_3px_0_var(--indigo)]" : "hover:bg-raised"}`
              }
              data-testid={`station-${head.path}`}
            >
              <span className="flex items-baseline gap-2">
                <span className="text-[13px] font-semibold">{head.name}</span>
                {head.isOld && head.tone !== "open" && (
                  <span className="ml-auto truncate text-[11px] text-soft italic">earlier</span>
                )}
              </span>
              <span
                className={`tabular truncate text-xs ${toneColour[head.tone]} ${head.isOld ? "italic opacity-70" : ""}`}
              >
                <span aria-hidden className="mr-1 inline-block w-2.5 text-center font-semibold">
                  {toneMark[head.tone]}
                </span>
                {head.figure}
              </span>
            </NavLink>
          ))}
        </nav>
        {(drafts.problem || problem) && (
          <div className="flex items-center gap-3 border-b border-line bg-bad-wash px-5 py-2" role="alert">
            <TriangleAlert className="size-4 shrink-0 text-bad" aria-hidden />
            <span className="flex-1">{drafts.problem ?? problem}</span>
            <Button
              look="quiet"
              onClick={() => {
                drafts.dismissProblem();
                setProblem(null);
              }}
            >
              Close
            </Button>
          </div>
        )}
        {drafts.conflict && <ConflictBar conflict={drafts.conflict} drafts={drafts} onTold={setProblem} />}
        {trial && <BuildStrip trial={trial} staleness={told} />}
        <main className="min-h-0 flex-1">
          <Suspense fallback={<LoadingPanel what="the station" />}>
            <Outlet />
          </Suspense>
        </main>
      </div>
    </DesignContext>
  );
}
