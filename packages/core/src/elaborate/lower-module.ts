import type { Loc } from "../common/source.ts";
import { type Bits, bit0, bitX } from "../netlist/rtl.ts";
import { ProcessLowering } from "./lower-process.ts";
import type { ElaboratedModule, Expr, Instance, Signal, Target } from "./model.ts";
import type { Report } from "./report.ts";
import { RtlBuilder } from "./rtl-builder.ts";

/** A module as word-level cells, with its own net numbers. Instances keep the nets at their pins. */
export interface LoweredModule {
  readonly module: ElaboratedModule;
  readonly rtl: RtlBuilder;
  /** [signals] Net bits; null for a variable that stands for no hardware. */
  readonly signalBits: readonly (Bits | null)[];
  /** Net -> the bit that drives it. */
  readonly drivers: ReadonlyMap<number, number>;
  readonly instances: readonly LoweredInstance[];
}
export interface LoweredInstance {
  readonly instance: Instance;
  /** By port id in the child: for inputs the bits that feed it, for outputs the nets that it drives. */
  readonly pins: ReadonlyMap<number, Bits>;
}

/** Word-level cells of one module; reports nets with no driver or several, and latches. */
export function lowerModule(module: ElaboratedModule, report: Report): LoweredModule {
  const rtl = new RtlBuilder();
  const signalBits = module.signals.map((signal) => (signal.kind === "local" ? null : rtl.nets(signal.width)));
  const bitsOf = (signal: Signal): Bits => signalBits[signal.id]!;
  const drivers = new Map<number, number>();
  const driverLocs = new Map<number, Loc>();
  const conflicts = new Set<Signal>();

  const drive = (signal: Signal, offset: number, bits: Bits, loc: Loc) => {
    const nets = bitsOf(signal);
    for (let i = 0; i < bits.length; i++) {
      const net = nets[offset + i];
      if (drivers.has(net) || signal.direction === "input") {
        if (conflicts.has(signal)) return;
        conflicts.add(signal);
        const first = driverLocs.get(net);
        const what =
          signal.direction === "input"
            ? `'${signal.name}' is an input, and is driven inside the module too.`
            : `'${signal.name}' has several drivers.`;
        report.error("verilog/several-drivers", loc, what, "Keep one driver for each bit.", {
          related: first ? [{ place: report.sources.place(first), message: "Also driven here." }] : undefined,
        });
        return;
      }
      drivers.set(net, bits[i]);
      driverLocs.set(net, loc);
    }
  };
  const process = () => new ProcessLowering(rtl, bitsOf, report, drive);
  const expression = (expr: Expr) => process().expression(expr);
  const driveTarget = (target: Target, bits: Bits, loc: Loc) => {
    let at = 0;
    for (let i = target.parts.length - 1; i >= 0; i--) {
      const part = target.parts[i];
      const value = bits.slice(at, at + part.width);
      at += part.width;
      if (typeof part.offset === "number") drive(part.signal, part.offset, value, loc);
      else
        report.error(
          "verilog/target",
          part.loc,
          "The index of a driven net must be a constant.",
          "Assign to a register with this index in an always block.",
        );
    }
  };

  for (const assign of module.assigns) {
    rtl.hint = assign.target.parts[0].signal.name;
    driveTarget(assign.target, expression(assign.value), assign.loc);
  }
  for (const item of module.processes) {
    const lowering = process();
    if (item.edges.length) lowering.clocked(item);
    else {
      for (const latch of lowering.combinational(item)) {
        report.warn(
          "verilog/latch",
          latch.loc,
          `'${latch.signal.name}' keeps its value in some branch, so it becomes a latch.`,
          "Assign it in every branch, or give it a value before the first 'if' or 'case'.",
          {
            related: [{ place: report.sources.place(latch.signal.loc), message: "Declared here." }],
          },
        );
      }
    }
  }
  const instances = module.instances.map((instance): LoweredInstance => {
    const pins = new Map<number, Bits>();
    for (const binding of instance.bindings) {
      const { port } = binding;
      if (port.direction === "output") {
        const nets = rtl.nets(port.width);
        pins.set(port.id, nets);
        if (binding.target) {
          const { width } = binding.target;
          driveTarget(
            binding.target,
            Array.from({ length: width }, (_, i) => nets[i] ?? bit0),
            binding.loc,
          );
        }
      } else {
        rtl.hint = `${instance.name}.${port.name}`;
        pins.set(port.id, binding.value ? expression(binding.value) : new Array<number>(port.width).fill(bitX));
      }
    }
    return { instance, pins };
  });
  settleUndriven(module, rtl, signalBits, drivers, instances, report);
  return { module, rtl, signalBits, drivers, instances };
}

/** A register that nothing assigns keeps its start value; any other net without a driver is reported where it is read. */
function settleUndriven(
  module: ElaboratedModule,
  rtl: RtlBuilder,
  signalBits: readonly (Bits | null)[],
  drivers: Map<number, number>,
  instances: readonly LoweredInstance[],
  report: Report,
): void {
  const read = new Uint8Array(rtl.netCount);
  for (const cell of rtl.cells) for (const input of cell.inputs) for (const bit of input) read[bit] = 1;
  for (const bit of drivers.values()) read[bit] = 1;
  for (const { instance, pins } of instances) {
    for (const { port } of instance.bindings)
      if (port.direction !== "output") for (const bit of pins.get(port.id)!) read[bit] = 1;
  }
  for (const signal of module.signals) {
    const nets = signalBits[signal.id];
    if (!nets || signal.direction === "input" || signal.direction === "inout") continue;
    const open = nets.map((_, i) => i).filter((i) => !drivers.has(nets[i]));
    if (open.length === 0) continue;
    if (signal.init) {
      const value = rtl.constant(signal.init, signal.width);
      for (const i of open) drivers.set(nets[i], value[i]);
      continue;
    }
    const missing = open.filter((i) => signal.direction === "output" || read[nets[i]]);
    if (missing.length === 0) continue;
    const whole = missing.length === nets.length;
    const bits = missing.map((i) => (signal.msb >= signal.lsb ? signal.lsb + i : signal.lsb - i));
    const which = whole ? `'${signal.name}'` : `Bit ${shortList(bits)} of '${signal.name}'`;
    const role = signal.direction === "output" ? "is an output" : "is read";
    report.warn(
      "verilog/undriven",
      signal.loc,
      `${which} ${role} but nothing drives it.`,
      "Assign it, connect it to an output, or remove it.",
    );
  }
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
