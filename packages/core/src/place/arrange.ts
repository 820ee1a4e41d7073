import type { StageContext } from "../common/context.ts";
import type { Standing } from "../timing/steering.ts";
import { Annealer } from "./anneal.ts";
import { globalPlacement } from "./global.ts";
import { legalise } from "./legalise.ts";
import type { DistanceDelay } from "./moves.ts";
import type { PlacementProblem } from "./problem.ts";

export interface ArrangeOptions {
  /** How long it is tried: moves of clusters at each temperature, as a multiple of (groups)^(4/3). */
  readonly effort: number;
  /** Share of timing in the cost, 0 to 1. */
  readonly timingWeight: number;
}

/** How much connections matter, for places as they are. */
export interface Weights {
  readonly delay: DistanceDelay;
  /**
   * @param x [E] Tile coordinates. @param place [E] Place in the tile; null where that is not known yet.
   * @returns [C] 0 to 1, good until the next call, and where the design stands.
   */
  at(
    x: ArrayLike<number>,
    y: ArrayLike<number>,
    place: ArrayLike<number> | null,
  ): { readonly critical: Float32Array; readonly standing: Standing };
}

/**
 * Places for everything that moves: a global placement by springs, made legal, and refined by annealing towards the timing rules.
 * @param problem Of clusters.
 * @returns [E] Tile of each entity; null where a stack finds no free stretch of a column.
 */
export function arrange(
  problem: PlacementProblem,
  weights: Weights,
  options: ArrangeOptions,
  context: StageContext,
): Int32Array | null {
  const { groupOf, groupStart, groupEntity, fixedSite, entityCount, part } = problem;
  const { width } = part.fabric;
  const entityX = new Float64Array(entityCount);
  const entityY = new Float64Array(entityCount);
  const lay = (tileOf: Int32Array) => {
    for (let e = 0; e < entityCount; e++) {
      entityX[e] = tileOf[e] % width;
      entityY[e] = Math.floor(tileOf[e] / width);
    }
    return weights.at(entityX, entityY, null);
  };
  const wanted = globalPlacement(
    problem,
    {
      turns: 60,
      pull: 0.03,
      growth: 1.1,
      timingWeight: 8 * options.timingWeight,
      weigh: (x, y) => {
        for (let e = 0; e < entityCount; e++) {
          const g = groupOf[e];
          entityX[e] = g < 0 ? fixedSite[e] % width : x[g];
          entityY[e] = g < 0 ? Math.floor(fixedSite[e] / width) : y[g];
        }
        for (let g = 0; g + 1 < groupStart.length; g++)
          for (let i = groupStart[g] + 1; i < groupStart[g + 1]; i++) entityY[groupEntity[i]] += i - groupStart[g];
        return weights.at(entityX, entityY, null).critical.map((own) => own ** 4);
      },
    },
    context,
  );
  const start = legalise(problem, wanted.x, wanted.y);
  if (!start) return null;
  const annealer = new Annealer(
    problem,
    start,
    weights.delay,
    {
      // Betz and Rose 1997
      movesPer: options.effort * problem.groupKind.length ** (4 / 3),
      timingWeight: options.timingWeight,
      heat: 0.15,
      range: 6,
      cooling: 0.9,
      sharing: null,
      part: [0.5, 0.3],
      weigh: (tileOf) => {
        return lay(tileOf);
      },
    },
    context,
  );
  return annealer.run();
}
