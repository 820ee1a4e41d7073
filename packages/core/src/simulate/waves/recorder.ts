import type { Instance, Signal } from "../../elaborate/model.ts";
import { unpackedDims } from "../../elaborate/types.ts";
import type { Kernel } from "../kernel.ts";
import type { Program } from "../verilog/program.ts";
import type { DumpScope, Runtime } from "../verilog/runtime.ts";
import { elementForm } from "../verilog/storage.ts";
import type { VhdlWaves } from "../vhdl/waves.ts";

/** What a wave file or store is told. Signals are numbered from 0 in the order of `declare`. */
export interface WaveSink {
  begin(precision: number): void;
  /**
   * @param path Scopes from the top on.
   * @param name The signal's own, or that of one element of an array.
   */
  declare(signal: Signal, path: readonly string[], name: string): void;
  /** All declared; values follow. */
  ready(): void;
  time(steps: number): void;
  bits(index: number, width: number, a: bigint, b: bigint): void;
  /** As `bits`, for up to 32 bits: planes as unsigned numbers. */
  narrow(index: number, width: number, a: number, b: number): void;
  real(index: number, value: number): void;
  text(index: number, value: string): void;
  end(steps: number): void;
}

/** What a run is told to record, instead of what `$dumpvars` says. */
export interface RecordScope {
  /** Without the top's name: `u1.lane[2]`; empty for the top itself. */
  readonly path: string;
  /** With all that is inside it, or only its own signals. */
  readonly below: boolean;
}

/** Arrays with more elements are not recorded: each change would look at all of them. */
const mostElements = 64;

/** One recorded signal, or one element of an array: where its value is read. */
interface Recorded {
  readonly signal: Signal;
  /** Of the signal that holds the bits. */
  readonly root: Signal;
  readonly element: number;
  readonly form: "narrow" | "wide" | "real" | "string";
  /** Narrow: store, place, and the stretch of it. */
  readonly a: Int32Array | null;
  readonly b: Int32Array | null;
  readonly at: number;
  readonly shift: number;
  readonly mask: number;
}

/** Records values at the end of each time slot: glitches within a slot are no waves. */
export class WaveRecorder {
  private readonly signals: Recorded[] = [];
  /** Declared signals by the signal that holds their bits. */
  private readonly byRoot = new Map<number, number[]>();
  private readonly last: (string | number | null)[] = [];
  /** Of narrow ones; meaningless before the first value. */
  private lastA = new Int32Array(0);
  private lastB = new Int32Array(0);
  private fresh = new Uint8Array(0);
  private declared = false;
  private pendingDeclare = false;
  private pendingAll = false;
  private on = true;
  private stamped = -1;

  constructor(
    private readonly program: Program,
    private readonly runtime: Runtime,
    private readonly kernel: Kernel,
    private readonly sink: WaveSink,
    private readonly chosen: readonly RecordScope[] | null,
    private readonly vhdl: VhdlWaves | null = null,
  ) {
    runtime.onDump = (what) => {
      if (this.chosen) return;
      // several calls at one time add up: IEEE 1364-2005 18.1.2
      if (what === "vars") this.pendingDeclare = true;
      else if (what === "on" || what === "off") {
        this.on = what === "on";
        this.pendingAll = this.on;
        if (!this.on && this.declared) this.blank();
      } else this.pendingAll = true;
    };
  }

  begin(): void {
    if (this.chosen) this.declareAll();
  }

  private declareAll(): void {
    if (this.declared) return;
    this.declared = true;
    this.pendingAll = true;
    this.sink.begin(this.program.precision);
    const { design, storage } = this.program;
    const scopes = this.chosen
      ? this.chosen.map(
          ({ path, below }): DumpScope => ({ depth: below ? 0 : 1, path: path ? `${path}.` : "", signal: null }),
        )
      : this.runtime.dump.scopes;
    for (const signal of design.signals) {
      if (signal.automatic || /event|object/.test(elementForm(signal)) || signal.instance.kind === "package") continue;
      if (unpackedDims(signal.type).element.kind === "class") continue;
      if (this.program.calls.dissolved.has(signal)) continue;
      const count = storage.places[signal.id].count;
      if (count && (!this.chosen || count > mostElements)) continue;
      if (!scopes.some((scope) => isMeant(signal, scope))) continue;
      const path = [design.top.name, ...scopesOf(signal)];
      for (let element = 0; element < Math.max(1, count); element++) {
        this.add(signal, element);
        this.sink.declare(
          signal,
          path,
          count ? `${signal.plainName}${elementName(signal, element)}` : signal.plainName,
        );
      }
    }
    this.vhdl?.declare(
      (signal) => scopes.some((scope) => isMeant(signal, scope)),
      design.top.name,
      this.sink,
      this.signals.length,
    );
    this.lastA = new Int32Array(this.signals.length);
    this.lastB = new Int32Array(this.signals.length);
    this.fresh = new Uint8Array(this.signals.length).fill(1);
    this.sink.ready();
  }

