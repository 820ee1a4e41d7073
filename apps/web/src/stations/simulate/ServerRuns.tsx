import type { BenchRunInfo } from "@gate-clock/contract";
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import { api } from "../../app/api.ts";
import { benchRunsQuery, isLive } from "../../app/queries.ts";
import { Button } from "../../ui/Button.tsx";
import { formatBytes, formatDuration, formatWhen } from "../../ui/format.ts";
import { useDesign, useSessions } from "../../workbench/context.ts";

interface Props {
  readonly onOpened: (bench: string) => void;
}

/** Runs on the server: how far they are, and their results to open. */
export function ServerRuns({ onOpened }: Props) {
  const { serverRuns } = useSessions();
  if (serverRuns.length === 0) return null;
  const live = serverRuns.filter(isLive).length;
  return (
    <Popover className="relative">
      <PopoverButton
        className="inline-flex h-7 items-center gap-1 rounded-md px-2 whitespace-nowrap hover:bg-raised"
        data-testid="server-runs"
      >
        <span className="text-soft">On the server</span>
        <span className="tabular">{live ? `${live} running` : serverRuns.length}</span>
        <ChevronDown className="size-3.5 shrink-0 text-soft" aria-hidden />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: "bottom end", gap: 6 }}
        className="z-30 max-h-96 w-[34rem] overflow-auto rounded-lg border border-line bg-panel py-1 shadow-xl"
        data-testid="server-run-list"
      >
        {({ close }) => (
          <ul>
            {serverRuns.map((run) => (
              <RunRow
                key={run.id}
                run={run}
                onOpened={() => {
                  close();
                  onOpened(run.bench);
                }}
              />
            ))}
          </ul>
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** Fetches the lines and waves of a run on the server and shows them. */
export function OpenRun({ run, label, onOpened }: { run: BenchRunInfo; label: string; onOpened?: () => void }) {
  const { design } = useDesign();
  const { simulation } = useSessions();
  const open = useMutation({
    mutationFn: () => api.benchRecord(design.id, run.id),
    onSuccess: (record) => {
      simulation.show(run.bench, record);
      onOpened?.();
    },
    onError: (error) => simulation.fail((error as Error).message),
  });
  return (
    <Button
      className="h-7"
      onClick={() => open.mutate()}
      disabled={open.isPending}
      title={`Lines and waves, ${formatBytes(run.resultBytes)}`}
    >
      {open.isPending ? "Opening…" : label}
    </Button>
  );
}

function RunRow({ run, onOpened }: { run: BenchRunInfo; onOpened: () => void }) {
  const { design } = useDesign();
  const { simulation } = useSessions();
  const queries = useQueryClient();
  const stop = useMutation({
    mutationFn: () => api.cancelBenchRun(design.id, run.id),
    onError: (error) => simulation.fail((error as Error).message),
    onSettled: () => queries.invalidateQueries({ queryKey: benchRunsQuery(design.id).queryKey }),
  });
  const [mark, colour] = run.verdict?.passed
    ? ["✓", "text-good"]
    : isLive(run)
      ? ["·", "text-soft"]
      : ["✕", "text-bad"];
  return (
    <li className="flex items-center gap-2 px-3 py-1.5 text-[13px] hover:bg-raised" data-testid="server-run">
      <span className={`w-3 font-semibold ${colour}`} aria-hidden>
        {mark}
      </span>
      <div className="min-w-0 flex-1">
        <p className="flex gap-2">
          <span className="tabular text-soft">{run.number}</span>
          <span className="truncate font-mono text-xs leading-5">{run.bench}</span>
          <span className="text-xs leading-5 whitespace-nowrap text-soft">
            seed {run.seed}, {formatWhen(run.createdAt)}
          </span>
        </p>
        <p className="truncate text-xs text-soft" title={stateText(run)}>
          {stateText(run)}
        </p>
      </div>
      {isLive(run) ? (
        <Button look="danger" className="h-7" onClick={() => stop.mutate()} disabled={stop.isPending}>
          Stop
        </Button>
      ) : run.resultBytes > 0 ? (
        <OpenRun run={run} label="Open" onOpened={onOpened} />
      ) : null}
    </li>
  );
}

function stateText({ status, progress, verdict, failure }: BenchRunInfo): string {
  if (status === "queued") return "waits for its turn";
  if (status === "running")
    return progress
      ? `${progress.time} simulated, ${progress.lines.toLocaleString("en")} lines, ${formatDuration(progress.elapsedMs)}`
      : "compiling the design";
  if (failure) return failure;
  if (!verdict) return "stopped before it began";
  const { passed, time, elapsedMs, first, end } = verdict;
  if (passed) return `passed: ${time} simulated in ${formatDuration(elapsedMs)}`;
  if (end === "cancelled") return `stopped by you at ${time}`;
  return first ? `failed: ${first.message}` : `failed at ${time}`;
}
