import type { StageContext } from "../common/context.ts";
import type { Standing } from "../timing/steering.ts";
import { type DistanceDelay, Moves, type Sharing } from "./moves.ts";
import type { PlacementProblem } from "./problem.ts";

interface AnnealOptions {
  /** Moves at each temperature. */
  readonly movesPer: number;
  /** Share of timing in the cost, 0 to 1. */
  readonly timingWeight: number;
  /** How hot it begins: in standard deviations of the cost of moves within the first range. */
  readonly heat: number;
  /** Range of the first moves, in tiles. */
  readonly range: number;
  /** What the temperature is multiplied by from round to round while about half of the moves are taken. */
  readonly cooling: number;
  /** What else must hold for places; null: nothing. */
  readonly sharing: Sharing | null;
  /** Share of the whole that this is, and where it begins: for progress. */
  readonly part: readonly [number, number];
  /** Connections that matter: asked before every temperature. [C] 0 to 1. */
  weigh(siteOf: Int32Array): { critical: Float32Array; standing: Standing };
}

/** Parts of a round, each with new wishes. */
const wishesPer = 8;
/** Criticality counts to this power while moves are wide, and in the end. */
const firstExponent = 4;
const lastExponent = 8;

/**
 * Simulated annealing of a placement that is good already, with the schedule and the range of Betz and Rose 1997, from a low
 * temperature.
 */
export class Annealer {
  private readonly state: Moves;

  constructor(
    private readonly problem: PlacementProblem,
    siteOf: Int32Array,
    delay: DistanceDelay,
    private readonly options: AnnealOptions,
    private readonly context: StageContext,
  ) {
    this.state = new Moves(problem, siteOf, delay, options.timingWeight, context, options.sharing);
  }

  /** Moves looked at, for benchmarks. */
  get moves(): number {
    return this.state.count;
  }

  /** @returns [E] Site of each entity. */
  run(): Int32Array {
    const { options, context, problem, state } = this;
    const groups = problem.groupKind.length;
    const { fabric } = problem.part;
    const widest = Math.max(fabric.width, fabric.height);
    let range = Math.min(widest, options.range);
    const startRange = range;
    let exponent = exponentFor(range, startRange);
    let weighed = options.weigh(state.sites());
    state.refresh(weighed.critical, exponent);
    if (groups === 0) return state.sites();
    const movesPer = Math.max(400, Math.round(options.movesPer));
    let temperature = options.heat * state.deviation(range, Math.max(100, Math.min(2000, groups)));
    let best = state.sites();
    let bestScore = scoreOf(weighed.standing) * state.wirelength;
    const nets = Math.max(1, problem.netStart.length - 1);
    // about how many rounds there will be: for progress alone
    const expected = 30;
    for (let round = 0; round < 200; round++) {
      context.checkCancelled();
      let taken = 0;
      for (let part = 0; part < wishesPer; part++) {
        context.checkCancelled();
        if (part > 0) state.wish();
        taken += state.round(Math.ceil(movesPer / wishesPer), range, temperature) / wishesPer;
      }
      weighed = options.weigh(state.sites());
      exponent = exponentFor(range, startRange);
      state.refresh(weighed.critical, exponent);
      const score = scoreOf(weighed.standing) * state.wirelength;
      if (score < bestScore) {
        bestScore = score;
        best = state.sites();
      }
      const [share, first] = options.part;
      context.progress({
        fraction: first + share * (1 - Math.exp((-2.5 * round) / expected)),
        figure: `${(weighed.standing.longestPs / 1000).toFixed(3)} ns estimated`,
      });
      if (temperature < 0.005 / nets) break;
      temperature *= taken > 0.8 ? 0.7 : taken > 0.15 ? options.cooling : 0.8;
      range = Math.max(1, Math.min(widest, range * (1 - 0.44 + taken)));
    }
    // downhill only, at the end
    state.round(movesPer, 3, 0);
    weighed = options.weigh(state.sites());
    state.recount();
    return scoreOf(weighed.standing) * state.wirelength > bestScore ? best : state.sites();
  }
}

/** The less, the better: the longest path, and what is missing to the goals. */
function scoreOf({ longestPs, slackPs }: Standing): number {
  return longestPs + Math.max(0, -(slackPs ?? 0));
}

/** Criticality counts the more sharply, the nearer moves are. */
function exponentFor(range: number, widest: number): number {
  return firstExponent + (lastExponent - firstExponent) * (1 - (range - 1) / Math.max(1, widest - 1));
}
