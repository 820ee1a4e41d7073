import { type Code, js } from "../../common/code-pieces.ts";
import {
  type Expr,
  isSignedTarget,
  type Signal,
  type Subroutine,
  type Target,
  wholeTarget,
} from "../../elaborate/model.ts";
import { type Bits, type ExprCompiler, isWide, type Pair } from "./compile-expr.ts";
import { localDeclaration, StmtCompiler } from "./compile-stmt.ts";
import type { Program } from "./program.ts";
import { elementForm } from "./storage.ts";

/**
 * Subroutines as JavaScript functions. Automatic ones take their arguments as parameters, two planes each; static ones
 * find them in the storage, as the standard has it. The result's b plane is left in `X.r`, outputs in `X.o`.
 */
export class Calls {
  readonly text: (string | Code)[] = [];
  private readonly names = new Map<Subroutine, string>();
  private readonly queue: Subroutine[] = [];
  private readonly adapters = new Map<Subroutine, number>();

  constructor(private readonly program: Program) {}

  /** Static functions that can do without what earlier calls left behind; see `plainFunctions`. */
  plain: ReadonlyMap<Subroutine, Subroutine> = new Map();
  /** Variables of those functions: they have no value between calls that could be recorded. */
  readonly dissolved = new Set<Signal>();

  private nameOf(sub: Subroutine): string {
    let name = this.names.get(sub);
    if (!name) {
      // apart from the temporary variables of expressions, which are letters and numbers too
      name = `sub$${this.names.size}`;
      this.names.set(sub, name);
      this.queue.push(sub);
    }
    return name;
  }

  /** Number of the function that calls this subroutine with values; see the evaluator. */
  adapter(sub: Subroutine): number {
    const known = this.adapters.get(this.plain.get(sub) ?? sub);
    if (known === undefined) throw new Error(`No adapter for ${sub.name}.`);
    return known;
  }

  /** A call within an expression. */
  call(c: ExprCompiler, called: Subroutine, args: readonly (Expr | Target)[]): Pair {
    const sub = this.plain.get(called) ?? called;
    const { result } = sub;
    if (result && returnsNumber(sub)) {
      const a = c.temp("f");
      const b = result.fourState ? c.temp("f") : "0";
      this.invoke(c, sub, args, false, `${a}=`);
      if (result.fourState) c.emit(`${b}=Z[0];`);
      return { a, b };
    }
    this.invoke(c, sub, args, false);
    if (!result) return { a: "0", b: "0" };
    const form = elementForm(result);
    const a = c.temp("f");
    if (form === "real" || form === "string" || form === "object") {
      c.emit(`${a}=X.v;`);
      this.outputs(c, sub, args);
      return { a, b: "0" };
    }
    const zero = isWide(result.width) ? "0n" : "0";
    if (!result.fourState) {
      c.emit(`${a}=X.v;`);
      this.outputs(c, sub, args);
      return { a, b: zero };
    }
    const b = c.temp("f");
    c.emit(`${a}=X.v;${b}=X.r;`);
    this.outputs(c, sub, args);
    return { a, b };
  }

  /** A call by itself. */
  statement(s: StmtCompiler, called: Subroutine, args: readonly (Expr | Target)[], waits: boolean): void {
    const sub = this.plain.get(called) ?? called;
    this.invoke(s.c, sub, args, waits && sub.suspends);
    this.outputs(s.c, sub, args);
  }

  private invoke(
    c: ExprCompiler,
    sub: Subroutine,
    args: readonly (Expr | Target)[],
    generator: boolean,
    into = "",
  ): void {
    const name = this.nameOf(sub);
    const given: string[] = [];
    sub.args.forEach(({ signal, direction }, i) => {
      const arg = args[i];
      const form = elementForm(signal);
      if (direction === "output" && form !== "object") return;
      if (form === "object") {
        if (!("op" in arg)) return;
        const isVariable = arg.op === "signal";
        const object = c.temp("p");
        c.emit(`${object}=${c.text(arg)};`);
        // by value it is a copy, else the very same; an output begins empty
        const held =
          direction === "input" && isVariable
            ? `T.copyContainer(${object})`
            : direction === "output"
              ? `T.emptyContainer(${object})`
              : object;
        if (sub.automatic) given.push(held);
        else c.emit(`${this.program.object(signal)}=${held};`);
        return;
      }
      if (form === "real" || form === "string") {
        const value = "op" in arg ? (form === "real" ? c.real(arg) : c.text(arg)) : this.readForm(c, arg);
        if (sub.automatic) {
          const held = c.temp("p");
          c.emit(`${held}=${value};`);
          given.push(held);
        } else c.emit(`${this.program.setter(signal)}(${value});`);
        return;
      }
      const pair = "op" in arg ? c.pair(arg as Bits) : this.readTarget(c, arg, signal);
      const held = { a: c.temp("p"), b: signal.fourState ? c.temp("p") : "" };
      c.emit(`${held.a}=${pair.a};${signal.fourState ? `${held.b}=${pair.b};` : ""}`);
      if (sub.automatic) given.push(held.a, ...(signal.fourState ? [held.b] : []));
      else c.emit(`${this.program.setter(signal)}(${held.a}${signal.fourState ? `,${held.b}` : ""});`);
    });
    if (generator) c.emit(`yield* ${name}(${["th", ...given].join(",")});`);
    else c.emit(`${into}${name}(${given.join(",")});`);
  }

