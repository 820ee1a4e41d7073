import { isClockedBlock } from "../device/blocks/registry.ts";
import { Aig } from "../logic/aig.ts";
import { Arithmetic, type LazySum } from "../logic/arithmetic.ts";
import { CarryStore, trimChain } from "../logic/carry.ts";
import { combFanin } from "../netlist/comb-graph.ts";
import { bit1, bitX, portReads, type RtlCell, type RtlNetlist } from "../netlist/rtl.ts";
import { Wishes } from "./wishes.ts";

/** One bit of a register or latch, as literals of the graph. */
export interface StateBit {
  /** Word-level cell and bit within it. */
  readonly cell: number;
  readonly bit: number;
  readonly isLatch: boolean;
  /** Node of its output, an input of the graph. */
  readonly qNode: number;
  readonly d: number;
  /** -1 where there is none. */
  readonly clock: number;
  readonly enable: number;
  readonly reset: number;
  readonly clockRising: boolean;
  readonly asyncReset: boolean;
  /** Chosen 0 or 1 where the source leaves it open. */
  readonly resetValue: number;
  readonly init: number;
  /** Set where it is a bit of a new code of a state machine: number of the machine, bit of the code, and a name. */
  readonly code?: { readonly machine: number; readonly bit: number; readonly name: string };
  /** Set where retiming made it: its number, and a name. Cell and bit are those of a register that it stands for. */
  readonly moved?: { readonly id: number; readonly name: string };
}

/** What the part offers to word operators. */
interface BlastOptions {
  readonly lutInputs: number;
  /** Elements that one column of tiles can link by carry. */
  readonly maxCarry: number;
}

/** A hard block: literals of its input pins, and a node for each output pin that is read. */
export interface BlockBits {
  /** Word-level cell. */
  readonly cell: number;
  /** [input pins and clocks] -1: open. */
  readonly inputs: readonly number[];
  /** Output pin -> node, an input of the graph. */
  readonly outputs: ReadonlyMap<number, number>;
  /** A change at an input passes on without a clock. */
  readonly isThrough: boolean;
}

/** What a port takes: the value of a bit, or its enable where it lets go. */
interface OutputBit {
  readonly port: number;
  readonly bit: number;
  readonly isEnable: boolean;
  readonly literal: number;
}

export interface BitGraph {
  readonly aig: Aig;
  /** Carry chains; their sums are inputs of the graph. Only what is needed is left in them. */
  readonly carry: CarryStore;
  /** Register outputs that never change: net -> value. */
  readonly constants: ReadonlyMap<number, number>;
  /** Register outputs that another one stands for: net -> net. */
  readonly merged: ReadonlyMap<number, number>;
  /** [nets] Literal of each net, -1 where nothing live needs it. */
  readonly literal: Int32Array;
  readonly states: StateBit[];
  readonly blocks: BlockBits[];
  /** Nets of the input ports that are live, with their node. */
  readonly inputs: { readonly net: number; readonly node: number }[];
  readonly outputs: OutputBit[];
  /** Nets of logic that must stay: readers take them from an input of the graph, which follows `literal`. */
  readonly kept: KeptNet[];
  /** State machines that got new codes. */
  readonly recoded: RecodedMachine[];
  /** What retiming has done, in order. */
  readonly moved: MovedRegister[];
}

/**
 * A register as a function of others, before and after retiming: register = function(ins), inverted or not. Registers
 * go by the net of their output as written, new ones by -1 minus their number.
 */
export interface MovedRegister {
  readonly register: number;
  readonly invert: number;
  readonly ins: readonly number[];
  /** Truth table over `ins`, rows 0 to 31 and 32 to 63. */
  readonly low: number;
  readonly high: number;
  /** The register was taken away and `ins` put in; else it was put in behind `ins`. */
  readonly isBackward: boolean;
}

/** A state machine whose register holds other codes than those of the source. */
export interface RecodedMachine {
  /** Word-level cell of the register as written. */
  readonly cell: number;
  /** [states] As written. */
  readonly states: readonly number[];
  /** [states] As built; bit 0 is the last character. */
  readonly codes: readonly string[];
  readonly initState: number;
  /** Nets that carry bits of the written code: net, bit. */
  readonly nets: readonly (readonly [number, number])[];
}

