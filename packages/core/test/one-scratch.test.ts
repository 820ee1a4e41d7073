import { writeFileSync } from "node:fs";
import { it } from "vitest";
import { constantsBothWays } from "./helpers/random-modules.ts";
import { linesOf } from "./helpers/simulation.ts";

it("x", () => {
  const { text, count } = constantsBothWays(161);
  writeFileSync("/tmp/s161.sv", text);
  const lines = linesOf(text, { top: "t" });
  for (let k = 0; k < count; k++) console.log(k, lines[k], lines[count + k]);
}, 100000);
