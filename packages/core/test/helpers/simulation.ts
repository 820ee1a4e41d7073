import { formatFinding, type SourceFile } from "../../src/common/index.ts";
import { primitivesFor, writeStructuralVerilog } from "../../src/formats/index.ts";
import type { MappedNetlist } from "../../src/netlist/index.ts";
import { recordAll, type SimulateOptions, simulate, WaveStore } from "../../src/simulate/index.ts";
import { interpreted } from "./second-opinion.ts";

export interface Ran {
  readonly text: string;
  readonly end: string;
  readonly findings: readonly string[];
}

/** Runs sources to their end and keeps what they print. What is recorded must not change what happens. */
export function runText(text: string | readonly SourceFile[], options: SimulateOptions = {}, name = "t.sv"): Ran {
  const files = typeof text === "string" ? [{ name, text }] : text;
  const run = (record: boolean): Ran => {
    let printed = "";
    const outcome = simulate(
      files,
      { maxTurns: 200_000, ...options, record: record ? recordAll : null },
      { print: (piece) => void (printed += piece.text), sink: record ? new WaveStore(2 ** 20) : undefined },
    );
    return { text: printed, end: outcome.end, findings: outcome.findings.map(formatFinding) };
  };
  const plain = run(false);
  const recorded = run(true);
  if (recorded.text !== plain.text || recorded.end !== plain.end)
    throw new Error(`Recorded, it prints\n${recorded.text}\ninstead of\n${plain.text}`);
  const second = plain.end === "idle" || plain.end === "finish" ? secondOpinion(files) : null;
  if (second !== null) {
    opinions++;
    if (second !== plain.text)
      throw new Error(`As a constant function's, its statements print\n${second}\ninstead of\n${plain.text}`);
  }
  return plain;
}

/** How many texts were run by the interpreter of constant functions too. */
export let opinions = 0;
const secondOpinion = (files: readonly SourceFile[]): string | null =>
  files.some(({ name }) => !/\.s?v$/.test(name)) ? null : interpreted(files);

/** What a body prints within `initial begin ... end`; fails with the findings if it does not compile. */
export function printed(declarations: string, body: string, name = "t.sv"): string {
  const text = `module t;\n${declarations}\ninitial begin\n${body}\nend\nendmodule\n`;
  const ran = runText(text, {}, name);
  if (ran.end === "errors" || ran.end === "runaway") throw new Error(`${ran.end}\n${ran.findings.join("\n")}\n${text}`);
  return ran.text;
}

/** Expected lines against what a whole program prints. */
export function linesOf(text: string | readonly SourceFile[], options: SimulateOptions = {}, name = "t.sv"): string[] {
  const ran = runText(text, options, name);
  if (ran.end === "errors" || ran.end === "runaway") throw new Error(`${ran.end}\n${ran.findings.join("\n")}`);
  return ran.text.split("\n").slice(0, -1);
}

/** What a bench `tb` prints over the circuit as built. */
export function builtLines(netlist: MappedNetlist, bench: string): string[] {
  const files = [
    { name: "netlist.v", text: writeStructuralVerilog(netlist) },
    { name: "primitives.v", text: primitivesFor(netlist) },
    { name: "tb.v", text: bench },
  ];
  return linesOf(files, { top: "tb" });
}
