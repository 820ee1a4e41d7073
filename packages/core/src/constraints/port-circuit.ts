import type { BlockModes } from "../device/blocks/description.ts";
import { blockClockCount, isClockMaker } from "../device/blocks/registry.ts";
import { clockPinsOf } from "../netlist/clocked-cells.ts";
import { portBits } from "../netlist/mapped.ts";
import { initialOf, portRegisters } from "../netlist/port-shape.ts";
import { bitName, type RtlNetlist, serialNets } from "../netlist/rtl.ts";
import type { PinNeed } from "./pins/model.ts";
import { type PortLink, portLinks } from "./port-links.ts";

/** What rules need to know of a circuit as written: its port bits, and the blocks that make clocks. */
export interface PortCircuit {
  readonly needs: readonly PinNeed[];
  readonly makers: readonly ClockMaker[];
  /** Which ports talk to each other. */
  readonly links: readonly PortLink[];
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
  const clocks = new Map(
    [...inputs].flatMap(([bit, name]) => (clockNets.has(bit) ? [[name, clockNets.get(bit)!]] : [])),
  );
  const registers = portRegisters(netlist);
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
    const register = registers.get(each.bitName);
    const clocked = clocks.get(each.bitName);
    return {
      ...each,
      isClock: clocked !== undefined,
      ...(clocked === undefined ? {} : { clocked }),
      ...(register ? { initial: initialOf(netlist.cells[register[0]], register[1]) } : {}),
      ...(found ? { serial: found } : {}),
    };
  });
  return { needs, makers: clockMakers(netlist, inputs), links: portLinks(netlist) };
}

/** Nets that clock cells, with their number; behind inverters, which become the other edge, the net before them. */
function clockedNets(netlist: RtlNetlist): ReadonlyMap<number, number> {
  const clocked = new Map<number, number>();
  for (const cell of netlist.cells)
    for (const { net } of clockPinsOf(cell))
      clocked.set(net, (clocked.get(net) ?? 0) + (cell.kind === "ff" ? cell.output.length : 1));
  const inverted = new Map(
    netlist.cells.flatMap(({ kind, output, inputs }) =>
      kind === "not" ? output.map((bit, i) => [bit, inputs[0][i]] as const) : [],
    ),
  );
  // a map goes on to what is added to it while it is walked
  const passed = new Set<number>();
  for (const [net, count] of clocked) {
    const before = inverted.get(net);
    if (before === undefined || passed.has(net)) continue;
    passed.add(net);
    clocked.set(before, (clocked.get(before) ?? 0) + count);
  }
  return clocked;
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
