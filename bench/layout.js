import "./compiler.js";
import { spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { layoutNetlist, MemoryStore, routeQuality, runFlow } from "@gate-clock/core";
import { exponent } from "./exponent.js";
import { inputOf, largeSuite, suite } from "./suite.js";

/**
 * Layout of the suite with the recipe even: fmax over seeds, its spread, wirelength, times, and how far routing is from what every
 * connection could have by itself. Writes `docs/results.md`; says which design has become worse than what stood there by over 3 %.
 * `quick`: two seeds, nothing large, nothing written.
 */
const isQuick = process.argv[2] === "quick";
const seeds = isQuick ? 2 : 8;
const file = new URL("../docs/results.md", import.meta.url);

const median = (values) => {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
};
/** Of several clocks the geometric mean. */
const fmaxOf = ({ clocks }) => clocks.reduce((product, { fmaxMhz }) => product * fmaxMhz, 1) ** (1 / clocks.length);

async function build(design, seed, store) {
  const result = await runFlow(inputOf(design, "even", seed), store, { now: () => performance.now() });
  if (result.status !== "done") throw new Error(`${design.name}: ${JSON.stringify(result.findings.slice(0, 2))}`);
  const [netlist, goals, packed, placed, timing] = await Promise.all(
    ["synth", "goals", "pack", "place", "timing"].map((stage) => result.artifact(stage)),
  );
  const ms = Object.fromEntries(result.stages.map(({ stage, elapsedMs }) => [stage, elapsedMs]));
  return { result, netlist, goals, packed, placed, timing, ms };
}

/** What stood in the table before, by design. */
function known() {
  try {
    const rows = readFileSync(file, "utf8").matchAll(/^\| ([^|]+?) +\| +[\d,]+ \| +([\d.]+) \|/gm);
    return new Map([...rows].map(([, name, fmax]) => [name, Number(fmax)]));
  } catch {
    return new Map();
  }
}

const before = known();
const rows = [];
console.log(`Layout with the recipe even, ${seeds} seeds each`);
for (const design of suite) {
  const store = new MemoryStore();
  const runs = [];
  for (let seed = 1; seed <= seeds; seed++) runs.push(await build(design, seed, store));
  const { netlist, goals, packed, placed, result } = runs[0];
  const quality = routeQuality(layoutNetlist(netlist), packed, placed, result.part, goals, 60);
  const fmax = runs.map(({ timing }) => fmaxOf(timing));
  const row = {
    name: design.name,
    luts: netlist.kind.reduce((sum, kind) => sum + (kind === 0 ? 1 : 0), 0),
    fmax: median(fmax),
    spread: (Math.max(...fmax) - Math.min(...fmax)) / median(fmax),
    wirelength: median(runs.map(({ placed: own }) => own.wirelength)),
    place: median(runs.map(({ ms }) => ms.place)) / 1000,
    route: median(runs.map(({ ms }) => ms.route)) / 1000,
    quality,
  };
  rows.push(row);
  const old = before.get(row.name);
  const worse = old !== undefined && row.fmax < 0.97 * old ? `  WORSE: ${old.toFixed(1)} MHz before` : "";
  console.log(
    `${row.name.padEnd(22)} ${String(row.luts).padStart(6)} LUTs  fmax ${row.fmax.toFixed(1).padStart(6)} MHz  spread ${(100 * row.spread).toFixed(1).padStart(4)} %  ` +
      `wire ${row.wirelength.toFixed(0).padStart(6)} tiles  place ${row.place.toFixed(2)} s  route ${row.route.toFixed(2)} s  ` +
      `path ${quality.path.toFixed(3)}x  sum ${quality.sum.toFixed(3)}x  ${quality.passes.toFixed(1)} passes${worse}`,
  );
}
const middle = (pick) => median(rows.map(pick));
console.log(
  `median: spread ${(100 * middle((row) => row.spread)).toFixed(1)} %, path ${middle((row) => row.quality.path).toFixed(3)}x, ` +
    `sum ${middle((row) => row.quality.sum).toFixed(3)}x, ${middle((row) => row.quality.passes).toFixed(1)} passes`,
);

const large = [];
if (!isQuick) {
  const looms = rows.filter(({ name }) => /^looms of [\d,]+, TW/.test(name));
  for (const design of largeSuite) {
    const { netlist, ms, timing, placed } = await build(design, 1, new MemoryStore());
    large.push({
      name: design.name,
      luts: netlist.kind.reduce((sum, kind) => sum + (kind === 0 ? 1 : 0), 0),
      fmax: fmaxOf(timing),
      wirelength: placed.wirelength,
      place: ms.place / 1000,
      route: ms.route / 1000,
      all: Object.values(ms).reduce((sum, own) => sum + own, 0) / 1000,
    });
    const { name, luts, all } = large[large.length - 1];
    console.log(`${name}: ${luts} LUTs from text to bits in ${all.toFixed(0)} s`);
  }
  const points = [...looms, ...large].map(({ luts, place, route }) => [luts, place + route]);
  console.log(`growth of placement and routing with the size of the looms: exponent ${exponent(points).toFixed(2)}`);

  const number = (value) => value.toLocaleString("en-US");
  const lines = rows.map(
    (row) =>
      `| ${row.name} | ${number(row.luts)} | ${row.fmax.toFixed(1)} | ${(100 * row.spread).toFixed(1)} | ${number(Math.round(row.wirelength))} | ` +
      `${row.place.toFixed(2)} | ${row.route.toFixed(2)} | ${row.quality.path.toFixed(3)} | ${row.quality.sum.toFixed(3)} | ${row.quality.passes.toFixed(1)} |`,
  );
  const largeLines = large.map(
    (row) =>
      `| ${row.name} | ${number(row.luts)} | ${row.fmax.toFixed(1)} | ${number(Math.round(row.wirelength))} | ${row.place.toFixed(1)} | ${row.route.toFixed(1)} | ${row.all.toFixed(0)} |`,
  );
  writeFileSync(
    file,
    `# What layout reaches

Made by \`npm run bench\`: the suite (\`bench/suite.js\`) with the recipe *even*, every clock asked for more than it can reach. fmax is the median
over ${seeds} seeds (of several clocks their geometric mean), the spread is from the slowest to the fastest of them. Path and sum are the
longest path and all connections together as routed, beside each connection by itself in an empty part; passes is the work of routing
beside routing every net once. Seconds are of the machine that ran it, and only good to compare with each other. A design that becomes
slower by over 3 % is marked when the table is made again.

| design | LUTs | fmax MHz | spread % | wire, tiles | place s | route s | path x | sum x | passes |
| ------ | ---: | -------: | -------: | ----------: | ------: | ------: | -----: | ----: | -----: |
${lines.join("\n")}

One seed each, from text to bits:

| design | LUTs | fmax MHz | wire, tiles | place s | route s | all s |
| ------ | ---: | -------: | ----------: | ------: | ------: | ----: |
${largeLines.join("\n")}
`,
  );
  // columns in line, as the lint has them
  spawnSync("npx", ["biome", "format", "--write", fileURLToPath(file)], { stdio: "inherit" });
}
