import "./compiler.js";
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { checkDesign, prepare, recordAll, SourceSet, VcdSink, vcdLoader } from "@gate-clock/core";
import { Report } from "../packages/core/dist/elaborate/report.js";
import { Elaboration } from "../packages/core/dist/elaborate/verilog/elaboration.js";
import { parseVerilog } from "../packages/core/dist/hdl/verilog/index.js";

/**
 * Language and simulation as ratios within one run.
 * 1. Clock cycles a second of three designs with their test benches, against JavaScript written by hand for each.
 * 2. Lines a second of parsing and elaborating generated sources, after warm-up.
 * 3. A check as the editor asks for it, in a file of 3,000 lines.
 * 4. A value change dump written and read, against reading its bytes.
 */
const cycles = 500_000;
const text = (name) => readFileSync(fileURLToPath(new URL(`designs/${name}`, import.meta.url)), "utf8");
const column = (value, width) => String(value).padStart(width);

/** The same designs as a person would write them in JavaScript, a function a cycle. */
const byHand = {
  patterns() {
    const q = new Uint16Array(16);
    for (let i = 0; i < 16; i++) q[i] = i * 257 + 1;
    let acc = 0;
    for (let n = 0; n < cycles - 1; n++) {
      let s = 0;
      for (let k = 0; k < 16; k++) s ^= q[k];
      acc = (acc + s) & 0xffff;
      for (let k = 0; k < 16; k++) {
        const v = q[k];
        q[k] = (v << 1) | (((v >> 15) ^ (v >> 13) ^ (v >> 12) ^ (v >> 10)) & 1);
      }
    }
    return acc.toString(16).padStart(4, "0");
  },
  stepper() {
    const rom = new Uint16Array(64).fill(0xf000);
    const regs = new Uint16Array(8);
    const ram = new Uint16Array(256).map((_, i) => i * 3);
    rom.set([
      0x4201,
      0x0000 | (2 << 9) | (2 << 6) | (1 << 3),
      (3 << 12) | (3 << 9) | (3 << 6) | (2 << 3),
      (7 << 12) | (4 << 9) | (2 << 6),
      (5 << 9) | (5 << 6) | (4 << 3),
      (8 << 12) | (2 << 6) | (3 << 3),
      (10 << 12) | (5 << 6),
      (9 << 12) | (1 << 9) | (-6 & 63),
    ]);
    let pc = 0;
    let out = 0;
    for (let n = 0; n < cycles - 1; n++) {
      const op = rom[pc & 63];
      const code = op >> 12;
      const rd = (op >> 9) & 7;
      const a = regs[(op >> 6) & 7];
      const b = regs[(op >> 3) & 7];
      const imm = op & 63;
      const far = (imm << 26) >> 26;
      let next = (pc + 1) & 255;
      switch (code) {
        case 0:
          regs[rd] = a + b;
          break;
        case 1:
          regs[rd] = a - b;
          break;
        case 2:
          regs[rd] = a & b;
          break;
        case 3:
          regs[rd] = a ^ b;
          break;
        case 4:
          regs[rd] = imm;
          break;
        case 5:
          regs[rd] = a + far;
          break;
        case 6:
          regs[rd] = a << (b & 15);
          break;
        case 7:
          regs[rd] = ram[a & 255];
          break;
        case 8:
          ram[a & 255] = b;
          break;
        case 9:
          if (regs[rd] !== 0) next = (pc + far) & 255;
          break;
        case 10:
          out = a;
          break;
      }
      pc = next;
    }
    return out.toString(16).padStart(4, "0");
  },
  tension() {
    const d = new Int16Array(8);
    const p = new Int32Array(8);
    // as the source has it: 3 bits times 37, less 90, in 16 bits
    const coef = Int16Array.from({ length: 8 }, (_, k) => k * 37 - 90);
    let x = 0;
    let y = 0;
    for (let n = 0; n < 2; n++) x = ((x * 5 + 77) << 16) >> 16;
    for (let n = 0; n < cycles - 1; n++) {
      let sum = 0;
      for (let i = 0; i < 8; i++) sum = (sum + p[i]) | 0;
      y = sum;
      for (let i = 0; i < 8; i++) p[i] = Math.imul(d[i], coef[i]);
      for (let i = 7; i > 0; i--) d[i] = d[i - 1];
      d[0] = x;
      x = ((x * 5 + 77) << 16) >> 16;
    }
    return String(y);
  },
};

function best(run, turns) {
  let least = Number.POSITIVE_INFINITY;
  let result;
  for (let i = 0; i < turns; i++) {
    const start = performance.now();
    result = run();
    least = Math.min(least, performance.now() - start);
  }
  return { ms: least, result };
}

/** Time of a whole run of a bench, and what it prints. */
function simulated(file) {
  const { simulation } = prepare([{ name: file, text: text(file) }], { top: "tb" });
  let printed = "";
  simulation.onPrint = (piece) => {
    printed += piece.text;
  };
  const start = performance.now();
  while (simulation.run(4096) === null);
  return { ms: performance.now() - start, printed: printed.trim().toLowerCase() };
}
/** Best times of two benches, run in turns so that a busy machine slows down both. */
function bothSimulated(one, other, turns) {
  const best = [one, other].map((file) => simulated(file));
  for (let i = 1; i < turns; i++)
    [one, other].forEach((file, k) => {
      const { ms } = simulated(file);
      best[k].ms = Math.min(best[k].ms, ms);
    });
  return best;
}

