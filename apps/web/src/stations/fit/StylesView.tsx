import type { StyleFigures } from "@gate-clock/core";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { formatMhz } from "../../ui/format.ts";
import { useLater } from "../../ui/use-later.ts";
import { useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";
import { useFitter } from "../../workbench/use-fitter.ts";
import { identityOf } from "../../workers/engine.ts";

const rows: [string, (figures: StyleFigures) => number | null, boolean][] = [
  ["LUTs", (f) => f.luts, true],
  ["Registers", (f) => f.registers, true],
  ["Carry links", (f) => f.carry, true],
  ["Memories", (f) => f.memories, true],
  ["Multipliers", (f) => f.multipliers, true],
  ["Levels of logic", (f) => f.levels, true],
  ["fmax MHz, estimated", (f) => f.fmaxMhz, false],
];

/** Two modules side by side, each mapped by itself for this part: which way of writing a circuit is better? */
export function StylesView() {
  const { check } = useCheckResult();
  const { design } = useDesign();
  const { sources } = useTexts();
  const [params, setParams] = useSearchParams();
  const modules = check?.modules ?? [];
  const left = params.get("left") ?? modules[0] ?? "";
  const right = params.get("right") ?? modules[1] ?? modules[0] ?? "";
  const tops = useMemo(() => [left, right], [left, right]);
  const asked = useLater(
    useMemo(() => ({ sources, tops }), [sources, tops]),
    250,
  );
  const { result, progress, problem } = useFitter<StyleFigures[]>(
    ["styles", identityOf(asked.sources), asked.tops, design.part],
    (fitter) => fitter.styles(asked.sources, asked.tops, design.part),
    asked.tops[0] !== "",
  );
  const isRunning = progress !== null;
  const set = (side: string, value: string) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      next.set(side, value);
      return next;
    });
  if (modules.length === 0)
    return <p className="p-6 text-soft">There is no module to compare while the sources have errors.</p>;
  const [a, b] = result ?? [];
  const choice = (side: "left" | "right", value: string) => (
    <select
      aria-label={`Module on the ${side}`}
      className="h-8 w-full rounded-md border border-line bg-cloth px-2 font-mono text-xs"
      value={value}
      onChange={(event) => set(side, event.target.value)}
    >
      {modules.map((name) => (
        <option key={name}>{name}</option>
      ))}
    </select>
  );
  return (
    <div className="h-full overflow-auto bg-panel p-5">
      <p className="mb-3 max-w-2xl text-[13px] text-soft">
        Each module is mapped by itself for {design.part}, from the text as it stands in the editor. Write a circuit in
        two ways, as two modules, and see what each costs.
      </p>
      <table className="w-full max-w-3xl text-[13px]" data-testid="styles">
        <thead>
          <tr className="border-b border-line">
            <th className="w-1/4" />
            <th className="px-2 py-2">{choice("left", left)}</th>
            <th className="px-2 py-2">{choice("right", right)}</th>
            <th className="w-24 px-2 text-right font-semibold text-soft">Difference</th>
          </tr>
        </thead>
        <tbody className={isRunning ? "opacity-60" : ""}>
          {rows.map(([name, get, isCount]) => {
            const x = a && !a.problem ? get(a) : null;
            const y = b && !b.problem ? get(b) : null;
            const text = (value: number | null) => (value === null ? "–" : isCount ? value : formatMhz(value));
            const gap = x !== null && y !== null ? y - x : null;
            return (
              <tr key={name} className="border-b border-line/60">
                <td className="py-1.5 text-soft">{name}</td>
                <td className="tabular px-2 text-right">{text(x)}</td>
                <td className="tabular px-2 text-right">{text(y)}</td>
                <td className="tabular px-2 text-right font-semibold">
                  {gap === null
                    ? ""
                    : gap === 0
                      ? "0"
                      : `${gap > 0 ? "+" : "−"}${isCount ? Math.abs(gap) : Math.abs(gap).toFixed(1)}`}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {[a, b].map(
        (figures, i) =>
          figures?.problem && (
            <p key={i === 0 ? "left" : "right"} className="mt-3 text-[13px] text-bad">
              {figures.top}: {figures.problem}
            </p>
          ),
      )}
      {problem && <p className="mt-3 text-[13px] text-bad">{problem}</p>}
    </div>
  );
}
