/** A clock's waveform. Times in ps. */
export interface Waveform {
  readonly periodPs: number;
  /** Rise, fall, rise, fall ... within one period. */
  readonly edgesPs: readonly number[];
}

/** Most launching edges that are looked at: periods that share none to speak of are cut off after them. */
const edgeLimit = 2000;
/** Edges closer than this are one: periods of made clocks need not be whole. In ps. */
const sameEdgePs = 1e-3;

/** Rising or falling edges within one period, in order, from 0 to the period. */
export function edgesOf({ periodPs, edgesPs }: Waveform, falls: boolean): number[] {
  const own = edgesPs.filter((_, i) => (i % 2 === 1) === falls);
  return own.map((edge) => edge - Math.floor(edge / periodPs) * periodPs).sort((a, b) => a - b);
}

/** The first edge behind a time, and the last one before it. */
function around(edges: readonly number[], periodPs: number, time: number): { after: number; before: number } {
  let after = Infinity;
  let before = -Infinity;
  for (const edge of edges) {
    const next = edge + (Math.floor((time - edge + sameEdgePs) / periodPs) + 1) * periodPs;
    after = Math.min(after, next);
    // the last one that is clearly before
    const last = edge + (Math.ceil((time - edge - sameEdgePs) / periodPs) - 1) * periodPs;
    before = Math.max(before, last);
  }
  return { after, before };
}

/** Launching edges over the time in which both clocks repeat. */
function* launchingEdges(launch: Waveform, falls: boolean, capture: Waveform): Generator<number> {
  const launching = edgesOf(launch, falls);
  for (let i = 0; i < edgeLimit; i++) {
    const turns = (i * launch.periodPs) / capture.periodPs;
    if (i > 0 && Math.abs(turns - Math.round(turns)) < 1e-9) return;
    for (const edge of launching) yield edge + i * launch.periodPs;
  }
}

/**
 * Time from a launching edge to the capturing edge behind it, the least over all launching edges; and to the edge before
 * that one, which must not catch the same data, the most over all. In ps.
 * @param captureFalls Edge that captures. @param holdFalls Edge that ends what went before: for registers the same.
 */
export function edgeRelation(
  launch: Waveform,
  launchFalls: boolean,
  capture: Waveform,
  captureFalls: boolean,
  holdFalls: boolean = captureFalls,
): { setup: number; hold: number } {
  const capturing = edgesOf(capture, captureFalls);
  const holding = edgesOf(capture, holdFalls);
  let setup = Infinity;
  let hold = -Infinity;
  for (const from of launchingEdges(launch, launchFalls, capture)) {
    const { after } = around(capturing, capture.periodPs, from);
    setup = Math.min(setup, after - from);
    hold = Math.max(hold, around(holding, capture.periodPs, after).before - from);
  }
  return { setup, hold };
}

/**
 * A latch catches what it has when it closes, behind the edge that opens it after the launch: setup goes to that closing
 * edge, hold to the one before it opens. The least and the most over all launching edges, in ps.
 * @param closesFalling It closes with the falling edge of its clock, and opens with the rising one.
 */
export function latchRelation(
  launch: Waveform,
  launchFalls: boolean,
  latch: Waveform,
  closesFalling: boolean,
): { setup: number; hold: number; open: number } {
  const opening = edgesOf(latch, !closesFalling);
  const closing = edgesOf(latch, closesFalling);
  const { periodPs } = latch;
  let setup = Infinity;
  let hold = -Infinity;
  let open = Infinity;
  for (const from of launchingEdges(launch, launchFalls, latch)) {
    const opens = around(opening, periodPs, from).after;
    setup = Math.min(setup, around(closing, periodPs, opens).after - from);
    hold = Math.max(hold, around(closing, periodPs, opens).before - from);
    open = Math.min(open, opens - from);
  }
  return { setup, hold, open };
}
