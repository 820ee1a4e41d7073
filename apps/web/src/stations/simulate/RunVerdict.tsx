import type { BenchVerdict, Place } from "@gate-clock/core";
import { Verdict } from "../../ui/Verdict.tsx";

const ends: Readonly<Partial<Record<BenchVerdict["end"], string>>> = {
  errors: "could not be run",
  stop: "was stopped by $stop",
  cancelled: "was stopped by you",
};

interface Props {
  readonly bench: string;
  readonly verdict: BenchVerdict | undefined;
  readonly isOld: boolean;
  /** How far a run is; null when none is under way. */
  readonly running: string | null;
  readonly onPlace: (place: Place) => void;
}

/** How the last run of a test bench ended. */
export function RunVerdict({ bench, verdict, isOld, running, onPlace }: Props) {
  if (running !== null) return <Verdict tone="open">{running}</Verdict>;
  if (!verdict) return <Verdict tone="open">{bench ? `${bench} is ready to run.` : "Reading the sources…"}</Verdict>;
  const { end, passed, time, errors, first, checks, elapsedMs } = verdict;
  const earlier = isOld ? " The sources have changed since; run it again with Ctrl+Enter." : "";
  if (passed)
    return (
      <Verdict tone={isOld ? "plain" : "good"} figure={time} unit="simulated">
        <span className="font-mono">{bench}</span> passed in {(elapsedMs / 1000).toFixed(2)} s
        {checks.passed > 0 && `, ${checks.passed.toLocaleString("en")} checks held`}
        {end === "limit" && ", stopped at its time limit"}.{earlier}
      </Verdict>
    );
  const place = first?.place;
  return (
    <Verdict tone="bad" figure={String(errors)} unit={errors === 1 ? "error" : "errors"}>
      <span className="font-mono">{bench}</span> {ends[end] ?? "failed"}
      {first ? `: ${first.message} ` : "."}
      {place?.file && (
        <button type="button" className="font-mono text-xs text-indigo underline" onClick={() => onPlace(place)}>
          {place.file}:{place.line}
        </button>
      )}
      {earlier}
    </Verdict>
  );
}
