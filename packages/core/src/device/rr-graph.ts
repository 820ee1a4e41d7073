import type { Fabric } from "./fabric.ts";
import { nodeKind, type TilePattern } from "./tile-pattern.ts";

/**
 * Routing-resource graph of a die. Nodes are numbered, edges are computed: from the pattern of a node's tile and the place of that
 * tile. N nodes. Node ids: those of tile t are `tileFirst[t]` up to `tileFirst[t + 1]`, in the order of its pattern.
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
  readonly patterns: PatternEdges;
  /** Inputs of a mux; 0 for output pins. */
  sourceCount(node: number): number;
  /** Node that input i of a mux takes, by select code i + 1; -1 where the edge of the die cuts it off. */
  source(node: number, index: number): number;
  /** Nodes of the clock network that a node feeds: clock muxes and, of a region's clock, none of the tiles' pins. */
  clockTakers(node: number): readonly number[];
}

/**
 * Edges out of the wires and output pins of each kind of tile, in relative form. K kinds of tiles; pattern nodes are the nodes of
 * all kinds, one kind behind the other. Muxes of pins are not among what is fed: a search marks them at its target.
 */
interface PatternEdges {
  readonly kindCount: number;
  /** [tiles] Kind of each tile. */
  readonly kindOfTile: Uint8Array;
  /** [K] First pattern node of each kind. */
  readonly kindFirst: Int32Array;
  /** [pattern nodes + 1] Hops of each: places, relative to its tile, where muxes take it. */
  readonly hopStart: Int32Array;
  readonly hopX: Int8Array;
  readonly hopY: Int8Array;
  /** [K * hops + 1] Muxes of wires at the end of hop h in a tile of kind k, from `takerStart[h * K + k]`; local ids. */
  readonly takerStart: Int32Array;
  readonly taker: Int32Array;
}

/** How the source of a mux input is found. */
const way = { output: 0, wire: 1, regionClock: 2, fixed: 3 } as const;

/** Sources of the muxes of one kind of tile, flat. */
interface FlatSources {
  /** [nodes of the pattern + 1] */
  readonly start: Int32Array;
  readonly way: Uint8Array;
  /** Local id of an output, number of a wire or of a region's clock, or index into `fixed`. */
  readonly value: Int32Array;
  readonly dx: Int8Array;
  readonly dy: Int8Array;
  /** Nodes that are the same wherever the tile lies; -1 where the die has none. */
  readonly fixed: readonly number[];
}

export function buildRoutingGraph(fabric: Fabric): RoutingGraph {
  const { width, height } = fabric;
  const tileCount = width * height;
  const patterns: TilePattern[] = [];
  const kindOfTile = new Uint8Array(tileCount);
  const numberOf = new Map<TilePattern, number>();
  const tileFirst = new Int32Array(tileCount + 1);
  for (let tile = 0; tile < tileCount; tile++) {
    const pattern = fabric.pattern(tile);
    let number = numberOf.get(pattern);
    if (number === undefined) {
      number = patterns.push(pattern) - 1;
      numberOf.set(pattern, number);
    }
    kindOfTile[tile] = number;
    tileFirst[tile + 1] = tileFirst[tile] + pattern.nodes.length;
  }
  const nodeCount = tileFirst[tileCount];
  const nodeTile = new Int32Array(nodeCount);
  const kinds = new Uint8Array(nodeCount);
  const wireClass = new Uint8Array(nodeCount);
  const ownKinds = patterns.map(({ nodes }) => Uint8Array.from(nodes, ({ kind }) => kind));
  const ownClasses = patterns.map(({ nodes }) =>
    Uint8Array.from(nodes, ({ kind, wireType, direction }) =>
      kind === nodeKind.wire ? 4 * wireType + direction : 255,
    ),
  );
  for (let tile = 0; tile < tileCount; tile++) {
    nodeTile.fill(tile, tileFirst[tile], tileFirst[tile + 1]);
    kinds.set(ownKinds[kindOfTile[tile]], tileFirst[tile]);
    wireClass.set(ownClasses[kindOfTile[tile]], tileFirst[tile]);
  }
  const flat = patterns.map((pattern) => flatten(pattern, fabric, tileFirst));
  const regionFirst = fabric.cornerTiles.map((_, region) => fabric.regionClockNode(tileFirst, region, 0));
  const firstWire = Int32Array.from(patterns, (pattern) => pattern.firstWire);

  const source = (node: number, index: number): number => {
    const tile = nodeTile[node];
    const { start, way: ways, value, dx, dy, fixed } = flat[kindOfTile[tile]];
    const at = start[node - tileFirst[tile]] + index;
    switch (ways[at]) {
      case way.output:
        return tileFirst[tile] + value[at];
      case way.wire: {
        const x = (tile % width) + dx[at];
        const y = ((tile / width) | 0) + dy[at];
        if (x < 0 || x >= width || y < 0 || y >= height) return -1;
        const owner = y * width + x;
        return tileFirst[owner] + firstWire[kindOfTile[owner]] + value[at];
      }
      case way.regionClock:
        return regionFirst[fabric.regionOf(tile)] + value[at];
      default:
        return fixed[value[at]];
    }
  };
  const sourceCount = (node: number): number => {
    const tile = nodeTile[node];
    const { start } = flat[kindOfTile[tile]];
    const local = node - tileFirst[tile];
    return start[local + 1] - start[local];
  };
  // the clock network hangs on few nodes, all in the corners
  const clockTakers = new Map<number, number[]>();
  for (const corner of fabric.cornerTiles)
    for (let node = tileFirst[corner]; node < tileFirst[corner + 1]; node++) {
      if (kinds[node] < nodeKind.globalClock) continue;
      for (let i = 0; i < sourceCount(node); i++) {
        const from = source(node, i);
        if (from < 0) continue;
        const known = clockTakers.get(from);
        if (known) known.push(node);
        else clockTakers.set(from, [node]);
      }
    }
  const none: readonly number[] = [];
  return {
    nodeCount,
    tileFirst,
    nodeTile,
    nodeKind: kinds,
    wireClass,
    patterns: edgesOf(patterns, kindOfTile),
    sourceCount,
    source,
    clockTakers: (node) => clockTakers.get(node) ?? none,
  };
}

