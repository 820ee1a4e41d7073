import type { Trial } from "@gate-clock/contract";
import type { StageName } from "@gate-clock/core";
import { formatDuration, formatWhen } from "../ui/format.ts";

const stageWords: Readonly<Record<StageName, string>> = {
  elaborate: "read",
  synth: "synthesize",
  rules: "rules",
  pack: "pack",
  place: "place",
  route: "route",
  timing: "timing",
  image: "image",
};

/** How the last trial stands: stage by stage while it runs, in one line afterwards. */
export function BuildStrip({ trial, isCurrent }: { trial: Trial; isCurrent: boolean }) {
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
                {stageWords[stage.stage]}
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
      ) : !isCurrent && trial.changedSince.length > 0 ? (
        <span className="truncate text-warn" data-testid="out-of-date">
          out of date: {trial.changedSince.slice(0, 3).join(", ")}
          {trial.changedSince.length > 3 ? ` and ${trial.changedSince.length - 3} more` : ""} changed
        </span>
      ) : (
        trial.finishedAt && <span className="text-soft">{formatWhen(trial.finishedAt)}</span>
      )}
    </div>
  );
}
