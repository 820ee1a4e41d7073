import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { Analysis } from "./analysis.ts";
import { isAssumed } from "./assumed-clocks.ts";
import type { TimingState } from "./timing-state.ts";

/** How much of a circuit the timing rules cover. Names are those of the graph. */
export interface Coverage {
  /** Clock pins of registers, latches, memories and blocks, and how many of them a declared clock comes to. */
  readonly clockPins: { readonly total: number; readonly clocked: number };
  /** Ports where data comes in or goes out, and those among them that no rule says anything of. */
  readonly inputs: PortCoverage;
  readonly outputs: PortCoverage;
  /** Pins where paths end: with a goal; left out by a rule; without any rule. */
  readonly ends: { readonly judged: number; readonly excluded: number; readonly open: number };
  readonly pairs: readonly ClockPair[];
  readonly exceptions: readonly ExceptionUse[];
}
interface PortCoverage {
  readonly total: number;
  readonly covered: number;
  readonly open: readonly string[];
}
/** Paths from one clock to another. */
export interface ClockPair {
  readonly launch: string;
  readonly capture: string;
  /**
   * "cut": rules say that no path counts; "related": made of one clock; "undecided": neither, so paths are judged as if the
   * clocks kept step; "undeclared": one of them has no rule, so nothing is judged.
   */
  readonly state: "same" | "related" | "cut" | "undecided" | "undeclared";
  /** Pins where such paths end. */
  readonly ends: number;
  /** Of setup and recovery, in ps; null where delays are not known, or nothing is judged. */
  readonly worstSlackPs: number | null;
}
/** What an exception does: it decides at so many ends, and lies on so many more where another one counts. */
interface ExceptionUse {
  /** Number in the timing rules. */
  readonly rule: number;
  readonly decides: number;
  readonly meets: number;
}

/** @param declared Clocks of the rules; those behind were assumed. */
export function coverageOf(analysis: Analysis, rules: TimingRules, declared: number): Coverage {
  const { active, network, entries, rules: bound } = analysis;
  const { graph } = active;
  const clockPins = new Set<number>(graph.checkClock);
  let clocked = 0;
  for (const pin of clockPins) {
    let isClocked = false;
    for (let node = network.first[pin]; node >= 0; node = network.next[node])
      isClocked ||= network.clock[node] < declared;
    if (isClocked) clocked++;
  }
  return {
    clockPins: { total: clockPins.size, clocked },
    ...portCoverage(analysis, declared),
    ends: endCoverage(analysis, declared),
    pairs: clockPairs(analysis, declared, null),
    exceptions: exceptionUse(),
  };

  function exceptionUse(): ExceptionUse[] {
    const decides = new Map<number, Set<number>>();
    const meets = new Map<number, Set<number>>();
    const note = (map: Map<number, Set<number>>, e: number, end: number) => {
      const rule = bound.exceptions[e].rule;
      const set = map.get(rule) ?? new Set<number>();
      set.add(end);
      map.set(rule, set);
    };
    for (let entry = 0; entry < entries.count; entry++) {
      const end = entries.end[entry];
      const { why, rules: own } = entries.info[entries.infoOf[entry]];
      // what clock groups cut is decided by them
      const cycles = own.isFalseSetup && own.isFalseHold ? -1 : own.setupCycles;
      for (const e of why === "cut clocks" ? [] : new Set([own.setup, own.hold, cycles, ...own.others]))
        if (e >= 0) note(decides, e, end);
      for (const e of own.met) note(meets, e, end);
    }
    return rules.exceptions.map((_, rule) => ({
      rule,
      decides: decides.get(rule)?.size ?? 0,
      meets: meets.get(rule)?.size ?? 0,
    }));
  }
}

function portCoverage(
  { active, rules, search, entries, ends }: Analysis,
  declared: number,
): Pick<Coverage, "inputs" | "outputs"> {
  const { graph } = active;
  const starts = new Set<number>();
  const reached = new Set<number>();
  const judged = new Set<number>();
  // an input whose paths rules leave out, or bound, has been thought of
  const thoughtOf = new Set<number>();
  const startOf = startPins(
    search,
    graph.ports.map(({ inPin }) => inPin),
  );
  for (let entry = 0; entry < entries.count; entry++) {
    const v = entries.vertex[entry];
    const { why } = entries.info[entries.infoOf[entry]];
    const end = ends[entries.end[entry]];
    if (end.check < 0) {
      reached.add(end.pin);
      if (why !== "no clock") judged.add(end.pin);
    }
    for (const pin of startOf(v)) {
      starts.add(pin);
      if (why !== "no clock") thoughtOf.add(pin);
    }
  }
  const clockSources = new Set(rules.clocks.slice(0, declared).flatMap(({ sources }) => sources));
  const delayed = new Set(rules.ioDelays.map(({ side, port }) => `${side} ${port}`));
  const inputs: { name: string; covered: boolean }[] = [];
  const outputs: { name: string; covered: boolean }[] = [];
  graph.ports.forEach(({ name, inPin, outPin }, port) => {
    const isClock = clockSources.has(inPin) || isAssumedSource(inPin);
    if (inPin >= 0 && starts.has(inPin) && !isClock)
      inputs.push({ name, covered: delayed.has(`input ${port}`) || thoughtOf.has(inPin) });
    if (outPin >= 0 && reached.has(outPin))
      outputs.push({ name, covered: delayed.has(`output ${port}`) || judged.has(outPin) });
  });
  function isAssumedSource(pin: number): boolean {
    return rules.clocks.slice(declared).some(({ sources }) => sources.includes(pin));
  }
  const count = (list: readonly { name: string; covered: boolean }[]): PortCoverage => ({
    total: list.length,
    covered: list.filter(({ covered }) => covered).length,
    open: list.flatMap(({ name, covered }) => (covered ? [] : [name])),
  });
  return { inputs: count(inputs), outputs: count(outputs) };
}

