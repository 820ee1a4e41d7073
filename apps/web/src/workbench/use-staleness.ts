import type { Trial } from "@gate-clock/contract";
import { type DesignReading, type Staleness, staleness } from "@gate-clock/core";
import { useMemo, useRef } from "react";

/**
 * How a trial stands to the design as it is in the editors. While that is being read, what was known before stays: nothing
 * becomes old by the mere typing of a comment.
 */
export function useStaleness(trial: Trial | null, reading: DesignReading | null): Staleness | null {
  const last = useRef<{ readonly id: string; readonly told: Staleness } | null>(null);
  const stages = trial?.stages;
  const fresh = useMemo(() => (stages && reading ? staleness(stages, reading) : null), [stages, reading]);
  if (!trial) return null;
  if (fresh) last.current = { id: trial.id, told: fresh };
  if (last.current?.id === trial.id) return last.current.told;
  return trial.staleness;
}
