import { Aig } from "../logic/aig.ts";
import { type BitGraph, liveNodes, outsideLiterals } from "./blast.ts";
import { moveGraph, sweep } from "./graph-copy.ts";

/**
 * Rebuilds the graph with every chain of ANDs as a tree that joins the earliest inputs first, so that what arrives late
 * passes few gates (as in Mishchenko, Chatterjee, Brayton 2006, DAC). Chains that no one LUT holds are cut into groups
 * that each fill one: bins of what lies in LUTs already, first fit decreasing, then K-ary Huffman trees, as in J. Cong,
 * Y. Hwang, "Structural gate decomposition for depth-optimal technology mapping in LUT-based FPGA designs", DAC 1996.
 * Gates that others read keep their places.
 */
export function balance(graph: BitGraph, lutInputs: number): BitGraph {
  return new Balancer(graph, lutInputs).run();
}

/** A part of a wide AND on its way into LUTs. */
interface Part {
  readonly literal: number;
  /** LUT levels of it. */
  readonly label: number;
  /** Nodes that a LUT reads which takes its last LUT in; itself where that stays closed. */
  readonly inputs: readonly number[];
}

interface Bin {
  readonly parts: Part[];
  readonly inputs: Set<number>;
}
const binsLookedAt = 24;

class Balancer {
  private readonly old: Aig;
  private readonly aig = new Aig();
  private readonly map: Int32Array;
  /** [new nodes] Gates from the inputs. */
  private readonly level: number[] = [0];
  private readonly isRoot: Uint8Array;
  /** Set where forms were tried that were not taken. */
  private isWasteful = false;
  /** [old nodes] Gates that read it, and one for all outside; 2 stands for more. */
  private readonly reads: Uint8Array;
  /** [new nodes] LUT levels, and the inputs of the last LUT, as far as a first guess says. */
  private readonly label: number[] = [0];
  private readonly cluster: (readonly number[])[] = [[]];
  /** Node of a kept net -> what it follows. */
  private readonly keptLiteral: ReadonlyMap<number, number>;

  constructor(
    private readonly graph: BitGraph,
    private readonly lutInputs: number,
  ) {
    this.old = graph.aig;
    this.reads = new Uint8Array(this.old.nodeCount);
    this.map = new Int32Array(this.old.nodeCount).fill(-1);
    this.map[0] = 0;
    this.keptLiteral = new Map(graph.kept.map(({ node, literal }) => [node, literal]));
    this.isRoot = this.findRoots();
  }

  /** Gates that keep a place of their own: read more than once, inverted, or from outside of the graph. */
  private findRoots(): Uint8Array {
    const { old, graph } = this;
    const roots = new Uint8Array(old.nodeCount);
    const { reads } = this;
    const outside = (literal: number) => {
      if (literal <= 1) return;
      roots[literal >> 1] = 1;
      if (reads[literal >> 1] < 2) reads[literal >> 1]++;
    };
    const live = liveNodes(graph);
    for (let node = 1; node < old.nodeCount; node++) {
      if (!old.isAnd(node) || !live[node]) continue;
      for (const fanin of [old.fanin0[node], old.fanin1[node]]) {
        const from = fanin >> 1;
        if (reads[from] || fanin & 1) roots[from] = 1;
        if (reads[from] < 2) reads[from]++;
      }
    }
    for (const literal of outsideLiterals(graph)) outside(literal);
    return roots;
  }

  run(): BitGraph {
    const { old, graph, aig } = this;
    for (let node = 1; node < old.nodeCount; node++) {
      aig.currentOrigin = old.origin[node];
      if (!old.isAnd(node)) {
        this.map[node] = aig.input();
        this.level[aig.nodeCount - 1] = this.inputLevel(node);
        this.label[aig.nodeCount - 1] = Math.ceil(this.level[aig.nodeCount - 1] / 2);
        this.cluster[aig.nodeCount - 1] = [aig.nodeCount - 1];
      } else if (this.isRoot[node]) this.map[node] = this.tree(node);
    }
    const moved = moveGraph(graph, aig, this.map);
    return this.isWasteful ? sweep(moved) : moved;
  }

  /** Sums come about two gates after what their element reads. */
  private inputLevel(node: number): number {
    const kept = this.keptLiteral.get(node);
    if (kept !== undefined) return this.level[this.map[kept >> 1] >> 1];
    const place = this.graph.carry.places.get(node);
    if (!place) return 0;
    const { p } = place.chain.elements[place.at];
    const below = place.at > 0 ? place.chain.elements[place.at - 1].sumNode : -1;
    const of = (literal: number) =>
      literal > 1 && this.map[literal >> 1] >= 0 ? this.level[this.map[literal >> 1] >> 1] : 0;
    return Math.max(of(p), below >= 0 ? of(2 * below) - 2 : 0) + 2;
  }

  private tree(root: number): number {
    const { old, map } = this;
    const leaves: number[] = []; // literals of the old graph
    const stack = [old.fanin0[root], old.fanin1[root]];
    while (stack.length) {
      const literal = stack.pop()!;
      const node = literal >> 1;
      if (!(literal & 1) && old.isAnd(node) && !this.isRoot[node]) stack.push(old.fanin0[node], old.fanin1[node]);
      else leaves.push(literal);
    }
    const literals = leaves.map((literal) => map[literal >> 1] ^ (literal & 1));
    if (leaves.length === 2) return this.and(literals[0], literals[1]);
    const parts = leaves.map((literal, i): Part => {
      const own = literals[i] >> 1;
      // a LUT that others read too is not opened: it would be there twice
      const isOpen = this.aig.isAnd(own) && this.reads[literal >> 1] === 1;
      return { literal: literals[i], label: this.label[own] ?? 0, inputs: isOpen ? this.cluster[own] : [own] };
    });
    const plain = this.huffman(literals);
    if (this.inputCount(parts) <= this.lutInputs) return plain;
    const packed = this.pack(parts);
    this.isWasteful = true;
    return packed.label <= this.label[plain >> 1] ? packed.literal : plain;
  }

