import {
  type Finding,
  hasErrors,
  type Place,
  prepare,
  type SourceFile,
  showTime,
  vcdLoader,
  WaveStore,
  type Waves,
  waveBuffers,
} from "@gate-clock/core";
import { expose, transfer } from "comlink";

export interface SimulateJob {
  readonly sources: readonly SourceFile[];
  readonly top: string;
  /** Seconds; null: to the end. */
  readonly until: number | null;
  readonly seed: number;
}
export interface PrintedLine {
  readonly text: string;
  readonly place: Place;
  /** In steps of the waves' precision. */
  readonly time: number;
}
export interface SimulateProgress {
  readonly time: string;
  readonly lines: number;
  readonly elapsedMs: number;
}
export interface SimulateResult {
  readonly end: string;
  readonly passed: boolean;
  readonly time: string;
  readonly findings: readonly Finding[];
  readonly lines: readonly PrintedLine[];
  /** More was printed than is kept. */
  readonly linesLost: number;
  readonly checks: { readonly passed: number; readonly failed: number };
  readonly files: readonly { readonly name: string; readonly text: string }[];
  readonly waves: Waves | null;
  /** Source files of the tracks' places, by index. */
  readonly fileNames: readonly string[];
  readonly elapsedMs: number;
}

const sliceMs = 50;
const maxLines = 100_000;
let stopped = false;

/** Runs test benches off the main thread, in slices, so that the page can ask it to stop. */
const simulator = {
  stop(): void {
    stopped = true;
  },
  /** Waves of a value change dump from disk, read as a stream. */
  async openDump(file: File, onProgress: (fraction: number) => void): Promise<Waves> {
    stopped = false;
    const { reader, finish } = vcdLoader();
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
        await new Promise((resolve) => setTimeout(resolve, 0));
      }
    }
    if (stopped) throw new Error("Reading the file was stopped.");
    const waves = finish();
    return transfer(waves, waveBuffers(waves));
  },
  async run(job: SimulateJob, onProgress: (progress: SimulateProgress) => void): Promise<SimulateResult> {
    stopped = false;
    const begin = performance.now();
    const store = new WaveStore();
    const { simulation, findings, sources } = prepare(
      job.sources,
      { top: job.top, until: job.until, seed: job.seed, recordAll: true },
      store,
    );
    const fileNames = sources.files.map((file) => file.name);
    if (!simulation) {
      const elapsedMs = performance.now() - begin;
      return {
        end: "errors",
        passed: false,
        time: "",
        findings,
        lines: [],
        linesLost: 0,
        checks: { passed: 0, failed: 0 },
        files: [],
        waves: null,
        fileNames,
        elapsedMs,
      };
    }
    const lines: PrintedLine[] = [];
    let linesLost = 0;
    let partial: PrintedLine | null = null;
    simulation.onPrint = ({ text, loc, time }) => {
      // a line may come in pieces: it counts from its first one
      const pieces = text.split("\n");
      pieces.forEach((piece, i) => {
        const whole = i < pieces.length - 1;
        if (partial) partial = { ...partial, text: partial.text + piece };
        else if (piece || whole) partial = { text: piece, place: sources.place(loc), time };
        if (!whole || !partial) return;
        if (lines.length < maxLines) lines.push(partial);
        else linesLost++;
        partial = null;
      });
    };
    let slots = 64;
    let last = performance.now();
    while (simulation.run(slots) === null && !stopped) {
      const now = performance.now();
      const spent = now - last;
      slots = Math.max(1, Math.min(1 << 20, Math.round(slots * (spent > sliceMs ? 0.5 : spent < sliceMs / 3 ? 2 : 1))));
      onProgress({
        time: showTime(simulation.time, simulation.program.precision),
        lines: lines.length,
        elapsedMs: now - begin,
      });
      await new Promise((resolve) => setTimeout(resolve, 0));
      last = performance.now();
    }
    if (partial) lines.push(partial);
    const outcome = simulation.outcome();
    store.end(outcome.time);
    const waves = store.waves();
    const result: SimulateResult = {
      end: outcome.end,
      passed:
        !hasErrors(outcome.findings) && (outcome.end === "finish" || outcome.end === "idle" || outcome.end === "limit"),
      time: showTime(outcome.time, outcome.precision),
      findings: outcome.findings,
      lines,
      linesLost,
      checks: {
        passed: outcome.assertions.reduce((sum, each) => sum + each.passed, 0),
        failed: outcome.assertions.reduce((sum, each) => sum + each.failed, 0),
      },
      files: [...outcome.files].map(([name, text]) => ({ name, text })),
      waves,
      fileNames,
      elapsedMs: performance.now() - begin,
    };
    return transfer(result, waveBuffers(waves));
  },
};
export type Simulator = typeof simulator;
expose(simulator);
