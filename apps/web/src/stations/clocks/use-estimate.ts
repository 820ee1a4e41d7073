import type { Finding, Progress, TimingReport } from "@gate-clock/core";
import { useLater } from "../../ui/use-later.ts";
import { useCheckResult, useTexts } from "../../workbench/context.ts";
import { useFitter } from "../../workbench/use-fitter.ts";
import { identityOf } from "../../workers/engine.ts";

/** Mapping is asked for when typing has stopped, not at each pause in it. */
const pauseMs = 700;

export interface Estimate {
  readonly timing: TimingReport | null;
  /** Why there is none. */
  readonly finding: Finding | null;
  readonly problem: string | null;
  /** While it is worked out: how far it is. null: it is not. */
  readonly progress: Progress | null;
  start(): void;
  cancel(): void;
  /** It could be worked out, and has been given up. */
  readonly isLeft: boolean;
}

/**
 * Timing of the texts as they are, before layout. Nothing while they have errors.
 * @param isWanted False where a trial tells it.
 */
export function useEstimate(isWanted: boolean): Estimate {
  const { input } = useTexts();
  const { check, checkState } = useCheckResult();
  const later = useLater(input, pauseMs);
  const isSound =
    check !== null &&
    checkState.kind === "current" &&
    check.coverage !== null &&
    ![check.sourceFindings, check.pinFindings, check.timingFindings]
      .flat()
      .some(({ severity }) => severity === "error");
  const { result, progress, problem, start, cancel } = useFitter<TimingReport | Finding>(
    ["estimate", identityOf(later)],
    (fitter, tell) => fitter.estimate(later, tell),
    isWanted && isSound && later === input,
  );
  const isLeft = isWanted && isSound && later === input && !result && !progress && !problem;
  const told = isWanted && isSound ? result : null;
  const timing = told && "pairs" in told ? told : null;
  return { timing, finding: told && !("pairs" in told) ? told : null, problem, progress, start, cancel, isLeft };
}
