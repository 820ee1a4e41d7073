import type { Trial } from "@gate-clock/contract";
import type { StageName } from "@gate-clock/core";
import { queryOptions } from "@tanstack/react-query";
import { api } from "./api.ts";

/** All server state, one definition each. */
export const designsQuery = queryOptions({ queryKey: ["designs"], queryFn: ({ signal }) => api.designs(signal) });
export const designQuery = (id: string) =>
  queryOptions({ queryKey: ["designs", id], queryFn: ({ signal }) => api.design(id, signal) });
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
