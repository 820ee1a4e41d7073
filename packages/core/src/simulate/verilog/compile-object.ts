import { js } from "../../common/code-pieces.ts";
import { quoted } from "../../common/generated-code.ts";
import type { Expr, Signal, Stmt, SystemArg, Target } from "../../elaborate/model.ts";
import { type Bits, type ExprCompiler, isWide, type Pair } from "./compile-expr.ts";
import type { Program } from "./program.ts";

const exprOf = (arg: SystemArg): Expr => {
  if (arg.kind !== "expr") throw new Error("No expression.");
  return arg.expr;
};
const numberOf = (arg: SystemArg): number => {
  const expr = exprOf(arg);
  return expr.op === "const" ? Number(expr.value.a) : 0;
};

/** Objects and their variables as code: see `objects.ts`. */
export class ObjectCode {
  constructor(private readonly program: Program) {}

  /** Name of a variable that holds the object, surely one. */
  private object(c: ExprCompiler, handle: Expr): string {
    const held = c.temp("s");
    c.emit(`${held}=T.object(${c.text(handle)},${this.program.place(handle.loc)});`);
    return held;
  }

  /** A variable's bits; `object.class`, `object.is`. */
  bits(c: ExprCompiler, expr: Expr & { op: "system" }): Pair {
    const [first, second] = expr.args;
    if (expr.name === "object.class") return { a: `${this.object(c, exprOf(first))}.model.id`, b: "0" };
    if (expr.name === "object.is") return { a: `(T.isA(${c.text(exprOf(first))},${numberOf(second)})?1:0)`, b: "0" };
    const object = this.object(c, exprOf(first));
    const at = 2 * numberOf(second);
    return { a: `${object}.p[${at}]`, b: `${object}.p[${at + 1}]` };
  }

  /** A value that JavaScript holds: a new object, or a variable that is no bits. */
  value(c: ExprCompiler, expr: Expr & { op: "system" }): string {
    const [first, second] = expr.args;
    switch (expr.name) {
      case "object.new":
        return `T.makeObject(${numberOf(first)})`;
      case "object.copy":
        return `T.copyObject(${this.object(c, exprOf(first))})`;
      default:
        return `${this.object(c, exprOf(first))}.p[${2 * numberOf(second)}]`;
    }
  }

  /** `any.make`. */
  any(c: ExprCompiler, expr: Expr & { op: "system" }): string {
    const value = exprOf(expr.args[0]);
    if (value.form) return `T.any(${quoted(value.form)},${value.form === "real" ? c.real(value) : c.text(value)},0)`;
    const pair = c.wide(value as Bits);
    return `T.any("bits",{a:${pair.a},b:${pair.b}},${value.width})`;
  }

  /** A value of any type goes to a target; none leaves it alone. */
  take(c: ExprCompiler, target: Target, value: string): void {
    const place = this.program.place(target.loc);
    const held = c.temp("s");
    c.emit(`${held}=${value};`);
    const body = c.nested(() => {
      if (target.form) {
        const id = target.type?.kind === "class" ? (target.type.info?.id ?? -1) : -1;
        this.program.writes.assignForm(c, target, `T.take(${held},${quoted(target.form)},${id},${place})`);
        return;
      }
      const bits = c.temp("s");
      c.emit(`${bits}=T.take(${held},"bits",${target.width},${place});`);
      const down = isWide(target.width) ? "" : "H.down";
      this.program.writes.assign(c, target, { a: `${down}(${bits}.a)`, b: `${down}(${bits}.b)` }, target.width);
    });
    c.emit(js`if(${held}!==""){${body}}`);
  }

  /** A variable takes a value. */
  set(c: ExprCompiler, stmt: Stmt & { op: "system" }): void {
    const [first, second, heap, given] = stmt.args;
    const value = exprOf(given);
    const at = 2 * numberOf(second);
    const changed = this.program.changed((heap as SystemArg & { kind: "array" }).signal);
    if (value.form) {
      const text = c.temp("s");
      c.emit(`${text}=${value.form === "real" ? c.real(value) : c.text(value)};`);
      c.emit(`${this.object(c, exprOf(first))}.p[${at}]=${text};${changed}`);
      return;
    }
    const pair = c.pair(value as Bits);
    const held = { a: c.temp("p"), b: c.temp("p") };
    c.emit(`${held.a}=${pair.a};${held.b}=${pair.b};`);
    const object = this.object(c, exprOf(first));
    c.emit(`${object}.p[${at}]=${held.a};${object}.p[${at + 1}]=${held.b};${changed}`);
  }
}

/** The variable that a container is in, or that all objects' changes are told by. */
export function rootOf(arg: SystemArg): Signal | null {
  if (arg.kind === "array") return arg.signal;
  if (arg.kind !== "expr") return null;
  const { expr } = arg;
  if (expr.op === "signal") return expr.signal.automatic ? null : expr.signal;
  if (expr.op !== "system") return null;
  if (expr.name === "object.get") return rootOf(expr.args[2]);
  return expr.name.startsWith("container.") && expr.args.length ? rootOf(expr.args[0]) : null;
}
