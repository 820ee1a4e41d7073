import type { StageContext } from "../common/context.ts";
import { Aig } from "../logic/aig.ts";
import { ConeFunction } from "../logic/truth-table.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { type BitGraph, liveNodes, type MovedRegister, outsideLiterals, type StateBit } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";
import { GraphLevels } from "./graph-levels.ts";
import { type LutCover, mapLuts } from "./lut-map.ts";
import { RetimeGraph } from "./retime-graph.ts";

interface RetimeOptions {
  readonly lutInputs: number;
  readonly elementsPerLevel: number;
  /** Levels that are short enough: no register moves for less. */
  readonly goalLevels: number;
}

/** Each group of registers takes a look at the whole graph: a register file has hundreds of small ones. */
const mostClasses = 24;

/** A LUT with registers to hand on: those at its output go to its inputs, or the other way round. */
interface Waiting {
  readonly node: number;
  readonly leaves: readonly number[];
  readonly moves: number;
}

/**
 * Moves registers through the LUTs beside them so that the longest path gets shorter: first forward, then those that
 * did not move backward. Only registers of one clock, enable and reset move together. A register that goes backward
 * needs start and reset values that give the old ones; a LUT for which there are none keeps its registers.
 */
export function retime(
  graph: BitGraph,
  netlist: RtlNetlist,
  isMovable: (state: StateBit) => boolean,
  options: RetimeOptions,
  context: StageContext,
): BitGraph {
  let moved = graph;
  const ids = { next: 0 };
  const sizes = new Map<string, number>();
  for (const state of graph.states)
    if (isMovable(state)) sizes.set(controlsOf(state), (sizes.get(controlsOf(state)) ?? 0) + 1);
  const classes = [...sizes].sort((a, b) => b[1] - a[1]).slice(0, mostClasses);
  for (const [controls] of classes)
    for (const direction of [-1, 1] as const) {
      context.checkCancelled();
      const may = (state: StateBit) =>
        isMovable(state) && !state.moved && !state.isLatch && !state.code && controlsOf(state) === controls;
      moved = new Mover(moved, netlist, may, controls, direction, options, ids, context).run();
    }
  return moved;
}

const controlsOf = (state: StateBit) =>
  `${state.clock} ${state.clockRising} ${state.enable} ${state.reset} ${state.asyncReset}`;

const covers = new WeakMap<BitGraph, LutCover>();

/** LUTs of a graph; a graph that a pass left as it was is not mapped again. */
function coverOf(graph: BitGraph, options: RetimeOptions, context: StageContext): LutCover {
  let cover = covers.get(graph);
  if (!cover) {
    const targets = new Set<number>();
    for (const literal of outsideLiterals(graph)) if (literal > 1) targets.add(literal >> 1);
    const levels = new GraphLevels(graph, options.elementsPerLevel);
    cover = mapLuts(graph.aig, [...targets], options.lutInputs, { ...context, progress() {} }, levels);
    covers.set(graph, cover);
  }
  return cover;
}

class Mover {
  constructor(
    private graph: BitGraph,
    private readonly netlist: RtlNetlist,
    private readonly isMovable: (state: StateBit) => boolean,
    controls: string,
    private readonly direction: 1 | -1,
    private readonly options: RetimeOptions,
    /** Numbers of new registers, counted over all passes. */
    private readonly ids: { next: number },
    private readonly context: StageContext,
  ) {
    this.controls = graph.states.filter((state) => controlsOf(state) === controls).map(({ qNode }) => qNode);
  }
  /** Nodes of the registers of the class, by which its controls are found again after each round. */
  private readonly controls: number[];

  run(): BitGraph {
    const { graph, options } = this;
    const movable = graph.states.filter(this.isMovable);
    if (movable.length === 0) return graph;
    const cover = coverOf(graph, options, this.context);
    const timing = new RetimeGraph(graph, cover, movable, options.elementsPerLevel);
    const best = timing.best(this.direction, options.goalLevels * options.elementsPerLevel);
    if (!best) return graph;
    let waiting: Waiting[] = [];
    for (const [node, vertex] of timing.lutOf) {
      const moves = Math.abs(best.lags[vertex]);
      if (moves === 0) continue;
      const leaves: number[] = [];
      for (let i = 0; i < cover.k && cover.leaves[node * cover.k + i] >= 0; i++)
        leaves.push(cover.leaves[node * cover.k + i]);
      waiting.push({ node, leaves, moves });
    }
    // registers that this pass makes may move on in the same direction
    this.own = new Set(movable.map(({ qNode }) => qNode));
    while (waiting.length) {
      this.context.checkCancelled();
      const left = this.direction > 0 ? this.backward(waiting) : this.forward(waiting);
      if (!left) break;
      waiting = left;
    }
    return this.graph;
  }

