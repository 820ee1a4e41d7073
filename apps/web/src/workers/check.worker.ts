import { checkDesign } from "@gate-clock/core";
import { expose } from "comlink";

/** Checks a design off the main thread. */
const checker = { check: checkDesign };
export type Checker = typeof checker;
expose(checker);
