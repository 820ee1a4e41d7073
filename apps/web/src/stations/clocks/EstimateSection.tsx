import { Button } from "../../ui/Button.tsx";
import { ClockFigures } from "./ClockFigures.tsx";
import type { Estimate } from "./use-estimate.ts";

/** What can be expected of the clocks before anything is laid out. */
export function EstimateSection({
  estimate: { timing, finding, problem, progress, start, cancel, isLeft },
}: {
  estimate: Estimate;
}) {
  if (timing)
    return (
      <div data-testid="estimate">
        <ClockFigures title="To be expected before layout" timing={timing} isEstimate />
        <p className="-mt-4 mb-6 text-[13px] text-soft">
          The circuit as it would be built, with wires as long as designs of this size have them. Placement decides.
        </p>
      </div>
    );
  if (!progress && !finding && !problem && !isLeft) return null;
  return (
    <section className="mb-6" data-testid="estimate">
      <h2 className="mb-2 font-semibold">To be expected before layout</h2>
      {finding ? (
        <p className="text-[13px] text-bad">
          {finding.message} {finding.remedy}
        </p>
      ) : problem ? (
        <p className="text-[13px] text-bad">{problem}</p>
      ) : (
        <p className="flex items-center gap-3 text-[13px] text-soft">
          {progress ? `At ${progress.figure ?? "the circuit"} …` : "It was given up."}
          <Button look="quiet" className="h-7" onClick={progress ? cancel : start}>
            {progress ? "Cancel" : "Work it out"}
          </Button>
        </p>
      )}
    </section>
  );
}
