import type { Fabric } from "../device/fabric.ts";
import { Delays, type Part } from "../device/part.ts";
import { cellKind, ffPin, type LayoutNetlist } from "../netlist/mapped.ts";
import { lookaheadFor } from "./lookahead.ts";

/** Pins of an element that a connection can end at. */
const pinKinds = ["lut", "bypass", "enable", "reset"] as const;

/** Kind of a connection between elements: by the pin where it ends, and by whether a flip-flop drives it. */
export function wayKind(netlist: LayoutNetlist, cell: number, slot: number, isRegister: boolean): number {
  const pin = slot - netlist.inputStart[cell];
  let own: (typeof pinKinds)[number] = "lut";
  if (netlist.kind[cell] === cellKind.flipFlop)
    own = pin === ffPin.enable ? "enable" : pin === ffPin.reset ? "reset" : "bypass";
  else if (netlist.kind[cell] === cellKind.carryMux) own = "bypass";
  return 2 * pinKinds.indexOf(own) + Number(isRegister);
}

/**
 * Least delays between elements in an empty part, by where they lie, in ps, at slow-hot. A LUT takes a connection at any of its pins;
 * what a pin costs over the fastest counts as part of the way.
 */
export interface ElementWays {
  /** Tiles in each direction that `near` knows. */
  readonly reach: number;
  /** [kind][place of the driver][place of the sink][dy + reach][dx + reach] */
  readonly near: Float32Array;
  /** [flip-flop drives][place of the driver][place of the sink][dy + reach][dx + reach][pin] To each pin of a LUT by itself. */
  readonly byPin: Float32Array;
  /** [pins] More that a pin of a LUT takes than the fastest. */
  readonly pinPs: Float64Array;
  /** [rows * columns] Between any two places of tiles so far apart: the mean. */
  readonly typical: Float32Array;
  readonly columns: number;
  readonly offsetX: number;
  readonly offsetY: number;
}

/**
 * From an element to another, in ps.
 * @param kind As `wayKind` numbers it; -1 where an end is no element, or places are not known yet.
 */
export function wayPs(
  { near, reach, typical, columns, offsetX, offsetY }: ElementWays,
  places: number,
  kind: number,
  fromPlace: number,
  toPlace: number,
  dx: number,
  dy: number,
): number {
  if (kind < 0 || dx > reach || dx < -reach || dy > reach || dy < -reach)
    return typical[(dy + offsetY) * columns + dx + offsetX];
  const side = 2 * reach + 1;
  return near[(((kind * places + fromPlace) * places + toPlace) * side + dy + reach) * side + dx + reach];
}

/** Where two LUTs lie decides within so many tiles; further away the wires in between do. */
const reach = 6;

/** By die: before grade and corner, which only scale it. */
const tables = new WeakMap<Fabric, ElementWays>();
const scaled = new WeakMap<Fabric, Map<number, ElementWays>>();

/** Kept by die and grade. */
export function elementWays(part: Part): ElementWays {
  const { scale } = new Delays(part, "slow-hot");
  const byScale = scaled.get(part.fabric) ?? new Map<number, ElementWays>();
  scaled.set(part.fabric, byScale);
  let table = byScale.get(scale);
  if (!table) {
    const base = tables.get(part.fabric) ?? buildWays(part);
    tables.set(part.fabric, base);
    table = {
      ...base,
      near: base.near.map((ps) => ps * scale),
      pinPs: base.pinPs.map((ps) => ps * scale),
      typical: base.typical.map((ps) => ps * scale),
      byPin: base.byPin.map((ps) => ps * scale),
    };
    byScale.set(scale, table);
  }
  return table;
}

