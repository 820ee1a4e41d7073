import type { DesignModel, Signal, Value } from "../../elaborate/model.ts";
import { sizeOf } from "../../elaborate/types.ts";
import { Container } from "./container.ts";

/**
 * Where values live during a run. Up to 32 bits: two planes of 32-bit integers, `a` and `b`, as in IEEE 1364
 * clause 27; bits above the width are 0. Wider ones: two bigints. Arrays have storage of their own, one a word.
 */
type Form = "narrow" | "wide" | "real" | "string" | "event" | "object";

export interface Place {
  readonly signal: Signal;
  readonly form: Form;
  /** Index in the store of its form; for arrays, in the list of arrays of its form. */
  readonly at: number;
  /** Number of elements; 0 for what is no array. */
  readonly count: number;
  /** This signal is bits `offset` and up of another. */
  readonly view: { readonly base: Signal; readonly offset: number } | null;
}

interface NarrowArray {
  readonly a: Int32Array;
  readonly b: Int32Array;
}
interface WideArray {
  readonly a: bigint[];
  readonly b: bigint[];
}

export class Storage {
  readonly places: Place[] = [];
  readonly a: Int32Array;
  readonly b: Int32Array;
  readonly wideA: bigint[] = [];
  readonly wideB: bigint[] = [];
  readonly real: Float64Array;
  readonly text: string[] = [];
  readonly narrowArrays: NarrowArray[] = [];
  readonly wideArrays: WideArray[] = [];
  readonly realArrays: Float64Array[] = [];
  readonly textArrays: string[][] = [];
  readonly objects: Container[] = [];

  /** @param views Signals that are stretches of others. */
  constructor(design: DesignModel, views: ReadonlyMap<Signal, { base: Signal; offset: number }>) {
    let narrow = 0;
    let real = 0;
    for (const signal of design.signals) {
      const element = elementForm(signal);
      const count = signal.dims.reduce((product, dim) => product * sizeOf(dim), signal.dims.length ? 1 : 0);
      const view = views.get(signal) ?? null;
      let at = -1;
      if (!view && !signal.automatic) {
        if (count) at = this.addArray(signal, element, count);
        else if (element === "narrow") at = narrow++;
        else if (element === "real") at = real++;
        else if (element === "wide") {
          const start = startValue(signal);
          at = this.wideA.push(start.a) - 1;
          this.wideB.push(start.b);
        } else if (element === "string") at = this.text.push("") - 1;
        else if (signal.type.kind === "container") at = this.objects.push(new Container(signal.type)) - 1;
      }
      this.places[signal.id] = { signal, form: element, at, count, view };
    }
    this.a = new Int32Array(narrow);
    this.b = new Int32Array(narrow);
    this.real = new Float64Array(real);
    for (const { signal, form, at, count, view } of this.places) {
      if (view || at < 0 || count || form !== "narrow") continue;
      const start = startValue(signal);
      this.a[at] = Number(BigInt.asIntN(32, start.a));
      this.b[at] = Number(BigInt.asIntN(32, start.b));
    }
  }

  private addArray(signal: Signal, form: Form, count: number): number {
    const start = startValue(signal);
    if (form === "narrow") {
      const a = new Int32Array(count).fill(Number(BigInt.asIntN(32, start.a)));
      return this.narrowArrays.push({ a, b: new Int32Array(count).fill(Number(BigInt.asIntN(32, start.b))) }) - 1;
    }
    if (form === "wide")
      return (
        this.wideArrays.push({
          a: new Array<bigint>(count).fill(start.a),
          b: new Array<bigint>(count).fill(start.b),
        }) - 1
      );
    if (form === "real") return this.realArrays.push(new Float64Array(count)) - 1;
    return this.textArrays.push(new Array<string>(count).fill("")) - 1;
  }

  /** The signal that holds this one's bits, and how far up they begin. */
  root(signal: Signal): { signal: Signal; offset: number } {
    let at = signal;
    let offset = 0;
    for (;;) {
      const { view } = this.places[at.id];
      if (!view) return { signal: at, offset };
      offset += view.offset;
      at = view.base;
    }
  }

  /** Value of a signal of bits, or of one element of an array. */
  read(signal: Signal, element = 0): Value {
    const { signal: base, offset } = this.root(signal);
    const { form, at, count } = this.places[base.id];
    let a: bigint;
    let b: bigint;
    if (form === "narrow") {
      const array = count ? this.narrowArrays[at] : null;
      a = BigInt.asUintN(32, BigInt(array ? array.a[element] : this.a[at]));
      b = BigInt.asUintN(32, BigInt(array ? array.b[element] : this.b[at]));
    } else {
      const array = count ? this.wideArrays[at] : null;
      a = array ? array.a[element] : this.wideA[at];
      b = array ? array.b[element] : this.wideB[at];
    }
    if (base === signal) return { a, b };
    return {
      a: BigInt.asUintN(signal.width, a >> BigInt(offset)),
      b: BigInt.asUintN(signal.width, b >> BigInt(offset)),
    };
  }

  /** What one signal of bits holds goes to another, which nothing waits for. */
  copy(from: Signal, to: Signal): void {
    const { a, b } = this.read(from);
    const { form, at } = this.places[to.id];
    if (form === "narrow") {
      this.a[at] = Number(BigInt.asIntN(32, a));
      this.b[at] = Number(BigInt.asIntN(32, b));
    } else {
      this.wideA[at] = a;
      this.wideB[at] = b;
    }
  }

  readReal(signal: Signal, element = 0): number {
    const { at, count } = this.places[signal.id];
    return count ? this.realArrays[at][element] : this.real[at];
  }

  readText(signal: Signal, element = 0): string {
    const { at, count } = this.places[signal.id];
    return count ? this.textArrays[at][element] : this.text[at];
  }
}

export function elementForm(signal: Signal): Form {
  let type = signal.type;
  while (type.kind === "array") type = type.element;
  if (type.kind === "container") return "object";
  if (type.kind === "class" || type.kind === "any") return "string";
  if (type.kind === "real" || type.kind === "string" || type.kind === "event") return type.kind;
  return signal.width <= 32 ? "narrow" : "wide";
}

/** What a signal holds before time 0: its own start value, else x for variables, z for nets, 0 for two-state ones. */
function startValue(signal: Signal): Value {
  if (signal.init) return signal.init;
  const ones = (1n << BigInt(signal.width)) - 1n;
  if (signal.kind === "net") {
    if (signal.net === "trireg") return { a: ones, b: ones };
    if (signal.net === "tri0") return { a: 0n, b: 0n };
    if (signal.net === "tri1") return { a: ones, b: 0n };
    return { a: 0n, b: ones };
  }
  return signal.fourState ? { a: ones, b: ones } : { a: 0n, b: 0n };
}
