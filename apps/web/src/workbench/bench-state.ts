import type { BenchVerdict, DesignCheck } from "@gate-clock/core";
import type { StationHead } from "./station.ts";

/** How the design's test benches stand, in one figure. */
export function benchState(
  check: DesignCheck | null,
  verdicts: Readonly<Record<string, BenchVerdict>>,
  /** Of the sources as they are; null while that is not known. */
  sourcesKey: string | null,
  isRunning: boolean,
): StationHead {
  if (isRunning) return { figure: "running", tone: "open", isOld: false };
  const benches = check?.testBenches ?? [];
  if (!check) return { figure: "checking", tone: "open", isOld: false };
  if (benches.length === 0) return { figure: "no test bench", tone: "open", isOld: false };
  const done = benches.flatMap((bench) => verdicts[bench.name] ?? []);
  if (done.length === 0) return { figure: "not run", tone: "open", isOld: false };
  const isOld = sourcesKey !== null && done.some((verdict) => verdict.sourcesKey !== sourcesKey);
  const failed = done.filter((verdict) => !verdict.passed).length;
  if (failed) return { figure: `${failed} failed`, tone: "bad", isOld };
  return {
    figure: `${done.length} of ${benches.length} passed`,
    tone: done.length === benches.length ? "good" : "warn",
    isOld,
  };
}
