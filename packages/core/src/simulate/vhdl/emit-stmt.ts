import type { Loc } from "../../common/source.ts";
import type {
  BoundChoice,
  BoundDecl,
  Expr,
  ParamDecl,
  Stmt,
  Subprogram,
  VariableDecl,
} from "../../elaborate/vhdl/bound.ts";
import type { ProtectedType, VType } from "../../elaborate/vhdl/types.ts";
import type { Callee, Val } from "./emit-base.ts";
import { dynamicRange, enumNames } from "./emit-base.ts";
import { EmitExpr, isList, type LVal, type Ref, wrapped } from "./emit-expr.ts";
import type { Sig, SigTree } from "./engine.ts";
import { leavesOf } from "./engine.ts";
import { Frame, type JsFunction } from "./frames.ts";
import { nativeFunction } from "./natives.ts";
import { type ArrayShape, highOf, lowOf, type Shape, shapeKey } from "./shapes.ts";
import { type Bits, Codes } from "./values.ts";

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

/** Statements and subprograms as code. */
export abstract class EmitStmt extends EmitExpr {
  private readonly local = new Map<Subprogram, Map<string, Callee>>();
  private readonly contexts: SubContext[] = [];
  private readonly constantsOf = new Map<ProtectedType, readonly VariableDecl[]>();

  // ---- subprograms ----------------------------------------------------------------------------------------------

  override call(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc, on: Expr | undefined): Val {
    if (sub.native !== null && !sub.body) {
      const edge = this.edge(sub, args, loc);
      if (edge) return edge;
      const vals = sub.params.map((param, i) => {
        const expr = args[i] ?? sub.defaults[i];
        const formal = this.paramShape(param);
        return expr ? this.fitParam(this.expr(expr, formal), formal, loc) : this.known(0, formal);
      });
      const made = nativeFunction(this, sub, vals, loc);
      if (made) return made.shape.k === "s" && sub.result ? this.narrowed(made, sub) : made;
      this.error(
        "library",
        loc,
        `'${sub.name}' of ${sub.home?.name} cannot be computed here.`,
        "Use another function.",
      );
      return this.known(0, this.plainShape(sub.result!.type));
    }
    const { js, callee } = this.invoke(sub, args, loc, on);
    return { js, shape: callee.result ?? this.openResult(callee, sub), fresh: true };
  }
  /** The result's range is known to be kept: natural is not checked again. */
  private narrowed(val: Val, sub: Subprogram): Val {
    const shape = this.shape(sub.result!);
    return shape.k === "s" && shape.lo !== null && val.lo === undefined
      ? { ...val, lo: shape.lo as number, hi: shape.hi as number }
      : val;
  }
  private openResult(_callee: Callee, sub: Subprogram): Shape {
    const context = this.contexts.findLast((each) => each.callee === _callee);
    if (context) context.asked = true;
    return this.plainShape(sub.result!.type);
  }

  /** rising_edge and falling_edge: no value is made for the signal. */
  private edge(sub: Subprogram, args: readonly (Expr | null)[], _loc: Loc): Val | null {
    if ((sub.name !== "rising_edge" && sub.name !== "falling_edge") || !args[0]) return null;
    const found = this.refOf(args[0]);
    if (!found) return null;
    const ref = found.part ? this.partSignal(found) : found;
    const rising = sub.name === "rising_edge";
    const logic = sub.home?.name === "std_logic_1164";
    const once = ref.sig;
    this.observe(found.tree);
    if (!logic) return this.boolean(`${once}.ev===E.d&&${once}.v===${rising ? 1 : 0}`);
    const bit = this.rt("BIT");
    return this.boolean(
      `${once}.ev===E.d&&${bit}[${once}.v]===${rising ? 1 : 0}&&${bit}[${once}.last]===${rising ? 0 : 1}`,
    );
  }

  private paramShape(param: ParamDecl): Shape {
    return this.shape(param.subtype);
  }
  private fitParam(val: Val, formal: Shape, loc: Loc): Val {
    if (formal.k === "a" && formal.dims === null && !dynamicRange(formal)) return val;
    if (formal.k === "r") return val;
    return this.fit(val, formal, loc);
  }

