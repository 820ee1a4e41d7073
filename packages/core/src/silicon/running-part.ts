import type { Circuit } from "./decode.ts";

/** A configured part while it runs, with or without delays. Signals are those of its circuit. */
export interface RunningPart {
  readonly circuit: Circuit;
  readonly lutCount: number;
  readonly flipFlopCount: number;
  /** True once a combinational loop has failed to settle. */
  readonly unstable: boolean;
  /** Word that comes in at a serial lane of the part during a cycle. */
  receive: (lane: number) => number;
  signal(signal: number): number;
  /**
   * Sets input signals.
   * @param afterPs With delays: so long from now on, while clocks go on. Left out, time passes until all is quiet.
   */
  setInputs(values: ReadonlyMap<number, number>, afterPs?: number): void;
  /** Lets time pass; without delays there is none. */
  wait(ps: number): void;
  /** Level at a driven pad by its place in `circuit.outputs`; null while it is let go. */
  driven(output: number): number | null;
  /** [flip-flops] What each holds, in the order of `circuit.flipFlops`. */
  registers(): Uint8Array;
  /** Full cycles of one input, rise then fall, starting and ending low. Counts duty once a cycle. */
  runCycles(signal: number, cycles: number, periodPs: number): void;
  /** Cycles that each output was high since the last call, in the order of `circuit.outputs`. */
  takeDuty(): Int32Array;
  /** Word that a serial lane sends in this cycle; null if it is off or has not begun. */
  serialWord(lane: number): number | null;
}
