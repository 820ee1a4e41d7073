import { type Code, js as code } from "../../../common/code-pieces.ts";
import { quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { BoundDecl, Expr, ParamDecl, Stmt, Subprogram, VariableDecl } from "../bound.ts";
import { predefinedCode } from "../predefined/functions.ts";
import type { ProtectedType, VType } from "../types.ts";
import { Frame, type JsFunction } from "../values/frames.ts";
import { type ArrayShape, dynamicRange, type Shape, shapeKey } from "../values/shapes.ts";
import type { Sig } from "../values/signals.ts";
import { Codes } from "../values/values.ts";
import type { Callee, Val } from "./emit-base.ts";
import type { LVal, Ref } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** What a subprogram's code needs to know while it is written. */
interface SubContext {
  readonly sub: Subprogram;
  readonly callee: Callee;
  readonly outs: readonly { readonly js: string; readonly index: number }[];
  carried: boolean;
  /** Shapes of results seen so far. */
  results: Shape[];
  asked: boolean;
  readonly params: ReadonlySet<string>;
}

/** Subprograms that are being written, one within the other. */
let depth = 0;

/** Subprograms, protected types and declarations as code. */
export class EmitSubprograms {
  constructor(private readonly host: UnitEmitter) {}

  private readonly local = new Map<Subprogram, Map<string, Callee>>();
  readonly contexts: SubContext[] = [];
  private readonly constantsOf = new Map<ProtectedType, readonly VariableDecl[]>();

  // ---- subprograms ----------------------------------------------------------------------------------------------

  call(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc, on: Expr | undefined): Val {
    if (sub.native !== null && !sub.body) {
      const edge = this.edge(sub, args, loc);
      if (edge) return edge;
      const vals = sub.params.map((param, i) => {
        const expr = args[i] ?? sub.defaults[i];
        const formal = this.paramShape(param);
        return expr ? this.fitParam(this.host.exprs.expr(expr, formal), formal, loc) : this.host.known(0, formal);
      });
      const made = predefinedCode(this.host, sub, vals, loc);
      if (made) return made.shape.k === "s" && sub.result ? this.narrowed(made, sub) : made;
      this.host.error(
        "library",
        loc,
        `'${sub.name}' of ${sub.home?.name} cannot be computed here.`,
        "Use another function.",
      );
      return this.host.known(0, this.host.shapes.plainShape(sub.result!.type));
    }
    const made = this.invoke(sub, args, loc, on);
    const { callee } = made;
    const js = loc.file >= 0 && sub.loc.file < 0 ? `(E.from=${this.host.at(loc)},${made.js})` : made.js;
    return { js, shape: callee.result ?? this.openResult(callee, sub), fresh: true };
  }
  /** The result's range is known to be kept: natural is not checked again. */
  private narrowed(val: Val, sub: Subprogram): Val {
    const shape = this.host.shapes.shape(sub.result!);
    return shape.k === "s" && shape.lo !== null && val.lo === undefined
      ? { ...val, lo: shape.lo as number, hi: shape.hi as number }
      : val;
  }
  private openResult(_callee: Callee, sub: Subprogram): Shape {
    const context = this.contexts.findLast((each) => each.callee === _callee);
    if (context) context.asked = true;
    return this.host.shapes.plainShape(sub.result!.type);
  }

  /** rising_edge and falling_edge: no value is made for the signal. */
  private edge(sub: Subprogram, args: readonly (Expr | null)[], _loc: Loc): Val | null {
    if ((sub.name !== "rising_edge" && sub.name !== "falling_edge") || !args[0]) return null;
    const found = this.host.elements.refOf(args[0]);
    if (!found) return null;
    const ref = found.part ? this.host.attributes.partSignal(found) : found;
    const rising = sub.name === "rising_edge";
    const logic = sub.home?.name === "std_logic_1164";
    const once = ref.sig;
    this.host.attributes.observe(found.tree);
    if (!logic) return this.host.boolean(`${once}.ev===E.d&&${once}.v===${rising ? 1 : 0}`);
    const bit = this.host.rt("BIT");
    return this.host.boolean(
      `${once}.ev===E.d&&${bit}[${once}.v]===${rising ? 1 : 0}&&${bit}[${once}.last]===${rising ? 0 : 1}`,
    );
  }

  private paramShape(param: ParamDecl): Shape {
    return this.host.shapes.shape(param.subtype);
  }
  private fitParam(val: Val, formal: Shape, loc: Loc): Val {
    if (formal.k === "a" && formal.dims === null && !dynamicRange(formal)) return val;
    if (formal.k === "r") return val;
    return this.host.repr.fit(val, formal, loc);
  }

  /** The call as code. Results of procedures are in `R.o`. */
  invoke(
    sub: Subprogram,
    args: readonly (Expr | null)[],
    loc: Loc,
    on: Expr | undefined,
  ): {
    js: string;
    callee: Callee;
    outs: { param: ParamDecl; lval: LVal; index: number; arg: Expr }[];
    before: string[];
  } {
    const list: string[] = [];
    const shapes: (Shape | null)[] = [];
    const before: string[] = [];
    const outs: { param: ParamDecl; lval: LVal; index: number; arg: Expr }[] = [];
    // a method of the object whose method this is
    const isMethod = on !== undefined || sub.ownerType !== undefined;
    if (isMethod) list.push(on ? this.host.exprs.expr(on).js : "self");
    const home = this.host.frame.homeOf(sub) ?? this.host.program.root;
    sub.params.forEach((param, i) => {
      const given = args[i];
      const expr = given ?? sub.defaults[i];
      if (param.kind === "signal") {
        const found = expr && this.host.elements.refOf(expr);
        if (!found) {
          this.host.error("actual", expr?.loc ?? loc, `Parameter '${param.name}' needs a signal.`, "Give a signal.");
          list.push("null");
          shapes.push(null);
          return;
        }
        const drives = param.mode !== "in";
        const ref = this.signalArg(found, drives, loc);
        list.push(ref.sig);
        if (drives) list.push(ref.drv);
        shapes.push(ref.shape);
        return;
      }
      if (param.kind === "file") {
        list.push(expr ? this.host.exprs.expr(expr).js : "null");
        shapes.push(null);
        return;
      }
      if (param.kind === "variable" && param.mode !== "in") {
        const inner = expr!.op === "convert" ? expr!.arg : expr!;
        const lval = this.host.exprs.lval(inner, before);
        const formal = this.host.within(home, () => this.host.shapes.shape(param.subtype));
        const fixed = formal.k === "a" && (formal.dims !== null || dynamicRange(formal) !== null);
        const shape: Shape = fixed || formal.k === "s" || formal.k === "o" ? formal : lval.shape;
        outs.push({ param, lval, index: outs.length, arg: expr! });
        // what only comes out begins with its default, but arrays bring their bounds
        if (param.mode === "out" && (shape.k === "s" || shape.k === "o")) list.push("undefined");
        else list.push(this.host.repr.fit({ js: lval.read, shape: lval.shape, fresh: true }, shape, loc).js);
        shapes.push(shape);
        return;
      }
      const formal = this.host.within(home, () => this.host.shapes.shape(param.subtype));
      const val = given
        ? this.host.exprs.expr(given, formal)
        : this.host.within(home, () => this.host.exprs.expr(expr!, formal));
      const narrow = this.fitParam(val, formal, expr!.loc.file >= 0 ? expr!.loc : loc);
      // recursion over ever new lengths goes on with lengths that only the run knows
      const fitted = depth > 40 && formal.k === "a" && formal.dims === null ? this.host.repr.carry(narrow) : narrow;
      list.push(fitted.js);
      shapes.push(fitted.shape.k === "s" ? formal : fitted.shape);
    });
    const callee = this.callee(sub, shapes, isMethod);
    const name = callee.holder ? `${this.host.cap(callee.holder)}.f` : callee.name;
    const js = `${callee.generator ? "(yield* " : ""}${name}(${list.join(",")})${callee.generator ? ")" : ""}`;
    return { js, callee, outs, before };
  }

  private signalArg(found: Ref, drives: boolean, loc: Loc): { sig: string; drv: string; shape: Shape } {
    this.host.attributes.observe(found.tree);
    if (!found.part) return { sig: found.sig, drv: drives ? found.drv() : "null", shape: found.shape };
    const ref = this.host.attributes.partSignal(found);
    if (
      ref === found ||
      !found.tree ||
      Array.isArray(found.tree) ||
      found.part.loKnown === null ||
      found.part.nKnown === null
    ) {
      this.host.error(
        "actual",
        loc,
        "A part of a signal that only the run knows cannot be a signal parameter.",
        "Use constant indexes, or the whole signal.",
      );
      return { sig: found.sig, drv: "null", shape: found.part.shape };
    }
    const drv = drives
      ? this.host.cap(
          this.host.partDriver(
            found.tree,
            ref.tree as Sig,
            found.part.loKnown,
            found.part.nKnown,
            found.part.bit,
            found.shape,
          ),
        )
      : "null";
    return { sig: ref.sig, drv, shape: found.part.shape };
  }

  suspends(sub: Subprogram): boolean {
    const { suspending } = this.host.program;
    const known = suspending.get(sub);
    if (known !== undefined) return known;
    suspending.set(sub, false);
    const some = sub.body ? sub.body.stmts.some((stmt) => this.waits(stmt)) : false;
    suspending.set(sub, some);
    return some;
  }
  waits(stmt: Stmt): boolean {
    switch (stmt.op) {
      case "wait":
        return true;
      case "call":
        return this.suspends(stmt.sub);
      case "if":
        return stmt.yes.some((each) => this.waits(each)) || (stmt.no?.some((each) => this.waits(each)) ?? false);
      case "case":
        return stmt.branches.some((branch) => branch.body.some((each) => this.waits(each)));
      case "while":
      case "for":
      case "block":
        return stmt.body.some((each) => this.waits(each));
      default:
        return false;
    }
  }

  /** Code of a subprogram for parameters of these shapes. */
  private callee(sub: Subprogram, shapes: readonly (Shape | null)[], isMethod: boolean): Callee {
    const key = shapes.map((shape) => (shape ? shapeKey(shape) : "-")).join(";");
    const home = this.host.frame.homeOf(sub);
    const isShared = home === null || home === this.host.program.root;
    // of a package: written once for all; else once for each function that holds its surroundings
    const owner = isShared || isMethod ? null : (home.fn ?? this.host.top);
    const table = isShared && !isMethod ? this.host.program.functions : this.local;
    let map = table.get(sub);
    if (!map) {
      map = new Map();
      table.set(sub, map);
    }
    const fullKey = owner && owner !== this.host.top ? `${key}@${this.numberOf(owner)}` : key;
    this.host.repeated++;
    const known = map.get(fullKey);
    if (known?.open) known.recursive = true;
    if (known) return known;
    if (!sub.body) {
      this.host.error("no-body", sub.loc, `'${sub.name}' has no body.`, "Write one.");
      const none: Callee = {
        holder: null,
        name: "(()=>0)",
        result: sub.result ? this.host.shapes.plainShape(sub.result.type) : null,
        generator: false,
        open: false,
      };
      map.set(fullKey, none);
      return none;
    }
    const generator = this.suspends(sub);
    if (isShared && !isMethod) {
      const callee: Callee = { holder: { f: null }, name: "", result: this.fixedResult(sub), generator, open: true };
      map.set(fullKey, callee);
      const emitter = this.host.another(this.host.program.root);
      const { params, body } = emitter.subprograms.writeSub(sub, shapes, callee, this.host.program.root, isMethod);
      callee.holder!.f = emitter.link(
        code`return function${generator ? "*" : ""} (${params}){${counted(callee)}${body}};`,
      ) as Callee["holder"] extends infer H ? (H extends { f: infer F } ? F : never) : never;
      callee.open = false;
      return callee;
    }
    const callee: Callee = {
      holder: null,
      name: this.host.fresh("f"),
      result: this.fixedResult(sub),
      generator,
      open: true,
    };
    map.set(fullKey, callee);
    const { params, body } = this.writeSub(sub, shapes, callee, home ?? this.host.program.root, isMethod);
    (owner ?? this.host.top).inner.push(
      code`function${generator ? "*" : ""} ${callee.name}(${params}){${counted(callee)}${body}}`,
    );
    callee.open = false;
    return callee;
  }
  private readonly fnNumbers = new Map<JsFunction, number>();
  private numberOf(fn: JsFunction): number {
    let number = this.fnNumbers.get(fn);
    if (number === undefined) {
      number = this.fnNumbers.size;
      this.fnNumbers.set(fn, number);
    }
    return number;
  }

  private fixedResult(sub: Subprogram): Shape | null {
    if (!sub.result) return null;
    const shape = this.host.within(this.host.frame.homeOf(sub) ?? this.host.program.root, () =>
      this.host.shapes.shape(sub.result!),
    );
    if (shape.k === "a") return shape.dims ? shape : null;
    return shape;
  }

  writeSub(
    sub: Subprogram,
    shapes: readonly (Shape | null)[],
    callee: Callee,
    home: Frame,
    isMethod: boolean,
  ): { params: string; body: Code } {
    depth++;
    try {
      return this.writeBody(sub, shapes, callee, home, isMethod);
    } finally {
      depth--;
    }
  }

  private writeBody(
    sub: Subprogram,
    shapes: readonly (Shape | null)[],
    callee: Callee,
    home: Frame,
    isMethod: boolean,
  ): { params: string; body: Code } {
    let carried = false;
    for (let attempt = 0; ; attempt++) {
      const fn: JsFunction = { inner: [], temps: [], generator: callee.generator };
      const frame = new Frame(isMethod ? this.protectedFrame(sub, home, fn) : home, fn, [...home.path, sub.name]);
      const outer = { fn: this.host.fn, frame: this.host.frame, hoisted: this.host.hoisted };
      this.host.fn = fn;
      this.host.frame = frame;
      this.host.hoisted = [];
      const names: string[] = isMethod ? ["self"] : [];
      const outs: { js: string; index: number }[] = [];
      const start: string[] = [];
      const own = new Set<string>();
      sub.body!.params.forEach((param, i) => {
        const js = this.host.fresh("p");
        const shape = shapes[i];
        names.push(js);
        own.add(js);
        if (param.kind === "signal") {
          const drv = param.mode !== "in" ? this.host.fresh("d") : null;
          if (drv) names.push(drv);
          frame.places.set(param, {
            k: "sigparam",
            sig: js,
            drv,
            shape: shape ?? this.host.shapes.plainShape(param.subtype.type),
          });
          return;
        }
        if (param.kind === "file") {
          frame.places.set(param, { k: "var", js, shape: this.host.shapes.plainShape(param.subtype.type) });
          return;
        }
        const placed = plain(shape!);
        frame.places.set(param, { k: "var", js, shape: placed });
        if (param.kind === "variable" && param.mode !== "in") {
          outs.push({ js, index: outs.length });
          if (param.mode === "out" && (placed.k === "s" || placed.k === "o"))
            start.push(`${js}=${this.host.repr.defaultValue(placed).js};`);
        }
      });
      const context: SubContext = { sub, callee, outs, carried, results: [], asked: false, params: own };
      this.contexts.push(context);
      const decls = this.declare(sub.body!.decls, frame);
      const stmts = this.host.statements.stmts(sub.body!.stmts);
      this.contexts.pop();
      const end = sub.isFunction
        ? `R.fail(${quoted(`Function '${sub.name}' came to its end without a return`)},${this.host.at(sub.loc)});`
        : this.giveBack(context);
      const body = this.host.wrap(fn, code`${start.join("")}${decls}${stmts}${end}`);
      this.host.fn = outer.fn;
      this.host.frame = outer.frame;
      this.host.hoisted = outer.hoisted;
      if (sub.isFunction && callee.result === null) {
        const [first] = context.results;
        const agree =
          first !== undefined &&
          !context.asked &&
          context.results.every((shape) => shapeKey(shape) === shapeKey(first));
        if (!agree && !carried && attempt === 0) {
          carried = true;
          callee.result = null;
          continue;
        }
        callee.result =
          carried || !first
            ? ({ ...this.host.shapes.plainShape(sub.result!.type), dims: null } as Shape)
            : plain(first);
      }
      return { params: names.join(","), body };
    }
  }

  giveBack(context: SubContext): string {
    return context.outs.map(({ js, index }) => `R.o[${index}]=${js};`).join("");
  }

  // ---- protected types ------------------------------------------------------------------------------------------

  private protectedVariables(type: ProtectedType): readonly VariableDecl[] {
    let list = this.constantsOf.get(type);
    if (!list) {
      list = (type.body?.decls ?? []).filter((decl): decl is VariableDecl => decl.kind === "variable");
      this.constantsOf.set(type, list);
    }
    return list;
  }
  private protectedFrame(sub: Subprogram, home: Frame, fn: JsFunction): Frame {
    const frame = new Frame(home, fn);
    const type = sub.ownerType as ProtectedType;
    const before = this.host.frame;
    this.host.frame = frame;
    this.protectedVariables(type).forEach((decl, i) => {
      frame.places.set(decl, { k: "var", js: `self[${i}]`, shape: plain(this.host.shapes.shape(decl.subtype)) });
    });
    for (const decl of type.body?.decls ?? [])
      if (decl.kind === "constant" && decl.init) {
        const val = this.host.exprs.expr(decl.init, this.host.shapes.shape(decl.subtype));
        if (val.cv !== undefined) frame.places.set(decl, { k: "const", v: val.cv, shape: val.shape });
      }
    this.host.frame = before;
    return frame;
  }
  protectedObject(type: VType): Val {
    const list = this.protectedVariables(type as ProtectedType).map((decl) => {
      const shape = this.host.shapes.shape(decl.subtype);
      return this.host.repr.kept(
        decl.init
          ? this.host.repr.fit(this.host.exprs.expr(decl.init, shape), shape, decl.loc)
          : this.host.repr.defaultValue(shape),
      );
    });
    return { js: `[${list.join(",")}]`, shape: { k: "o", type }, fresh: true };
  }

  // ---- declarations ---------------------------------------------------------------------------------------------

  /** Declarations of a process or subprogram, as statements. */
  declare(decls: readonly BoundDecl[], frame: Frame): string {
    const lines: string[] = [];
    for (const decl of decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of decls) {
      const line = this.declareOne(decl, frame);
      lines.push(...this.host.hoisted, line);
      this.host.hoisted = [];
    }
    return lines.join("");
  }

  private declareOne(decl: BoundDecl, frame: Frame): string {
    switch (decl.kind) {
      case "constant": {
        if (!decl.init) return "";
        const shape = this.host.shapes.shape(decl.subtype);
        const val = this.host.repr.fit(this.host.exprs.expr(decl.init, shape), shape, decl.init.loc);
        if (val.cv !== undefined && (typeof val.cv !== "object" || val.cv instanceof Codes)) {
          frame.places.set(decl, { k: "const", v: val.cv, shape: val.shape });
          return "";
        }
        const js = this.host.fresh("k");
        frame.places.set(decl, { k: "var", js, shape: plain(val.shape) });
        return `let ${js}=${this.host.repr.kept(val)};`;
      }
      case "variable": {
        const shape = this.host.shapes.shape(decl.subtype);
        const js = this.host.fresh("v");
        const val = decl.init
          ? this.host.repr.fit(this.host.exprs.expr(decl.init, shape), shape, decl.init.loc)
          : this.host.repr.defaultValue(shape);
        frame.places.set(decl, {
          k: "var",
          js,
          shape: plain(shape.k === "a" && !shape.dims && !dynamicRange(shape) ? val.shape : shape),
        });
        return `let ${js}=${this.host.repr.kept(val)};`;
      }
      case "file": {
        const js = this.host.fresh("v");
        frame.places.set(decl, { k: "var", js, shape: this.host.shapes.plainShape(decl.subtype.type) });
        const open = decl.path
          ? `${this.host.rt("fileOpenOrFail")}(${js},${this.host.plainText(this.host.exprs.expr(decl.path))},${decl.mode ? this.host.exprs.expr(decl.mode).js : 0},${this.host.at(decl.loc)});`
          : "";
        return `let ${js}=${this.host.rt("file")}();${open}`;
      }
      case "alias":
        frame.places.set(decl, { k: "alias", frame });
        return "";
      case "package":
        return this.declare(decl.decls, frame);
      default:
        return "";
    }
  }
}

/** Without a range that the run would compute again: the value brings its own. */
export function plain(shape: Shape): Shape {
  if (shape.k !== "a" || !("range" in shape || "sliceLeft" in shape)) return shape;
  const { k, type, pack, dims, elem } = shape as ArrayShape;
  return { k, type, pack, dims, elem };
}

const counted = ({ recursive }: Callee): string => (recursive ? "E.tick();" : "");
