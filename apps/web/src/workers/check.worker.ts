import { checkDesign, type DesignCheck, type DesignInput, type DesignReading, readingOf } from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";

let last: {
  readonly input: DesignInput;
  readonly check: DesignCheck;
  readonly design: Parameters<typeof readingOf>[1];
};

/** Checks a design off the main thread. `tell` hears what is being done, so that the page can say where it stopped. */
const checker = {
  check(input: DesignInput, tell: (step: string) => void): DesignCheck {
    let design: typeof last.design = null;
    const check = checkDesign(input, tell, (made) => {
      design = made;
    });
    last = { input, check, design };
    return check;
  },
  /** What the design that was checked last means: takes about as long again, so findings come first. */
  reading: (): DesignReading => readingOf(last.input, last.design, last.check),
};
export type Checker = typeof checker;
exposeSealed(checker);
