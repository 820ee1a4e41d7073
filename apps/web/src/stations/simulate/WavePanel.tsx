import {
  changeAt,
  type Place,
  showTime,
  valueText,
  type WaveRadix,
  type Waves,
  type WaveTrack,
  writeVcd,
} from "@gate-clock/core";
import {
  ArrowLeftToLine,
  ArrowRightToLine,
  Download,
  FileCode2,
  GripVertical,
  Maximize,
  Plus,
  Search,
  X,
  ZoomIn,
  ZoomOut,
} from "lucide-react";
import { type DragEvent, type KeyboardEvent, useCallback, useMemo, useRef, useState } from "react";
import { Button } from "../../ui/Button.tsx";
import { rowHeight, rulerHeight, type WaveRow } from "./draw-waves.ts";
import type { WaveLayout } from "./simulate-session.ts";
import { WaveCanvas } from "./WaveCanvas.tsx";

const radixNames: Readonly<Record<WaveRadix, string>> = {
  hex: "hex",
  binary: "bin",
  unsigned: "unsigned",
  signed: "signed",
  ascii: "text",
  names: "names",
};
export const trackKey = (track: WaveTrack) => [...track.path, track.name].join(".");

interface Props {
  readonly waves: Waves;
  readonly layout: WaveLayout | undefined;
  readonly onLayout: (change: Partial<WaveLayout>) => void;
  readonly placeOf: (track: WaveTrack) => Place | null;
  readonly onPlace: (place: Place) => void;
}

