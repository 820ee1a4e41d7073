import { hashValue } from "./codec.ts";
import type { Finding } from "./finding.ts";

/** Figures in a sentence that are no part of a name: a slack, a count. Names stand in quotes. */
function withoutFigures(message: string): string {
  return message
    .split(/('[^']*')/)
    .map((piece, i) => (i % 2 ? piece : piece.replace(/(?<![\w[])-?\d+(?:\.\d+)?/g, "#")))
    .join("");
}

/**
 * By what each finding is known again: what it is, in which file, about which object, in which words; not on which line, nor by how
 * much. Those of a list that are alike are told apart by their order. Equal identities: the same finding.
 * @returns [findings]
 */
export function findingIdentities(findings: readonly Finding[]): string[] {
  const seen = new Map<string, number>();
  return findings.map(({ code, place, message }) => {
    const base = hashValue([code, place.file ?? "", place.object ?? "", withoutFigures(message)]).slice(0, 24);
    const count = seen.get(base) ?? 0;
    seen.set(base, count + 1);
    return count ? `${base}-${count + 1}` : base;
  });
}
