import { expect, it } from "vitest";
import { runText } from "./simulation.ts";

/** A bench with one process, for trying a piece of the language. */
export interface Piece {
  /** Libraries besides std_logic_1164 and numeric_std. */
  readonly use?: string;
  /** Units before the bench. */
  readonly units?: string;
  /** Declarations of the architecture. */
  readonly arch?: string;
  /** Concurrent statements. */
  readonly stmts?: string;
  /** Declarations of the process. */
  readonly decl?: string;
  /** Statements of the process, which then waits for ever. */
  readonly body?: string;
}

const standard = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all; use std.textio.all;\n";

export function benchText({ use = "", units = "", arch = "", stmts = "", decl = "", body = "" }: Piece): string {
  return `${units}${standard}${use}
entity t is end entity;
architecture a of t is
${arch}
begin
${stmts}
process
${decl}
begin
${body}
wait;
end process;
end architecture;
`;
}

export function vhdlRun(piece: Piece | string): ReturnType<typeof runText> {
  const text = typeof piece === "string" ? piece : benchText(piece);
  return runText(text, { top: "t" }, "t.vhd");
}

/** What a piece reports, line by line; a run that fails gives its findings instead. */
export function vhdlLines(piece: Piece | string): string[] {
  const ran = vhdlRun(piece);
  if (ran.end === "errors" || ran.end === "runaway" || ran.end === "fatal")
    throw new Error(
      `${ran.end}: ${ran.text}\n${ran.findings.join("\n")}\n${typeof piece === "string" ? piece : benchText(piece)}`,
    );
  return ran.text.split("\n").slice(0, -1);
}

/** One test: what a piece reports, parted by bars. */
export function reports(name: string, piece: Piece | string, expected: string): void {
  it(name, () => {
    expect(vhdlLines(piece).join("|")).toBe(expected);
  });
}
/** One test: values of expressions, reported one after the other. */
export function values(name: string, piece: Piece, pairs: readonly (readonly [string, string])[]): void {
  it(name, () => {
    const body = `${piece.body ?? ""}\n${pairs.map(([expr]) => `report ${expr};`).join("\n")}`;
    expect(vhdlLines({ ...piece, body })).toEqual(pairs.map(([, text]) => text));
  });
}
/** One test: the run, or its preparation, ends with a finding that has this in it. */
export function fails(name: string, piece: Piece | string, pattern: RegExp): void {
  it(name, () => {
    const ran = vhdlRun(piece);
    const errors = ran.findings.filter((finding) => finding.includes(": error:"));
    expect(errors.join("\n") || `no error: ${ran.text}`).toMatch(pattern);
  });
}
