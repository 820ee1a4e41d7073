import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { Aig } from "../src/logic/aig.ts";
import { cellKind, type MappedNetlist } from "../src/netlist/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { balance } from "../src/synth/balance.ts";
import { blast } from "../src/synth/blast.ts";
import { takeOutFactors } from "../src/synth/common-factors.ts";
import { sweep } from "../src/synth/graph-copy.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";

function synth(text: string, lutInputs = 6): MappedNetlist {
  const design = elaborate([{ name: "t.v", text }]);
  if (!design.artifact) throw new Error(design.findings.map((finding) => finding.message).join("\n"));
  const options = { ...defaultSynthOptions, lutInputs };
  const mapped = synthesize(design.artifact.netlist, options, quietContext()).artifact!;
  const proof = prove(design.artifact.netlist, mapped, options, { ...defaultProveOptions, cycles: 64 }, quietContext());
  expect(proof.verdict).toBe("equal");
  return mapped;
}
const count = (netlist: MappedNetlist, kind: number) =>
  netlist.kind.reduce((sum, each) => sum + Number(each === kind), 0);
const machineOf = (netlist: MappedNetlist) => netlist.inferred.find((item) => item.kind === "state machine");

describe("state machines", () => {
  const sequencer = `module m(input clk, input r, go, done, output reg [1:0] y);
    localparam IDLE = 0, LIFT = 3, THROW = 5, BEAT = 6; reg [2:0] s;
    always @(posedge clk) if (r) s <= IDLE; else case (s) IDLE: if (go) s <= LIFT; LIFT: s <= THROW; THROW: if (done) s <= BEAT; BEAT: s <= go ? LIFT : IDLE; default: s <= IDLE; endcase
    always @* case (s) LIFT: y = 1; THROW: y = 2; BEAT: y = 3; default: y = 0; endcase endmodule`;

  it("are found with their states, ways and the codes that are never reached", () => {
    const item = machineOf(synth(sequencer))!;
    expect(item.name).toBe("s");
    expect([...item.machine!.states].sort()).toEqual([0, 3, 5, 6]);
    expect(item.machine!.start).toBe(0);
    expect(new Set(item.machine!.transitions.map(([from, to]) => `${from}>${to}`))).toEqual(
      new Set(["0>3", "3>5", "5>6", "6>3", "6>0"]),
    );
    expect(item.reason).toContain("4 of 8 codes");
  });

  it("have the names that an enumerated type gives their codes, in either language", () => {
    const verilog = `module m(input clk, go, output y); typedef enum logic [2:0] {IDLE = 3, LIFT = 5, BEAT = 6} step; step s;
      assign y = s == BEAT; always_ff @(posedge clk) case (s) IDLE: if (go) s <= LIFT; LIFT: s <= BEAT; default: s <= IDLE; endcase endmodule`;
    expect(elaborate([{ name: "t.sv", text: verilog }]).artifact!.positions.labels).toEqual({
      s: { 3: "IDLE", 5: "LIFT", 6: "BEAT" },
    });
    const vhdl = `library ieee; use ieee.std_logic_1164.all; entity m is port (clk, go : in std_logic; y : out std_logic); end entity;
      architecture rtl of m is type step is (idle, lift, beat); signal s : step; signal b : std_logic; begin b <= go; y <= '1' when s = beat else '0';
      process (clk) begin if rising_edge(clk) then case s is when idle => if b = '1' then s <= lift; end if; when lift => s <= beat; when beat => s <= idle; end case; end if; end process; end architecture;`;
    const design = elaborate([{ name: "t.vhd", text: vhdl }]).artifact!;
    expect(design.positions.labels).toEqual({ s: { 0: "idle", 1: "lift", 2: "beat" } });
    const netlist = synthesize(design.netlist, defaultSynthOptions, quietContext()).artifact!;
    expect(machineOf(netlist)!.machine!.states.map((code) => design.positions.labels["s"][code])).toEqual([
      "idle",
      "lift",
      "beat",
    ]);
  });

  it("are told from counters and from registers that store data", () => {
    expect(
      machineOf(
        synth(
          "module m(input clk, input en, output reg [2:0] s); initial s = 0; always @(posedge clk) if (en) s <= s + 1; endmodule",
        ),
      ),
    ).toBeUndefined();
    expect(
      machineOf(
        synth(
          "module m(input clk, input [2:0] d, input en, output reg [2:0] s); always @(posedge clk) if (en) s <= d; endmodule",
        ),
      ),
    ).toBeUndefined();
    expect(
      machineOf(
        synth("module m(input clk, input [2:0] d, output reg [2:0] s); always @(posedge clk) s <= s ^ d; endmodule"),
      ),
    ).toBeUndefined();
  });

  it("have the names of the constants that their register is compared with", () => {
    const labelsOf = (text: string, name = "t.v") => elaborate([{ name, text }]).artifact!.positions.labels;
    expect(labelsOf(sequencer)["s"]).toEqual({ 0: "IDLE", 3: "LIFT", 5: "THROW", 6: "BEAT" });
    const chained = `package p; localparam logic [1:0] OFF = 2'd2; endpackage
      module m(input clk, go, output y, z); localparam ON = 1, FIRST = 0; logic [1:0] s, t; assign y = s == p::OFF; assign z = t == 2'd3;
      always_ff @(posedge clk) if (s == ON) s <= FIRST; else if (go) s <= ON; else begin s <= 2'd3; t <= t + ON; end endmodule`;
    expect(labelsOf(chained, "t.sv")).toEqual({ s: { 0: "FIRST", 1: "ON", 2: "OFF" } });
    const vhdl = `library ieee; use ieee.std_logic_1164.all; entity m is port (clk : in std_logic; y : out std_logic); end entity;
      architecture rtl of m is constant idle : std_logic_vector(1 downto 0) := "01"; constant beat : std_logic_vector(1 downto 0) := "10";
      signal s : std_logic_vector(1 downto 0) := idle; begin y <= s(1);
      process (clk) begin if rising_edge(clk) then case s is when idle => s <= beat; when others => s <= idle; end case; end if; end process; end architecture;`;
    expect(labelsOf(vhdl, "t.vhd")["s"]).toEqual({ 1: "idle", 2: "beat" });
  });

  const clocked = (ports: string, width: number, body: string) =>
    machineOf(
      synth(
        `module m(input clk, r, ${ports}, output [${width - 1}:0] y); reg [${width - 1}:0] s; assign y = s;
        always @(posedge clk) if (r) s <= 0; else ${body} endmodule`,
      ),
    );

  it.each([
    ["to seven", "s <= s == 6 ? 0 : s + 1;"],
    ["to seven, now and then", "if (a) s <= s == 6 ? 0 : s + 1;"],
    ["to seven, cleared at the top at once", "if (s == 6) s <= 0; else if (a) s <= s + 1;"],
    ["up to the top", "if (a && s != 6) s <= s + 1;"],
    ["up and down between two ends", "if (a) begin if (s != 6) s <= s + 1; end else if (s != 0) s <= s - 1;"],
    ["up, down or not at all", "if (a ^ b) s <= a ? s + 1 : s - 1;"],
    ["once round after a start", "if (s == 0) begin if (a) s <= 1; end else s <= s == 6 ? 0 : s + 1;"],
    ["to a limit from outside", "if (s >= n) s <= 0; else s <= s + 1;"],
    ["down from where a start puts it", "if (s == 0) begin if (a) s <= 6; end else if (b) s <= s - 1;"],
    ["down, loaded at any time", "if (a) s <= 6; else if (b && s != 0) s <= s - 1;"],
    ["while something wide holds", "if (n > 9 && {n, n} != 24) s <= s + 1;"],
  ])("are not what counts %s", (_, body) => {
    expect(clocked("a, b, input [3:0] n", 3, body)).toBeUndefined();
    expect(clocked("a, b, input [3:0] n", 9, body.replace(/\b6\b/g, "300"))).toBeUndefined();
  });

  it("are not what steps through a program, with jumps", () => {
    expect(clocked("a", 4, "if (a && s[1:0] == 1) s <= s ^ 9; else s <= s + 1;")).toBeUndefined();
  });

  it("are those too that step to the next code, each step for a reason of its own", () => {
    const handshake = clocked(
      "a, b, c",
      3,
      "case (s) 0: if (a) s <= s + 1; 1: if (b) s <= s + 1; 2: s <= s + 1; 3: if (c) s <= s + 1; default: s <= 0; endcase",
    );
    expect(handshake!.machine!.transitions).toEqual([0, 1, 2, 3, 4].map((from) => [from, (from + 1) % 5]));
    const waits = clocked("a", 3, "case (s) 0, 2: if (a) s <= s + 1; 4: s <= 0; default: s <= s + 1; endcase");
    expect(waits!.machine!.states).toHaveLength(5);
  });

  it("are found where a way depends on wide sums and comparisons, without ways that these never take", () => {
    const machine = clocked(
      "input [15:0] n, limit, input signed [11:0] a, b",
      3,
      `case (s) 0: if (n >= limit) s <= 3; 3: if (a + b < 5) s <= 1; else if (n > limit && n <= limit) s <= 7; else if (n - limit == 16'd77) s <= 6;
        1: s <= 0; 6: s <= 0; default: s <= 0; endcase`,
    )!.machine!;
    expect(new Set(machine.transitions.map(([from, to]) => `${from}>${to}`))).toEqual(
      new Set(["0>3", "3>1", "3>6", "1>0", "6>0"]),
    );
  });

  it("are found in registers of sixteen bits with a bit for each state", () => {
    const width = 16;
    const ways = Array.from(
      { length: width },
      (_, i) => `s[${i}]: s <= a ? ${width}'d1 << ${(i + 1) % width} : ${width}'d1 << ${(5 * i) % width};`,
    );
    const text = `module m(input clk, a, output [${width - 1}:0] y); reg [${width - 1}:0] s = 1; assign y = s;
      always @(posedge clk) case (1'b1) ${ways.join(" ")} default: s <= 1; endcase endmodule`;
    const { states, transitions } = machineOf(synth(text))!.machine!;
    expect(new Set(states)).toEqual(new Set(Array.from({ length: width }, (_, i) => 1 << i)));
    const expected = new Set<string>();
    for (let i = 0; i < width; i++)
      for (const to of [(i + 1) % width, (5 * i) % width]) if (to !== i) expected.add(`${i}>${to}`);
    expect(new Set(transitions.map((way) => way.map(Math.log2).join(">")))).toEqual(expected);
  });

  it("are found by listing what follows, as running every input from every state does", () => {
    const random = new Random(21);
    for (let round = 0; round < 12; round++) {
      const states = [...new Set(Array.from({ length: 5 }, () => random.below(16)))];
      const next = states.map(() => [random.below(states.length), random.below(states.length)]);
      const text = `module m(input clk, input a, r, output [3:0] y); reg [3:0] s; assign y = s ^ {4{a}};
        always @(posedge clk) if (r) s <= ${states[0]}; else case (s) ${states.map((code, i) => `${code}: s <= a ? ${states[next[i][0]]} : ${states[next[i][1]]};`).join(" ")} default: s <= ${states[0]}; endcase endmodule`;
      const reached = new Set([0]);
      for (const i of reached) for (const to of next[i]) reached.add(to);
      const item = machineOf(synth(text));
      if (reached.size < 3) continue;
      expect(new Set(item!.machine!.states)).toEqual(new Set([...reached].map((i) => states[i])));
    }
  });
});

