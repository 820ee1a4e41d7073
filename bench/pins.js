import {
  checkDesign,
  elaborate,
  findPart,
  movePins,
  parsePins,
  planPins,
  portCircuit,
  resolvePins,
  transferPins,
} from "@gate-clock/core";

/**
 * Pins of the largest package, against one pass over its contacts that looks each of them up by its name: reading and planning
 * lines that are right, lines that are all wrong (what stops a build before placement), automatic places, a bus that is dropped, and
 * a move of all lines to another package. In the page each of these answers one act.
 */
const name = "TW-36-G484-1C";
const { part } = findPart(name);
const width = part.pins.length - 2;
const source = `module wide(input clk, input [${width / 2 - 1}:0] a, output reg [${width / 2 - 1}:0] y); always @(posedge clk) y <= a; endmodule`;
const { artifact } = elaborate([{ name: "wide.v", text: source }], { top: "wide", withKey: false });
const { needs, links } = portCircuit(artifact.netlist);
const best = (work) => {
  let least = Infinity;
  for (let i = 0; i < 12; i++) {
    const start = performance.now();
    work();
    least = Math.min(least, performance.now() - start);
  }
  return least;
};
const automatic = planPins([], needs, part, null, links);
if (!automatic.artifact) throw new Error(automatic.findings[0].message);
const right = automatic.artifact.pins.map(({ port, pin, standard }) => `${port} at ${pin} ${standard}`).join("\n");
const wrong = automatic.artifact.pins
  .map(({ port, pin }, i) => `${port} at ${pin} ${i % 2 ? "LVCMOS18" : "LVCMOS33"} drive=12 pul=up`)
  .join("\n");
const plan = (text) => {
  const parsed = parsePins([{ name: "wide.pins", text }]);
  return { ...planPins(parsed.pins, needs, part, null, links), parsed };
};
const input = (text) => ({
  name: "wide",
  top: "wide",
  part: name,
  recipe: "even",
  seed: 1,
  sources: [{ name: "wide.v", text: source }],
  pinFiles: [{ name: "wide.pins", text }],
  timingFiles: [],
});
const bare =
  best(() => {
    let sum = 0;
    for (let turn = 0; turn < 100; turn++) for (const { name: pin } of part.pins) sum += part.pinByName.get(pin).pad;
    return sum;
  }) / 100;
const read = plan(right).parsed.pins;
const bits = needs.filter(({ bitName }) => bitName.startsWith("y[")).slice(0, 32);
const half = read.filter(({ assignment }) => !assignment.port.startsWith("y["));
const resolved = resolvePins(half, needs, part, null);
const to = findPart("TW-9-P208-1C").part;
const rows = {
  "lines that are right": () => plan(right),
  "lines that are wrong": () => plan(wrong),
  "places by themselves": () => planPins([], needs, part, null, links),
  "a bus that is dropped": () => movePins(bits, part.pins[40], resolved, part),
  "a move to another package": () => transferPins(read, needs, { part, board: null }, { part: to, board: null }),
  "the whole check, all wrong": () => checkDesign(input(wrong)),
};
console.log(
  `Pins: ${needs.length} port bits on ${name} (${part.pins.length} contacts), a bare look at each ${(1000 * bare).toFixed(1)} us`,
);
for (const [what, work] of Object.entries(rows)) {
  const ms = best(work);
  console.log(`${what.padEnd(28)} ${ms.toFixed(1).padStart(7)} ms  ${(ms / bare).toFixed(0).padStart(7)}x`);
}
