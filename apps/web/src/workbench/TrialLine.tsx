import type { Trial } from "@gate-clock/contract";
import { changeText, type StageName, type StageRecord, type Staleness, stages, stalenessText } from "@gate-clock/core";
import { isLive } from "../app/queries.ts";
import { formatDuration, formatWhen } from "../ui/format.ts";
import { Differences } from "./Differences.tsx";
import { TrialMenu } from "./TrialMenu.tsx";
import type { TrialChoice } from "./use-trial.ts";

const statusWords: Readonly<Record<Trial["status"], string>> = {
  queued: "waits for a worker",
  running: "is running",
  done: "is done",
  failed: "stopped",
  cancelled: "was cancelled",
};

/** Which trial is looked at, how it ended, whether it is of the design as it is, and how it differs from another. */
export function TrialLine({ choice, staleness }: { choice: TrialChoice; staleness: Staleness | null }) {
  const { trial, reference } = choice;
  if (!trial) return <span className="min-w-0 flex-1" />;
  const total = trial.stages.reduce((sum, stage) => sum + (stage.elapsedMs ?? 0), 0);
  const firstError = trial.findings.find((finding) => finding.severity === "error");
  return (
    <div
      className="flex min-w-0 flex-1 items-center gap-2.5 text-[13px]"
      data-testid="build-strip"
      data-status={trial.status}
      role="status"
    >
      <TrialMenu choice={choice} />
      <span className="shrink-0 whitespace-nowrap">
        {statusWords[trial.status]}
        {trial.status === "done" && doneText(trial)}
      </span>
      {isLive(trial) ? (
        <>
          <StageBar stages={trial.stages} />
          <span className="tabular text-soft">{formatDuration(total)}</span>
        </>
      ) : trial.status === "failed" ? (
        <span className="truncate text-bad" title={firstError?.message ?? trial.failure ?? ""}>
          {firstError?.message ?? trial.failure}
        </span>
      ) : staleness && !staleness.isCurrent ? (
        <span className="truncate text-warn" data-testid="out-of-date" title={stalenessText(staleness)}>
          out of date: {staleness.changes.slice(0, 2).map(changeText).join(", ")}
          {staleness.changes.length > 2 ? ` and ${staleness.changes.length - 2} more` : ""}
          {againText(staleness)}
        </span>
      ) : reference ? (
        <Differences figures={trial.figures} reference={reference} />
      ) : (
        trial.finishedAt && <span className="truncate text-soft">{formatWhen(trial.finishedAt)}</span>
      )}
    </div>
  );
}

function doneText({ stages: records }: Trial): string {
  const reused = records.filter((stage) => stage.state === "reused").length;
  if (reused === records.length) return "; nothing had to run again";
  const ms = records.reduce((sum, stage) => sum + (stage.state === "done" ? (stage.elapsedMs ?? 0) : 0), 0);
  return ` in ${formatDuration(ms)}${reused ? `, ${reused} of ${records.length} stages reused` : ""}`;
}

/** All stages side by side: what is done, what runs and how far it is. */
function StageBar({ stages: records }: { stages: readonly StageRecord[] }) {
  const running = records.find((stage) => stage.state === "running");
  return (
    <span className="flex min-w-0 flex-1 flex-col gap-0.5">
      <span className="truncate text-xs text-soft">
        {running ? stages[running.stage].word : ""}
        {running?.figure ? ` · ${running.figure}` : ""}
      </span>
      <span className="flex gap-0.5" aria-hidden>
        {records.map(({ stage, state, fraction }) => (
          <span key={stage} className="h-1 min-w-2 flex-1 overflow-hidden rounded-full bg-raised">
            <span
              className={`block h-full transition-[width] ${state === "reused" ? "bg-soft" : "bg-indigo"}`}
              style={{ width: `${100 * fraction}%` }}
            />
          </span>
        ))}
      </span>
    </span>
  );
}

/** `; place to image run again`: what anybody waits for, so reading is left out. */
function againText({ again, maybeAgain }: Staleness): string {
  const words = [...again, ...maybeAgain]
    .filter((stage) => stage !== "elaborate" && stage !== "rules")
    .map((stage: StageName) => stages[stage].word);
  if (words.length === 0) return "";
  const [first] = words;
  const last = words[words.length - 1];
  if (words.length === 1) return `; ${first} runs again`;
  return words.length === 2 ? `; ${first} and ${last} run again` : `; ${first} to ${last} run again`;
}