/** Shortest paths from every output of sample tiles by buckets (Dial 1969), then to every pin around; means over the samples. */
function buildWays(part: Part): ElementWays {
  const { fabric, family } = part;
  const places = family.elementsPerTile;
  const side = 2 * reach + 1;
  const area = side * side;
  const kinds = 2 * pinKinds.length;
  const near = new Float32Array(kinds * places * places * area);
  const inputs = family.lutInputs;
  const byPin = new Float32Array(2 * places * places * area * inputs);
  const counts = new Int32Array(area);
  for (const tile of middleTiles(fabric)) addWays(part, tile, near, byPin, counts);
  for (let i = 0; i < near.length; i++) near[i] /= Math.max(1, counts[i % area]);
  for (let i = 0; i < near.length && i * inputs < byPin.length; i++) {
    let least = Infinity;
    for (let pin = 0; pin < inputs; pin++) {
      byPin[i * inputs + pin] /= Math.max(1, counts[i % area]);
      least = Math.min(least, byPin[i * inputs + pin]);
    }
    near[i] = least;
  }

  const { scale } = new Delays(part, "slow-hot");
  const { ps, rows, columns, offsetX, offsetY, classes } = lookaheadFor(part);
  const typical = ps.slice((classes - 1) * rows * columns, classes * rows * columns).map((own) => own / scale);
  // how much more than the very least a LUT's pins take, in the mean; far away it is the same
  const lutRows = 2 * places * places;
  let [more, known] = [0, 0];
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const at = (dy + reach) * side + dx + reach;
      const [x, y] = [dx + offsetX, dy + offsetY];
      if (counts[at] === 0 || x < 0 || x >= columns || y < 0 || y >= rows) continue;
      let sum = 0;
      for (let row = 0; row < lutRows; row++) sum += near[row * area + at];
      more += sum / lutRows - typical[y * columns + x];
      known++;
    }
  more /= Math.max(1, known);
  for (let i = 0; i < typical.length; i++) typical[i] += more;
  const { lutPs } = family.delays;
  const pinPs = Float64Array.from(lutPs, (ps) => ps - lutPs[inputs - 1]);
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const at = (dy + reach) * side + dx + reach;
      const [x, y] = [dx + offsetX, dy + offsetY];
      const isInside = x >= 0 && x < columns && y >= 0 && y < rows;
      const mean = isInside ? typical[y * columns + x] : 0;
      let sum = 0;
      for (let row = 0; row < kinds * places * places; row++) {
        // no sample has a tile of logic there
        if (counts[at] === 0) {
          near[row * area + at] = mean;
          if (row < lutRows)
            for (let pin = 0; pin < inputs; pin++) byPin[(row * area + at) * inputs + pin] = mean + pinPs[pin];
        }
        if (row < lutRows) sum += near[row * area + at];
      }
      if (isInside) typical[y * columns + x] = sum / lutRows;
    }
  return { reach, near, byPin, pinPs, typical, columns, offsetX, offsetY };
}

/** Logic tiles about the middle, in different columns. */
function middleTiles(fabric: Fabric): number[] {
  const [mx, my] = [fabric.width >> 1, fabric.height >> 1];
  const far = (tile: number) => Math.abs(fabric.tileX(tile) - mx) + Math.abs(fabric.tileY(tile) - my);
  const nearest = new Map<number, number>();
  for (const tile of fabric.logicTiles) {
    const known = nearest.get(fabric.tileX(tile));
    if (known === undefined || far(tile) < far(known)) nearest.set(fabric.tileX(tile), tile);
  }
  return [...nearest.values()].sort((a, b) => far(a) - far(b) || a - b).slice(0, 3);
}

/** [kinds of pins][places] Local ids of an element's pins in its tile. */
function pinsOf({ family, fabric }: Part, tile: number): Int32Array[][] {
  const { byName } = fabric.pattern(tile);
  const local = (...names: string[]) => Int32Array.from(names, (name) => byName.get(name)!);
  const all = Array.from({ length: family.elementsPerTile }, (_, place) => place);
  const group = (place: number) => Math.floor(place / family.elementsPerGroup);
  return [
    all.map((place) => local(...Array.from({ length: family.lutInputs }, (_, i) => `L${place}.${i}`))),
    all.map((place) => local(`B${place}`)),
    all.map((place) => local(`EN${group(place)}`)),
    all.map((place) => local(`SR${group(place)}`)),
  ];
}