export interface KeptNet {
  readonly net: number;
  readonly node: number;
  readonly literal: number;
}

/** [nodes] 1 for gates that something outside of the graph depends on. */
export function liveNodes(graph: BitGraph): Uint8Array {
  const { aig } = graph;
  const live = new Uint8Array(aig.nodeCount);
  for (const literal of outsideLiterals(graph)) if (literal > 1) live[literal >> 1] = 1;
  for (let node = aig.nodeCount - 1; node > 0; node--) {
    if (!live[node] || !aig.isAnd(node)) continue;
    live[aig.fanin0[node] >> 1] = 1;
    live[aig.fanin1[node] >> 1] = 1;
  }
  return live;
}

/** Every literal that something outside of the graph takes from it; constants and open pins (-1) among them. */
export function* outsideLiterals(graph: BitGraph): Generator<number> {
  for (const { literal } of graph.outputs) yield literal;
  for (const { literal } of graph.kept) yield literal;
  for (const { d, clock, enable, reset } of graph.states) {
    yield d;
    yield clock;
    yield enable;
    yield reset;
  }
  for (const { inputs } of graph.blocks) yield* inputs;
  for (const { elements } of graph.carry.chains)
    for (let i = 0; i < elements.length; i++) {
      yield elements[i].p;
      // the top element passes nothing on
      if (i + 1 < elements.length) yield elements[i].b;
    }
}

/**
 * Word-level cells to an and-inverter graph, from the outputs backwards, so that dead logic never appears. Register
 * bits that can only ever hold their start value are replaced by it, those that take the same data under the same
 * controls from the same start are one; the graph is built again until neither is found.
 */
export function blast(netlist: RtlNetlist, options: BlastOptions): BitGraph {
  const constants = new Map<number, number>();
  const merged = new Map<number, number>();
  const wishes = new Wishes(netlist);
  for (;;) {
    const graph = blastOnce(netlist, wishes, constants, merged, options);
    const before = constants.size + merged.size;
    const netOf = (state: StateBit) => netlist.cells[state.cell].output[state.bit];
    const first = new Map<string, StateBit>();
    for (const state of graph.states) {
      const isKept = wishes.kept.has(netOf(state));
      const value = isKept ? -1 : constantValue(state);
      if (value >= 0) constants.set(netOf(state), value);
      if (value >= 0 || state.isLatch || isKept || wishes.of(netlist.cells[state.cell]).separate) continue;
      const { d, clock, enable, reset, clockRising, asyncReset, resetValue, init } = state;
      const key = `${d} ${clock} ${enable} ${reset} ${clockRising} ${asyncReset} ${resetValue} ${init}`;
      const same = first.get(key);
      if (same) merged.set(netOf(state), netOf(same));
      else first.set(key, state);
    }
    if (constants.size + merged.size === before) {
      trimChains(graph);
      return graph;
    }
  }
}

/** Drops carry elements that nothing live needs. */
function trimChains(graph: BitGraph): void {
  const { aig, carry } = graph;
  const used = new Uint8Array(aig.nodeCount);
  const stack: number[] = [];
  const mark = (literal: number) => {
    if (literal <= 1 || used[literal >> 1]) return;
    used[literal >> 1] = 1;
    stack.push(literal >> 1);
  };
  for (const output of graph.outputs) mark(output.literal);
  for (const kept of graph.kept) mark(kept.literal);
  for (const state of graph.states)
    for (const literal of [state.d, state.clock, state.enable, state.reset]) mark(literal);
  for (const block of graph.blocks) for (const literal of block.inputs) mark(literal);
  while (stack.length) {
    const node = stack.pop()!;
    if (aig.isAnd(node)) {
      mark(aig.fanin0[node]);
      mark(aig.fanin1[node]);
      continue;
    }
    const place = carry.places.get(node);
    if (!place) continue;
    for (let i = 0; i <= place.at; i++) {
      mark(place.chain.elements[i].p);
      // the top element passes nothing on; a lower one does
      if (i < place.at) mark(place.chain.elements[i].b);
    }
  }
  for (const chain of carry.chains) trimChain(chain, (node) => used[node] === 1);
  const live = carry.chains.filter((chain) => chain.elements.length > 0);
  carry.chains.length = 0;
  carry.chains.push(...live);
  for (const [node, place] of carry.places)
    if (!used[node] || place.chain.elements.length === 0) carry.places.delete(node);
}

