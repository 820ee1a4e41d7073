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
import { systemValue } from "./system-values.ts";
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
}
type Frame = Map<Signal, AnyValue | Map<number, AnyValue>>;
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

function call(func: Subroutine, args: readonly (Expr | Target)[], outer: Frame, state: State, host: Host): AnyValue {
  const frame = enter(func, args, outer, state, host);
  if (!func.result) throw new NotConstant();
  return read(func.result, frame);
}

/** Runs a function or task, which may give values back by its arguments. @returns What it leaves behind. */
function enter(sub: Subroutine, args: readonly (Expr | Target)[], outer: Frame, state: State, host: Host): Frame {
  // its body may be read now only; within itself there is none yet
  if (sub.suspends || !host.ready(sub)) throw new NotConstant();
  if (++state.depth > maxDepth) throw new RangeError("depth");
  const frame: Frame = new Map();
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
      assign(given, fitted(read(signal, frame), signal, signal.signed, given.width), outer, state, host);
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

function read(signal: Signal, frame: Frame): AnyValue {
  const value = frame.get(signal);
  if (value instanceof Map) throw new NotConstant();
  if (value !== undefined) return value;
  if (signal.kind !== "local") throw new NotConstant();
  return initial(signal);
}

function valueIn(expr: Expr, frame: Frame, state: State, host: Host): AnyValue {
  const value = evaluateAny(expr, (inner) => {
    switch (inner.op) {
      case "signal":
        return read(inner.signal, frame);
      case "element": {
        if (inner.signal.kind !== "local") throw new NotConstant();
        const at = position(inner.signal, inner.index, frame, state, host);
        const held = frame.get(inner.signal);
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
    if (signal.kind !== "local") throw new NotConstant();
    let held: Frame | Map<number, AnyValue> = frame;
    let key: Signal | number = signal;
    if (signal.dims.length) {
      const at = position(signal, part.index, frame, state, host);
      if (at === null) continue;
      let list = frame.get(signal);
      if (!(list instanceof Map)) {
        list = new Map();
        frame.set(signal, list);
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
      if (stmt.target.kind !== "local" || stmt.from.kind !== "local" || !stmt.blocking) throw new NotConstant();
      const from = frame.get(stmt.from);
      const copied = new Map(
        frame.get(stmt.target) instanceof Map ? (frame.get(stmt.target) as Map<number, AnyValue>) : [],
      );
      for (let i = 0; i < stmt.count; i++) {
        const value = from instanceof Map ? from.get(stmt.fromStart + i) : undefined;
        if (value === undefined) copied.delete(stmt.targetStart + i);
        else copied.set(stmt.targetStart + i, value);
      }
      frame.set(stmt.target, copied);
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
    case "assert":
    case "system":
      return null;
    default:
      throw new NotConstant();
  }
}

/** Whether a case item's label fits (IEEE 1364-2005 clause 9.5). For `inside` the label is the whole test. */
export function caseMatches(
  flavour: "case" | "casez" | "casex" | "inside",
  subject: AnyValue,
  label: AnyValue,
): boolean {
  if (typeof subject !== "object" || typeof label !== "object") return subject === label;
  if (flavour === "inside") return truthOf(label) === true;
  if (flavour === "case") return subject.a === label.a && subject.b === label.b;
  const wild = flavour === "casex" ? subject.b | label.b : (subject.b & ~subject.a) | (label.b & ~label.a);
  return ((subject.a ^ label.a) & ~wild) === 0n && ((subject.b ^ label.b) & ~wild) === 0n;
}
