import { type FoundClock, withOption, withoutRow, withRowSwitched, withValue } from "@gate-clock/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useSearchParams } from "react-router";
import { api } from "../../app/api.ts";
import { artifactQuery, designKey } from "../../app/queries.ts";
import { useFocus } from "../../focus/focus.ts";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatMhz } from "../../ui/format.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { CheckVerdict } from "../../workbench/CheckVerdict.tsx";
import { useActs, useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";
import { Findings } from "../../workbench/Findings.tsx";
import { RuleFileEditor } from "../../workbench/RuleFileEditor.tsx";
import { RuleFileTabs } from "../../workbench/RuleFileTabs.tsx";
import { ClockBlockForm } from "./ClockBlockForm.tsx";
import { ClockFigures } from "./ClockFigures.tsx";
import { ClockMatrix } from "./ClockMatrix.tsx";
import { ClockTable } from "./ClockTable.tsx";
import { EstimateSection } from "./EstimateSection.tsx";
import { RuleTable } from "./RuleTable.tsx";
import { type RuleRow, rowAt, ruleRows } from "./rule-rows.ts";
import { useEstimate } from "./use-estimate.ts";
import { useTimingNames } from "./use-timing-names.ts";

export function ClocksStation() {
  const { design, trial } = useDesign();
  const { check, isTimingCurrent } = useCheckResult();
  const { drafts } = useTexts();
  const estimate = useEstimate(!isTimingCurrent);
  const [focus, setFocus] = useFocus();
  const [params, setParams] = useSearchParams();
  const { data: timing } = useQuery(artifactQuery(trial, "timing"));
  const files = useMemo(() => design.files.filter((each) => each.kind === "timing"), [design.files]);
  const wanted = focus?.kind === "line" ? focus.file : params.get("file");
  const file = files.find(({ path }) => path === wanted) ?? files[0];
  const { texts } = drafts;
  const rows = useMemo(
    () =>
      ruleRows(
        files.filter(({ inUse }) => inUse),
        ({ id, text }) => texts.get(id) ?? text,
        check,
      ),
    [files, texts, check],
  );
  const names = useTimingNames(check, file?.path, file ? drafts.text(file) : "");
  const findings = check?.timingFindings ?? [];
  const change = (rule: RuleRow, label: string, text: string) =>
    drafts.act(`${label} ${rule.command}, line ${rule.row.line}`, [{ fileId: rule.file.id, text }]);
  const setValue = (rule: RuleRow, text: string) => {
    const old = drafts.text(rule.file);
    const at = rule.value?.at;
    if (!at) return;
    change(
      rule,
      "change",
      "option" in at ? withOption(old, rule.row, at.option, text) : withValue(old, rule.row, at.index, text),
    );
  };
  const periodOf = (clock: FoundClock): ((ns: string) => void) | null => {
    const origin = check?.timing.clocks.find(({ name }) => name === clock.name)?.origin;
    const rule = origin && rowAt(rows, origin.place.file, origin.place.line);
    return rule?.command === "create_clock" ? (ns) => setValue(rule, ns) : null;
  };
  const focusId =
    focus?.kind === "line"
      ? (rows.find(
          (rule) => rule.file.path === focus.file && rule.row.line <= focus.line && focus.line <= rule.row.endLine,
        )?.id ?? null)
      : null;
  return (
    <div className="flex h-full flex-col">
      <ClocksVerdict />
      <Group orientation="horizontal" className="min-h-0 flex-1">
        <Panel defaultSize="60%" minSize="360px" className="flex flex-col border-r border-line bg-panel">
          <div className="min-h-0 flex-1 overflow-auto px-5 py-4">
            {check && check.foundClocks.length > 0 && (
              <Section title="Clocks of the circuit">
                <ClockTable check={check} onPeriod={periodOf} />
              </Section>
            )}
            {check?.coverage?.pairs.some(({ state }) => state !== "same") && (
              <Section title="From clock to clock">
                <ClockMatrix
                  pairs={check.coverage.pairs}
                  slacks={timing && isTimingCurrent ? timing.pairs : estimate.timing?.pairs}
                  isEstimate={!isTimingCurrent}
                />
              </Section>
            )}
            {rows.length > 0 && (
              <Section title="Rules">
                <RuleTable
                  rows={rows}
                  severalFiles={files.length > 1}
                  focusId={focusId}
                  onFocus={(rule) => setFocus({ kind: "line", file: rule.file.path, line: rule.row.line })}
                  onSwitch={(rule) =>
                    change(
                      rule,
                      rule.isOff ? "switch on" : "switch off",
                      withRowSwitched(drafts.text(rule.file), rule.row),
                    )
                  }
                  onValue={setValue}
                  onRemove={(rule) => change(rule, "delete", withoutRow(drafts.text(rule.file), rule.row))}
                />
              </Section>
            )}
            <ClockBlockForm />
            {!isTimingCurrent && <EstimateSection estimate={estimate} />}
            {trial && timing && <ClockFigures title={`In trial ${trial.number}`} timing={timing} />}
          </div>
        </Panel>
        <Separator className="w-1 bg-transparent hover:bg-indigo" />
        <Panel minSize="260px" className="flex flex-col">
          <RuleFileTabs
            kind="timing"
            files={files}
            open={file}
            onOpen={(path) => {
              setFocus(null);
              setParams((old) => {
                const next = new URLSearchParams(old);
                next.set("file", path);
                next.delete("focus");
                return next;
              });
            }}
          />
          {!file && check?.starter && <StarterOffer text={check.starter} />}
          <RuleFileEditor
            file={file}
            language="sdc"
            findings={findings}
            kind="timing"
            example="clocks.sdc"
            names={names}
          />
          {findings.length > 0 && (
            <div className="max-h-[42%] shrink-0 overflow-auto border-t border-line bg-panel">
              <Findings findings={findings} />
            </div>
          )}
        </Panel>
      </Group>
    </div>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mb-6">
      <h2 className="mb-2 font-semibold">{title}</h2>
      {children}
    </section>
  );
}

/** Where there is no timing file at all: the usual lines, to be seen and to begin with. */
function StarterOffer({ text }: { text: string }) {
  const { design } = useDesign();
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: () => api.addFile(design.id, design.targetId, { path: "clocks.sdc", kind: "timing", text }),
    onSuccess: () => queries.invalidateQueries({ queryKey: designKey(design.id) }),
  });
  return (
    <section className="border-b border-line bg-panel px-4 py-3 text-[13px]" data-testid="starter">
      <div className="flex items-center gap-3">
        <h2 className="min-w-0 flex-1 font-semibold">The lines that a design of this kind needs</h2>
        <Button disabled={begin.isPending} onClick={() => begin.mutate()}>
          Begin clocks.sdc with them
        </Button>
      </div>
      {begin.error && <p className="text-bad">{begin.error.message}</p>}
      <pre className="mt-2 max-h-72 overflow-auto font-mono text-xs whitespace-pre-wrap">{text}</pre>
    </section>
  );
}

