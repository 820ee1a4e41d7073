import { hashBytes } from "../common/codec.ts";
import type { StageContext } from "../common/context.ts";
import { Aig } from "../logic/aig.ts";
import { type CarryChain, CarryStore } from "../logic/carry.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { balance } from "./balance.ts";
import { type BitGraph, liveNodes, outsideLiterals } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";
import { GraphLevels } from "./graph-levels.ts";
import { type LutCover, type Mapping, startMapping } from "./lut-map.ts";
import { rewrite } from "./rewrite.ts";

interface RegionOptions {
  readonly lutInputs: number;
  readonly elementsPerLevel: number;
  readonly rewriteRounds: number;
}

/**
 * What became of each region of a design, by what the region was: taken over where nothing of it has changed. Results
 * do not depend on what is remembered.
 */
export class SynthMemory {
  /** What this run used, for the next one. */
  readonly kept = new Map<string, Int32Array>();
  /** Gates of regions that were taken over, and of all. */
  reusedGates = 0;
  gates = 0;

  constructor(private readonly old: ReadonlyMap<string, Int32Array> = new Map()) {}

  get(key: string): Int32Array | null {
    return this.old.get(key) ?? null;
  }
}

/** Goes up when the same region becomes something else, or is kept in another form. */
const version = 1;
/** Parts with fewer gates are worked on together with others of their scope, and small scopes with the one around them. */
const leastGates = 40;

/**
 * Rewrites and maps the graph in regions that no path without a register connects, small ones of a module instance
 * together. Each region's result depends on it alone and on the levels of the whole.
 */
export function mapRegions(
  graph: BitGraph,
  netlist: RtlNetlist,
  options: RegionOptions,
  context: StageContext,
  memory: SynthMemory,
): { readonly graph: BitGraph; readonly cover: LutCover } {
  const regions = splitRegions(graph, netlist).map((parts) => new Region(graph, parts, options, memory));
  // instances of one module mostly are alike: the first one's result does for all
  const first = new Map<string, Region>();
  for (const region of regions) {
    const twin = first.get(region.key);
    if (twin) region.twin = twin;
    else first.set(region.key, region);
  }
  let levels = 0;
  regions.forEach((region, r) => {
    context.checkCancelled();
    region.optimise(context);
    levels = Math.max(levels, region.levels);
    context.progress({ fraction: 0.1 + (0.5 * r) / regions.length });
  });
  regions.forEach((region, r) => {
    context.checkCancelled();
    region.map(levels, context);
    context.progress({ fraction: 0.6 + (0.3 * r) / regions.length });
  });
  return assemble(graph, regions, options.lutInputs, levels);
}

/** What a region is made of. */
interface Parts {
  /** Gates, and inputs of the graph that follow gates of the region without a clock, in rising order. */
  readonly nodes: number[];
  readonly chains: CarryChain[];
  readonly kept: BitGraph["kept"];
  readonly blocks: BitGraph["blocks"];
  /** Literals that registers, ports and other blocks take. */
  readonly targets: Set<number>;
}

