import { type Code, joined, js } from "../../common/code-pieces.ts";
import { quoted } from "../../common/generated-code.ts";
import type { BinaryKind, Expr, Signal, Target } from "../../elaborate/model.ts";
import { sizeOf } from "../../elaborate/types.ts";
import { someExpr } from "../../elaborate/walk.ts";
import type { Program } from "./program.ts";

/**
 * Typed expressions to JavaScript. A value of bits is a pair of planes: numbers up to 32 bits (as 32-bit integers, the
 * bits above the width 0), bigints above. Most values that flow have no x or z, so each tree of operators is compiled
 * for plain numbers, behind one test that all its operands are known; only if one is not, the four-state evaluator
 * runs on the expression itself.
 */
export interface Pair {
  readonly a: string;
  /** "0" or "0n" when it is known to be so. */
  readonly b: string;
}
export type Bits = Expr & { form?: undefined };
type Leaves = Map<Expr | Signal, Pair & { readonly wide: boolean }>;

const isKnown = (pair: Pair) => pair.b === "0" || pair.b === "0n";
export const isWide = (width: number) => width > 32;

/** A constant that is written as a number. */
const wholeNumber = /^\(?(-?\d+)\)?$/;

/** 32-bit pattern of the lowest `width` ones. */
export function maskOf(width: number): number {
  return width >= 32 ? -1 : 2 ** width - 1;
}
function bigLiteral(value: bigint): string {
  return value > 0xffffffffn ? `0x${value.toString(16)}n` : `${value}n`;
}
export function literal(value: bigint, width: number): string {
  if (isWide(width)) return bigLiteral(value);
  const number = Number(BigInt.asIntN(32, value));
  return number < 0 ? `(${number})` : String(number); // so that no sign meets another
}

export class ExprCompiler {
  lines: (string | Code)[] = [];
  private temps: string[] = [];
  private static serial = 0;
  /** Results of the calls made so far, which must not be made again. */
  private made = new Map<Expr, Pair>();

  constructor(readonly program: Program) {}

  temp(prefix = "t"): string {
    const name = `${prefix}$${ExprCompiler.serial++}`;
    this.temps.push(name);
    return name;
  }

  /** `let` for all temporaries made since the last call. */
  takeTemps(): string {
    const text = this.temps.length ? `let ${this.temps.join(",")};` : "";
    this.temps = [];
    return text;
  }

  emit(line: string | Code): void {
    this.lines.push(line);
  }

  /** Runs `make` with an output of its own, and gives the lines. */
  nested(make: () => void): Code {
    const outer = this.lines;
    this.lines = [];
    make();
    const text = joined(this.lines, "\n");
    this.lines = outer;
    return text;
  }

  hold(pair: Pair): Pair {
    const simple = /^(?:[\w$]+|\(-\d+\))$/;
    const a = simple.test(pair.a) ? pair.a : this.temp();
    if (a !== pair.a) this.emit(`${a}=${pair.a};`);
    const b = simple.test(pair.b) ? pair.b : this.temp();
    if (b !== pair.b) this.emit(`${b}=${pair.b};`);
    return { a, b };
  }

  // ---- reading ------------------------------------------------------------------------------------------------

  /** Planes of a whole signal that is no array. */
  signal(signal: Signal): Pair {
    const { storage } = this.program;
    if (signal.automatic) {
      const zero = isWide(signal.width) ? "0n" : "0";
      return { a: `l${signal.id}a`, b: signal.fourState ? `l${signal.id}b` : zero };
    }
    const place = storage.places[signal.id];
    if (place.view) {
      const { signal: base, offset } = storage.root(signal);
      return this.cut(this.signal(base), base.width, offset, signal.width);
    }
    const { form, at } = place;
    if (form === "wide") return { a: `WA[${at}]`, b: signal.fourState || signal.kind === "net" ? `WB[${at}]` : "0n" };
    return { a: `A[${at}]`, b: signal.fourState || signal.kind === "net" ? `B[${at}]` : "0" };
  }

  /** Bits `lsb` and up; those outside the value are x. */
  cut(pair: Pair, from: number, lsb: number, width: number): Pair {
    if (lsb === 0 && width === from) return pair;
    const outside = lsb < 0 || lsb + width > from;
    if (outside) {
      // rare: through bigint, with ones (x) around
      const big = this.toWide(pair, from);
      const below = Math.max(0, -lsb);
      const above = Math.max(0, lsb + width - from);
      const fill = (plane: string) => {
        const low = below ? `((${plane})<<${below}n|${bigLiteral((1n << BigInt(below)) - 1n)})` : plane;
        const full = above ? `(${low}|${bigLiteral(((1n << BigInt(above)) - 1n) << BigInt(from + below))})` : low;
        return `BigInt.asUintN(${width},(${full})>>${Math.max(0, lsb)}n)`;
      };
      return this.fromWide({ a: fill(big.a), b: fill(big.b) }, width);
    }
    if (!isWide(from)) {
      const part = (plane: string) => {
        if (plane === "0") return "0";
        const moved = lsb ? `(${plane}>>>${lsb})` : plane;
        return lsb + width === from && lsb > 0 && from === 32 && width < 32
          ? `(${moved})`
          : `(${moved}&${maskOf(width)})`;
      };
      return { a: part(pair.a), b: part(pair.b) };
    }
    const part = (plane: string) => {
      if (plane === "0n") return isWide(width) ? "0n" : "0";
      const moved = lsb ? `(${plane}>>${lsb}n)` : plane;
      if (isWide(width)) return lsb + width === from ? moved : `BigInt.asUintN(${width},${moved})`;
      return `Number(BigInt.asIntN(32,BigInt.asUintN(${width},${moved})))`;
    };
    return { a: part(pair.a), b: part(pair.b) };
  }

