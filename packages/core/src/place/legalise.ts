import type { PlacementProblem } from "./problem.ts";

/**
 * Puts every group on tiles of its own, near where it is wanted: stacks first, tallest first, then all others. O(groups x what is
 * tried until something is free).
 * For clusters and blocks, whose sites are tiles.
 * @param x [G] Wanted tile coordinates of each group's foot.
 * @returns [E] Tile of each entity; null where a stack finds no free stretch of a column.
 */
export function legalise(problem: PlacementProblem, x: Float64Array, y: Float64Array): Int32Array | null {
  return place(problem, x, y, false) ?? place(problem, x, y, true);
}

/** @param isTight Stacks are put as low as can be, so that no hole between them is lost. */
function place(problem: PlacementProblem, x: Float64Array, y: Float64Array, isTight: boolean): Int32Array | null {
  const { part, groupStart, groupEntity, groupKind, kinds, fixedSite } = problem;
  const { width, height } = part.fabric;
  const tileOf = fixedSite.slice();
  const isFree = kinds.map(({ sites }) => {
    const free = new Uint8Array(width * height);
    for (const tile of sites) free[tile] = 1;
    return free;
  });
  const size = (g: number) => groupStart[g + 1] - groupStart[g];
  const take = (g: number, foot: number) => {
    for (let i = 0; i < size(g); i++) {
      tileOf[groupEntity[groupStart[g] + i]] = foot + i * width;
      isFree[groupKind[g]][foot + i * width] = 0;
    }
  };
  const groups = Array.from(groupKind, (_, g) => g).sort((a, b) => size(b) - size(a) || x[a] - x[b] || a - b);
  for (const g of groups) {
    const free = isFree[groupKind[g]];
    const tall = size(g);
    let [best, foot] = [Infinity, -1];
    const look = (tile: number, cost: number) => {
      if (cost >= best) return;
      for (let i = 0; i < tall; i++) if (!free[tile + i * width]) return;
      [best, foot] = [cost, tile];
    };
    const { columns } = kinds[groupKind[g]];
    for (const column of columns) {
      const aside = Math.abs(column - x[g]);
      if (aside >= best) continue;
      if (isTight && tall > 1) {
        for (let row = 0; row + tall <= height; row++) look(row * width + column, aside + row / height);
        continue;
      }
      const middle = Math.max(0, Math.min(height - tall, Math.round(y[g])));
      for (let off = 0; off < height && aside + off - 1 < best; off++) {
        if (middle - off >= 0) look((middle - off) * width + column, aside + Math.abs(middle - off - y[g]));
        if (off > 0 && middle + off + tall <= height)
          look((middle + off) * width + column, aside + Math.abs(middle + off - y[g]));
      }
    }
    if (foot < 0) return null;
    take(g, foot);
  }
  return tileOf;
}
