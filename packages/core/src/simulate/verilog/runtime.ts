import type { DesignFiles } from "../../common/design-files.ts";
import type { Loc } from "../../common/source.ts";
import type { AnyValue, Expr, Signal, Value } from "../../elaborate/model.ts";
import { systemValue } from "../../elaborate/system-functions.ts";
import type { PlainTask } from "../../elaborate/system-tasks.ts";
import { type ContainerType, type DataType, sizeOf } from "../../elaborate/types.ts";
import { type Kernel, type Thread } from "../kernel.ts";
import { Container, type Item, isBits } from "./container.ts";
import { type ContainerArg, containerCall } from "./container-calls.ts";
import {
  type FormatContext,
  formatArgs,
  formatText,
  type PrintArg,
  patternText,
  type Radix,
  type TimeFormat,
} from "./format.ts";
import { helpers, type makeOutputs } from "./helpers.ts";
import { loadMemory } from "./memory-file.ts";
import { copyObject, makeObject, NullHandleError, ObjectValue, TypedValue, WrongTypeError } from "./objects.ts";
import type { Program } from "./program.ts";
import { PropertyRun } from "./property-run.ts";
import { distribution, distUniform, randomInteger } from "./random.ts";
import { scanText } from "./scan.ts";
import { elementForm } from "./storage.ts";
import { Switches } from "./switches.ts";
import { type TaskRun, taskRuns } from "./system-tasks.ts";

/** What `$dumpvars` asked to record: a scope by its prefix (`u1.`), or one signal. */
export interface DumpScope {
  /** Levels of scopes; 0 for all below. */
  readonly depth: number;
  readonly path: string | null;
  readonly signal: number | null;
}

/** What a run tells to the outside while it runs. */
interface Listener {
  /** Text as the design prints it, with the place that printed it. */
  print(text: string, loc: Loc, time: number): void;
  /** `$error` and its kin, failed assertions, violations. */
  message(severity: "error" | "warning" | "note", code: string, text: string, loc: Loc, time: number): void;
}
interface RunInputs {
  readonly seed: number;
  /** `NAME` or `NAME=value` words. */
  readonly plusArgs: readonly string[];
  readonly files: DesignFiles;
}

export type TaskArg =
  | PrintArg
  | ((PrintArg | object) & {
      readonly kind: "bits" | "real" | "string";
      readonly set?: (value: unknown) => void;
      readonly form?: string;
      readonly width?: number;
    })
  | { readonly kind: "array"; readonly signal: number }
  | { readonly kind: "object"; readonly object: Container }
  | { readonly kind: "scope"; readonly path: string };

interface Monitor {
  readonly args: () => TaskArg[];
  readonly radix: Radix;
  readonly context: number;
  readonly file: number | null;
  last: string | null;
}
/** Turns of a loop that printed text counts for, where no time goes on. */
const turnsOfPrint = 64;

class OpenFile {
  at = 0;
  constructor(
    /** Pieces that it writes to; null if it only reads. */
    readonly chunks: string[] | null,
    /** Written where it stands, not at its end. */
    readonly changes: boolean,
    private readonly before: string,
  ) {}
  /** What is in it. */
  get text(): string {
    return this.chunks ? this.chunks.join("") : this.before;
  }
}
interface Delayed {
  live: { cancelled: boolean } | null;
  target: string;
  a: bigint;
  b: bigint;
}

/** System tasks and functions, resolution of nets, delays and forces: what compiled code asks of its surroundings. */
export class Runtime {
  outputs!: ReturnType<typeof makeOutputs>;
  program!: Program;
  kernel!: Kernel;
  /** [signals] 1: recorded; 2: recorded, and changed in this slot. */
  recorded = new Uint8Array(0);
  readonly dirty: number[] = [];
  forceLevel = new Uint8Array(0);
  readonly setters: ((...args: never[]) => void)[] = [];
  readonly slotOf: number[] = [];
  readonly fourOf: boolean[] = [];
  /** The signal that a force writes at this moment. */
  open = -1;
  start: () => void = () => {};
  readonly open_: (OpenFile | null)[] = [null, null, null];
  readonly channels: (OpenFile | null)[] = [null];
  monitor: Monitor | null = null;
  monitorOn = true;
  private readonly fileMonitors: Monitor[] = [];
  timeFormat!: TimeFormat;
  private seed: number;
  uSeed: number;
  private readonly delays = new Map<number, Delayed>();
  private readonly heldValues = new Map<number, [number | bigint, number | bigint]>();
  private readonly forces = new Map<string, { apply: () => void; thread: Thread | null }>();
  readonly assertions: { passed: number; failed: number; covered: number }[] = [];
  readonly dump = {
    file: null as string | null,
    started: false,
    on: true,
    scopes: [] as DumpScope[],
  };
  /** Called when something is to be looked at after each slot. */
  onMonitor: () => void = () => {};
  onDump: ((what: "vars" | "on" | "off" | "all") => void) | null = null;

