import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Stmt as ModelStmt, Signal } from "../../model.ts";
import type { BoundChoice, BoundDecl, Decl, Expr, ParamDecl, Stmt, Subprogram } from "../bound.ts";
import { Frame } from "../values/frames.ts";
import { lowOf, type Shape, shapeText } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import { fromFourState } from "./border.ts";
import { Facts, knownOf, mostTurns, NoCircuit, type Ref, Scope, type Val } from "./circuit-base.ts";
import { CircuitCall } from "./circuit-call.ts";
import {
  binary,
  constant,
  either,
  fourStateOf,
  integerLimits,
  not,
  number,
  numberOf,
  read,
  slice,
  widthOf,
} from "./circuit-expr.ts";
import { isMoved, originOf } from "./circuit-moved.ts";
import { limitsOf } from "./circuit-operators.ts";
import { mentions, readsState } from "./circuit-scan.ts";

/** Calls within calls. */
const mostCalls = 200;
/** Turns of one loop that only signals end. */
const mostOpenTurns = 1024;
/** Statements of one process, with loops and calls written out. */
const mostStatements = 1 << 22;

/** Where control goes that leaves a loop, a turn of it, or a subprogram. */
interface Jump {
  /** Bit that is set where control has gone there. */
  readonly mark: Signal;
  /** What is known on each of these ways. */
  readonly ways: Facts[];
}
interface Loop {
  readonly label: string;
  readonly exit: Jump;
  next: Jump;
}
interface Call {
  readonly sub: Subprogram;
  readonly back: Jump;
  readonly result: { signal: Signal | null; shape: Shape | null; val: Val | null; lo: number; hi: number };
  /** Branches that the call stands in: a return in no more of them always happens. */
  readonly branches: number;
}

/**
 * Sequential statements as a circuit: they are run once, on values that may be known or computed. Loops are written
 * out turn by turn, calls in their place; where control jumps depending on signals, what follows is done only if it did
 * not. Constants that variables hold are followed, so that they can count loops and choose elements.
 */
export abstract class CircuitStmt extends CircuitCall {
  /** False where no way leads: what follows is never done. */
  private alive = true;
  /** Marks that may be set here. */
  private open = new Set<Signal>();
  private readonly loops: Loop[] = [];
  private readonly calls: Call[] = [];
  private branches = 0;
  private statements = 0;

  protected override emit(stmt: ModelStmt): void {
    if (++this.statements > mostStatements) {
      this.error(
        "too-large",
        this.calls[0]?.sub.loc ?? this.model.top.loc,
        "Loops and calls of this process, written out, pass what a circuit can be made of.",
        "Check the bounds of its loops.",
      );
      throw new NoCircuit();
    }
    super.emit(stmt);
  }

  protected override begin(): void {
    this.facts = new Facts();
    this.alive = true;
    this.open = new Set();
    this.loops.length = 0;
    this.calls.length = 0;
    this.branches = 0;
    this.statements = 0;
  }
  /** Assignments of signals are passed over: another process makes them. */
  protected muted = false;

  // ---- ways through the text --------------------------------------------------------------------------------------

  protected stmts(list: readonly Stmt[]): void {
    for (let i = 0; i < list.length && this.alive; i++) {
      this.stmt(list[i]);
      if (!this.alive || this.open.size === 0 || i + 1 === list.length) continue;
      this.unlessLeft(list[i].loc, () => this.stmts(list.slice(i + 1)));
      return;
    }
  }
  /** What is done only if no jump has led away from here. */
  private unlessLeft(loc: Loc, run: () => void): void {
    const marks = [...this.open];
    const outer = this.open;
    this.open = new Set();
    this.branches++;
    const body = this.within(run);
    this.branches--;
    const any = marks.map((mark) => read(mark, loc)).reduce((l, r) => binary("or", l, r, 1, false, loc));
    if (body.length) super.emit({ op: "if", test: not(any), yes: { op: "block", body }, no: null, loc });
    for (const mark of outer) this.open.add(mark);
  }
  /** Statements of each branch; what is known afterwards is what all that come to their end agree on. */
  private fork<T>(items: readonly T[], run: (item: T) => void): ModelStmt[] {
    const { facts, open } = this;
    const all = new Set(open);
    const ways: Facts[] = [];
    const bodies: ModelStmt[] = [];
    this.branches++;
    for (const item of items) {
      this.facts = facts.fork();
      this.open = new Set();
      this.alive = true;
      bodies.push({ op: "block", body: this.within(() => run(item)) });
      if (this.alive) ways.push(this.facts);
      for (const mark of this.open) all.add(mark);
    }
    this.branches--;
    this.alive = ways.length > 0;
    this.facts = Facts.common(ways);
    this.open = all;
    return bodies;
  }