  private toWide(pair: Pair, width: number): Pair {
    if (isWide(width)) return pair;
    const up = (plane: string) =>
      wholeNumber.test(plane)
        ? bigLiteral(BigInt.asUintN(32, BigInt(wholeNumber.exec(plane)![1])))
        : `BigInt(${plane}>>>0)`;
    return { a: up(pair.a), b: up(pair.b) };
  }

  private fromWide(pair: Pair, width: number): Pair {
    if (isWide(width)) return pair;
    const down = (plane: string) => (plane === "0n" ? "0" : `Number(BigInt.asIntN(32,${plane}))`);
    return { a: down(pair.a), b: down(pair.b) };
  }

  private convertWidth(pair: Pair, from: number, to: number): Pair {
    return isWide(from) === isWide(to) ? pair : isWide(to) ? this.toWide(pair, from) : this.fromWide(pair, to);
  }

  /** The value as a pair of JavaScript expressions, free of side effects. May write statements before it. */
  pair(expr: Bits): Pair {
    const { width } = expr;
    switch (expr.op) {
      case "const":
        return { a: literal(expr.value.a, width), b: literal(expr.value.b, width) };
      case "signal":
        return this.signal(expr.signal);
      case "element":
        return this.element(expr.signal, expr.index);
      case "slice":
        return this.cut(this.movable(expr.arg), expr.arg.width, expr.lsb, width);
      case "extend":
        return this.extend(this.movable(expr.arg), expr.arg, expr.bySign, width);
      case "twostate": {
        const arg = this.hold(this.pair(expr.arg as Bits));
        if (isKnown(arg)) return arg;
        return { a: `(${arg.a}&~${arg.b})`, b: isWide(width) ? "0n" : "0" };
      }
      case "concat":
        return this.concat(
          expr.parts.map((part) => ({ pair: this.movable(part), width: part.width })),
          width,
        );
      case "repeat":
        return this.repeat(this.movable(expr.arg), expr.arg.width, expr.count, width);
      case "cond":
        return this.cond(expr);
      case "dynslice":
        return this.dynslice(expr);
      case "call":
        return this.call(expr);
      case "system":
      case "convert":
      case "step":
        return this.special(expr);
      case "binary":
        if (expr.left.form) return { a: this.compareForms(expr), b: "0" };
        if (expr.kind === "div" || expr.kind === "mod" || expr.kind === "pow") return this.partial(expr);
        if ((expr.kind === "logand" || expr.kind === "logor") && hasEffects(expr.right)) return this.lazyLogic(expr);
        return this.tree(expr);
      case "unary":
        return this.tree(expr);
      default:
        throw new Error(`No bits in ${expr.op}.`);
    }
  }

  private movable(expr: Expr): Pair {
    return this.hold(this.pair(expr as Bits));
  }

  private extend(pair: Pair, arg: Expr, bySign: boolean, width: number): Pair {
    const from = arg.width;
    if (width <= from) return this.cut(pair, from, 0, width);
    if (!bySign) return this.convertWidth(pair, from, width);
    if (!isWide(width)) {
      const up = 32 - from;
      const wide = (plane: string) =>
        plane === "0" ? "0" : width === 32 ? `(${plane}<<${up}>>${up})` : `(${plane}<<${up}>>${up}&${maskOf(width)})`;
      return { a: wide(pair.a), b: wide(pair.b) };
    }
    const wide = (plane: string) => {
      if (plane === "0" || plane === "0n") return "0n";
      const big = isWide(from) ? plane : `BigInt(${plane}>>>0)`;
      return `BigInt.asUintN(${width},BigInt.asIntN(${from},${big}))`;
    };
    return { a: wide(pair.a), b: wide(pair.b) };
  }

  private concat(parts: readonly { pair: Pair; width: number }[], width: number): Pair {
    const join = (plane: "a" | "b"): string => {
      let at = width;
      const pieces: string[] = [];
      for (const part of parts) {
        at -= part.width;
        const value = part.pair[plane];
        if (value === "0" || value === "0n") continue;
        if (isWide(width)) {
          const big = isWide(part.width) ? value : `BigInt(${value}>>>0)`;
          pieces.push(at ? `(${big}<<${at}n)` : big);
        } else pieces.push(at ? `(${value}<<${at})` : value);
      }
      if (pieces.length === 0) return isWide(width) ? "0n" : "0";
      return pieces.length === 1 ? pieces[0] : `(${pieces.join("|")})`;
    };
    return { a: join("a"), b: join("b") };
  }

  private repeat(pair: Pair, from: number, count: number, width: number): Pair {
    if (!isWide(width)) {
      let ones = 0;
      for (let i = 0; i < count; i++) ones |= 1 << (i * from);
      const times = (plane: string) =>
        plane === "0" ? "0" : from === 1 ? `(-${plane}&${maskOf(width)})` : `Math.imul(${plane},${ones})`;
      return { a: times(pair.a), b: times(pair.b) };
    }
    const step = BigInt(from);
    const ones = bigLiteral(((1n << (step * BigInt(count))) - 1n) / ((1n << step) - 1n));
    const times = (plane: string) =>
      plane === "0" || plane === "0n" ? "0n" : `(${isWide(from) ? plane : `BigInt(${plane}>>>0)`}*${ones})`;
    return { a: times(pair.a), b: times(pair.b) };
  }

