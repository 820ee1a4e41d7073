import "./compiler.js";
import { Cable, MemoryStore, Player, runFlow, SimulatedPart } from "@gate-clock/core";
import { exponent } from "./exponent.js";
import { generateDesign } from "./generate.js";

/**
 * Benchmarks as ratios within one run, so that a slower machine gives the same figures.
 * 1. Time of every stage for designs of several sizes, relative to the smallest, and the growth exponent by least squares.
 * 2. LUT evaluations a second of the simulated part, against a bare loop that does as many look-ups in typed arrays.
 */
const sizes = process.argv[2] === "quick" ? [250, 500] : [250, 500, 1000, 1800];
const stages = ["elaborate", "synth", "pack", "place", "route", "timing", "image"];

async function buildOnce(luts) {
  const input = {
    name: "bench",
    top: "bench",
    part: "TW-2-P144-2C",
    recipe: "even",
    seed: 1,
    sources: [{ name: "bench.v", text: generateDesign(luts) }],
    pinFiles: [],
    timingFiles: [{ name: "bench.sdc", text: "create_clock -name clk -period 8 [get_ports clk]\n" }],
  };
  const result = await runFlow(input, new MemoryStore(), { now: () => performance.now() });
  if (result.status !== "done") throw new Error(JSON.stringify(result.findings.slice(0, 3)));
  return result;
}

await buildOnce(sizes[0]); // warm: compiled code and the part's graph
const rows = [];
for (const size of sizes) {
  const result = await buildOnce(size);
  const netlist = await result.artifact("synth");
  const luts = netlist.kind.reduce((sum, kind) => sum + (kind === 0 ? 1 : 0), 0);
  const timing = await result.artifact("timing");
  rows.push({
    luts,
    result,
    fmax: timing.clocks[0].fmaxMhz,
    times: Object.fromEntries(result.stages.map((record) => [record.stage, record.elapsedMs])),
  });
}
const column = (text, width) => String(text).padStart(width);
console.log("Stage time, relative to the smallest design (its own in ms), and growth exponent");
console.log(column("LUTs", 10), ...rows.map((row) => column(row.luts, 9)), column("exponent", 9));
for (const stage of [...stages, "all"]) {
  const time = (row) => (stage === "all" ? stages.reduce((sum, name) => sum + row.times[name], 0) : row.times[stage]);
  const first = time(rows[0]);
  console.log(
    column(stage, 10),
    ...rows.map((row, i) =>
      column(i === 0 ? `${first.toFixed(0)} ms` : `${(time(row) / Math.max(first, 0.01)).toFixed(1)}x`, 9),
    ),
    column(exponent(rows.map((row) => [row.luts, time(row)])).toFixed(2), 9),
  );
}
console.log(column("fmax MHz", 10), ...rows.map((row) => column(row.fmax.toFixed(1), 9)));

// the simulated part against bare look-ups, in turn, three times; the best of each
console.log("\nSimulated part: LUT evaluations a second, against a bare loop of as many table look-ups");
for (const row of rows) {
  const image = await row.result.artifact("image");
  const device = new SimulatedPart(row.result.part);
  const cable = new Cable(device);
  cable.reset();
  cable.configure(image.file);
  const player = new Player(device, row.result.part, image.ports);
  player.set({ a: 0x5a3c });
  const luts = device.circuit.lutCount;
  const cycles = Math.ceil(4e7 / luts);
  const tables = new Uint8Array(luts * 64).map((_, i) => (i * 2654435761) & 1);
  const inputs = new Int32Array(luts * 6).map((_, i) => (i * 40503) % luts);
  const values = new Uint8Array(luts);
  const bare = () => {
    for (let cycle = 0; cycle < cycles; cycle++) {
      for (let lut = 0; lut < luts; lut++) {
        const at = lut * 6;
        const index =
          values[inputs[at]] |
          (values[inputs[at + 1]] << 1) |
          (values[inputs[at + 2]] << 2) |
          (values[inputs[at + 3]] << 3) |
          (values[inputs[at + 4]] << 4) |
          (values[inputs[at + 5]] << 5);
        values[lut] = tables[lut * 64 + index];
      }
    }
  };
  const rate = (run) => {
    const start = performance.now();
    run();
    return (luts * cycles) / ((performance.now() - start) / 1000);
  };
  let part = 0;
  let loop = 0;
  player.clock("clk", 20_000);
  for (let turn = 0; turn < 3; turn++) {
    part = Math.max(
      part,
      rate(() => player.clock("clk", cycles)),
    );
    loop = Math.max(loop, rate(bare));
  }
  console.log(
    column(`${luts} LUTs`, 10),
    column(`${(part / 1e6).toFixed(0)} M/s`, 10),
    column(`bare ${(loop / 1e6).toFixed(0)} M/s`, 14),
    column(`ratio ${(part / loop).toFixed(2)}`, 12),
    column(`${(part / luts / 1000).toFixed(0)} thousand cycles/s`, 24),
  );
}
