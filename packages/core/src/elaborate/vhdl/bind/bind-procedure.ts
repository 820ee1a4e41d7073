import type { Loc } from "../../../common/source.ts";
import type { Association, ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Expr, Stmt, Subprogram } from "../bound.ts";
import type { VType } from "../types.ts";
import type { Binder } from "./binder.ts";

/** Procedures that every file or access type has of itself (5.4, 5.5.2). */
const ownProcedures = new Set(["file_open", "file_close", "read", "write", "flush", "deallocate"]);

/** Procedure calls (10.7). */
export class ProcedureBinder {
  constructor(private readonly host: Binder) {}

  callStatement(node: ExprNode, loc: Loc): Stmt | null {
    const args: readonly Association[] = node.kind === "apply" ? node.args : [];
    const name = node.kind === "apply" ? node.of : node;
    if (name.kind !== "name" && name.kind !== "select") {
      this.host.error(
        "statement",
        node.loc,
        `'${this.host.names.text(node.loc)}' is no statement.`,
        "Assign a value with '<=' or ':=', or call a procedure.",
      );
      return null;
    }
    if (name.kind === "name" && ownProcedures.has(name.id)) {
      const own = this.ownCall(name.id, args, loc);
      if (own) return own;
    }
    const meaning = this.host.names.meaning(name);
    if (!meaning) {
      for (const arg of args)
        if (arg.actual.kind !== "range" && arg.actual.kind !== "subtype" && arg.actual.kind !== "open")
          this.host.candidates.types(arg.actual);
      return null;
    }
    if ("value" in meaning || meaning.decls[0].kind !== "sub") {
      this.host.error(
        "statement",
        node.loc,
        `'${this.host.names.text(node.loc)}' is no statement.`,
        "Assign a value with '<=' or ':=', or call a procedure.",
      );
      return null;
    }
    const subs = meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub" && !decl.isFunction);
    if (subs.length === 0) {
      this.host.error(
        "unused-result",
        node.loc,
        `'${this.host.names.text(name.loc)}' is a function: its result is used nowhere.`,
        "Assign its result.",
      );
      return null;
    }
    const callable = subs.filter((sub) => this.host.calls.isCallable(sub, args));
    const best = callable.length > 1 ? this.nearest(callable, args) : callable;
    if (best.length === 0) {
      const apply = node.kind === "apply" ? node : { kind: "apply" as const, of: name, args: [], loc: node.loc };
      this.host.brackets.noCall(apply, subs, null);
      return null;
    }
    const [sub] = best;
    if (best.length > 1)
      this.host.error(
        "ambiguous",
        node.loc,
        `Several procedures '${this.host.names.text(name.loc)}' fit: for ${best
          .slice(0, 3)
          .map((each) => each.params.map((param) => param.subtype.name).join(", "))
          .join("; or ")}.`,
        "Qualify an argument: type'(value).",
      );
    this.host.world.note(name.kind === "select" ? name.name.loc : name.loc, sub);
    const call = this.host.brackets.call(sub, args, loc, this.host.brackets.methodObject(name));
    if (call.op !== "call") return null;
    this.checkActuals(sub, call.args, args, node.loc);
    return { op: "call", sub, args: call.args, on: call.on, loc };
  }

  /** Literals of characters before those of bits, and exact types before others. */
  private nearest(subs: Subprogram[], args: readonly Association[]): Subprogram[] {
    const { string, integer, real } = this.host.world.standard;
    const better = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        if (arg.formal || arg.actual.kind === "range" || arg.actual.kind === "subtype") return true;
        if (arg.actual.kind === "string") return type === string;
        const types = this.host.candidates.types(arg.actual);
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
    const { string } = this.host.world.standard;
    const types = exprs.map((each) => this.host.candidates.types(each)[0]);
    if (id === "deallocate") {
      if (types[0]?.kind !== "access") return null;
      return { op: "builtin", name: id, args: [this.host.exprs.bind(exprs[0], types[0])], loc };
    }
    const first = types.findIndex((type) => type?.kind === "file");
    if (first < 0 || first > 1) return null;
    const file = types[first];
    if (file.kind !== "file") return null;
    const kind = this.host.world.typeNamed(this.host.scope, "file_open_kind");
    const status = this.host.world.typeNamed(this.host.scope, "file_open_status");
    const wanted: (VType | null)[] =
      id === "file_open"
        ? first === 1
          ? [status, file, string, kind]
          : [file, string, kind]
        : id === "read" || id === "write"
          ? [file, file.of.type, this.host.world.standard.integer]
          : [file];
    if (exprs.length > wanted.length) return null;
    return { op: "builtin", name: id, args: exprs.map((each, i) => this.host.exprs.bind(each, wanted[i])), loc };
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
      if (param.kind === "signal" && !this.host.ranges.isSignal(inner))
        this.host.error(
          "actual",
          arg.loc,
          `Parameter '${param.name}' of '${sub.name}' is a signal; '${this.host.names.text(arg.loc)}' is none.`,
          "Give a signal.",
        );
      else if (param.kind === "variable" && param.mode !== "in" && !this.host.ranges.isVariable(inner))
        this.host.error(
          "actual",
          arg.loc,
          `Parameter '${param.name}' of '${sub.name}' gives a value back: '${this.host.names.text(arg.loc)}' is ${this.host.ranges.isSignal(inner) ? "a signal" : "no variable"}.`,
          "Give a variable.",
        );
    });
  }
}
