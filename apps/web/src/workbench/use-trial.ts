import type { Design, Trial } from "@gate-clock/contract";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { useSearchParams } from "react-router";
import { api } from "../app/api.ts";
import { keptQuery, trialQuery, trialsQuery } from "../app/queries.ts";
import {
  type Against,
  baselineIn,
  baselineName,
  comparedNumber,
  formatAgainst,
  parseAgainst,
  type Reference,
  trialNumber,
} from "./compare.ts";

export interface TrialChoice {
  /** The one that is looked at; the target's last one unless the address names another. */
  readonly trial: Trial | null;
  readonly isLast: boolean;
  /** What it is compared with, as the address says it. */
  readonly mode: Against;
  /** The trial that it is compared with, if it is one. */
  readonly against: Trial | null;
  /** What its figures are compared with. */
  readonly reference: Reference | null;
  /** Of the target; null if it has none. */
  readonly baseline: number | null;
  /** A trial that the address names and the design does not have for this target. */
  readonly missing: number | null;
  choose(number: number | null): void;
  compareWith(against: Against): void;
  setBaseline(number: number | null): void;
}

/** Which trial the address says: `trial=12`, and `against=11`, `baseline`, `goal` or `none`. */
export function useTrialChoice(design: Design, goal: Reference, tell: (problem: string) => void): TrialChoice {
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const last = design.lastTrial;
  const wanted = trialNumber(params.get("trial"));
  const mode = parseAgainst(params.get("against"));
  const isLast = wanted === null || wanted === last?.number;
  const found = useQuery({ ...trialQuery(design.id, wanted ?? 0), enabled: !isLast });
  const ofTarget = (trial: Trial | null | undefined) => (trial?.targetId === design.targetId ? trial : null);
  const chosen = isLast ? last : ofTarget(found.data);
  const trial = chosen ?? (found.isSuccess ? last : null);

  const { data: kept } = useQuery(keptQuery(design.id));
  const baseline = useMemo(() => baselineIn(kept ?? [], design.targetId), [kept, design.targetId]);
  const { data: trials } = useQuery({ ...trialsQuery(design.id), enabled: mode === "before" && trial !== null });
  const other = comparedNumber(
    mode,
    trial,
    (trials ?? []).filter((each) => each.targetId === design.targetId),
    baseline,
  );
  const compared = useQuery({ ...trialQuery(design.id, other ?? 0), enabled: other !== null });
  const against = other === null ? null : ofTarget(compared.data);
  const reference = useMemo((): Reference | null => {
    if (mode === "goal") return goal;
    if (!against) return null;
    const name = `trial ${against.number}`;
    return { name: against.number === baseline ? `the baseline, ${name}` : name, figures: against.figures };
  }, [mode, goal, against, baseline]);

  const set = useCallback(
    (key: string, value: string | null) =>
      setParams((old) => {
        const next = new URLSearchParams(old);
        if (value === null) next.delete(key);
        else next.set(key, value);
        return next;
      }),
    [setParams],
  );
  return {
    trial,
    isLast,
    mode,
    against,
    reference,
    baseline,
    missing: !isLast && found.isSuccess && !chosen ? wanted : null,
    choose: useCallback((number) => set("trial", number === null ? null : String(number)), [set]),
    compareWith: useCallback((next) => set("against", formatAgainst(next)), [set]),
    setBaseline: useCallback(
      (number) => {
        void api
          .keep(design.id, baselineName(design.targetId), { number })
          .then(() => queries.invalidateQueries({ queryKey: keptQuery(design.id).queryKey }))
          .catch((error: Error) => tell(`The baseline was not kept: ${error.message}`));
      },
      [design.id, design.targetId, queries, tell],
    ),
  };
}
