import type { ColumnDef } from "@tanstack/react-table";
import { Trash2 } from "lucide-react";
import { type ReactNode, useMemo, useRef } from "react";
import { DataTable } from "../../ui/DataTable.tsx";
import { formatCount } from "../../ui/format.ts";
import { InlineFigure } from "./InlineFigure.tsx";
import type { RuleRow } from "./rule-rows.ts";

interface Acts {
  onSwitch: (row: RuleRow) => void;
  onValue: (row: RuleRow, text: string) => void;
  onRemove: (row: RuleRow) => void;
}

/** The lines of the timing files as a table: each can be switched off, changed and taken out where it stands. */
export function RuleTable({
  rows,
  severalFiles,
  focusId,
  onFocus,
  ...acts
}: Acts & {
  rows: readonly RuleRow[];
  severalFiles: boolean;
  focusId: string | null;
  onFocus: (row: RuleRow) => void;
}) {
  const latest = useRef(acts);
  latest.current = acts;
  const columns = useMemo(() => columnsOf(severalFiles, latest), [severalFiles]);
  return (
    // a file of thousands of lines scrolls by itself, so that what stands below stays in reach
    <div
      className="-mx-5 border-y border-line"
      style={{ height: Math.min(72 + 28 * rows.length, 420) }}
      data-testid="rule-table"
    >
      <DataTable
        rows={rows}
        columns={columns}
        label="rules"
        rowId={(row) => row.id}
        selectedId={focusId}
        onSelect={onFocus}
      />
    </div>
  );
}

/** Part of a row that acts by itself: a click on it does not choose the row. */
function Own({ children }: { children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: it holds controls, and is none
    // biome-ignore lint/a11y/useKeyWithClickEvents: keys go to the controls in it
    <span onClick={(event) => event.stopPropagation()}>{children}</span>
  );
}

const columnsOf = (severalFiles: boolean, acts: { readonly current: Acts }): ColumnDef<RuleRow>[] => [
  {
    id: "on",
    header: "On",
    size: 48,
    accessorFn: ({ isOff }) => (isOff ? "off" : "on"),
    cell: ({ row: { original: rule } }) => (
      <Own>
        <input
          type="checkbox"
          checked={!rule.isOff}
          disabled={!rule.canSwitch}
          aria-label={`${rule.command} in line ${rule.row.line}`}
          title={rule.canSwitch ? undefined : "It shares its line with another command"}
          onChange={() => acts.current.onSwitch(rule)}
        />
      </Own>
    ),
  },
  { accessorKey: "command", header: "Command", size: 160, meta: { isMono: true } },
  {
    id: "value",
    header: "Value",
    size: 84,
    meta: { isNumber: true },
    accessorFn: ({ value }) => value?.text ?? "",
    cell: ({ row: { original: rule } }) =>
      rule.value && !rule.isOff ? (
        <Own>
          <InlineFigure
            text={rule.value.text}
            label={`Value of ${rule.command} in line ${rule.row.line}`}
            onChange={(text) => acts.current.onValue(rule, text)}
          />
        </Own>
      ) : (
        rule.value?.text
      ),
  },
  { accessorKey: "detail", header: "Of what", size: severalFiles ? 164 : 204, meta: { isMono: true } },
  {
    id: "ends",
    header: "Ends",
    size: 60,
    meta: { isNumber: true },
    accessorFn: ({ decides }) => decides ?? "",
    cell: ({ row: { original: rule } }) => (
      <span
        className={rule.decides === 0 ? "font-semibold text-warn" : ""}
        title="Ends of paths where the line decides"
      >
        {rule.decides === null ? "" : formatCount(rule.decides)}
      </span>
    ),
  },
  {
    id: "line",
    header: "Line",
    size: severalFiles ? 94 : 54,
    meta: { isNumber: true },
    accessorFn: ({ file, row }) => (severalFiles ? `${file.path.replace(/\.sdc$/, "")}:${row.line}` : row.line),
  },
  {
    id: "remove",
    header: "Delete",
    size: 70,
    cell: ({ row: { original: rule } }) => (
      <Own>
        <button
          type="button"
          className="rounded p-1 text-soft hover:bg-raised hover:text-ink"
          aria-label={`Delete ${rule.command} in line ${rule.row.line}`}
          title="Delete the line"
          onClick={() => acts.current.onRemove(rule)}
        >
          <Trash2 className="size-3.5" />
        </button>
      </Own>
    ),
  },
];
