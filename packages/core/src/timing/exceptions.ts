import { type ActiveGraph, passes } from "./active-graph.ts";
import type { BoundException, BoundPoints, EdgeBits } from "./bound-rules.ts";

/**
 * Exceptions as what a path has to do to be one: begin at certain places, pass others in order, end at some. A path carries
 * a state: the exceptions whose beginning it has met, each with the number of places that it has passed. States are
 * numbered; 0 is the empty one.
 */
export class ExceptionTable {
  private readonly states: (readonly number[])[] = [[]];
  private readonly stateOf = new Map<string, number>([["", 0]]);
  /** Begins at a pin, and at a clock's edge: exceptions. */
  private readonly fromPin = new Map<number, { readonly exception: number; readonly edges: EdgeBits }[]>();
  private readonly fromClock = new Map<number, number[]>();
  /** Pins to pass: exception and which of its places. */
  private readonly passing = new Map<
    number,
    { readonly exception: number; readonly place: number; readonly edges: EdgeBits }[]
  >();
  private readonly toPin = new Map<number, { readonly exception: number; readonly edges: EdgeBits }[]>();
  /** Those that have neither a beginning nor a place to pass: by their end, and all whose end is no pin. */
  private readonly endOnlyAt = new Map<number, number[]>();
  private readonly endOnly: number[] = [];
  private readonly reach: ReachCache;
  private readonly pinSets: ReadonlySet<number>[];
  private readonly hasPlaces: boolean;
  /** True where some exception asks for a rise or a fall. */
  readonly asksForEdges: boolean;

  constructor(
    readonly exceptions: readonly BoundException[],
    active: ActiveGraph,
  ) {
    this.reach = new ReachCache(active);
    this.pinSets = exceptions.map(({ to }) => new Set(to?.pins ?? []));
    let asks = false;
    exceptions.forEach((each, e) => {
      asks ||= each.edges !== 3;
      const { from, through, to } = each;
      if (from) {
        asks ||= from.edges !== 3 && from.pins.length > 0;
        for (const pin of from.pins) push(this.fromPin, pin, { exception: e, edges: from.edges });
        for (const edge of from.clockEdges) push(this.fromClock, edge, e);
      }
      through.forEach((points, place) => {
        asks ||= points.edges !== 3;
        for (const pin of points.pins) push(this.passing, pin, { exception: e, place, edges: points.edges });
      });
      if (to) {
        asks ||= to.edges !== 3 && to.pins.length > 0;
        for (const pin of to.pins) push(this.toPin, pin, { exception: e, edges: to.edges });
      }
      if (from || through.length) return;
      if (!to || to.clockEdges.length) this.endOnly.push(e);
      else for (const pin of to.pins) push(this.endOnlyAt, pin, e);
    });
    this.asksForEdges = asks;
    this.hasPlaces = this.passing.size > 0;
  }

  /** The same paths with other values: bounds, cycles. @param exceptions As many, each of the same paths as the one before. */
  withValues(exceptions: readonly BoundException[]): ExceptionTable {
    return Object.assign(Object.create(ExceptionTable.prototype) as ExceptionTable, this, { exceptions });
  }

  private intern(items: readonly number[]): number {
    const key = items.join();
    let state = this.stateOf.get(key);
    if (state === undefined) {
      state = this.states.push(items) - 1;
      this.stateOf.set(key, state);
    }
    return state;
  }

  private readonly starts = new Map<number, number>();
  /** State of a path that begins. @param clockEdge `2 * clock + falls`, -1 without a clock. @param edge Transition at the pin. */
  start(pin: number, clockEdge: number, edge: EdgeBits): number {
    const own = this.fromPin.get(pin);
    if (!own) {
      let state = this.starts.get(clockEdge);
      if (state === undefined) {
        const clocks = this.fromClock.get(clockEdge) ?? [];
        state = this.intern([...new Set(clocks)].sort((a, b) => a - b).map((e) => e * placeLimit));
        this.starts.set(clockEdge, state);
      }
      return this.step(state, pin, edge);
    }
    const matched = new Set(this.fromClock.get(clockEdge) ?? []);
    for (const { exception, edges } of own) if (edges & edge) matched.add(exception);
    const items = [...matched].sort((a, b) => a - b).map((e) => e * placeLimit);
    return this.step(this.intern(items), pin, edge);
  }

