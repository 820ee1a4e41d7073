import { type Finding, InvariantError } from "../../common/finding.ts";
import { type Loc, SourceSet } from "../../common/source.ts";
import type {
  Assigned,
  ConcurrentNode,
  ConfigBlock,
  ContextItem,
  DeclNode,
  ExprNode,
  GenerateBody,
  Ident,
  PackageBodyNode,
  PackageInstanceNode,
  PackageNode,
  UnitNode,
  VhdlSyntax,
  Waveform,
} from "./ast.ts";
import { GiveUp } from "./cursor.ts";
import { tokenize } from "./lexer.ts";
import { StmtParser } from "./parse-stmt.ts";

const unitWords = new Set("library use entity architecture package configuration context".split(" "));
const concurrentWords = new Set(
  "process block with assert component entity architecture package configuration library end begin".split(" "),
);

/** Concurrent statements and design units (IEEE 1076-2008 clauses 3, 4, 11 and 13). */
class Parser extends StmtParser {
  file(): UnitNode[] {
    const units: UnitNode[] = [];
    let context: ContextItem[] = [];
    while (!this.atEnd) {
      const before = this.at;
      try {
        const item = this.contextItem();
        if (item) {
          context.push(item);
          continue;
        }
        const unit = this.unit(context);
        if (unit) units.push(unit);
        else {
          this.report(
            "vhdl/syntax",
            this.current,
            `Expected a design unit, found ${this.describe()}.`,
            "A file holds entities, architectures, packages and configurations, each with its library and use clauses.",
          );
          this.skipTo(unitWords);
          if (this.at === before) this.next();
        }
        context = [];
      } catch (error) {
        if (!(error instanceof GiveUp)) throw error;
        this.skipTo(unitWords);
        if (this.at === before) this.next();
      }
    }
    return units;
  }

  private contextItem(): ContextItem | null {
    const begin = this.current;
    if (this.accept("library")) {
      const names = this.names();
      this.semicolon("the library clause");
      return { kind: "library", names, loc: this.span(begin) };
    }
    if (this.is("use") || (this.is("context") && !this.isAt(2, "is"))) {
      const word = this.next().text;
      const names: ExprNode[] = [];
      do names.push(this.name());
      while (this.accept(","));
      this.semicolon("the clause");
      return { kind: word === "use" ? "use" : "contextref", names, loc: this.span(begin) };
    }
    return null;
  }

  private unit(context: readonly ContextItem[]): UnitNode | null {
    const begin = this.current;
    if (this.accept("entity")) {
      const name = this.ident("the name of the entity");
      this.expect("is", "the name");
      const generics = this.is("generic") ? this.genericClause() : [];
      const ports = this.is("port") ? this.portClause() : [];
      const decls = this.declarations();
      const stmts = this.accept("begin") ? this.concurrents() : [];
      this.endOf("entity", name, begin, false);
      return { kind: "entity", name, generics, ports, decls, stmts, context, loc: this.span(begin) };
    }
    if (this.accept("architecture")) {
      const name = this.ident("the name of the architecture");
      this.expect("of", "the name");
      const entity = this.ident("the name of the entity");
      this.expect("is", "the entity");
      const decls = this.declarations();
      this.expect("begin", "the declarations");
      const stmts = this.concurrents();
      this.endOf("architecture", name, begin, false);
      return { kind: "architecture", name, entity, decls, stmts, context, loc: this.span(begin) };
    }
    if (this.is("package")) return this.package(context);
    if (this.accept("configuration")) {
      const name = this.ident("the name of the configuration");
      this.expect("of", "the name");
      const entity = this.plainName();
      this.expect("is", "the entity");
      while (this.isAny("use", "attribute", "group")) {
        while (!this.atEnd && !this.is(";")) this.next();
        this.next();
      }
      const block = this.is("for") ? this.configBlock() : null;
      this.endOf("configuration", name, begin, false);
      return { kind: "configuration", name, entity, block, context, loc: this.span(begin) };
    }
    if (this.accept("context")) {
      const name = this.ident("the name of the context");
      this.expect("is", "the name");
      const items: ContextItem[] = [];
      for (;;) {
        const item = this.contextItem();
        if (!item) break;
        items.push(item);
      }
      this.endOf("context", name, begin, false);
      return { kind: "context", name, items, loc: this.span(begin) };
    }
    return null;
  }

