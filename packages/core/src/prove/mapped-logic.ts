import type { Aig } from "../logic/aig.ts";
import { blockOfCells, carryPin, carryStart, cellKind, isLogic, type MappedNetlist } from "../netlist/mapped.ts";

/** Gates of a truth table: multiplexers from the top input down; equal halves need none. */
export function tableLogic(aig: Aig, low: number, high: number, inputs: readonly number[]): number {
  const known = new Map<string, number>();
  const build = (n: number, mask: bigint): number => {
    const rows = 1 << n;
    const full = (1n << BigInt(rows)) - 1n;
    if (mask === 0n) return 0;
    if (mask === full) return 1;
    const id = `${n}:${mask}`;
    const made = known.get(id);
    if (made !== undefined) return made;
    const half = BigInt(rows >> 1);
    const lower = mask & ((1n << half) - 1n);
    const upper = mask >> half;
    const zero = build(n - 1, lower);
    const one = lower === upper ? zero : build(n - 1, upper);
    const literal = aig.mux(inputs[n - 1], one, zero);
    known.set(id, literal);
    return literal;
  };
  const all = (BigInt(high >>> 0) << 32n) | BigInt(low >>> 0);
  return build(inputs.length, all & ((1n << (1n << BigInt(inputs.length))) - 1n));
}

/** The circuit as built as gates, on demand. */
export class MappedLogic {
  private readonly literal: Int32Array;
  private readonly blockOf: Int32Array;

  /** @param leaf Literal of what is given at the output of a pad, flip-flop or block; null for a LUT that feeds itself. */
  constructor(
    private readonly aig: Aig,
    private readonly netlist: MappedNetlist,
    private readonly leaf: {
      pad(cell: number): number;
      flipFlop(cell: number): number;
      block(block: number, pin: number): number;
      /** Cuts a loop, as a latch's. */
      loop(cell: number): number;
    },
  ) {
    this.literal = new Int32Array(netlist.cellCount).fill(-1);
    this.blockOf = blockOfCells(netlist);
  }

  /** Literal of a net. */
  get(net: number): number {
    const { netlist, literal } = this;
    const { kind, inputStart, inputNet, netDriver } = netlist;
    const root = netDriver[net];
    if (literal[root] >= 0) return literal[root];
    const stack = [root];
    const onWay = new Set<number>(); // cells whose inputs are being made
    while (stack.length) {
      const cell = stack[stack.length - 1];
      if (literal[cell] >= 0) {
        stack.pop();
        onWay.delete(cell);
        continue;
      }
      if (kind[cell] === cellKind.inputPad) literal[cell] = this.leaf.pad(cell);
      else if (kind[cell] === cellKind.flipFlop) literal[cell] = this.leaf.flipFlop(cell);
      else if (kind[cell] === cellKind.blockOutput)
        literal[cell] = this.leaf.block(this.blockOf[cell], netlist.modes[cell]);
      if (literal[cell] >= 0) continue;
      if (!isLogic(kind[cell])) throw new Error(`cell ${netlist.cellName[cell]} has no value`);
      onWay.add(cell);
      const before = stack.length;
      for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
        if (inputNet[slot] < 0) continue;
        const from = netDriver[inputNet[slot]];
        if (literal[from] >= 0) continue;
        if (onWay.has(from)) {
          literal[from] = this.leaf.loop(from);
          this.loops.set(from, literal[from]);
          continue;
        }
        stack.push(from);
      }
      if (stack.length > before) continue;
      literal[cell] = this.gate(cell);
    }
    return literal[root];
  }

  /** Cells at which a loop was cut, with the literal that stands for their output. */
  readonly loops = new Map<number, number>();

  /** Function of a logic cell over its inputs. */
  gate(cell: number): number {
    const { netlist, literal, aig } = this;
    const { kind, inputStart, inputNet, netDriver } = netlist;
    const first = inputStart[cell];
    const at = (pin: number) => (inputNet[first + pin] < 0 ? -1 : literal[netDriver[inputNet[first + pin]]]);
    if (kind[cell] === cellKind.lut) {
      const inputs = Array.from({ length: inputStart[cell + 1] - first }, (_, i) => at(i));
      return tableLogic(aig, netlist.maskLow[cell], netlist.maskHigh[cell], inputs);
    }
    const p = at(carryPin.p);
    const below = at(carryPin.carryIn);
    const carryIn = below >= 0 ? below : netlist.modes[cell] & carryStart;
    if (kind[cell] === cellKind.carrySum) return aig.xor(p, carryIn);
    return aig.mux(p, carryIn, Math.max(0, at(carryPin.b)));
  }
}
