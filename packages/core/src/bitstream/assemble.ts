import { InvariantError } from "../common/finding.ts";
import { carryMode, outputMode, pullCode } from "../device/tile-pattern.ts";
import { elementAt, type LayoutInputs } from "../layout/layout.ts";
import { padSideOf } from "../layout/pads.ts";
import { permuteMask } from "../logic/truth-table.ts";
import { carryPin, carryStart, cellKind, ffMode, ffPin, padPin } from "../netlist/mapped.ts";
import { writeBlockModes } from "./block-config.ts";
import { configMap, TileConfig } from "./config-map.ts";

const driveCodes: Readonly<Record<number, number>> = { 4: 1, 8: 2, 12: 3 };

/** Configuration memory of the routed design: every mux select, mask and mode. Unused bits are 0. */
export function assemble(layout: LayoutInputs): Uint8Array {
  const { netlist, packed, placed, routed, pins, part } = layout;
  const { fabric, graph, family } = part;
  const memory = new Uint8Array(configMap(part).byteCount);
  const config = new TileConfig(part, memory);
  // routing: each tree node selects its parent
  for (let net = 0; net < netlist.netCount; net++) {
    const first = routed.netStart[net];
    for (let i = first; i < routed.netStart[net + 1]; i++) {
      if (routed.treeParent[i] < 0) continue;
      const node = routed.treeNode[i];
      const parent = routed.treeNode[first + routed.treeParent[i]];
      let code = graph.sourceCount(node);
      while (code > 0 && graph.source(node, code - 1) !== parent) code--;
      if (code === 0) throw new InvariantError(`Routing tree of net ${net} takes an edge that the part does not have.`);
      config.setSelect(node, code);
    }
  }
  // elements
  for (let e = 0; e < packed.elementCount; e++) {
    const { tile, place: slot } = elementAt(part, placed, e);
    const lut = packed.elementLut[e];
    if (lut >= 0) {
      const firstPin = graph.tileFirst[tile] + fabric.pattern(tile).byName.get(`L${slot}.0`)!;
      const places: number[] = [];
      for (let i = netlist.inputStart[lut]; i < netlist.inputStart[lut + 1]; i++)
        places.push(routed.pinNode[i] - firstPin);
      const mask = permuteMask(netlist.maskLow[lut], netlist.maskHigh[lut], places);
      config.setMask(tile, slot, mask.low, mask.high);
    }
    const sum = packed.elementSum[e];
    const link = sum >= 0 ? sum : packed.elementMux[e];
    if (link >= 0) {
      const isFoot = netlist.inputNet[netlist.inputStart[link] + carryPin.carryIn] < 0;
      config.set(
        tile,
        `carry${slot}`,
        !isFoot ? carryMode.on : netlist.modes[link] & carryStart ? carryMode.one : carryMode.zero,
      );
    }
    const ff = packed.elementFf[e];
    if (ff < 0) continue;
    const modes = netlist.modes[ff];
    config.set(tile, `init${slot}`, modes & ffMode.init ? 1 : 0);
    config.set(tile, `resetValue${slot}`, modes & ffMode.resetValue ? 1 : 0);
    config.set(tile, `asyncReset${slot}`, modes & ffMode.asyncReset ? 1 : 0);
    config.set(tile, `bypass${slot}`, packed.elementJoined[e] ? 0 : 1);
    config.set(tile, "clockFalling", modes & ffMode.clockFalling ? 1 : 0);
    if (netlist.inputNet[netlist.inputStart[ff] + ffPin.enable] >= 0)
      config.set(tile, `enableUsed${Math.floor(slot / family.elementsPerGroup)}`, 1);
  }
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const side = padSideOf(netlist, packed, cell);
    if (!side) continue;
    const { tile, index } = fabric.pads[packed.cellPad[cell]];
    config.set(tile, `${side}Register${index}`, 1);
    config.set(tile, `${side}Init${index}`, netlist.modes[cell] & ffMode.init ? 1 : 0);
    config.set(tile, "clockFalling", netlist.modes[cell] & ffMode.clockFalling ? 1 : 0);
  }
  netlist.blocks.forEach(({ modes }, b) => writeBlockModes(config, part, placed.blockTile[b], modes));
  // pads
  const pinOf = new Map(pins.map((pin) => [pin.port, pin]));
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      if (cell < 0 || packed.cellPad[cell] < 0) return; // nothing is set for the pins of a serial lane
      const pin = pinOf.get(port.bitNames[bit])!;
      const { tile, index } = fabric.pads[packed.cellPad[cell]];
      if (netlist.kind[cell] === cellKind.inputPad) config.set(tile, `inputOn${index}`, 1);
      else {
        const lets = netlist.inputNet[netlist.inputStart[cell] + padPin.enable] >= 0;
        config.set(tile, `outputMode${index}`, lets ? outputMode.enabled : outputMode.always);
        config.set(tile, `drive${index}`, driveCodes[pin.drive]);
        config.set(tile, `slew${index}`, pin.slew === "slow" ? 1 : 0);
      }
      config.set(
        tile,
        `standard${index}`,
        family.standards.findIndex((standard) => standard.name === pin.standard) + 1,
      );
      config.set(tile, `pull${index}`, pullCode[pin.pull]);
      config.set(tile, `hysteresis${index}`, pin.hysteresis ? 1 : 0);
      config.set(tile, `termination${index}`, pin.termination ? 1 : 0);
    });
  }
  return memory;
}
