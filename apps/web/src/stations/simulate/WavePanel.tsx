import { changeAt, type Place, showTime, type Waves, type WaveTrack, writeVcd } from "@gate-clock/core";
import { type KeyboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import {
  addRows,
  dissolveGroup,
  emptyLayout,
  freeName,
  groupRows,
  type LayoutRow,
  moveRows,
  removeRows,
  renameGroup,
  type WaveLayout,
} from "../../sessions/wave-layout.ts";
import {
  firstRows,
  layRows,
  rowTops,
  rulerHeight,
  type SignalRow,
  traceOf,
  trackKey,
} from "../../sessions/wave-rows.ts";
import { saveBlob } from "../../ui/save-blob.ts";
import { SignalPicker } from "./SignalPicker.tsx";
import { WaveCanvas } from "./WaveCanvas.tsx";
import { WaveNames } from "./WaveNames.tsx";
import { WaveToolbar } from "./WaveToolbar.tsx";

const leastSpan = 10;

interface Props {
  readonly waves: Waves;
  readonly layout: WaveLayout | undefined;
  readonly onLayout: (change: Partial<WaveLayout>) => void;
  readonly placeOf: (track: WaveTrack) => Place | null;
  readonly onPlace: (place: Place) => void;
}

/** Signals to choose from, the chosen ones as rows with names, values at the cursor and traces. */
export function WavePanel({ waves, layout = emptyLayout, onLayout, placeOf, onPlace }: Props) {
  const { end, precision } = waves;
  const { closed, expanded, radix, drawing, cursor, second, markers } = layout;
  const byKey = useMemo(() => new Map(waves.tracks.map((track) => [trackKey(track), track])), [waves]);
  const chosenRows = useMemo(() => layout.rows ?? firstRows(waves), [layout.rows, waves]);
  const rows = useMemo(
    () => layRows(chosenRows, { closed, expanded, radix, drawing }, byKey),
    [chosenRows, closed, expanded, radix, drawing, byKey],
  );
  const tops = useMemo(() => rowTops(rows), [rows]);
  const signals = useMemo(() => rows.filter((row): row is SignalRow => row.kind === "signal"), [rows]);
  const view = useMemo(
    (): readonly [number, number] => layout.view ?? [0, Math.max(1, end) * 1.01],
    [layout.view, end],
  );
  const timeText = useCallback((steps: number) => showTime(Math.max(0, Math.round(steps)), precision), [precision]);
  const [isPicking, setPicking] = useState(false);
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const chosenSet = useMemo(() => new Set(chosen), [chosen]);
  const [scroll, setScroll] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(0);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setHeight(entry.contentRect.height));
    observer.observe(scroller.current!);
    return () => observer.disconnect();
  }, []);

  const setView = ([from, to]: readonly [number, number]) => {
    const most = Math.max(1, end) * 1.02;
    const span = Math.min(Math.max(to - from, leastSpan), most);
    const left = Math.max(-span * 0.02, Math.min(from, most - span));
    onLayout({ view: [left, left + span] });
  };
  const zoom = (factor: number) => {
    const middle = cursor !== null && cursor >= view[0] && cursor <= view[1] ? cursor : (view[0] + view[1]) / 2;
    setView([middle - (middle - view[0]) * factor, middle + (view[1] - middle) * factor]);
  };
  const goTo = (time: number) => {
    const span = view[1] - view[0];
    const isSeen = time >= view[0] && time <= view[1];
    onLayout({ cursor: time, ...(isSeen ? {} : { view: [time - span / 2, time + span / 2] as const }) });
  };
  const showBetween = () => {
    if (cursor === null || second === null || cursor === second) return;
    const margin = Math.abs(cursor - second) * 0.05;
    setView([Math.min(cursor, second) - margin, Math.max(cursor, second) + margin]);
  };
  /** Cursor to the next or previous change of the chosen rows, or of any row. */
  const step = (forward: boolean) => {
    const from = cursor ?? (forward ? -1 : end);
    const own = signals.filter((row) => chosenSet.has(row.key));
    let best: number | null = null;
    for (const row of own.length ? own : signals) {
      const track = traceOf(row);
      const time = track.times[forward ? changeAt(track, from) + 1 : changeAt(track, from - 0.5)];
      if (time === undefined || (forward ? time <= from : time >= from)) continue;
      if (best === null || (forward ? time < best : time > best)) best = time;
    }
    if (best !== null) goTo(best);
  };
  const setRows = (next: readonly LayoutRow[]) => onLayout({ rows: next });
  const choose = (key: string, how: "one" | "also" | "range") => {
    if (how === "range" && chosen.length) {
      const keys = signals.map((row) => row.key);
      const [from, to] = [keys.indexOf(chosen[chosen.length - 1]), keys.indexOf(key)].sort((a, b) => a - b);
      setChosen(from < 0 ? [key] : keys.slice(from, to + 1));
    } else if (how === "also") setChosen(chosenSet.has(key) ? chosen.filter((each) => each !== key) : [...chosen, key]);
    else setChosen(chosen.length === 1 && chosenSet.has(key) ? [] : [key]);
  };
  const group = () => {
    const keys = chosenRows.map((row) => row.key).filter((key) => chosenSet.has(key));
    if (keys.length === 0) return;
    const used = chosenRows.flatMap((row) => (row.group === null ? [] : [row.group]));
    setRows(groupRows(chosenRows, keys, freeName("Group ", used)));
  };
  const mark = () => {
    if (cursor === null) return;
    const name = freeName(
      "m",
      markers.map((marker) => marker.name),
    );
    onLayout({ markers: [...markers, { name, time: cursor }] });
  };
  const toggled = (list: readonly string[], key: string) =>
    list.includes(key) ? list.filter((each) => each !== key) : [...list, key];
  const save = () => {
    const pieces: string[] = [];
    const tracks = [...new Set(signals.map((row) => row.track))];
    const from = Math.max(0, Math.floor(view[0]));
    writeVcd(waves, tracks, from, Math.min(end, Math.ceil(view[1])), (piece) => pieces.push(piece));
    saveBlob(new Blob(pieces, { type: "text/plain" }), `${tracks[0]?.path[0] ?? "waves"}.vcd`);
  };

  const actions = new Map<string, () => void>([
    ["ArrowRight", () => step(true)],
    ["ArrowLeft", () => step(false)],
    ["+", () => zoom(0.5)],
    ["=", () => zoom(0.5)],
    ["-", () => zoom(2)],
    ["0", () => onLayout({ view: null })],
    ["b", showBetween],
    ["m", mark],
    ["g", group],
    [
      "Delete",
      () => {
        setRows(removeRows(chosenRows, chosen));
        setChosen([]);
      },
    ],
  ]);
  const onKey = (event: KeyboardEvent) => {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement) return;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const run = actions.get(event.key);
    if (!run) return;
    event.preventDefault();
    run();
  };

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys for the canvas and rows within
    <div className="flex h-full min-h-0 flex-col bg-panel" onKeyDown={onKey} data-testid="waves">
      <WaveToolbar
        waves={waves}
        shown={signals.filter((row) => row.bit === null).length}
        cursor={cursor}
        second={second}
        markers={markers}
        isPicking={isPicking}
        canGroup={chosenRows.some((row) => chosenSet.has(row.key))}
        timeText={timeText}
        onPick={() => setPicking(!isPicking)}
        onZoom={zoom}
        onShowAll={() => onLayout({ view: null })}
        onShowBetween={showBetween}
        onStep={step}
        onGroup={group}
        onSave={save}
        onGoTo={goTo}
        onMarkers={(next) => onLayout({ markers: next })}
        onMark={mark}
      />
      <div className="flex min-h-0 flex-1">
        {isPicking && (
          <SignalPicker
            waves={waves}
            shown={chosenRows.map((row) => row.key)}
            onAdd={(keys) => setRows(addRows(chosenRows, keys))}
            onRemove={(keys) => setRows(removeRows(chosenRows, keys))}
          />
        )}
        <div
          ref={scroller}
          className="min-w-0 flex-1 overflow-x-hidden overflow-y-auto"
          onScroll={(event) => setScroll(event.currentTarget.scrollTop)}
          data-testid="wave-scroll"
        >
          <div style={{ height: Math.max(height, tops[rows.length] + rulerHeight + 8) }}>
            <div className="sticky top-0 flex" style={{ height }}>
              <div className="flex w-64 shrink-0 flex-col border-r border-line" style={{ paddingTop: rulerHeight }}>
                <WaveNames
                  rows={rows}
                  tops={tops}
                  scroll={scroll}
                  height={height}
                  cursor={cursor}
                  chosen={chosenSet}
                  onChoose={choose}
                  onMove={(keys, to) => setRows(moveRows(chosenRows, keys, to))}
                  onRemove={(key) => setRows(removeRows(chosenRows, [key]))}
                  onExpand={(key) => onLayout({ expanded: toggled(expanded, key) })}
                  onFold={(name) => onLayout({ closed: toggled(closed, name) })}
                  onRenameGroup={(old, name) => setRows(renameGroup(chosenRows, old, name))}
                  onDissolve={(name) => setRows(dissolveGroup(chosenRows, name))}
                  onRadix={(key, next) => onLayout({ radix: { ...radix, [key]: next } })}
                  onDrawing={(key, next) => onLayout({ drawing: { ...drawing, [key]: next } })}
                  placeOf={placeOf}
                  onPlace={onPlace}
                />
              </div>
              <WaveCanvas
                rows={rows}
                tops={tops}
                end={end}
                view={view}
                scroll={scroll}
                cursor={cursor}
                second={second}
                markers={markers}
                timeText={timeText}
                onView={setView}
                onCursor={(time, isSecond) => onLayout(isSecond ? { second: time } : { cursor: time })}
                label={`Waves of ${signals.length} signals up to ${timeText(end)}`}
              />
            </div>
          </div>
        </div>
      </div>
    </div>
  );
}
