/**
 * Runs designs and test benches. In: source files. Out: printed text, findings, files and waves. The elaborated model is
 * compiled to JavaScript; an event queue after IEEE 1364-2005 clause 11 and IEEE 1800-2017 clause 4 runs it.
 */

export { listScopes, type ScopeEntry } from "./list-scopes.ts";
export type { RecordScope, WaveSink } from "./recorder.ts";
export {
  type BenchJob,
  type BenchProgress,
  type BenchRecord,
  type BenchResult,
  type BenchVerdict,
  type PrintedLine,
  runBench,
  verdictOf,
} from "./run-bench.ts";
export {
  type PrintedText,
  parseTime,
  prepare,
  type RunEnd,
  recordAll,
  type SimulateOptions,
  showTime,
  simulate,
} from "./simulate.ts";
export { VcdError, VcdReader } from "./vcd-read.ts";
export { VcdSink } from "./vcd-sink.ts";
export { VcdWriter } from "./vcd-write.ts";
export { findTime, parseCondition } from "./wave-find.ts";
export {
  bitTrack,
  changeAt,
  valueText,
  vcdLoader,
  type WaveRadix,
  WaveStore,
  type Waves,
  type WaveTrack,
  waveBuffers,
  writeVcd,
} from "./wave-store.ts";
