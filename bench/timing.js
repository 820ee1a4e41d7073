import { elaborate, quietContext, synthesize } from "@gate-clock/core";
import { CircuitObjects } from "../packages/core/dist/constraints/sdc/objects.js";
import { readTimingFiles } from "../packages/core/dist/constraints/sdc/read.js";
import { findFamily } from "../packages/core/dist/device/part.js";
import { defaultSynthOptions } from "../packages/core/dist/synth/index.js";
import { analyze, withValues } from "../packages/core/dist/timing/analysis.js";
import { bindRules } from "../packages/core/dist/timing/bind-rules.js";
import { buildBuiltGraph } from "../packages/core/dist/timing/built-graph.js";
import { builtPlaces } from "../packages/core/dist/timing/built-places.js";
import { worstPaths } from "../packages/core/dist/timing/paths.js";
import { TimingState } from "../packages/core/dist/timing/timing-state.js";
import { buildWrittenGraph } from "../packages/core/dist/timing/written-graph.js";
import { generateDesign } from "./generate.js";

/**
 * Timing analysis, as ratios within one run.
 * 1. Everything worked out anew (latest and earliest arrivals, what is required, slacks of all ends, setup and hold) against
 *    a bare pass over as many edges: latest arrival forward, required time backward, on typed arrays.
 * 2. The same after a change of a few delays, and of one rule's value, against all of it anew.
 * 3. A file of 5,000 lines over 20,000 cells, read and laid over the circuit.
 */
const best = (runs, work) => {
  let least = Infinity;
  for (let i = 0; i < runs; i++) {
    const start = performance.now();
    work();
    least = Math.min(least, performance.now() - start);
  }
  return least;
};

const { artifact } = elaborate([{ name: "bench.v", text: generateDesign(26_000) }], { top: "bench", withKey: false });
const objects = new CircuitObjects(artifact.netlist, artifact.hierarchy);
const netlist = synthesize(artifact.netlist, defaultSynthOptions, quietContext()).artifact;
const built = buildBuiltGraph(netlist);
const { graph } = built;
const rulesOf = (text) =>
  bindRules(readTimingFiles([{ name: "t.sdc", text }], objects).rules, graph, builtPlaces(built)).rules;
const clock = "create_clock -name clk -period 8 [get_ports clk]\n";

let seed = 1;
const random = () => {
  seed = (Math.imul(seed, 1664525) + 1013904223) | 0;
  return (seed >>> 8) / 2 ** 24;
};
const most = Float64Array.from({ length: graph.arcCount }, () => Math.round(50 + 500 * random()));
const isClockPin = new Uint8Array(graph.pinCount);
for (const pin of graph.checkClock) isClockPin[pin] = 1;
const least = most.map((ps, arc) => (isClockPin[graph.arcTo[arc]] ? ps : 0.86 * ps));
const checks = graph.checkData.length;
const delays = { most, least, setup: new Float64Array(checks).fill(100), hold: new Float64Array(checks).fill(20) };
const even = Uint8Array.from(most, (ps, arc) => (ps === least[arc] ? 1 : 0));

/** Latest arrival forward and required time backward over the arcs of the graph, pin by pin, and nothing else. */
function barePass({ active, search, entries }) {
  const rank = new Int32Array(graph.pinCount);
  active.order.forEach((pin, i) => {
    rank[pin] = i;
  });
  const used = new Set(search.edgeArc);
  const inStart = new Int32Array(graph.pinCount + 1);
  const from = [];
  const delay = [];
  active.order.forEach((pin, v) => {
    for (let a = graph.inStart[pin]; a < graph.inStart[pin + 1]; a++) {
      const arc = graph.inArc[a];
      if (!used.has(arc)) continue;
      from.push(rank[graph.arcFrom[arc]]);
      delay.push(most[arc]);
    }
    inStart[v + 1] = from.length;
  });
  const inFrom = Int32Array.from(from);
  const edgeDelay = Float64Array.from(delay);
  const seeds = new Float64Array(graph.pinCount).fill(-Infinity);
  for (const v of search.seedVertex) seeds[rank[search.pin[v]]] = 0;
  const goals = new Float64Array(graph.pinCount).fill(Infinity);
  for (const v of entries.vertex) goals[rank[search.pin[v]]] = 8000;
  const arrival = new Float64Array(graph.pinCount);
  const required = new Float64Array(graph.pinCount);
  const run = () => {
    let e = 0;
    for (let v = 0; v < graph.pinCount; v++) {
      let latest = seeds[v];
      for (const end = inStart[v + 1]; e < end; e++) {
        const time = arrival[inFrom[e]] + edgeDelay[e];
        if (time > latest) latest = time;
      }
      arrival[v] = latest;
    }
    required.set(goals);
    e = inFrom.length - 1;
    for (let v = graph.pinCount - 1; v >= 0; v--) {
      const time = required[v];
      for (const first = inStart[v]; e >= first; e--) {
        const own = time - edgeDelay[e];
        if (own < required[inFrom[e]]) required[inFrom[e]] = own;
      }
    }
    return arrival[0] + required[0];
  };
  return { run, edges: inFrom.length };
}