  constructor(
    readonly listener: Listener,
    readonly inputs: RunInputs,
  ) {
    this.seed = inputs.seed | 0;
    this.uSeed = (inputs.seed ^ 0x5bd1e995) | 0;
  }

  bind(program: Program, kernel: Kernel): void {
    this.program = program;
    this.kernel = kernel;
    const count = program.design.signals.length;
    this.recorded = new Uint8Array(count);
    this.forceLevel = new Uint8Array(count);
    for (const place of program.storage.places) this.slotOf[place.signal.id] = place.at;
    this.timeFormat = { unit: program.precision, precision: 0, suffix: "", width: 20 };
    for (const _ of program.assertions) this.assertions.push({ passed: 0, failed: 0, covered: 0 });
  }

  // ---- time ---------------------------------------------------------------------------------------------------

  scaled(steps: number): number {
    return Math.round(this.kernel.now / steps);
  }

  scaledReal(steps: number): number {
    return this.kernel.now / steps;
  }

  format(context: number): FormatContext {
    const { scope, unit } = this.program.tasks.contexts[context];
    return { scope, unit, timeFormat: this.timeFormat };
  }

  // ---- assertions ---------------------------------------------------------------------------------------------

  passed(index: number): void {
    this.assertions[index].passed++;
  }
  failed(index: number): void {
    this.assertions[index].failed++;
  }
  covered(index: number): void {
    this.assertions[index].covered++;
  }
  assertFailed(index: number): void {
    const { label, text, loc } = this.program.assertions[index];
    const name = label ? `'${label}'` : "Assertion";
    this.listener.message(
      "error",
      "sim/assertion",
      `${name} failed: ${text.replace(/\s+/g, " ")}`,
      loc,
      this.kernel.now,
    );
  }
  violation(place: number, check: string, what: string): void {
    this.listener.message(
      "warning",
      "sim/no-match",
      `No branch of this '${check} ${what}' was taken.`,
      this.program.places[place],
      this.kernel.now,
    );
  }

  // ---- nets ---------------------------------------------------------------------------------------------------

  /** One driver of a net with several has a new value for some of its bits. */
  drive(id: number, index: number, offset: number, width: number, a: bigint, b: bigint): void {
    const signal = this.program.design.signals[id];
    const net = this.program.resolved.get(signal)!;
    const driver = net.drivers[index];
    const mask = ((1n << BigInt(width)) - 1n) << BigInt(offset);
    driver.a = (driver.a & ~mask) | (a << BigInt(offset));
    driver.b = (driver.b & ~mask) | (b << BigInt(offset));
    if (this.switches?.has(net)) {
      this.settleSwitches();
      return;
    }
    const value = this.resolve(id);
    this.store(id, value.a, value.b);
  }

  private switches: Switches | null = null;

  private settleSwitches(): void {
    for (const { id, a, b } of this.switches!.values((net) => this.resolve(net))) this.store(id, a, b);
  }

  /** Gives a signal a value from outside of the compiled code. */
  store(id: number, a: bigint, b: bigint): void {
    const set = this.setters[id] as unknown as (a: number | bigint, b: number | bigint) => void;
    if (this.program.design.signals[id].width <= 32) set(helpers.down(a), helpers.down(b));
    else set(a, b);
  }

  private resolve(id: number): Value {
    const signal = this.program.design.signals[id];
    const { drivers } = this.program.resolved.get(signal)!;
    const ones = (1n << BigInt(signal.width)) - 1n;
    const kind = signal.net;
    if (
      drivers.some((driver) => driver.zero !== 6 || driver.one !== 6) ||
      kind === "tri0" ||
      kind === "tri1" ||
      kind === "trireg"
    )
      return this.resolveByStrength(id);
    let a = 0n;
    let b = ones; // z
    for (const driver of drivers) {
      const firstZ = b & ~a;
      const secondZ = driver.b & ~driver.a;
      const known1 = ~b & ~driver.b & ones;
      let na: bigint;
      let nb: bigint;
      if (kind === "wand" || kind === "triand") {
        const zero = (~a & ~b) | (~driver.a & ~driver.b);
        nb = (b | driver.b) & ~zero & ones;
        na = ((a & driver.a & ~zero) | nb) & ones;
      } else if (kind === "wor" || kind === "trior") {
        const one = (a & ~b) | (driver.a & ~driver.b);
        nb = (b | driver.b) & ~one & ones;
        na = (one | nb | (a & driver.a)) & ones;
      } else {
        // equal values stay, different ones make x
        const same = known1 & ~(a ^ driver.a) & ones;
        na = (a & same) | (ones & ~same);
        nb = ones & ~same;
      }
      a = (na & ~firstZ & ~secondZ) | (driver.a & firstZ) | (a & secondZ & ~firstZ);
      b = (nb & ~firstZ & ~secondZ) | (driver.b & firstZ) | (b & secondZ & ~firstZ);
    }
    return { a, b };
  }