/** Ports that a vertex can be reached from. Worked out backward once, as sets that vertices share. */
function startPins(search: Analysis["search"], ports: readonly number[]): (vertex: number) => readonly number[] {
  const isPort = new Set(ports.filter((pin) => pin >= 0));
  const none: readonly number[] = [];
  const at: (readonly number[])[] = new Array(search.vertexCount);
  const unions = new Map<string, readonly number[]>();
  const ids = new Map<readonly number[], number>([[none, 0]]);
  const union = (a: readonly number[], b: readonly number[]): readonly number[] => {
    if (a === b || b.length === 0) return a;
    if (a.length === 0) return b;
    const [x, y] = [ids.get(a)!, ids.get(b)!];
    const key = x < y ? `${x} ${y}` : `${y} ${x}`;
    let known = unions.get(key);
    if (!known) {
      const all = [...new Set([...a, ...b])].sort((p, q) => p - q);
      known = all.length === a.length ? a : all.length === b.length ? b : all;
      unions.set(key, known);
      if (!ids.has(known)) ids.set(known, ids.size);
    }
    return known;
  };
  for (let v = 0; v < search.vertexCount; v++) {
    let own = none;
    if (isPort.has(search.pin[v])) {
      own = [search.pin[v]];
      ids.set(own, ids.size);
    }
    for (let e = search.inStart[v]; e < search.inStart[v + 1]; e++) own = union(own, at[search.inFrom[e]]);
    at[v] = own;
  }
  return (vertex) => at[vertex];
}

function endCoverage(analysis: Analysis, declared: number): Coverage["ends"] {
  const { entries, ends } = analysis;
  const judged = new Set<number>();
  const excluded = new Set<number>();
  const met = new Set<number>();
  for (let entry = 0; entry < entries.count; entry++) {
    const { pin } = ends[entries.end[entry]];
    const { why } = entries.info[entries.infoOf[entry]];
    const hasGoal = !isAssumed(analysis, entry, declared);
    met.add(pin);
    if (why === "checked" && hasGoal) judged.add(pin);
    else if (why === "false path" || (why === "cut clocks" && hasGoal)) excluded.add(pin);
  }
  let open = 0;
  for (const pin of met) if (!judged.has(pin) && !excluded.has(pin)) open++;
  let left = 0;
  for (const pin of excluded) if (!judged.has(pin)) left++;
  return { judged: judged.size, excluded: left, open };
}

/**
 * Pairs of clocks with paths from one to the other.
 * @param declared As in `coverageOf`. @param state For the worst slack of setup and recovery; without it there is none.
 */
export function clockPairs(
  { entries, ends, search, network, rules }: Analysis,
  declared: number,
  state: TimingState | null,
): ClockPair[] {
  const found = new Map<number, { ends: Set<number>; worst: number }>();
  const count = rules.clocks.length;
  for (let entry = 0; entry < entries.count; entry++) {
    const launch = search.launches[search.launch[entries.vertex[entry]]];
    const node = entries.node[entry];
    if (launch.clock < 0 || node < 0) continue;
    const key = launch.clock * count + network.clock[node];
    const own = found.get(key) ?? { ends: new Set<number>(), worst: Infinity };
    own.ends.add(ends[entries.end[entry]].pin);
    if (state) own.worst = Math.min(own.worst, state.setupSlack[entry]);
    found.set(key, own);
  }
  const rootOf = (clock: number): number => {
    let at = clock;
    for (let i = 0; i < count && rules.clocks[at].master >= 0; i++) at = rules.clocks[at].master;
    return at;
  };
  return [...found]
    .sort((a, b) => a[0] - b[0])
    .map(([key, { ends: own, worst }]): ClockPair => {
      const [launch, capture] = [Math.floor(key / count), key % count];
      const hasAssumed = launch >= declared || capture >= declared;
      const pairState =
        launch === capture
          ? "same"
          : hasAssumed
            ? "undeclared"
            : rules.cutPairs.has(key)
              ? "cut"
              : rootOf(launch) === rootOf(capture)
                ? "related"
                : "undecided";
      return {
        launch: rules.clocks[launch].name,
        capture: rules.clocks[capture].name,
        state: pairState,
        ends: own.size,
        worstSlackPs: worst === Infinity || hasAssumed ? null : worst,
      };
    });
}