  /** State of a path that comes to a pin: places passed are counted, what cannot be met any more is dropped. */
  step(state: number, pin: number, edge: EdgeBits): number {
    const items = this.states[state];
    const places = this.hasPlaces ? this.passing.get(pin) : undefined;
    if (!places) {
      let isSame = true;
      for (let i = 0; i < items.length && isSame; i++) isSame = this.canBeMet(items[i], pin);
      return isSame ? state : this.intern(items.filter((item) => this.canBeMet(item, pin)));
    }
    const now = new Map(items.map((item) => [Math.floor(item / placeLimit), item % placeLimit]));
    for (const { exception, place, edges } of places) {
      if (!(edges & edge)) continue;
      const passed = now.get(exception) ?? (this.exceptions[exception].from ? -1 : 0);
      if (passed === place) now.set(exception, place + 1);
    }
    const result = [...now].map(([e, passed]) => e * placeLimit + passed).sort((x, y) => x - y);
    return this.intern(result.filter((item) => this.canBeMet(item, pin)));
  }

  private canBeMet(item: number, pin: number): boolean {
    const exception = this.exceptions[Math.floor(item / placeLimit)];
    const next: BoundPoints | null = exception.through[item % placeLimit] ?? exception.to;
    if (!next || next.clockEdges.length > 0) return true;
    return this.reach.leads(next.pins, pin);
  }

  /**
   * What a path is told at its end: for setup and for hold, the exception that counts, -1 for none; all that it met
   * otherwise (groups, skews) in `others`.
   * @param captureEdge -1 without a clock.
   */
  atEnd(state: number, pin: number, edge: EdgeBits, captureEdge: number): EndRules {
    const met: { exception: number; rank: number }[] = [];
    const consider = (e: number) => {
      const { from, through, to, edges } = this.exceptions[e];
      if (!(edges & edge)) return;
      let rank = through.length ? 4 : 0;
      if (to) {
        const hasPin = this.pinSets[e].has(pin) && (to.edges & edge) !== 0;
        const hasClock = to.clockEdges.includes(captureEdge);
        if (!hasPin && !hasClock) return;
        rank += hasPin ? 8 : 1;
      }
      if (from) rank += from.pins.length ? 16 : 2;
      met.push({ exception: e, rank });
    };
    for (const item of this.states[state]) {
      const e = Math.floor(item / placeLimit);
      if (item % placeLimit === this.exceptions[e].through.length) consider(e);
    }
    for (const e of this.endOnly) consider(e);
    for (const e of this.endOnlyAt.get(pin) ?? []) consider(e);
    return this.choose(met);
  }

  /**
   * By the precedence of the SDC documents: false paths before bounds on the delay before multicycles; within a kind, a
   * beginning at a pin before an end at a pin, before places passed, before clocks. Of equals, the tighter one.
   */
  private choose(met: readonly { readonly exception: number; readonly rank: number }[]): EndRules {
    let setup = -1;
    let hold = -1;
    let hasFalseSetup = false;
    let hasFalseHold = false;
    const others: number[] = [];
    const better = (old: number, next: number, ranks: ReadonlyMap<number, number>): boolean => {
      if (old < 0) return true;
      const [a, b] = [this.exceptions[old], this.exceptions[next]];
      const order = orderOf(a.kind) - orderOf(b.kind);
      if (order !== 0) return order > 0;
      const rank = ranks.get(next)! - ranks.get(old)!;
      if (rank !== 0) return rank > 0;
      return a.kind === "min delay" ? b.value > a.value : b.value < a.value;
    };
    const ranks = new Map(met.map(({ exception, rank }) => [exception, rank]));
    for (const { exception } of met) {
      const { kind, setup: forSetup, hold: forHold } = this.exceptions[exception];
      if (kind === "group" || kind === "max skew") {
        others.push(exception);
        continue;
      }
      if (forSetup && kind !== "min delay" && better(setup, exception, ranks)) setup = exception;
      if (forHold && kind !== "max delay" && better(hold, exception, ranks)) hold = exception;
      if (kind === "false path") {
        hasFalseSetup ||= forSetup;
        hasFalseHold ||= forHold;
      }
    }
    // a multicycle for setup moves the hold check with it
    let setupCycles = -1;
    for (const { exception } of met) {
      const { kind, setup: forSetup } = this.exceptions[exception];
      if (kind === "multicycle" && forSetup && (setupCycles < 0 || better(setupCycles, exception, ranks)))
        setupCycles = exception;
    }
    return {
      setup,
      hold,
      isFalseSetup: hasFalseSetup,
      isFalseHold: hasFalseHold,
      setupCycles,
      others,
      met: met.map(({ exception }) => exception),
    };
  }