/** Signals to choose from, the chosen ones as rows with names, values at the cursor and traces. */
export function WavePanel({ waves, layout, onLayout, placeOf, onPlace }: Props) {
  const byKey = useMemo(() => new Map(waves.tracks.map((track) => [trackKey(track), track])), [waves]);
  const start = useMemo(
    () =>
      waves.tracks
        .filter((track) => track.path.length === 1)
        .slice(0, 40)
        .map(trackKey),
    [waves],
  );
  const [picking, setPicking] = useState(false);
  const [chosen, setChosen] = useState<string | null>(null);
  const [scroll, setScroll] = useState(0);
  const [dragged, setDragged] = useState<string | null>(null);
  const names = layout?.rows.length ? layout.rows : start;
  const radix = layout?.radix ?? {};
  const rows = useMemo(
    () =>
      names.flatMap((key): WaveRow[] => {
        const track = byKey.get(key);
        return track
          ? [{ key, track, radix: radix[key] ?? (track.names ? "names" : track.signed ? "signed" : "hex") }]
          : [];
      }),
    [names, byKey, radix],
  );
  const { end, precision } = waves;
  const view = useMemo(
    (): readonly [number, number] => layout?.view ?? [0, Math.max(1, end) * 1.01],
    [layout?.view, end],
  );
  const cursor = layout?.cursor ?? null;
  const second = layout?.second ?? null;
  const timeText = useCallback((steps: number) => showTime(Math.max(0, Math.round(steps)), precision), [precision]);
  const body = useRef<HTMLDivElement>(null);

  const setView = ([from, to]: readonly [number, number]) => {
    const most = Math.max(1, end) * 1.02;
    const span = Math.min(Math.max(to - from, 10), most);
    const left = Math.max(-span * 0.02, Math.min(from, most - span));
    onLayout({ view: [left, left + span] });
  };
  const zoom = (factor: number) => {
    const middle = cursor !== null && cursor >= view[0] && cursor <= view[1] ? cursor : (view[0] + view[1]) / 2;
    setView([middle - (middle - view[0]) * factor, middle + (view[1] - middle) * factor]);
  };
  const scrollBy = (by: number) => {
    const room = Math.max(0, rows.length * rowHeight - (body.current?.clientHeight ?? 0) + rulerHeight + 8);
    setScroll((old) => Math.max(0, Math.min(room, old + by)));
  };
  /** Cursor to the next or previous change of the chosen row, or of any row. */
  const step = (forward: boolean) => {
    const from = cursor ?? (forward ? -1 : end);
    const tracks = chosen && byKey.get(chosen) ? [byKey.get(chosen)!] : rows.map((row) => row.track);
    let best: number | null = null;
    for (const track of tracks) {
      const at = forward ? changeAt(track, from) + 1 : changeAt(track, from - 0.5);
      const time = track.times[at];
      if (time === undefined || (forward ? time <= from : time >= from)) continue;
      if (best === null || (forward ? time < best : time > best)) best = time;
    }
    if (best === null) return;
    const span = view[1] - view[0];
    const seen = best >= view[0] && best <= view[1];
    onLayout({ cursor: best, ...(seen ? {} : { view: [best - span / 2, best + span / 2] as const }) });
  };
  const setRows = (list: readonly string[]) => onLayout({ rows: list });
  const onDrop = (event: DragEvent, before: string) => {
    event.preventDefault();
    if (!dragged || dragged === before) return;
    const rest = names.filter((key) => key !== dragged);
    const at = rest.indexOf(before);
    setRows([...rest.slice(0, at), dragged, ...rest.slice(at)]);
    setDragged(null);
  };
  const keyAction = (key: string): (() => void) | null => {
    switch (key) {
      case "ArrowRight":
      case "ArrowLeft":
        return () => step(key === "ArrowRight");
      case "+":
      case "=":
        return () => zoom(0.5);
      case "-":
        return () => zoom(2);
      case "0":
        return () => onLayout({ view: null });
      default:
        return null;
    }
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement) return;
    if (event.ctrlKey || event.metaKey) return;
    const run = keyAction(event.key);
    if (!run) return;
    event.preventDefault();
    run();
  };
  const save = () => {
    const pieces: string[] = [];
    const from = Math.max(0, Math.floor(view[0]));
    writeVcd(
      waves,
      rows.map((row) => row.track),
      from,
      Math.min(end, Math.ceil(view[1])),
      (piece) => pieces.push(piece),
    );
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob(pieces, { type: "text/plain" }));
    link.download = `${rows[0]?.track.path[0] ?? "waves"}.vcd`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  };
  const difference = cursor !== null && second !== null ? Math.abs(cursor - second) : null;

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys for the canvas and rows within
    <div className="flex h-full min-h-0 flex-col bg-panel" onKeyDown={onKey} data-testid="waves">
      <div className="flex h-9 shrink-0 items-center gap-1 border-b border-line px-2 text-xs">
        <Button look="quiet" className="h-7 px-2" onClick={() => setPicking(!picking)} aria-pressed={picking}>
          <Plus className="size-3.5" /> Signals
        </Button>
        <Button look="quiet" className="h-7 px-1.5" onClick={() => zoom(0.5)} aria-label="Zoom in" title="Zoom in (+)">
          <ZoomIn className="size-4" />
        </Button>
        <Button look="quiet" className="h-7 px-1.5" onClick={() => zoom(2)} aria-label="Zoom out" title="Zoom out (-)">
          <ZoomOut className="size-4" />
        </Button>
        <Button
          look="quiet"
          className="h-7 px-1.5"
          onClick={() => onLayout({ view: null })}
          aria-label="Show all"
          title="Show all (0)"
        >
          <Maximize className="size-4" />
        </Button>
        <Button
          look="quiet"
          className="h-7 px-1.5"
          onClick={() => step(false)}
          aria-label="Previous change"
          title="Previous change (left arrow)"
        >
          <ArrowLeftToLine className="size-4" />
        </Button>
        <Button
          look="quiet"
          className="h-7 px-1.5"
          onClick={() => step(true)}
          aria-label="Next change"
          title="Next change (right arrow)"
        >
          <ArrowRightToLine className="size-4" />
        </Button>
        <Button
          look="quiet"
          className="h-7 px-1.5"
          onClick={save}
          aria-label="Save these waves"
          title="Save the signals shown, over the time shown, as a value change dump"
        >
          <Download className="size-4" />
        </Button>
        <span className="tabular ml-2 text-soft" data-testid="cursor-time">
          {cursor === null ? "Click sets the cursor, Shift+click a second one" : `▼ ${timeText(cursor)}`}
          {second !== null && `   ■ ${timeText(second)}`}
          {difference !== null &&
            difference > 0 &&
            `   apart ${timeText(difference)}, ${frequency(difference, precision)}`}
        </span>
        <span className="tabular ml-auto text-soft">
          {rows.length} of {waves.tracks.length} signals · {waves.changes.toLocaleString("en")} changes
          {waves.stoppedAt !== null && ` · recorded up to ${timeText(waves.stoppedAt)}`}
        </span>
      </div>
      <div className="flex min-h-0 flex-1">
        {picking && <SignalPicker waves={waves} shown={names} onRows={setRows} />}
        <div
          ref={body}
          className="flex min-w-0 flex-1 overflow-hidden"
          onWheel={(event) => event.target instanceof HTMLCanvasElement || scrollBy(event.deltaY)}
        >
          <ul className="w-64 shrink-0 overflow-hidden border-r border-line" style={{ paddingTop: rulerHeight }}>
            <div style={{ transform: `translateY(${-scroll}px)` }}>
              {rows.map(({ key, track, radix: own }) => {
                const place = placeOf(track);
                const depth = track.path.length - 1;
                return (
                  <li
                    key={key}
                    draggable
                    onDragStart={() => setDragged(key)}
                    onDragOver={(event) => event.preventDefault()}
                    onDrop={(event) => onDrop(event, key)}
                    className={`group flex items-center gap-1 border-b border-line/50 pr-1 text-xs ${chosen === key ? "bg-indigo-wash" : ""}`}
                    style={{ height: rowHeight }}
                    data-testid="wave-row"
                  >
                    <GripVertical className="size-3 shrink-0 cursor-grab text-soft/60" aria-hidden />
                    <button
                      type="button"
                      className="min-w-0 flex-1 truncate text-left font-mono"
                      title={`${key}${track.range ? ` [${track.range[0]}:${track.range[1]}]` : ""}`}
                      onClick={() => setChosen(chosen === key ? null : key)}
                      aria-pressed={chosen === key}
                    >
                      {depth > 0 && <span className="text-soft">{track.path.slice(1).join(".")}.</span>}
                      {track.name}
                    </button>
                    <span className="tabular max-w-24 truncate font-mono text-soft" data-testid="wave-value">
                      {cursor === null ? "" : valueText(track, changeAt(track, cursor), own)}
                    </span>
                    <span className="hidden items-center group-focus-within:flex group-hover:flex">
                      {track.kind === "bits" && track.width > 1 && (
                        <select
                          aria-label={`Radix of ${track.name}`}
                          className="h-6 rounded border border-line bg-panel text-[11px]"
                          value={own}
                          onChange={(event) =>
                            onLayout({ radix: { ...radix, [key]: event.target.value as WaveRadix } })
                          }
                        >
                          {(Object.keys(radixNames) as WaveRadix[])
                            .filter((each) => each !== "names" || track.names)
                            .map((each) => (
                              <option key={each} value={each}>
                                {radixNames[each]}
                              </option>
                            ))}
                        </select>
                      )}
                      {place && (
                        <button
                          type="button"
                          className="p-0.5 text-soft hover:text-indigo"
                          onClick={() => onPlace(place)}
                          aria-label={`Source of ${track.name}`}
                          title="Go to its declaration"
                        >
                          <FileCode2 className="size-3.5" />
                        </button>
                      )}
                      <button
                        type="button"
                        className="p-0.5 text-soft hover:text-bad"
                        onClick={() => setRows(names.filter((each) => each !== key))}
                        aria-label={`Remove ${track.name}`}
                      >
                        <X className="size-3.5" />
                      </button>
                    </span>
                  </li>
                );
              })}
            </div>
          </ul>
          <WaveCanvas
            rows={rows}
            end={end}
            view={view}
            scroll={scroll}
            cursor={cursor}
            second={second}
            timeText={timeText}
            onView={setView}
            onScroll={scrollBy}
            onCursor={(time, isSecond) => onLayout(isSecond ? { second: time } : { cursor: time })}
            label={`Waves of ${rows.length} signals up to ${timeText(end)}`}
          />
        </div>
      </div>
    </div>
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

