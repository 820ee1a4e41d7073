import type { Loc } from "../../common/source.ts";
import { type Bits, bit0, bit1, bitX } from "../../netlist/rtl.ts";
import { numberOf, type RtlBuilder } from "../../netlist/rtl-builder.ts";
import type { Expr, Signal, Subroutine, Target, TargetPart } from "../model.ts";
import type { Report } from "../report.ts";
import { sizeOf, vectorType } from "../types.ts";
import { hardwareBits } from "./hardware-bits.ts";
import { extendBits } from "./lower-expr.ts";
import type { MemoryPlan } from "./lower-memory.ts";

/** Of every bit that statements assign when they are run on symbols: the value, and the condition under which it is assigned at all. */
export interface Slot {
  /** [bits] -1 where nothing was assigned yet. */
  readonly value: readonly number[];
  /** [bits] Net that is 1 when the bit was assigned. */
  readonly assigned: readonly number[];
  /** Set by an outermost `if` whose first branch only sets constants: a synchronous reset. */
  readonly reset?: { readonly condition: number; readonly value: readonly number[]; readonly otherwise: Slot };
}
export type Slots = Map<Signal, Slot>;

/** Parts of a target from its lowest bit up, with the bit of what is assigned that each begins at. */
export function* partsFromLowest({ parts }: Target): Generator<{ readonly part: TargetPart; readonly at: number }> {
  let at = 0;
  for (let i = parts.length - 1; i >= 0; i--) {
    yield { part: parts[i], at };
    at += parts[i].width;
  }
}

export class Env {
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

/** What a process reads and assigns: signals, their bits and elements, and the ports of memories. */
export abstract class TargetLowering {
  protected env = new Env(null);
  /** Signals that are let go somewhere. */
  protected readonly released = new Set<Signal>();

  constructor(
    protected readonly rtl: RtlBuilder,
    /** Net bits of each signal of the design. */
    protected readonly bitsOf: (signal: Signal) => Bits,
    protected readonly report: Report,
    /** Arrays that stay memories; null where there are none. */
    protected readonly memories: MemoryPlan | null = null,
  ) {
    this.firstCell = rtl.cells.length;
  }
  /** Cells from here on were made for what is lowered. */
  protected readonly firstCell: number;
  /** Signals whose values from before were looked at. */
  protected readonly olds = new Set<Signal>();

  unsynthesizable(loc: Loc, what: string): void {
    this.report.error(
      "verilog/not-synthesizable",
      loc,
      `${what} is not synthesizable.`,
      "Keep it in a test bench, or write it with clocked registers.",
    );
  }

  abstract expression(expr: Expr): Bits;

  read(signal: Signal): Bits {
    if (this.memories?.has(signal)) {
      this.memories.refuse(signal, "it is read as a whole");
      return new Array<number>(hardwareBits(signal)).fill(bitX);
    }
    const slot = this.env.find(signal, true);
    if (!slot) {
      if (signal.kind === "local") return new Array<number>(hardwareBits(signal)).fill(bitX);
      this.olds.add(signal);
      return this.bitsOf(signal);
    }
    if (slot.assigned.every((bit) => bit === bit1)) return slot.value;
    const nets = signal.kind === "local" ? null : this.bitsOf(signal);
    this.olds.add(signal);
    return slot.value.map((value, i) => {
      if (slot.assigned[i] === bit1) return value;
      const old = nets ? nets[i] : bitX;
      return slot.assigned[i] === bit0 ? old : this.rtl.mux(slot.assigned[i], [value], [old])[0];
    });
  }

  protected mark(name: string, at: { readonly instance: Subroutine["instance"]; readonly loc: Loc }): Signal {
    return {
      id: -1,
      name,
      plainName: name,
      instance: at.instance,
      type: vectorType(1),
      width: 1,
      signed: false,
      fourState: false,
      msb: 0,
      lsb: 0,
      dims: [],
      kind: "local",
      net: null,
      direction: null,
      automatic: true,
      loc: at.loc,
      init: null,
      implicit: false,
      isConst: false,
    };
  }

  protected readTarget(target: Target): Bits {
    const bits: number[] = [];
    for (let i = target.parts.length - 1; i >= 0; i--) {
      const part = target.parts[i];
      const all = this.element(part.signal, part.index);
      if (typeof part.offset === "number") bits.push(...all.slice(part.offset, part.offset + part.width));
      else bits.push(...this.rtl.shift("shr", all, this.expression(part.offset)).slice(0, part.width));
    }
    return bits;
  }