  private outputs(c: ExprCompiler, sub: Subroutine, args: readonly (Expr | Target)[]): void {
    let at = 0;
    const outs = sub.args.filter(({ signal, direction }) => direction !== "input" && elementForm(signal) !== "object");
    if (outs.length === 0) return;
    const list = c.temp("o");
    if (sub.automatic) c.emit(`${list}=X.o;`);
    sub.args.forEach(({ signal, direction }, i) => {
      if (direction === "input") return;
      const target = args[i];
      if ("op" in target) return;
      const form = elementForm(signal);
      if (form === "real" || form === "string") {
        const value = sub.automatic ? `${list}[${at++}]` : this.readForm(c, wholeTarget(signal));
        if (sub.automatic) at++;
        if (signal.type.kind === "any") {
          this.program.objects.take(c, target, value);
          return;
        }
        this.program.writes.assignForm(c, target, value);
        return;
      }
      const zero = isWide(signal.width) ? "0n" : "0";
      const pair = sub.automatic
        ? { a: `${list}[${at}]`, b: signal.fourState ? `${list}[${at + 1}]` : zero }
        : c.signal(signal);
      at += 2;
      const held = { a: c.temp("p"), b: c.temp("p") };
      c.emit(`${held.a}=${pair.a};${held.b}=${pair.b};`);
      if (target.form) {
        const asReal: Expr = { op: "signal", signal, width: signal.width, signed: signal.signed, loc: target.loc };
        this.program.writes.assignForm(
          c,
          target,
          target.form === "real"
            ? c.real({ op: "convert", arg: asReal, width: 64, signed: true, form: "real", loc: target.loc })
            : '""',
        );
        return;
      }
      // to the width of what receives it
      let wide: Pair = held;
      if (target.width !== signal.width) {
        const pseudo = this.program.pseudo(signal.width, signal.signed);
        c.emit(`let l${pseudo.id}a=${held.a},l${pseudo.id}b=${held.b};`);
        const read: Expr = {
          op: "signal",
          signal: pseudo,
          width: signal.width,
          signed: signal.signed,
          loc: target.loc,
        };
        wide = c.pair({
          op: "extend",
          arg: read,
          bySign: signal.signed,
          width: target.width,
          signed: signal.signed,
          loc: target.loc,
        });
      }
      this.program.writes.assign(c, target, wide, target.width);
    });
  }

  /** What a target holds, in the width of the argument that takes it. */
  private readTarget(c: ExprCompiler, target: Target, into: Signal): Pair {
    const parts = target.parts.map((part): Expr => {
      const { signal, index, offset, width, loc } = part;
      const base: Expr = signal.dims.length
        ? { op: "element", signal, index, width: signal.width, signed: false, loc }
        : { op: "signal", signal, width: signal.width, signed: false, loc };
      if (typeof offset !== "number") return { op: "dynslice", arg: base, offset, width, signed: false, loc };
      return offset === 0 && width === signal.width
        ? base
        : { op: "slice", arg: base, lsb: offset, width, signed: false, loc };
    });
    const whole: Expr =
      parts.length === 1 ? parts[0] : { op: "concat", parts, width: target.width, signed: false, loc: target.loc };
    if (target.width === into.width) return c.pair(whole as Bits);
    const bySign = isSignedTarget(target);
    const fitted: Expr =
      target.width > into.width
        ? { op: "slice", arg: whole, lsb: 0, width: into.width, signed: false, loc: target.loc }
        : { op: "extend", arg: whole, bySign, width: into.width, signed: bySign, loc: target.loc };
    return c.pair(fitted as Bits);
  }

  private readForm(c: ExprCompiler, target: Target): string {
    const [{ signal, index, loc }] = target.parts;
    const form = elementForm(signal) === "real" ? "real" : "string";
    const make = { width: signal.width, signed: false, form, loc } as const;
    const expr: Expr = signal.dims.length
      ? { op: "element", signal, index, ...make }
      : { op: "signal", signal, ...make };
    return form === "real" ? c.real(expr) : c.text(expr);
  }

  /** Compiles every subroutine that something calls, and those that they call. */
  compileAll(): void {
    for (let i = 0; i < this.queue.length; i++) this.compile(this.queue[i]);
  }

