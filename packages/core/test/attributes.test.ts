import { describe, expect, it } from "vitest";
import { quietContext } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { readSynthAttribute } from "../src/netlist/attributes.ts";
import { cellKind, type MappedNetlist } from "../src/netlist/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";

function build(text: string, name = "t.sv") {
  const design = elaborate([{ name, text }]);
  if (!design.artifact) throw new Error(design.findings.map((finding) => finding.message).join("\n"));
  const { netlist } = design.artifact;
  const mapped = synthesize(netlist, defaultSynthOptions, quietContext()).artifact!;
  const proof = prove(netlist, mapped, defaultSynthOptions, { ...defaultProveOptions, cycles: 64 }, quietContext());
  expect(proof.open).toEqual([]);
  expect(proof.verdict).toBe("equal");
  return { mapped, findings: design.findings, netlist };
}
const count = (netlist: MappedNetlist, kind: number) =>
  netlist.kind.reduce((sum, each) => sum + Number(each === kind), 0);
const luts = (netlist: MappedNetlist) => count(netlist, cellKind.lut);
const registers = (netlist: MappedNetlist) => count(netlist, cellKind.flipFlop);
const hasNet = (netlist: MappedNetlist, name: string) => netlist.netName.includes(name);

const vhdl = (ports: string, declarations: string, body: string) =>
  `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk : in std_logic; ${ports}); end entity;
architecture rtl of m is ${declarations} begin ${body} end architecture;`;

describe("keep", () => {
  it("leaves a net of logic in place under its name", () => {
    const text = (attribute: string) =>
      `module m(input a, b, c, output y); ${attribute} wire inner; assign inner = a & b; assign y = inner ^ c; endmodule`;
    const free = build(text("")).mapped;
    expect([luts(free), hasNet(free, "inner")]).toEqual([1, false]);
    const kept = build(text("(* keep *)")).mapped;
    expect([luts(kept), hasNet(kept, "inner"), kept.levels]).toEqual([2, true, 2]);
    expect(build(text("(* keep = 0 *)")).mapped.cellCount).toBe(free.cellCount);
    expect(build(text('(* keep = "true" *)')).mapped.cellCount).toBe(kept.cellCount);
  });

  it("leaves what nobody reads, several names of one value, and inverse ones", () => {
    const { mapped } = build(`module m(input a, b, output y);
      (* keep *) wire first, second, third; (* keep *) wire unread;
      assign first = a & b; assign second = a & b; assign third = ~(a & b); assign unread = a | b;
      assign y = first ^ second ^ third; endmodule`);
    for (const name of ["first", "second", "third", "unread"]) expect(hasNet(mapped, name)).toBe(true);
  });

  it("leaves registers that are constant, equal or unread", () => {
    const text = (attribute: string) => `module m(input clk, d, output q);
      ${attribute} reg one = 1, copy, other, unread; assign q = copy & other & one;
      always @(posedge clk) begin one <= 1; copy <= d; other <= d; unread <= ~d; end endmodule`;
    expect(registers(build(text("")).mapped)).toBe(1);
    expect(registers(build(text("(* keep *)")).mapped)).toBe(4);
    const apart = build(text("(* separate *)")).mapped;
    expect(registers(apart)).toBe(2);
  });

  it("takes the sum's own output where the net is one", () => {
    const { mapped } = build(`module m(input [7:0] a, b, c, output [7:0] y);
      (* keep *) wire [7:0] total = a + b; assign y = total & c; endmodule`);
    expect(count(mapped, cellKind.carrySum)).toBe(8);
    expect(hasNet(mapped, "total[3]")).toBe(true);
    expect(luts(mapped)).toBe(16);
  });

  it("keeps the ports of a module or of one instance", () => {
    const text = (onModule: string, onInstance: string) => `
      ${onModule} module half(input a, b, output y); assign y = a & b; endmodule
      module m(input a, b, c, d, output y); wire p, q;
        ${onInstance} half u1(.a(a), .b(b), .y(p)); half u2(.a(c), .b(d), .y(q)); assign y = p | q; endmodule`;
    expect(luts(build(text("", "")).mapped)).toBe(1);
    expect(luts(build(text("", "(* keep *)")).mapped)).toBe(2);
    expect(luts(build(text("(* keep *)", "")).mapped)).toBe(3);
    expect(luts(build(text("(* keep *)", "(* keep = 0 *)")).mapped)).toBe(2);
  });

  it("works from VHDL, on signals, entities and labels", () => {
    const declarations = (value: string) =>
      `signal inner : std_logic; attribute keep : boolean; attribute keep of inner : signal is ${value};`;
    const text = (value: string) =>
      vhdl("a, b, c : in std_logic; y : out std_logic", declarations(value), "inner <= a and b; y <= inner xor c;");
    expect(luts(build(text("true"), "t.vhd").mapped)).toBe(2);
    expect(luts(build(text("false"), "t.vhd").mapped)).toBe(1);
    const half = `library ieee; use ieee.std_logic_1164.all; entity half is port (a, b : in std_logic; y : out std_logic); end entity;
      architecture rtl of half is begin y <= a and b; end architecture;\n`;
    const top = vhdl(
      "a, b, c, d : in std_logic; y : out std_logic",
      "signal p, q : std_logic; attribute keep : integer; attribute keep of u1 : label is 1;",
      "u1 : entity work.half port map (a, b, p); u2 : entity work.half port map (c, d, q); y <= p or q;",
    );
    expect(luts(build(half + top, "t.vhd").mapped)).toBe(2);
  });
});

