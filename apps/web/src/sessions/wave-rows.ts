import { bitTrack, type WaveRadix, type Waves, type WaveTrack } from "@gate-clock/core";
import type { Drawing, LayoutRow, WaveLayout } from "./wave-layout.ts";

/** The rows of a wave view from top to bottom, with their heights: what the list of names and the canvas both show. */

export const rowHeight = 28;
const curveHeight = 84;
export const rulerHeight = 34;

export interface GroupRow {
  readonly kind: "group";
  readonly key: string;
  readonly name: string;
  readonly isOpen: boolean;
  readonly count: number;
  readonly height: number;
}
export interface SignalRow {
  readonly kind: "signal";
  /** Name with its scopes; a bit has `#` and its offset behind. */
  readonly key: string;
  readonly group: string | null;
  /** Of a bit the vector's; `traceOf` gives the bit's own. */
  readonly track: WaveTrack;
  readonly bit: number | null;
  readonly radix: WaveRadix;
  readonly drawing: Drawing;
  readonly isExpanded: boolean;
  readonly height: number;
}
export type WaveRow = GroupRow | SignalRow;

export const trackKey = (track: WaveTrack): string => [...track.path, track.name].join(".");

export function layRows(
  chosen: readonly LayoutRow[],
  layout: Pick<WaveLayout, "closed" | "expanded" | "radix" | "drawing">,
  byKey: ReadonlyMap<string, WaveTrack>,
): WaveRow[] {
  const rows: WaveRow[] = [];
  const closed = new Set(layout.closed);
  const expanded = new Set(layout.expanded);
  const counts = new Map<string, number>();
  for (const { group } of chosen) if (group !== null) counts.set(group, (counts.get(group) ?? 0) + 1);
  let last: string | null = null;
  for (const { key, group } of chosen) {
    if (group !== null && group !== last)
      rows.push({
        kind: "group",
        key: `group:${group}`,
        name: group,
        isOpen: !closed.has(group),
        count: counts.get(group)!,
        height: rowHeight,
      });
    last = group;
    const track = byKey.get(key);
    if (!track || (group !== null && closed.has(group))) continue;
    const radix = layout.radix[key] ?? (track.names ? "names" : track.signed ? "signed" : "hex");
    const canCurve = track.kind === "real" || (track.kind === "bits" && track.width > 1);
    const drawing = canCurve ? (layout.drawing[key] ?? (track.kind === "real" ? "steps" : "boxes")) : "boxes";
    const isExpanded = track.kind === "bits" && track.width > 1 && expanded.has(key);
    const height = drawing === "boxes" ? rowHeight : curveHeight;
    rows.push({ kind: "signal", key, group, track, bit: null, radix, drawing, isExpanded, height });
    if (!isExpanded) continue;
    for (let bit = track.width - 1; bit >= 0; bit--)
      rows.push({
        kind: "signal",
        key: `${key}#${bit}`,
        group,
        track,
        bit,
        radix: "binary",
        drawing: "boxes",
        isExpanded: false,
        height: rowHeight,
      });
  }
  return rows;
}

const bitTracks = new WeakMap<WaveTrack, (WaveTrack | undefined)[]>();
/** The track that a row draws. A bit's is made when it is first looked at. */
export function traceOf(row: SignalRow): WaveTrack {
  if (row.bit === null) return row.track;
  let bits = bitTracks.get(row.track);
  if (!bits) {
    bits = [];
    bitTracks.set(row.track, bits);
  }
  bits[row.bit] ??= bitTrack(row.track, row.bit);
  return bits[row.bit]!;
}

/** [rows + 1] Pixels above each row; the last one is the height of all. */
export function rowTops(rows: readonly WaveRow[]): Float64Array {
  const tops = new Float64Array(rows.length + 1);
  rows.forEach((row, i) => {
    tops[i + 1] = tops[i] + row.height;
  });
  return tops;
}

/** Index of the row at a height; `rows` if it is below all. */
export function rowAt(tops: Float64Array, y: number): number {
  let low = 0;
  let high = tops.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (tops[middle + 1] <= y) low = middle + 1;
    else high = middle;
  }
  return low;
}

const firstShown = 40;

/** What is shown before anybody has chosen: the signals of the outermost scope. */
export function firstRows(waves: Waves): readonly LayoutRow[] {
  const outer = waves.tracks.filter((track) => track.path.length === 1);
  const start = outer.length ? outer : waves.tracks;
  return start.slice(0, firstShown).map((track) => ({ key: trackKey(track), group: null }));
}
