import type { Loc, SourcePosition } from "../../common/source.ts";
import type { NamedAttributes } from "../../netlist/attributes.ts";
import {
  type Bits,
  bit0,
  bit1,
  bitX,
  type HierarchyNode,
  type PinPull,
  type RtlNetlist,
  type RtlPort,
  type RtlPositions,
  type RtlVector,
} from "../../netlist/rtl.ts";
import type { RtlBuilder } from "../../netlist/rtl-builder.ts";
import type { DesignModel, Instance, Signal } from "../model.ts";
import { isPartInstance } from "../part-library.ts";
import type { Report } from "../report.ts";
import { codeNames } from "./code-names.ts";
import { hardwareBits } from "./hardware-bits.ts";

export interface FlatDesign {
  readonly netlist: RtlNetlist;
  readonly positions: RtlPositions;
  readonly hierarchy: HierarchyNode;
}

/** A design whose processes and assignments are cells, with its nets still joined by wires. */
export interface LoweredDesign {
  readonly design: DesignModel;
  readonly report: Report;
  readonly attributes: readonly NamedAttributes[];
  readonly rtl: RtlBuilder;
  /** Net -> the bit that drives it. */
  readonly drivers: ReadonlyMap<number, number>;
  /** Nets of signals by their ids, as far as something has asked for them. */
  readonly bits: readonly (Bits | undefined)[];
  readonly bitsOf: (signal: Signal) => Bits;
  /** Ports of both directions: nets that they read, and what they drive. */
  readonly pads: ReadonlyMap<
    Signal,
    { readonly reads: Bits; readonly values: Bits; readonly enables: Bits; readonly pulls: readonly (PinPull | null)[] }
  >;
  /** Net of an output port that lets go -> net that is 1 while it drives. */
  readonly portEnables: ReadonlyMap<number, number>;
}

/** Resolves the wires of the hierarchy away, and gathers cells, ports, names and places. */
export function flatten(source: LoweredDesign): FlatDesign {
  const { rtl, drivers, design, report, attributes, bits: netsOf, pads, portEnables, bitsOf } = source;
  const { netCount } = rtl;
  const driven = new Uint8Array(netCount);
  for (const cell of rtl.cells) for (const bit of cell.output) driven[bit] = 1;
  for (const port of design.top.ports) if (port.direction === "input") for (const bit of bitsOf(port)) driven[bit] = 1;
  for (const { reads } of pads.values()) for (const bit of reads) driven[bit] = 1;
  const resolved = new Int32Array(netCount).fill(-1);
  resolved[bit0] = bit0;
  resolved[bit1] = bit1;
  resolved[bitX] = bitX;
  const trail: number[] = [];
  const resolve = (net: number): number => {
    let here = net;
    while (resolved[here] === -1) {
      resolved[here] = -2; // on the trail
      trail.push(here);
      const next = drivers.get(here);
      if (next === undefined || next === here) {
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
  const at = (loc: Loc): SourcePosition => report.sources.position(loc.file, loc.start);
  const ports: RtlPort[] = [];
  const portPlaces: SourcePosition[] = [];
  const addPort = (port: Signal, fields: Pick<RtlPort, "direction" | "bits" | "enable" | "isInout" | "pulls">) => {
    const [msb, lsb] = port.dims.length ? [hardwareBits(port) - 1, 0] : [port.msb, port.lsb];
    ports.push({ name: port.name, ...fields, msb, lsb });
    portPlaces.push(at(port.loc));
  };
  for (const port of design.top.ports) {
    const own = bitsOf(port);
    const pad = pads.get(port);
    if (pad) {
      const pulls = pad.pulls.some((pull) => pull) ? { pulls: pad.pulls } : {};
      addPort(port, { direction: "input", bits: pad.reads, isInout: true, ...pulls });
      const enable = settle(pad.enables);
      if (enable.some((bit) => bit !== bit0))
        addPort(port, { direction: "output", bits: settle(pad.values), enable, isInout: true });
    } else if (port.direction === "output") {
      const enable = settle(own.map((net) => portEnables.get(net) ?? bit1));
      const letsGo = enable.some((bit) => bit !== bit1);
      addPort(port, { direction: "output", bits: settle(own), ...(letsGo ? { enable } : {}) });
    } else addPort(port, { direction: "input", bits: own });
  }
  const signals: RtlVector[] = [];
  const signalPlaces: SourcePosition[] = [];
  for (const signal of design.signals) {
    if (signal.kind === "local" || signal.width === 0 || signal.type.kind === "real") continue;
    const bits = netsOf[signal.id];
    if (!bits) continue;
    if (signal.dims.length) {
      const width = bits.length;
      signals.push({ name: signal.name, bits: settle(bits), msb: width - 1, lsb: 0 });
    } else signals.push({ name: signal.name, bits: settle(bits), msb: signal.msb, lsb: signal.lsb });
    signalPlaces.push(at(signal.loc));
  }
  const byInstance = new Map<Instance, Signal[]>();
  for (const signal of design.signals) {
    if (signal.direction !== "input" && signal.direction !== "output" && signal.direction !== "inout") continue;
    const list = byInstance.get(signal.instance);
    if (list) list.push(signal);
    else byInstance.set(signal.instance, [signal]);
  }
  const portsOf = (instance: Instance) =>
    (byInstance.get(instance) ?? []).flatMap((signal) => {
      const bits = netsOf[signal.id];
      if (!bits || signal.dims.length) return [];
      // what a port of both directions carries is what is read there
      const direction = signal.direction === "output" ? ("output" as const) : ("input" as const);
      return [{ name: signal.plainName, direction, bits: settle(bits) }];
    });
  const node = (instance: Instance): HierarchyNode => ({
    instance: instance.name,
    module: variantOf(instance),
    place: at(instance.loc),
    // blocks of the part are cells, with nothing of their own inside
    children: instance.children.filter((child) => !isPartInstance(child, report.sources)).map(node),
    ports: design.signals.length ? portsOf(instance) : [],
  });
  return {
    netlist: {
      top: design.top.module,
      netCount,
      cells: rtl.cells.map((cell) => ({ ...cell, inputs: cell.inputs.map(settle) })),
      ports,
      signals,
      attributes,
    },
    positions: {
      cells: rtl.cellLocs.map(at),
      signals: signalPlaces,
      ports: portPlaces,
      labels: codeNames(design, report.sources),
    },
    hierarchy: node(design.top),
  };
}

function variantOf(instance: Instance): string {
  if (!instance.parent || instance.parameters.length === 0) return instance.module;
  return `${instance.module} #(${instance.parameters.map(({ name, value }) => `${name}=${value}`).join(", ")})`;
}
