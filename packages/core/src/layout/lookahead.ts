import type { Fabric } from "../device/fabric.ts";
import type { Part } from "../device/part.ts";
import { Delays } from "../device/part.ts";
import { nodeKind } from "../device/tile-pattern.ts";

/**
 * Least delay, in ps, from a wire (behind its own delay) or an output pin to an input pin of a tile, by the distance
 * between the wire's first tile and the target. Built by searching backwards from a few sample tiles on the real
 * graph, so detours that the wire pattern forces are included.
 */
interface Lookahead {
  /** [classes * columns * rows] Classes: 4 * wire type + direction; the last one is output pins. */
  readonly ps: Float32Array;
  readonly classes: number;
  readonly columns: number;
  readonly rows: number;
  readonly offsetX: number;
  readonly offsetY: number;
}

/** By die: before grade and corner, which only scale it. */
const tables = new WeakMap<Fabric, Lookahead>();
const scaled = new WeakMap<Fabric, Map<number, Lookahead>>();

/** At slow-hot. Kept by die and grade. */
export function lookaheadFor(part: Part): Lookahead {
  const { scale } = new Delays(part, "slow-hot");
  let byScale = scaled.get(part.fabric);
  if (!byScale) {
    byScale = new Map();
    scaled.set(part.fabric, byScale);
  }
  let table = byScale.get(scale);
  if (!table) {
    let base = tables.get(part.fabric);
    if (!base) {
      base = buildLookahead(part);
      tables.set(part.fabric, base);
    }
    table = { ...base, ps: base.ps.map((ps) => ps * scale) };
    byScale.set(scale, table);
  }
  return table;
}

/** Shortest paths by buckets (Dial 1969): delays are whole ps, and small. */
function buildLookahead(part: Part): Lookahead {
  const { fabric, graph, family } = part;
  const delays = new Delays(part, "slow-hot");
  const nodePs = Int32Array.from(delays.nodePs(), (ps) => Math.round(ps / delays.scale));
  const wireClasses = family.wires.length * 4;
  const classes = wireClasses + 1;
  const columns = 2 * fabric.width - 1;
  const rows = 2 * fabric.height - 1;
  const offsetX = fabric.width - 1;
  const offsetY = fabric.height - 1;
  const ps = new Float32Array(classes * columns * rows).fill(Infinity);
  const pattern = fabric.pattern(fabric.logicTiles[0]);
  const firstPin = pattern.byName.get("L0.0")!;
  const pinCount = family.elementsPerTile * family.lutInputs;
  const { nodeKind: kinds, nodeTile, wireClass } = graph;
  const cost = new Int32Array(graph.nodeCount);
  const unknown = 2 ** 30;
  const span = nodePs.reduce((most, own) => Math.max(most, own), 0) + 1;
  const buckets: number[][] = Array.from({ length: span }, () => []);
  for (const target of sampleTiles(fabric)) {
    cost.fill(unknown);
    let waiting = 0;
    for (let i = 0; i < pinCount; i++) {
      const node = graph.tileFirst[target] + firstPin + i;
      cost[node] = 0;
      buckets[0].push(node);
      waiting++;
    }
    const [tx, ty] = [fabric.tileX(target), fabric.tileY(target)];
    for (let at = 0; waiting > 0; at++) {
      const bucket = buckets[at % span];
      while (bucket.length) {
        const node = bucket.pop()!;
        waiting--;
        if (cost[node] !== at) continue;
        if (kinds[node] !== nodeKind.input) {
          const tile = nodeTile[node];
          const own = kinds[node] === nodeKind.wire ? wireClass[node] : wireClasses;
          const slot = (own * rows + ty - fabric.tileY(tile) + offsetY) * columns + tx - fabric.tileX(tile) + offsetX;
          if (at < ps[slot]) ps[slot] = at;
        }
        const through = at + nodePs[node];
        for (let i = graph.sourceCount(node) - 1; i >= 0; i--) {
          const from = graph.source(node, i);
          if (from < 0 || through >= cost[from]) continue;
          if (kinds[from] !== nodeKind.wire && kinds[from] !== nodeKind.output) continue;
          cost[from] = through;
          buckets[through % span].push(from);
          waiting++;
        }
      }
    }
  }
  fillGaps(ps, classes, columns, rows);
  return { ps, classes, columns, rows, offsetX, offsetY };
}

/** Logic tiles in the middle and near the corners: from one of them, every distance on the die is seen. */
function sampleTiles({ logicTiles, width }: Fabric): number[] {
  const of = (values: number[]) => [...new Set(values)].sort((a, b) => a - b);
  const xs = of(logicTiles.map((tile) => tile % width));
  const ys = of(logicTiles.map((tile) => (tile / width) | 0));
  const middle = <T>(list: readonly T[]) => list[list.length >> 1];
  const places = [
    [middle(xs), middle(ys)],
    [xs[0], ys[0]],
    [xs[xs.length - 1], ys[0]],
    [xs[0], ys[ys.length - 1]],
    [xs[xs.length - 1], ys[ys.length - 1]],
  ];
  return [...new Set(places.map(([x, y]) => y * width + x))];
}

/** Distances that no sample showed take the least value next to them: too low is safe for the search. */
function fillGaps(ps: Float32Array, classes: number, columns: number, rows: number): void {
  for (let c = 0; c < classes; c++) {
    for (let round = 0, open = true; open && round < columns + rows; round++) {
      open = false;
      const before = ps.slice(c * rows * columns, (c + 1) * rows * columns);
      for (let y = 0; y < rows; y++) {
        for (let x = 0; x < columns; x++) {
          if (before[y * columns + x] !== Infinity) continue;
          open = true;
          let best = Infinity;
          for (const [dx, dy] of [
            [1, 0],
            [-1, 0],
            [0, 1],
            [0, -1],
          ]) {
            const nx = x + dx;
            const ny = y + dy;
            if (nx >= 0 && nx < columns && ny >= 0 && ny < rows) best = Math.min(best, before[ny * columns + nx]);
          }
          ps[(c * rows + y) * columns + x] = best;
        }
      }
    }
  }
}
