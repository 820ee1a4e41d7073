import type { Loc } from "../common/source.ts";
import { type Bits, bit0, bit1, bitX } from "../netlist/rtl.ts";
import { evaluate } from "./evaluate.ts";
import { extendBits, lowerExpr, type Reader } from "./lower-expr.ts";
import type { Expr, Func, Process, Signal, Stmt, Target } from "./model.ts";
import type { Report } from "./report.ts";
import { numberOf, type RtlBuilder } from "./rtl-builder.ts";

/**
 * Runs a process once on symbols. For every bit that it assigns we keep the value, and the condition under which it is
 * assigned at all. In a clocked process that condition becomes the clock enable; in a combinational one anything less
 * than "always" is a latch.
 */
interface Slot {
  /** [width] -1 where nothing was assigned yet. */
  readonly value: readonly number[];
  /** [width] Net that is 1 when the bit was assigned. */
  readonly assigned: readonly number[];
  /** Set by an outermost `if` whose first branch only sets constants: a synchronous reset. */
  readonly reset?: { readonly condition: number; readonly value: readonly number[]; readonly otherwise: Slot };
}
type Slots = Map<Signal, Slot>;

class Env {
  readonly blocking: Slots = new Map();
  readonly deferred: Slots = new Map();
  constructor(readonly parent: Env | null) {}

  find(signal: Signal, blocking: boolean): Slot | undefined {
    for (let env: Env | null = this; env; env = env.parent) {
      const slot = (blocking ? env.blocking : env.deferred).get(signal);
      if (slot) return slot;
    }
    return undefined;
  }
}

export interface Latch {
  readonly signal: Signal;
  readonly loc: Loc;
}

const maxTurns = 65536;
const trieWidth = 20;

export class ProcessLowering implements Reader {
  private env = new Env(null);
  private readonly loopVariables = new Set<Signal>();
  private callDepth = 0;
  private turns = 0;

  constructor(
    private readonly rtl: RtlBuilder,
    /** Net bits of each signal of the module. */
    private readonly bitsOf: (signal: Signal) => Bits,
    private readonly report: Report,
    /** Called for each stretch of a signal that the process drives. */
    private readonly drive: (signal: Signal, offset: number, bits: Bits, loc: Loc) => void,
  ) {}

  read(signal: Signal): Bits {
    const nets = this.bitsOf(signal);
    const slot = this.env.find(signal, true);
    if (!slot) return signal.kind === "local" ? new Array<number>(signal.width).fill(bitX) : nets;
    if (slot.assigned.every((bit) => bit === bit1)) return slot.value;
    return slot.value.map((value, i) => {
      if (slot.assigned[i] === bit1) return value;
      const old = signal.kind === "local" ? bitX : nets[i];
      return slot.assigned[i] === bit0 ? old : this.rtl.mux(slot.assigned[i], [value], [old])[0];
    });
  }

  call(func: Func, args: readonly Bits[]): Bits {
    if (this.callDepth > 64) {
      this.report.error(
        "verilog/recursion",
        func.result.loc,
        `Function '${func.name}' calls itself without an end.`,
        "Give the recursion an end that constants decide.",
      );
      return new Array<number>(func.result.width).fill(bitX);
    }
    this.callDepth++;
    const outer = this.env;
    this.env = new Env(outer);
    func.args.forEach((arg, i) => this.write(arg, 0, args[i], true));
    this.env.blocking.set(func.result, {
      value: new Array(func.result.width).fill(-1),
      assigned: new Array(func.result.width).fill(bit0),
    });
    this.exec(func.body, false);
    const result = this.read(func.result);
    this.env = outer;
    this.callDepth--;
    return result;
  }

  expression(expr: Expr): Bits {
    this.rtl.loc = expr.loc;
    return lowerExpr(expr, this.rtl, this, this.report);
  }

