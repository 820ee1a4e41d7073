import { checkDesign, type DesignCheck, type DesignInput } from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";

/** Checks a design off the main thread. `tell` hears what is being done, so that the page can say where it stopped. */
const checker = {
  check: (input: DesignInput, tell: (step: string) => void): DesignCheck => checkDesign(input, tell),
};
export type Checker = typeof checker;
exposeSealed(checker);
