import type { Loc, SourcePosition } from "../common/source.ts";
import {
  type Bits,
  bitX,
  firstNet,
  type HierarchyNode,
  type RtlCell,
  type RtlNetlist,
  type RtlPort,
  type RtlPositions,
  type RtlVector,
} from "../netlist/rtl.ts";
import { type LoweredModule, lowerModule } from "./lower-module.ts";
import type { ElaboratedModule } from "./model.ts";
import type { Report } from "./report.ts";

export interface FlatDesign {
  readonly netlist: RtlNetlist;
  readonly positions: RtlPositions;
  readonly hierarchy: HierarchyNode;
}

/** Joins all modules into one netlist. Wires of the hierarchy become aliases, which are then resolved away. */
export function flatten(top: ElaboratedModule, report: Report): FlatDesign {
  const lowered = new Map<ElaboratedModule, LoweredModule>();
  const lower = (module: ElaboratedModule) => {
    let result = lowered.get(module);
    if (!result) {
      result = lowerModule(module, report);
      lowered.set(module, result);
    }
    return result;
  };
  const cells: RtlCell[] = [];
  const cellPlaces: SourcePosition[] = [];
  const signals: RtlVector[] = [];
  const signalPlaces: SourcePosition[] = [];
  const alias = new Map<number, number>();
  let netCount = firstNet;
  const at = (loc: Loc) => report.sources.position(loc.file, loc.start);

  const place = (
    module: ElaboratedModule,
    path: string,
    inputs: ReadonlyMap<number, Bits> | null,
  ): { node: Omit<HierarchyNode, "instance" | "place">; bits: (id: number) => Bits } => {
    const low = lower(module);
    const base = netCount - firstNet;
    netCount += low.rtl.netCount - firstNet;
    const global = (net: number) => (net < firstNet ? net : net + base);
    const globals = (bits: Bits) => bits.map(global);
    low.rtl.cells.forEach((cell, i) => {
      cells.push({ ...cell, name: path + cell.name, inputs: cell.inputs.map(globals), output: globals(cell.output) });
      cellPlaces.push(at(low.rtl.cellLocs[i]));
    });
    for (const [net, source] of low.drivers) alias.set(global(net), global(source));
    for (const signal of module.signals) {
      const nets = low.signalBits[signal.id];
      if (!nets) continue;
      const bits = globals(nets);
      signals.push({ name: path + signal.name, bits, msb: signal.msb, lsb: signal.lsb });
      signalPlaces.push(at(signal.loc));
      const outer = inputs?.get(signal.id);
      if (outer && signal.direction === "input") {
        bits.forEach((bit, i) => {
          alias.set(bit, outer[i] ?? bitX);
        });
      }
    }
    const children: HierarchyNode[] = [];
    for (const { instance, pins } of low.instances) {
      const feed = new Map<number, Bits>();
      for (const [port, bits] of pins) feed.set(port, globals(bits));
      const child = place(instance.module, `${path}${instance.name}.`, feed);
      for (const { port } of instance.bindings) {
        if (port.direction !== "output") continue;
        const inner = child.bits(port.id);
        feed.get(port.id)!.forEach((bit, i) => {
          alias.set(bit, inner[i]);
        });
      }
      children.push({ instance: instance.name, place: at(instance.loc), ...child.node });
    }
    return { node: { module: module.variant, children }, bits: (id) => globals(low.signalBits[id]!) };
  };
  const root = place(top, "", null);

  const driven = new Uint8Array(netCount);
  for (const cell of cells) for (const bit of cell.output) driven[bit] = 1;
  for (const port of top.ports) if (port.direction === "input") for (const bit of root.bits(port.id)) driven[bit] = 1;
  const resolved = new Int32Array(netCount).fill(-1);
  resolved[0] = 0;
  resolved[1] = 1;
  resolved[2] = 2;
  const trail: number[] = [];
  const resolve = (net: number): number => {
    let here = net;
    while (resolved[here] === -1) {
      resolved[here] = -2; // on the trail
      trail.push(here);
      const next = alias.get(here);
      if (next === undefined) {
        resolved[here] = driven[here] ? here : bitX;
        break;
      }
      here = next;
    }
    // a ring of wires has no value; the undriven check cannot see it, the loop check cannot either
    const value = resolved[here] === -2 ? bitX : resolved[here];
    for (const passed of trail) resolved[passed] = value;
    trail.length = 0;
    return value;
  };
  const settle = (bits: Bits) => bits.map(resolve);
  const ports: RtlPort[] = top.ports.map((port) => ({
    name: port.name,
    direction: port.direction === "output" ? "output" : "input",
    bits: port.direction === "output" ? settle(root.bits(port.id)) : root.bits(port.id),
    msb: port.msb,
    lsb: port.lsb,
  }));
  return {
    netlist: {
      top: top.name,
      netCount,
      cells: cells.map((cell) => ({ ...cell, inputs: cell.inputs.map(settle) })),
      ports,
      signals: signals.map((signal) => ({ ...signal, bits: settle(signal.bits) })),
    },
    positions: { cells: cellPlaces, signals: signalPlaces, ports: top.ports.map((port) => at(port.loc)) },
    hierarchy: { instance: top.name, place: at(top.loc), ...root.node },
  };
}
