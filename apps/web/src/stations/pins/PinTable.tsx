import { useDraggable } from "@dnd-kit/core";
import { legalValues, PinChoices, type PinOptionName, type PlacedPort } from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { GripVertical } from "lucide-react";
import { useId, useMemo, useRef, useState } from "react";
import { builtText, type PinRow, type PinState, standardsFor } from "../../pins/pin-state.ts";
import { DataTable } from "../../ui/DataTable.tsx";

interface Acts {
  /** @param text Name of a pin, "inside", or nothing: to be placed by itself. */
  readonly onPin: (row: PinRow, text: string) => void;
  readonly onOption: (row: PinRow, name: PinOptionName | "standard", value: string) => void;
}

/** Every port bit with what its line says, to be changed where it stands. Only what is legal there is offered. */
export function PinTable({
  state,
  built,
  focusId,
  onFocus,
  ...acts
}: Acts & {
  state: PinState;
  /** Where each port bit is in the trial that is looked at; null without one. */
  built: ReadonlyMap<string, { readonly pin: string; readonly standard: string }> | null;
  focusId: string | null;
  onFocus: (row: PinRow) => void;
}) {
  const latest = useRef({ state, ...acts });
  latest.current = { state, ...acts };
  const columns = useMemo(() => columnsOf(latest, built), [built]);
  return (
    <DataTable
      rows={state.rows}
      columns={columns}
      label="pins"
      rowId={(row) => row.id}
      selectedId={focusId}
      onSelect={onFocus}
    />
  );
}

type Latest = { readonly current: Acts & { readonly state: PinState } };

const columnsOf = (latest: Latest, built: Parameters<typeof builtText>[1]): ColumnDef<PinRow>[] => [
  {
    accessorKey: "id",
    header: "Port",
    size: 138,
    meta: { isMono: true },
    cell: ({ row: { original } }) => <PortCell row={original} />,
  },
  { accessorKey: "direction", header: "Way", size: 64 },
  {
    accessorKey: "pin",
    header: "Pin",
    size: 88,
    meta: { isMono: true },
    cell: ({ row: { original } }) => (
      <PinCell row={original} latest={latest} key={`${original.id} ${original.pin} ${original.how}`} />
    ),
  },
  { accessorKey: "bank", header: "Bank", size: 56, meta: { isNumber: true } },
  {
    accessorKey: "standard",
    header: "Standard",
    size: 108,
    meta: { isMono: true },
    cell: ({ row: { original } }) => (
      <ChoiceCell
        row={original}
        text={original.standard}
        label="Standard"
        values={(placed) => standardsFor(placed, latest.current.state)}
        onChange={(value) => latest.current.onOption(original, "standard", value)}
      />
    ),
  },
  ...(["drive", "slew", "pull"] as const).map(
    (name): ColumnDef<PinRow> => ({
      accessorKey: name,
      header: { drive: "Drive, mA", slew: "Slew", pull: "Pull" }[name],
      size: { drive: 88, slew: 66, pull: 66 }[name],
      cell: ({ row: { original } }) => (
        <ChoiceCell
          row={original}
          text={original[name]}
          label={{ drive: "Drive", slew: "Slew", pull: "Pull" }[name]}
          values={(placed) => legalValues(name, placed)}
          onChange={(value) => latest.current.onOption(original, name, value)}
        />
      ),
    }),
  ),
  { accessorKey: "more", header: "More", size: 150 },
  { accessorKey: "how", header: "Placed by", size: 90 },
  {
    id: "built",
    header: "Built",
    size: 120,
    accessorFn: (row) => builtText(row, built),
    cell: ({ getValue }) => {
      const text = String(getValue());
      return <span className={text === "as asked" ? "text-soft" : "font-semibold text-warn"}>{text}</span>;
    },
  },
];

