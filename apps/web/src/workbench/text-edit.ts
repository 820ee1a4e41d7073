import type { TextEdit } from "@gate-clock/core";

/** The text with the edit made. Lines and columns count from 1. */
export function applyEdit(text: string, edit: TextEdit): string {
  if (edit.append) return text === "" || text.endsWith("\n") ? text + edit.text : `${text}\n${edit.text}`;
  const offset = (line: number, column: number): number => {
    let at = 0;
    for (let i = 1; i < line; i++) {
      const next = text.indexOf("\n", at);
      if (next < 0) return text.length;
      at = next + 1;
    }
    return Math.min(text.length, at + column - 1);
  };
  const from = offset(edit.line ?? 1, edit.column ?? 1);
  const to = offset(edit.endLine ?? edit.line ?? 1, edit.endColumn ?? edit.column ?? 1);
  return text.slice(0, from) + edit.text + text.slice(to);
}
