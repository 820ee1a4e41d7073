import { type Code, js as code, joined, rendered } from "../../../common/code-pieces.ts";
import { compileGenerated, quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { Report } from "../../report.ts";
import type { Decl, Expr, PackageDecl, Subprogram } from "../bound.ts";
import { type BoundRange, type Constraint, type EnumType, packingOf, type Subtype, type VType } from "../types.ts";
import { Frame, type JsFunction, type Place } from "../values/frames.ts";
import {
  type ArrayShape,
  type Bounds,
  boundsOf,
  mostWords,
  rightOf,
  type Shape,
  shapeText,
  wordsOf,
} from "../values/shapes.ts";
import type { Sig } from "../values/signals.ts";
import { Arr, Codes } from "../values/values.ts";
import type { World } from "../world.ts";
import { isSimple } from "./emit-text.ts";
import type { VhdlRuntime } from "./runtime.ts";
import type { SignalKeeper } from "./signal-keeper.ts";

/** An expression as code, with what is known of its value. */
export interface Val {
  readonly js: string;
  readonly shape: Shape;
  /** Known already: then `js` writes it. */
  readonly cv?: unknown;
  /** Least and greatest value that a whole number can have here. */
  readonly lo?: number;
  readonly hi?: number;
  /** A list that nobody else holds. */
  readonly fresh?: boolean;
  /** Of std_logic: how to work it out while all that it is made of is '0' or '1'. */
  readonly plain?: PlainBit;
  /** Of a condition: code that is true for 1, as long as `js` is still what it was made with. */
  readonly truth?: { readonly of: string; readonly js: string };
}
export interface PlainBit {
  /** Texts that are true if it is so. */
  readonly guards: readonly string[];
  /** Text whose lowest bit is the value. */
  readonly bit: string;
  /** Code of the value in any case. */
  readonly any: string;
  readonly operators: number;
  /** The value's own code: if it is another by now, something was put around it since. */
  readonly of: string;
}
export interface RangeVal {
  readonly l: Val;
  readonly r: Val;
  readonly d: 0 | 1;
  /** Direction known only to the run: code of 0 or 1. */
  readonly dynamicDir?: string;
}

/** What is shared by all code of one simulation. */
export interface Program {
  readonly world: World;
  readonly report: Report;
  readonly runtime: VhdlRuntime;
  readonly engine: SignalKeeper;
  readonly places: Loc[];
  readonly placeNumbers: Map<string, number>;
  readonly root: Frame;
  /** Packages by what they declare. */
  readonly owners: Map<Decl, PackageDecl>;
  readonly elaborated: Set<PackageDecl>;
  /** Functions of packages, by what they are and the shapes of their parameters. */
  readonly functions: Map<Subprogram, Map<string, Callee>>;
  /** Compiled text: instances with the same text share it. */
  readonly compiled: Map<string, (...args: unknown[]) => unknown>;
  readonly suspending: Map<Subprogram, boolean>;
  /** Something asks whether signals are active, not only whether they change. */
  tracksActive: boolean;
  /** Something forces signals. */
  forces: boolean;
  /** Signals whose events somebody looks at, besides waiting for them. */
  readonly observed: Set<Sig>;
  elaboratePackage(unit: PackageDecl): void;
}

/** A subprogram that was written for certain shapes. */
export interface Callee {
  /** Of a package: where its function is found once it is made. */
  readonly holder: { f: ((...args: unknown[]) => unknown) | null } | null;
  /** Else its name within the code. */
  readonly name: string;
  result: Shape | null;
  readonly generator: boolean;
  /** Still being written: its result is taken as carried. */
  open: boolean;
  /** It calls itself, by others perhaps: its calls are counted like a loop's turns. */
  recursive?: boolean;
}

/** Objects, functions of the runtime and numbers for names: shared by all that is written into one text. */
export class CodeUnit {
  /** Objects that the code refers to, by name. */
  readonly caps: unknown[] = [];
  private readonly capNames = new Map<unknown, string>();
  private readonly used = new Set<string>();
  private count = 0;

  /** Name of an object that is handed to the code. */
  cap(object: unknown): string {
    let name = this.capNames.get(object);
    if (!name) {
      name = `c${this.caps.push(object) - 1}`;
      this.capNames.set(object, name);
    }
    return name;
  }
  /** Name of a function of the runtime. */
  rt(name: keyof VhdlRuntime & string): string {
    this.used.add(name);
    return `R_${name}`;
  }
  fresh(prefix: string): string {
    return `${prefix}${this.count++}`;
  }
  header(): string {
    const runtime = [...this.used].map((name) => `R_${name}=R.${name}`);
    const caps = this.caps.map((_, i) => `c${i}=C[${i}]`);
    const all = [...runtime, ...caps];
    return all.length ? `const ${all.join(",")};` : "";
  }
}

/** The text as a function of the run: what it returns is returned. */
export function linkUnit(program: Program, unit: CodeUnit, body: string | Code): unknown {
  const own = rendered(body);
  const text = `"use strict";${unit.header()}${own}`;
  let make = program.compiled.get(text);
  if (!make) {
    make = compileGenerated(["R", "E", "C"], text);
    program.compiled.set(text, make);
  }
  return make(program.runtime, program.engine, unit.caps);
}

/** Names, shapes and constants: what all code needs. */
export class EmitBase {
  fn: JsFunction;
  readonly top: JsFunction;

  constructor(
    readonly program: Program,
    public frame: Frame,
    readonly unit = new CodeUnit(),
  ) {
    this.top = { inner: [], temps: [], generator: false };
    this.fn = this.top;
  }

  get world(): World {
    return this.program.world;
  }

  error(code: string, loc: Loc, message: string, remedy: string): void {
    if (loc.file >= 0) this.program.report.error(`vhdl/${code}`, loc, message, remedy);
    else this.program.report.error(`vhdl/${code}`, { file: 0, start: 0, end: 0 }, message, remedy);
  }
  text(loc: Loc): string {
    if (loc.file < 0) return "?";
    const text = this.program.report.sources.text(loc).replace(/\s+/g, " ");
    return text.length > 60 ? `${text.slice(0, 57)}...` : text;
  }

  /** Number of a place, for messages of the run. */
  at(loc: Loc): number {
    const key = `${loc.file}:${loc.start}:${loc.end}`;
    let number = this.program.placeNumbers.get(key);
    if (number === undefined) {
      number = this.program.places.push(loc) - 1;
      this.program.placeNumbers.set(key, number);
    }
    return number;
  }

  cap(object: unknown): string {
    return this.unit.cap(object);
  }
  rt(name: keyof VhdlRuntime & string): string {
    return this.unit.rt(name);
  }
  fresh(prefix: string): string {
    return this.unit.fresh(prefix);
  }
  /** Loops and calls of subprograms that were written so far. */
  protected repeated = 0;
  temp(): string {
    const name = this.fresh("t");
    this.fn.temps.push(name);
    return name;
  }
  /** Code that reads a value once, and a name for it afterwards. */
  once(js: string): { readonly first: string; readonly again: string } {
    if (isSimple(js)) return { first: js, again: js };
    const name = this.temp();
    return { first: `(${name}=${js})`, again: name };
  }

  /** Function text with its temporary variables and inner functions. */
  wrap(fn: JsFunction, body: string | Code): Code {
    const temps = fn.temps.length ? `let ${fn.temps.join(",")};` : "";
    return code`${temps}${joined(fn.inner, "\n")}\n${body}`;
  }
  /** The text as a function of the run: what it returns is returned. */
  link(body: string | Code): unknown {
    return linkUnit(this.program, this.unit, this.wrap(this.top, body));
  }

  // ---- constants ------------------------------------------------------------------------------------------------

  /** Code of a value. */
  constant(v: unknown): string {
    switch (typeof v) {
      case "number":
        if (Number.isNaN(v)) return "NaN";
        if (v === Number.POSITIVE_INFINITY) return "Infinity";
        return Object.is(v, -0) ? "0" : v < 0 ? `(${v})` : `${v}`;
      case "bigint":
        return `${v}n`;
      case "string":
        return v.length <= 64 ? quoted(v) : this.cap(v);
      case "boolean":
        return v ? "1" : "0";
      default:
        if (v === null) return "null";
        return this.cap(v);
    }
  }
  known(v: unknown, shape: Shape): Val {
    const number = typeof v === "number" && shape.k === "s" ? { lo: v, hi: v } : {};
    return { js: this.constant(v), shape, cv: v, ...number };
  }
  scalar(js: string, type: VType, lo?: number, hi?: number): Val {
    return { js, shape: { k: "s", type, lo: null, hi: null }, lo, hi };
  }
  /** A condition as code that JavaScript tests. */
  boolean(js: string): Val {
    const whole = `(${js}?1:0)`;
    return { js: whole, shape: this.booleanShape, lo: 0, hi: 1, truth: { of: whole, js: `(${js})` } };
  }
  test({ js, truth }: Val): string {
    return truth?.of === js ? truth.js : `${js}===1`;
  }
  get booleanShape(): Shape {
    return { k: "s", type: this.world.standard.boolean, lo: null, hi: null };
  }
  get stringShape(): ArrayShape {
    const { string, character } = this.world.standard;
    return { k: "a", type: string, pack: "char", dims: null, elem: { k: "s", type: character, lo: null, hi: null } };
  }
  str(js: string): Val {
    const once = this.once(js);
    return { js: `${this.rt("arr")}(${once.first},1,0,${once.again}.length)`, shape: this.stringShape };
  }
  /** The JavaScript string of a value of type string. */
  plainText(val: Val): string {
    if (typeof val.cv === "string") return quoted(val.cv);
    if (val.cv instanceof Arr) return quoted(val.cv.p as string);
    return val.shape.k === "a" && val.shape.dims === null ? `${val.js}.p` : val.js;
  }

  names(type: VType): readonly string[] {
    return type.kind === "enum" ? enumNames(type) : [];
  }

  // ---- where declarations are -----------------------------------------------------------------------------------

  find(decl: Decl): Place | null {
    const place = this.frame.find(decl);
    if (place) return place;
    const owner = this.program.owners.get(decl);
    if (!owner || this.program.elaborated.has(owner)) return null;
    this.program.elaboratePackage(owner);
    return this.program.root.find(decl);
  }

  within<T>(frame: Frame, run: () => T): T {
    const { frame: outer } = this;
    this.frame = frame;
    try {
      return run();
    } finally {
      this.frame = outer;
    }
  }

  // ---- shapes ---------------------------------------------------------------------------------------------------

  /** Expression, emitted: given by the next part. */
  expr(_expr: Expr, _want?: Shape): Val {
    throw new Error("emitted elsewhere");
  }

  rangeVal(range: BoundRange): RangeVal {
    switch (range.kind) {
      case "bounds": {
        const l = this.expr(range.left);
        const r = this.expr(range.right);
        return { l, r, d: range.descending ? 1 : 0 };
      }
      case "subtype": {
        const shape = this.shape(range.subtype);
        if (shape.k === "a") throw new Error("a range of an array type");
        return this.scalarRange(shape);
      }
      case "of": {
        const { attribute } = range;
        if (attribute.op !== "attribute") throw new Error("no attribute");
        if (attribute.subtype) {
          const shape = this.shape(attribute.subtype);
          if (shape.k === "s") {
            const found = this.scalarRange(shape);
            return range.reverse ? { l: found.r, r: found.l, d: found.d ? 0 : 1 } : found;
          }
          return this.dimRange(shape, null, range.dim, range.reverse, range.type);
        }
        const of = this.expr(attribute.of!);
        return this.dimRange(of.shape, of, range.dim, range.reverse, range.type);
      }
    }
  }
  private dimRange(shape: Shape, of: Val | null, dim: number, reverse: boolean, type: VType): RangeVal {
    if (shape.k !== "a") throw new Error("no array");
    const index: Shape = { k: "s", type, lo: null, hi: null };
    if (shape.dims) {
      const b = shape.dims[dim - 1];
      const l = this.known(b.l, index);
      const r = this.known(rightOf(b), index);
      return reverse ? { l: r, r: l, d: b.d ? 0 : 1 } : { l, r, d: b.d };
    }
    const once = this.once(dim > 1 ? `${this.rt("dimension")}(${of!.js},${dim})` : of!.js);
    const l = this.scalar(`${once.first}.l`, type);
    const r = this.scalar(`${once.again}.r`, type);
    // the first read must come first
    const name = once.again;
    const dir = `${name}.d`;
    return reverse
      ? { l: { ...r, js: `${once.first}.r` }, r: this.scalar(`${name}.l`, type), d: 0, dynamicDir: `1-${dir}` }
      : { l, r, d: 0, dynamicDir: dir };
  }
  scalarRange(shape: Shape): RangeVal {
    const bounds = this.limits(shape);
    const side = (v: number | string): Val => (typeof v === "number" ? this.known(v, shape) : { js: v, shape });
    const descending = shape.k === "s" && (shape.descending ?? (shape.type.kind === "int" && shape.type.descending));
    return descending
      ? { l: side(bounds.hi), r: side(bounds.lo), d: 1 }
      : { l: side(bounds.lo), r: side(bounds.hi), d: 0 };
  }

  /** Least and greatest value of a scalar's subtype. */
  limits(shape: Shape): { readonly lo: number | string; readonly hi: number | string } {
    if (shape.k !== "s") return { lo: 0, hi: 0 };
    const { type } = shape;
    let lo: number | string = shape.lo ?? 0;
    let hi: number | string = shape.hi ?? 0;
    if (shape.lo === null || shape.hi === null) {
      if (type.kind === "int" || type.kind === "real") [lo, hi] = [shape.lo ?? type.low, shape.hi ?? type.high];
      else if (type.kind === "enum") [lo, hi] = [shape.lo ?? 0, shape.hi ?? type.literals.length - 1];
      else [lo, hi] = [shape.lo ?? -Number.MAX_SAFE_INTEGER, shape.hi ?? Number.MAX_SAFE_INTEGER];
    }
    return { lo, hi };
  }

  /** Bounds of a range, if they are known now. */
  bounds(range: BoundRange): Bounds | null {
    const found = this.rangeVal(range);
    if (found.dynamicDir !== undefined) return null;
    const { l, r, d } = found;
    if (typeof l.cv !== "number" || typeof r.cv !== "number") return null;
    return boundsOf(l.cv, r.cv, d);
  }

  shape(subtype: Subtype): Shape {
    const known = this.frame.shapeOf(subtype);
    if (known) return known;
    const made = this.makeShape(subtype);
    // what depends on the run is not the same twice
    if (subtype.constraint === null && subtype.parent === null && !subtype.ofObject) return made;
    if (!isDynamic(made)) this.frame.shapes.set(subtype, made);
    return made;
  }

  private makeShape(subtype: Subtype): Shape {
    if (subtype.ofObject) {
      const { shape } = this.expr(subtype.ofObject);
      return subtype.isElement && shape.k === "a" ? shape.elem : shape;
    }
    if (subtype.parent) {
      const base = this.shape(subtype.parent);
      return subtype.constraint ? this.constrain(base, subtype.constraint) : base;
    }
    const shape = this.plainShape(subtype.type);
    return subtype.constraint ? this.constrain(shape, subtype.constraint) : shape;
  }

  plainShape(type: VType): Shape {
    switch (type.kind) {
      case "enum":
      case "int":
      case "real":
      case "physical":
        return { k: "s", type, lo: null, hi: null };
      case "array":
        return { k: "a", type, pack: packingOf(type), dims: null, elem: this.shape(type.element) };
      case "record":
        return { k: "r", type, fields: type.fields.map((field) => this.shape(field.subtype)) };
      default:
        return { k: "o", type };
    }
  }

  constrain(shape: Shape, constraint: Constraint): Shape {
    if (constraint.kind === "range") {
      if (shape.k !== "s") return shape;
      const { l, r, d } = this.rangeVal(constraint.range);
      const side = (val: Val): number | string => (typeof val.cv === "number" ? val.cv : this.hoist(val));
      return { k: "s", type: shape.type, lo: side(d ? r : l), hi: side(d ? l : r), descending: d === 1 };
    }
    if (constraint.kind === "record") {
      if (shape.k !== "r") return shape;
      const { type } = shape;
      return {
        ...shape,
        fields: shape.fields.map((field, i) => {
          const own = constraint.fields.get(type.fields[i].name);
          return own ? this.constrain(field, own) : field;
        }),
      };
    }
    if (shape.k !== "a") return shape;
    const elem = constraint.element ? this.constrain(shape.elem, constraint.element) : shape.elem;
    if (constraint.ranges.some((range) => range === null)) return { ...shape, elem };
    const dims = constraint.ranges.map((range) => this.bounds(range!));
    if (dims.some((each) => each === null)) {
      this.dynamic.set(elem, constraint);
      return { ...shape, elem, dims: null, range: constraint.ranges[0], ranges: constraint.ranges } as ArrayShape & {
        range: BoundRange;
      };
    }
    return this.sized({ ...shape, elem, dims: dims as Bounds[] }, constraint.ranges[0]!.loc);
  }
  private readonly dynamic = new WeakMap<Shape, Constraint>();

  /** The shape; one that no memory should hold is told, and is a small one from then on: nothing is made of it. */
  sized(shape: ArrayShape, loc: Loc): ArrayShape {
    if (wordsOf(shape) <= mostWords) return shape;
    const count = shape.dims!.reduce((product, { n }) => product * n, 1);
    this.error(
      "large-array",
      loc,
      `This array has ${count} elements${isPacked(shape) ? "" : ` of ${wordsOf(shape.elem)} ${wordsOf(shape.elem) === 1 ? "value" : "values"} each`}: more than can be held.`,
      `Check its bounds: all of an array may take ${mostWords} values, or ${16 * mostWords} bits.`,
    );
    return { ...shape, dims: shape.dims!.map((each) => ({ ...each, n: 0 })) };
  }

  /** A value computed once, for a bound that is looked at often. */
  hoist(val: Val): string {
    if (isSimple(val.js)) return val.js;
    const name = this.temp();
    this.hoisted.push(`${name}=${val.js};`);
    return name;
  }
  /** Statements that must come before the one that is being written. */
  hoisted: string[] = [];

  shapeOfText(shape: Shape, name?: string): string {
    return shapeText(shape, name);
  }
}

const nameTables = new WeakMap<EnumType, readonly string[]>();
/** Names of an enumeration's values, as 'image gives them. */
export function enumNames(type: EnumType): readonly string[] {
  let list = nameTables.get(type);
  if (!list) {
    list = type.literals.map((each) => each.name);
    nameTables.set(type, list);
  }
  return list;
}

const isPacked = (shape: ArrayShape): boolean => shape.pack !== null;

function isDynamic(shape: Shape): boolean {
  if (shape.k === "a") return "range" in shape || isDynamic(shape.elem);
  if (shape.k === "r") return shape.fields.some(isDynamic);
  return shape.k === "s" && (typeof shape.lo === "string" || typeof shape.hi === "string");
}
/** The range of an array shape that only the run knows. */
export function dynamicRange(shape: Shape): BoundRange | null {
  return shape.k === "a" && "range" in shape ? (shape as ArrayShape & { range: BoundRange }).range : null;
}
/** The same of every dimension. */
export function dynamicRanges(shape: Shape): readonly BoundRange[] | null {
  return shape.k === "a" && "ranges" in shape ? (shape as ArrayShape & { ranges: readonly BoundRange[] }).ranges : null;
}
export { Codes };
