import { type HierarchyNode, type StageArtifacts, utilizationByModule } from "@gate-clock/core";
import type { ModuleRow } from "./UseView.tsx";

/** Cells by instance, with the module of each; the first row is the top. */
export function moduleRows(
  netlist: StageArtifacts["synth"],
  elaborated: StageArtifacts["elaborate"],
  name: string,
): ModuleRow[] {
  const known = new Map<string, string>();
  const walk = (node: HierarchyNode, path: string) => {
    for (const child of node.children) {
      const own = path ? `${path}.${child.instance}` : child.instance;
      known.set(own, child.module);
      walk(child, own);
    }
  };
  walk(elaborated.hierarchy, "");
  const origins = elaborated.netlist.cells.map((cell) => cell.name);
  return utilizationByModule(netlist, [...known.keys()], origins).map((row) => ({
    ...row,
    path: row.path || name,
    module: row.path ? known.get(row.path)! : elaborated.netlist.top,
  }));
}