  /** Bit by bit: the strongest known driver wins, equals that differ make x (IEEE 1364-2005 clause 7.10). */
  private resolveByStrength(id: number): Value {
    const signal = this.program.design.signals[id];
    const { drivers } = this.program.resolved.get(signal)!;
    const old = this.program.storage.read(signal);
    let a = 0n;
    let b = 0n;
    for (let i = 0n; i < BigInt(signal.width); i++) {
      let zero = -1;
      let one = -1;
      for (const driver of drivers) {
        const da = (driver.a >> i) & 1n;
        const db = (driver.b >> i) & 1n;
        if (db && !da) continue; // z
        if (db) {
          zero = Math.max(zero, driver.zero);
          one = Math.max(one, driver.one);
        } else if (da) one = Math.max(one, driver.one);
        else zero = Math.max(zero, driver.zero);
      }
      if (zero === 0) zero = -1; // highz0, highz1
      if (one === 0) one = -1;
      let va = 0n;
      let vb = 0n;
      if (zero < 0 && one < 0) {
        if (signal.net === "tri1") va = 1n;
        else if (signal.net === "trireg") {
          va = (old.a >> i) & 1n;
          vb = (old.b >> i) & 1n;
        } else if (signal.net !== "tri0") vb = 1n;
      } else if (one > zero) va = 1n;
      else if (one === zero) {
        va = 1n;
        vb = 1n;
      }
      a |= va << i;
      b |= vb << i;
    }
    return { a, b };
  }

  /** Inertial delay: a newer value takes the place of one that has not arrived (IEEE 1364-2005 clause 6.1.3). */
  delayed(
    process: number,
    width: number,
    times: readonly number[],
    a: bigint,
    b: bigint,
    apply: (a: bigint, b: bigint) => void,
  ): void {
    let state = this.delays.get(process);
    if (!state) {
      const x = (1n << BigInt(width)) - 1n; // until the first value arrives
      state = { live: null, target: "", a: x, b: x };
      this.delays.set(process, state);
    }
    const key = helpers.key(a, b);
    if (state.live) {
      if (state.target === key) return;
      state.live.cancelled = true;
      state.live = null;
    }
    if (state.a === a && state.b === b) return;
    const ones = (1n << BigInt(width)) - 1n;
    const [rise, fall = rise, off = Math.min(rise, fall)] = times;
    let time: number;
    if (times.length === 1) time = rise;
    else if (b !== 0n) time = (b & ~a) === ones ? off : Math.min(rise, fall, times.length > 2 ? off : rise);
    else time = a === 0n ? fall : rise;
    const event = { cancelled: false };
    state.live = event;
    state.target = key;
    const current = state;
    this.kernel.after(time, () => {
      if (event.cancelled) return;
      current.live = null;
      current.a = a;
      current.b = b;
      apply(a, b);
    });
  }

  // ---- force --------------------------------------------------------------------------------------------------

  held(id: number, a: number | bigint, b: number | bigint): void {
    this.heldValues.set(id, [a, b]);
  }

  forcing(id: number, on: boolean): void {
    this.open = on ? id : -1;
  }

  force(id: number, strong: boolean, apply: () => void, reads: readonly number[]): void {
    const level = strong ? 2 : 1;
    const key = `${id}:${level}`;
    const before = this.forces.get(key);
    if (before?.thread) this.kernel.kill(before.thread);
    const { kernel } = this;
    const run = () => {
      if (this.forceLevel[id] <= level) apply();
    };
    const entry: { apply: () => void; thread: Thread | null } = { apply: run, thread: null };
    const signal = this.program.design.signals[id];
    if (signal.kind === "net" && this.forceLevel[id] === 0) {
      // what its drivers give, to go back to
      const { a, b } = this.program.storage.read(signal);
      this.heldValues.set(id, signal.width <= 32 ? [helpers.down(a), helpers.down(b)] : [a, b]);
    }
    if (this.forceLevel[id] < level) this.forceLevel[id] = level;
    if (reads.length) {
      entry.thread = kernel.spawn(kernel.currentProcess, function* (thread) {
        for (;;) {
          // what has changed before the first wait counts too
          run();
          kernel.wait(
            thread,
            reads.map((signal) => ({ signal, edge: null, bit: null, probe: null, guard: null })),
          );
          yield;
        }
      });
    }
    this.forces.set(key, entry);
    run();
  }

