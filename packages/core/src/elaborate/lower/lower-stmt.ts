import type { Loc } from "../../common/source.ts";
import { type Bits, bit0, bit1, bitX } from "../../netlist/rtl.ts";
import { numberOf } from "../../netlist/rtl-builder.ts";
import { type Expr, isSignedTarget, type Signal, type Stmt, type Subroutine, type Target } from "../model.ts";
import { covers, labelPattern, narrowPattern, type Pattern } from "./case-patterns.ts";
import { hardwareBits } from "./hardware-bits.ts";
import { extendBits, lowerExpr, type Reader } from "./lower-expr.ts";
import { Env, type Slot, type Slots, TargetLowering } from "./lower-target.ts";
import { driveEnables, drivesZ } from "./lower-tristate.ts";

const maxTurns = 65536;
const trieWidth = 20;

/** The loops and subroutines around a statement: one-bit marks that are set once control has left them. */
interface Jumps {
  readonly broke: Signal | null;
  readonly continued: Signal | null;
  readonly returned: Signal | null;
}
const noJumps: Jumps = { broke: null, continued: null, returned: null };

/** Runs statements once on symbols: see `Slot` for what is kept of each bit that they assign. */
export class StatementLowering extends TargetLowering implements Reader {
  protected readonly loopVariables = new Set<Signal>();
  /** Set where z means that a process lets go of what it drives. */
  protected takesRelease = false;
  private callDepth = 0;
  private turns = 0;
  private jumps: Jumps = noJumps;

  /** Runs a subroutine on the values of its arguments. What it assigns outside of itself stays assigned. */
  private enter(sub: Subroutine, args: readonly (Expr | Target)[]): Bits {
    const width = sub.result ? hardwareBits(sub.result) : 0;
    if (this.callDepth > 64) {
      this.report.error(
        "verilog/recursion",
        sub.loc,
        `'${sub.name}' calls itself without an end.`,
        "Give the recursion an end that constants decide.",
      );
      return new Array<number>(width).fill(bitX);
    }
    this.callDepth++;
    this.staying = null;
    const values = args.map((arg) => ("op" in arg ? this.expression(arg) : this.readTarget(arg)));
    const outer = this.env;
    const outerJumps = this.jumps;
    this.env = new Env(outer);
    const returned = this.mark("returned", sub);
    this.jumps = { broke: null, continued: null, returned };
    sub.args.forEach(({ signal, direction }, i) => {
      // what goes in and out may be of another width
      if (direction === "output") this.forget(signal);
      else {
        const arg = args[i];
        const bySign = !("op" in arg) && isSignedTarget(arg);
        this.write(signal, 0, extendBits(values[i], hardwareBits(signal), bySign), true);
      }
    });
    for (const local of sub.locals) this.forget(local);
    if (sub.result) this.forget(sub.result);
    this.write(returned, 0, [bit0], true);
    this.exec(sub.body, false);
    const result = sub.result ? this.read(sub.result) : [];
    const outputs = sub.args.map(({ signal, direction }) => (direction === "input" ? null : this.read(signal)));
    const inner = this.env;
    this.env = outer;
    this.jumps = outerJumps;
    for (const [signal, slot] of inner.blocking) if (signal.kind !== "local") outer.blocking.set(signal, slot);
    for (const [signal, slot] of inner.deferred) outer.deferred.set(signal, slot);
    outputs.forEach((bits, i) => {
      const arg = args[i];
      if (bits && !("op" in arg)) this.assign(arg, extendBits(bits, arg.width, sub.args[i].signal.signed), true);
    });
    this.staying = null;
    this.callDepth--;
    return result;
  }

  call(func: Subroutine, args: readonly (Expr | Target)[]): Bits {
    return this.enter(func, args);
  }

  step(expr: Expr & { op: "step" }): Bits {
    const before = expr.old ? this.expression(expr.old) : null;
    const value = this.expression(expr.value);
    this.assign(expr.target, value, true);
    return before ?? value;
  }

