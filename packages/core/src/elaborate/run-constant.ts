import { mostMsForValue } from "./constant-work.ts";
import { evaluateAny, truthOf } from "./evaluate.ts";
import {
  type AnyValue,
  type BlockId,
  type Expr,
  isSignedTarget,
  type Signal,
  type Stmt,
  type Subroutine,
  type Target,
  type Value,
} from "./model.ts";
import { systemValue } from "./system-functions.ts";
import type { Host } from "./verilog/host.ts";

/**
 * Runs a constant function (IEEE 1364-2005 clause 10.4.3): a plain interpreter over bigint values. It sees its own
 * variables and constants only; anything else makes the call no constant.
 */
const maxSteps = 5_000_000;
const maxDepth = 500;

interface State {
  steps: number;
  depth: number;
  /** Told of each system task; without it, those that only print are passed over. */
  readonly tell?: SystemTask;
  /** Variables of the module may be used too: they are here. */
  readonly around?: Frame;
  /** What static functions keep from call to call, where that counts. */
  readonly kept?: Map<Subroutine, Frame>;
}
/** @param worth Works out an argument. @returns False if the task is none that can be told. */
type SystemTask = (stmt: Stmt & { op: "system" }, worth: (expr: Expr) => AnyValue) => boolean;
export type Frame = Map<Signal, AnyValue | Map<number, AnyValue>>;
class NotConstant extends Error {}
/** A block's id: what follows until its end is left out. */
type Jump = "break" | "continue" | "return" | BlockId | null;

/** @returns null if the call is no constant, or after a finding. */
export function runConstant(expr: Expr & { op: "call" }, host: Host): AnyValue | null {
  const state: State = { steps: 0, depth: 0 };
  try {
    return host.report.work.run(() => call(expr.func, expr.args, new Map(), state, host));
  } catch (error) {
    if (error instanceof NotConstant) return null;
    if (error instanceof RangeError) {
      host.report.error(
        "verilog/recursion",
        expr.loc,
        `'${expr.func.name}' calls itself without an end.`,
        "Give the recursion an end.",
      );
      return null;
    }
    throw error;
  }
}

/**
 * Runs statements as a constant function's are run, with the variables of the module around them.
 * @returns False if they are none of which a constant function may be made.
 */
export function interpret(
  body: Stmt,
  frame: Frame,
  kept: Map<Subroutine, Frame>,
  host: Host,
  tell: SystemTask,
): boolean {
  try {
    run(body, frame, { steps: 0, depth: 0, tell, around: frame, kept }, host);
    return true;
  } catch (error) {
    if (error instanceof NotConstant) return false;
    throw error;
  }
}

function call(func: Subroutine, args: readonly (Expr | Target)[], outer: Frame, state: State, host: Host): AnyValue {
  const frame = enter(func, args, outer, state, host);
  if (!func.result) throw new NotConstant();
  return read(func.result, frame, state);
}

/** Runs a function or task, which may give values back by its arguments. @returns What it leaves behind. */
function enter(sub: Subroutine, args: readonly (Expr | Target)[], outer: Frame, state: State, host: Host): Frame {
  // its body may be read now only; within itself there is none yet
  if ((sub.suspends && !state.around) || !host.ready(sub)) throw new NotConstant();
  if (++state.depth > maxDepth) throw new RangeError("depth");
  const frame: Frame = frameOf(sub, state);
  sub.args.forEach(({ signal, direction }, i) => {
    const given = args[i];
    if ("op" in given) frame.set(signal, valueIn(given, outer, state, host));
    else if (direction !== "output")
      frame.set(signal, fitted(readTarget(given, outer, state, host), given, isSignedTarget(given), signal.width));
  });
  run(sub.body, frame, state, host);
  sub.args.forEach(({ signal, direction }, i) => {
    const given = args[i];
    if (direction !== "input" && !("op" in given))
      assign(given, fitted(read(signal, frame, state), signal, signal.signed, given.width), outer, state, host);
  });
  state.depth--;
  return frame;
}

/** What an argument that goes in or out holds, in the width of what takes it. */
function fitted(value: AnyValue, { width }: { width: number }, signed: boolean, into: number): AnyValue {
  if (typeof value !== "object" || width === into) return value;
  const fit = (bits: bigint) => BigInt.asUintN(into, signed ? BigInt.asIntN(width, bits) : BigInt.asUintN(width, bits));
  return { a: fit(value.a), b: fit(value.b) };
}

function readTarget(target: Target, frame: Frame, state: State, host: Host): AnyValue {
  if (target.form) throw new NotConstant();
  let a = 0n;
  let b = 0n;
  for (const { signal, width, index, offset, loc } of target.parts) {
    if (typeof offset !== "number") throw new NotConstant();
    const whole: Expr = signal.dims.length
      ? { op: "element", signal, index, width: signal.width, signed: false, loc }
      : { op: "signal", signal, width: signal.width, signed: false, loc };
    const value = valueIn(
      { op: "slice", arg: whole, lsb: offset, width, signed: false, loc },
      frame,
      state,
      host,
    ) as Value;
    a = (a << BigInt(width)) | value.a;
    b = (b << BigInt(width)) | value.b;
  }
  return { a, b };
}

