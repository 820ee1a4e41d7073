import type { StateCoding } from "./attributes.ts";

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

/** A register that goes through few states, with all ways between them. */
export interface StateMachine {
  /** Word-level cell of its register. */
  readonly cell: number;
  readonly bits: number;
  /** Codes that the start or a reset leads to in some number of steps, in the order found. */
  readonly states: readonly number[];
  /** The first state; what a reset leads to, if there is one. */
  readonly start: number;
  /** The state after configuration. */
  readonly init: number;
  /** [states] Codes in the built register where they are not those of the source, most significant bit first. */
  readonly codes?: readonly string[];
  readonly coding?: StateCoding;
  /** Pairs from, to, without those from a state to itself. */
  readonly transitions: readonly (readonly [number, number])[];
}
