import { readdirSync, readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { formatFinding, Random } from "../../src/common/index.ts";
import { SourceSet } from "../../src/common/source.ts";
import { elaborate, portTexts, VhdlNames } from "../../src/elaborate/index.ts";
import { formatVhdl, parseVhdlFile } from "../../src/hdl/vhdl/index.ts";
import { tokenize } from "../../src/hdl/vhdl/lexer.ts";
import { runText } from "../helpers/simulation.ts";

const folder = fileURLToPath(new URL("../../../../designs/", import.meta.url));
const design = (name: string) =>
  readdirSync(folder + name)
    .filter((file) => /\.(v|vhd)$/.test(file))
    .map((file) => ({ name: file, text: readFileSync(`${folder}${name}/${file}`, "utf8") }));

const counter = `library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;

entity counter is
  generic (W : positive := 4);
  port (clk : in std_logic; q : out std_logic_vector(W - 1 downto 0));
end entity;

architecture rtl of counter is
  signal count : unsigned(W - 1 downto 0) := (others => '0');
  type mode is (slow, fast);
  signal m : mode;
begin
  process (clk)
  begin
    if rising_edge(clk) then
      count <= count + 1;
      if m = fast then
        count <= count + 2;
      end if;
    end if;
  end process;
  q <= std_logic_vector(count);
end architecture;
`;

describe("names in VHDL", () => {
  const names = new VhdlNames([{ name: "c.vhd", text: counter }]);
  const at = (word: string, nth = 0) => {
    let from = -1;
    for (let i = 0; i <= nth; i++) from = counter.indexOf(word, from + 1);
    return names.at("c.vhd", from + 1);
  };
  it("tells what a name is, where it is declared, and who uses it", () => {
    const entry = at("count <=", 1)!;
    expect([entry.name, entry.kind, entry.within, entry.spot.line]).toEqual(["count", "signal", "rtl", 11]);
    expect(entry.detail).toContain("unsigned(W - 1 downto 0)");
    expect(entry.uses.map((use) => use.line)).toEqual([11, 18, 18, 20, 20, 24]);
    expect(at("W - 1", 1)?.kind).toBe("parameter");
    expect(at("fast then")?.detail).toBe("value 1 of mode");
    expect(at("rising_edge")?.detail).toMatch(/\(s : std_ulogic\) return boolean/);
    expect(at("counter is", 1)?.kind).toBe("entity");
    expect(at("std_logic;")?.kind).toBe("type");
  });
  it("completes with names of the unit, the packages it uses, and reserved words", () => {
    const list = names.complete("c.vhd", counter.indexOf("q <="));
    const found = new Map(list.map((entry) => [entry.name, entry.kind]));
    for (const [name, kind] of [
      ["count", "signal"],
      ["clk", "input"],
      ["W", "parameter"],
      ["fast", "constant"],
      ["to_unsigned", "function"],
      ["rising_edge", "function"],
      ["elsif", "keyword"],
      ["counter", "entity"],
    ])
      expect(found.get(name), name).toBe(kind);
  });
  it("finds nothing in comments and white space, and survives broken text", () => {
    expect(names.at("c.vhd", counter.indexOf("\n\n") + 1)).toBeNull();
    expect(
      new VhdlNames([{ name: "x.vhd", text: counter.slice(0, 300) }]).complete("x.vhd", 290).length,
    ).toBeGreaterThan(10);
  });
});

describe("layout of VHDL", () => {
  it("indents by blocks", () => {
    const flat = counter
      .split("\n")
      .map((line) => line.trim())
      .join("\n");
    expect(formatVhdl(flat)).toBe(counter);
  });
  it("leaves the demo designs as they are, and never changes a token", () => {
    for (const { name, text } of [...design("lamp-test"), ...design("cloth-preview")].filter((file) =>
      file.name.endsWith(".vhd"),
    )) {
      const tokens = (source: string) =>
        tokenize(new SourceSet([{ name: "t.vhd", text: source }]), 0, []).map((token) => token.text);
      const random = new Random(3);
      const messy = text
        .split("\n")
        .map((line) => " ".repeat(random.below(9)) + line.trim() + " ".repeat(random.below(3)))
        .join("\n");
      const made = formatVhdl(messy);
      expect(tokens(made)).toEqual(tokens(text));
      expect(formatVhdl(made)).toBe(made);
      if (name !== "weave_pkg.vhd") expect(made, name).toBe(text);
    }
  });
});

describe("ports written for the other language", () => {
  it("makes instances, components and wrappers that simulate and build", () => {
    const files = [{ name: "c.vhd", text: counter }];
    const texts = portTexts(files, "counter")!;
    expect(texts.vhdlComponent).toContain("q : out std_logic_vector(3 downto 0)");
    expect(texts.verilogInstance).toContain(".q(q)");
    const wrapped = elaborate([...files, { name: "w.v", text: texts.wrapper }], { top: "counter_wrap" });
    expect(wrapped.findings.filter((each) => each.severity === "error").map(formatFinding)).toEqual([]);
    expect(wrapped.artifact?.netlist.ports.map((port) => port.name)).toEqual(["clk", "q"]);
    const module = [
      {
        name: "m.v",
        text: "module scale #(parameter W = 6) (input [W-1:0] a, input up, output [W:0] y); assign y = up ? {a, 1'b0} : a; endmodule\n",
      },
    ];
    const back = portTexts(module, "scale")!;
    expect(back.vhdlComponent).toContain("y : out std_logic_vector(6 downto 0)");
    const around = elaborate([...module, { name: "w.vhd", text: back.wrapper }], { top: "scale_wrap" });
    expect(around.findings.filter((each) => each.severity === "error").map(formatFinding)).toEqual([]);
    expect(around.artifact?.netlist.ports.map((port) => port.bits.length)).toEqual([6, 1, 7]);
    expect(portTexts(module, "nothing")).toBeNull();
  });
});

describe("demo designs", () => {
  for (const [name, bench, count] of [
    ["lamp-test", "tb_lamp_test", 3],
    ["cloth-preview", "tb_cloth_preview", 4],
  ] as const)
    it(`${name} passes its test bench and makes a circuit without findings`, () => {
      const files = design(name);
      const ran = runText(files, { top: bench });
      expect(ran.findings.filter((finding) => !finding.includes(": note:"))).toEqual([]);
      expect(ran.text.split("\n").length - 1).toBe(count);
      const made = elaborate(files);
      expect(made.findings.map(formatFinding)).toEqual([]);
      expect(made.artifact?.netlist.top).toBe(name.replace("-", "_"));
    });
});

describe("broken text", () => {
  it("never stops the parser, and always gives a finding with a place", () => {
    const random = new Random(17);
    const texts = [
      counter,
      ...design("cloth-preview")
        .filter((file) => file.name.endsWith(".vhd"))
        .map((file) => file.text),
    ];
    const pieces = [
      "begin",
      "end",
      "is",
      "process",
      ";",
      "(",
      ")",
      "when",
      "=>",
      "if",
      "then",
      "'",
      '"',
      "--",
      "port",
      "architecture",
      "<=",
      "others",
      "\\x\\",
      "16#FF",
      "loop",
    ];
    for (let round = 0; round < 400; round++) {
      let text = texts[random.below(texts.length)];
      for (let k = 0; k < 1 + random.below(4); k++) {
        const from = random.below(text.length);
        const to = Math.min(text.length, from + random.below(40));
        text =
          text.slice(0, from) + (random.below(2) ? ` ${pieces[random.below(pieces.length)]} ` : "") + text.slice(to);
      }
      const { findings } = parseVhdlFile(new SourceSet([{ name: "x.vhd", text }]), 0);
      for (const finding of findings) {
        expect(finding.place.line).toBeGreaterThan(0);
        expect(finding.message.length).toBeGreaterThan(5);
      }
      // the rest of the front must survive it too
      try {
        elaborate([{ name: "x.vhd", text }]);
      } catch (error) {
        throw new Error(`${(error as Error).stack}\n${text}`);
      }
    }
  });
  it("of any characters", () => {
    const random = new Random(23);
    for (let round = 0; round < 200; round++) {
      const text = Array.from({ length: 200 }, () => String.fromCharCode(9 + random.below(240))).join("");
      expect(() => elaborate([{ name: "x.vhd", text }])).not.toThrow();
    }
  });
  it("an empty file, a missing end and a use clause that is left out", () => {
    const told = (text: string) => elaborate([{ name: "x.vhd", text }]).findings;
    expect(told("").map(formatFinding).join()).toMatch(/empty/);
    expect(formatFinding(told(counter.replace("      end if;\n    end if;", "      end if;"))[0])).toMatch(
      /x\.vhd:17:\d+: error: \[vhdl\/missing-end\] This 'if' has no 'end if;'/,
    );
    const [missing] = told(counter.replace("use ieee.numeric_std.all;\n", ""));
    expect(formatFinding(missing)).toMatch(
      /x\.vhd:10:\d+: error: \[vhdl\/not-visible\] 'unsigned' is not visible here: it is declared in ieee.numeric_std/,
    );
    expect(missing.edit).toMatchObject({ file: "x.vhd", line: 2, text: "\nuse ieee.numeric_std.all;" });
    const operator = told(
      counter
        .replace("signal count : unsigned(", "signal count : std_logic_vector(")
        .replace("std_logic_vector(count)", "count")
        .replace("use ieee.numeric_std.all;\n", ""),
    );
    expect(formatFinding(operator[0])).toMatch(
      /x\.vhd:17:\d+: error: \[vhdl\/operator\] '\+' for std_logic_vector.*declared in ieee.numeric_std_unsigned/,
    );
  });
});
