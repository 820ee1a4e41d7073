import type { StateMachine } from "./state-machines.ts";

/** A structure that synthesis recognised in the source, and what it made of it. */
export interface InferredItem {
  readonly kind: "memory" | "multiplier" | "shift register" | "state machine" | "copied register" | "moved register";
  readonly name: string;
  /** Word-level cell of the elaborated design. */
  readonly origin: number;
  readonly shape: string;
  readonly becomes: "memory block" | "multiplier block" | "logic" | "registers" | "carry chains";
  /** Blocks used. */
  readonly count: number;
  /** Why it became that, or how. */
  readonly reason: string;
  /** Of a state machine: its states and ways. */
  readonly machine?: StateMachine;
  /** Why no circuit can be made of it at all. */
  readonly failure?: string;
}