  combinational(process: Process): Latch[] {
    this.rtl.hint = process.name;
    this.exec(process.body, false);
    const latches: Latch[] = [];
    for (const [signal, slot] of this.changed()) {
      const stuck = slot.assigned.some((bit) => bit !== bit1 && bit !== bit0);
      if (stuck) latches.push({ signal, loc: process.loc });
      this.forRuns(slot.assigned, (from, to, enable) => {
        if (enable === bit0) return;
        const value = slot.value.slice(from, to);
        if (enable === bit1) this.drive(signal, from, value, process.loc);
        else {
          this.rtl.hint = signal.name;
          this.rtl.loc = process.loc;
          this.drive(signal, from, this.rtl.add("latch", [value, [enable]], value.length), process.loc);
        }
      });
    }
    return latches;
  }

  clocked(process: Process): void {
    const { edges } = process;
    this.rtl.hint = process.name;
    let body = process.body;
    let clock = edges[0];
    let asyncReset: { net: number; branch: Slots } | null = null;
    if (edges.length > 1) {
      const split = this.asyncSplit(process);
      if (!split) return;
      clock = split.clock;
      const outer = this.env;
      this.env = new Env(outer);
      this.exec(split.branch, false);
      const branch: Slots = new Map([...this.env.blocking, ...this.env.deferred]);
      this.env = outer;
      const source = this.bitsOf(split.reset.signal)[split.reset.bit];
      this.rtl.loc = split.reset.loc;
      this.rtl.hint = split.reset.signal.name;
      asyncReset = { net: split.activeHigh ? source : this.rtl.not([source])[0], branch };
      this.rtl.hint = process.name;
      body = split.rest;
    }
    this.exec(body, asyncReset === null);
    const clockNet = this.bitsOf(clock.signal)[clock.bit];
    const slots = this.changed();
    for (const signal of asyncReset?.branch.keys() ?? []) {
      if (!slots.has(signal))
        slots.set(signal, { value: new Array(signal.width).fill(-1), assigned: new Array(signal.width).fill(bit0) });
    }
    for (const [signal, slot] of slots) this.flipFlops(signal, slot, clockNet, clock.rising, asyncReset, process.loc);
  }

  private flipFlops(
    signal: Signal,
    slot: Slot,
    clock: number,
    rising: boolean,
    asyncReset: { net: number; branch: Slots } | null,
    loc: Loc,
  ): void {
    const { width } = signal;
    const own = this.bitsOf(signal);
    let data = slot;
    let resetNet = bit0;
    let resetBits: readonly number[] = new Array(width).fill(bitX);
    let hasReset: readonly boolean[] = new Array(width).fill(false);
    const branch = asyncReset?.branch.get(signal);
    if (asyncReset && branch) {
      resetNet = asyncReset.net;
      hasReset = branch.assigned.map((bit) => bit === bit1);
      resetBits = branch.value;
      if (resetBits.some((bit, i) => hasReset[i] && bit > bitX) || branch.assigned.some((bit) => bit > bit1)) {
        this.report.error(
          "verilog/async-load",
          loc,
          `The asynchronous reset of '${signal.name}' loads a value that is not a constant.`,
          "Load a constant, or load the value at the clock.",
        );
        return;
      }
    } else if (slot.reset) {
      resetNet = slot.reset.condition;
      resetBits = slot.reset.value;
      hasReset = new Array(width).fill(true);
      data = slot.reset.otherwise;
    }
    const init = initText(signal);
    // Bits kept together must share enable and reset; an asynchronously reset process stops the other registers while
    // its reset is on, because the clocked branch is the `else` of it.
    const keys = data.assigned.map((enable, i) => `${enable}/${hasReset[i]}`);
    for (let from = 0; from < width; ) {
      let to = from + 1;
      while (to < width && keys[to] === keys[from]) to++;
      let enable = data.assigned[from];
      const assigned = enable !== bit0;
      if (assigned || hasReset[from]) {
        this.rtl.hint = signal.name;
        this.rtl.loc = loc;
        if (asyncReset && !hasReset[from]) enable = this.rtl.and([enable], this.rtl.not([asyncReset.net]))[0];
        const value = Array.from({ length: to - from }, (_, i) => (assigned ? data.value[from + i] : own[from + i]));
        const cut = (text: string) => text.slice(width - to, width - from);
        const q = this.rtl.add(
          "ff",
          [value, [clock], !assigned || enable === bit1 ? [] : [enable], hasReset[from] ? [resetNet] : []],
          to - from,
          false,
          {
            clockRising: rising,
            asyncReset: asyncReset !== null,
            resetValue: hasReset[from] ? cut(bitsText(resetBits)) : "x".repeat(to - from),
            init: cut(init),
          },
        );
        this.drive(signal, from, q, loc);
      }
      from = to;
    }
  }

