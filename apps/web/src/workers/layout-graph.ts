import type { Schematic, SchematicEdge, SchematicNode, SchematicPin } from "@gate-clock/core";
import ELK, { type ElkExtendedEdge, type ElkNode } from "elkjs/lib/elk.bundled.js";

/** A schematic with places: CSS px at scale 1, y downwards. */
interface LaidPin {
  readonly pin: SchematicPin;
  readonly x: number;
  readonly y: number;
}
export interface LaidNode {
  readonly node: SchematicNode;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly inputs: readonly LaidPin[];
  readonly outputs: readonly LaidPin[];
}
export interface LaidEdge {
  readonly edge: SchematicEdge;
  /** Polylines, as x0, y0, x1, y1, ... */
  readonly points: readonly number[];
}
export interface LaidSchematic {
  readonly title: string;
  readonly nodes: readonly LaidNode[];
  readonly edges: readonly LaidEdge[];
  readonly width: number;
  readonly height: number;
  readonly total: number;
}

const elk = new ELK();
const charPx = 6.4;
const pinPx = 16;

/** Size of a symbol: room for its pins, its sign and the names inside. */
export function sizeOf(node: SchematicNode): { width: number; height: number } {
  const rows = Math.max(1, node.inputs.length, node.outputs.length);
  const widest = (pins: readonly SchematicPin[]) => Math.max(0, ...pins.map((pin) => textOf(pin).length)) * charPx;
  switch (node.kind) {
    case "input port":
    case "output port":
    case "outside":
      return { width: node.label.length * charPx + 26, height: 22 };
    case "mux":
      return { width: 34, height: Math.max(3, rows) * pinPx + 10 };
    case "operator":
      return { width: Math.max(34, node.symbol.length * 9 + 14), height: Math.max(2, rows) * pinPx + 2 };
    case "lut": {
      const width = Math.min(240, Math.max(60, node.symbol.length * 5.8 + 34));
      return { width, height: Math.max(2, rows) * pinPx + 4 };
    }
    case "register":
    case "latch":
      return {
        width: Math.min(150, Math.max(70, widest(node.inputs) + 34, node.label.length * 5.8 + 10)),
        height: Math.max(2, rows) * pinPx + 20,
      };
    default: {
      const title = Math.max(node.symbol.length, node.label.length) * charPx + 16;
      return { width: Math.max(90, title, widest(node.inputs) + widest(node.outputs) + 30), height: rows * pinPx + 34 };
    }
  }
}

/** What stands beside a pin: its name, and its value where that is known. */
export function textOf(pin: SchematicPin): string {
  return pin.constant ? (pin.label ? `${pin.label} ${pin.constant}` : pin.constant) : pin.label;
}

const hasTitle = (node: SchematicNode) =>
  ["instance", "memory", "multiplier", "part block", "carry"].includes(node.kind);

