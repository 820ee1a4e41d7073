import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { type Finding, formatFinding } from "../src/common/index.ts";
import { useWorkClock } from "../src/common/work-clock.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { checkDesign, MemoryStore, runFlow } from "../src/flow/index.ts";
import { prepare } from "../src/simulate/index.ts";

/** Texts that ask for more than there is: each gets a finding with its place, and nothing of its size is made. */
const part = "TW-2-P144-2C";
const input = (file: string, text: string) => ({
  name: "t",
  top: "t",
  part,
  sources: [{ name: file, text }],
  pinFiles: [],
  timingFiles: [],
  recipe: "swift",
  seed: 1,
});
const errorsOf = (findings: readonly Finding[]) => findings.filter(({ severity }) => severity === "error");
/** Errors of checking the text, and of simulating it. */
function errors(file: string, text: string): Finding[] {
  // a test bench by itself is fine here
  const checked = errorsOf(checkDesign(input(file, text)).sourceFindings).filter(
    ({ code }) => code !== "design/bench-top",
  );
  const { simulation, findings } = prepare([{ name: file, text }], { top: "t", maxTurns: 200_000 });
  if (simulation) while (simulation.run(1000) === null);
  return [...checked, ...errorsOf([...findings, ...(simulation?.findings ?? [])])];
}
const vhdl = (decls: string, stmts = "", ports = "") =>
  `library ieee; use ieee.std_logic_1164.all; use std.textio.all;\nentity t is ${ports} end;\narchitecture rtl of t is\n${decls}\nbegin\n${stmts}\nend;`;

describe("sizes", () => {
  it("of VHDL are checked before anything is made, for every type and in every place", () => {
    const types = {
      integers: "type b is array (0 to 400000000) of integer;",
      strings: "subtype b is string(1 to 2000000000);",
      bits: "subtype b is std_logic_vector(999999999 downto 0);",
      matrix: "type b is array (0 to 99999, 0 to 99999) of bit;",
      nested: "type e is array (0 to 99999) of integer; type b is array (0 to 99999) of e;",
      records:
        "type e is array (0 to 999999) of integer; type r is record x, y, z, w, v: e; end record; type b is array (0 to 9) of r;",
      computed: "function n return integer is begin return 1000000000; end; type b is array (0 to n) of integer;",
    };
    for (const [name, type] of Object.entries(types)) {
      for (const text of [
        vhdl(`${type}\nsignal s: b;`),
        vhdl(type, "process variable v: b; begin wait; end process;"),
        vhdl(`${type}\nconstant c: integer := b'length;\nsignal s: b;`),
      ]) {
        const [first] = errors("t.vhd", text);
        expect(first, `${name}\n${text}`).toMatchObject({
          code: expect.stringMatching(/^vhdl\/large-(array|value)$/),
          place: { file: "t.vhd" },
        });
      }
    }
    // large, but not too large
    expect(
      errors(
        "t.vhd",
        vhdl("type b is array (0 to 99999) of integer; signal s: b; signal v: std_logic_vector(65535 downto 0);"),
      ),
    ).toEqual([]);
  });

  it("of Verilog likewise", () => {
    for (const decl of [
      "reg [31:0] m [0:400000000];",
      "reg [999999999:0] m;",
      "reg [7:0] m [0:9999][0:9999][0:9999];",
      "wire [31:0] w = {1000000000{1'b1}};",
      "genvar i; generate for (i = 0; i < 1000000000; i = i + 1) begin : g wire w; end endgenerate",
      "genvar i; generate for (i = 0; i < 10; i = i) begin : g wire w; end endgenerate",
      "localparam [4000000:0] Q = 7 ** 2000000;",
    ]) {
      const found = errors("t.v", `module t;\n  ${decl}\nendmodule\n`);
      expect(found[0], decl).toMatchObject({ place: { file: "t.v", line: 2 } });
    }
  });

  it("of hierarchies are told, however the instances are written", () => {
    const first = (name: string, text: string) => errorsOf(elaborate([{ name, text }], { top: "t" }).findings)[0];
    const verilog = [
      "module c(input a); endmodule module b(input a); c u[999:0](a); endmodule module d(input a); b u[999:0](a); endmodule module t(input a); d u[999:0](a); endmodule",
      "module e #(parameter N = 1) (input a); generate if (N > 0) begin e #(N-1) u(a); e #(N-1) v(a); end endgenerate endmodule module t(input a); e #(40) u(a); endmodule",
      "module t(input a); t u(a); t v(a); endmodule",
    ];
    for (const text of verilog) expect(first("t.v", text).code, text).toMatch(/^verilog\/(many-instances|recursion)$/);
    const entity = (body: string) =>
      `entity e is generic (n: natural); end; architecture a of e is begin ${body} end;\n`;
    for (const text of [
      `${entity("g: if n > 0 generate x: entity work.e generic map (n - 1); y: entity work.e generic map (n - 1); end generate;")}${vhdl("", "u: entity work.e generic map (60);")}`,
      vhdl(
        "",
        "g: for i in 0 to 99999 generate h: for j in 0 to 99999 generate begin assert true; end generate; end generate;",
      ),
      vhdl("", "g: for i in 0 to 1000000000 generate begin assert true; end generate;"),
    ])
      expect(first("t.vhd", text).code, text).toMatch(/^vhdl\/(many-instances|endless-generate|recursion)$/);
  }, 60_000);
});