  /** Takes apart `if (reset) ... else ...` of a process with several edges; null after a finding. */
  private asyncSplit(
    process: Process,
  ): { clock: Process["edges"][0]; reset: Process["edges"][0]; activeHigh: boolean; branch: Stmt; rest: Stmt } | null {
    let body = process.body;
    while (body.op === "block" && body.body.length === 1) body = body.body[0];
    if (process.edges.length === 2 && body.op === "if") {
      for (const reset of process.edges) {
        const truth = (value: bigint) => {
          const read = (expr: Expr & { op: "signal" }) =>
            expr.signal === reset.signal ? { a: value << BigInt(reset.bit), b: 0n } : null;
          const result = evaluate((body as Stmt & { op: "if" }).test, read);
          return result && !result.b ? result.a : null;
        };
        const active = reset.rising ? 1n : 0n;
        if (truth(active) === 1n && truth(1n - active) === 0n) {
          const clock = process.edges[0] === reset ? process.edges[1] : process.edges[0];
          return {
            clock,
            reset,
            activeHigh: reset.rising,
            branch: body.yes,
            rest: body.no ?? { op: "block", body: [] },
          };
        }
      }
    }
    this.report.error(
      "verilog/async-form",
      process.loc,
      "With more than one edge, the block must begin with an 'if' that tests the asynchronous reset in the sense of its edge.",
      "Write always @(posedge clk or posedge reset) if (reset) ... else ...",
    );
    return null;
  }

  /** What the process changes in the end; a deferred value wins over a blocking one. */
  private changed(): Slots {
    const result: Slots = new Map();
    for (const [signal, slot] of this.env.blocking)
      if (signal.kind !== "local" && !this.loopVariables.has(signal)) result.set(signal, slot);
    for (const [signal, slot] of this.env.deferred) {
      if (result.has(signal)) {
        this.report.warn(
          "verilog/mixed-assignment",
          signal.loc,
          `'${signal.name}' is assigned with both = and <= in one block.`,
          "Use <= for registers and = for intermediate values.",
        );
      }
      result.set(signal, slot);
    }
    return result;
  }

  private forRuns(keys: readonly number[], each: (from: number, to: number, key: number) => void): void {
    for (let from = 0; from < keys.length; ) {
      let to = from + 1;
      while (to < keys.length && keys[to] === keys[from]) to++;
      each(from, to, keys[from]);
      from = to;
    }
  }

  private exec(stmt: Stmt, outermost: boolean): void {
    switch (stmt.op) {
      case "block":
        for (const inner of stmt.body) this.exec(inner, outermost);
        return;
      case "assign": {
        const bits = this.expression(stmt.value);
        this.rtl.loc = stmt.loc;
        this.assign(stmt.target, bits, stmt.blocking);
        return;
      }
      case "if": {
        const [test] = this.expression(stmt.test);
        if (test <= bitX) {
          if (test === bit1) this.exec(stmt.yes, outermost);
          else if (stmt.no) this.exec(stmt.no, outermost);
          return;
        }
        const yes = this.branch(stmt.yes);
        const no = stmt.no ? this.branch(stmt.no) : new Env(this.env);
        this.rtl.loc = stmt.loc;
        this.merge(test, yes, no, outermost);
        return;
      }
      case "case":
        this.execCase(stmt);
        return;
      case "for":
        this.execFor(stmt, outermost);
    }
  }

