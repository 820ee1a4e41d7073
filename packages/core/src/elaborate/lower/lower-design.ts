import type { Loc } from "../../common/source.ts";
import { AttributeLookup, type NamedAttributes } from "../../netlist/attributes.ts";
import { type Bits, bit0, bit1, bitX, type PinPull } from "../../netlist/rtl.ts";
import { RtlBuilder } from "../../netlist/rtl-builder.ts";
import { unassignedBranch } from "../checks.ts";
import type { DesignModel, Expr, Instance, Process, Signal, Target } from "../model.ts";
import { isPartInstance, partBlock } from "../part-library.ts";
import type { Report } from "../report.ts";
import { type FlatDesign, flatten, type LoweredDesign } from "./flatten-design.ts";
import { hardwareBits } from "./hardware-bits.ts";
import { lowerAttributes } from "./lower-attributes.ts";
import { InitialLowering, type ReadFile } from "./lower-initial.ts";
import { MemoryPlan } from "./lower-memory.ts";
import { type Edge, ProcessLowering } from "./lower-process.ts";
import { StatementLowering } from "./lower-stmt.ts";
import { partsFromLowest } from "./lower-target.ts";
import { driveEnables, drivesZ, hasTristate, TristateNets } from "./lower-tristate.ts";

const maxArrayBits = 1 << 20;

/** The whole design as word-level cells. Wires of the hierarchy become aliases, which are then resolved away. */
export function lowerDesign(design: DesignModel, report: Report, readFile: ReadFile = () => null): FlatDesign {
  const refused = new Map<Signal, string>();
  const attributes = lowerAttributes(design, report);
  const wishes = new AttributeLookup(attributes);
  const told = report.findings.length;
  const inits = new Map(design.signals.map((signal) => [signal, signal.init]));
  for (;;) {
    const known = refused.size;
    const flat = new DesignLowering(
      design,
      report,
      attributes,
      new MemoryPlan(design, refused, wishes),
      readFile,
    ).run();
    if (refused.size === known) {
      for (const [signal, reason] of refused) {
        if (hardwareBits(signal) < tellArrayBits && wishes.of(signal.name).memory_as !== "blocks") continue;
        report.note(
          "circuit/array-registers",
          signal.loc,
          `'${signal.plainName}' (${hardwareBits(signal)} bits) becomes registers, not a memory: ${reason}.`,
          "Write it at a clock edge, one element at a time, and read it one element at a time.",
        );
      }
      return flat;
    }
    // once more, with those arrays as registers
    report.rewind(told);
    for (const [signal, init] of inits) signal.init = init;
  }
}

/** Smaller arrays as registers surprise nobody. */
const tellArrayBits = 512;

class DesignLowering implements LoweredDesign {
  readonly rtl = new RtlBuilder();
  readonly bits: (Bits | undefined)[] = [];
  /** Net -> the bit that drives it. */
  readonly drivers = new Map<number, number>();
  private readonly driverLocs = new Map<number, Loc>();
  private readonly conflicts = new Set<Signal>();

  constructor(
    readonly design: DesignModel,
    readonly report: Report,
    readonly attributes: readonly NamedAttributes[],
    private readonly memories: MemoryPlan,
    private readonly readFile: ReadFile,
  ) {}

  readonly bitsOf = (signal: Signal): Bits => {
    let nets = this.bits[signal.id];
    if (!nets) {
      if (this.memories.has(signal)) {
        this.memories.refuse(signal, "it is connected or assigned as a whole");
        return new Array<number>(hardwareBits(signal)).fill(bitX);
      }
      const width = hardwareBits(signal);
      if (width > maxArrayBits) {
        this.report.error(
          "verilog/large-array",
          signal.loc,
          `'${signal.plainName}' has ${width} bits, more than a circuit of registers can hold.`,
          "Make it smaller.",
        );
        nets = new Array<number>(width).fill(bitX);
      } else nets = this.rtl.nets(width);
      this.bits[signal.id] = nets;
    }
    return nets;
  };

  private readonly tristate = new TristateNets();
  /** Ports of both directions: nets that they read, and what they drive. */
  readonly pads = new Map<
    Signal,
    { readonly reads: Bits; readonly values: number[]; readonly enables: number[]; readonly pulls: (PinPull | null)[] }
  >();
  /** Net of an output port that lets go -> net that is 1 while it drives. */
  readonly portEnables = new Map<number, number>();
  /** Pulls, which count where nobody else drives. */
  private readonly pulls: { readonly target: Target; readonly bits: Bits; readonly loc: Loc }[] = [];