  /** Nodes of the registers that may move in this pass. */
  private own = new Set<number>();

  private moving(): Map<number, StateBit> {
    return new Map(this.graph.states.filter(({ qNode }) => this.own.has(qNode)).map((state) => [state.qNode, state]));
  }

  private idOf(state: StateBit): number {
    return state.moved ? -1 - state.moved.id : this.netlist.cells[state.cell].output[state.bit];
  }

  private isClosed({ node, leaves }: Waiting): boolean {
    const { aig } = this.graph;
    const edge = new Set(leaves);
    const stack = [node];
    const seen = new Set<number>();
    while (stack.length) {
      const at = stack.pop()!;
      if (edge.has(at) || seen.has(at)) continue;
      if (!aig.isAnd(at) || seen.size > 500) return false;
      seen.add(at);
      stack.push(aig.fanin0[at] >> 1, aig.fanin1[at] >> 1);
    }
    return true;
  }

  /** Registers from the outputs of LUTs to their inputs. @returns What still waits; null if nothing moved. */
  private backward(waiting: readonly Waiting[]): Waiting[] | null {
    const { graph } = this;
    const movable = this.moving();
    const feeds = new Map<number, StateBit[]>(); // node -> registers with it as data
    for (const state of movable.values()) {
      const list = feeds.get(state.d >> 1);
      if (list) list.push(state);
      else feeds.set(state.d >> 1, [state]);
    }
    const cone = new ConeFunction(graph.aig);
    const made: NewRegister[] = [];
    const byLeaf = new Map<number, NewRegister[]>();
    const gone = new Map<number, { readonly of: Waiting; readonly invert: number; readonly ins: NewRegister[] }>();
    const records: MovedRegister[] = [];
    const moved = new Set<Waiting>();
    for (const each of waiting) {
      const states = feeds.get(each.node);
      if (!states || !this.isClosed(each) || each.leaves.some((leaf) => leaf === 0)) continue;
      cone.compute(each.node, each.leaves);
      const bit = (row: number) => (row < 32 ? cone.resultLow >>> row : cone.resultHigh >>> (row - 32)) & 1;
      const hasReset = states[0].reset >= 0;
      const wanted = (state: StateBit, value: number) => value ^ (state.d & 1);
      const init = wanted(states[0], states[0].init);
      const reset = hasReset ? wanted(states[0], states[0].resetValue) : init;
      if (states.some((state) => wanted(state, state.init) !== init)) continue;
      if (hasReset && states.some((state) => wanted(state, state.resetValue) !== reset)) continue;
      const initRow = this.rowFor(each.leaves, bit, init, (leaf, value) =>
        (byLeaf.get(leaf) ?? []).some((register) => register.init === value),
      );
      if (initRow < 0) continue;
      const resetRow = !hasReset
        ? initRow
        : this.rowFor(each.leaves, bit, reset, (leaf, value, i) =>
            (byLeaf.get(leaf) ?? []).some(
              (register) => register.init === ((initRow >> i) & 1) && register.resetValue === value,
            ),
          );
      if (resetRow < 0) continue;
      const ins = each.leaves.map((leaf, i) => {
        const [start, value] = [(initRow >> i) & 1, (resetRow >> i) & 1];
        const known = byLeaf.get(leaf) ?? [];
        let register = known.find((other) => other.init === start && other.resetValue === value);
        if (!register) {
          register = {
            id: this.ids.next++,
            like: states[0],
            data: 2 * leaf,
            init: start,
            resetValue: value,
            literal: -1,
          };
          made.push(register);
          byLeaf.set(leaf, [...known, register]);
        }
        return register;
      });
      for (const state of states) {
        const invert = state.d & 1;
        gone.set(state.qNode, { of: each, invert, ins });
        const [low, high] = [cone.resultLow, cone.resultHigh];
        const record = { register: this.idOf(state), invert, ins: ins.map(({ id }) => -1 - id), low, high };
        records.push({ ...record, isBackward: true });
      }
      moved.add(each);
    }
    if (moved.size === 0) return null;
    // the graph anew: what the registers gave is now made from those at the inputs
    const { map, aig } = this.begin();
    const coneOf = new Map<Waiting, number>();
    const live = liveNodes(graph);
    for (let node = 1; node < graph.aig.nodeCount; node++) {
      const old = gone.get(node);
      if (old) {
        let literal = coneOf.get(old.of);
        if (literal === undefined) {
          for (const register of old.ins) if (register.literal < 0) register.literal = aig.input();
          literal = this.copyCone(aig, old.of, new Map(old.of.leaves.map((leaf, i) => [leaf, old.ins[i].literal])));
          coneOf.set(old.of, literal);
        }
        map[node] = literal ^ old.invert;
      } else this.copyNode(node, aig, map, live);
    }
    const next = moveGraph(graph, aig, map);
    const move = (literal: number) => map[literal >> 1] ^ (literal & 1);
    const controls = this.classControls(next, map);
    const states = next.states.filter((_, i) => !gone.has(graph.states[i].qNode));
    for (const register of made)
      if (register.literal >= 0) states.push(this.stateOf(register, { ...controls, d: move(register.data) }));
    this.carryOn(
      map,
      made.filter(({ literal }) => literal >= 0),
      gone,
    );
    this.graph = { ...next, states, moved: [...graph.moved, ...records] };
    return this.remaining(waiting, moved, map, (each) => {
      const literal = coneOf.get(each);
      const ins = [...gone.values()].find(({ of }) => of === each)?.ins;
      return literal === undefined || !ins ? null : { node: literal >> 1, leaves: ins.map((one) => one.literal >> 1) };
    });
  }

