import { quietContext } from "../common/context.ts";
import { Delays, type Part } from "../device/part.ts";
import type { PackedDesign, PlacedDesign } from "../layout/layout.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { BoundRules } from "../timing/bound-rules.ts";
import { Steering } from "../timing/steering.ts";
import { type Connections, collectConnections } from "./connections.ts";
import { type ConnectionDelays, Router } from "./router.ts";

/** How far routing is from what each connection could have if nothing else were there. */
interface RouteQuality {
  /** Longest path, and sum over all connections without clocks: as routed, beside each by itself. 1 is best. */
  readonly path: number;
  readonly sum: number;
  /** Work beside routing every net once, in steps of the search. */
  readonly passes: number;
}

/**
 * Routes a placed design, and every connection of it by itself; clocks are as routed in both.
 * @returns Null where the design cannot be routed.
 */
export function routeQuality(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  placed: PlacedDesign,
  part: Part,
  goals: BoundRules,
  maxIterations: number,
): RouteQuality | null {
  const delays = new Delays(part, "slow-hot");
  const connections = collectConnections(netlist, packed, placed, part);
  const begin = () => {
    const steering = new Steering(netlist, packed, goals, part, delays);
    return { steering, router: new Router(netlist, part, connections, steering, delays, quietContext()) };
  };
  const routed = begin();
  if (!routed.router.run({ maxIterations }).artifact) return null;
  const own = routed.router.routedDelays();
  const alone = begin();
  const least = alone.router.alone();
  for (let s = 0; s < connections.firstPin.length; s++)
    if (connections.isClockPin[s]) {
      least.wirePs[s] = own.wirePs[s];
      least.pin[s] = own.pin[s];
    }
  const longest = (steering: Steering, of: ConnectionDelays) => {
    tell(steering, connections, of, delays);
    return steering.update().longestPs;
  };
  let [got, best] = [0, 0];
  for (let s = 0; s < connections.firstPin.length; s++) {
    if (connections.isClockPin[s]) continue;
    got += own.wirePs[s];
    best += least.wirePs[s];
  }
  const once = begin();
  once.router.routeOnce();
  return {
    path: longest(routed.steering, own) / longest(alone.steering, least),
    sum: got / best,
    passes: routed.router.pops / once.router.pops,
  };
}

function tell(
  steering: Steering,
  { firstPin, pinCount, slotStart, slot }: Connections,
  of: ConnectionDelays,
  delays: Delays,
): void {
  for (let s = 0; s < firstPin.length; s++)
    for (let i = slotStart[s]; i < slotStart[s + 1]; i++) {
      steering.setWire(slot[i], of.wirePs[s]);
      if (pinCount[s] > 1) steering.setLut(slot[i], delays.lutPs(of.pin[s] - firstPin[s]));
    }
}
