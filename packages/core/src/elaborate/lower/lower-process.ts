import type { Loc } from "../../common/source.ts";
import { type Bits, bit0, bit1, bitX } from "../../netlist/rtl.ts";
import type { RtlBuilder } from "../../netlist/rtl-builder.ts";
import { evaluate } from "../evaluate.ts";
import type { Expr, Process, Signal, Stmt } from "../model.ts";
import type { Report } from "../report.ts";
import { hardwareBits } from "./hardware-bits.ts";
import type { MemoryPlan } from "./lower-memory.ts";
import { StatementLowering } from "./lower-stmt.ts";
import { Env, type Slot, type Slots } from "./lower-target.ts";

/**
 * A process as circuit: its statements run once on symbols. In a clocked process the condition under which a bit is
 * assigned becomes the clock enable; in a combinational one anything less than "always" is a latch.
 */
interface Latch {
  readonly signal: Signal;
  readonly loc: Loc;
  /** A variable that is always assigned, but looked at before: what it holds then depends on how often the process ran. */
  readonly isLate?: boolean;
}
export interface Edge {
  readonly signal: Signal;
  readonly bit: number;
  readonly rising: boolean;
  readonly loc: Loc;
}

export class ProcessLowering extends StatementLowering {
  constructor(
    rtl: RtlBuilder,
    bitsOf: (signal: Signal) => Bits,
    report: Report,
    /** Called for each stretch of a signal that the process drives. */
    private readonly drive: (signal: Signal, offset: number, bits: Bits, loc: Loc, enables?: Bits) => void,
    memories: MemoryPlan | null = null,
  ) {
    super(rtl, bitsOf, report, memories);
  }

