import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Signal } from "../../model.ts";
import type { BoundDecl, Decl, Expr, ParamDecl, Subprogram } from "../bound.ts";
import { Frame } from "../values/frames.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import { fromFourState } from "./border.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, NoCircuit, type Ref, Scope, type Val } from "./circuit-base.ts";
import { constant, either, fourStateOf, integerLimits, number, widthOf } from "./circuit-expr.ts";
import { isMoved, originOf } from "./circuit-moved.ts";
import { limitsOf } from "./circuit-operators.ts";
import { readsState } from "./circuit-scan.ts";
import type { Call } from "./circuit-stmt.ts";

/** Calls within calls. */
const mostCalls = 200;

/** Whether a position says all of a value: a logic level may also be unknown. */
function isNumbered(shape: Shape): boolean {
  if (shape.k !== "s") return false;
  return shape.type.kind === "int" || (shape.type.kind === "enum" && shape.type.packing !== "logic");
}

/** Subprograms written out where they are called. */
export class CircuitSubprograms {
  constructor(private readonly host: CircuitWriter) {}

  /** A variable, or what stands for one, of the writer's own. */
  bind(decl: Decl, signal: Signal, shape: Shape): void {
    this.host.scope.homes.set(decl, { k: "ref", ref: { k: "signal", signal, offset: 0, shape } });
    // for its bounds
    this.host.scope.frame.places.set(decl, { k: "var", js: "0", shape });
  }
  private bindRef(decl: Decl, ref: Ref): void {
    this.host.scope.homes.set(decl, { k: "ref", ref });
    this.host.scope.frame.places.set(decl, { k: "var", js: "0", shape: ref.shape });
  }
  /** A constant whose value the circuit knows here, or computes. */
  bindValue(decl: Decl, val: Val, loc: Loc): void {
    const { frame } = this.host.scope;
    const isMovedOne = isMoved(val);
    if (!isMovedOne && val.e.op === "const" && (val.e.value.b === 0n || val.sure)) {
      const v = this.host.operators.isInteger(val) ? knownOf(val) : fromFourState(val.e.value, val.shape);
      frame.places.set(decl, { k: "const", v, shape: val.shape });
      return;
    }
    if (val.e.width === 0 || (isMovedOne && val.e.op === "const")) {
      this.host.scope.homes.set(decl, { k: "value", val });
      frame.places.set(decl, { k: "var", js: "0", shape: val.shape });
      return;
    }
    const signal = this.host.local(decl.name, val.shape, loc);
    this.host.assigns.set(signal, this.host.assigns.fit(val, val.shape, loc).e, loc);
    this.bind(decl, signal, val.shape);
  }