  release(id: number, strong: boolean): void {
    const key = `${id}:${strong ? 2 : 1}`;
    const entry = this.forces.get(key);
    if (entry?.thread) this.kernel.kill(entry.thread);
    this.forces.delete(key);
    const weaker = strong ? this.forces.get(`${id}:1`) : undefined;
    if (!strong && this.forceLevel[id] === 2) return;
    this.forceLevel[id] = weaker ? 1 : 0;
    if (weaker) weaker.apply();
    else {
      const signal = this.program.design.signals[id];
      const held = this.heldValues.get(id);
      this.heldValues.delete(id);
      // a net goes back to what drives it; a variable keeps its value
      if (signal.kind === "net" && held)
        (this.setters[id] as unknown as (a: unknown, b: unknown) => void)(held[0], held[1]);
    }
  }

  // ---- tasks --------------------------------------------------------------------------------------------------

  print(text: string, context: number, file: number | null): void {
    const { loc } = this.program.tasks.contexts[context];
    // a loop that prints without an end is found before it has filled a disk
    this.kernel.loopTurns += turnsOfPrint;
    if (file === null) {
      this.listener.print(text, loc, this.kernel.now);
      return;
    }
    if (file >>> 31) {
      const number = file & 0x7fffffff;
      if (number === 1 || number === 2) this.listener.print(text, loc, this.kernel.now);
      else this.putText(this.open_[number], text);
      return;
    }
    // a multichannel descriptor: each bit a file, bit 0 the standard output
    if (file & 1) this.listener.print(text, loc, this.kernel.now);
    for (let i = 1; i < 31; i++) if ((file >>> i) & 1) this.putText(this.channels[i], text);
  }

  private putText(file: OpenFile | null | undefined, text: string): void {
    if (!file?.chunks) return;
    const { files } = this.inputs;
    if (!file.changes) files.put(file.chunks, text);
    else {
      files.putAt(file.chunks, file.at, text);
      file.at += text.length;
    }
  }

  number(arg: TaskArg | undefined, fallback = 0): number {
    if (arg?.kind === "bits" && "a" in arg)
      return Number(BigInt.asIntN(64, arg.signed ? BigInt.asIntN(arg.width, arg.a & ~arg.b) : arg.a & ~arg.b));
    if (arg?.kind === "real" && "value" in arg) return arg.value;
    return fallback;
  }

  text(arg: TaskArg | undefined): string {
    if (arg && "text" in arg && typeof arg.text === "string") return arg.text;
    if (arg?.kind === "bits" && "a" in arg) return helpers.bitsText(arg.a, arg.b);
    return "";
  }

  task(name: string, given: TaskArg[] | (() => TaskArg[]), context: number): void {
    const match = /^\$(display|write|fdisplay|fwrite|strobe|monitor|fstrobe|fmonitor)([boh]?)$/.exec(name);
    if (match) {
      this.printTask(match[1], (match[2] || "d") as Radix, given, context);
      return;
    }
    const args = given as TaskArg[];
    if (name.startsWith("container.")) {
      this.call(name, args, context);
      return;
    }
    if (name === "switch.set") {
      this.switches ??= new Switches(this.program);
      this.switches.set(this.number(args[0]), args[1] as PrintArg & { kind: "bits" });
      this.settleSwitches();
      return;
    }
    const run = taskRuns[name as PlainTask] as TaskRun | undefined;
    if (run) run(this, args, context, name);
    else this.call(name, args, context); // a function called for what it does
  }

  setText(target: { set?: (value: unknown) => void; form?: string }, text: string): void {
    target.set?.(target.form === "string" ? text : { a: helpers.textBits(text), b: 0n });
  }

  /** @throws NullHandleError */
  object(handle: unknown, place: number): ObjectValue {
    if (handle instanceof ObjectValue) return handle;
    throw new NullHandleError(place);
  }

  makeObject(id: number): ObjectValue {
    return makeObject(this.program.design.classes![id]);
  }

  copyObject(object: ObjectValue): ObjectValue {
    return copyObject(object);
  }

  any(kind: "bits" | "real" | "string", value: unknown, width: number): TypedValue {
    return new TypedValue(kind, value instanceof Container ? value.copy() : value, width);
  }

  /** @param detail Width of bits; class of a handle, or -1. @throws WrongTypeError */
  take(value: TypedValue, kind: string, detail: number, place: number): unknown {
    if (!(value instanceof TypedValue) || value.kind !== kind) throw new WrongTypeError(place);
    if (kind !== "bits") {
      if (
        value.value instanceof ObjectValue ? detail < 0 || !this.isA(value.value, detail) : detail >= 0 && value.value
      )
        throw new WrongTypeError(place);
      return value.value;
    }
    const { a, b } = value.value as { a: bigint; b: bigint };
    return { a: BigInt.asUintN(detail, a), b: BigInt.asUintN(detail, b) };
  }

