import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/random.ts";
import { SourceSet } from "../../src/common/source.ts";
import { Report } from "../../src/elaborate/report.ts";
import { analyzeUnits } from "../../src/elaborate/vhdl/bind/bind-unit.ts";
import type { PackageDecl, Subprogram } from "../../src/elaborate/vhdl/bound.ts";
import { predefinedFunction } from "../../src/elaborate/vhdl/predefined/functions.ts";
import type { VType } from "../../src/elaborate/vhdl/types.ts";
import { longTest } from "../helpers/damage.ts";
import { vhdlLines } from "../helpers/vhdl.ts";
import { type PortSpec, sameAsCircuit } from "../helpers/vhdl-circuit.ts";

/** Functions that the packages declare without a body, by their package. */
function declared(): { readonly sub: Subprogram; readonly home: string }[] {
  const { builtins } = analyzeUnits([], new Report(new SourceSet([])));
  const packages = [builtins.std, builtins.ieee].flatMap((library) => [...library.units.values()]);
  return packages
    .filter((unit): unit is PackageDecl => unit.kind === "package")
    .flatMap((unit) => {
      unit.load?.();
      const subs = new Set([...unit.scope.names.values()].flat());
      return [...subs].flatMap((decl) =>
        decl.kind === "sub" &&
        decl.isFunction &&
        decl.home === unit &&
        decl.native?.startsWith(`${unit.name}.`) &&
        !decl.body
          ? [{ sub: decl, home: unit.name }]
          : [],
      );
    });
}
const functions = declared();
const nameOf = ({ sub, home }: (typeof functions)[number]) => `${home}.${sub.name}`;

describe("functions that packages declare without a body", () => {
  it("each have an entry", () => {
    expect(functions.length).toBeGreaterThan(500);
    expect(functions.filter(({ sub }) => !predefinedFunction(sub.native!)).map(nameOf)).toEqual([]);
  });
  it("have a circuit unless they are of texts, real numbers or the run", () => {
    const without = functions.filter(({ sub }) => !predefinedFunction(sub.native!)?.circuit);
    const unexpected = without.filter(
      ({ sub, home }) =>
        !/^to_(string|hstring|ostring)$|^justify$|^now$|^resolved$|^resolution_limit$/.test(sub.name) &&
        home !== "math_real",
    );
    expect(unexpected.map(nameOf)).toEqual([]);
  });
});

// ---- each of them in simulation and as a circuit ------------------------------------------------------------------

/** Width of the ports that results are shown on. */
const shown = 40;
const standardTypes = new Set(["bit", "bit_vector", "boolean", "integer", "natural", "positive"]);
const logicTypes = new Set(["std_ulogic", "std_ulogic_vector", "std_logic_vector", "ux01", "x01"]);
const full = (type: VType, home: string): string =>
  standardTypes.has(type.name)
    ? `std.standard.${type.name}`
    : `ieee.${logicTypes.has(type.name) ? "std_logic_1164" : home}.${type.name}`;

interface Operand {
  readonly port: PortSpec | null;
  readonly text: string;
  /** Of a vector. */
  readonly length: number | null;
}

const widthBelow = (random: Random): number => 1 + random.below(12);

/** A value of a parameter's type that a port gives; sizes are constants, and dividers are never 0. */
function operandOf(random: Random, each: (typeof functions)[number], i: number, port: string, width: number): Operand {
  const { sub, home } = each;
  const param = sub.params[i];
  const { type } = param.subtype;
  const isDivider = i === 1 && /^"?(\/|mod|rem)"?$/.test(sub.name);
  if (type.kind === "enum") {
    if (type.name === "boolean") return { port: { name: port, width: 0 }, text: `${port} = '1'`, length: null };
    const text = type.name === "bit" ? `std.standard.bit'(ieee.std_logic_1164.to_bit(${port}))` : port;
    return { port: { name: port, width: 0 }, text, length: null };
  }
  const vector = `${port}(${width - 1} downto 0)`;
  const bits = isDivider ? `(${vector} or ${port}_low(${width - 1} downto 0))` : vector;
  if (type.kind === "int") {
    if (/^(new_size|size|size_res)$/.test(param.name))
      return { port: null, text: String(1 + random.below(16)), length: null };
    const isNatural = /^(natural|positive)$/.test(param.subtype.name ?? "") || param.subtype.constraint !== null;
    const kind = isNatural ? "unsigned" : "signed";
    // small enough that no circuit of a shift is large, and that numbers do not pass what vectors hold
    const n = /shift|rotate|^"?(s|r)[lro][lra]?"?$/.test(sub.name) ? Math.min(width, 4) : width;
    const own = isDivider
      ? `ieee.std_logic_1164.to_stdlogicvector(ieee.std_logic_1164.to_bitvector(${port}(${n - 1} downto 0) or ${port}_low(${n - 1} downto 0)))`
      : `${port}(${n - 1} downto 0)`;
    return {
      port: { name: port, width: 12 },
      text: `ieee.numeric_std.to_integer(ieee.numeric_std.${kind}'(ieee.numeric_std.${kind}(${own})))`,
      length: null,
    };
  }
  const mark = full(type, home);
  return {
    port: { name: port, width: 12 },
    text: `${mark}'(${type.name === "bit_vector" || /bit$/.test(home) ? `${mark}(ieee.std_logic_1164.to_bitvector(${bits}))` : `${mark}(${bits})`})`,
    length: width,
  };
}

