import { type Code, js } from "../../common/code-pieces.ts";
import type { Expr, Signal, Target, TargetPart } from "../../elaborate/model.ts";
import { type Bits, type ExprCompiler, isWide, literal, maskOf, type Pair } from "./compile-expr.ts";
import type { Program } from "./program.ts";

/** Elements of an array that wait in its own queue; more of them go into the common one. */
export const arrayQueue = 1024;

/** Assignments as JavaScript: to whole signals, parts of them, elements of arrays; now or as non-blocking. */
export class Writes {
  constructor(private readonly program: Program) {}

  /** Splits the value among the parts, the most significant part first. */
  assign(c: ExprCompiler, target: Target, value: Pair, width: number): void {
    if (target.parts.length === 1) {
      this.part(c, target.parts[0], value);
      return;
    }
    const held = c.hold(value);
    let at = width;
    for (const part of target.parts) {
      at -= part.width;
      this.part(c, part, c.cut(held, width, at, part.width));
    }
  }

  /** A real or a string. */
  assignForm(c: ExprCompiler, target: Target, value: string): void {
    const [part] = target.parts;
    const { signal } = part;
    if (signal.dims.length) {
      const { at, inside } = c.elementIndex(signal, part.index);
      const { a } = c.arrayNames(signal);
      const text = `${a}[${at}]=${value};${this.program.changed(signal)}`;
      c.emit(inside ? `if(${inside}){${text}}` : text);
      return;
    }
    if (signal.automatic) c.emit(`l${signal.id}a=${value};`);
    else c.emit(`${this.program.setter(signal)}(${value});`);
  }

  private part(c: ExprCompiler, part: TargetPart, value: Pair): void {
    const { signal } = part;
    if (signal.dims.length) {
      this.element(c, part, value);
      return;
    }
    const root = signal.automatic ? { signal, offset: 0 } : this.program.storage.root(signal);
    const { signal: base } = root;
    if (typeof part.offset === "number") {
      const offset = part.offset + root.offset;
      if (part.offset >= signal.width || part.offset + part.width <= 0) return; // wholly outside
      if (offset === 0 && part.width === base.width) {
        this.store(c, base, value);
        return;
      }
      const merged = this.merged(c, c.signal(base), base.width, offset, part.width, value);
      this.store(c, base, merged);
      return;
    }
    const at = this.offset(c, part.offset);
    const held = c.hold(value);
    const shift = root.offset ? `(${at.value}+${root.offset})` : at.value;
    const inside = `${at.known}${at.value}<${signal.width}&&${at.value}>${-part.width}`;
    const merged = this.mergedAt(c.signal(base), base.width, shift, part.width, held, signal.width, root.offset);
    const body = c.nested(() => this.store(c, base, merged));
    c.emit(js`if(${inside}){${body}}`);
  }

  private offset(c: ExprCompiler, expr: Expr): { value: string; known: string } {
    const pair = c.hold(c.pair(expr as Bits));
    const value = c.temp("o");
    c.emit(`${value}=${c.asNumber(pair.a, expr.width, expr.signed)};`);
    const zero = isWide(expr.width) ? "0n" : "0";
    return { value, known: pair.b === "0" || pair.b === "0n" ? "" : `${pair.b}===${zero}&&` };
  }

  /** Old value with `width` bits from `offset` on replaced; what hangs over an end is cut. */
  private merged(c: ExprCompiler, old: Pair, total: number, offset: number, width: number, value: Pair): Pair {
    let from = offset;
    let part = value;
    let count = width;
    if (from < 0) {
      part = c.cut(c.hold(part), count, -from, count + from);
      count += from;
      from = 0;
    }
    if (from + count > total) {
      part = c.cut(c.hold(part), count, 0, total - from);
      count = total - from;
    }
    const holes = ((1n << BigInt(total)) - 1n) & ~(((1n << BigInt(count)) - 1n) << BigInt(from));
    const hole = literal(holes, total);
    const put = (plane: string, was: string) => {
      if ((plane === "0" || plane === "0n") && (was === "0" || was === "0n")) return isWide(total) ? "0n" : "0";
      const moved = !isWide(total)
        ? from
          ? `(${plane}<<${from})`
          : plane
        : `(${isWide(count) ? plane : `BigInt(${plane}>>>0)`}<<${from}n)`;
      return plane === "0" || plane === "0n" ? `(${was}&${hole})` : `(${was}&${hole}|${moved})`;
    };
    return { a: put(part.a, old.a), b: put(part.b, old.b) };
  }

