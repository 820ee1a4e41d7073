import type { Code } from "../../../common/code-pieces.ts";

/** Writes assignments without delay. `driver` is code of the driver, or of the tree of drivers. */
export interface Assignments {
  tree(driver: string, js: string): string | Code;
  whole(driver: string, js: string): string | Code;
  bit(driver: string, lo: string, js: string): string | Code;
  slice(driver: string, lo: string, js: string, bits: string): string | Code;
}

/** By way of the engine, at once. */
export const directAssignments: Assignments = {
  tree: (driver, js) => `E.asTree(${driver},${js});`,
  whole: (driver, js) => `E.as(${driver},${js});`,
  bit: (driver, lo, js) => `E.asBit(${driver},${lo},${js});`,
  slice: (driver, lo, js, bits) => `E.asSlice(${driver},${lo},${js},${bits});`,
};