  /** Assignments of one net to another, which may pass on that it is let go. */
  private readonly copies: { readonly target: Target; readonly bits: Bits; readonly loc: Loc }[] = [];

  private readonly drive = (signal: Signal, offset: number, bits: Bits, loc: Loc, enables?: Bits): void => {
    const nets = this.bitsOf(signal);
    if (enables) {
      bits.forEach((value, i) => {
        const net = nets[offset + i];
        if (net !== undefined) this.tristate.add(net, { value, enable: enables[i], signal, loc, isWeak: false });
      });
      return;
    }
    for (let i = 0; i < bits.length; i++) {
      const net = nets[offset + i];
      if (net === undefined) continue; // beyond the vector's end: told already
      if (this.drivers.has(net)) {
        if (this.conflicts.has(signal)) return;
        this.conflicts.add(signal);
        const first = this.driverLocs.get(net);
        this.report.error(
          "verilog/several-drivers",
          loc,
          signal.direction === "input"
            ? `'${signal.plainName}' is an input, and is driven inside the module too.`
            : `'${signal.plainName}' has several drivers.`,
          "Keep one driver for each bit.",
          { related: first ? [{ place: this.report.sources.place(first), message: "Also driven here." }] : undefined },
        );
        return;
      }
      this.drivers.set(net, bits[i]);
      this.driverLocs.set(net, loc);
    }
  };

  private process(): ProcessLowering {
    return new ProcessLowering(this.rtl, this.bitsOf, this.report, this.drive, this.memories);
  }

  private expression(expr: Expr): Bits {
    return new StatementLowering(this.rtl, this.bitsOf, this.report, this.memories).expression(expr);
  }

  private driveTarget(target: Target, bits: Bits, loc: Loc, enables?: Bits): void {
    for (const { part, at } of partsFromLowest(target)) {
      const value = bits.slice(at, at + part.width);
      const drives = enables?.slice(at, at + part.width);
      let base = 0;
      if (this.memories.has(part.signal)) {
        this.memories.refuse(part.signal, "it is driven without a clock");
        continue;
      }
      if (part.signal.dims.length) {
        const element = this.constantElement(part.signal, part.index);
        if (element === null) {
          this.notConstant(part.loc);
          continue;
        }
        base = element * part.signal.width;
      }
      if (typeof part.offset === "number") this.drive(part.signal, base + part.offset, value, loc, drives);
      else this.notConstant(part.loc);
    }
  }

  private constantElement(signal: Signal, index: readonly Expr[]): number | null {
    let at = 0;
    for (let d = 0; d < signal.dims.length; d++) {
      const own = index[d];
      if (own?.op !== "const" || own.value.b) return null;
      at = at * (Math.abs(signal.dims[d].left - signal.dims[d].right) + 1) + Number(own.value.a);
    }
    return at;
  }

  private notConstant(loc: Loc): void {
    this.report.error(
      "verilog/target",
      loc,
      "The index of a driven net must be a constant.",
      "Assign to a register with this index in an always block.",
    );
  }

  run(): FlatDesign {
    const { design, rtl } = this;
    for (const signal of design.top.ports) {
      if (signal.direction === "inout") this.openPads(signal);
      if (signal.direction === "input") for (const net of this.bitsOf(signal)) this.drivers.set(net, net);
    }
    this.partBlocks(design.top);
    for (const item of design.processes) if (item.kind === "initial") this.initial(item);
    const isShared = this.pads.size > 0 || hasTristate(design);
    if (!isShared) this.bindings(design.top, false);
    for (const assign of design.assigns) {
      rtl.hint = assign.target.parts[0]?.signal.name ?? "";
      if (assign.target.form) this.process().unsynthesizable(assign.loc, `A ${assign.target.form}`);
      else {
        const bits = this.expression(assign.value);
        const { strength } = assign;
        if (isShared && strength && Math.max(strength.zero, strength.one) < 6)
          this.pulls.push({ target: assign.target, bits, loc: assign.loc });
        else if (isShared && assign.value.op === "signal")
          this.copies.push({ target: assign.target, bits, loc: assign.loc });
        else {
          const enables = drivesZ(assign.value)
            ? driveEnables(assign.value, rtl, (test) => this.expression(test)[0])
            : undefined;
          this.driveTarget(assign.target, bits, assign.loc, enables);
        }
      }
    }
    for (const item of design.processes) if (item.kind !== "initial" && item.kind !== "final") this.lowerProcess(item);
    this.memories.finish(rtl);
    if (isShared) this.shareNets();
    else for (const join of design.joins) this.join(join.inner, join.outer, join.offset, join.loc);
    this.settleUndriven();
    return flatten(this);
  }