  /** Inputs of one LUT that would take all in; no more are counted than one too many. */
  private inputCount(parts: readonly Part[]): number {
    const all: number[] = [];
    for (const { inputs } of parts)
      for (const node of inputs) {
        if (!all.includes(node)) all.push(node);
        if (all.length > this.lutInputs) return all.length;
      }
    return all.length;
  }

  /** The earliest two first, by gates. */
  private huffman(leaves: number[]): number {
    const { level } = this;
    const levelOf = (literal: number) => level[literal >> 1] ?? 0;
    // latest first, so that the earliest two are at the end; equal levels in the order of literals, for the same result
    leaves.sort((a, b) => levelOf(b) - levelOf(a) || b - a);
    while (leaves.length > 1) {
      const made = this.and(leaves.pop()!, leaves.pop()!);
      let at = leaves.length;
      while (at > 0 && levelOf(leaves[at - 1]) < levelOf(made)) at--;
      leaves.splice(at, 0, made);
    }
    return leaves[0];
  }

  private and(a: number, b: number): number {
    const { aig, level, label, cluster, lutInputs } = this;
    const made = aig.and(a, b);
    const node = made >> 1;
    if (level[node] !== undefined) return made;
    level[node] = Math.max(level[a >> 1] ?? 0, level[b >> 1] ?? 0) + 1;
    const [x, y] = [a >> 1, b >> 1];
    const highest = Math.max(label[x], label[y]);
    // two inputs of the graph at one level make a LUT a level later
    const opensX = label[x] === highest && aig.isAnd(x);
    const opensY = label[y] === highest && aig.isAnd(y);
    const isInner = (opensX || opensY) && (opensX || label[x] < highest) && (opensY || label[y] < highest);
    const inputs = isInner ? union(opensX ? cluster[x] : [x], opensY ? cluster[y] : [y], lutInputs) : null;
    label[node] = inputs ? highest : highest + 1;
    cluster[node] = inputs ?? (x === y ? [x] : [x, y]);
    return made;
  }

  private closedPart(parts: readonly Part[], label: number): Part {
    const literal = parts.map((part) => part.literal).reduce((a, b) => this.and(a, b));
    return { literal, label, inputs: [literal >> 1] };
  }

  /** Into the bin that it shares most with, of those that hold it; only the last ones are looked at. */
  private place(part: Part, bins: Bin[]): void {
    let best: Bin | null = null;
    let most = -1;
    for (const bin of bins.slice(-binsLookedAt)) {
      const shared = part.inputs.filter((node) => bin.inputs.has(node)).length;
      if (shared > most && bin.inputs.size + part.inputs.length - shared <= this.lutInputs) {
        best = bin;
        most = shared;
      }
    }
    if (!best) {
      best = { parts: [], inputs: new Set() };
      bins.push(best);
    }
    best.parts.push(part);
    for (const node of part.inputs) best.inputs.add(node);
  }

  /** An AND of more than a LUT holds. */
  private pack(all: readonly Part[]): Part {
    const { lutInputs } = this;
    const order = (a: Part, b: Part) => b.inputs.length - a.inputs.length || a.label - b.label || a.literal - b.literal;
    let closed = all.filter(({ inputs }) => inputs.length === 1);
    const open = all.filter(({ inputs }) => inputs.length > 1);
    // what lies in LUTs of one level shares them, with earlier parts in the places that are left
    for (const label of [...new Set(open.map((part) => part.label))].sort((a, b) => a - b)) {
      const bins: Bin[] = [];
      for (const part of open.filter((each) => each.label === label).sort(order)) this.place(part, bins);
      const early = closed
        .filter((part) => part.label < label)
        .sort((a, b) => b.label - a.label || a.literal - b.literal);
      const rest = closed.filter((part) => part.label >= label);
      for (const bin of bins) {
        while (bin.inputs.size < lutInputs && early.length) {
          const part = early.pop()!;
          bin.parts.push(part);
          bin.inputs.add(part.inputs[0]);
        }
      }
      closed = [...rest, ...early, ...bins.map(({ parts }) => this.closedPart(parts, label))];
    }
    // K-ary Huffman: the first LUT may be filled in part, so that all others are full
    const queue = closed.sort((a, b) => a.label - b.label || a.literal - b.literal);
    for (let take = ((queue.length - 2) % (lutInputs - 1)) + 2; queue.length > 1; take = lutInputs) {
      const parts = queue.splice(0, take);
      const made = this.closedPart(parts, parts[parts.length - 1].label + 1);
      let at = queue.length;
      while (at > 0 && queue[at - 1].label > made.label) at--;
      queue.splice(at, 0, made);
    }
    return queue[0];
  }
}

/** Both lists together, or null for more than `most`. */
function union(a: readonly number[], b: readonly number[], most: number): number[] | null {
  const all = [...a];
  for (const node of b) if (!all.includes(node)) all.push(node);
  return all.length <= most ? all : null;
}
