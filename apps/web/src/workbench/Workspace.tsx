import type { Design } from "@gate-clock/contract";
import type { DesignInput, Finding, Place } from "@gate-clock/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Hammer, Moon, Search, Square, Sun, TriangleAlert } from "lucide-react";
import {
  type ContextType,
  type ReactNode,
  Suspense,
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
  useSyncExternalStore,
} from "react";
import { Link, Outlet, useNavigate, useParams, useSearchParams } from "react-router";
import { api } from "../app/api.ts";
import { designQuery, isLive, keptQuery, updateDesign, withTrial } from "../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../app/StatePages.tsx";
import { toggleTheme } from "../app/theme.ts";
import { formatFocus } from "../focus/focus.ts";
import { BenchSession } from "../sessions/bench-session.ts";
import { Button } from "../ui/Button.tsx";
import { giveOutEvent } from "../ui/give-out.ts";
import { acceptancesIn } from "./accepted.ts";
import { stationAddress } from "./address.ts";
import { benchState } from "./bench-state.ts";
import { CommandPalette, ShortcutList } from "./CommandPalette.tsx";
import { ConflictBar } from "./ConflictBar.tsx";
import { goalOf } from "./compare.ts";
import { ActsContext, CheckContext, DesignContext, SessionsContext, TextsContext } from "./context.ts";
import { DesignSettings } from "./DesignSettings.tsx";
import { useDrafts } from "./drafts.ts";
import { FocusBar } from "./FocusBar.tsx";
import { pageCommands } from "./page-commands.ts";
import { SaveState } from "./SaveState.tsx";
import { StationRail } from "./StationRail.tsx";
import type { Station } from "./station.ts";
import { TrialLine } from "./TrialLine.tsx";
import { applyEdit } from "./text-edit.ts";
import { useBenches } from "./use-benches.ts";
import { useCheck } from "./use-check.ts";
import { stationCommands, useCommandKeys } from "./use-commands.ts";
import { useStaleness } from "./use-staleness.ts";
import { useTrialChoice } from "./use-trial.ts";

/** @param stations In the order of the work. */
export function Workspace({ stations }: { stations: readonly Station[] }) {
  const { designId } = useParams();
  const [params] = useSearchParams();
  const target = params.get("target");
  // another target of the same design comes in its place: what is open stays open meanwhile
  const {
    data: design,
    error,
    refetch,
  } = useQuery({
    ...designQuery(designId!, target),
    placeholderData: (old) => (old?.id === designId ? old : undefined),
  });
  useEffect(() => {
    document.title = design ? `${design.name} · Gate Clock` : "Gate Clock";
  }, [design]);
  if (!design)
    return error ? <ProblemPanel error={error} onRetry={() => void refetch()} /> : <LoadingPanel what="the design" />;
  return <OpenDesign key={design.id} design={design} target={target} stations={stations} />;
}