  /** As `merged`, at an offset known at run time. */
  private mergedAt(
    old: Pair,
    total: number,
    shift: string,
    width: number,
    value: Pair,
    limit: number,
    base: number,
  ): Pair {
    if (!isWide(total)) {
      const within = limit === total ? maskOf(total) : maskOf(limit) << base;
      const put = (plane: string, was: string) =>
        plane === "0" && was === "0" ? "0" : `H.put(${was},${plane},${shift},${maskOf(width)},${within})`;
      return { a: put(value.a, old.a), b: put(value.b, old.b) };
    }
    const within = `0x${(((1n << BigInt(limit)) - 1n) << BigInt(base)).toString(16)}n`;
    const ones = `0x${((1n << BigInt(width)) - 1n).toString(16)}n`;
    const up = (plane: string) => (isWide(width) ? plane : `BigInt(${plane}>>>0)`);
    const put = (plane: string, was: string) =>
      (plane === "0" || plane === "0n") && was === "0n"
        ? "0n"
        : `H.widePut(${was},${up(plane)},${shift},${ones},${within})`;
    return { a: put(value.a, old.a), b: put(value.b, old.b) };
  }

  private store(c: ExprCompiler, signal: Signal, value: Pair): void {
    const four = signal.fourState || signal.kind === "net";
    if (signal.automatic) {
      const held = value.a.includes(`l${signal.id}b`) ? c.hold(value) : value;
      c.emit(`l${signal.id}a=${held.a};${four ? `l${signal.id}b=${held.b};` : ""}`);
      return;
    }
    c.emit(this.program.storing(signal, value.a, value.b));
  }

  private element(c: ExprCompiler, part: TargetPart, value: Pair): void {
    const { signal } = part;
    const held = c.hold(value);
    const { at, inside } = c.elementIndex(signal, part.index);
    const four = signal.fourState || signal.kind === "net";
    const index = c.temp("i");
    const names = c.arrayNames(signal);
    const old: Pair = {
      a: `${names.a}[${index}]`,
      b: four ? `${names.b}[${index}]` : isWide(signal.width) ? "0n" : "0",
    };
    const put = (pair: Pair) =>
      signal.automatic
        ? c.emit(`${names.a}[${index}]=${pair.a};${four ? `${names.b}[${index}]=${pair.b};` : ""}`)
        : c.emit(`${this.program.setter(signal)}(${index},${pair.a}${four ? `,${pair.b}` : ""});`);
    const body = c.nested(() => {
      c.emit(`${index}=${at};`);
      if (typeof part.offset === "number") {
        if (part.offset >= signal.width || part.offset + part.width <= 0) return;
        if (part.offset === 0 && part.width === signal.width) put(held);
        else put(this.merged(c, old, signal.width, part.offset, part.width, held));
        return;
      }
      const off = this.offset(c, part.offset);
      const merged = this.mergedAt(old, signal.width, off.value, part.width, held, signal.width, 0);
      const inner = c.nested(() => put(merged));
      c.emit(js`if(${off.known}${off.value}<${signal.width}&&${off.value}>${-part.width}){${inner}}`);
    });
    c.emit(inside ? js`if(${inside}){${body}}` : body);
  }

  // ---- non-blocking -------------------------------------------------------------------------------------------

  /** `<=` without a delay: into the queue that is made good when all active events have run. */
  nonblocking(c: ExprCompiler, target: Target, value: Pair, width: number): void {
    if (target.parts.length > 1) {
      const held = c.hold(value);
      let at = width;
      for (const part of target.parts) {
        at -= part.width;
        this.nonblockingPart(c, part, c.cut(held, width, at, part.width));
      }
      return;
    }
    this.nonblockingPart(c, target.parts[0], value);
  }