  /** Choice by statements, so that only the arm that counts is worked out. */
  private cond(expr: Bits & { op: "cond" }): Pair {
    const test = this.hold(this.pair(expr.test as Bits));
    const a = this.temp();
    const b = this.temp();
    const zero = isWide(expr.width) ? "0n" : "0";
    let known = true;
    const arm = (inner: Expr) =>
      this.nested(() => {
        const pair = this.pair(inner as Bits);
        if (!isKnown(pair)) known = false;
        this.emit(`${a}=${pair.a};${b}=${pair.b};`);
      });
    const before = new Map(this.made);
    const yes = arm(expr.yes);
    const no = arm(expr.no);
    this.made = before; // the arms run only if the test is known
    if (isKnown(test)) {
      this.emit(js`if(${test.a}!==0){${yes}}else{${no}}`);
      return { a, b: known ? zero : b };
    }
    this.emit(js`if(${test.b}===0){if(${test.a}!==0){${yes}}else{${no}}}else{${this.slow(expr, a, b)}}`);
    return { a, b };
  }

  private dynslice(expr: Bits & { op: "dynslice" }): Pair {
    const { width, arg, offset } = expr;
    const value = this.hold(this.pair(arg as Bits));
    const at = this.hold(this.pair(offset as Bits));
    const a = this.temp();
    const b = this.temp();
    const x = isWide(width) ? bigLiteral((1n << BigInt(width)) - 1n) : String(maskOf(width));
    const o = this.temp("o");
    this.emit(`${o}=${this.asNumber(at.a, offset.width, offset.signed)};`);
    const unknown = isKnown(at) ? "" : `${at.b}!==${isWide(offset.width) ? "0n" : "0"}||`;
    const known = isKnown(value);
    if (!isWide(arg.width)) {
      // the usual case: wholly inside
      const inside = `${o}>=0&&${o}<=${arg.width - width}`;
      const part = (plane: string) => `(${plane}>>>${o}&${maskOf(width)})`;
      this.emit(
        `if(${unknown}${o}>=${arg.width}||${o}<=${-width}){${a}=${x};${b}=${x};}` +
          `else if(${inside}){${a}=${part(value.a)};${b}=${known ? "0" : part(value.b)};}` +
          `else{${a}=H.part(${value.a},${o},${arg.width})&${maskOf(width)};${b}=H.part(${value.b},${o},${arg.width})&${maskOf(width)};}`,
      );
      return { a, b };
    }
    const ones = bigLiteral((1n << BigInt(arg.width)) - 1n);
    const cut = (plane: string) => {
      const part = `H.widePart(${plane},${o},${arg.width},${width},${ones})`;
      return isWide(width) ? part : `Number(BigInt.asIntN(32,${part}))`;
    };
    const inner = (plane: string) =>
      isWide(width)
        ? `BigInt.asUintN(${width},${plane}>>BigInt(${o}))`
        : `Number(BigInt.asIntN(32,BigInt.asUintN(${width},${plane}>>BigInt(${o}))))`;
    this.emit(
      `if(${unknown}${o}>=${arg.width}||${o}<=${-width}){${a}=${x};${b}=${x};}` +
        `else if(${o}>=0&&${o}<=${arg.width - width}){${a}=${inner(value.a)};${b}=${known ? (isWide(width) ? "0n" : "0") : inner(value.b)};}` +
        `else{${a}=${cut(value.a)};${b}=${cut(value.b)};}`,
    );
    return { a, b };
  }

  /** A value as a plain JavaScript number, for offsets. */
  asNumber(plane: string, width: number, signed: boolean): string {
    if (isWide(width)) return `H.index(${signed ? `BigInt.asIntN(${width},${plane})` : plane})`;
    if (!signed) return width === 32 ? `(${plane}>>>0)` : plane;
    return width === 32 ? plane : `(${plane}<<${32 - width}>>${32 - width})`;
  }

  /** Number of an array's element as a JavaScript expression, and a test that it is inside. */
  elementIndex(signal: Signal, index: readonly Expr[]): { at: string; inside: string | null } {
    let at = "";
    const tests: string[] = [];
    for (let d = 0; d < signal.dims.length; d++) {
      const size = sizeOf(signal.dims[d]);
      const own = index[d] as Bits;
      const pair = this.hold(this.pair(own));
      let i = pair.a;
      if (own.op === "const" && own.value.b === 0n) {
        const value = own.signed ? BigInt.asIntN(own.width, own.value.a) : own.value.a;
        if (value < 0n || value >= BigInt(size)) tests.push("false");
        i = String(value);
      } else {
        i = this.temp("i");
        this.emit(`${i}=${this.asNumber(pair.a, own.width, own.signed)};`);
        if (!isKnown(pair)) tests.push(`${pair.b}===${isWide(own.width) ? "0n" : "0"}`);
        if (own.signed) tests.push(`${i}>=0`);
        if (own.width >= 31 || 2 ** own.width > size) tests.push(`${i}<${size}`);
      }
      at = at ? `${at}*${size}+${i}` : i;
      if (d + 1 < signal.dims.length) at = `(${at})`;
    }
    return { at, inside: tests.length ? tests.join("&&") : null };
  }

  arrayNames(signal: Signal): { a: string; b: string } {
    if (signal.automatic) return { a: `l${signal.id}a`, b: `l${signal.id}b` };
    const { at, form } = this.program.storage.places[signal.id];
    const prefix = form === "narrow" ? "M" : form === "wide" ? "N" : form === "real" ? "MR" : "MT";
    return { a: `${prefix}A${at}`, b: `${prefix}B${at}` };
  }

