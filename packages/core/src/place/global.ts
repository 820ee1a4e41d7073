import type { StageContext } from "../common/context.ts";
import type { Random } from "../common/random.ts";
import type { PlacementProblem } from "./problem.ts";
import { Spreader } from "./spread.ts";

interface GlobalOptions {
  /** Turns of solving and spreading. */
  readonly turns: number;
  /** How strongly a group is pulled to where it was spread to, beside all of its nets: in the first turn, and from turn to turn. */
  readonly pull: number;
  readonly growth: number;
  /** How much connections that matter pull, beside nets. */
  readonly timingWeight: number;
  /** [connections] How much each matters, 0 to 1, for places of groups' feet as they are; asked now and then. */
  weigh(x: Float64Array, y: Float64Array): Float32Array;
}

/** Nets with more ends say little about where one of them should lie, and cost much. */
const widestNet = 400;

/**
 * Where groups would lie if nets were springs, and had to share the die: the nets' half perimeters as quadratic functions
 * (bound-to-bound net model: Spindler, Schlichtmann and Johannes 2008, "Kraftwerk2"), solved by conjugate gradients in turn with
 * spreading, whose result pulls ever harder (Kim, Lee and Markov 2012, "SimPL").
 * @returns [G] Tile coordinates of each group's foot after the last spreading: about legal.
 */
export function globalPlacement(
  problem: PlacementProblem,
  options: GlobalOptions,
  context: StageContext,
): { x: Float64Array; y: Float64Array; wirelengths: { solved: number; spread: number }[] } {
  const { random } = context;
  const { part, groupStart, groupEntity, groupKind, fixedSite, entityCount } = problem;
  const groupCount = groupKind.length;
  const { fabric } = part;
  const x = new Float64Array(groupCount);
  const y = new Float64Array(groupCount);
  // a little apart from each other: springs of no length have no direction
  for (let g = 0; g < groupCount; g++) {
    x[g] = fabric.width / 2 + random.float() - 0.5;
    y[g] = fabric.height / 2 + random.float() - 0.5;
  }
  const isHeld = problem.netEntity.some((e) => fixedSite[e] >= 0);
  if (!isHeld) smoothStart(problem, x, y, random);
  const offset = new Float64Array(entityCount);
  for (let g = 0; g < groupCount; g++)
    for (let i = groupStart[g]; i < groupStart[g + 1]; i++) offset[groupEntity[i]] = i - groupStart[g];
  const fixedX = Float64Array.from(fixedSite, (tile) => (tile < 0 ? 0 : fabric.tileX(tile)));
  const fixedY = Float64Array.from(fixedSite, (tile) => (tile < 0 ? 0 : fabric.tileY(tile)));
  const flat = new Float64Array(entityCount);
  const solverX = new Axis(problem, flat, fixedX, fabric.width);
  const solverY = new Axis(problem, offset, fixedY, fabric.height);
  const spreaders = problem.kinds.map((_, kind) => new Spreader(problem, kind));
  const wirelengths: { solved: number; spread: number }[] = [];
  let weights: Float32Array | null = null;
  let spreadX = x.slice();
  let spreadY = y.slice();
  let [bestX, bestY, best] = [spreadX, spreadY, Infinity];
  for (let turn = 0; turn < options.turns; turn++) {
    context.checkCancelled();
    const pull = turn === 0 ? 0 : options.pull * options.growth ** (turn - 1);
    const solves = turn > 0 ? 1 : isHeld ? 6 : 0;
    for (let i = 0; i < solves; i++) {
      solverX.solve(x, spreadX, pull, weights, options.timingWeight);
      solverY.solve(y, spreadY, pull, weights, options.timingWeight);
    }
    spreadX = x.slice();
    spreadY = y.slice();
    for (const spreader of spreaders) spreader.run(spreadX, spreadY);
    const solved = solverX.length(x) + solverY.length(y);
    const spread = solverX.length(spreadX) + solverY.length(spreadY);
    wirelengths.push({ solved, spread });
    if (spread < best) [bestX, bestY, best] = [spreadX, spreadY, spread];
    if (options.timingWeight > 0 && turn % 5 === 4) weights = options.weigh(spreadX, spreadY);
    context.progress({
      fraction: (0.3 * (turn + 1)) / options.turns,
      figure: `wirelength ${Math.round(spread)} tiles`,
    });
    if (turn > 8 && spread < solved * 1.02) break;
  }
  return { x: bestX, y: bestY, wirelengths };
}

