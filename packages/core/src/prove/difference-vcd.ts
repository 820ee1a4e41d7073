import type { Counterexample } from "./prove.ts";
import type { SourceDifference } from "./source-check.ts";

/** One trace of a dump: a name within a scope, and its bits at each moment, the most significant first. */
interface Trace {
  readonly scope: string;
  readonly name: string;
  /** As in `[7:0]`; empty for single bits. */
  readonly range: string;
  readonly values: readonly string[];
}

/** A value change dump (IEEE 1364-2005 clause 18) of both sides of a difference. @param times In ns, and the end. */
function dumpOf(comment: string, traces: readonly Trace[], times: readonly number[]): string {
  const steps = times.map((ns) => Math.round(1000 * ns));
  const scale = steps.every((ps) => ps % 1000 === 0) ? 1000 : 1;
  const lines = [`$comment ${comment} $end`, `$timescale 1 ${scale === 1 ? "ps" : "ns"} $end`];
  lines.push("$scope module proof $end");
  let open = "";
  traces.forEach(({ scope, name, range, values }, i) => {
    if (scope !== open) {
      if (open) lines.push("$upscope $end");
      lines.push(`$scope module ${scope} $end`);
      open = scope;
    }
    const shown = name.replace(/\s/g, "_");
    lines.push(`$var wire ${values[0].length} ${identifier(i)} ${shown}${range ? ` ${range}` : ""} $end`);
  });
  if (open) lines.push("$upscope $end");
  lines.push("$upscope $end", "$enddefinitions $end");
  const last: string[] = [];
  steps.slice(0, -1).forEach((step, at) => {
    lines.push(`#${step / scale}`);
    traces.forEach(({ values }, i) => {
      const text = values[at];
      if (last[i] === text) return;
      last[i] = text;
      lines.push(text.length === 1 ? `${text}${identifier(i)}` : `b${text} ${identifier(i)}`);
    });
  });
  lines.push(`#${steps[steps.length - 1] / scale}`, "");
  return lines.join("\n");
}

/** Inputs, and each output as written and as built, 10 ns a cycle. Bits of one vector are put together again. */
export function counterexampleVcd(example: Counterexample): string {
  const first = example.cycles[0];
  const traces = (scope: string, names: readonly string[], read: (c: number, bit: string) => number): Trace[] =>
    vectorsOf(names).map(({ name, range, bits }) => ({
      scope,
      name,
      range,
      values: example.cycles.map((_, c) =>
        [...bits]
          .reverse()
          .map((bit) => read(c, bit))
          .join(""),
      ),
    }));
  const outputs = Object.keys(first?.outputs ?? {});
  return dumpOf(
    "Inputs that tell the circuit as written and as built apart",
    [
      ...traces("inputs", Object.keys(first?.inputs ?? {}), (c, bit) => example.cycles[c].inputs[bit]),
      ...traces("as_written", outputs, (c, bit) => example.cycles[c].outputs[bit].written),
      ...traces("as_built", outputs, (c, bit) => example.cycles[c].outputs[bit].built),
    ],
    Array.from({ length: example.cycles.length + 1 }, (_, c) => 10 * c),
  );
}

/** Inputs, and each output in the simulation of the text and in the circuit as written, at the times of the run. */
export function sourceDifferenceVcd({ moments }: SourceDifference): string {
  const trace = (scope: string, name: string, values: readonly string[]): Trace => ({
    scope,
    name,
    range: values[0].length > 1 ? `[${values[0].length - 1}:0]` : "",
    values,
  });
  const last = moments[moments.length - 1];
  // what differs in the end may be a register, which only the last moment has
  const unknown = (name: string) => "x".repeat(last.outputs[name].simulated.length);
  const names = Object.keys(last.outputs);
  return dumpOf(
    "Inputs that tell the simulation of the text and the circuit as written apart",
    [
      ...Object.keys(last.inputs).map((name) =>
        trace(
          "inputs",
          name,
          moments.map(({ inputs }) => inputs[name]),
        ),
      ),
      ...names.map((name) =>
        trace(
          "as_simulated",
          name,
          moments.map(({ outputs }) => outputs[name]?.simulated ?? unknown(name)),
        ),
      ),
      ...names.map((name) =>
        trace(
          "as_written",
          name,
          moments.map(({ outputs }) => outputs[name]?.written ?? unknown(name)),
        ),
      ),
    ],
    [...moments.map(({ ns }) => ns), last.ns + 20],
  );
}

interface Vector {
  readonly name: string;
  readonly range: string;
  /** Full names, least significant first. */
  readonly bits: readonly string[];
}

function vectorsOf(names: readonly string[]): Vector[] {
  const groups = new Map<string, { index: number; name: string }[]>();
  for (const name of names) {
    const match = /^(.*)\[(-?\d+)\]$/.exec(name);
    const base = match ? match[1] : name;
    const list = groups.get(base) ?? [];
    groups.set(base, list);
    list.push({ index: match ? Number(match[2]) : Number.NaN, name });
  }
  return [...groups].map(([name, list]) => {
    if (list.length === 1 && Number.isNaN(list[0].index)) return { name, range: "", bits: [list[0].name] };
    list.sort((a, b) => a.index - b.index);
    return {
      name,
      range: `[${list[list.length - 1].index}:${list[0].index}]`,
      bits: list.map((each) => each.name),
    };
  });
}

/** Short printable identifier codes. */
function identifier(i: number): string {
  let rest = i;
  let text = "";
  do {
    text = String.fromCharCode(33 + (rest % 94)) + text;
    rest = Math.floor(rest / 94) - 1;
  } while (rest >= 0);
  return text;
}
