import { SourceSet } from "../common/source.ts";
import type { ClockSettings } from "../device/blocks/clock-plan.ts";
import { tokenize } from "../hdl/vhdl/lexer.ts";
import { parseVhdlFile } from "../hdl/vhdl/parser.ts";

/** A clock block as it stands in a source. */
export interface ClockInstance {
  readonly name: string;
  readonly language: "verilog" | "vhdl";
  /** Where its parameters are written, or would be, in characters of the text. */
  readonly from: number;
  readonly to: number;
  /** As they stand: `MULTIPLY` 3 and so on. What is no whole number is left out. */
  readonly parameters: Readonly<Record<string, number>>;
}

function parametersOf({ multiply, outputs: [a, b] }: ClockSettings): [string, number][] {
  const all: [string, number, number][] = [
    ["MULTIPLY", multiply, 1],
    ["DIVIDE_A", a.divide, 1],
    ["PHASE_A", a.phase, 0],
    ["DIVIDE_B", b?.divide ?? 1, 1],
    ["PHASE_B", b?.phase ?? 0, 0],
  ];
  return all.flatMap(([name, value, usual]) => (value === usual && name !== "MULTIPLY" ? [] : [[name, value]]));
}

/** Names of the nets at an instance. */
interface ClockNets {
  readonly instance: string;
  readonly input: string;
  readonly a: string;
  readonly b: string | null;
  readonly locked: string;
}

const componentText = `component clock_block is
  generic (MULTIPLY, DIVIDE_A, DIVIDE_B : integer := 1; PHASE_A, PHASE_B : integer := 0);
  port (clock_in : in std_logic; clock_a, clock_b, locked : out std_logic);
end component;
`;

/** Text of an instance: in VHDL what it declares and what it states stand apart. */
interface InstanceText {
  readonly declared: string;
  readonly stated: string;
}

/** An instance of a clock block, with the nets that it drives declared. */
export function clockInstanceText(
  settings: ClockSettings,
  nets: ClockNets,
  language: "verilog" | "vhdl",
): InstanceText {
  const own = parametersOf(settings);
  const { instance, input, a, b, locked } = nets;
  const made = [a, ...(b === null ? [] : [b]), locked];
  if (language === "verilog") {
    const ports = [`.clock_in(${input})`, `.clock_a(${a})`, `.clock_b(${b ?? ""})`, `.locked(${locked})`];
    const values = own.map(([name, value]) => `.${name}(${value})`).join(", ");
    return {
      declared: `wire ${made.join(", ")};\n`,
      stated: `clock_block #(${values}) ${instance}\n  (${ports.join(", ")});\n`,
    };
  }
  const values = own.map(([name, value]) => `${name} => ${value}`).join(", ");
  const ports = [`clock_in => ${input}`, `clock_a => ${a}`, `clock_b => ${b ?? "open"}`, `locked => ${locked}`];
  return {
    declared: `${componentText}signal ${made.join(", ")} : std_logic;\n`,
    stated: `${instance} : clock_block generic map (${values})\n  port map (${ports.join(", ")});\n`,
  };
}

/** Text without comments, each character in its place. */
function withoutComments(text: string, language: "verilog" | "vhdl"): string {
  const comments = language === "verilog" ? /\/\*[\s\S]*?\*\/|\/\/[^\n]*/g : /--[^\n]*/g;
  return text.replace(comments, (each) => each.replace(/[^\n]/g, " "));
}