function flatten({ nodes }: TilePattern, fabric: Fabric, tileFirst: Int32Array): FlatSources {
  const start = new Int32Array(nodes.length + 1);
  nodes.forEach(({ sources }, local) => {
    start[local + 1] = start[local] + sources.length;
  });
  const count = start[nodes.length];
  const ways = new Uint8Array(count);
  const value = new Int32Array(count);
  const dx = new Int8Array(count);
  const dy = new Int8Array(count);
  const fixed: number[] = [];
  let at = 0;
  for (const { sources } of nodes)
    for (const source of sources) {
      switch (source.from) {
        case "output":
          ways[at] = way.output;
          value[at] = source.local;
          break;
        case "wire":
          ways[at] = way.wire;
          value[at] = source.wire;
          dx[at] = source.dx;
          dy[at] = source.dy;
          break;
        case "regionClock":
          ways[at] = way.regionClock;
          value[at] = source.index;
          break;
        default: {
          ways[at] = way.fixed;
          let node = -1;
          if (source.from === "globalClock") node = fabric.globalClockNode(tileFirst, source.index);
          else if (source.from === "clockPad") {
            const pad = fabric.clockPads[source.index];
            if (pad !== undefined) node = fabric.padInputNode(tileFirst, pad);
          } else {
            const corner = fabric.cornerTiles[source.corner];
            node = tileFirst[corner] + fabric.pattern(corner).byName.get(source.name)!;
          }
          value[at] = fixed.push(node) - 1;
        }
      }
      at++;
    }
  return { start, way: ways, value, dx, dy, fixed };
}

/** The wires' muxes turned round: for every wire and output pin, where it is taken, and by which muxes there. */
function edgesOf(patterns: readonly TilePattern[], kindOfTile: Uint8Array): PatternEdges {
  const kindCount = patterns.length;
  const kindFirst = new Int32Array(kindCount);
  let total = 0;
  patterns.forEach(({ nodes }, kind) => {
    kindFirst[kind] = total;
    total += nodes.length;
  });
  const hopStart = new Int32Array(total + 1);
  const hopX: number[] = [];
  const hopY: number[] = [];
  const takerStart: number[] = [0];
  const taker: number[] = [];
  // by the wire's number and the way from it: muxes that take it there, by kind of their tile
  const taken = new Map<string, { x: number; y: number; muxes: number[][] }>();
  patterns.forEach(({ nodes }, kind) => {
    nodes.forEach((node, local) => {
      if (node.kind !== nodeKind.wire) return;
      for (const source of node.sources) {
        if (source.from !== "wire") continue;
        const key = `${source.wire} ${source.dx} ${source.dy}`;
        let hop = taken.get(key);
        if (!hop) {
          hop = { x: -source.dx, y: -source.dy, muxes: patterns.map(() => []) };
          taken.set(key, hop);
        }
        hop.muxes[kind].push(local);
      }
    });
  });
  const hopsOfWire = new Map<number, { x: number; y: number; muxes: number[][] }[]>();
  for (const [key, hop] of taken) {
    const wire = Number(key.split(" ")[0]);
    const known = hopsOfWire.get(wire);
    if (known) known.push(hop);
    else hopsOfWire.set(wire, [hop]);
  }
  patterns.forEach(({ nodes, firstWire }, kind) => {
    nodes.forEach((node, local) => {
      let hops: readonly { x: number; y: number; muxes: readonly (readonly number[])[] }[] = [];
      if (node.kind === nodeKind.wire) hops = hopsOfWire.get(local - firstWire) ?? [];
      else if (node.kind === nodeKind.output) {
        const muxes = nodes.flatMap((mux, m) =>
          mux.kind === nodeKind.wire && mux.sources.some((source) => source.from === "output" && source.local === local)
            ? [m]
            : [],
        );
        hops = [{ x: 0, y: 0, muxes: patterns.map((_, k) => (k === kind ? muxes : [])) }];
      }
      for (const { x, y, muxes } of hops) {
        hopX.push(x);
        hopY.push(y);
        for (const list of muxes) {
          taker.push(...list);
          takerStart.push(taker.length);
        }
      }
      hopStart[kindFirst[kind] + local + 1] = hopX.length;
    });
  });
  return {
    kindCount,
    kindOfTile,
    kindFirst,
    hopStart,
    hopX: Int8Array.from(hopX),
    hopY: Int8Array.from(hopY),
    takerStart: Int32Array.from(takerStart),
    taker: Int32Array.from(taker),
  };
}
