import type { Signal } from "../../elaborate/model.ts";
import { bitType, type DataType, type IntegralType, realType, stringType, vectorType } from "../../elaborate/types.ts";
import type { NamedSignal, VhdlInstance } from "../../elaborate/vhdl/instances/instance.ts";
import { rightOf, type Shape } from "../../elaborate/vhdl/values/shapes.ts";
import type { Sig, SigTree } from "../../elaborate/vhdl/values/signals.ts";
import { type Bits, Codes } from "../../elaborate/vhdl/values/values.ts";
import type { WaveSink } from "../waves/recorder.ts";
import type { Engine } from "./engine.ts";

/** Arrays with more elements are not shown as signals: each is one. */
const mostElements = 64;

/** A signal of VHDL, or one field or element of it, as waves show it. */
export interface ShownSignal {
  readonly signal: Signal;
  readonly leaf: Sig;
  readonly form: "logic" | "code" | "number" | "real" | "text";
}

/** Everything below an instance that can be shown. Signals that ports share are listed in each instance. */
export function shownSignals(
  top: VhdlInstance,
  instanceOf: (of: VhdlInstance) => Signal["instance"],
  firstId: number,
): ShownSignal[] {
  const list: ShownSignal[] = [];
  const walk = (at: VhdlInstance) => {
    const prefix = at.path.slice(1).join(".");
    for (const named of at.signals) add(named, prefix ? `${prefix}.` : "", instanceOf(at));
    for (const child of at.children) walk(child);
  };
  const add = ({ decl, tree, shape }: NamedSignal, prefix: string, instance: Signal["instance"]) => {
    const leaf = (name: string, at: SigTree, own: Shape) => {
      if (Array.isArray(at)) {
        if (own.k === "r") own.fields.forEach((field, i) => leaf(`${name}.${own.type.fields[i].name}`, at[i], field));
        else if (own.k === "a" && at.length <= mostElements) {
          const rest = own.dims && own.dims.length > 1 ? own.dims.slice(1) : null;
          at.forEach((each, i) => {
            const b = own.dims?.[0] ?? { l: 0, d: 0 as const, n: at.length };
            leaf(`${name}(${b.d ? b.l - i : b.l + i})`, each, rest ? { ...own, dims: rest } : own.elem);
          });
        }
        return;
      }
      const { type, form } = displayType(own);
      const integral = type.kind === "integral" ? type : null;
      const dim = integral?.dims[0] ?? { left: (integral?.width ?? 1) - 1, right: 0 };
      list.push({
        leaf: at,
        form,
        signal: {
          id: firstId + list.length,
          name: prefix + name,
          plainName: name.slice(name.lastIndexOf(".") + 1),
          instance,
          type,
          width: integral ? integral.width : type.kind === "real" ? 64 : 0,
          signed: integral?.signed ?? false,
          fourState: true,
          msb: dim.left,
          lsb: dim.right,
          dims: [],
          kind: "net",
          net: "wire",
          direction:
            decl.mode === "out" || decl.mode === "buffer"
              ? "output"
              : decl.mode === "inout"
                ? "inout"
                : decl.mode
                  ? "input"
                  : null,
          automatic: false,
          loc: decl.loc,
          init: null,
          implicit: false,
          isConst: false,
        },
      });
    };
    leaf(decl.name, tree, shape);
  };
  walk(top);
  return list;
}

function displayType(shape: Shape): { type: DataType; form: ShownSignal["form"] } {
  if (shape.k === "a") {
    if (shape.pack === "char" || !shape.pack) return { type: stringType, form: "text" };
    const b = shape.dims?.[0] ?? { l: 0, d: 0 as const, n: 0 };
    const signed = /signed/.test(shape.type.name) && !/unsigned/.test(shape.type.name);
    const type: IntegralType = { ...vectorType(Math.max(1, b.n), signed), dims: [{ left: b.l, right: rightOf(b) }] };
    return { type, form: "logic" };
  }
  if (shape.k !== "s") return { type: stringType, form: "text" };
  const { type } = shape;
  if (type.kind === "real") return { type: realType, form: "real" };
  if (type.kind === "physical") return { type: realType, form: "real" };
  if (type.kind === "enum") {
    if (type.packing === "logic") return { type: bitType, form: "code" };
    if (type.packing === "bit") return { type: bitType, form: "number" };
    const width = Math.max(1, Math.ceil(Math.log2(type.literals.length)));
    const members = type.literals.map((each) => ({ name: each.name, value: { a: BigInt(each.pos), b: 0n } }));
    return { type: { ...vectorType(width), enumeration: { name: type.name, members } }, form: "number" };
  }
  const lo = typeof shape.lo === "number" ? shape.lo : type.kind === "int" ? type.low : 0;
  const hi = typeof shape.hi === "number" ? shape.hi : type.kind === "int" ? type.high : 0;
  if (lo >= 0)
    return { type: vectorType(Math.max(1, Math.min(32, Math.ceil(Math.log2(hi + 1)))), false), form: "number" };
  return { type: vectorType(32, true), form: "number" };
}