  private forget(signal: Signal): void {
    const bits = hardwareBits(signal);
    this.env.blocking.set(signal, { value: new Array(bits).fill(-1), assigned: new Array(bits).fill(bit0) });
  }

  expression(expr: Expr): Bits {
    this.rtl.loc = expr.loc;
    return lowerExpr(expr, this.rtl, this, this.report);
  }

  protected forRuns(keys: readonly number[], each: (from: number, to: number, key: number) => void): void {
    for (let from = 0; from < keys.length; ) {
      let to = from + 1;
      while (to < keys.length && keys[to] === keys[from]) to++;
      each(from, to, keys[from]);
      from = to;
    }
  }

  /** Statement by statement; after one that may jump, the rest runs only where it has not. */
  protected execList(body: readonly Stmt[], outermost: boolean): void {
    for (let i = 0; i < body.length; i++) {
      this.exec(body[i], outermost);
      const left = this.left();
      if (left === bit0) continue;
      if (left === bit1 || i + 1 === body.length) return;
      this.unlessLeft(left, () => this.execList(body.slice(i + 1), false));
      return;
    }
  }

  /**
   * What variables hold where control has not left, while `left` is not 1. Joined with what they hold elsewhere they are
   * no constants any more, which the tests of loops need.
   */
  private staying: { readonly left: number; readonly slots: Slots } | null = null;

  /** Of what variables held before the statements just run, what these left alone, whichever way they were left. */
  private untouched: Slots = new Map();

  /** Runs what is done only if control has not left. @returns Marks that it sets for certain. */
  private unlessLeft(left: number, run: () => void): Signal[] {
    const outer = new Env(this.env);
    const seeds: Slots = new Map(this.staying?.left === left ? this.staying.slots : []);
    const marks = Object.values(this.jumps).filter((mark): mark is Signal => mark !== null);
    for (const mark of marks) seeds.set(mark, { value: [bit0], assigned: [bit1] });
    let held: Slots = new Map();
    let certain: Signal[] = [];
    const inner = this.inside(() => {
      for (const [signal, slot] of seeds) this.env.blocking.set(signal, slot);
      this.staying = null;
      run();
      held = this.heldHere();
      certain = marks.filter((mark) => this.env.find(mark, true)?.value[0] === bit1);
    });
    // as they were: nothing to join
    this.untouched = new Map();
    for (const [signal, slot] of seeds) {
      if (inner.blocking.get(signal) !== slot) continue;
      inner.blocking.delete(signal);
      if (!marks.includes(signal)) this.untouched.set(signal, slot);
    }
    // the mark that `left` is, where it is one: with it set on the other way too, it is set
    const sole = marks.find((mark) => this.env.find(mark, true)?.value[0] === left);
    this.merge(left, outer, inner, false);
    if (sole && certain.includes(sole)) this.write(sole, 0, [bit1], true);
    for (const mark of marks) held.delete(mark);
    this.staying = { left: this.left(), slots: held };
    return certain;
  }
  /** What variables hold at the end of the statements at hand, where control is still in them. */
  private heldHere(): Slots {
    const slots: Slots = new Map(this.env.blocking);
    if (this.staying && this.staying.left === this.left())
      for (const [signal, slot] of this.staying.slots) slots.set(signal, slot);
    return slots;
  }

  /** Net that is 1 where control has left the statements at hand. */
  private left(): number {
    const { broke, continued, returned } = this.jumps;
    const nets: number[] = [];
    for (const mark of [broke, continued, returned]) {
      if (!mark) continue;
      const slot = this.env.find(mark, true);
      if (!slot || slot.value[0] === bit0) continue;
      const [net] = this.read(mark);
      if (net !== bit0 && !nets.includes(net)) nets.push(net);
    }
    if (nets.length < 2 || nets.includes(bit1)) return nets.includes(bit1) ? bit1 : (nets[0] ?? bit0);
    // the same marks give the same net, whenever they are asked for
    const key = nets.sort((x, y) => x - y).join();
    let net = this.leftNets.get(key);
    if (net === undefined) {
      net = nets.reduce((x, y) => this.rtl.or([x], [y])[0]);
      this.leftNets.set(key, net);
    }
    return net;
  }
  private readonly leftNets = new Map<string, number>();