  /** True if some exception names a pin as an end. */
  endsAt(pin: number): boolean {
    return this.toPin.has(pin);
  }

  get stateCount(): number {
    return this.states.length;
  }
}

export interface EndRules {
  readonly setup: number;
  readonly hold: number;
  readonly isFalseSetup: boolean;
  readonly isFalseHold: boolean;
  /** The multicycle that says how far the setup check is moved, whatever else counts for it; -1 for none. */
  readonly setupCycles: number;
  readonly others: readonly number[];
  /** All of them, whether they count or not. */
  readonly met: readonly number[];
}

/** Places that one exception may ask a path to pass, and one more. */
export const placeLimit = 64;

function orderOf(kind: BoundException["kind"]): number {
  return kind === "false path" ? 0 : kind === "max delay" || kind === "min delay" ? 1 : 2;
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/**
 * Pins from which some of a set is reached, worked out when first asked for: small sets of them as numbers in order, large ones as
 * bits. Beyond a bound of memory, all pins count.
 */
class ReachCache {
  private readonly sets = new Map<readonly number[], Reach>();
  private readonly byKey = new Map<string, Reach>();
  /** [pins] Turn in which each was last met. */
  private readonly met: Int32Array;
  private turn = 0;
  private bytes = 0;

  constructor(private readonly active: ActiveGraph) {
    this.met = new Int32Array(active.graph.pinCount);
  }

  leads(pins: readonly number[], pin: number): boolean {
    let reach = this.sets.get(pins);
    if (reach === undefined) {
      const key = pins.join();
      reach = this.byKey.get(key) ?? this.make(pins);
      this.byKey.set(key, reach);
      this.sets.set(pins, reach);
    }
    if (reach === "all") return true;
    if (reach instanceof Uint8Array) return ((reach[pin >> 3] >> (pin & 7)) & 1) === 1;
    let low = 0;
    let high = reach.length - 1;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (reach[middle] < pin) low = middle + 1;
      else high = middle;
    }
    return reach[low] === pin;
  }

  private make(pins: readonly number[]): Reach {
    const { graph, isOn } = this.active;
    const { inStart, inArc, arcFrom, arcKind } = graph;
    const { met } = this;
    const turn = ++this.turn;
    const found: number[] = [];
    for (const pin of pins)
      if (met[pin] !== turn) {
        met[pin] = turn;
        found.push(pin);
      }
    for (let head = 0; head < found.length; head++) {
      const pin = found[head];
      for (let a = inStart[pin]; a < inStart[pin + 1]; a++) {
        const arc = inArc[a];
        const from = arcFrom[arc];
        if (met[from] === turn || !isOn[arc] || !passes(arcKind[arc])) continue;
        met[from] = turn;
        found.push(from);
      }
    }
    const size = Math.min(4 * found.length, (graph.pinCount + 7) >> 3);
    if (this.bytes + size > reachBytes) return "all";
    this.bytes += size;
    if (size === 4 * found.length) return Int32Array.from(found).sort();
    const bits = new Uint8Array(size);
    for (const pin of found) bits[pin >> 3] |= 1 << (pin & 7);
    return bits;
  }
}
type Reach = Int32Array | Uint8Array | "all";
const reachBytes = 64 << 20;