  private branch(stmt: Stmt): Env {
    const outer = this.env;
    const inner = new Env(outer);
    this.env = inner;
    this.exec(stmt, false);
    this.env = outer;
    return inner;
  }

  private execFor(stmt: Stmt & { op: "for" }, outermost: boolean): void {
    if (stmt.init.op === "assign") for (const part of stmt.init.target.parts) this.loopVariables.add(part.signal);
    this.exec(stmt.init, false);
    for (;;) {
      const [test] = this.expression(stmt.test);
      if (test === bit0) return;
      if (test !== bit1) {
        this.report.error(
          "verilog/loop-bound",
          stmt.test.loc,
          "The number of turns of this loop depends on signals.",
          "Loop over constants, and test the signals inside.",
        );
        return;
      }
      if (++this.turns > maxTurns) {
        this.report.error(
          "verilog/endless-loop",
          stmt.loc,
          `This loop passes ${maxTurns} turns.`,
          "Check its condition and step.",
        );
        return;
      }
      this.exec(stmt.body, outermost);
      this.exec(stmt.step, false);
    }
  }

  private assign(target: Target, bits: Bits, blocking: boolean): void {
    let at = 0;
    for (let i = target.parts.length - 1; i >= 0; i--) {
      const part = target.parts[i];
      const value = bits.slice(at, at + part.width);
      at += part.width;
      this.rtl.hint = part.signal.name;
      if (typeof part.offset === "number") this.write(part.signal, part.offset, value, blocking);
      else this.writeAt(part.signal, part.offset, value, blocking);
    }
  }

  private slot(signal: Signal, blocking: boolean): Slot {
    return (
      this.env.find(signal, blocking) ?? {
        value: new Array(signal.width).fill(-1),
        assigned: new Array(signal.width).fill(bit0),
      }
    );
  }

  private write(signal: Signal, offset: number, bits: Bits, blocking: boolean): void {
    const old = this.slot(signal, blocking);
    const value = [...old.value];
    const assigned = [...old.assigned];
    for (let i = 0; i < bits.length; i++) {
      value[offset + i] = bits[i];
      assigned[offset + i] = bit1;
    }
    (blocking ? this.env.blocking : this.env.deferred).set(signal, { value, assigned });
  }