/** Layered layout (Sugiyama, Tagawa, Toda 1981, as elkjs has it), pins in their order, wires at right angles. */
export async function layoutSchematic(schematic: Schematic): Promise<LaidSchematic> {
  const childrenOf = new Map<string | null, SchematicNode[]>();
  for (const node of schematic.nodes) {
    const list = childrenOf.get(node.parent);
    if (list) list.push(node);
    else childrenOf.set(node.parent, [node]);
  }
  const pinId = (node: string, side: "i" | "o", pin: string) => `${node}\u0000${side}\u0000${pin}`;
  const build = (node: SchematicNode): ElkNode => {
    const inner = childrenOf.get(node.id);
    if (node.isExpanded && inner?.length)
      return {
        id: node.id,
        children: inner.map(build),
        layoutOptions: { "elk.padding": "[top=34,left=24,bottom=20,right=24]" },
      };
    const { width, height } = sizeOf(node);
    const isStored = node.kind === "register" || node.kind === "latch";
    const top = hasTitle(node) ? 34 : isStored ? 22 : 10;
    const spread = (count: number) => {
      const free = height - top - 6;
      return (i: number) => (hasTitle(node) ? top + i * pinPx + 4 : top - 4 + (free * (i + 0.5)) / count);
    };
    const ports = [
      ...node.inputs.map((pin, i) => ({
        id: pinId(node.id, "i", pin.id),
        width: 0,
        height: 0,
        x: 0,
        y: spread(node.inputs.length)(i),
        layoutOptions: { "elk.port.side": "WEST" },
      })),
      ...node.outputs.map((pin, i) => ({
        id: pinId(node.id, "o", pin.id),
        width: 0,
        height: 0,
        x: width,
        y: spread(node.outputs.length)(i),
        layoutOptions: { "elk.port.side": "EAST" },
      })),
    ];
    const isEdge =
      node.kind === "input port" || node.kind === "outside" ? "FIRST" : node.kind === "output port" ? "LAST" : null;
    return {
      id: node.id,
      width,
      height,
      ports,
      layoutOptions: {
        "elk.portConstraints": "FIXED_POS",
        ...(isEdge && node.parent === null ? { "elk.layered.layering.layerConstraint": isEdge } : {}),
      },
    };
  };
  const hasPin = new Set<string>();
  for (const node of schematic.nodes) {
    for (const pin of node.inputs) hasPin.add(pinId(node.id, "i", pin.id));
    for (const pin of node.outputs) hasPin.add(pinId(node.id, "o", pin.id));
  }
  const edges: ElkExtendedEdge[] = [];
  schematic.edges.forEach((edge, i) => {
    const source = pinId(edge.from.node, "o", edge.from.pin);
    const target = pinId(edge.to.node, "i", edge.to.pin);
    if (hasPin.has(source) && hasPin.has(target)) edges.push({ id: `e${i}`, sources: [source], targets: [target] });
  });
  const root: ElkNode = {
    id: "root",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "RIGHT",
      "elk.edgeRouting": "ORTHOGONAL",
      "elk.hierarchyHandling": "INCLUDE_CHILDREN",
      "elk.layered.spacing.nodeNodeBetweenLayers": "46",
      "elk.spacing.nodeNode": "18",
      "elk.spacing.edgeNode": "12",
      "elk.spacing.edgeEdge": "8",
      "elk.layered.spacing.edgeNodeBetweenLayers": "14",
      "elk.layered.spacing.edgeEdgeBetweenLayers": "8",
      "elk.layered.nodePlacement.strategy": schematic.nodes.length > 160 ? "BRANDES_KOEPF" : "NETWORK_SIMPLEX",
      "elk.layered.thoroughness": schematic.nodes.length > 160 ? "3" : "7",
      "elk.padding": "[top=20,left=20,bottom=20,right=20]",
    },
    children: (childrenOf.get(null) ?? []).map(build),
    edges,
  };
  const graph: ElkNode = await elk.layout(root);
  const places = new Map<string, { x: number; y: number; node: ElkNode }>();
  const offsets = new Map<string, { x: number; y: number }>([["root", { x: 0, y: 0 }]]);
  const walk = (parent: ElkNode, x0: number, y0: number) => {
    for (const child of parent.children ?? []) {
      const x = x0 + (child.x ?? 0);
      const y = y0 + (child.y ?? 0);
      places.set(child.id, { x, y, node: child });
      offsets.set(child.id, { x, y });
      walk(child, x, y);
    }
  };
  walk(graph, 0, 0);
  const nodes = schematic.nodes.flatMap((node): LaidNode[] => {
    const place = places.get(node.id);
    if (!place) return [];
    const portAt = new Map((place.node.ports ?? []).map((port) => [port.id, port]));
    const laid = (pins: readonly SchematicPin[], side: "i" | "o") =>
      pins.map((pin) => {
        const port = portAt.get(pinId(node.id, side, pin.id));
        return { pin, x: place.x + (port?.x ?? 0), y: place.y + (port?.y ?? 0) };
      });
    return [
      {
        node,
        x: place.x,
        y: place.y,
        width: place.node.width ?? 0,
        height: place.node.height ?? 0,
        inputs: laid(node.inputs, "i"),
        outputs: laid(node.outputs, "o"),
      },
    ];
  });
  const byId = new Map(schematic.edges.map((edge, i) => [`e${i}`, edge]));
  const laidEdges = (graph.edges ?? []).flatMap((item): LaidEdge[] => {
    const edge = byId.get(item.id);
    const container = (item as { container?: string }).container ?? "root";
    const shift = offsets.get(container) ?? { x: 0, y: 0 };
    if (!edge) return [];
    const points: number[] = [];
    for (const section of item.sections ?? [])
      for (const point of [section.startPoint, ...(section.bendPoints ?? []), section.endPoint])
        points.push(point.x + shift.x, point.y + shift.y);
    return points.length ? [{ edge, points }] : [];
  });
  return {
    title: schematic.title,
    nodes,
    edges: laidEdges,
    width: graph.width ?? 100,
    height: graph.height ?? 100,
    total: schematic.total,
  };
}