/** The name, and what it is dragged by. */
function PortCell({ row }: { row: PinRow }) {
  const bits = row.needs.map(({ bitName }) => bitName);
  const { setNodeRef, listeners, attributes } = useDraggable({ id: `row ${row.id}`, data: { bits } });
  return (
    <span ref={setNodeRef} className="flex items-center" data-drag={row.id} {...listeners}>
      <button
        type="button"
        className="-ml-2 cursor-grab touch-none p-0.5 text-soft hover:text-ink"
        {...attributes}
        tabIndex={-1}
        aria-label={`Drag ${row.id}`}
      >
        <GripVertical className="size-3" />
      </button>
      <span className={`truncate ${row.isVector ? "font-semibold" : row.id.endsWith("]") ? "pl-3" : ""}`}>
        {row.id}
      </span>
    </span>
  );
}

/** A pin is typed, or chosen of those that are free for the port. */
function PinCell({ row, latest }: { row: PinRow; latest: Latest }) {
  const [typed, setTyped] = useState<string | null>(null);
  const list = useId();
  /** @param mayClear An empty field takes the line away: on Enter only, not on leaving. */
  const take = (mayClear: boolean) => {
    const text = typed?.trim() ?? row.pin;
    if (text !== row.pin && (text !== "" || (mayClear && row.how === "line"))) latest.current.onPin(row, text);
    setTyped(null);
  };
  const isOpen = typed !== null;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: it holds a control, and is none
    // biome-ignore lint/a11y/useKeyWithClickEvents: keys go to the control in it
    <span onClick={(event) => event.stopPropagation()}>
      <input
        className={`-ml-1.5 w-17 rounded border border-transparent bg-transparent px-1 font-mono text-xs hover:border-line focus:border-indigo focus:bg-raised ${row.how === "automatic" ? "text-soft italic" : ""}`}
        value={typed ?? row.pin}
        aria-label={`Pin of ${row.id}`}
        title={row.how === "automatic" ? "By itself: no line places it" : undefined}
        spellCheck={false}
        list={isOpen ? list : undefined}
        onFocus={(event) => {
          setTyped(row.how === "line" && !row.isVector ? row.pin : "");
          event.currentTarget.select();
        }}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => take(false)}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            take(true);
            event.currentTarget.blur();
          }
          if (event.key === "Escape") setTyped(null);
        }}
      />
      {isOpen && (
        <datalist id={list}>
          {pinsFor(row, latest.current.state).map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
    </span>
  );
}

function pinsFor({ needs, placed, isVector }: PinRow, { resolved, part }: PinState): string[] {
  const moving = new Set(needs.map(({ bitName }) => bitName));
  const choices = new PinChoices(resolved.lines, part, resolved.ties, moving);
  const standard = placed && !isVector ? placed.standard : null;
  return part.pins.flatMap((pin) => (choices.moveHindrance(pin, needs[0], standard) === null ? [pin.name] : []));
}

/** One of the values that all bits of the row may have. */
function ChoiceCell({
  row,
  text,
  label,
  values,
  onChange,
}: {
  row: PinRow;
  text: string;
  label: string;
  values: (placed: PlacedPort) => readonly string[];
  onChange: (value: string) => void;
}) {
  const [isOpen, setOpen] = useState(false);
  if (!row.placed || text === "–") return <span className="text-soft">{text}</span>;
  const known = isOpen ? values(row.placed) : [];
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: it holds a control, and is none
    // biome-ignore lint/a11y/useKeyWithClickEvents: keys go to the control in it
    <span onClick={(event) => event.stopPropagation()}>
      <select
        className="-ml-1.5 w-full appearance-none rounded border border-transparent bg-transparent px-1 text-xs hover:border-line focus:border-indigo"
        value={text}
        aria-label={`${label} of ${row.id}`}
        onPointerDown={() => setOpen(true)}
        onFocus={() => setOpen(true)}
        onChange={(event) => onChange(event.target.value)}
      >
        {!known.includes(text) && <option value={text}>{text}</option>}
        {known.map((value) => (
          <option key={value} value={value}>
            {value}
          </option>
        ))}
      </select>
    </span>
  );
}
