import type { Loc } from "../../common/source.ts";
import type {
  Assigned,
  Conditional,
  DelayMechanism,
  ExprNode,
  Ident,
  LoopScheme,
  Selected,
  StmtNode,
  Waveform,
  WaveformElement,
} from "./ast.ts";
import { GiveUp } from "./cursor.ts";
import { DeclParser } from "./parse-decl.ts";

const stmtWords = new Set(
  "if case loop for while exit next return null wait assert report with end elsif else when begin".split(" "),
);

/** Deeper nesting is no text of people. */
const deepestStatement = 200;

/** Sequential statements (IEEE 1076-2008 clause 10). */
export abstract class StmtParser extends DeclParser {
  /** Up to `end`, `elsif`, `else`, `when`. */
  statements(): StmtNode[] {
    if (this.nesting > deepestStatement) {
      this.report(
        "vhdl/too-deep",
        this.current,
        `Statements are nested more than ${deepestStatement} levels deep.`,
        "Part them, with procedures.",
      );
      // what follows closes levels that nobody will look at
      while (!this.atEnd) this.next();
      return [];
    }
    this.nesting++;
    try {
      return this.statementList();
    } finally {
      this.nesting--;
    }
  }
  private nesting = 0;

  private statementList(): StmtNode[] {
    const list: StmtNode[] = [];
    while (!this.atEnd && !this.isAny("end", "elsif", "else", "when")) {
      if (this.isUnitStart()) break;
      const before = this.at;
      try {
        list.push(this.statement());
      } catch (error) {
        if (!(error instanceof GiveUp)) throw error;
        this.skipTo(stmtWords);
        if (this.at === before) this.next();
      }
    }
    return list;
  }

  /** A design unit or a process begins here: an `end` must be missing. */
  isUnitStart(): boolean {
    return this.isAny("architecture", "entity", "process", "library", "configuration", "begin");
  }

  statement(): StmtNode {
    const begin = this.current;
    let label: Ident | null = null;
    if (begin.kind === "name" && this.isAt(1, ":")) {
      label = this.ident("the label");
      this.next();
    }
    const first = this.current;
    if (first.kind === "word") {
      switch (first.text) {
        case "if":
          return this.ifStatement(label, begin);
        case "case":
          return this.caseStatement(label, begin);
        case "loop":
        case "for":
        case "while":
          return this.loopStatement(label, begin);
        case "exit":
        case "next": {
          const { text } = this.next();
          const target = this.current.kind === "name" ? this.ident("a label") : null;
          const test = this.accept("when") ? this.expression() : null;
          this.semicolon(text);
          return { kind: text as "exit" | "next", label, target, test, loc: this.span(begin) };
        }
        case "return": {
          this.next();
          const value = this.is(";") ? null : this.expression();
          this.semicolon("return");
          return { kind: "return", label, value, loc: this.span(begin) };
        }
        case "null":
          this.next();
          this.semicolon("null");
          return { kind: "null", label, loc: this.span(begin) };
        case "wait": {
          this.next();
          let on: ExprNode[] | null = null;
          if (this.accept("on")) {
            on = [];
            do on.push(this.name());
            while (this.accept(","));
          }
          const until = this.accept("until") ? this.expression() : null;
          const delay = this.accept("for") ? this.expression() : null;
          this.semicolon("wait");
          return { kind: "wait", label, on, until, delay, loc: this.span(begin) };
        }
        case "assert": {
          const parts = this.assertion();
          return { kind: "assert", label, ...parts, loc: this.span(begin) };
        }
        case "report": {
          this.next();
          const message = this.expression();
          const severity = this.accept("severity") ? this.expression() : null;
          this.semicolon("report");
          return { kind: "report", label, message, severity, loc: this.span(begin) };
        }
        case "with":
          return this.selectedStatement(label, begin);
        default:
          this.unexpected("a statement");
          throw new GiveUp();
      }
    }
    const target = this.target();
    if (this.accept("<=")) {
      if (this.is("force") || this.is("release")) {
        const force = this.next().text as "force" | "release";
        if (this.is("in") || this.is("out")) this.next();
        const value: Waveform = force === "force" ? [{ value: this.expression(), after: null }] : [];
        this.semicolon("the assignment");
        const delay = { transport: false, reject: null };
        return { kind: "signal", label, target, delay, force, value: { kind: "plain", value }, loc: this.span(begin) };
      }
      const delay = this.delayMechanism();
      const value = this.conditional(() => this.waveform());
      this.semicolon("the assignment");
      return { kind: "signal", label, target, delay, value, force: null, loc: this.span(begin) };
    }
    if (this.accept(":=")) {
      const value = this.conditional(() => this.expression());
      this.semicolon("the assignment");
      return { kind: "assign", label, target, value, loc: this.span(begin) };
    }
    if (this.is("=")) {
      this.report(
        "vhdl/syntax",
        this.current,
        "'=' compares; it assigns nothing.",
        "Write '<=' for a signal, ':=' for a variable.",
      );
      throw new GiveUp();
    }
    if (!this.is(";") && target.kind !== "apply" && target.kind !== "name" && target.kind !== "select") {
      this.unexpected("'<=' or ':='");
      throw new GiveUp();
    }
    this.semicolon("the statement");
    return { kind: "call", label, call: target, loc: this.span(begin) };
  }

