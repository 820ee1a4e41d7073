import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { PinSite } from "../constraints/pins/model.ts";
import { laneOfPin } from "../constraints/pins/serial.ts";
import { listBlocks } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import { clockKey, controlKey } from "../layout/controls.ts";
import type { PackedDesign } from "../layout/layout.ts";
import {
  blockOfCells,
  carryPin,
  cellKind,
  collectSinks,
  ffPin,
  type LayoutNetlist,
  type MappedChain,
  type NetSinks,
  serialPads,
} from "../netlist/mapped.ts";
import { type PadRegisters, takePadRegisters } from "./pad-registers.ts";

/** Most different nets from outside that a cluster may need: more could not be brought in by the tile's muxes. */
const clusterInputLimit = 34;

/**
 * Greedy clustering by attraction (Betz and Marquardt 1997, "Cluster-based logic blocks for FPGAs"): the next element is
 * the one that shares most nets with the cluster, nets of few pins counting more.
 */
export function pack(
  netlist: LayoutNetlist,
  pins: readonly PinSite[],
  part: Part,
  context: StageContext,
): StageResult<PackedDesign> {
  const findings: Finding[] = [];
  for (const { type, several } of listBlocks()) {
    const used = netlist.blocks.filter((block) => block.modes.type === type).length;
    const there = part.fabric.blockSites(type).length;
    if (used <= there) continue;
    findings.push({
      code: "fit/too-big",
      severity: "error",
      place: { object: netlist.top },
      message: `The design does not fit ${part.name}: it needs ${used} of ${there} ${several}.`,
      remedy: `Use fewer ${several}, or choose a larger part.`,
    });
  }
  if (findings.length) return { artifact: null, findings };
  const cellPad = new Int32Array(netlist.cellCount).fill(-1);
  const blockSite = new Int32Array(netlist.blocks.length).fill(-1);
  const serial = serialPads(netlist);
  const pinOf = new Map(pins.map((pin) => [pin.port, pin.pin]));
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      const pin = pinOf.get(port.bitNames[bit]) ?? "";
      const lane = laneOfPin(pin);
      if (cell < 0) return;
      if (lane === null) cellPad[cell] = part.pinByName.get(pin)!.pad;
      else blockSite[serial.get(cell)!] = lane;
    });
  }
  const { registers, findings: refused } = takePadRegisters(netlist, pins, part, cellPad);
  findings.push(...refused);
  for (const [ff, { pad }] of registers) cellPad[ff] = pad;
  const capacity = part.fabric.logicTiles.length;
  let result = new Packer(netlist, part, registers, false).run(context);
  if (result.clusterCount > capacity) result = new Packer(netlist, part, registers, true).run(context);
  if (result.clusterCount > capacity) {
    const luts = netlist.kind.filter((kind) => kind === cellKind.lut).length;
    const ffs = netlist.kind.filter((kind) => kind === cellKind.flipFlop).length;
    const most = capacity * part.family.elementsPerTile;
    const what =
      luts > most
        ? `${luts} of ${most} LUTs`
        : ffs > most
          ? `${ffs} of ${most} flip-flops`
          : `${result.clusterCount} of ${capacity} logic tiles`;
    findings.push({
      code: "fit/too-big",
      severity: "error",
      place: { object: netlist.top },
      message: `The design does not fit ${part.name}: it needs ${what} (${luts} LUTs, ${ffs} flip-flops, ${result.clusterCount} logic tiles of ${capacity}).`,
      remedy:
        luts > most || ffs > most
          ? "Make the design smaller, or choose a larger part."
          : "Let registers share clocks, enables and resets, or choose a larger part.",
    });
    return { artifact: null, findings };
  }
  return { artifact: { ...result, cellBlock: blockOfCells(netlist), cellPad, blockSite }, findings };
}

/** A logic tile while it is filled. */
interface OpenCluster {
  readonly id: number;
  clock: string;
  readonly groups: { control: string; used: number }[];
  size: number;
  readonly elements: number[];
}

