import { changeAt, valueText } from "@gate-clock/core";
import { rowAt, rowHeight, rulerHeight, type SignalRow, traceOf, type WaveRow } from "../../sessions/wave-rows.ts";
import { drawCurve } from "./draw-curve.ts";

/** Drawing of waves on a canvas, without React: a row a signal, time from left to right. */

export interface WaveColours {
  readonly ink: string;
  readonly soft: string;
  readonly line: string;
  readonly trace: string;
  readonly wash: string;
  readonly unknown: string;
  readonly floating: string;
  readonly first: string;
  readonly second: string;
  readonly panel: string;
}
export interface WaveView {
  readonly from: number;
  readonly to: number;
  readonly width: number;
  readonly height: number;
  /** Pixels that the rows are scrolled up by. */
  readonly scroll: number;
}

export function waveColours(): WaveColours {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    ink: of("ink"),
    soft: of("soft"),
    line: of("line"),
    trace: of("thread-c"),
    wash: of("indigo-wash"),
    unknown: of("bad"),
    floating: of("warn"),
    first: of("indigo"),
    second: of("thread-b"),
    panel: of("panel"),
  };
}

/** Distance of ruler marks: 1, 2 or 5 times a power of ten, at least 90 pixels apart. */
function rulerStep(view: WaveView): number {
  const least = ((view.to - view.from) / view.width) * 90;
  const power = 10 ** Math.floor(Math.log10(Math.max(least, 1)));
  for (const factor of [1, 2, 5, 10]) if (factor * power >= least) return factor * power;
  return 10 * power;
}

export function drawWaves(
  ctx: CanvasRenderingContext2D,
  rows: readonly WaveRow[],
  /** From `rowTops`. */
  tops: Float64Array,
  view: WaveView,
  cursors: {
    readonly first: number | null;
    readonly second: number | null;
    readonly markers: readonly { readonly name: string; readonly time: number }[];
    /** Stretch that is being chosen on the ruler. */
    readonly range: readonly [number, number] | null;
  },
  end: number,
  colours: WaveColours,
  timeText: (steps: number) => string,
): void {
  const { width, height, from, to } = view;
  const scale = width / (to - from);
  const x = (time: number) => (time - from) * scale;
  ctx.clearRect(0, 0, width, height);
  ctx.font = "11px 'Spline Sans Mono Variable', monospace";
  ctx.textBaseline = "middle";
  const step = rulerStep(view);
  ctx.lineWidth = 1;
  for (let time = Math.ceil(from / step) * step; time <= to; time += step) {
    const at = Math.round(x(time)) + 0.5;
    ctx.strokeStyle = colours.line;
    ctx.globalAlpha = 0.7;
    ctx.beginPath();
    ctx.moveTo(at, rulerHeight - 6);
    ctx.lineTo(at, height);
    ctx.stroke();
    ctx.globalAlpha = 1;
    ctx.fillStyle = colours.soft;
    ctx.fillText(timeText(time), at + 4, 11);
  }
  ctx.save();
  ctx.beginPath();
  ctx.rect(0, rulerHeight, width, height - rulerHeight);
  ctx.clip();
  for (let i = rowAt(tops, view.scroll); i < rows.length; i++) {
    const row = rows[i];
    const top = rulerHeight + tops[i] - view.scroll;
    if (top >= height) break;
    if (row.kind === "group") {
      ctx.fillStyle = colours.wash;
      ctx.fillRect(0, top + 1, width, row.height - 2);
    } else if (row.drawing === "boxes") drawTrack(ctx, row, top, view, Math.min(to, end), scale, colours);
    else {
      const isSigned = row.radix === "signed" || (row.radix !== "unsigned" && row.track.signed);
      const last = Math.min(to, end);
      drawCurve(ctx, row.track, isSigned, row.drawing === "line", top, row.height, view, last, colours);
    }
  }
  ctx.restore();
  if (cursors.range) {
    const [left, right] = cursors.range.map(x);
    ctx.globalAlpha = 0.14;
    ctx.fillStyle = colours.first;
    ctx.fillRect(left, 0, right - left, height);
    ctx.globalAlpha = 1;
  }
  for (const { name, time } of cursors.markers) {
    if (time < from || time > to) continue;
    const at = Math.round(x(time)) + 0.5;
    ctx.strokeStyle = colours.soft;
    ctx.setLineDash([2, 4]);
    ctx.beginPath();
    ctx.moveTo(at, rulerHeight);
    ctx.lineTo(at, height);
    ctx.stroke();
    ctx.setLineDash([]);
    ctx.fillStyle = colours.wash;
    const wide = name.length * 6.7 + 8;
    ctx.fillRect(at - wide / 2, rulerHeight - 15, wide, 14);
    ctx.fillStyle = colours.ink;
    ctx.fillText(name, at - wide / 2 + 4, rulerHeight - 8);
  }
  for (const [time, colour] of [
    [cursors.second, colours.second],
    [cursors.first, colours.first],
  ] as const) {
    if (time === null || time < from || time > to) continue;
    const at = Math.round(x(time)) + 0.5;
    ctx.strokeStyle = colour;
    ctx.beginPath();
    ctx.moveTo(at, 0);
    ctx.lineTo(at, height);
    ctx.stroke();
    ctx.fillStyle = colour;
    ctx.beginPath();
    if (colour === colours.first) {
      ctx.moveTo(at - 5, 0);
      ctx.lineTo(at + 5, 0);
      ctx.lineTo(at, 7);
    } else ctx.rect(at - 4, 0, 8, 6);
    ctx.fill();
  }
}

