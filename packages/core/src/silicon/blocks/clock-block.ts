import { type ClockBlockModes, clockBlockLockEdges } from "../../device/blocks/clock-block.ts";
import type { Circuit } from "../decode.ts";
import { runOf } from "./running.ts";

/** A change of a clock. Times are in half periods of the input that all of it goes back to, from its edge on. */
interface ClockChange {
  readonly at: number;
  readonly signal: number;
  readonly level: number;
  /** How long it stays so. */
  readonly span: number;
}
/** Changes closer than this are one: times that are equal may come from different fractions. */
const sameTime = 1e-9;

/** Lock is seen by what the same edge clocks only at the next one. */
const justAfter = 1e-6;

/**
 * A clock block, by edges of its input instead of time: each half period of the input is divided as the modes say, so
 * that outputs keep their ratio and phase whatever the input's frequency. Positions are counted in units of
 * 1 / (8 * multiply) of half a period, in which all of them are whole.
 */
export class ClockBlockRun {
  private edges = 0;
  private isLocked = false;
  /** By output: units until the next change, and the level then. */
  private readonly wait: number[] = [];
  private readonly level: number[] = [];

  constructor(
    private readonly modes: ClockBlockModes,
    readonly input: number,
    /** Signals of the outputs A, B and LOCKED; -1 where nothing reads it. */
    private readonly outputs: readonly number[],
  ) {}

  reset(): void {
    this.edges = 0;
    this.isLocked = false;
  }

  /** Where it stands, as numbers that `restore` takes back. */
  get state(): readonly number[] {
    return [this.edges, ...this.wait, ...this.level];
  }
  restore([edges, ...rest]: readonly number[]): void {
    this.edges = edges;
    this.isLocked = edges >= clockBlockLockEdges;
    const half = rest.length / 2;
    for (let i = 0; i < half; i++) [this.wait[i], this.level[i]] = [rest[i], rest[half + i]];
  }

  /**
   * Changes of the outputs from an edge of the input up to its next one, in no order.
   * @param at When the edge is. @param span How long it is to the next one.
   */
  edge(rising: boolean, at = 0, span = 1): ClockChange[] {
    const { multiply, divide, phase } = this.modes;
    const changes: ClockChange[] = [];
    if (rising && !this.isLocked && ++this.edges === clockBlockLockEdges) {
      this.isLocked = true;
      divide.forEach((by, i) => {
        this.wait[i] = phase[i] * 2 * by;
        this.level[i] = 1;
      });
      if (this.outputs[2] >= 0) changes.push({ at: at + justAfter, signal: this.outputs[2], level: 1, span });
    }
    if (!this.isLocked) return changes;
    const units = 8 * multiply;
    divide.forEach((by, i) => {
      for (; this.wait[i] < units; this.wait[i] += 8 * by) {
        if (this.outputs[i] >= 0)
          changes.push({
            at: at + (this.wait[i] / units) * span,
            signal: this.outputs[i],
            level: this.level[i],
            span: (8 * by * span) / units,
          });
        this.level[i] = 1 - this.level[i];
      }
      this.wait[i] -= units;
    });
    return changes;
  }
}

/** What happens to clocks at one moment. */
interface ClockMoment {
  /** Signal -> level. */
  readonly levels: ReadonlyMap<number, number>;
  readonly at: number;
  /** The least time that one of them stays so. */
  readonly span: number;
}

/** The clock blocks of a circuit, by what is at their inputs. */
export class ClockBlockSet {
  private readonly byInput = new Map<number, ClockBlockRun[]>();
  private waiting: ClockChange[] = [];

  constructor(circuit: Circuit) {
    for (const { modes, clocks, outputs } of circuit.blocks) {
      if (runOf(modes).how !== "clock edges") continue;
      const pins = [0, 1, 2].map((pin) => outputs.get(pin) ?? -1);
      const run = new ClockBlockRun(modes as ClockBlockModes, clocks[0], pins);
      this.byInput.set(run.input, [...(this.byInput.get(run.input) ?? []), run]);
    }
  }

  get isEmpty(): boolean {
    return this.byInput.size === 0;
  }
  get inputs(): number[] {
    return [...this.byInput.keys()];
  }
  private get runs(): ClockBlockRun[] {
    return [...this.byInput.values()].flat();
  }
  reset(): void {
    for (const run of this.runs) run.reset();
  }
  get state(): readonly (readonly number[])[] {
    return this.runs.map((run) => run.state);
  }
  restore(state: readonly (readonly number[])[]): void {
    this.runs.forEach((run, i) => {
      run.restore(state[i]);
    });
  }

  /** Changes of signals, and what the blocks make of them, moment by moment. One walk at a time. */
  *follow(changes: Iterable<readonly [number, number]>): Generator<ClockMoment> {
    this.waiting = Array.from(changes, ([signal, level]) => ({ at: 0, signal, level, span: 1 }));
    while (this.waiting.length) {
      const { waiting } = this;
      waiting.sort((a, b) => b.at - a.at);
      const { at } = waiting[waiting.length - 1];
      const levels = new Map<number, number>();
      let least = 1;
      // an output that changes with the input does so at the same time, and may be the input of another block
      while (waiting.length && waiting[waiting.length - 1].at <= at + sameTime) {
        const { signal, level, at: own, span } = waiting.pop()!;
        levels.set(signal, level);
        least = Math.min(least, span);
        if (!this.byInput.has(signal)) continue;
        this.edge(signal, level, own, span);
        waiting.sort((a, b) => b.at - a.at);
      }
      yield { levels, at, span: least };
    }
  }

  /** An edge at an input that is no clock of its own, found at a moment of the walk. */
  edge(signal: number, level: number, at: number, span: number): void {
    for (const run of this.byInput.get(signal) ?? []) this.waiting.push(...run.edge(level === 1, at, span));
  }
}
