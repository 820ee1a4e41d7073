import type { Aig } from "../logic/aig.ts";
import { Arithmetic } from "../logic/arithmetic.ts";
import { CarryStore } from "../logic/carry.ts";
import { combFanin } from "../netlist/comb-graph.ts";
import type { RtlCell, RtlNetlist } from "../netlist/rtl.ts";

/** A register or latch bit as written. Literals; -1 where there is none. */
export interface WrittenState {
  readonly cell: number;
  readonly bit: number;
  readonly isLatch: boolean;
  readonly d: number;
  readonly clock: number;
  readonly enable: number;
  readonly reset: number;
}

/**
 * Word-level cells as gates by their plainest definitions (ripple sums, comparison from the top bit), on demand. They
 * share nothing with the ones that synthesis uses, except for products and quotients: those are too hard to compare in
 * different forms, so they take synthesis's own form and are checked against whole numbers apart (`check-words.ts`).
 */
export class WordLogic {
  readonly literal: Int32Array;
  readonly states: WrittenState[] = [];
  /** Blocks with something that reads them. */
  readonly blocks = new Set<number>();
  private readonly driver: Int32Array;
  private readonly bitAt: Int32Array;
  private readonly waiting: { cell: number; bit: number }[] = [];
  private readonly hard: HardWords;

  /**
   * @param leaf Literal of what is given: a port's bit, a state's output, a block's output.
   */
  constructor(
    private readonly aig: Aig,
    private readonly netlist: RtlNetlist,
    lutInputs: number,
    private readonly leaf: {
      port(net: number): number | null;
      state(cell: number, bit: number): number;
      block(cell: number, pin: number): number;
    },
  ) {
    const { netCount, cells } = netlist;
    this.literal = new Int32Array(netCount).fill(-1);
    this.literal[0] = 0;
    this.literal[1] = 1;
    this.literal[2] = 0; // x: synthesis may take either, and takes 0
    this.driver = new Int32Array(netCount).fill(-1);
    this.bitAt = new Int32Array(netCount);
    cells.forEach((cell, c) => {
      cell.output.forEach((net, i) => {
        this.driver[net] = c;
        this.bitAt[net] = i;
      });
    });
    this.hard = new HardWords(aig, lutInputs);
  }

  /** Literal of a net; makes what it depends on. */
  get(root: number): number {
    const { literal, driver, bitAt, netlist } = this;
    if (literal[root] >= 0) return literal[root];
    const stack = [root];
    while (stack.length) {
      const net = stack[stack.length - 1];
      if (literal[net] >= 0) {
        stack.pop();
        continue;
      }
      const port = this.leaf.port(net);
      const c = driver[net];
      if (port !== null || c < 0) {
        literal[net] = port ?? 0;
        continue;
      }
      const cell = netlist.cells[c];
      const at = bitAt[net];
      if (cell.kind === "ff" || cell.kind === "latch") {
        literal[net] = this.leaf.state(c, at);
        this.waiting.push({ cell: c, bit: at });
        continue;
      }
      const before = stack.length;
      combFanin(cell, at, (bit) => {
        if (literal[bit] < 0) stack.push(bit);
      });
      if (stack.length > before) continue;
      if (cell.kind === "block") {
        literal[net] = this.leaf.block(c, cell.block!.outputPins[at]);
        this.blocks.add(c);
      } else this.build(cell, at);
    }
    return literal[root];
  }

  /** Inputs of all states that have come up, until none is left. */
  finish(): void {
    const seen = new Set<string>();
    for (let head = 0; head < this.waiting.length || this.pendingBlocks(); ) {
      if (head === this.waiting.length) continue;
      const { cell: c, bit } = this.waiting[head++];
      const id = `${c}:${bit}`;
      if (seen.has(id)) continue;
      seen.add(id);
      const { inputs, kind } = this.netlist.cells[c];
      const isLatch = kind === "latch";
      const control = (i: number) => (inputs[i]?.length ? this.get(inputs[i][0]) : -1);
      this.states.push({
        cell: c,
        bit,
        isLatch,
        d: this.get(inputs[0][bit]),
        clock: isLatch ? -1 : control(1),
        enable: isLatch ? control(1) : control(2),
        reset: isLatch ? -1 : control(3),
      });
    }
  }

  private readonly doneBlocks = new Set<number>();
  private pendingBlocks(): boolean {
    for (const c of this.blocks) {
      if (this.doneBlocks.has(c)) continue;
      this.doneBlocks.add(c);
      for (const input of this.netlist.cells[c].inputs) for (const net of input) this.get(net);
      return true;
    }
    return false;
  }