/** 0 or 1 if the state bit never changes, else -1. */
function constantValue(state: StateBit): number {
  if (state.isLatch) return -1;
  const q = 2 * state.qNode;
  const loads = state.enable !== 0 && state.d !== q;
  if (loads && state.d !== state.init) return -1; // literals 0 and 1 are the constants themselves
  if (state.reset > 0 && state.resetValue !== state.init) return -1;
  return state.init;
}

function blastOnce(
  netlist: RtlNetlist,
  wishes: Wishes,
  constants: ReadonlyMap<number, number>,
  merged: ReadonlyMap<number, number>,
  options: BlastOptions,
): BitGraph {
  const { cells, netCount, ports } = netlist;
  const aig = new Aig();
  const carry = new CarryStore(aig, options.maxCarry);
  const builder = new CellBuilder(aig, carry, options.lutInputs, wishes, constants);
  const kept: KeptNet[] = [];
  const keep = (net: number) => {
    if (!wishes.kept.has(net) || literal[net] < 2) return;
    const of = literal[net];
    literal[net] = aig.input();
    kept.push({ net, node: literal[net] >> 1, literal: of });
  };
  const literal = new Int32Array(netCount).fill(-1);
  literal[0] = 0;
  literal[1] = 1;
  literal[2] = 0; // x: either will do
  const driver = new Int32Array(netCount).fill(-1);
  const bitAt = new Int32Array(netCount);
  cells.forEach((cell, c) => {
    cell.output.forEach((net, i) => {
      driver[net] = c;
      bitAt[net] = i;
    });
  });
  const inputs: { net: number; node: number }[] = [];
  const isPort = new Uint8Array(netCount);
  for (const port of ports) if (port.direction === "input") for (const net of port.bits) isPort[net] = 1;
  const pending: number[] = []; // state nets whose inputs are still to be built
  const pendingBlocks: number[] = [];
  const blockOutputs = new Map<number, Map<number, number>>();

  const stack: number[] = [];
  const demand = (root: number): number => {
    if (literal[root] >= 0) return literal[root];
    stack.push(root);
    while (stack.length) {
      const net = stack[stack.length - 1];
      if (literal[net] >= 0) {
        stack.pop();
        continue;
      }
      if (isPort[net]) {
        aig.currentOrigin = -1;
        literal[net] = aig.input();
        inputs.push({ net, node: literal[net] >> 1 });
        continue;
      }
      const c = driver[net];
      const same = merged.get(net);
      if (same !== undefined) {
        if (literal[same] < 0) stack.push(same);
        else literal[net] = literal[same];
        continue;
      }
      const constant = constants.get(net);
      if (constant !== undefined || c < 0) {
        literal[net] = constant ?? 0;
        continue;
      }
      const cell = cells[c];
      if (cell.kind === "ff" || cell.kind === "latch") {
        aig.currentOrigin = c;
        literal[net] = aig.input();
        pending.push(net);
        continue;
      }
      if (cell.kind === "block") {
        let known = blockOutputs.get(c);
        if (!known) {
          known = new Map();
          blockOutputs.set(c, known);
          pendingBlocks.push(c);
        }
        const before = stack.length;
        // what a block passes through without a register comes first in the order of nodes
        combFanin(cell, bitAt[net], (bit) => {
          if (literal[bit] < 0) stack.push(bit);
        });
        if (stack.length > before) continue;
        aig.currentOrigin = c;
        const pin = cell.block!.outputPins[bitAt[net]];
        const node = known.get(pin);
        literal[net] = node === undefined ? aig.input() : 2 * node;
        known.set(pin, literal[net] >> 1);
        continue;
      }
      const before = stack.length;
      combFanin(cell, bitAt[net], (bit) => {
        if (literal[bit] < 0) stack.push(bit);
      });
      if (stack.length > before) continue;
      aig.currentOrigin = c;
      const others = wishes.kept.size ? cell.output.filter((each) => literal[each] < 0) : [];
      builder.build(cell, c, bitAt[net], literal);
      for (const each of others) if (literal[each] >= 0) keep(each);
    }
    return literal[root];
  };

  const outputs: OutputBit[] = [];
  ports.forEach((port, p) => {
    portReads(port).forEach((bits, list) => {
      bits.forEach((net, bit) => {
        outputs.push({ port: p, bit, isEnable: list === 1, literal: demand(net) });
      });
    });
  });
  for (const net of wishes.kept) demand(net);
  const states: StateBit[] = [];
  const blocks: BlockBits[] = [];
  for (let head = 0; head < pending.length || blocks.length < pendingBlocks.length; ) {
    if (head === pending.length) {
      const c = pendingBlocks[blocks.length];
      const inputs = cells[c].inputs.map((bits) => (bits.length ? demand(bits[0]) : -1));
      blocks.push({
        cell: c,
        inputs,
        outputs: blockOutputs.get(c)!,
        isThrough: !isClockedBlock(cells[c].block!.modes),
      });
      continue;
    }
    const net = pending[head++];
    const c = driver[net];
    const bit = bitAt[net];
    const cell = cells[c];
    const { modes } = cell;
    const d = demand(cell.inputs[0][bit]);
    const qNode = literal[net] >> 1;
    if (!modes) {
      states.push({
        cell: c,
        bit,
        isLatch: true,
        qNode,
        d,
        clock: -1,
        enable: demand(cell.inputs[1][0]),
        reset: -1,
        clockRising: true,
        asyncReset: false,
        resetValue: 0,
        init: 0,
      });
      continue;
    }
    const pick = (text: string) => text[text.length - 1 - bit];
    const init = pick(modes.init);
    const resetValue = pick(modes.resetValue);
    const control = (bits: readonly number[]) => (bits.length ? demand(bits[0]) : -1);
    const reset = control(cell.inputs[3]);
    const enable = control(cell.inputs[2]);
    states.push({
      cell: c,
      bit,
      isLatch: false,
      qNode,
      d,
      clock: demand(cell.inputs[1][0]),
      enable: enable === bit1 ? -1 : enable,
      reset: reset === 0 ? -1 : reset,
      clockRising: modes.clockRising,
      asyncReset: modes.asyncReset,
      // an open reset value follows the start value, and the other way round
      resetValue: resetValue === "x" ? Number(init === "1") : Number(resetValue),
      init: init === "x" ? Number(resetValue === "1") : Number(init),
    });
  }
  return { aig, carry, constants, merged, literal, states, blocks, inputs, outputs, kept, recoded: [], moved: [] };
}