  /** Registers from the inputs of LUTs to their outputs. */
  private forward(waiting: readonly Waiting[]): Waiting[] | null {
    const { graph } = this;
    const movable = this.moving();
    const cone = new ConeFunction(graph.aig);
    const made = new Map<number, NewRegister>(); // LUT's node -> register behind it
    const records: MovedRegister[] = [];
    const moved = new Set<Waiting>();
    for (const each of waiting) {
      const states = each.leaves.map((leaf) => movable.get(leaf));
      if (states.some((state) => !state) || states.length === 0 || !this.isClosed(each)) continue;
      const ins = states as StateBit[];
      cone.compute(each.node, each.leaves);
      const bit = (row: number) => (row < 32 ? cone.resultLow >>> row : cone.resultHigh >>> (row - 32)) & 1;
      const row = (value: (state: StateBit) => number) => ins.reduce((sum, state, i) => sum | (value(state) << i), 0);
      const init = bit(row((state) => state.init));
      const resetValue = ins[0].reset >= 0 ? bit(row((state) => state.resetValue)) : init;
      const id = this.ids.next++;
      made.set(each.node, { id, like: ins[0], data: -1, init, resetValue, literal: -1 });
      const [low, high] = [cone.resultLow, cone.resultHigh];
      records.push({
        register: -1 - id,
        invert: 0,
        ins: ins.map((state) => this.idOf(state)),
        low,
        high,
        isBackward: false,
      });
      moved.add(each);
    }
    if (moved.size === 0) return null;
    const { map, aig } = this.begin();
    const live = liveNodes(graph);
    for (let node = 1; node < graph.aig.nodeCount; node++) {
      const register = made.get(node);
      if (register) {
        register.literal = aig.input();
        map[node] = register.literal;
      } else this.copyNode(node, aig, map, live);
    }
    const next = moveGraph(graph, aig, map);
    const controls = this.classControls(next, map);
    const states = [...next.states];
    const dataOf = new Map<number, number>();
    for (const [node, state] of movable) dataOf.set(node, map[state.d >> 1] ^ (state.d & 1));
    const before = new Map<Waiting, number>();
    for (const each of moved) {
      const register = made.get(each.node)!;
      const d = this.copyCone(aig, each, new Map(each.leaves.map((leaf) => [leaf, dataOf.get(leaf)!])));
      before.set(each, d);
      states.push(this.stateOf(register, { ...controls, d }));
    }
    this.carryOn(map, [...made.values()], new Map());
    this.graph = dropUnread({ ...next, states, moved: [...graph.moved, ...records] }, this.own);
    return this.remaining(waiting, moved, map, (each) => {
      const leaves = each.leaves.map((leaf) => dataOf.get(leaf)! >> 1);
      return { node: before.get(each)! >> 1, leaves };
    });
  }

  private rowFor(
    leaves: readonly number[],
    bit: (row: number) => number,
    value: number,
    isThere: (leaf: number, value: number, i: number) => boolean,
  ): number {
    let best = -1;
    let most = -1;
    for (let row = 0; row < 1 << leaves.length; row++) {
      if (bit(row) !== value) continue;
      const shared = leaves.filter((leaf, i) => isThere(leaf, (row >> i) & 1, i)).length;
      if (shared > most) {
        most = shared;
        best = row;
      }
    }
    return best;
  }

  private begin(): { map: Int32Array; aig: Aig } {
    const map = new Int32Array(this.graph.aig.nodeCount).fill(-1);
    map[0] = 0;
    return { map, aig: new Aig() };
  }