  protected exec(stmt: Stmt, outermost: boolean): void {
    switch (stmt.op) {
      case "block":
        for (const local of stmt.locals ?? []) this.forget(local);
        this.execList(stmt.body, outermost);
        return;
      case "assign": {
        const bits = this.expression(stmt.value);
        this.rtl.loc = stmt.loc;
        if (stmt.target.form) this.unsynthesizable(stmt.loc, `A ${stmt.target.form} variable`);
        else {
          if (stmt.intra?.events) this.unsynthesizable(stmt.loc, "An assignment that waits for an event");
          const enables =
            this.takesRelease && drivesZ(stmt.value)
              ? driveEnables(stmt.value, this.rtl, (test) => this.expression(test)[0])
              : undefined;
          this.assign(stmt.target, bits, stmt.blocking, enables);
        }
        return;
      }
      case "arraycopy":
        if (this.memories?.has(stmt.target)) {
          this.memories.refuse(stmt.target, "it is assigned as a whole");
          return;
        }
        this.write(stmt.target, 0, this.read(stmt.from), stmt.blocking);
        return;
      case "if": {
        const [test] = this.expression(stmt.test);
        if (test <= bitX) {
          if (test === bit1) this.exec(stmt.yes, outermost);
          else if (stmt.no) this.exec(stmt.no, outermost);
          return;
        }
        const [yes, yesLeft, yesHeld] = this.way(stmt.yes);
        const [no, noLeft, noHeld] = stmt.no ? this.way(stmt.no) : [new Env(this.env), this.left(), new Map()];
        this.rtl.loc = stmt.loc;
        this.merge(test, yes, no, outermost);
        // one branch leaves for certain: where control stays, the other one was taken
        this.staying =
          yesLeft === bit1 && noLeft === bit0
            ? { left: this.left(), slots: noHeld }
            : noLeft === bit1 && yesLeft === bit0
              ? { left: this.left(), slots: yesHeld }
              : null;
        return;
      }
      case "case":
        this.execCase(stmt);
        return;
      case "loop":
        this.execLoop(stmt, outermost);
        return;
      case "repeat": {
        const count = numberOf(this.expression(stmt.count));
        if (count === null || count > BigInt(maxTurns)) {
          this.report.error(
            "verilog/loop-bound",
            stmt.count.loc,
            count === null
              ? "The number of turns of this loop depends on signals."
              : `This loop passes ${maxTurns} turns.`,
            "Loop over constants, and test the signals inside.",
          );
          return;
        }
        this.loop(stmt, () => {
          for (let i = 0n; i < count; i++) if (!this.turn(() => this.exec(stmt.body, outermost))) return;
        });
        return;
      }
      case "break":
      case "continue":
      case "return": {
        const { broke, continued, returned } = this.jumps;
        const mark = stmt.op === "break" ? broke : stmt.op === "continue" ? continued : returned;
        if (mark) this.write(mark, 0, [bit1], true);
        else this.unsynthesizable(stmt.loc, `A '${stmt.op}' outside of its loop or function`);
        return;
      }
      case "call":
        if (stmt.sub.suspends) this.unsynthesizable(stmt.loc, `'${stmt.sub.name}', which waits,`);
        else this.enter(stmt.sub, stmt.args);
        return;
      case "eval":
        this.expression(stmt.expr);
        return;
      case "system":
        if (stmt.name === "switch.set") this.unsynthesizable(stmt.loc, "A switch between nets");
        if (stmt.name.startsWith("container.")) this.unsynthesizable(stmt.loc, "A dynamic array or queue");
        return;
      case "assert":
        return; // prints and checks belong to simulation
      case "delay":
        this.unsynthesizable(stmt.loc, "A delay");
        return;
      case "event":
      case "wait":
        this.unsynthesizable(stmt.loc, "Waiting within a block");
        return;
      case "fork":
        this.unsynthesizable(stmt.loc, "A fork");
        return;
      case "force":
        this.unsynthesizable(stmt.loc, `A procedural '${stmt.word}'`);
        return;
      case "disable":
        this.unsynthesizable(stmt.loc, "Disabling a block");
        return;
      case "trigger":
        this.unsynthesizable(stmt.loc, "An event");
    }
  }