  private jump(name: string, loc: Loc): Jump {
    const mark = this.mark(name, loc);
    this.set(mark, number(0, 1, loc), loc);
    return { mark, ways: [] };
  }
  private mark(name: string, loc: Loc): Signal {
    return this.local(name, { k: "s", type: this.world.standard.boolean, lo: null, hi: null }, loc);
  }
  private leave(jump: Jump, loc: Loc): void {
    this.set(jump.mark, number(1, 1, loc), loc);
    jump.ways.push(this.facts.fork());
    this.open.add(jump.mark);
    this.alive = false;
  }
  /** Where the ways meet again that jumped here. */
  private arrive(jump: Jump): void {
    const ways = this.alive ? [this.facts, ...jump.ways] : jump.ways;
    this.open.delete(jump.mark);
    this.alive = ways.length > 0;
    this.facts = Facts.common(ways);
  }
  private when(test: ModelExpr, loc: Loc, yes: () => void, no: (() => void) | null): void {
    const known = test.op === "const" ? (numberOf(slice(test, 0, 1)) ?? 0) : null;
    if (known !== null) {
      if (known === 1) yes();
      else no?.();
      return;
    }
    const [then, other] = this.fork([yes, no ?? (() => {})], (run) => run());
    super.emit({ op: "if", test, yes: then, no: no ? other : null, loc });
  }

  // ---- statements -------------------------------------------------------------------------------------------------

  private stmt(stmt: Stmt): void {
    const { loc } = stmt;
    switch (stmt.op) {
      case "null":
      case "assert":
        return;
      case "block":
        this.stmts(stmt.body);
        return;
      case "assign":
        this.assign(stmt.target, stmt.value, true, loc);
        return;
      case "signal": {
        if (stmt.force) this.refuse(loc, "Forcing a signal");
        if (this.muted) return;
        const [first] = stmt.waveform.elements;
        if (!first) return;
        if (!first.value) this.refuse(loc, "A disconnection");
        this.assign(stmt.target, first.value, false, loc);
        return;
      }
      case "if":
        this.when(this.condition(stmt.test), loc, () => this.stmts(stmt.yes), stmt.no && (() => this.stmts(stmt.no!)));
        return;
      case "case":
        this.caseStmt(stmt);
        return;
      case "for":
        this.forStmt(stmt);
        return;
      case "while":
        this.whileStmt(stmt);
        return;
      case "exit":
      case "next": {
        const loop = this.loops.findLast((each) => each.label === stmt.label);
        if (!loop) return this.refuse(loc, `'${stmt.op}' in this place`);
        const go = () => this.leave(stmt.op === "exit" ? loop.exit : loop.next, loc);
        if (stmt.test) this.when(this.condition(stmt.test), loc, go, null);
        else go();
        return;
      }
      case "return":
        this.returnStmt(stmt.value, loc);
        return;
      case "call":
        if (stmt.sub.native && !stmt.sub.body) {
          // what only prints makes no circuit
          if (/^(textio|std_logic_1164|std_logic_textio|env)\./.test(stmt.sub.native)) return;
          this.refuse(loc, `'${stmt.sub.name}'`);
        }
        this.invoke(stmt.sub, stmt.args, loc);
        return;
      case "wait":
        return this.refuse(
          loc,
          "A wait in this place",
          "A process may wait once, for a clock's edge, as its first statement.",
        );
      case "builtin":
        return this.refuse(loc, `'${stmt.name}'`);
    }
  }

