import type { Trial } from "@gate-clock/contract";
import { changeText, type StageName, type Staleness, stages, stalenessText } from "@gate-clock/core";
import { formatDuration, formatWhen } from "../ui/format.ts";

/** How the last trial stands: stage by stage while it runs, in one line afterwards. */
export function BuildStrip({ trial, staleness }: { trial: Trial; staleness: Staleness | null }) {
  const isLive = trial.status === "queued" || trial.status === "running";
  const total = trial.stages.reduce((sum, stage) => sum + (stage.elapsedMs ?? 0), 0);
  const firstError = trial.findings.find((finding) => finding.severity === "error");
  const reused = trial.stages.filter((stage) => stage.state === "reused").length;
  const words: Readonly<Record<Trial["status"], string>> = {
    queued: "waits for a worker",
    running: "is running",
    done:
      reused === trial.stages.length
        ? "is done; nothing had to run again"
        : `is done in ${formatDuration(trial.stages.reduce((sum, stage) => sum + (stage.state === "done" ? (stage.elapsedMs ?? 0) : 0), 0))}${reused ? `, ${reused} of ${trial.stages.length} stages reused` : ""}`,
    failed: "stopped",
    cancelled: "was cancelled",
  };
  return (
    <div
      className="flex h-9 shrink-0 items-center gap-4 border-b border-line bg-cloth px-5 text-[13px]"
      data-testid="build-strip"
      data-status={trial.status}
      role="status"
    >
      <span className="whitespace-nowrap">
        <span className="font-semibold">Trial {trial.number}</span> {words[trial.status]}
      </span>
      {isLive || trial.status === "failed" ? (
        <ol className="flex min-w-0 flex-1 items-center gap-3">
          {trial.stages.map((stage) => (
            <li key={stage.stage} className="flex min-w-0 flex-1 flex-col" title={stage.figure ?? ""}>
              <span
                className={`truncate text-[11px] leading-tight ${stage.state === "failed" ? "text-bad" : stage.state === "running" ? "text-ink" : "text-soft"}`}
              >
                {stage.state === "failed" ? "✕ " : stage.state === "reused" ? "= " : stage.state === "done" ? "✓ " : ""}
                {stages[stage.stage as StageName].word}
                {stage.state === "running" && stage.figure ? ` · ${stage.figure}` : ""}
              </span>
              <span className="h-1 overflow-hidden rounded-full bg-raised">
                <span
                  className={`block h-full transition-[width] ${stage.state === "failed" ? "bg-bad" : "bg-indigo"}`}
                  style={{ width: `${stage.state === "failed" ? 100 : 100 * stage.fraction}%` }}
                />
              </span>
            </li>
          ))}
        </ol>
      ) : (
        <span className="flex-1" />
      )}
      {trial.status === "failed" && (
        <span className="max-w-[36%] truncate text-bad" title={firstError?.message ?? trial.failure ?? ""}>
          {firstError?.message ?? trial.failure}
        </span>
      )}
      {isLive ? (
        <span className="tabular text-soft">{formatDuration(total)}</span>
      ) : staleness && !staleness.isCurrent ? (
        <span className="truncate text-warn" data-testid="out-of-date" title={stalenessText(staleness)}>
          out of date: {staleness.changes.slice(0, 2).map(changeText).join(", ")}
          {staleness.changes.length > 2 ? ` and ${staleness.changes.length - 2} more` : ""}
          {againText(staleness)}
        </span>
      ) : (
        trial.finishedAt && <span className="text-soft">{formatWhen(trial.finishedAt)}</span>
      )}
    </div>
  );
}

/** `; place to image run again`: what anybody waits for, so reading is left out. */
function againText({ again, maybeAgain }: Staleness): string {
  const words = [...again, ...maybeAgain]
    .filter((stage) => stage !== "elaborate" && stage !== "rules")
    .map((stage) => stages[stage].word);
  if (words.length === 0) return "";
  const [first] = words;
  const last = words[words.length - 1];
  if (words.length === 1) return `; ${first} runs again`;
  return words.length === 2 ? `; ${first} and ${last} run again` : `; ${first} to ${last} run again`;
}
