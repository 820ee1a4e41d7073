import { formatFinding, type SourceFile } from "../../src/common/index.ts";
import { type SimulateOptions, simulate } from "../../src/simulate/index.ts";

export interface Ran {
  readonly text: string;
  readonly end: string;
  readonly findings: readonly string[];
}

/** Runs sources to their end and keeps what they print. */
export function runText(text: string | readonly SourceFile[], options: SimulateOptions = {}, name = "t.sv"): Ran {
  let printed = "";
  const files = typeof text === "string" ? [{ name, text }] : text;
  const outcome = simulate(
    files,
    { maxTurns: 200_000, ...options },
    { print: (piece) => void (printed += piece.text) },
  );
  return { text: printed, end: outcome.end, findings: outcome.findings.map(formatFinding) };
}

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
