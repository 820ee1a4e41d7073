import type { PinDelay } from "../constraints/pins/model.ts";
import type { CornerName } from "../device/family.ts";
import { Delays, type Part } from "../device/part.ts";
import { wireTable } from "../device/wire-table.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { cellKind, clockSlots, collectSinks } from "../netlist/mapped.ts";
import type { TimedNetlist } from "./built-graph.ts";
import { type CornerDelays, padDelays } from "./corner-delays.ts";
import { isOnNetwork } from "./on-network.ts";
import type { TimedCircuit } from "./timed-circuit.ts";
import { internalSlots, ownerOfSlots, setFixedArcs } from "./timing-graph.ts";

/** How the number of a piece's outer connections grows with its size (Rent's exponent); ordinary logic has about this. */
const rentExponent = 0.6;

/**
 * Mean length, in tiles, of a connection between two of so many tiles that are placed well (Donath 1979, "Placement and
 * average interconnection lengths of computer logic").
 */
export function meanLength(tiles: number): number {
  if (tiles < 4) return 1;
  const p = rentExponent;
  const near = (7 * (tiles ** (p - 0.5) - 1)) / (4 ** (p - 0.5) - 1);
  const far = (1 - tiles ** (p - 1.5)) / (1 - 4 ** (p - 1.5));
  return Math.max(1, ((2 / 9) * (near - far) * (1 - 4 ** (p - 1))) / (1 - tiles ** (p - 1)));
}

/**
 * A circuit that is packed and not placed, with the delays that its wires will about have. A figure to compare by, and no
 * promise: which connections come to lie close together, only placement decides.
 */
export function estimated(
  netlist: TimedNetlist,
  packed: PackedDesign,
  pins: readonly PinDelay[],
  part: Part,
): TimedCircuit {
  const { cellCount, kind, inputStart, inputNet, netDriver, netCount, blocks } = netlist;
  const internal = internalSlots(netlist, packed);
  const owner = ownerOfSlots(netlist);
  const isClock = clockSlots(netlist);
  const dedicated = new Uint8Array(inputNet.length);
  // pads and blocks lie in tiles of their own
  const tileCount = packed.clusterCount + blocks.length;
  const homeOf = (cell: number): number => {
    const element = packed.cellElement[cell];
    if (element >= 0) return packed.elementCluster[element];
    const block = packed.cellBlock[cell];
    return block >= 0 ? packed.clusterCount + block : tileCount + cell;
  };
  const mean = meanLength(tileCount);
  // [nets] tiles that each has sinks in; a tile is marked by the net that was there last
  const homes = new Int32Array(netCount);
  const lastAt = new Int32Array(tileCount + cellCount).fill(-1);
  const sinks = collectSinks(netlist);
  for (let net = 0; net < netCount; net++)
    for (let i = sinks.start[net]; i < sinks.start[net + 1]; i++) {
      const home = homeOf(sinks.cell[i]);
      if (internal[inputStart[sinks.cell[i]] + sinks.pin[i]] || lastAt[home] === net) continue;
      lastAt[home] = net;
      homes[net]++;
    }
  const side = Math.max(part.die.rows, part.die.columns.length);
  const distanceTo = (slot: number): number => {
    const net = inputNet[slot];
    if (homeOf(netDriver[net]) === homeOf(owner[slot])) return 0;
    // a net lies the closer the fewer it connects; pads lie where the board has them
    const isOutside = packed.cellPad[netDriver[net]] >= 0 || packed.cellPad[owner[slot]] >= 0;
    return Math.min(side, mean / 2 + 0.85 * Math.sqrt(homes[net]) + (isOutside ? side / 4 : 0));
  };
  const table = wireTable(part, side + 1);
  const { delays: given } = part.family;
  const clockPs =
    given.globalClockPs +
    given.regionClockPs +
    given.tileClockPs +
    (given.tileClockStepPs * Math.min(side, Math.sqrt(Math.max(1, tileCount)))) / 2;
  const tablePs = new Float32Array(inputNet.length);
  for (let slot = 0; slot < tablePs.length; slot++) {
    if (inputNet[slot] < 0 || internal[slot]) {
      if (isClock[slot]) dedicated[slot] = 1;
      continue;
    }
    if (isClock[slot] && isOnNetwork(netlist, packed, part, inputNet[slot])) {
      dedicated[slot] = 1;
      tablePs[slot] = clockPs;
      continue;
    }
    const distance = distanceTo(slot);
    const low = Math.floor(distance);
    // what decides comes no closer in the mean than what does not: elements settle, and that makes up for it
    tablePs[slot] = table[low] + (distance - low) * (table[low + 1] - table[low]);
  }
  return {
    netlist,
    packed,
    pins,
    part,
    dedicated,
    hasWire: (slot) => !internal[slot],
    tileOf: () => -1,
    delaysAt(corner: CornerName): CornerDelays {
      const delays = new Delays(part, corner);
      const lutPs = new Float32Array(inputNet.length);
      setFixedArcs(netlist, delays, lutPs);
      // which input of a LUT a signal comes to, routing decides
      const middle = delays.lutPs(Math.floor(part.family.lutInputs / 2));
      for (let cell = 0; cell < cellCount; cell++)
        if (kind[cell] === cellKind.lut) lutPs.fill(middle, inputStart[cell], inputStart[cell + 1]);
      return {
        corner,
        delays,
        netPs: tablePs.map((ps) => ps * delays.scale),
        lutPs,
        padPs: padDelays(netlist, pins, delays),
      };
    },
  };
}
