import type { Place, TextEdit } from "../../common/finding.ts";

/** Repairs of one word or line of a pin file. */

/** Another word in the place of one. @param place With its file and columns. */
export function replacement({ file, line, column, endLine, endColumn }: Place, text: string, label: string): TextEdit {
  return { file: file!, label, line, column, endLine, endColumn, text };
}

/** Takes a word away, with the blank before it. */
export function removal(place: Place, label: string): TextEdit {
  return replacement({ ...place, column: Math.max(1, place.column! - 1) }, "", label);
}

/** A word more behind a word or line. */
export function addition({ endLine, endColumn, ...place }: Place, text: string, label: string): TextEdit {
  return replacement({ ...place, line: endLine, column: endColumn, endLine, endColumn }, ` ${text}`, label);
}

/** Takes a line away, with its end. */
export function lineRemoval({ file, line }: Place, label: string): TextEdit {
  return { file: file!, label, line, column: 1, endLine: line! + 1, endColumn: 1, text: "" };
}
