import type { BlockModes } from "../device/blocks/description.ts";
import { blockOf, blockPinsOf, isClockMaker } from "../device/blocks/registry.ts";
import { nodeKind } from "../device/tile-pattern.ts";
import type { TimedLayout } from "../layout/layout.ts";
import { takesBypass } from "../layout/pads.ts";
import { cellKind, clockSlots, ffPin } from "../netlist/mapped.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type BuiltGraph, latchPin } from "./built-graph.ts";
import type { CornerDelays } from "./corner-delays.ts";
import { checkKind, type GraphDelays } from "./pin-graph.ts";
import type { TimedCircuit } from "./timed-circuit.ts";

/**
 * Delays of a circuit at one corner, on the arcs of its graph. The least is a fixed share of the largest on the same die,
 * but for the part's clock network: the same wire takes the same time for both ends of a check.
 */
export function graphDelays(
  built: BuiltGraph,
  circuit: Pick<TimedCircuit, "packed" | "pins" | "dedicated">,
  corner: CornerDelays,
  loads: BoundRules["loads"],
): GraphDelays {
  const { graph, netlist, wireArc, throughArc, padArc, launchArc } = built;
  const { delays, netPs, lutPs, padPs } = corner;
  const { minRatio, family } = delays;
  const most = new Float64Array(graph.arcCount);
  const least = new Float64Array(graph.arcCount);
  const set = (arc: number, ps: number, isEven = false) => {
    if (arc < 0) return;
    most[arc] = ps;
    least[arc] = isEven ? ps : ps * minRatio;
  };
  const { cellCount, kind, inputStart, modes, blocks } = netlist;
  const isClock = clockSlots(netlist);
  const { dedicated, packed, pins } = circuit;
  const blockAt = new Map(blocks.map((block) => [block.cell, block]));
  for (let cell = 0; cell < cellCount; cell++) {
    for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
      let ps = netPs[slot];
      // what feedback takes out of the way into a clock block
      const block = isClock[slot] ? blockAt.get(cell) : undefined;
      if (block && blockOf(block.modes).isAligned) ps = Math.max(0, ps - delays.pinMuxPs);
      set(wireArc[slot], ps, dedicated[slot] === 1);
      if (kind[cell] !== cellKind.outputPad && kind[cell] !== cellKind.block) set(throughArc[slot], lutPs[slot]);
      else if (kind[cell] === cellKind.outputPad) set(throughArc[slot], padPs[cell]);
      else if (!isClock[slot]) set(throughArc[slot], lutPs[slot]);
    }
    set(padArc[cell], padPs[cell]);
    switch (kind[cell]) {
      case cellKind.flipFlop:
        set(launchArc[cell], delays.clockToOutputPs);
        break;
      case cellKind.lut:
        if (built.isLatch[cell]) set(launchArc[cell], lutPs[inputStart[cell] + latchPin.enable]);
        break;
      case cellKind.blockOutput: {
        const block = blocks[packed.cellBlock[cell]];
        const name = block.outputNames[modes[cell]];
        const isMaker = isClockMaker(block.modes);
        if (launchArc[cell] >= 0) set(launchArc[cell], delays.blockClockPs(block.modes, name), isMaker);
        // a switch has an arc from each of its clocks
        if (isMaker)
          for (let a = graph.inStart[built.outputPin(cell)]; a < graph.inStart[built.outputPin(cell) + 1]; a++) {
            const arc = graph.inArc[a];
            if (graph.arcFrom[arc] !== inputStart[cell]) set(arc, delays.blockClockPs(block.modes, name), isMaker);
          }
      }
    }
  }
  addLoads();
  function addLoads(): void {
    if (loads.size === 0) return;
    const milliamps = new Map(pins.map(({ port, drive }) => [port, drive]));
    graph.ports.forEach(({ name, inPin, outPin }, port) => {
      const load = loads.get(port);
      if (!load) return;
      const add = (arc: number, more: number, less: number) => {
        most[arc] = Math.max(0, most[arc] + more);
        least[arc] = Math.max(0, Math.min(most[arc], least[arc] + less));
      };
      if (outPin >= 0)
        for (let a = graph.inStart[outPin]; a < graph.inStart[outPin + 1]; a++) {
          const extra = (pf: number | null) => (pf === null ? 0 : delays.loadPs(pf, milliamps.get(name) ?? 8));
          add(graph.inArc[a], extra(load.loadMost), extra(load.loadLeast) * minRatio);
        }
      if (inPin >= 0)
        for (let a = graph.outStart[inPin]; a < graph.outStart[inPin + 1]; a++)
          add(graph.outArc[a], delays.drivePs(load.driveMost), delays.drivePs(load.driveLeast));
    });
  }
  const firstOperand = (own: BlockModes) => delays.blockSetupPs({ ...own, inputRegister: true } as BlockModes, "LEFT0");
  for (const [arc, block] of built.insideArcs) {
    const { modes: own } = blocks[block];
    const inside = delays.blockInsidePs(own);
    set(arc, inside === null ? 0 : inside - firstOperand(own));
  }
  const setup = new Float64Array(graph.checkData.length);
  const hold = new Float64Array(graph.checkData.length).fill(delays.holdPs);
  for (let check = 0; check < setup.length; check++) {
    const slot = built.checkSlot[check];
    const block = built.checkBlock[check];
    if (slot < 0) {
      // inside of a block: only where one register follows another
      const has = delays.blockInsidePs(blocks[block].modes) !== null;
      setup[check] = has ? firstOperand(blocks[block].modes) : -Infinity;
      hold[check] = -Infinity;
      continue;
    }
    const cell = built.pinCell[slot];
    const first = inputStart[cell];
    if (block >= 0)
      setup[check] = delays.blockSetupPs(
        blocks[block].modes,
        blockPinsOf(family, blocks[block].modes).inputs[slot - first],
      );
    else if (graph.checkKind[check] === checkKind.latch) {
      // the new value must be back at the latch's own input when that is what counts; and stay until then
      const [enable, data, own] = [first + latchPin.enable, first + latchPin.data, first + latchPin.own];
      setup[check] = lutPs[data] + netPs[own] + lutPs[own] - lutPs[enable] * minRatio;
      hold[check] = lutPs[enable] - lutPs[data] * minRatio;
    } else setup[check] = delays.setupPs(slot === first + ffPin.d && takesBypass(packed, cell));
  }
  return { most, least, setup, hold };
}

/** [slots] 1 for clock pins that are reached by the clock network alone. */
export function dedicatedClockSlots({ netlist, routed, part }: TimedLayout, isClock: Uint8Array): Uint8Array {
  const dedicated = new Uint8Array(isClock.length);
  const { graph } = part;
  const places = new Map<number, number>();
  let filled = -1;
  for (let slot = 0; slot < isClock.length; slot++) {
    const net = netlist.inputNet[slot];
    if (!isClock[slot] || net < 0) continue;
    const node = routed.pinNode[slot];
    // a connection that stays inside has no wire at all
    if (node < 0) {
      dedicated[slot] = 1;
      continue;
    }
    const first = routed.netStart[net];
    if (filled !== net) {
      places.clear();
      for (let i = first; i < routed.netStart[net + 1]; i++) places.set(routed.treeNode[i], i - first);
      filled = net;
    }
    let at = places.get(node)!;
    let hasWire = false;
    while (at >= 0 && !hasWire) {
      hasWire = graph.nodeKind[routed.treeNode[first + at]] === nodeKind.wire;
      at = routed.treeParent[first + at];
    }
    dedicated[slot] = hasWire ? 0 : 1;
  }
  return dedicated;
}
