import { changeAt, type Waves, type WaveTrack } from "./wave-store.ts";

/**
 * Looks for a time in waves by a condition in our own small syntax: terms joined by `and`, each one of
 *
 *     name = value     name != value    name < value    name <= value    name > value    name >= value
 *     name rises       name falls       name changes
 *
 * A name is that of a signal, with as many of its scopes before it as it takes to tell it apart. A value is a decimal, a
 * hexadecimal (0x2f) or a binary (0b101) number, a name of an enumeration, or x for unknown. A condition of values alone
 * is met where it becomes true; with an event among the terms, at each such event.
 */
interface Condition {
  readonly terms: readonly Term[];
}
type Relation = "=" | "!=" | "<" | "<=" | ">" | ">=";
export type Term =
  | { readonly kind: "value"; readonly track: WaveTrack; readonly relation: Relation; readonly value: bigint | "x" }
  | { readonly kind: "event"; readonly track: WaveTrack; readonly event: "rises" | "falls" | "changes" };

/** @returns The condition, or in words what is wrong with it. */
export function parseCondition(text: string, waves: Waves): Condition | string {
  const terms: Term[] = [];
  for (const part of text.split(/\s+and\s+|\s*&&\s*/)) {
    const event = /^\s*([\w.$[\]\\]+)\s+(rises|falls|changes)\s*$/.exec(part);
    const value = /^\s*([\w.$[\]\\]+)\s*(==|=|!=|<=|>=|<|>)\s*(\S+)\s*$/.exec(part);
    if (!event && !value)
      return part.trim()
        ? `'${part.trim()}' is no term: write name = value, or name rises.`
        : "Write a condition, such as full = 1.";
    const name = (event ?? value)![1];
    const found = waves.tracks.filter((track) => {
      const whole = [...track.path, track.name].join(".");
      return whole === name || whole.endsWith(`.${name}`);
    });
    if (found.length === 0) return `No signal is called '${name}'.`;
    // the outermost one, if several scopes have the name
    const track = found.reduce((best, each) => (each.path.length < best.path.length ? each : best));
    if (track.kind !== "bits") return `'${name}' has no bits to compare.`;
    if (event) {
      terms.push({ kind: "event", track, event: event[2] as "rises" | "falls" | "changes" });
      continue;
    }
    const relation = (value![2] === "==" ? "=" : value![2]) as Relation;
    const number = parseValue(value![3], track);
    if (number === null) return `'${value![3]}' is no value: write a number such as 12, 0x2f or 0b101.`;
    terms.push({ kind: "value", track, relation, value: number });
  }
  return { terms };
}

function parseValue(text: string, track: WaveTrack): bigint | "x" | null {
  if (/^[xz]$/i.test(text)) return "x";
  const named = Object.entries(track.names ?? {}).find(([, name]) => name === text);
  if (named) return BigInt(named[0]);
  if (!/^(0x[\da-f]+|0b[01]+|-?\d+)$/i.test(text)) return null;
  const value = text.startsWith("-") ? -BigInt(text.slice(1)) : BigInt(text);
  return track.signed ? value : BigInt.asUintN(track.width, value);
}

/** Value of a track as a number; "x" where a bit is unknown, null before its first change. */
function numberAt(track: WaveTrack, change: number): bigint | "x" | null {
  if (change < 0) return null;
  if (track.width <= 32) {
    if (track.b[change] !== 0) return "x";
    const value = BigInt(track.a[change]);
    return track.signed ? BigInt.asIntN(track.width, value) : value;
  }
  const text = track.texts[change];
  if (/[xz]/.test(text)) return "x";
  const value = BigInt(`0b${text}`);
  return track.signed ? BigInt.asIntN(track.width, value) : value;
}

function holds(term: Term, time: number): boolean {
  const { track } = term;
  const change = changeAt(track, time);
  if (term.kind === "event") {
    if (change < 1 || track.times[change] !== time) return false;
    if (term.event === "changes") return true;
    const now = numberAt(track, change);
    const before = numberAt(track, change - 1);
    const bit = (value: bigint | "x" | null) => (typeof value === "bigint" ? value & 1n : value);
    const [to, from] = [bit(now), bit(before)];
    if (to === from) return false;
    return term.event === "rises" ? to === 1n || from === 0n : to === 0n || from === 1n;
  }
  const value = numberAt(track, change);
  if (value === null) return false;
  if (term.value === "x") return (value === "x") === (term.relation === "=");
  if (value === "x") return false;
  switch (term.relation) {
    case "=":
      return value === term.value;
    case "!=":
      return value !== term.value;
    case "<":
      return value < term.value;
    case "<=":
      return value <= term.value;
    case ">":
      return value > term.value;
    default:
      return value >= term.value;
  }
}

/** The nearest time after `from` (or before it) at which the condition is met; null if there is none. */
export function findTime(condition: Condition, from: number, forward: boolean): number | null {
  const { terms } = condition;
  const isEvent = terms.some((term) => term.kind === "event");
  // only changes of the tracks in the condition can meet it
  const tracks = [...new Set(terms.map((term) => term.track))];
  const at = tracks.map((track) =>
    forward ? changeAt(track, from) + 1 : changeAt(track, from - Number.EPSILON * Math.max(1, from)),
  );
  const met = (time: number) => terms.every((term) => holds(term, time));
  for (;;) {
    let best = -1;
    tracks.forEach((track, i) => {
      const time = track.times[at[i]];
      if (time === undefined) return;
      const other = best < 0 ? undefined : tracks[best].times[at[best]];
      if (other === undefined || (forward ? time < other : time > other)) best = i;
    });
    if (best < 0) return null;
    const time = tracks[best].times[at[best]];
    tracks.forEach((track, i) => {
      if (track.times[at[i]] === time) at[i] += forward ? 1 : -1;
    });
    if (!forward && time >= from) continue;
    if (!met(time)) continue;
    if (isEvent) return time;
    // of values alone: where they become true
    const before = Math.max(
      ...tracks.map(
        (track) => track.times[changeAt(track, time) - (track.times[changeAt(track, time)] === time ? 1 : 0)] ?? -1,
      ),
    );
    if (before < 0 || !met(before)) return time;
  }
}
