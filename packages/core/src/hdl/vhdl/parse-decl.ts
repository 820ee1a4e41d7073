import type { Loc } from "../../common/source.ts";
import type {
  Association,
  BindingSpec,
  DeclNode,
  DiscreteNode,
  ExprNode,
  GenericNode,
  Ident,
  InterfaceNode,
  Mode,
  PackageInstanceNode,
  RangeNode,
  StmtNode,
  SubprogramSpec,
  SubtypeNode,
  TypeDefinition,
} from "./ast.ts";
import { GiveUp } from "./cursor.ts";
import { ExprParser } from "./parse-expr.ts";

const declWords = new Set(
  `type subtype constant signal shared variable file alias attribute component function procedure pure impure use for
package group disconnect begin end`.split(/\s+/),
);

/** Declarations (IEEE 1076-2008 clause 6). */
export abstract class DeclParser extends ExprParser {
  abstract statements(): StmtNode[];

  /** Up to `begin`, `end`, or what no declaration begins with. */
  declarations(): DeclNode[] {
    const list: DeclNode[] = [];
    while (!this.atEnd && !this.is("begin") && !this.is("end")) {
      const before = this.at;
      try {
        const decl = this.declaration();
        if (decl === null) break;
        list.push(...decl);
      } catch (error) {
        if (!(error instanceof GiveUp)) throw error;
        this.skipTo(declWords);
        if (this.at === before) this.next();
      }
    }
    return list;
  }

  private declaration(): DeclNode[] | null {
    const begin = this.current;
    if (begin.kind !== "word") {
      if (begin.kind === "name" && !this.startsStatement()) {
        this.report(
          "vhdl/syntax",
          begin,
          `Expected a declaration or 'begin', found ${this.describe()}.`,
          "Write signal, variable or constant before the name, or 'begin' before the first statement.",
        );
        throw new GiveUp();
      }
      return null;
    }
    switch (begin.text) {
      case "type":
        return [this.typeDecl()];
      case "subtype": {
        this.next();
        const name = this.ident("the name of the subtype");
        this.expect("is", "the name");
        const type = this.subtype();
        this.semicolon("the subtype");
        return [{ kind: "subtypedecl", name, type, loc: this.span(begin) }];
      }
      case "constant":
      case "signal":
      case "variable":
      case "shared":
        return [this.objectDecl()];
      case "file": {
        this.next();
        const names = this.names();
        this.expect(":", "the name");
        const type = this.subtype();
        let mode: ExprNode | null = null;
        let path: ExprNode | null = null;
        if (this.accept("open")) mode = this.expression();
        if (this.accept("is")) {
          // `is in "name"`, as before 1993
          if (this.is("in") || this.is("out")) {
            const word = this.next();
            mode = { kind: "name", id: word.text === "in" ? "read_mode" : "write_mode", loc: word };
          }
          path = this.expression();
        }
        this.semicolon("the file");
        return [{ kind: "file", names, type, mode, path, loc: this.span(begin) }];
      }
      case "alias": {
        this.next();
        const token = this.current;
        let name: Ident;
        if (token.kind === "char" || token.kind === "string") {
          this.next();
          name = { id: token.kind === "char" ? `'${token.text}'` : `"${token.text.toLowerCase()}"`, loc: token };
        } else name = this.ident("the name of the alias");
        const type = this.accept(":") ? this.subtype() : null;
        this.expect("is", "the alias");
        this.signatureRead = null;
        const of = this.current.kind === "string" || this.current.kind === "char" ? this.name() : this.expression();
        const signature = this.signatureRead;
        this.signatureRead = null;
        this.semicolon("the alias");
        return [{ kind: "alias", name, type, of, signature, loc: this.span(begin) }];
      }
      case "attribute":
        return [this.attribute()];
      case "component": {
        this.next();
        const name = this.ident("the name of the component");
        this.accept("is");
        const generics = this.is("generic") ? this.genericClause() : [];
        const ports = this.is("port") ? this.portClause() : [];
        this.endOf("component", name, begin, true);
        return [{ kind: "component", name, generics, ports, loc: this.span(begin) }];
      }
      case "function":
      case "procedure":
      case "pure":
      case "impure":
        return [this.subprogram()];
      case "use": {
        this.next();
        const names: ExprNode[] = [];
        do names.push(this.name());
        while (this.accept(","));
        this.semicolon("the use clause");
        return [{ kind: "use", names, loc: this.span(begin) }];
      }
      case "for": {
        const spec = this.bindingSpec();
        return [{ kind: "configspec", spec, loc: this.span(begin) }];
      }
      case "package":
        return [this.nestedPackage()];
      case "group":
      case "disconnect":
        this.skipTo(declWords);
        return [{ kind: "ignored", loc: this.span(begin) }];
      default:
        return null;
    }
  }
  abstract nestedPackage(): DeclNode;

