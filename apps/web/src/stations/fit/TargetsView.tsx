import type { Target, Trial } from "@gate-clock/contract";
import { changeText, findPart, stalenessText } from "@gate-clock/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Hammer, Plus, Trash2 } from "lucide-react";
import { type FormEvent, useId, useState } from "react";
import { api } from "../../app/api.ts";
import { boardsQuery, isLive, partsQuery, targetsQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatMhz, formatNs, formatPercent, formatWhen } from "../../ui/format.ts";
import { InlineName } from "../../ui/InlineName.tsx";
import { type Tone, Verdict } from "../../ui/Verdict.tsx";
import { useActs, useDesign, useTexts } from "../../workbench/context.ts";
import { useChooseTarget } from "../../workbench/use-target.ts";

/** Every target with the figures of its last trial, beside those of the one that is worked on. */
export function TargetsView() {
  const { design } = useDesign();
  const { build } = useActs();
  const { drafts } = useTexts();
  const { data: targets, error, refetch } = useQuery(targetsQuery(design.id));
  const queries = useQueryClient();
  const [isAdding, setIsAdding] = useState(false);
  const [leaving, setLeaving] = useState<string | null>(null);
  const choose = useChooseTarget();
  const { queryKey } = targetsQuery(design.id);
  const keep = (list: Target[]) => {
    queries.setQueryData(queryKey, list);
    void queries.invalidateQueries({ queryKey: ["designs"] });
  };
  const start = useMutation({
    mutationFn: async (list: readonly Target[]) => {
      if (!(await drafts.flush())) throw new Error("What is typed could not be saved, so nothing was built.");
      for (const { id } of list) {
        if (id === design.targetId) await build();
        else await api.startTargetTrial(design.id, id);
      }
    },
    onSettled: () => void queries.invalidateQueries({ queryKey }),
  });
  const rename = useMutation({
    mutationFn: ({ id, name }: { id: string; name: string }) => api.updateTarget(design.id, id, { name }),
    onSuccess: keep,
  });
  const remove = useMutation({ mutationFn: (id: string) => api.removeTarget(design.id, id), onSuccess: keep });
  if (!targets)
    return error ? <ProblemPanel error={error} onRetry={() => void refetch()} /> : <LoadingPanel what="the targets" />;
  const own = targets.find(({ id }) => id === design.targetId)?.lastTrial ?? null;
  const problem = choose.error ?? start.error ?? rename.error ?? remove.error;
  const { fastest, text, tone } = summary(targets);
  const stale = targets.filter(
    ({ lastTrial }) => !lastTrial || (!isLive(lastTrial) && lastTrial.staleness?.isCurrent === false),
  );
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <Verdict
        tone={tone}
        figure={fastest ? formatMhz(fastest.lastTrial!.figures.fmaxMhz) : undefined}
        unit="MHz"
        aside={
          <span className="flex gap-2">
            {stale.length > 0 && targets.length > 1 && (
              <Button onClick={() => start.mutate(stale)} disabled={start.isPending} data-testid="build-targets">
                <Hammer className="size-4" /> Build{" "}
                {stale.length === targets.length ? "all" : `${stale.length} of them`}
              </Button>
            )}
            <Button look="main" onClick={() => setIsAdding(true)} data-testid="add-target">
              <Plus className="size-4" /> Add a target
            </Button>
          </span>
        }
      >
        <span data-testid="targets-verdict">{text}</span>
      </Verdict>
      {problem && (
        <p className="border-b border-line bg-bad-wash px-5 py-1.5 text-[13px]" role="alert">
          {problem.message}
        </p>
      )}
      {isAdding && <AddTarget onDone={() => setIsAdding(false)} onList={keep} />}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full text-[13px]" data-testid="targets-table">
          <thead className="sticky top-0 bg-cloth text-xs text-soft">
            <tr className="border-b border-line text-left">
              <th className="px-5 py-1.5 font-semibold">Target</th>
              <th className="px-2 font-semibold">State</th>
              <th className="px-2 text-right font-semibold">LUTs</th>
              <th className="px-2 text-right font-semibold">LUTs %</th>
              <th className="px-2 text-right font-semibold">Registers</th>
              <th className="px-2 text-right font-semibold">fmax MHz</th>
              <th className="px-2 text-right font-semibold">Setup slack ns</th>
              <th className="px-2 text-right font-semibold">Hold slack ns</th>
              <th className="px-2 text-right font-semibold">Cost</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {targets.map((target) => {
              const { id, name, part, board, lastTrial, ruleFiles } = target;
              const isOwn = id === design.targetId;
              const figures = lastTrial?.figures;
              const against = isOwn ? null : own?.figures;
              const live = lastTrial !== null && isLive(lastTrial);
              return (
                <tr
                  key={id}
                  className={`border-b border-line/60 ${isOwn ? "bg-raised/60" : ""}`}
                  data-testid={`target-${name}`}
                >
                  <td className="px-5 py-2">
                    <InlineName
                      value={name}
                      label="Name of the target"
                      title="Double click to rename"
                      className="font-semibold"
                      onName={(next) => rename.mutate({ id, name: next })}
                    >
                      {name}
                    </InlineName>
                    {isOwn && <span className="ml-2 text-xs text-soft">active</span>}
                    <div className="text-xs text-soft">
                      <span className="font-mono">{part}</span>
                      {board && ` · ${board} board`} ·{" "}
                      {ruleFiles.length ? (
                        <span title={ruleFiles.join("\n")}>
                          {ruleFiles.length} rule {ruleFiles.length === 1 ? "file" : "files"}
                        </span>
                      ) : (
                        "no rule files"
                      )}
                    </div>
                  </td>
                  <td className="max-w-64 px-2 text-xs">
                    <State trial={lastTrial} />
                  </td>
                  <Figure value={figures?.luts} against={against?.luts} show={formatCount} />
                  <Figure value={figures?.lutPercent} against={against?.lutPercent} show={formatPercent} />
                  <Figure value={figures?.registers} against={against?.registers} show={formatCount} />
                  <Figure value={figures?.fmaxMhz} against={against?.fmaxMhz} show={formatMhz} />
                  <Figure value={figures?.setupSlackPs} against={against?.setupSlackPs} show={formatNs} />
                  <Figure value={figures?.holdSlackPs} against={against?.holdSlackPs} show={formatNs} />
                  <Figure
                    value={costOf(part)}
                    against={isOwn ? null : costOf(design.part)}
                    show={(v) => v.toFixed(1)}
                  />
                  <td className="px-3 text-right whitespace-nowrap">
                    {leaving === id ? (
                      <span className="inline-flex items-center gap-1.5 text-xs">
                        Remove it{ruleFiles.length > 0 && ` with ${ruleFiles.length} rule files`}?
                        <Button
                          look="danger"
                          className="h-7 px-2 text-xs"
                          disabled={remove.isPending}
                          onClick={() => remove.mutate(id)}
                          data-testid={`remove-${name}`}
                        >
                          Remove
                        </Button>
                        <Button className="h-7 px-2 text-xs" onClick={() => setLeaving(null)}>
                          Keep
                        </Button>
                      </span>
                    ) : (
                      <span className="inline-flex items-center gap-1.5">
                        <Button
                          className="h-7 px-2 text-xs"
                          disabled={live || start.isPending}
                          onClick={() => start.mutate([target])}
                          aria-label={`Build ${name}`}
                        >
                          Build
                        </Button>
                        {!isOwn && (
                          <>
                            <Button
                              className="h-7 px-2 text-xs"
                              disabled={choose.isPending}
                              onClick={() => choose.mutate(name)}
                              data-testid={`work-on-${name}`}
                            >
                              Work on it
                            </Button>
                            <Button
                              look="quiet"
                              className="h-7 px-1.5"
                              aria-label={`Remove ${name}`}
                              onClick={() => setLeaving(id)}
                              data-testid={`leave-${name}`}
                            >
                              <Trash2 className="size-4" />
                            </Button>
                          </>
                        )}
                      </span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <p className="px-5 py-3 text-xs text-soft">
          Sources are shared; each target has pin and timing files, recipe and seed of its own. Small figures are
          differences from the target that is worked on. Cost is beside the cheapest part.
        </p>
      </div>
    </div>
  );
}

/** The fastest of those that are laid out, and how all stand. */
function summary(targets: readonly Target[]): { fastest: Target | null; text: string; tone: Tone } {
  const built = targets.filter(({ lastTrial }) => lastTrial?.figures.fmaxMhz);
  const missing = targets.length - built.length;
  if (built.length === 0)
    return {
      fastest: null,
      tone: "open",
      text:
        targets.length === 1
          ? "The target is not laid out yet."
          : `None of the ${targets.length} targets is laid out yet.`,
    };
  const fastest = built.reduce((a, b) => (b.lastTrial!.figures.fmaxMhz! > a.lastTrial!.figures.fmaxMhz! ? b : a));
  const met = built.filter(({ lastTrial }) => (lastTrial!.figures.setupSlackPs ?? -1) >= 0).length;
  if (targets.length === 1)
    return {
      fastest,
      tone: met ? "good" : "bad",
      text: "on the one target. Add another part or board to keep both side by side and compare them.",
    };
  return {
    fastest,
    tone: met < built.length ? "bad" : missing ? "warn" : "good",
    text: `on ${fastest.name}, the fastest target. ${met} of ${built.length} laid out ${met === 1 ? "meets its" : "meet their"} clocks${missing ? `; ${missing} not laid out` : ""}.`,
  };
}

const costOf = (name: string): number | null => findPart(name).part?.cost ?? null;

function State({ trial }: { trial: Trial | null }) {
  if (!trial) return <span className="text-soft">not built yet</span>;
  if (isLive(trial)) {
    const stage = trial.stages.find((record) => record.state === "running");
    return (
      <span>
        trial {trial.number}: {stage ? `${stage.stage} ${Math.round(100 * stage.fraction)} %` : "waits"}
      </span>
    );
  }
  const errors = trial.findings.filter(({ severity }) => severity === "error").length;
  const { staleness } = trial;
  return (
    <>
      <span className={trial.status === "done" ? "text-good" : trial.status === "failed" ? "text-bad" : "text-soft"}>
        <span aria-hidden>{trial.status === "done" ? "✓" : trial.status === "failed" ? "✕" : "·"}</span> trial{" "}
        {trial.number}{" "}
        {trial.status === "failed" ? `failed, ${errors} ${errors === 1 ? "error" : "errors"}` : trial.status}
      </span>
      <div className="truncate text-soft" title={staleness ? stalenessText(staleness) : undefined}>
        {staleness?.changes.length
          ? `changed since: ${changeText(staleness.changes[0])}${staleness.changes.length > 1 ? ` and ${staleness.changes.length - 1} more` : ""}`
          : trial.finishedAt && formatWhen(trial.finishedAt)}
      </div>
    </>
  );
}

/** A figure, with its difference from that of the target that is worked on. */
function Figure({
  value,
  against,
  show,
}: {
  value: number | null | undefined;
  against: number | null | undefined;
  show: (value: number) => string;
}) {
  if (value === null || value === undefined) return <td className="px-2 text-right text-soft">–</td>;
  const difference = against === null || against === undefined ? 0 : value - against;
  return (
    <td className="tabular px-2 text-right">
      {show(value)}
      {difference !== 0 && (
        <div className="text-xs text-soft">
          {difference > 0 ? "+" : "−"}
          {show(Math.abs(difference))}
        </div>
      )}
    </td>
  );
}

function AddTarget({ onDone, onList }: { onDone: () => void; onList: (list: Target[]) => void }) {
  const { design } = useDesign();
  const { data: parts } = useQuery(partsQuery);
  const { data: boards } = useQuery(boardsQuery);
  const [chosen, setChosen] = useState("");
  const [name, setName] = useState("");
  const [copyRules, setCopyRules] = useState(true);
  const id = useId();
  const board = boards?.find((each) => each.name === chosen);
  const shownName = name.trim() || board?.title || chosen;
  const add = useMutation({
    mutationFn: () =>
      api.createTarget(design.id, {
        name: shownName,
        part: board?.part ?? chosen,
        board: board?.name ?? null,
        copyRules,
      }),
    onSuccess: (list) => {
      onList(list);
      onDone();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (chosen) add.mutate();
  };
  const field = "h-8 rounded-md border border-line bg-panel px-2 text-sm text-ink";
  return (
    <form onSubmit={submit} className="flex shrink-0 flex-wrap items-end gap-3 border-b border-line bg-cloth px-5 py-3">
      <label className="flex flex-col gap-1 text-xs text-soft" htmlFor={`${id}part`}>
        Board or part
        <select
          id={`${id}part`}
          className={`${field} w-72`}
          value={chosen}
          onChange={(event) => setChosen(event.target.value)}
          data-testid="new-target-part"
        >
          <option value="">choose one</option>
          {boards?.map((each) => (
            <option key={each.name} value={each.name}>
              {each.title} board ({each.part})
            </option>
          ))}
          {parts?.map((each) => (
            <option key={each.name} value={each.name}>
              {each.name}
            </option>
          ))}
        </select>
      </label>
      <label className="flex flex-col gap-1 text-xs text-soft" htmlFor={`${id}name`}>
        Name
        <input
          id={`${id}name`}
          className={`${field} w-44`}
          value={name}
          maxLength={80}
          placeholder={shownName}
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <label className="flex h-8 items-center gap-2 text-[13px]">
        <input type="checkbox" checked={copyRules} onChange={(event) => setCopyRules(event.target.checked)} />
        begin with the rule files of {design.targetName}
      </label>
      <span className="flex-1" />
      {add.error && (
        <p className="w-full text-[13px] text-bad" role="alert">
          {add.error.message}
        </p>
      )}
      <Button onClick={onDone}>Cancel</Button>
      <Button look="main" type="submit" disabled={!chosen || add.isPending} data-testid="new-target-add">
        Add
      </Button>
    </form>
  );
}
