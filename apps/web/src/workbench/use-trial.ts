import type { Design, Trial } from "@gate-clock/contract";
import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { useSearchParams } from "react-router";
import { trialQuery } from "../app/queries.ts";

export interface TrialChoice {
  /** The one that is looked at; the target's last one unless the address names another. */
  readonly trial: Trial | null;
  readonly isLast: boolean;
  /** What it is compared with. */
  readonly against: Trial | null;
  /** A trial that the address names and the design does not have for this target. */
  readonly missing: number | null;
  choose(number: number | null): void;
  compareWith(number: number | null): void;
}

/** A number in the address; null for none, or for what is none. */
export function trialNumber(text: string | null): number | null {
  return text !== null && /^[1-9]\d{0,8}$/.test(text) ? Number(text) : null;
}

/** Which trial the address says: `trial=12`, and `against=11`. */
export function useTrialChoice(design: Design): TrialChoice {
  const [params, setParams] = useSearchParams();
  const last = design.lastTrial;
  const wanted = trialNumber(params.get("trial"));
  const other = trialNumber(params.get("against"));
  const isLast = wanted === null || wanted === last?.number;
  const found = useQuery({ ...trialQuery(design.id, wanted ?? 0), enabled: !isLast });
  const compared = useQuery({ ...trialQuery(design.id, other ?? 0), enabled: other !== null });
  const ofTarget = (trial: Trial | null | undefined) => (trial?.targetId === design.targetId ? trial : null);
  const set = useCallback(
    (key: string, number: number | null) =>
      setParams((old) => {
        const next = new URLSearchParams(old);
        if (number === null) next.delete(key);
        else next.set(key, String(number));
        return next;
      }),
    [setParams],
  );
  const chosen = isLast ? last : ofTarget(found.data);
  return {
    trial: chosen ?? (found.isSuccess ? last : null),
    isLast,
    against: other === null ? null : (ofTarget(compared.data) ?? null),
    missing: !isLast && found.isSuccess && !chosen ? wanted : null,
    choose: useCallback((number) => set("trial", number), [set]),
    compareWith: useCallback((number) => set("against", number), [set]),
  };
}
