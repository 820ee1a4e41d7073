import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { FamilyDescription } from "../device/family.ts";
import { bindRules } from "./bind-rules.ts";
import type { BoundRules } from "./bound-rules.ts";
import { buildBuiltGraph, type TimedNetlist } from "./built-graph.ts";
import { builtPlaces } from "./built-places.ts";
import { withJitter } from "./jitter.ts";
import { withoutFunction } from "./without-function.ts";

/** Timing rules laid over a circuit without its function, as `Steering` takes them. */
export function boundGoals(netlist: TimedNetlist, timing: TimingRules, family: FamilyDescription): BoundRules {
  const built = buildBuiltGraph({
    ...netlist,
    ...withoutFunction(netlist),
    fates: netlist.fates,
    origin: netlist.origin,
  });
  const { rules } = bindRules(timing, built.graph, builtPlaces(built));
  return { ...rules, clocks: withJitter(rules.clocks, built, family) };
}
