/**
 * Sequences of a concurrent assertion as automata: an edge is one clock tick on which all its conditions hold. Built from
 * the inside out (Thompson 1968, without empty edges: an automaton says of itself whether nothing at all matches it).
 */

/** Number of a term twice, plus 1 if it must not hold. */
export type Literal = number;
export interface SequenceEdge {
  readonly from: number;
  readonly to: number;
  /** All of them; none: any tick will do. */
  readonly when: readonly Literal[];
}
export interface Sequence {
  readonly states: number;
  /** State 0 is the first one; no edge leads to it. */
  readonly edges: readonly SequenceEdge[];
  readonly finals: ReadonlySet<number>;
  /** No tick at all is a match. */
  readonly empty: boolean;
}

/** Thrown for a sequence that is too large to be followed. */
export class SequenceTooLarge extends Error {}
const mostEdges = 50_000;

function made(states: number, edges: readonly SequenceEdge[], finals: Iterable<number>, empty = false): Sequence {
  if (edges.length > mostEdges) throw new SequenceTooLarge();
  return { states, edges, finals: new Set(finals), empty };
}

/** One tick on which the conditions hold. */
export const tick = (when: readonly Literal[]): Sequence => made(2, [{ from: 0, to: 1, when }], [1]);
export const nothing: Sequence = made(1, [], [], true);

const moved = (edges: readonly SequenceEdge[], by: number): SequenceEdge[] =>
  edges.map(({ from, to, when }) => ({ from: from + by, to: to + by, when }));
const firstOf = (sequence: Sequence): readonly SequenceEdge[] => sequence.edges.filter(({ from }) => from === 0);
const both = (x: readonly Literal[], y: readonly Literal[]): Literal[] => [...new Set([...x, ...y])];

/** `b` begins on the tick behind the last one of `a`. */
export function chained(a: Sequence, b: Sequence): Sequence {
  const by = a.states;
  const joint = [...a.finals].flatMap((from) => firstOf(b).map(({ to, when }) => ({ from, to: to + by, when })));
  const skipped = a.empty ? firstOf(b).map(({ to, when }) => ({ from: 0, to: to + by, when })) : [];
  const inner = moved(b.edges, by).filter(({ from }) => from !== by);
  return made(
    a.states + b.states,
    [...a.edges, ...joint, ...skipped, ...inner],
    [...(b.empty ? a.finals : []), ...[...b.finals].map((state) => state + by)],
    a.empty && b.empty,
  );
}

/** `b` begins on the last tick of `a`. */
export function fused(a: Sequence, b: Sequence): Sequence {
  const by = a.states;
  const joint = a.edges
    .filter(({ to }) => a.finals.has(to))
    .flatMap(({ from, when }) => firstOf(b).map((edge) => ({ from, to: edge.to + by, when: both(when, edge.when) })));
  const inner = moved(b.edges, by).filter(({ from }) => from !== by);
  return made(
    a.states + b.states,
    [...a.edges, ...joint, ...inner],
    [...b.finals].map((state) => state + by),
  );
}

export function either(a: Sequence, b: Sequence): Sequence {
  const by = a.states;
  const inner = moved(b.edges, by).map((edge) => (edge.from === by ? { ...edge, from: 0 } : edge));
  return made(
    a.states + b.states,
    [...a.edges, ...inner],
    [...a.finals, ...[...b.finals].map((state) => state + by)],
    a.empty || b.empty,
  );
}

/** Any number of times, each on the tick behind the one before. */
export function star(a: Sequence): Sequence {
  const again = [...a.finals].flatMap((from) => firstOf(a).map(({ to, when }) => ({ from, to, when })));
  return made(a.states, [...a.edges, ...again], a.finals, true);
}

/** `low` to `high` times; null: without an end. */
export function times(a: Sequence, low: number, high: number | null): Sequence {
  let result = nothing;
  for (let i = 0; i < low; i++) result = chained(result, a);
  if (high === null) return chained(result, star(a));
  let tail = nothing;
  for (let i = low; i < high; i++) tail = either(nothing, chained(a, tail));
  return chained(result, tail);
}

/** `a ##[low:high] b`; without `a`, ticks before `b`. */
export function delayed(a: Sequence | null, low: number, high: number | null, b: Sequence): Sequence {
  const any = tick([]);
  const ways: Sequence[] = [];
  if (!a) return chained(times(any, low, high), b);
  const first = Math.max(1, low);
  if (low === 0) ways.push(fused(a, b));
  if (high === null || high >= first)
    ways.push(chained(chained(a, times(any, first - 1, high === null ? null : high - 1)), b));
  return ways.reduce(either);
}

/** Both from the same tick on; `sameEnd`: also to the same tick, else to the later of their ends. */
export function joined(a: Sequence, b: Sequence, sameEnd: boolean): Sequence {
  const done = -1;
  const names = new Map<string, number>();
  const queue: [number, number][] = [];
  const number = (p: number, q: number): number => {
    const key = `${p},${q}`;
    let state = names.get(key);
    if (state === undefined) {
      state = names.size;
      names.set(key, state);
      queue.push([p, q]);
    }
    return state;
  };
  number(0, 0);
  const edges: SequenceEdge[] = [];
  const outOf = (sequence: Sequence, state: number) => sequence.edges.filter(({ from }) => from === state);
  const finals = new Set<number>();
  for (let next = queue.shift(); next; next = queue.shift()) {
    const [p, q] = next;
    const from = number(p, q);
    const isFinal = (sequence: Sequence, state: number) => state === done || sequence.finals.has(state);
    const isOver = (sequence: Sequence, state: number) => isFinal(sequence, state) || (state === 0 && sequence.empty);
    if ((p !== done || q !== done) && from !== 0 && isFinal(a, p) && isFinal(b, q)) finals.add(from);
    const left = p === done ? [] : outOf(a, p);
    const right = q === done ? [] : outOf(b, q);
    for (const x of left)
      for (const y of right) edges.push({ from, to: number(x.to, y.to), when: both(x.when, y.when) });
    if (edges.length > mostEdges) throw new SequenceTooLarge();
    if (sameEnd) continue;
    // one of them has ended here, or before
    if (isOver(b, q)) for (const x of left) edges.push({ from, to: number(x.to, done), when: x.when });
    if (isOver(a, p)) for (const y of right) edges.push({ from, to: number(done, y.to), when: y.when });
  }
  return made(names.size, edges, finals, a.empty && b.empty);
}

/** The condition holds on every tick. */
export const throughout = (literal: Literal, a: Sequence): Sequence =>
  made(
    a.states,
    a.edges.map((edge) => ({ ...edge, when: both(edge.when, [literal]) })),
    a.finals,
    a.empty,
  );

/** `a` somewhere within the ticks of `b`. */
export function within(a: Sequence, b: Sequence): Sequence {
  const any = star(tick([]));
  return joined(chained(chained(any, a), any), b, true);
}

/** What an assertion says, over sequences. */
export type PropertyTree =
  | { readonly kind: "sequence"; readonly sequence: Sequence }
  | {
      readonly kind: "implies";
      readonly overlapped: boolean;
      readonly left: Sequence;
      readonly first: boolean;
      readonly right: PropertyTree;
    }
  | { readonly kind: "not"; readonly of: PropertyTree }
  | { readonly kind: "and" | "or"; readonly left: PropertyTree; readonly right: PropertyTree }
  | { readonly kind: "if"; readonly test: Literal; readonly yes: PropertyTree; readonly no: PropertyTree | null };