class Packer {
  private readonly elementLut: number[] = [];
  private readonly elementFf: number[] = [];
  private readonly elementJoined: number[] = [];
  private readonly elementSum: number[] = [];
  private readonly elementMux: number[] = [];
  private readonly cellElement: Int32Array;
  private readonly per: number;
  private readonly perGroup: number;
  private readonly clusters: OpenCluster[] = [];
  /** [clusters] Cluster that a carry leads up to, or -1. */
  private readonly above: number[] = [];
  private readonly placed: { element: number; cluster: number; slot: number }[] = [];
  private readonly sinks: NetSinks;

  /** @param dense Fill clusters with strangers, and put flip-flops next to LUTs they have nothing to do with. */
  constructor(
    private readonly netlist: LayoutNetlist,
    part: Part,
    private readonly padRegisters: PadRegisters,
    private readonly dense: boolean,
  ) {
    this.cellElement = new Int32Array(netlist.cellCount).fill(-1);
    this.per = part.family.elementsPerTile;
    this.perGroup = part.family.elementsPerGroup;
    this.sinks = collectSinks(netlist);
  }

  run(context: StageContext): Omit<PackedDesign, "cellPad" | "cellBlock" | "blockSite"> {
    this.placeChains();
    this.formElements();
    const { per, netlist } = this;
    const elementCount = this.elementLut.length;
    const elementNets = this.elementLut.map((_, e) => this.netsOf(e));
    const netElements = new Map<number, number[]>();
    elementNets.forEach((nets, e) => {
      for (const net of nets.all) {
        const list = netElements.get(net);
        if (list) list.push(e);
        else netElements.set(net, [e]);
      }
    });
    const elementCluster = new Int32Array(elementCount).fill(-1);
    const elementSlot = new Int32Array(elementCount);
    for (const { element, cluster, slot } of this.placed) {
      elementCluster[element] = cluster;
      elementSlot[element] = slot;
    }
    // seeds: elements with most nets first
    const order = elementNets
      .map((_, e) => e)
      .sort((a, b) => elementNets[b].all.length - elementNets[a].all.length || a - b);
    let firstOpen = 0;
    const fill = (cluster: OpenCluster) => {
      context.checkCancelled();
      const gain = new Map<number, number>();
      const inside = new Map<number, number>(); // net -> elements of the cluster that read it
      const madeHere = new Set<number>();
      const outsideInputs = (e: number): number => {
        let count = 0;
        for (const net of inside.keys()) if (!madeHere.has(net) && !elementNets[e].made.includes(net)) count++;
        for (const net of elementNets[e].read)
          if (!inside.has(net) && !madeHere.has(net) && !elementNets[e].made.includes(net)) count++;
        return count;
      };
      const take = (e: number) => {
        gain.delete(e);
        for (const net of elementNets[e].made) madeHere.add(net);
        for (const net of elementNets[e].read) inside.set(net, (inside.get(net) ?? 0) + 1);
        for (const net of elementNets[e].all) {
          const others = netElements.get(net)!;
          if (others.length > 48) continue;
          for (const other of others)
            if (elementCluster[other] < 0) gain.set(other, (gain.get(other) ?? 0) + 1 / others.length);
        }
      };
      for (const e of cluster.elements) take(e);
      const add = (e: number): boolean => {
        const ff = this.elementFf[e];
        const group = this.groupFor(cluster, ff);
        if (group < 0 || (cluster.size > 0 && outsideInputs(e) > clusterInputLimit)) return false;
        elementCluster[e] = cluster.id;
        elementSlot[e] = this.occupy(cluster, group, ff);
        take(e);
        return true;
      };
      if (cluster.size === 0) add(order[firstOpen]);
      while (cluster.size < per && gain.size) {
        let best = -1;
        let bestGain = 0;
        for (const [e, value] of gain) {
          if (value > bestGain || (value === bestGain && e < best)) {
            best = e;
            bestGain = value;
          }
        }
        if (!add(best)) gain.delete(best);
      }
      if (this.dense) {
        for (let at = firstOpen, tried = 0; at < elementCount && cluster.size < per && tried < 400; at++) {
          if (elementCluster[order[at]] >= 0) continue;
          tried++;
          add(order[at]);
        }
      }
    };
    for (const cluster of [...this.clusters]) fill(cluster);
    for (;;) {
      while (firstOpen < elementCount && elementCluster[order[firstOpen]] >= 0) firstOpen++;
      if (firstOpen === elementCount) break;
      fill(this.newCluster());
    }
    return {
      elementCount,
      clusterCount: this.clusters.length,
      elementLut: Int32Array.from(this.elementLut),
      elementFf: Int32Array.from(this.elementFf),
      elementJoined: Uint8Array.from(this.elementJoined),
      elementSum: Int32Array.from(this.elementSum),
      elementMux: Int32Array.from(this.elementMux),
      elementCluster,
      elementSlot,
      clusterAbove: Int32Array.from(this.above),
      cellElement: netlist.cellCount ? this.cellElement : new Int32Array(0),
    };
  }