  private element(signal: Signal, index: readonly Expr[]): Pair {
    const { at, inside } = this.elementIndex(signal, index);
    const { a: arrayA, b: arrayB } = this.arrayNames(signal);
    const wide = isWide(signal.width);
    const zero = wide ? "0n" : "0";
    const ones = literal((1n << BigInt(signal.width)) - 1n, signal.width);
    const four = signal.fourState || signal.kind === "net";
    if (!inside) return { a: `${arrayA}[${at}]`, b: four ? `${arrayB}[${at}]` : zero };
    const a = this.temp();
    const b = this.temp();
    const e = this.temp("i");
    const outside = four ? `${a}=${ones};${b}=${ones};` : `${a}=${zero};${b}=${zero};`;
    this.emit(
      `if(${inside}){${e}=${at};${a}=${arrayA}[${e}];${b}=${four ? `${arrayB}[${e}]` : zero};}else{${outside}}`,
    );
    return { a, b: four ? b : zero };
  }

  // ---- trees of operators -------------------------------------------------------------------------------------

  /** Operators over leaves: plain arithmetic if all leaves are known, else the four-state evaluator. */
  private tree(expr: Bits): Pair {
    const { fast, guard } = this.guarded(expr);
    if (guard === null) return { a: fast, b: isWide(expr.width) ? "0n" : "0" };
    const a = this.temp();
    const b = this.temp();
    const zero = isWide(expr.width) ? "0n" : "0";
    this.emit(`if(${guard}){${a}=${fast};${b}=${zero};}else{${this.slow(expr, a, b)}}`);
    return { a, b };
  }

  /** The value for known operands, and the test that they are (null: always). */
  private guarded(expr: Bits): { fast: string; guard: string | null } {
    const leaves: Leaves = new Map();
    const fast = this.fast(expr, leaves);
    const narrow = new Set<string>();
    const wide = new Set<string>();
    for (const leaf of leaves.values()) {
      if (isKnown(leaf)) continue;
      (leaf.wide ? wide : narrow).add(leaf.b);
    }
    const tests: string[] = [];
    if (narrow.size) tests.push(narrow.size === 1 ? `${[...narrow][0]}===0` : `(${[...narrow].join("|")})===0`);
    for (const plane of wide) tests.push(`${plane}===0n`);
    return { fast, guard: tests.length ? tests.join("&&") : null };
  }

  /** A leaf: its planes are worked out before the tree. */
  private leaf(expr: Bits, leaves: Leaves): string {
    const key = expr.op === "signal" ? expr.signal : expr;
    let pair: Pair | undefined = leaves.get(key);
    if (!pair) {
      pair = this.pair(expr);
      if (expr.op !== "signal" && expr.op !== "const") pair = this.hold(pair);
      leaves.set(key, { ...pair, wide: isWide(expr.width) });
    }
    return pair.a;
  }

  private fast(expr: Bits, leaves: Leaves): string {
    const { width } = expr;
    const wide = isWide(width);
    const sub = (inner: Expr) => this.fast(inner as Bits, leaves);
    switch (expr.op) {
      case "slice": {
        if (expr.lsb < 0 || expr.lsb + width > expr.arg.width) return this.leaf(expr, leaves);
        return this.cut({ a: sub(expr.arg), b: isWide(expr.arg.width) ? "0n" : "0" }, expr.arg.width, expr.lsb, width)
          .a;
      }
      case "extend":
        return this.extend({ a: sub(expr.arg), b: isWide(expr.arg.width) ? "0n" : "0" }, expr.arg, expr.bySign, width)
          .a;
      case "concat":
        return this.concat(
          expr.parts.map((part) => ({ pair: { a: sub(part), b: isWide(part.width) ? "0n" : "0" }, width: part.width })),
          width,
        ).a;
      case "repeat":
        return this.repeat({ a: sub(expr.arg), b: "0" }, expr.arg.width, expr.count, width).a;
      case "twostate":
        return this.leaf(expr, leaves);
      case "cond":
        if (!isPure(expr)) return this.leaf(expr, leaves);
        return `(${sub(expr.test)}!==0?${sub(expr.yes)}:${sub(expr.no)})`;
      case "unary": {
        const arg = sub(expr.arg);
        const from = isWide(expr.arg.width);
        switch (expr.kind) {
          case "not":
            if (wide) return `(${arg}^${bigLiteral((1n << BigInt(width)) - 1n)})`;
            return width === 32 ? `(~${arg})` : `(${arg}^${maskOf(width)})`;
          case "neg":
            if (wide) return `BigInt.asUintN(${width},-${arg})`;
            return width === 32 ? `(-${arg}|0)` : `(-${arg}&${maskOf(width)})`;
          case "lognot":
            return from ? `(${arg}===0n?1:0)` : expr.arg.width === 1 ? `(${arg}^1)` : `(${arg}===0?1:0)`;
          case "redor":
            return from ? `(${arg}!==0n?1:0)` : `(${arg}!==0?1:0)`;
          case "redand":
            return from
              ? `(${arg}===${bigLiteral((1n << BigInt(expr.arg.width)) - 1n)}?1:0)`
              : `(${arg}===${maskOf(expr.arg.width)}?1:0)`;
          case "redxor":
            return from ? `H.wideParity(${arg})` : `H.parity(${arg})`;
        }
        break;
      }
      case "binary":
        if (expr.left.form || expr.kind === "div" || expr.kind === "mod" || expr.kind === "pow")
          return this.leaf(expr, leaves);
        if ((expr.kind === "logand" || expr.kind === "logor") && hasEffects(expr.right)) return this.leaf(expr, leaves);
        if ((expr.kind === "weq" || expr.kind === "wne") && !(expr.right.op === "const" && expr.right.value.b === 0n))
          return this.wildcard(expr, leaves);
        if (expr.kind === "ceq" || expr.kind === "cne") return this.identity(expr, leaves);
        return this.fastBinary(expr, sub(expr.left), sub(expr.right));
    }
    return this.leaf(expr, leaves);
  }

