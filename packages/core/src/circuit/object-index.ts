import type { SourcePosition } from "../common/source.ts";
import { nodeKind, type Part } from "../device/index.ts";
import { elementAt, type PackedDesign, type PlacedDesign, type RoutedDesign } from "../layout/index.ts";
import { ownerOfMade } from "../netlist/made-names.ts";
import { cellKind, cellKindNames, type MappedNetlist } from "../netlist/mapped.ts";
import type { RtlNetlist, RtlPositions } from "../netlist/rtl.ts";
import type { TimingPath, TimingReport } from "../timing/index.ts";

/** Results of one trial, as far as there are any. */
interface ObjectSources {
  readonly part: Part;
  readonly netlist: MappedNetlist;
  readonly written: { readonly netlist: RtlNetlist; readonly positions: RtlPositions } | null;
  readonly packed: PackedDesign | null;
  readonly placed: PlacedDesign | null;
  readonly routed: RoutedDesign | null;
  readonly timing: TimingReport | null;
}

/** What is known of a name of the design. */
export interface ObjectFacts {
  readonly name: string;
  /** The net that carries it, where that has another name. */
  readonly carriedBy: string | null;
  /** What it has become: the kind of cell that drives it, or why nothing does. */
  readonly became: string;
  readonly writtenAt: SourcePosition | null;
  readonly tile: { readonly x: number; readonly y: number } | null;
  /** Package pin, for what is at one. */
  readonly pin: string | null;
  /** Input pins that it leads to; null if it has no net. */
  readonly fanout: number | null;
  /** Wires that it is routed on. */
  readonly wires: number | null;
  /** The worst of the setup paths listed that lead through it: its place in the list. */
  readonly worst: { readonly index: number; readonly path: TimingPath } | null;
}

/** What is known of every net. */
export interface NetFacts {
  readonly name: string;
  /** Input pins that it leads to. */
  readonly fanout: number;
  /** Wires that it is routed on; null while it is not. */
  readonly wires: number | null;
}

/** What a line of the source has become. */
export interface LineFacts {
  /** Kind of cell -> how many, most first. */
  readonly counts: readonly (readonly [kind: string, count: number])[];
  /** Nets that its cells drive, those that the source names first. */
  readonly nets: readonly string[];
}

/** Every name of a trial's circuit, with where it is written, what it became and where it lies: made once, asked often. */
export class ObjectIndex {
  private readonly nets = new Map<string, number>();
  private readonly fates = new Map<string, { readonly became: string; readonly net?: string }>();
  private readonly fanouts: Int32Array;
  private lines: Map<string, number[]> | null = null;
  private paths: Map<number, number> | null = null;

  constructor(private readonly of: ObjectSources) {
    const { netName, netCount, inputNet, fates } = of.netlist;
    for (let net = 0; net < netCount; net++) this.nets.set(netName[net], net);
    for (const fate of fates) this.fates.set(fate.name, fate);
    this.fanouts = new Int32Array(netCount);
    for (const net of inputNet) if (net >= 0) this.fanouts[net]++;
  }

  /** Number of the net that carries a name; -1 if none does. */
  netOf(name: string): number {
    return this.nets.get(name) ?? this.nets.get(this.fates.get(name)?.net ?? "") ?? -1;
  }

  /** All nets, by number. */
  list(): NetFacts[] {
    const { netlist, routed } = this.of;
    return netlist.netName.map((name, net) => ({
      name,
      fanout: this.fanouts[net],
      wires: routed && this.wiresOf(net, routed),
    }));
  }

  /** @returns null for a name that the trial does not know. */
  find(name: string): ObjectFacts | null {
    const net = this.netOf(name);
    const fate = this.fates.get(name);
    if (net < 0) {
      const pad = this.outputPad(name);
      if (pad >= 0) return { ...this.unrouted(name, cellKindNames[cellKind.outputPad]), ...this.placeOf(pad) };
      return fate ? this.unrouted(name, fate.became) : null;
    }
    const { netlist, routed } = this.of;
    const driver = netlist.netDriver[net];
    const carrier = netlist.netName[net];
    return {
      name,
      carriedBy: carrier === name ? null : carrier,
      became: cellKindNames[netlist.kind[driver]],
      writtenAt: this.writtenAt(driver),
      ...this.placeOf(driver),
      fanout: this.fanouts[net],
      wires: routed && this.wiresOf(net, routed),
      worst: this.worstThrough(net),
    };
  }

