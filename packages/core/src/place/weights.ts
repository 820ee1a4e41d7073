import { Delays } from "../device/part.ts";
import { type ElementWays, elementWays, wayPs } from "../layout/ways.ts";
import { cellKind, type LayoutNetlist } from "../netlist/mapped.ts";
import type { Standing, Steering } from "../timing/steering.ts";
import type { Weights } from "./arrange.ts";
import { LutPins } from "./lut-pins.ts";
import type { DistanceDelay } from "./moves.ts";
import type { PlacementProblem } from "./problem.ts";

/** How much connections matter by the timing rules, for places as they are, with the pins that the router would choose. */
export class ConnectionWeights implements Weights {
  readonly delay: DistanceDelay;
  private readonly critical: Float32Array;
  private readonly lutPs: Float64Array;
  private readonly ways: ElementWays;
  /** [slots] Connection that ends there, -1 for none. */
  private readonly connOf: Int32Array;
  private readonly pins: LutPins;

  constructor(
    private readonly problem: PlacementProblem,
    private readonly netlist: LayoutNetlist,
    private readonly steering: Steering,
  ) {
    const { part, connSlot } = problem;
    this.ways = elementWays(part);
    this.delay = this.ways;
    this.critical = new Float32Array(connSlot.length);
    const delays = new Delays(part, "slow-hot");
    this.lutPs = Float64Array.from({ length: part.family.lutInputs }, (_, pin) => delays.lutPs(pin));
    this.pins = new LutPins(this.ways, problem.places);
    this.connOf = new Int32Array(steering.critical.length).fill(-1);
    connSlot.forEach((slot, c) => {
      this.connOf[slot] = c;
    });
    // what stays within a cluster
    for (let slot = 0; slot < this.connOf.length; slot++)
      if (this.connOf[slot] < 0 && !steering.isFixed(slot)) steering.setWire(slot, wayPs(this.ways, 1, -1, 0, 0, 0, 0));
    for (let slot = 0; slot < this.connOf.length; slot++) steering.setLut(slot, this.lutPs[this.lutPs.length - 1]);
  }

  at(
    x: ArrayLike<number>,
    y: ArrayLike<number>,
    place: ArrayLike<number> | null,
  ): { critical: Float32Array; standing: Standing } {
    const { problem, steering } = this;
    const { connFrom, connTo, connSlot, connKind, places } = problem;
    for (let c = 0; c < connSlot.length; c++) {
      const [from, to] = [connFrom[c], connTo[c]];
      const dx = Math.round(x[to]) - Math.round(x[from]);
      const dy = Math.round(y[to]) - Math.round(y[from]);
      const ps = place
        ? wayPs(this.ways, places, connKind[c], place[from], place[to], dx, dy)
        : wayPs(this.ways, places, -1, 0, 0, dx, dy);
      steering.setWire(connSlot[c], ps);
    }
    if (place) this.dealPins(x, y, place);
    const standing = steering.update();
    for (let c = 0; c < connSlot.length; c++) this.critical[c] = steering.critical[connSlot[c]];
    return { critical: this.critical, standing };
  }

  /** Inputs of a LUT have its pins dealt out by how much they mattered last. */
  private dealPins(x: ArrayLike<number>, y: ArrayLike<number>, place: ArrayLike<number>): void {
    const { netlist, steering, lutPs, problem, connOf, pins } = this;
    const { connFrom, connTo, connKind } = problem;
    const { kind, inputStart, cellCount } = netlist;
    const { critical } = steering;
    const slots = new Int32Array(lutPs.length);
    for (let cell = 0; cell < cellCount; cell++) {
      if (kind[cell] !== cellKind.lut) continue;
      const [first, end] = [inputStart[cell], inputStart[cell + 1]];
      pins.begin();
      for (let slot = first; slot < end; slot++) {
        const c = connOf[slot];
        if (c < 0) continue;
        slots[pins.inputs] = slot;
        const [from, to] = [connFrom[c], connTo[c]];
        // sharply, as moves weigh them
        pins.add(x[to] - x[from], y[to] - y[from], place[from], place[to], connKind[c], critical[slot] ** 8 + 0.01);
      }
      pins.assign();
      for (let i = 0; i < pins.inputs; i++) {
        const pin = pins.pin[i];
        steering.setWire(slots[i], pins.time(i) - this.ways.pinPs[pin]);
        steering.setLut(slots[i], lutPs[pin]);
      }
    }
  }
}
