import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Stmt as ModelStmt, Signal } from "../../model.ts";
import type { BoundChoice, Expr, Stmt, Subprogram } from "../bound.ts";
import { Frame } from "../values/frames.ts";
import { lowOf, type Shape } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { Facts, mostTurns, NoCircuit, type Ref, Scope, type Val } from "./circuit-base.ts";
import { binary, constant, fourStateOf, not, number, numberOf, read, slice } from "./circuit-expr.ts";
import { originOf } from "./circuit-moved.ts";
import { limitsOf } from "./circuit-operators.ts";
import { mentions } from "./circuit-scan.ts";

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
export interface Call {
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
export class CircuitStmt {
  constructor(private readonly host: CircuitWriter) {}

  /** False where no way leads: what follows is never done. */
  alive = true;
  /** Marks that may be set here. */
  private open = new Set<Signal>();
  readonly loops: Loop[] = [];
  readonly calls: Call[] = [];
  branches = 0;
  private statements = 0;

  emit(stmt: ModelStmt): void {
    if (++this.statements > mostStatements) {
      this.host.error(
        "too-large",
        this.calls[0]?.sub.loc ?? this.host.model.top.loc,
        "Loops and calls of this process, written out, pass what a circuit can be made of.",
        "Check the bounds of its loops.",
      );
      throw new NoCircuit();
    }
    this.host.out.push(stmt);
  }

  begin(): void {
    this.host.facts = new Facts();
    this.alive = true;
    this.open = new Set();
    this.loops.length = 0;
    this.calls.length = 0;
    this.branches = 0;
    this.statements = 0;
  }
  /** Assignments of signals are passed over: another process makes them. */
  muted = false;

  // ---- ways through the text --------------------------------------------------------------------------------------

  stmts(list: readonly Stmt[]): void {
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
    const body = this.host.assigns.within(run);
    this.branches--;
    const any = marks.map((mark) => read(mark, loc)).reduce((l, r) => binary("or", l, r, 1, false, loc));
    if (body.length) this.host.out.push({ op: "if", test: not(any), yes: { op: "block", body }, no: null, loc });
    for (const mark of outer) this.open.add(mark);
  }
  /** Statements of each branch; what is known afterwards is what all that come to their end agree on. */
  private fork<T>(items: readonly T[], run: (item: T) => void): ModelStmt[] {
    const facts = this.host.facts;
    const open = this.open;
    const all = new Set(open);
    const ways: Facts[] = [];
    const bodies: ModelStmt[] = [];
    this.branches++;
    for (const item of items) {
      this.host.facts = facts.fork();
      this.open = new Set();
      this.alive = true;
      bodies.push({ op: "block", body: this.host.assigns.within(() => run(item)) });
      if (this.alive) ways.push(this.host.facts);
      for (const mark of this.open) all.add(mark);
    }
    this.branches--;
    this.alive = ways.length > 0;
    this.host.facts = Facts.common(ways);
    this.open = all;
    return bodies;
  }