  private assign(target: Expr, value: Expr, blocking: boolean, loc: Loc): void {
    if (target.op === "aggregate") {
      const val = this.expr(value);
      const own = val.e.op === "const" ? val : this.held(val, "value", loc);
      this.spread(target, own, (ref, e) => this.store(ref, e, blocking, loc));
      return;
    }
    const ref = this.ref(target);
    if (ref.shape.k === "a" && ref.shape.dims === null) this.refuse(target.loc, "An array whose length is not known");
    this.give(ref, this.fit(this.expr(value, ref.shape), ref.shape, value.loc), blocking, loc);
  }
  /** As `store`, of a value that may have limits. */
  private give(ref: Ref, val: Val, blocking: boolean, loc: Loc): void {
    if (ref.k !== "signal" || ref.signal.kind !== "local") this.plain(val, loc);
    this.store(ref, val.e, blocking, loc, this.isInteger(val) ? limitsOf(val) : null);
  }
  private caseStmt(stmt: Stmt & { op: "case" }): void {
    const subject = this.plain(this.expr(stmt.subject), stmt.subject.loc);
    const { shape, e } = subject;
    const labelsOf = (choice: BoundChoice): ModelExpr[] => {
      if (choice.kind === "range") {
        const b = this.bounds(choice.range!);
        if (b.n > 4096) this.refuse(choice.loc, `A choice of ${b.n} values`, "Use 'if' with comparisons.");
        return Array.from({ length: b.n }, (_, i) => lowOf(b) + i)
          .filter((v) => fitsIn(v, subject))
          .map((v) => number(v, e.width, choice.loc, e.signed));
      }
      const value = this.owner.values.evaluate(choice.value!, shape, this.scope.frame);
      if (this.isInteger(subject)) {
        const v = value.v as number;
        return fitsIn(v, subject) ? [number(v, e.width, choice.loc, e.signed)] : [];
      }
      const made = fourStateOf(value.v, value.shape);
      if (stmt.matching) return [constant({ a: made.b ? made.a & ~made.b : made.a, b: made.b }, e.width, choice.loc)];
      // a value with more than 0 and 1 in it never comes
      return made.b === 0n ? [constant(made, e.width, choice.loc)] : [];
    };
    const branches = stmt.branches.map((branch) => ({
      body: branch.body,
      loc: branch.loc,
      isOthers: branch.choices.some((choice) => choice.kind === "others"),
      labels: branch.choices.flatMap((choice) => (choice.kind === "others" ? [] : labelsOf(choice))),
    }));
    if (e.op === "const") {
      const bits = e.value;
      const hit =
        branches.find(({ labels }) =>
          labels.some((label) => label.op === "const" && ((label.value.a ^ bits.a) & ~label.value.b) === 0n),
        ) ?? branches.find(({ isOthers }) => isOthers);
      if (hit && bits.b === 0n) this.stmts(hit.body);
      else if (bits.b !== 0n) this.stmts(branches[branches.length - 1].body);
      return;
    }
    const live = branches.filter(({ isOthers, labels }) => isOthers || labels.length > 0);
    if (live.length === 0) return;
    // every value has a branch, as VHDL demands: the last one needs no test
    const bodies = this.fork(live, ({ body }) => this.stmts(body));
    const last = Math.max(
      0,
      live.findIndex(({ isOthers }) => isOthers) >= 0 ? live.findIndex(({ isOthers }) => isOthers) : live.length - 1,
    );
    const items = live.flatMap(({ labels, loc }, i) => (i === last ? [] : [{ labels, body: bodies[i], loc }]));
    super.emit({
      op: "case",
      flavour: stmt.matching ? "casez" : "case",
      subject: e,
      items,
      fallback: bodies[last],
      loc: stmt.loc,
    });
  }

  // ---- loops ------------------------------------------------------------------------------------------------------

  /** Turns one by one, until one surely leaves. @param turn False: there is no further one. */
  private loop(label: string, jumps: boolean, loc: Loc, turn: (i: number) => boolean): void {
    const loop: Loop | null = jumps
      ? { label, exit: this.jump("left", loc), next: { mark: this.mark("skipped", loc), ways: [] } }
      : null;
    if (loop) this.loops.push(loop);
    for (let i = 0, more = true; more && this.alive; i++) {
      const once = () => {
        if (loop) {
          loop.next = { mark: loop.next.mark, ways: [] };
          this.set(loop.next.mark, number(0, 1, loc), loc);
        }
        more = turn(i);
        if (loop) this.arrive(loop.next);
      };
      if (this.open.size) this.unlessLeft(loc, once);
      else once();
    }
    if (!loop) return;
    this.loops.pop();
    this.arrive(loop.exit);
  }