  private build(cell: RtlCell, at: number): void {
    const { aig, literal } = this;
    const { output } = cell;
    const word = (i: number) => cell.inputs[i].map((net) => literal[net]);
    const bit = (i: number) => literal[cell.inputs[i][at]];
    const set = (values: readonly number[]) => {
      output.forEach((net, i) => {
        literal[net] = values[i];
      });
    };
    switch (cell.kind) {
      case "not":
        literal[output[at]] = bit(0) ^ 1;
        return;
      case "and":
        literal[output[at]] = aig.and(bit(0), bit(1));
        return;
      case "or":
        literal[output[at]] = aig.or(bit(0), bit(1));
        return;
      case "xor":
        literal[output[at]] = aig.xor(bit(0), bit(1));
        return;
      case "mux":
        literal[output[at]] = aig.mux(literal[cell.inputs[0][0]], bit(1), bit(2));
        return;
      case "redand":
        return set([word(0).reduce((a, b) => aig.and(a, b), 1)]);
      case "redor":
        return set([word(0).reduce((a, b) => aig.or(a, b), 0)]);
      case "redxor":
        return set([word(0).reduce((a, b) => aig.xor(a, b), 0)]);
      case "add":
      case "sub": {
        const flip = cell.kind === "sub" ? 1 : 0;
        let carry = flip;
        for (let i = 0; i <= at; i++) {
          const a = literal[cell.inputs[0][i]];
          const b = literal[cell.inputs[1][i]] ^ flip;
          const half = aig.xor(a, b);
          literal[output[i]] = aig.xor(half, carry);
          carry = aig.or(aig.and(a, b), aig.and(half, carry));
        }
        return;
      }
      case "eq": {
        const right = word(1);
        return set([word(0).reduce((all, left, i) => aig.and(all, aig.xor(left, right[i]) ^ 1), 1)]);
      }
      case "lt": {
        const a = word(0);
        const b = word(1);
        let less = 0;
        for (let i = 0; i < a.length; i++) {
          const isSign = cell.signed && i === a.length - 1;
          const here = isSign ? aig.and(a[i], b[i] ^ 1) : aig.and(a[i] ^ 1, b[i]);
          less = aig.or(here, aig.and(aig.xor(a[i], b[i]) ^ 1, less));
        }
        return set([less]);
      }
      case "shl":
      case "shr":
      case "sshr":
        return set(this.shift(cell.kind, word(0), word(1)));
      case "mul":
      case "div":
      case "mod":
        return set(this.hard.make(cell.kind, word(0), word(1), cell.signed));
      default:
        throw new Error(`no gates for a ${cell.kind}`);
    }
  }

  private shift(kind: "shl" | "shr" | "sshr", a: readonly number[], by: readonly number[]): number[] {
    const { aig } = this;
    const n = a.length;
    const fill = kind === "sshr" ? a[n - 1] : 0;
    let word = [...a];
    by.forEach((bit, k) => {
      const distance = Math.min(2 ** k, n);
      word = word.map((here, i) => {
        const from = kind === "shl" ? i - distance : i + distance;
        return aig.mux(bit, from < 0 || from >= n ? fill : word[from], here);
      });
    });
    return word;
  }
}

/** Products and quotients in the form that synthesis gives them, their carry chains written out as gates. */
export class HardWords {
  constructor(
    private readonly aig: Aig,
    private readonly lutInputs: number,
  ) {}

  make(kind: "mul" | "div" | "mod", a: readonly number[], b: readonly number[], signed: boolean): number[] {
    const store = new ExpandedChains(this.aig);
    const arithmetic = new Arithmetic(store, this.lutInputs);
    if (kind === "mul") return arithmetic.mul(a, b);
    const { quotient, remainder } = arithmetic.divide(a, b, signed);
    return kind === "div" ? quotient : remainder;
  }
}

/** Chains whose sums are gates at once instead of inputs of the graph. */
class ExpandedChains extends CarryStore {
  constructor(aig: Aig) {
    super(aig, Number.MAX_SAFE_INTEGER);
  }
  private readonly carries = new Map<object, number[]>();

  override sum(
    chain: { readonly start: 0 | 1; readonly elements: { readonly p: number; readonly b: number }[] },
    at: number,
  ): number {
    let carries = this.carries.get(chain);
    if (!carries) {
      carries = [chain.start];
      this.carries.set(chain, carries);
    }
    for (let i = carries.length - 1; i < at; i++) {
      const { p, b } = chain.elements[i];
      carries.push(this.aig.mux(p, carries[i], b));
    }
    return this.aig.xor(chain.elements[at].p, carries[at]);
  }
}