  private startsStatement(): boolean {
    return this.isAt(1, "<=") || this.isAt(1, ":=");
  }

  semicolon(after: string): void {
    if (this.accept(";")) return;
    this.missing(";", after);
  }

  names(): Ident[] {
    const list = [this.ident("a name")];
    while (this.accept(",")) list.push(this.ident("a name"));
    return list;
  }

  private objectDecl(): DeclNode {
    const begin = this.next();
    const shared = begin.text === "shared";
    if (shared) this.expect("variable", "shared");
    const object = shared ? "shared" : (begin.text as "constant" | "signal" | "variable");
    const names = this.names();
    this.expect(":", "the name");
    const type = this.subtype();
    let signalKind: "register" | "bus" | null = null;
    if (this.is("register") || this.is("bus")) signalKind = this.next().text as "register" | "bus";
    let init: ExprNode | null = null;
    if (this.accept(":=")) init = this.expression();
    else if (this.is("=") || this.is("<=")) {
      this.report("vhdl/syntax", this.current, "An initial value is given with ':='.", "Write ':='.");
      this.next();
      init = this.expression();
    }
    this.semicolon("the declaration");
    return { kind: "object", object, names, type, signalKind, init, loc: this.span(begin) };
  }

  private attribute(): DeclNode {
    const begin = this.next();
    const name =
      this.current.kind === "word" ? { id: this.current.text, loc: this.next() } : this.ident("the attribute");
    if (this.accept(":")) {
      const type = this.plainName();
      this.semicolon("the attribute");
      return { kind: "attributedecl", name, type, loc: this.span(begin) };
    }
    this.expect("of", "the name of the attribute");
    let entities: "all" | "others" | { name: Ident; signature: import("./ast.ts").SignatureNode | null }[];
    if (this.accept("all")) entities = "all";
    else if (this.accept("others")) entities = "others";
    else {
      entities = [];
      do {
        const token = this.next();
        const id =
          token.kind === "char"
            ? `'${token.text}'`
            : token.kind === "string"
              ? `"${token.text.toLowerCase()}"`
              : token.text;
        const signature = this.is("[") ? this.signature() : null;
        entities.push({ name: { id, loc: token }, signature });
      } while (this.accept(","));
    }
    this.expect(":", "the names");
    const entityClass = this.next().text;
    this.expect("is", "the class");
    const value = this.expression();
    this.semicolon("the attribute");
    return { kind: "attributespec", name, entities, entityClass, value, loc: this.span(begin) };
  }

  // ---- types ----------------------------------------------------------------------------------------------------

  private typeDecl(): DeclNode {
    const begin = this.next();
    const name = this.ident("the name of the type");
    if (this.accept(";"))
      return { kind: "type", name, def: { kind: "incomplete", loc: this.span(begin) }, loc: this.span(begin) };
    this.expect("is", "the name of the type");
    const def = this.typeDefinition(name);
    this.semicolon("the type");
    return { kind: "type", name, def, loc: this.span(begin) };
  }

  private typeDefinition(typeName: Ident): TypeDefinition {
    const begin = this.current;
    if (this.accept("(")) {
      const literals: Ident[] = [];
      do {
        const token = this.current;
        if (token.kind === "char") literals.push({ id: `'${token.text}'`, loc: this.next() });
        else literals.push(this.ident("a value of the enumeration"));
      } while (this.accept(","));
      this.expect(")", "the values");
      return { kind: "enum", literals, loc: this.span(begin) };
    }
    if (this.accept("range")) {
      const range = this.range();
      if (this.is("units")) return this.physical(range, begin);
      return { kind: "rangetype", range, loc: this.span(begin) };
    }
    if (this.accept("array")) {
      this.expect("(", "array");
      const indexes: DiscreteNode[] = [];
      let open = false;
      do {
        const index = this.rangeOrSubtypeOrBox();
        if (index.open) open = true;
        indexes.push(index.node);
      } while (this.accept(","));
      this.expect(")", "the index ranges");
      this.expect("of", "the index ranges");
      const element = this.subtype();
      return { kind: "arraytype", open, indexes, element, loc: this.span(begin) };
    }
    if (this.accept("record")) {
      const fields: { name: Ident; type: SubtypeNode }[] = [];
      while (this.current.kind === "name") {
        const names = this.names();
        this.expect(":", "the field");
        const type = this.subtype();
        this.semicolon("the field");
        for (const name of names) fields.push({ name, type });
      }
      this.expect("end", "the fields");
      this.accept("record");
      this.endName(typeName);
      return { kind: "recordtype", fields, loc: this.span(begin) };
    }
    if (this.accept("access")) return { kind: "accesstype", of: this.subtype(), loc: this.span(begin) };
    if (this.accept("file")) {
      this.expect("of", "file");
      return { kind: "filetype", of: this.plainName(), loc: this.span(begin) };
    }
    if (this.accept("protected")) {
      const isBody = this.accept("body");
      const items = this.declarations();
      this.expect("end", "the protected type");
      this.accept("protected");
      this.accept("body");
      this.endName(typeName);
      return { kind: isBody ? "protectedbody" : "protected", items, loc: this.span(begin) };
    }
    if (this.is("new") || this.current.kind === "name") {
      this.report(
        "vhdl/syntax",
        this.current,
        "A type is made from nothing that exists: a narrower or renamed one is a subtype.",
        `Write 'subtype ${typeName.id} is ...'.`,
      );
      throw new GiveUp();
    }
    this.unexpected("a type: (values), range, array, record, access or file");
    throw new GiveUp();
  }

