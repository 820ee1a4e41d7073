import { describe, expect, it } from "vitest";
import { quietContext, Random, type SourceFile } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import type { RtlNetlist } from "../src/netlist/index.ts";
import { checkSource, defaultSourceCheck, sourceDifferenceVcd } from "../src/prove/index.ts";
import { WordSimulator } from "../src/prove/word-simulator.ts";
import { vcdLoader } from "../src/simulate/index.ts";
import { fuzzRuns, fuzzSeed, longTest } from "./helpers/damage.ts";
import { everydayVerilog, everydayVhdl } from "./helpers/everyday-designs.ts";
import { randomModules } from "./helpers/random-modules.ts";
import { randomVhdl } from "./helpers/random-vhdl.ts";

const netlistOf = (files: readonly SourceFile[], top?: string): RtlNetlist | null =>
  elaborate(files, { top }).artifact?.netlist ?? null;
const file = (text: string, name = "t.sv"): SourceFile[] => [{ name, text }];
const check = (files: readonly SourceFile[], netlist: RtlNetlist, options = defaultSourceCheck) =>
  checkSource(files, netlist, options, quietContext());
const languages = [
  { name: "SystemVerilog", file: "t.sv", make: randomModules, everyday: everydayVerilog },
  { name: "VHDL", file: "t.vhd", make: randomVhdl, everyday: everydayVhdl },
] as const;

