import { hasErrors } from "../../common/finding.ts";
import { portCircuit } from "../../constraints/port-circuit.ts";
import { elaborate, meaningKeyOf } from "../../elaborate/elaborate.ts";
import { beyondParts } from "../beyond-part.ts";
import { stage } from "../stage.ts";

/** Text to circuit. Its key is over the text, so that places are always right; what follows goes by the meaning. */
export const elaborateStage = stage("elaborate", {
  word: "read",
  version: 12,
  settings: ["sources", "top"],
  reads: [],
  facets: {
    circuit: { of: ({ netlist }) => netlist, hash: meaningKeyOf },
    ports: { of: ({ netlist }) => portCircuit(netlist) },
  },
  run(given) {
    const { artifact, findings } = elaborate(given.setting("sources"), { top: given.setting("top") ?? undefined });
    // before hours are spent on what cannot be
    if (artifact) findings.push(...beyondParts(artifact));
    return { artifact: hasErrors(findings) ? null : artifact, findings };
  },
});
