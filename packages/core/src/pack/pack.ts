import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { PinPlan } from "../constraints/pins.ts";
import type { Part } from "../device/part.ts";
import { cellKind, collectSinks, ffMode, ffPin, type MappedNetlist } from "../netlist/mapped.ts";

/**
 * Cells gathered into elements (a LUT, a flip-flop, or one of each) and elements into clusters, each the size of a
 * logic tile. E elements.
 */
export interface PackedDesign {
  readonly elementCount: number;
  readonly clusterCount: number;
  /** [E] LUT and flip-flop cell of each element, or -1. */
  readonly elementLut: Int32Array;
  readonly elementFf: Int32Array;
  /** [E] 1 if the LUT feeds the flip-flop inside the element. */
  readonly elementJoined: Uint8Array;
  /** [E] */
  readonly elementCluster: Int32Array;
  /** [E] Place in its tile, 0 to elements per tile - 1. */
  readonly elementSlot: Int32Array;
  /** [cells] Element of each LUT and flip-flop; -1 for pads. */
  readonly cellElement: Int32Array;
  /** [cells] Pad of each port cell; -1 for others. */
  readonly cellPad: Int32Array;
}

/** Most different nets from outside that a cluster may need: more could not be brought in by the tile's muxes. */
const clusterInputLimit = 34;

/**
 * Greedy clustering by attraction (Betz and Marquardt 1997, "Cluster-based logic blocks for FPGAs"): the next element is
 * the one that shares most nets with the cluster, nets of few pins counting more.
 */
export function pack(
  netlist: MappedNetlist,
  pins: PinPlan,
  part: Part,
  context: StageContext,
): StageResult<PackedDesign> {
  const findings: Finding[] = [];
  const capacity = part.fabric.logicTiles.length;
  let result = new Packer(netlist, part, false).run(context);
  if (result.clusterCount > capacity) result = new Packer(netlist, part, true).run(context);
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
  const cellPad = new Int32Array(netlist.cellCount).fill(-1);
  const pinOf = new Map(pins.pins.map((pin) => [pin.port, pin.pin]));
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      if (cell >= 0) cellPad[cell] = part.pinByName.get(pinOf.get(port.bitNames[bit])!)!.pad;
    });
  }
  return { artifact: { ...result, cellPad }, findings };
}

class Packer {
  private readonly elementLut: number[] = [];
  private readonly elementFf: number[] = [];
  private readonly elementJoined: number[] = [];
  private readonly cellElement: Int32Array;

  /** @param dense Fill clusters with strangers, and put flip-flops next to LUTs they have nothing to do with. */
  constructor(
    private readonly netlist: MappedNetlist,
    private readonly part: Part,
    private readonly dense: boolean,
  ) {
    this.cellElement = new Int32Array(netlist.cellCount).fill(-1);
  }

