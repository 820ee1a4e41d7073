import type {
  CreateDesignDto,
  Design,
  DesignCard,
  DesignFile,
  FileVersion,
  NewFileDto,
  PartSummary,
  Problem,
  Trial,
  UpdateDesignDto,
} from "@gate-clock/contract";
import {
  type BoardDescription,
  decodeArtifact,
  type StageArtifacts,
  type StageName,
  type StoredStage,
  stageVersions,
} from "@gate-clock/core";

/** A problem that the server described. */
export class ApiError extends Error {
  override name = "ApiError";
  readonly status: number;
  constructor(problem: Problem) {
    super(problem.detail);
    this.status = problem.status;
  }
}

async function request(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new ApiError({
      type: "about:blank",
      title: "Unreachable",
      status: 503,
      detail: "The server does not answer. Is it still running?",
    });
  }
  if (response.ok) return response;
  const problem = (await response.json().catch(() => null)) as Problem | null;
  throw new ApiError(
    problem ?? {
      type: "about:blank",
      title: response.statusText,
      status: response.status,
      detail: `The server answered ${response.status}.`,
    },
  );
}

async function json<T>(path: string, method = "GET", body?: unknown, signal?: AbortSignal): Promise<T> {
  const init: RequestInit = { method, signal };
  if (body !== undefined) {
    init.body = JSON.stringify(body);
    init.headers = { "content-type": "application/json" };
  }
  const response = await request(path, init);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

export const api = {
  designs: (signal?: AbortSignal) => json<DesignCard[]>("/api/designs", "GET", undefined, signal),
  design: (id: string, signal?: AbortSignal) => json<Design>(`/api/designs/${id}`, "GET", undefined, signal),
  createDesign: (dto: CreateDesignDto) => json<Design>("/api/designs", "POST", dto),
  updateDesign: (id: string, dto: UpdateDesignDto) => json<Design>(`/api/designs/${id}`, "PATCH", dto),
  removeDesign: (id: string) => json<void>(`/api/designs/${id}`, "DELETE"),
  addFile: (id: string, dto: NewFileDto) => json<DesignFile>(`/api/designs/${id}/files`, "POST", dto),
  saveFile: (id: string, fileId: string, text: string, baseVersion: number) =>
    json<DesignFile>(`/api/designs/${id}/files/${fileId}`, "PUT", { text, baseVersion }),
  renameFile: (id: string, fileId: string, path: string) =>
    json<DesignFile>(`/api/designs/${id}/files/${fileId}`, "PATCH", { path }),
  fileHistory: (id: string, fileId: string) => json<FileVersion[]>(`/api/designs/${id}/files/${fileId}/versions`),
  removeFile: (id: string, fileId: string) => json<void>(`/api/designs/${id}/files/${fileId}`, "DELETE"),
  startTrial: (id: string) => json<Trial>(`/api/designs/${id}/trials`, "POST"),
  cancelTrial: (id: string, trialId: string) => json<void>(`/api/designs/${id}/trials/${trialId}/cancel`, "POST"),
  parts: () => json<PartSummary[]>("/api/parts"),
  boards: () => json<BoardDescription[]>("/api/boards"),
  async artifact<S extends StageName>(
    designId: string,
    trialId: string,
    stage: S,
    signal?: AbortSignal,
  ): Promise<StageArtifacts[S]> {
    const response = await request(`/api/designs/${designId}/trials/${trialId}/artifacts/${stage}`, { signal });
    const stored = decodeArtifact<StoredStage<S>>(new Uint8Array(await response.arrayBuffer()));
    if (stored.version !== stageVersions[stage]) {
      throw new ApiError({
        type: "about:blank",
        title: "Old result",
        status: 410,
        detail: "This trial was made by another version of Gate Clock. Build again to see its results.",
      });
    }
    return stored.artifact;
  },
};
