import { js } from "../../common/code-pieces.ts";
import { quoted } from "../../common/generated-code.ts";
import type { Loc } from "../../common/source.ts";
import type { Expr, Instance, Signal, Stmt, SystemArg } from "../../elaborate/model.ts";
import { systemTasks } from "../../elaborate/system-tasks.ts";
import type { IntegralType } from "../../elaborate/types.ts";
import { type Bits, ExprCompiler } from "./compile-expr.ts";
import { rootOf } from "./compile-object.ts";
import type { StmtCompiler } from "./compile-stmt.ts";
import type { Program } from "./program.ts";
import { elementForm } from "./storage.ts";

/** Calls that change the array that they are made on, and give a value too. */
const changesContainer = /^container\.(pop_|reach)/;

/** Where a system task stands: its scope for %m, its time unit, its place. */
interface TaskContext {
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
      case "type":
        return `{kind:"type",type:T.types[${this.program.types.push(arg.type) - 1}]}`;
      case "lambda":
        return this.lambda(arg);
      case "scope":
        return `{kind:"scope",path:${quoted(arg.path)}}`;
      case "expr":
        return this.value(c, arg.expr, arg.type);
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

  private value(c: ExprCompiler, expr: Expr, type?: IntegralType): string {
    if (expr.op === "strconst") return `{kind:"literal",text:${quoted(expr.value)}}`;
    if (expr.form === "real") return `{kind:"real",value:${c.real(expr)}}`;
    if (expr.form === "string") return `{kind:"string",text:${c.text(expr)}}`;
    const pair = c.wide(expr as Bits);
    const isTime = expr.op === "system" && /^\$(s|real)?time$/.test(expr.name);
    return `{kind:"bits",width:${expr.width},signed:${expr.signed},a:${pair.a},b:${pair.b}${isTime ? ",time:true" : ""}${type ? `,type:T.types[${this.program.types.push(type) - 1}]` : ""}}`;
  }

  /** `$dumpvars` takes scopes and variables by name; only its first argument may be a value. */
  private recorded(c: ExprCompiler, arg: SystemArg, index: number): string {
    if (arg.kind === "expr" && arg.expr.op === "signal" && (index > 0 || arg.expr.width !== 32))
      return `{kind:"array",signal:${arg.expr.signal.id}}`;
    return this.argument(c, arg);
  }

  /** A function of an element and its key. */
  private lambda({ item, index, expr }: SystemArg & { kind: "lambda" }): string {
    const inner = new ExprCompiler(this.program);
    const take = (signal: Signal, from: string): string => {
      const form = elementForm(signal);
      const [a, b] = [`l${signal.id}a`, `l${signal.id}b`];
      if (form !== "narrow" && form !== "wide") return `const ${a}=${from};`;
      const down = form === "narrow" ? "H.down" : "";
      return `const ${a}=${down}(${from}.a),${b}=${down}(${from}.b);`;
    };
    const body = inner.nested(() => {
      if (expr.form) inner.emit(`return ${expr.form === "real" ? inner.real(expr) : inner.text(expr)};`);
      else {
        const pair = inner.wide(expr as Bits);
        inner.emit(`return {a:${pair.a},b:${pair.b}};`);
      }
    });
    const { width, signed } = expr;
    return `{kind:"lambda",width:${width},signed:${signed},of:(v,k)=>{${take(item, "v")}${take(index, "k")}${inner.takeTemps()}${this.program.plain(body)}}}`;
  }

  /** A system function: its result is left in X.a and X.b, or X.v. */
  call(c: ExprCompiler, expr: Expr & { op: "system" }): string {
    const context = this.context("", this.program.currentInstance, expr.loc);
    const args = expr.args.map((arg) => this.argument(c, arg));
    const call = `T.call(${quoted(expr.name)},[${args.join(",")}],${context})`;
    return changesContainer.test(expr.name) ? `${call};${this.told(expr.args[0])}` : call;
  }

  /** Statement that tells those who wait for a container that it has changed. */
  private told(container: SystemArg): string {
    const root = rootOf(container);
    return root && !root.automatic ? this.program.changed(root) : "";
  }

  statement(s: StmtCompiler, stmt: Stmt & { op: "system" }): void {
    const { c } = s;
    const { name } = stmt;
    if (name === "object.set") {
      this.program.objects.set(c, stmt);
      return;
    }
    const context = this.context(stmt.scope, stmt.instance, stmt.loc);
    if (systemTasks.get(name)?.isLate) {
      const inner = new ExprCompiler(this.program);
      const body = inner.nested(() =>
        inner.emit(`return [${stmt.args.map((arg) => this.argument(inner, arg)).join(",")}];`),
      );
      c.emit(js`T.task(${quoted(name)},()=>{${inner.takeTemps()}${body}},${context});`);
      return;
    }
    const args = stmt.args.map((arg, i) => (name === "$dumpvars" ? this.recorded(c, arg, i) : this.argument(c, arg)));
    c.emit(`T.task(${quoted(name)},[${args.join(",")}],${context});`);
    if (name.startsWith("container.")) c.emit(this.told(stmt.args[0]));
  }
}
