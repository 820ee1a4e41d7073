import type { BenchRunInfo, Design, Trial } from "@gate-clock/contract";
import type { StageName } from "@gate-clock/core";
import { type QueryClient, queryOptions } from "@tanstack/react-query";
import { api } from "./api.ts";

/** All server state, one definition each. */
export const designsQuery = queryOptions({ queryKey: ["designs"], queryFn: ({ signal }) => api.designs(signal) });
export const designQuery = (id: string) =>
  queryOptions({ queryKey: ["designs", id], queryFn: ({ signal }) => api.design(id, signal) });

/**
 * Puts what the server has just answered into what is known of a design. A read that was under way when the answer came
 * may be older than it: it is dropped and asked again, or it would undo the change on the page.
 */
export function updateDesign(queries: QueryClient, id: string, change: (old: Design) => Design): void {
  const { queryKey } = designQuery(id);
  const isReading = queries.isFetching({ queryKey, exact: true }) > 0;
  if (isReading) void queries.cancelQueries({ queryKey, exact: true });
  queries.setQueryData(queryKey, (old) => old && change(old));
  if (isReading) void queries.invalidateQueries({ queryKey, exact: true });
}

/** All trials of a design, newest first. */
export const trialsQuery = (id: string) =>
  queryOptions({ queryKey: ["trials", id], queryFn: ({ signal }) => api.trials(id, signal) });

/** What a design is built for. */
export const targetsQuery = (id: string) =>
  queryOptions({ queryKey: ["targets", id], queryFn: ({ signal }) => api.targets(id, signal) });

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