console.log("Simulated clock cycles, against JavaScript written by hand, and VHDL against Verilog");
for (const name of ["patterns", "stepper", "tension"]) {
  const [{ ms, printed }, vhdl] = bothSimulated(`${name}.v`, `${name}.vhd`, 8);
  const hand = best(byHand[name], 6);
  const same =
    printed === hand.result && vhdl.printed === hand.result
      ? "same answer"
      : `answers differ: ${printed}, ${vhdl.printed}, ${hand.result}`;
  console.log(
    column(name, 10),
    column(`${(cycles / ms).toFixed(0)} k/s`, 10),
    column(`by hand ${(cycles / hand.ms).toFixed(0)} k/s`, 22),
    column(`ratio ${(ms / hand.ms).toFixed(0)}`, 12),
    column(`VHDL ${(cycles / vhdl.ms).toFixed(0)} k/s`, 16),
    column(`ratio to Verilog ${(vhdl.ms / ms).toFixed(2)}`, 24),
    `  ${same}`,
  );
}

function lanes(count) {
  let out = "";
  for (let m = 0; m < count; m++)
    out += `module lane${m} #(parameter W = 8, parameter K = ${(m % 17) + 1}) (
  input  wire clk,
  input  wire rst,
  input  wire [W-1:0] warp,
  input  wire [W-1:0] weft,
  output reg  [W-1:0] cloth,
  output wire full
);
  reg  [W-1:0] held;
  wire [W-1:0] mixed = warp ^ (weft + K);
  wire up = mixed > held;
  assign full = &held;
  // the lane keeps the larger one
  always @(posedge clk) begin
    if (rst) begin
      held  <= 0;
      cloth <= 0;
    end else begin
      if (up) held <= mixed;
      case (warp[1:0])
        2'd0: cloth <= held + weft;
        2'd1: cloth <= held - weft;
        2'd2: cloth <= {held[0], held[W-1:1]};
        default: cloth <= ~mixed;
      endcase
    end
  end
endmodule

`;
  out += `module hall(input clk, rst, input [7:0] a, b, output [${count - 1}:0] y);\n`;
  for (let m = 0; m < count; m++)
    out += `  lane${m} #(.W(8)) u${m}(.clk(clk), .rst(rst), .warp(a), .weft(b), .cloth(), .full(y[${m}]));\n`;
  return `${out}endmodule\n`;
}

console.log("\nLines a second after warm-up");
for (const count of [300, 1000, 3000]) {
  const source = lanes(count);
  const lines = source.split("\n").length;
  let syntax;
  let set;
  const parse = best(() => {
    set = new SourceSet([{ name: "hall.v", text: source }]);
    syntax = parseVerilog(set);
  }, 3);
  const elaborate = best(() => new Elaboration(syntax, new Report(set)).design(syntax.modules.at(-1)), 3);
  console.log(
    column(`${lines} lines`, 14),
    column(`parse ${(lines / parse.ms).toFixed(0)} k/s`, 16),
    column(`elaborate ${(lines / elaborate.ms).toFixed(0)} k/s`, 20),
    column(`both ${(lines / (parse.ms + elaborate.ms)).toFixed(0)} k/s`, 16),
  );
}

const file = lanes(100);
const input = {
  name: "hall",
  top: null,
  part: "TW-2-P144-2C",
  sources: [{ name: "hall.v", text: file }],
  pinFiles: [],
  timingFiles: [],
  recipe: "even",
  seed: 1,
};
const check = best(() => checkDesign(input), 8);
const parsed = best(() => parseVerilog(new SourceSet([{ name: "hall.v", text: file }])), 8);
console.log(
  `\nAll findings of a file of ${file.split("\n").length} lines: ${check.ms.toFixed(0)} ms, ${(check.ms / parsed.ms).toFixed(1)} times its parsing`,
);

const pieces = [];
// fewer cycles: all of them would make a dump of gigabytes
const short = text("patterns.v").replace(String(cycles), "20000");
if (!short.includes("20000")) throw new Error("The design counts other cycles than the benchmark.");
const { simulation } = prepare(
  [{ name: "patterns.v", text: short }],
  { top: "tb", record: recordAll },
  new VcdSink((piece) => pieces.push(piece)),
);
const plain = prepare([{ name: "patterns.v", text: short }], {
  top: "tb",
}).simulation;
const start = performance.now();
while (plain.run(4096) === null);
const bare = performance.now() - start;
const recording = performance.now();
while (simulation.run(4096) === null);
const write = performance.now() - recording - bare;
const dump = Buffer.from(pieces.join(""), "latin1");
const megabytes = dump.length / 1e6;
const read = best(() => {
  const { reader, finish } = vcdLoader();
  for (let at = 0; at < dump.length; at += 1 << 16) reader.push(dump.subarray(at, at + (1 << 16)));
  return finish().changes;
}, 3);
let sum = 0;
const bytes = best(() => {
  for (let i = 0; i < dump.length; i++) sum += dump[i];
}, 3);
console.log(
  `\nValue change dump of ${megabytes.toFixed(0)} MB: written at ${(megabytes / (write / 1000)).toFixed(0)} MB/s, read at ${(megabytes / (read.ms / 1000)).toFixed(0)} MB/s, its bytes at ${(megabytes / (bytes.ms / 1000)).toFixed(0)} MB/s (${sum > 0 ? (read.ms / bytes.ms).toFixed(1) : "?"} times)`,
);