describe("sharing", () => {
  it("keeps one of two registers, or operators, that are the same, and says so", () => {
    const text = `module m(input clk, input [7:0] a, b, output reg [7:0] x, y, output [7:0] p, q);
      always @(posedge clk) begin x <= a ^ b; y <= b ^ a; end assign p = a + b; assign q = b + a; endmodule`;
    const netlist = synth(text);
    expect(count(netlist, cellKind.flipFlop)).toBe(8);
    expect(netlist.chains).toHaveLength(1);
    expect(netlist.fates.find((fate) => fate.name === "y[3]")).toMatchObject({
      became: "another name of",
      net: "x[3]",
    });
  });

  it("makes one operator of two between which a multiplexer chooses", () => {
    const both = "module m(input s, input [15:0] a, b, c, d, output [15:0] y); assign y = s ? a + b : c + d; endmodule";
    expect(synth(both).chains).toHaveLength(1);
    const common = "module m(input s, input [15:0] a, b, c, output [15:0] y); assign y = s ? a + b : c + a; endmodule";
    const netlist = synth(common);
    expect(netlist.chains).toHaveLength(1);
    expect(count(netlist, cellKind.lut)).toBe(16);
    // a result that is read elsewhere too stays as it is
    const kept =
      "module m(input s, input [15:0] a, b, c, output [15:0] y, z); assign z = a + b; assign y = s ? z : c + a; endmodule";
    expect(synth(kept).chains).toHaveLength(2);
  });

  it("finds shift registers", () => {
    const text =
      "module m(input clk, input d, en, output q); reg [11:0] r; always @(posedge clk) if (en) r <= {r[10:0], d}; assign q = r[11]; endmodule";
    expect(synth(text).inferred).toContainEqual(
      expect.objectContaining({ kind: "shift register", name: "r", shape: "12 long" }),
    );
  });

  it("takes a quotient and its remainder from one division", () => {
    const one = synth("module m(input [9:0] a, b, output [9:0] q); assign q = a / b; endmodule");
    const two = synth("module m(input [9:0] a, b, output [9:0] q, r); assign q = a / b; assign r = a % b; endmodule");
    expect(count(two, cellKind.lut)).toBeLessThan(1.3 * count(one, cellKind.lut));
  });
});