describe("styles", () => {
  const memory = (attribute: string) => `module m(input clk, we, input [8:0] a, input [7:0] d, output reg [7:0] q);
    ${attribute} reg [7:0] store [0:511]; always @(posedge clk) begin if (we) store[a] <= d; q <= store[a]; end endmodule`;
  const small = (attribute: string) => `module m(input clk, we, input [2:0] a, input [3:0] d, output reg [3:0] q);
    ${attribute} reg [3:0] store [0:7]; always @(posedge clk) begin if (we) store[a] <= d; q <= store[a]; end endmodule`;

  it("decide whether a memory is blocks or logic", () => {
    expect(build(memory("")).mapped.blocks.length).toBe(1);
    const logic = build(memory('(* memory_as = "logic" *)')).mapped;
    expect(logic.blocks.length).toBe(0);
    expect(logic.inferred.find(({ kind }) => kind === "memory")!.reason).toContain("the source asks");
    expect(build(small("")).mapped.blocks.length).toBe(0);
    expect(build(small('(* memory_as = "blocks" *)')).mapped.blocks.length).toBe(1);
  });

  it("decide whether a product is blocks or logic, for a net or a whole module", () => {
    const text = (onModule: string, onNet: string) => `${onModule} module m(input [8:0] a, b, output [17:0] y, z);
      ${onNet} wire [17:0] p; assign p = a * b; assign y = p; assign z = (a + 9'd1) * b; endmodule`;
    expect(build(text("", "")).mapped.blocks.length).toBe(2);
    expect(build(text("", '(* product_as = "logic" *)')).mapped.blocks.length).toBe(1);
    expect(build(text('(* product_as = "logic" *)', "")).mapped.blocks.length).toBe(0);
    expect(build(text('(* product_as = "logic" *)', '(* product_as = "blocks" *)')).mapped.blocks.length).toBe(1);
  });

  it("decide whether sums and comparisons are carry chains", () => {
    const text = (attribute: string) =>
      `module m(input [15:0] a, b, output [15:0] y, output z); ${attribute} wire [15:0] s; wire less;
       assign s = a + b; assign y = s; assign z = a < b; endmodule`;
    expect(build(text("")).mapped.chains.length).toBe(2);
    expect(build(text('(* sum_as = "logic" *)')).mapped.chains.length).toBe(1);
  });

  it("decide the codes of a state machine, from either language", () => {
    const verilog = (style: string) => `module m(input clk, r, go, done, output y);
      ${style} reg [1:0] s; assign y = s == 2;
      always @(posedge clk) if (r) s <= 0; else case (s) 0: if (go) s <= 2; 2: s <= done ? 1 : 2; default: s <= 0; endcase endmodule`;
    expect(registers(build(verilog("")).mapped)).toBe(2);
    const oneHot = build(verilog('(* states_as = "one-hot" *)')).mapped;
    expect(registers(oneHot)).toBe(3);
    expect(oneHot.fates.filter(({ became }) => became === "coded anew").map(({ name }) => name)).toEqual([
      "s[0]",
      "s[1]",
    ]);
    const text = vhdl(
      "r, go, done : in std_logic; y : out std_logic",
      `type state is (idle, lift, throw, beat, rest); signal s : state; attribute states_as : string;
       attribute states_as of s : signal is "one-hot";`,
      `process (clk) begin if rising_edge(clk) then if r = '1' then s <= idle; else case s is
         when idle => if go = '1' then s <= lift; end if; when lift => s <= throw; when throw => if done = '1' then s <= beat; end if;
         when beat => s <= rest; when rest => s <= idle; end case; end if; end if; end process; y <= '1' when s = throw else '0';`,
    );
    expect(registers(build(text, "t.vhd").mapped)).toBe(5);
  });

  it("hold inside of a scope unless something inside says otherwise", () => {
    const { netlist } = build(`module inner(input clk, input d, output reg q);
        (* separate = 0 *) reg p; always @(posedge clk) begin p <= d; q <= p; end endmodule
      module m(input clk, d, output x, y); (* separate *) inner u1(clk, d, x); inner u2(clk, d, y); endmodule`);
    expect(netlist.attributes).toContainEqual({ name: "u1", isScope: true, values: { separate: true } });
    expect(netlist.attributes).toContainEqual({ name: "u2.p", isScope: false, values: { separate: false } });
  });
});

