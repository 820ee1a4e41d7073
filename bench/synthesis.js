import "./compiler.js";
import {
  defaultProveOptions,
  MemoryStore,
  prove,
  quietContext,
  runFlow,
  synthesize,
  synthOptionsFor,
} from "@gate-clock/core";
import { exponent } from "./exponent.js";
import { generateDesign } from "./generate.js";

/**
 * Synthesis and proof, from the elaborated design on.
 * 1. Time of synthesis against the mapped LUTs, as a rate, with its growth exponent, and against reading the same text.
 * 2. Memory that synthesis leaves behind for each LUT of its result.
 * 3. Time of the proof that written equals built, against that of the synthesis.
 */
const isQuick = process.argv[2] === "quick";
const sizes = isQuick ? [500, 1000] : [500, 1000, 2000, 5000, 10_000, 20_000];
const proofSizes = isQuick ? [500] : [500, 1000, 2000, 5000];
const context = quietContext();

async function elaborated(luts) {
  const input = {
    name: "bench",
    top: "bench",
    part: "TW-36-P304-2C",
    recipe: "even",
    seed: 1,
    sources: [{ name: "bench.v", text: generateDesign(luts) }],
    pinFiles: [],
    timingFiles: [],
  };
  const result = await runFlow(input, new MemoryStore(), { stopAfter: "elaborate", now: () => performance.now() });
  const reading = result.stages.find((record) => record.stage === "elaborate").elapsedMs;
  const artifact = await result.artifact("elaborate");
  if (!artifact) throw new Error(JSON.stringify(result.findings.slice(0, 3)));
  return { netlist: artifact.netlist, options: synthOptionsFor(result.part), reading };
}

function timed(run) {
  const start = performance.now();
  const value = run();
  return { value, ms: performance.now() - start };
}

/** Memory that a result takes as long as it is kept. Needs --expose-gc. */
async function keptBytes(run) {
  const used = async () => {
    // what earlier work left is let go over several turns
    for (let i = 0; i < 3; i++) {
      await new Promise((resolve) => setTimeout(resolve, 20));
      globalThis.gc();
    }
    const { heapUsed, arrayBuffers } = process.memoryUsage();
    return heapUsed + arrayBuffers;
  };
  const before = await used();
  const kept = run();
  const bytes = (await used()) - before;
  return kept ? bytes : 0;
}

const countLuts = (mapped) => mapped.kind.reduce((sum, kind) => sum + (kind === 0 ? 1 : 0), 0);
const column = (text, width) => String(text).padStart(width);

const warm = await elaborated(2000);
for (let i = 0; i < 8; i++) synthesize(warm.netlist, warm.options, context);

console.log("Synthesis from the elaborated design to LUTs (best of three)");
console.log(...["LUTs", "levels", "time", "LUTs/s", "reading x", "KiB/LUT"].map((name) => column(name, 11)));
const points = [];
for (const size of sizes) {
  const { netlist, options, reading } = await elaborated(size);
  const runs = [1, 2, 3].map(() => {
    const { value, ms } = timed(() => synthesize(netlist, options, context));
    return { ms, luts: countLuts(value.artifact), levels: value.artifact.levels };
  });
  const { ms, luts, levels } = runs.reduce((a, b) => (b.ms < a.ms ? b : a));
  points.push([luts, ms]);
  console.log(
    ...[
      luts,
      levels,
      `${ms.toFixed(0)} ms`,
      Math.round((luts / ms) * 1000),
      (ms / reading).toFixed(1),
      ((await keptBytes(() => synthesize(netlist, options, context).artifact)) / 1024 / luts).toFixed(2),
    ].map((text) => column(text, 11)),
  );
}
console.log(`growth exponent ${exponent(points).toFixed(2)}`);

console.log("\nProof that the circuit as built does what was written");
console.log(...["LUTs", "points", "verdict", "time", "synthesis x"].map((name) => column(name, 11)));
for (const size of proofSizes) {
  const { netlist, options } = await elaborated(size);
  const synthesis = timed(() => synthesize(netlist, options, context));
  const mapped = synthesis.value.artifact;
  const { value: proof, ms } = timed(() => prove(netlist, mapped, options, defaultProveOptions, context));
  console.log(
    ...[
      countLuts(mapped),
      proof.points,
      proof.verdict,
      `${(ms / 1000).toFixed(1)} s`,
      (ms / synthesis.ms).toFixed(1),
    ].map((text) => column(text, 11)),
  );
}