function drawTrack(
  ctx: CanvasRenderingContext2D,
  row: SignalRow,
  top: number,
  view: WaveView,
  to: number,
  scale: number,
  colours: WaveColours,
): void {
  const track = traceOf(row);
  const { times } = track;
  const high = top + 6;
  const low = top + rowHeight - 6;
  const middle = (high + low) / 2;
  const single = track.kind === "bits" && track.width === 1;
  const stop = Math.max(0, (to - view.from) * scale);
  let change = Math.max(0, changeAt(track, view.from));
  if (times.length === 0 || times[change] > to) return;
  let before: number | null = null;
  let left = 0;
  const edge = (index: number) => (index < times.length ? Math.min(stop, (times[index] - view.from) * scale) : stop);
  while (change < times.length) {
    const start = Math.max(left, (times[change] - view.from) * scale);
    if (start >= stop) break;
    const next = edge(change + 1);
    if (next - start < 1.5 && change + 1 < times.length) {
      // more changes than pixels: a filled stretch up to where they get apart
      let far = start + 1.5;
      let index = changeAt(track, view.from + far / scale);
      while (far < stop && edge(index + 1) - far < 1.5 && index + 1 < times.length) {
        far = Math.max(far + 1.5, edge(index + 1));
        index = changeAt(track, view.from + far / scale);
      }
      ctx.globalAlpha = 0.55;
      ctx.fillStyle = colours.trace;
      ctx.fillRect(start, high, Math.min(stop, far) - start, low - high);
      ctx.globalAlpha = 1;
      if (far >= stop) break;
      left = far;
      change = Math.max(index, change);
      before = null;
      if (edge(change + 1) - left < 1.5) change++;
      else {
        if (single)
          before = drawBit(
            ctx,
            track.a[change],
            track.b[change],
            left,
            edge(change + 1),
            high,
            low,
            middle,
            null,
            colours,
          );
        else drawBus(ctx, row, change, left, edge(change + 1), high, low, middle, colours);
        change++;
      }
      continue;
    }
    if (single)
      before = drawBit(ctx, track.a[change], track.b[change], start, next, high, low, middle, before, colours);
    else drawBus(ctx, row, change, start, next, high, low, middle, colours);
    change++;
  }
}