  private compile(sub: Subroutine): void {
    const name = this.nameOf(sub);
    this.program.currentInstance = sub.instance;
    const params: string[] = [];
    const before: string[] = [];
    const after: string[] = [];
    const outs: string[] = [];
    const planes = (signal: Signal): string[] => {
      const form = elementForm(signal);
      if (form === "real" || form === "string" || form === "object") return [`l${signal.id}a`];
      return signal.fourState ? [`l${signal.id}a`, `l${signal.id}b`] : [`l${signal.id}a`];
    };
    if (sub.automatic) {
      for (const { signal, direction } of sub.args) {
        const isObject = elementForm(signal) === "object";
        if (direction === "output" && !isObject) before.push(localDeclaration(signal));
        else params.push(...planes(signal));
        if (direction !== "input" && !isObject) {
          const [a, b] = planes(signal);
          const form = elementForm(signal);
          outs.push(a, b ?? (form === "wide" ? "0n" : "0"));
        }
      }
      const seen = new Set(sub.args.map((arg) => arg.signal));
      for (const local of sub.locals) if (local.automatic && !seen.has(local)) before.push(localDeclaration(local));
      if (sub.result) before.push(localDeclaration(sub.result));
    } else for (const local of sub.locals) if (local.automatic) before.push(localDeclaration(local));
    if (outs.length) after.push(`X.o=[${outs.join(",")}];`);
    if (sub.result) {
      const { result } = sub;
      const form = elementForm(result);
      const { at } = this.program.storage.places[result.id] ?? { at: -1 };
      const read = sub.automatic
        ? { a: `l${result.id}a`, b: `l${result.id}b` }
        : form === "narrow"
          ? { a: `A[${at}]`, b: `B[${at}]` }
          : form === "wide"
            ? { a: `WA[${at}]`, b: `WB[${at}]` }
            : { a: form === "real" ? `R[${at}]` : form === "object" ? `OB[${at}]` : `S[${at}]`, b: "0" };
      if (returnsNumber(sub)) after.push(`${result.fourState ? `Z[0]=${read.b};` : ""}return ${read.a};`);
      else after.push(`X.v=${read.a};`);
      if (!returnsNumber(sub) && (form === "narrow" || form === "wide") && result.fourState)
        after.push(`X.r=${read.b};`);
    }
    const compiler = new StmtCompiler(this.program, sub.suspends);
    let body = compiler.body(sub.body, "RL");
    if (sub.suspends && sub.id.disabled) {
      const at = this.program.blockIndex(sub.id);
      body = js`K.enter(th,BI[${at}]);try{${body}}catch(e){if(e!==K.signalOf(BI[${at}]))throw e;}finally{K.leave(th,BI[${at}]);}`;
    }
    const head = sub.suspends
      ? `function* ${name}(${["th", ...params].join(",")})`
      : `function ${name}(${params.join(",")})`;
    this.text.push(js`${head}{${before.join("")}${body}\n${after.join("")}}`);
    const isPlain = sub.args.every((arg) => arg.direction === "input" && elementForm(arg.signal) !== "object");
    if (!sub.suspends && sub.result && isPlain) this.makeAdapter(sub, name);
  }

  private makeAdapter(sub: Subroutine, name: string): void {
    const number = this.adapters.size;
    this.adapters.set(sub, number);
    const given: string[] = [];
    const stores: string[] = [];
    sub.args.forEach(({ signal }, i) => {
      const form = elementForm(signal);
      const down = (text: string) => (form === "narrow" ? `H.down(${text})` : text);
      const list =
        form === "real" || form === "string"
          ? [`v[${i}]`]
          : [down(`v[${i}].a`), ...(signal.fourState ? [down(`v[${i}].b`)] : [])];
      if (sub.automatic) given.push(...list);
      else stores.push(`${this.program.setter(signal)}(${list.join(",")});`);
    });
    const result = sub.result!;
    const form = elementForm(result);
    const up = (text: string) => (form === "narrow" ? `BigInt(${text}>>>0)` : text);
    if (returnsNumber(sub)) {
      const call = `${name}(${given.join(",")})`;
      const b = result.fourState ? "BigInt(Z[0]>>>0)" : "0n";
      this.text.push(`CF[${number}]=function(v){${stores.join("")}const r=${call};return {a:BigInt(r>>>0),b:${b}};};`);
      return;
    }
    const value =
      form === "real" || form === "string" || form === "object"
        ? "X.v"
        : `{a:${up("X.v")},b:${result.fourState ? up("X.r") : "0n"}}`;
    this.text.push(`CF[${number}]=function(v){${stores.join("")}${name}(${given.join(",")});return ${value};};`);
  }
}

/** Narrow results are returned, with the b plane in `Z[0]`: no value is boxed then. */
const returnsNumber = (sub: Subroutine): boolean =>
  sub.automatic &&
  !sub.suspends &&
  sub.result !== null &&
  elementForm(sub.result) === "narrow" &&
  sub.args.every((arg) => arg.direction === "input");
