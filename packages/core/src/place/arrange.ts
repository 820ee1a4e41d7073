import type { StageContext } from "../common/context.ts";
import { Annealer } from "./anneal.ts";
import { globalPlacement } from "./global.ts";
import { legalise } from "./legalise.ts";
import type { DistanceDelay } from "./moves.ts";
import type { PlacementProblem } from "./problem.ts";

export interface ArrangeOptions {
  /** Moves a temperature, as a multiple of (groups)^(4/3). */
  readonly effort: number;
  /** Share of timing in the cost, 0 to 1. */
  readonly timingWeight: number;
}

/** How much connections matter, for places as they are. */
export interface Weights {
  readonly delay: DistanceDelay;
  /** @param x [E] Tile coordinates. @returns [C] 0 to 1, good until the next call, and the longest path in ps. */
  at(x: ArrayLike<number>, y: ArrayLike<number>): { readonly critical: Float32Array; readonly longestPs: number };
}

/**
 * Places for everything that moves: a global placement by springs, made legal, and refined by annealing towards the timing rules.
 * @returns [E] Tile of each entity; null where a stack finds no free stretch of a column.
 */
export function arrange(
  problem: PlacementProblem,
  weights: Weights,
  options: ArrangeOptions,
  context: StageContext,
): Int32Array | null {
  const { groupOf, groupStart, groupEntity, fixedTile, entityCount, part } = problem;
  const { width } = part.fabric;
  const entityX = new Float64Array(entityCount);
  const entityY = new Float64Array(entityCount);
  const lay = (tileOf: Int32Array) => {
    for (let e = 0; e < entityCount; e++) {
      entityX[e] = tileOf[e] % width;
      entityY[e] = Math.floor(tileOf[e] / width);
    }
    return weights.at(entityX, entityY);
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
          entityX[e] = g < 0 ? fixedTile[e] % width : x[g];
          entityY[e] = g < 0 ? Math.floor(fixedTile[e] / width) : y[g];
        }
        for (let g = 0; g + 1 < groupStart.length; g++)
          for (let i = groupStart[g] + 1; i < groupStart[g + 1]; i++) entityY[groupEntity[i]] += i - groupStart[g];
        return weights.at(entityX, entityY).critical.map((own) => own ** 4);
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
      effort: options.effort,
      timingWeight: options.timingWeight,
      heat: 0.15,
      range: 6,
      cooling: 0.9,
      weigh: (tileOf) => {
        const { critical, longestPs } = lay(tileOf);
        return { critical, figure: `${(longestPs / 1000).toFixed(3)} ns estimated`, score: longestPs };
      },
    },
    context,
  );
  return annealer.run();
}
