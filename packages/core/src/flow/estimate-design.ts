import { CancelledError, type StageContext } from "../common/context.ts";
import type { StageResult } from "../common/finding.ts";
import { analyzeTiming } from "../timing/analyze.ts";
import { estimated } from "../timing/estimate.ts";
import type { TimingReport } from "../timing/report.ts";
import type { DesignInput } from "./design-input.ts";
import { runFlow } from "./run-flow.ts";
import { type ArtifactStore, MemoryStore } from "./store.ts";

/**
 * Timing of a design before anything is laid out: the circuit as built, packed, all rules, and wires with the delays that they
 * will about have. Steps of its paths lie at no tile (-1). Without an artifact, findings say why.
 * @param store Where finished stages are looked for and kept.
 */
export async function estimateDesign(
  input: DesignInput,
  context: StageContext,
  store: ArtifactStore = new MemoryStore(),
): Promise<StageResult<TimingReport>> {
  const flow = await runFlow(input, store, {
    stopAfter: "pack",
    isCancelled: () => {
      context.checkCancelled();
      return false;
    },
    onStage: ({ stage, state, fraction, figure }) => {
      if (state === "running") context.progress({ fraction, figure: figure ?? stage });
    },
  });
  const [netlist, packed, rules] = await Promise.all([
    flow.artifact("synth"),
    flow.artifact("pack"),
    flow.artifact("rules"),
  ]);
  if (flow.status === "cancelled") throw new CancelledError();
  if (flow.status !== "done" || !netlist || !packed || !rules || !flow.part)
    return { artifact: null, findings: [...flow.findings] };
  // what an estimate misses is no finding: nothing has been built that could be wrong
  const { artifact } = analyzeTiming(estimated(netlist, packed, rules.pins.pins, flow.part), rules.timing, context);
  return { artifact, findings: [...flow.findings] };
}