  /** Declarations of a subprogram or process, but for a process's own variables. */
  declareAll(decls: readonly BoundDecl[], variable: (decl: BoundDecl & { kind: "variable" }) => void): void {
    const { frame } = this.host.scope;
    for (const decl of decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of decls) {
      if (decl.kind === "alias") {
        const ref = this.host.names.aliasRef(decl);
        this.bindRef(decl, ref);
      } else if (decl.kind === "constant" && decl.init) {
        const shape = this.host.known.shape(decl.subtype, decl.loc, true);
        if (this.host.known.isKnown(decl.init)) {
          const open = shape.k === "a" && shape.dims === null;
          const made = this.host.owner.values.evaluate(decl.init, open ? null : shape, frame);
          frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
          continue;
        }
        this.bindValue(
          decl,
          this.host.assigns.fit(this.host.values.expr(decl.init, shape), shape, decl.init.loc),
          decl.loc,
        );
      } else if (decl.kind === "variable") variable(decl);
      else if (decl.kind === "file") this.host.refuse(decl.loc, "A file");
    }
  }
  /** A variable of one call. */
  private declareVariable(decl: BoundDecl & { kind: "variable" }): void {
    const shape = this.host.known.shape(decl.subtype, decl.loc, true);
    const init = decl.init
      ? this.host.assigns.fit(this.host.values.expr(decl.init, shape), shape, decl.init.loc)
      : null;
    const own = shape.k === "a" && shape.dims === null && init ? init.shape : shape;
    if (own.k === "a" && own.dims === null) this.host.refuse(decl.loc, "An array whose length is not known");
    const width = widthOf(own);
    if (width === null) this.host.refuse(decl.loc, `A variable of type ${shapeText(own)}`);
    if (width === 0) {
      const e = number(0, 0, decl.loc);
      this.bindRef(decl, { k: "value", val: { e, shape: own }, shape: own });
      return;
    }
    const signal = this.host.local(decl.name, own, decl.loc);
    this.bind(decl, signal, own);
    // without a value given, it begins with the least of its type, as far as a circuit has that (6.4.2.4)
    const first = init?.e ?? this.firstOf(own, decl.loc);
    if (first) this.host.assigns.store({ k: "signal", signal, offset: 0, shape: own }, first, true, decl.loc);
  }
  /** What a variable holds before it is assigned; null for logic levels, which are unknown then. */
  private firstOf(shape: Shape, loc: Loc): ModelExpr | null {
    const { v } = this.host.owner.values.defaultOf(shape, this.host.scope.frame, loc);
    const value = fourStateOf(v, shape);
    const width = widthOf(shape) ?? 0;
    if (value.b === (1n << BigInt(width)) - 1n) return null;
    return constant(value, width, loc, shape.k === "s" && integerLimits(shape)[0] < 0);
  }

  invoke(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc): Val | null {
    if (!sub.body) return this.host.refuse(loc, `'${sub.name}'`);
    if (this.host.stmts.calls.length > mostCalls) {
      this.host.error(
        "recursion",
        loc,
        `'${sub.name}' calls itself without an end.`,
        "Give the recursion an end that lengths or constants decide.",
      );
      throw new NoCircuit();
    }
    const home = this.host.scope.frame.homeOf(sub) ?? this.host.owner.program.root;
    const outer = this.host.scope;
    const around = outer.of(home) ?? new Scope(null, home);
    const frame = new Frame(home, { inner: [], temps: [], generator: false });
    const inner = new Scope(around, frame);
    const locals = this.host.model.signals.length;
    const back: { ref: Ref; from: Signal; shape: Shape }[] = [];
    // formals, in the callee's scope, from actuals, in the caller's
    sub.body.params.forEach((param, i) => {
      this.host.scope = outer;
      const given = args[i];
      const expr = given ?? sub.defaults[i];
      if (param.kind === "file") return this.host.refuse(loc, "A file");
      if (!expr) return this.host.refuse(loc, `'${param.name}', which is left open,`);
      this.host.scope = inner;
      const formal = this.host.known.shape(param.subtype, param.loc, true);
      this.host.scope = given ? outer : inner;
      const back1 = this.parameter(param, expr, formal, inner, outer, loc);
      if (back1) back.push(back1);
    });
    const value = this.valueOfCall(sub, inner, loc);
    if (value) {
      this.host.scope = outer;
      return value;
    }
    this.host.scope = inner;
    const call: Call = {
      sub,
      back: this.host.stmts.jump("returned", sub.loc),
      result: {
        signal: null,
        shape: sub.result ? this.host.known.shape(sub.result, loc, true) : null,
        val: null,
        lo: Infinity,
        hi: -Infinity,
      },
      branches: this.host.stmts.branches,
    };
    this.host.stmts.calls.push(call);
    const loops = this.host.stmts.loops.splice(0);
    this.declareAll(sub.body.decls, (decl) => this.declareVariable(decl));
    this.host.stmts.stmts(sub.body.stmts);
    this.host.stmts.arrive(call.back);
    this.host.stmts.loops.push(...loops);
    this.host.stmts.calls.pop();
    this.host.scope = outer;
    for (const { ref, from, shape } of back) {
      const val = this.host.names.load({ k: "signal", signal: from, offset: 0, shape }, loc);
      this.host.stmts.give(ref, this.host.assigns.fit(val, ref.shape, loc), true, loc);
    }
    const { result } = call;
    let made: Val | null = null;
    if (sub.result) {
      if (result.val) made = result.val;
      else if (result.signal) {
        made = this.host.names.load({ k: "signal", signal: result.signal, offset: 0, shape: result.shape! }, loc);
        if (this.host.operators.isInteger(made) && made.cv === undefined)
          made = this.host.integers.limited(made.e, made.shape, result.lo, result.hi, loc);
      } else if (result.shape && widthOf(result.shape)) {
        // no way comes to a return: the simulation ends there
        made = { e: either(widthOf(result.shape)!, loc), shape: result.shape };
        this.host.stmts.alive = true;
      } else return this.host.refuse(loc, `'${sub.name}', which returns nothing here,`);
    }
    // what was the call's own is not looked at any more
    for (let i = locals; i < this.host.model.signals.length; i++) this.host.facts.forget(this.host.model.signals[i]);
    return made;
  }