  /** `===` is never unknown: both planes are compared. */
  private identity(expr: Bits & { op: "binary" }, leaves: Leaves): string {
    const key: Expr = expr;
    const known = leaves.get(key);
    if (known) return known.a;
    const left = this.hold(this.pair(expr.left as Bits));
    const right = this.hold(this.pair(expr.right as Bits));
    const name = this.temp();
    const same = `${left.a}===${right.a}&&${left.b}===${right.b}`;
    this.emit(`${name}=${expr.kind === "ceq" ? `${same}?1:0` : `${same}?0:1`};`);
    leaves.set(key, { a: name, b: "0", wide: false });
    return name;
  }

  private wildcard(expr: Bits & { op: "binary" }, leaves: Leaves): string {
    const known = leaves.get(expr);
    if (known) return known.a;
    const { right } = expr;
    if (right.op === "const") {
      // the label's x and z bits leave the subject's bits out
      const left = this.hold(this.pair(expr.left as Bits));
      const care = ((1n << BigInt(right.width)) - 1n) & ~right.value.b;
      const a = this.temp();
      const b = this.temp();
      const mask = literal(care, right.width);
      const want = literal(right.value.a & care, right.width);
      const zero = isWide(right.width) ? "0n" : "0";
      const hit = `((${left.a}&${mask})===${want}?1:0)`;
      const value = expr.kind === "weq" ? hit : `(${hit}^1)`;
      if (isKnown(left)) this.emit(`${a}=${value};${b}=0;`);
      else this.emit(`if((${left.b}&${mask})===${zero}){${a}=${value};${b}=0;}else{${this.slow(expr, a, b)}}`);
      leaves.set(expr, { a, b, wide: false });
      return a;
    }
    const a = this.temp();
    const b = this.temp();
    this.emit(this.slow(expr, a, b));
    leaves.set(expr, { a, b, wide: false });
    return a;
  }

  private fastBinary(expr: Bits & { op: "binary" }, l: string, r: string): string {
    const { kind, width } = expr;
    const operand = expr.left.width;
    const wide = isWide(width);
    const trim = (text: string) => (width === 32 ? `(${text}|0)` : `(${text}&${maskOf(width)})`);
    switch (kind) {
      case "and":
        return `(${l}&${r})`;
      case "or":
        return `(${l}|${r})`;
      case "xor":
        return `(${l}^${r})`;
      case "add":
        return wide ? `BigInt.asUintN(${width},${l}+${r})` : trim(`${l}+${r}`);
      case "sub":
        return wide ? `BigInt.asUintN(${width},${l}-${r})` : trim(`${l}-${r}`);
      case "mul":
        if (wide) return `BigInt.asUintN(${width},${l}*${r})`;
        return width === 32 ? `Math.imul(${l},${r})` : trim(`Math.imul(${l},${r})`);
      case "logand":
        return `(${l}&${r})`;
      case "logor":
        return `(${l}|${r})`;
      case "eq":
      case "ceq":
      case "weq":
        return `(${l}===${r}?1:0)`;
      case "ne":
      case "cne":
      case "wne":
        return `(${l}!==${r}?1:0)`;
      case "lt":
      case "le":
      case "gt":
      case "ge": {
        const op = { lt: "<", le: "<=", gt: ">", ge: ">=" }[kind];
        const view = (text: string) => {
          if (isWide(operand)) return expr.operandSigned ? `BigInt.asIntN(${operand},${text})` : text;
          if (expr.operandSigned) return operand === 32 ? text : `(${text}<<${32 - operand})`;
          return operand === 32 ? `(${text}>>>0)` : text;
        };
        return `(${view(l)}${op}${view(r)}?1:0)`;
      }
      case "shl":
      case "shr":
      case "sshr":
        return this.shift(expr, l, r);
    }
    throw new Error(`No fast form of ${kind}.`);
  }

