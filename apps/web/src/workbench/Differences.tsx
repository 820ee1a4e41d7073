import type { Trial } from "@gate-clock/contract";
import { differences, differenceText } from "./compare.ts";

/** How the trial's figures differ from another one's. */
export function Differences({ trial, against }: { trial: Trial; against: Trial }) {
  const list = differences(trial.figures, against.figures);
  return (
    <span className="flex min-w-0 items-baseline gap-3 truncate text-xs text-soft" data-testid="differences">
      <span className="shrink-0">against trial {against.number}:</span>
      {list.length === 0 && "the same figures"}
      {list.map((each) => (
        <span key={each.name} className="shrink-0">
          {each.name}{" "}
          <span className={`tabular font-semibold ${each.isBetter ? "text-good" : "text-bad"}`}>
            {differenceText(each)} {each.isBetter ? "▴" : "▾"}
            <span className="sr-only">{each.isBetter ? "better" : "worse"}</span>
          </span>
        </span>
      ))}
    </span>
  );
}