  /** A branch, whether control has left at its end, and what is held there. */
  private way(stmt: Stmt): [Env, number, Slots] {
    let left = bit0;
    let held: Slots = new Map();
    this.staying = null;
    const env = this.inside(() => {
      this.exec(stmt, false);
      left = this.left();
      held = this.heldHere();
    });
    return [env, left, held];
  }

  private branch(stmt: Stmt): Env {
    this.staying = null;
    const env = this.inside(() => this.exec(stmt, false));
    this.staying = null;
    return env;
  }

  private inside(run: () => void): Env {
    const outer = this.env;
    const inner = new Env(outer);
    this.env = inner;
    run();
    this.env = outer;
    return inner;
  }

  private loop(stmt: Stmt & { loc: Loc }, run: () => void): void {
    const outer = this.jumps;
    const place = { instance: null as unknown as Subroutine["instance"], loc: stmt.loc };
    const broke = this.mark("broke", place);
    const continued = this.mark("continued", place);
    this.jumps = { broke, continued, returned: outer.returned };
    this.write(broke, 0, [bit0], true);
    this.staying = null;
    run();
    this.jumps = outer;
    this.staying = null;
  }

  /** One turn of a loop, under the condition that no earlier one has left it. False once it surely has. */
  private turn(run: () => void): boolean {
    const { continued } = this.jumps;
    this.write(continued!, 0, [bit0], true);
    const left = this.left();
    if (left === bit1) return false;
    if (left === bit0) {
      run();
      return true;
    }
    // turns that are only cut short go on
    return this.unlessLeft(left, run).every((mark) => mark === continued);
  }

  private execLoop(stmt: Stmt & { op: "loop" }, outermost: boolean): void {
    if (stmt.init) {
      this.collectLoopVariables(stmt.init);
      this.exec(stmt.init, false);
    }
    this.loop(stmt, () => {
      let over = false;
      for (let first = stmt.after; !over; first = false) {
        if (++this.turns > maxTurns) {
          this.report.error(
            "verilog/endless-loop",
            stmt.loc,
            `This loop passes ${maxTurns} turns.`,
            "Check its condition and step.",
          );
          return;
        }
        const isFirst = first;
        this.untouched = new Map();
        const goesOn = this.turn(() => {
          if (!isFirst && stmt.test) {
            const [test] = this.expression(stmt.test);
            if (test !== bit1) {
              over = true;
              if (test !== bit0)
                this.report.error(
                  "verilog/loop-bound",
                  stmt.test.loc,
                  "The number of turns of this loop depends on signals.",
                  "Loop over constants, and test the signals inside.",
                );
              return;
            }
          }
          this.exec(stmt.body, outermost);
        });
        if (!goesOn) return;
        if (!stmt.step || over) continue;
        this.write(this.jumps.continued!, 0, [bit0], true);
        const left = this.left();
        if (left === bit1) return;
        if (left === bit0) this.exec(stmt.step, false);
        else {
          // turns that were cut short come here too
          if (this.staying?.left !== left) this.staying = { left, slots: this.untouched };
          this.unlessLeft(left, () => this.exec(stmt.step!, false));
        }
      }
    });
  }

  private collectLoopVariables(stmt: Stmt): void {
    if (stmt.op === "assign") for (const part of stmt.target.parts) this.loopVariables.add(part.signal);
    else if (stmt.op === "block") for (const inner of stmt.body) this.collectLoopVariables(inner);
  }