  private shift(expr: Bits & { op: "binary" }, l: string, r: string): string {
    const { kind, width, right } = expr;
    const signed = kind === "sshr" && expr.operandSigned;
    const constant = right.op === "const" && right.value.b === 0n ? right.value.a : null;
    if (constant !== null && constant >= BigInt(width) && !signed) return isWide(width) ? "0n" : "0";
    const n = constant !== null ? Number(constant >= BigInt(width) ? BigInt(width - 1) : constant) : -1;
    if (!isWide(width)) {
      const trim = (text: string) => (width === 32 ? text : `(${text}&${maskOf(width)})`);
      const own = width === 32 ? l : `(${l}<<${32 - width}>>${32 - width})`;
      if (n >= 0) {
        if (kind === "shl") return trim(`(${l}<<${n})`);
        if (signed) return trim(`(${own}>>${n})`);
        return n === 0 ? l : width === 32 ? `(${l}>>>${n}|0)` : `(${l}>>>${n})`;
      }
      const by = isWide(right.width) ? `H.amount(${r})` : r;
      // JavaScript takes shift amounts modulo 32
      if (right.width <= 5 && 2 ** right.width <= 32) {
        if (kind === "shl") return trim(`(${l}<<${by})`);
        if (signed) return trim(`(${own}>>${by})`);
        return width === 32 ? `(${l}>>>${by}|0)` : `(${l}>>>${by})`;
      }
      if (kind === "shl") return trim(`H.shl(${l},${by})`);
      if (signed) return trim(`H.sshr(${own},${by})`);
      return `H.shr(${l},${by})`;
    }
    const by =
      n >= 0 ? `${n}n` : isWide(right.width) ? `H.wideAmount(${r},${width})` : `BigInt(Math.min(${r}>>>0,${width}))`;
    if (kind === "shl") return `BigInt.asUintN(${width},${l}<<${by})`;
    if (signed) return `BigInt.asUintN(${width},BigInt.asIntN(${width},${l})>>${by})`;
    return `(${l}>>${by})`;
  }

  /** Division and power: x also comes of known operands. */
  private partial(expr: Bits & { op: "binary" }): Pair {
    const { kind, width } = expr;
    const wide = isWide(width);
    const left = this.hold(this.pair(expr.left as Bits));
    const right = this.hold(this.pair(expr.right as Bits));
    const a = this.temp();
    const b = this.temp();
    const zero = wide ? "0n" : "0";
    const tests: string[] = [];
    if (!isKnown(left)) tests.push(`${left.b}===${zero}`);
    if (!isKnown(right)) tests.push(`${right.b}===${isWide(expr.right.width) ? "0n" : "0"}`);
    if (kind === "pow") {
      // square and multiply with wrapping; the table of special cases is the evaluator's
      if (wide || expr.right.width > 32 || expr.right.signed) {
        this.emit(this.slow(expr, a, b));
        return { a, b };
      }
      const value =
        width === 32 ? `H.pow(${left.a},${right.a}>>>0)` : `(H.pow(${left.a},${right.a}>>>0)&${maskOf(width)})`;
      this.emit(
        tests.length
          ? `if(${tests.join("&&")}){${a}=${value};${b}=0;}else{${this.slow(expr, a, b)}}`
          : `${a}=${value};${b}=0;`,
      );
      return { a, b };
    }
    tests.push(`${right.a}!==${zero}`);
    const op = kind === "div" ? "/" : "%";
    let value: string;
    if (wide) {
      value = expr.operandSigned
        ? `BigInt.asUintN(${width},BigInt.asIntN(${width},${left.a})${op}BigInt.asIntN(${width},${right.a}))`
        : `(${left.a}${op}${right.a})`;
    } else if (expr.operandSigned) {
      const view = (text: string) => (width === 32 ? text : `(${text}<<${32 - width}>>${32 - width})`);
      value =
        width === 32
          ? `(${view(left.a)}${op}${view(right.a)}|0)`
          : `(${view(left.a)}${op}${view(right.a)}&${maskOf(width)})`;
    } else value = width === 32 ? `((${left.a}>>>0)${op}(${right.a}>>>0)|0)` : `(${left.a}${op}${right.a}|0)`;
    const ones = literal((1n << BigInt(width)) - 1n, width);
    this.emit(`if(${tests.join("&&")}){${a}=${value};${b}=${zero};}else{${a}=${ones};${b}=${ones};}`);
    return { a, b };
  }

  /** The right side runs only if the left one leaves it open. */
  private lazyLogic(expr: Bits & { op: "binary" }): Pair {
    const stop = expr.kind === "logand" ? 0 : 1;
    const left = this.hold(this.pair(expr.left as Bits));
    const a = this.temp();
    const b = this.temp();
    const rest = this.nested(() => {
      const right = this.hold(this.pair(expr.right as Bits));
      // the left side is not the value that decides alone: it is the other one, or unknown
      const decided = `${right.b}===0&&${right.a}===${stop}`;
      const known = `${left.b}===0&&${right.b}===0`;
      this.emit(`if(${decided}){${a}=${stop};${b}=0;}else if(${known}){${a}=${1 - stop};${b}=0;}else{${a}=1;${b}=1;}`);
    });
    this.emit(js`if(${left.b}===0&&${left.a}===${stop}){${a}=${stop};${b}=0;}else{${rest}}`);
    return { a, b };
  }

  // ---- calls and other forms ----------------------------------------------------------------------------------

  private call(expr: Expr & { op: "call" }): Pair {
    const pair = this.program.calls.call(this, expr.func, expr.args);
    this.made.set(expr, pair);
    return pair;
  }