describe("computations at elaboration and in the run", () => {
  // eight times as fast as time: the same limits, sooner
  beforeAll(() => useWorkClock(() => 8 * Date.now()));
  afterAll(() => useWorkClock(() => Date.now()));

  it("of constants that do not end are found, whatever they spend their time on", () => {
    const value = (decl: string) => vhdl(decl);
    for (const text of [
      // quick turns, slow turns, no loop at all, loops that end but not in a lifetime
      value(
        "function f return integer is variable i: integer := 0; begin loop i := (i + 1) mod 7; end loop; end; constant c: integer := f;",
      ),
      value(
        "function f return integer is variable n: integer := 0; variable s: string(1 to 9); begin while true loop n := (n * 3 + 1) mod 7; s(1 + n) := 'x'; end loop; return n; end; constant c: integer := f;",
      ),
      value(
        "function f(n: integer) return integer is begin if n < 2 then return 1; end if; return f(n - 1) + f(n - 2); end; signal q: integer := f(80);",
      ),
      value(
        "function g(n: integer) return integer; function f(n: integer) return integer is begin if n < 2 then return 1; end if; return g(n - 1) + g(n - 2); end; function g(n: integer) return integer is begin return f(n); end; constant c: integer := g(80);",
      ),
      value(
        `function f return integer is variable n: integer := 0; begin ${"for i in 1 to 100 loop ".repeat(8)} n := (n + 1) mod 9; ${"end loop; ".repeat(8)} return n; end; constant c: integer := f;`,
      ),
      value(
        `${["a", "b", "c", "d", "e", "g"].map((name, i, all) => `function ${name} return integer is variable n: integer := 0; begin for i in 1 to 200 loop n := (n + ${i ? all[i - 1] : "1"}) mod 9; end loop; return n; end;`).join("\n")} constant k: integer := g;`,
      ),
    ]) {
      const begun = Date.now();
      const [first] = errors("t.vhd", text);
      expect(first, text).toMatchObject({ code: "vhdl/endless", place: { file: "t.vhd" } });
      expect(first.place.line, text).toBeGreaterThan(2);
      // no measure of speed: without the limit it would be years
      expect(Date.now() - begun).toBeLessThan(60_000);
    }
    for (const body of [
      "function automatic integer f(input integer n); f = n < 2 ? 1 : f(n - 1) + f(n - 2); endfunction localparam P = f(80);",
      `function integer f(input integer n); integer a, b, c, d; begin f = n; for (a = 0; a < 1000; a = a + 1) for (b = 0; b < 1000; b = b + 1) for (c = 0; c < 1000; c = c + 1) f = f ^ c; end endfunction localparam P = f(3);`,
    ])
      expect(errors("t.v", `module t;\n  ${body}\nendmodule\n`)[0]).toMatchObject({
        code: "verilog/endless-loop",
        place: { file: "t.v", line: 2 },
      });
    // and what is long, but ends, has its value
    expect(
      errors(
        "t.vhd",
        vhdl(
          "function f return integer is variable n: integer := 0; begin for i in 1 to 300 loop for j in 1 to 300 loop n := (n + i * j) mod 1000; end loop; end loop; return n; end; constant c: integer := f;",
          `assert c = ${Array.from({ length: 90_000 }, (_, k) => (Math.floor(k / 300) + 1) * ((k % 300) + 1)).reduce((sum, each) => (sum + each) % 1000, 0)} severity failure;`,
        ),
      ),
    ).toEqual([]);
  }, 120_000);

  it("that do not end are found, with the place", () => {
    const verilog = (body: string) => `module t;\n  ${body}\nendmodule\n`;
    for (const [text, code] of [
      [
        verilog(
          "function integer f(input integer a); begin f = 0; while (1) f = f ^ 1; end endfunction localparam P = f(3);",
        ),
        /verilog/,
      ],
      [verilog("function integer f(input integer a); f = f(a + 1); endfunction localparam P = f(3);"), /recursion/],
      [verilog("initial forever ;"), /zero-delay-loop/],
      [verilog("reg a = 0; initial a = 1; always @(a) a <= ~a;"), /zero-delay-loop/],
      [verilog('initial forever $write("weft");'), /zero-delay-loop/],
      [
        verilog(
          'integer f; initial begin f = $fopen("x.txt"); forever $fwrite(f, "weft weft weft weft weft weft weft weft weft weft weft"); end',
        ),
        /memory|zero-delay-loop/,
      ],
      [verilog('string s; initial begin s = "weft"; forever s = {s, s}; end'), /memory/],
    ] as [string, RegExp][]) {
      const [first] = errors("t.sv", text);
      expect(first?.code, text).toMatch(code);
      expect(first.place, text).toMatchObject({ file: "t.sv", line: 2 });
    }
    for (const [text, code] of [
      [
        vhdl(
          "function f return integer is variable i: integer := 0; begin loop i := (i + 1) mod 7; end loop; end; constant c: integer := f;",
        ),
        /endless/,
      ],
      [
        vhdl(
          "",
          'process variable l: line; begin loop write(l, string\'("weft weft weft weft")); end loop; wait; end process;',
        ),
        /memory|zero-delay-loop/,
      ],
      [vhdl("signal a: bit;", "a <= not a;"), /zero-delay-loop/],
    ] as [string, RegExp][])
      expect(errors("t.vhd", text)[0]?.code, text).toMatch(code);
  }, 120_000);

  it("names who changes what, when time stands still", () => {
    const [loop] = errors(
      "t.v",
      "module t;\n  reg pick = 0;\n  initial pick = 1;\n  always @(pick)\n    pick <= ~pick;\nendmodule\n",
    );
    expect(loop.message).toMatch(/'pick'|always/);
    expect(loop.place.line).toBe(4);
  });

  it("lose no error behind many notes", () => {
    const text =
      'module t; integer i; initial begin for (i = 0; i < 12000; i = i + 1) $info("pick"); $error("weft broke"); end endmodule';
    expect(errors("t.sv", text).map(({ code }) => code)).toContain("sim/error");
  });
});

