import type { Progress } from "@gate-clock/core";
import { type QueryKey, useQuery, useQueryClient } from "@tanstack/react-query";
import { proxy, type Remote } from "comlink";
import { useCallback } from "react";
import { answered, engine } from "../workers/engine.ts";
import type { Fitter } from "../workers/fit.worker.ts";

interface Work<T> {
  readonly result: T | null;
  /** null: nothing is under way. */
  readonly progress: Progress | null;
  readonly problem: string | null;
  start(): void;
  cancel(): void;
}

/**
 * A piece of work that takes a second or more, in a worker, with progress. Its answer is there when the station is opened
 * again; cancelling it, or leaving the station, ends the worker.
 * @param of What the answer depends on.
 * @param isAsked It begins by itself; else by `start`.
 */
export function useFitter<T>(
  of: QueryKey,
  run: (fitter: Remote<Fitter>, tell: (progress: Progress) => void) => Promise<T>,
  isAsked: boolean,
): Work<T> {
  const queries = useQueryClient();
  const queryKey = ["fitter", ...of];
  const progressKey = ["fitter progress", ...of];
  const { data: progress = null } = useQuery<Progress | null>({
    queryKey: progressKey,
    queryFn: () => null,
    enabled: false,
    structuralSharing: false,
  });
  const { data, error, isFetching, refetch } = useQuery({
    ...answered,
    queryKey,
    queryFn: ({ signal }) => {
      queries.setQueryData(progressKey, { fraction: 0 });
      const tell = proxy((next: Progress) => void queries.setQueryData(progressKey, next));
      return engine.ask("fit", (fitter) => run(fitter, tell), { topic: JSON.stringify(of), signal });
    },
    enabled: isAsked,
  });
  const name = JSON.stringify(queryKey);
  const start = useCallback(() => void refetch(), [refetch]);
  const cancel = useCallback(() => void queries.cancelQueries({ queryKey: JSON.parse(name) }), [queries, name]);
  return {
    result: (data as T | undefined) ?? null,
    progress: isFetching ? (progress ?? { fraction: 0 }) : null,
    problem: !isFetching && error ? error.message : null,
    start,
    cancel,
  };
}