/** Adds the ways from the outputs of a tile to all logic tiles around it. @param near, byPin As in `ElementWays`, sums. */
function addWays(part: Part, origin: number, near: Float32Array, byPin: Float32Array, counts: Int32Array): void {
  const { fabric, graph, family } = part;
  const { width, height } = fabric;
  const places = family.elementsPerTile;
  const side = 2 * reach + 1;
  const area = side * side;
  const { lutPs, wirePs, pinMuxPs } = family.delays;
  const fastest = lutPs[lutPs.length - 1];
  const { kindOfTile, kindCount, kindFirst, hopStart, hopX, hopY, takerStart, taker } = graph.patterns;
  const { tileFirst, nodeTile, wireClass } = graph;
  const [ox, oy] = [fabric.tileX(origin), fabric.tileY(origin)];
  // wires that begin further away lead back at most
  const bound = reach + 6;
  const unknown = 2 ** 30;
  /** Where no way was found within those bounds. */
  const beyond = 2 * bound * Math.max(...wirePs);
  const cost = new Int32Array(graph.nodeCount).fill(unknown);
  const span = Math.max(...wirePs) + 1;
  const buckets: number[][] = Array.from({ length: span }, () => []);
  const { byName } = fabric.pattern(origin);
  const pins = pinsOf(part, origin);
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) if (isLogic(ox + dx, oy + dy)) counts[(dy + reach) * side + dx + reach]++;
  for (let isRegister = 0; isRegister < 2; isRegister++)
    for (let from = 0; from < places; from++) {
      const source = tileFirst[origin] + byName.get(`${isRegister ? "Q" : "O"}${from}`)!;
      const touched = [source];
      cost[source] = 0;
      buckets[0].push(source);
      let waiting = 1;
      for (let now = 0; waiting > 0; now++) {
        const bucket = buckets[now % span];
        while (bucket.length) {
          const node = bucket.pop()!;
          waiting--;
          if (cost[node] !== now) continue;
          const tile = nodeTile[node];
          const pattern = kindFirst[kindOfTile[tile]] + node - tileFirst[tile];
          for (let hop = hopStart[pattern]; hop < hopStart[pattern + 1]; hop++) {
            const x = (tile % width) + hopX[hop];
            const y = ((tile / width) | 0) + hopY[hop];
            if (x < 0 || x >= width || y < 0 || y >= height || Math.abs(x - ox) > bound || Math.abs(y - oy) > bound)
              continue;
            const at = y * width + x;
            const list = hop * kindCount + kindOfTile[at];
            for (let i = takerStart[list]; i < takerStart[list + 1]; i++) {
              const next = tileFirst[at] + taker[i];
              const own = now + wirePs[wireClass[next] >> 2];
              if (own >= cost[next]) continue;
              if (cost[next] === unknown) touched.push(next);
              cost[next] = own;
              buckets[own % span].push(next);
              waiting++;
            }
          }
        }
      }
      for (let dy = -reach; dy <= reach; dy++)
        for (let dx = -reach; dx <= reach; dx++) {
          if (!isLogic(ox + dx, oy + dy)) continue;
          const first = tileFirst[(oy + dy) * width + ox + dx];
          const at = (dy + reach) * side + dx + reach;
          for (let k = 0; k < pins.length; k++)
            for (let to = 0; to < places; to++) {
              const row = (((2 * k + isRegister) * places + from) * places + to) * area + at;
              const own = pins[k][to];
              for (let pin = 0; pin < own.length; pin++) {
                const node = first + own[pin];
                let least = beyond;
                for (let i = graph.sourceCount(node) - 1; i >= 0; i--) {
                  const by = graph.source(node, i);
                  if (by >= 0 && cost[by] < least) least = cost[by];
                }
                if (k === 0)
                  byPin[((isRegister * places + from) * places + to) * area * own.length + at * own.length + pin] +=
                    least + pinMuxPs + lutPs[pin] - fastest;
                else near[row] += least + pinMuxPs;
              }
            }
        }
      for (const node of touched) cost[node] = unknown;
    }

  function isLogic(x: number, y: number): boolean {
    return x >= 0 && x < width && y >= 0 && y < height && fabric.tileKind(y * width + x) === "logic";
  }
}
