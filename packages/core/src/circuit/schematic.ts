/** A picture of a circuit as data: what is drawn, not where. Made by `written.ts` and `built.ts`, laid out by others. */
export type NodeKind =
  | "input port"
  | "output port"
  | "operator"
  | "mux"
  | "register"
  | "latch"
  | "memory"
  | "multiplier"
  | "part block"
  | "instance"
  | "lut"
  | "carry"
  | "outside";

export interface SchematicPin {
  /** Unique within its node and side. */
  readonly id: string;
  readonly label: string;
  readonly width: number;
  /** Value, where all of it is known, as people write it; null otherwise. */
  readonly constant: string | null;
  /** Nothing drives it (inputs), or nothing reads it (outputs). */
  readonly isOpen: boolean;
  /** Net of its lowest bit, for the focus; -1 for none. */
  readonly net: number;
}

export interface SchematicNode {
  readonly id: string;
  readonly kind: NodeKind;
  /** What stands in the symbol: an operator's sign, a register's name. */
  readonly symbol: string;
  readonly label: string;
  /** Container: the expanded instance it is drawn in; null for the outermost. */
  readonly parent: string | null;
  readonly inputs: readonly SchematicPin[];
  readonly outputs: readonly SchematicPin[];
  /** Word-level cell it comes from, for the source line; -1 for none. */
  readonly origin: number;
  /** Instance path, for instances and containers. */
  readonly path: string | null;
  readonly isExpanded: boolean;
  /** Neighbours that are not in the picture. */
  readonly hidden: number;
  /** More words: a truth table, modes, an expression. */
  readonly detail: readonly string[];
}

export interface SchematicEdge {
  readonly id: string;
  readonly from: { readonly node: string; readonly pin: string };
  readonly to: { readonly node: string; readonly pin: string };
  readonly width: number;
  /** Name of the net or vector that it carries; "" for one without. */
  readonly name: string;
  /** Net of its lowest bit. */
  readonly net: number;
}

export interface Schematic {
  readonly title: string;
  readonly nodes: readonly SchematicNode[];
  readonly edges: readonly SchematicEdge[];
  /** Nodes of the whole view; more than are drawn where it was cut to a neighbourhood. */
  readonly total: number;
}

/**
 * Cuts a schematic to the neighbourhood of some nodes: breadth first over its edges, at most `limit` nodes. Nodes at the
 * border know how many neighbours are missing. Containers come along with what is in them.
 */
export function neighbourhood(whole: Schematic, around: readonly string[], limit: number): Schematic {
  if (whole.nodes.length <= limit) return whole;
  const near = new Map<string, string[]>();
  const link = (a: string, b: string) => {
    const list = near.get(a);
    if (list) list.push(b);
    else near.set(a, [b]);
  };
  for (const edge of whole.edges) {
    link(edge.from.node, edge.to.node);
    link(edge.to.node, edge.from.node);
  }
  const known = new Map(whole.nodes.map((node) => [node.id, node]));
  const queue = around.filter((id) => known.has(id));
  if (queue.length === 0)
    queue.push(...whole.nodes.filter((node) => node.kind === "output port").map((node) => node.id));
  if (queue.length === 0) queue.push(whole.nodes[0].id);
  const kept = new Set<string>();
  for (let head = 0; head < queue.length && kept.size < limit; head++) {
    const id = queue[head];
    if (kept.has(id)) continue;
    kept.add(id);
    // a node with a great many neighbours (a reset, a clock) does not fill the picture by itself
    for (const next of (near.get(id) ?? []).slice(0, 24)) if (!kept.has(next)) queue.push(next);
  }
  for (const id of [...kept]) {
    for (let parent = known.get(id)?.parent ?? null; parent; parent = known.get(parent)?.parent ?? null)
      kept.add(parent);
  }
  const nodes = whole.nodes
    .filter((node) => kept.has(node.id))
    .map((node) => ({ ...node, hidden: new Set((near.get(node.id) ?? []).filter((id) => !kept.has(id))).size }));
  const edges = whole.edges.filter((edge) => kept.has(edge.from.node) && kept.has(edge.to.node));
  return { ...whole, nodes, edges };
}

/** Nodes on some way from one node to another, both included; empty if there is none. */
export function between(whole: Schematic, from: string, to: string): Set<string> {
  const walk = (start: string, forward: boolean) => {
    const next = new Map<string, string[]>();
    for (const edge of whole.edges) {
      const [a, b] = forward ? [edge.from.node, edge.to.node] : [edge.to.node, edge.from.node];
      const list = next.get(a);
      if (list) list.push(b);
      else next.set(a, [b]);
    }
    const seen = new Set([start]);
    const stack = [start];
    while (stack.length) {
      for (const node of next.get(stack.pop()!) ?? []) {
        if (seen.has(node)) continue;
        seen.add(node);
        stack.push(node);
      }
    }
    return seen;
  };
  const down = walk(from, true);
  if (!down.has(to)) return new Set();
  const up = walk(to, false);
  return new Set([...down].filter((node) => up.has(node)));
}

/** Only some nodes, with the edges among them. */
export function only(whole: Schematic, ids: ReadonlySet<string>): Schematic {
  const known = new Map(whole.nodes.map((node) => [node.id, node]));
  const kept = new Set(ids);
  for (const id of ids)
    for (let parent = known.get(id)?.parent ?? null; parent; parent = known.get(parent)?.parent ?? null)
      kept.add(parent);
  return {
    ...whole,
    nodes: whole.nodes.filter((node) => kept.has(node.id)),
    edges: whole.edges.filter((edge) => kept.has(edge.from.node) && kept.has(edge.to.node)),
  };
}

/** What differs between two versions of a view. */
export interface SchematicChange {
  readonly id: string;
  readonly change: "added" | "removed" | "rewired";
  readonly what: string;
}

/** Nodes by their names: those only in one version, and those whose inputs come from elsewhere. */
export function compareSchematics(before: Schematic, after: Schematic): SchematicChange[] {
  const sourcesOf = (schematic: Schematic) => {
    const sources = new Map<string, string[]>();
    for (const { from, to } of schematic.edges) {
      const list = sources.get(to.node) ?? [];
      sources.set(to.node, list);
      list.push(`${to.pin} < ${from.node} ${from.pin}`);
    }
    for (const node of schematic.nodes)
      for (const pin of node.inputs)
        if (pin.constant !== null)
          (sources.get(node.id) ?? sources.set(node.id, []).get(node.id)!).push(`${pin.id} = ${pin.constant}`);
    return new Map([...sources].map(([id, list]) => [id, list.sort().join("\n")]));
  };
  const [then, now] = [sourcesOf(before), sourcesOf(after)];
  const old = new Map(before.nodes.map((node) => [node.id, node]));
  const changes: SchematicChange[] = [];
  const word = (node: SchematicNode) => `${node.kind} ${node.label}`;
  for (const node of after.nodes) {
    const other = old.get(node.id);
    if (!other) changes.push({ id: node.id, change: "added", what: word(node) });
    else if ((then.get(node.id) ?? "") !== (now.get(node.id) ?? ""))
      changes.push({ id: node.id, change: "rewired", what: word(node) });
  }
  const current = new Set(after.nodes.map((node) => node.id));
  for (const node of before.nodes)
    if (!current.has(node.id)) changes.push({ id: node.id, change: "removed", what: word(node) });
  return changes;
}