  /** Whether a handle may be one of this class; null may be of any. */
  isA(handle: unknown, id: number): boolean {
    return !(handle instanceof ObjectValue) || handle.model.lineage.includes(id);
  }

  get types(): readonly DataType[] {
    return this.program.types;
  }

  makeContainer(signal: number): Container {
    return new Container(this.program.design.signals[signal].type as ContainerType);
  }

  copyContainer(from: Container): Container {
    return from.copy();
  }

  emptyContainer(object: Container): Container {
    object.delete(null);
    return object;
  }

  /** Arrays are printed as patterns (IEEE 1800-2017 clause 21.2.1.7). */
  shown(args: readonly TaskArg[]): PrintArg[] {
    return args.map((arg) =>
      arg.kind === "string" && "text" in arg && typeof arg.text === "object"
        ? { kind: "pattern", text: itemText(arg.text as Item, null) }
        : arg.kind === "object"
          ? { kind: "pattern", text: containerText(arg.object) }
          : arg.kind === "array"
            ? { kind: "pattern", text: this.arrayText(this.program.design.signals[arg.signal]) }
            : arg,
    ) as PrintArg[];
  }

  private arrayText(signal: Signal): string {
    const { storage } = this.program;
    const form = elementForm(signal);
    const element = (index: number): string => {
      if (form === "real") return patternText({ kind: "real", value: storage.readReal(signal, index) });
      if (form === "string") return patternText({ kind: "string", text: storage.readText(signal, index) });
      return patternText({ kind: "bits", width: signal.width, signed: signal.signed, ...storage.read(signal, index) });
    };
    const level = (depth: number, from: number): string => {
      const dim = signal.dims[depth];
      if (!dim) return element(from);
      const inner = signal.dims.slice(depth + 1).reduce((product, each) => product * sizeOf(each), 1);
      const size = sizeOf(dim);
      const list = Array.from({ length: size }, (_, i) =>
        level(depth + 1, from + (dim.left <= dim.right ? i : size - 1 - i) * inner),
      );
      return `'{${list.join(", ")}}`;
    };
    return level(0, 0);
  }

  private printTask(what: string, radix: Radix, given: TaskArg[] | (() => TaskArg[]), context: number): void {
    const toFile = what.startsWith("f");
    const kind = toFile ? what.slice(1) : what;
    if (kind === "display" || kind === "write") {
      const list = given as TaskArg[];
      const args = toFile ? list.slice(1) : list;
      const text = formatArgs(this.shown(args), radix, this.format(context)) + (kind === "display" ? "\n" : "");
      this.print(text, context, toFile ? this.number(list[0]) | 0 : null);
      return;
    }
    const args = given as () => TaskArg[];
    const file = toFile ? this.number(args()[0]) | 0 : null;
    if (kind === "strobe") {
      this.kernel.postponed.push(() => {
        const list = args();
        this.print(
          `${formatArgs(this.shown(toFile ? list.slice(1) : list), radix, this.format(context))}\n`,
          context,
          file,
        );
      });
      return;
    }
    const monitor: Monitor = { args, radix, context, file, last: null };
    this.onMonitor();
    if (toFile) this.fileMonitors.push(monitor);
    else this.monitor = monitor;
  }

  /** At the end of every slot: monitors print when something but the time has changed. */
  endSlot(): void {
    if (this.monitor) this.runMonitor(this.monitor);
    for (const monitor of this.fileMonitors) this.runMonitor(monitor);
  }

  runMonitor(monitor: Monitor): void {
    if (!this.monitorOn && monitor === this.monitor) return;
    const list = monitor.args();
    const args = (monitor.file === null ? list : list.slice(1)) as PrintArg[];
    let key = "";
    for (const arg of args) {
      if (arg.kind === "bits" && !("time" in arg)) key += `${arg.a}/${arg.b};`;
      else if (arg.kind === "real") key += `${arg.value};`;
      else if (arg.kind === "string") key += `${arg.text};`;
    }
    if (monitor.last === key) return;
    monitor.last = key;
    this.print(`${formatArgs(args, monitor.radix, this.format(monitor.context))}\n`, monitor.context, monitor.file);
  }

  readMemory(name: string, args: TaskArg[], loc: Loc): void {
    const [file, array, from, to] = args;
    const path = this.text(file);
    const tell = (text: string) => this.listener.message("error", "sim/memory-file", text, loc, this.kernel.now);
    if (array?.kind !== "array") {
      tell(`${name} fills an array; '${path}' was given none.`);
      return;
    }
    const text = this.inputs.files.read(path);
    if (text === null) {
      tell(`There is no file '${path}' in the design.`);
      return;
    }
    const signal = this.program.design.signals[array.signal];
    const problem = loadMemory(
      this.program.storage,
      signal,
      text,
      name.endsWith("h"),
      from ? this.number(from) : null,
      to ? this.number(to) : null,
    );
    if (problem) tell(`${path}: ${problem}`);
    for (const process of this.program.readers(signal)) this.kernel.wake(process);
    this.kernel.trigger(array.signal);
  }

