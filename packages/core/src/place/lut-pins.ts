import type { ElementWays } from "../layout/ways.ts";

/** Most inputs of a LUT in any family. */
const mostPins = 6;
/** [inputs] Sets of so many pins. */
const setsOf: readonly (readonly number[])[] = Array.from({ length: mostPins + 1 }, (_, size) =>
  Array.from({ length: 1 << mostPins }, (_, set) => set).filter((set) => bitCount(set) === size),
);
function bitCount(set: number): number {
  let count = 0;
  for (let rest = set; rest; rest &= rest - 1) count++;
  return count;
}

/**
 * Pins for the inputs of one LUT: each input comes to each pin after its own time, and no two can have the same. The cheapest
 * assignment by weight, over all sets of pins (Held and Karp 1962). At most 192 steps.
 */
export class LutPins {
  private count = 0;
  private readonly pinPs: Float64Array;
  /** [inputs][pins] ps, and what a ps of each input weighs. */
  readonly ps = new Float64Array(mostPins * mostPins);
  private readonly weight = new Float64Array(mostPins);
  private readonly least = new Float64Array(1 << mostPins);
  /** [inputs] Pin that each has, after `assign`. */
  readonly pin = new Int32Array(mostPins);

  constructor(
    private readonly ways: ElementWays,
    private readonly places: number,
  ) {
    this.pinPs = ways.pinPs;
  }

  get inputs(): number {
    return this.count;
  }
  begin(): void {
    this.count = 0;
  }

  /**
   * One more input, at where it comes from and to. @param kind 0 or 1 as `wayKind` numbers them; -1 where places do not matter.
   * @returns Its time by its best pin, if it had all of them.
   */
  add(dx: number, dy: number, fromPlace: number, toPlace: number, kind: number, weight: number): number {
    const { ways, places, pinPs, ps } = this;
    const { reach, byPin, typical, columns, offsetX, offsetY } = ways;
    const pins = pinPs.length;
    const row = this.count * mostPins;
    let best = Infinity;
    if (kind >= 0 && dx <= reach && dx >= -reach && dy <= reach && dy >= -reach) {
      const side = 2 * reach + 1;
      const first = ((((kind * places + fromPlace) * places + toPlace) * side + dy + reach) * side + dx + reach) * pins;
      for (let pin = 0; pin < pins; pin++) {
        const own = byPin[first + pin];
        ps[row + pin] = own;
        if (own < best) best = own;
      }
    } else {
      best = typical[(dy + offsetY) * columns + dx + offsetX];
      for (let pin = 0; pin < pins; pin++) ps[row + pin] = best + pinPs[pin];
    }
    this.weight[this.count++] = weight;
    return best;
  }

  /** @returns What the inputs take by weight beyond what each would take if it had all pins. */
  contention(): number {
    const { count, ps, weight, least } = this;
    const pins = this.pinPs.length;
    if (count < 2) return 0;
    // where the best pins differ, nothing is lost
    let [taken, isApart] = [0, true];
    let alone = 0;
    for (let i = 0; i < count; i++) {
      let best = 0;
      for (let pin = 1; pin < pins; pin++) if (ps[i * mostPins + pin] <= ps[i * mostPins + best]) best = pin;
      if (taken & (1 << best)) isApart = false;
      taken |= 1 << best;
      alone += weight[i] * ps[i * mostPins + best];
    }
    if (isApart) return 0;
    this.fill();
    let all = Infinity;
    for (const set of setsOf[count]) {
      if (set >= 1 << pins) break;
      if (least[set] < all) all = least[set];
    }
    return all - alone;
  }

  /** Least weighted time of the first inputs, for every set of pins that they may have together. */
  private fill(): void {
    const { count, ps, weight, least } = this;
    const pins = this.pinPs.length;
    least[0] = 0;
    for (let i = 0; i < count; i++) {
      const own = weight[i];
      for (const set of setsOf[i + 1]) {
        if (set >= 1 << pins) break;
        let best = Infinity;
        for (let rest = set; rest; rest &= rest - 1) {
          const bit = rest & -rest;
          const sum = least[set ^ bit] + own * ps[i * mostPins + 31 - Math.clz32(bit)];
          if (sum < best) best = sum;
        }
        least[set] = best;
      }
    }
  }

  /** Fills in `pin`. */
  assign(): void {
    const { count, ps, weight, least, pin } = this;
    const pins = this.pinPs.length;
    this.fill();
    let set = 0;
    let all = Infinity;
    for (const candidate of setsOf[count]) {
      if (candidate >= 1 << pins) break;
      if (least[candidate] < all) [all, set] = [least[candidate], candidate];
    }
    for (let i = count - 1; i >= 0; i--)
      for (let rest = set; rest; rest &= rest - 1) {
        const bit = rest & -rest;
        const own = 31 - Math.clz32(bit);
        if (least[set ^ bit] + weight[i] * ps[i * mostPins + own] > least[set]) continue;
        pin[i] = own;
        set ^= bit;
        break;
      }
  }
  /** Time of an input by the pin that it has. */
  time(input: number): number {
    return this.ps[input * mostPins + this.pin[input]];
  }
}