/** Ways to read a text wrongly, as a lowering that is at fault might. */
const misreadings: readonly [RegExp, string | ((found: string) => string)][] = [
  [/ \+ /g, " - "],
  [/ - /g, " + "],
  [/ & /g, " | "],
  [/ \^ /g, " & "],
  [/ and /g, " or "],
  [/ xor /g, " and "],
  [/ == /g, " != "],
  [/ = /g, " /= "],
  [/ < /g, " >= "],
  [/ > /g, " < "],
  [/ << /g, " >> "],
  [/\belsif\b.*?\bthen\b/g, "else if false then end if;"],
  [/\bexit when [^;]*;/g, "exit;"],
  [/\bnext when [^;]*;/g, ""],
  [/\bbreak;/g, ";"],
  [/\bcontinue;/g, "break;"],
  [/\breturn [^;]*;(?=\s*(end|\w))/g, ""],
  [/\[(\d+)\]/g, (found) => `[${Math.max(0, Number(found.slice(1, -1)) - 1)}]`],
  [/\((\d)\)/g, (found) => `(${Math.max(0, Number(found.slice(1, -1)) - 1)})`],
  [/'d(\d+)\b/g, (found) => `'d${Number(found.slice(2)) ^ 1}`],
  [/"[01]{2,}"/g, (found) => `"${found.slice(1, -2)}${found.at(-2) === "0" ? "1" : "0"}"`],
  [/\bif \(/g, "if (1 || ("],
  [/\belse\b/g, (found) => `${found} if (0)`],
  [/\bif [^;]*? then\b/g, "if true then"],
  [/ \+ \w+;/g, ";"],
  [/ - 1;/g, ";"],
  [/<= [^;]*;/g, "<= (others => '0');"],
  [/<= [^;]*;/g, "<= 0;"],
  [/\bdownto 0\) xor/g, "downto 0) and"],
  [/<< /g, ">> "],
  [/>>> /g, ">> "],
  [/\bwhen (\w+) =>/g, "when others =>"],
  [/= '1'/g, "= '0'"],
  [/&& !/g, "&& "],
  [/\bSTEP\(3\)/g, "STEP(1)"],
  [/step => 3/g, "step => 1"],
  [/\bposedge clk\b/g, "negedge clk"],
  [/\b\d\b(?=[;) ])/g, (found) => String(Number(found) ^ 1)],
];
function misread(text: string, random: Random): string {
  const [pattern, by] = misreadings[random.below(misreadings.length)];
  const places = [...text.matchAll(pattern)];
  if (places.length === 0) return text;
  const place = places[random.below(places.length)];
  const [found] = place;
  const to = typeof by === "string" ? by : by(found);
  let rest = text.slice(place.index + found.length);
  if (to.endsWith("(1 || (")) {
    // the condition's end
    let depth = 1;
    let at = 0;
    for (; at < rest.length && depth > 0; at++) depth += rest[at] === "(" ? 1 : rest[at] === ")" ? -1 : 0;
    rest = `${rest.slice(0, at)})${rest.slice(at)}`;
  }
  return text.slice(0, place.index) + to + rest;
}

/** Whether random runs of two circuits part ways: at outputs, in levels that both know. */
function isApart(one: RtlNetlist, other: RtlNetlist, random: Random): boolean {
  const clock = one.ports.find(({ name }) => name === "clk");
  for (let run = 0; run < 3; run++) {
    const sides = [one, other].map((netlist) => ({ netlist, circuit: new WordSimulator(netlist) }));
    const set = (name: string, values: readonly number[]) => {
      for (const { netlist, circuit } of sides)
        netlist.ports
          .find((port) => port.name === name)!
          .bits.forEach((net, i) => void circuit.set(net, values[i] as 0 | 1));
    };
    for (let cycle = 0; cycle < 25; cycle++) {
      for (const port of one.ports)
        if (port.direction === "input" && port !== clock)
          set(port.name, port.name === "rst" ? [cycle < 2 ? 1 : 0] : port.bits.map(() => random.below(2)));
      for (const level of clock ? [0, 1] : [0]) {
        if (clock) set("clk", [level]);
        for (const { circuit } of sides) circuit.settle();
        const [a, b] = sides.map(({ netlist, circuit }) =>
          netlist.ports
            .filter(({ direction }) => direction === "output")
            .flatMap(({ bits }) => bits.map((net) => circuit.level[net])),
        );
        if (a.some((level, i) => level !== 2 && b[i] !== 2 && level !== b[i])) return true;
      }
    }
  }
  return false;
}

describe("a text beside the circuit made of it", () => {
  for (const language of languages) {
    it(`agrees for everyday designs in ${language.name}`, () => {
      for (const text of language.everyday) {
        const files = file(text, language.file);
        const result = check(files, netlistOf(files, "dut")!);
        expect({ ...result, text: result.difference && text }).toMatchObject({ verdict: "agrees", neverKnown: [] });
      }
    });
    it(`agrees for random modules in ${language.name}`, longTest, () => {
      for (let i = 0; i < fuzzRuns(8); i++) {
        const { text, spec } = language.make(fuzzSeed + i);
        const files = file(text, language.file);
        const result = check(files, netlistOf(files, spec.entity)!, {
          ...defaultSourceCheck,
          runs: [40, 40, 40],
        });
        expect({ ...result, text: result.difference && text }).toMatchObject({ verdict: "agrees", text: null });
        expect(result.bitsCompared).toBeGreaterThan(300);
      }
    });
    it(`tells circuits of ${language.name} that were made of another reading`, longTest, () => {
      const random = new Random(fuzzSeed);
      const wanted = process.env["GATE_CLOCK_LONG"] ? 500 : 60;
      const tried = new Set<string>();
      let found = 0;
      for (let i = 0; found < wanted; i++) {
        expect(i).toBeLessThan(100 * wanted);
        const text = language.everyday[i % language.everyday.length];
        const files = file(text, language.file);
        const other = misread(
          process.env["GATE_CLOCK_LONG"] && random.below(3) === 0 ? misread(text, random) : text,
          random,
        );
        if (tried.has(other)) continue;
        tried.add(other);
        const wrong = other === text ? null : netlistOf(file(other, language.file), "dut");
        // another reading that does the same is no fault
        const right = netlistOf(files, "dut")!;
        const ports = ({ ports }: RtlNetlist) => ports.map(({ name, bits }) => `${name}:${bits.length}`).join();
        if (!wrong || ports(wrong) !== ports(right) || !isApart(right, wrong, random)) continue;
        const result = check(files, wrong);
        if (result.verdict !== "different") expect.fail(`${JSON.stringify(result)}\n${text}\n---\n${other}`);
        found++;
      }
    });
  }

  it("shows the run as waves", () => {
    const text = (sum: string) =>
      `module m(input clk, input rst, input [3:0] d, output reg [3:0] q); reg [3:0] n; always @(posedge clk) if (rst) n <= 0; else n <= ${sum}; always @(posedge clk) q <= n; endmodule`;
    const result = check(file(text("n + d")), netlistOf(file(text("n - d")))!);
    expect(result.verdict).toBe("different");
    const { difference } = result;
    expect(difference).toMatchObject({ name: "n", what: "register" });
    const { reader, finish } = vcdLoader();
    reader.push(new TextEncoder().encode(sourceDifferenceVcd(difference!)));
    const names = finish().tracks.map(({ path, name }) => [...path, name].join("."));
    expect(names).toEqual(
      expect.arrayContaining(["proof.inputs.d", "proof.as_simulated.q", "proof.as_written.q", "proof.as_simulated.n"]),
    );
  });

  it("compares what several clocks, latches, memories and pins of both directions do", () => {
    const files =
      file(`module m(input clk_a, clk_b, nrst, we, g, input [5:0] a, b, input [3:0] d, output reg [3:0] q, output reg [3:0] h, output reg [2:0] n, output [3:0] r, inout [3:0] io);
      reg [3:0] store [0:63]; reg half = 0; reg oe = 0;
      always @(posedge clk_a) begin if (we) store[a] <= d; half <= ~half; oe <= we ^ a[0]; end
      always @(posedge clk_b) q <= store[b];
      assign r = store[a];
      always @* if (g) h = d ^ q;
      always @(negedge half or negedge nrst) if (!nrst) n <= 0; else n <= n + io[1:0];
      assign io = oe ? d : 4'bzzzz; endmodule`);
    const netlist = netlistOf(files)!;
    const result = check(files, netlist);
    expect(result).toMatchObject({ verdict: "agrees", neverKnown: [], reason: null });
    // each kind of cell, wired otherwise, is told
    const broken = (
      kind: string,
      change: (inputs: readonly (readonly number[])[]) => readonly (readonly number[])[],
    ) => ({
      ...netlist,
      cells: netlist.cells.map((cell) => (cell.kind === kind ? { ...cell, inputs: change(cell.inputs) } : cell)),
    });
    const kinds = new Set(netlist.cells.map(({ kind }) => kind));
    expect(["mem", "latch", "xor", "add"].filter((kind) => !kinds.has(kind as "mem"))).toEqual([]);
    const turned = (bits: readonly number[]) => [...bits.slice(1), bits[0]];
    for (const wrong of [
      broken("mem", (inputs) => inputs.map((bits, i) => (i === 2 ? turned(bits) : bits))),
      broken("latch", ([d, ...rest]) => [turned(d), ...rest]),
      broken("xor", ([a, b]) => [turned(a), b]),
      broken("add", ([a, b]) => [a, turned(b)]),
    ])
      expect(JSON.stringify(check(files, wrong))).toContain('"different"');
  });

  it("gives arrays at ports their elements, and entities whose names are words of Verilog their own", () => {
    const arrays = file(`
      typedef struct { logic [2:0] v [0:1]; logic e; } pair;
      module top (
        input logic clk, input logic [3:0] a [2:0][0:1], input logic signed [2:0] b [3:2], input pair p,
        output logic [3:0] y [3:1], output logic [5:0] s, output pair o
      );
        always_ff @(posedge clk) begin
          y[1] <= a[0][0]; y[2] <= a[1][1]; y[3] <= a[2][0];
          s <= a[0][1] + b[3];
          o.v[0] <= p.v[1] + 1; o.v[1] <= p.v[0] ^ b[2]; o.e <= !p.e;
        end
      endmodule`);
    const names = file(
      `
      library ieee; use ieee.std_logic_1164.all;
      entity reg is
        generic (logic : integer := 2);
        port (input : in std_logic_vector(logic - 1 downto 0); \\a b\\, posedge : in std_logic;
          tri : inout std_logic; initial : out std_logic);
      end;
      architecture a of reg is begin
        initial <= input(0) xor (input(1) and \\a b\\);
        tri <= input(0) when posedge = '1' else 'Z';
      end;`,
      "t.vhd",
    );
    for (const [files, outputs] of [
      [arrays, 3],
      [names, 2],
    ] as const) {
      const netlist = netlistOf(files)!;
      const found = check(files, netlist);
      expect(found).toMatchObject({ verdict: "agrees", outputs, neverKnown: [] });
      // an element that is taken for another one is seen
      const wrong = files.map((each) => ({
        ...each,
        text: each.text.replace("a[1][1]", "a[1][0]").replace("input(0) xor", "input(1) xor"),
      }));
      expect(check(wrong, netlist).verdict).toBe("different");
    }
  });

  it("says what it cannot compare", () => {
    const early = file("module m(input a, output b); initial $finish; assign b = a; endmodule");
    expect(check(early, netlistOf(early)!)).toMatchObject({ verdict: "not compared", bitsCompared: 0 });
    const mute = file("module m(input a); endmodule");
    expect(check(mute, netlistOf(mute)!)).toMatchObject({ reason: "The design has no outputs." });
    const open = file(
      "module m(input clk, a, output reg b, output c); always @(posedge clk) b <= b ^ a; assign c = a; endmodule",
    );
    expect(check(open, netlistOf(open)!)).toMatchObject({ verdict: "agrees", neverKnown: ["b"] });
  });

  it("leaves out values that the design's subtypes do not take", () => {
    const files = file(
      `library ieee; use ieee.std_logic_1164.all;
entity m is port (clk : in std_logic; n : in integer range 0 to 9; k : in natural range 3 to 6; y : out integer range 0 to 15); end entity;
architecture a of m is begin process (clk) begin if rising_edge(clk) then y <= n + k; end if; end process; end architecture;`,
      "m.vhd",
    );
    const result = check(files, netlistOf(files)!);
    expect(result).toMatchObject({ verdict: "agrees", neverKnown: [] });
  });
});
