import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { elaborate } from "../src/elaborate/index.ts";
import { synthesize, defaultSynthOptions } from "../src/synth/index.ts";
import { quietContext } from "../src/common/index.ts";
it("smoke", () => {
  const dir = "designs/pick-counter/";
  const files = JSON.parse(readFileSync(dir + "gateclock.json", "utf8")).sources.map((name: string) => ({ name, text: readFileSync(dir + name, "utf8") }));
  const r = elaborate(files, { top: "pick_counter" });
  console.log(r.findings.map((f) => `${f.place.file}:${f.place.line}:${f.place.column} ${f.code} ${f.message}`).join("\n"));
  console.log(r.artifact!.netlist.cells.length, r.artifact!.meaningKey);
  const t0 = performance.now();
  const s = synthesize(r.artifact!.netlist, defaultSynthOptions, quietContext());
  const m = s.artifact!;
  console.log(performance.now() - t0, "ms", "cells", m.cellCount, "luts", m.kind.filter((k) => k === 0).length, "ff", m.kind.filter((k) => k === 1).length, "levels", m.levels);
  console.log(m.cellName.slice(0, 400).join(" "));
  expect(1).toBe(1);
});
