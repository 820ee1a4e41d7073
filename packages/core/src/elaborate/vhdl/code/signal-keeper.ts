import { InvariantError } from "../../../common/finding.ts";
import { RunawaySignal } from "../../../common/runaway.ts";
import type { Loc } from "../../../common/source.ts";
import type { Driver, Sig } from "../values/signals.ts";

/**
 * What elaboration asks of what keeps signals as long as a design is simulated. The code that it writes is handed one as `E`; a
 * simulation brings its engine, and where nothing will run, `StillSignals` is enough.
 */
export interface SignalKeeper {
  /** Number of the place that last called what the product's own packages have a body for. */
  readonly from: number;
  /** Number of the present delta cycle. */
  readonly d: number;
  /** Something asks when signals changed last. */
  tracksTimes: boolean;
  /** The next value begins: its turns count by themselves. */
  beginValue(): void;
  /** A new value without a driver, an event if it differs. */
  set(sig: Sig, value: unknown): void;
  /** The driver has a new value: its signal is resolved again. */
  drive(driver: Driver): void;
  /** A transaction. @param delay In fs. @param reject Shorter pulses that go, in fs; -1: transport. */
  after(driver: Driver, value: unknown, delay: number, reject: number): void;
}

/** A place of the design's text: where the product's own packages were called, if it lies within them. */
export function placeIn(places: readonly Loc[], at: number, keeper: { readonly from: number }): Loc | undefined {
  const place = places[at];
  return place && place.file < 0 ? places[keeper.from] : place;
}

/** Turns of loops that one value may take before it is looked at how long it takes. */
const turnsBetween = 256;
const mostTurns = 200_000_000;

/**
 * Signals of a design that will not run: they keep the values that they begin with. Code that is written asks for `now`, `tick`
 * and `currentProcess` as well.
 */
export class StillSignals implements SignalKeeper {
  from = -1;
  readonly d = 0;
  readonly now = 0;
  tracksTimes = false;
  readonly currentProcess = null;
  private turns = 0;

  /** @param isOver Whether the values that are computed before a run have taken too long. */
  constructor(private readonly isOver: () => boolean) {}

  beginValue(): void {
    this.turns = 0;
  }
  /** A turn of a loop, or of a recursion. @throws RunawaySignal */
  tick(): void {
    if (++this.turns % turnsBetween !== 0) return;
    if (this.turns > mostTurns || this.isOver()) throw new RunawaySignal(-1, true);
  }
  set(): never {
    return isStill();
  }
  drive(): never {
    return isStill();
  }
  after(): never {
    return isStill();
  }
}
function isStill(): never {
  throw new InvariantError("A signal of a design that does not run was assigned.");
}
