import { recipes } from "@gate-clock/core";
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { SlidersHorizontal } from "lucide-react";
import { type FormEvent, useId, useState } from "react";
import { Link } from "react-router";
import { api } from "../app/api.ts";
import { partsQuery, targetsQuery, updateDesign } from "../app/queries.ts";
import { Button } from "../ui/Button.tsx";
import { stationAddress } from "./address.ts";
import { useCheckResult, useDesign } from "./context.ts";
import { useChooseTarget, useUpdateTarget } from "./use-target.ts";

const field = "h-8 w-full rounded-md border border-line bg-cloth px-2 text-sm text-ink";

/** What a trial depends on besides the files: part, top, recipe, seed. */
export function DesignSettings() {
  const { design } = useDesign();
  return (
    <>
      {design.targetCount > 1 && <TargetChoice />}
      <SettingsButton />
    </>
  );
}

/** Which of the design's targets is worked on. */
function TargetChoice() {
  const { design } = useDesign();
  const { data: targets } = useQuery(targetsQuery(design.id));
  const choose = useChooseTarget();
  return (
    <label className="flex items-center gap-1.5 text-xs text-soft" title={choose.error?.message}>
      for
      <select
        className={`h-7 max-w-40 rounded-md border bg-cloth px-1 text-ink ${choose.error ? "border-bad" : "border-line"}`}
        value={design.targetName}
        disabled={choose.isPending}
        onChange={(event) => choose.mutate(event.target.value)}
        data-testid="target-choice"
      >
        {(targets ?? [{ id: design.targetId, name: design.targetName }]).map(({ id, name }) => (
          <option key={id} value={name}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}

function SettingsButton() {
  const { design } = useDesign();
  return (
    <Popover className="relative">
      <PopoverButton
        className="inline-flex h-8 items-center gap-2 rounded-md px-2 text-xs text-soft hover:bg-raised"
        data-testid="settings"
        title="Part, top, recipe and seed"
      >
        <span className="font-mono">{design.part}</span>
        <span>{design.recipe}</span>
        <SlidersHorizontal className="size-3.5" aria-hidden />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: "bottom start", gap: 6 }}
        className="z-30 w-80 rounded-lg border border-line bg-panel p-4 shadow-xl"
      >
        {({ close }) => <SettingsForm onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function SettingsForm({ onDone }: { onDone: () => void }) {
  const { design } = useDesign();
  const { check } = useCheckResult();
  const { data: parts } = useQuery(partsQuery);
  const queries = useQueryClient();
  const [part, setPart] = useState(design.part);
  const [top, setTop] = useState(design.top ?? "");
  const [recipe, setRecipe] = useState(design.recipe);
  const [seed, setSeed] = useState(String(design.seed));
  const id = useId();
  const isSeed = /^\d+$/.test(seed) && Number(seed) < 2 ** 31;
  const build = useUpdateTarget(onDone);
  const save = useMutation({
    mutationFn: async () => {
      if ((top || null) !== design.top) {
        const saved = await api.updateDesign(design.id, { top: top || null });
        updateDesign(queries, design.id, (old) => ({ ...old, top: saved.top }));
      }
      await build.mutateAsync({ part, recipe, seed: Number(seed) });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (isSeed) save.mutate();
  };
  const placed = check?.plan?.pins.filter(({ automatic }) => !automatic).length ?? 0;
  const what = recipes.find((each) => each.name === recipe)?.what;
  const modules = [...new Set([...(design.top ? [design.top] : []), ...(check?.modules ?? [])])];
  return (
    <form onSubmit={submit} className="flex flex-col gap-3">
      <label className="text-[13px] text-soft" htmlFor={`${id}part`}>
        Part
        <select
          id={`${id}part`}
          className={`${field} font-mono`}
          value={part}
          onChange={(event) => setPart(event.target.value)}
        >
          {(parts ?? [{ name: part }]).map((each) => (
            <option key={each.name}>{each.name}</option>
          ))}
        </select>
      </label>
      {part !== design.part && placed > 0 && (
        <p className="text-[13px]">
          {placed} {placed === 1 ? "pin is" : "pins are"} placed for {design.part}.{" "}
          <Link
            className="text-indigo underline"
            to={stationAddress(design.id, "pins", { move: part })}
            onClick={onDone}
          >
            See what carries over
          </Link>{" "}
          before it is changed.
        </p>
      )}
      <label className="text-[13px] text-soft" htmlFor={`${id}top`}>
        Top module
        <select
          id={`${id}top`}
          className={`${field} font-mono`}
          value={top}
          onChange={(event) => setTop(event.target.value)}
        >
          <option value="">automatic</option>
          {modules.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <label className="text-[13px] text-soft" htmlFor={`${id}recipe`}>
        Recipe
        <select id={`${id}recipe`} className={field} value={recipe} onChange={(event) => setRecipe(event.target.value)}>
          {recipes.map((each) => (
            <option key={each.name}>{each.name}</option>
          ))}
        </select>
        <span className="text-xs">{what}</span>
      </label>
      <label className="text-[13px] text-soft" htmlFor={`${id}seed`}>
        Seed of the random choices
        <input
          id={`${id}seed`}
          className={`${field} tabular`}
          inputMode="numeric"
          value={seed}
          onChange={(event) => setSeed(event.target.value)}
        />
        {!isSeed && <span className="text-xs text-bad">A whole number up to 2147483647.</span>}
      </label>
      {save.error && (
        <p className="text-[13px] text-bad" role="alert">
          {save.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>Cancel</Button>
        <Button look="main" type="submit" disabled={!isSeed || save.isPending}>
          Apply
        </Button>
      </div>
    </form>
  );
}