  private newCluster(): OpenCluster {
    const groups = Array.from({ length: this.per / this.perGroup }, () => ({ control: "", used: 0 }));
    const cluster = { id: this.clusters.length, clock: "", groups, size: 0, elements: [] };
    this.clusters.push(cluster);
    this.above.push(-1);
    return cluster;
  }

  /** Group of a cluster with room for an element with this flip-flop (or -1 for none); -1 if none has. */
  private groupFor(cluster: OpenCluster, ff: number): number {
    const { groups } = cluster;
    if (ff >= 0 && cluster.clock !== "" && cluster.clock !== clockKey(this.netlist, ff)) return -1;
    const control = ff >= 0 ? controlKey(this.netlist, ff) : "";
    let open = -1;
    for (let g = 0; g < groups.length; g++) {
      if (groups[g].used === this.perGroup) continue;
      if (control === "" || groups[g].control === control) {
        // LUTs without a flip-flop leave room in groups that are still free of controls
        if (control !== "" || open < 0 || (groups[open].control === "" && groups[g].control !== "")) open = g;
        if (control !== "") return g;
      } else if (groups[g].control === "" && open < 0) open = g;
    }
    return open;
  }

  /** Takes the next place of a group. @returns The place in the tile. */
  private occupy(cluster: OpenCluster, group: number, ff: number): number {
    const slot = group * this.perGroup + cluster.groups[group].used++;
    cluster.size++;
    if (ff >= 0) {
      cluster.clock = clockKey(this.netlist, ff);
      cluster.groups[group].control = controlKey(this.netlist, ff);
    }
    return slot;
  }

  private newElement(lut: number, ff: number, joined: number, sum = -1, mux = -1): number {
    const e = this.elementLut.length;
    this.elementLut.push(lut);
    this.elementFf.push(ff);
    this.elementJoined.push(joined);
    this.elementSum.push(sum);
    this.elementMux.push(mux);
    for (const cell of [lut, ff, sum, mux]) if (cell >= 0) this.cellElement[cell] = e;
    return e;
  }

  /** Chains, longest first, fill tiles from the foot up; short ones share a tile. Registers of their sums come along. */
  private placeChains(): void {
    const { per, perGroup } = this;
    const chains = [...this.netlist.chains].sort((a, b) => b.lut.length - a.lut.length);
    const tops: OpenCluster[] = []; // tiles with room above a chain
    for (const chain of chains) {
      const n = chain.lut.length;
      let cluster: OpenCluster | undefined;
      if (n <= per) {
        for (const top of tops)
          if (per - top.size >= n && (!cluster || top.size > cluster.size) && this.isFriend(top, chain)) cluster = top;
      }
      if (!cluster) {
        cluster = this.newCluster();
        tops.push(cluster);
      }
      for (let i = 0; i < n; i++) {
        if (cluster.size === per) {
          const next = this.newCluster();
          this.above[cluster.id] = next.id;
          tops.splice(tops.indexOf(cluster), 1, next);
          cluster = next;
        }
        const group = Math.floor(cluster.size / perGroup);
        const ff = this.registerOf(chain.sum[i], cluster, group);
        const element = this.newElement(chain.lut[i], ff, ff >= 0 ? 1 : 0, chain.sum[i], chain.mux[i]);
        cluster.elements.push(element);
        this.placed.push({ element, cluster: cluster.id, slot: this.occupy(cluster, group, ff) });
      }
    }
  }