function splitRegions(graph: BitGraph, netlist: RtlNetlist): Parts[] {
  const { aig, carry } = graph;
  const n = aig.nodeCount;
  const live = liveNodes(graph);
  const isInner = new Uint8Array(n);
  for (let node = 1; node < n; node++) if (aig.isAnd(node) && live[node]) isInner[node] = 1;
  for (const node of carry.places.keys()) isInner[node] = 1;
  for (const { node } of graph.kept) isInner[node] = 1;
  for (const block of graph.blocks) if (block.isThrough) for (const node of block.outputs.values()) isInner[node] = 1;
  const parent = Int32Array.from({ length: n }, (_, node) => node);
  const find = (node: number): number => {
    let root = node;
    while (parent[root] !== root) root = parent[root];
    for (let at = node; parent[at] !== root; ) [at, parent[at]] = [parent[at], root];
    return root;
  };
  const join = (a: number, literal: number) => {
    const b = literal >> 1;
    if (literal <= 1 || !isInner[b]) return;
    const [x, y] = [find(a), find(b)];
    // the lowest node stands for all
    if (x < y) parent[y] = x;
    else parent[x] = y;
  };
  for (let node = 1; node < n; node++) {
    if (!isInner[node] || !aig.isAnd(node)) continue;
    join(node, aig.fanin0[node]);
    join(node, aig.fanin1[node]);
  }
  for (const { elements } of carry.chains) {
    const literals = elements.flatMap(({ p, b, sumNode }, i) => [
      p,
      ...(i + 1 < elements.length ? [b] : []),
      ...(sumNode >= 0 ? [2 * sumNode] : []),
    ]);
    const first = literals.find((literal) => literal > 1 && isInner[literal >> 1]);
    if (first !== undefined) for (const literal of literals) join(first >> 1, literal);
  }
  for (const { node, literal } of graph.kept) join(node, literal);
  for (const block of graph.blocks) {
    if (!block.isThrough) continue;
    const nodes = [...block.outputs.values()];
    for (const literal of [...nodes.map((node) => 2 * node), ...block.inputs])
      if (nodes.length) join(nodes[0], literal);
  }
  const counts = new Int32Array(n); // by lowest node
  for (let node = 1; node < n; node++) if (isInner[node]) counts[find(node)]++;
  const scopeOf = new Map<number, string>(); // lowest node of a small part -> scope
  const sizes = new Map<string, number>();
  for (let root = 1; root < n; root++) {
    if (counts[root] === 0 || counts[root] >= leastGates) continue;
    const origin = aig.origin[root];
    const scope = origin < 0 ? "" : outerOf(netlist.cells[origin].name.replace(/:.*$/, ""));
    scopeOf.set(root, scope);
    sizes.set(scope, (sizes.get(scope) ?? 0) + counts[root]);
  }
  const into = mergeSmall(sizes);
  const groups = new Map<number | string, Parts>();
  const regionOf: (Parts | undefined)[] = new Array(n);
  for (let node = 1; node < n; node++) {
    if (!isInner[node]) continue;
    const root = find(node);
    const scope = scopeOf.get(root);
    const group = scope === undefined ? root : into.get(scope)!;
    let parts = groups.get(group);
    if (!parts) {
      parts = { nodes: [], chains: [], kept: [], blocks: [], targets: new Set() };
      groups.set(group, parts);
    }
    parts.nodes.push(node);
    regionOf[node] = parts;
  }
  for (const chain of carry.chains)
    regionOf[chain.elements.find(({ sumNode }) => sumNode >= 0 && isInner[sumNode])!.sumNode]!.chains.push(chain);
  for (const kept of graph.kept) regionOf[kept.node]!.kept.push(kept);
  const aim = (literal: number) => {
    if (literal > 1) regionOf[literal >> 1]?.targets.add(literal);
  };
  for (const block of graph.blocks) {
    const [first] = block.isThrough ? block.outputs.values() : [];
    if (first !== undefined) regionOf[first]!.blocks.push(block);
    else block.inputs.forEach(aim);
  }
  for (const { literal } of graph.outputs) aim(literal);
  for (const { d, clock, enable, reset } of graph.states) for (const literal of [d, clock, enable, reset]) aim(literal);
  return [...groups.values()];
}

const outerOf = (name: string) => name.slice(0, Math.max(0, name.lastIndexOf(".")));

/** Scope -> the scope that it is worked on with. */
function mergeSmall(sizes: ReadonlyMap<string, number>): Map<string, string> {
  const all = new Map(sizes);
  for (const scope of sizes.keys())
    for (let outer = outerOf(scope); outer; outer = outerOf(outer)) all.set(outer, all.get(outer) ?? 0);
  const into = new Map<string, string>();
  const depth = (scope: string) => scope.split(".").length;
  for (const scope of [...all.keys()].sort((a, b) => depth(b) - depth(a))) {
    const size = all.get(scope)!;
    if (scope === "" || size >= leastGates) continue;
    into.set(scope, outerOf(scope));
    all.set(outerOf(scope), (all.get(outerOf(scope)) ?? 0) + size);
  }
  return new Map(
    [...sizes.keys()].map((scope) => {
      let at = scope;
      for (let next = into.get(at); next !== undefined; next = into.get(at)) at = next;
      return [scope, at];
    }),
  );
}

