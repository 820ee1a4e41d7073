import { hashValue } from "../../common/codec.ts";
import type { BoundRules } from "../../timing/bound-rules.ts";
import { boundGoals } from "../../timing/goals.ts";
import { stage } from "../stage.ts";

/**
 * Timing rules laid over the pins of the circuit as built, by number: what placement and routing go by. Names of cells end here, so
 * that another name is no reason to lay out anew.
 */
export const goalsStage = stage("goals", {
  word: "set goals",
  version: 1,
  settings: ["part"],
  reads: ["synth.timed", "rules.timing"],
  facets: { bound: { of: (goals) => goals, hash: (goals) => hashValue(asLaidOut(goals)) } },
  run: async (given) => ({
    artifact: boundGoals(
      await given.read("synth.timed"),
      await given.read("rules.timing"),
      given.setting("part").family,
    ),
    findings: [],
  }),
});

/** Without what only people see: names of clocks and groups, and which line each rule stands in. */
function asLaidOut(goals: BoundRules): unknown {
  const { clocks, exceptions, ioDelays, uncertainties, latencies, dataChecks } = goals;
  const unnumbered = <T extends { readonly rule: number }>(rules: readonly T[]) =>
    rules.map(({ rule: _, ...own }) => own);
  return {
    ...goals,
    clocks: clocks.map(({ name: _, ...own }) => own),
    exceptions: unnumbered(exceptions).map(({ group: _, ...own }) => own),
    ioDelays: unnumbered(ioDelays),
    uncertainties: unnumbered(uncertainties),
    latencies: unnumbered(latencies),
    dataChecks: unnumbered(dataChecks),
  };
}
