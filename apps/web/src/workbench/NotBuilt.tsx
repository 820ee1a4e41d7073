import type { Trial } from "@gate-clock/contract";
import { EmptyPanel } from "../app/StatePages.tsx";
import { Button } from "../ui/Button.tsx";
import { Verdict } from "../ui/Verdict.tsx";
import { useActs } from "./context.ts";
import { Findings } from "./Findings.tsx";

/** Stands in for a result that is not there: because nothing was built, because it is on its way, or because a stage stopped. */
export function NotBuilt({ what, trial }: { what: string; trial: Trial | null }) {
  const { build } = useActs();
  if (trial && (trial.status === "queued" || trial.status === "running")) {
    const stage = trial.stages.find((record) => record.state === "running");
    return (
      <div className="flex h-full flex-col">
        <Verdict tone="open">
          Trial {trial.number} is on its way{stage ? `: ${stage.stage}${stage.figure ? `, ${stage.figure}` : ""}` : ""}.{" "}
          {what} will appear here.
        </Verdict>
      </div>
    );
  }
  if (trial?.status === "failed") {
    const errors = trial.findings.filter((finding) => finding.severity === "error");
    return (
      <div className="flex h-full flex-col" data-testid="build-failed">
        <Verdict
          tone="bad"
          figure={errors.length ? String(errors.length) : undefined}
          unit={errors.length === 1 ? "error" : "errors"}
        >
          {errors[0]?.message ?? trial.failure ?? "The trial stopped."}
        </Verdict>
        <div className="min-h-0 flex-1 overflow-auto bg-panel">
          <Findings findings={trial.findings} />
        </div>
      </div>
    );
  }
  return (
    <EmptyPanel title={trial?.status === "cancelled" ? "The last trial was cancelled" : "Not built yet"}>
      <p className="mb-4">{what} appears after a build.</p>
      <Button look="main" onClick={() => void build()}>
        Build now
      </Button>
    </EmptyPanel>
  );
}
