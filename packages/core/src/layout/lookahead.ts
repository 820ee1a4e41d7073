import type { Part } from "../device/part.ts";
import { Delays } from "../device/part.ts";
import { nodeKind } from "../device/tile-pattern.ts";
import { BinaryHeap } from "./heap.ts";

/**
 * Least delay, in ps, from a wire (behind its own delay) or an output pin to an input pin of a tile, by the distance
 * between the wire's first tile and the target. Built by searching backwards from a few sample tiles on the real
 * graph, so detours that the wire pattern forces are included. Built once a part.
 */
export interface Lookahead {
  /** [classes * columns * rows] Classes: 4 * wire type + direction; the last one is output pins. */
  readonly ps: Float32Array;
  readonly classes: number;
  readonly columns: number;
  readonly rows: number;
  readonly offsetX: number;
  readonly offsetY: number;
}

const cache = new WeakMap<object, Map<string, Lookahead>>();

export function lookaheadFor(part: Part): Lookahead {
  let byGrade = cache.get(part.fabric);
  if (!byGrade) {
    byGrade = new Map();
    cache.set(part.fabric, byGrade);
  }
  const grade = `${part.grade}${part.temperature}`;
  let table = byGrade.get(grade);
  if (!table) {
    table = buildLookahead(part);
    byGrade.set(grade, table);
  }
  return table;
}

function buildLookahead(part: Part): Lookahead {
  const { fabric, graph, family } = part;
  const nodePs = new Delays(part, "slow-hot").nodePs();
  const wireClasses = family.wires.length * 4;
  const classes = wireClasses + 1;
  const columns = 2 * fabric.width - 1;
  const rows = 2 * fabric.height - 1;
  const offsetX = fabric.width - 1;
  const offsetY = fabric.height - 1;
  const ps = new Float32Array(classes * columns * rows).fill(Infinity);
  const sampleX = pickSpread(
    fabric.logicTiles.map((tile) => fabric.tileX(tile)),
    3,
  );
  const sampleY = pickSpread(
    fabric.logicTiles.map((tile) => fabric.tileY(tile)),
    3,
  );
  const cost = new Float32Array(graph.nodeCount);
  const heap = new BinaryHeap(1 << 16);
  const pattern = fabric.pattern(fabric.logicTiles[0]);
  const firstPin = pattern.byName.get("L0.0")!;
  const pinCount = family.elementsPerTile * family.lutInputs;
  for (const tx of sampleX) {
    for (const ty of sampleY) {
      const target = ty * fabric.width + tx;
      cost.fill(Infinity);
      heap.clear();
      for (let i = 0; i < pinCount; i++) {
        const node = graph.tileFirst[target] + firstPin + i;
        cost[node] = 0;
        heap.push(0, node);
      }
      while (heap.size) {
        const at = heap.topKey;
        const node = heap.pop();
        if (at > cost[node]) continue;
        const through = at + nodePs[node];
        for (let e = graph.faninStart[node]; e < graph.faninStart[node + 1]; e++) {
          const from = graph.faninNode[e];
          if (from < 0 || through >= cost[from]) continue;
          const kind = graph.nodeKind[from];
          if (kind !== nodeKind.wire && kind !== nodeKind.output) continue;
          cost[from] = through;
          heap.push(through, from);
        }
      }
      for (let node = 0; node < graph.nodeCount; node++) {
        if (cost[node] === Infinity) continue;
        const kind = graph.nodeKind[node];
        if (kind !== nodeKind.wire && kind !== nodeKind.output) continue;
        const tile = graph.nodeTile[node];
        const at = kind === nodeKind.wire ? graph.wireClass[node] : wireClasses;
        const dx = tx - fabric.tileX(tile) + offsetX;
        const dy = ty - fabric.tileY(tile) + offsetY;
        const slot = (at * rows + dy) * columns + dx;
        if (cost[node] < ps[slot]) ps[slot] = cost[node];
      }
    }
  }
  fillGaps(ps, classes, columns, rows);
  return { ps, classes, columns, rows, offsetX, offsetY };
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

function pickSpread(values: readonly number[], count: number): number[] {
  const sorted = [...new Set(values)].sort((a, b) => a - b);
  return [
    ...new Set(Array.from({ length: count }, (_, i) => sorted[Math.round((i * (sorted.length - 1)) / (count - 1))])),
  ];
}
