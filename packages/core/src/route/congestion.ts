import type { Finding } from "../common/finding.ts";
import { nodeName, type Part } from "../device/part.ts";

/**
 * Where wires are short, who crowds them, and what would help.
 * @param nodes Routing nodes that several nets want. @param nets Names of those nets.
 */
export function congestionFinding(part: Part, nodes: readonly number[], nets: readonly string[]): Finding {
  const { fabric, graph } = part;
  const tiles = nodes.map((node) => graph.nodeTile[node]);
  const range = (values: readonly number[]) => {
    const sorted = [...values].sort((a, b) => a - b);
    // without the few that lie apart
    const aside = Math.floor(sorted.length / 20);
    return [sorted[aside], sorted[sorted.length - 1 - aside]] as const;
  };
  const [x0, x1] = range(tiles.map((tile) => fabric.tileX(tile)));
  const [y0, y1] = range(tiles.map((tile) => fabric.tileY(tile)));
  const where = x0 === x1 && y0 === y1 ? `in x${x0}y${y0}` : `from x${x0}y${y0} to x${x1}y${y1}`;
  const modules = modulesOf(nets);
  const share = modules.slice(0, 3).map(({ name, count }) => `'${name}' (${count})`);
  const crowd = modules.length ? ` Most of the nets are of ${share.join(", ")}.` : "";
  const listed = nets.slice(0, 8).map((net) => `'${net}'`);
  const names = nodes.slice(0, 4).map((node) => nodeName(part, node));
  const isWide = (x1 - x0 + 1) * (y1 - y0 + 1) > fabric.logicTiles.length / 3;
  return {
    code: "route/congested",
    severity: "error",
    place: { object: nets[0] },
    message: `${nodes.length} wire(s) ${where} are wanted by more than one of ${nets.length} net(s): ${names.join(", ")}${nodes.length > 4 ? " ..." : ""}.${crowd} Nets: ${listed.join(", ")}${nets.length > 8 ? ` and ${nets.length - 8} more` : ""}.`,
    remedy: isWide
      ? "The wires are short all over the part: choose a larger one, or make the design smaller."
      : "Try another seed; let less lead into those modules at once, such as by a register or a bus in steps; or choose a larger part.",
  };
}

/** Instances that nets lie in, those with most first; none where all nets are of the top. */
function modulesOf(nets: readonly string[]): { name: string; count: number }[] {
  const counts = new Map<string, number>();
  for (const net of nets) {
    const path = net.split(".");
    if (path.length < 2) continue;
    // two levels say more than the uppermost, which is often all of the design
    const name = path.slice(0, Math.min(2, path.length - 1)).join(".");
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return [...counts]
    .map(([name, count]) => ({ name, count }))
    .sort((a, b) => b.count - a.count || (a.name < b.name ? -1 : 1));
}
