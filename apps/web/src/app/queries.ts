import type { BenchRunInfo, Design, Trial } from "@gate-clock/contract";
import type { StageName } from "@gate-clock/core";
import { type QueryClient, queryOptions } from "@tanstack/react-query";
import { api } from "./api.ts";

/** All server state, one definition each. */
export const designsQuery = queryOptions({ queryKey: ["designs"], queryFn: ({ signal }) => api.designs(signal) });
/** What each design takes on disk. */
export const diskUseQuery = queryOptions({
  queryKey: ["disk-use"],
  queryFn: ({ signal }) => api.diskUse(signal),
  staleTime: 30_000,
});

/** A design as it is for one of its targets. @param target Name, as in the address; the first one if null. */
export const designQuery = (id: string, target: string | null) =>
  queryOptions({
    queryKey: ["designs", id, target ?? ""],
    queryFn: ({ signal }): Promise<Design> => api.design(id, target, signal),
  });
/** What is known of a design, for whichever of its targets. */
export const designKey = (id: string) => ["designs", id];

/**
 * Puts what the server has just answered into all that is known of a design. A read that was under way when the answer came
 * may be older than it: it is dropped and asked again, or it would undo the change on the page.
 */
export function updateDesign(queries: QueryClient, id: string, change: (old: Design) => Design): void {
  const queryKey = designKey(id);
  const isReading = queries.isFetching({ queryKey }) > 0;
  if (isReading) void queries.cancelQueries({ queryKey });
  queries.setQueriesData<Design>({ queryKey }, (old) => old && change(old));
  if (isReading) void queries.invalidateQueries({ queryKey });
}

/** Takes in a trial that has begun or gone on, wherever it is the last one of its target. */
export function withTrial(old: Design, trial: Trial): Design {
  return old.targetId === trial.targetId ? { ...old, lastTrial: trial } : old;
}

/** All trials of a design, newest first. */
export const trialsQuery = (id: string) =>
  queryOptions({ queryKey: ["trials", id], queryFn: ({ signal }) => api.trials(id, signal) });

/** One trial by its number; null if there is none. */
export const trialQuery = (id: string, number: number) =>
  queryOptions({
    queryKey: ["trials", id, number],
    queryFn: async ({ signal }): Promise<Trial | null> => (await api.trial(id, number, signal)) ?? null,
  });

/** What a design is built for. */
export const targetsQuery = (id: string) =>
  queryOptions({ queryKey: ["targets", id], queryFn: ({ signal }) => api.targets(id, signal) });

/** Rules that a target may share with others. */
export const shareableQuery = (kind: "pins" | "timing") =>
  queryOptions({ queryKey: ["shareable", kind], queryFn: ({ signal }) => api.shareable(kind, signal), staleTime: 0 });

/** Layouts of waves and last verdicts of test benches. */
export const keptQuery = (id: string) =>
  queryOptions({ queryKey: ["kept", id], queryFn: ({ signal }) => api.kept(id, signal) });

/** Of a trial or a run: it waits or is under way. */
export const isLive = (run: { readonly status: BenchRunInfo["status"] | Trial["status"] }) =>
  run.status === "queued" || run.status === "running";

/** Runs of test benches on the server. */
export const benchRunsQuery = (id: string) =>
  queryOptions({ queryKey: ["bench-runs", id], queryFn: ({ signal }) => api.benchRuns(id, signal) });

export const boardsQuery = queryOptions({ queryKey: ["boards"], queryFn: () => api.boards(), staleTime: Infinity });

export const partsQuery = queryOptions({ queryKey: ["parts"], queryFn: () => api.parts(), staleTime: Infinity });

/** Result of a stage. Keyed by the artifact's own key: trials that share a result share the download. */
export const artifactQuery = <S extends StageName>(trial: Trial | null, stage: S) => {
  const record = trial?.stages.find((candidate) => candidate.stage === stage);
  const isKept = record?.state === "done" || record?.state === "reused";
  return queryOptions({
    queryKey: ["artifact", stage, record?.key ?? ""],
    queryFn: ({ signal }) => api.artifact(trial!.designId, trial!.id, stage, signal),
    enabled: trial !== null && isKept,
    staleTime: Infinity,
  });
};