  jump(name: string, loc: Loc): Jump {
    const mark = this.mark(name, loc);
    this.host.assigns.set(mark, number(0, 1, loc), loc);
    return { mark, ways: [] };
  }
  private mark(name: string, loc: Loc): Signal {
    return this.host.local(name, { k: "s", type: this.host.world.standard.boolean, lo: null, hi: null }, loc);
  }
  leave(jump: Jump, loc: Loc): void {
    this.host.assigns.set(jump.mark, number(1, 1, loc), loc);
    jump.ways.push(this.host.facts.fork());
    this.open.add(jump.mark);
    this.alive = false;
  }
  /** Where the ways meet again that jumped here. */
  arrive(jump: Jump): void {
    const ways = this.alive ? [this.host.facts, ...jump.ways] : jump.ways;
    this.open.delete(jump.mark);
    this.alive = ways.length > 0;
    this.host.facts = Facts.common(ways);
  }
  private when(test: ModelExpr, loc: Loc, yes: () => void, no: (() => void) | null): void {
    const known = test.op === "const" ? (numberOf(slice(test, 0, 1)) ?? 0) : null;
    if (known !== null) {
      if (known === 1) yes();
      else no?.();
      return;
    }
    const [then, other] = this.fork([yes, no ?? (() => {})], (run) => run());
    this.host.out.push({ op: "if", test, yes: then, no: no ? other : null, loc });
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
        if (stmt.force) this.host.refuse(loc, "Forcing a signal");
        if (this.muted) return;
        const [first] = stmt.waveform.elements;
        if (!first) return;
        if (!first.value) this.host.refuse(loc, "A disconnection");
        this.assign(stmt.target, first.value, false, loc);
        return;
      }
      case "if":
        this.when(
          this.host.values.condition(stmt.test),
          loc,
          () => this.stmts(stmt.yes),
          stmt.no && (() => this.stmts(stmt.no!)),
        );
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
        if (!loop) return this.host.refuse(loc, `'${stmt.op}' in this place`);
        const go = () => this.leave(stmt.op === "exit" ? loop.exit : loop.next, loc);
        if (stmt.test) this.when(this.host.values.condition(stmt.test), loc, go, null);
        else go();
        return;
      }
      case "return":
        this.host.subprograms.returnStmt(stmt.value, loc);
        return;
      case "call":
        if (stmt.sub.native && !stmt.sub.body) {
          // what only prints makes no circuit
          if (/^(textio|std_logic_1164|std_logic_textio|env)\./.test(stmt.sub.native)) return;
          this.host.refuse(loc, `'${stmt.sub.name}'`);
        }
        this.host.subprograms.invoke(stmt.sub, stmt.args, loc);
        return;
      case "wait":
        return this.host.refuse(
          loc,
          "A wait in this place",
          "A process may wait once, for a clock's edge, as its first statement.",
        );
      case "builtin":
        return this.host.refuse(loc, `'${stmt.name}'`);
    }
  }

  private assign(target: Expr, value: Expr, blocking: boolean, loc: Loc): void {
    if (target.op === "aggregate") {
      const val = this.host.values.expr(value);
      const own = val.e.op === "const" ? val : this.host.assigns.held(val, "value", loc);
      this.host.composites.spread(target, own, (ref, e) => this.host.assigns.store(ref, e, blocking, loc));
      return;
    }
    const ref = this.host.names.ref(target);
    if (ref.shape.k === "a" && ref.shape.dims === null)
      this.host.refuse(target.loc, "An array whose length is not known");
    this.give(ref, this.host.assigns.fit(this.host.values.expr(value, ref.shape), ref.shape, value.loc), blocking, loc);
  }
  /** As `store`, of a value that may have limits. */
  give(ref: Ref, val: Val, blocking: boolean, loc: Loc): void {
    if (ref.k !== "signal" || ref.signal.kind !== "local") this.host.names.plain(val, loc);
    this.host.assigns.store(ref, val.e, blocking, loc, this.host.operators.isInteger(val) ? limitsOf(val) : null);
  }
  private caseStmt(stmt: Stmt & { op: "case" }): void {
    const subject = this.host.names.plain(this.host.values.expr(stmt.subject), stmt.subject.loc);
    const { shape, e } = subject;
    const labelsOf = (choice: BoundChoice): ModelExpr[] => {
      if (choice.kind === "range") {
        const b = this.host.known.bounds(choice.range!);
        if (b.n > 4096) this.host.refuse(choice.loc, `A choice of ${b.n} values`, "Use 'if' with comparisons.");
        return Array.from({ length: b.n }, (_, i) => lowOf(b) + i)
          .filter((v) => fitsIn(v, subject))
          .map((v) => number(v, e.width, choice.loc, e.signed));
      }
      const value = this.host.owner.values.evaluate(choice.value!, shape, this.host.scope.frame);
      if (this.host.operators.isInteger(subject)) {
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
    this.host.out.push({
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
          this.host.assigns.set(loop.next.mark, number(0, 1, loc), loc);
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
    const b = this.host.known.boundsOrNull(stmt.range);
    const jumps = mentions(stmt.body, stmt.label);
    const outer = this.host.scope;
    const body = (v: number) => {
      const frame = new Frame(outer.frame, outer.frame.fn);
      const shape: Shape = { k: "s", type: stmt.param.subtype.type, lo: null, hi: null };
      const isPlain = originOf(v) === null;
      if (isPlain) frame.places.set(stmt.param, { k: "const", v, shape });
      this.host.scope = new Scope(outer, frame);
      try {
        if (!isPlain) this.host.subprograms.bindValue(stmt.param, this.host.names.whole(v, shape, loc), loc);
        this.stmts(stmt.body);
      } finally {
        this.host.scope = outer;
      }
    };
    if (b) {
      if (b.n > mostTurns) this.host.refuse(loc, `A loop of ${b.n} turns`);
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
      this.host.known.bounds(range);
      return;
    }
    const left = this.host.assigns.held(
      this.host.names.plain(this.host.values.expr(range.left), range.left.loc),
      "first",
      loc,
    );
    const right = this.host.assigns.held(
      this.host.names.plain(this.host.values.expr(range.right), range.right.loc),
      "last",
      loc,
    );
    const [low, high] = range.descending ? [right, left] : [left, right];
    const [least, most] = [limitsOf(low)[0], limitsOf(high)[1]];
    if (most - least + 1 > mostOpenTurns) {
      this.host.error(
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
      const index = this.host.names.whole(v, low.shape, loc);
      const test = binary(
        "and",
        this.host.operators.compare(">=", index, low, loc).e,
        this.host.operators.compare("<=", index, high, loc).e,
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
      const test = stmt.test ? this.host.values.condition(stmt.test) : number(1, 1, loc);
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
    this.host.error(
      "loop-bound",
      stmt.test?.loc ?? stmt.loc,
      "The number of turns of this loop depends on signals.",
      "Loop over constants, and test the signals inside.",
    );
    throw new NoCircuit();
  }
}

function fitsIn(v: number, val: Val): boolean {
  return val.e.signed ? v >= -(2 ** (val.e.width - 1)) && v < 2 ** (val.e.width - 1) : v >= 0 && v < 2 ** val.e.width;
}