  private special(expr: Bits): Pair {
    const { width } = expr;
    const wide = isWide(width);
    const zero = wide ? "0n" : "0";
    if (expr.op === "convert") {
      const { arg } = expr;
      if (arg.form === "real")
        return {
          a: wide ? `H.wideRound(${this.real(arg)},${width})` : `(H.round(${this.real(arg)})&${maskOf(width)})`,
          b: zero,
        };
      const text = `BigInt.asUintN(${width},H.textBits(${this.text(arg)}))`;
      return { a: wide ? text : `Number(BigInt.asIntN(32,${text}))`, b: zero };
    }
    if (expr.op === "step") {
      let before: Pair | null = null;
      if (expr.old) {
        const old = this.pair(expr.old as Bits);
        before = { a: this.temp(), b: this.temp() };
        this.emit(`${before.a}=${old.a};${before.b}=${old.b};`);
      }
      const value = this.pair(expr.value as Bits);
      const held = { a: this.temp(), b: this.temp() };
      this.emit(`${held.a}=${value.a};${held.b}=${value.b};`);
      this.program.writes.assign(this, expr.target, held, expr.value.width);
      this.made.set(expr, before ?? held);
      return before ?? held;
    }
    if (expr.op !== "system") throw new Error("special");
    const quick = this.quickSystem(expr);
    if (quick) return quick;
    const a = this.temp();
    const b = this.temp();
    if (expr.name.startsWith("object.")) {
      const pair = this.program.objects.bits(this, expr);
      this.emit(`${a}=${pair.a};${b}=${pair.b};`);
      this.made.set(expr, { a, b });
      return { a, b };
    }
    this.emit(
      `${this.program.tasks.call(this, expr)};${a}=${wide ? "X.a" : "H.down(X.a)"};${b}=${wide ? "X.b" : "H.down(X.b)"};`,
    );
    this.made.set(expr, { a, b });
    return { a, b };
  }

  /** System functions that need no look at the whole simulation. */
  private quickSystem(expr: Expr & { op: "system" }): Pair | null {
    const [first] = expr.args;
    if (expr.name === "$time") return { a: `BigInt(T.scaled(${this.program.scaleOf(expr)}))`, b: "0n" };
    if (expr.name === "$stime") return { a: `(T.scaled(${this.program.scaleOf(expr)})|0)`, b: "0" };
    if (first?.kind === "expr" && first.expr.form === "real" && expr.name === "$rtoi")
      return { a: `(Math.trunc(${this.real(first.expr)})|0)`, b: "0" };
    return null;
  }

  /** An expression of type real. */
  real(expr: Expr): string {
    switch (expr.op) {
      case "realconst":
        return Number.isFinite(expr.value) ? `(${expr.value})` : String(expr.value);
      case "signal":
        if (expr.signal.automatic) return `l${expr.signal.id}a`;
        return `R[${this.program.storage.places[this.program.storage.root(expr.signal).signal.id].at}]`;
      case "element": {
        const { at, inside } = this.elementIndex(expr.signal, expr.index);
        const { a } = this.arrayNames(expr.signal);
        return inside ? `(${inside}?${a}[${at}]:0)` : `${a}[${at}]`;
      }
      case "convert": {
        if (expr.arg.form === "string") return `(Number.parseFloat(${this.text(expr.arg)})||0)`;
        const pair = this.hold(this.pair(expr.arg as Bits));
        const { width, signed } = expr.arg;
        if (isWide(width))
          return `Number(${signed ? `BigInt.asIntN(${width},${pair.a}&~${pair.b})` : `(${pair.a}&~${pair.b})`})`;
        return this.asNumber(isKnown(pair) ? pair.a : `(${pair.a}&~${pair.b})`, width, signed);
      }
      case "unary":
        return `(-${this.real(expr.arg)})`;
      case "binary": {
        const l = this.real(expr.left);
        const r = this.real(expr.right);
        const op: Partial<Record<BinaryKind, string>> = { add: "+", sub: "-", mul: "*", div: "/", mod: "%", pow: "**" };
        return `(${l}${op[expr.kind] ?? "+"}${r})`;
      }
      case "cond": {
        const result = this.temp("r");
        const test = this.truth(expr.test);
        const yes = this.nested(() => this.emit(`${result}=${this.real(expr.yes)};`));
        const no = this.nested(() => this.emit(`${result}=${this.real(expr.no)};`));
        this.emit(js`if(${test}){${yes}}else{${no}}`);
        return result;
      }
      case "call": {
        const result = this.temp("r");
        this.emit(`${result}=${this.program.calls.call(this, expr.func, expr.args).a};`);
        return result;
      }
      case "step": {
        const old = expr.old ? this.temp("r") : null;
        if (old) this.emit(`${old}=${this.real(expr.old!)};`);
        const value = this.temp("r");
        this.emit(`${value}=${this.real(expr.value)};`);
        this.program.writes.assignForm(this, expr.target, value);
        return old ?? value;
      }
      case "system": {
        if (expr.name.startsWith("object.")) {
          const held = this.temp("r");
          this.emit(`${held}=${this.program.objects.value(this, expr)};`);
          return held;
        }
        if (expr.name === "$realtime") return `T.scaledReal(${this.program.scaleOf(expr)})`;
        const result = this.temp("r");
        this.emit(`${this.program.tasks.call(this, expr)};${result}=X.v;`);
        return result;
      }
      default:
        throw new Error(`No real in ${expr.op}.`);
    }
  }