/**
 * A start for what nothing holds, where springs alone would draw all of it to one point: the two slowest waves of the net graph
 * (Hall 1970, "An r-dimensional quadratic placement algorithm"), by inverse iteration. Spread over the die by rank.
 */
function smoothStart(problem: PlacementProblem, x: Float64Array, y: Float64Array, random: Random): void {
  const { netStart, netEntity, groupOf, part, kinds } = problem;
  const n = x.length;
  const ends = Int32Array.from(netEntity, (e) => groupOf[e]);
  // only what hangs together has slow waves: the largest such piece; the rest goes to the middle
  const isIn = largestPiece(n, netStart, ends);
  const degree = new Float64Array(n).fill(1e-9);
  for (const g of ends) if (isIn[g]) degree[g]++;
  const whole = degree.reduce((sum, own) => sum + own, 0);
  // every end is drawn to the middle of its net
  const product = (vector: Float64Array, out: Float64Array) => {
    for (let g = 0; g < n; g++) out[g] = degree[g] * vector[g];
    for (let net = 0; net + 1 < netStart.length; net++) {
      if (!isIn[ends[netStart[net]]]) continue;
      let sum = 0;
      for (let i = netStart[net]; i < netStart[net + 1]; i++) sum += vector[ends[i]];
      sum /= netStart[net + 1] - netStart[net];
      for (let i = netStart[net]; i < netStart[net + 1]; i++) out[ends[i]] -= sum;
    }
  };
  /** Takes out what is the same everywhere, and what goes along another wave. */
  const purify = (own: Float64Array, other: Float64Array | null) => {
    let mean = 0;
    for (let g = 0; g < n; g++) mean += degree[g] * own[g];
    for (let g = 0; g < n; g++) own[g] = isIn[g] ? own[g] - mean / whole : 0;
    if (other) {
      let [along, length] = [0, 0];
      for (let g = 0; g < n; g++) {
        along += degree[g] * own[g] * other[g];
        length += degree[g] * other[g] * other[g];
      }
      if (length > 0) for (let g = 0; g < n; g++) own[g] -= (along / length) * other[g];
    }
    let most = 1e-300;
    for (let g = 0; g < n; g++) most = Math.max(most, Math.abs(own[g]));
    for (let g = 0; g < n; g++) own[g] /= most;
  };
  const wave = (other: Float64Array | null): Float64Array => {
    const own = Float64Array.from({ length: n }, () => random.float() - 0.5);
    const right = new Float64Array(n);
    for (let turn = 0; turn < 6; turn++) {
      purify(own, other);
      for (let g = 0; g < n; g++) right[g] = degree[g] * own[g];
      conjugateGradients(product, degree, right, own, 300, 1e-6);
    }
    purify(own, other);
    return own;
  };
  const first = wave(null);
  const second = wave(first);
  turnToAxes(problem, first, second);
  const side = Math.sqrt(Math.min(1, n / Math.max(1, kinds[0].sites.length)));
  const rank = (values: Float64Array, into: Float64Array, span: number) => {
    const order = Array.from(values, (_, g) => g).sort((a, b) => values[a] - values[b] || a - b);
    order.forEach((g, i) => {
      into[g] = span / 2 + side * span * ((i + 0.5) / n - 0.5);
    });
  };
  rank(first, part.fabric.width >= part.fabric.height ? x : y, Math.max(part.fabric.width, part.fabric.height));
  rank(second, part.fabric.width >= part.fabric.height ? y : x, Math.min(part.fabric.width, part.fabric.height));
}

/** [groups] 1 for those of the largest set that nets tie together. */
function largestPiece(n: number, netStart: Int32Array, ends: Int32Array): Uint8Array {
  const piece = Int32Array.from({ length: n }, (_, g) => g);
  const rootOf = (g: number): number => {
    let root = g;
    while (piece[root] !== root) {
      piece[root] = piece[piece[root]];
      root = piece[root];
    }
    return root;
  };
  for (let net = 0; net + 1 < netStart.length; net++)
    for (let i = netStart[net] + 1; i < netStart[net + 1]; i++) piece[rootOf(ends[i])] = rootOf(ends[netStart[net]]);
  const size = new Int32Array(n);
  for (let g = 0; g < n; g++) size[rootOf(g)]++;
  const largest = size.indexOf(size.reduce((most, own) => Math.max(most, own), 0));
  return Uint8Array.from({ length: n }, (_, g) => Number(rootOf(g) === largest));
}

