import { changeAt, type WaveTrack } from "@gate-clock/core";
import type { WaveColours, WaveView } from "./draw-waves.ts";

/**
 * A signal's values as numbers, with the least and greatest of each block of changes: a curve of millions of changes is
 * drawn by looking at a block, not at each change, wherever a pixel holds many.
 */
interface Curve {
  /** [changes] NaN where a value is not known. */
  readonly values: Float64Array;
  readonly least: number;
  readonly greatest: number;
  /** [changes / block] */
  readonly blockLeast: Float64Array;
  readonly blockGreatest: Float64Array;
}
const block = 256;

const curves = new WeakMap<WaveTrack, Partial<Record<"signed" | "unsigned", Curve>>>();
export function curveOf(track: WaveTrack, isSigned: boolean): Curve {
  let known = curves.get(track);
  if (!known) {
    known = {};
    curves.set(track, known);
  }
  const key = isSigned ? "signed" : "unsigned";
  known[key] ??= makeCurve(track, isSigned);
  return known[key];
}

function makeCurve(track: WaveTrack, isSigned: boolean): Curve {
  const count = track.times.length;
  const values = new Float64Array(count);
  const blocks = Math.ceil(count / block);
  const blockLeast = new Float64Array(blocks).fill(Number.POSITIVE_INFINITY);
  const blockGreatest = new Float64Array(blocks).fill(Number.NEGATIVE_INFINITY);
  const shift = 32 - track.width;
  for (let i = 0; i < count; i++) {
    let value: number;
    if (track.kind === "real") value = track.reals[i];
    else if (track.width <= 32)
      value = track.b[i] !== 0 ? Number.NaN : isSigned ? (track.a[i] << shift) >> shift : track.a[i] >>> 0;
    else {
      const text = track.texts[i];
      const bits = /^[01]+$/.test(text) ? BigInt(`0b${text}`) : null;
      value = bits === null ? Number.NaN : Number(isSigned ? BigInt.asIntN(track.width, bits) : bits);
    }
    values[i] = value;
    const at = (i / block) | 0;
    if (value < blockLeast[at]) blockLeast[at] = value;
    if (value > blockGreatest[at]) blockGreatest[at] = value;
  }
  return {
    values,
    least: blockLeast.reduce((low, each) => Math.min(low, each), Number.POSITIVE_INFINITY),
    greatest: blockGreatest.reduce((high, each) => Math.max(high, each), Number.NEGATIVE_INFINITY),
    blockLeast,
    blockGreatest,
  };
}

/** Least and greatest of the changes from `first` to before `last`. */
export function rangeOf(curve: Curve, first: number, last: number): readonly [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  let i = first;
  while (i < last) {
    if (i % block === 0 && i + block <= last) {
      const at = i / block;
      if (curve.blockLeast[at] < low) low = curve.blockLeast[at];
      if (curve.blockGreatest[at] > high) high = curve.blockGreatest[at];
      i += block;
      continue;
    }
    const value = curve.values[i++];
    if (value < low) low = value;
    if (value > high) high = value;
  }
  return [low, high];
}

/** Steps hold a value until the next; a line leads from value to value. Unknown stretches are left out and marked below. */
export function drawCurve(
  ctx: CanvasRenderingContext2D,
  track: WaveTrack,
  isSigned: boolean,
  asLine: boolean,
  top: number,
  height: number,
  view: WaveView,
  to: number,
  colours: WaveColours,
): void {
  const curve = curveOf(track, isSigned);
  const { times } = track;
  if (times.length === 0) return;
  const high = top + 8;
  const low = top + height - 8;
  const isEmpty = curve.least > curve.greatest;
  const span = curve.greatest - curve.least || 1;
  const y = (value: number) => low - ((value - curve.least) / span) * (low - high);
  const scale = view.width / (view.to - view.from);
  const x = (time: number) => (time - view.from) * scale;
  const stop = Math.min(view.width, x(to));
  const first = Math.max(0, changeAt(track, view.from));
  const last = Math.min(times.length, changeAt(track, view.to) + 2);
  const unknown: [number, number][] = [];
  ctx.strokeStyle = colours.trace;
  ctx.lineWidth = 1.5;
  ctx.lineJoin = "round";
  ctx.beginPath();
  let isDown = false;
  let i = first;
  while (i < last && !isEmpty) {
    const start = Math.max(x(times[i]), -10);
    if (start >= stop) {
      if (asLine && isDown) ctx.lineTo(start, y(curve.values[i]));
      break;
    }
    // many changes in one pixel: from the least to the greatest of them
    const beyond = changeAt(track, view.from + (Math.floor(Math.max(start, 0)) + 1) / scale) + 1;
    if (beyond - i > 4) {
      const [least, greatest] = rangeOf(curve, i, beyond);
      if (least <= greatest) {
        if (!isDown) ctx.moveTo(start, y(least));
        ctx.lineTo(start, y(least));
        ctx.lineTo(start, y(greatest));
        const value = curve.values[beyond - 1];
        if (!Number.isNaN(value)) ctx.lineTo(start, y(value));
        isDown = true;
      }
      i = beyond;
      continue;
    }
    const value = curve.values[i];
    const end = i + 1 < times.length ? Math.min(stop, x(times[i + 1])) : stop;
    if (Number.isNaN(value)) {
      unknown.push([Math.max(0, start), end]);
      isDown = false;
    } else {
      const at = y(value);
      if (isDown) ctx.lineTo(start, at);
      else ctx.moveTo(start, at);
      if (!asLine || i + 1 >= times.length || Number.isNaN(curve.values[i + 1])) ctx.lineTo(end, at);
      isDown = true;
    }
    i++;
  }
  ctx.stroke();
  ctx.lineWidth = 1;
  ctx.strokeStyle = colours.unknown;
  ctx.setLineDash([2, 3]);
  for (const [start, end] of unknown) {
    ctx.beginPath();
    ctx.moveTo(start, low + 3);
    ctx.lineTo(end, low + 3);
    ctx.stroke();
  }
  ctx.setLineDash([]);
  if (isEmpty) return;
  ctx.fillStyle = colours.soft;
  for (const [value, at] of [
    [curve.greatest, high + 2],
    [curve.least, low - 2],
  ] as const) {
    const text = String(Number(value.toPrecision(6)));
    ctx.globalAlpha = 0.8;
    ctx.fillStyle = colours.panel;
    ctx.fillRect(2, at - 7, text.length * 6.7 + 4, 14);
    ctx.globalAlpha = 1;
    ctx.fillStyle = colours.soft;
    ctx.fillText(text, 4, at);
  }
}
