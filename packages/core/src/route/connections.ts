import { blockPinAt } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import { elementAt, type PackedDesign, type PlacedDesign } from "../layout/layout.ts";
import { cellKind, clockSlots, collectSinks, ffPin, type LayoutNetlist, padPin } from "../netlist/mapped.ts";
import { internalSlots } from "../timing/timing-graph.ts";

/** What routing is to connect: nets with their source pins, and the pins that each is to reach. R nets, S sinks. */
export interface Connections {
  /** [R] Net of the netlist, its source pin, 1 for nets with clock pins. */
  readonly net: Int32Array;
  readonly source: Int32Array;
  readonly isClock: Uint8Array;
  /** [R + 1] Sinks of each net. */
  readonly sinkStart: Int32Array;
  /** [S] First pin that serves, and how many in a row do: a LUT takes a signal at any of its inputs. */
  readonly firstPin: Int32Array;
  readonly pinCount: Uint8Array;
  /** [S] Tile of the pins, and 1 where they are a clock pin. */
  readonly tile: Int32Array;
  readonly isClockPin: Uint8Array;
  /** [S + 1] and their list: input pin slots that a sink is for; a tile's clock pin serves several registers. */
  readonly slotStart: Int32Array;
  readonly slot: Int32Array;
}

/** Nets with many sinks come first, since they are hardest to move, and clocks before all others. O(pins log nets). */
export function collectConnections(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  placed: PlacedDesign,
  part: Part,
): Connections {
  const { fabric, family, graph } = part;
  const local = (tile: number, name: string): number => graph.tileFirst[tile] + fabric.pattern(tile).byName.get(name)!;
  const at = (cell: number) => elementAt(part, placed, packed.cellElement[cell]);
  const internal = internalSlots(netlist, packed);
  const isClockSlot = clockSlots(netlist);
  const blockNode = (cell: number, pin: number, direction: "inputs" | "outputs") => {
    const block = packed.cellBlock[cell];
    const { row, name } = blockPinAt(family, netlist.blocks[block].modes.type, direction, pin);
    return local(placed.blockTile[block] + row * fabric.width, name);
  };
  const pinOf = (cell: number, pin: number): { first: number; count: number } => {
    if (netlist.kind[cell] === cellKind.block) return { first: blockNode(cell, pin, "inputs"), count: 1 };
    if (packed.cellPad[cell] >= 0) {
      const { tile, index } = fabric.pads[packed.cellPad[cell]];
      const isPort = netlist.kind[cell] === cellKind.outputPad;
      const name =
        isPort && pin === padPin.enable ? `OE${index}` : !isPort && pin === ffPin.clock ? "CLK" : `OUT${index}`;
      return { first: local(tile, name), count: 1 };
    }
    const { tile, place: e } = at(cell);
    if (netlist.kind[cell] === cellKind.lut) return { first: local(tile, `L${e}.0`), count: family.lutInputs };
    if (netlist.kind[cell] === cellKind.carryMux || pin === ffPin.d) return { first: local(tile, `B${e}`), count: 1 };
    if (pin === ffPin.clock) return { first: local(tile, "CLK"), count: 1 };
    const group = Math.floor(e / family.elementsPerGroup);
    return { first: local(tile, pin === ffPin.enable ? `EN${group}` : `SR${group}`), count: 1 };
  };
  const sourceOf = (driver: number): number => {
    if (packed.cellPad[driver] >= 0) {
      // a pad, or the register in it
      const pad = fabric.pads[packed.cellPad[driver]];
      return local(pad.tile, `IN${pad.index}`);
    }
    if (netlist.kind[driver] === cellKind.blockOutput) return blockNode(driver, netlist.modes[driver], "outputs");
    const { tile, place } = at(driver);
    return local(tile, `${netlist.kind[driver] === cellKind.flipFlop ? "Q" : "O"}${place}`);
  };

  const readers = collectSinks(netlist);
  interface Found {
    readonly net: number;
    readonly isClock: boolean;
    readonly sinks: { first: number; count: number; slots: number[]; isClock: boolean }[];
  }
  const found: Found[] = [];
  const sinkOfPin = new Map<number, Found["sinks"][number]>();
  for (let net = 0; net < netlist.netCount; net++) {
    sinkOfPin.clear();
    const sinks: Found["sinks"] = [];
    let isClock = false;
    for (let i = readers.start[net]; i < readers.start[net + 1]; i++) {
      const cell = readers.cell[i];
      const slot = netlist.inputStart[cell] + readers.pin[i];
      if (internal[slot]) continue;
      isClock ||= isClockSlot[slot] === 1;
      const pin = pinOf(cell, readers.pin[i]);
      const known = sinkOfPin.get(pin.first);
      if (known) known.slots.push(slot);
      else {
        const sink = { ...pin, slots: [slot], isClock: isClockSlot[slot] === 1 };
        sinkOfPin.set(pin.first, sink);
        sinks.push(sink);
      }
    }
    if (sinks.length) found.push({ net, isClock, sinks });
  }
  found.sort((a, b) => Number(b.isClock) - Number(a.isClock) || b.sinks.length - a.sinks.length || a.net - b.net);
  const all = found.flatMap(({ sinks }) => sinks);
  const startsOf = (lengths: readonly number[]) => {
    const start = new Int32Array(lengths.length + 1);
    for (let i = 0; i < lengths.length; i++) start[i + 1] = start[i] + lengths[i];
    return start;
  };
  return {
    net: Int32Array.from(found, ({ net }) => net),
    source: Int32Array.from(found, ({ net }) => sourceOf(netlist.netDriver[net])),
    isClock: Uint8Array.from(found, ({ isClock }) => Number(isClock)),
    sinkStart: startsOf(found.map(({ sinks }) => sinks.length)),
    firstPin: Int32Array.from(all, ({ first }) => first),
    pinCount: Uint8Array.from(all, ({ count }) => count),
    tile: Int32Array.from(all, ({ first }) => graph.nodeTile[first]),
    isClockPin: Uint8Array.from(all, ({ isClock }) => Number(isClock)),
    slotStart: startsOf(all.map(({ slots }) => slots.length)),
    slot: Int32Array.from(all.flatMap(({ slots }) => slots)),
  };
}