class CellBuilder {
  private readonly arithmetic: Arithmetic;
  /** Sums of add and sub cells, made bit by bit. */
  private readonly sums = new Map<number, LazySum>();
  /** Operators by kind and operands: the same one twice is made once. */
  private readonly known = new Map<string, LazySum | readonly number[]>();

  constructor(
    private readonly aig: Aig,
    carry: CarryStore,
    private readonly lutInputs: number,
    private readonly wishes: Wishes,
    private readonly constants: ReadonlyMap<number, number>,
  ) {
    this.arithmetic = new Arithmetic(carry, lutInputs);
  }

  private isOpen(net: number): boolean {
    return net > bitX && !this.constants.has(net);
  }

  private sumOf(cell: RtlCell, c: number, literal: Int32Array): LazySum {
    const id = operatorId(cell);
    const known = this.sums.get(c) ?? (this.known.get(id) as LazySum | undefined);
    if (known) return known;
    const [a, b] = cell.inputs;
    const open = new Set([...a, ...b].filter((net) => this.isOpen(net))).size;
    const wish = this.wishes.of(cell).sum_as;
    const asLogic = wish ? wish === "logic" : open <= this.lutInputs;
    const flip = cell.kind === "sub" ? 1 : 0;
    let made: LazySum;
    if (flip && !a.some((net) => this.isOpen(net))) {
      // C - b = ~(b + ~C): the carried bit is then a plain net
      const inner = this.arithmetic.lazySum(
        (i) => literal[b[i]],
        (i) => literal[a[i]] ^ 1,
        0,
        asLogic,
      );
      made = { sum: (bit) => inner.sum(bit) ^ 1 };
    } else {
      made = this.arithmetic.lazySum(
        (i) => literal[a[i]],
        (i) => literal[b[i]] ^ flip,
        flip,
        asLogic,
      );
    }
    this.sums.set(c, made);
    this.known.set(id, made);
    return made;
  }

