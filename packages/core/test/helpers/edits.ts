import type { TextEdit } from "../../src/common/index.ts";

/** A text with a repair made. */
export function repaired(text: string, edit: TextEdit): string {
  if (edit.append) return text === "" || text.endsWith("\n") ? text + edit.text : `${text}\n${edit.text}`;
  const lines = text.split(/(?<=\n)/);
  const at = (line = 1, column = 1) => lines.slice(0, line - 1).join("").length + column - 1;
  return text.slice(0, at(edit.line, edit.column)) + edit.text + text.slice(at(edit.endLine, edit.endColumn));
}
