import { type Code, js as code, joined, rendered } from "../../../common/code-pieces.ts";
import { compileGenerated, quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { Report } from "../../report.ts";
import type { Decl, PackageDecl, Subprogram } from "../bound.ts";
import type { EnumType, VType } from "../types.ts";
import type { Frame, JsFunction, Place } from "../values/frames.ts";
import type { ArrayShape, Shape } from "../values/shapes.ts";
import type { Sig } from "../values/signals.ts";
import { Arr, Codes } from "../values/values.ts";
import type { World } from "../world.ts";
import { type Assignments, directAssignments } from "./assignments.ts";
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
    readonly assigns: Assignments = directAssignments,
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
  repeated = 0;
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

  /** A value computed once, for a bound that is looked at often. */
  hoist(val: Val): string {
    if (isSimple(val.js)) return val.js;
    const name = this.temp();
    this.hoisted.push(`${name}=${val.js};`);
    return name;
  }
  /** Statements that must come before the one that is being written. */
  hoisted: string[] = [];
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

export { Codes };