describe("texts", () => {
  const repeated = (text: string, count: number) => text.repeat(count);
  it("of any depth are read or refused at their place, and never end in a full stack", () => {
    const deep = {
      "t.v": [
        `module t(input a, output y); assign y = ${repeated("(", 50_000)}a${repeated(")", 50_000)}; endmodule`,
        `module t(input a, output y); assign y = ${repeated("~", 50_000)}a; endmodule`,
        `module t(input a, output y); assign y = ${repeated("a ? 1'b0 : ", 20_000)}a; endmodule`,
        `module t(input a, output y); assign y = ${repeated("{", 20_000)}a${repeated("}", 20_000)}; endmodule`,
        `module t(input a, output reg y); always @* begin ${repeated("if (a) ", 50_000)} y = 1; end endmodule`,
        `module t(input a, output reg y); always @* begin ${repeated("begin ", 50_000)} y = a; ${repeated("end ", 50_000)} end endmodule`,
        `module t; ${repeated("generate if (1) begin ", 3000)} ${repeated("end endgenerate ", 3000)} endmodule`,
      ],
      "t.vhd": [
        vhdl("", `y <= ${repeated("(", 50_000)}a${repeated(")", 50_000)};`, "port (a: in bit; y: out bit);"),
        vhdl("", `y <= ${repeated("not (", 20_000)}a${repeated(")", 20_000)};`, "port (a: in bit; y: out bit);"),
        vhdl(
          "",
          `process (a) begin ${repeated("if a = '1' then ", 50_000)} ${repeated("end if; ", 50_000)} end process;`,
          "port (a: in bit; y: out bit);",
        ),
        vhdl(
          "",
          `${Array.from({ length: 3000 }, (_, i) => `g${i}: if true generate begin `).join("")} ${repeated("end generate; ", 3000)}`,
        ),
      ],
    };
    for (const [file, texts] of Object.entries(deep))
      for (const text of texts) {
        const [first] = errorsOf(elaborate([{ name: file, text }], { top: "t" }).findings);
        expect(first?.code, text.slice(0, 100)).toMatch(/too-deep|syntax|nested/);
        expect(first.place.line, text.slice(0, 100)).toBeGreaterThan(0);
      }
  }, 60_000);

  it("of sums of a thousand terms are checked, simulated and built", async () => {
    const terms = 1000;
    const verilog = `module t(input [7:0] a, output [17:0] y); assign y = ${Array(terms).fill("a").join(" + ")}; endmodule`;
    const numbers = vhdl(
      "",
      `y <= ${Array(terms).fill("a").join(" + ")};`,
      "port (a: in integer range 0 to 3; y: out integer range 0 to 4095);",
    );
    for (const [file, text] of [
      ["t.v", verilog],
      ["t.vhd", numbers],
    ]) {
      expect(errors(file, text).map(formatFinding)).toEqual([]);
      const { status, findings } = await runFlow(input(file, text), new MemoryStore(), { stopAfter: "synth" });
      expect(errorsOf(findings)).toEqual([]);
      expect(status).toBe("done");
    }
    const bench = `module t; reg [7:0] a = 3; wire [17:0] y; assign y = ${Array(terms).fill("a").join(" + ")}; initial #1 if (y !== 3000) $error("%0d", y); endmodule`;
    expect(errors("t.sv", bench)).toEqual([]);
  }, 60_000);

  it("with very many mistakes tell the first of them, and that there are more", () => {
    for (const [file, text] of [
      ["t.v", repeated("`", 300_000)],
      ["t.v", repeated("`ifdef A\n", 100_000)],
      ["t.v", repeated("(* ", 200_000)],
      [
        "t.v",
        `module t; initial begin ${Array.from({ length: 40_000 }, (_, i) => `weft${i} = pick${i};`).join("\n")} end endmodule`,
      ],
      ["t.vhd", vhdl("", Array.from({ length: 20_000 }, (_, i) => `weft${i} <= pick${i};`).join("\n"))],
    ]) {
      const found = errorsOf(elaborate([{ name: file, text }], {}).findings);
      expect(found.length, text.slice(0, 40)).toBeGreaterThan(0);
      expect(found.length, text.slice(0, 40)).toBeLessThan(5000);
    }
  }, 60_000);
});