  private forStmt(stmt: Stmt & { op: "for" }): void {
    const { loc } = stmt;
    const b = this.boundsOrNull(stmt.range);
    const jumps = mentions(stmt.body, stmt.label);
    const outer = this.scope;
    const body = (v: number) => {
      const frame = new Frame(outer.frame, outer.frame.fn);
      const shape: Shape = { k: "s", type: stmt.param.subtype.type, lo: null, hi: null };
      const isPlain = originOf(v) === null;
      if (isPlain) frame.places.set(stmt.param, { k: "const", v, shape });
      this.scope = new Scope(outer, frame);
      try {
        if (!isPlain) this.bindValue(stmt.param, this.whole(v, shape, loc), loc);
        this.stmts(stmt.body);
      } finally {
        this.scope = outer;
      }
    };
    if (b) {
      if (b.n > mostTurns) this.refuse(loc, `A loop of ${b.n} turns`);
      if (b.n === 0) return;
      this.loop(stmt.label, jumps, loc, (i) => {
        body(b.d ? b.l - i : b.l + i);
        return i + 1 < b.n;
      });
      return;
    }
    // ends that signals decide: every turn that there may be, each under the condition that there is it
    const { range } = stmt;
    if (range.kind !== "bounds") {
      this.bounds(range);
      return;
    }
    const left = this.held(this.plain(this.expr(range.left), range.left.loc), "first", loc);
    const right = this.held(this.plain(this.expr(range.right), range.right.loc), "last", loc);
    const [low, high] = range.descending ? [right, left] : [left, right];
    const [least, most] = [limitsOf(low)[0], limitsOf(high)[1]];
    if (most - least + 1 > mostOpenTurns) {
      this.error(
        "not-constant",
        range.loc,
        "The number of turns of this loop depends on signals, and has no small limit.",
        "Give the signals a range, or loop over constants and test the signals inside.",
      );
      throw new NoCircuit();
    }
    if (most < least) return;
    this.loop(stmt.label, jumps, loc, (i) => {
      const v = range.descending ? most - i : least + i;
      const index = this.whole(v, low.shape, loc);
      const test = binary(
        "and",
        this.compare(">=", index, low, loc).e,
        this.compare("<=", index, high, loc).e,
        1,
        false,
        loc,
      );
      this.when(test, loc, () => body(v), null);
      return i < most - least;
    });
  }

  private whileStmt(stmt: Stmt & { op: "while" }): void {
    const { loc } = stmt;
    let openTurns = 0;
    this.loop(stmt.label, true, loc, (i) => {
      const loop = this.loops[this.loops.length - 1];
      const test = stmt.test ? this.condition(stmt.test) : number(1, 1, loc);
      if (test.op !== "const") openTurns++;
      if (i >= mostTurns || openTurns > mostOpenTurns) this.endless(stmt);
      this.when(
        test,
        loc,
        () => this.stmts(stmt.body),
        () => this.leave(loop.exit, loc),
      );
      if (loop.exit.ways.length > mostOpenTurns) this.endless(stmt);
      return true;
    });
  }
  private endless(stmt: Stmt & { op: "while" }): never {
    this.error(
      "loop-bound",
      stmt.test?.loc ?? stmt.loc,
      "The number of turns of this loop depends on signals.",
      "Loop over constants, and test the signals inside.",
    );
    throw new NoCircuit();
  }

  // ---- subprograms ------------------------------------------------------------------------------------------------

