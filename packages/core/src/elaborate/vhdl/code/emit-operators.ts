import { quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { Expr, PredefinedOp } from "../bound.ts";
import { isScalar, type VType } from "../types.ts";
import { productOf, quotientOf, sumOf } from "../values/long-time.ts";
import { type ArrayShape, type Bounds, type Shape, shapeText } from "../values/shapes.ts";
import { Arr, allOf, type Bits, catL, notL } from "../values/values.ts";
import type { Val } from "./emit-base.ts";
import { isList, logic, wrapped } from "./emit-text.ts";
import { concatenated } from "./operand-chain.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Predefined operators (IEEE 1076-2008, 9.2) as code. */
export class EmitOperators {
  constructor(private readonly host: UnitEmitter) {}

  // ---- predefined operators (9.2) -------------------------------------------------------------------------------

  builtin(name: PredefinedOp, args: readonly Expr[], type: VType, loc: Loc, want?: Shape): Val {
    if (name === "&") return this.concat(args, type, want);
    if ((name === "and" || name === "or" || name === "nand" || name === "nor") && args.length === 2 && isScalar(type)) {
      // short-circuit for boolean and bit (9.2.2)
      const l = this.host.exprs.expr(args[0]);
      const r = this.host.exprs.expr(args[1]);
      if (typeof l.cv === "number" && typeof r.cv === "number")
        return this.host.known(logic(name, l.cv, r.cv), l.shape);
      const op = name === "and" || name === "nand" ? "&&" : "||";
      const js = `${this.host.test(l)}${op}${this.host.test(r)}`;
      return { ...this.host.boolean(name.startsWith("n") ? `!(${js})` : js), shape: l.shape };
    }
    const vals = args.map((arg) => this.host.exprs.expr(arg));
    const [a, b] = vals;
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    switch (name) {
      case "=":
      case "/=":
        this.checkLengths(a, b, args, loc);
        return this.equality(a, b, name === "/=");
      case "<":
      case "<=":
      case ">":
      case ">=":
        return this.ordering(name, a, b);
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor":
        return args.length === 1 ? this.reduction(name, a, shape) : this.logicOf(name, a, b, type, loc);
      case "not":
        if (a.shape.k === "s") {
          if (typeof a.cv === "number") return this.host.known(1 - a.cv, a.shape);
          return { ...this.host.boolean(`!(${this.host.test(a)})`), shape: a.shape };
        }
        return this.onBits(
          a,
          (p, n) => `${this.host.rt("notL")}(${p},${n})`,
          (p, n) => notL(p, n),
        );
      case "??":
        return { ...this.host.boolean(`${a.js}===1`), shape: this.host.booleanShape };
      case "?=":
      case "?/=":
        return { ...this.equality(a, b, name === "?/="), shape };
      case "neg":
        if (type.kind === "real")
          return typeof a.cv === "number" ? this.host.known(-a.cv, shape) : this.host.scalar(`(-${a.js})`, type);
        return this.interval(
          `(0-${a.js})`,
          typeof a.cv === "number" ? 0 - a.cv : undefined,
          shape,
          a.hi === undefined ? undefined : -a.hi,
          a.lo === undefined ? undefined : -a.lo,
          loc,
        );
      case "plus":
        return { ...a, shape };
      case "abs":
        if (type.kind === "real") return this.host.scalar(`Math.abs(${a.js})`, type);
        return this.interval(
          `Math.abs(${a.js})`,
          typeof a.cv === "number" ? Math.abs(a.cv) : undefined,
          shape,
          0,
          undefined,
          loc,
        );
      case "minimum":
      case "maximum": {
        if (args.length === 1) return this.extreme(name, a, shape);
        if (a.shape.k === "s") {
          const fn = name === "minimum" ? Math.min : Math.max;
          if (typeof a.cv === "number" && typeof b.cv === "number") return this.host.known(fn(a.cv, b.cv), shape);
          return this.host.scalar(`Math.${name === "minimum" ? "min" : "max"}(${a.js},${b.js})`, type);
        }
        const x = this.host.repr.carry(a);
        const y = this.host.repr.carry(b);
        const left = this.host.once(x.js);
        const right = this.host.once(y.js);
        const order = this.ordering("<", { ...x, js: left.first }, { ...y, js: right.first });
        return {
          js:
            name === "minimum"
              ? `(${this.host.test(order)}?${left.again}:${right.again})`
              : `(${this.host.test(order)}?${right.again}:${left.again})`,
          shape: x.shape,
        };
      }
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return this.shifted(name, a, b);
      default:
        return this.arithmetic(name, a, b, shape, loc);
    }
  }

  /** A whole number with what is known of its size; beyond 32 bits it is checked. */
  interval(
    js: string,
    cv: number | undefined,
    shape: Shape,
    lo: number | undefined,
    hi: number | undefined,
    loc: Loc,
  ): Val {
    const { type } = shape as { type: VType };
    if (cv !== undefined) {
      const isWide = type.kind === "int" && !type.universal && (cv > 2147483647 || cv < -2147483648);
      if (!isWide) return this.host.known(cv, shape);
      this.host.error(
        "out-of-range",
        loc,
        `The result ${cv} is outside of what an integer holds.`,
        "Use smaller numbers, or a vector of bits.",
      );
      return this.host.known(0, shape);
    }
    if (type.kind !== "int") return { js, shape };
    const safe = lo !== undefined && hi !== undefined && lo >= -2147483648 && hi <= 2147483647;
    if (safe) return { js, shape, lo, hi };
    return {
      js: `${this.host.rt("ov")}(${js},${this.host.at(loc)})`,
      shape,
      lo: lo === undefined ? undefined : Math.max(lo, -2147483648),
      hi: hi === undefined ? undefined : Math.min(hi, 2147483647),
    };
  }
  private ends(val: Val): { lo: number; hi: number } | null {
    if (typeof val.cv === "number") return { lo: val.cv, hi: val.cv };
    const own = val.shape.k === "s" ? val.shape : null;
    const lo = val.lo ?? (own && typeof own.lo === "number" ? own.lo : undefined);
    const hi = val.hi ?? (own && typeof own.hi === "number" ? own.hi : undefined);
    if (lo === undefined || hi === undefined) {
      const { type } = own ?? {};
      if (type?.kind === "int" && !type.universal) return { lo: lo ?? type.low, hi: hi ?? type.high };
      return null;
    }
    return { lo, hi };
  }

  /** Sums, products and quotients of physical values: exact, or told (see `long-time.ts`). */
  private physical(name: PredefinedOp, a: Val, b: Val, shape: Shape, loc: Loc): Val {
    const place = this.host.at(loc);
    const negative = name === "-" ? `-(${b.js})` : b.js;
    const call =
      name === "*" ? "product" : name === "/" ? "div" : name === "mod" ? "mod" : name === "rem" ? "rem" : "sum";
    if (typeof a.cv !== "number" || typeof b.cv !== "number")
      return { js: `${this.host.rt(call)}(${a.js},${negative},${place})`, shape };
    const [x, y] = [a.cv, b.cv];
    if (y === 0 && !/[-+*]/.test(name)) {
      this.host.error("division", loc, `Division by zero in '${name}'.`, "Check the divisor.");
      return this.host.known(0, shape);
    }
    const value =
      name === "+"
        ? sumOf(x, y)
        : name === "-"
          ? sumOf(x, -y)
          : name === "*"
            ? productOf(x, y)
            : name === "/"
              ? quotientOf(x, y)
              : name === "rem" || x % y === 0 || x < 0 === y < 0
                ? (x % y) + 0
                : sumOf(x % y, y);
    if (value !== null) return this.host.known(value, shape);
    this.host.error(
      "out-of-range",
      loc,
      `The result of '${name}' is no number of base units that can be held exactly.`,
      "Use smaller numbers, or ones with a larger unit.",
    );
    return this.host.known(0, shape);
  }

  private arithmetic(name: PredefinedOp, a: Val, b: Val, shape: Shape, loc: Loc): Val {
    const { type } = shape as { type: VType };
    const place = this.host.at(loc);
    const both = typeof a.cv === "number" && typeof b.cv === "number";
    const x = a.cv as number;
    const y = b.cv as number;
    const aReal = a.shape.k === "s" && a.shape.type.kind === "real";
    const bReal = b.shape.k === "s" && b.shape.type.kind === "real";
    if (type.kind === "real" || aReal || bReal) {
      const trunc = type.kind === "physical" || type.kind === "int";
      // physical values are rounded to the nearest (9.2.7)
      const wrap = (js: string) => (trunc ? `${this.host.rt("round")}(${js})` : `(${js})`);
      const whole = (v: number) => (trunc ? Math.sign(v) * Math.floor(Math.abs(v) + 0.5) + 0 : v);
      switch (name) {
        case "+":
        case "-":
        case "*":
          if (both) {
            const v = name === "+" ? x + y : name === "-" ? x - y : x * y;
            return this.host.known(whole(v), shape);
          }
          return { js: wrap(`${a.js}${name}${b.js}`), shape };
        case "/":
          if (both && y !== 0) return this.host.known(whole(x / y), shape);
          return { js: wrap(`${this.host.rt("rdiv")}(${a.js},${b.js},${place})`), shape };
        case "**":
          if (both) return this.host.known(x ** y, shape);
          return { js: `(${a.js}**${b.js})`, shape };
        default:
          return { js: `(${a.js}%${b.js})`, shape };
      }
    }
    if (type.kind === "physical" || (a.shape.k === "s" && a.shape.type.kind === "physical"))
      return this.physical(name, a, b, shape, loc);
    const p = this.ends(a);
    const q = this.ends(b);
    const corners = (fn: (u: number, v: number) => number): [number | undefined, number | undefined] => {
      if (!p || !q) return [undefined, undefined];
      const list = [fn(p.lo, q.lo), fn(p.lo, q.hi), fn(p.hi, q.lo), fn(p.hi, q.hi)];
      return [Math.min(...list), Math.max(...list)];
    };
    switch (name) {
      case "+": {
        const [lo, hi] = corners((u, v) => u + v);
        return this.interval(`(${a.js}+${b.js})`, both ? x + y : undefined, shape, lo, hi, loc);
      }
      case "-": {
        const [lo, hi] = corners((u, v) => u - v);
        return this.interval(`(${a.js}-${b.js})`, both ? x - y : undefined, shape, lo, hi, loc);
      }
      case "*": {
        const [lo, hi] = corners((u, v) => u * v);
        return this.interval(`(${a.js}*${b.js}+0)`, both ? x * y + 0 : undefined, shape, lo, hi, loc);
      }
      case "/":
      case "mod":
      case "rem": {
        if (y === 0 && b.cv !== undefined) {
          this.host.error("division", loc, `Division by zero in '${name}'.`, "Check the divisor.");
          return this.host.known(0, shape);
        }
        if (both) {
          const v = name === "/" ? Math.trunc(x / y) : name === "rem" ? x % y : x - y * Math.floor(x / y);
          return this.host.known(v + 0, shape);
        }
        if (b.cv !== undefined && y > 0 && p && p.lo >= 0) {
          // of a number that is not negative: no case to tell apart
          const [lo, hi] = name === "/" ? [Math.trunc(p.lo / y), Math.trunc(p.hi / y)] : [0, Math.min(y - 1, p.hi)];
          if (p.hi <= 2147483647) {
            const power = Math.log2(y);
            if (Number.isInteger(power))
              return { js: name === "/" ? `(${a.js}>>>${power})` : `(${a.js}&${y - 1})`, shape, lo, hi };
            return { js: name === "/" ? `((${a.js}/${y})|0)` : `(${a.js}%${y})`, shape, lo, hi };
          }
        }
        const fn = name === "/" ? "div" : name;
        const range: [number | undefined, number | undefined] =
          name === "mod" && q && q.lo > 0
            ? [0, q.hi - 1]
            : name === "/" && p
              ? [Math.min(p.lo, -p.hi), Math.max(p.hi, -p.lo)]
              : [undefined, undefined];
        const js = `${this.host.rt(fn)}(${a.js},${b.js},${place})`;
        if (name !== "/") return { js, shape, lo: range[0], hi: range[1] };
        return this.interval(js, undefined, shape, range[0], range[1], loc);
      }
      case "**": {
        if (both && y >= 0) return this.interval("", x ** y, shape, undefined, undefined, loc);
        const hi = x === 2 && q && q.hi <= 62 ? 2 ** q.hi : undefined;
        return this.interval(
          `${this.host.rt("pow")}(${a.js},${b.js},${place})`,
          undefined,
          shape,
          hi === undefined ? undefined : 0,
          hi,
          loc,
        );
      }
      default:
        throw new Error(`operator ${name}`);
    }
  }

  /** Arrays of different lengths are never equal (9.2.3): nobody writes that on purpose, texts apart. */
  private checkLengths(a: Val, b: Val, args: readonly Expr[], loc: Loc): void {
    if (a.shape.k !== "a" || b.shape.k !== "a" || a.shape.pack === "char" || !a.shape.dims || !b.shape.dims) return;
    const [n, m] = [a.shape.dims[0].n, b.shape.dims[0].n];
    // what stands in a subprogram is for many lengths
    if (n === m || this.host.fn !== this.host.top || loc.file < 0) return;
    this.host.program.report.warn(
      "vhdl/compare-width",
      loc,
      `'${this.host.text(args[0].loc)}' has ${n} elements and '${this.host.text(args[1].loc)}' ${m}: they are never equal.`,
      "Compare parts of the same length.",
    );
  }
  equality(a: Val, b: Val, negate: boolean): Val {
    const made = (js: string): Val => this.host.boolean(negate ? `!(${js})` : js);
    const fixed = (is: boolean): Val => this.host.known(is !== negate ? 1 : 0, this.host.booleanShape);
    if (a.shape.k === "s" || a.shape.k === "o") {
      if (a.cv !== undefined && b.cv !== undefined && a.cv !== null) return fixed(a.cv === b.cv);
      return this.host.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
    }
    if (a.shape.k === "a" && b.shape.k === "a") {
      const na = this.host.repr.lengthOf(a);
      const nb = this.host.repr.lengthOf(b);
      if (na.n !== null && nb.n !== null && a.shape.dims && b.shape.dims) {
        if (na.n !== nb.n) return fixed(false);
        if (a.shape.pack === "char") return this.host.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
        if (a.shape.pack) {
          const plain = (val: Val) =>
            typeof val.cv === "number" ||
            typeof val.cv === "bigint" ||
            (val.shape.k === "a" && val.shape.pack === "bit");
          // equal values have one form: with one side of plain bits, identity tells
          if (plain(a) || plain(b)) return this.host.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
          return made(`${this.host.rt("eqL")}(${a.js},${b.js})`);
        }
        return made(`${this.host.rt("same")}(${a.js},${b.js})`);
      }
      const x = this.host.repr.carry(a);
      const y = this.host.repr.carry(b);
      return made(`${this.host.rt("same")}(${x.js},${y.js})`);
    }
    return made(`${this.host.rt("same")}(${a.js},${b.js})`);
  }

  private ordering(op: string, a: Val, b: Val): Val {
    if (a.shape.k === "s") {
      if (typeof a.cv === "number" && typeof b.cv === "number") {
        const is = op === "<" ? a.cv < b.cv : op === "<=" ? a.cv <= b.cv : op === ">" ? a.cv > b.cv : a.cv >= b.cv;
        return this.host.known(is ? 1 : 0, this.host.booleanShape);
      }
      return this.host.boolean(`${a.js}${op}${b.js}`);
    }
    const x = this.onceVal(a);
    const y = this.onceVal(b);
    const pack = a.shape.k === "a" ? a.shape.pack : null;
    if (pack && pack !== "char")
      return this.host.boolean(`${this.host.rt("orderL")}(${x.first},${x.n},${y.first},${y.n})${op}0`);
    return this.host.boolean(`${this.host.rt("orderList")}(${x.first},${y.first})${op}0`);
  }
  /** Payload and length of an array, evaluated once, in this order. */
  onceVal(val: Val): { readonly first: string; readonly p: string; readonly n: string; readonly known: number | null } {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims) {
      const n = this.host.repr.lengthOf(val);
      return { first: val.js, p: val.js, n: n.js, known: n.n };
    }
    if (val.cv instanceof Arr) {
      const js = this.host.constant(val.cv.p);
      return { first: js, p: js, n: String(val.cv.n), known: val.cv.n };
    }
    const own = this.host.once(val.js);
    return { first: `${own.first}.p`, p: `${own.again}.p`, n: `${own.again}.n`, known: null };
  }

  private logicOf(name: string, a: Val, b: Val, type: VType, loc: Loc): Val {
    if (a.shape.k === "s" && b.shape.k === "s") {
      if (typeof a.cv === "number" && typeof b.cv === "number")
        return this.host.known(logic(name, a.cv, b.cv), a.shape);
      return {
        ...this.host.boolean(`${a.js}${name === "xor" ? "!==" : "==="}${b.js}`),
        shape: this.host.shapes.plainShape(type),
      };
    }
    // an array with an array, or with one element for all (2008)
    const array = a.shape.k === "a" ? a : b;
    const result = array.shape as ArrayShape;
    const size = this.host.repr.lengthOf(array);
    const wide = (val: Val): string =>
      val.shape.k === "a" ? this.host.repr.payload(val) : `${this.host.rt("allOf")}(${val.js}+2,${size.js})`;
    if (a.shape.k === "a" && b.shape.k === "a") this.sameLength(a, b, loc);
    // of an array that carries its bounds, the result has the same
    const carried = result.dims ? null : this.host.once(array.js);
    const own = carried
      ? { first: `${carried.first}.p`, p: `${carried.again}.p`, n: `${carried.again}.n` }
      : this.onceVal(array);
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    const fn = base === "and" ? "andL" : base === "or" ? "orL" : "xorL";
    const left = array === a ? own.first : wide(a);
    const right = array === b ? (array === a ? own.p : own.first) : wide(b);
    const inner = `${this.host.rt(fn)}(${left},${right},${own.n})`;
    const js = name === base ? inner : `${this.host.rt("notL")}(${inner},${own.n})`;
    if (!carried) return { js, shape: result };
    return { js: `${this.host.rt("arr")}(${js},${carried.again}.l,${carried.again}.d,${own.n})`, shape: result };
  }
  /** Operands whose lengths must be the same: told now, or by the run. */
  sameLength(a: Val, b: Val, loc: Loc): void {
    const na = this.host.repr.lengthOf(a).n;
    const nb = this.host.repr.lengthOf(b).n;
    if (na !== null && nb !== null && na !== nb)
      this.host.error(
        "width",
        loc,
        `The operands have ${na} (${shapeText(a.shape)}) and ${nb} (${shapeText(b.shape)}) elements.`,
        "Make them as long as each other: take a slice, or put bits in front.",
      );
  }

  private reduction(name: string, a: Val, shape: Shape): Val {
    const own = this.onceVal(a);
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    const rows = base === "and" ? "AND" : base === "or" ? "OR" : "XOR";
    const js = `${this.host.rt("reduce")}(${own.first},${own.n},${this.host.rt(rows)},${base === "and" ? 3 : 2})`;
    return this.host.scalar(name === base ? `(${js}-2)` : `(3-${js})`, (shape as { type: VType }).type, 0, 1);
  }

  private extreme(name: string, a: Val, shape: Shape): Val {
    const own = this.onceVal(a);
    const pack = a.shape.k === "a" ? a.shape.pack : null;
    const list =
      pack === "char"
        ? `[...${own.first}].map((c)=>c.charCodeAt(0))`
        : pack
          ? `Array.from({length:${own.n}},(_,i)=>${this.host.rt(pack === "bit" ? "getB" : "getL")}(${own.p},i))`
          : own.first;
    return { js: `Math.${name === "minimum" ? "min" : "max"}(...${list})`, shape };
  }

  /** Same bounds, other bits. */
  onBits(a: Val, js: (p: string, n: string) => string, fold?: (p: Bits, n: number) => Bits): Val {
    const { shape } = a;
    if (shape.k !== "a") return a;
    if (shape.dims) {
      const { n } = shape.dims[0];
      if (a.cv !== undefined && fold) return this.host.known(fold(a.cv as Bits, n), shape);
      return { js: js(a.js, String(n)), shape };
    }
    const own = this.host.once(a.js);
    return {
      js: `${this.host.rt("arr")}(${js(`${own.first}.p`, `${own.again}.n`)},${own.again}.l,${own.again}.d,${own.again}.n)`,
      shape,
    };
  }

  private shifted(name: PredefinedOp, a: Val, by: Val): Val {
    const rotates = name === "rol" || name === "ror";
    const count = name === "sll" || name === "sla" || name === "rol" ? by.js : `-(${by.js})`;
    if (a.shape.k === "a" && !a.shape.pack) {
      const carried = this.host.repr.carry(a);
      return {
        js: `${this.host.rt("shiftList")}(${carried.js},${quoted(name)},${by.js},${this.host.repr.defaultValue(a.shape.elem).js})`,
        shape: carried.shape,
      };
    }
    return this.onBits(a, (p, n) => {
      if (rotates) return `${this.host.rt("rotateL")}(${p},${n},${count})`;
      if (name === "sla" || name === "sra") {
        // the end element is repeated: the rightmost to the left, the leftmost to the right (9.2.4)
        return `${this.host.rt("shiftA")}(${p},${n},${count})`;
      }
      return `${this.host.rt("shiftL")}(${p},${n},${count},2)`;
    });
  }

  private concat(args: readonly Expr[], type: VType, want?: Shape): Val {
    // a & b & c is one: parts of a chain that make the same type
    const parts = concatenated(args, (e) => e.type !== type);
    const whole = this.host.shapes.plainShape(type) as ArrayShape;
    const vals = parts.map((part) => this.host.exprs.expr(part));
    const isElement = (val: Val, i: number) => parts[i].type !== type || val.shape.k !== "a" || val.shape.type !== type;
    const elem = vals.find((val, i) => !isElement(val, i));
    const shape: ArrayShape = {
      ...whole,
      elem:
        elem?.shape.k === "a"
          ? elem.shape.elem
          : vals[0].shape.k !== "a" || whole.pack === null
            ? elem
              ? whole.elem
              : vals[0].shape
            : whole.elem,
    };
    const lengths = vals.map((val, i) => (isElement(val, i) ? { js: "1", n: 1 } : this.host.repr.lengthOf(val)));
    const total = lengths.every((each) => each.n !== null) ? lengths.reduce((sum, each) => sum + each.n!, 0) : null;
    const bounds = (n: number): Bounds =>
      want?.k === "a" && want.dims?.[0].n === n ? want.dims[0] : this.host.repr.leftBounds(type, whole, n);
    if (whole.pack === "char") {
      const texts = vals.map((val, i) =>
        isElement(val, i)
          ? typeof val.cv === "number"
            ? quoted(String.fromCharCode(val.cv))
            : `String.fromCharCode(${val.js})`
          : this.host.repr.payload(val),
      );
      const js = `(${texts.join("+")})`;
      if (total !== null) {
        if (vals.every((val) => val.cv !== undefined))
          return this.host.known(
            vals
              .map((val, i) =>
                isElement(val, i) ? String.fromCharCode(val.cv as number) : val.cv instanceof Arr ? val.cv.p : val.cv,
              )
              .join(""),
            { ...shape, dims: [bounds(total)] },
          );
        return { js, shape: { ...shape, dims: [bounds(total)] } };
      }
      const once = this.host.once(js);
      const { l, d } = this.host.repr.leftBounds(type, whole, 0);
      return {
        js: `${this.host.rt("arr")}(${once.first},${l},${d},${once.again}.length)`,
        shape: { ...shape, dims: null },
      };
    }
    if (whole.pack) {
      const two = whole.pack === "bit";
      if (total !== null) {
        if (vals.every((val) => val.cv !== undefined)) {
          let p: Bits = 0;
          let n = 0;
          vals.forEach((val, i) => {
            const part: Bits = isElement(val, i)
              ? allOf(two ? (val.cv as number) + 2 : (val.cv as number), 1)
              : ((val.cv instanceof Arr ? val.cv.p : val.cv) as Bits);
            p = catL(p, n, part, lengths[i].n!);
            n += lengths[i].n!;
          });
          return this.host.known(p, { ...shape, dims: [bounds(total)] });
        }
        const each = vals.map((val, i) => ({
          js: isElement(val, i) ? this.oneBit(val, two) : this.host.repr.payload(val),
          n: lengths[i].n!,
        }));
        const live = each.filter((part) => part.n > 0);
        if (live.length === 0) return this.host.known(0, { ...shape, dims: [bounds(0)] });
        if (total <= 32) {
          // all parts of plain bits, or by the long way
          const names = live.map((part) => this.host.once(part.js));
          let shift = total;
          const plain = names.map((name, i) => {
            shift -= live[i].n;
            return shift === 0 ? name.again : `${wrapped(name.again)}<<${shift}`;
          });
          const joined = `(${plain.join("|")})`;
          if (two) {
            const sets = names.filter((name) => name.first !== name.again).map((name) => name.first);
            return {
              js: sets.length ? `(${[...sets, joined].join(",")})` : joined,
              shape: { ...shape, dims: [bounds(total)] },
            };
          }
          const sets = names.map((name) => name.first);
          const isPlain = names
            .map((name) => `typeof ${name.again}==="number"`)
            .filter((text) => !/typeof -?\(?\d/.test(text));
          let long = names[0].again;
          let n = live[0].n;
          for (let i = 1; i < live.length; i++) {
            long = `${this.host.rt("catL")}(${long},${n},${names[i].again},${live[i].n})`;
            n += live[i].n;
          }
          const before = sets.filter((text, i) => text !== names[i].again);
          const body = isPlain.length ? `(${isPlain.join("&&")}?${joined}:${long})` : joined;
          return {
            js: before.length ? `(${before.join(",")},${body})` : body,
            shape: { ...shape, dims: [bounds(total)] },
          };
        }
        const { js } = this.sideBySide(live);
        return { js, shape: { ...shape, dims: [bounds(total)] } };
      }
      const { l, d } = this.host.repr.leftBounds(type, whole, 0);
      const list = vals.map((val, i) =>
        isElement(val, i) ? `${this.host.rt("arr")}(${this.oneBit(val, two)},0,0,1)` : this.host.repr.carry(val).js,
      );
      return { js: `${this.host.rt("catArr")}([${list.join(",")}],${l},${d})`, shape: { ...shape, dims: null } };
    }
    const list = vals.map((val, i) =>
      isElement(val, i)
        ? this.host.repr.kept(val)
        : `...${isList(val.shape) && !isList(shape.elem) ? this.host.repr.payload(val) : `${this.host.rt("copy")}(${this.host.repr.payload(val)})`}`,
    );
    const js = `[${list.join(",")}]`;
    if (total !== null) return { js, shape: { ...shape, dims: [bounds(total)] }, fresh: true };
    const once = this.host.once(js);
    const { l, d } = this.host.repr.leftBounds(type, whole, 0);
    return {
      js: `${this.host.rt("arr")}(${once.first},${l},${d},${once.again}.length)`,
      shape: { ...shape, dims: null },
      fresh: true,
    };
  }
  /** Bits beside bits, as a balanced tree: the engine reads nested code by recursion. */
  private sideBySide(parts: readonly { readonly js: string; readonly n: number }[]): { js: string; n: number } {
    if (parts.length === 1) return parts[0];
    const middle = parts.length >> 1;
    const l = this.sideBySide(parts.slice(0, middle));
    const r = this.sideBySide(parts.slice(middle));
    return { js: `${this.host.rt("catL")}(${l.js},${l.n},${r.js},${r.n})`, n: l.n + r.n };
  }
  /** A scalar as bits of one element. */
  oneBit(val: Val, two: boolean): string {
    if (typeof val.cv === "number") return this.host.constant(allOf(two ? val.cv + 2 : val.cv, 1));
    if (two) return val.js;
    const any = `${this.host.rt("bit1")}(${val.js})`;
    return /^[\w.]+$/.test(val.js) ? `((${val.js}&-2)===2?${val.js}&1:${any})` : any;
  }
}