/** The result, whatever its type, on a port of one width. */
function shownResult({ sub, home }: (typeof functions)[number], call: string): string {
  const { type } = sub.result!;
  const mark = full(type, home);
  const ofVector = (vector: string) =>
    `ieee.std_logic_1164.std_logic_vector(ieee.numeric_std.resize(ieee.numeric_std.unsigned(${vector}), ${shown}))`;
  if (type.name === "boolean") return `(0 => shown_truth(${call}), others => '0')`;
  if (type.name === "bit") return `(0 => ieee.std_logic_1164.to_stdulogic(${call}), others => '0')`;
  if (type.kind === "enum") return `(0 => ${call}, others => '0')`;
  if (type.kind === "int") return `ieee.std_logic_1164.std_logic_vector(ieee.numeric_std.to_signed(${call}, ${shown}))`;
  const isOfBits = type.name === "bit_vector" || /bit$/.test(home);
  const plain = `${mark}'(${call})`;
  return ofVector(
    isOfBits
      ? `ieee.std_logic_1164.to_stdlogicvector(std.standard.bit_vector(${plain}))`
      : `ieee.std_logic_1164.std_logic_vector(${plain})`,
  );
}

const withCircuit = functions.filter(({ sub }) => predefinedFunction(sub.native!)?.circuit && !/_edge$/.test(sub.name));

/**
 * A function that calls this one with values whose lengths only the run knows, and that must be computed; and its call.
 * The circuit knows them all the same, since it is written out where it is called.
 */
function withinFunction(each: (typeof functions)[number], name: string, operands: readonly Operand[], call: string) {
  const { sub, home } = each;
  const formals = operands.map(({ length }, i) => {
    const mark = full(sub.params[i].subtype.type, home);
    return length === null ? `a${i} : ${mark}` : `a${i} : ${mark}; n${i} : natural`;
  });
  const variables = operands.flatMap(({ length }, i) =>
    length === null ? [] : [`variable x${i} : ${full(sub.params[i].subtype.type, home)}(n${i} - 1 downto 0) := a${i};`],
  );
  const values = operands.map(({ length }, i) => {
    if (length === null) return `a${i}`;
    const type = sub.params[i].subtype.type.name;
    const from = logicTypes.has(type) ? "std_logic_1164" : home;
    const not = `ieee.${from}."not"`;
    return from === "std_logic_arith" || type === "bit_vector" ? `x${i}` : `${not}(${not}(x${i}))`;
  });
  const actuals = operands.map(({ text, length }) => (length === null ? text : `${text}, ${length}`));
  return {
    decl: `function ${name}(${formals.join("; ")}) return ${full(sub.result!.type, home)} is ${variables.join(" ")} begin return ${call}(${values.join(", ")}); end;`,
    call: `${name}(${actuals.join(", ")})`,
  };
}