  private readonly runs = new Map<number, PropertyRun>();
  private readonly sampling = new Set<number>();

  /** Concurrent assertions: see `Properties`. */
  private property(what: string, args: readonly TaskArg[]): void {
    if (what === "sample") {
      const [from, to] = args.map((arg) => this.program.design.signals[(arg as unknown as { signal: number }).signal]);
      if (this.sampling.has(to.id)) return;
      this.sampling.add(to.id);
      this.kernel.postponed.push(() => {
        this.sampling.delete(to.id);
        this.program.storage.copy(from, to);
      });
      return;
    }
    const number = this.number(args[0]);
    let run = this.runs.get(number);
    if (!run) {
      run = new PropertyRun(number, this.program.design.properties!.trees[number]);
      this.runs.set(number, run);
    }
    if (what === "tick") {
      const values = Uint8Array.from(args.slice(1), (arg) => {
        const { a, b } = arg as PrintArg & { kind: "bits" };
        return (a & ~b) === 0n ? 0 : 1;
      });
      this.give(BigInt(run.tick(values)));
    } else if (what === "result") this.give(run.result() ? 1n : 0n);
    else run.reset();
  }

  // ---- functions ----------------------------------------------------------------------------------------------

  private give(value: bigint, unknown = 0n): void {
    this.outputs.a = value;
    this.outputs.b = unknown;
  }

  call(name: string, args: TaskArg[], context: number): void {
    const out = this.outputs;
    const bits = (at: number) => args[at] as PrintArg & { kind: "bits" };
    if (name.startsWith("container.")) {
      const value = containerCall(name.slice(10), args as ContainerArg[], () => this.urandom());
      if (value === null) return;
      if (isBits(value)) this.give(value.a, value.b);
      else out.v = value as string;
      return;
    }
    if (name.startsWith("property.")) {
      this.property(name.slice(9), args);
      return;
    }
    const place = args[0] as { set?: (value: unknown) => void };
    switch (name) {
      case "$random": {
        const own = args.length > 0;
        const drawn = randomInteger(own ? this.number(args[0]) | 0 : this.seed);
        if (own) place.set?.({ a: BigInt.asUintN(32, BigInt(drawn.seed)), b: 0n });
        else this.seed = drawn.seed;
        this.give(BigInt.asUintN(32, BigInt(drawn.value)));
        return;
      }
      case "$urandom":
        if (args.length) this.uSeed = this.number(args[0]) | 0;
        this.give(BigInt(this.urandom()));
        return;
      case "$urandom_range": {
        const [x, y] = [this.number(args[0]), args[1] ? this.number(args[1]) : 0];
        const [low, high] = x < y ? [x, y] : [y, x];
        this.give(BigInt(low + (this.urandom() % (high - low + 1))));
        return;
      }
      case "$dist_uniform": {
        const drawn = distUniform(this.number(args[0]) | 0, this.number(args[1]), this.number(args[2]));
        place.set?.({ a: BigInt.asUintN(32, BigInt(drawn.seed)), b: 0n });
        this.give(BigInt.asUintN(32, BigInt(drawn.value)));
        return;
      }
      case "$dist_normal":
      case "$dist_exponential":
      case "$dist_poisson":
      case "$dist_chi_square":
      case "$dist_t":
      case "$dist_erlang": {
        const y = args[2] ? this.number(args[2]) : 0;
        const drawn = distribution(name.slice(6), this.number(args[0]) | 0, this.number(args[1]), y);
        place.set?.({ a: BigInt.asUintN(32, BigInt(drawn.seed)), b: 0n });
        this.give(BigInt.asUintN(32, BigInt(drawn.value)));
        return;
      }
      case "$realtime":
        out.v = this.kernel.now / 10 ** (this.program.tasks.contexts[context].unit - this.program.precision);
        return;
      case "$test$plusargs": {
        const wanted = this.text(args[0]);
        this.give(this.inputs.plusArgs.some((arg) => arg.startsWith(wanted)) ? 1n : 0n);
        return;
      }
      case "$value$plusargs":
        this.valuePlusArgs(args);
        return;
      case "$sformatf":
      case "$psprintf":
        out.v =
          args[0]?.kind === "string"
            ? formatText(this.text(args[0]), args as PrintArg[], 1, this.format(context)).text
            : formatArgs(this.shown(args), "d", this.format(context));
        return;
      case "$fopen":
        this.give(BigInt.asUintN(32, BigInt(this.openFile(this.text(args[0]), args[1] ? this.text(args[1]) : null))));
        return;
      case "$feof":
      case "$fgetc":
      case "$fgets":
      case "$fscanf":
      case "$sscanf":
      case "$ftell":
      case "$rewind":
      case "$fseek":
      case "$ungetc":
      case "$ferror":
        this.readFileCall(name, args);
        return;
      case "$cast":
        if (args.length > 2 && !args.slice(2).some((_, i) => bits(i + 2).a === bits(1).a && bits(1).b === 0n)) {
          this.give(0n);
          return;
        }
        place.set?.(
          (args[0] as { form?: string }).form === "string" ? this.text(args[1]) : { a: bits(1).a, b: bits(1).b },
        );
        this.give(1n);
        return;
      case "event.triggered":
        this.give(this.kernel.triggered((args[0] as { signal: number }).signal) ? 1n : 0n);
        return;
      case "$stime":
      case "$time":
        this.give(BigInt(this.scaled(10 ** (this.program.tasks.contexts[context].unit - this.program.precision))));
        return;
      default: {
        const value = systemValue(
          name,
          args.map((arg) => this.anyOf(arg, name.startsWith("string."))),
          args.map((arg) => (arg.kind === "bits" && arg.width) || 0),
        );
        if (typeof value !== "object") out.v = value;
        else this.give(value?.a ?? 0n, value?.b);
      }
    }
  }
  private anyOf(arg: TaskArg, isPlain: boolean): AnyValue {
    if ("text" in arg) return arg.text as string;
    return arg.kind === "bits" && "a" in arg && !isPlain ? { a: arg.a, b: arg.b } : this.number(arg);
  }