/** Two waves of the same length may lie across the axes: they are turned to where half perimeters are shortest. */
function turnToAxes({ netStart, netEntity, groupOf }: PlacementProblem, u: Float64Array, v: Float64Array): void {
  const deviation = (values: Float64Array) => Math.sqrt(values.reduce((sum, own) => sum + own * own, 0)) || 1;
  const [du, dv] = [deviation(u), deviation(v)];
  let [best, angle] = [Infinity, 0];
  for (let degrees = 0; degrees < 90; degrees += 3) {
    const [cos, sin] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
    let sum = 0;
    for (let net = 0; net + 1 < netStart.length; net++) {
      let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
      for (let i = netStart[net]; i < netStart[net + 1]; i++) {
        const g = groupOf[netEntity[i]];
        const x = (cos * u[g]) / du - (sin * v[g]) / dv;
        const y = (sin * u[g]) / du + (cos * v[g]) / dv;
        if (x < x0) x0 = x;
        if (x > x1) x1 = x;
        if (y < y0) y0 = y;
        if (y > y1) y1 = y;
      }
      sum += x1 - x0 + y1 - y0;
    }
    if (sum < best) [best, angle] = [sum, degrees];
  }
  const [cos, sin] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)];
  for (let g = 0; g < u.length; g++) {
    const [x, y] = [u[g] / du, v[g] / dv];
    u[g] = cos * x - sin * y;
    v[g] = sin * x + cos * y;
  }
}

/** One dimension of the springs. */
class Axis {
  private readonly diagonal: Float64Array;
  private readonly right: Float64Array;
  private readonly edgeA: Int32Array;
  private readonly edgeB: Int32Array;
  private readonly edgeWeight: Float64Array;
  private edges = 0;
  private readonly at: Float64Array;

  /** @param offset [E] Of an entity within its group. @param fixed [E] Where those lie that do not move. */
  constructor(
    private readonly problem: PlacementProblem,
    private readonly offset: Float64Array,
    private readonly fixed: Float64Array,
    private readonly span: number,
  ) {
    const groups = problem.groupKind.length;
    this.diagonal = new Float64Array(groups);
    this.right = new Float64Array(groups);
    const most = 2 * problem.netEntity.length + problem.connFrom.length;
    this.edgeA = new Int32Array(most);
    this.edgeB = new Int32Array(most);
    this.edgeWeight = new Float64Array(most);
    this.at = new Float64Array(problem.entityCount);
    this.pins = new Int32Array(groups).fill(1);
    for (const e of problem.netEntity) if (problem.groupOf[e] >= 0) this.pins[problem.groupOf[e]]++;
  }
  /** [G] Nets at each group. */
  private readonly pins: Int32Array;

  private spread(place: Float64Array): Float64Array {
    const { groupOf } = this.problem;
    const { at, fixed, offset } = this;
    for (let e = 0; e < at.length; e++) at[e] = groupOf[e] < 0 ? fixed[e] : place[groupOf[e]] + offset[e];
    return at;
  }

  /** Half perimeters of all nets along this axis. */
  length(place: Float64Array): number {
    const { netStart, netEntity } = this.problem;
    const at = this.spread(place);
    let sum = 0;
    for (let net = 0; net + 1 < netStart.length; net++) {
      let low = Infinity;
      let high = -Infinity;
      for (let i = netStart[net]; i < netStart[net + 1]; i++) {
        const own = at[netEntity[i]];
        if (own < low) low = own;
        if (own > high) high = own;
      }
      sum += high - low;
    }
    return sum;
  }

  private spring(a: number, b: number, weight: number): void {
    const { groupOf } = this.problem;
    const { offset, fixed, diagonal, right } = this;
    const ga = groupOf[a];
    const gb = groupOf[b];
    if (ga === gb) return;
    if (ga >= 0) {
      diagonal[ga] += weight;
      right[ga] += weight * ((gb < 0 ? fixed[b] : offset[b]) - offset[a]);
    }
    if (gb >= 0) {
      diagonal[gb] += weight;
      right[gb] += weight * ((ga < 0 ? fixed[a] : offset[a]) - offset[b]);
    }
    if (ga >= 0 && gb >= 0) {
      this.edgeA[this.edges] = ga;
      this.edgeB[this.edges] = gb;
      this.edgeWeight[this.edges++] = weight;
    }
  }