function initial(signal: Signal): AnyValue {
  if (signal.type.kind === "real") return 0;
  if (signal.type.kind === "string") return "";
  const ones = signal.fourState ? (1n << BigInt(signal.width)) - 1n : 0n;
  return signal.init ?? { a: ones, b: ones };
}

/** Whether a variable is one that these statements may use. */
const isKnown = (signal: Signal, state: State): boolean =>
  signal.kind === "local" || (state.around !== undefined && signal.kind === "variable");
/** Where a variable is held. */
const homeOf = (signal: Signal, frame: Frame, state: State): Frame =>
  signal.kind === "variable" ? (state.around ?? frame) : frame;

function frameOf(sub: Subroutine, { kept }: State): Frame {
  if (!kept || sub.automatic) return new Map();
  let frame = kept.get(sub);
  if (!frame) {
    frame = new Map();
    kept.set(sub, frame);
  }
  return frame;
}

function read(signal: Signal, frame: Frame, state: State): AnyValue {
  const value = homeOf(signal, frame, state).get(signal);
  if (value instanceof Map) throw new NotConstant();
  if (value !== undefined) return value;
  // handles and arrays that grow are no constants
  if (!isKnown(signal, state) || signal.type.kind === "class" || signal.type.kind === "container")
    throw new NotConstant();
  return initial(signal);
}

function valueIn(expr: Expr, frame: Frame, state: State, host: Host): AnyValue {
  const value = evaluateAny(expr, (inner) => {
    switch (inner.op) {
      case "signal":
        return read(inner.signal, frame, state);
      case "element": {
        if (!isKnown(inner.signal, state)) throw new NotConstant();
        const at = position(inner.signal, inner.index, frame, state, host);
        const held = homeOf(inner.signal, frame, state).get(inner.signal);
        const element = at === null || !(held instanceof Map) ? undefined : held.get(at);
        return element ?? initial({ ...inner.signal, init: null });
      }
      case "call":
        return call(inner.func, inner.args, frame, state, host);
      case "system": {
        const args = inner.args.map((arg) => {
          if (arg.kind !== "expr") throw new NotConstant();
          return arg.expr;
        });
        const values = args.map((arg) => valueIn(arg, frame, state, host));
        const made = systemValue(
          inner.name,
          values,
          args.map((arg) => arg.width),
        );
        if (made === null) throw new NotConstant();
        return made;
      }
      case "step": {
        const value = valueIn(inner.value, frame, state, host);
        const before = inner.old ? valueIn(inner.old, frame, state, host) : value;
        assign(inner.target, value, frame, state, host);
        return before;
      }
      default:
        throw new NotConstant();
    }
  });
  if (value === null) throw new NotConstant();
  return value;
}

function position(signal: Signal, index: readonly Expr[], frame: Frame, state: State, host: Host): number | null {
  let at = 0;
  for (let d = 0; d < signal.dims.length; d++) {
    const value = valueIn(index[d], frame, state, host) as Value;
    if (value.b) return null;
    const i = Number(index[d].signed ? BigInt.asIntN(index[d].width, value.a) : value.a);
    const size = Math.abs(signal.dims[d].left - signal.dims[d].right) + 1;
    if (i < 0 || i >= size) return null;
    at = at * size + i;
  }
  return at;
}

function assign(target: Target, value: AnyValue, frame: Frame, state: State, host: Host): void {
  let above = target.width;
  for (const part of target.parts) {
    above -= part.width;
    const { signal } = part;
    if (!isKnown(signal, state)) throw new NotConstant();
    const home = homeOf(signal, frame, state);
    let held: Frame | Map<number, AnyValue> = home;
    let key: Signal | number = signal;
    if (signal.dims.length) {
      const at = position(signal, part.index, frame, state, host);
      if (at === null) continue;
      let list = home.get(signal);
      if (!(list instanceof Map)) {
        list = new Map();
        home.set(signal, list);
      }
      held = list;
      key = at;
    }
    const put = (next: AnyValue) => (held as Map<Signal | number, AnyValue>).set(key, next);
    if (typeof value !== "object") {
      put(value);
      continue;
    }
    const mask = (1n << BigInt(part.width)) - 1n;
    const a = (value.a >> BigInt(above)) & mask;
    const b = (value.b >> BigInt(above)) & mask;
    let offset: number;
    if (typeof part.offset === "number") offset = part.offset;
    else {
      const at = valueIn(part.offset, frame, state, host) as Value;
      if (at.b) continue;
      offset = Number(part.offset.signed ? BigInt.asIntN(part.offset.width, at.a) : at.a);
    }
    const old = ((held as Map<Signal | number, AnyValue>).get(key) as Value | undefined) ?? (initial(signal) as Value);
    const full = (1n << BigInt(signal.width)) - 1n;
    const move = (bits: bigint) => (offset >= 0 ? bits << BigInt(offset) : bits >> BigInt(-offset)) & full;
    const hole = full & ~move(mask);
    put({ a: (old.a & hole) | move(a), b: (old.b & hole) | move(b) });
  }
}

