import type { Kept } from "@gate-clock/contract";
import {
  type BenchJob,
  type BenchProgress,
  type BenchRecord,
  type BenchVerdict,
  type ScopeEntry,
  type SourceFile,
  type Spot,
  verdictOf,
  type Waves,
} from "@gate-clock/core";
import { proxy, type Remote } from "comlink";
import { connect } from "../engine/connect.ts";
import type { Simulator } from "../workers/simulate.worker.ts";
import { addRows, emptyLayout, parseLayout, type WaveLayout } from "./wave-layout.ts";
import { firstRows, trackKey } from "./wave-rows.ts";

interface SimulateSnapshot {
  readonly running: { readonly bench: string; readonly progress: BenchProgress | null } | null;
  /** Last run of each bench whose lines and waves are at hand. */
  readonly runs: Readonly<Record<string, BenchRecord>>;
  /** Last verdict of each bench, wherever and whenever it was run. */
  readonly verdicts: Readonly<Record<string, BenchVerdict>>;
  /** By the bench's name, so that a rerun shows the same; of a dump by `dump:` and its name. */
  readonly layouts: Readonly<Record<string, WaveLayout>>;
  /** Dumps opened from disk, by file name. */
  readonly dumps: Readonly<Record<string, Waves>>;
  /** Share of a dump that has been read; null when none is. */
  readonly opening: number | null;
  readonly problem: string | null;
}

/** Memory for the waves of one run in the page. */
const waveMemory = 512 * 2 ** 20;
const keepAfterMs = 700;
/** A signal of a module that stands a thousand times in the design is not shown a thousand times. */
const mostRevealed = 16;

/** Puts something away with the design. */
export type Keep = (name: string, value: object) => Promise<void>;

/** The runs of one open design's test benches; they stay while the engineer looks elsewhere. An outside store. */
export class SimulateSession {
  private snapshot: SimulateSnapshot = {
    running: null,
    runs: {},
    verdicts: {},
    layouts: {},
    dumps: {},
    opening: null,
    problem: null,
  };
  private readonly listeners = new Set<() => void>();
  private worker: Worker | null = null;
  private remote: Remote<Simulator> | null = null;
  private serial = 0;
  /** Layouts that this page has changed; what the server knows of them is older. */
  private readonly touched = new Set<string>();
  private readonly unsaved = new Map<string, object>();
  private readonly sending = new Set<string>();
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly keep: Keep) {}

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  readonly getSnapshot = (): SimulateSnapshot => this.snapshot;

  private set(change: Partial<SimulateSnapshot>): void {
    this.snapshot = { ...this.snapshot, ...change };
    for (const listener of this.listeners) listener();
  }

  /** Takes over what was kept with the design, but for what has been changed here since. */
  adopt(kept: readonly Kept[]): void {
    const layouts = { ...this.snapshot.layouts };
    const verdicts = { ...this.snapshot.verdicts };
    for (const { name, value } of kept) {
      const colon = name.indexOf(":");
      const bench = name.slice(colon + 1);
      if (name.startsWith("waves:") && !this.touched.has(bench)) {
        const layout = parseLayout(value);
        if (layout) layouts[bench] = layout;
      } else if (name.startsWith("verdict:") && !this.unsaved.has(name) && !this.sending.has(name))
        verdicts[bench] = value as unknown as BenchVerdict;
    }
    this.set({ layouts, verdicts });
  }

  async run(bench: string, sources: readonly SourceFile[], seed: number, until: number | null): Promise<void> {
    if (this.snapshot.running) return;
    const serial = ++this.serial;
    const remote = this.start();
    this.set({ running: { bench, progress: null }, problem: null });
    const record = this.snapshot.layouts[bench]?.record ?? null;
    const job: BenchJob = { sources, top: bench, until, seed, record, waveMemory };
    try {
      const result = await remote.run(
        job,
        proxy((progress: BenchProgress) => {
          if (serial === this.serial && this.snapshot.running) this.set({ running: { bench, progress } });
        }),
      );
      if (serial !== this.serial) return;
      this.show(bench, { result, sources, seed });
      const verdict = verdictOf(job, result);
      this.set({ running: null, verdicts: { ...this.snapshot.verdicts, [bench]: verdict } });
      this.putAway(`verdict:${bench}`, verdict);
    } catch (error) {
      if (serial === this.serial) this.set({ running: null, problem: (error as Error).message });
    }
  }

  /** Lines and waves of a run that may have been made elsewhere. */
  show(bench: string, record: BenchRecord): void {
    // the last run stands last
    const { [bench]: _, ...others } = this.snapshot.runs;
    this.set({ runs: { ...others, [bench]: record } });
  }

  /**
   * Adds the signals declared at a place to the waves of a run that has recorded them, the last one first.
   * @returns The bench that was run; null if no run has them.
   */
  reveal(spot: Spot): string | null {
    for (const [bench, { result, sources }] of Object.entries(this.snapshot.runs).reverse()) {
      const found = (result.waves?.tracks ?? []).filter(
        ({ place }) =>
          place && sources[place.file]?.name === spot.file && place.start <= spot.start && spot.start < place.end,
      );
      if (found.length === 0) continue;
      const layout = this.snapshot.layouts[bench] ?? emptyLayout;
      const shown = layout.rows ?? firstRows(result.waves!);
      this.layout(bench, { rows: addRows(shown, found.slice(0, mostRevealed).map(trackKey)) });
      return bench;
    }
    return null;
  }

  fail(problem: string | null): void {
    this.set({ problem });
  }

  scopes(sources: readonly SourceFile[], bench: string): Promise<ScopeEntry[]> {
    return this.start().scopes(sources, bench);
  }

  private start(): Remote<Simulator> {
    if (!this.worker || !this.remote) {
      this.worker = new Worker(new URL("../workers/simulate.worker.ts", import.meta.url), { type: "module" });
      this.remote = connect<Simulator>(this.worker);
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
      if (serial !== this.serial || (!this.snapshot.running && this.snapshot.opening === null)) return;
      this.endWorker();
      this.set({
        running: null,
        opening: null,
        problem: "The run was ended by force: what it had computed is lost.",
      });
    }, 3000);
  }

  layout(bench: string, change: Partial<WaveLayout>): void {
    const old = this.snapshot.layouts[bench] ?? emptyLayout;
    const layout = { ...old, ...change };
    this.touched.add(bench);
    this.set({ layouts: { ...this.snapshot.layouts, [bench]: layout } });
    this.putAway(`waves:${bench}`, layout);
  }

  private putAway(name: string, value: object): void {
    this.unsaved.set(name, value);
    this.timer ??= setTimeout(() => this.flush(), keepAfterMs);
  }

  /** Sends what has not been kept yet. */
  flush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    const list = [...this.unsaved];
    this.unsaved.clear();
    for (const [name, value] of list) {
      this.sending.add(name);
      // a layout that could not be kept is no reason to stop anybody: the next change sends it again
      void this.keep(name, value)
        .catch(() => {})
        .finally(() => this.sending.delete(name));
    }
  }

  private endWorker(): void {
    this.serial++;
    this.worker?.terminate();
    this.worker = null;
    this.remote = null;
  }

  close(): void {
    this.flush();
    this.endWorker();
  }
}
