import {
  type BenchJob,
  type BenchProgress,
  type BenchResult,
  listScopes,
  runBench,
  type ScopeEntry,
  type SourceFile,
  vcdLoader,
  type Waves,
  waveBuffers,
} from "@gate-clock/core";
import { transfer } from "comlink";
import { exposeSealed, timers } from "../engine/sealed-worker.ts";

/** Memory for the waves of a dump: those of a file of 500 MB fit. */
const dumpMemory = 2 ** 30;

let stopped = false;
const pause = () => new Promise<void>((resolve) => timers.setTimeout(resolve, 0));

/** Runs test benches off the main thread, in slices, so that the page can ask it to stop. */
const simulator = {
  stop(): void {
    stopped = true;
  },
  /** Waves of a value change dump from disk, read as a stream. */
  async openDump(file: File, onProgress: (fraction: number) => void): Promise<Waves> {
    stopped = false;
    const { reader, finish } = vcdLoader(dumpMemory);
    const stream = file.stream().getReader();
    let read = 0;
    let told = 0;
    for (;;) {
      const { done, value } = await stream.read();
      if (done || stopped) break;
      reader.push(value);
      read += value.length;
      const now = performance.now();
      if (now - told > 100) {
        told = now;
        onProgress(read / Math.max(1, file.size));
        await pause();
      }
    }
    if (stopped) throw new Error("Reading the file was stopped.");
    const waves = finish();
    return transfer(waves, waveBuffers(waves));
  },
  async run(job: BenchJob, onProgress: (progress: BenchProgress) => void): Promise<BenchResult> {
    stopped = false;
    const result = await runBench(job, {
      progress: onProgress,
      isStopped: () => stopped,
      now: () => performance.now(),
      pause,
    });
    return transfer(result, result.waves ? waveBuffers(result.waves) : []);
  },
  scopes(sources: readonly SourceFile[], top: string): ScopeEntry[] {
    return listScopes(sources, top);
  },
};
export type Simulator = typeof simulator;
exposeSealed(simulator);
