import type { Loc } from "../../../common/source.ts";
import type {
  Assigned,
  Association,
  ExprNode,
  Ident,
  StmtNode,
  Waveform as WaveformNode,
} from "../../../hdl/vhdl/ast.ts";
import type { BoundChoice, ConstantDecl, Expr, ObjectDecl, Stmt, Subprogram, Waveform } from "../bound.ts";
import { Scope } from "../scope.ts";
import { article } from "../type-words.ts";
import { errorType, isDiscrete, subtypeOf, type VType } from "../types.ts";
import { DeclBinder } from "./bind-decl.ts";
import { countOf, kindName } from "./bind-words.ts";

/** Procedures that every file or access type has of itself (5.4, 5.5.2). */
const ownProcedures = new Set(["file_open", "file_close", "read", "write", "flush", "deallocate"]);

/** Sequential statements (clause 10). */
export abstract class StmtBinder extends DeclBinder {
  private loops: { readonly label: string; readonly shown: string }[] = [];
  private loopCount = 0;
  /** Within a process or procedure, where waiting is allowed. */
  protected mayWait = true;

  statements(nodes: readonly StmtNode[]): Stmt[] {
    const list: Stmt[] = [];
    for (const node of nodes) {
      const stmt = this.statement(node);
      if (stmt) list.push(stmt);
      this.forget();
    }
    return list;
  }

