import { parentPort, workerData } from "node:worker_threads";
import { brotliCompressSync, constants } from "node:zlib";
import {
  type BenchJob,
  type BenchProgress,
  type BenchRecord,
  type BenchVerdict,
  encodeArtifact,
  runBench,
  verdictOf,
} from "@gate-clock/core";

/** Between the server and the thread that runs a test bench. */
export interface BenchThreadData {
  readonly job: BenchJob;
  /** One word: 1 asks the thread to stop. */
  readonly cancelFlag: SharedArrayBuffer;
}
export type FromBenchThread =
  | { readonly kind: "progress"; readonly progress: BenchProgress }
  | { readonly kind: "finished"; readonly verdict: BenchVerdict; readonly bytes: Uint8Array };

const port = parentPort!;
const { job, cancelFlag } = workerData as BenchThreadData;
const flag = new Int32Array(cancelFlag);
const send = (message: FromBenchThread) => port.postMessage(message);

const tellEveryMs = 250;
let told = 0;
const result = await runBench(job, {
  progress: (progress) => {
    if (progress.elapsedMs - told < tellEveryMs) return;
    told = progress.elapsedMs;
    send({ kind: "progress", progress });
  },
  isStopped: () => Atomics.load(flag, 0) === 1,
  now: () => performance.now(),
  pause: async () => {},
});
const { sources, seed } = job;
const record: BenchRecord = { result, sources, seed };
const bytes = brotliCompressSync(encodeArtifact(record), { params: { [constants.BROTLI_PARAM_QUALITY]: 1 } });
send({ kind: "finished", verdict: verdictOf(job, result), bytes });
port.close();
