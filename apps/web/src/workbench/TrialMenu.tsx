import type { Trial } from "@gate-clock/contract";
import { stages } from "@gate-clock/core";
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { ChevronDown, Flag } from "lucide-react";
import { isLive, trialsQuery } from "../app/queries.ts";
import { formatCount, formatDuration, formatMhz, formatNs, formatWhen } from "../ui/format.ts";
import { useDesign } from "./context.ts";
import type { TrialChoice } from "./use-trial.ts";

const marks = { done: "✓", failed: "✕", cancelled: "·", queued: "…", running: "…" } as const;

/** The trial that is looked at; opens the list of all of the target, to look at another or to compare with one. */
export function TrialMenu({ choice }: { choice: TrialChoice }) {
  const { trial, isLast } = choice;
  return (
    <Popover className="relative shrink-0">
      <PopoverButton
        className={`inline-flex h-7 items-center gap-1 rounded-md border px-2 font-semibold hover:bg-raised ${isLast ? "border-line" : "border-warn text-warn"}`}
        data-testid="trial-choice"
        title={isLast ? "The last trial. Look at another, or compare." : "An earlier trial is shown"}
      >
        Trial {trial!.number}
        <ChevronDown className="size-3.5" aria-hidden />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: "bottom start", gap: 6 }}
        className="z-30 flex max-h-[30rem] w-[48rem] flex-col overflow-auto rounded-lg border border-line bg-panel shadow-xl"
        data-testid="trial-menu"
      >
        {({ close }) => <TrialList choice={choice} onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function TrialList({ choice, onDone }: { choice: TrialChoice; onDone: () => void }) {
  const { design } = useDesign();
  const { data } = useQuery(trialsQuery(design.id));
  const own = data?.filter(({ targetId }) => targetId === design.targetId) ?? [];
  const { trial, against, baseline } = choice;
  const last = design.lastTrial?.number;
  return (
    <>
      <AgainstChoice choice={choice} />
      <table className="w-full text-[13px]">
        <caption className="sr-only">Trials for {design.targetName}, the newest first</caption>
        <thead className="sticky top-0 bg-cloth text-xs text-soft">
          <tr className="border-b border-line text-right [&>th]:px-2 [&>th]:py-1.5 [&>th]:font-semibold">
            <th className="text-left">Trial</th>
            <th className="text-left">Recipe</th>
            <th>Setup ns</th>
            <th>Hold ns</th>
            <th>fmax MHz</th>
            <th>LUTs</th>
            <th className="text-left">Finished</th>
            <th className="text-center">Baseline</th>
            <th className="text-center">Against</th>
          </tr>
        </thead>
        <tbody>
          {own.map((each) => (
            <TrialRow
              key={each.id}
              each={each}
              isShown={each.number === trial?.number}
              isCompared={each.number === against?.number}
              onChoose={() => {
                choice.choose(each.number === last ? null : each.number);
                onDone();
              }}
              onCompare={(is) => choice.compareWith(is ? each.number : "none")}
              isBaseline={each.number === baseline}
              onBaseline={() => choice.setBaseline(each.number === baseline ? null : each.number)}
            />
          ))}
        </tbody>
      </table>
      {data && own.length === 0 && <p className="p-4 text-soft">There are no trials for {design.targetName}.</p>}
      {trial && <StageTimes trial={trial} against={against} />}
    </>
  );
}

/** What every figure of the trial is compared with. */
function AgainstChoice({ choice }: { choice: TrialChoice }) {
  const { mode, baseline, trial, reference } = choice;
  const modes = [
    ["before", "the trial before"],
    ["baseline", baseline === null ? "the baseline" : `the baseline, trial ${baseline}`],
    ["goal", "the goal of the rules"],
    ["none", "nothing"],
  ] as const;
  return (
    <fieldset className="flex items-center gap-x-4 border-b border-line px-3 py-2 text-[13px]" data-testid="against">
      <legend className="sr-only">Compare with</legend>
      <span aria-hidden className="text-soft">
        Compare with
      </span>
      {modes.map(([each, label]) => (
        <label key={each} className="flex items-center gap-1.5 has-disabled:text-soft">
          <input
            type="radio"
            name="against"
            className="accent-indigo"
            checked={mode === each}
            disabled={each === "baseline" && (baseline === null || baseline === trial?.number)}
            onChange={() => choice.compareWith(each)}
            data-testid={`against-${each}`}
          />
          {label}
        </label>
      ))}
      {typeof mode === "number" && reference && <span className="ml-auto font-semibold">{reference.name}</span>}
    </fieldset>
  );
}

function TrialRow({
  each,
  isShown,
  isCompared,
  isBaseline,
  onChoose,
  onCompare,
  onBaseline,
}: {
  each: Trial;
  isShown: boolean;
  isCompared: boolean;
  isBaseline: boolean;
  onChoose: () => void;
  onCompare: (is: boolean) => void;
  onBaseline: () => void;
}) {
  const { figures, number, status } = each;
  const slack = (ps: number | null) => (ps === null ? "–" : formatNs(ps));
  return (
    <tr
      className={`border-b border-line/60 text-right [&>td]:px-2 [&>td]:py-1 ${isShown ? "bg-raised/70" : "hover:bg-cloth"}`}
      aria-selected={isShown}
    >
      <td className="text-left">
        <button
          type="button"
          className="font-semibold underline-offset-2 hover:underline"
          onClick={onChoose}
          data-testid={`trial-${number}`}
        >
          {number} <span aria-hidden>{marks[status]}</span>
        </button>
        {each.staleness?.isCurrent && <span className="ml-2 text-xs text-good">current</span>}
      </td>
      <td className="text-left whitespace-nowrap">
        {each.recipe} <span className="text-soft">seed {each.seed}</span>
      </td>
      <td className={`tabular ${figures.setupSlackPs !== null && figures.setupSlackPs < 0 ? "text-bad" : ""}`}>
        {slack(figures.setupSlackPs)}
      </td>
      <td className={`tabular ${figures.holdSlackPs !== null && figures.holdSlackPs < 0 ? "text-bad" : ""}`}>
        {slack(figures.holdSlackPs)}
      </td>
      <td className="tabular">{figures.fmaxMhz === null ? "–" : formatMhz(figures.fmaxMhz)}</td>
      <td className="tabular">{figures.luts === null ? "–" : formatCount(figures.luts)}</td>
      <td className="text-left whitespace-nowrap text-soft">
        {isLive(each)
          ? status
          : each.finishedAt
            ? `${status === "done" ? "" : `${status}, `}${formatWhen(each.finishedAt)}`
            : status}
      </td>
      <td className="text-center">
        <button
          type="button"
          className={`rounded px-1 ${isBaseline ? "text-indigo" : "text-line hover:text-soft"} disabled:opacity-0`}
          disabled={!isBaseline && status !== "done"}
          aria-pressed={isBaseline}
          aria-label={isBaseline ? `Trial ${number} is the baseline` : `Make trial ${number} the baseline`}
          title={isBaseline ? "The baseline: press to have none" : "Make it the baseline"}
          onClick={onBaseline}
          data-testid={`baseline-${number}`}
        >
          <Flag className="size-3.5" fill={isBaseline ? "currentColor" : "none"} aria-hidden />
        </button>
      </td>
      <td className="text-center">
        <input
          type="checkbox"
          className="accent-indigo"
          checked={isCompared}
          disabled={isShown}
          aria-label={`Compare with trial ${number}`}
          onChange={(event) => onCompare(event.target.checked)}
          data-testid={`against-${number}`}
        />
      </td>
    </tr>
  );
}

/** What each stage of the trial took, beside the one that it is compared with. */
function StageTimes({ trial, against }: { trial: Trial; against: Trial | null }) {
  const ofOther = new Map(against?.stages.map((record) => [record.stage, record]));
  return (
    <dl className="flex flex-wrap gap-x-5 gap-y-1 border-t border-line bg-cloth px-3 py-2 text-xs">
      {trial.stages.map(({ stage, state, elapsedMs }) => {
        const other = ofOther.get(stage)?.elapsedMs;
        return (
          <div key={stage} className="flex items-baseline gap-1.5">
            <dt className="text-soft">{stages[stage].word}</dt>
            <dd className="tabular">
              {state === "reused" ? "reused" : elapsedMs === null ? "–" : formatDuration(elapsedMs)}
              {other != null && <span className="text-soft"> / {formatDuration(other)}</span>}
            </dd>
          </div>
        );
      })}
    </dl>
  );
}