  private copyNode(node: number, aig: Aig, map: Int32Array, live: Uint8Array): void {
    const old = this.graph.aig;
    aig.currentOrigin = old.origin[node];
    if (!old.isAnd(node)) map[node] = aig.input();
    else if (live[node]) {
      const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
      map[node] = aig.and(map[f0 >> 1] ^ (f0 & 1), map[f1 >> 1] ^ (f1 & 1));
    }
  }

  /** A LUT's gates over other literals at its leaves. */
  private copyCone(aig: Aig, { node }: Waiting, at: Map<number, number>): number {
    const old = this.graph.aig;
    const known = new Map(at);
    const stack = [node];
    while (stack.length) {
      const here = stack[stack.length - 1];
      if (known.has(here)) {
        stack.pop();
        continue;
      }
      const [f0, f1] = [old.fanin0[here], old.fanin1[here]];
      const [a, b] = [known.get(f0 >> 1), known.get(f1 >> 1)];
      if (a === undefined) stack.push(f0 >> 1);
      if (b === undefined) stack.push(f1 >> 1);
      if (a === undefined || b === undefined) continue;
      aig.currentOrigin = old.origin[here];
      known.set(here, aig.and(a ^ (f0 & 1), b ^ (f1 & 1)));
    }
    return known.get(node)!;
  }

  /** Clock, enable and reset of the class in the new graph. */
  private classControls(next: BitGraph, map: Int32Array): StateBit {
    const nodes = new Set(this.controls.map((node) => map[node] >> 1));
    return next.states.find(({ qNode }) => nodes.has(qNode)) ?? next.states[0];
  }

  private stateOf(register: NewRegister, controls: StateBit): StateBit {
    const { id, init, resetValue, literal, like } = register;
    const vector = ownerOfName(this.netlist.cells[like.cell].name, "ff");
    const name = `${vector}:moved${id}`;
    const { cell, bit } = like;
    return { ...controls, cell, bit, code: undefined, qNode: literal >> 1, init, resetValue, moved: { id, name } };
  }

  /** What may move, and what the controls are found by, in terms of the new graph. */
  private carryOn(map: Int32Array, made: readonly NewRegister[], gone: ReadonlyMap<number, unknown>): void {
    const own = new Set<number>();
    for (const node of this.own) if (!gone.has(node)) own.add(map[node] >> 1);
    for (const { literal } of made) own.add(literal >> 1);
    this.own = own;
    const controls = this.controls.filter((node) => !gone.has(node)).map((node) => map[node] >> 1);
    this.controls.length = 0;
    this.controls.push(...controls, ...made.map(({ literal }) => literal >> 1));
  }

  private remaining(
    waiting: readonly Waiting[],
    moved: ReadonlySet<Waiting>,
    map: Int32Array,
    after: (each: Waiting) => { readonly node: number; readonly leaves: readonly number[] } | null,
  ): Waiting[] {
    return waiting.flatMap((each): Waiting[] => {
      if (moved.has(each)) {
        const there = each.moves > 1 ? after(each) : null;
        return there ? [{ ...there, moves: each.moves - 1 }] : [];
      }
      const literal = map[each.node];
      if (literal < 2) return [];
      return [{ node: literal >> 1, leaves: each.leaves.map((leaf) => map[leaf] >> 1), moves: each.moves }];
    });
  }
}

interface NewRegister {
  readonly id: number;
  /** One of those that it stands for: name, place and class. */
  readonly like: StateBit;
  /** Literal of the old graph; -1 where it is made later. */
  readonly data: number;
  readonly init: number;
  readonly resetValue: number;
  /** Of its output in the new graph; -1 before it is made. */
  literal: number;
}

/** Without registers that nothing reads any more, over any number of cycles. @param own Nodes of those that may go. */
function dropUnread(graph: BitGraph, own: ReadonlySet<number>): BitGraph {
  const { aig } = graph;
  const byNode = new Map(graph.states.map((state) => [state.qNode, state]));
  const seen = new Uint8Array(aig.nodeCount);
  const stack: number[] = [];
  const mark = (literal: number) => {
    if (literal <= 1 || seen[literal >> 1]) return;
    seen[literal >> 1] = 1;
    stack.push(literal >> 1);
  };
  const others = graph.states.filter(({ qNode }) => !own.has(qNode));
  for (const literal of outsideLiterals({ ...graph, states: others })) mark(literal);
  while (stack.length) {
    const node = stack.pop()!;
    if (aig.isAnd(node)) {
      mark(aig.fanin0[node]);
      mark(aig.fanin1[node]);
    }
    const state = own.has(node) ? byNode.get(node) : undefined;
    if (state) for (const literal of [state.d, state.clock, state.enable, state.reset]) mark(literal);
  }
  return { ...graph, states: graph.states.filter(({ qNode }) => seen[qNode] || !own.has(qNode)) };
}