  /** In groups that each fill a LUT. */
  private parity(word: readonly number[]): number {
    const { aig, lutInputs } = this;
    let rest = [...word];
    do {
      const groups: number[] = [];
      for (let i = 0; i < rest.length; i += lutInputs)
        groups.push(aig.tree(rest.slice(i, i + lutInputs), (a, b) => aig.xor(a, b), 0));
      rest = groups;
    } while (rest.length > 1);
    return rest[0];
  }

  /** Literals of a cell's output, all of them or only bit `at`, whichever the kind allows. */
  build(cell: RtlCell, c: number, at: number, literal: Int32Array): void {
    const { aig, arithmetic } = this;
    const word = (i: number) => cell.inputs[i].map((bit) => literal[bit]);
    const bit = (i: number) => literal[cell.inputs[i][at]];
    const out = cell.output;
    const set = (values: readonly number[]) => {
      for (let i = 0; i < out.length; i++) literal[out[i]] = values[i];
    };
    const once = (make: () => readonly number[]): readonly number[] => {
      const id = operatorId(cell);
      let values = this.known.get(id) as readonly number[] | undefined;
      if (!values) {
        values = make();
        this.known.set(id, values);
      }
      return values;
    };
    switch (cell.kind) {
      case "not":
        literal[out[at]] = bit(0) ^ 1;
        return;
      case "and":
        literal[out[at]] = aig.and(bit(0), bit(1));
        return;
      case "or":
        literal[out[at]] = aig.or(bit(0), bit(1));
        return;
      case "xor":
        literal[out[at]] = aig.xor(bit(0), bit(1));
        return;
      case "mux":
        literal[out[at]] = aig.mux(literal[cell.inputs[0][0]], bit(1), bit(2));
        return;
      case "redand":
        return set([aig.andAll(word(0))]);
      case "redor":
        return set([aig.orAll(word(0))]);
      case "redxor":
        return set([this.parity(word(0))]);
      case "add":
      case "sub":
        literal[out[at]] = this.sumOf(cell, c, literal).sum(at);
        return;
      case "mul":
        return set(once(() => arithmetic.mul(word(0), word(1))));
      case "div":
      case "mod": {
        // a quotient and its remainder come from one array of subtractions
        const pair = once(() => {
          const { quotient, remainder } = arithmetic.divide(word(0), word(1), cell.signed);
          return [...quotient, ...remainder];
        });
        const half = pair.length / 2;
        return set(cell.kind === "div" ? pair.slice(0, half) : pair.slice(half));
      }
      case "eq": {
        const right = word(1);
        return set([aig.andAll(word(0).map((left, i) => aig.xor(left, right[i]) ^ 1))]);
      }
      case "lt":
        return set(once(() => [arithmetic.lessThan(word(0), word(1), cell.signed, this.wishes.of(cell).sum_as)]));
      case "shl":
      case "shr":
      case "sshr":
        return set(arithmetic.shift(cell.kind, word(0), word(1)));
      case "ff":
      case "latch":
      case "mem":
      case "block":
        throw new Error("state cells and blocks are inputs of the graph");
    }
  }
}

/** Equal for operators that give the same from the same nets; operands of sums and products in either order. */
function operatorId(cell: RtlCell): string {
  const words = cell.inputs.map((input) => input.join(","));
  if (cell.kind === "add" || cell.kind === "mul") words.sort();
  const kind = cell.kind === "mod" ? "div" : cell.kind;
  return `${kind} ${cell.signed} ${words.join(" ")}`;
}
