import type { Fabric } from "./fabric.ts";
import { nodeKind } from "./tile-pattern.ts";

/**
 * Routing-resource graph, expanded from the tile patterns. N nodes, E mux inputs. Built once a part, then only read.
 * Node ids: those of tile t are `tileFirst[t]` up to `tileFirst[t + 1]`, in the order of its pattern.
 * Source i of node n is `faninNode[faninStart[n] + i]`, taken by select code i + 1; -1 where the edge of the die cuts
 * it off. `fanoutNode` is the same turned round, without the missing ones.
 */
export interface RoutingGraph {
  readonly nodeCount: number;
  /** [tiles + 1] */
  readonly tileFirst: Int32Array;
  /** [N] */
  readonly nodeTile: Int32Array;
  readonly nodeKind: Uint8Array;
  /** [N] 4 * wire type + direction for wires, else 255. */
  readonly wireClass: Uint8Array;
  /** [N + 1] */
  readonly faninStart: Int32Array;
  readonly faninNode: Int32Array;
  /** [N + 1] */
  readonly fanoutStart: Int32Array;
  readonly fanoutNode: Int32Array;
}

export function buildRoutingGraph(fabric: Fabric): RoutingGraph {
  const { width, height } = fabric;
  const tileCount = width * height;
  const tileFirst = new Int32Array(tileCount + 1);
  for (let tile = 0; tile < tileCount; tile++)
    tileFirst[tile + 1] = tileFirst[tile] + fabric.pattern(tile).nodes.length;
  const nodeCount = tileFirst[tileCount];
  const nodeTile = new Int32Array(nodeCount);
  const kinds = new Uint8Array(nodeCount);
  const wireClass = new Uint8Array(nodeCount).fill(255);
  const faninStart = new Int32Array(nodeCount + 1);
  const fanin: number[] = [];
  for (let tile = 0; tile < tileCount; tile++) {
    const pattern = fabric.pattern(tile);
    const x = tile % width;
    const y = (tile / width) | 0;
    pattern.nodes.forEach((node, local) => {
      const id = tileFirst[tile] + local;
      nodeTile[id] = tile;
      kinds[id] = node.kind;
      if (node.kind === nodeKind.wire) wireClass[id] = 4 * node.wireType + node.direction;
      for (const source of node.sources) {
        let from = -1;
        switch (source.from) {
          case "output":
            from = tileFirst[tile] + source.local;
            break;
          case "wire": {
            const sx = x + source.dx;
            const sy = y + source.dy;
            if (sx >= 0 && sx < width && sy >= 0 && sy < height) {
              const owner = sy * width + sx;
              from = tileFirst[owner] + fabric.pattern(owner).firstWire + source.wire;
            }
            break;
          }
          case "regionClock":
            from = fabric.regionClockNode(tileFirst, fabric.regionOf(tile), source.index);
            break;
          case "globalClock":
            from = fabric.globalClockNode(tileFirst, source.index);
            break;
          case "clockPad": {
            const pad = fabric.clockPads[source.index];
            if (pad !== undefined) from = fabric.padInputNode(tileFirst, pad);
            break;
          }
          case "corner": {
            const corner = fabric.cornerTiles[source.corner];
            from = tileFirst[corner] + fabric.pattern(corner).byName.get(source.name)!;
            break;
          }
        }
        fanin.push(from);
      }
      faninStart[id + 1] = fanin.length;
    });
  }
  const faninNode = Int32Array.from(fanin);
  const fanoutStart = new Int32Array(nodeCount + 1);
  for (const from of faninNode) if (from >= 0) fanoutStart[from + 1]++;
  for (let n = 0; n < nodeCount; n++) fanoutStart[n + 1] += fanoutStart[n];
  const fill = fanoutStart.slice(0, nodeCount);
  const fanoutNode = new Int32Array(fanoutStart[nodeCount]);
  for (let n = 0; n < nodeCount; n++) {
    for (let e = faninStart[n]; e < faninStart[n + 1]; e++) if (faninNode[e] >= 0) fanoutNode[fill[faninNode[e]]++] = n;
  }
  return { nodeCount, tileFirst, nodeTile, nodeKind: kinds, wireClass, faninStart, faninNode, fanoutStart, fanoutNode };
}