  /** The call as code. Results of procedures are in `R.o`. */
  private invoke(
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
    if (on) list.push(this.expr(on).js);
    const home = this.frame.homeOf(sub) ?? this.program.root;
    sub.params.forEach((param, i) => {
      const given = args[i];
      const expr = given ?? sub.defaults[i];
      if (param.kind === "signal") {
        const found = expr && this.refOf(expr);
        if (!found) {
          this.error("actual", expr?.loc ?? loc, `Parameter '${param.name}' needs a signal.`, "Give a signal.");
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
        list.push(expr ? this.expr(expr).js : "null");
        shapes.push(null);
        return;
      }
      if (param.kind === "variable" && param.mode !== "in") {
        const inner = expr!.op === "convert" ? expr!.arg : expr!;
        const lval = this.lval(inner, before);
        const formal = this.within(home, () => this.shape(param.subtype));
        const fixed = formal.k === "a" && (formal.dims !== null || dynamicRange(formal) !== null);
        const shape: Shape = fixed || formal.k === "s" || formal.k === "o" ? formal : lval.shape;
        outs.push({ param, lval, index: outs.length, arg: expr! });
        // what only comes out begins with its default, but arrays bring their bounds
        if (param.mode === "out" && (shape.k === "s" || shape.k === "o")) list.push("undefined");
        else list.push(this.fit({ js: lval.read, shape: lval.shape, fresh: true }, shape, loc).js);
        shapes.push(shape);
        return;
      }
      const formal = this.within(home, () => this.shape(param.subtype));
      const val = given ? this.expr(given, formal) : this.within(home, () => this.expr(expr!, formal));
      const narrow = this.fitParam(val, formal, expr!.loc.file >= 0 ? expr!.loc : loc);
      // recursion over ever new lengths goes on with lengths that only the run knows
      const fitted = depth > 40 && formal.k === "a" && formal.dims === null ? this.carry(narrow) : narrow;
      list.push(fitted.js);
      shapes.push(fitted.shape.k === "s" ? formal : fitted.shape);
    });
    const callee = this.callee(sub, shapes, on !== undefined);
    const name = callee.holder ? `${this.cap(callee.holder)}.f` : callee.name;
    const js = `${callee.generator ? "(yield* " : ""}${name}(${list.join(",")})${callee.generator ? ")" : ""}`;
    return { js, callee, outs, before };
  }

  private signalArg(found: Ref, drives: boolean, loc: Loc): { sig: string; drv: string; shape: Shape } {
    this.observe(found.tree);
    if (!found.part) return { sig: found.sig, drv: drives ? found.drv() : "null", shape: found.shape };
    const ref = this.partSignal(found);
    if (
      ref === found ||
      !found.tree ||
      Array.isArray(found.tree) ||
      found.part.loKnown === null ||
      found.part.nKnown === null
    ) {
      this.error(
        "actual",
        loc,
        "A part of a signal that only the run knows cannot be a signal parameter.",
        "Use constant indexes, or the whole signal.",
      );
      return { sig: found.sig, drv: "null", shape: found.part.shape };
    }
    const drv = drives
      ? this.cap(
          this.partDriver(
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
  abstract partDriver(of: Sig, part: Sig, lo: number, n: number, bit: boolean, whole: Shape): unknown;

  suspends(sub: Subprogram): boolean {
    const { suspending } = this.program;
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
    const home = this.frame.homeOf(sub);
    const isShared = home === null || home === this.program.root;
    // of a package: written once for all; else once for each function that holds its surroundings
    const owner = isShared || isMethod ? null : (home.fn ?? this.top);
    const table = isShared && !isMethod ? this.program.functions : this.local;
    let map = table.get(sub);
    if (!map) {
      map = new Map();
      table.set(sub, map);
    }
    const fullKey = owner && owner !== this.top ? `${key}@${this.numberOf(owner)}` : key;
    const known = map.get(fullKey);
    if (known) return known;
    if (!sub.body) {
      this.error("no-body", sub.loc, `'${sub.name}' has no body.`, "Write one.");
      const none: Callee = {
        holder: null,
        name: "(()=>0)",
        result: sub.result ? this.plainShape(sub.result.type) : null,
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
      const emitter = this.another(this.program.root);
      const { params, body } = emitter.writeSub(sub, shapes, callee, this.program.root, isMethod);
      callee.holder!.f = emitter.link(
        `return function${generator ? "*" : ""} (${params}){${body}};`,
      ) as Callee["holder"] extends infer H ? (H extends { f: infer F } ? F : never) : never;
      callee.open = false;
      return callee;
    }
    const callee: Callee = {
      holder: null,
      name: this.fresh("f"),
      result: this.fixedResult(sub),
      generator,
      open: true,
    };
    map.set(fullKey, callee);
    const { params, body } = this.writeSub(sub, shapes, callee, home ?? this.program.root, isMethod);
    (owner ?? this.top).inner.push(`function${generator ? "*" : ""} ${callee.name}(${params}){${body}}`);
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
  abstract another(frame: Frame): EmitStmt;

  private fixedResult(sub: Subprogram): Shape | null {
    if (!sub.result) return null;
    const shape = this.within(this.frame.homeOf(sub) ?? this.program.root, () => this.shape(sub.result!));
    if (shape.k === "a") return shape.dims ? shape : null;
    return shape;
  }

  private writeSub(
    sub: Subprogram,
    shapes: readonly (Shape | null)[],
    callee: Callee,
    home: Frame,
    isMethod: boolean,
  ): { params: string; body: string } {
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
  ): { params: string; body: string } {
    let carried = false;
    for (let attempt = 0; ; attempt++) {
      const fn: JsFunction = { inner: [], temps: [], generator: callee.generator };
      const frame = new Frame(isMethod ? this.protectedFrame(sub, home, fn) : home, fn, [...home.path, sub.name]);
      const outer = { fn: this.fn, frame: this.frame, hoisted: this.hoisted };
      this.fn = fn;
      this.frame = frame;
      this.hoisted = [];
      const names: string[] = isMethod ? ["self"] : [];
      const outs: { js: string; index: number }[] = [];
      const start: string[] = [];
      const own = new Set<string>();
      sub.body!.params.forEach((param, i) => {
        const js = this.fresh("p");
        const shape = shapes[i];
        names.push(js);
        own.add(js);
        if (param.kind === "signal") {
          const drv = param.mode !== "in" ? this.fresh("d") : null;
          if (drv) names.push(drv);
          frame.places.set(param, { k: "sigparam", sig: js, drv, shape: shape ?? this.plainShape(param.subtype.type) });
          return;
        }
        if (param.kind === "file") {
          frame.places.set(param, { k: "var", js, shape: this.plainShape(param.subtype.type) });
          return;
        }
        const placed = plain(shape!);
        frame.places.set(param, { k: "var", js, shape: placed });
        if (param.kind === "variable" && param.mode !== "in") {
          outs.push({ js, index: outs.length });
          if (param.mode === "out" && (placed.k === "s" || placed.k === "o"))
            start.push(`${js}=${this.defaultValue(placed).js};`);
        }
      });
      const context: SubContext = { sub, callee, outs, carried, results: [], asked: false, params: own };
      this.contexts.push(context);
      const decls = this.declare(sub.body!.decls, frame);
      const stmts = this.stmts(sub.body!.stmts);
      this.contexts.pop();
      const end = sub.isFunction
        ? `R.fail(${JSON.stringify(`Function '${sub.name}' came to its end without a return`)},${this.at(sub.loc)});`
        : this.giveBack(context);
      const body = this.wrap(fn, `${start.join("")}${decls}${stmts}${end}`);
      this.fn = outer.fn;
      this.frame = outer.frame;
      this.hoisted = outer.hoisted;
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
          carried || !first ? ({ ...this.plainShape(sub.result!.type), dims: null } as Shape) : plain(first);
      }
      return { params: names.join(","), body };
    }
  }

  private giveBack(context: SubContext): string {
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
    const before = this.frame;
    this.frame = frame;
    this.protectedVariables(type).forEach((decl, i) => {
      frame.places.set(decl, { k: "var", js: `self[${i}]`, shape: plain(this.shape(decl.subtype)) });
    });
    for (const decl of type.body?.decls ?? [])
      if (decl.kind === "constant" && decl.init) {
        const val = this.expr(decl.init, this.shape(decl.subtype));
        if (val.cv !== undefined) frame.places.set(decl, { k: "const", v: val.cv, shape: val.shape });
      }
    this.frame = before;
    return frame;
  }
  override protectedObject(type: VType): Val {
    const list = this.protectedVariables(type as ProtectedType).map((decl) => {
      const shape = this.shape(decl.subtype);
      return this.kept(decl.init ? this.fit(this.expr(decl.init, shape), shape, decl.loc) : this.defaultValue(shape));
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
      lines.push(...this.hoisted, line);
      this.hoisted = [];
    }
    return lines.join("");
  }

  private declareOne(decl: BoundDecl, frame: Frame): string {
    switch (decl.kind) {
      case "constant": {
        if (!decl.init) return "";
        const shape = this.shape(decl.subtype);
        const val = this.fit(this.expr(decl.init, shape), shape, decl.init.loc);
        if (val.cv !== undefined && (typeof val.cv !== "object" || val.cv instanceof Codes)) {
          frame.places.set(decl, { k: "const", v: val.cv, shape: val.shape });
          return "";
        }
        const js = this.fresh("k");
        frame.places.set(decl, { k: "var", js, shape: plain(val.shape) });
        return `let ${js}=${this.kept(val)};`;
      }
      case "variable": {
        const shape = this.shape(decl.subtype);
        const js = this.fresh("v");
        const val = decl.init ? this.fit(this.expr(decl.init, shape), shape, decl.init.loc) : this.defaultValue(shape);
        frame.places.set(decl, {
          k: "var",
          js,
          shape: plain(shape.k === "a" && !shape.dims && !dynamicRange(shape) ? val.shape : shape),
        });
        return `let ${js}=${this.kept(val)};`;
      }
      case "file": {
        const js = this.fresh("v");
        frame.places.set(decl, { k: "var", js, shape: this.plainShape(decl.subtype.type) });
        const open = decl.path
          ? `${this.rt("fileOpenOrFail")}(${js},${this.plainText(this.expr(decl.path))},${decl.mode ? this.expr(decl.mode).js : 0},${this.at(decl.loc)});`
          : "";
        return `let ${js}=${this.rt("file")}();${open}`;
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

  // ---- statements -----------------------------------------------------------------------------------------------

  /** The statement just written always leaves the subprogram: what follows is never reached, nor written. */
  private left = false;

  stmts(list: readonly Stmt[]): string {
    let text = "";
    this.left = false;
    for (const stmt of list) {
      const line = this.stmt(stmt);
      const isExit: boolean = stmt.op === "return" || ((stmt.op === "if" || stmt.op === "block") && this.left);
      this.left = isExit;
      if (this.hoisted.length) {
        text += this.hoisted.join("");
        this.hoisted = [];
      }
      text += line;
      text += "\n";
      if (isExit) break;
    }
    return text;
  }

  private stmt(stmt: Stmt): string {
    switch (stmt.op) {
      case "null":
        return "";
      case "block":
        return this.stmts(stmt.body);
      case "assign":
        return this.assign(stmt.target, stmt.value, stmt.loc);
      case "signal":
        return this.signalAssign(stmt);
      case "if": {
        const test = this.expr(stmt.test);
        const head = this.flush();
        if (typeof test.cv === "number") {
          // the other branch is looked at for its mistakes only if it could ever run
          if (test.cv === 1) return `${head}{${this.stmts(stmt.yes)}}`;
          this.left = false;
          return stmt.no ? `${head}{${this.stmts(stmt.no)}}` : head;
        }
        const yes = this.stmts(stmt.yes);
        const yesLeft = this.left;
        this.left = false;
        const no = stmt.no ? `else{${this.stmts(stmt.no)}}` : "";
        this.left = this.left && yesLeft;
        return `${head}if(${this.test(test)}){${yes}}${no}`;
      }
      case "case":
        return this.caseStmt(stmt);
      case "while": {
        if (stmt.test) {
          const test = this.expr(stmt.test);
          const head = this.flush();
          const body = this.stmts(stmt.body);
          const check = this.test(test);
          return head
            ? `${stmt.label}:for(;;){${head}if(!(${check}))break;E.tick();${body}}`
            : `${stmt.label}:while(${check}){E.tick();${body}}`;
        }
        return `${stmt.label}:for(;;){E.tick();${this.stmts(stmt.body)}}`;
      }
      case "for":
        return this.forStmt(stmt);
      case "exit":
      case "next": {
        const word = `${stmt.op === "exit" ? "break" : "continue"} ${stmt.label};`;
        if (!stmt.test) return word;
        const test = this.test(this.expr(stmt.test));
        return `${this.flush()}if(${test})${word}`;
      }
      case "return":
        return this.returnStmt(stmt.value, stmt.loc);
      case "wait":
        return this.waitStmt(stmt);
      case "assert":
        return this.assertStmt(stmt);
      case "call":
        return this.callStmt(stmt);
      case "builtin":
        return this.ownCall(stmt.name, stmt.args, stmt.loc);
    }
  }
  private flush(): string {
    const text = this.hoisted.join("");
    this.hoisted = [];
    return text;
  }

  private assign(target: Expr, value: Expr, loc: Loc): string {
    if (target.op === "aggregate")
      return this.spread(target, value, loc, (part, val) => this.store(part, val, value.loc));
    const before: string[] = [];
    const lval = this.lval(target, before);
    const val = this.expr(value, lval.shape);
    return before.join("") + this.storeTo(lval, val, value.loc);
  }
  private store(target: Expr, val: Val, loc: Loc): string {
    const before: string[] = [];
    const lval = this.lval(target, before);
    return before.join("") + this.storeTo(lval, val, loc);
  }
  private storeTo(lval: LVal, val: Val, loc: Loc): string {
    const { shape } = lval;
    if (shape.k === "a" && shape.dims === null) {
      const carried = this.carry(val);
      return lval.write(`${this.rt("assignArr")}(${lval.read},${this.kept(carried)},${this.at(loc)})`);
    }
    return lval.write(this.kept(this.fit(val, shape, loc)));
  }

  /** `(a, b) := value`: part by part, from left to right. */
  private spread(
    target: Expr & { op: "aggregate" },
    value: Expr,
    loc: Loc,
    put: (target: Expr, val: Val) => string,
  ): string {
    const whole = this.expr(value);
    const name = this.temp();
    let text = `${name}=${this.payload(whole)};`;
    const { shape } = whole;
    if (shape.k === "r") {
      for (const { choice, value: part } of target.elements)
        if (choice.kind === "field")
          text += put(part, { js: `${name}[${choice.field}]`, shape: shape.fields[choice.field] });
      return text;
    }
    if (shape.k !== "a") return text;
    const total = this.lengthOf(whole).n;
    let at = 0;
    for (const { choice, value: part, isStretch } of target.elements) {
      const own = this.refOf(part) ?? null;
      const partShape = own ? (own.part ? own.part.shape : own.shape) : this.lval(part, []).shape;
      const n =
        (isStretch || part.type === target.type) && partShape.k === "a" && partShape.dims ? partShape.dims[0].n : 1;
      const isArray = part.type === target.type;
      let k = at;
      if (choice.kind === "value") {
        const index = this.expr(choice.value);
        if (typeof index.cv === "number" && shape.dims)
          k = shape.dims[0].d ? shape.dims[0].l - index.cv : index.cv - shape.dims[0].l;
      }
      const size = total ?? 0;
      let js: string;
      if (shape.pack === "char") js = isArray ? `${name}.slice(${k},${k + n})` : `${name}.charCodeAt(${k})`;
      else if (shape.pack)
        js = isArray
          ? `${this.rt("sliceL")}(${name},${size - k - n},${n})`
          : `${this.rt(shape.pack === "bit" ? "getB" : "getL")}(${name},${size - 1 - k})`;
      else js = isArray ? `${name}.slice(${k},${k + n})` : `${name}[${k}]`;
      text += put(part, { js, shape: isArray ? { ...shape, dims: [{ l: 0, d: 0, n }] } : shape.elem });
      at += n;
    }
    if (total !== null && at !== total && target.elements.every((each) => each.choice.kind === "position"))
      this.error(
        "width",
        loc,
        `The parts on the left have ${at} elements, the value ${total}.`,
        "Make them as long as each other.",
      );
    return text;
  }

  private signalAssign(stmt: Stmt & { op: "signal" }): string {
    const { target, waveform, transport, loc } = stmt;
    if (stmt.force) {
      this.program.forces = true;
      const ref = this.refOf(target);
      if (!ref) return "";
      if (stmt.force === "release") return `E.release(${ref.sig});`;
      const val = this.fit(this.expr(waveform.elements[0].value!, ref.shape), ref.shape, loc);
      return `E.force(${ref.sig},${val.js});`;
    }
    if (waveform.elements.length === 0) {
      return "";
    }
    if (target.op === "aggregate") {
      const [first] = waveform.elements;
      if (!first.value) return "";
      return this.spread(target, first.value, loc, (part, val) =>
        this.drive(part, [{ val, after: first.after, value: first.value! }], transport, stmt.reject, loc),
      );
    }
    const ref = this.refOf(target);
    const shape = ref ? (ref.part ? ref.part.shape : ref.shape) : undefined;
    return this.drive(
      target,
      waveform.elements.map(({ value, after }) => ({ val: value ? this.expr(value, shape) : null, after, value })),
      transport,
      stmt.reject,
      loc,
    );
  }

  private drive(
    target: Expr,
    elements: readonly { readonly val: Val | null; readonly after: Expr | null; readonly value: Expr | null }[],
    transport: boolean,
    reject: Expr | null,
    loc: Loc,
  ): string {
    const ref = this.refOf(target);
    if (!ref) {
      this.error("target", loc, "This is no signal.", "Assign a signal.");
      return "";
    }
    const { part } = ref;
    const shape = part ? part.shape : ref.shape;
    const driver = ref.tree && part ? this.cap(this.driver(ref.tree, part.loKnown, part.nKnown)) : ref.drv();
    const isTree = !part && this.isTree(ref.shape, ref.tree);
    const two = part?.bit === true && ref.shape.k === "a" && ref.shape.pack === "bit";
    const texts = elements.map(({ val, after, value }, i) => {
      const off = val === null;
      let js = "0";
      let bits = part?.n ?? "0";
      if (val) {
        const fitted = shape.k === "a" && shape.dims === null ? val : this.fit(val, shape, value?.loc ?? loc);
        js =
          shape.k === "a" && shape.dims === null
            ? part
              ? `${this.rt("need")}(${this.carry(val).js},${bits},${this.at(loc)})`
              : this.payload(val)
            : fitted.js;
        if (two) js = `${wrapped(js)}+2`;
        else if (isList(shape) && !isTree) js = this.kept(fitted);
        bits = part?.n ?? "0";
      }
      const delay = after ? this.expr(after) : null;
      const isNow = delay === null || delay.cv === 0;
      if (i === 0 && elements.length === 1 && isNow && !off && !transport) {
        if (isTree) return this.assignTree(driver, js);
        if (!part) return this.assignWhole(driver, js);
        return part.bit ? this.assignBit(driver, part.lo, js) : this.assignSlice(driver, part.lo, js, bits);
      }
      const time = delay ? `${this.rt("delay")}(${delay.js},${this.at(after!.loc)})` : "0";
      const once = this.once(delay && typeof delay.cv === "number" && delay.cv >= 0 ? delay.js : time);
      const limit = i > 0 || transport ? "-1" : reject ? this.expr(reject).js : once.again;
      if (isTree) return `E.afterTree(${driver},${js},${once.first},${limit},${off});`;
      if (!part && !off) return `E.afterWhole(${driver},${js},${once.first},${limit});`;
      if (!part) return `E.after(${driver},${js},${once.first},${limit},0,0,false,${off});`;
      return `E.after(${driver},${js},${once.first},${limit},${part.lo},${bits},${part.bit},${off});`;
    });
    return texts.join("");
  }

  /** Assignments without delay. @param driver Code of the driver, or of the tree of drivers. */
  assignTree(driver: string, js: string): string {
    return `E.asTree(${driver},${js});`;
  }
  assignWhole(driver: string, js: string): string {
    return `E.as(${driver},${js});`;
  }
  assignBit(driver: string, lo: string, js: string): string {
    return `E.asBit(${driver},${lo},${js});`;
  }
  assignSlice(driver: string, lo: string, js: string, bits: string): string {
    return `E.asSlice(${driver},${lo},${js},${bits});`;
  }

  private forStmt(stmt: Stmt & { op: "for" }): string {
    const range = this.rangeVal(stmt.range);
    const head = this.flush();
    const name = this.fresh("i");
    const { l, r, d } = range;
    const known = typeof l.cv === "number" && typeof r.cv === "number" && range.dynamicDir === undefined;
    const shape: Shape = known
      ? {
          k: "s",
          type: stmt.param.subtype.type,
          lo: Math.min(l.cv as number, r.cv as number),
          hi: Math.max(l.cv as number, r.cv as number),
        }
      : this.loopShape(stmt.param.subtype.type, l, r);
    const frame = new Frame(this.frame, this.fn);
    frame.places.set(stmt.param, { k: "var", js: name, shape });
    const body = this.within(frame, () => this.stmts(stmt.body));
    // the parameter keeps its value for each turn, whatever is done with it within
    if (range.dynamicDir !== undefined) {
      const end = this.temp();
      const step = this.temp();
      return `${head}${name}$:{let ${name}=${l.js};${end}=${r.js};${step}=${range.dynamicDir}?-1:1;{const e=${end},s=${step};${stmt.label}:for(;s>0?${name}<=e:${name}>=e;${name}+=s){${body}}}}`;
    }
    const end = typeof r.cv === "number" ? this.constant(r.cv) : "e";
    const start = typeof r.cv === "number" ? "" : `const e=${r.js};`;
    return `${head}{${start}${stmt.label}:for(let ${name}=${l.js};${name}${d ? ">=" : "<="}${end};${name}${d ? "--" : "++"}){${body}}}`;
  }
  private loopShape(type: VType, l: Val, r: Val): Shape {
    const lows = [l.lo ?? (typeof l.cv === "number" ? l.cv : null), r.lo ?? (typeof r.cv === "number" ? r.cv : null)];
    const highs = [l.hi ?? (typeof l.cv === "number" ? l.cv : null), r.hi ?? (typeof r.cv === "number" ? r.cv : null)];
    if (lows.includes(null) || highs.includes(null)) return { k: "s", type, lo: null, hi: null };
    return { k: "s", type, lo: Math.min(...(lows as number[])), hi: Math.max(...(highs as number[])) };
  }

  private returnStmt(value: Expr | null, loc: Loc): string {
    const context = this.contexts[this.contexts.length - 1];
    if (!value || !context) return `${context ? this.giveBack(context) : ""}return;`;
    const { sub, callee } = context;
    const shape = this.shape(sub.result!);
    if (shape.k === "a" && shape.dims === null && callee.result === null) {
      const val = this.expr(value, shape);
      const own = val.cv !== undefined && isList(val.shape) ? { ...val, fresh: false } : val;
      const made = context.carried ? this.carry(own) : own;
      context.results.push(plain(val.shape));
      return `return ${this.returned(made, context)};`;
    }
    const target = callee.result ?? shape;
    const val = this.fit(this.expr(value, target), target, loc);
    return `return ${this.returned(val, context)};`;
  }
  /** Locals are the caller's from now on; parameters and what is outside are copied. */
  private returned(val: Val, _context: SubContext): string {
    return /^v\d+$/.test(val.js) ? val.js : this.kept(val);
  }

  private assertStmt(stmt: Stmt & { op: "assert" }): string {
    const severity = stmt.severity ? this.expr(stmt.severity).js : stmt.test ? "2" : "0";
    const message = stmt.message ? this.plainText(this.expr(stmt.message, this.stringShape)) : '"Assertion violation."';
    const call = `${this.rt("report")}(${severity},${message},${this.at(stmt.loc)});`;
    if (!stmt.test) return `${this.flush()}${call}`;
    const test = this.expr(stmt.test);
    const head = this.flush();
    if (typeof test.cv === "number") return test.cv === 1 ? "" : head + call;
    return `${head}if(!(${this.test(test)})){${call}}`;
  }

  // ---- case -----------------------------------------------------------------------------------------------------

  private caseStmt(stmt: Stmt & { op: "case" }): string {
    const subject = this.expr(stmt.subject);
    const head = this.flush();
    const own = this.onceVal(subject);
    const name = this.temp();
    const { shape } = subject;
    if (typeof subject.cv === "number" && shape.k === "s" && !stmt.matching) {
      // known now: only the branch that is taken is written
      for (const branch of stmt.branches)
        for (const choice of branch.choices) {
          if (choice.kind === "others") return `{${this.stmts(branch.body)}}`;
          if (choice.kind === "value") {
            const v = this.expr(choice.value!).cv;
            if (v === subject.cv) return `{${this.stmts(branch.body)}}`;
            if (v === undefined) break;
          } else {
            const b = this.bounds(choice.range!);
            if (b && subject.cv >= lowOf(b) && subject.cv <= highOf(b)) return `{${this.stmts(branch.body)}}`;
          }
        }
    }
    this.checkChoices(stmt, subject);
    const tests = stmt.branches.map((branch) =>
      branch.choices.map((choice) => this.choiceTest(choice, name, subject, stmt.matching)),
    );
    let fallback = "";
    if (tests.every((list) => list.every((each) => each.label !== null || each.others))) {
      let text = "";
      stmt.branches.forEach((branch, i) => {
        const body = this.stmts(branch.body);
        const labels = tests[i].filter((each) => !each.others).map((each) => `case ${each.label}:`);
        if (tests[i].some((each) => each.others)) labels.push("default:");
        text += `${labels.join("")}{${body}break;}`;
      });
      // `break` within a switch leaves the switch alone: loops are left by their labels
      return `${head}switch(${own.first}){${text}}`;
    }
    let text = "";
    stmt.branches.forEach((branch, i) => {
      const body = this.stmts(branch.body);
      if (tests[i].some((each) => each.others)) {
        fallback = body;
        return;
      }
      text += `${text ? "else " : ""}if(${tests[i].map((each) => each.test).join("||")}){${body}}`;
    });
    return `${head}${name}=${own.first};${text}${fallback ? (text ? `else{${fallback}}` : fallback) : ""}`;
  }

  private choiceTest(
    choice: BoundChoice,
    name: string,
    subject: Val,
    matching: boolean,
  ): { label: string | null; test: string; others: boolean } {
    if (choice.kind === "others") return { label: null, test: "true", others: true };
    if (choice.kind === "range") {
      const range = this.rangeVal(choice.range!);
      const { l, r, d } = range;
      const [lo, hi] = d ? [r.js, l.js] : [l.js, r.js];
      return { label: null, test: `${name}>=${lo}&&${name}<=${hi}`, others: false };
    }
    const { shape } = subject;
    const val = this.expr(choice.value!, shape);
    if (
      shape.k === "a" &&
      shape.dims &&
      val.shape.k === "a" &&
      val.shape.dims &&
      val.shape.dims[0].n !== shape.dims[0].n
    ) {
      this.widthError(val.shape, shape, choice.loc);
      return { label: null, test: "false", others: false };
    }
    const js = this.payload(val);
    if (matching && shape.k === "a" && shape.pack === "logic") {
      const size = this.lengthOf(subject);
      const known = val.cv as Bits | undefined;
      if (known !== undefined && !(known instanceof Codes))
        return { label: null, test: `${this.rt("matchEqL")}(${name},${js},${size.js})===3`, others: false };
      return { label: null, test: `${this.rt("matchEqL")}(${name},${js},${size.js})===3`, others: false };
    }
    if (matching && shape.k === "s" && shape.type.kind === "enum" && shape.type.packing === "logic")
      return { label: null, test: `${this.rt("matchEq")}(${name},${js})===3`, others: false };
    const isPlain = typeof val.cv === "number" || typeof val.cv === "string" || typeof val.cv === "bigint";
    if (isPlain && (shape.k === "s" || (shape.k === "a" && shape.pack)))
      return { label: js, test: `${name}===${js}`, others: false };
    return { label: null, test: `${this.rt("same")}(${name},${js})`, others: false };
  }

  /** Each value once, and every value (10.9). Enumerations have been looked at before. */
  private checkChoices(stmt: Stmt & { op: "case" }, subject: Val): void {
    const { shape } = subject;
    const hasOthers = stmt.branches.some((branch) => branch.choices.some((choice) => choice.kind === "others"));
    const seen = new Map<string, Loc>();
    const head = this.headOf(stmt.loc);
    let covered = 0;
    for (const branch of stmt.branches)
      for (const choice of branch.choices) {
        if (choice.kind === "others") continue;
        if (choice.kind === "range") {
          const b = this.bounds(choice.range!);
          if (!b) {
            this.error("choice", choice.loc, "A choice must be known before the run.", "Use constants.");
            continue;
          }
          covered += b.n;
          continue;
        }
        const val = this.expr(choice.value!, shape);
        if (val.cv === undefined) {
          this.error(
            "choice",
            choice.loc,
            `'${this.text(choice.loc)}' is not known before the run.`,
            "Use constants as choices, or 'if'.",
          );
          continue;
        }
        const key = val.cv instanceof Codes ? [...val.cv.c].join() : String(val.cv);
        if (seen.has(key) && !stmt.matching)
          this.error(
            "duplicate-choice",
            choice.loc,
            `The choice '${this.text(choice.loc)}' stands in two branches.`,
            "Take one of them out.",
          );
        seen.set(key, choice.loc);
        covered++;
      }
    if (hasOthers || stmt.matching) return;
    let needed: number | null = null;
    if (shape.k === "s" && shape.type.kind === "int") {
      const { lo, hi } = this.limits(shape);
      if (typeof lo === "number" && typeof hi === "number") needed = hi - lo + 1;
    } else if (shape.k === "a" && shape.pack && shape.pack !== "char" && shape.dims)
      needed = (shape.pack === "bit" ? 2 : 9) ** shape.dims[0].n;
    else if (shape.k === "a") needed = Number.POSITIVE_INFINITY;
    if (needed !== null && covered < needed)
      this.error(
        "missing-choice",
        head,
        shape.k === "a"
          ? `${covered} of the ${needed > 1e6 ? "many" : needed} values of '${this.text(stmt.subject.loc)}' have a branch${shape.pack === "logic" ? ", 'X', 'Z' and the others of std_logic counted" : ""}.`
          : `Not every value of '${this.text(stmt.subject.loc)}' has a branch.`,
        "Add 'when others => ...'.",
      );
  }
  headOf(loc: Loc): Loc {
    if (loc.file < 0) return loc;
    const text = this.program.report.sources.text(loc);
    const end = text.search(/[\r\n]/);
    return end < 0 ? loc : { ...loc, end: loc.start + end };
  }

  // ---- waiting --------------------------------------------------------------------------------------------------

  private waitStmt(stmt: Stmt & { op: "wait" }): string {
    const edge = stmt.until && !stmt.delay && !stmt.on ? this.plainEdge(stmt.until) : null;
    if (edge) return `E.parkEdge(E.currentProcess,${edge.sig},${edge.rising});yield;`;
    const delay = stmt.delay ? `${this.rt("delay")}(${this.expr(stmt.delay).js},${this.at(stmt.delay.loc)})` : "-1";
    const signals = stmt.on ?? (stmt.until ? this.readsOf(stmt.until) : []);
    const list = this.sigList(signals);
    const head = this.flush();
    if (stmt.on === null && !stmt.until && !stmt.delay) return `${head}E.park(E.currentProcess,[],-1);for(;;)yield;`;
    if (!stmt.until) return `${head}E.park(E.currentProcess,${list},${delay});yield;`;
    const test = this.test(this.expr(stmt.until));
    const inner = this.flush();
    const name = this.fresh("w");
    return `${head}{const ${name}=${list},q=E.currentProcess;E.park(q,${name},${delay});for(;;){yield;${inner}if(q.timedOut||${test})break;E.repark(q,${name});}}`;
  }

  /** `rising_edge(clk)` or its like alone, of a whole signal. */
  private plainEdge(e: Expr): { sig: string; rising: 0 | 1 } | null {
    if (e.op !== "call" || !e.sub.native || e.sub.home?.name !== "std_logic_1164" || !e.args[0]) return null;
    if (e.sub.name !== "rising_edge" && e.sub.name !== "falling_edge") return null;
    const ref = this.refOf(e.args[0]);
    if (!ref || ref.part) return null;
    this.observe(ref.tree);
    return { sig: ref.sig, rising: e.sub.name === "rising_edge" ? 1 : 0 };
  }

  /** Leaves of signals as code of a list. */
  private sigList(exprs: readonly Expr[]): string {
    const known: Sig[] = [];
    const others: string[] = [];
    for (const expr of exprs) {
      const found = this.refOf(expr);
      if (!found) continue;
      const ref = found.part ? this.partSignal(found) : found;
      if (ref.tree) known.push(...leavesOf(ref.tree));
      else others.push(ref.sig);
    }
    if (others.length === 0) return this.cap([...new Set(known)]);
    return `[${[...(known.length ? [`...${this.cap(known)}`] : []), ...others.map((js) => `...${this.rt("leavesOf")}(${js})`)].join(",")}]`;
  }

  /** Signals that an expression reads, by their longest part that is known (10.2). */
  readsOf(expr: Expr, list: Expr[] = []): Expr[] {
    const prefix = this.prefixOf(expr);
    if (prefix) {
      list.push(prefix.known);
      for (const index of prefix.indexes) this.readsOf(index, list);
      return list;
    }
    switch (expr.op) {
      case "index":
        this.readsOf(expr.of, list);
        for (const index of expr.indexes) this.readsOf(index, list);
        break;
      case "slice":
      case "field":
      case "deref":
        this.readsOf(expr.of, list);
        if (expr.op === "slice" && expr.range.kind === "bounds") {
          this.readsOf(expr.range.left, list);
          this.readsOf(expr.range.right, list);
        }
        break;
      case "call":
        for (const arg of expr.args) if (arg) this.readsOf(arg, list);
        break;
      case "builtin":
        for (const arg of expr.args) this.readsOf(arg, list);
        break;
      case "attribute":
        // of arrays no value is read, of signals their state
        if (expr.of && !/^(left|right|high|low|range|reverse_range|length|ascending)$/.test(expr.name))
          this.readsOf(expr.of, list);
        if (expr.arg) this.readsOf(expr.arg, list);
        break;
      case "aggregate":
        for (const { choice, value } of expr.elements) {
          if (choice.kind === "value") this.readsOf(choice.value, list);
          this.readsOf(value, list);
        }
        break;
      case "convert":
      case "qualified":
        this.readsOf(expr.arg, list);
        break;
      case "object":
        if (expr.decl.kind === "alias")
          this.within(this.aliasFrame(expr.decl) ?? this.frame, () =>
            this.readsOf((expr.decl as { of: Expr }).of, list),
          );
        break;
      default:
        break;
    }
    return list;
  }
  private aliasFrame(decl: Expr extends never ? never : Parameters<EmitStmt["find"]>[0]): Frame | null {
    const place = this.find(decl);
    return place?.k === "alias" ? place.frame : null;
  }

  /** The longest part of a signal's name that is known before the run, with the indexes that are not. */
  private prefixOf(expr: Expr): { known: Expr; indexes: Expr[] } | null {
    switch (expr.op) {
      case "object": {
        const place = this.find(expr.decl);
        if (place?.k === "sig" || place?.k === "sigparam") return { known: expr, indexes: [] };
        if (expr.decl.kind === "alias" && place?.k === "alias")
          return this.within(place.frame, () => this.refOf(expr)) ? { known: expr, indexes: [] } : null;
        return null;
      }
      case "attribute":
        return /^(delayed|stable|quiet|transaction)$/.test(expr.name) && expr.of && this.prefixOf(expr.of)
          ? { known: expr, indexes: [] }
          : null;
      case "external":
        return expr.object === "signal" ? { known: expr, indexes: [] } : null;
      case "field": {
        const of = this.prefixOf(expr.of);
        return of && (of.known === expr.of ? { known: expr, indexes: of.indexes } : of);
      }
      case "index": {
        const of = this.prefixOf(expr.of);
        if (!of) return null;
        if (of.known !== expr.of) return { ...of, indexes: [...of.indexes, ...expr.indexes] };
        const fixed = expr.indexes.every((index) => this.expr(index).cv !== undefined);
        return fixed
          ? { known: expr, indexes: of.indexes }
          : { known: expr.of, indexes: [...of.indexes, ...expr.indexes] };
      }
      case "slice": {
        const of = this.prefixOf(expr.of);
        if (!of) return null;
        const ends = expr.range.kind === "bounds" ? [expr.range.left, expr.range.right] : [];
        if (of.known !== expr.of) return { ...of, indexes: [...of.indexes, ...ends] };
        return this.bounds(expr.range)
          ? { known: expr, indexes: of.indexes }
          : { known: expr.of, indexes: [...of.indexes, ...ends] };
      }
      default:
        return null;
    }
  }

  /** Signals that statements read, through procedures and functions of the same region too. */
  readsOfStmts(stmts: readonly Stmt[], list: Expr[] = [], seen = new Set<Subprogram>()): Expr[] {
    const expr = (each: Expr | null) => {
      if (each) this.readsOf(each, list);
    };
    const target = (each: Expr) => {
      // indexes of what is assigned are read
      if (each.op === "index") {
        for (const index of each.indexes) expr(index);
        target(each.of);
      } else if (each.op === "slice") {
        if (each.range.kind === "bounds") {
          expr(each.range.left);
          expr(each.range.right);
        }
        target(each.of);
      } else if (each.op === "field") target(each.of);
      else if (each.op === "aggregate") for (const part of each.elements) target(part.value);
    };
    for (const stmt of stmts) {
      switch (stmt.op) {
        case "signal":
          target(stmt.target);
          for (const { value, after } of stmt.waveform.elements) {
            expr(value);
            expr(after);
          }
          break;
        case "assign":
          target(stmt.target);
          expr(stmt.value);
          break;
        case "if":
          expr(stmt.test);
          this.readsOfStmts(stmt.yes, list, seen);
          if (stmt.no) this.readsOfStmts(stmt.no, list, seen);
          break;
        case "case":
          expr(stmt.subject);
          for (const branch of stmt.branches) this.readsOfStmts(branch.body, list, seen);
          break;
        case "while":
          expr(stmt.test);
          this.readsOfStmts(stmt.body, list, seen);
          break;
        case "for": {
          if (stmt.range.kind === "bounds") {
            expr(stmt.range.left);
            expr(stmt.range.right);
          }
          const frame = new Frame(this.frame, this.fn);
          frame.places.set(stmt.param, { k: "var", js: "i", shape: this.plainShape(stmt.param.subtype.type) });
          this.within(frame, () => this.readsOfStmts(stmt.body, list, seen));
          break;
        }
        case "exit":
        case "next":
          expr(stmt.test);
          break;
        case "assert":
          expr(stmt.test);
          expr(stmt.message);
          break;
        case "call":
          stmt.args.forEach((arg, i) => {
            if (!arg) return;
            const param = stmt.sub.params[i];
            if (param.kind === "constant" || param.kind === "file" || param.mode !== "out") expr(arg);
            else target(arg);
          });
          if (stmt.sub.nested && stmt.sub.body && !seen.has(stmt.sub)) {
            seen.add(stmt.sub);
            this.readsOfStmts(stmt.sub.body.stmts, list, seen);
          }
          break;
        case "block":
          this.readsOfStmts(stmt.body, list, seen);
          break;
        default:
          break;
      }
    }
    return list;
  }

  // ---- procedures -----------------------------------------------------------------------------------------------

  private callStmt(stmt: Stmt & { op: "call" }): string {
    const { sub, args, loc } = stmt;
    if (sub.native !== null && !sub.body) return this.nativeCall(sub, args, loc);
    const { js, outs, before } = this.invoke(sub, args, loc, stmt.on);
    const head = this.flush();
    let text = `${before.join("")}${head}${js};`;
    // taken before any of them is stored: storing may call
    const names = outs.map(() => this.temp());
    outs.forEach((out, i) => {
      text += `${names[i]}=R.o[${out.index}];`;
    });
    outs.forEach(({ param, lval, arg }, i) => {
      const formal = this.shape(param.subtype);
      const shape: Shape =
        formal.k === "s" || formal.k === "o" || (formal.k === "a" && formal.dims) ? formal : lval.shape;
      const val: Val = { js: names[i], shape: plain(shape), fresh: true };
      text += this.storeTo(lval, val, arg.loc);
    });
    return text;
  }

  /** Procedures of the libraries. */
  private nativeCall(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc): string {
    const name = sub.native!.split(".").slice(1).join(".");
    const home = sub.native!.split(".")[0];
    const at = this.at(loc);
    const arg = (i: number): Val => {
      const expr = args[i] ?? sub.defaults[i]!;
      return this.expr(expr, this.shape(sub.params[i].subtype));
    };
    const before: string[] = [];
    const place = (i: number): LVal => this.lval(args[i]!, before);
    if (home === "env") {
      const status = args[0] ? `${this.expr(args[0]).js};` : "";
      return `${status}${this.rt(name === "stop" ? "stop" : "finish")}();`;
    }
    if (name === "uniform") {
      const places = [place(0), place(1), place(2)];
      const call = `${this.rt("uniform")}(${places[0].read},${places[1].read},${at});`;
      return `${before.join("")}${call}${places.map((each, i) => each.write(`R.o[${i}]`)).join("")}`;
    }
    if (name === "readline") {
      const line = place(1);
      return `${before.join("")}${this.rt("readLine")}(${arg(0).js},${at});${line.write("R.o[0]")}`;
    }
    if (name === "writeline" || name === "tee") {
      const line = place(1);
      return `${before.join("")}${this.rt(name === "tee" ? "tee" : "writeLine")}(${arg(0).js},${line.read},${at});${line.write("R.o[0]")}`;
    }
    const isWrite = /write$/.test(name);
    const line = place(0);
    const valueType = sub.params[1].subtype.type;
    if (isWrite) {
      const value = arg(1);
      const text = this.writtenText(sub, name, value, valueType, args);
      // `write(l, real, format)` has no field
      const hasField = sub.params.some((param) => param.name === "field");
      const side = hasField ? arg(2).js : "0";
      const field = hasField ? arg(3).js : "0";
      return `${before.join("")}${this.flush()}${this.rt("write")}(${line.read},${text},${side},${field});${line.write("R.o[0]")}`;
    }
    const value = place(1);
    if (name === "sread") {
      const length = place(2);
      const n = value.shape.k === "a" && value.shape.dims ? String(value.shape.dims[0].n) : `${value.read}.n`;
      const carried = value.shape.k === "a" && !value.shape.dims;
      return `${before.join("")}${this.rt("sread")}(${line.read},${n},${carried ? `${value.read}.p` : value.read});${line.write("R.o[0]")}${value.write(carried ? `${this.rt("arr")}(R.o[1],${value.read}.l,${value.read}.d,${value.read}.n)` : "R.o[1]")}${length.write("R.o[2]")}`;
    }
    const base = name.startsWith("h") ? "h" : name.startsWith("o") ? "o" : "b";
    const carried = value.shape.k === "a" && !value.shape.dims;
    const n = value.shape.k === "a" ? (value.shape.dims ? String(value.shape.dims[0].n) : `${value.read}.n`) : "1";
    let kind: string;
    if (valueType.kind === "array") {
      const pack = value.shape.k === "a" ? value.shape.pack : null;
      kind = pack === "char" ? "string" : `${base}${pack === "logic" ? "logic" : "bits"}`;
    } else kind = valueType.name;
    const names = valueType.kind === "enum" && kind === "boolean" ? this.cap(enumNames(valueType)) : "null";
    const fallback = carried ? `${value.read}.p` : value.read;
    const stored = value.write(
      carried ? `${this.rt("arr")}(R.o[1],${value.read}.l,${value.read}.d,${value.read}.n)` : "R.o[1]",
    );
    if (sub.params.length === 3) {
      const good = place(2);
      return `${before.join("")}${this.rt("read")}(${line.read},"${kind}",${n},${fallback},${names});${line.write("R.o[0]")}${stored}${good.write("R.o[2]")}`;
    }
    return `${before.join("")}${this.rt("readOrFail")}(${line.read},"${kind}",${n},${fallback},${names},${at});${line.write("R.o[0]")}${stored}`;
  }

  private writtenText(sub: Subprogram, name: string, value: Val, type: VType, args: readonly (Expr | null)[]): string {
    const own = this.onceVal(value);
    const isLogic = value.shape.k === "a" && value.shape.pack === "logic";
    if (/^[ho]write$/.test(name))
      return `${this.rt("digits")}(${own.first},${own.n},${isLogic},${name === "hwrite" ? 4 : 3})`;
    switch (type.kind) {
      case "array":
        if (value.shape.k === "a" && value.shape.pack === "char") return this.plainText(value);
        return `${this.rt("bitText")}(${own.first},${own.n},${isLogic})`;
      case "enum": {
        const names = enumNames(type).map((each) => (each.startsWith("'") ? each[1] : each.toUpperCase()));
        if (type.packing === "char") return `String.fromCharCode(${value.js})`;
        return `${this.cap(names)}[${value.js}]`;
      }
      case "physical": {
        const unit = args[4] ? this.expr(args[4]).js : this.expr(sub.defaults[4]!).js;
        return `${this.rt("timeText")}(${value.js},${unit})`;
      }
      case "real": {
        if (sub.params[2]?.name === "format")
          return `${this.rt("formatReal")}(${value.js},${this.plainText(this.expr(args[2]!))})`;
        return `${this.rt("fixed")}(${value.js},${args[4] ? this.expr(args[4]).js : "0"})`;
      }
      default:
        return `(""+${value.js})`;
    }
  }

  /** What every file and access type has of itself. */
  private ownCall(name: string, args: readonly Expr[], loc: Loc): string {
    const at = this.at(loc);
    const before: string[] = [];
    if (name === "deallocate") {
      const pointer = this.lval(args[0], before);
      return `${before.join("")}if(${pointer.read}!==null)${pointer.read}.gone=true;${pointer.write("null")}`;
    }
    const hasStatus = args[0].type.kind !== "file";
    const file = this.expr(args[hasStatus ? 1 : 0]);
    switch (name) {
      case "file_open": {
        const [path, kind] = args.slice(hasStatus ? 2 : 1);
        const text = this.plainText(this.expr(path));
        const mode = kind ? this.expr(kind).js : "0";
        if (!hasStatus) return `${this.rt("fileOpenOrFail")}(${file.js},${text},${mode},${at});`;
        const status = this.lval(args[0], before);
        return `${before.join("")}${status.write(`${this.rt("fileOpen")}(${file.js},${text},${mode})`)}`;
      }
      case "file_close":
        return `${this.rt("fileClose")}(${file.js});`;
      case "flush":
        return "";
      case "write": {
        const val = this.expr(args[1]);
        if (this.isText(args[0].type)) return `${this.rt("writeText")}(${file.js},${this.plainText(val)},${at});`;
        return `${this.rt("writeValue")}(${file.js},${val.js},${at});`;
      }
      default: {
        const target = this.lval(args[1], before);
        return `${before.join("")}${target.write(`${this.rt("readValue")}(${file.js},${at})`)}`;
      }
    }
  }
}

/** Without a range that the run would compute again: the value brings its own. */
export function plain(shape: Shape): Shape {
  if (shape.k !== "a" || !("range" in shape || "sliceLeft" in shape)) return shape;
  const { k, type, pack, dims, elem } = shape as ArrayShape;
  return { k, type, pack, dims, elem };
}
export type { SigTree };