  private rangeOrSubtypeOrBox(): { node: DiscreteNode; open: boolean } {
    const node = this.discreteBeforeBox();
    if (this.accept("range")) {
      this.expect("<>", "range");
      return { node, open: true };
    }
    return { node, open: false };
  }
  private discreteBeforeBox(): DiscreteNode {
    // `natural range <>` must not be read as a subtype with a range
    let ahead = 0;
    while (this.peek(ahead).kind === "name" || this.isAt(ahead, ".")) ahead++;
    if (ahead > 0 && this.isAt(ahead, "range") && this.isAt(ahead + 1, "<>")) return this.plainName();
    return this.discrete();
  }

  private physical(range: RangeNode | ExprNode, begin: Loc): TypeDefinition {
    this.next();
    const base = this.ident("the base unit");
    this.semicolon("the base unit");
    const units: { name: Ident; value: ExprNode }[] = [];
    while (this.atName) {
      const name = this.ident("a unit");
      this.expect("=", "the unit");
      const value = this.expression();
      this.semicolon("the unit");
      units.push({ name, value });
    }
    this.expect("end", "the units");
    this.accept("units");
    if (this.atName) this.next();
    return { kind: "physicaltype", range, base, units, loc: this.span(begin) };
  }

  // ---- interfaces -----------------------------------------------------------------------------------------------

  interfaceList(fallback: "constant" | "signal" | null): InterfaceNode[] {
    const list: InterfaceNode[] = [];
    if (!this.expect("(", "the list")) return list;
    if (this.accept(")")) return list;
    for (;;) {
      if (this.is(")")) {
        // a semicolon behind the last one
        this.report(
          "vhdl/last-semicolon",
          this.previous,
          "The last item of a list has no ';'.",
          "Take this ';' out.",
          this.removal(this.previous),
        );
        break;
      }
      list.push(...this.interfaceItem(fallback));
      if (this.accept(";")) continue;
      if (this.is(")")) break;
      if (this.current.kind === "name" || this.isAny("signal", "constant", "variable", "file")) {
        this.missing(";", "this item");
        continue;
      }
      if (this.is(",")) {
        this.report("vhdl/syntax", this.current, "Items of this list are parted by ';'.", "Write ';'.");
        this.next();
        continue;
      }
      this.missing(")", "the list");
      return list;
    }
    this.expect(")", "the list");
    return list;
  }

  private removal(loc: Loc) {
    const place = this.sources.place(loc);
    return {
      file: place.file!,
      label: "Remove ';'",
      line: place.line,
      column: place.column,
      endLine: place.endLine,
      endColumn: place.endColumn,
      text: "",
    };
  }

  private interfaceItem(fallback: "constant" | "signal" | null): InterfaceNode[] {
    const begin = this.current;
    let object: InterfaceNode["object"] = null;
    if (this.isAny("signal", "constant", "variable", "file")) object = this.next().text as InterfaceNode["object"];
    const names = this.names();
    this.expect(":", "the name");
    let mode: Mode | null = null;
    if (this.isAny("in", "out", "inout", "buffer", "linkage")) mode = this.next().text as Mode;
    const type = this.subtype();
    if (this.is("bus")) this.next();
    let init: ExprNode | null = null;
    if (this.accept(":=")) init = this.expression();
    const loc = this.span(begin);
    return names.map((name) => ({ kind: "interface", object: object ?? fallback, name, mode, type, init, loc }));
  }

