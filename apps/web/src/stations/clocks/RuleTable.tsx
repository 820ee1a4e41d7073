import { Trash2 } from "lucide-react";
import { formatCount } from "../../ui/format.ts";
import { InlineFigure } from "./InlineFigure.tsx";
import type { RuleRow } from "./rule-rows.ts";

/** The lines of the timing files as a table: each can be switched off, changed and taken out where it stands. */
export function RuleTable({
  rows,
  severalFiles,
  focusId,
  onFocus,
  onSwitch,
  onValue,
  onRemove,
}: {
  rows: readonly RuleRow[];
  severalFiles: boolean;
  focusId: string | null;
  onFocus: (row: RuleRow) => void;
  onSwitch: (row: RuleRow) => void;
  onValue: (row: RuleRow, text: string) => void;
  onRemove: (row: RuleRow) => void;
}) {
  return (
    <table className="w-full table-fixed text-[13px]" data-testid="rule-table">
      <thead>
        <tr className="border-b border-line text-left text-soft">
          <th className="w-9 py-1 font-semibold">On</th>
          <th className="w-38 font-semibold">Command</th>
          <th className="w-18 pr-1 text-right font-semibold">Value</th>
          <th className="pl-3 font-semibold">Of what</th>
          <th className="w-11 text-right font-semibold" title="Ends of paths where the line decides">
            Ends
          </th>
          <th className={`${severalFiles ? "w-24" : "w-10"} text-right font-semibold`}>Line</th>
          <th className="w-8" aria-label="Take out" />
        </tr>
      </thead>
      <tbody>
        {rows.map((rule) => (
          <tr
            key={rule.id}
            className={`border-b border-line/60 ${rule.id === focusId ? "bg-indigo-wash" : ""} ${rule.isOff ? "text-soft" : ""}`}
            data-testid="rule-row"
          >
            <td className="py-1">
              <input
                type="checkbox"
                checked={!rule.isOff}
                disabled={!rule.canSwitch}
                aria-label={`${rule.command} in line ${rule.row.line}`}
                title={rule.canSwitch ? undefined : "It shares its line with another command"}
                onChange={() => onSwitch(rule)}
              />
            </td>
            <td className="truncate font-mono text-xs">{rule.command}</td>
            <td className="text-right">
              {rule.value && !rule.isOff ? (
                <InlineFigure
                  text={rule.value.text}
                  label={`Value of ${rule.command} in line ${rule.row.line}`}
                  onChange={(text) => onValue(rule, text)}
                />
              ) : (
                <span className="tabular pr-1">{rule.value?.text ?? ""}</span>
              )}
            </td>
            <td className="truncate pl-3">
              <button
                type="button"
                className="max-w-full truncate text-left font-mono text-xs hover:underline"
                title={rule.detail}
                onClick={() => onFocus(rule)}
              >
                {rule.detail}
              </button>
            </td>
            <td className={`tabular text-right ${rule.decides === 0 ? "font-semibold text-warn" : ""}`}>
              {rule.decides === null ? "" : formatCount(rule.decides)}
            </td>
            <td className="tabular truncate text-right text-xs text-soft" title={rule.file.path}>
              {severalFiles ? `${rule.file.path.replace(/\.sdc$/, "")}:` : ""}
              {rule.row.line}
            </td>
            <td className="text-right">
              <button
                type="button"
                className="rounded p-1 text-soft hover:bg-raised hover:text-ink"
                aria-label={`Take out ${rule.command} in line ${rule.row.line}`}
                title="Take the line out"
                onClick={() => onRemove(rule)}
              >
                <Trash2 className="size-3.5" />
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