describe("attributes that say nothing", () => {
  it("are told where they are nearly ours or have a value that means nothing", () => {
    const text = (attribute: string) =>
      `module m(input a, b, output y);\n${attribute} wire p = a & b; assign y = p; endmodule`;
    const told = (attribute: string) =>
      build(text(attribute)).findings.filter(({ code }) => code === "circuit/attribute");
    expect(told("(* kep *)")[0]).toMatchObject({ place: { line: 2 }, remedy: "Did you mean 'keep'?" });
    expect(told('(* memory_as = "cheese" *)')[0].remedy).toBe('Give it "blocks", "logic".');
    expect(told("(* most_loads = 0 *)")[0].remedy).toContain("from 1 on");
    expect(told('(* colour = "green", weight = 5 *)')).toEqual([]);
    expect(told("(* *)")).toEqual([]);
    expect(told("(* = 4, , keep = *)").length).toBeLessThan(2);
  });

  it("change no key where only other tools read them", () => {
    const key = (attribute: string) =>
      elaborate([
        { name: "t.v", text: `module m(input a, output y); ${attribute} wire p = ~a; assign y = p; endmodule` },
      ]).artifact!.meaningKey;
    expect(key('(* colour = "green" *)')).toBe(key(""));
    expect(key("(* keep *)")).not.toBe(key(""));
  });

  it("reads values as people write them", () => {
    expect(readSynthAttribute("states_as", "One_Hot")).toEqual({ kind: "ok", values: { states_as: "one-hot" } });
    expect(readSynthAttribute("keep", "yes")).toEqual({ kind: "ok", values: { keep: true } });
    expect(readSynthAttribute("most_loads", "12")).toEqual({ kind: "ok", values: { most_loads: 12 } });
    expect(readSynthAttribute("most_loads", 1.5).kind).toBe("bad");
  });
});

describe("most_loads", () => {
  const text = (attribute: string) => `module m(input clk, r, d, input [39:0] a, output [39:0] y, output reg s);
    ${attribute} reg q; assign y = a & {40{q}}; always @(posedge clk) if (r) q <= 1; else q <= d ^ q; always @(posedge clk) s <= q;
    endmodule`;
  const loads = (netlist: MappedNetlist, name: string) => {
    const net = netlist.netName.indexOf(name);
    return netlist.inputNet.reduce((sum, each) => sum + Number(each === net), 0);
  };

  it("gives a register copies that share its loads", () => {
    expect(registers(build(text("")).mapped)).toBe(2);
    const { mapped } = build(text("(* most_loads = 12 *)"));
    // 40 gates, the register itself and the one that follows
    expect(registers(mapped)).toBe(5);
    const all = ["q", "q:copy1", "q:copy2", "q:copy3"].map((name) => loads(mapped, name));
    expect(all.reduce((a, b) => a + b)).toBe(42);
    expect(Math.max(...all)).toBeLessThanOrEqual(12);
    expect(mapped.inferred).toContainEqual(expect.objectContaining({ kind: "copied register", name: "q" }));
  });

  it("is proven, and refuted where a copy starts or follows differently", () => {
    const { netlist, mapped } = build(text("(* most_loads = 12 *)"));
    const [copy] = mapped.copies;
    const modes = mapped.modes.slice();
    modes[copy] ^= 1;
    const inputNet = mapped.inputNet.slice();
    inputNet[mapped.inputStart[copy]] = mapped.outputNet[copy];
    for (const wrong of [
      { ...mapped, modes },
      { ...mapped, inputNet },
    ])
      expect(prove(netlist, wrong, defaultSynthOptions, defaultProveOptions, quietContext()).verdict).toBe("different");
  });

  it("copies the registers of a state machine in other codes too", () => {
    const machine = `module m(input clk, r, go, input [30:0] a, output [30:0] y);
      (* states_as = "one-hot", most_loads = 8 *) reg [1:0] s; assign y = a & {31{s == 2}};
      always @(posedge clk) if (r) s <= 0; else case (s) 0: if (go) s <= 2; 2: s <= go ? 1 : 2; default: s <= 0; endcase endmodule`;
    const { mapped } = build(machine);
    expect(mapped.copies.length / 2).toBeGreaterThan(2);
  });
});