  genericClause(): GenericNode[] {
    this.next();
    const list: GenericNode[] = [];
    if (!this.expect("(", "generic")) return list;
    while (!this.atEnd && !this.is(")")) {
      const begin = this.current;
      if (this.accept("type")) {
        const name = this.ident("the name of the type");
        list.push({ kind: "generictype", name, loc: this.span(begin) });
      } else if (this.isAny("function", "procedure", "pure", "impure")) {
        const spec = this.subprogramSpec();
        let fallback: ExprNode | "box" | null = null;
        if (this.accept("is")) fallback = this.accept("<>") ? "box" : this.name();
        list.push({ kind: "genericsub", spec, fallback, loc: this.span(begin) });
      } else list.push(...this.interfaceItem("constant"));
      if (!this.accept(";")) {
        if (this.atName) {
          this.missing(";", "this generic");
          continue;
        }
        break;
      }
      if (this.is(")"))
        this.report(
          "vhdl/last-semicolon",
          this.previous,
          "The last item of a list has no ';'.",
          "Take this ';' out.",
          this.removal(this.previous),
        );
    }
    this.expect(")", "the generics");
    this.semicolon("the generics");
    return list;
  }

  portClause(): InterfaceNode[] {
    this.next();
    const list = this.interfaceList("signal");
    this.semicolon("the ports");
    return list;
  }

  genericMap(): Association[] {
    this.next();
    this.expect("map", "generic");
    if (this.is("(")) return this.associations();
    this.missing("(", "generic map");
    return [];
  }
  portMap(): Association[] {
    this.next();
    this.expect("map", "port");
    if (this.is("(")) return this.associations();
    this.missing("(", "port map");
    return [];
  }

  // ---- subprograms ----------------------------------------------------------------------------------------------

  subprogramSpec(): SubprogramSpec {
    const begin = this.current;
    let pure = true;
    if (this.accept("impure")) pure = false;
    else this.accept("pure");
    const isFunction = this.is("function");
    if (!isFunction && !this.is("procedure")) {
      this.unexpected("'function' or 'procedure'");
      throw new GiveUp();
    }
    this.next();
    const token = this.current;
    const isSymbol = token.kind === "string";
    if (isSymbol) this.next();
    const name = isSymbol
      ? { id: `"${token.text.toLowerCase()}"`, loc: token }
      : this.ident(`the name of the ${isFunction ? "function" : "procedure"}`);
    let generics: readonly GenericNode[] = [];
    if (this.is("generic")) {
      generics = this.genericClauseBare();
      if (this.is("generic")) this.genericMap();
    }
    this.accept("parameter");
    const params = this.is("(") ? this.interfaceList(null) : [];
    let result: ExprNode | null = null;
    if (isFunction) {
      if (this.expect("return", "the parameters")) result = this.plainName();
    }
    return { name, isFunction, pure, params, result, generics, loc: this.span(begin) };
  }
  private genericClauseBare(): GenericNode[] {
    // as a generic clause, without the semicolon
    this.next();
    const list: GenericNode[] = [];
    this.expect("(", "generic");
    while (!this.atEnd && !this.is(")")) {
      const begin = this.current;
      if (this.accept("type")) list.push({ kind: "generictype", name: this.ident("a type"), loc: this.span(begin) });
      else if (this.isAny("function", "procedure", "pure", "impure")) {
        const spec = this.subprogramSpec();
        let fallback: ExprNode | "box" | null = null;
        if (this.accept("is")) fallback = this.accept("<>") ? "box" : this.name();
        list.push({ kind: "genericsub", spec, fallback, loc: this.span(begin) });
      } else list.push(...this.interfaceItem("constant"));
      if (!this.accept(";")) break;
    }
    this.expect(")", "the generics");
    return list;
  }

  private subprogram(): DeclNode {
    const begin = this.current;
    const ahead = this.is("pure") || this.is("impure") ? 1 : 0;
    if (this.isAt(ahead + 2, "is") && this.isAt(ahead + 3, "new")) {
      const isFunction = this.isAt(ahead, "function");
      for (let i = 0; i <= ahead; i++) this.next();
      const name = this.ident("the name");
      this.next();
      this.next();
      const of = this.plainName();
      const generics = this.is("generic") ? this.genericMap() : [];
      this.semicolon("the instance");
      return { kind: "subprograminstance", name, isFunction, of, generics, loc: this.span(begin) };
    }
    const spec = this.subprogramSpec();
    if (this.accept(";")) return { kind: "subprogram", spec, body: null, loc: this.span(begin) };
    if (!this.accept("is")) {
      this.missing(this.is("begin") || this.current.kind === "word" ? "is" : ";", "the parameters");
      if (!this.is("begin") && !declWords.has(this.current.text))
        return { kind: "subprogram", spec, body: null, loc: this.span(begin) };
    }
    const from = this.previous;
    const decls = this.declarations();
    this.expect("begin", "the declarations");
    const stmts = this.statements();
    const word = spec.isFunction ? "function" : "procedure";
    this.endOf(word, spec.name, begin, false);
    return { kind: "subprogram", spec, body: { decls, stmts, loc: this.span(from) }, loc: this.span(begin) };
  }

