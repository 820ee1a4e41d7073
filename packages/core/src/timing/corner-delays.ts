import { type PinDelay, serialStandard } from "../constraints/pins/model.ts";
import type { CornerName } from "../device/family.ts";
import { Delays } from "../device/part.ts";
import { elementAt, type TimedLayout } from "../layout/layout.ts";
import { cellKind, collectSinks, type LayoutNetlist } from "../netlist/mapped.ts";
import { ownerOfSlots, setFixedArcs } from "./timing-graph.ts";

export const timingCorners: readonly CornerName[] = ["slow-hot", "slow-cold", "fast-cold"];

/** Delays of one corner laid over the pins of the design. */
export interface CornerDelays {
  readonly corner: CornerName;
  readonly delays: Delays;
  /** [input pin slots] */
  readonly netPs: Float32Array;
  readonly lutPs: Float32Array;
  /** [cells] Input pad or output pad delay; 0 for others. */
  readonly padPs: Float64Array;
}

/** Net, LUT and pad delays of the routed design at a corner, from the one delay table. */
export function cornerDelays(layout: TimedLayout, corner: CornerName): CornerDelays {
  const { netlist, routed, part, packed, placed, pins } = layout;
  const { graph, fabric } = part;
  const delays = new Delays(part, corner);
  const nodePs = delays.nodePs();
  const netPs = new Float32Array(netlist.inputNet.length);
  const lutPs = new Float32Array(netlist.inputNet.length);
  setFixedArcs(netlist, delays, lutPs);
  const owner = ownerOfSlots(netlist);
  const sinks = collectSinks(netlist);
  const at = new Map<number, number>();
  for (let net = 0; net < netlist.netCount; net++) {
    at.clear();
    const first = routed.netStart[net];
    const count = routed.netStart[net + 1] - first;
    const delay = new Float64Array(count);
    for (let i = 0; i < count; i++) {
      const node = routed.treeNode[first + i];
      const parent = routed.treeParent[first + i];
      delay[i] = parent < 0 ? 0 : delay[parent] + nodePs[node];
      at.set(node, i);
    }
    for (let i = sinks.start[net]; i < sinks.start[net + 1]; i++) {
      const slot = netlist.inputStart[sinks.cell[i]] + sinks.pin[i];
      const node = routed.pinNode[slot];
      if (node < 0) continue;
      netPs[slot] = delay[at.get(node)!];
      if (netlist.kind[owner[slot]] === cellKind.lut) {
        const tile = graph.nodeTile[node];
        const { place: e } = elementAt(part, placed, packed.cellElement[owner[slot]]);
        lutPs[slot] = delays.lutPs(node - graph.tileFirst[tile] - fabric.pattern(tile).byName.get(`L${e}.0`)!);
      }
    }
  }
  return { corner, delays, netPs, lutPs, padPs: padDelays(netlist, pins, delays) };
}

/** [cells] Delays of pads by their standards, drives and slews; 0 for other cells, and for pads of serial lanes. */
export function padDelays(
  netlist: Pick<LayoutNetlist, "cellCount" | "ports" | "kind">,
  pins: readonly PinDelay[],
  delays: Delays,
): Float64Array {
  const padPs = new Float64Array(netlist.cellCount);
  const pinOf = new Map(pins.map((pin) => [pin.port, pin]));
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      if (cell < 0) return;
      const pin = pinOf.get(port.bitNames[bit])!;
      if (pin.standard === serialStandard) return;
      padPs[cell] =
        netlist.kind[cell] === cellKind.inputPad
          ? delays.inputPadPs(pin.standard)
          : delays.outputPadPs(pin.standard, pin.drive, pin.slew === "slow");
    });
  }
  return padPs;
}