  target(): ExprNode {
    if (this.is("(") || this.is("<<")) return this.primaryTarget();
    if (this.current.kind !== "name") {
      this.unexpected("a statement");
      throw new GiveUp();
    }
    return this.name();
  }
  private primaryTarget(): ExprNode {
    const node = this.primary();
    return node;
  }

  assertion(): { test: ExprNode; message: ExprNode | null; severity: ExprNode | null } {
    this.next();
    const test = this.expression();
    const message = this.accept("report") ? this.expression() : null;
    const severity = this.accept("severity") ? this.expression() : null;
    this.semicolon("assert");
    return { test, message, severity };
  }

  delayMechanism(): DelayMechanism {
    if (this.accept("transport")) return { transport: true, reject: null };
    let reject: ExprNode | null = null;
    if (this.accept("reject")) {
      reject = this.expression();
      this.expect("inertial", "the reject limit");
    } else this.accept("inertial");
    return { transport: false, reject };
  }

  waveform(): Waveform {
    if (this.accept("unaffected")) return [];
    const list: WaveformElement[] = [];
    do {
      const value = this.expression();
      const after = this.accept("after") ? this.expression() : null;
      list.push({ value, after });
    } while (this.accept(","));
    return list;
  }

  /** `a when c else b`. */
  conditional<T>(parse: () => T): Assigned<T> {
    const first = parse();
    if (!this.is("when")) return { kind: "plain", value: first };
    const branches: Conditional<T>[] = [];
    let value = first;
    for (;;) {
      if (!this.accept("when")) {
        branches.push({ value, test: null });
        break;
      }
      const test = this.expression();
      branches.push({ value, test });
      if (!this.accept("else")) break;
      value = parse();
    }
    return { kind: "when", branches };
  }

  /** `with s select t <= a when x, b when others;` from behind the target's operator. */
  selected<T>(subject: ExprNode, matching: boolean, parse: () => T): Assigned<T> {
    const branches: Selected<T>[] = [];
    do {
      const value = parse();
      this.expect("when", "the value");
      branches.push({ value, choices: this.choices() });
    } while (this.accept(","));
    return { kind: "select", subject, matching, branches };
  }

  private selectedStatement(label: Ident | null, begin: Loc): StmtNode {
    this.next();
    const subject = this.expression();
    this.expect("select", "the selector");
    const matching = this.is("?") && Boolean(this.next());
    const target = this.target();
    if (this.accept("<=")) {
      const delay = this.delayMechanism();
      const value = this.selected(subject, matching, () => this.waveform());
      this.semicolon("the assignment");
      return { kind: "signal", label, target, delay, value, force: null, loc: this.span(begin) };
    }
    this.expect(":=", "the target");
    const value = this.selected(subject, matching, () => this.expression());
    this.semicolon("the assignment");
    return { kind: "assign", label, target, value, loc: this.span(begin) };
  }

