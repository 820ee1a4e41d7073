import type {
  BenchRunInfo,
  CreateDesignDto,
  Design,
  DesignCard,
  DesignFile,
  DiskUse,
  FileVersion,
  Kept,
  NewFileDto,
  NewTargetDto,
  PartSummary,
  Problem,
  ShareableFile,
  StartBenchRunDto,
  Target,
  TargetRules,
  Trial,
  UpdateDesignDto,
  UpdateFileDto,
  UpdateTargetDto,
} from "@gate-clock/contract";
import {
  type BenchRecord,
  type BoardDescription,
  decodeArtifact,
  type StageArtifacts,
  type StageName,
  type StoredStage,
  stages,
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

const forTarget = (target: string | null) => (target === null ? "" : `?target=${encodeURIComponent(target)}`);

export const api = {
  designs: (signal?: AbortSignal) => json<DesignCard[]>("/api/designs", "GET", undefined, signal),
  /** @param target Id or name; the first one if null. */
  design: (id: string, target: string | null, signal?: AbortSignal) =>
    json<Design>(`/api/designs/${id}${forTarget(target)}`, "GET", undefined, signal),
  diskUse: (signal?: AbortSignal) => json<DiskUse[]>("/api/designs/disk", "GET", undefined, signal),
  createDesign: (dto: CreateDesignDto) => json<Design>("/api/designs", "POST", dto),
  updateDesign: (id: string, dto: UpdateDesignDto) => json<DesignCard>(`/api/designs/${id}`, "PATCH", dto),
  removeDesign: (id: string) => json<void>(`/api/designs/${id}`, "DELETE"),
  addFile: (id: string, target: string | null, dto: NewFileDto) =>
    json<DesignFile>(`/api/designs/${id}/files${forTarget(target)}`, "POST", dto),
  saveFile: (id: string, fileId: string, text: string, baseVersion: number) =>
    json<DesignFile>(`/api/designs/${id}/files/${fileId}`, "PUT", { text, baseVersion }),
  updateFile: (id: string, fileId: string, dto: UpdateFileDto) =>
    json<DesignFile>(`/api/designs/${id}/files/${fileId}`, "PATCH", dto),
  shareable: (kind: "pins" | "timing", signal?: AbortSignal) =>
    json<ShareableFile[]>(`/api/designs/shareable/${kind}`, "GET", undefined, signal),
  shareFile: (id: string, target: string | null, fileId: string) =>
    json<DesignFile>(`/api/designs/${id}/files/shared${forTarget(target)}`, "POST", { fileId }),
  unshareFile: (id: string, fileId: string) => json<DesignFile>(`/api/designs/${id}/files/${fileId}/shared`, "DELETE"),
  fileHistory: (id: string, fileId: string) => json<FileVersion[]>(`/api/designs/${id}/files/${fileId}/versions`),
  removeFile: (id: string, fileId: string) => json<void>(`/api/designs/${id}/files/${fileId}`, "DELETE"),
  trials: (id: string, signal?: AbortSignal) => json<Trial[]>(`/api/designs/${id}/trials`, "GET", undefined, signal),
  /** The trial of a number, if there is one. */
  trial: async (id: string, number: number, signal?: AbortSignal): Promise<Trial | undefined> =>
    (await json<Trial[]>(`/api/designs/${id}/trials?number=${number}`, "GET", undefined, signal))[0],
  targets: (id: string, signal?: AbortSignal) => json<Target[]>(`/api/designs/${id}/targets`, "GET", undefined, signal),
  targetRules: (id: string) => json<TargetRules[]>(`/api/designs/${id}/targets/rules`),
  createTarget: (id: string, dto: NewTargetDto) => json<Target[]>(`/api/designs/${id}/targets`, "POST", dto),
  updateTarget: (id: string, targetId: string, dto: UpdateTargetDto) =>
    json<Target[]>(`/api/designs/${id}/targets/${targetId}`, "PATCH", dto),
  removeTarget: (id: string, targetId: string) => json<Target[]>(`/api/designs/${id}/targets/${targetId}`, "DELETE"),
  startTargetTrial: (id: string, targetId: string) =>
    json<Trial>(`/api/designs/${id}/targets/${targetId}/trials`, "POST"),
  cancelTrial: (id: string, trialId: string) => json<void>(`/api/designs/${id}/trials/${trialId}/cancel`, "POST"),
  kept: (id: string, signal?: AbortSignal) => json<Kept[]>(`/api/designs/${id}/kept`, "GET", undefined, signal),
  async keep(id: string, name: string, value: object): Promise<void> {
    const body = JSON.stringify({ value });
    await request(`/api/designs/${id}/kept/${encodeURIComponent(name)}`, {
      method: "PUT",
      headers: { "content-type": "application/json" },
      body,
      // still sent when the page is being left; browsers take at most 64 KiB so
      keepalive: body.length < 20_000,
    });
  },
  benchRuns: (id: string, signal?: AbortSignal) =>
    json<BenchRunInfo[]>(`/api/designs/${id}/runs`, "GET", undefined, signal),
  startBenchRun: (id: string, dto: StartBenchRunDto) => json<BenchRunInfo>(`/api/designs/${id}/runs`, "POST", dto),
  cancelBenchRun: (id: string, runId: string) => json<void>(`/api/designs/${id}/runs/${runId}/cancel`, "POST"),
  async benchRecord(id: string, runId: string): Promise<BenchRecord> {
    const response = await request(`/api/designs/${id}/runs/${runId}/result`);
    return decodeArtifact<BenchRecord>(new Uint8Array(await response.arrayBuffer()));
  },
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
    if (stored.version !== stages[stage].version) {
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
