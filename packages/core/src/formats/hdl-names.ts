import { systemVerilogKeywords } from "../hdl/verilog/keywords.ts";
import { reservedWords } from "../hdl/vhdl/token.ts";

/**
 * A name in Verilog: as it is where it can be, else an escaped identifier (IEEE 1364-2005, 3.7.1), which begins with a
 * backslash, ends with a blank, and so holds none.
 */
export function verilogName(name: string): string {
  if (/^[A-Za-z_][\w$]*$/.test(name) && !systemVerilogKeywords.has(name)) return name;
  // other letters by their number, so that no two names become one
  return `\\${name.replace(/[^\x21-\x7e]/g, (letter) => `_${letter.charCodeAt(0).toString(16)}`)} `;
}

/** A name in VHDL: as it is where it can be, else an extended identifier (IEEE 1076-2008, 15.4.3). */
export function vhdlName(name: string): string {
  if (/^[A-Za-z](?:_?[A-Za-z0-9])*$/.test(name) && !reservedWords.has(name.toLowerCase())) return name;
  return `\\${name.replaceAll("\\", "\\\\")}\\`;
}