  /** True if the registers of the chain's sums would find their clock and controls in the tile. */
  private isFriend(cluster: OpenCluster, chain: MappedChain): boolean {
    return chain.sum.every((sum, i) => {
      const ff = this.registerOf(sum, null, 0);
      return ff < 0 || this.takes(cluster, Math.floor((cluster.size + i) / this.perGroup), ff);
    });
  }

  private takes(cluster: OpenCluster, group: number, ff: number): boolean {
    if (cluster.clock !== "" && cluster.clock !== clockKey(this.netlist, ff)) return false;
    const { control } = cluster.groups[group];
    return control === "" || control === controlKey(this.netlist, ff);
  }

  /** First free flip-flop that takes a sum and fits the tile; -1 for none. */
  private registerOf(sum: number, cluster: OpenCluster | null, group: number): number {
    if (sum < 0) return -1;
    const { netlist, sinks } = this;
    const net = netlist.outputNet[sum];
    for (let i = sinks.start[net]; i < sinks.start[net + 1]; i++) {
      const cell = sinks.cell[i];
      if (netlist.kind[cell] !== cellKind.flipFlop || sinks.pin[i] !== ffPin.d || this.cellElement[cell] >= 0) continue;
      if (this.padRegisters.has(cell)) continue;
      if (!cluster || this.takes(cluster, group, cell)) return cell;
    }
    return -1;
  }

  private formElements(): void {
    const { netlist, sinks } = this;
    const { kind, inputStart, inputNet, netDriver } = netlist;
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (kind[cell] !== cellKind.flipFlop || this.cellElement[cell] >= 0 || this.padRegisters.has(cell)) continue;
      const driver = netDriver[inputNet[inputStart[cell] + ffPin.d]];
      const free = kind[driver] === cellKind.lut && this.cellElement[driver] < 0;
      if (free) this.newElement(driver, cell, 1);
    }
    const loneFfs: number[] = [];
    const loneLuts: number[] = [];
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (this.cellElement[cell] >= 0 || this.padRegisters.has(cell)) continue;
      if (kind[cell] === cellKind.lut) loneLuts.push(cell);
      else if (kind[cell] === cellKind.flipFlop) loneFfs.push(cell);
    }
    if (this.dense) {
      // a flip-flop fed through the bypass pin leaves its LUT free: give it one that reads or feeds something near
      const open = new Set(loneLuts);
      for (const ff of loneFfs) {
        let partner = -1;
        const near = netlist.outputNet[ff];
        for (let i = sinks.start[near]; i < sinks.start[near + 1] && partner < 0; i++)
          if (open.has(sinks.cell[i])) partner = sinks.cell[i];
        if (partner < 0)
          for (const lut of open) {
            partner = lut;
            break;
          }
        if (partner >= 0) open.delete(partner);
        this.newElement(partner, ff, 0);
      }
      for (const lut of open) this.newElement(lut, -1, 0);
      return;
    }
    for (const ff of loneFfs) this.newElement(-1, ff, 0);
    for (const lut of loneLuts) this.newElement(lut, -1, 0);
  }

  private netsOf(e: number): { read: number[]; made: number[]; all: number[] } {
    const { inputNet, inputStart, outputNet } = this.netlist;
    const read = new Set<number>();
    const made: number[] = [];
    const lut = this.elementLut[e];
    const ff = this.elementFf[e];
    const sum = this.elementSum[e];
    const mux = this.elementMux[e];
    const isLinked = sum >= 0 || mux >= 0;
    if (lut >= 0) {
      for (let i = inputStart[lut]; i < inputStart[lut + 1]; i++) read.add(inputNet[i]);
      if (!isLinked) made.push(outputNet[lut]);
    }
    if (sum >= 0) made.push(outputNet[sum]);
    if (mux >= 0 && inputNet[inputStart[mux] + carryPin.b] >= 0) read.add(inputNet[inputStart[mux] + carryPin.b]);
    if (ff >= 0) {
      for (const pin of [ffPin.enable, ffPin.reset])
        if (inputNet[inputStart[ff] + pin] >= 0) read.add(inputNet[inputStart[ff] + pin]);
      if (!this.elementJoined[e]) read.add(inputNet[inputStart[ff] + ffPin.d]);
      made.push(outputNet[ff]);
    }
    return { read: [...read], made, all: [...new Set([...read, ...made])] };
  }
}
