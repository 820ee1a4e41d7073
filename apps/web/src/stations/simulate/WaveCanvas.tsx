import { changeAt } from "@gate-clock/core";
import { type PointerEvent as ReactPointerEvent, useEffect, useRef, useState } from "react";
import type { Marker } from "../../sessions/wave-layout.ts";
import { rowAt, rulerHeight, traceOf, type WaveRow } from "../../sessions/wave-rows.ts";
import { drawWaves, waveColours } from "./draw-waves.ts";

interface Props {
  readonly rows: readonly WaveRow[];
  readonly tops: Float64Array;
  readonly end: number;
  readonly view: readonly [number, number];
  readonly scroll: number;
  readonly cursor: number | null;
  readonly second: number | null;
  readonly markers: readonly Marker[];
  readonly timeText: (steps: number) => string;
  readonly onView: (view: readonly [number, number]) => void;
  readonly onCursor: (time: number, second: boolean) => void;
  readonly label: string;
}

/**
 * Wheel zooms at the pointer, with Shift it moves in time, with Alt it scrolls the rows, as on the names; drag moves in
 * time, on the ruler it chooses a stretch to zoom to; click sets a cursor.
 */
export function WaveCanvas(props: Props) {
  const { rows, tops, end, view, scroll, cursor, second, markers, timeText, label } = props;
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [theme, setTheme] = useState(0);
  const latest = useRef(props);
  latest.current = props;
  const drag = useRef<{ x: number; from: number; to: number; moved: boolean; onRuler: boolean } | null>(null);
  const [range, setRange] = useState<readonly [number, number] | null>(null);

  useEffect(() => {
    const observer = new ResizeObserver(([entry]) =>
      setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(host.current!);
    const onTheme = () => setTheme((old) => old + 1);
    addEventListener("gate-clock-theme", onTheme);
    return () => {
      observer.disconnect();
      removeEventListener("gate-clock-theme", onTheme);
    };
  }, []);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the colours
  useEffect(() => {
    const element = canvas.current;
    const ctx = element?.getContext("2d");
    if (!element || !ctx || size.width === 0) return;
    const frame = requestAnimationFrame(() => {
      const ratio = devicePixelRatio;
      element.width = Math.round(size.width * ratio);
      element.height = Math.round(size.height * ratio);
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
      const [from, to] = view;
      drawWaves(
        ctx,
        rows,
        tops,
        { from, to, ...size, scroll },
        { first: cursor, second, markers, range },
        end,
        waveColours(),
        timeText,
      );
    });
    return () => cancelAnimationFrame(frame);
  }, [rows, tops, end, view, scroll, cursor, second, markers, range, size, theme, timeText]);

  useEffect(() => {
    const element = canvas.current!;
    // not passive: the page itself must not scroll or zoom
    const onWheel = (event: WheelEvent) => {
      if (event.altKey) return; // scrolls the rows
      event.preventDefault();
      const { view: now, onView } = latest.current;
      const [from, to] = now;
      const width = element.clientWidth;
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        const by = ((event.deltaX || event.deltaY) / width) * (to - from);
        onView([from + by, to + by]);
        return;
      }
      const at = from + (event.offsetX / width) * (to - from);
      const factor = Math.exp(event.deltaY * 0.0015);
      onView([at - (at - from) * factor, at + (to - at) * factor]);
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, []);

  const timeAt = (event: ReactPointerEvent): number => {
    const box = canvas.current!.getBoundingClientRect();
    const [from, to] = view;
    const time = from + ((event.clientX - box.left) / box.width) * (to - from);
    // near an edge of the row under the pointer, the edge is meant
    const row = rows[rowAt(tops, event.clientY - box.top - rulerHeight + scroll)];
    const reach = ((to - from) / box.width) * 6;
    if (row?.kind === "signal") {
      const track = traceOf(row);
      const change = changeAt(track, time);
      const { times } = track;
      const near = [times[change], times[change + 1]].filter(
        (each) => each !== undefined && Math.abs(each - time) <= reach,
      );
      if (near.length)
        return near.reduce((best, each) => (Math.abs(each - time) < Math.abs(best - time) ? each : best));
    }
    return Math.max(0, Math.min(end, Math.round(time)));
  };

  return (
    <div ref={host} className="relative h-full min-w-0 flex-1 overflow-hidden">
      <canvas
        ref={canvas}
        role="img"
        aria-label={label}
        data-testid="wave-canvas"
        className="absolute inset-0 size-full cursor-crosshair touch-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          const onRuler = event.clientY - event.currentTarget.getBoundingClientRect().top < rulerHeight;
          drag.current = { x: event.clientX, from: view[0], to: view[1], moved: false, onRuler };
        }}
        onPointerMove={(event) => {
          const { current } = drag;
          if (!current) return;
          const by = event.clientX - current.x;
          if (Math.abs(by) > 3) current.moved = true;
          if (!current.moved) return;
          const time = (by / size.width) * (current.to - current.from);
          if (!current.onRuler) {
            props.onView([current.from - time, current.to - time]);
            return;
          }
          const left = event.currentTarget.getBoundingClientRect().left;
          const start = current.from + ((current.x - left) / size.width) * (current.to - current.from);
          setRange([Math.min(start, start + time), Math.max(start, start + time)]);
        }}
        onPointerUp={(event) => {
          const { current } = drag;
          drag.current = null;
          if (range) props.onView(range);
          setRange(null);
          if (current && !current.moved) props.onCursor(timeAt(event), event.shiftKey);
        }}
      />
    </div>
  );
}