  /** Bits of one element of an array, or of the whole signal if it is none. */
  element(signal: Signal, index: readonly Expr[]): Bits {
    if (this.memories?.has(signal)) return this.readMemory(signal, index);
    const all = this.read(signal);
    if (signal.dims.length === 0) return all;
    const at = this.flatIndex(signal, index);
    const { width } = signal;
    if (typeof at === "number") {
      if (at < 0) return new Array<number>(width).fill(bitX);
      return all.slice(at * width, (at + 1) * width);
    }
    const words: Bits[] = [];
    for (let i = 0; i < all.length; i += width) words.push(all.slice(i, i + width));
    // halve the candidates with each bit of the index; what is past the end does not matter
    let level = words;
    for (let bit = 0; level.length > 1; bit++) {
      const next: Bits[] = [];
      for (let i = 0; i < level.length; i += 2)
        next.push(i + 1 < level.length ? this.rtl.mux(at[bit] ?? bit0, level[i + 1], level[i]) : level[i]);
      level = next;
    }
    return level[0];
  }

  /** A word, or what the process has just written over it by blocking assignment, bit by bit, if the address is the same. */
  private readMemory(signal: Signal, index: readonly Expr[]): Bits {
    const memories = this.memories!;
    const at = this.flatIndex(signal, index);
    if (at === -1) return new Array<number>(signal.width).fill(bitX);
    const address = typeof at === "number" ? this.rtl.constant({ a: BigInt(at), b: 0n }, at.toString(2).length) : at;
    let word = memories.read(signal, address, this.rtl);
    for (const port of this.writePorts.get(signal) ?? []) {
      const data = port.blocking ? this.env.find(port.data, true) : undefined;
      if (!data?.assigned.some((bit) => bit !== bit0)) continue;
      const held = this.env.find(port.address, true)!.value;
      const here = extendBits(address, held.length, false);
      if (address.length > held.length || !held.every((bit, i) => bit === here[i]))
        memories.refuse(
          signal,
          "after a blocking assignment to one element it is read at another address, and would need the new word at once",
        );
      word = word.map((bit, i) =>
        data.assigned[i] === bit0 ? bit : this.rtl.mux(data.assigned[i], [data.value[i]], [bit])[0],
      );
    }
    return word;
  }

  /** Ports that the process writes memories through: an address, and a word whose bits know when they are assigned. */
  protected readonly writePorts = new Map<Signal, { address: Signal; data: Signal; blocking: boolean }[]>();

  /** Takes the first port that is free on the way here, or has this very address. */
  private writeMemory(signal: Signal, at: Bits, where: Bits, moved: Bits, blocking: boolean): void {
    let ports = this.writePorts.get(signal);
    if (!ports) {
      ports = [];
      this.writePorts.set(signal, ports);
    }
    const addressWidth = Math.max(at.length, (hardwareBits(signal) / signal.width).toString(2).length);
    const address = extendBits(at, addressWidth, false);
    let port = ports.find((each) => {
      if (each.blocking !== blocking || each.address.width !== addressWidth) return false;
      const data = this.env.find(each.data, blocking);
      if (!data || data.assigned.every((bit) => bit === bit0)) return true;
      const held = this.env.find(each.address, blocking);
      return held?.value.every((bit, i) => bit === address[i]);
    });
    if (!port) {
      const pseudo = (name: string, width: number) => ({ ...this.mark(name, signal), type: vectorType(width), width });
      port = { address: pseudo("address", addressWidth), data: pseudo("data", signal.width), blocking };
      ports.push(port);
    }
    this.write(port.address, 0, address, blocking);
    const old = this.slot(port.data, blocking);
    const value = [...old.value];
    const assigned = [...old.assigned];
    where.forEach((here, i) => {
      if (here === bit0) return;
      value[i] = old.value[i] < 0 ? moved[i] : this.rtl.mux(here, [moved[i]], [old.value[i]])[0];
      assigned[i] = this.rtl.or([old.assigned[i]], [here])[0];
    });
    (blocking ? this.env.blocking : this.env.deferred).set(port.data, { value, assigned });
  }

  /** Number of the element, or its bits; -1 when a constant index is outside. */
  private flatIndex(signal: Signal, index: readonly Expr[]): number | Bits {
    let known: number | null = 0;
    let bits: Bits = [bit0];
    for (let d = 0; d < signal.dims.length; d++) {
      const size = sizeOf(signal.dims[d]);
      const own = this.expression(index[d]);
      const value = numberOf(own);
      if (value !== null && value >= BigInt(size)) return -1;
      if (known !== null && value !== null) {
        known = known * size + Number(value);
        continue;
      }
      if (known !== null) {
        bits = this.rtl.constant({ a: BigInt(known), b: 0n }, Math.max(1, known.toString(2).length));
        known = null;
      }
      if (d === 0) bits = own;
      else {
        const width = Math.max(bits.length + size.toString(2).length, own.length) + 1;
        const scale = this.rtl.constant({ a: BigInt(size), b: 0n }, width);
        const scaled = this.rtl.arithmetic("mul", extendBits(bits, width, false), scale, false);
        bits = this.rtl.arithmetic("add", scaled, extendBits(own, width, false), false);
      }
    }
    return known ?? bits;
  }