const maxListed = 500;

function SignalPicker({
  waves,
  shown,
  onRows,
}: {
  waves: Waves;
  shown: readonly string[];
  onRows: (rows: readonly string[]) => void;
}) {
  const [search, setSearch] = useState("");
  const set = useMemo(() => new Set(shown), [shown]);
  const found = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    return waves.tracks.filter((track) => {
      const key = trackKey(track).toLowerCase();
      return words.every((word) => key.includes(word));
    });
  }, [waves, search]);
  const scopes = new Map<string, WaveTrack[]>();
  for (const track of found.slice(0, maxListed)) {
    const scope = track.path.join(".");
    const list = scopes.get(scope);
    if (list) list.push(track);
    else scopes.set(scope, [track]);
  }
  return (
    <div className="flex w-60 shrink-0 flex-col border-r border-line bg-cloth">
      <label className="flex items-center gap-1.5 border-b border-line px-2 py-1.5">
        <Search className="size-3.5 text-soft" aria-hidden />
        <input
          aria-label="Search signals"
          placeholder="Search signals"
          className="min-w-0 flex-1 bg-transparent text-xs outline-none"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      </label>
      <div className="min-h-0 flex-1 overflow-auto py-1 text-xs">
        {[...scopes].map(([scope, tracks]) => (
          <section key={scope}>
            <button
              type="button"
              className="w-full truncate px-2 py-1 text-left font-mono font-semibold text-soft hover:bg-raised"
              title={`Add all of ${scope}`}
              onClick={() => onRows([...shown, ...tracks.map(trackKey).filter((key) => !set.has(key))])}
            >
              {scope}
            </button>
            {tracks.map((track) => {
              const key = trackKey(track);
              return (
                <label key={key} className="flex items-center gap-1.5 px-3 py-0.5 hover:bg-raised">
                  <input
                    type="checkbox"
                    checked={set.has(key)}
                    onChange={() => onRows(set.has(key) ? shown.filter((each) => each !== key) : [...shown, key])}
                  />
                  <span className="truncate font-mono">{track.name}</span>
                  {track.range && <span className="ml-auto text-[11px] text-soft">{track.width} bits</span>}
                </label>
              );
            })}
          </section>
        ))}
        {found.length > maxListed && (
          <p className="px-2 py-1 text-soft">{found.length - maxListed} more: narrow the search.</p>
        )}
        {found.length === 0 && <p className="px-2 py-1 text-soft">No signal has this name.</p>}
      </div>
    </div>
  );
}