function tick(state: State, host: Host, stmt: Stmt): void {
  state.steps++;
  const isLong = (state.steps & 255) === 0 && host.report.work.isOver;
  if (state.steps <= maxSteps && !isLong) return;
  if ("loc" in stmt && stmt.loc)
    host.report.error(
      "verilog/endless-loop",
      stmt.loc,
      isLong
        ? `A constant function has worked for more than ${mostMsForValue / 1000} s when it comes here.`
        : `A constant function has taken ${maxSteps} steps here.`,
      "Check the loop's condition and step.",
    );
  throw new NotConstant();
}

function run(stmt: Stmt, frame: Frame, state: State, host: Host): Jump {
  switch (stmt.op) {
    case "block":
      for (const local of stmt.locals ?? []) frame.delete(local);
      for (const inner of stmt.body) {
        const jump = run(inner, frame, state, host);
        if (jump) return jump === stmt.id ? null : jump;
      }
      return null;
    case "arraycopy": {
      if (!isKnown(stmt.target, state) || !isKnown(stmt.from, state) || !stmt.blocking) throw new NotConstant();
      const from = homeOf(stmt.from, frame, state).get(stmt.from);
      const home = homeOf(stmt.target, frame, state);
      const old = home.get(stmt.target);
      const copied = new Map(old instanceof Map ? old : []);
      for (let i = 0; i < stmt.count; i++) {
        const value = from instanceof Map ? from.get(stmt.fromStart + i) : undefined;
        if (value === undefined) copied.delete(stmt.targetStart + i);
        else copied.set(stmt.targetStart + i, value);
      }
      home.set(stmt.target, copied);
      return null;
    }
    case "call":
      tick(state, host, stmt);
      enter(stmt.sub, stmt.args, frame, state, host);
      return null;
    case "assign":
      tick(state, host, stmt);
      if (!stmt.blocking || stmt.intra) throw new NotConstant();
      assign(stmt.target, valueIn(stmt.value, frame, state, host), frame, state, host);
      return null;
    case "eval":
      valueIn(stmt.expr, frame, state, host);
      return null;
    case "if": {
      const test = valueIn(stmt.test, frame, state, host) as Value;
      if (truthOf(test)) return run(stmt.yes, frame, state, host);
      return stmt.no ? run(stmt.no, frame, state, host) : null;
    }
    case "case": {
      const subject = valueIn(stmt.subject, frame, state, host);
      for (const item of stmt.items) {
        for (const label of item.labels) {
          if (caseMatches(stmt.flavour, subject, valueIn(label, frame, state, host)))
            return run(item.body, frame, state, host);
        }
      }
      return stmt.fallback ? run(stmt.fallback, frame, state, host) : null;
    }
    case "loop": {
      if (stmt.init) run(stmt.init, frame, state, host);
      for (let first = stmt.after; ; first = false) {
        tick(state, host, stmt);
        if (!first && stmt.test && !truthOf(valueIn(stmt.test, frame, state, host) as Value)) return null;
        const jump = run(stmt.body, frame, state, host);
        if (jump === "break") return null;
        if (jump && jump !== "continue") return jump;
        if (stmt.step) run(stmt.step, frame, state, host);
      }
    }
    case "repeat": {
      const count = valueIn(stmt.count, frame, state, host) as Value;
      const turns = count.b ? 0n : stmt.count.signed ? BigInt.asIntN(stmt.count.width, count.a) : count.a;
      for (let i = 0n; i < turns; i++) {
        tick(state, host, stmt);
        const jump = run(stmt.body, frame, state, host);
        if (jump === "break") return null;
        if (jump && jump !== "continue") return jump;
      }
      return null;
    }
    case "disable":
      if (!stmt.block) throw new NotConstant();
      return stmt.block;
    case "return":
    case "break":
    case "continue":
      return stmt.op;
    case "delay":
      // alone, it waits for nothing that could change
      if (!state.around) throw new NotConstant();
      return null;
    case "assert":
      if (state.tell) throw new NotConstant();
      return null;
    case "system":
      if (state.tell) {
        if (!state.tell(stmt, (expr) => valueIn(expr, frame, state, host))) throw new NotConstant();
      } else if (!/^\$/.test(stmt.name) || stmt.args.some((arg) => arg.kind === "place")) throw new NotConstant(); // it changes something
      return null;
    default:
      throw new NotConstant();
  }
}

/** Whether a case item's label fits (IEEE 1364-2005 clause 9.5). For `inside` the label is the whole test. */
function caseMatches(flavour: "case" | "casez" | "casex" | "inside", subject: AnyValue, label: AnyValue): boolean {
  if (typeof subject !== "object" || typeof label !== "object") return subject === label;
  if (flavour === "inside") return truthOf(label) === true;
  if (flavour === "case") return subject.a === label.a && subject.b === label.b;
  const wild = flavour === "casex" ? subject.b | label.b : (subject.b & ~subject.a) | (label.b & ~label.a);
  return ((subject.a ^ label.a) & ~wild) === 0n && ((subject.b ^ label.b) & ~wild) === 0n;
}
