/** Where a finding points: a place in a text file, a named object of the design, or both. Lines and columns count from 1. */
export interface Place {
  readonly file?: string;
  readonly line?: number;
  readonly column?: number;
  readonly endLine?: number;
  readonly endColumn?: number;
  /** Hierarchical name of a net, cell, port or wire. */
  readonly object?: string;
}

export type Severity = "error" | "warning" | "note";

/** A safe repair: replace the text between two places of one file, or append when `append` is set. */
export interface TextEdit {
  readonly file: string;
  readonly label: string;
  readonly line?: number;
  readonly column?: number;
  readonly endLine?: number;
  readonly endColumn?: number;
  readonly append?: boolean;
  readonly text: string;
}

/** Text that is to be put into a source, at a place that only the engineer can choose. */
export interface SourceSnippet {
  readonly language: "verilog" | "vhdl";
  readonly text: string;
}

/** What the engineer should know about their design. Our own mistakes are exceptions instead. */
export interface Finding {
  /** Stable, `area/what`. */
  readonly code: string;
  readonly severity: Severity;
  readonly place: Place;
  /** One sentence: what is wrong. */
  readonly message: string;
  /** One sentence: what to do. */
  readonly remedy?: string;
  readonly related?: readonly { readonly place: Place; readonly message: string }[];
  readonly edit?: TextEdit;
  /** Other repairs that are as safe, to choose from. */
  readonly alternatives?: readonly TextEdit[];
  /** What to write in the source instead, the same in each language. */
  readonly snippets?: readonly SourceSnippet[];
}

export function hasErrors(findings: readonly Finding[]): boolean {
  return findings.some((finding) => finding.severity === "error");
}

/** `file:line:col: severity: [code] message`, the command line's form. */
export function formatFinding(finding: Finding): string {
  const { file, line, column, object } = finding.place;
  const at = file ? `${file}:${line ?? 1}:${column ?? 1}` : (object ?? "design");
  const remedy = finding.remedy ? ` ${finding.remedy}` : "";
  return `${at}: ${finding.severity}: [${finding.code}] ${finding.message}${remedy}`;
}

/** Thrown when an earlier stage broke its promise: a mistake of ours, never of the engineer. */
export class InvariantError extends Error {
  override name = "InvariantError";
}

/** What every stage returns. `artifact` is null when an error finding says why. */
export interface StageResult<T> {
  readonly artifact: T | null;
  readonly findings: Finding[];
}

/** Nearest name by edit distance with swaps of neighbours (Damerau 1964), or null if nothing is close enough to suggest. */
export function nearestName(name: string, candidates: Iterable<string>): string | null {
  let best: string | null = null;
  let bestDistance = Math.max(1, Math.floor(name.length / 3)) + 1;
  for (const candidate of candidates) {
    if (Math.abs(candidate.length - name.length) >= bestDistance) continue;
    const distance = editDistance(name.toLowerCase(), candidate.toLowerCase(), bestDistance);
    if (distance < bestDistance) {
      best = candidate;
      bestDistance = distance;
    }
  }
  return best;
}

function editDistance(a: string, b: string, limit: number): number {
  let previous = Array.from({ length: b.length + 1 }, (_, j) => j);
  let beforeThat = previous;
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    let least = i;
    for (let j = 1; j <= b.length; j++) {
      let cost = Math.min(previous[j] + 1, row[j - 1] + 1, previous[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        cost = Math.min(cost, beforeThat[j - 2] + 1);
      row.push(cost);
      least = Math.min(least, cost);
    }
    if (least >= limit) return limit;
    beforeThat = previous;
    previous = row;
  }
  return previous[b.length];
}
