import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import { Delays, type Part } from "../device/part.ts";
import type { PackedDesign, PlacedDesign } from "../layout/layout.ts";
import { lookaheadFor } from "../layout/lookahead.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { BoundRules } from "../timing/bound-rules.ts";
import { Steering } from "../timing/steering.ts";
import { type ArrangeOptions, arrange, type Weights } from "./arrange.ts";
import type { DistanceDelay } from "./moves.ts";
import { type PlacementProblem, placementProblem, wirelength } from "./problem.ts";

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
  if (packed.clusterCount + netlist.blocks.length === 0)
    return {
      artifact: { clusterTile: new Int32Array(0), blockTile: new Int32Array(0), wirelength: 0, estimatedPs: 0 },
      findings: [],
    };
  const problem = placementProblem(netlist, packed, part);
  const weights = new ConnectionWeights(
    problem,
    new Steering(netlist, packed, goals, part, new Delays(part, "slow-hot")),
  );
  const tileOf = arrange(problem, weights, options, context);
  if (!tileOf) return { artifact: null, findings: [noColumn(problem, netlist.top)] };
  const { width } = part.fabric;
  const x = tileOf.map((tile) => tile % width);
  const y = tileOf.map((tile) => Math.floor(tile / width));
  const { longestPs } = weights.at(x, y);
  const { clusterCount, blockCount } = problem;
  return {
    artifact: {
      clusterTile: tileOf.slice(0, clusterCount),
      blockTile: tileOf.slice(clusterCount, clusterCount + blockCount),
      wirelength: wirelength(problem, x, y),
      estimatedPs: longestPs,
    },
    findings: [],
  };
}

/** How much connections matter, for places as they are. */
class ConnectionWeights implements Weights {
  readonly delay: DistanceDelay;
  private readonly critical: Float32Array;

  constructor(
    private readonly problem: PlacementProblem,
    private readonly steering: Steering,
  ) {
    const { ps, columns, rows, offsetX, offsetY, classes } = lookaheadFor(problem.part);
    this.delay = { ps: ps.subarray((classes - 1) * rows * columns), columns, offsetX, offsetY };
    this.critical = new Float32Array(problem.connSlot.length);
    // what stays within a tile
    const isBetween = new Uint8Array(steering.critical.length);
    for (const slot of problem.connSlot) isBetween[slot] = 1;
    for (let slot = 0; slot < isBetween.length; slot++)
      if (!isBetween[slot] && !steering.isFixed(slot)) steering.setWire(slot, this.ps(0, 0));
  }

  private ps(dx: number, dy: number): number {
    const { ps, columns, offsetX, offsetY } = this.delay;
    return ps[(dy + offsetY) * columns + dx + offsetX];
  }

  at(x: ArrayLike<number>, y: ArrayLike<number>): { critical: Float32Array; longestPs: number } {
    const { connFrom, connTo, connSlot } = this.problem;
    for (let c = 0; c < connSlot.length; c++) {
      const [from, to] = [connFrom[c], connTo[c]];
      this.steering.setWire(
        connSlot[c],
        this.ps(Math.round(x[to]) - Math.round(x[from]), Math.round(y[to]) - Math.round(y[from])),
      );
    }
    const { longestPs } = this.steering.update();
    for (let c = 0; c < connSlot.length; c++) this.critical[c] = this.steering.critical[connSlot[c]];
    return { critical: this.critical, longestPs };
  }
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