  /** What a function gives whose arguments are all known: it is run, as at elaboration, whatever it is made of. */
  private valueOfCall(sub: Subprogram, inner: Scope, loc: Loc): Val | null {
    if (!sub.result || !sub.pure || !sub.body || readsState(sub) || inner.frame.parent?.fn) return null;
    const { params } = sub.body;
    if (!params.every((param) => inner.frame.places.get(param)?.k === "const")) return null;
    const args = params.map((decl): Expr => ({ op: "object", decl, type: decl.subtype.type, loc }));
    const made = this.host.owner.values.evaluate(
      { op: "call", sub, args, type: sub.result.type, loc },
      null,
      inner.frame,
    );
    return made.v instanceof Arr ? null : this.host.names.known(made.v, made.shape, loc);
  }

  private parameter(
    param: ParamDecl,
    expr: Expr,
    formal: Shape,
    inner: Scope,
    outer: Scope,
    loc: Loc,
  ): { ref: Ref; from: Signal; shape: Shape } | null {
    const isOpen = formal.k === "a" && formal.dims === null;
    if (param.kind === "signal" || (param.kind === "variable" && param.mode !== "in" && this.isWhole(expr, formal))) {
      const ref = this.host.names.ref(expr);
      const shape =
        formal.k === "a" && formal.dims && ref.shape.k === "a" ? { ...formal, elem: ref.shape.elem } : ref.shape;
      if (widthOf(shape) !== widthOf(ref.shape))
        this.host.assigns.fit({ e: number(0, widthOf(ref.shape) ?? 0, loc), shape: ref.shape }, shape, loc);
      this.host.scope = inner;
      this.bindRef(param, { ...ref, shape } as Ref);
      this.host.scope = outer;
      return null;
    }
    if (param.kind === "variable" && param.mode !== "in") {
      // copied in, and back at the end
      const ref = this.host.names.ref(expr);
      const shape = isOpen || formal.k === "r" ? ref.shape : formal;
      const width = widthOf(shape);
      if (!width) return this.host.refuse(loc, `'${param.name}' of type ${shapeText(shape)}`);
      const fixed = this.fixedRef(ref, loc);
      const before =
        param.mode === "inout" ? this.host.assigns.fit(this.host.names.load(fixed, loc), shape, expr.loc).e : null;
      this.host.scope = inner;
      const signal = this.host.local(param.name, shape, param.loc);
      this.bind(param, signal, shape);
      const first = before ?? this.firstOf(shape, loc);
      if (first) this.host.assigns.store({ k: "signal", signal, offset: 0, shape }, first, true, loc);
      this.host.scope = outer;
      return { ref: fixed, from: signal, shape };
    }
    if (this.host.known.isKnown(expr)) {
      const made = this.host.owner.values.evaluate(
        expr,
        isOpen || formal.k === "r" ? null : formal,
        this.host.scope.frame,
      );
      inner.frame.places.set(param, { k: "const", v: made.v, shape: made.shape });
      return null;
    }
    const val = this.host.values.expr(expr, isOpen ? undefined : formal);
    let shape: Shape = isOpen || formal.k === "r" ? val.shape : formal;
    if (shape.k === "s" && shape.type.kind === "int") {
      // no wider than the value, which says how often loops turn and what indexes there are
      const [lo, hi] = limitsOf(val);
      const [least, most] = [
        typeof shape.lo === "number" ? shape.lo : lo,
        typeof shape.hi === "number" ? shape.hi : hi,
      ];
      if (knownOf(val) === null && Math.max(lo, least) <= Math.min(hi, most))
        shape = { ...shape, lo: Math.max(lo, least), hi: Math.min(hi, most) };
    }
    const fitted = this.host.assigns.fit(val, shape, expr.loc);
    this.host.scope = inner;
    // a number or a position that this call knows is as good as one in the text
    const known = param.kind === "constant" && isNumbered(shape) ? knownOf(fitted) : null;
    if (known !== null && originOf(known) === null) {
      inner.frame.places.set(param, { k: "const", v: known, shape });
      this.host.scope = outer;
      return null;
    }
    if (param.kind === "variable") {
      const signal = this.host.local(param.name, shape, param.loc);
      this.bind(param, signal, shape);
      this.host.stmts.give({ k: "signal", signal, offset: 0, shape }, fitted, true, loc);
    } else this.bindValue(param, { ...fitted, shape }, param.loc);
    this.host.scope = outer;
    return null;
  }
  /** An array or record that is handed on as it is, without a copy. */
  private isWhole(expr: Expr, formal: Shape): boolean {
    return (formal.k === "a" || formal.k === "r") && expr.op === "object";
  }
  /** Computed indexes of a name keep what they are now. */
  private fixedRef(ref: Ref, loc: Loc): Ref {
    switch (ref.k) {
      case "element":
        return { ...ref, of: this.fixedRef(ref.of, loc), index: this.host.assigns.held(ref.index, "index", loc) };
      case "stretch": {
        const low = this.host.assigns.held({ e: ref.low, shape: ref.shape }, "offset", loc).e;
        return { ...ref, of: this.fixedRef(ref.of, loc), low };
      }
      case "part":
        return { ...ref, of: this.fixedRef(ref.of, loc) };
      default:
        return ref;
    }
  }

