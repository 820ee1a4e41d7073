import {
  isVhdl,
  type PortTexts,
  portTexts,
  type SourceFile,
  type SymbolEntry,
  SymbolIndex,
  VhdlNames,
} from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";

type Index = Pick<SymbolIndex, "at" | "complete">;
interface Last {
  readonly files: readonly SourceFile[];
  /** Each language has its own, made when it is first asked. */
  verilog: Index | null;
  vhdl: Index | null;
}
let last: Last | null = null;

function indexOf(files: readonly SourceFile[], file: string): Index {
  const same =
    last &&
    last.files.length === files.length &&
    files.every((each, i) => each.name === last!.files[i].name && each.text === last!.files[i].text);
  if (!last || !same) last = { files, verilog: null, vhdl: null };
  if (isVhdl(file)) {
    last.vhdl ??= new VhdlNames(files);
    return last.vhdl;
  }
  last.verilog ??= new SymbolIndex(files);
  return last.verilog;
}

/** Answers questions about names; the index is made anew when a text has changed. */
const names = {
  at: (files: readonly SourceFile[], file: string, offset: number): SymbolEntry | null =>
    indexOf(files, file).at(file, offset),
  complete: (files: readonly SourceFile[], file: string, offset: number): SymbolEntry[] =>
    indexOf(files, file).complete(file, offset),
  /** A Verilog instance keeps its parameters as they are written; all other forms come from the elaborated ports. */
  instance: (files: readonly SourceFile[], module: string, form: keyof PortTexts): string | null =>
    (form === "verilogInstance" ? new SymbolIndex(files).instanceTemplate(module) : null) ??
    portTexts(files, module)?.[form] ??
    null,
};
export type Names = typeof names;
exposeSealed(names);
