import { describe, expect, it } from "vitest";
import { Random } from "../src/common/random.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { runText } from "./helpers/simulation.ts";
import { verilogAsCircuit } from "./helpers/verilog-circuit.ts";

/** What the functions are by definition, on text of digits, the first one the highest. */
const onesOf = (digits: string) => digits.split("1").length - 1;
const reference: Readonly<Record<string, (digits: string) => string>> = {
  $countones: (digits) => String(onesOf(digits)),
  $onehot: (digits) => (onesOf(digits) === 1 ? "1" : "0"),
  $onehot0: (digits) => (onesOf(digits) <= 1 ? "1" : "0"),
  $isunknown: (digits) => (/[xz]/.test(digits) ? "1" : "0"),
};
function clog2(value: bigint): number {
  let count = 0;
  while (2n ** BigInt(count) < value) count++;
  return count;
}

describe("system functions of bits", () => {
  const random = new Random(11);
  const width = 1 + random.below(70);
  const anyBits = () => Array.from({ length: width }, () => "01xz"[random.below(random.below(3) ? 2 : 4)]).join("");

  it("are the same as constants and in simulation, and what they are by definition", () => {
    const values = [
      ...Array.from({ length: 40 }, anyBits),
      "0".repeat(width),
      `${"0".repeat(width - 1)}1`,
      "1".repeat(width),
    ];
    const calls = values.flatMap((digits) => Object.keys(reference).map((name) => ({ name, digits })));
    const literal = (digits: string) => `${width}'b${digits}`;
    const constants = calls.map(({ name, digits }, i) => `localparam int c${i} = ${name}(${literal(digits)});`);
    const run = calls.map(({ name, digits }, i) => `v = ${literal(digits)}; $display("%0d %0d", ${name}(v), c${i});`);
    const text = `module t; reg [${width - 1}:0] v; ${constants.join("\n")} initial begin ${run.join("\n")} end endmodule`;
    const expected = calls.map(({ name, digits }) => reference[name](digits)).map((value) => `${value} ${value}`);
    expect(runText(text).text.trimEnd().split("\n")).toEqual(expected);
  });

  it("count digits of each kind", () => {
    const values = Array.from({ length: 30 }, anyBits);
    const kinds = ["0", "1", "x", "z"];
    const lines = values.map(
      (digits) =>
        `v = ${width}'b${digits}; $display("${kinds.map(() => "%0d").join(" ")} %0d", ${kinds.map((kind) => `$countbits(v, 1'b${kind})`).join(", ")}, $countbits(v, 1'bx, 1'b1));`,
    );
    const ran = runText(`module t; reg [${width - 1}:0] v; initial begin ${lines.join("\n")} end endmodule`);
    const expected = values.map((digits) => {
      const each = kinds.map((kind) => digits.split(kind).length - 1);
      return [...each, each[2] + each[1]].join(" ");
    });
    expect(ran.text.trimEnd().split("\n")).toEqual(expected);
  });

  it("size what they number, as constants and in simulation", () => {
    const values = [
      0n,
      1n,
      2n,
      3n,
      4n,
      5n,
      255n,
      256n,
      257n,
      2n ** 31n,
      2n ** 31n + 1n,
      2n ** 32n - 1n,
      2n ** 60n + 1n,
    ];
    const lines = values.map((value, i) => `v = 64'd${value}; $display("%0d %0d", $clog2(v), c${i});`);
    const constants = values.map((value, i) => `localparam c${i} = $clog2(64'd${value});`);
    const ran = runText(
      `module t; reg [63:0] v; ${constants.join("\n")} initial begin ${lines.join("\n")} end endmodule`,
    );
    expect(ran.text.trimEnd().split("\n")).toEqual(values.map((value) => `${clog2(value)} ${clog2(value)}`));
  });

  it("do as circuits what they do in simulation", () => {
    const text = `module dut(input [12:0] a, output [31:0] ones, size, output one, most, unknown);
assign ones = $countones(a), size = $clog2(a), one = $onehot(a), most = $onehot0(a), unknown = $isunknown(a);
endmodule`;
    const outputs = [
      { name: "ones", width: 32 },
      { name: "size", width: 32 },
      ...["one", "most", "unknown"].map((name) => ({ name, width: 0 })),
    ];
    const compared = verilogAsCircuit(text, {
      entity: "dut",
      inputs: [{ name: "a", width: 13 }],
      outputs,
      seed: 3,
      cycles: 200,
    });
    expect(compared).toBeGreaterThan(100);
  });
});

describe("system functions of real numbers", () => {
  it("take whole numbers too, as constants and in simulation", () => {
    const ran = runText(`module t;
      localparam real half = $itor(5) / 2, root = $sqrt(16), high = $pow(2, 10);
      localparam int cut = $rtoi(-7.9); localparam [63:0] kept = $realtobits(1);
      int i = 5; logic signed [7:0] below = -3; real r = -7.9;
      initial $display("%g %g %g %0d %h | %g %g %g %0d %h %g", half, root, high, cut, kept,
        $itor(i) / 2, $sqrt(16.0), $pow(2.0, i * 2), $rtoi(r), $realtobits(1.0), $itor(below));
    endmodule`);
    expect(ran.text.trim()).toBe("2.5 4 1024 -7 3ff0000000000000 | 2.5 4 1024 -7 3ff0000000000000 -3");
  });

  it("bring bits back to what they were made of", () => {
    const random = new Random(4);
    const values = Array.from({ length: 30 }, () => (random.float() - 0.5) * 10 ** (random.below(40) - 20));
    const lines = values.map(
      (value) => `r = ${value.toExponential(16)}; if ($bitstoreal($realtobits(r)) != r) $display("lost %g", r);`,
    );
    expect(runText(`module t; real r; initial begin ${lines.join("\n")} end endmodule`).text).toBe("");
  });

  it("that lack an argument are told, in every place", () => {
    const told = (call: string) =>
      elaborate([
        { name: "a.sv", text: `module t(output real y); localparam real c = ${call}; assign y = c; endmodule` },
      ]).findings.map(({ code }) => code);
    expect(told("$sqrt()")).toContain("verilog/arguments");
    expect(told("$pow(1.0)")).toContain("verilog/arguments");
    expect(told("$rtoi(1.0, 2.0)")).toContain("verilog/arguments");
  });
});

describe("methods of strings", () => {
  it("are the same as constants and in simulation", () => {
    const calls = [
      "s.len()",
      "s.toupper()",
      "s.substr(1, 3)",
      "s.getc(2)",
      's.compare("Weft")',
      "n.atoi()",
      "h.atohex()",
    ];
    const names = calls.map((_, i) => `c${i}`);
    const kinds = calls.map((call) => (/upper|substr/.test(call) ? "string" : "int"));
    const ran = runText(`module t;
      localparam string s = "Warp end", n = "1_204 ends", h = "ff";
      ${calls.map((call, i) => `localparam ${kinds[i]} ${names[i]} = ${call.replace(/^(\w)/, "$1")};`).join("\n")}
      string sv = s, nv = n, hv = h;
      initial begin
        $display("${calls.map((_, i) => (kinds[i] === "string" ? "%s" : "%0d")).join(" ")}", ${names.join(", ")});
        $display("${calls.map((_, i) => (kinds[i] === "string" ? "%s" : "%0d")).join(" ")}", ${calls.map((call) => call.replace(/^(\w)\./, "$1v.")).join(", ")});
      end endmodule`);
    const [asConstants, inRun] = ran.text.trimEnd().split("\n");
    expect(inRun).toBe("8 WARP END arp 114 -1 1204 255");
    expect(asConstants).toBe(inRun);
  });
});
