import type { PlacementProblem } from "./problem.ts";

/**
 * Moves groups of one kind apart until every place holds no more than it can, each as little as may be: crowded areas grow until
 * they have room, and are then halved again and again, groups and room alike (Gort and Anderson 2012, "Analytical placement for
 * heterogeneous FPGAs"). Works on coordinates in tiles; [G] `x` and `y` are of a group's foot, and are changed in place.
 */
export class Spreader {
  private readonly width: number;
  private readonly height: number;
  /** [(width + 1) * (height + 1)] Room, summed up from the lower left corner. */
  private readonly room: Int32Array;
  private readonly demand: Float64Array;
  private readonly groups: Int32Array;
  private readonly size: Int32Array;

  constructor(problem: PlacementProblem, kind: number) {
    const { fabric } = problem.part;
    this.width = fabric.width;
    this.height = fabric.height;
    const here = new Int32Array(this.width * this.height);
    for (const tile of problem.kinds[kind].sites) here[tile] = 1;
    this.room = this.summed(here, new Int32Array((this.width + 1) * (this.height + 1)));
    this.demand = new Float64Array(this.room.length);
    const groups: number[] = [];
    for (let g = 0; g < problem.groupKind.length; g++) if (problem.groupKind[g] === kind) groups.push(g);
    this.groups = Int32Array.from(groups);
    this.size = new Int32Array(problem.groupKind.length);
    for (const g of groups) this.size[g] = problem.groupStart[g + 1] - problem.groupStart[g];
  }