  /** A system function within an expression with unknown bits. */
  systemValue(expr: Expr & { op: "system" }, evaluate: (arg: Expr) => AnyValue): AnyValue {
    const unit = this.program.currentInstance.timeScale.unit;
    const steps = 10 ** (unit - this.program.precision);
    if (expr.name === "$time" || expr.name === "$stime") return { a: BigInt(this.scaled(steps)), b: 0n };
    if (expr.name === "$realtime") return this.kernel.now / steps;
    const args = expr.args.map((arg): PrintArg => {
      if (arg.kind !== "expr") return { kind: "none" };
      const value = evaluate(arg.expr);
      if (typeof value === "number") return { kind: "real", value };
      if (typeof value === "string") return { kind: "string", text: value };
      return { kind: "bits", width: arg.expr.width, signed: arg.expr.signed, ...value };
    });
    this.call(expr.name, args, 0);
    if (expr.form) return this.outputs.v as AnyValue;
    return { a: BigInt.asUintN(expr.width, this.outputs.a), b: BigInt.asUintN(expr.width, this.outputs.b) };
  }

  private urandom(): number {
    // xorshift32 (Marsaglia 2003): small, and the same for a seed everywhere
    let x = this.uSeed || 0x9e3779b9;
    x ^= x << 13;
    x ^= x >>> 17;
    x ^= x << 5;
    this.uSeed = x | 0;
    return Math.imul(x, 0x9e3779b1) >>> 0;
  }

  private valuePlusArgs(args: TaskArg[]): void {
    const format = this.text(args[0]);
    const match = /^(.*?)%0?([dhxbosefgDHXBOSEFG])/.exec(format);
    const prefix = match ? match[1] : format;
    const found = this.inputs.plusArgs.find((arg) => arg.startsWith(prefix));
    if (found === undefined) {
      this.give(0n);
      return;
    }
    const place = args[1] as { set?: (value: unknown) => void; form?: string };
    const rest = found.slice(prefix.length);
    const kind = match ? match[2].toLowerCase() : "s";
    if (kind === "s") this.setText(place, rest);
    else if (/[efg]/.test(kind) || place.form === "real") place.set?.(Number.parseFloat(rest) || 0);
    else {
      const radix = kind === "d" ? 10 : kind === "b" ? 2 : kind === "o" ? 8 : 16;
      const clean = rest.replace(/_/g, "");
      const prefixText = radix === 16 ? "0x" : radix === 8 ? "0o" : radix === 2 ? "0b" : "";
      let value = 0n;
      try {
        value = clean.startsWith("-") ? -BigInt(prefixText + clean.slice(1)) : BigInt(prefixText + (clean || "0"));
      } catch {
        this.give(0n);
        return;
      }
      place.set?.({ a: BigInt.asUintN(4096, value), b: 0n });
    }
    this.give(1n);
  }