  /** @param line From 1. */
  line(file: string, line: number): LineFacts {
    const { netlist } = this.of;
    const counts = new Map<string, number>();
    const nets: string[] = [];
    for (const cell of this.cellsByLine().get(`${file}:${line}`) ?? []) {
      const kind = cellKindNames[netlist.kind[cell]];
      counts.set(kind, (counts.get(kind) ?? 0) + 1);
      if (netlist.outputNet[cell] >= 0) nets.push(netlist.netName[netlist.outputNet[cell]]);
    }
    const isMade = (name: string) => ownerOfMade(name) !== name;
    return {
      counts: [...counts].sort(([, a], [, b]) => b - a),
      nets: [...nets.filter((name) => !isMade(name)), ...nets.filter(isMade)],
    };
  }

  private unrouted(name: string, became: string): ObjectFacts {
    return {
      name,
      carriedBy: null,
      became,
      writtenAt: null,
      tile: null,
      pin: null,
      fanout: null,
      wires: null,
      worst: null,
    };
  }

  private outputPad(name: string): number {
    for (const { bitNames, pads } of this.of.netlist.ports) {
      const bit = bitNames.indexOf(name);
      if (bit >= 0) return pads[bit];
    }
    return -1;
  }

  private writtenAt(cell: number): SourcePosition | null {
    const { netlist, written } = this.of;
    if (!written) return null;
    if (netlist.origin[cell] >= 0) return written.positions.cells[netlist.origin[cell]] ?? null;
    const port = netlist.ports.find(({ pads }) => pads.includes(cell));
    const at = port ? written.netlist.ports.findIndex(({ name }) => name === port.name) : -1;
    return written.positions.ports[at] ?? null;
  }

  /** Name of the flip-flop at a place of a tile; null if none is there, or nothing is placed. */
  flipFlopAt(tile: number, place: number): string | null {
    const { netlist, packed, placed, part } = this.of;
    if (!packed || !placed) return null;
    for (let e = 0; e < packed.elementCount; e++) {
      if (packed.elementFf[e] < 0) continue;
      const at = elementAt(part, placed, e);
      if (at.tile === tile && at.place === place) return netlist.cellName[packed.elementFf[e]];
    }
    return null;
  }

  private placeOf(cell: number): Pick<ObjectFacts, "tile" | "pin"> {
    const { part, packed, placed } = this.of;
    if (!packed) return { tile: null, pin: null };
    const pad = packed.cellPad[cell];
    const at = (tile: number) => ({ x: part.fabric.tileX(tile), y: part.fabric.tileY(tile) });
    if (pad >= 0) return { tile: at(part.fabric.pads[pad].tile), pin: part.pinOfPad.get(pad)?.name ?? null };
    if (!placed) return { tile: null, pin: null };
    const [block, element] = [packed.cellBlock[cell], packed.cellElement[cell]];
    if (block >= 0) return { tile: at(placed.blockTile[block]), pin: null };
    return { tile: element >= 0 ? at(elementAt(part, placed, element).tile) : null, pin: null };
  }

  private wiresOf(net: number, { netStart, treeNode }: RoutedDesign): number {
    let wires = 0;
    for (let i = netStart[net]; i < netStart[net + 1]; i++)
      if (this.of.part.graph.nodeKind[treeNode[i]] === nodeKind.wire) wires++;
    return wires;
  }

  private worstThrough(net: number): ObjectFacts["worst"] {
    const list = this.of.timing?.setupPaths ?? [];
    if (!this.paths) {
      this.paths = new Map();
      for (let i = list.length; i-- > 0; ) for (const step of list[i].steps) this.paths.set(step.net, i);
    }
    const index = this.paths.get(net);
    return index === undefined ? null : { index, path: list[index] };
  }

  private cellsByLine(): Map<string, number[]> {
    if (this.lines) return this.lines;
    this.lines = new Map();
    const { netlist, written } = this.of;
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      const place = netlist.origin[cell] >= 0 ? written?.positions.cells[netlist.origin[cell]] : undefined;
      if (!place) continue;
      const key = `${place.file}:${place.line}`;
      const own = this.lines.get(key);
      if (own) own.push(cell);
      else this.lines.set(key, [cell]);
    }
    return this.lines;
  }
}
