import type { Loc } from "../../../common/source.ts";
import type { ExprNode, Ident, StmtNode } from "../../../hdl/vhdl/ast.ts";
import type { BoundChoice, ConstantDecl, Expr, Stmt } from "../bound.ts";
import { Scope } from "../scope.ts";
import { article } from "../type-words.ts";
import { errorType, isDiscrete, subtypeOf, type VType } from "../types.ts";
import { countOf } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Sequential statements (clause 10). */
export class StmtBinder {
  constructor(private readonly host: Binder) {}

  private loops: { readonly label: string; readonly shown: string }[] = [];
  private loopCount = 0;
  /** Within a process or procedure, where waiting is allowed. */
  mayWait = true;

  statements(nodes: readonly StmtNode[]): Stmt[] {
    const list: Stmt[] = [];
    for (const node of nodes) {
      const stmt = this.statement(node);
      if (stmt) list.push(stmt);
      this.host.forget();
    }
    return list;
  }

  private statement(node: StmtNode): Stmt | null {
    const { loc } = node;
    switch (node.kind) {
      case "null":
        return { op: "null", loc };
      case "signal":
        return this.host.assignments.signalAssignment(node.target, node, loc);
      case "assign":
        return this.host.assignments.variableAssignment(node.target, node.value, loc);
      case "if": {
        let no = node.otherwise ? this.statements(node.otherwise) : null;
        for (let i = node.branches.length - 1; i >= 0; i--) {
          const branch = node.branches[i];
          const test = this.host.operations.condition(branch.test);
          const yes = this.statements(branch.body);
          const stmt: Stmt = { op: "if", test, yes, no, loc: branch.loc };
          no = [stmt];
        }
        return no![0];
      }
      case "case": {
        const subject = this.subject(node.subject);
        if (!subject) {
          for (const branch of node.branches) this.statements(branch.body);
          return null;
        }
        const branches = node.branches.map((branch) => ({
          choices: this.host.aggregates.choices(branch.choices, subject.type),
          body: this.statements(branch.body),
          loc: branch.loc,
        }));
        this.checkCoverage(
          subject,
          branches.flatMap((each) => each.choices),
          loc,
        );
        return { op: "case", subject, matching: node.flavour === "case?", branches, loc };
      }
      case "loop":
        return this.loop(node);
      case "exit":
      case "next": {
        const test = node.test ? this.host.operations.condition(node.test) : null;
        const target = node.target;
        const found = target
          ? this.loops.findLast((each) => each.shown === target.id)
          : this.loops[this.loops.length - 1];
        if (!found) {
          this.host.error(
            "no-loop",
            target?.loc ?? loc,
            target
              ? `There is no loop '${target.id}' around this '${node.kind}'.`
              : `'${node.kind}' stands outside of a loop.`,
            "Put it into the loop that is meant.",
          );
          return null;
        }
        return { op: node.kind, label: found.label, test, loc };
      }
      case "return": {
        if (!this.host.decls.result) {
          this.host.error("return", loc, "'return' stands outside of a function or procedure.", "Take it out.");
          return null;
        }
        const { subtype, isFunction } = this.host.decls.result;
        if (isFunction && !node.value) {
          this.host.error("return", loc, "A function returns a value.", "Write 'return value;'.");
          return null;
        }
        if (!isFunction && node.value) {
          this.host.error(
            "return",
            node.value.loc,
            "A procedure returns no value.",
            "Give it back through an 'out' parameter.",
          );
          return null;
        }
        return {
          op: "return",
          value: node.value ? this.host.exprs.bind(node.value, subtype?.type ?? null) : null,
          loc,
        };
      }
      case "wait": {
        const on =
          node.on?.map((each) => this.host.assignments.signalName(each)).filter((each) => each !== null) ?? null;
        const until = node.until ? this.host.operations.condition(node.until) : null;
        const delay = node.delay ? this.host.exprs.bind(node.delay, this.host.world.standard.time) : null;
        if (this.host.decls.result?.isFunction) {
          this.host.error("wait", loc, "A function cannot wait.", "Make it a procedure.");
          return null;
        }
        if (!this.mayWait) {
          this.host.error(
            "wait",
            loc,
            "A process with a sensitivity list cannot wait.",
            "Take the list out, or the wait.",
          );
          return null;
        }
        return { op: "wait", on, until, delay, loc };
      }
      case "assert":
        return this.assertion(node.test, node.message, node.severity, loc);
      case "report":
        return this.assertion(null, node.message, node.severity, loc);
      case "call":
        return this.host.procedures.callStatement(node.call, loc);
    }
  }