  /** A variable, or what stands for one, of the writer's own. */
  protected bind(decl: Decl, signal: Signal, shape: Shape): void {
    this.scope.homes.set(decl, { k: "ref", ref: { k: "signal", signal, offset: 0, shape } });
    // for its bounds
    this.scope.frame.places.set(decl, { k: "var", js: "0", shape });
  }
  private bindRef(decl: Decl, ref: Ref): void {
    this.scope.homes.set(decl, { k: "ref", ref });
    this.scope.frame.places.set(decl, { k: "var", js: "0", shape: ref.shape });
  }
  /** A constant whose value the circuit knows here, or computes. */
  private bindValue(decl: Decl, val: Val, loc: Loc): void {
    const { frame } = this.scope;
    const isMovedOne = isMoved(val);
    if (!isMovedOne && val.e.op === "const" && (val.e.value.b === 0n || val.sure)) {
      const v = this.isInteger(val) ? knownOf(val) : fromFourState(val.e.value, val.shape);
      frame.places.set(decl, { k: "const", v, shape: val.shape });
      return;
    }
    if (val.e.width === 0 || (isMovedOne && val.e.op === "const")) {
      this.scope.homes.set(decl, { k: "value", val });
      frame.places.set(decl, { k: "var", js: "0", shape: val.shape });
      return;
    }
    const signal = this.local(decl.name, val.shape, loc);
    this.set(signal, this.fit(val, val.shape, loc).e, loc);
    this.bind(decl, signal, val.shape);
  }

  /** Declarations of a subprogram or process, but for a process's own variables. */
  protected declareAll(decls: readonly BoundDecl[], variable: (decl: BoundDecl & { kind: "variable" }) => void): void {
    const { frame } = this.scope;
    for (const decl of decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of decls) {
      if (decl.kind === "alias") {
        const ref = this.aliasRef(decl);
        this.bindRef(decl, ref);
      } else if (decl.kind === "constant" && decl.init) {
        const shape = this.shape(decl.subtype, decl.loc, true);
        if (this.isKnown(decl.init)) {
          const open = shape.k === "a" && shape.dims === null;
          const made = this.owner.values.evaluate(decl.init, open ? null : shape, frame);
          frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
          continue;
        }
        this.bindValue(decl, this.fit(this.expr(decl.init, shape), shape, decl.init.loc), decl.loc);
      } else if (decl.kind === "variable") variable(decl);
      else if (decl.kind === "file") this.refuse(decl.loc, "A file");
    }
  }
  /** A variable of one call. */
  private declareVariable(decl: BoundDecl & { kind: "variable" }): void {
    const shape = this.shape(decl.subtype, decl.loc, true);
    const init = decl.init ? this.fit(this.expr(decl.init, shape), shape, decl.init.loc) : null;
    const own = shape.k === "a" && shape.dims === null && init ? init.shape : shape;
    if (own.k === "a" && own.dims === null) this.refuse(decl.loc, "An array whose length is not known");
    const width = widthOf(own);
    if (width === null) this.refuse(decl.loc, `A variable of type ${shapeText(own)}`);
    if (width === 0) {
      const e = number(0, 0, decl.loc);
      this.bindRef(decl, { k: "value", val: { e, shape: own }, shape: own });
      return;
    }
    const signal = this.local(decl.name, own, decl.loc);
    this.bind(decl, signal, own);
    // without a value given, it begins with the least of its type, as far as a circuit has that (6.4.2.4)
    const first = init?.e ?? this.firstOf(own, decl.loc);
    if (first) this.store({ k: "signal", signal, offset: 0, shape: own }, first, true, decl.loc);
  }
  /** What a variable holds before it is assigned; null for logic levels, which are unknown then. */
  private firstOf(shape: Shape, loc: Loc): ModelExpr | null {
    const { v } = this.owner.values.defaultOf(shape, this.scope.frame, loc);
    const value = fourStateOf(v, shape);
    const width = widthOf(shape) ?? 0;
    if (value.b === (1n << BigInt(width)) - 1n) return null;
    return constant(value, width, loc, shape.k === "s" && integerLimits(shape)[0] < 0);
  }

