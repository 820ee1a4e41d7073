import { Aig } from "../logic/aig.ts";

/** A stretch of a proof: two literals that must be equal in every reachable state. */
export interface ProofPoint {
  /** Register, port or pin, in words for people. */
  readonly name: string;
  readonly what: "output" | "register" | "clock" | "reset" | "block pin" | "start value" | "net";
  readonly written: number;
  readonly built: number;
}

/** What the enable of an output bit is called among the points. */
export function enableName(bitName: string): string {
  return `${bitName} driven`;
}

/** One stored bit that both sides share: a leaf of the graph. */
export interface SharedState {
  readonly name: string;
  readonly node: number;
  readonly init: number;
  /** Literal of its next value on the side as written. */
  next: number;
}

/** Both circuits in one graph over the same leaves, with what must be equal in it. */
export class JointGraph {
  readonly aig = new Aig();
  /** Leaves by name of the port bit. */
  readonly inputs = new Map<string, number>();
  readonly states: SharedState[] = [];
  /** Outputs of blocks and other values that the proof leaves open, by name. */
  readonly free = new Map<string, number>();
  readonly points: ProofPoint[] = [];

  input(name: string): number {
    return this.leaf(this.inputs, name);
  }
  freeLeaf(name: string): number {
    return this.leaf(this.free, name);
  }
  private leaf(map: Map<string, number>, name: string): number {
    let literal = map.get(name);
    if (literal === undefined) {
      literal = this.aig.input();
      map.set(name, literal);
    }
    return literal;
  }
}

/** Next value of a register bit: reset first, then enable. Literals; -1 for no enable or reset. */
export function nextValue(
  aig: Aig,
  bit: {
    readonly d: number;
    readonly q: number;
    readonly enable: number;
    readonly reset: number;
    readonly resetValue: number;
  },
): number {
  let next = bit.enable < 0 ? bit.d : aig.mux(bit.enable, bit.d, bit.q);
  if (bit.reset >= 0) next = aig.mux(bit.reset, bit.resetValue, next);
  return next;
}