  assertion(test: ExprNode | null, message: ExprNode | null, severity: ExprNode | null, loc: Loc): Stmt {
    const { string, severity: level } = this.host.world.standard;
    return {
      op: "assert",
      test: test ? this.host.operations.condition(test) : null,
      message: message ? this.host.exprs.bind(message, string) : null,
      severity: severity ? this.host.exprs.bind(severity, level) : null,
      loc,
    };
  }

  /** Selector of a case: its own type, which must be the only one. */
  subject(node: ExprNode): Expr | null {
    const types = this.host.candidates.types(node);
    const firm = types.filter((type) => type.kind !== "any");
    const subject = this.host.exprs.bind(node, firm.length === 1 ? firm[0] : null);
    return subject.type === errorType ? null : subject;
  }

  /** Every value of an enumeration must have a branch (10.9). Vectors and numbers are looked at with their bounds. */
  checkCoverage(subject: Expr, choices: readonly BoundChoice[], loc: Loc): void {
    if (choices.some((choice) => choice.kind === "others")) return;
    const { type } = subject;
    if (type.kind !== "enum") return;
    const given = new Set<number>();
    for (const choice of choices) {
      if (choice.kind === "value" && choice.value?.op === "literal") given.add(choice.value.value);
      else if (choice.kind === "range" && choice.range?.kind === "bounds") {
        const { left, right } = choice.range;
        if (left.op !== "literal" || right.op !== "literal") return;
        for (let at = Math.min(left.value, right.value); at <= Math.max(left.value, right.value); at++) given.add(at);
      } else return;
    }
    const low = this.subtypeBounds(subject);
    const missing = type.literals.filter((each) => !given.has(each.pos) && each.pos >= low[0] && each.pos <= low[1]);
    if (missing.length === 0) return;
    const named = missing.slice(0, 6).map((each) => each.name);
    this.host.error(
      "missing-choice",
      this.headOf(loc),
      `No branch for ${named.join(", ")}${missing.length > 6 ? ` and ${missing.length - 6} more` : ""} of ${type.name === "std_ulogic" ? "std_logic" : type.name}.`,
      "Add the missing choices, or 'when others => ...'.",
    );
  }
  private subtypeBounds(subject: Expr): [number, number] {
    if (subject.op === "object")
      for (let at: import("../types.ts").Subtype | null = subject.decl.subtype; at; at = at.parent)
        if (at.constraint?.kind === "range" && at.constraint.range.kind === "bounds") {
          const { left, right } = at.constraint.range;
          if (left.op === "literal" && right.op === "literal")
            return [Math.min(left.value, right.value), Math.max(left.value, right.value)];
        }
    return [0, Number.MAX_SAFE_INTEGER];
  }
  /** The first line of a statement. */
  headOf(loc: Loc): Loc {
    if (loc.file < 0) return loc;
    const text = this.host.report.sources.text(loc);
    const end = text.search(/[\r\n]/);
    return end < 0 ? loc : { ...loc, end: loc.start + end };
  }

  // ---- loops ----------------------------------------------------------------------------------------------------

  private loop(node: StmtNode & { kind: "loop" }): Stmt | null {
    const { loc, scheme } = node;
    const shown = node.label?.id ?? "";
    const label = `L${this.loopCount++}`;
    const scope = new Scope(this.host.scope, shown || null);
    if (node.label) this.host.decls.declare({ kind: "label", name: shown, loc: node.label.loc, scope });
    const body = (): Stmt[] => {
      this.loops.push({ label, shown });
      const stmts = this.host.decls.inScope(scope, () => this.statements(node.body));
      this.loops.pop();
      return stmts;
    };
    if (!scheme) return { op: "while", label, test: null, body: body(), loc };
    if (scheme.kind === "while")
      return { op: "while", label, test: this.host.operations.condition(scheme.test), body: body(), loc };
    const range = this.host.ranges.discrete(scheme.range, null);
    if (!range) {
      const param = this.loopParam(scheme.name, errorType);
      scope.add(param);
      body();
      return null;
    }
    if (!isDiscrete(range.type)) {
      this.host.error(
        "range",
        range.loc,
        `A loop goes over whole numbers or an enumeration, not over ${range.type.name}.`,
        "Give a discrete range.",
      );
      return null;
    }
    const param = this.loopParam(scheme.name, range.type);
    scope.add(param);
    this.host.world.note(param.loc, param);
    return { op: "for", label, param, range, body: body(), loc };
  }
  private loopParam(name: Ident, type: VType): ConstantDecl {
    return {
      kind: "constant",
      name: name.id,
      loc: name.loc,
      subtype: subtypeOf(type),
      init: null,
      role: "loop",
      full: null,
    };
  }
}

export { article, countOf };