/** One entity with these functions, each with operands and a port of its own. */
function entityOf(random: Random, list: readonly (typeof functions)[number][], isKnown: boolean) {
  const wrappers: string[] = [];
  const inputs: PortSpec[] = [];
  const outputs: PortSpec[] = [];
  const statements = list.map((each, k) => {
    // bits are joined with bits at the same place: of vectors of one length
    const isOfBits =
      /^"?(x?n?or|n?and)"?$|^std_match$/.test(each.sub.name) ||
      (/^"?\?\/?="?$/.test(each.sub.name) && each.home === "std_logic_1164");
    const common = widthBelow(random);
    const operands = each.sub.params.map((_, i) =>
      operandOf(random, each, i, `p${k}_${i}`, isOfBits ? common : widthBelow(random)),
    );
    for (const { port } of operands) if (port) inputs.push(port);
    outputs.push({ name: `y${k}`, width: shown });
    const name =
      /^\w+$/.test(each.sub.name) &&
      !/^(and|or|xor|nand|nor|xnor|not|abs|mod|rem|s[lr][la]|ro[lr])$/.test(each.sub.name)
        ? each.sub.name
        : `"${each.sub.name.replaceAll('"', "")}"`;
    const library = each.home === "standard" ? "std" : "ieee";
    const callee = `${library}.${each.home}.${name}`;
    if (!isKnown) {
      const { decl, call } = withinFunction(each, `w${k}`, operands, callee);
      wrappers.push(decl);
      return `y${k} <= ${shownResult(each, call)};`;
    }
    const call = `${callee}(${operands.map(({ text }) => text).join(", ")})`;
    return `y${k} <= ${shownResult(each, call)};`;
  });
  const lows = inputs
    .filter(({ width }) => width > 0)
    .map(({ name }) => `constant ${name}_low : std_logic_vector(11 downto 0) := "000000000001";`);
  const type = ({ width }: PortSpec) => (width === 0 ? "std_logic" : `std_logic_vector(${width - 1} downto 0)`);
  const text = `library ieee; use ieee.std_logic_1164.all;
entity dut is port (${[...inputs.map((p) => `${p.name} : in ${type(p)}`), ...outputs.map((p) => `${p.name} : out ${type(p)}`)].join("; ")}); end entity;
architecture rtl of dut is
function shown_truth(b : boolean) return std_logic is begin if b then return '1'; end if; return '0'; end;
${wrappers.join("\n")}
${lows.filter((line) => statements.some((stmt) => stmt.includes(line.split(" ")[1]))).join("\n")}
begin
${statements.join("\n")}
end architecture;
`;
  return { text, inputs, outputs };
}

describe("numbers without digits", () => {
  const operators = ["+", "-", "*", "/", "mod", "rem"];
  it.each(["known", "unknown"])("leave nothing of a vector, of %s length", (kind) => {
    const size = kind === "known" ? "0" : "n";
    const body = operators
      .flatMap((op) => [`a ${op} b`, `b ${op} a`])
      .map((expr) => `report integer'image(length(${expr}));`)
      .join("\n");
    const lines = vhdlLines({
      arch: "function length(v : unsigned) return integer is begin return v'length; end;",
      body: "for n in 0 to 0 loop show(n); end loop;",
      decl: `procedure show(n : natural) is variable a : unsigned(${size} - 1 downto 0); variable b : unsigned(6 downto 0) := "0000011"; begin
${body}
end;`,
    });
    expect(lines).toEqual(operators.flatMap(() => ["0", "0"]));
  });
});

describe("the lesser and the greater of two numbers", () => {
  it("are as long as the longer, whatever is known of their lengths", () => {
    const lines = vhdlLines({
      arch: `function lo(x, y : unsigned) return unsigned is begin return minimum(x + 1, y + 1); end;
function hi(x : signed; k : integer) return signed is begin return maximum(x, k); end;`,
      decl: `procedure show(n, m : natural) is variable x : unsigned(n - 1 downto 0) := to_unsigned(3, n); variable y : unsigned(m - 1 downto 0) := to_unsigned(9, m); begin
report to_string(lo(x, y)) & " " & to_string(lo(y, x)) & " " & to_string(maximum(x, y)) & " " & to_string(hi(signed(x), -2)) & " " & to_string(minimum(12, y));
end;`,
      body: "for n in 3 to 4 loop show(n, n + 3); end loop;",
    });
    expect(lines).toEqual(["000100 000100 001001 011 001001", "0000100 0000100 0001001 0011 0001001"]);
  });
});

describe.each(["known", "unknown"])(
  "functions of the packages in simulation and as circuits, of %s lengths",
  (kind) => {
    const homes = [...new Set(withCircuit.map(({ home }) => home))];
    it.each(homes)("%s", longTest, (home) => {
      const random = new Random(23);
      const list = withCircuit.filter((each) => each.home === home);
      expect(list.length).toBeGreaterThan(3);
      for (let i = 0; i < list.length; i += 12) {
        const some = list.slice(i, i + 12);
        const { text, inputs, outputs } = entityOf(random, some, kind === "known");
        const compared = sameAsCircuit(text, { entity: "dut", inputs, outputs, cycles: 25, seed: 5 + i });
        expect(compared, text).toBeGreaterThan(some.length * 25 * 20);
      }
    });
  },
);
