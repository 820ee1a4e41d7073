import type { StageContext } from "../common/context.ts";
import type { PackedDesign } from "../layout/layout.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import { Annealer } from "./anneal.ts";
import type { ArrangeOptions, Weights } from "./arrange.ts";
import type { PlacementProblem } from "./problem.ts";
import { TileSharing } from "./sharing.ts";

/** Elements begin near their places: each is tried as often, however many there are. */
const movesAnElement = 2;

/**
 * Elements change places, each by itself, after their clusters were placed: now that it is known which connections matter, what
 * belongs together comes into one tile, at places with a way straight from one to the other. Carry chains and blocks stay.
 * @param problem Of elements. @param siteOf [E] Where all are.
 * @returns [E] Where all are then.
 */
export function settle(
  problem: PlacementProblem,
  netlist: LayoutNetlist,
  packed: PackedDesign,
  siteOf: Int32Array,
  weights: Weights,
  options: ArrangeOptions,
  context: StageContext,
): Int32Array {
  const { entityCount, places, part } = problem;
  const { width } = part.fabric;
  const x = new Float64Array(entityCount);
  const y = new Float64Array(entityCount);
  const place = new Uint8Array(entityCount);
  const annealer = new Annealer(
    problem,
    siteOf,
    weights.delay,
    {
      movesPer: options.effort * movesAnElement * problem.groupKind.length,
      timingWeight: options.timingWeight,
      heat: 0.4,
      range: 4,
      cooling: 0.7,
      sharing: new TileSharing(problem, netlist, packed),
      part: [0.19, 0.8],
      weigh: (sites) => {
        for (let e = 0; e < entityCount; e++) {
          const tile = Math.floor(sites[e] / places);
          x[e] = tile % width;
          y[e] = Math.floor(tile / width);
          place[e] = sites[e] % places;
        }
        return weights.at(x, y, place);
      },
    },
    context,
  );
  return annealer.run();
}
