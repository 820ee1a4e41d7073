import type { Access, CallArg, ClassItem, ClassMember, ModuleItem, NamedType, ParamItem, TypeNode } from "./ast.ts";
import { parseImports, parseParams, parseTypedef, parseVariables } from "./parse-decl.ts";
import { parseArgs } from "./parse-expr.ts";
import { parseParameterPorts, parseSubroutine, unsupported } from "./parse-module.ts";
import { missingEnd } from "./parse-stmt.ts";
import { parseType } from "./parse-type.ts";
import { parseEndLabel, parseSemicolon, stops } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

const ends = ["endclass", "endmodule", "endpackage", "endinterface", "endprogram", "module", "package"];

/** A class (IEEE 1800-2017 clause 8), with `class` or `virtual class` at hand. */
export function parseClass(s: TokenStream): ClassItem {
  const { loc } = s.current;
  const isAbstract = s.accept("virtual");
  s.accept("interface");
  s.expect("class", "'virtual'");
  s.acceptAny("automatic", "static");
  const { text: name, loc: nameLoc, kind } = s.current;
  if (kind === "name") s.next();
  else s.unexpected("the class's name");
  const params: ModuleItem[] = [];
  if (s.accept("#")) parseParameterPorts(s, params);
  let base: NamedType | null = null;
  let baseArgs: readonly CallArg[] | null = null;
  if (s.accept("extends")) {
    const type: TypeNode = parseType(s);
    if (type.kind === "named") base = type;
    else s.report("verilog/class", type.loc, "Only a class can be extended.", "Name a class.");
    if (s.is("(")) baseArgs = parseArgs(s);
  }
  if (s.is("implements")) {
    unsupported(s, "implements");
    while (!s.atEnd && !s.is(";")) s.next();
  }
  parseSemicolon(s, "the class's header");
  const items: ClassMember[] = [];
  while (!s.atEnd && !s.isAny(...ends)) {
    const before = s.index;
    parseMember(s, items);
    if (s.index === before) s.next();
  }
  if (s.accept("endclass")) parseEndLabel(s, name);
  else missingEnd(s, loc, "class", "endclass");
  const own = params.filter((item): item is ParamItem => item.kind === "param");
  return { kind: "class", name, nameLoc, isAbstract, params: own, base, baseArgs, items, loc: s.span(loc) };
}

function parseMember(s: TokenStream, items: ClassMember[]): void {
  const { loc } = s.current;
  if (s.accept(";")) return;
  let isStatic = false;
  let isVirtual = false;
  let isPure = false;
  let isExtern = false;
  let isConst = false;
  let access: Access = "public";
  for (;;) {
    if (s.is("virtual") && (s.peek(1).kind === "name" || /^(class|interface)$/.test(s.peek(1).text))) break;
    if (s.accept("static")) isStatic = true;
    else if (s.accept("virtual")) isVirtual = true;
    else if (s.accept("pure")) isPure = true;
    else if (s.accept("extern")) isExtern = true;
    else if (s.accept("const")) isConst = true;
    else if (s.is("local") || s.is("protected")) access = s.next().text as Access;
    else if (!s.acceptAny("rand", "randc", "automatic")) break;
  }
  if (s.isAny("function", "task")) {
    const node = parseSubroutine(s, isPure || isExtern);
    items.push({
      kind: "method",
      node,
      isStatic,
      isVirtual: isVirtual || isPure,
      isPure,
      isExtern,
      access,
      loc: s.span(loc),
    });
    return;
  }
  if (s.isAny("parameter", "localparam")) items.push(...parseParams(s));
  else if (s.is("typedef")) {
    const made = parseTypedef(s);
    if (made) items.push(made);
  } else if (s.is("import")) items.push(...parseImports(s));
  else if (s.is("class") || (s.is("virtual") && s.peek(1).text === "class")) items.push(parseClass(s));
  else if (s.is("constraint")) {
    s.report(
      "verilog/unsupported",
      s.current.loc,
      "Constraints are not read: objects are not randomized.",
      "Draw the values with $urandom_range in a method.",
    );
    while (!s.atEnd && !s.isAny("{", ";", ...ends)) s.next();
    if (s.is("{")) s.rewind(s.index + Math.max(1, s.pastBracket(0)));
    else s.accept(";");
  } else if (s.isAny("covergroup", "property", "sequence")) {
    const { text } = s.current;
    unsupported(s, text);
    const end = `end${text === "covergroup" ? "group" : text}`;
    while (!s.atEnd && !s.isAny(end, ...ends)) s.next();
    s.accept(end);
  } else if (isVirtual) {
    unsupported(s, "virtual");
    s.skipTo(stops);
  } else {
    const decl = parseVariables(s);
    if (decl.names.length === 0) {
      s.skipTo(stops);
      return;
    }
    items.push({
      kind: "property",
      decl: { ...decl, isConst: isConst || decl.isConst },
      isStatic,
      access,
      loc: s.span(loc),
    });
  }
}
