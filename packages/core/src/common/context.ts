import { Random } from "./random.ts";

/** Thrown out of a stage when its caller cancelled; the flow turns it into a cancelled trial. */
export class CancelledError extends Error {
  override name = "CancelledError";
}

/** How far a stage is. `fraction` runs from 0 to 1; `figure` is the best headline figure so far, in words. */
export interface Progress {
  readonly fraction: number;
  readonly figure?: string;
}

/** All that a stage may depend on besides its inputs and options. The random source is seeded, so runs repeat. */
export interface StageContext {
  readonly random: Random;
  progress(progress: Progress): void;
  /** @throws CancelledError if the caller no longer wants the result. */
  checkCancelled(): void;
}

/** A context for tests and for work too short to report on. */
export function quietContext(seed = 1): StageContext {
  return { random: new Random(seed), progress() {}, checkCancelled() {} };
}