function OpenDesign({
  design,
  target,
  stations,
}: {
  design: Design;
  target: string | null;
  stations: readonly Station[];
}) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const drafts = useDrafts(design, target);
  const [params] = useSearchParams();
  const [theme, setTheme] = useState(document.documentElement.dataset["theme"]);
  const [problem, setProblem] = useState<string | null>(null);
  const { texts } = drafts;
  const input = useMemo((): DesignInput => {
    const ofKind = (kind: string) =>
      design.files
        .filter((file) => file.kind === kind && file.inUse)
        .map((file) => ({ name: file.path, text: texts.get(file.id) ?? file.text }));
    return {
      name: design.name,
      top: design.top,
      part: design.part,
      board: design.board,
      sources: ofKind("source"),
      pinFiles: ofKind("pins"),
      timingFiles: ofKind("timing"),
      recipe: design.recipe,
      seed: design.seed,
    };
  }, [design.files, design.name, design.top, design.part, design.board, design.recipe, design.seed, texts]);
  const { result: check, state: checkState, reading, sourcesKey, tryAgain: tryCheckAgain } = useCheck(input, design.id);
  const goal = useMemo(() => goalOf(check?.clocks ?? []), [check?.clocks]);
  const choice = useTrialChoice(design, goal, setProblem);
  const { trial, against, reference } = choice;
  const last = design.lastTrial;
  const isRunning = last !== null && isLive(last);
  const told = useStaleness(trial, reading);

  const choose = useRef(choice.choose);
  choose.current = choice.choose;
  const build = useCallback(async () => {
    setProblem(null);
    dispatchEvent(new Event(giveOutEvent));
    if (!(await drafts.flush())) return;
    try {
      const started = await api.startTargetTrial(design.id, design.targetId);
      updateDesign(queries, design.id, (old) => withTrial(old, started));
      // what is built is what is looked at
      choose.current(null);
    } catch (error) {
      setProblem((error as Error).message);
    }
  }, [design.id, design.targetId, drafts.flush, queries]);

  const showPlace = useCallback(
    (place: Place) => {
      if (!place.file) return;
      const kind = design.files.find((file) => file.path === place.file)?.kind;
      const station = kind === "pins" ? "pins" : kind === "timing" ? "clocks" : "sources";
      const { file, line = 1 } = place;
      void navigate(stationAddress(design.id, station, { file, focus: formatFocus({ kind: "line", file, line }) }));
    },
    [design.files, design.id, navigate],
  );

  const repair = useCallback(
    ({ edit }: Finding) => {
      dispatchEvent(new Event(giveOutEvent));
      const file = edit && design.files.find((candidate) => candidate.path === edit.file);
      if (edit && file)
        drafts.act(`${edit.label} in ${file.path}`, [{ fileId: file.id, text: applyEdit(drafts.text(file), edit) }]);
    },
    [design.files, drafts],
  );

  const [bench] = useState(() => new BenchSession());
  useEffect(() => () => bench.close(), [bench]);
  const { simulation, serverRuns } = useBenches(design.id);
  const { verdicts, running } = useSyncExternalStore(simulation.subscribe, simulation.getSnapshot);
  const acts = useRef({ build, showPlace, repair });
  acts.current = { build, showPlace, repair };
  const steady = useMemo(
    () => ({
      build: () => acts.current.build(),
      showPlace: (place: Place) => acts.current.showPlace(place),
      repair: (finding: Finding) => acts.current.repair(finding),
    }),
    [],
  );
  const looked = useMemo(() => ({ design, trial, against, reference }), [design, trial, against, reference]);
  const written = useMemo(() => ({ drafts, input, sources: input.sources, sourcesKey }), [drafts, input, sourcesKey]);
  const isTimingCurrent = told !== null && ![...told.again, ...told.maybeAgain].includes("timing");
  const checked = useMemo(
    () => ({ check, checkState, tryCheckAgain, isTimingCurrent }),
    [check, checkState, tryCheckAgain, isTimingCurrent],
  );
  const sessions = useMemo(() => ({ bench, simulation, serverRuns }), [bench, simulation, serverRuns]);
  const benches = benchState(check, verdicts, sourcesKey, running !== null || serverRuns.some(isLive));
  const { data: kept } = useQuery(keptQuery(design.id));
  const accepted = useMemo(() => new Set(acceptancesIn(kept ?? []).keys()), [kept]);
  const focus = params.get("focus");
  const addressOf = (path: string) =>
    stationAddress(design.id, path, focus && !focus.startsWith("line:") ? { focus } : {});
  const [isOpen, setOpen] = useState<"palette" | "keys" | null>(null);
  const commands = pageCommands(design, stations, choice, drafts.history, isRunning, {
    findCommand: () => setOpen("palette"),
    showKeys: () => setOpen("keys"),
    save: () => void drafts.flush(),
    switchTheme: () => setTheme(toggleTheme()),
    allDesigns: () => void navigate("/"),
    build: () => void build(),
    cancel: () => void (last && api.cancelTrial(design.id, last.id)),
    goTo: (path) => void navigate(addressOf(path)),
    openFile: (file) => showPlace({ file, line: 1 }),
    undo: drafts.undo,
    redo: drafts.redo,
  });
  useCommandKeys(commands);
  const message = drafts.problem ?? problem ?? (choice.missing ? missingText(choice.missing, design.targetName) : null);
  return (
    <Shared looked={looked} written={written} checked={checked} sessions={sessions} acts={steady}>
      <div className="flex h-full flex-col">
        <header className="flex h-10 shrink-0 items-center gap-2.5 border-b border-line bg-panel px-3">
          <Link to="/" aria-label="All designs" className="rounded">
            <img src="/mark.svg" alt="" className="size-6" />
          </Link>
          <h1 className="max-w-48 min-w-16 truncate font-semibold" title={design.name}>
            {design.name}
          </h1>
          <DesignSettings />
          <TrialLine choice={choice} staleness={told} />
          <SaveState drafts={drafts} />
          <Button
            look="quiet"
            className="px-2"
            onClick={() => setOpen("palette")}
            aria-label="Find a command"
            title="Find a command: Ctrl+K; all keys: ?"
            data-testid="open-palette"
          >
            <Search className="size-4" />
          </Button>
          <Button
            look="quiet"
            className="px-2"
            onClick={() => setTheme(toggleTheme())}
            aria-label="Switch between light and dark"
          >
            {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
          </Button>
          {isRunning ? (
            <Button look="danger" onClick={() => void api.cancelTrial(design.id, last.id)} data-testid="cancel">
              <Square className="size-3.5" /> Cancel
            </Button>
          ) : (
            <Button look="main" onClick={() => void build()} title="Ctrl+Enter" data-testid="build">
              <Hammer className="size-4" /> Build
            </Button>
          )}
        </header>
        {message && (
          <div className="flex items-center gap-3 border-b border-line bg-bad-wash px-5 py-2" role="alert">
            <TriangleAlert className="size-4 shrink-0 text-bad" aria-hidden />
            <span className="flex-1">{message}</span>
            <Button
              look="quiet"
              onClick={() => {
                drafts.dismissProblem();
                setProblem(null);
                if (choice.missing) choice.choose(null);
              }}
            >
              Close
            </Button>
          </div>
        )}
        {drafts.conflict && <ConflictBar conflict={drafts.conflict} drafts={drafts} onTold={setProblem} />}
        <div className="flex min-h-0 flex-1">
          <StationRail
            stations={stations}
            view={{ trial, reference, check, checkKind: checkState.kind, told, accepted, benches }}
            addressOf={addressOf}
          />
          <main className="flex min-h-0 min-w-0 flex-1 flex-col">
            <Suspense fallback={<LoadingPanel what="the station" />}>
              <div className="min-h-0 flex-1">
                <Outlet />
              </div>
            </Suspense>
            <FocusBar />
          </main>
        </div>
        {isOpen === "palette" && (
          <CommandPalette commands={[...stationCommands(), ...commands]} onClose={() => setOpen(null)} />
        )}
        {isOpen === "keys" && (
          <ShortcutList commands={[...stationCommands(), ...commands]} onClose={() => setOpen(null)} />
        )}
      </div>
    </Shared>
  );
}

/** All that the stations share. */
function Shared({
  looked,
  written,
  checked,
  sessions,
  acts,
  children,
}: {
  looked: ContextType<typeof DesignContext>;
  written: ContextType<typeof TextsContext>;
  checked: ContextType<typeof CheckContext>;
  sessions: ContextType<typeof SessionsContext>;
  acts: ContextType<typeof ActsContext>;
  children: ReactNode;
}) {
  return (
    <ActsContext value={acts}>
      <SessionsContext value={sessions}>
        <DesignContext value={looked}>
          <TextsContext value={written}>
            <CheckContext value={checked}>{children}</CheckContext>
          </TextsContext>
        </DesignContext>
      </SessionsContext>
    </ActsContext>
  );
}

const missingText = (number: number, target: string) =>
  `There is no trial ${number} for ${target}: the last one is shown.`;
