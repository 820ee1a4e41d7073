import { type SourceFile, type SymbolEntry, SymbolIndex } from "@gate-clock/core";
import { expose } from "comlink";

let last: { readonly files: readonly SourceFile[]; readonly index: SymbolIndex } | null = null;

function indexOf(files: readonly SourceFile[]): SymbolIndex {
  const same =
    last &&
    last.files.length === files.length &&
    files.every((file, i) => file.name === last!.files[i].name && file.text === last!.files[i].text);
  if (!last || !same) last = { files, index: new SymbolIndex(files) };
  return last.index;
}

/** Answers questions about names; the index is made anew when a text has changed. */
const names = {
  at: (files: readonly SourceFile[], file: string, offset: number): SymbolEntry | null =>
    indexOf(files).at(file, offset),
  complete: (files: readonly SourceFile[], file: string, offset: number): SymbolEntry[] =>
    indexOf(files).complete(file, offset),
  instance: (files: readonly SourceFile[], module: string): string | null => indexOf(files).instanceTemplate(module),
};
export type Names = typeof names;
expose(names);