/** x is a hatched band, z a line in the middle: told apart by shape, not by colour alone. */
function drawBit(
  ctx: CanvasRenderingContext2D,
  a: number,
  b: number,
  start: number,
  end: number,
  high: number,
  low: number,
  middle: number,
  before: number | null,
  colours: WaveColours,
): number {
  if (b && a) {
    hatch(ctx, start, end, high, low, colours.unknown);
    return middle;
  }
  const level = b ? middle : a ? high : low;
  ctx.strokeStyle = b ? colours.floating : colours.trace;
  ctx.lineWidth = 1.5;
  ctx.setLineDash(b ? [3, 3] : []);
  ctx.beginPath();
  if (before !== null && before !== level) {
    ctx.moveTo(start, before);
    ctx.lineTo(start, level);
  } else ctx.moveTo(start, level);
  ctx.lineTo(end, level);
  ctx.stroke();
  ctx.setLineDash([]);
  ctx.lineWidth = 1;
  if (!b && a) {
    ctx.globalAlpha = 0.12;
    ctx.fillStyle = colours.trace;
    ctx.fillRect(start, high, end - start, low - high);
    ctx.globalAlpha = 1;
  }
  return level;
}

function drawBus(
  ctx: CanvasRenderingContext2D,
  row: SignalRow,
  change: number,
  start: number,
  end: number,
  high: number,
  low: number,
  middle: number,
  colours: WaveColours,
): void {
  const { track } = row;
  const text = valueText(track, change, row.radix);
  const unknown =
    track.kind === "bits" && (track.width <= 32 ? track.b[change] !== 0 : /[xz]/.test(track.texts[change]));
  const floating = unknown && /^z+$/.test(text);
  if (floating) {
    ctx.strokeStyle = colours.floating;
    ctx.setLineDash([3, 3]);
    ctx.beginPath();
    ctx.moveTo(start, middle);
    ctx.lineTo(end, middle);
    ctx.stroke();
    ctx.setLineDash([]);
    return;
  }
  const slope = Math.min(3, (end - start) / 2);
  ctx.beginPath();
  ctx.moveTo(start, middle);
  ctx.lineTo(start + slope, high);
  ctx.lineTo(end - slope, high);
  ctx.lineTo(end, middle);
  ctx.lineTo(end - slope, low);
  ctx.lineTo(start + slope, low);
  ctx.closePath();
  if (unknown && /^x+$/.test(text)) {
    hatch(ctx, start + slope, end - slope, high, low, colours.unknown);
    ctx.strokeStyle = colours.unknown;
  } else {
    ctx.fillStyle = colours.panel;
    ctx.fill();
    ctx.strokeStyle = unknown ? colours.unknown : colours.trace;
  }
  ctx.stroke();
  const room = end - start - 2 * slope - 4;
  if (room < 8) return;
  const fits = Math.floor(room / 6.7);
  const shown = text.length <= fits ? text : fits > 1 ? `${text.slice(0, fits - 1)}…` : "";
  if (unknown && shown) {
    ctx.fillStyle = colours.panel;
    ctx.fillRect(start + slope + 1, high + 1, shown.length * 6.7 + 4, low - high - 2);
  }
  ctx.fillStyle = unknown ? colours.unknown : colours.ink;
  ctx.fillText(shown, start + slope + 3, middle + 0.5);
}

function hatch(
  ctx: CanvasRenderingContext2D,
  start: number,
  end: number,
  high: number,
  low: number,
  colour: string,
): void {
  if (end <= start) return;
  ctx.save();
  ctx.beginPath();
  ctx.rect(start, high, end - start, low - high);
  ctx.clip();
  ctx.strokeStyle = colour;
  ctx.beginPath();
  const size = low - high;
  for (let at = start - size; at < Math.min(end, start + 4000); at += 6) {
    ctx.moveTo(at, low);
    ctx.lineTo(at + size, high);
  }
  ctx.moveTo(start, high);
  ctx.lineTo(end, high);
  ctx.moveTo(start, low);
  ctx.lineTo(end, low);
  ctx.stroke();
  ctx.restore();
}