describe("common factors", () => {
  it("leave every function as it was, with fewer gates in sums of products", () => {
    const random = new Random(5);
    let before = 0;
    let after = 0;
    for (let round = 0; round < 60; round++) {
      const names = ["a", "b", "c", "d", "e", "f", "g", "h"];
      const term = (depth: number): string => {
        const kind = random.below(depth > 0 ? 5 : 2);
        const pick = () => names[random.below(names.length)];
        if (kind < 2) return `${random.below(4) ? "" : "~"}${pick()}`;
        if (kind === 2) return `((${pick()} & ${term(depth - 1)}) | (${term(depth - 1)} & ${pick()}))`;
        return `(${term(depth - 1)} ${kind === 3 ? "&" : "|"} ${term(depth - 1)})`;
      };
      const text = `module m(input ${names.join(", ")}, output y, z); assign y = ${term(5)}; assign z = ${term(4)}; endmodule`;
      const { netlist } = elaborate([{ name: "t.v", text }]).artifact!;
      const graph = sweep(blast(netlist, defaultSynthOptions));
      const made = takeOutFactors(graph);
      const table = (each: typeof graph) => {
        const value = new Array<bigint>(each.aig.nodeCount).fill(0n);
        const all = (1n << 256n) - 1n;
        netlist.ports.forEach((port, i) => {
          const input = each.inputs.find(({ net }) => net === port.bits[0]);
          if (!input) return;
          for (let row = 0; row < 256; row++) if ((row >> i) & 1) value[input.node] |= 1n << BigInt(row);
        });
        const of = (literal: number) => value[literal >> 1] ^ (literal & 1 ? all : 0n);
        for (let node = 1; node < each.aig.nodeCount; node++)
          if (each.aig.isAnd(node)) value[node] = of(each.aig.fanin0[node]) & of(each.aig.fanin1[node]);
        return each.outputs.map(({ literal }) => of(literal));
      };
      expect(table(made)).toEqual(table(graph));
      before += graph.aig.nodeCount;
      after += made.aig.nodeCount;
    }
    expect(after).toBeLessThan(before);
  });

  it("are taken out of chains of 20,000 gates without running out of stack", () => {
    const text = `module m(input [19999:0] a, input s, output y, z); wire [20000:0] c, d; assign c[0] = s; assign d[0] = s;
      genvar i; generate for (i = 0; i < 20000; i = i + 1) begin assign c[i+1] = c[i] & a[i]; assign d[i+1] = (s & d[i]) | (s & a[i]); end endgenerate
      assign y = c[20000] | (s & a[5]); assign z = d[20000]; endmodule`;
    const { netlist } = elaborate([{ name: "t.v", text }]).artifact!;
    const graph = sweep(blast(netlist, defaultSynthOptions));
    expect(takeOutFactors(graph).aig.nodeCount).toBeLessThanOrEqual(graph.aig.nodeCount);
  });
});