/** Records VHDL's signals into the same sink as those of Verilog. */
export class VhdlWaves {
  private readonly entries: { readonly shown: ShownSignal; readonly index: number }[] = [];
  private readonly byLeaf = new Map<Sig, number[]>();
  private readonly dirty: Sig[] = [];
  private readonly marked = new Set<Sig>();

  constructor(
    private readonly engine: Engine,
    readonly signals: readonly ShownSignal[],
  ) {}

  /** @param first Number of the next signal of the sink. */
  declare(isMeant: (signal: Signal) => boolean, topName: string, sink: WaveSink, first: number): void {
    let index = first;
    for (const shown of this.signals) {
      if (!isMeant(shown.signal)) continue;
      const inner = shown.signal.name.split(".");
      sink.declare(shown.signal, [topName, ...inner.slice(0, -1)], shown.signal.plainName);
      const entry = this.entries.push({ shown, index: index++ }) - 1;
      const list = this.byLeaf.get(shown.leaf);
      if (list) list.push(entry);
      else this.byLeaf.set(shown.leaf, [entry]);
    }
    const { byLeaf, marked, dirty } = this;
    this.engine.onEvent = (sig) => {
      if (marked.has(sig) || !byLeaf.has(sig)) return;
      marked.add(sig);
      dirty.push(sig);
    };
  }

  get hasChanges(): boolean {
    return this.dirty.length > 0;
  }
  emitAll(sink: WaveSink): void {
    for (let i = 0; i < this.entries.length; i++) this.emit(i, sink);
    this.forget();
  }
  emitChanges(sink: WaveSink): void {
    for (const sig of this.dirty) for (const i of this.byLeaf.get(sig)!) this.emit(i, sink);
    this.forget();
  }
  forget(): void {
    this.dirty.length = 0;
    this.marked.clear();
  }

  private emit(at: number, sink: WaveSink): void {
    const { shown, index } = this.entries[at];
    const { width } = shown.signal;
    const { v } = shown.leaf;
    switch (shown.form) {
      case "real":
        sink.real(index, v as number);
        return;
      case "text":
        sink.text(index, typeof v === "string" ? v : String(v));
        return;
      case "code": {
        const [a, b] = planes[v as number];
        sink.narrow(index, 1, a, b);
        return;
      }
      case "number":
        sink.narrow(index, width, ((v as number) & (width >= 32 ? -1 : 2 ** width - 1)) >>> 0, 0);
        return;
      case "logic":
        emitBits(v as Bits, index, width, sink);
    }
  }
}

/** Value and other plane of four-state logic, by position of std_ulogic: weak levels are levels, U, W and - are x. */
export const planes: readonly (readonly [number, number])[] = [
  [1, 1],
  [1, 1],
  [0, 0],
  [1, 0],
  [0, 1],
  [1, 1],
  [0, 0],
  [1, 0],
  [1, 1],
];

function emitBits(p: Bits, index: number, width: number, sink: WaveSink): void {
  if (width <= 32) {
    if (typeof p === "number") sink.narrow(index, width, p >>> 0, 0);
    else {
      const { a, b } = fourState(p, width);
      sink.narrow(index, width, Number(a), Number(b));
    }
    return;
  }
  const { a, b } = fourState(p, width);
  sink.bits(index, width, a, b);
}

/** Bits as planes of four-state logic. */
export function fourState(p: Bits, n: number): { a: bigint; b: bigint } {
  if (typeof p === "number") return { a: BigInt(n >= 32 ? p >>> 0 : p), b: 0n };
  if (typeof p === "bigint") return { a: p, b: 0n };
  if (!(p instanceof Codes)) return { a: 0n, b: 0n };
  let a = 0n;
  let b = 0n;
  for (let i = n - 1; i >= 0; i--) {
    const [x, y] = planes[p.c[i]];
    a = (a << 1n) | BigInt(x);
    b = (b << 1n) | BigInt(y);
  }
  return { a, b };
}