  run(context: StageContext): Omit<PackedDesign, "cellPad"> {
    this.formElements();
    const elementCount = this.elementLut.length;
    const { family } = this.part;
    const per = family.elementsPerTile;
    const perGroup = family.elementsPerGroup;
    const groupCount = per / perGroup;
    const { netlist } = this;
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
    // seeds: elements with most nets first
    const order = elementNets
      .map((_, e) => e)
      .sort((a, b) => elementNets[b].all.length - elementNets[a].all.length || a - b);
    let cluster = 0;
    let firstOpen = 0;
    for (;;) {
      while (firstOpen < elementCount && elementCluster[order[firstOpen]] >= 0) firstOpen++;
      if (firstOpen === elementCount) break;
      context.checkCancelled();
      const gain = new Map<number, number>();
      const inside = new Map<number, number>(); // net -> elements of the cluster that read it
      const madeHere = new Set<number>();
      const groups = Array.from({ length: groupCount }, () => ({ control: "", used: 0 }));
      let clock = "";
      let size = 0;
      const groupFor = (e: number): number => {
        const ff = this.elementFf[e];
        if (ff >= 0 && clock !== "" && clock !== this.clockOf(ff)) return -1;
        const control = ff >= 0 ? this.controlOf(ff) : "";
        let open = -1;
        for (let g = 0; g < groupCount; g++) {
          if (groups[g].used === perGroup) continue;
          if (control === "" || groups[g].control === control) {
            // LUTs without a flip-flop leave room in groups that are still free of controls
            if (control !== "" || open < 0 || (groups[open].control === "" && groups[g].control !== "")) open = g;
            if (control !== "") return g;
          } else if (groups[g].control === "" && open < 0) open = g;
        }
        return open;
      };
      const outsideInputs = (e: number): number => {
        let count = 0;
        for (const net of inside.keys()) if (!madeHere.has(net) && !elementNets[e].made.includes(net)) count++;
        for (const net of elementNets[e].read)
          if (!inside.has(net) && !madeHere.has(net) && !elementNets[e].made.includes(net)) count++;
        return count;
      };
      const add = (e: number): boolean => {
        const group = groupFor(e);
        if (group < 0 || outsideInputs(e) > clusterInputLimit) return false;
        const ff = this.elementFf[e];
        if (ff >= 0) {
          clock = this.clockOf(ff);
          groups[group].control = this.controlOf(ff);
        }
        elementCluster[e] = cluster;
        elementSlot[e] = group * perGroup + groups[group].used++;
        size++;
        gain.delete(e);
        for (const net of elementNets[e].made) madeHere.add(net);
        for (const net of elementNets[e].read) inside.set(net, (inside.get(net) ?? 0) + 1);
        for (const net of elementNets[e].all) {
          const others = netElements.get(net)!;
          if (others.length > 48) continue;
          for (const other of others)
            if (elementCluster[other] < 0) gain.set(other, (gain.get(other) ?? 0) + 1 / others.length);
        }
        return true;
      };
      add(order[firstOpen]);
      while (size < per && gain.size) {
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
        for (let at = firstOpen, tried = 0; at < elementCount && size < per && tried < 400; at++) {
          if (elementCluster[order[at]] >= 0) continue;
          tried++;
          add(order[at]);
        }
      }
      cluster++;
    }
    return {
      elementCount,
      clusterCount: cluster,
      elementLut: Int32Array.from(this.elementLut),
      elementFf: Int32Array.from(this.elementFf),
      elementJoined: Uint8Array.from(this.elementJoined),
      elementCluster,
      elementSlot,
      cellElement: netlist.cellCount ? this.cellElement : new Int32Array(0),
    };
  }

  private formElements(): void {
    const { netlist } = this;
    const { kind, inputStart, inputNet, netDriver } = netlist;
    const sinks = collectSinks(netlist);
    const newElement = (lut: number, ff: number, joined: number) => {
      const e = this.elementLut.length;
      this.elementLut.push(lut);
      this.elementFf.push(ff);
      this.elementJoined.push(joined);
      if (lut >= 0) this.cellElement[lut] = e;
      if (ff >= 0) this.cellElement[ff] = e;
    };
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (kind[cell] !== cellKind.flipFlop) continue;
      const driver = netDriver[inputNet[inputStart[cell] + ffPin.d]];
      const free = kind[driver] === cellKind.lut && this.cellElement[driver] < 0;
      if (free) newElement(driver, cell, 1);
    }
    const loneFfs: number[] = [];
    const loneLuts: number[] = [];
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (this.cellElement[cell] >= 0) continue;
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
        newElement(partner, ff, 0);
      }
      for (const lut of open) newElement(lut, -1, 0);
      return;
    }
    for (const ff of loneFfs) newElement(-1, ff, 0);
    for (const lut of loneLuts) newElement(lut, -1, 0);
  }

  private clockOf(ff: number): string {
    const { inputNet, inputStart, modes } = this.netlist;
    return `${inputNet[inputStart[ff] + ffPin.clock]} ${modes[ff] & ffMode.clockFalling}`;
  }
  private controlOf(ff: number): string {
    const { inputNet, inputStart } = this.netlist;
    return `${inputNet[inputStart[ff] + ffPin.enable]} ${inputNet[inputStart[ff] + ffPin.reset]}`;
  }

  private netsOf(e: number): { read: number[]; made: number[]; all: number[] } {
    const { inputNet, inputStart, outputNet } = this.netlist;
    const read = new Set<number>();
    const made: number[] = [];
    const lut = this.elementLut[e];
    const ff = this.elementFf[e];
    if (lut >= 0) {
      for (let i = inputStart[lut]; i < inputStart[lut + 1]; i++) read.add(inputNet[i]);
      made.push(outputNet[lut]);
    }
    if (ff >= 0) {
      for (const pin of [ffPin.enable, ffPin.reset])
        if (inputNet[inputStart[ff] + pin] >= 0) read.add(inputNet[inputStart[ff] + pin]);
      if (!this.elementJoined[e]) read.add(inputNet[inputStart[ff] + ffPin.d]);
      made.push(outputNet[ff]);
    }
    return { read: [...read], made, all: [...new Set([...read, ...made])] };
  }
}