describe("what no part can hold", () => {
  it("is told before it is tried: wide products and quotients, and more ports than pins", async () => {
    const product = (width: number, op: string) =>
      `module t(input clk, input [15:0] a, output reg [15:0] y);\n  reg [${width - 1}:0] p, q, r;\n  always @(posedge clk) begin p <= {p, a}; q <= {q, ~a}; r <= p ${op} q; y <= r ^ (r >> 16); end\nendmodule\n`;
    for (const op of ["*", "/", "%"]) {
      const { status, findings, stages } = await runFlow(input("t.v", product(2048, op)), new MemoryStore());
      expect(status).toBe("failed");
      expect(errorsOf(findings)[0]).toMatchObject({ code: "fit/wide-arithmetic", place: { file: "t.v", line: 3 } });
      expect(stages.find(({ stage }) => stage === "elaborate")).toMatchObject({ state: "failed" });
    }
    // a wide word by a constant, or one of which little is used, is none of these
    expect(errorsOf(checkDesign(input("t.v", product(24, "*"))).sourceFindings)).toEqual([]);
    const wide = "module t(input [299:0] a, output [299:0] y);\n  assign y = ~a;\nendmodule\n";
    const { findings, stages } = await runFlow(input("t.v", wide), new MemoryStore());
    expect(errorsOf(findings)[0]).toMatchObject({ code: "pins/too-few" });
    expect(stages.find(({ stage }) => stage === "rules")!.state).toBe("failed");
  });
});