/** Clock blocks of a text, in their order. */
export function clockInstances(text: string, language: "verilog" | "vhdl"): ClockInstance[] {
  const code = withoutComments(text, language);
  const found: ClockInstance[] = [];
  if (language === "verilog") {
    for (const match of code.matchAll(
      /\bclock_block\b\s*(?:#\s*\(((?:[^()]|\([^()]*\))*)\)\s*)?([A-Za-z_]\w*)\s*\(/g,
    )) {
      const [whole, list, name] = match;
      const from = match.index + "clock_block".length;
      const to = match.index + whole.lastIndexOf(name);
      found.push({ name, language, from, to, parameters: numbersOf(list ?? "", /\.(\w+)\s*\(\s*(\d+)\s*\)/g) });
    }
    return found;
  }
  const pattern =
    /\b([A-Za-z]\w*)\s*:\s*(?:component\s+)?clock_block\b\s*(?:generic\s+map\s*\(([^()]*)\)\s*)?(?=port\s+map)/gi;
  for (const match of code.matchAll(pattern)) {
    const [whole, name, list] = match;
    const from = match.index + whole.toLowerCase().indexOf("clock_block") + "clock_block".length;
    found.push({
      name,
      language,
      from,
      to: match.index + whole.length,
      parameters: numbersOf(list ?? "", /(\w+)\s*=>\s*(\d+)/g),
    });
  }
  return found;
}

const numbersOf = (list: string, pattern: RegExp): Record<string, number> =>
  Object.fromEntries([...list.matchAll(pattern)].map(([, name, value]) => [name.toUpperCase(), Number(value)]));

/** A text in which an instance has other settings: its parameters are written anew, and nothing else. */
export function withClockSettings(
  text: string,
  { language, from, to }: ClockInstance,
  settings: ClockSettings,
): string {
  const own = parametersOf(settings);
  const list =
    language === "verilog"
      ? ` #(${own.map(([name, value]) => `.${name}(${value})`).join(", ")}) `
      : ` generic map (${own.map(([name, value]) => `${name} => ${value}`).join(", ")})\n    `;
  return text.slice(0, from) + list + text.slice(to);
}

const indented = (lines: string) =>
  lines
    .trimEnd()
    .split("\n")
    .map((line) => `  ${line}`)
    .join("\n");

/** A Verilog text with an instance before the end of a module; null where the module is not in it. */
export function withinModule(text: string, module: string, { declared, stated }: InstanceText): string | null {
  const code = withoutComments(text, "verilog");
  const start = new RegExp(`\\bmodule\\s+(?:automatic\\s+|static\\s+)?${module.replace(/\W/g, "\\$&")}\\b`).exec(code);
  const end = start ? code.indexOf("endmodule", start.index) : -1;
  if (end < 0) return null;
  const before = text.slice(0, end);
  return `${before}${before.endsWith("\n") ? "" : "\n"}\n${indented(declared + stated)}\n${text.slice(end)}`;
}

/**
 * A VHDL text with an instance in the architecture of an entity (the last one, which counts unless a configuration says
 * otherwise); null where there is none. A component that is declared there already is not declared again.
 */
export function withinArchitecture(text: string, entity: string, instance: InstanceText): string | null {
  const sources = new SourceSet([{ name: "", text }]);
  const { units } = parseVhdlFile(sources, 0);
  const own = units.findLastIndex((unit) => unit.kind === "architecture" && unit.entity.id === entity.toLowerCase());
  if (own < 0) return null;
  const { start } = units[own].loc;
  const limit = units[own + 1]?.loc.start ?? text.length;
  const tokens = tokenize(sources, 0, []).filter((token) => token.start >= start && token.start < limit);
  const word = (wanted: string) => (token: (typeof tokens)[number]) => token.kind === "word" && token.text === wanted;
  const is = tokens.find(word("is"));
  // what follows it, before the next unit, is at most that unit's library and use clauses
  const end = tokens.findLast(word("end"));
  if (!is || !end || end.start < is.end) return null;
  const isDeclared = tokens.some(
    (token, i) => token.text === "component" && tokens[i + 1]?.text === "clock_block" && token.kind === "word",
  );
  const declared = isDeclared ? instance.declared.replace(componentText, "") : instance.declared;
  const body = text.slice(is.end, end.start);
  return `${text.slice(0, is.end)}\n${indented(declared)}${body}${body.endsWith("\n") ? "" : "\n"}${indented(instance.stated)}\n${text.slice(end.start)}`;
}