  /** `end [word] [name];` */
  endOf(word: string, name: Ident | null, begin: Loc, wordNeeded: boolean): void {
    if (!this.accept("end")) {
      const line = this.sources.position(begin.file, begin.start).line;
      const named = name ? ` '${name.id}'` : "";
      this.report(
        "vhdl/missing-end",
        this.atEnd ? begin : this.current,
        `The ${word}${named} that begins on line ${line} has no 'end' before ${this.describe()}.`,
        `Write 'end ${word};' where it ends.`,
      );
      return;
    }
    if (wordNeeded) this.expect(word, "end");
    else if (this.current.kind === "word" && this.is(word)) this.next();
    else if (this.current.kind === "word" && !this.is(";")) {
      this.report(
        "vhdl/end-word",
        this.current,
        `This 'end ${this.current.text}' stands where the end of the ${word}${name ? ` '${name.id}'` : ""} of line ${this.sources.position(begin.file, begin.start).line} is due.`,
        `Write 'end ${word};', or the 'end' that is missing before it.`,
      );
      this.next();
    }
    this.endName(name);
    this.semicolon(`end ${word}`);
  }

  endName(name: Ident | null): void {
    const token = this.current;
    if (token.kind !== "name" && token.kind !== "string" && token.kind !== "char") return;
    const id = token.kind === "string" ? `"${token.text.toLowerCase()}"` : token.text;
    this.next();
    if (name && id !== name.id) {
      const place = this.sources.place(token);
      this.findings.push({
        code: "vhdl/end-name",
        severity: "error",
        place,
        message: `This ends '${name.id}', not '${id}'.`,
        remedy: `Write '${name.id}' here, or leave the name out.`,
        edit: {
          file: place.file!,
          label: `Write '${name.id}'`,
          line: place.line,
          column: place.column,
          endLine: place.endLine,
          endColumn: place.endColumn,
          text: name.id,
        },
      });
    }
  }

  // ---- configuration --------------------------------------------------------------------------------------------

  /** `for labels : component [use ...] [maps];`, perhaps with `end for;`. */
  bindingSpec(): BindingSpec {
    const begin = this.next();
    let labels: "all" | "others" | Ident[];
    if (this.accept("all")) labels = "all";
    else if (this.accept("others")) labels = "others";
    else labels = this.names();
    this.expect(":", "the labels");
    const component = this.plainName();
    const spec = this.bindingIndication(labels, component, begin);
    if (this.is("end") && this.isAt(1, "for")) {
      this.next();
      this.next();
      this.semicolon("end for");
    }
    return spec;
  }

  bindingIndication(labels: BindingSpec["labels"], component: ExprNode, begin: Loc): BindingSpec {
    let unit: BindingSpec["unit"] = null;
    let some = false;
    if (this.accept("use")) {
      some = true;
      if (this.accept("entity")) {
        const name = this.plainName();
        let architecture: Ident | null = null;
        if (this.accept("(")) {
          architecture = this.ident("the architecture");
          this.expect(")", "the architecture");
        }
        unit = { kind: "entity", name, architecture };
      } else if (this.accept("configuration")) unit = { kind: "configuration", name: this.plainName() };
      else if (this.accept("open")) unit = { kind: "open" };
      else {
        this.unexpected("'entity', 'configuration' or 'open'");
        throw new GiveUp();
      }
    }
    let generics: Association[] = [];
    let ports: Association[] = [];
    if (this.is("generic")) {
      generics = this.genericMap();
      some = true;
    }
    if (this.is("port")) {
      ports = this.portMap();
      some = true;
    }
    if (some) this.semicolon("the binding");
    return { labels, component, unit, generics, ports, loc: this.span(begin) };
  }

  packageInstance(name: Ident, begin: Loc, context: PackageInstanceNode["context"]): PackageInstanceNode {
    this.expect("new", "is");
    const of = this.plainName();
    const generics = this.is("generic") ? this.genericMap() : [];
    this.semicolon("the package");
    return { kind: "packageinstance", name, of, generics, context, loc: this.span(begin) };
  }
}