  combinational(process: Process): Latch[] {
    this.rtl.hint = hintOf(process);
    this.takesRelease = true;
    this.exec(process.body, false);
    for (const signal of this.writePorts.keys()) this.memories!.refuse(signal, "it is written without a clock");
    const latches: Latch[] = [];
    const changed = this.changed();
    const kept = this.keptOf(process, changed);
    for (const signal of process.own ?? []) {
      if (!kept.has(signal)) changed.delete(signal);
      else if (!changed.get(signal) || changed.get(signal)!.assigned.every((bit) => bit === bit1)) {
        latches.push({ signal, loc: process.loc, isLate: true });
        changed.delete(signal);
      }
    }
    for (const [signal, slot] of changed) {
      if (this.released.has(signal)) {
        const value = slot.value.map((bit) => (bit < 0 ? bitX : bit));
        this.drive(signal, 0, value, process.loc, slot.assigned);
        continue;
      }
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

  clocked(process: Process, edges: readonly Edge[]): void {
    this.rtl.hint = hintOf(process);
    let body = process.body;
    let clock = edges[0];
    let asyncReset: { net: number; branch: Slots } | null = null;
    if (edges.length > 1) {
      const split = this.asyncSplit(process, edges);
      if (!split) return;
      clock = split.clock;
      const outer = this.env;
      this.env = new Env(outer);
      this.exec(split.branch, false);
      for (const signal of this.writePorts.keys()) this.memories!.refuse(signal, "the asynchronous reset sets it");
      const isKept = ([signal]: readonly [Signal, Slot]) => signal.kind !== "local" && !this.loopVariables.has(signal);
      const branch: Slots = new Map([...[...this.env.blocking].filter(isKept), ...this.env.deferred]);
      this.env = outer;
      const source = this.bitsOf(split.reset.signal)[split.reset.bit];
      this.rtl.loc = split.reset.loc;
      this.rtl.hint = split.reset.signal.name;
      asyncReset = { net: split.activeHigh ? source : this.rtl.not([source])[0], branch };
      this.rtl.hint = hintOf(process);
      body = split.rest;
    }
    this.exec(body, asyncReset === null);
    const clockNet = this.bitsOf(clock.signal)[clock.bit];
    this.finishMemories(clockNet, clock.rising, asyncReset?.net ?? bit0);
    const slots = this.changed();
    const kept = this.keptOf(process, slots);
    for (const signal of process.own ?? []) if (!kept.has(signal)) slots.delete(signal);
    for (const signal of asyncReset?.branch.keys() ?? []) {
      if (!slots.has(signal) && (kept.has(signal) || !process.own?.includes(signal)))
        slots.set(signal, {
          value: new Array(hardwareBits(signal)).fill(-1),
          assigned: new Array(hardwareBits(signal)).fill(bit0),
        });
    }
    const stops = process.resetLast !== true;
    for (const [signal, slot] of slots)
      this.flipFlops(signal, slot, clockNet, clock.rising, asyncReset, process.loc, stops);
  }

  /** Of a process's own variables, those whose old values something else is made of. */
  private keptOf(process: Process, slots: Slots): Set<Signal> {
    const kept = new Set<Signal>();
    const open = (process.own ?? []).filter((signal) => this.olds.has(signal));
    if (open.length === 0) return kept;
    const ownerOf = new Map<number, Signal>();
    for (const signal of open) for (const net of this.bitsOf(signal)) ownerOf.set(net, signal);
    const makers = new Map<number, number>();
    const { cells } = this.rtl;
    for (let i = this.firstCell; i < cells.length; i++) for (const net of cells[i].output) makers.set(net, i);
    const seen = new Set<number>();
    const waiting: number[] = [];
    const look = (net: number) => {
      if (net < 0 || seen.has(net)) return;
      seen.add(net);
      const owner = ownerOf.get(net);
      if (owner && !kept.has(owner)) {
        kept.add(owner);
        lookAt(owner);
      }
      const maker = makers.get(net);
      if (maker !== undefined) waiting.push(maker);
    };
    const lookAt = (signal: Signal) => {
      const slot = slots.get(signal);
      for (const each of [slot, slot?.reset?.otherwise]) {
        each?.value.forEach(look);
        each?.assigned.forEach(look);
      }
      if (slot?.reset) look(slot.reset.condition);
    };
    const own = new Set(process.own);
    for (const signal of slots.keys()) if (!own.has(signal)) lookAt(signal);
    for (const ports of this.writePorts.values()) {
      for (const port of ports)
        for (const signal of [port.data, port.address]) {
          const slot = this.env.find(signal, port.blocking);
          slot?.value.forEach(look);
          slot?.assigned.forEach(look);
        }
    }
    for (let cell = waiting.pop(); cell !== undefined; cell = waiting.pop())
      for (const input of cells[cell].inputs) input.forEach(look);
    return kept;
  }

  private finishMemories(clock: number, rising: boolean, reset: number): void {
    const { rtl } = this;
    for (const [signal, ports] of this.writePorts) {
      rtl.hint = signal.name;
      for (const port of ports) {
        const data = this.env.find(port.data, port.blocking);
        const address = this.env.find(port.address, port.blocking);
        if (!data || !address) continue;
        const known = (bits: readonly number[]) => bits.map((bit) => (bit < 0 ? bitX : bit));
        const open = rtl.not([reset])[0];
        const enables = new Map<number, number>(); // most bits share one
        const enable = data.assigned.map((bit) => {
          let gated = enables.get(bit);
          if (gated === undefined) {
            gated = rtl.and([bit], [open])[0];
            enables.set(bit, gated);
          }
          return gated;
        });
        if (enable.every((bit) => bit === bit0)) continue;
        this.memories!.write(signal, { address: known(address.value), data: known(data.value), enable, clock, rising });
      }
    }
  }

  private flipFlops(
    signal: Signal,
    slot: Slot,
    clock: number,
    rising: boolean,
    asyncReset: { net: number; branch: Slots } | null,
    loc: Loc,
    /** Registers that the reset does not set stand still while it is on. */
    stops: boolean,
  ): void {
    const width = hardwareBits(signal);
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
          `The asynchronous reset of '${signal.plainName}' loads a value that is not a constant.`,
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
        if (asyncReset && stops && !hasReset[from]) enable = this.rtl.and([enable], this.rtl.not([asyncReset.net]))[0];
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
    edges: readonly Edge[],
  ): { clock: Edge; reset: Edge; activeHigh: boolean; branch: Stmt; rest: Stmt } | null {
    let body = process.body;
    while (body.op === "block" && body.body.length === 1) body = body.body[0];
    if (edges.length === 2 && body.op === "if") {
      for (const reset of edges) {
        const truth = (value: bigint) => {
          const read = (expr: Expr) =>
            expr.op === "signal" && expr.signal === reset.signal ? { a: value << BigInt(reset.bit), b: 0n } : null;
          const result = evaluate((body as Stmt & { op: "if" }).test, read);
          return result && !result.b ? result.a : null;
        };
        const active = reset.rising ? 1n : 0n;
        if (truth(active) === 1n && truth(1n - active) === 0n) {
          const clock = edges[0] === reset ? edges[1] : edges[0];
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
      if (signal.kind === "local") continue; // the ports of a memory
      if (result.has(signal)) {
        this.report.warn(
          "verilog/mixed-assignment",
          signal.loc,
          `'${signal.plainName}' is assigned with both = and <= in one block.`,
          "Use <= for registers and = for intermediate values.",
        );
      }
      result.set(signal, slot);
    }
    return result;
  }
}

function bitsText(bits: readonly number[]): string {
  return [...bits]
    .reverse()
    .map((bit) => (bit === bit0 ? "0" : bit === bit1 ? "1" : "x"))
    .join("");
}

function initText(signal: Signal): string {
  const width = hardwareBits(signal);
  let text = "";
  for (let i = BigInt(width) - 1n; i >= 0n; i--) {
    if (!signal.init || (signal.init.b >> i) & 1n) text += "x";
    else text += (signal.init.a >> i) & 1n ? "1" : "0";
  }
  return text;
}

/** Hierarchical name for the cells of a process. */
export function hintOf(process: Process): string {
  const path = process.instance.path;
  const dot = path.indexOf(".");
  return dot < 0 ? process.name : `${path.slice(dot + 1)}.${process.name}`;
}
