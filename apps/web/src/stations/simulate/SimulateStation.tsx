import { parseTime, showTime } from "@gate-clock/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState, useSyncExternalStore } from "react";
import { useSearchParams } from "react-router";
import { api } from "../../app/api.ts";
import { benchRunsQuery } from "../../app/queries.ts";
import { EmptyPanel } from "../../app/StatePages.tsx";
import { giveOutEvent } from "../../ui/give-out.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { onlyView } from "../../workbench/address.ts";
import { useActs, useCheckResult, useDesign, useSessions, useTexts } from "../../workbench/context.ts";
import { useStationCommands } from "../../workbench/use-commands.ts";
import { BenchTabs } from "./BenchTabs.tsx";
import { RunControls } from "./RunControls.tsx";
import { RunResult } from "./RunResult.tsx";
import { RunVerdict } from "./RunVerdict.tsx";
import { OpenRun } from "./ServerRuns.tsx";
import { WavePanel } from "./WavePanel.tsx";

/** Runs test benches of the design, in the page or on the server, and shows what they printed, found and did. */
export function SimulateStation() {
  const { design } = useDesign();
  const { drafts, sources, sourcesKey } = useTexts();
  const { check } = useCheckResult();
  const { simulation, serverRuns } = useSessions();
  const { showPlace } = useActs();
  const queries = useQueryClient();
  const { running, runs, verdicts, layouts, dumps, opening, problem } = useSyncExternalStore(
    simulation.subscribe,
    simulation.getSnapshot,
  );
  const [params, setParams] = useSearchParams();
  const benches = check?.testBenches ?? [];
  const dump = params.get("dump");
  const dumpWaves = dump === null ? undefined : dumps[dump];
  const bench = dumpWaves ? undefined : (benches.find((each) => each.name === params.get("run")) ?? benches[0]);
  const [until, setUntil] = useState("1ms");
  const [seed, setSeed] = useState(0);
  const run = bench && runs[bench.name];
  const seconds = until.trim() === "" ? null : parseTime(until);
  const untilWrong = until.trim() !== "" && seconds === null;

  const start = useCallback(() => {
    if (bench && !untilWrong) void simulation.run(bench.name, sources, seed, seconds);
  }, [bench, simulation, sources, seed, seconds, untilWrong]);
  useStationCommands([
    {
      id: "run-bench",
      title: bench ? `Run ${bench.name}` : "Run the test bench",
      group: "Simulate",
      keys: "Ctrl+Enter",
      isReady: bench !== undefined && !untilWrong,
      run: start,
    },
  ]);
  const startOnServer = useMutation({
    mutationFn: async (name: string) => {
      // the server runs what is saved
      dispatchEvent(new Event(giveOutEvent));
      if (!(await drafts.flush())) throw new Error("The sources could not be saved, so the server cannot run them.");
      const record = layouts[name]?.record;
      return api.startBenchRun(design.id, {
        bench: name,
        seed,
        until: seconds,
        record: record ? record.map(({ path, below }) => ({ path, below })) : null,
      });
    },
    onError: (error) => simulation.fail((error as Error).message),
    onSuccess: () => simulation.fail(null),
    onSettled: () => queries.invalidateQueries({ queryKey: benchRunsQuery(design.id).queryKey }),
  });

  const openDump = async (file: File | undefined) => {
    if (file && (await simulation.openDump(file))) setParams(onlyView({ dump: file.name }));
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
  const progress = running?.progress;
  const isRunning = running !== null && running.bench === bench?.name;
  const runningText = progress
    ? `Running: ${progress.time} simulated, ${progress.lines.toLocaleString("en")} lines, ${(progress.elapsedMs / 1000).toFixed(1)} s.`
    : "Compiling the design…";
  const finished = serverRuns.find((each) => each.bench === bench?.name && each.resultBytes > 0);
  const verdict = bench && verdicts[bench.name];
  return (
    <div className="flex h-full flex-col">
      {dumpWaves ? (
        <Verdict tone="plain" figure={showTime(dumpWaves.end, dumpWaves.precision)} unit="recorded">
          <span className="font-mono">{dump}</span> holds {dumpWaves.tracks.length.toLocaleString("en")} signals and{" "}
          {dumpWaves.changes.toLocaleString("en")} changes
          {dumpWaves.stoppedAt !== null &&
            `; the memory for waves was full at ${showTime(dumpWaves.stoppedAt, dumpWaves.precision)}, later changes are not shown`}
          .
        </Verdict>
      ) : (
        <RunVerdict
          bench={bench?.name ?? ""}
          verdict={verdict}
          isOld={verdict !== undefined && sourcesKey !== null && verdict.sourcesKey !== sourcesKey}
          running={isRunning ? runningText : null}
          onPlace={showPlace}
        />
      )}
      <div className="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-cloth px-4 text-[13px]">
        <BenchTabs
          benches={benches.map((each) => each.name)}
          shown={bench?.name ?? null}
          dumps={Object.keys(dumps)}
          shownDump={dumpWaves ? dump : null}
          onBench={(name) => setParams(onlyView({ run: name }))}
          onDump={(name) => setParams(onlyView({ dump: name }))}
          onCloseDump={(name) => {
            simulation.closeDump(name);
            if (name === dump) setParams(onlyView());
          }}
        />
        <span className="flex-1" />
        <RunControls
          bench={bench?.name ?? null}
          until={until}
          untilWrong={untilWrong}
          seed={seed}
          isSending={startOnServer.isPending}
          onUntil={setUntil}
          onSeed={setSeed}
          onStart={start}
          onStartOnServer={() => bench && startOnServer.mutate(bench.name)}
          onOpenDump={(file) => void openDump(file)}
          onOpened={(name) => setParams(onlyView({ run: name }))}
        />
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
        <EmptyPanel
          title={
            !bench
              ? "Looking for test benches…"
              : verdict
                ? "Only the verdict of its last run is here"
                : `${bench.name} has not been run yet`
          }
        >
          {verdict
            ? "Lines and waves of a run in the page go with the page. Run it again to see what it prints and the waves of its signals."
            : "Run it to see what it prints and the waves of every signal."}
          {finished && (
            <span className="mt-3 block">
              <OpenRun run={finished} label={`Open run ${finished.number} of the server`} />
            </span>
          )}
        </EmptyPanel>
      )}
    </div>
  );
}