  /** Assignment to bits that an expression selects: every bit gets its own condition. */
  private writeAt(signal: Signal, offset: Expr, bits: Bits, blocking: boolean): void {
    const room = offset.signed ? bits.length : 0; // below bit 0, for negative offsets
    const width = signal.width + room;
    let by = this.expression(offset);
    if (room) {
      const wide = Math.max(by.length, room.toString(2).length) + 1;
      by = this.rtl.arithmetic(
        "add",
        extendBits(by, wide, true),
        this.rtl.constant({ a: BigInt(room), b: 0n }, wide),
        false,
      );
    }
    const total = Math.max(width, bits.length);
    const where = this.rtl
      .shift("shl", extendBits(new Array<number>(bits.length).fill(bit1), total, false), by)
      .slice(room, room + signal.width);
    const moved = this.rtl.shift("shl", extendBits(bits, total, false), by).slice(room, room + signal.width);
    const old = this.slot(signal, blocking);
    const value = [...old.value];
    const assigned = [...old.assigned];
    for (let i = 0; i < signal.width; i++) {
      if (where[i] === bit0) continue;
      value[i] = old.value[i] < 0 ? moved[i] : this.rtl.mux(where[i], [moved[i]], [old.value[i]])[0];
      assigned[i] = this.rtl.or([old.assigned[i]], [where[i]])[0];
    }
    (blocking ? this.env.blocking : this.env.deferred).set(signal, { value, assigned });
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
    const whole = this.expression(stmt.subject);
    // bits that constants decide (a narrow subject among 32-bit labels has many) only rule labels out
    const open = whole.map((_, i) => i).filter((i) => whole[i] > bit1);
    const subject = open.map((i) => whole[i]);
    const width = subject.length;
    const items = stmt.items.map((item) => ({
      labels: item.labels.map((label) => this.expression(label)),
      constants: item.labels.map((label) => narrowPattern(labelPattern(label, stmt.flavour), whole, open)),
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
      this.mergeTrie(subject, values, fallback);
      return;
    }
    // priority chain, from the last item up
    const covered = allConstant && width <= 12 && covers(patterns as Pattern[][], width);
    let rest = covered ? envs.pop()! : fallback;
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

  /** Decision tree over the subject's bits: depth by its width, not by the number of items. */
  private mergeTrie(subject: Bits, values: ReadonlyMap<number, Env>, fallback: Env): void {
    const sorted = [...values.keys()].sort((a, b) => a - b);
    for (const blocking of [true, false]) {
      const slotsOf = (env: Env) => (blocking ? env.blocking : env.deferred);
      const touched = new Set<Signal>();
      for (const env of [...values.values(), fallback]) for (const signal of slotsOf(env).keys()) touched.add(signal);
      for (const signal of touched) {
        const before = this.slot(signal, blocking);
        const leaf = (env: Env) => slotsOf(env).get(signal) ?? before;
        this.rtl.hint = signal.name;
        const build = (low: number, high: number, bit: number): Slot => {
          if (low === high) return leaf(fallback);
          if (bit < 0) return leaf(values.get(sorted[low])!);
          let middle = low;
          while (middle < high && ((sorted[middle] >> bit) & 1) === 0) middle++;
          return this.mergeSlots(subject[bit], build(middle, high, bit - 1), build(low, middle, bit - 1));
        };
        slotsOf(this.env).set(signal, build(0, sorted.length, subject.length - 1));
      }
    }
  }
}

interface Pattern {
  readonly care: bigint;
  readonly value: bigint;
  /** False for a label with x or z in a plain case: no real value equals it. */
  readonly possible: boolean;
}

function labelPattern(label: Expr, flavour: "case" | "casez" | "casex"): Pattern | null {
  const value = evaluate(label);
  if (!value) return null;
  const full = (1n << BigInt(label.width)) - 1n;
  const z = value.b & ~value.a;
  const wild = flavour === "case" ? 0n : flavour === "casez" ? z : value.b;
  const care = full & ~wild;
  return { care, value: value.a & care, possible: (value.b & care) === 0n };
}

/** The pattern over the subject's open bits; impossible if a decided bit contradicts it. */
function narrowPattern(pattern: Pattern | null, subject: Bits, open: readonly number[]): Pattern | null {
  if (!pattern) return null;
  let { possible } = pattern;
  subject.forEach((bit, i) => {
    if (bit <= bit1 && (pattern.care >> BigInt(i)) & 1n && ((pattern.value >> BigInt(i)) & 1n) !== BigInt(bit))
      possible = false;
  });
  const pick = (value: bigint) => open.reduce((sum, i, at) => sum | (((value >> BigInt(i)) & 1n) << BigInt(at)), 0n);
  return { care: pick(pattern.care), value: pick(pattern.value), possible };
}

function covers(items: readonly (readonly Pattern[])[], width: number): boolean {
  const all = items.flat().filter((pattern) => pattern.possible);
  if (all.length * 2 ** width > 2 ** 20) return false;
  for (let value = 0n; value < 1n << BigInt(width); value++) {
    if (!all.some((pattern) => (value & pattern.care) === pattern.value)) return false;
  }
  return true;
}

function bitsText(bits: readonly number[]): string {
  return [...bits]
    .reverse()
    .map((bit) => (bit === bit0 ? "0" : bit === bit1 ? "1" : "x"))
    .join("");
}

function initText(signal: Signal): string {
  let text = "";
  for (let i = BigInt(signal.width) - 1n; i >= 0n; i--) {
    if (!signal.init || (signal.init.b >> i) & 1n) text += "x";
    else text += (signal.init.a >> i) & 1n ? "1" : "0";
  }
  return text;
}
