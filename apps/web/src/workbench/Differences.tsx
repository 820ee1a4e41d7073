import type { TrialFigures } from "@gate-clock/contract";
import {
  type Difference,
  difference,
  differences,
  differenceText,
  type FigureName,
  type Reference,
} from "./compare.ts";
import { useDesign } from "./context.ts";

/** A difference with a mark that tells better from worse without its colour. */
function Change({ change }: { change: Difference }) {
  return (
    <span className={`tabular font-semibold whitespace-nowrap ${change.isBetter ? "text-good" : "text-bad"}`}>
      {differenceText(change)} {change.isBetter ? "▴" : "▾"}
      <span className="sr-only">{change.isBetter ? "better" : "worse"}</span>
    </span>
  );
}

/** How the trial's figures differ from what they are compared with. */
export function Differences({ figures, reference }: { figures: TrialFigures; reference: Reference }) {
  const list = differences(figures, reference.figures);
  return (
    // those that have no room are left out whole
    <span
      className="flex h-5 min-w-0 flex-1 flex-wrap items-center gap-x-3 overflow-hidden text-xs leading-5 text-soft"
      data-testid="differences"
    >
      <span className="shrink-0">against {reference.name}:</span>
      {list.length === 0 && "the same figures"}
      {list.map((each) => (
        <span key={each.name} className="shrink-0">
          {each.name} <Change change={each} />
        </span>
      ))}
    </span>
  );
}

/** Beside a station's figure: how it differs from what the trial is compared with. Nothing where it does not. */
export function FigureChange({ figure }: { figure: FigureName }) {
  const { trial, reference } = useDesign();
  const change = trial && reference ? difference(figure, trial.figures, reference.figures) : null;
  if (!change) return null;
  return (
    <span className="text-xs" title={`against ${reference!.name}`} data-testid="figure-change">
      <Change change={change} />
    </span>
  );
}
