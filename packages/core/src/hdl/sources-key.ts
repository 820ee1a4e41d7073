import { hashValue } from "../common/codec.ts";
import type { Finding } from "../common/finding.ts";
import { type SourceFile, SourceSet } from "../common/source.ts";
import { isVhdl } from "./languages.ts";
import { tokenize as tokenizeVerilog } from "./verilog/lexer.ts";
import { newPreprocessor } from "./verilog/macros.ts";
import { includedFiles, isData } from "./verilog/parser.ts";
import { tokenize as tokenizeVhdl } from "./vhdl/lexer.ts";

/**
 * Key of what sources say: the same for texts that differ in comments, white space, places and the order of files alone.
 * Macros count as what they give, an included file where it is included; a name counts where it means something: of a
 * file of data, and of the folders of VHDL, which may be libraries. What cannot be read counts as it is written.
 */
export function sourcesKey(files: readonly SourceFile[]): string {
  const sources = new SourceSet(files);
  const pre = newPreprocessor();
  const included = includedFiles(sources);
  const parts = files.flatMap(({ name, text }, file): string[] => {
    const asWritten = [hashValue(["text", name, text])];
    const findings: Finding[] = [];
    if (isVhdl(name)) {
      const tokens = tokenizeVhdl(sources, file, findings);
      const folder = name.toLowerCase().split("/").slice(0, -1).join("/");
      return findings.length ? asWritten : [hashValue(["vhdl", folder, words(tokens)])];
    }
    if (isData(name)) return asWritten;
    if (included.has(file)) return [];
    const { tokens, marks, attributes } = tokenizeVerilog(sources, file, pre, findings);
    if (findings.length) return asWritten;
    const directives = [marks, attributes.map((each) => [each.at, each.text])];
    // the words of one language are names in the other
    const language = /\.(v|vh)$/i.test(name) ? "verilog" : "system";
    return [hashValue([language, directives, words(tokens)])];
  });
  return hashValue(parts.sort());
}

/** A kind for each word: a string and a name may be spelled alike. */
const words = (tokens: readonly { readonly kind: string; readonly text: string }[]): string =>
  tokens.map(({ kind, text }) => `${kind} ${text}`).join("\0");