  private package(context: readonly ContextItem[]): PackageNode | PackageBodyNode | PackageInstanceNode {
    const begin = this.next();
    const isBody = this.accept("body");
    const name = this.ident("the name of the package");
    this.expect("is", "the name");
    if (this.is("new")) return this.packageInstance(name, begin, context);
    const generics = !isBody && this.is("generic") ? this.genericClause() : [];
    const decls = this.declarations();
    if (this.is("begin")) {
      this.report("vhdl/syntax", this.current, "A package holds no statements.", "Take 'begin' out.");
      this.next();
    }
    if (isBody && this.is("end")) {
      this.next();
      if (this.accept("package")) this.accept("body");
      this.endName(name);
      this.semicolon("end");
    } else this.endOf("package", name, begin, false);
    const loc = this.span(begin);
    return isBody
      ? { kind: "packagebody", name, decls, context, loc }
      : { kind: "package", name, generics, decls, context, loc };
  }

  nestedPackage(): DeclNode {
    const begin = this.current;
    const unit = this.package([]);
    if (unit.kind === "packageinstance") return unit;
    return unit.kind === "package"
      ? { kind: "package", unit, loc: this.span(begin) }
      : { kind: "packagebody", unit, loc: this.span(begin) };
  }

  private configBlock(): ConfigBlock {
    const begin = this.next();
    const name = this.ident("an architecture or a label");
    if (this.is("(")) this.associations();
    const items: ConfigBlock["items"][number][] = [];
    while (this.is("use") || this.is("for")) {
      if (this.accept("use")) {
        this.skipTo(new Set(["for", "end"]));
        continue;
      }
      // `for label : component` binds; `for label` goes inside
      let ahead = 1;
      while (
        this.peek(ahead).kind === "name" ||
        this.isAt(ahead, ",") ||
        this.isAt(ahead, "all") ||
        this.isAt(ahead, "others")
      )
        ahead++;
      if (this.isAt(ahead, ":")) {
        const from = this.next();
        let labels: "all" | "others" | Ident[];
        if (this.accept("all")) labels = "all";
        else if (this.accept("others")) labels = "others";
        else labels = this.names();
        this.expect(":", "the labels");
        const component = this.plainName();
        const spec = this.bindingIndication(labels, component, from);
        const inner = this.is("for") ? this.configBlock() : null;
        this.expect("end", "the binding");
        this.expect("for", "end");
        this.semicolon("end for");
        items.push({ kind: "bind", spec, inner });
      } else items.push({ kind: "block", block: this.configBlock() });
    }
    this.expect("end", "the configuration");
    this.expect("for", "end");
    this.semicolon("end for");
    return { name, items, loc: this.span(begin) };
  }

  // ---- concurrent statements ------------------------------------------------------------------------------------

  private concurrents(stops: readonly string[] = ["end"]): ConcurrentNode[] {
    const list: ConcurrentNode[] = [];
    while (!this.atEnd && !this.isAny(...stops)) {
      if (this.isAny("architecture", "library", "configuration") || (this.is("entity") && this.isAt(2, "is"))) break;
      const before = this.at;
      try {
        list.push(this.concurrent());
      } catch (error) {
        if (!(error instanceof GiveUp)) throw error;
        this.skipTo(concurrentWords);
        if (this.at === before) this.next();
      }
    }
    return list;
  }

