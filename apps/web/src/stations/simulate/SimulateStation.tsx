import { type Finding, type Place, showTime, type WaveTrack } from "@gate-clock/core";
import { FolderOpen, Play, Square, X } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useSearchParams } from "react-router";
import { EmptyPanel } from "../../app/StatePages.tsx";
import { useDesign } from "../../design/context.ts";
import { Button } from "../../ui/Button.tsx";
import { FindingList } from "../../ui/FindingList.tsx";
import { Verdict } from "../../ui/Verdict.tsx";
import { PrintedText } from "./PrintedText.tsx";
import { type BenchRun, parseTime } from "./simulate-session.ts";
import { WavePanel } from "./WavePanel.tsx";
import type { WaveLayout } from "./wave-layout.ts";

/** Runs a test bench of the design in the page, and shows what it printed, found and did. */
export function SimulateStation() {
  const { check, simulation, sources, showPlace } = useDesign();
  const { running, runs, layouts, dumps, opening, problem } = useSyncExternalStore(
    simulation.subscribe,
    simulation.getSnapshot,
  );
  const [params, setParams] = useSearchParams();
  const benches = check?.testBenches ?? [];
  const dump = params.get("dump");
  const dumpWaves = dump === null ? undefined : dumps[dump];
  const bench = dumpWaves ? undefined : (benches.find((each) => each.name === params.get("run")) ?? benches[0]);
  const upload = useRef<HTMLInputElement>(null);
  const [until, setUntil] = useState("1ms");
  const [seed, setSeed] = useState(0);
  const run = bench ? runs[bench.name] : undefined;
  const isOld = (each: BenchRun) =>
    each.sources !== sources && JSON.stringify(each.sources) !== JSON.stringify(sources);
  const seconds = until.trim() === "" ? null : parseTime(until);
  const untilWrong = until.trim() !== "" && seconds === null;

  const start = useCallback(() => {
    if (bench && !untilWrong) void simulation.run(bench.name, sources, seed, until, seconds);
  }, [bench, simulation, sources, seed, until, seconds, untilWrong]);
  const startRef = useRef(start);
  startRef.current = start;
  useEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent) => {
      if (event.key !== "F9") return;
      event.preventDefault();
      startRef.current();
    };
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, []);

  const openDump = async (file: File | undefined) => {
    if (file && (await simulation.openDump(file))) setParams({ dump: file.name });
  };
  if (check && benches.length === 0 && Object.keys(dumps).length === 0 && opening === null && !problem)
    return (
      <EmptyPanel title="This design has no test bench yet">
        A test bench is a module without ports that instantiates what it tests. Add one to the sources: it is run here,
        and never built. Or open a value change dump:
        <label className="mt-3 block">
          <span className="sr-only">Value change dump</span>
          <input type="file" accept=".vcd" onChange={(event) => void openDump(event.target.files?.[0])} />
        </label>
      </EmptyPanel>
    );
  const progress = running && running.bench === bench?.name ? running.progress : null;
  return (
    <div className="flex h-full flex-col">
      {dumpWaves ? (
        <Verdict tone="plain" figure={showTime(dumpWaves.end, dumpWaves.precision)} unit="recorded">
          <span className="font-mono">{dump}</span> holds {dumpWaves.tracks.length.toLocaleString("en")} signals and{" "}
          {dumpWaves.changes.toLocaleString("en")} changes
          {dumpWaves.stoppedAt !== null && ", of which those up to the end of the memory are kept"}.
        </Verdict>
      ) : (
        <RunVerdict
          run={run}
          isOld={run ? isOld(run) : false}
          running={running !== null && running.bench === bench?.name}
          progress={
            progress
              ? `${progress.time} simulated, ${progress.lines} lines, ${(progress.elapsedMs / 1000).toFixed(1)} s`
              : null
          }
          bench={bench?.name ?? ""}
          onPlace={showPlace}
        />
      )}
      <div className="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-cloth px-4 text-[13px]">
        <div className="flex min-w-0 items-center gap-1 overflow-x-auto" role="tablist" aria-label="Test benches">
          {benches.map((each) => {
            const own = runs[each.name];
            const mark = !own ? "·" : own.result.passed ? "✓" : "✕";
            const colour = !own ? "text-soft" : own.result.passed ? "text-good" : "text-bad";
            return (
              <button
                key={each.name}
                type="button"
                role="tab"
                aria-selected={each === bench}
                className={`flex items-center gap-1.5 rounded-md px-2 py-1 font-mono text-xs whitespace-nowrap ${each === bench ? "bg-panel shadow-[inset_0_-2px_0_var(--indigo)]" : "hover:bg-raised"}`}
                onClick={() => setParams({ run: each.name })}
                data-testid="bench-tab"
              >
                <span className={`font-semibold ${colour}`}>{mark}</span>
                {each.name}
                {own && isOld(own) && <span className="font-sans text-[11px] text-soft italic">earlier</span>}
              </button>
            );
          })}
          {Object.keys(dumps).map((name) => (
            <span
              key={name}
              className={`flex items-center rounded-md font-mono text-xs whitespace-nowrap ${name === dump ? "bg-panel shadow-[inset_0_-2px_0_var(--indigo)]" : "hover:bg-raised"}`}
            >
              <button
                type="button"
                role="tab"
                aria-selected={name === dump}
                className="py-1 pl-2"
                onClick={() => setParams({ dump: name })}
              >
                {name}
              </button>
              <button
                type="button"
                className="p-1 text-soft hover:text-bad"
                aria-label={`Close ${name}`}
                onClick={() => {
                  simulation.closeDump(name);
                  if (name === dump) setParams({});
                }}
              >
                <X className="size-3" />
              </button>
            </span>
          ))}
        </div>
        <span className="flex-1" />
        {opening !== null && <span className="tabular text-soft">reading {Math.round(opening * 100)} %</span>}
        <Button
          look="quiet"
          className="h-7 px-2"
          onClick={() => upload.current?.click()}
          title="Open a value change dump (.vcd)"
        >
          <FolderOpen className="size-4" /> Open dump
        </Button>
        <input
          ref={upload}
          type="file"
          accept=".vcd"
          className="hidden"
          data-testid="open-dump"
          onChange={(event) => {
            void openDump(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
        <label className="flex items-center gap-1.5">
          <span className="text-soft">Stop at</span>
          <input
            className={`h-7 w-20 rounded-md border bg-panel px-2 font-mono text-xs ${untilWrong ? "border-bad" : "border-line"}`}
            value={until}
            onChange={(event) => setUntil(event.target.value)}
            aria-invalid={untilWrong}
            title={untilWrong ? "Write a time such as 10us" : "Simulated time; empty: until nothing is left to happen"}
          />
        </label>
        <label className="flex items-center gap-1.5">
          <span className="text-soft">Seed</span>
          <input
            type="number"
            className="h-7 w-20 rounded-md border border-line bg-panel px-2 font-mono text-xs"
            value={seed}
            onChange={(event) => setSeed(Math.trunc(Number(event.target.value)) || 0)}
          />
        </label>
        {running ? (
          <Button look="danger" className="h-7" onClick={() => simulation.stop()} data-testid="stop-run">
            <Square className="size-3.5" /> Stop
          </Button>
        ) : (
          <Button
            look="main"
            className="h-7"
            onClick={start}
            disabled={!bench || untilWrong}
            title="F9"
            data-testid="run-bench"
          >
            <Play className="size-3.5" /> Run
          </Button>
        )}
      </div>
      {problem && (
        <p className="border-b border-line bg-bad-wash px-4 py-1.5 text-[13px] text-bad" role="alert">
          {problem}
        </p>
      )}
      {dumpWaves && dump !== null ? (
        <div className="min-h-0 flex-1">
          <WavePanel
            waves={dumpWaves}
            layout={layouts[`dump:${dump}`]}
            onLayout={(change) => simulation.layout(`dump:${dump}`, change)}
            placeOf={() => null}
            onPlace={showPlace}
          />
        </div>
      ) : run && bench ? (
        <RunResult key={bench.name} run={run} layout={layouts[bench.name]} bench={bench.name} onPlace={showPlace} />
      ) : (
        <EmptyPanel title={bench ? `${bench.name} has not been run yet` : "Looking for test benches…"}>
          Run it to see what it prints and the waves of every signal.
        </EmptyPanel>
      )}
    </div>
  );
}

function RunVerdict({
  run,
  isOld,
  running,
  progress,
  bench,
  onPlace,
}: {
  run: BenchRun | undefined;
  isOld: boolean;
  running: boolean;
  progress: string | null;
  bench: string;
  onPlace: (place: Place) => void;
}) {
  if (running) return <Verdict tone="open">{progress ? `Running: ${progress}.` : "Compiling the design…"}</Verdict>;
  if (!run) return <Verdict tone="open">{bench ? `${bench} is ready to run.` : "Reading the sources…"}</Verdict>;
  const { result } = run;
  const first = result.findings.find((finding) => finding.severity === "error");
  const earlier = isOld ? " The sources have changed since; run it again with F9." : "";
  if (result.passed)
    return (
      <Verdict tone={isOld ? "plain" : "good"} figure={result.time} unit="simulated">
        <span className="font-mono">{bench}</span> passed in {(result.elapsedMs / 1000).toFixed(2)} s
        {result.checks.passed > 0 && `, ${result.checks.passed.toLocaleString("en")} checks held`}
        {result.end === "limit" && ", stopped at its time limit"}.{earlier}
      </Verdict>
    );
  const place = first?.place;
  const errors = result.findings.filter((finding) => finding.severity === "error").length;
  return (
    <Verdict tone="bad" figure={String(errors)} unit={errors === 1 ? "error" : "errors"}>
      <span className="font-mono">{bench}</span>{" "}
      {result.end === "errors"
        ? "could not be run"
        : result.end === "stop"
          ? "was stopped"
          : result.end === "cancelled"
            ? "was stopped by you"
            : "failed"}
      {first ? ": " : "."}
      {first?.message}{" "}
      {place?.file && (
        <button type="button" className="font-mono text-xs text-indigo underline" onClick={() => onPlace(place)}>
          {place.file}:{place.line}
        </button>
      )}
      {earlier}
    </Verdict>
  );
}

function RunResult({
  run,
  layout,
  bench,
  onPlace,
}: {
  run: BenchRun;
  layout: WaveLayout | undefined;
  bench: string;
  onPlace: (place: Place) => void;
}) {
  const { simulation } = useDesign();
  const { result, sources } = run;
  const { waves } = result;
  const placeOf = useMemo(() => {
    const starts = new Map<number, string>();
    sources.forEach((file, i) => starts.set(i, file.text));
    return (track: WaveTrack): Place | null => {
      if (!track.place) return null;
      const text = starts.get(track.place.file);
      if (text === undefined) return null;
      return {
        file: sources[track.place.file].name,
        line: text.slice(0, track.place.start).split("\n").length,
        column: 1,
      };
    };
  }, [sources]);
  const findings: readonly Finding[] = result.findings;
  return (
    <Group orientation="vertical" className="min-h-0 flex-1">
      <Panel defaultSize="28%" minSize="80px">
        <Group orientation="horizontal" className="h-full">
          <Panel minSize="200px">
            <PrintedText
              lines={result.lines}
              lost={result.linesLost}
              precision={waves?.precision ?? -9}
              onTime={(time) => simulation.layout(bench, { cursor: time })}
              onPlace={onPlace}
            />
          </Panel>
          {findings.length > 0 && (
            <>
              <Separator className="w-1 border-l border-line bg-transparent hover:bg-indigo" />
              <Panel defaultSize="42%" minSize="160px" className="overflow-auto bg-panel">
                <FindingList findings={findings} onPlace={onPlace} />
              </Panel>
            </>
          )}
        </Group>
      </Panel>
      <Separator className="h-1 border-t border-line bg-transparent hover:bg-indigo" />
      <Panel minSize="120px">
        {waves && waves.tracks.length > 0 ? (
          <WavePanel
            waves={waves}
            layout={layout}
            onLayout={(change) => simulation.layout(bench, change)}
            placeOf={placeOf}
            onPlace={onPlace}
          />
        ) : (
          <EmptyPanel title="No waves">The run ended before anything could be recorded.</EmptyPanel>
        )}
      </Panel>
    </Group>
  );
}