/** What the rules cover, in one sentence and one figure. */
function ClocksVerdict() {
  const { check } = useCheckResult();
  const { repair } = useActs();
  return (
    <CheckVerdict waiting="Reading the timing rules…">
      {check && <Covered check={check} repair={repair} />}
    </CheckVerdict>
  );
}

function Covered({
  check,
  repair,
}: {
  check: NonNullable<ReturnType<typeof useCheckResult>["check"]>;
  repair: ReturnType<typeof useActs>["repair"];
}) {
  const { timingFindings, coverage, foundClocks } = check;
  const errors = timingFindings.filter((finding) => finding.severity === "error");
  if (errors.length)
    return (
      <Verdict tone="bad" figure={String(errors.length)} unit={errors.length === 1 ? "error" : "errors"}>
        {errors[0].message} {errors[0].remedy}
      </Verdict>
    );
  if (!coverage)
    return <Verdict tone="open">Rules can be held against the circuit once the sources have no errors.</Verdict>;
  const { clockPins, inputs, outputs, ends, pairs } = coverage;
  if (clockPins.total === 0)
    return (
      <Verdict tone="plain">The design has no clocked registers, so there is nothing to time between them.</Verdict>
    );
  const open = foundClocks.filter(({ isDeclared }) => !isDeclared);
  const figure = `${formatCount(clockPins.clocked)} of ${formatCount(clockPins.total)}`;
  if (open.length) {
    const finding = ["sdc/no-rules", "sdc/no-clock"]
      .map((wanted) => timingFindings.find(({ code, edit }) => code === wanted && edit))
      .find((found) => found !== undefined);
    return (
      <Verdict
        tone="warn"
        figure={figure}
        unit="clock pins covered"
        aside={finding?.edit && <Button onClick={() => repair(finding)}>{finding.edit.label}</Button>}
      >
        No rule says how fast {open.map(({ name }) => name).join(", ")}{" "}
        {open.length === 1 ? "runs, so its" : "run, so their"} paths cannot be judged.
      </Verdict>
    );
  }
  const undecided = pairs.filter(({ state }) => state === "undecided").length;
  const left = [
    undecided > 0 && `${undecided} ${undecided === 1 ? "crossing is" : "crossings are"} undecided`,
    inputs.open.length > 0 &&
      `${formatCount(inputs.open.length)} ${inputs.open.length === 1 ? "input has" : "inputs have"} no delay`,
    outputs.open.length > 0 &&
      `${formatCount(outputs.open.length)} ${outputs.open.length === 1 ? "output has" : "outputs have"} no delay`,
    ends.open > 0 && `${formatCount(ends.open)} ends of paths have no rule`,
  ].filter((each) => each !== false);
  const periods = check.clocks.filter(({ port }) => port !== "").map(({ periodPs }) => periodPs);
  return (
    <Verdict tone={undecided ? "warn" : "good"} figure={figure} unit="clock pins covered">
      {periods.length > 0 && `The fastest clock asks for ${formatMhz(1e6 / Math.min(...periods))} MHz. `}
      {left.length ? `${left.join(", ")}.` : "Every path has a goal, or a rule that leaves it out."}
    </Verdict>
  );
}
