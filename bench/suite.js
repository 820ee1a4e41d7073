import { readFileSync } from "node:fs";
import { generateDesign } from "./generate.js";

/** Designs on which layout is measured: of every family, from a dozen to some thousand LUTs, in both languages. */

const here = (path) => readFileSync(new URL(path, import.meta.url), "utf8");
const clockText = (port, periodNs) => `create_clock -name ${port} -period ${periodNs} [get_ports ${port}]\n`;

/** One of the demo designs, for one of its boards, with a clock that it cannot reach. */
function demo(folder, target, port) {
  const base = `../designs/${folder}`;
  const main = JSON.parse(here(`${base}/gateclock.json`));
  const of = { ...main, ...main.targets?.find(({ name }) => name === target) };
  return {
    name: `${folder}, ${of.part.split("-").slice(0, 2).join("-")}`,
    top: of.top,
    part: of.part,
    sources: of.sources
      .filter((name) => !name.startsWith("tb_"))
      .map((name) => ({ name, text: here(`${base}/${name}`) })),
    pinFiles: of.pins.map((name) => ({ name, text: here(`${base}/${name}`) })),
    timing: clockText(port, 2),
  };
}

/** A module by itself. @param inside Ports that have no pins. */
function module(name, part, top, text, { clocks = ["clk"], inside = [], file = `${name}.sv` } = {}) {
  return {
    name: `${name}, ${part.split("-").slice(0, 2).join("-")}`,
    top,
    part,
    sources: [{ name: file, text }],
    pinFiles: inside.length ? [{ name: "inside.pins", text: inside.map((port) => `${port} inside\n`).join("") }] : [],
    timing: clocks.map((port, i) => clockText(port, 2 + i)).join(""),
  };
}

const tests = (name) => here(`../packages/core/test/designs/${name}`);
const [small, middle, large] = ["TW-2-P144-2C", "TW-9-P208-2C", "TW-36-P304-2C"];
const registered =
  "module product(input clk, input [31:0] a, b, output reg [31:0] y); reg [31:0] x, z; wire [31:0] w;\n" +
  "fmul f(x, z, w); always @(posedge clk) begin x <= a; z <= b; y <= w; end endmodule\n";

const fewCards =
  "module loom_cards(input clk, rst, output done, output [31:0] shown); card_engine #(64) e(clk, rst, done, shown); endmodule\n";
const flat =
  "module cipher(input clk, input go, input [511:0] in, output [511:0] out, output done); logic [31:0] x [16], y [16];\n" +
  "genvar i; generate for (i = 0; i < 16; i++) begin : word assign x[i] = in[32*i+:32]; assign out[32*i+:32] = y[i]; end endgenerate\n" +
  "chacha c(clk, go, x, y, done); endmodule\n";

export const suite = [
  demo("lamp-test", "treadle", "clk"),
  demo("pick-counter", null, "clk"),
  demo("pick-sequencer", null, "clk"),
  demo("cloth-preview", null, "clk"),
  module("uart", small, "uart_tx", tests("uart.v"), { file: "uart.v" }),
  module("fifo", "CA-1-P84-2C", "fifo2", tests("async_fifo.v"), { file: "fifo.v", clocks: ["wclk", "rclk"] }),
  module("patterns", "CA-1-P84-2C", "bank", here("designs/patterns.v"), { file: "patterns.v" }),
  module("tension", small, "fir", here("designs/tension.v"), { file: "tension.v" }),
  module("product", small, "product", registered + tests("float_multiply.v"), { file: "product.v" }),
  module("cards", middle, "loom_cards", fewCards + tests("card_engine.v"), { file: "cards.v" }),
  module("stack", small, "stack_cpu", tests("stack_cpu.sv")),
  module("chacha", middle, "cipher", flat + tests("chacha.sv"), {
    inside: Array.from({ length: 512 }, (_, i) => [`in[${i}]`, `out[${i}]`]).flat(),
  }),
  module("looms of 800", "CA-1-P84-2C", "bench", generateDesign(800), { file: "looms.v" }),
  module("looms of 500", small, "bench", generateDesign(500), { file: "looms.v" }),
  module("looms of 1,800", small, "bench", generateDesign(1800), { file: "looms.v" }),
  module("looms of 4,400", middle, "bench", generateDesign(4400), { file: "looms.v" }),
];

/** Too long for every run: the sizes that the largest part is for. */
export const largeSuite = [
  module("looms of 10,000", large, "bench", generateDesign(10_000), { file: "looms.v" }),
  module("looms of 30,000", large, "bench", generateDesign(30_000), { file: "looms.v" }),
];

export function inputOf(design, recipe = "even", seed = 1) {
  const { timing, ...rest } = design;
  return { ...rest, recipe, seed, timingFiles: [{ name: "suite.sdc", text: timing }] };
}