class Region {
  /** [local nodes] Node of the whole graph; the first is the constant. */
  readonly ids: Int32Array;
  /** LUT levels of the region by itself. */
  levels = 0;
  /** [local nodes] Literal in the optimised region; negative where it is no longer there by itself. */
  literals: Int32Array = new Int32Array(0);
  /** [optimised nodes] As in `Aig`. */
  fanin0: Int32Array = new Int32Array(0);
  fanin1: Int32Array = new Int32Array(0);
  /** [optimised nodes] Local node that it was first made for. */
  origin: Int32Array = new Int32Array(0);
  roots: Int32Array = new Int32Array(0);
  /** [roots * K] */
  leaves: Int32Array = new Int32Array(0);
  private readonly localOf = new Map<number, number>();
  readonly key: string;
  /** An earlier region that is built alike. */
  twin: Region | null = null;
  /** Levels of the whole that the LUTs were chosen for; -1 before that. */
  private mappedFor = -1;
  private isReused = false;
  private mapping: Mapping | null = null;

  constructor(
    private readonly whole: BitGraph,
    readonly parts: Parts,
    private readonly options: RegionOptions,
    private readonly memory: SynthMemory,
  ) {
    const { aig } = whole;
    const used = new Set(parts.nodes);
    const use = (literal: number) => {
      if (literal > 1) used.add(literal >> 1);
    };
    for (const node of parts.nodes)
      if (aig.isAnd(node)) {
        use(aig.fanin0[node]);
        use(aig.fanin1[node]);
      }
    for (const { elements } of parts.chains)
      elements.forEach(({ p, b }, i) => {
        use(p);
        if (i + 1 < elements.length) use(b);
      });
    for (const { literal } of parts.kept) use(literal);
    for (const { inputs } of parts.blocks) inputs.forEach(use);
    this.ids = Int32Array.from([0, ...[...used].sort((a, b) => a - b)]);
    this.ids.forEach((node, i) => {
      this.localOf.set(node, i);
    });
    this.key = this.makeKey();
  }

  private local(literal: number): number {
    return literal < 0 ? literal : 2 * this.localOf.get(literal >> 1)! + (literal & 1);
  }

  private get gates(): number {
    return this.parts.nodes.reduce((sum, node) => sum + Number(this.whole.aig.isAnd(node)), 0);
  }

  /** Equal for regions that are built alike, wherever they stand in their graphs. */
  private makeKey(): string {
    const { whole, parts, options } = this;
    const { aig } = whole;
    const words = [version, options.lutInputs, options.elementsPerLevel, options.rewriteRounds, whole.carry.maxLength];
    words.push(this.ids.length);
    for (const node of this.ids.subarray(1)) {
      if (aig.isAnd(node)) words.push(this.local(aig.fanin0[node]), this.local(aig.fanin1[node]));
      else words.push(-1);
    }
    for (const { start, elements } of parts.chains) {
      words.push(-2, start, elements.length);
      elements.forEach(({ p, b, sumNode }, i) => {
        const isRead = sumNode >= 0 && whole.carry.places.has(sumNode);
        words.push(this.local(p), i + 1 < elements.length ? this.local(b) : 0, isRead ? this.local(2 * sumNode) : -1);
      });
    }
    for (const { node, literal } of parts.kept) words.push(-3, this.local(2 * node), this.local(literal));
    for (const { inputs, outputs } of parts.blocks) {
      words.push(-4, ...inputs.map((literal) => this.local(literal)));
      for (const [pin, node] of outputs) words.push(pin, this.local(2 * node));
    }
    words.push(-5, ...[...parts.targets].map((literal) => this.local(literal)).sort((a, b) => a - b));
    return hashBytes(new Uint8Array(Int32Array.from(words).buffer));
  }