  private openFile(name: string, mode: string | null): number {
    // as fopen of ISO C: r must be there, w begins anew, a goes on behind, + does both (IEEE 1364-2005 17.2.1)
    const plain = mode?.replace("b", "") ?? "w";
    const { files } = this.inputs;
    const isThere = plain.startsWith("r") ? files.read(name) : "";
    if (isThere === null) return 0;
    const chunks = plain === "r" ? null : files.open(name, !plain.startsWith("w"));
    if (plain !== "r" && !chunks) return 0;
    const file = new OpenFile(chunks, plain === "r+" || plain === "w+", isThere);
    if (mode === null) {
      for (let i = 1; i < 31; i++) {
        if (this.channels[i]) continue;
        this.channels[i] = file;
        return 1 << i;
      }
      return 0;
    }
    let number = this.open_.indexOf(null, 3);
    if (number < 0) number = this.open_.length;
    this.open_[number] = file;
    return number | 0x80000000 | 0;
  }

  private readFileCall(name: string, args: TaskArg[]): void {
    const handle = (at: number) => this.open_[(this.number(args[at]) | 0) & 0x7fffffff] ?? null;
    const minusOne = BigInt.asUintN(32, -1n);
    switch (name) {
      case "$feof": {
        const file = handle(0);
        this.give(!file || file.at >= file.text.length ? 1n : 0n);
        return;
      }
      case "$fgetc": {
        const file = handle(0);
        this.give(!file || file.at >= file.text.length ? minusOne : BigInt(file.text.charCodeAt(file.at++) & 255));
        return;
      }
      case "$ungetc": {
        const file = handle(1);
        if (file && file.at > 0) file.at--;
        this.give(0n);
        return;
      }
      case "$fgets": {
        const file = handle(1);
        if (!file || file.at >= file.text.length) {
          this.give(0n);
          return;
        }
        const end = file.text.indexOf("\n", file.at);
        const line = file.text.slice(file.at, end < 0 ? undefined : end + 1);
        file.at += line.length;
        this.setText(args[0] as { set?: (value: unknown) => void }, line);
        this.give(BigInt(line.length));
        return;
      }
      case "$ftell":
        this.give(BigInt(handle(0)?.at ?? 0));
        return;
      case "$rewind":
      case "$fseek": {
        const file = handle(0);
        if (file) {
          const offset = name === "$rewind" ? 0 : this.number(args[1]);
          const from = name === "$rewind" ? 0 : ([0, file.at, file.text.length][this.number(args[2])] ?? 0);
          file.at = Math.max(0, from + offset);
        }
        this.give(file ? 0n : minusOne);
        return;
      }
      case "$fscanf":
      case "$sscanf": {
        const file = name === "$fscanf" ? handle(0) : null;
        const source = name === "$fscanf" ? (file?.text.slice(file.at) ?? "") : this.text(args[0]);
        if (source === "" && name === "$fscanf") {
          this.give(minusOne);
          return;
        }
        const { values, used } = scanText(source, this.text(args[1]));
        values.forEach((value, i) => {
          const place = args[2 + i] as { set?: (value: unknown) => void; form?: string } | undefined;
          if (!place?.set) return;
          if (typeof value === "string") this.setText(place, value);
          else if (typeof value === "number")
            place.set(place.form === "real" ? value : { a: BigInt.asUintN(64, BigInt(Math.round(value))), b: 0n });
          else place.set(place.form === "real" ? Number(value.a) : value);
        });
        if (file) file.at += used;
        this.give(values.length === 0 && source.trim() === "" ? minusOne : BigInt(values.length));
        return;
      }
      default:
        this.give(0n);
    }
  }
}

function itemText(item: Item, type: DataType | null): string {
  if (typeof item === "string") return type?.kind === "class" ? "null" : patternText({ kind: "string", text: item });
  if (typeof item === "number") return patternText({ kind: "real", value: item });
  if (item instanceof Container) return containerText(item);
  if (item instanceof TypedValue) return "any";
  if (item instanceof ObjectValue) return objectText(item);
  const own = type?.kind === "integral" ? type : null;
  return patternText({
    kind: "bits",
    width: own?.width ?? 64,
    signed: own?.signed ?? false,
    ...item,
    ...(own ? { type: own } : {}),
  });
}

/** Its variables with their names; objects within it by their classes. */
function objectText({ model, p }: ObjectValue): string {
  const list = model.slots.map(({ name, type }, i): string => {
    const value = p[2 * i];
    if (type.kind === "class") return `${name}:${value instanceof ObjectValue ? value.model.name : "null"}`;
    if (type.kind !== "integral") return `${name}:${itemText(value as Item, type)}`;
    const wide = (plane: unknown) => (typeof plane === "bigint" ? plane : BigInt((plane as number) >>> 0));
    return `${name}:${itemText({ a: wide(value), b: wide(p[2 * i + 1]) }, type)}`;
  });
  return `'{${list.join(", ")}}`;
}

function containerText(object: Container): string {
  const text = itemText;
  const { element, key, flavour } = object.type;
  const list =
    flavour === "map"
      ? object.entries().map(([name, value]) => `${text(name, key)}:${text(value, element)}`)
      : object.items().map((item) => text(item, element));
  return `'{${list.join(", ")}}`;
}
