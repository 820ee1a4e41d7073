import type { Signal } from "../elaborate/model.ts";
import type { Kernel } from "./kernel.ts";
import type { Program } from "./program.ts";
import type { Runtime } from "./runtime.ts";
import { elementForm } from "./storage.ts";

/** What a wave file or store is told. Signals are numbered from 0 in the order of `declare`. */
export interface WaveSink {
  begin(precision: number): void;
  /** @param path Scopes from the top on. */
  declare(signal: Signal, path: readonly string[]): void;
  /** All declared; values follow. */
  ready(): void;
  time(steps: number): void;
  bits(index: number, width: number, a: bigint, b: bigint): void;
  real(index: number, value: number): void;
  text(index: number, value: string): void;
  end(steps: number): void;
}

/** Records values at the end of each time slot: glitches within a slot are no waves. */
export class WaveRecorder {
  private readonly signals: Signal[] = [];
  /** Declared signals by the signal that holds their bits. */
  private readonly byRoot = new Map<number, number[]>();
  private readonly last: (string | number | null)[] = [];
  private declared = false;
  private pendingAll = false;
  private on = true;
  private stamped = -1;

  constructor(
    private readonly program: Program,
    private readonly runtime: Runtime,
    private readonly kernel: Kernel,
    private readonly sink: WaveSink,
    private readonly everything: boolean,
  ) {
    runtime.onDump = (what) => {
      if (this.everything) return;
      if (what === "vars") this.declareAll();
      else if (what === "on" || what === "off") {
        this.on = what === "on";
        this.pendingAll = this.on;
        if (!this.on && this.declared) this.blank();
      } else this.pendingAll = true;
    };
  }

  begin(): void {
    if (this.everything) this.declareAll();
  }

  private declareAll(): void {
    if (this.declared) return;
    this.declared = true;
    this.pendingAll = true;
    this.sink.begin(this.program.precision);
    const { design, storage } = this.program;
    const scopes = this.everything ? [{ depth: 0, path: "" as string | null, signal: null }] : this.runtime.dump.scopes;
    for (const signal of design.signals) {
      if (
        signal.automatic ||
        signal.dims.length ||
        elementForm(signal) === "event" ||
        signal.instance.kind === "package"
      )
        continue;
      if (!scopes.some((scope) => within(signal, scope.path ?? "", scope.depth))) continue;
      const index = this.signals.push(signal) - 1;
      this.last.push(null);
      const { signal: root } = storage.root(signal);
      const list = this.byRoot.get(root.id);
      if (list) list.push(index);
      else this.byRoot.set(root.id, [index]);
      this.runtime.recorded[root.id] = 1;
      const inner = signal.name.split(".");
      this.sink.declare(signal, [design.top.name, ...inner.slice(0, -1)]);
    }
    this.sink.ready();
  }

  private stamp(): void {
    if (this.stamped === this.kernel.now) return;
    this.stamped = this.kernel.now;
    this.sink.time(this.kernel.now);
  }

  private emit(index: number): void {
    const signal = this.signals[index];
    const { storage } = this.program;
    const form = elementForm(signal);
    if (form === "real" || form === "string") {
      const { signal: root } = storage.root(signal);
      const value = form === "real" ? storage.readReal(root) : storage.readText(root);
      if (this.last[index] === value) return;
      this.last[index] = value;
      this.stamp();
      if (typeof value === "number") this.sink.real(index, value);
      else this.sink.text(index, value);
      return;
    }
    const { a, b } = storage.read(signal);
    const key = b ? `${a}/${b}` : `${a}`;
    if (this.last[index] === key) return;
    this.last[index] = key;
    this.stamp();
    this.sink.bits(index, signal.width, a, b);
  }

  /** While recording is off, everything is x. */
  private blank(): void {
    this.stamp();
    this.signals.forEach((signal, index) => {
      if (elementForm(signal) === "real" || elementForm(signal) === "string") return;
      const ones = (1n << BigInt(signal.width)) - 1n;
      this.sink.bits(index, signal.width, ones, ones);
      this.last[index] = null;
    });
  }

  endSlot(): void {
    if (!this.declared) return;
    const { dirty, recorded } = this.runtime;
    if (!this.on) {
      for (const id of dirty) recorded[id] = 1;
      dirty.length = 0;
      return;
    }
    if (this.pendingAll) {
      this.pendingAll = false;
      for (let index = 0; index < this.signals.length; index++) this.emit(index);
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

/** @param depth Levels of scopes below `path`; 0 for all. */
function within(signal: Signal, path: string, depth: number): boolean {
  if (!signal.name.startsWith(path)) return false;
  if (depth === 0) return true;
  return signal.name.slice(path.length).split(".").length <= depth;
}