  private merge(test: number, yes: Env, no: Env, outermost: boolean): void {
    for (const blocking of [true, false]) {
      const [a, b] = blocking ? [yes.blocking, no.blocking] : [yes.deferred, no.deferred];
      const into = blocking ? this.env.blocking : this.env.deferred;
      for (const signal of new Set([...a.keys(), ...b.keys()])) {
        const before = this.slot(signal, blocking);
        const y = a.get(signal) ?? before;
        const n = b.get(signal) ?? before;
        this.rtl.hint = signal.name;
        let merged = this.mergeSlots(test, y, n);
        const untouched = before.assigned.every((bit) => bit === bit0);
        if (
          outermost &&
          untouched &&
          y.value.every((bit) => bit === bit0 || bit === bit1) &&
          y.assigned.every((bit) => bit === bit1)
        ) {
          merged = { ...merged, reset: { condition: test, value: y.value, otherwise: n } };
        }
        into.set(signal, merged);
      }
    }
  }

  private mergeSlots(test: number, yes: Slot, no: Slot): Slot {
    if (yes === no) return yes;
    const width = yes.value.length;
    const value = new Array<number>(width);
    const open: number[] = [];
    for (let i = 0; i < width; i++) {
      if (yes.value[i] === no.value[i] || no.value[i] === -1) value[i] = yes.value[i];
      else if (yes.value[i] === -1) value[i] = no.value[i];
      else open.push(i);
    }
    if (open.length) {
      const made = this.rtl.mux(
        test,
        open.map((i) => yes.value[i]),
        open.map((i) => no.value[i]),
      );
      open.forEach((at, i) => {
        value[at] = made[i];
      });
    }
    const pairs = new Map<string, number>(); // vectors mostly share one condition
    const assigned = yes.assigned.map((bit, i) => {
      if (bit === no.assigned[i]) return bit;
      const id = `${bit},${no.assigned[i]}`;
      let net = pairs.get(id);
      if (net === undefined) {
        [net] = this.rtl.mux(test, [bit], [no.assigned[i]]);
        pairs.set(id, net);
      }
      return net;
    });
    return { value, assigned };
  }

  private execCase(stmt: Stmt & { op: "case" }): void {
    if (stmt.subject.form) {
      this.unsynthesizable(stmt.loc, `A case over a ${stmt.subject.form}`);
      return;
    }
    const whole = this.expression(stmt.subject);
    // bits that constants decide (a narrow subject among 32-bit labels has many) only rule labels out
    const open = whole.map((_, i) => i).filter((i) => whole[i] > bit1);
    const subject = open.map((i) => whole[i]);
    const width = subject.length;
    const { flavour } = stmt;
    if (flavour === "inside") {
      this.execInside(stmt);
      return;
    }
    const items = stmt.items.map((item) => ({
      labels: item.labels.map((label) => this.expression(label)),
      constants: item.labels.map((label) => narrowPattern(labelPattern(label, flavour), whole, open)),
      body: item.body,
    }));
    const known = numberOf(subject);
    const allConstant = items.every((item) => item.constants.every((pattern) => pattern !== null));
    if (known !== null && allConstant) {
      const hit = items.find((item) =>
        item.constants.some((pattern) => pattern!.possible && (known & pattern!.care) === pattern!.value),
      );
      if (hit) this.exec(hit.body, false);
      else if (stmt.fallback) this.exec(stmt.fallback, false);
      return;
    }
    const envs = items.map((item) => this.branch(item.body));
    const fallback = stmt.fallback ? this.branch(stmt.fallback) : new Env(this.env);
    // the source says that one of the items holds: what else would be done does not matter
    const isAssured = !stmt.fallback && envs.length > 0 && (stmt.check === "unique" || stmt.check === "priority");
    this.rtl.loc = stmt.loc;
    const patterns = items.map((item) => item.constants);
    const labelCount = patterns.reduce((sum, list) => sum + list.length, 0);
    const full = (1n << BigInt(width)) - 1n;
    const exact =
      allConstant && patterns.every((list) => list.every((pattern) => pattern!.care === full || !pattern!.possible));
    if (exact && labelCount >= 4 && width <= trieWidth) {
      const values = new Map<number, Env>();
      patterns.forEach((list, i) => {
        for (const pattern of list) {
          const value = Number(pattern!.value);
          if (pattern!.possible && !values.has(value)) values.set(value, envs[i]); // the first item that matches wins
        }
      });
      this.mergeTrie(subject, values, isAssured ? null : fallback);
      return;
    }
    // priority chain, from the last item up
    const covered = allConstant && width <= 12 && covers(patterns as Pattern[][], width);
    let rest = covered || isAssured ? envs.pop()! : fallback;
    for (let i = envs.length - 1; i >= 0; i--) {
      const tests = items[i].labels.map((label, j) => {
        const pattern = items[i].constants[j];
        if (pattern && !pattern.possible) return bit0;
        if (!pattern) return this.rtl.eq(whole, label);
        const kept = subject.map((_, bit) => bit).filter((bit) => ((pattern.care >> BigInt(bit)) & 1n) === 1n);
        return this.rtl.eq(
          kept.map((bit) => subject[bit]),
          kept.map((bit) => label[open[bit]]),
        );
      });
      const joined = new Env(this.env);
      const outer = this.env;
      const test = this.rtl.reduce("redor", tests);
      if (test === bit0) continue;
      this.env = joined;
      this.merge(test, envs[i], rest, false);
      this.env = outer;
      rest = joined;
    }
    for (const [signal, slot] of rest.blocking) this.env.blocking.set(signal, slot);
    for (const [signal, slot] of rest.deferred) this.env.deferred.set(signal, slot);
  }