  /** Changes `place` to where the springs are at rest. @param anchor Where each group is pulled to, by `pull`. */
  solve(place: Float64Array, anchor: Float64Array, pull: number, weights: Float32Array | null, timing: number): void {
    const { netStart, netEntity, connFrom, connTo } = this.problem;
    const { diagonal, right } = this;
    const at = this.spread(place);
    // what nothing else holds is held in the middle, weakly
    diagonal.fill(1e-4);
    right.fill((1e-4 * this.span) / 2);
    this.edges = 0;
    for (let net = 0; net + 1 < netStart.length; net++) {
      const [first, end] = [netStart[net], netStart[net + 1]];
      const count = end - first;
      if (count > widestNet) continue;
      let low = first;
      let high = first;
      for (let i = first + 1; i < end; i++) {
        if (at[netEntity[i]] < at[netEntity[low]]) low = i;
        if (at[netEntity[i]] > at[netEntity[high]]) high = i;
      }
      if (low === high) high = low === first ? first + 1 : first;
      const share = 1 / (count - 1);
      const [lowEnd, highEnd] = [netEntity[low], netEntity[high]];
      this.spring(lowEnd, highEnd, share / Math.max(0.5, at[highEnd] - at[lowEnd]));
      for (let i = first; i < end; i++) {
        if (i === low || i === high) continue;
        const own = netEntity[i];
        this.spring(own, lowEnd, share / Math.max(0.5, at[own] - at[lowEnd]));
        this.spring(own, highEnd, share / Math.max(0.5, at[highEnd] - at[own]));
      }
    }
    if (weights)
      for (let c = 0; c < connFrom.length; c++) {
        const own = weights[c];
        if (own < 0.05) continue;
        this.spring(connFrom[c], connTo[c], (timing * own) / Math.max(0.5, Math.abs(at[connFrom[c]] - at[connTo[c]])));
      }
    if (pull > 0)
      for (let g = 0; g < place.length; g++) {
        const own = (pull * this.pins[g]) / Math.max(1, Math.abs(place[g] - anchor[g]));
        diagonal[g] += own;
        right[g] += own * anchor[g];
      }
    this.conjugate(place);
    for (let g = 0; g < place.length; g++) place[g] = Math.max(0, Math.min(this.span - 1, place[g]));
  }

  private conjugate(place: Float64Array): void {
    const { diagonal, right, edges, edgeA, edgeB, edgeWeight } = this;
    const product = (vector: Float64Array, out: Float64Array) => {
      for (let i = 0; i < vector.length; i++) out[i] = diagonal[i] * vector[i];
      for (let e = 0; e < edges; e++) {
        const a = edgeA[e];
        const b = edgeB[e];
        const w = edgeWeight[e];
        out[a] -= w * vector[b];
        out[b] -= w * vector[a];
      }
    };
    conjugateGradients(product, diagonal, right, place, 80, 1e-6);
  }
}

/**
 * Conjugate gradients, preconditioned by the diagonal (Hestenes and Stiefel 1952), from where `place` is. Ends when the error has fallen
 * to a share of the right side, or after some steps.
 */
function conjugateGradients(
  product: (vector: Float64Array, out: Float64Array) => void,
  diagonal: Float64Array,
  right: Float64Array,
  place: Float64Array,
  steps: number,
  share: number,
): void {
  const n = place.length;
  const rest = new Float64Array(n);
  const way = new Float64Array(n);
  const image = new Float64Array(n);
  product(place, image);
  let energy = 0;
  let whole = 0;
  for (let i = 0; i < n; i++) {
    rest[i] = right[i] - image[i];
    way[i] = rest[i] / diagonal[i];
    energy += rest[i] * way[i];
    whole += (right[i] * right[i]) / diagonal[i];
  }
  const enough = share * Math.max(1e-9, whole);
  for (let step = 0; step < steps && energy > enough; step++) {
    product(way, image);
    let along = 0;
    for (let i = 0; i < n; i++) along += way[i] * image[i];
    if (along <= 0) break;
    const by = energy / along;
    let next = 0;
    for (let i = 0; i < n; i++) {
      place[i] += by * way[i];
      rest[i] -= by * image[i];
      next += (rest[i] * rest[i]) / diagonal[i];
    }
    const turn = next / energy;
    for (let i = 0; i < n; i++) way[i] = rest[i] / diagonal[i] + turn * way[i];
    energy = next;
  }
}