describe("known counts", () => {
  it("a function of six inputs is one LUT, a 16 to 1 multiplexer five", () => {
    expect(
      count(
        synth(
          "module m(input [5:0] a, output y); assign y = (a[0] & a[1]) ^ (a[2] | a[3]) ^ (a[4] & ~a[5]); endmodule",
        ),
        cellKind.lut,
      ),
    ).toBe(1);
    expect(
      count(synth("module m(input [15:0] d, input [3:0] s, output y); assign y = d[s]; endmodule"), cellKind.lut),
    ).toBe(5);
    expect(
      count(synth("module m(input [3:0] d, input [1:0] s, output y); assign y = d[s]; endmodule"), cellKind.lut),
    ).toBe(1);
  });
});

describe("balancing", () => {
  it("turns a chain of gates into a tree of least depth and keeps all functions", () => {
    const text = `module m(input [15:0] a, output y, z); assign y = ${Array.from({ length: 16 }, (_, i) => `a[${i}]`).reduce((left, right) => `(${left} & ${right})`)}; assign z = ${Array.from({ length: 16 }, (_, i) => `a[${i}]`).reduce((left, right) => `(${left} | ~${right})`)}; endmodule`;
    const { netlist } = elaborate([{ name: "t.v", text }]).artifact!;
    const raw = blast(netlist, { lutInputs: 6, maxCarry: 128 });
    const depth = (aig: Aig) => {
      const level = new Int32Array(aig.nodeCount);
      for (let node = 1; node < aig.nodeCount; node++)
        if (aig.isAnd(node)) level[node] = 1 + Math.max(level[aig.fanin0[node] >> 1], level[aig.fanin1[node] >> 1]);
      return Math.max(...level);
    };
    expect(depth(raw.aig)).toBe(15);
    expect(depth(balance(raw, 16).aig)).toBe(4);
    synth(text); // proves it
  });
});
