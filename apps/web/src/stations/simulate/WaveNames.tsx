import { changeAt, type Place, valueText, type WaveRadix, type WaveTrack } from "@gate-clock/core";
import { ChevronDown, ChevronRight, GripVertical, Ungroup } from "lucide-react";
import { type DragEvent, type ReactNode, useState } from "react";
import type { Drawing, DropPlace } from "../../sessions/wave-layout.ts";
import { type GroupRow, rowAt, type SignalRow, traceOf, type WaveRow } from "../../sessions/wave-rows.ts";
import { InlineName } from "../../ui/InlineName.tsx";
import { RowMenu } from "./RowMenu.tsx";

interface NamesProps {
  readonly rows: readonly WaveRow[];
  readonly tops: Float64Array;
  readonly scroll: number;
  readonly height: number;
  readonly cursor: number | null;
  readonly chosen: ReadonlySet<string>;
  readonly onChoose: (key: string, how: "one" | "also" | "range") => void;
  readonly onMove: (keys: readonly string[], to: DropPlace) => void;
  readonly onRemove: (key: string) => void;
  readonly onExpand: (key: string) => void;
  readonly onFold: (group: string) => void;
  readonly onRenameGroup: (old: string, name: string) => void;
  readonly onDissolve: (group: string) => void;
  readonly onRadix: (key: string, radix: WaveRadix) => void;
  readonly onDrawing: (key: string, drawing: Drawing) => void;
  readonly placeOf: (track: WaveTrack) => Place | null;
  readonly onPlace: (place: Place) => void;
}

/** Names and values beside the traces. Only what is in sight is drawn. */
export function WaveNames(props: NamesProps) {
  const { rows, tops, scroll, height, chosen, onMove } = props;
  const [dragged, setDragged] = useState<string | null>(null);
  const drop = (event: DragEvent, to: DropPlace) => {
    event.preventDefault();
    if (dragged) onMove(chosen.has(dragged) ? [...chosen] : [dragged], to);
    setDragged(null);
  };
  const shown: ReactNode[] = [];
  for (let i = rowAt(tops, scroll); i < rows.length && tops[i] < scroll + height; i++) {
    const row = rows[i];
    const style = { height: row.height, transform: `translateY(${tops[i] - scroll}px)` };
    const dragging = {
      onDragStart: () => setDragged(row.key),
      onDragOver: (event: DragEvent) => event.preventDefault(),
    };
    shown.push(
      row.kind === "group" ? (
        <li
          key={row.key}
          className="absolute inset-x-0 flex items-center gap-1 bg-indigo-wash px-1 text-xs font-semibold"
          style={style}
          onDragOver={dragging.onDragOver}
          onDrop={(event) => drop(event, { group: row.name })}
          data-testid="wave-group"
        >
          <GroupHead row={row} {...props} />
        </li>
      ) : (
        <li
          key={row.key}
          draggable={row.bit === null}
          {...dragging}
          onDrop={(event) => drop(event, { row: row.key.split("#")[0] })}
          className={`absolute inset-x-0 flex items-center gap-1 border-b border-line/50 pr-1 text-xs ${chosen.has(row.key) ? "bg-indigo-wash" : ""}`}
          style={{ ...style, paddingLeft: (row.group === null ? 0 : 10) + (row.bit === null ? 0 : 44) }}
          data-testid="wave-row"
        >
          <SignalHead row={row} {...props} />
        </li>
      ),
    );
  }
  return <ul className="relative h-full overflow-hidden">{shown}</ul>;
}

function GroupHead({ row, onFold, onRenameGroup, onDissolve }: NamesProps & { row: GroupRow }) {
  const Chevron = row.isOpen ? ChevronDown : ChevronRight;
  return (
    <>
      <button
        type="button"
        className="p-0.5 text-soft hover:text-ink"
        onClick={() => onFold(row.name)}
        aria-expanded={row.isOpen}
        aria-label={`${row.isOpen ? "Fold" : "Unfold"} ${row.name}`}
      >
        <Chevron className="size-3.5" />
      </button>
      <InlineName
        value={row.name}
        label="Name of the group"
        className="min-w-0 flex-1 truncate text-left"
        title="Double click to rename"
        onName={(name) => onRenameGroup(row.name, name)}
      >
        {row.name} <span className="font-normal text-soft">{row.count}</span>
      </InlineName>
      <button
        type="button"
        className="p-0.5 text-soft hover:text-ink"
        onClick={() => onDissolve(row.name)}
        aria-label={`Ungroup ${row.name}`}
        title="Ungroup"
      >
        <Ungroup className="size-3.5" />
      </button>
    </>
  );
}

function SignalHead(props: NamesProps & { row: SignalRow }) {
  const { row, cursor, chosen, onChoose, onExpand, onRadix, onDrawing, onRemove, placeOf, onPlace } = props;
  const { key, track, radix } = row;
  const trace = traceOf(row);
  const place = placeOf(track);
  const isVector = track.kind === "bits" && track.width > 1 && row.bit === null;
  const Chevron = row.isExpanded ? ChevronDown : ChevronRight;
  return (
    <>
      {row.bit === null && <GripVertical className="size-3 shrink-0 cursor-grab text-soft/60" aria-hidden />}
      {isVector ? (
        <button
          type="button"
          className="-ml-1 text-soft hover:text-ink"
          onClick={() => onExpand(key)}
          aria-expanded={row.isExpanded}
          aria-label={`Bits of ${track.name}`}
        >
          <Chevron className="size-3.5" />
        </button>
      ) : (
        row.bit === null && <span className="w-2.5" />
      )}
      <button
        type="button"
        className="min-w-0 flex-1 truncate text-left font-mono"
        title={`${key.split("#")[0]}${track.range ? ` [${track.range[0]}:${track.range[1]}]` : ""}`}
        onClick={(event) => onChoose(key, event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "also" : "one")}
        aria-pressed={chosen.has(key)}
      >
        {row.bit === null && track.path.length > 1 && (
          <span className="text-soft">{track.path.slice(1).join(".")}.</span>
        )}
        {trace.name}
      </button>
      <span className="tabular max-w-24 truncate font-mono text-soft" data-testid="wave-value">
        {cursor === null ? "" : valueText(trace, changeAt(trace, cursor), radix)}
      </span>
      {row.bit === null && (
        <RowMenu
          row={row}
          onRadix={(next) => onRadix(key, next)}
          onDrawing={(next) => onDrawing(key, next)}
          onExpand={() => onExpand(key)}
          onSource={place ? () => onPlace(place) : null}
          onRemove={() => onRemove(key)}
        />
      )}
    </>
  );
}