  /** @param enables [bits] Nets that are 1 while the bit is driven at all. */
  protected assign(target: Target, bits: Bits, blocking: boolean, enables?: Bits): void {
    for (const { part, at } of partsFromLowest(target)) {
      const value = bits.slice(at, at + part.width);
      const drives = enables?.slice(at, at + part.width);
      const { signal, offset } = part;
      this.rtl.hint = signal.name;
      if (drives && (signal.dims.length || typeof offset !== "number"))
        this.unsynthesizable(part.loc, "An element or bit chosen at run time that is released to high impedance");
      if (signal.dims.length) this.writeElement(signal, part.index, offset, value, blocking);
      else if (typeof offset === "number") {
        if (offset < signal.width && offset + part.width > 0) this.write(signal, offset, value, blocking, drives);
      } else this.writeAt(signal, offset, value, blocking);
    }
  }

  protected slot(signal: Signal, blocking: boolean): Slot {
    const known = this.env.find(signal, blocking);
    if (known) return known;
    const bits = hardwareBits(signal);
    return { value: new Array(bits).fill(-1), assigned: new Array(bits).fill(bit0) };
  }

  protected write(signal: Signal, offset: number, bits: Bits, blocking: boolean, enables?: Bits): void {
    if (enables) this.released.add(signal);
    const old = this.slot(signal, blocking);
    const value = [...old.value];
    const assigned = [...old.assigned];
    for (let i = Math.max(0, -offset); i < bits.length && offset + i < value.length; i++) {
      const drives = enables ? enables[i] : bit1;
      value[offset + i] = drives === bit0 ? -1 : bits[i];
      assigned[offset + i] = drives;
    }
    (blocking ? this.env.blocking : this.env.deferred).set(signal, { value, assigned });
  }

  private writeElement(
    signal: Signal,
    index: readonly Expr[],
    offset: number | Expr,
    bits: Bits,
    blocking: boolean,
  ): void {
    const at = this.flatIndex(signal, index);
    const { width } = signal;
    if (this.memories?.has(signal)) {
      const { where, moved } = this.place(offset, bits, width);
      if (typeof at !== "number") this.writeMemory(signal, at, where, moved, blocking);
      else if (at >= 0) {
        const address = this.rtl.constant({ a: BigInt(at), b: 0n }, at.toString(2).length);
        this.writeMemory(signal, address, where, moved, blocking);
      }
      return;
    }
    if (typeof at === "number") {
      if (at < 0) return;
      if (typeof offset === "number") {
        this.write(signal, at * width + offset, bits.slice(0, Math.max(0, width - offset)), blocking);
        return;
      }
    }
    const { where, moved } = this.place(offset, bits, width);
    const old = this.slot(signal, blocking);
    const value = [...old.value];
    const assigned = [...old.assigned];
    const count = value.length / width;
    for (let word = 0; word < count; word++) {
      if (typeof at === "number" && at !== word) continue;
      let hit = bit1;
      if (typeof at !== "number") {
        if (word.toString(2).length > at.length) break;
        hit = this.rtl.eq(at, this.rtl.constant({ a: BigInt(word), b: 0n }, at.length));
      }
      for (let i = 0; i < width; i++) {
        const here = this.rtl.and([hit], [where[i]])[0];
        if (here === bit0) continue;
        const k = word * width + i;
        value[k] = old.value[k] < 0 ? moved[i] : this.rtl.mux(here, [moved[i]], [old.value[k]])[0];
        assigned[k] = this.rtl.or([old.assigned[k]], [here])[0];
      }
    }
    (blocking ? this.env.blocking : this.env.deferred).set(signal, { value, assigned });
  }

  /** Where in `width` bits an offset puts some bits: a mark for each, and the bits moved there. */
  private place(offset: number | Expr, bits: Bits, width: number): { where: Bits; moved: Bits } {
    if (typeof offset === "number") {
      const pad = (fill: number) => new Array<number>(Math.max(0, offset)).fill(fill);
      const ones = [...pad(bit0), ...bits.map(() => bit1)].slice(0, width);
      return {
        where: extendBits(ones, width, false),
        moved: extendBits([...pad(bit0), ...bits].slice(0, width), width, false),
      };
    }
    const room = offset.signed ? bits.length : 0; // below bit 0, for negative offsets
    const total = Math.max(width + room, bits.length);
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
    const ones = extendBits(new Array<number>(bits.length).fill(bit1), total, false);
    return {
      where: this.rtl.shift("shl", ones, by).slice(room, room + width),
      moved: this.rtl.shift("shl", extendBits(bits, total, false), by).slice(room, room + width),
    };
  }

  /** Assignment to bits that an expression selects: every bit gets its own condition. */
  private writeAt(signal: Signal, offset: Expr, bits: Bits, blocking: boolean): void {
    const { where, moved } = this.place(offset, bits, signal.width);
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
}
