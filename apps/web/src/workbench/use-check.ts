import type { DesignCheck, DesignInput, DesignReading } from "@gate-clock/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { proxy } from "comlink";
import { useCallback, useMemo, useRef } from "react";
import { Dropped } from "../engine/pool.ts";
import { useLater } from "../ui/use-later.ts";
import { answered, engine, identityOf } from "../workers/engine.ts";

/** Only to gather keys that come at once: a check in a worker costs the page nothing. */
const pauseMs = 30;
/** A check that takes longer is ended: it may never come back. */
const patienceMs = 15_000;

/** How what is known of a design's texts stands to the texts as they are now. */
export type CheckState =
  /** It is of these texts. */
  | { readonly kind: "current" }
  /** These texts are being checked; what is shown is of earlier ones. */
  | { readonly kind: "checking" }
  /** The check of these texts did not come to an end. */
  | { readonly kind: "unfinished"; readonly reason: string; readonly step: string };

interface Checked {
  /** Of the last texts whose check came to an end. */
  readonly result: DesignCheck | null;
  readonly state: CheckState;
  /** What the texts mean, once it is known of the texts as they are. */
  readonly reading: DesignReading | null;
  /** Key of what the sources say; while that is not known of these texts, of the last ones of which it was. */
  readonly sourcesKey: string | null;
  tryAgain(): void;
}

/** What a check that came to no end was at. */
class Unfinished extends Error {
  constructor(
    reason: string,
    readonly step: string,
  ) {
    super(reason);
  }
}

/** What is known of texts for a minute more: undo comes back to them. */
const shortly = { ...answered, gcTime: 60_000 } as const;
const lastCheckKey = (design: string) => ["check", "last", design];

/**
 * Findings for the texts as they stand in the editors. Runs in a worker after a short pause; while one check runs,
 * only the newest text waits, and what the running one finds is shown until that is known. A worker that does not answer,
 * or fails, is ended and another one started: the next text is checked as if nothing had been.
 */
export function useCheck(input: DesignInput, design: string): Checked {
  const queries = useQueryClient();
  const texts = useLater(input, pauseMs);
  const id = identityOf(texts);
  const check = useQuery({
    ...shortly,
    queryKey: ["check", id],
    queryFn: async () => {
      let step = "";
      const tell = proxy((now: string) => {
        step = now;
      });
      const options = { topic: "check", replaces: true, quick: true, patienceMs };
      try {
        const result = await engine.ask("check", (checker) => checker.check(texts, id, tell), options);
        queries.setQueryData(lastCheckKey(design), result);
        return result;
      } catch (error) {
        if (error instanceof Dropped) throw error;
        throw new Unfinished((error as Error).message, step);
      }
    },
  });
  const reading = useQuery({
    ...shortly,
    queryKey: ["check", "reading", id],
    queryFn: () => engine.ask("check", (checker) => checker.reading(id), { topic: "check", quick: true, patienceMs }),
    enabled: check.isSuccess && texts === input,
  });
  const lastKey = useRef<string | null>(null);
  if (reading.data) lastKey.current = reading.data.sourcesKey;
  const last = useQuery<DesignCheck | null>({
    ...shortly,
    queryKey: lastCheckKey(design),
    queryFn: () => null,
    enabled: false,
  });
  const { refetch, error } = check;
  const tryAgain = useCallback(() => void refetch(), [refetch]);
  const isCurrent = check.isSuccess && texts === input;
  const state = useMemo((): CheckState => {
    const failed = texts === input ? (error ?? reading.error) : null;
    if (failed && !(failed instanceof Dropped))
      return {
        kind: "unfinished",
        reason: failed.message,
        step: failed instanceof Unfinished ? failed.step : "working out what it means",
      };
    return { kind: isCurrent ? "current" : "checking" };
  }, [isCurrent, texts, input, error, reading.error]);
  return {
    result: (isCurrent ? check.data : last.data) ?? null,
    state,
    reading: (isCurrent && reading.data?.reading) || null,
    sourcesKey: reading.data?.sourcesKey ?? lastKey.current,
    tryAgain,
  };
}