  private concurrent(): ConcurrentNode {
    const begin = this.current;
    let label: Ident | null = null;
    if (begin.kind === "name" && this.isAt(1, ":")) {
      label = this.ident("the label");
      this.next();
    }
    const postponed = this.accept("postponed");
    const first = this.current;
    if (this.isSequential()) return this.strayStatement(label, begin);
    if (first.kind === "word") {
      switch (first.text) {
        case "process":
          return this.process(label, postponed, begin);
        case "block":
          return this.block(this.labelled(label, "block"), begin);
        case "assert": {
          const parts = this.assertion();
          return { kind: "assert", label, ...parts, loc: this.span(begin) };
        }
        case "with": {
          this.next();
          const subject = this.expression();
          this.expect("select", "the selector");
          const matching = this.accept("?");
          const target = this.target();
          this.expect("<=", "the target");
          const guarded = this.accept("guarded");
          const delay = this.delayMechanism();
          const value = this.selected(subject, matching, () => this.waveform());
          this.semicolon("the assignment");
          return { kind: "signal", label, target, delay, guarded, value, loc: this.span(begin) };
        }
        case "for":
          return this.forGenerate(this.labelled(label, "generate"), begin);
        case "if":
          return this.ifGenerate(this.labelled(label, "generate"), begin);
        case "case":
          return this.caseGenerate(this.labelled(label, "generate"), begin);
        case "component":
        case "entity":
        case "configuration": {
          const { text } = this.next();
          return this.instance(
            this.labelled(label, "instance"),
            text as "component" | "entity" | "configuration",
            begin,
          );
        }
        default:
          this.unexpected("a concurrent statement");
          throw new GiveUp();
      }
    }
    // an instance of a component: a name, then maps
    if (label && first.kind === "name") {
      let ahead = 1;
      while (this.isAt(ahead, ".") && this.peek(ahead + 1).kind === "name") ahead += 2;
      const isMap = (word: string) => this.isAt(ahead, word) && this.isAt(ahead + 1, "map");
      if (isMap("port") || isMap("generic")) return this.instance(label, "component", begin);
    }
    const target = this.target();
    if (this.is("=")) {
      this.report("vhdl/syntax", this.current, "'=' compares; it assigns nothing.", "Write '<='.");
    }
    if (this.accept("<=") || this.accept("=")) {
      const guarded = this.accept("guarded");
      const delay = this.delayMechanism();
      const value: Assigned<Waveform> = this.conditional(() => this.waveform());
      this.semicolon("the assignment");
      return { kind: "signal", label, target, delay, guarded, value, loc: this.span(begin) };
    }
    if (this.is(":=")) {
      this.report(
        "vhdl/variable-outside",
        this.current,
        "':=' assigns variables, which live in processes and subprograms.",
        "Write '<=' for a signal, or put the statement into a process.",
      );
      throw new GiveUp();
    }
    if (this.isAny("port", "generic") && !label) {
      this.report("vhdl/no-label", begin, "An instance needs a label.", `Write 'u1 : ' before it.`);
      throw new GiveUp();
    }
    this.semicolon("the statement");
    return { kind: "call", label, call: target, loc: this.span(begin) };
  }

  /** A statement of processes: one with its own word, or `if`, `case` or `for` without 'generate'. */
  private isSequential(): boolean {
    if (this.isAny("wait", "return", "null", "loop", "while", "exit", "next", "report")) return true;
    if (!this.isAny("if", "case", "for")) return false;
    for (let ahead = 1; ahead < 400; ahead++) {
      if (this.isAt(ahead, "generate")) return false;
      if (this.isAt(ahead, "then") || this.isAt(ahead, "loop") || this.isAt(ahead, "is")) return true;
      if (this.isAt(ahead, ";")) break;
    }
    return false;
  }
  /** Told once, then taken as a process of its own, so that what it does is known. */
  private strayStatement(label: Ident | null, begin: Loc): ConcurrentNode {
    const word = this.current;
    this.report(
      "vhdl/outside-process",
      word,
      `'${word.text}' is a sequential statement: it stands in a process or a subprogram.`,
      word.text === "if"
        ? "Put it into a process; or write 'target <= a when condition else b;'."
        : "Put it into a process.",
    );
    const stmt = this.statement();
    return {
      kind: "process",
      label,
      sensitivity: word.text === "wait" ? null : "all",
      postponed: false,
      decls: [],
      stmts: [stmt],
      headLoc: word,
      loc: this.span(begin),
    };
  }

