import type { SourceFile, WaveRadix } from "@gate-clock/core";
import { proxy, type Remote, wrap } from "comlink";
import type { SimulateProgress, SimulateResult, Simulator } from "../../workers/simulate.worker.ts";

export interface BenchRun {
  readonly result: SimulateResult;
  /** The texts that were run: others make it out of date. */
  readonly sources: readonly SourceFile[];
  readonly seed: number;
  readonly until: string;
}
/** What of a run's waves is shown, and how. Kept by the bench's name, so that a rerun shows the same. */
export interface WaveLayout {
  /** Names with their scopes, in the order of the rows. */
  readonly rows: readonly string[];
  readonly radix: Readonly<Record<string, WaveRadix>>;
  /** Steps of time at both edges; null: all. */
  readonly view: readonly [number, number] | null;
  readonly cursor: number | null;
  readonly second: number | null;
}
export interface SimulateSnapshot {
  readonly running: { readonly bench: string; readonly progress: SimulateProgress | null } | null;
  readonly runs: Readonly<Record<string, BenchRun>>;
  readonly layouts: Readonly<Record<string, WaveLayout>>;
  readonly problem: string | null;
}

/** The runs of one open design's test benches; they stay while the engineer looks elsewhere. An outside store. */
export class SimulateSession {
  private snapshot: SimulateSnapshot = { running: null, runs: {}, layouts: {}, problem: null };
  private readonly listeners = new Set<() => void>();
  private worker: Worker | null = null;
  private remote: Remote<Simulator> | null = null;
  private serial = 0;

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  readonly getSnapshot = (): SimulateSnapshot => this.snapshot;

  private set(change: Partial<SimulateSnapshot>): void {
    this.snapshot = { ...this.snapshot, ...change };
    for (const listener of this.listeners) listener();
  }

  async run(
    bench: string,
    sources: readonly SourceFile[],
    seed: number,
    until: string,
    seconds: number | null,
  ): Promise<void> {
    if (this.snapshot.running) return;
    const serial = ++this.serial;
    if (!this.worker) {
      this.worker = new Worker(new URL("../../workers/simulate.worker.ts", import.meta.url), { type: "module" });
      this.remote = wrap<Simulator>(this.worker);
    }
    this.set({ running: { bench, progress: null }, problem: null });
    try {
      const result = await this.remote!.run(
        { sources, top: bench, until: seconds, seed },
        proxy((progress: SimulateProgress) => {
          if (serial === this.serial && this.snapshot.running) this.set({ running: { bench, progress } });
        }),
      );
      if (serial !== this.serial) return;
      this.set({ running: null, runs: { ...this.snapshot.runs, [bench]: { result, sources, seed, until } } });
    } catch (error) {
      if (serial === this.serial) this.set({ running: null, problem: (error as Error).message });
    }
  }

  /** Stops after the piece that is being computed; a piece that never ends is ended with its worker. */
  stop(): void {
    void this.remote?.stop();
    const serial = this.serial;
    setTimeout(() => {
      if (serial !== this.serial || !this.snapshot.running) return;
      this.close();
      this.set({ running: null, problem: "The run was ended by force: what it had computed is lost." });
    }, 3000);
  }

  layout(bench: string, change: Partial<WaveLayout>): void {
    const old = this.snapshot.layouts[bench] ?? { rows: [], radix: {}, view: null, cursor: null, second: null };
    this.set({ layouts: { ...this.snapshot.layouts, [bench]: { ...old, ...change } } });
  }

  close(): void {
    this.serial++;
    this.worker?.terminate();
    this.worker = null;
    this.remote = null;
  }
}

/** Seconds of `10us`; null for what is no time. */
export function parseTime(text: string): number | null {
  const match = /^\s*([0-9]+(?:\.[0-9]+)?)\s*(fs|ps|ns|us|ms|s)\s*$/.exec(text);
  if (!match) return null;
  return Number(match[1]) * { fs: 1e-15, ps: 1e-12, ns: 1e-9, us: 1e-6, ms: 1e-3, s: 1 }[match[2]]!;
}
