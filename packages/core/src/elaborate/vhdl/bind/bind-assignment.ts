import type { Loc } from "../../../common/source.ts";
import type { Assigned, ExprNode, Waveform as WaveformNode } from "../../../hdl/vhdl/ast.ts";
import type { Expr, ObjectDecl, Stmt, Waveform } from "../bound.ts";
import { errorType, type VType } from "../types.ts";
import { kindName } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

function assignedValues<T>(value: Assigned<T>): T[] {
  return value.kind === "plain" ? [value.value] : value.branches.map((branch) => branch.value);
}

/** Assignments to signals and variables (10.5, 10.6). */
export class AssignmentBinder {
  constructor(private readonly host: Binder) {}

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
    const expr = this.host.exprs.bind(node, null);
    if (expr.type === errorType) return null;
    if (!this.host.ranges.isSignal(expr)) {
      this.host.error(
        "no-signal",
        node.loc,
        `'${this.host.names.text(node.loc)}' is no signal: nothing can wait for it.`,
        "Name signals here.",
      );
      return null;
    }
    return expr;
  }

  private signalTarget(node: ExprNode, wanted: VType | null): Expr | null {
    if (node.kind === "aggregate") {
      if (!wanted) {
        this.host.error(
          "aggregate",
          node.loc,
          "The type of this aggregate is not known here.",
          "Qualify the value that is assigned: type'(...).",
        );
        return null;
      }
      return this.host.exprs.bind(node, wanted);
    }
    const target = this.host.exprs.bind(node, null);
    if (target.type === errorType) return null;
    if (!this.host.ranges.isSignal(target)) {
      const isVariable = this.host.ranges.isVariable(target);
      const root = this.rootOf(target);
      const { file, line, column, endLine, endColumn } =
        node.loc.file >= 0 ? this.host.report.sources.place(this.operatorAfter(node.loc, "<=")) : ({} as never);
      this.host.error(
        "target",
        node.loc,
        isVariable
          ? `'${this.host.names.text(node.loc)}' is a variable: '<=' assigns signals.`
          : `'${this.host.names.text(node.loc)}' is ${root ? kindName(root) : "no signal"}: it cannot be assigned.`,
        isVariable ? "Write ':='." : "Assign a signal.",
        isVariable && file ? { file, label: "Write ':='", line, column, endLine, endColumn, text: ":=" } : undefined,
      );
      return null;
    }
    this.checkMode(target, node);
    return target;
  }

  private operatorAfter(loc: Loc, op: string): Loc {
    const text = this.host.report.sources.files[loc.file].text;
    const start = text.indexOf(op, loc.end);
    return { file: loc.file, start, end: start + op.length };
  }

  private checkMode(target: Expr, node: ExprNode): void {
    const root = this.rootOf(target);
    if (root?.kind !== "signal") return;
    if (root.mode === "in")
      this.host.error(
        "assign-to-input",
        node.loc,
        `'${root.name}' is an input: it is driven from outside.`,
        root.role === "port"
          ? "Make the port 'out' or 'inout', or assign another signal."
          : "Make the parameter 'out' or 'inout'.",
      );
  }

  /** Assignment of waveforms to a signal, plain, by conditions, or selected. */
  signalAssignment(
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
        ? (values.flatMap((each) => this.host.candidates.types(each)).find((type) => type.kind !== "any") ?? null)
        : null;
    const target = this.signalTarget(targetNode, wanted);
    if (!target) {
      for (const value of values) this.host.candidates.types(value);
      return null;
    }
    const reject = node.delay.reject ? this.host.exprs.bind(node.delay.reject, this.host.world.standard.time) : null;
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
        value: value.kind === "null" ? null : this.host.exprs.bind(value, type),
        after: after ? this.host.exprs.bind(after, this.host.world.standard.time) : null,
      })),
    };
  }

  /** Conditions and selections as the statements that they stand for. */
  private assigned<T>(value: Assigned<T>, make: (value: T) => Stmt, loc: Loc): Stmt | null {
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
          const test = this.host.operations.condition(branch.test);
          rest = [{ op: "if", test, yes: [make(branch.value)], no: rest, loc }];
        }
        return rest?.[0] ?? null;
      }
      case "select": {
        const subject = this.host.stmts.subject(value.subject);
        if (!subject) return null;
        const branches = value.branches.map((branch) => ({
          choices: this.host.aggregates.choices(branch.choices, subject.type),
          body: [make(branch.value)],
          loc,
        }));
        this.host.stmts.checkCoverage(
          subject,
          branches.flatMap((each) => each.choices),
          loc,
        );
        return { op: "case", subject, matching: value.matching, branches, loc };
      }
    }
  }

  variableAssignment(targetNode: ExprNode, value: Assigned<ExprNode>, loc: Loc): Stmt | null {
    const values = assignedValues(value);
    let target: Expr;
    if (targetNode.kind === "aggregate") {
      const type = values.flatMap((each) => this.host.candidates.types(each)).find((each) => each.kind !== "any");
      if (!type) {
        this.host.error(
          "aggregate",
          targetNode.loc,
          "The type of this aggregate is not known here.",
          "Qualify the value that is assigned: type'(...).",
        );
        return null;
      }
      target = this.host.exprs.bind(targetNode, type);
    } else target = this.host.exprs.bind(targetNode, null);
    if (target.type === errorType) {
      for (const each of values) this.host.candidates.types(each);
      return null;
    }
    if (target.op !== "aggregate" && !this.host.ranges.isVariable(target)) {
      const isSignal = this.host.ranges.isSignal(target);
      const root = this.rootOf(target);
      const place = this.host.report.sources.place(this.operatorAfter(targetNode.loc, ":="));
      const { file, line, column, endLine, endColumn } = place;
      this.host.error(
        "target",
        targetNode.loc,
        isSignal
          ? `'${this.host.names.text(targetNode.loc)}' is a signal: ':=' assigns variables.`
          : `'${this.host.names.text(targetNode.loc)}' is ${root ? kindName(root) : "no variable"}: it cannot be assigned.`,
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
      this.host.error(
        "assign-to-input",
        targetNode.loc,
        `'${root.name}' is a parameter of mode 'in'.`,
        "Make it 'out' or 'inout'.",
      );
    return this.assigned(
      value,
      (each): Stmt => ({ op: "assign", target, value: this.host.exprs.bind(each, target.type), loc }),
      loc,
    );
  }
}