  private summed<T extends Int32Array | Float64Array>(here: ArrayLike<number>, sums: T): T {
    const { width, height } = this;
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const at = (y + 1) * (width + 1) + x + 1;
        sums[at] = here[y * width + x] + sums[at - 1] + sums[at - width - 1] - sums[at - width - 2];
      }
    return sums;
  }
  /** Sum over a box of tiles, both ends included. */
  private inBox(sums: Int32Array | Float64Array, { x0, y0, x1, y1 }: Box): number {
    const row = this.width + 1;
    return sums[(y1 + 1) * row + x1 + 1] - sums[y0 * row + x1 + 1] - sums[(y1 + 1) * row + x0] + sums[y0 * row + x0];
  }

  run(x: Float64Array, y: Float64Array): void {
    const { width, height, groups, size } = this;
    const here = new Float64Array(width * height);
    const column = (g: number) => Math.max(0, Math.min(width - 1, Math.round(x[g])));
    const row = (g: number) => Math.max(0, Math.min(height - 1, Math.round(y[g])));
    for (const g of groups)
      for (let i = 0; i < size[g]; i++) here[Math.min(height - 1, row(g) + i) * width + column(g)]++;
    this.summed(here, this.demand);
    const crowded: { tile: number; by: number }[] = [];
    for (let tile = 0; tile < here.length; tile++) {
      if (here[tile] === 0) continue;
      const box = { x0: tile % width, x1: tile % width, y0: (tile / width) | 0, y1: (tile / width) | 0 };
      const by = here[tile] - this.inBox(this.room, box);
      if (by > 0) crowded.push({ tile, by });
    }
    crowded.sort((a, b) => b.by - a.by || a.tile - b.tile);
    let boxes: Box[] = [];
    for (const { tile } of crowded) {
      const tx = tile % width;
      const ty = (tile / width) | 0;
      if (boxes.some((box) => tx >= box.x0 && tx <= box.x1 && ty >= box.y0 && ty <= box.y1)) continue;
      let box: Box = { x0: tx, x1: tx, y0: ty, y1: ty };
      this.grow(box);
      // areas that meet share their room
      for (;;) {
        const apart = boxes.filter((other) => !meets(box, other));
        if (apart.length === boxes.length) break;
        for (const other of boxes) if (meets(box, other)) box = union(box, other);
        boxes = apart;
        this.grow(box);
      }
      boxes.push(box);
    }
    if (boxes.length === 0) return;
    const inside: number[][] = boxes.map(() => []);
    for (const g of groups) {
      const [gx, gy] = [column(g), row(g)];
      const at = boxes.findIndex((box) => gx >= box.x0 && gx <= box.x1 && gy >= box.y0 && gy <= box.y1);
      if (at >= 0) inside[at].push(g);
    }
    boxes.forEach((box, i) => this.halve(Int32Array.from(inside[i]), box, x, y));
  }

  /** Until it has room for what lies in it, or is the whole die. */
  private grow(box: Box): void {
    const { width, height } = this;
    for (let turn = 0; ; turn++) {
      if (this.inBox(this.demand, box) <= this.inBox(this.room, box)) return;
      const before = { ...box };
      // columns without room of this kind make boxes wide: both directions alike, whatever they hold
      if (turn % 2 === 0) {
        box.x0 = Math.max(0, box.x0 - 1);
        box.x1 = Math.min(width - 1, box.x1 + 1);
      } else {
        box.y0 = Math.max(0, box.y0 - 1);
        box.y1 = Math.min(height - 1, box.y1 + 1);
      }
      if (turn > 2 * (width + height) && before.x0 === box.x0 && before.x1 === box.x1 && before.y0 === box.y0) return;
    }
  }

  private halve(groups: Int32Array, box: Box, x: Float64Array, y: Float64Array): void {
    if (groups.length === 0) return;
    const { x0, x1, y0, y1 } = box;
    const isLast = x0 === x1 && y0 === y1;
    if (isLast || groups.length === 1) {
      for (const g of groups) {
        x[g] = this.nearestColumn(Math.max(x0, Math.min(x1, x[g])), box);
        y[g] = Math.max(y0, Math.min(y1, y[g]));
      }
      return;
    }
    const isWide = x1 - x0 >= y1 - y0;
    const key = isWide ? x : y;
    const across = isWide ? y : x;
    groups.sort((a, b) => key[a] - key[b] || across[a] - across[b] || a - b);
    let total = 0;
    for (const g of groups) total += this.size[g];
    const room = this.inBox(this.room, box);
    // the line where the room is shared as the groups are: where it parts them in the middle
    let [best, bestAt, bestSum] = [Infinity, -1, 0];
    const [from, to] = isWide ? [x0, x1] : [y0, y1];
    let cut = 0;
    let sum = 0;
    let half = 0;
    while (cut < groups.length && sum + this.size[groups[cut]] / 2 <= total / 2) sum += this.size[groups[cut++]];
    half = sum;
    for (let line = from; line < to; line++) {
      const part = isWide ? { ...box, x1: line } : { ...box, y1: line };
      const own = this.inBox(this.room, part);
      const off = Math.abs(own * total - half * room);
      if (off < best) [best, bestAt, bestSum] = [off, line, own];
    }
    // as many groups on each side as the line gives room for
    const wanted = room > 0 ? (bestSum * total) / room : half;
    cut = 0;
    sum = 0;
    while (cut < groups.length && sum + this.size[groups[cut]] / 2 <= wanted) sum += this.size[groups[cut++]];
    const low = isWide ? { ...box, x1: bestAt } : { ...box, y1: bestAt };
    const high = isWide ? { ...box, x0: bestAt + 1 } : { ...box, y0: bestAt + 1 };
    this.halve(groups.slice(0, cut), low, x, y);
    this.halve(groups.slice(cut), high, x, y);
  }

  /** The column of a box with room that is nearest. */
  private nearestColumn(at: number, { x0, x1, y0, y1 }: Box): number {
    let [best, nearest] = [Infinity, at];
    for (let column = x0; column <= x1; column++) {
      const distance = Math.abs(column - at);
      if (distance < best && this.inBox(this.room, { x0: column, x1: column, y0, y1 }) > 0)
        [best, nearest] = [distance, column];
    }
    return nearest;
  }
}

interface Box {
  x0: number;
  x1: number;
  y0: number;
  y1: number;
}
const meets = (a: Box, b: Box) => a.x0 <= b.x1 && b.x0 <= a.x1 && a.y0 <= b.y1 && b.y0 <= a.y1;
const union = (a: Box, b: Box): Box => ({
  x0: Math.min(a.x0, b.x0),
  x1: Math.max(a.x1, b.x1),
  y0: Math.min(a.y0, b.y0),
  y1: Math.max(a.y1, b.y1),
});