  /** Nets of a port of both directions are what its pins read. */
  private openPads(signal: Signal): void {
    const nets = this.bitsOf(signal);
    const reads = this.rtl.nets(nets.length);
    this.pads.set(signal, {
      reads,
      values: nets.map(() => bit0),
      enables: nets.map(() => bit0),
      pulls: nets.map(() => null),
    });
    nets.forEach((net, bit) => {
      this.tristate.addPad(net, { signal, bit, read: reads[bit] });
    });
  }

  /** Instances of the part's own blocks. */
  private partBlocks(instance: Instance): void {
    for (const child of instance.children) {
      if (!isPartInstance(child, this.report.sources)) {
        this.partBlocks(child);
        continue;
      }
      const netsOf = (name: string) => this.bitsOf(child.ports.find((port) => port.plainName === name)!);
      const block = partBlock(child, this.report);
      const output = (block?.outputs ?? []).flatMap(netsOf);
      for (const net of output) this.drivers.set(net, net);
      if (!block) continue;
      this.rtl.hint = child.name;
      this.rtl.loc = child.loc;
      const outputPins = output.map((_, pin) => pin);
      const inputs = block.inputs.flatMap((name) => netsOf(name).map((net) => [net]));
      this.rtl.add("block", inputs, output.length, false, null, output, undefined, { modes: block.modes, outputPins });
    }
  }

  private lowerProcess(item: Process): void {
    const lowering = this.process();
    if (item.events === null) {
      lowering.unsynthesizable(item.loc, "An always block that waits inside");
      return;
    }
    const edges: Edge[] = [];
    if (item.events !== "star") {
      for (const event of item.events) {
        if (event.expr.op === "signal" && event.expr.signal.type.kind === "event") {
          lowering.unsynthesizable(event.loc, "Waiting for a named event");
          return;
        }
        if (event.guard) lowering.unsynthesizable(event.loc, "A guarded event");
        if (event.edge === null) continue;
        const bit = asBit(event.expr);
        if (!bit || event.edge === "both") {
          this.report.error(
            "verilog/event",
            event.loc,
            "A clock needs one edge of one bit.",
            "Name a single bit, with posedge or negedge.",
          );
          return;
        }
        edges.push({ ...bit, rising: event.edge === "pos", loc: event.loc });
      }
      if (edges.length > 0 && edges.length < item.events.length) {
        this.report.error(
          "verilog/event",
          item.loc,
          "This event list mixes edges and levels, which is not synthesizable.",
          "Use edges only, or @(*).",
        );
        return;
      }
    }
    if (edges.length) {
      lowering.clocked(item, edges);
      return;
    }
    for (const latch of lowering.combinational(item)) {
      if (item.kind === "always_latch") continue;
      if (latch.isLate) {
        this.report.error(
          "vhdl/keeps-value",
          latch.signal.loc,
          `Variable '${latch.signal.plainName}' is read before it is assigned: what it holds depends on how often the process ran, which is no circuit.`,
          "Assign it first, or make it a register with a clock.",
        );
        continue;
      }
      const branch = unassignedBranch(item.body, latch.signal);
      this.report.warn(
        "verilog/latch",
        branch?.loc ?? latch.loc,
        `'${latch.signal.plainName}' keeps its value ${branch?.how ?? "in some branch"}, so it becomes a latch.`,
        "Assign it in every branch, or give it a value before the first 'if' or 'case'.",
        { related: [{ place: this.report.sources.place(latch.signal.loc), message: "Declared here." }] },
      );
    }
  }

  /** Hardware takes from an initial block the values that registers start with. */
  private initial(item: Process): void {
    const lowering = new InitialLowering(this.rtl, () => [], this.report);
    lowering.readFile = this.readFile;
    const cells = this.rtl.cells.length;
    lowering.run(item);
    if (this.rtl.cells.length > cells) {
      // only constants give start values; what was built on the way feeds nothing
      this.rtl.cells.length = cells;
      this.rtl.cellLocs.length = cells;
    }
  }

