import type { Loc } from "../../../common/source.ts";
import type { DesignModel, Expr, Signal, Stmt } from "../../model.ts";
import { walkDesign } from "../../walk.ts";

/** An access by a computed index, with what to put in its place if the signal stays one long vector. */
interface Access {
  readonly signal: Signal;
  readonly undo: () => void;
}
interface Words {
  readonly width: number;
  readonly count: number;
  readonly low: number;
  /** The first element of the text has the lowest number. */
  readonly ascending: boolean;
}

/** Arrays of fewer bits are vectors of registers anyhow. */
const leastBits = 128;

/**
 * Arrays of words that a circuit reads and writes by computed indexes only: they keep their elements, so that they can
 * become memories. All others are one vector, and each access a choice among its parts.
 */
export class WordArrays {
  private readonly words = new Map<Signal, Words>();
  private readonly accesses: Access[] = [];

  /** True if accesses to the signal may be written as elements for now. */
  offer(signal: Signal, words: Words): boolean {
    if (signal.direction !== null || words.width * words.count < leastBits) return false;
    if (signal.width !== words.width * words.count) return false;
    this.words.set(signal, words);
    return true;
  }

  read(signal: Signal, index: Expr, width: number, loc: Loc, instead: () => Expr): Expr {
    const made: Expr = { op: "element", signal, index: [index], width, signed: false, loc };
    this.accesses.push({ signal, undo: () => replace(made, instead()) });
    return made;
  }

  write(signal: Signal, stmt: Stmt, instead: () => readonly Stmt[]): Stmt {
    const made: Stmt = { op: "block", body: [stmt] };
    this.accesses.push({ signal, undo: () => replace(made, { op: "block", body: instead() }) });
    return made;
  }

  /** Once the model is complete: signals that are used in no other way become arrays. */
  settle(model: DesignModel): void {
    const mixed = new Set<Signal>();
    walkDesign(model, () => ({
      expr: (expr) => {
        if (expr.op === "signal") mixed.add(expr.signal);
      },
      target: ({ parts }) => {
        for (const part of parts) if (part.index.length === 0) mixed.add(part.signal);
      },
    }));
    for (const join of model.joins) mixed.add(join.inner).add(join.outer);
    for (const { signal, undo } of this.accesses) if (mixed.has(signal)) undo();
    for (const [signal, words] of this.words) if (!mixed.has(signal)) becomeArray(signal, words);
    this.words.clear();
    this.accesses.length = 0;
  }
}

/** A vector holds the first element at its top; an array holds the lowest number at its foot. */
function becomeArray(signal: Signal, { width, count, low, ascending }: Words): void {
  if (signal.init && ascending) {
    const turn = (value: bigint) => {
      const bits = value.toString(2).padStart(width * count, "0");
      let turned = "";
      for (let at = bits.length - width; at >= 0; at -= width) turned += bits.slice(at, at + width);
      return BigInt(`0b${turned}`);
    };
    signal.init = { a: turn(signal.init.a), b: turn(signal.init.b) };
  }
  signal.width = width;
  signal.dims = [{ left: low, right: low + count - 1 }];
  signal.msb = width - 1;
  signal.lsb = 0;
}

function replace(made: object, instead: object): void {
  for (const key of Object.keys(made)) delete (made as Record<string, unknown>)[key];
  Object.assign(made, instead);
}