  /**
   * Decision tree over the subject's bits: depth by its width, not by the number of items.
   * @param fallback null: values that are not there never come.
   */
  private mergeTrie(subject: Bits, values: ReadonlyMap<number, Env>, fallback: Env | null): void {
    const sorted = [...values.keys()].sort((a, b) => a - b);
    for (const blocking of [true, false]) {
      const slotsOf = (env: Env) => (blocking ? env.blocking : env.deferred);
      const touched = new Set<Signal>();
      for (const env of [...values.values(), ...(fallback ? [fallback] : [])])
        for (const signal of slotsOf(env).keys()) touched.add(signal);
      for (const signal of touched) {
        const before = this.slot(signal, blocking);
        const leaf = (env: Env) => slotsOf(env).get(signal) ?? before;
        this.rtl.hint = signal.name;
        const build = (low: number, high: number, bit: number): Slot | null => {
          if (low === high) return fallback && leaf(fallback);
          if (bit < 0) return leaf(values.get(sorted[low])!);
          let middle = low;
          while (middle < high && ((sorted[middle] >> bit) & 1) === 0) middle++;
          const [yes, no] = [build(middle, high, bit - 1), build(low, middle, bit - 1)];
          return yes && no ? this.mergeSlots(subject[bit], yes, no) : (yes ?? no);
        };
        slotsOf(this.env).set(signal, build(0, sorted.length, subject.length - 1)!);
      }
    }
  }

  /** Each label is a test of its own; the first that holds wins. */
  private execInside(stmt: Stmt & { op: "case" }): void {
    const tests = stmt.items.map((item) =>
      this.rtl.reduce(
        "redor",
        item.labels.map((label) => this.expression(label)[0]),
      ),
    );
    const envs = stmt.items.map((item) => this.branch(item.body));
    let rest = stmt.fallback ? this.branch(stmt.fallback) : new Env(this.env);
    for (let i = envs.length - 1; i >= 0; i--) {
      const outer = this.env;
      const joined = new Env(outer);
      this.env = joined;
      this.merge(tests[i], envs[i], rest, false);
      this.env = outer;
      rest = joined;
    }
    for (const [signal, slot] of rest.blocking) this.env.blocking.set(signal, slot);
    for (const [signal, slot] of rest.deferred) this.env.deferred.set(signal, slot);
  }
}