  /** What ports without a direction and outputs that let go connect has all drivers of either side. */
  private shareNets(): void {
    const { design, tristate, rtl } = this;
    for (const { inner, outer, offset, loc } of design.joins) {
      const inside = this.bitsOf(inner);
      const outside = this.bitsOf(outer).slice(offset, offset + inside.length);
      inside.forEach((net, i) => {
        if (outside[i] === undefined) return;
        const [a, b] = [tristate.padOf(net), tristate.padOf(outside[i])];
        if (a && b && a !== b)
          this.report.error(
            "verilog/pins-joined",
            loc,
            `'${a.signal.plainName}' and '${b.signal.plainName}' are joined for good, which the part cannot do to two pins.`,
            "Drive one from the other under a condition, or join them on the board.",
          );
        else tristate.join(net, outside[i]);
      });
    }
    tristate.gather();
    this.bindings(design.top, true);
    this.passOn();
    for (const { target, bits, loc } of this.pulls) {
      this.eachTargetBit(target, (net, at, signal, offset) => {
        if (tristate.isShared(net)) tristate.addTo(net, { value: bits[at], enable: bit1, signal, loc, isWeak: true });
        else this.drive(signal, offset, [bits[at]], loc);
      });
    }
    for (const signal of design.signals) {
      if (signal.net !== "tri0" && signal.net !== "tri1") continue;
      const value = signal.net === "tri1" ? bit1 : bit0;
      for (const net of this.bits[signal.id] ?? [])
        if (tristate.isShared(net)) tristate.addTo(net, { value, enable: bit1, signal, loc: signal.loc, isWeak: true });
    }
    for (const { inner, outer, offset, loc } of design.joins)
      if (!this.bitsOf(inner).some((net) => tristate.isShared(net))) this.join(inner, outer, offset, loc);
    const ports = new Set(
      design.top.ports.flatMap((port) => (port.direction === "output" ? [...this.bitsOf(port)] : [])),
    );
    const driveNet = (net: number, bit: number, signal: Signal, loc: Loc) => {
      if (!this.drivers.has(net)) {
        this.drivers.set(net, bit);
        this.driverLocs.set(net, loc);
      } else if (this.bitsOf(signal).includes(net)) this.drive(signal, this.bitsOf(signal).indexOf(net), [bit], loc);
      else this.drive(signal, 0, [bit], loc);
    };
    tristate.settle(rtl, this.report, {
      takePlain: (net) => {
        const value = this.drivers.get(net);
        if (value === undefined) return null;
        this.drivers.delete(net);
        return { value, loc: this.driverLocs.get(net)! };
      },
      drive: (net, bit, enable, { signal, loc }) => {
        if (ports.has(net)) this.portEnables.set(net, enable);
        driveNet(net, bit, signal, loc);
      },
      drivePad: ({ signal, bit, read }, nets, value, enable, pull, driver) => {
        const pad = this.pads.get(signal)!;
        pad.pulls[bit] = pull;
        pad.values[bit] = value;
        pad.enables[bit] = enable;
        for (const net of nets) driveNet(net, read, driver?.signal ?? signal, driver?.loc ?? signal.loc);
      },
      isPort: (net) => ports.has(net),
    });
  }

  /** Copies of shared nets are the same net; others are driven. A copy may be copied again. */
  private passOn(): void {
    const { tristate } = this;
    let waiting = this.copies;
    for (let before = -1; waiting.length !== before; ) {
      before = waiting.length;
      waiting = waiting.filter(({ target, bits, loc }) => {
        if (!bits.some((net) => tristate.isShared(net))) return true;
        this.eachTargetBit(target, (net, at, signal, offset) => {
          if (bits[at] === undefined) return;
          const from = tristate.padOf(bits[at]);
          // a pin that is copied to another one drives it all the time: what is read is never let go
          if (from && tristate.padOf(net)) this.drive(signal, offset, [from.read], loc);
          else tristate.join(bits[at], net);
        });
        return false;
      });
    }
    for (const { target, bits, loc } of waiting) this.driveTarget(target, bits, loc);
  }

  /** Nets of a target from its lowest bit on, as far as they are known without running. */
  private eachTargetBit(
    target: Target,
    visit: (net: number, at: number, signal: Signal, offset: number) => void,
  ): void {
    for (const { part, at } of partsFromLowest(target)) {
      const { signal, offset, width, index } = part;
      const element = signal.dims.length ? (this.constantElement(signal, index) ?? -1) : 0;
      if (typeof offset !== "number" || element < 0) continue;
      for (let i = 0; i < width; i++) {
        const place = element * signal.width + offset + i;
        const net = this.bitsOf(signal)[place];
        if (net !== undefined) visit(net, at + i, signal, place);
      }
    }
  }

