import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import { Delays, type Part } from "../device/part.ts";
import type { PackedDesign, PlacedDesign } from "../layout/layout.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { BoundRules } from "../timing/bound-rules.ts";
import { Steering } from "../timing/steering.ts";
import { type ArrangeOptions, arrange } from "./arrange.ts";
import { clusterProblem, elementProblem, type PlacementProblem, wirelength } from "./problem.ts";
import { settle } from "./settle.ts";
import { ConnectionWeights } from "./weights.ts";

export type PlaceOptions = ArrangeOptions;

/**
 * A packed design to one whose clusters and blocks have places. Pads are fixed by the pin plan.
 * @param goals Timing rules, laid over the circuit without its function.
 */
export function place(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  part: Part,
  goals: BoundRules,
  options: PlaceOptions,
  context: StageContext,
): StageResult<PlacedDesign> {
  const { elementCount, clusterCount } = packed;
  if (elementCount + netlist.blocks.length === 0)
    return {
      artifact: { elementSite: new Int32Array(0), blockTile: new Int32Array(0), wirelength: 0, estimatedPs: 0 },
      findings: [],
    };
  const steering = new Steering(netlist, packed, goals, part, new Delays(part, "slow-hot"));
  const ofClusters = clusterProblem(netlist, packed, part);
  const tileOf = arrange(ofClusters, new ConnectionWeights(ofClusters, netlist, steering), options, context);
  if (!tileOf) return { artifact: null, findings: [noColumn(ofClusters, netlist.top)] };
  const blockTile = tileOf.slice(clusterCount, clusterCount + netlist.blocks.length);
  const places = part.family.elementsPerTile;
  const start = Int32Array.from(packed.elementSlot, (slot, e) => tileOf[packed.elementCluster[e]] * places + slot);
  const ofElements = elementProblem(netlist, packed, part, start, blockTile);
  const weights = new ConnectionWeights(ofElements, netlist, steering);
  const begin = ofElements.fixedSite.slice();
  begin.set(start);
  const siteOf = settle(ofElements, netlist, packed, begin, weights, options, context);
  const { width } = part.fabric;
  const x = siteOf.map((site) => Math.floor(site / places) % width);
  const y = siteOf.map((site) => Math.floor(site / places / width));
  const place = siteOf.map((site) => site % places);
  const { longestPs } = weights.at(x, y, place).standing;
  return {
    artifact: {
      elementSite: siteOf.slice(0, elementCount),
      blockTile,
      wirelength: wirelength(ofElements, x, y),
      estimatedPs: longestPs,
    },
    findings: [],
  };
}

function noColumn({ groupStart, part }: PlacementProblem, top: string): Finding {
  let tallest = 0;
  for (let g = 0; g + 1 < groupStart.length; g++) tallest = Math.max(tallest, groupStart[g + 1] - groupStart[g]);
  return {
    code: "place/no-column",
    severity: "error",
    place: { object: top },
    message: `The carry chains of the design do not find enough free columns in ${part.name}; the longest spans ${tallest} tiles of ${part.die.rows}.`,
    remedy: "Shorten the widest sums and counters, or choose a larger part.",
  };
}