  private ifStatement(label: Ident | null, begin: Loc): StmtNode {
    const branches: { test: ExprNode; body: StmtNode[]; loc: Loc }[] = [];
    let otherwise: StmtNode[] | null = null;
    const head = this.current;
    do {
      const word = this.next();
      const test = this.expression();
      if (!this.accept("then")) this.missing("then", "the condition");
      branches.push({ test, body: this.statements(), loc: this.span(word) });
    } while (this.is("elsif"));
    if (this.accept("else")) {
      if (this.is("if") && !this.lineBreakBefore()) {
        // `else if` needs an `end if` of its own; the finding about the missing end will say so
      }
      otherwise = this.statements();
    }
    this.endStatement("if", label, head);
    return { kind: "if", label, branches, otherwise, loc: this.span(begin) };
  }
  private lineBreakBefore(): boolean {
    const { file, start } = this.current;
    return /\n/.test(this.sources.text({ file, start: this.previous.end, end: start }));
  }

  /** `end if [label];`, told at the statement's own begin when it is missing. */
  endStatement(word: string, label: Ident | null, head: Loc): void {
    const line = this.sources.position(head.file, head.start).line;
    if (!this.is("end") || (this.peek(1).kind === "word" && !this.isAt(1, word))) {
      const found = this.is("end") ? `'end ${this.peek(1).text}'` : this.describe();
      const indent = this.columnOf(head);
      const spot = this.sources.position(this.current.file, this.current.start);
      this.report(
        "vhdl/missing-end",
        head,
        `This '${word}' has no 'end ${word};' before ${found} on line ${spot.line}.`,
        `Write 'end ${word};' where it ends.`,
        {
          file: spot.file,
          label: `Insert 'end ${word};'`,
          line: spot.line,
          column: spot.column,
          endLine: spot.line,
          endColumn: spot.column,
          text: `end ${word};\n${" ".repeat(Math.max(0, Math.min(indent, spot.column) - 1))}`,
        },
      );
      return;
    }
    this.next();
    if (!this.accept(word)) {
      this.report(
        "vhdl/syntax",
        this.previous,
        `Missing '${word}' after 'end': this ends the '${word}' of line ${line}.`,
        `Write 'end ${word};'.`,
      );
    }
    this.accept("?");
    this.endName(label);
    this.semicolon(`end ${word}`);
  }
  private columnOf(loc: Loc): number {
    return this.sources.position(loc.file, loc.start).column;
  }

  private caseStatement(label: Ident | null, begin: Loc): StmtNode {
    const head = this.next();
    const flavour = this.accept("?") ? "case?" : "case";
    const subject = this.expression();
    this.expect("is", "the selector");
    const branches: { choices: import("./ast.ts").Choice[]; body: StmtNode[]; loc: Loc }[] = [];
    while (this.is("when")) {
      const word = this.next();
      const choices = this.choices();
      if (!this.accept("=>")) this.missing("=>", "the choices");
      branches.push({ choices, body: this.statements(), loc: this.span(word) });
    }
    this.endStatement("case", label, head);
    return { kind: "case", label, flavour, subject, branches, loc: this.span(begin) };
  }

  private loopStatement(label: Ident | null, begin: Loc): StmtNode {
    const head = this.current;
    let scheme: LoopScheme | null = null;
    if (this.accept("while")) scheme = { kind: "while", test: this.expression() };
    else if (this.accept("for")) {
      const name = this.ident("the loop's parameter");
      this.expect("in", "the parameter");
      scheme = { kind: "for", name, range: this.discrete() };
    }
    this.expect("loop", "the loop's head");
    const body = this.statements();
    this.endStatement("loop", label, head);
    return { kind: "loop", label, scheme, body, loc: this.span(begin) };
  }
}
