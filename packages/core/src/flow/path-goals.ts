import { clockSlots, type LayoutNetlist } from "../netlist/mapped.ts";
import { MadeClocks } from "../timing/made-clocks.ts";
import { ownerOfSlots } from "../timing/timing-graph.ts";
import type { PortPeriod } from "./artifacts.ts";

/** [cells] Time that a path into each register may take: the period of its clock, Infinity without one. */
export function pathGoals(netlist: LayoutNetlist, periods: readonly PortPeriod[]): Float64Array {
  const goals = new Float64Array(netlist.cellCount).fill(Infinity);
  const clocks = periods.map(({ port, periodPs }) => ({ name: port, port, periodPs, risePs: 0, fallPs: periodPs / 2 }));
  const made = new MadeClocks(netlist, clocks);
  const owner = ownerOfSlots(netlist);
  clockSlots(netlist).forEach((isClock, slot) => {
    if (!isClock || netlist.inputNet[slot] < 0) return;
    const driver = netlist.netDriver[netlist.inputNet[slot]];
    for (const { periodPs } of made.at(driver)) goals[owner[slot]] = Math.min(goals[owner[slot]], periodPs);
  });
  return goals;
}
