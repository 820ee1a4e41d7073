import {
  counterexampleVcd,
  MemoryStore,
  type ProofInputs,
  proofKey,
  proofLinks,
  proofText,
  proveDesign,
  quietContext,
  runFlow,
  sourceDifferenceVcd,
  sourcesKey,
} from "@gate-clock/core";
import { printFindings } from "./commands.ts";
import { type LoadOptions, loadDesign } from "./load-design.ts";
import type { Session } from "./session.ts";

interface ProveCall extends LoadOptions {
  readonly logicOnly?: boolean;
  readonly vcd?: string;
  readonly json?: boolean;
}

/** Builds a design and proves it. @returns 0 if all is proven equal, else 1. */
export async function proveCall(paths: readonly string[], options: ProveCall, io: Session): Promise<number> {
  const input = loadDesign(paths, options, io);
  const result = await runFlow(input, new MemoryStore(), {
    stopAfter: options.logicOnly ? "synth" : undefined,
    onStage: () => io.look(),
  });
  const [elaborate, synth, rules, pack, place, route, image] = await Promise.all([
    result.artifact("elaborate"),
    result.artifact("synth"),
    result.artifact("rules"),
    result.artifact("pack"),
    result.artifact("place"),
    result.artifact("route"),
    result.artifact("image"),
  ]);
  if (result.status !== "done" || !elaborate || !synth || !result.part) {
    printFindings(result.findings, io);
    return 1;
  }
  const layout = rules && pack && place && route && image ? { rules, pack, place, route, image } : null;
  const inputs: ProofInputs = { part: result.part, sources: input.sources, elaborate, synth, layout };
  const keyOf = (stage: string) => result.stages.find((record) => record.stage === stage)?.key ?? "";
  const none = { get: async () => null, put: async () => {} };
  const key = proofKey(sourcesKey(input.sources), keyOf("synth"), keyOf("image"));
  const proof = await proveDesign(inputs, key, none, quietContext());
  const { counterexample } = proof.logic;
  const { difference } = proof.source;
  if (options.vcd && (difference || counterexample))
    io.save(options.vcd, difference ? sourceDifferenceVcd(difference) : counterexampleVcd(counterexample!));
  if (options.json) io.out(JSON.stringify(proof, null, 2));
  else {
    io.out(`${input.name}: ${proofText(proof)}`);
    for (const { name, verdict, how } of proofLinks(proof)) io.out(`  ${name}: ${verdict}. ${how}`);
  }
  return proof.verdict === "equal" ? 0 : 1;
}