const cases = {
  "one clock": clock,
  "and 20 exceptions": `${clock}${Array.from({ length: 20 }, (_, i) => `set_multicycle_path -setup 2 -from [get_cells r${i * 20}] -to [get_cells r${i * 20 + 2}]`).join("\n")}\n`,
};
console.log("Timing: all of it anew, against a bare pass forward and backward over as many edges");
for (const [name, text] of Object.entries(cases)) {
  const start = performance.now();
  const analysis = analyze(graph, rulesOf(text), null, even);
  const structureMs = performance.now() - start;
  const { search } = analysis;
  const state = new TimingState(analysis, delays);
  const bare = barePass(analysis);
  let [fullMs, bareMs] = [Infinity, Infinity];
  for (let turn = 0; turn < 8; turn++) {
    bareMs = Math.min(bareMs, best(5, bare.run));
    fullMs = Math.min(
      fullMs,
      best(5, () => state.full()),
    );
  }
  const data = search.edgeArc.filter((arc) => !state.touchesClock(Int32Array.of(arc)));
  // how much hangs on them differs from set to set: the mean over sets, each at its best
  const sets = 12;
  let someMs = 0;
  for (let set = 0; set < sets; set++) {
    const changed = Int32Array.from(
      { length: Math.round(graph.arcCount / 1000) },
      () => data[Math.floor(random() * data.length)],
    );
    let least = Infinity;
    for (let turn = 0; turn < 8; turn++) {
      for (const arc of changed) {
        most[arc] = Math.round(50 + 500 * random());
        delays.least[arc] = 0.86 * most[arc];
      }
      const from = performance.now();
      state.update(changed);
      least = Math.min(least, performance.now() - from);
    }
    someMs += least / sets;
  }
  // one rule says another figure: an input delay where there are no exceptions, else the cycles of one of them
  let rules = analysis.rules;
  let ruleMs = Infinity;
  let anewMs = Infinity;
  for (let turn = 0; turn < 10; turn++) {
    rules =
      rules.exceptions.length > 0
        ? {
            ...rules,
            exceptions: rules.exceptions.map((each, i) => (i === 3 ? { ...each, value: 2 + (turn % 3) } : each)),
          }
        : {
            ...rules,
            uncertainties: [
              { clocks: [0], from: null, to: null, pins: [], setup: true, hold: false, ps: 10 * turn, rule: 0 },
            ],
          };
    let from = performance.now();
    state.changeRules(withValues(state.analysis, rules));
    ruleMs = Math.min(ruleMs, performance.now() - from);
    if (turn > 2) continue;
    from = performance.now();
    new TimingState(analyze(graph, rules, null, even), delays);
    anewMs = Math.min(anewMs, performance.now() - from);
  }
  const pathsMs = best(3, () => worstPaths(state, { kind: "setup", count: 1000 }));
  console.log(
    `${name.padEnd(18)} ${bare.edges} edges (${search.inFrom.length} taken together)  bare ${bareMs.toFixed(2)} ms  all ${fullMs.toFixed(2)} ms ${(fullMs / bareMs).toFixed(2)}x  ` +
      `0.1 % changed ${someMs.toFixed(2)} ms ${(someMs / fullMs).toFixed(2)}x  a rule's value ${ruleMs.toFixed(1)} ms ${(ruleMs / anewMs).toFixed(2)}x of all with its structure  1,000 worst paths ${pathsMs.toFixed(1)} ms  structure ${structureMs.toFixed(0)} ms`,
  );
}

console.log("\nTiming files: read, laid over the circuit as written, and its paths taken apart by them");
const large = elaborate([{ name: "large.v", text: generateDesign(60_000) }], { top: "bench", withKey: false }).artifact;
const world = new CircuitObjects(large.netlist, large.hierarchy);
const registers = world.cells.filter(({ kind }) => kind === "register").map(({ name }) => name);
const written = buildWrittenGraph(world, findFamily("Twill"));
const lines = [clock.trim()];
for (let i = 0; lines.length < 5000; i++) {
  const name = registers[(i * 97) % registers.length];
  const other = registers[(i * 97 + 16) % registers.length];
  lines.push(
    [
      `set_multicycle_path 2 -setup -from [get_cells {${name}}] -to [get_cells {${other}}]`,
      `set_false_path -from [get_cells {${name.replace(/\d+\]$/, "*]")}}] -to [get_pins {${other}/d}]`,
      `set_max_delay 7.5 -from [get_cells -hierarchical {${name}}] -to [get_cells {${other}}]`,
      `set l${i} [expr {${i} * 0.25 + 1}]; set_min_delay [expr {$l${i} / 1000.0}] -to [get_cells {${other}}]`,
    ][i % 4],
  );
}
const text = `${lines.join("\n")}\n`;
for (let turn = 0; turn < 3; turn++) {
  const start = performance.now();
  const read = readTimingFiles([{ name: "large.sdc", text }], world);
  const readMs = performance.now() - start;
  const bound = bindRules(read.rules, written.graph, written.places);
  const boundMs = performance.now() - start - readMs;
  const from = performance.now();
  const analysis = analyze(written.graph, bound.rules, null, new Uint8Array(written.graph.arcCount).fill(1));
  const applied = performance.now() - from;
  console.log(
    `${lines.length} lines over ${world.cells.length} cells, ${read.findings.length + bound.findings.length} findings: read ${readMs.toFixed(0)} ms, laid over ${boundMs.toFixed(0)} ms, ` +
      `taken apart ${applied.toFixed(0)} ms (${analysis.search.vertexCount} vertices, ${analysis.search.isCut ? "given up" : "whole"})`,
  );
}