  /** An expression of type string. */
  text(expr: Expr): string {
    switch (expr.op) {
      case "strconst":
        return quoted(expr.value);
      case "signal":
        if (expr.signal.type.kind === "container") return this.program.object(expr.signal);
        if (expr.signal.automatic) return `l${expr.signal.id}a`;
        return `S[${this.program.storage.places[this.program.storage.root(expr.signal).signal.id].at}]`;
      case "element": {
        const { at, inside } = this.elementIndex(expr.signal, expr.index);
        const { a } = this.arrayNames(expr.signal);
        return inside ? `(${inside}?${a}[${at}]:"")` : `${a}[${at}]`;
      }
      case "convert": {
        if (expr.arg.form === "real") return `String(${this.real(expr.arg)})`;
        const pair = this.hold(this.pair(expr.arg as Bits));
        const wide = this.toWide(pair, expr.arg.width);
        return `H.bitsText(${wide.a},${wide.b})`;
      }
      case "concat":
        return expr.parts.length ? `(""+${expr.parts.map((part) => this.text(part)).join("+")})` : '""';
      case "cond": {
        const result = this.temp("s");
        const test = this.truth(expr.test);
        const yes = this.nested(() => this.emit(`${result}=${this.text(expr.yes)};`));
        const no = this.nested(() => this.emit(`${result}=${this.text(expr.no)};`));
        this.emit(js`if(${test}){${yes}}else{${no}}`);
        return result;
      }
      case "call": {
        const result = this.temp("s");
        this.emit(`${result}=${this.program.calls.call(this, expr.func, expr.args).a};`);
        return result;
      }
      case "system": {
        const result = this.temp("s");
        if (expr.name.startsWith("object.")) this.emit(`${result}=${this.program.objects.value(this, expr)};`);
        else if (expr.name === "any.make") this.emit(`${result}=${this.program.objects.any(this, expr)};`);
        else this.emit(`${this.program.tasks.call(this, expr)};${result}=X.v;`);
        return result;
      }
      default:
        throw new Error(`No string in ${expr.op}.`);
    }
  }

  private compareForms(expr: Bits & { op: "binary" }): string {
    const of = (arg: Expr) => (arg.form === "real" ? this.real(arg) : this.text(arg));
    const op: Partial<Record<BinaryKind, string>> = {
      eq: "===",
      ceq: "===",
      weq: "===",
      ne: "!==",
      cne: "!==",
      wne: "!==",
      lt: "<",
      le: "<=",
      gt: ">",
      ge: ">=",
    };
    return `(${of(expr.left)}${op[expr.kind]}${of(expr.right)}?1:0)`;
  }

  /** A JavaScript condition: true when a bit of the value is 1. */
  truth(expr: Expr): string {
    const bits = expr as Bits;
    if (bits.op === "unary" && bits.kind === "redor") return this.truthOf(bits.arg as Bits);
    return this.truthOf(bits);
  }

  private truthOf(expr: Bits): string {
    const zero = isWide(expr.width) ? "0n" : "0";
    const treelike =
      (expr.op === "unary" || expr.op === "binary") &&
      !(expr.op === "binary" && (expr.left.form || /^(div|mod|pow)$/.test(expr.kind)));
    if (treelike && !hasEffects(expr)) {
      const { fast, guard } = this.guarded(expr);
      const test =
        fast.endsWith("?1:0)") && fast.startsWith("(") && balanced(fast.slice(1, -5))
          ? `(${fast.slice(1, -5)})`
          : `${fast}!==${zero}`;
      if (guard === null) return test;
      return `(${guard}?${test}:${this.slowTruth(expr)})`;
    }
    const pair = this.hold(this.pair(expr));
    return isKnown(pair) ? `${pair.a}!==${zero}` : `(${pair.a}&~${pair.b})!==${zero}`;
  }

  // ---- the four-state evaluator -------------------------------------------------------------------------------

  /** Statements that work the expression out bit by bit; calls that were made already are handed over. */
  slow(expr: Expr, a: string, b: string): string {
    const down = isWide(expr.width) ? "" : "H.down";
    return `${this.evaluate(expr)};${a}=${down}(X.a);${b}=${down}(X.b);`;
  }

  private evaluate(expr: Expr): string {
    const { number, keys } = this.program.evaluated(expr, this.made);
    const values = keys.flatMap((key) => {
      if (!("op" in key)) return [`l${key.id}a`, key.fourState && key.width > 0 ? `l${key.id}b` : "0"];
      const pair = this.made.get(key)!;
      return [pair.a, pair.b];
    });
    return values.length ? `E(${number},[${values.join(",")}])` : `E(${number},null)`;
  }

  private slowTruth(expr: Expr): string {
    return this.evaluate(expr);
  }

  /** A value for a format or a task: as pair of bigints. */
  wide(expr: Bits): Pair {
    return this.toWide(this.hold(this.pair(expr)), expr.width);
  }

  assign(target: Target, value: Expr): void {
    if (target.form === "real") this.program.writes.assignForm(this, target, this.real(value));
    else if (target.form === "string") this.program.writes.assignForm(this, target, this.text(value));
    else this.program.writes.assign(this, target, this.pair(value as Bits), value.width);
  }
}

function balanced(text: string): boolean {
  let depth = 0;
  for (const c of text) {
    if (c === "(") depth++;
    if (c === ")" && --depth < 0) return false;
    if (c === "?" && depth === 0) return false;
  }
  return depth === 0;
}

/** Nothing in it but operators over signals and constants. */
export function isPure(expr: Expr): boolean {
  if (expr.form) return false;
  switch (expr.op) {
    case "const":
      return expr.value.b === 0n;
    case "signal":
      return true;
    case "slice":
      return expr.lsb >= 0 && expr.lsb + expr.width <= expr.arg.width && isPure(expr.arg);
    case "extend":
    case "unary":
    case "repeat":
      return isPure(expr.arg);
    case "binary":
      return !/^(div|mod|pow|weq|wne|ceq|cne)$/.test(expr.kind) && isPure(expr.left) && isPure(expr.right);
    case "cond":
      return isPure(expr.test) && isPure(expr.yes) && isPure(expr.no);
    case "concat":
      return expr.parts.every(isPure);
    default:
      return false;
  }
}

/** Calls something, or changes something. */
function hasEffects(expr: Expr): boolean {
  return someExpr(expr, ({ op }) => op === "call" || op === "step" || op === "system");
}
