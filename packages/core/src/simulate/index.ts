/**
 * Runs designs and test benches. In: source files. Out: printed text, findings, files and waves. The elaborated model is
 * compiled to JavaScript; an event queue after IEEE 1364-2005 clause 11 and IEEE 1800-2017 clause 4 runs it.
 */

export { listScopes, type ScopeEntry } from "./list-scopes.ts";
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
export type { RecordScope, WaveSink } from "./waves/recorder.ts";
export { VcdError, VcdReader } from "./waves/vcd-read.ts";
export { VcdSink } from "./waves/vcd-sink.ts";
export { VcdWriter } from "./waves/vcd-write.ts";
export { findTime, parseCondition } from "./waves/wave-find.ts";
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
} from "./waves/wave-store.ts";
