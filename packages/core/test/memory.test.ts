import { describe, expect, it } from "vitest";
import { elaborate } from "../src/elaborate/index.ts";
import { agreesEverywhere } from "./helpers/everywhere.ts";

interface Case {
  readonly what: string;
  readonly text: string;
  readonly inputs: Readonly<Record<string, number>>;
  readonly becomes: "memory block" | "logic";
  readonly count: number;
  readonly reason: RegExp;
  readonly outputs?: readonly string[];
  readonly cycles?: number;
  readonly name?: string;
}
const zero = "integer k; initial for (k = 0; k < DEPTH; k = k + 1) store[k] = 0;";
/** Module m with an array `store` of WIDTH bits by DEPTH. */
const ram = (depth: number, width: number, ports: string, body: string, init = zero) =>
  `module m(input clk, ${ports}); localparam DEPTH = ${depth}; reg [${width - 1}:0] store [0:DEPTH-1];\n${init}\n${body}\nendmodule`;
const simple = "input we, input [5:0] a, b, input [7:0] d, output reg [7:0] q";
const simpleInputs = { we: 1, a: 6, b: 6, d: 8 };

const cases: Case[] = [
  {
    what: "one port for writing, one for reading, which sees the word before",
    text: ram(64, 8, simple, "always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; end"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /word before/,
  },
  {
    what: "one address for both, read first",
    text: ram(64, 8, simple, "always @(posedge clk) begin if (we) store[a] <= d; q <= store[a]; end"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /word before/,
  },
  {
    what: "write first, by the data going straight to the output",
    text: ram(64, 8, simple, "always @(posedge clk) if (we) begin store[a] <= d; q <= d; end else q <= store[a];"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /written at the same edge/,
  },
  {
    what: "an output that holds while its port writes",
    text: ram(64, 8, simple, "always @(posedge clk) if (we) store[a] <= d; else q <= store[a];"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /^the output holds while its port writes$/,
  },
  {
    what: "an output that holds while its port writes, and while nothing is enabled",
    text: ram(
      64,
      8,
      `input e, ${simple}`,
      "always @(posedge clk) if (e) begin if (we) store[a] <= d; else q <= store[a]; end",
    ),
    inputs: { ...simpleInputs, e: 1 },
    becomes: "memory block",
    count: 1,
    reason: /output holds/,
  },
  {
    what: "two ports that both hold while they write",
    text: ram(
      64,
      8,
      "input wa, wb, input [5:0] a, b, input [7:0] da, db, output reg [7:0] qa, qb",
      `wire own = wb & ~wa;
       always @(posedge clk) if (wa) store[a] <= da; else qa <= store[a];
       always @(posedge clk) if (own) store[b] <= db; else qb <= store[b];`,
    ),
    inputs: { wa: 1, wb: 1, a: 6, b: 6, da: 8, db: 8 },
    outputs: ["qa", "qb"],
    becomes: "memory block",
    count: 1,
    reason: /output holds/,
  },
  {
    what: "a read that waits for the write, in more words than one block has",
    text: ram(
      32768,
      1,
      "input we, input [14:0] a, input d, output reg q",
      "always @(posedge clk) if (we) store[a] <= d; else q <= store[a];",
      "integer k; initial for (k = 0; k < DEPTH; k = k + 1) store[k] = k[0] ^ k[5];",
    ),
    inputs: { we: 1, a: 15, d: 1 },
    becomes: "memory block",
    count: 2,
    reason: /^a read sees the word before$/, // by a port of its own
    cycles: 1200,
  },
  ...(["0 to 511", "511 downto 0", "100 to 611"] as const).map(
    (range): Case => ({
      what: `a constant array of VHDL, ${range}`,
      name: "t.vhd",
      text: `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
        entity m is port (clk : in std_logic; a : in unsigned(8 downto 0); q : out unsigned(11 downto 0)); end entity;
        architecture rtl of m is
          type table is array (${range}) of unsigned(11 downto 0);
          function make return table is variable t : table; begin
            for i in t'range loop t(i) := to_unsigned((i * 1237 + i * i) mod 4093, 12); end loop; return t; end function;
          constant ROWS : table := make;
        begin process (clk) begin if rising_edge(clk) then q <= ROWS(to_integer(a) + ROWS'low); end if; end process; end architecture;`,
      inputs: { a: 9 },
      becomes: "memory block",
      count: 1,
      reason: /^$/,
    }),
  ),
  {
    what: "an output register with a reset, which leaves what was read alone",
    text: ram(
      64,
      8,
      `input r, ${simple}`,
      "reg [7:0] at; always @(posedge clk) begin if (we) store[a] <= d; at <= store[b]; if (r) q <= 0; else q <= at; end",
    ),
    inputs: { ...simpleInputs, r: 1 },
    becomes: "memory block",
    count: 1,
    reason: /output registers/,
  },
  {
    what: "write first, by a blocking assignment",
    text: ram(64, 8, simple, "always @(posedge clk) begin if (we) store[a] = d; q <= store[a]; end"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /written at the same edge/,
  },
  {
    what: "write first, by a registered address",
    text: ram(
      64,
      8,
      simple.replace("output reg", "output"),
      "reg [5:0] at; always @(posedge clk) begin if (we) store[a] <= d; at <= b; end assign q = store[at];",
    ),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /written at the same edge/,
  },
  {
    what: "an output that holds while it is written",
    text: ram(64, 8, simple, "always @(posedge clk) if (we) store[a] <= d; else q <= store[a];"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "an enable around both",
    text: ram(
      64,
      8,
      `input en, ${simple}`,
      "always @(posedge clk) if (en) begin if (we) store[a] <= d; q <= store[a]; end",
    ),
    inputs: { en: 1, ...simpleInputs },
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "a synchronous reset of what was read",
    text: ram(
      64,
      8,
      `input r, ${simple}`,
      "always @(posedge clk) begin if (we) store[a] <= d; if (r) q <= 0; else q <= store[b]; end",
    ),
    inputs: { r: 1, ...simpleInputs },
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "an output register inside the block",
    text: ram(
      64,
      8,
      simple,
      "reg [7:0] first; always @(posedge clk) begin if (we) store[a] <= d; first <= store[b]; q <= first; end",
    ),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /output registers inside/,
  },
  {
    what: "byte enables",
    text: ram(
      32,
      32,
      "input [3:0] we, input [4:0] a, input [31:0] d, output reg [31:0] q",
      "integer i; always @(posedge clk) begin for (i = 0; i < 4; i = i + 1) if (we[i]) store[a][8*i +: 8] <= d[8*i +: 8]; q <= store[a]; end",
    ),
    inputs: { we: 4, a: 5, d: 32 },
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "enables of parts that are no bytes, each in a block of its own",
    text: ram(
      64,
      12,
      "input [1:0] we, input [5:0] a, input [11:0] d, output reg [11:0] q",
      "always @(posedge clk) begin if (we[0]) store[a][4:0] <= d[4:0]; if (we[1]) store[a][11:5] <= d[11:5]; q <= store[a]; end",
    ),
    inputs: { we: 2, a: 6, d: 12 },
    becomes: "memory block",
    count: 1, // the two parts are lanes of one word of two bytes
    reason: /^/,
  },
  {
    what: "two read ports: one copy shares the write's address, one port more beside it",
    text: ram(
      64,
      8,
      "input we, input [5:0] a, b, input [7:0] d, output reg [7:0] q, p",
      "always @(posedge clk) begin if (we) store[a] <= d; q <= store[a]; p <= store[b]; end",
    ),
    inputs: simpleInputs,
    outputs: ["q", "p"],
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "two read ports away from the write: two copies",
    text: ram(
      64,
      8,
      "input we, input [5:0] a, b, c, input [7:0] d, output reg [7:0] q, p",
      "always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; p <= store[c]; end",
    ),
    inputs: { ...simpleInputs, c: 6 },
    outputs: ["q", "p"],
    becomes: "memory block",
    count: 2,
    reason: /2 copies/,
  },
  {
    what: "true dual port",
    text: ram(
      64,
      8,
      "input we, wb, input [5:0] a, b, input [7:0] d, e, output reg [7:0] q, p",
      "always @(posedge clk) begin if (we) store[a] <= d; q <= store[a]; end always @(posedge clk) begin if (wb) store[b] <= e; p <= store[b]; end",
    ),
    inputs: { ...simpleInputs, wb: 1, e: 8 },
    outputs: ["q", "p"],
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "a depth that is no power of two, with writes past the end lost",
    text: ram(
      50,
      9,
      simple.replaceAll("[7:0]", "[8:0]"),
      "always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; end",
    ),
    inputs: { ...simpleInputs, d: 9 },
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "more words than a block has, over several of them",
    text: ram(
      2048,
      18,
      "input we, input [10:0] a, b, input [17:0] d, output reg [17:0] q",
      "always @(posedge clk) begin if (we) store[{a[10:9], 6'd0, a[2:0]}] <= d; q <= store[{b[10:9], 6'd0, b[2:0]}]; end",
    ),
    inputs: { we: 1, a: 11, b: 11, d: 18 },
    becomes: "memory block",
    count: 3,
    reason: /^/,
  },
  {
    what: "contents that the source gives",
    text: ram(
      256,
      8,
      "input [7:0] a, output reg [7:0] q",
      "always @(posedge clk) q <= store[a];",
      "integer k; initial for (k = 0; k < DEPTH; k = k + 1) store[k] = k * 7 + 3;",
    ),
    inputs: { a: 8 },
    becomes: "memory block",
    count: 1,
    reason: /^/,
  },
  {
    what: "the other edge of the clock",
    text: ram(64, 8, simple, "always @(negedge clk) begin if (we) store[a] <= d; q <= store[b]; end"),
    inputs: simpleInputs,
    becomes: "memory block",
    count: 1,
    reason: /word before/,
  },
  {
    what: "a read without a clock: registers, and why",
    text: ram(
      64,
      8,
      simple.replace("output reg", "output"),
      "always @(posedge clk) if (we) store[a] <= d; assign q = store[b];",
    ),
    inputs: simpleInputs,
    becomes: "logic",
    count: 0,
    reason: /without a clock/,
  },
  {
    what: "an output register with an asynchronous reset: registers, and why",
    text: ram(
      64,
      8,
      `input r, ${simple}`,
      "always @(posedge clk) if (we) store[a] <= d; always @(posedge clk or posedge r) if (r) q <= 0; else q <= store[b];",
    ),
    inputs: { r: 1, ...simpleInputs },
    becomes: "logic",
    count: 0,
    reason: /reset without the clock/,
  },
  {
    what: "a small one: registers",
    text: ram(
      16,
      8,
      simple.replaceAll("[5:0]", "[3:0]"),
      "always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; end",
    ),
    inputs: { ...simpleInputs, a: 4, b: 4 },
    becomes: "logic",
    count: 0,
    reason: /too few/,
  },
  {
    what: "a small table: LUTs",
    text: ram(
      32,
      8,
      "input [4:0] a, output reg [7:0] q",
      "always @(posedge clk) q <= store[a];",
      "integer k; initial for (k = 0; k < DEPTH; k = k + 1) store[k] = k * 29 ^ 90;",
    ),
    inputs: { a: 5 },
    becomes: "logic",
    count: 0,
    reason: /few LUTs/,
  },
];

describe("memories", () => {
  for (const { what, text, inputs, becomes, count, reason, outputs, cycles, name } of cases) {
    it(`take in ${what}`, async () => {
      const stimulus = { inputs, outputs: outputs ?? ["q"], cycles: cycles ?? 250 };
      const { netlist, compared, ones } = await agreesEverywhere(text, stimulus, { name });
      const items = netlist.inferred.filter((item) => item.kind === "memory");
      expect(items).toHaveLength(1);
      expect(items[0]).toMatchObject({ becomes, count });
      expect(items[0].reason).toMatch(reason);
      expect(netlist.blocks).toHaveLength(count);
      expect(compared).toBeGreaterThan(1000);
      expect(ones).toBeGreaterThan(compared / 50);
    });
  }

  it("take their contents from a file, as simulation does, and say when there is none", async () => {
    const text = ram(
      128,
      16,
      "input [6:0] a, output reg [15:0] q",
      "always @(posedge clk) q <= store[a];",
      'initial $readmemh("pattern.hex", store);',
    );
    const words = Array.from({ length: 128 }, (_, i) => ((i * 40503) & 0xffff).toString(16)).join("\n");
    const files = [{ name: "pattern.hex", text: `// weave\n${words}\n` }];
    const { netlist } = await agreesEverywhere(text, { inputs: { a: 7 }, outputs: ["q"], cycles: 150, files });
    expect(netlist.blocks).toHaveLength(1);
    const missing = elaborate([{ name: "t.v", text }]).findings.find((finding) => finding.code === "memory/file");
    expect(missing?.message).toContain("pattern.hex");
    const broken = elaborate([
      { name: "t.v", text },
      { name: "pattern.hex", text: "12\nzg" },
    ]).findings;
    expect(broken.find((finding) => finding.code === "memory/contents")?.message).toContain("line 2");
  });

  it("are inferred from VHDL too", async () => {
    const text = `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk : in std_logic; we : in std_logic; a, b : in std_logic_vector(5 downto 0); d : in std_logic_vector(7 downto 0); q : out std_logic_vector(7 downto 0)); end entity;
architecture rtl of m is
  type words is array (0 to 63) of std_logic_vector(7 downto 0);
  signal store : words := (others => (others => '0'));
begin
  process (clk) begin
    if rising_edge(clk) then
      if we = '1' then store(to_integer(unsigned(a))) <= d; end if;
      q <= store(to_integer(unsigned(b)));
    end if;
  end process;
end architecture;`;
    const { netlist } = await agreesEverywhere(
      text,
      { inputs: simpleInputs, outputs: ["q"], cycles: 200 },
      { name: "t.vhd" },
    );
    expect(netlist.blocks).toHaveLength(1);
  });

  it("say why an array becomes registers", () => {
    const note = (body: string) =>
      elaborate([{ name: "t.v", text: ram(128, 8, `input r, ${simple}`, body, "") }]).findings.find(
        (finding) => finding.code === "circuit/array-registers",
      )?.message;
    expect(
      note(
        "integer i; always @(posedge clk) if (r) for (i = 0; i < DEPTH; i = i + 1) store[i] <= 0; else begin if (we) store[a] <= d; q <= store[b]; end",
      ),
    ).toMatch(/more than two addresses/);
    expect(note("always @* if (we) store[a] = d; always @(posedge clk) q <= store[b];")).toMatch(/without a clock/);
    expect(note("always @(posedge clk) begin if (we) store[a] = d; q <= store[b]; end")).toMatch(/blocking assignment/);
    expect(note("always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; end")).toBeUndefined();
  });
});
