import {
  between,
  builtSchematic,
  compareSchematics,
  coneOf,
  type HierarchyNode,
  type MappedNetlist,
  neighbourhood,
  only,
  type RtlNetlist,
  type Schematic,
  type SchematicChange,
  WrittenCircuit,
  type WrittenView,
} from "@gate-clock/core";
import { exposeByPort } from "../engine/sealed-worker.ts";
import { type LaidSchematic, layoutSchematic } from "./layout-graph.ts";

/** What is to be seen of a view: all of it (if it is small), a neighbourhood, a cone, or what lies between two nodes. */
export interface Part {
  /** Nodes that must be in it. */
  readonly around: readonly string[];
  readonly mode: "near" | "cone" | "between";
  readonly limit: number;
}
export interface Found {
  readonly name: string;
  /** Instance that it is written in; null in the circuit as built. */
  readonly path: string | null;
  readonly node: string;
}
export interface Shown {
  readonly laid: LaidSchematic;
  /** Nodes that the part was made around and that exist. */
  readonly around: readonly string[];
}

let written: WrittenCircuit | null = null;
let rtl: RtlNetlist | null = null;
let mapped: MappedNetlist | null = null;
let built: Schematic | null = null;

function cut(whole: Schematic, part: Part): Schematic {
  const [from, to] = part.around;
  if (part.mode === "cone" && from) return neighbourhood(only(whole, coneOf(whole, from)), [from], part.limit);
  if (part.mode === "between" && from && to) {
    const inside = between(whole, from, to);
    return inside.size ? neighbourhood(only(whole, inside), [from, to], part.limit) : only(whole, new Set([from, to]));
  }
  return neighbourhood(whole, part.around, part.limit);
}

const show = async (whole: Schematic, part: Part): Promise<Shown> => {
  const ids = new Set(whole.nodes.map((node) => node.id));
  const around = part.around.filter((id) => ids.has(id));
  const laid = await layoutSchematic(cut(whole, { ...part, around }));
  return { laid: { ...laid, total: whole.total }, around };
};

const circuits = {
  load(netlist: RtlNetlist, hierarchy: HierarchyNode, asBuilt: MappedNetlist | null): void {
    rtl = netlist;
    written = new WrittenCircuit(netlist, hierarchy);
    mapped = asBuilt;
    built = null;
  },
  instances: () => written?.list() ?? [],
  async written(view: WrittenView, part: Part): Promise<Shown> {
    return show(written!.view({ ...view, root: written!.has(view.root) ? view.root : "" }), part);
  },
  async built(part: Part): Promise<Shown | null> {
    if (!mapped) return null;
    built ??= builtSchematic(mapped);
    return show(built, part);
  },
  /** Node that a focus means: in the circuit as written with its instance, or as built. */
  locate(kind: "written" | "built", name: string): Found | null {
    if (kind === "built") {
      if (!mapped) return null;
      built ??= builtSchematic(mapped);
      const net = mapped.netName.indexOf(name);
      const fate = net < 0 ? mapped.fates.find((each) => each.name === name)?.net : undefined;
      const wanted = net >= 0 ? net : fate ? mapped.netName.indexOf(fate) : -1;
      const node = built.nodes.find(
        (each) => each.outputs.some((pin) => pin.net === wanted && wanted >= 0) || each.label === name,
      );
      return node ? { name, path: null, node: node.id } : null;
    }
    if (!written || !rtl) return null;
    for (const signal of rtl.signals) {
      if (signal.name !== name && !name.startsWith(`${signal.name}[`)) continue;
      const index = /\[(-?\d+)\]$/.exec(name.slice(signal.name.length));
      const offset = index ? Math.abs(Number(index[1]) - signal.lsb) : 0;
      const found = written.nodeOfNet(signal.bits[offset] ?? signal.bits[0]);
      if (found) return { name, path: found.path, node: found.id };
    }
    const port = rtl.ports.find((each) => name === each.name || name.startsWith(`${each.name}[`));
    if (port) return { name, path: "", node: `port ${port.name}` };
    const cell = rtl.cells.find((each) => each.name === name);
    return cell ? { name, path: written.instanceOf(cell.name), node: `cell ${cell.name}` } : null;
  },
  find(kind: "written" | "built", text: string): Found[] {
    const wanted = text.toLowerCase();
    const found: Found[] = [];
    if (kind === "built" && mapped) {
      built ??= builtSchematic(mapped);
      for (const node of built.nodes) {
        if (!node.label.toLowerCase().includes(wanted)) continue;
        found.push({ name: node.label, path: null, node: node.id });
        if (found.length === 60) break;
      }
      return found;
    }
    if (!written || !rtl) return found;
    for (const signal of rtl.signals) {
      if (!signal.name.toLowerCase().includes(wanted)) continue;
      const place = written.nodeOfNet(signal.bits[0]);
      if (place) found.push({ name: signal.name, path: place.path, node: place.id });
      if (found.length === 60) break;
    }
    return found;
  },
  /** Differences of a view between an earlier elaborated design and this one. */
  compare(netlist: RtlNetlist, hierarchy: HierarchyNode, view: WrittenView): SchematicChange[] {
    const before = new WrittenCircuit(netlist, hierarchy);
    if (!before.has(view.root)) return [];
    return compareSchematics(before.view(view), written!.view(view));
  },
};
export type Circuits = typeof circuits;
exposeByPort(circuits);