  private labelled(label: Ident | null, what: string): Ident {
    if (label) return label;
    this.report(
      "vhdl/no-label",
      this.current,
      what === "instance" ? "An instance needs a label." : `A ${what} statement needs a label.`,
      "Write a name and ':' before it.",
    );
    return { id: `unnamed_${this.current.start}`, loc: this.current };
  }

  private process(label: Ident | null, postponed: boolean, begin: Loc): ConcurrentNode {
    this.next();
    let sensitivity: "all" | ExprNode[] | null = null;
    if (this.accept("(")) {
      if (this.accept("all")) sensitivity = "all";
      else {
        sensitivity = [];
        do sensitivity.push(this.name());
        while (this.accept(","));
      }
      this.expect(")", "the sensitivity list");
    }
    const headLoc = this.span(begin);
    this.accept("is");
    const decls = this.declarations();
    this.expect("begin", "the declarations");
    const stmts = this.statements();
    if (this.is("end") && this.isAt(1, "postponed")) {
      this.next();
      this.next();
      this.accept("process");
      this.endName(label);
      this.semicolon("end process");
    } else this.endOf("process", label, begin, true);
    return { kind: "process", label, sensitivity, postponed, decls, stmts, headLoc, loc: this.span(begin) };
  }

  private block(label: Ident, begin: Loc): ConcurrentNode {
    this.next();
    let guard: ExprNode | null = null;
    if (this.accept("(")) {
      guard = this.expression();
      this.expect(")", "the guard");
    }
    this.accept("is");
    const generics = this.is("generic") && !this.isAt(1, "map") ? this.genericClause() : [];
    let genericMap: ReturnType<Parser["genericMap"]> = [];
    if (this.is("generic")) {
      genericMap = this.genericMap();
      this.semicolon("the generic map");
    }
    const ports = this.is("port") && !this.isAt(1, "map") ? this.portClause() : [];
    let portMap: ReturnType<Parser["portMap"]> = [];
    if (this.is("port")) {
      portMap = this.portMap();
      this.semicolon("the port map");
    }
    const decls = this.declarations();
    this.expect("begin", "the declarations");
    const stmts = this.concurrents();
    this.endOf("block", label, begin, true);
    return { kind: "block", label, guard, generics, genericMap, ports, portMap, decls, stmts, loc: this.span(begin) };
  }

  private instance(label: Ident, unit: "component" | "entity" | "configuration", begin: Loc): ConcurrentNode {
    const name = this.plainName();
    let architecture: Ident | null = null;
    if (unit === "entity" && this.accept("(")) {
      architecture = this.ident("the architecture");
      this.expect(")", "the architecture");
    }
    const generics = this.is("generic") ? this.genericMap() : [];
    if (this.is(";") && this.isAt(1, "port") && this.isAt(2, "map")) {
      this.report("vhdl/syntax", this.current, "No ';' stands between generic map and port map.", "Take this ';' out.");
      this.next();
    }
    const ports = this.is("port") ? this.portMap() : [];
    this.semicolon("the instance");
    return { kind: "instance", label, unit, name, architecture, generics, ports, loc: this.span(begin) };
  }

  // ---- generate (11.8, and 2008's else and case) ------------------------------------------------------------------