  returnStmt(value: Expr | null, loc: Loc): void {
    const call = this.host.stmts.calls[this.host.stmts.calls.length - 1];
    if (!call) return this.host.refuse(loc, "A return in this place");
    if (value && call.sub.result) {
      const { result } = call;
      const open = result.shape?.k === "a" && result.shape.dims === null;
      const val = this.host.values.expr(value, open ? undefined : (result.shape ?? undefined));
      const shape = open || result.shape?.k === "r" ? val.shape : (result.shape ?? val.shape);
      const fitted = this.host.assigns.fit(val, shape, value.loc);
      result.shape = shape;
      // the only way out: no variable is needed for the value
      if (this.host.stmts.branches === call.branches && call.back.ways.length === 0) {
        result.val =
          fitted.e.width === 0 ? fitted : this.host.assigns.held(fitted, call.sub.name.replaceAll('"', ""), loc);
        call.back.ways.push(this.host.facts);
        this.host.stmts.alive = false;
        return;
      }
      const [lo, hi] = this.host.operators.isInteger(fitted) ? limitsOf(fitted) : [0, 0];
      result.lo = Math.min(result.lo, lo);
      result.hi = Math.max(result.hi, hi);
      if (fitted.e.width > 0) {
        result.signal ??= this.host.local(call.sub.name.replaceAll('"', ""), shape, call.sub.loc);
        this.host.stmts.give({ k: "signal", signal: result.signal, offset: 0, shape }, fitted, true, loc);
      } else result.val = fitted;
    }
    this.host.stmts.leave(call.back, loc);
  }
}
