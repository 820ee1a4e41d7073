import { findTime, parseCondition, type Waves } from "@gate-clock/core";
import {
  ArrowLeftToLine,
  ArrowRightToLine,
  Download,
  Flag,
  Group,
  Maximize,
  MoveHorizontal,
  Plus,
  Search,
  X,
  ZoomIn,
  ZoomOut,
} from "lucide-react";
import { type ComponentType, useState } from "react";
import type { Marker } from "../../sessions/wave-layout.ts";
import { Button } from "../../ui/Button.tsx";
import { InlineName } from "../../ui/InlineName.tsx";

interface Props {
  readonly waves: Waves;
  readonly shown: number;
  readonly cursor: number | null;
  readonly second: number | null;
  readonly markers: readonly Marker[];
  readonly isPicking: boolean;
  readonly canGroup: boolean;
  readonly timeText: (steps: number) => string;
  readonly onPick: () => void;
  readonly onZoom: (factor: number) => void;
  readonly onShowAll: () => void;
  readonly onShowBetween: () => void;
  readonly onStep: (forward: boolean) => void;
  readonly onGroup: () => void;
  readonly onSave: () => void;
  readonly onGoTo: (time: number) => void;
  readonly onMarkers: (markers: readonly Marker[]) => void;
  readonly onMark: () => void;
}

export function WaveToolbar(props: Props) {
  const { waves, cursor, second, timeText, markers, onMarkers, onGoTo } = props;
  const difference = cursor !== null && second !== null ? Math.abs(cursor - second) : null;
  return (
    <div className="shrink-0 border-b border-line text-xs">
      <div className="flex h-9 items-center gap-0.5 px-2">
        <Button look="quiet" className="h-7 px-2" onClick={props.onPick} aria-pressed={props.isPicking}>
          <Plus className="size-3.5" /> Signals
        </Button>
        <Tool icon={ZoomIn} label="Zoom in" keys="+" onClick={() => props.onZoom(0.5)} />
        <Tool icon={ZoomOut} label="Zoom out" keys="-" onClick={() => props.onZoom(2)} />
        <Tool icon={Maximize} label="Show all" keys="0" onClick={props.onShowAll} />
        <Tool
          icon={MoveHorizontal}
          label="Show what is between the cursors"
          keys="b"
          onClick={props.onShowBetween}
          disabled={!difference}
        />
        <Tool icon={ArrowLeftToLine} label="Previous change" keys="left arrow" onClick={() => props.onStep(false)} />
        <Tool icon={ArrowRightToLine} label="Next change" keys="right arrow" onClick={() => props.onStep(true)} />
        <Tool icon={Flag} label="Mark this time" keys="m" onClick={props.onMark} disabled={cursor === null} />
        <Tool
          icon={Group}
          label="Group the chosen signals"
          keys="g"
          onClick={props.onGroup}
          disabled={!props.canGroup}
        />
        <Tool
          icon={Download}
          label="Save the signals shown, over the time shown, as a value change dump"
          name="Save these waves"
          onClick={props.onSave}
        />
        <span className="tabular ml-2 min-w-0 truncate text-soft" data-testid="cursor-time">
          {cursor === null ? "Click sets the cursor, Shift+click a second one" : `▼ ${timeText(cursor)}`}
          {second !== null && `   ■ ${timeText(second)}`}
          {difference !== null &&
            difference > 0 &&
            `   apart ${timeText(difference)}, ${frequency(difference, waves.precision)}`}
        </span>
        <FindTime waves={waves} cursor={cursor} onGoTo={onGoTo} />
        <span className="tabular ml-2 shrink-0 text-soft">
          {props.shown} of {waves.tracks.length.toLocaleString("en")} signals · {waves.changes.toLocaleString("en")}{" "}
          changes
          {waves.stoppedAt !== null && ` · recorded up to ${timeText(waves.stoppedAt)}`}
        </span>
      </div>
      {markers.length > 0 && (
        <ul className="flex h-7 items-center gap-1.5 overflow-x-auto border-t border-line/60 px-2" aria-label="Markers">
          {markers.map((marker, i) => (
            <li key={marker.name} className="flex items-center rounded bg-indigo-wash" data-testid="marker">
              <InlineName
                value={marker.name}
                label="Name of the marker"
                className="py-0.5 pl-1.5 font-mono whitespace-nowrap"
                title="Go there; double click to rename"
                onClick={() => onGoTo(marker.time)}
                onName={(name) => onMarkers(markers.map((each, k) => (k === i ? { ...each, name } : each)))}
              >
                <span className="font-semibold">{marker.name}</span>{" "}
                <span className="text-soft">{timeText(marker.time)}</span>
              </InlineName>
              <button
                type="button"
                className="p-1 text-soft hover:text-bad"
                aria-label={`Remove marker ${marker.name}`}
                onClick={() => onMarkers(markers.filter((_, k) => k !== i))}
              >
                <X className="size-3" />
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function Tool({
  icon: Icon,
  label,
  name = label,
  keys,
  onClick,
  disabled = false,
}: {
  icon: ComponentType<{ className?: string }>;
  label: string;
  name?: string;
  keys?: string;
  onClick: () => void;
  disabled?: boolean;
}) {
  return (
    <Button
      look="quiet"
      className="h-7 px-1.5"
      onClick={onClick}
      disabled={disabled}
      aria-label={name}
      title={keys ? `${label} (${keys})` : label}
    >
      <Icon className="size-4" />
    </Button>
  );
}

function FindTime({ waves, cursor, onGoTo }: { waves: Waves; cursor: number | null; onGoTo: (time: number) => void }) {
  const [words, setWords] = useState("");
  const [told, setTold] = useState<string | null>(null);
  const find = (forward: boolean) => {
    const condition = parseCondition(words, waves);
    if (typeof condition === "string") {
      setTold(condition);
      return;
    }
    const time = findTime(condition, cursor ?? (forward ? -1 : waves.end + 1), forward);
    setTold(time === null ? `No ${forward ? "later" : "earlier"} time` : null);
    if (time !== null) onGoTo(time);
  };
  return (
    <form
      className="ml-auto flex items-center gap-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        find(true);
      }}
    >
      {told && (
        <span className="max-w-56 truncate text-bad" role="status" title={told}>
          {told}
        </span>
      )}
      <Search className="size-3.5 shrink-0 text-soft" aria-hidden />
      <input
        aria-label="Find a time"
        aria-invalid={told !== null}
        placeholder="count = 7 and clk rises"
        title="name = value, <, >, !=; name rises, falls, changes; joined by and. Enter: next, Shift+Enter: previous"
        className="h-6 w-44 rounded border border-line bg-panel px-1.5 font-mono"
        value={words}
        onChange={(event) => {
          setWords(event.target.value);
          setTold(null);
        }}
        onKeyDown={(event) => {
          if (event.key !== "Enter" || !event.shiftKey) return;
          event.preventDefault();
          find(false);
        }}
        data-testid="find-time"
      />
    </form>
  );
}

function frequency(steps: number, precision: number): string {
  const hertz = 1 / (steps * 10 ** precision);
  for (const [scale, name] of [
    [1e9, "GHz"],
    [1e6, "MHz"],
    [1e3, "kHz"],
  ] as const)
    if (hertz >= scale) return `${Number((hertz / scale).toPrecision(5))} ${name}`;
  return `${Number(hertz.toPrecision(5))} Hz`;
}
