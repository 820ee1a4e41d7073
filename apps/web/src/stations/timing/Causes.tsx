import { FileCode } from "lucide-react";
import { formatNs, formatPercent } from "../../ui/format.ts";
import { useActs } from "../../workbench/context.ts";
import type { CauseRow } from "./causes-view.ts";

/** What paths have in common: one line each, which leads to its paths and to its place in the source. */
export function Causes({
  rows,
  chosen,
  failing,
  onChoose,
}: {
  readonly rows: readonly CauseRow[];
  /** Place in the list; null: all paths are shown. */
  readonly chosen: number | null;
  /** Endpoints that fail, of which only the worst have their paths listed. */
  readonly failing: number;
  readonly onChoose: (index: number | null) => void;
}) {
  const { showPlace } = useActs();
  if (rows.length === 0) return null;
  const isMissed = rows[0].cause.worstSlackPs < 0;
  const seen = rows.reduce((sum, { cause }) => sum + cause.paths.length, 0);
  const part = failing > seen ? ` (the ${seen} worst of ${failing} endpoints)` : "";
  return (
    <section className="max-h-48 shrink-0 overflow-auto border-b border-line px-4 py-2" data-testid="causes">
      <table className="w-full table-fixed text-[13px]">
        <thead>
          <tr className="text-left text-soft">
            <th className="pb-1 font-semibold">
              {isMissed ? `What it is missed by${part}` : "What comes nearest to failing"}
            </th>
            <th className="w-14 pb-1 text-right font-semibold">Paths</th>
            <th className="w-16 pb-1 text-right font-semibold" title="LUTs one behind the other, the most on one path">
              Levels
            </th>
            <th className="w-20 pb-1 text-right font-semibold" title="Mean share of the data's way">
              Share %
            </th>
            <th className="w-20 pb-1 text-right font-semibold">Worst ns</th>
            <th className="w-20 pb-1 text-right font-semibold" title="Sum of the negative slacks">
              In all ns
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map(({ cause, what, name, place }, i) => (
            <tr
              key={`${cause.kind} ${cause.name}`}
              className={`border-t border-line/60 ${i === chosen ? "bg-indigo-wash" : "hover:bg-raised"}`}
            >
              <td className="flex items-center gap-1.5 py-1">
                <button
                  type="button"
                  aria-pressed={i === chosen}
                  className="min-w-0 truncate text-left"
                  onClick={() => onChoose(i === chosen ? null : i)}
                  title={`${what} ${name}`}
                >
                  {what} <span className="font-mono text-xs">{name}</span>
                </button>
                {place && (
                  <button
                    type="button"
                    className="shrink-0 rounded p-0.5 text-indigo hover:bg-cloth"
                    aria-label={`Show ${name} in the source`}
                    title="Show in the source"
                    onClick={() => showPlace(place)}
                  >
                    <FileCode className="size-3.5" />
                  </button>
                )}
              </td>
              <td className="tabular text-right">{cause.paths.length}</td>
              <td className="tabular text-right">{cause.levels || "–"}</td>
              <td className="tabular text-right">{formatPercent(100 * cause.share)}</td>
              <td className={`tabular text-right ${cause.worstSlackPs < 0 ? "font-semibold text-bad" : ""}`}>
                {formatNs(cause.worstSlackPs)}
              </td>
              <td className={`tabular text-right ${cause.totalNegativePs < 0 ? "text-bad" : "text-soft"}`}>
                {cause.totalNegativePs < 0 ? formatNs(cause.totalNegativePs) : "–"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
