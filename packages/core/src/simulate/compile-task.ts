import { quoted } from "../common/generated-code.ts";
import type { Loc } from "../common/source.ts";
import type { Expr, Instance, Stmt, SystemArg } from "../elaborate/model.ts";
import { js } from "./code.ts";
import { type Bits, ExprCompiler } from "./compile-expr.ts";
import type { StmtCompiler } from "./compile-stmt.ts";
import type { Program } from "./program.ts";

/** Where a system task stands: its scope for %m, its time unit, its place. */
export interface TaskContext {
  readonly scope: string;
  readonly unit: number;
  readonly loc: Loc;
}

/** Calls of system tasks and functions: arguments as values, places and names for the runtime. */
export class TaskCalls {
  readonly contexts: TaskContext[] = [];

  constructor(private readonly program: Program) {}

  isSystemVerilog(file: number): boolean {
    return /\.svh?$/i.test(this.program.fileNames[file] ?? "");
  }

  private context(scope: string, instance: Instance, loc: Loc): number {
    const top = this.program.design.top.name;
    const inner = scope.replace(/\.$/, "");
    return this.contexts.push({ scope: inner ? `${top}.${inner}` : top, unit: instance.timeScale.unit, loc }) - 1;
  }

  private argument(c: ExprCompiler, arg: SystemArg): string {
    switch (arg.kind) {
      case "none":
        return '{kind:"none"}';
      case "array":
        if (arg.signal.type.kind === "container") return `{kind:"object",object:${this.program.object(arg.signal)}}`;
        return `{kind:"array",signal:${arg.signal.id}}`;
      case "scope":
        return `{kind:"scope",path:${quoted(arg.path)}}`;
      case "expr":
        return this.value(c, arg.expr);
      case "place": {
        const value = this.value(c, arg.expr);
        const { target } = arg;
        const inner = new ExprCompiler(this.program);
        const body = inner.nested(() => {
          if (target.form) this.program.writes.assignForm(inner, target, "v");
          else {
            const pseudo = this.program.pseudo(target.width, false);
            const down = target.width <= 32 ? "H.down" : "";
            inner.emit(
              `const l${pseudo.id}a=${down}(BigInt.asUintN(${target.width},v.a)),l${pseudo.id}b=${down}(BigInt.asUintN(${target.width},v.b));`,
            );
            this.program.writes.assign(inner, target, { a: `l${pseudo.id}a`, b: `l${pseudo.id}b` }, target.width);
          }
        });
        return `{...${value},form:${quoted(target.form ?? "bits")},width:${target.width},set:(v)=>{${inner.takeTemps()}${this.program.plain(body)}}}`;
      }
    }
  }

  private value(c: ExprCompiler, expr: Expr): string {
    if (expr.op === "strconst") return `{kind:"literal",text:${quoted(expr.value)}}`;
    if (expr.form === "real") return `{kind:"real",value:${c.real(expr)}}`;
    if (expr.form === "string") return `{kind:"string",text:${c.text(expr)}}`;
    const pair = c.wide(expr as Bits);
    const isTime = expr.op === "system" && /^\$(s|real)?time$/.test(expr.name);
    return `{kind:"bits",width:${expr.width},signed:${expr.signed},a:${pair.a},b:${pair.b}${isTime ? ",time:true" : ""}}`;
  }

  /** `$dumpvars` takes scopes and variables by name; only its first argument may be a value. */
  private recorded(c: ExprCompiler, arg: SystemArg, index: number): string {
    if (arg.kind === "expr" && arg.expr.op === "signal" && (index > 0 || arg.expr.width !== 32))
      return `{kind:"array",signal:${arg.expr.signal.id}}`;
    return this.argument(c, arg);
  }

  /** A system function: its result is left in X.a and X.b, or X.v. */
  call(c: ExprCompiler, expr: Expr & { op: "system" }): string {
    const context = this.context("", this.program.currentInstance, expr.loc);
    const args = expr.args.map((arg) => this.argument(c, arg));
    return `T.call(${quoted(expr.name)},[${args.join(",")}],${context})`;
  }

  statement(s: StmtCompiler, stmt: Stmt & { op: "system" }): void {
    const { c } = s;
    const { name } = stmt;
    const context = this.context(stmt.scope, stmt.instance, stmt.loc);
    if (/^\$(strobe|monitor|fstrobe|fmonitor)[boh]?$/.test(name)) {
      const inner = new ExprCompiler(this.program);
      const body = inner.nested(() =>
        inner.emit(`return [${stmt.args.map((arg) => this.argument(inner, arg)).join(",")}];`),
      );
      c.emit(js`T.task(${quoted(name)},()=>{${inner.takeTemps()}${body}},${context});`);
      return;
    }
    const args = stmt.args.map((arg, i) => (name === "$dumpvars" ? this.recorded(c, arg, i) : this.argument(c, arg)));
    c.emit(`T.task(${quoted(name)},[${args.join(",")}],${context});`);
  }
}
