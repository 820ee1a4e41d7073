import type { Counterexample } from "./prove.ts";

/**
 * A counterexample as a value change dump (IEEE 1364-2005 clause 18): inputs, and each output as written and as built,
 * 10 ns a cycle. Bits of one vector are put together again.
 */
export function counterexampleVcd(example: Counterexample): string {
  const first = example.cycles[0];
  const inputs = vectorsOf(Object.keys(first?.inputs ?? {}));
  const outputs = vectorsOf(Object.keys(first?.outputs ?? {}));
  const signals = [
    ...inputs.map((vector) => ({
      scope: "inputs",
      vector,
      read: (c: number, bit: string) => example.cycles[c].inputs[bit],
    })),
    ...outputs.map((vector) => ({
      scope: "as_written",
      vector,
      read: (c: number, bit: string) => example.cycles[c].outputs[bit].written,
    })),
    ...outputs.map((vector) => ({
      scope: "as_built",
      vector,
      read: (c: number, bit: string) => example.cycles[c].outputs[bit].built,
    })),
  ];
  const lines = ["$comment Inputs that tell the circuit as written and as built apart $end", "$timescale 1 ns $end"];
  lines.push("$scope module proof $end");
  let open = "";
  signals.forEach(({ scope, vector }, i) => {
    if (scope !== open) {
      if (open) lines.push("$upscope $end");
      lines.push(`$scope module ${scope} $end`);
      open = scope;
    }
    const width = vector.bits.length;
    const range = vector.range ? ` ${vector.range}` : "";
    lines.push(`$var wire ${width} ${identifier(i)} ${vector.name.replace(/\s/g, "_")}${range} $end`);
  });
  if (open) lines.push("$upscope $end");
  lines.push("$upscope $end", "$enddefinitions $end");
  const last: string[] = [];
  example.cycles.forEach((_, c) => {
    lines.push(`#${10 * c}`);
    signals.forEach(({ vector, read }, i) => {
      const text = [...vector.bits]
        .reverse()
        .map((bit) => read(c, bit))
        .join("");
      if (last[i] === text) return;
      last[i] = text;
      lines.push(vector.bits.length === 1 ? `${text}${identifier(i)}` : `b${text} ${identifier(i)}`);
    });
  });
  lines.push(`#${10 * example.cycles.length}`, "");
  return lines.join("\n");
}

interface Vector {
  readonly name: string;
  /** As in `[7:0]`; empty for single bits. */
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