  protected invoke(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc): Val | null {
    if (!sub.body) return this.refuse(loc, `'${sub.name}'`);
    if (this.calls.length > mostCalls) {
      this.error(
        "recursion",
        loc,
        `'${sub.name}' calls itself without an end.`,
        "Give the recursion an end that lengths or constants decide.",
      );
      throw new NoCircuit();
    }
    const home = this.scope.frame.homeOf(sub) ?? this.owner.program.root;
    const outer = this.scope;
    const around = outer.of(home) ?? new Scope(null, home);
    const frame = new Frame(home, { inner: [], temps: [], generator: false });
    const inner = new Scope(around, frame);
    const locals = this.model.signals.length;
    const back: { ref: Ref; from: Signal; shape: Shape }[] = [];
    // formals, in the callee's scope, from actuals, in the caller's
    sub.body.params.forEach((param, i) => {
      this.scope = outer;
      const given = args[i];
      const expr = given ?? sub.defaults[i];
      if (param.kind === "file") return this.refuse(loc, "A file");
      if (!expr) return this.refuse(loc, `'${param.name}', which is left open,`);
      this.scope = inner;
      const formal = this.shape(param.subtype, param.loc, true);
      this.scope = given ? outer : inner;
      const back1 = this.parameter(param, expr, formal, inner, outer, loc);
      if (back1) back.push(back1);
    });
    const value = this.valueOfCall(sub, inner, loc);
    if (value) {
      this.scope = outer;
      return value;
    }
    this.scope = inner;
    const call: Call = {
      sub,
      back: this.jump("returned", sub.loc),
      result: {
        signal: null,
        shape: sub.result ? this.shape(sub.result, loc, true) : null,
        val: null,
        lo: Infinity,
        hi: -Infinity,
      },
      branches: this.branches,
    };
    this.calls.push(call);
    const loops = this.loops.splice(0);
    this.declareAll(sub.body.decls, (decl) => this.declareVariable(decl));
    this.stmts(sub.body.stmts);
    this.arrive(call.back);
    this.loops.push(...loops);
    this.calls.pop();
    this.scope = outer;
    for (const { ref, from, shape } of back) {
      const val = this.load({ k: "signal", signal: from, offset: 0, shape }, loc);
      this.give(ref, this.fit(val, ref.shape, loc), true, loc);
    }
    const { result } = call;
    let made: Val | null = null;
    if (sub.result) {
      if (result.val) made = result.val;
      else if (result.signal) {
        made = this.load({ k: "signal", signal: result.signal, offset: 0, shape: result.shape! }, loc);
        if (this.isInteger(made) && made.cv === undefined)
          made = this.limited(made.e, made.shape, result.lo, result.hi, loc);
      } else if (result.shape && widthOf(result.shape)) {
        // no way comes to a return: the simulation ends there
        made = { e: either(widthOf(result.shape)!, loc), shape: result.shape };
        this.alive = true;
      } else return this.refuse(loc, `'${sub.name}', which returns nothing here,`);
    }
    // what was the call's own is not looked at any more
    for (let i = locals; i < this.model.signals.length; i++) this.facts.forget(this.model.signals[i]);
    return made;
  }

