import { clockKey, controlKey } from "../layout/controls.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { elementWays } from "../layout/ways.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import { LutPins } from "./lut-pins.ts";
import type { Sharing } from "./moves.ts";
import { invert, type PlacementProblem } from "./problem.ts";

/** Pins of elements that read more are not dealt out anew when those move: it would be most of all work. */
const mostReaders = 16;

/**
 * What elements of a tile share: its flip-flops one clock, those of a group enable and reset. And pins of LUTs, each of which is
 * reached by few wires, so that two inputs may want the same.
 */
export class TileSharing implements Sharing {
  /** [E] Number of the clock, and of enable and reset together; -1 for elements without a flip-flop. */
  private readonly clock: Int32Array;
  private readonly control: Int32Array;
  private readonly places: number;
  private readonly perGroup: number;
  /** [elements + 1] Inputs of the LUT of each: where they begin, of which kind, which connection, what a ps weighs. */
  private readonly inStart: Int32Array;
  private readonly inFrom: Int32Array;
  private readonly inKind: Int8Array;
  private readonly inConn: Int32Array;
  private readonly inWeight: Float64Array;
  readonly touchedStart: Int32Array;
  readonly touched: Int32Array;
  private readonly pins: LutPins;

  constructor(problem: PlacementProblem, netlist: LayoutNetlist, packed: PackedDesign) {
    const { part, connFrom, connTo, connKind, entityCount } = problem;
    this.places = part.family.elementsPerTile;
    this.perGroup = part.family.elementsPerGroup;
    this.clock = numbersOf(packed, (ff) => clockKey(netlist, ff));
    this.control = numbersOf(packed, (ff) => controlKey(netlist, ff));
    const { elementCount } = packed;
    const inputs = [...connFrom.keys()].filter((c) => connTo[c] < elementCount && problem.isLutPin[c] === 1);
    const inStart = new Int32Array(elementCount + 1);
    for (const c of inputs) inStart[connTo[c] + 1]++;
    for (let e = 0; e < elementCount; e++) inStart[e + 1] += inStart[e];
    const fill = inStart.slice();
    this.inStart = inStart;
    this.inFrom = new Int32Array(inputs.length);
    this.inKind = new Int8Array(inputs.length);
    this.inConn = new Int32Array(inputs.length);
    this.inWeight = new Float64Array(inputs.length);
    for (const c of inputs) {
      const i = fill[connTo[c]]++;
      this.inFrom[i] = connFrom[c];
      this.inKind[i] = connKind[c];
      this.inConn[i] = c;
    }
    const readers = invert(entityCount, inStart, this.inFrom);
    const touched: number[] = [];
    this.touchedStart = new Int32Array(entityCount + 1);
    for (let e = 0; e < entityCount; e++) {
      const own = new Set<number>(e < elementCount ? [e] : []);
      if (readers.start[e + 1] - readers.start[e] <= mostReaders)
        for (let i = readers.start[e]; i < readers.start[e + 1]; i++) own.add(readers.row[i]);
      for (const reader of own) if (inStart[reader + 1] - inStart[reader] > 1) touched.push(reader);
      this.touchedStart[e + 1] = touched.length;
    }
    this.touched = Int32Array.from(touched);
    this.pins = new LutPins(elementWays(part), this.places);
  }

  allows(at: Int32Array, entity: number, site: number, instead: number): boolean {
    const { clock, control, places, perGroup } = this;
    const own = clock[entity];
    if (own < 0) return true;
    const first = site - (site % places);
    const group = site - (site % perGroup);
    for (let s = first; s < first + places; s++) {
      const other = at[s];
      if (other < 0 || other === instead || other === entity || clock[other] < 0) continue;
      if (clock[other] !== own) return false;
      if (s >= group && s < group + perGroup && control[other] !== control[entity]) return false;
    }
    return true;
  }

  weigh(weight: Float32Array, base: number): void {
    for (let i = 0; i < this.inConn.length; i++) this.inWeight[i] = weight[this.inConn[i]] + base;
  }

  contention(element: number, pos: Int32Array): number {
    const { inStart, inFrom, inKind, inWeight, pins } = this;
    const to = pos[element];
    pins.begin();
    for (let i = inStart[element]; i < inStart[element + 1]; i++) {
      const from = pos[inFrom[i]];
      pins.add(
        (to & 255) - (from & 255),
        ((to >> 8) & 255) - ((from >> 8) & 255),
        from >> 16,
        to >> 16,
        inKind[i],
        inWeight[i],
      );
    }
    return pins.contention();
  }
}

/** [E] The same number for flip-flops with the same key; -1 for elements without one. */
function numbersOf({ elementFf }: PackedDesign, keyOf: (flipFlop: number) => string): Int32Array {
  const numbers = new Map<string, number>();
  return elementFf.map((ff) => {
    if (ff < 0) return -1;
    const key = keyOf(ff);
    const known = numbers.get(key) ?? numbers.size;
    numbers.set(key, known);
    return known;
  });
}
