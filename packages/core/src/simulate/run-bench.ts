import { type Finding, hasErrors, type Place } from "../common/finding.ts";
import type { SourceFile } from "../common/source.ts";
import { sourcesKey } from "../hdl/sources-key.ts";
import { prepare, type RunEnd, recordAll, showTime } from "./simulate.ts";
import type { RecordScope } from "./waves/recorder.ts";
import { WaveStore, type Waves } from "./waves/wave-store.ts";

/** What a run of a test bench takes. */
export interface BenchJob {
  readonly sources: readonly SourceFile[];
  readonly top: string;
  /** Seconds; null: to the end. */
  readonly until: number | null;
  readonly seed: number;
  /** Null: every signal. */
  readonly record: readonly RecordScope[] | null;
  /** Bytes that the waves may take. */
  readonly waveMemory: number;
}
export interface PrintedLine {
  readonly text: string;
  readonly place: Place;
  /** In steps of the waves' precision. */
  readonly time: number;
}
export interface BenchProgress {
  readonly time: string;
  readonly lines: number;
  readonly elapsedMs: number;
}
export interface BenchResult {
  readonly end: RunEnd | "errors";
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

/** A result with what it came from. */
export interface BenchRecord {
  readonly result: BenchResult;
  readonly sources: readonly SourceFile[];
  readonly seed: number;
}

/** The few words that are left of a run when its lines and waves are gone. */
export interface BenchVerdict {
  readonly end: BenchResult["end"];
  readonly passed: boolean;
  readonly time: string;
  readonly errors: number;
  readonly first: { readonly message: string; readonly place: Place } | null;
  readonly checks: { readonly passed: number; readonly failed: number };
  readonly elapsedMs: number;
  readonly seed: number;
  readonly until: number | null;
  /** Key of the sources that were run: with others, the verdict is one of an earlier state. */
  readonly sourcesKey: string;
}

interface BenchHost {
  progress(progress: BenchProgress): void;
  isStopped(): boolean;
  /** Milliseconds of a clock that only goes forward. */
  now(): number;
  /** Lets others have a turn, between two pieces of the run. */
  pause(): Promise<void>;
}

const sliceMs = 50;
const maxLines = 100_000;

/** Longest line that is kept whole: one that never ends must not fill the memory. */
const maxLineLength = 65_536;

/** Gathers printed pieces into lines; a line counts from its first piece. */
class Lines {
  readonly list: PrintedLine[] = [];
  lost = 0;
  private partial: PrintedLine | null = null;

  add(text: string, place: () => Place, time: number): void {
    const pieces = text.split("\n");
    for (let i = 0; i < pieces.length; i++) {
      const piece = pieces[i];
      const isWhole = i < pieces.length - 1;
      if (this.partial) {
        if (this.partial.text.length < maxLineLength)
          this.partial = { ...this.partial, text: this.partial.text + piece };
      } else if (piece || isWhole) this.partial = { text: piece, place: place(), time };
      if (isWhole) this.end();
    }
  }

  end(): void {
    if (!this.partial) return;
    if (this.list.length < maxLines) this.list.push(this.partial);
    else this.lost++;
    this.partial = null;
  }
}

/** Runs a test bench in pieces of some milliseconds, so that it can be watched and stopped. */
export async function runBench(job: BenchJob, host: BenchHost): Promise<BenchResult> {
  const begin = host.now();
  const store = new WaveStore(job.waveMemory);
  const { simulation, findings, sources } = prepare(
    job.sources,
    { top: job.top, until: job.until, seed: job.seed, record: job.record ?? recordAll },
    store,
  );
  const fileNames = sources.files.map((file) => file.name);
  if (!simulation)
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
      elapsedMs: host.now() - begin,
    };
  const lines = new Lines();
  simulation.onPrint = ({ text, loc, time }) => lines.add(text, () => sources.place(loc), time);
  let slots = 64;
  let last = host.now();
  while (simulation.run(slots) === null && !host.isStopped()) {
    const now = host.now();
    const spent = now - last;
    slots = Math.max(1, Math.min(1 << 20, Math.round(slots * (spent > sliceMs ? 0.5 : spent < sliceMs / 3 ? 2 : 1))));
    host.progress({
      time: showTime(simulation.time, simulation.program.precision),
      lines: lines.list.length,
      elapsedMs: now - begin,
    });
    await host.pause();
    last = host.now();
  }
  lines.end();
  const outcome = simulation.outcome();
  store.end(outcome.time);
  const waves = store.waves();
  // notes are among the lines, with their time and place
  const all = outcome.findings.filter((finding) => finding.code !== "sim/note");
  if (waves.stoppedAt !== null)
    all.push({
      code: "sim/wave-memory",
      severity: "warning",
      place: {},
      message: `The waves filled their ${Math.round(job.waveMemory / 2 ** 20)} MiB at ${showTime(waves.stoppedAt, outcome.precision)}: what came after is simulated, but not recorded.`,
      remedy: "Record fewer scopes, or stop the run earlier.",
    });
  return {
    end: outcome.end,
    passed:
      !hasErrors(outcome.findings) && (outcome.end === "finish" || outcome.end === "idle" || outcome.end === "limit"),
    time: showTime(outcome.time, outcome.precision),
    findings: all,
    lines: lines.list,
    linesLost: lines.lost,
    checks: {
      passed: outcome.assertions.reduce((sum, each) => sum + each.passed, 0),
      failed: outcome.assertions.reduce((sum, each) => sum + each.failed, 0),
    },
    files: [...outcome.files].map(([name, text]) => ({ name, text })),
    waves,
    fileNames,
    elapsedMs: host.now() - begin,
  };
}

export function verdictOf(job: Omit<BenchJob, "waveMemory">, result: BenchResult): BenchVerdict {
  const { end, passed, time, checks, elapsedMs } = result;
  const errors = result.findings.filter((finding) => finding.severity === "error");
  return {
    end,
    passed,
    time,
    errors: errors.length,
    first: errors.length ? { message: errors[0].message, place: errors[0].place } : null,
    checks,
    elapsedMs,
    seed: job.seed,
    until: job.until,
    sourcesKey: sourcesKey(job.sources),
  };
}