  /** What a function gives whose arguments are all known: it is run, as at elaboration, whatever it is made of. */
  private valueOfCall(sub: Subprogram, inner: Scope, loc: Loc): Val | null {
    if (!sub.result || !sub.pure || !sub.body || readsState(sub) || inner.frame.parent?.fn) return null;
    const { params } = sub.body;
    if (!params.every((param) => inner.frame.places.get(param)?.k === "const")) return null;
    const args = params.map((decl): Expr => ({ op: "object", decl, type: decl.subtype.type, loc }));
    const made = this.owner.values.evaluate({ op: "call", sub, args, type: sub.result.type, loc }, null, inner.frame);
    return made.v instanceof Arr ? null : this.known(made.v, made.shape, loc);
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
      const ref = this.ref(expr);
      const shape =
        formal.k === "a" && formal.dims && ref.shape.k === "a" ? { ...formal, elem: ref.shape.elem } : ref.shape;
      if (widthOf(shape) !== widthOf(ref.shape))
        this.fit({ e: number(0, widthOf(ref.shape) ?? 0, loc), shape: ref.shape }, shape, loc);
      this.scope = inner;
      this.bindRef(param, { ...ref, shape } as Ref);
      this.scope = outer;
      return null;
    }
    if (param.kind === "variable" && param.mode !== "in") {
      // copied in, and back at the end
      const ref = this.ref(expr);
      const shape = isOpen || formal.k === "r" ? ref.shape : formal;
      const width = widthOf(shape);
      if (!width) return this.refuse(loc, `'${param.name}' of type ${shapeText(shape)}`);
      const fixed = this.fixedRef(ref, loc);
      const before = param.mode === "inout" ? this.fit(this.load(fixed, loc), shape, expr.loc).e : null;
      this.scope = inner;
      const signal = this.local(param.name, shape, param.loc);
      this.bind(param, signal, shape);
      const first = before ?? this.firstOf(shape, loc);
      if (first) this.store({ k: "signal", signal, offset: 0, shape }, first, true, loc);
      this.scope = outer;
      return { ref: fixed, from: signal, shape };
    }
    if (this.isKnown(expr)) {
      const made = this.owner.values.evaluate(expr, isOpen || formal.k === "r" ? null : formal, this.scope.frame);
      inner.frame.places.set(param, { k: "const", v: made.v, shape: made.shape });
      return null;
    }
    const val = this.expr(expr, isOpen ? undefined : formal);
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
    const fitted = this.fit(val, shape, expr.loc);
    this.scope = inner;
    // a number or a position that this call knows is as good as one in the text
    const known = param.kind === "constant" && isNumbered(shape) ? knownOf(fitted) : null;
    if (known !== null && originOf(known) === null) {
      inner.frame.places.set(param, { k: "const", v: known, shape });
      this.scope = outer;
      return null;
    }
    if (param.kind === "variable") {
      const signal = this.local(param.name, shape, param.loc);
      this.bind(param, signal, shape);
      this.give({ k: "signal", signal, offset: 0, shape }, fitted, true, loc);
    } else this.bindValue(param, { ...fitted, shape }, param.loc);
    this.scope = outer;
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
        return { ...ref, of: this.fixedRef(ref.of, loc), index: this.held(ref.index, "index", loc) };
      case "stretch": {
        const low = this.held({ e: ref.low, shape: ref.shape }, "offset", loc).e;
        return { ...ref, of: this.fixedRef(ref.of, loc), low };
      }
      case "part":
        return { ...ref, of: this.fixedRef(ref.of, loc) };
      default:
        return ref;
    }
  }

  private returnStmt(value: Expr | null, loc: Loc): void {
    const call = this.calls[this.calls.length - 1];
    if (!call) return this.refuse(loc, "A return in this place");
    if (value && call.sub.result) {
      const { result } = call;
      const open = result.shape?.k === "a" && result.shape.dims === null;
      const val = this.expr(value, open ? undefined : (result.shape ?? undefined));
      const shape = open || result.shape?.k === "r" ? val.shape : (result.shape ?? val.shape);
      const fitted = this.fit(val, shape, value.loc);
      result.shape = shape;
      // the only way out: no variable is needed for the value
      if (this.branches === call.branches && call.back.ways.length === 0) {
        result.val = fitted.e.width === 0 ? fitted : this.held(fitted, call.sub.name.replaceAll('"', ""), loc);
        call.back.ways.push(this.facts);
        this.alive = false;
        return;
      }
      const [lo, hi] = this.isInteger(fitted) ? limitsOf(fitted) : [0, 0];
      result.lo = Math.min(result.lo, lo);
      result.hi = Math.max(result.hi, hi);
      if (fitted.e.width > 0) {
        result.signal ??= this.local(call.sub.name.replaceAll('"', ""), shape, call.sub.loc);
        this.give({ k: "signal", signal: result.signal, offset: 0, shape }, fitted, true, loc);
      } else result.val = fitted;
    }
    this.leave(call.back, loc);
  }
}

function fitsIn(v: number, val: Val): boolean {
  return val.e.signed ? v >= -(2 ** (val.e.width - 1)) && v < 2 ** (val.e.width - 1) : v >= 0 && v < 2 ** val.e.width;
}

/** Whether a position says all of a value: a logic level may also be unknown. */
function isNumbered(shape: Shape): boolean {
  if (shape.k !== "s") return false;
  return shape.type.kind === "int" || (shape.type.kind === "enum" && shape.type.packing !== "logic");
}