  /** @param isShared Some value is let go: an output whose inside does so is one net with what it is connected to. */
  private bindings(instance: Instance, isShared: boolean): void {
    for (const child of instance.children) {
      // what is let go further in must be known first
      if (isShared) this.bindings(child, true);
      for (const binding of child.bindings) {
        const { port } = binding;
        if (port.direction === "output") {
          if (!binding.target) continue;
          const nets = this.bitsOf(port);
          const { width } = binding.target;
          if (isShared && nets.some((net) => this.tristate.isShared(net))) {
            this.eachTargetBit(binding.target, (net, at) => {
              if (nets[at] !== undefined) this.tristate.join(nets[at], net);
            });
            continue;
          }
          this.driveTarget(
            binding.target,
            Array.from({ length: width }, (_, i) => nets[i] ?? bit0),
            binding.loc,
          );
        } else if (port.direction === "input") {
          this.rtl.hint = port.name;
          const value = binding.value ? this.expression(binding.value) : new Array<number>(port.width).fill(bitX);
          this.drive(port, 0, value, binding.loc);
        }
      }
      if (!isShared) this.bindings(child, false);
    }
  }

  private join(inner: Signal, outer: Signal, offset: number, loc: Loc): void {
    const inside = this.bitsOf(inner);
    const outside = this.bitsOf(outer).slice(offset, offset + inside.length);
    inside.forEach((net, i) => {
      const other = outside[i];
      if (other === undefined) return;
      const [from, to] = this.drivers.has(net) && !this.drivers.has(other) ? [net, other] : [other, net];
      if (this.drivers.has(to)) this.drive(inner, i, [from], loc);
      else {
        this.drivers.set(to, from);
        this.driverLocs.set(to, loc);
      }
    });
  }

  /** A register that nothing assigns keeps its start value; any other net without a driver is reported where it is read. */
  private settleUndriven(): void {
    const { rtl, drivers, report, design } = this;
    for (const port of design.top.ports) this.bitsOf(port);
    const read = new Uint8Array(rtl.netCount);
    for (const cell of rtl.cells) for (const input of cell.inputs) for (const bit of input) read[bit] = 1;
    for (const [net, bit] of drivers) if (net !== bit) read[bit] = 1;
    for (const signal of design.signals) {
      const needed = signal.direction === "output" && signal.instance.kind === "module";
      const nets = needed ? this.bitsOf(signal) : this.bits[signal.id];
      if (!nets || signal.kind === "local" || signal.direction === "input" || signal.direction === "inout") continue;
      const open = nets.map((_, i) => i).filter((i) => !drivers.has(nets[i]) && nets[i] > bitX);
      if (open.length === 0) continue;
      if (signal.init) {
        const value = rtl.constant(signal.init, nets.length);
        for (const i of open) drivers.set(nets[i], value[i]);
        continue;
      }
      const missing = open.filter(
        (i) => (signal.direction === "output" && signal.instance.kind === "module") || read[nets[i]],
      );
      // whoever connects the port may drive it
      if (missing.length === 0 || signal.instance.fromPort) continue;
      const whole = missing.length === nets.length || signal.dims.length > 0;
      const bits = missing.map((i) => (signal.msb >= signal.lsb ? signal.lsb + i : signal.lsb - i));
      const which = whole ? `'${signal.plainName}'` : `Bit ${shortList(bits)} of '${signal.plainName}'`;
      const role = signal.direction === "output" ? "is an output" : "is read";
      report.warn(
        "verilog/undriven",
        signal.loc,
        `${which} ${role} but nothing drives it.`,
        "Assign it, connect it to an output, or remove it.",
      );
    }
  }
}

function asBit(expr: Expr): { signal: Signal; bit: number } | null {
  if (expr.op === "signal" && expr.width === 1) return { signal: expr.signal, bit: 0 };
  if (expr.op === "slice" && expr.width === 1 && expr.arg.op === "signal")
    return { signal: expr.arg.signal, bit: expr.lsb };
  return null;
}

function shortList(numbers: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < numbers.length; ) {
    let j = i;
    while (j + 1 < numbers.length && Math.abs(numbers[j + 1] - numbers[j]) === 1) j++;
    runs.push(j > i ? `${numbers[i]} to ${numbers[j]}` : `${numbers[i]}`);
    i = j + 1;
  }
  return runs.join(", ");
}