  private statement(node: StmtNode): Stmt | null {
    const { loc } = node;
    switch (node.kind) {
      case "null":
        return { op: "null", loc };
      case "signal":
        return this.signalAssignment(node.target, node, loc);
      case "assign":
        return this.variableAssignment(node.target, node.value, loc);
      case "if": {
        let no = node.otherwise ? this.statements(node.otherwise) : null;
        for (let i = node.branches.length - 1; i >= 0; i--) {
          const branch = node.branches[i];
          const test = this.condition(branch.test);
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
          choices: this.choices(branch.choices, subject.type),
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
        const test = node.test ? this.condition(node.test) : null;
        const target = node.target;
        const found = target
          ? this.loops.findLast((each) => each.shown === target.id)
          : this.loops[this.loops.length - 1];
        if (!found) {
          this.error(
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
        if (!this.result) {
          this.error("return", loc, "'return' stands outside of a function or procedure.", "Take it out.");
          return null;
        }
        const { subtype, isFunction } = this.result;
        if (isFunction && !node.value) {
          this.error("return", loc, "A function returns a value.", "Write 'return value;'.");
          return null;
        }
        if (!isFunction && node.value) {
          this.error(
            "return",
            node.value.loc,
            "A procedure returns no value.",
            "Give it back through an 'out' parameter.",
          );
          return null;
        }
        return { op: "return", value: node.value ? this.bind(node.value, subtype?.type ?? null) : null, loc };
      }
      case "wait": {
        const on = node.on?.map((each) => this.signalName(each)).filter((each) => each !== null) ?? null;
        const until = node.until ? this.condition(node.until) : null;
        const delay = node.delay ? this.bind(node.delay, this.world.standard.time) : null;
        if (this.result?.isFunction) {
          this.error("wait", loc, "A function cannot wait.", "Make it a procedure.");
          return null;
        }
        if (!this.mayWait) {
          this.error("wait", loc, "A process with a sensitivity list cannot wait.", "Take the list out, or the wait.");
          return null;
        }
        return { op: "wait", on, until, delay, loc };
      }
      case "assert":
        return this.assertion(node.test, node.message, node.severity, loc);
      case "report":
        return this.assertion(null, node.message, node.severity, loc);
      case "call":
        return this.callStatement(node.call, loc);
    }
  }

  protected assertion(test: ExprNode | null, message: ExprNode | null, severity: ExprNode | null, loc: Loc): Stmt {
    const { string, severity: level } = this.world.standard;
    return {
      op: "assert",
      test: test ? this.condition(test) : null,
      message: message ? this.bind(message, string) : null,
      severity: severity ? this.bind(severity, level) : null,
      loc,
    };
  }

  /** Selector of a case: its own type, which must be the only one. */
  protected subject(node: ExprNode): Expr | null {
    const types = this.types(node);
    const firm = types.filter((type) => type.kind !== "any");
    const subject = this.bind(node, firm.length === 1 ? firm[0] : null);
    return subject.type === errorType ? null : subject;
  }

  /** Every value of an enumeration must have a branch (10.9). Vectors and numbers are looked at with their bounds. */
  protected checkCoverage(subject: Expr, choices: readonly BoundChoice[], loc: Loc): void {
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
    this.error(
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
  protected headOf(loc: Loc): Loc {
    if (loc.file < 0) return loc;
    const text = this.report.sources.text(loc);
    const end = text.search(/[\r\n]/);
    return end < 0 ? loc : { ...loc, end: loc.start + end };
  }

  // ---- loops ----------------------------------------------------------------------------------------------------

  private loop(node: StmtNode & { kind: "loop" }): Stmt | null {
    const { loc, scheme } = node;
    const shown = node.label?.id ?? "";
    const label = `L${this.loopCount++}`;
    const scope = new Scope(this.scope, shown || null);
    if (node.label) this.declare({ kind: "label", name: shown, loc: node.label.loc, scope });
    const body = (): Stmt[] => {
      this.loops.push({ label, shown });
      const stmts = this.inScope(scope, () => this.statements(node.body));
      this.loops.pop();
      return stmts;
    };
    if (!scheme) return { op: "while", label, test: null, body: body(), loc };
    if (scheme.kind === "while") return { op: "while", label, test: this.condition(scheme.test), body: body(), loc };
    const range = this.discrete(scheme.range, null);
    if (!range) {
      const param = this.loopParam(scheme.name, errorType);
      scope.add(param);
      body();
      return null;
    }
    if (!isDiscrete(range.type)) {
      this.error(
        "range",
        range.loc,
        `A loop goes over whole numbers or an enumeration, not over ${range.type.name}.`,
        "Give a discrete range.",
      );
      return null;
    }
    const param = this.loopParam(scheme.name, range.type);
    scope.add(param);
    this.world.note(param.loc, param);
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

  // ---- assignments ----------------------------------------------------------------------------------------------

  /** The object at the root of a name. */
  rootOf(expr: Expr): ObjectDecl | null {
    switch (expr.op) {
      case "object":
        return expr.decl.kind === "alias" ? this.rootOf(expr.decl.of) : expr.decl;
      case "index":
      case "slice":
      case "field":
        return this.rootOf(expr.of);
      default:
        return null;
    }
  }

  /** A name whose signal is read, waited for or listened to. */
  signalName(node: ExprNode): Expr | null {
    const expr = this.bind(node, null);
    if (expr.type === errorType) return null;
    if (!this.isSignal(expr)) {
      this.error(
        "no-signal",
        node.loc,
        `'${this.text(node.loc)}' is no signal: nothing can wait for it.`,
        "Name signals here.",
      );
      return null;
    }
    return expr;
  }

  protected signalTarget(node: ExprNode, wanted: VType | null): Expr | null {
    if (node.kind === "aggregate") {
      if (!wanted) {
        this.error(
          "aggregate",
          node.loc,
          "The type of this aggregate is not known here.",
          "Qualify the value that is assigned: type'(...).",
        );
        return null;
      }
      return this.bind(node, wanted);
    }
    const target = this.bind(node, null);
    if (target.type === errorType) return null;
    if (!this.isSignal(target)) {
      const isVariable = this.isVariable(target);
      const root = this.rootOf(target);
      const { file, line, column, endLine, endColumn } =
        node.loc.file >= 0 ? this.report.sources.place(this.operatorAfter(node.loc, "<=")) : ({} as never);
      this.error(
        "target",
        node.loc,
        isVariable
          ? `'${this.text(node.loc)}' is a variable: '<=' assigns signals.`
          : `'${this.text(node.loc)}' is ${root ? kindName(root) : "no signal"}: it cannot be assigned.`,
        isVariable ? "Write ':='." : "Assign a signal.",
        isVariable && file ? { file, label: "Write ':='", line, column, endLine, endColumn, text: ":=" } : undefined,
      );
      return null;
    }
    this.checkMode(target, node);
    return target;
  }

  private operatorAfter(loc: Loc, op: string): Loc {
    const text = this.report.sources.files[loc.file].text;
    const start = text.indexOf(op, loc.end);
    return { file: loc.file, start, end: start + op.length };
  }

  private checkMode(target: Expr, node: ExprNode): void {
    const root = this.rootOf(target);
    if (root?.kind !== "signal") return;
    if (root.mode === "in")
      this.error(
        "assign-to-input",
        node.loc,
        `'${root.name}' is an input: it is driven from outside.`,
        root.role === "port"
          ? "Make the port 'out' or 'inout', or assign another signal."
          : "Make the parameter 'out' or 'inout'.",
      );
  }

  /** Assignment of waveforms to a signal, plain, by conditions, or selected. */
  protected signalAssignment(
    targetNode: ExprNode,
    node: {
      readonly delay: { readonly transport: boolean; readonly reject: ExprNode | null };
      readonly value: Assigned<WaveformNode>;
      readonly force?: "force" | "release" | null;
      readonly guarded?: boolean;
    },
    loc: Loc,
  ): Stmt | null {
    // the type of an aggregate as the target is that of the value
    const values: ExprNode[] = assignedValues(node.value).flatMap((waveform) => waveform.map((each) => each.value));
    const wanted =
      targetNode.kind === "aggregate"
        ? (values.flatMap((each) => this.types(each)).find((type) => type.kind !== "any") ?? null)
        : null;
    const target = this.signalTarget(targetNode, wanted);
    if (!target) {
      for (const value of values) this.types(value);
      return null;
    }
    const reject = node.delay.reject ? this.bind(node.delay.reject, this.world.standard.time) : null;
    const make = (waveform: WaveformNode): Stmt => ({
      op: "signal",
      target,
      transport: node.delay.transport,
      reject,
      waveform: this.waveform(waveform, target.type),
      force: node.force ?? null,
      guarded: node.guarded,
      loc,
    });
    return this.assigned(node.value, make, loc);
  }

  private waveform(node: WaveformNode, type: VType): Waveform {
    return {
      elements: node.map(({ value, after }) => ({
        value: value.kind === "null" ? null : this.bind(value, type),
        after: after ? this.bind(after, this.world.standard.time) : null,
      })),
    };
  }

  /** Conditions and selections as the statements that they stand for. */
  protected assigned<T>(value: Assigned<T>, make: (value: T) => Stmt, loc: Loc): Stmt | null {
    switch (value.kind) {
      case "plain":
        return make(value.value);
      case "when": {
        let rest: Stmt[] | null = null;
        for (let i = value.branches.length - 1; i >= 0; i--) {
          const branch = value.branches[i];
          if (!branch.test) {
            rest = [make(branch.value)];
            continue;
          }
          const test = this.condition(branch.test);
          rest = [{ op: "if", test, yes: [make(branch.value)], no: rest, loc }];
        }
        return rest?.[0] ?? null;
      }
      case "select": {
        const subject = this.subject(value.subject);
        if (!subject) return null;
        const branches = value.branches.map((branch) => ({
          choices: this.choices(branch.choices, subject.type),
          body: [make(branch.value)],
          loc,
        }));
        this.checkCoverage(
          subject,
          branches.flatMap((each) => each.choices),
          loc,
        );
        return { op: "case", subject, matching: value.matching, branches, loc };
      }
    }
  }

  private variableAssignment(targetNode: ExprNode, value: Assigned<ExprNode>, loc: Loc): Stmt | null {
    const values = assignedValues(value);
    let target: Expr;
    if (targetNode.kind === "aggregate") {
      const type = values.flatMap((each) => this.types(each)).find((each) => each.kind !== "any");
      if (!type) {
        this.error(
          "aggregate",
          targetNode.loc,
          "The type of this aggregate is not known here.",
          "Qualify the value that is assigned: type'(...).",
        );
        return null;
      }
      target = this.bind(targetNode, type);
    } else target = this.bind(targetNode, null);
    if (target.type === errorType) {
      for (const each of values) this.types(each);
      return null;
    }
    if (target.op !== "aggregate" && !this.isVariable(target)) {
      const isSignal = this.isSignal(target);
      const root = this.rootOf(target);
      const place = this.report.sources.place(this.operatorAfter(targetNode.loc, ":="));
      const { file, line, column, endLine, endColumn } = place;
      this.error(
        "target",
        targetNode.loc,
        isSignal
          ? `'${this.text(targetNode.loc)}' is a signal: ':=' assigns variables.`
          : `'${this.text(targetNode.loc)}' is ${root ? kindName(root) : "no variable"}: it cannot be assigned.`,
        isSignal ? "Write '<='." : "Assign a variable.",
        isSignal && file ? { file, label: "Write '<='", line, column, endLine, endColumn, text: "<=" } : undefined,
      );
      return null;
    }
    const root = this.rootOf(target);
    if (
      root?.kind === "variable" &&
      root.mode === "in" &&
      root.role === "param" &&
      root.subtype.type.kind !== "protected"
    )
      this.error(
        "assign-to-input",
        targetNode.loc,
        `'${root.name}' is a parameter of mode 'in'.`,
        "Make it 'out' or 'inout'.",
      );
    return this.assigned(
      value,
      (each): Stmt => ({ op: "assign", target, value: this.bind(each, target.type), loc }),
      loc,
    );
  }

  // ---- calls ----------------------------------------------------------------------------------------------------

  protected callStatement(node: ExprNode, loc: Loc): Stmt | null {
    const args: readonly Association[] = node.kind === "apply" ? node.args : [];
    const name = node.kind === "apply" ? node.of : node;
    if (name.kind !== "name" && name.kind !== "select") {
      this.error(
        "statement",
        node.loc,
        `'${this.text(node.loc)}' is no statement.`,
        "Assign a value with '<=' or ':=', or call a procedure.",
      );
      return null;
    }
    if (name.kind === "name" && ownProcedures.has(name.id)) {
      const own = this.ownCall(name.id, args, loc);
      if (own) return own;
    }
    const meaning = this.meaning(name);
    if (!meaning) {
      for (const arg of args)
        if (arg.actual.kind !== "range" && arg.actual.kind !== "subtype" && arg.actual.kind !== "open")
          this.types(arg.actual);
      return null;
    }
    if ("value" in meaning || meaning.decls[0].kind !== "sub") {
      this.error(
        "statement",
        node.loc,
        `'${this.text(node.loc)}' is no statement.`,
        "Assign a value with '<=' or ':=', or call a procedure.",
      );
      return null;
    }
    const subs = meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub" && !decl.isFunction);
    if (subs.length === 0) {
      this.error(
        "unused-result",
        node.loc,
        `'${this.text(name.loc)}' is a function: its result is used nowhere.`,
        "Assign its result.",
      );
      return null;
    }
    const callable = subs.filter((sub) => this.isCallable(sub, args));
    const best = callable.length > 1 ? this.nearest(callable, args) : callable;
    if (best.length === 0) {
      const apply = node.kind === "apply" ? node : { kind: "apply" as const, of: name, args: [], loc: node.loc };
      this.noCall(apply, subs, null);
      return null;
    }
    const [sub] = best;
    if (best.length > 1)
      this.error(
        "ambiguous",
        node.loc,
        `Several procedures '${this.text(name.loc)}' fit: for ${best
          .slice(0, 3)
          .map((each) => each.params.map((param) => param.subtype.name).join(", "))
          .join("; or ")}.`,
        "Qualify an argument: type'(value).",
      );
    this.world.note(name.kind === "select" ? name.name.loc : name.loc, sub);
    const call = this.call(sub, args, loc, this.methodObject(name));
    if (call.op !== "call") return null;
    this.checkActuals(sub, call.args, args, node.loc);
    return { op: "call", sub, args: call.args, on: call.on, loc };
  }

  /** Literals of characters before those of bits, and exact types before others. */
  private nearest(subs: Subprogram[], args: readonly Association[]): Subprogram[] {
    const { string, integer, real } = this.world.standard;
    const better = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        if (arg.formal || arg.actual.kind === "range" || arg.actual.kind === "subtype") return true;
        if (arg.actual.kind === "string") return type === string;
        const types = this.types(arg.actual);
        if (types.includes(type)) return true;
        return (
          types.some((each) => (each.kind === "int" && type === integer) || (each.kind === "real" && type === real)) ||
          types.every((each) => each.kind === "any")
        );
      }),
    );
    return better.length ? better : subs;
  }

  private ownCall(id: string, args: readonly Association[], loc: Loc): Stmt | null {
    const nodes = args.map((arg) => arg.actual);
    if (nodes.some((each) => each.kind === "range" || each.kind === "subtype")) return null;
    const exprs = nodes as ExprNode[];
    const { string } = this.world.standard;
    const types = exprs.map((each) => this.types(each)[0]);
    if (id === "deallocate") {
      if (types[0]?.kind !== "access") return null;
      return { op: "builtin", name: id, args: [this.bind(exprs[0], types[0])], loc };
    }
    const first = types.findIndex((type) => type?.kind === "file");
    if (first < 0 || first > 1) return null;
    const file = types[first];
    if (file.kind !== "file") return null;
    const kind = this.world.typeNamed(this.scope, "file_open_kind");
    const status = this.world.typeNamed(this.scope, "file_open_status");
    const wanted: (VType | null)[] =
      id === "file_open"
        ? first === 1
          ? [status, file, string, kind]
          : [file, string, kind]
        : id === "read" || id === "write"
          ? [file, file.of.type, this.world.standard.integer]
          : [file];
    if (exprs.length > wanted.length) return null;
    return { op: "builtin", name: id, args: exprs.map((each, i) => this.bind(each, wanted[i])), loc };
  }

  /** Actuals of 'out' and 'inout' parameters must be variables, those of signals signals. */
  private checkActuals(
    sub: Subprogram,
    args: readonly (Expr | null)[],
    _nodes: readonly Association[],
    _loc: Loc,
  ): void {
    sub.params.forEach((param, i) => {
      const arg = args[i];
      if (!arg || arg.op === "bad") return;
      const inner = arg.op === "convert" ? arg.arg : arg;
      if (param.kind === "signal" && !this.isSignal(inner))
        this.error(
          "actual",
          arg.loc,
          `Parameter '${param.name}' of '${sub.name}' is a signal; '${this.text(arg.loc)}' is none.`,
          "Give a signal.",
        );
      else if (param.kind === "variable" && param.mode !== "in" && !this.isVariable(inner))
        this.error(
          "actual",
          arg.loc,
          `Parameter '${param.name}' of '${sub.name}' gives a value back: '${this.text(arg.loc)}' is ${this.isSignal(inner) ? "a signal" : "no variable"}.`,
          "Give a variable.",
        );
    });
  }
}

function assignedValues<T>(value: Assigned<T>): T[] {
  return value.kind === "plain" ? [value.value] : value.branches.map((branch) => branch.value);
}

export { article, countOf };
