import { workMs } from "../common/work-clock.ts";

/** ms for one value, and for all values of a design together: more is a loop without an end, or no computation of constants. */
export const mostMsForValue = 4000;
const mostMsForAll = 20_000;

/** How long values are computed before the design exists. */
export class ConstantWork {
  private spent = 0;
  private since: number | null = null;

  /** Computes one value. */
  run<T>(compute: () => T): T {
    if (this.since !== null) return compute();
    this.since = workMs();
    try {
      return compute();
    } finally {
      this.spent += workMs() - this.since;
      this.since = null;
    }
  }

  /** Asked now and then by what computes. False outside of `run`. */
  get isOver(): boolean {
    if (this.since === null) return false;
    const now = workMs() - this.since;
    return now > mostMsForValue || this.spent + now > mostMsForAll;
  }
}
