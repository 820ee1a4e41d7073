import type { Part } from "../device/part.ts";
import { nodeKind } from "../device/tile-pattern.ts";

/** Side of the squares, in tiles, by which the parts of wide nets are found. */
const binSide = 8;

/** Where the wires of a wide net's tree lie, so that a search begins near its target. */
export class TreeBins {
  /** Places in the tree of its source and of nodes of the clock network. */
  readonly network: number[] = [0];
  private readonly columns: number;
  private readonly rows: number;
  private readonly bins = new Map<number, number[]>();

  constructor(
    private readonly part: Part,
    nodes: readonly number[],
  ) {
    this.columns = Math.ceil(part.fabric.width / binSide);
    this.rows = Math.ceil(part.fabric.height / binSide);
    nodes.forEach((node, at) => this.add(node, at));
  }

  add(node: number, at: number): void {
    const { graph, fabric } = this.part;
    if (graph.nodeKind[node] >= nodeKind.globalClock) this.network.push(at);
    if (graph.nodeKind[node] === nodeKind.input) return;
    const tile = graph.nodeTile[node];
    const bin = Math.floor(fabric.tileY(tile) / binSide) * this.columns + Math.floor(fabric.tileX(tile) / binSide);
    const known = this.bins.get(bin);
    if (known) known.push(at);
    else this.bins.set(bin, [at]);
  }

  /** The source, and all of the first ring of squares around a tile that holds something, with the next ring. */
  near(x: number, y: number, each: (at: number) => void): void {
    const cx = Math.floor(x / binSide);
    const cy = Math.floor(y / binSide);
    let last = Math.max(this.columns, this.rows);
    each(0);
    for (let ring = 0; ring <= last; ring++) {
      for (let by = Math.max(0, cy - ring); by <= Math.min(this.rows - 1, cy + ring); by++)
        for (let bx = Math.max(0, cx - ring); bx <= Math.min(this.columns - 1, cx + ring); bx++) {
          if (Math.max(Math.abs(bx - cx), Math.abs(by - cy)) !== ring) continue;
          const own = this.bins.get(by * this.columns + bx);
          if (!own) continue;
          for (const at of own) if (at > 0) each(at);
          last = Math.min(last, ring + 1);
        }
    }
  }
}