  /** The region as a graph of its own, whose outputs are what others take. */
  private asGraph(): BitGraph {
    const { whole, parts, ids } = this;
    const aig = new Aig();
    for (let i = 1; i < ids.length; i++) {
      aig.currentOrigin = i;
      if (whole.aig.isAnd(ids[i])) aig.and(this.local(whole.aig.fanin0[ids[i]]), this.local(whole.aig.fanin1[ids[i]]));
      else aig.input();
    }
    const carry = new CarryStore(aig, whole.carry.maxLength);
    for (const { start, elements } of parts.chains) {
      const chain: CarryChain = { start, origin: -1, elements: [] };
      elements.forEach(({ p, b, sumNode }, at) => {
        const isRead = sumNode >= 0 && whole.carry.places.has(sumNode);
        const own = isRead ? this.local(2 * sumNode) >> 1 : -1;
        const through = at + 1 < elements.length ? this.local(b) : 0;
        chain.elements.push({ p: this.local(p), b: through, sumNode: own });
        if (isRead) carry.places.set(own, { chain, at });
      });
      carry.chains.push(chain);
    }
    const targets = [...parts.targets].map((literal) => this.local(literal)).sort((a, b) => a - b);
    return {
      aig,
      carry,
      constants: new Map(),
      merged: new Map(),
      literal: Int32Array.from(ids, (_, i) => 2 * i),
      states: [],
      blocks: parts.blocks.map((block) => ({
        ...block,
        inputs: block.inputs.map((literal) => this.local(literal)),
        outputs: new Map([...block.outputs].map(([pin, node]) => [pin, this.local(2 * node) >> 1])),
      })),
      inputs: [],
      outputs: targets.map((literal, bit) => ({ port: 0, bit, isEnable: false, literal })),
      kept: parts.kept.map(({ net, node, literal }) => ({
        net,
        node: this.local(2 * node) >> 1,
        literal: this.local(literal),
      })),
      recoded: [],
      moved: [],
    };
  }

  /** Gates anew, and the region's own levels: remembered, or worked out. */
  optimise(context: StageContext): void {
    const { memory, options, gates, twin } = this;
    memory.gates += gates;
    if (twin) {
      if (twin.isReused) memory.reusedGates += gates;
      const { literals, fanin0, fanin1, origin, levels } = twin;
      Object.assign(this, { literals, fanin0, fanin1, origin, levels });
      return;
    }
    const known = memory.get(this.key);
    if (known && this.unpack(known)) {
      memory.reusedGates += gates;
      this.isReused = true;
      return;
    }
    const quiet = { ...context, progress() {} };
    let graph = balance(this.asGraph(), options.lutInputs);
    for (let round = 0; round < options.rewriteRounds; round++)
      graph = balance(rewrite(graph, quiet), options.lutInputs);
    const { aig } = graph;
    this.literals = graph.literal;
    this.fanin0 = aig.fanin0.slice(0, aig.nodeCount);
    this.fanin1 = aig.fanin1.slice(0, aig.nodeCount);
    this.origin = aig.origin.slice(0, aig.nodeCount);
    this.startMapping(graph, context);
    this.levels = this.mapping!.levels;
  }

  private startMapping(graph: BitGraph, context: StageContext): void {
    const targets = new Set<number>();
    for (const literal of outsideLiterals(graph)) if (literal > 1) targets.add(literal >> 1);
    const levels = new GraphLevels(graph, this.options.elementsPerLevel);
    this.mapping = startMapping(graph.aig, [...targets], this.options.lutInputs, { ...context, progress() {} }, levels);
  }

  /** LUTs, with the room that the levels of the whole leave. */
  map(levels: number, context: StageContext): void {
    if (this.twin) {
      this.roots = this.twin.roots;
      this.leaves = this.twin.leaves;
      return;
    }
    if (this.mappedFor !== levels) {
      if (!this.mapping) this.startMapping(this.restored(), context);
      const { roots, leaves, k } = this.mapping!.finish(levels);
      this.roots = roots;
      this.leaves = new Int32Array(roots.length * k);
      roots.forEach((root, i) => {
        this.leaves.set(leaves.subarray(root * k, (root + 1) * k), i * k);
      });
      this.mappedFor = levels;
    }
    this.mapping = null;
    this.memory.kept.set(this.key, this.pack());
  }