  private add(signal: Signal, element: number): void {
    const { storage } = this.program;
    const { signal: root, offset } = storage.root(signal);
    const place = storage.places[root.id];
    const form = place.form === "event" || place.form === "object" ? "narrow" : place.form;
    const array = place.count && form === "narrow" ? storage.narrowArrays[place.at] : null;
    const index =
      this.signals.push({
        signal,
        root,
        element,
        form,
        a: form === "narrow" ? (array?.a ?? storage.a) : null,
        b: form === "narrow" ? (array?.b ?? storage.b) : null,
        at: array ? element : place.at,
        shift: offset,
        mask: signal.width >= 32 ? -1 : 2 ** signal.width - 1,
      }) - 1;
    this.last.push(null);
    const list = this.byRoot.get(root.id);
    if (list) list.push(index);
    else this.byRoot.set(root.id, [index]);
    this.runtime.recorded[root.id] = 1;
  }

  private stamp(): void {
    if (this.stamped === this.kernel.now) return;
    this.stamped = this.kernel.now;
    this.sink.time(this.kernel.now);
  }

  private emit(index: number): void {
    const own = this.signals[index];
    const { signal, root, element, form } = own;
    if (form === "narrow") {
      const a = (own.a![own.at] >>> own.shift) & own.mask;
      const b = (own.b![own.at] >>> own.shift) & own.mask;
      if (this.lastA[index] === a && this.lastB[index] === b && this.fresh[index] === 0) return;
      this.lastA[index] = a;
      this.lastB[index] = b;
      this.fresh[index] = 0;
      this.stamp();
      this.sink.narrow(index, signal.width, a >>> 0, b >>> 0);
      return;
    }
    const { storage } = this.program;
    if (form === "real" || form === "string") {
      const value = form === "real" ? storage.readReal(root, element) : storage.readText(root, element);
      if (this.last[index] === value) return;
      this.last[index] = value;
      this.stamp();
      if (typeof value === "number") this.sink.real(index, value);
      else this.sink.text(index, value);
      return;
    }
    const { a, b } = storage.read(signal, element);
    const key = b ? `${a}/${b}` : `${a}`;
    if (this.last[index] === key) return;
    this.last[index] = key;
    this.stamp();
    this.sink.bits(index, signal.width, a, b);
  }

  /** While recording is off, everything is x. */
  private blank(): void {
    this.stamp();
    this.signals.forEach(({ signal, form }, index) => {
      if (form === "real" || form === "string") return;
      const ones = (1n << BigInt(signal.width)) - 1n;
      this.sink.bits(index, signal.width, ones, ones);
      this.last[index] = null;
      this.fresh[index] = 1;
    });
  }

  endSlot(): void {
    if (this.pendingDeclare) {
      this.pendingDeclare = false;
      this.declareAll();
    }
    if (!this.declared) return;
    const { dirty, recorded } = this.runtime;
    if (!this.on) {
      for (const id of dirty) recorded[id] = 1;
      dirty.length = 0;
      this.vhdl?.forget();
      return;
    }
    if (this.pendingAll) {
      this.pendingAll = false;
      for (let index = 0; index < this.signals.length; index++) this.emit(index);
      this.stamp();
      this.vhdl?.emitAll(this.sink);
    }
    if (this.vhdl?.hasChanges) {
      this.stamp();
      this.vhdl.emitChanges(this.sink);
    }
    for (const id of dirty) {
      recorded[id] = 1;
      for (const index of this.byRoot.get(id) ?? []) this.emit(index);
    }
    dirty.length = 0;
  }

  end(): void {
    if (this.declared) this.sink.end(this.kernel.now);
  }
}

/** `[3][1]`: indexes as declared of an element counted from 0. */
function elementName(signal: Signal, element: number): string {
  let rest = element;
  let name = "";
  for (let i = signal.dims.length - 1; i >= 0; i--) {
    const { left, right } = signal.dims[i];
    const size = Math.abs(left - right) + 1;
    name = `[${Math.min(left, right) + (rest % size)}]${name}`;
    rest = Math.floor(rest / size);
  }
  return name;
}

/** Scopes that a signal is in, below the top. An escaped name may hold dots: it is one scope, or the signal's own, all the same. */
function scopesOf({ name, plainName, instance }: Signal): string[] {
  let rest = name.endsWith(plainName)
    ? name.slice(0, name.length - plainName.length)
    : `${name}.`.replace(/[^.]*\.$/, "");
  const own: string[] = [];
  for (let at: Instance | null = instance; at?.parent; at = at.parent) own.unshift(at.ownName ?? at.name);
  const scopes: string[] = [];
  const plain = (text: string) => scopes.push(...text.split(".").filter((part) => part !== ""));
  for (const each of own) {
    const at = `.${rest}`.indexOf(`.${each}.`);
    if (at < 0) continue;
    plain(rest.slice(0, at));
    scopes.push(each);
    rest = rest.slice(at + each.length + 1);
  }
  plain(rest);
  return scopes;
}

function isMeant(signal: Signal, { path, depth, signal: only }: DumpScope): boolean {
  if (path === null) return only === signal.id;
  if (!signal.name.startsWith(path)) return false;
  if (depth === 0) return true;
  return signal.name.slice(path.length).split(".").length <= depth;
}
