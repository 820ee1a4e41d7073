import { hasErrors } from "../../common/finding.ts";
import { portCircuit } from "../../constraints/port-circuit.ts";
import { elaborate, meaningKeyOf } from "../../elaborate/elaborate.ts";
import type { HierarchyNode } from "../../netlist/rtl.ts";
import { beyondParts } from "../beyond-part.ts";
import { stage } from "../stage.ts";

const nowhere = { file: "", line: 0, column: 0 };
function withoutPlaces(node: HierarchyNode): HierarchyNode {
  return { ...node, place: nowhere, children: node.children.map(withoutPlaces) };
}

/** Text to circuit. Its key is over the text, so that places are always right; what follows goes by the meaning. */
export const elaborateStage = stage("elaborate", {
  word: "read",
  version: 12,
  settings: ["sources", "top"],
  reads: [],
  facets: {
    circuit: { of: ({ netlist }) => netlist, hash: meaningKeyOf },
    ports: { of: ({ netlist }) => portCircuit(netlist) },
    instances: { of: ({ hierarchy }) => withoutPlaces(hierarchy) },
  },
  run(given) {
    const { artifact, findings } = elaborate(given.setting("sources"), { top: given.setting("top") ?? undefined });
    // before hours are spent on what cannot be
    if (artifact) findings.push(...beyondParts(artifact));
    return { artifact: hasErrors(findings) ? null : artifact, findings };
  },
});