  private forGenerate(label: Ident, begin: Loc): ConcurrentNode {
    this.next();
    const name = this.ident("the parameter");
    this.expect("in", "the parameter");
    const range = this.discrete();
    this.expect("generate", "the range");
    const body = this.generateBody(["end"]);
    this.endOf("generate", label, begin, true);
    return { kind: "forgenerate", label, name, range, body, loc: this.span(begin) };
  }

  private ifGenerate(label: Ident, begin: Loc): ConcurrentNode {
    const branches: { label: Ident | null; test: ExprNode | null; body: GenerateBody }[] = [];
    const alternative = (test: boolean) => {
      const own = this.current.kind === "name" && this.isAt(1, ":") ? this.ident("a label") : null;
      if (own) this.next();
      const condition = test ? this.expression() : null;
      this.expect("generate", test ? "the condition" : "else");
      branches.push({ label: own, test: condition, body: this.generateBody(["end", "elsif", "else"]) });
    };
    this.next();
    alternative(true);
    while (this.accept("elsif")) alternative(true);
    if (this.accept("else")) alternative(false);
    this.endOf("generate", label, begin, true);
    return { kind: "ifgenerate", label, branches, loc: this.span(begin) };
  }

  private caseGenerate(label: Ident, begin: Loc): ConcurrentNode {
    this.next();
    const subject = this.expression();
    this.expect("generate", "the selector");
    const branches: { label: Ident | null; choices: ReturnType<Parser["choices"]>; body: GenerateBody }[] = [];
    while (this.accept("when")) {
      const own = this.current.kind === "name" && this.isAt(1, ":") ? this.ident("a label") : null;
      if (own) this.next();
      const choices = this.choices();
      this.expect("=>", "the choices");
      branches.push({ label: own, choices, body: this.generateBody(["end", "when"]) });
    }
    this.endOf("generate", label, begin, true);
    return { kind: "casegenerate", label, subject, branches, loc: this.span(begin) };
  }

  private generateBody(stops: readonly string[]): GenerateBody {
    const begin = this.current;
    let decls: DeclNode[] = [];
    const startsDecl = this.isAny(
      "type",
      "subtype",
      "constant",
      "signal",
      "shared",
      "variable",
      "file",
      "alias",
      "attribute",
      "component",
      "function",
      "procedure",
      "pure",
      "impure",
      "use",
      "begin",
    );
    const isConfig = this.is("for") && (this.isAt(2, ":") || this.isAt(2, ",")) && !this.isAt(2, "in");
    let hasBegin = false;
    if (startsDecl || isConfig) {
      decls = this.declarations();
      hasBegin = this.expect("begin", "the declarations");
    }
    const stmts = this.concurrents(stops);
    // `end;` or `end label;` of the body itself, before that of the statement
    if (hasBegin && this.is("end") && !this.isAt(1, "generate")) {
      const after = this.peek(1);
      if (this.isAt(1, ";") || (after.kind === "name" && this.isAt(2, ";"))) {
        this.next();
        if (this.current.kind === "name") this.next();
        this.next();
      }
    }
    return { decls, stmts, loc: this.span(begin) };
  }
}

/** Syntax of one file of a source set. Never throws on bad text: findings say what is wrong. */
export function parseVhdlFile(sources: SourceSet, file: number): VhdlSyntax {
  const findings: Finding[] = [];
  const tokens = tokenize(sources, file, findings);
  const units = new Parser(tokens, sources, findings).file();
  return { units, findings };
}

/** Text of a library that ships with the product: its places are in no file of the design. */
export function parseLibraryText(name: string, text: string): readonly UnitNode[] {
  const sources = new SourceSet([{ name, text }]);
  const findings: Finding[] = [];
  const units = new Parser(tokenize(sources, 0, findings, null, libraryFile), sources, findings).file();
  if (findings.length) throw new InvariantError(`${name}: ${findings[0].message}`);
  return units;
}
/** File number of places within the libraries. */
export const libraryFile = -1;