  /** The optimised graph of what was remembered. */
  private restored(): BitGraph {
    const aig = new Aig();
    for (let node = 1; node < this.fanin0.length; node++) {
      aig.currentOrigin = this.origin[node];
      if (this.fanin0[node] < 0) aig.input();
      else aig.and(this.fanin0[node], this.fanin1[node]);
    }
    return moveGraph(
      this.asGraph(),
      aig,
      this.literals.map((literal) => (literal < 0 ? -1 : literal)),
    );
  }

  private pack(): Int32Array {
    const { literals, fanin0, fanin1, origin, roots, leaves } = this;
    const head = [literals.length, fanin0.length, roots.length, leaves.length, this.levels, this.mappedFor];
    const all = new Int32Array(head.length + literals.length + 3 * fanin0.length + roots.length + leaves.length);
    let at = 0;
    for (const part of [head, literals, fanin0, fanin1, origin, roots, leaves]) {
      all.set(part, at);
      at += part.length;
    }
    return all;
  }

  /** @returns False if the words cannot be those of this region. */
  private unpack(all: Int32Array): boolean {
    const [locals, nodes, rootCount, leafCount, levels, mappedFor] = all;
    if (locals !== this.ids.length || all.length !== 6 + locals + 3 * nodes + rootCount + leafCount) return false;
    let at = 6;
    const take = (count: number) => all.slice(at, (at += count));
    this.literals = take(locals);
    this.fanin0 = take(nodes);
    this.fanin1 = take(nodes);
    this.origin = take(nodes);
    this.roots = take(rootCount);
    this.leaves = take(leafCount);
    this.levels = levels;
    this.mappedFor = mappedFor;
    return true;
  }
}

/** One graph and one cover of all regions. */
function assemble(
  graph: BitGraph,
  regions: readonly Region[],
  k: number,
  levels: number,
): { graph: BitGraph; cover: LutCover } {
  const old = graph.aig;
  const aig = new Aig();
  const map = new Int32Array(old.nodeCount).fill(-1);
  map[0] = 0;
  const isInner = new Uint8Array(old.nodeCount);
  for (const { nodes } of regions.map(({ parts }) => parts)) for (const node of nodes) isInner[node] = 1;
  for (let node = 1; node < old.nodeCount; node++) {
    if (old.isAnd(node) || isInner[node]) continue;
    aig.currentOrigin = old.origin[node];
    map[node] = aig.input();
  }
  const rootLeaves = new Map<number, number[]>();
  for (const region of regions) {
    const { ids, literals, fanin0, fanin1, origin } = region;
    const inputOf = new Int32Array(fanin0.length).fill(-1); // optimised input -> node of the whole
    literals.forEach((literal, i) => {
      if (i > 0 && literal > 1 && fanin0[literal >> 1] === -1 && !old.isAnd(ids[i])) inputOf[literal >> 1] = ids[i];
    });
    const made = new Int32Array(fanin0.length);
    for (let node = 1; node < fanin0.length; node++) {
      aig.currentOrigin = origin[node] >= 0 ? old.origin[ids[origin[node]]] : -1;
      const [f0, f1] = [fanin0[node], fanin1[node]];
      if (f0 >= 0) made[node] = aig.and(made[f0 >> 1] ^ (f0 & 1), made[f1 >> 1] ^ (f1 & 1));
      else {
        const from = inputOf[node];
        if (map[from] < 0) map[from] = aig.input();
        made[node] = map[from];
      }
    }
    literals.forEach((literal, i) => {
      if (i > 0 && literal >= 0 && map[ids[i]] < 0) map[ids[i]] = made[literal >> 1] ^ (literal & 1);
    });
    region.roots.forEach((root, r) => {
      const node = made[root] >> 1;
      if (rootLeaves.has(node)) return;
      const leaves: number[] = [];
      for (let i = 0; i < k && region.leaves[r * k + i] >= 0; i++) leaves.push(made[region.leaves[r * k + i]] >> 1);
      rootLeaves.set(node, leaves);
    });
  }
  const roots = Int32Array.from(rootLeaves.keys()).sort();
  const leaves = new Int32Array(aig.nodeCount * k).fill(-1);
  for (const root of roots) leaves.set(rootLeaves.get(root)!, root * k);
  return { graph: moveGraph(graph, aig, map), cover: { roots, leaves, k, levels } };
}
