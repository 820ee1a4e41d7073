import type { Loc } from "../../common/source.ts";
import type { TokenStream } from "./token-stream.ts";

/** A configuration (IEEE 1364-2005 clause 13): which modules stand behind instances of one design. */
export interface ConfigNode {
  readonly name: string;
  readonly loc: Loc;
  /** Tops, without their libraries. */
  readonly designs: readonly string[];
  /** By path from the top on (`t.u1`), or by module: the module that is used. */
  readonly instances: readonly ConfigRule[];
  readonly cells: readonly ConfigRule[];
}
export interface ConfigRule {
  readonly of: string;
  readonly use: string;
  readonly loc: Loc;
}

/** `library.cell` or `cell`: all sources are one library, so its name says nothing more. */
function cellName(s: TokenStream): string {
  const parts = [nameHere(s)];
  while (s.accept(".")) parts.push(nameHere(s));
  return parts.at(-1)!;
}

function nameHere(s: TokenStream): string {
  const { kind, text } = s.current;
  if (kind === "name") s.next();
  else s.unexpected("a name");
  return text;
}

export function parseConfig(s: TokenStream): ConfigNode {
  const { loc } = s.next();
  const name = nameHere(s);
  s.expect(";", "the configuration's name");
  const designs: string[] = [];
  const instances: ConfigRule[] = [];
  const cells: ConfigRule[] = [];
  while (!s.atEnd && !s.isAny("endconfig", "module", "endmodule")) {
    const at = s.current.loc;
    if (s.accept("design")) while (s.current.kind === "name") designs.push(cellName(s));
    else if (s.accept("default")) rule(s);
    else if (s.accept("instance")) {
      const path = [nameHere(s)];
      while (s.accept(".")) path.push(nameHere(s));
      const use = rule(s);
      if (use) instances.push({ of: path.join("."), use, loc: s.span(at) });
    } else if (s.accept("cell")) {
      const of = cellName(s);
      const use = rule(s);
      if (use) cells.push({ of, use, loc: s.span(at) });
    } else {
      s.unexpected("a rule of the configuration");
      s.next();
      continue;
    }
    s.expect(";", "a rule of the configuration");
  }
  if (!s.accept("endconfig"))
    s.report(
      "verilog/missing-endconfig",
      loc,
      `Configuration '${name}' has no 'endconfig'.`,
      "Add it after its last rule.",
    );
  if (s.accept(":")) s.next();
  return { name, loc, designs, instances, cells };
}

/** `use cell` or `liblist ...`; the second chooses between libraries, of which there is one. */
function rule(s: TokenStream): string | null {
  if (s.accept("use")) {
    const name = cellName(s);
    if (s.accept(":")) s.next();
    return name;
  }
  if (s.accept("liblist")) {
    while (s.current.kind === "name") s.next();
    return null;
  }
  s.unexpected("'use' or 'liblist'");
  return null;
}