  private nonblockingPart(c: ExprCompiler, part: TargetPart, value: Pair): void {
    const { signal } = part;
    const base = signal.dims.length ? signal : this.program.storage.root(signal).signal;
    const offset = signal.dims.length ? 0 : this.program.storage.root(signal).offset;
    const group = this.program.shadowGroup(base);
    if (group !== null) {
      const four = base.fourState || base.kind === "net";
      if (signal.dims.length) {
        this.program.setter(base);
        const y = `y${base.id}`;
        const held = c.hold(value);
        const { at, inside } = c.elementIndex(signal, part.index);
        const index = c.temp("i");
        const text = `{${index}=${at};if(${y}n<${arrayQueue}){${y}i[${y}n]=${index};${y}a[${y}n]=${held.a};${four ? `${y}b[${y}n]=${held.b};` : ""}${y}n++;gx${group}=1;}else NB(${base.id},${index},-1,${held.a},${four ? held.b : "0"});}`;
        c.emit(inside ? `if(${inside})${text}` : text);
        return;
      }
      const at = this.program.shadow(base);
      c.emit(`${at.a}=${value.a};${four ? `${at.b}=${value.b};` : ""}${at.flag}=1;gx${group}=1;`);
      return;
    }
    if (!isWide(base.width) && typeof part.offset === "number") {
      this.program.setter(base); // the queue needs it
      const from = part.offset + offset;
      if (part.offset >= signal.width || part.offset < 0 || part.offset + part.width > signal.width) {
        this.later(c, part, value);
        return;
      }
      const whole = from === 0 && part.width === base.width;
      const mask = whole ? -1 : maskOf(part.width) << from;
      const move = (plane: string) => (plane === "0" ? "0" : from ? `${plane}<<${from}` : plane);
      if (signal.dims.length === 0) {
        c.emit(`NB(${base.id},-1,${mask},${move(value.a)},${move(value.b)});`);
        return;
      }
      const held = c.hold(value);
      const { at, inside } = c.elementIndex(signal, part.index);
      const text = `NB(${base.id},${at},${mask},${move(held.a)},${move(held.b)});`;
      c.emit(inside ? `if(${inside})${text}` : text);
      return;
    }
    this.later(c, part, value);
  }

  /** By a closure, with value and indexes as they are now. */
  private later(c: ExprCompiler, part: TargetPart, value: Pair): void {
    this.deferred(
      c,
      { parts: [part], width: part.width, loc: part.loc },
      value,
      // in the same queue as the others: the order of assignments counts
      (body) => js`NF(()=>{${body}});`,
    );
  }

  /** Wraps the assignment so that it can be made later: what it depends on is worked out now. */
  deferred(c: ExprCompiler, target: Target, value: Pair, wrap: (body: Code) => Code): void {
    const constants: string[] = [];
    const freeze = (expr: Expr): Expr => {
      if (expr.op === "const") return expr;
      const pair = c.hold(c.pair(expr as Bits));
      const signal = this.program.pseudo(expr.width, expr.signed);
      constants.push(`l${signal.id}a=${pair.a}`, `l${signal.id}b=${pair.b}`);
      return { op: "signal", signal, width: expr.width, signed: expr.signed, loc: expr.loc };
    };
    const parts = target.parts.map((part) => ({
      ...part,
      index: part.index.map(freeze),
      offset: typeof part.offset === "number" ? part.offset : freeze(part.offset),
    }));
    const held = this.program.pseudo(target.width, false);
    constants.push(`l${held.id}a=${value.a}`, `l${held.id}b=${value.b}`);
    const body = c.nested(() =>
      this.assign(c, { ...target, parts }, { a: `l${held.id}a`, b: `l${held.id}b` }, target.width),
    );
    c.emit(js`{const ${constants.join(",")};${wrap(body)}}`);
  }
}
