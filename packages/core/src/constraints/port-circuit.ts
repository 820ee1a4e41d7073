import type { BlockModes } from "../device/blocks/description.ts";
import { blockClockCount, isClockMaker } from "../device/blocks/registry.ts";
import { portBits } from "../netlist/mapped.ts";
import { bitName, type RtlCell, type RtlNetlist, serialNets } from "../netlist/rtl.ts";
import type { PinNeed } from "./pins.ts";

/** What rules need to know of a circuit as written: its port bits, and the blocks that make clocks. */
export interface PortCircuit {
  readonly needs: readonly PinNeed[];
  readonly makers: readonly ClockMaker[];
}
export interface ClockMaker {
  readonly name: string;
  readonly modes: BlockModes;
  /** [clock inputs] Where each comes from: a port bit, an output of another maker, or (null) neither. */
  readonly clocks: readonly (string | readonly [maker: number, output: number] | null)[];
}

export function portCircuit(netlist: RtlNetlist): PortCircuit {
  const clockNets = clockedNets(netlist);
  const inputs = new Map<number, string>();
  for (const port of netlist.ports)
    if (port.direction === "input") port.bits.forEach((bit, i) => inputs.set(bit, bitName(port, i)));
  const clocks = new Set([...inputs].flatMap(([bit, name]) => (clockNets.has(bit) ? [name] : [])));
  const named = netlist.ports.map((port) => ({ ...port, bitNames: port.bits.map((_, i) => bitName(port, i)) }));
  const serial = serialNets(netlist);
  const serialOf = new Map(
    netlist.ports.flatMap((port) =>
      port.bits.flatMap((bit, i) => {
        const found = serial.get(bit);
        return found ? [[bitName(port, i), found] as const] : [];
      }),
    ),
  );
  const needs = portBits(named).map((each): PinNeed => {
    const found = serialOf.get(each.bitName);
    return { ...each, isClock: clocks.has(each.bitName), ...(found ? { serial: found } : {}) };
  });
  return { needs, makers: clockMakers(netlist, inputs) };
}

/** Nets that clock a cell; behind inverters, which become the other edge, the net before them. */
function clockedNets(netlist: RtlNetlist): ReadonlySet<number> {
  const nets = new Set(netlist.cells.flatMap(clocksOf));
  const inverted = new Map(
    netlist.cells.flatMap(({ kind, output, inputs }) =>
      kind === "not" ? output.map((bit, i) => [bit, inputs[0][i]] as const) : [],
    ),
  );
  // a set goes on to what is added to it while it is walked
  for (const net of nets) {
    const before = inverted.get(net);
    if (before !== undefined) nets.add(before);
  }
  return nets;
}

function clocksOf({ kind, inputs, memory, block }: RtlCell): readonly number[] {
  switch (kind) {
    case "ff":
      return inputs[1];
    case "mem":
      // behind the addresses of the reads, each write has address, data, enables and clock
      return memory!.writes.flatMap((_, w) => inputs[memory!.reads + 4 * w + 3]);
    case "block":
      return inputs.slice(-blockClockCount(block!.modes)).flat();
    default:
      return [];
  }
}

function clockMakers(netlist: RtlNetlist, ports: ReadonlyMap<number, string>): ClockMaker[] {
  const cells = netlist.cells.flatMap((cell) =>
    cell.kind === "block" && isClockMaker(cell.block!.modes) ? [{ cell, modes: cell.block!.modes }] : [],
  );
  const made = new Map<number, readonly [number, number]>();
  cells.forEach(({ cell }, m) => {
    cell.output.forEach((bit, i) => made.set(bit, [m, cell.block!.outputPins[i]]));
  });
  return cells.map(({ cell, modes }) => ({
    name: cell.name,
    modes,
    clocks: cell.inputs.slice(-blockClockCount(modes)).map(([bit]) => ports.get(bit) ?? made.get(bit) ?? null),
  }));
}
