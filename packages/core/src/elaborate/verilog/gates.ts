import type { Loc } from "../../common/source.ts";
import type { GateItem } from "../../hdl/verilog/ast.ts";
import type { BinaryKind, Expr, Target } from "../model.ts";
import type { Scope } from "../scope.ts";
import { sizeOf } from "../types.ts";
import { sliceTarget } from "./bind-instance.ts";
import type { ItemBinder } from "./bind-items.ts";

const logic: Readonly<Record<string, { kind: BinaryKind; invert: boolean }>> = {
  and: { kind: "and", invert: false },
  nand: { kind: "and", invert: true },
  or: { kind: "or", invert: false },
  nor: { kind: "or", invert: true },
  xor: { kind: "xor", invert: false },
  xnor: { kind: "xor", invert: true },
};

/** Gate primitives (IEEE 1364-2005 clause 7) as continuous assignments; both switches of a `tran` join their nets. */
export function bindGate(binder: ItemBinder, item: GateItem, scope: Scope): void {
  const { design } = binder;
  const { report, exprs, refs, stmts } = design;
  const { gate, pins, loc } = item;
  const count = item.range ? sizeOf(design.types.dim(item.range, scope)) : 1;
  const delay = item.delay && stmts.delay(item.delay, scope);
  const wrong = (need: string) =>
    report.error("verilog/gate", loc, `A ${gate} gate needs ${need}.`, "Correct its pins.");

  /** Bit `i` of a pin: of a pin of one bit, the same bit each time. */
  const input = (at: number, i: number): Expr => {
    const expr = exprs.selfDetermined(pins[at], scope);
    if (expr.width === 1) return expr;
    return { op: "slice", arg: expr, lsb: count > 1 ? i : 0, width: 1, signed: false, loc: expr.loc };
  };
  const drive = (at: number, i: number, value: Expr, strength = item.strength): void => {
    const target = refs.target(pins[at], scope);
    if (!target) return;
    const bit: Target = target.width === 1 ? target : sliceTarget(target, count > 1 ? i : 0, 1);
    design.assigns.push({ target: bit, value, delay, strength, instance: scope.instance, loc });
  };
  const not = (arg: Expr): Expr => ({ op: "unary", kind: "not", arg, width: 1, signed: false, loc });
  const z: Expr = { op: "const", value: { a: 0n, b: 1n }, width: 1, signed: false, loc };
  const cond = (test: Expr, yes: Expr, no: Expr): Expr => ({ op: "cond", test, yes, no, width: 1, signed: false, loc });

  if (logic[gate]) {
    if (pins.length < 2) {
      wrong("an output and at least one input");
      return;
    }
    const { kind, invert } = logic[gate];
    for (let i = 0; i < count; i++) {
      let value = input(1, i);
      for (let pin = 2; pin < pins.length; pin++)
        value = {
          op: "binary",
          kind,
          left: value,
          right: input(pin, i),
          operandSigned: false,
          width: 1,
          signed: false,
          loc,
        };
      if (pins.length === 2) value = not(not(value)); // z becomes x
      drive(0, i, invert ? not(value) : value);
    }
    return;
  }
  if (gate === "buf" || gate === "not") {
    if (pins.length < 2) {
      wrong("at least one output, and its input last");
      return;
    }
    for (let i = 0; i < count; i++) {
      const inverted = not(input(pins.length - 1, i));
      for (let pin = 0; pin < pins.length - 1; pin++) drive(pin, i, gate === "not" ? inverted : not(inverted));
    }
    return;
  }
  if (gate === "pullup" || gate === "pulldown") {
    const one = gate === "pullup";
    for (let pin = 0; pin < pins.length; pin++) {
      const { width } = exprs.typeOf(pins[pin], scope);
      const target = refs.target(pins[pin], scope);
      const value: Expr = {
        op: "const",
        value: { a: one ? (1n << BigInt(width)) - 1n : 0n, b: 0n },
        width,
        signed: false,
        loc,
      };
      if (target)
        design.assigns.push({
          target,
          value,
          delay: null,
          strength: item.strength ?? { zero: 5, one: 5 },
          instance: scope.instance,
          loc,
        });
    }
    return;
  }
  const three = /^(bufif|notif)([01])$/.exec(gate);
  const mos = /^r?(n|p)mos$/.exec(gate);
  if (three || mos) {
    if (pins.length !== 3) {
      wrong("an output, an input and a control");
      return;
    }
    const onOne = three ? three[2] === "1" : mos![1] === "n";
    for (let i = 0; i < count; i++) {
      const data = input(1, i);
      const passed = mos ? data : three![1] === "notif" ? not(data) : not(not(data));
      drive(0, i, onOne ? cond(input(2, i), passed, z) : cond(input(2, i), z, passed));
    }
    return;
  }
  if (gate === "cmos" || gate === "rcmos") {
    if (pins.length !== 4) {
      wrong("an output, an input and two controls");
      return;
    }
    for (let i = 0; i < count; i++) {
      const open: Expr = {
        op: "binary",
        kind: "or",
        left: input(2, i),
        right: not(input(3, i)),
        operandSigned: false,
        width: 1,
        signed: false,
        loc,
      };
      drive(0, i, cond(open, input(1, i), z));
    }
    return;
  }
  const controlled = /^r?tranif([01])$/.exec(gate);
  if (controlled) {
    if (pins.length !== 3) {
      wrong("two nets and a control");
      return;
    }
    const end = (at: number, i: number) => {
      const target = refs.target(pins[at], scope);
      const bit = target && (target.width === 1 ? target : sliceTarget(target, count > 1 ? i : 0, 1));
      const [part] = bit?.parts ?? [];
      if (!part || part.index.length || typeof part.offset !== "number" || part.signal.kind !== "net") return null;
      return { signal: part.signal, bit: part.offset };
    };
    for (let i = 0; i < count; i++) {
      const [a, b] = [end(0, i), end(1, i)];
      if (!a || !b) {
        wrong("single bits of nets, with constant indexes, at its two ends");
        return;
      }
      design.noteRead(a.signal);
      design.noteRead(b.signal);
      const control = input(2, i);
      const on = controlled[1] === "1" ? control : not(control);
      const index = design.switches.push({ a, b }) - 1;
      const args = [exprs.number(BigInt(index), 32, loc), on].map((expr) => ({ kind: "expr" as const, expr }));
      design.processes.push({
        kind: "always_comb",
        events: "star",
        body: { op: "system", name: "switch.set", args, instance: scope.instance, scope: scope.prefix, loc },
        instance: scope.instance,
        loc,
        eventLoc: loc,
        name: gate,
      });
    }
    return;
  }
  if (gate === "tran" || gate === "rtran") {
    const a = pins[0] && refs.target(pins[0], scope);
    const b = pins[1] && refs.target(pins[1], scope);
    if (!a || !b) return;
    const [inner] = a.parts;
    const [outer] = b.parts;
    const plain =
      a.parts.length === 1 &&
      b.parts.length === 1 &&
      inner.width === inner.signal.width &&
      inner.signal !== outer.signal;
    if (plain && typeof outer.offset === "number")
      design.joins.push({ inner: inner.signal, outer: outer.signal, offset: outer.offset, loc });
    else unsupported(binder, gate, loc);
    return;
  }
  unsupported(binder, gate, loc);
}

function unsupported(binder: ItemBinder, gate: string, loc: Loc): void {
  binder.design.report.error(
    "verilog/unsupported",
    loc,
    `A ${gate} gate is not supported here.`,
    "Use a continuous assignment with z, or a net of its own.",
  );
}
