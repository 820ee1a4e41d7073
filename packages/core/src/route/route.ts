import type { StageContext } from "../common/context.ts";
import type { StageResult } from "../common/finding.ts";
import { Delays, type Part } from "../device/part.ts";
import type { PackedDesign, PlacedDesign, RoutedDesign } from "../layout/layout.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { BoundRules } from "../timing/bound-rules.ts";
import { Steering } from "../timing/steering.ts";
import { collectConnections } from "./connections.ts";
import { Router } from "./router.ts";

export interface RouteOptions {
  readonly maxIterations: number;
}

/**
 * A placed design to one with its routes.
 * @param goals Timing rules, laid over the circuit without its function.
 */
export function route(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  placed: PlacedDesign,
  part: Part,
  goals: BoundRules,
  options: RouteOptions,
  context: StageContext,
): StageResult<RoutedDesign> {
  const delays = new Delays(part, "slow-hot");
  const router = new Router(
    netlist,
    part,
    collectConnections(netlist, packed, placed, part),
    new Steering(netlist, packed, goals, part, delays),
    delays,
    context,
  );
  return router.run(options);
}
