import { brotliCompressSync, constants } from "node:zlib";
import {
  type BenchJob,
  type BenchRecord,
  type BenchVerdict,
  encodeArtifact,
  runBench,
  verdictOf,
} from "@gate-clock/core";
import type { TaskHost } from "../messages.ts";

export interface BenchDone {
  readonly verdict: BenchVerdict;
  /** A BenchRecord as MessagePack, Brotli-compressed. */
  readonly bytes: Uint8Array;
}

const tellEveryMs = 250;

/** Runs a test bench. Notes are its progress. */
export async function benchTask(job: BenchJob, host: TaskHost): Promise<BenchDone> {
  let told = 0;
  const result = await runBench(job, {
    progress: (progress) => {
      if (progress.elapsedMs - told < tellEveryMs) return;
      told = progress.elapsedMs;
      host.note(progress);
    },
    isStopped: host.isStopped,
    now: host.now,
    pause: host.pause,
  });
  const { sources, seed } = job;
  const record: BenchRecord = { result, sources, seed };
  const bytes = brotliCompressSync(encodeArtifact(record), { params: { [constants.BROTLI_PARAM_QUALITY]: 1 } });
  return { verdict: verdictOf(job, result), bytes };
}
