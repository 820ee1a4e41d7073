import type { SourceFile, Waves } from "@gate-clock/core";
import { proxy, type Remote, wrap } from "comlink";
import type { SimulateProgress, SimulateResult, Simulator } from "../../workers/simulate.worker.ts";
import { emptyLayout, type WaveLayout } from "./wave-layout.ts";

export interface BenchRun {
  readonly result: SimulateResult;
  /** The texts that were run: others make it out of date. */
  readonly sources: readonly SourceFile[];
  readonly seed: number;
  readonly until: string;
}
export interface SimulateSnapshot {
  readonly running: { readonly bench: string; readonly progress: SimulateProgress | null } | null;
  readonly runs: Readonly<Record<string, BenchRun>>;
  /** By the bench's name, so that a rerun shows the same; of a dump by `dump:` and its name. */
  readonly layouts: Readonly<Record<string, WaveLayout>>;
  /** Dumps opened from disk, by file name. */
  readonly dumps: Readonly<Record<string, Waves>>;
  /** Share of a dump that has been read; null when none is. */
  readonly opening: number | null;
  readonly problem: string | null;
}

/** The runs of one open design's test benches; they stay while the engineer looks elsewhere. An outside store. */
export class SimulateSession {
  private snapshot: SimulateSnapshot = {
    running: null,
    runs: {},
    layouts: {},
    dumps: {},
    opening: null,
    problem: null,
  };
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
    const remote = this.start();
    this.set({ running: { bench, progress: null }, problem: null });
    try {
      const result = await remote.run(
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

  private start(): Remote<Simulator> {
    if (!this.worker || !this.remote) {
      this.worker = new Worker(new URL("../../workers/simulate.worker.ts", import.meta.url), { type: "module" });
      this.remote = wrap<Simulator>(this.worker);
    }
    return this.remote;
  }

  /** @returns True if the waves are there. */
  async openDump(file: File): Promise<boolean> {
    if (this.snapshot.running || this.snapshot.opening !== null) return false;
    const serial = ++this.serial;
    this.set({ opening: 0, problem: null });
    try {
      const waves = await this.start().openDump(
        file,
        proxy((opening: number) => {
          if (serial === this.serial) this.set({ opening });
        }),
      );
      if (serial !== this.serial) return false;
      this.set({ opening: null, dumps: { ...this.snapshot.dumps, [file.name]: waves } });
      return true;
    } catch (error) {
      if (serial === this.serial) this.set({ opening: null, problem: `${file.name}: ${(error as Error).message}` });
      return false;
    }
  }

  closeDump(name: string): void {
    const { [name]: _, ...dumps } = this.snapshot.dumps;
    this.set({ dumps });
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
    const old = this.snapshot.layouts[bench] ?? emptyLayout;
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
