import type { Finding } from "../common/finding.ts";
import type { RuleEdge, RuleObject, RuleOrigin, RulePoints, TimingRules } from "../constraints/sdc/rules.ts";
import type {
  BoundClock,
  BoundDataCheck,
  BoundException,
  BoundIoDelay,
  BoundLatency,
  BoundPoints,
  BoundRules,
  BoundUncertainty,
  EdgeBits,
  PortLoad,
} from "./bound-rules.ts";
import { placeLimit } from "./exceptions.ts";
import { arcKind, type PinGraph } from "./pin-graph.ts";

/** Where the objects of rules are in a graph. Each list may be empty: then the circuit, as it is there, has none. */
export interface ObjectPlaces {
  /** Port of the graph, -1 for none. */
  port(name: string): number;
  /** Pins where data begins at a cell or pin: outputs of registers and blocks. */
  starts(object: RuleObject): readonly number[];
  /** Pins where paths end there. */
  ends(object: RuleObject): readonly number[];
  /** Pins that a path through it passes. */
  throughs(object: RuleObject): readonly number[];
  /** Pins where a clock that is declared there begins. */
  clockSources(object: RuleObject): readonly number[];
}

interface Binding {
  readonly rules: BoundRules;
  readonly findings: Finding[];
}

const edgeBits = (edge: RuleEdge): EdgeBits => (edge === "both" ? 3 : edge === "rise" ? 1 : 2);

/** Lays the rules of timing files over a graph. What has nothing to lie on is told. O(objects of all rules). */
export function bindRules(rules: TimingRules, graph: PinGraph, places: ObjectPlaces): Binding {
  return new Binder(rules, graph, places).bind();
}

/**
 * Where pins and clocks stand together as beginnings, a path counts as begun at a pin only if it is: each sort by itself. Groups
 * and skews rank by nothing, and stay whole.
 */
function byBeginning(exception: BoundException): BoundException[] {
  const { kind, from } = exception;
  if (!from || from.pins.length === 0 || from.clockEdges.length === 0 || kind === "group" || kind === "max skew")
    return [exception];
  return [
    { ...exception, from: { ...from, clockEdges: [] } },
    { ...exception, from: { ...from, pins: [] } },
  ];
}

class Binder {
  private readonly findings: Finding[] = [];
  private readonly clockIds: ReadonlyMap<string, number>;
  private readonly cache = new Map<string, readonly number[]>();

  constructor(
    private readonly rules: TimingRules,
    private readonly graph: PinGraph,
    private readonly places: ObjectPlaces,
  ) {
    this.clockIds = new Map(rules.clocks.map(({ name }, i) => [name, i]));
  }

  bind(): Binding {
    const { rules } = this;
    const clocks = this.clocks();
    const bound: BoundRules = {
      clocks,
      exceptions: this.exceptions(),
      ioDelays: this.ioDelays(),
      uncertainties: this.uncertainties(),
      latencies: this.latencies(),
      cutPairs: this.cutPairs(clocks),
      ...this.cases(),
      disabledArcs: this.disabled(),
      dataChecks: this.dataChecks(),
      loads: this.loads(),
      gating: this.gating(),
    };
    for (const { clocks: names, points, origin } of rules.propagated)
      if (names.length + points.length > 0)
        this.note(
          "sdc/no-effect",
          origin,
          "'set_propagated_clock' has no effect: clocks always count with their real way through the part.",
          "It can stay for other programs.",
          "note",
        );
    return { rules: bound, findings: this.findings };
  }

  private note(
    code: string,
    origin: RuleOrigin | null,
    message: string,
    remedy: string,
    severity: Finding["severity"] = "warning",
  ): void {
    this.findings.push({ code, severity, place: origin?.place ?? {}, message, remedy });
  }

  private clocks(): BoundClock[] {
    return this.rules.clocks.map(({ name, periodPs, edgesPs, sources, generated, origin }): BoundClock => {
      const pins = sources.flatMap((source) => this.pins(source, "clockSources"));
      if (sources.length && pins.length === 0 && origin)
        this.note(
          "sdc/clock-nowhere",
          origin,
          `'${this.rules.objects[sources[0]].name}', where the clock '${name}' begins, is not in the circuit as it is built.`,
          "Optimisation took it out: nothing that is clocked depends on it.",
        );
      return {
        name,
        periodPs,
        edgesPs,
        sources: pins,
        master: generated ? (this.clockIds.get(generated.master) ?? -1) : -1,
        masterPin: generated ? (this.pins(generated.source, "throughs")[0] ?? -1) : -1,
        isAutomatic: origin === null,
        jitterPs: 0,
        jitterFrom: -1,
      };
    });
  }

  private pins(object: number, how: "starts" | "ends" | "throughs" | "clockSources"): readonly number[] {
    const key = `${how}${object}`;
    let found = this.cache.get(key);
    if (!found) {
      found = this.places[how](this.rules.objects[object]);
      this.cache.set(key, found);
    }
    return found;
  }

  private readonly pointCache = new Map<readonly number[], Map<string, BoundPoints>>();
  private points(
    points: RulePoints | null,
    how: "starts" | "ends" | "throughs",
    origin: RuleOrigin,
  ): BoundPoints | null {
    if (!points) return null;
    const key = `${how}${points.edge}`;
    const byObjects = this.pointCache.get(points.objects) ?? new Map<string, BoundPoints>();
    this.pointCache.set(points.objects, byObjects);
    const known = byObjects.get(key);
    if (known) return known;
    const clockEdges: number[] = [];
    const pins = new Set<number>();
    const lost: RuleObject[] = [];
    for (const number of points.objects) {
      const object = this.rules.objects[number];
      if (object.kind === "clock") {
        const clock = this.clockIds.get(object.name);
        if (clock === undefined) continue;
        if (points.edge !== "fall") clockEdges.push(2 * clock);
        if (points.edge !== "rise") clockEdges.push(2 * clock + 1);
        continue;
      }
      const own = this.pins(number, how);
      if (own.length === 0) lost.push(object);
      for (const pin of own) pins.add(pin);
    }
    // a port stays a port: one without a load in a list of others is a wire of the board that the design leaves alone
    const told = lost.length === points.objects.length ? lost : lost.filter(({ kind }) => kind !== "port");
    if (told.length)
      this.lost(
        told.map(({ name }) => name),
        points.objects.length,
        how,
        origin,
      );
    const bound = { clockEdges, pins: [...pins].sort((a, b) => a - b), edges: edgeBits(points.edge) };
    byObjects.set(key, bound);
    return bound;
  }

  private lost(names: readonly string[], of: number, how: "starts" | "ends" | "throughs", origin: RuleOrigin): void {
    const what = { starts: "no path begins", ends: "no path ends", throughs: "no path passes" }[how];
    const shown = names.slice(0, 3).join(", ") + (names.length > 3 ? ` and ${names.length - 3} more` : "");
    this.note(
      "sdc/lost-object",
      origin,
      names.length === of
        ? `At ${shown}, ${what} in the circuit as it is built, so this rule covers nothing.`
        : `At ${names.length} of ${of} objects ${what} in the circuit as it is built: ${shown}.`,
      how === "throughs"
        ? "Optimisation took the net into other logic; the attribute keep in the source holds it."
        : "Optimisation took it out or made it part of a block; the attribute keep in the source holds a register.",
      names.length === of ? "warning" : "note",
    );
  }

  private exceptions(): BoundException[] {
    const bound: BoundException[] = [];
    const sameAs = new Map<string, number>();
    this.rules.exceptions.forEach((rule, number) => {
      const { kind, from, through, to, setup, hold, edge, value, byStart, group, origin } = rule;
      if (through.length >= placeLimit) {
        this.note(
          "sdc/through",
          origin,
          `A path is asked to pass more than ${placeLimit - 1} places.`,
          "Use fewer -through.",
          "error",
        );
        return;
      }
      const own = {
        from: this.points(from, "starts", origin),
        through: through.map((each) => this.points(each, "throughs", origin)!),
        to: this.points(to, "ends", origin),
      };
      const isEmpty = (points: BoundPoints | null) => points && points.pins.length + points.clockEdges.length === 0;
      if (isEmpty(own.from) || isEmpty(own.to) || own.through.some(isEmpty)) return;
      const exception: BoundException = {
        kind,
        ...own,
        setup,
        hold,
        edges: edgeBits(edge),
        value,
        byStart,
        group,
        rule: number,
      };
      const key = [
        kind,
        setup,
        hold,
        edge,
        group,
        describe(own.from),
        ...own.through.map(describe),
        describe(own.to),
      ].join("|");
      const before = sameAs.get(key);
      if (before !== undefined) {
        this.note(
          "sdc/replaced",
          this.rules.exceptions[bound[before].rule].origin,
          "A later line says the same of the same paths, so this one has no effect.",
          "Delete one of the two.",
        );
        bound[before] = exception;
        return;
      }
      sameAs.set(key, bound.push(exception) - 1);
    });
    return bound.flatMap(byBeginning);
  }

  private ioDelays(): BoundIoDelay[] {
    let bound: BoundIoDelay[] = [];
    this.rules.ioDelays.forEach((rule, number) => {
      const { side, ports, clock, clockFalls, reference, add, max, min, edge, ps, origin } = rule;
      const clockId = clock === null ? -1 : (this.clockIds.get(clock) ?? -1);
      for (const object of ports) {
        const port = this.places.port(this.rules.objects[object].name);
        if (port < 0) continue;
        const { inPin, outPin } = this.graph.ports[port];
        if ((side === "input" ? inPin : outPin) < 0) continue;
        const own: BoundIoDelay = {
          side,
          port,
          clock: clockId,
          clockFalls,
          reference: reference < 0 ? -1 : (this.pins(reference, "throughs")[0] ?? -1),
          add,
          max,
          min,
          edges: edgeBits(edge),
          ps,
          withoutLatency: rule.sourceLatencyIncluded,
          rule: number,
        };
        if (reference >= 0 && own.reference < 0)
          this.note(
            "sdc/lost-object",
            origin,
            `'${this.rules.objects[reference].name}' is not in the circuit as it is built.`,
            "Name another pin.",
          );
        bound = bound.flatMap((other) => (other.side === side && other.port === port ? without(other, own) : [other]));
        bound.push(own);
      }
    });
    return bound;
  }

  private uncertainties(): BoundUncertainty[] {
    const edges = (side: { readonly clocks: readonly string[]; readonly edge: RuleEdge } | null): number[] | null =>
      side === null
        ? null
        : side.clocks.flatMap((name) => {
            const clock = this.clockIds.get(name);
            if (clock === undefined) return [];
            return [...(side.edge === "fall" ? [] : [2 * clock]), ...(side.edge === "rise" ? [] : [2 * clock + 1])];
          });
    return this.rules.uncertainties.map(
      ({ clocks, from, to, points, setup, hold, ps }, rule): BoundUncertainty => ({
        clocks: this.ids(clocks),
        from: edges(from),
        to: edges(to),
        pins: [...new Set(points.flatMap((point) => this.clockPins(point)))],
        setup,
        hold,
        ps,
        rule,
      }),
    );
  }
  private ids(names: readonly string[]): number[] {
    return names.flatMap((name) => this.clockIds.get(name) ?? []);
  }
  private checkedClockPins: ReadonlySet<number> | null = null;
  /** Clock pins behind an object. */
  private clockPins(point: number): number[] {
    const { graph } = this;
    const isClockPin = (this.checkedClockPins ??= new Set(graph.checkClock));
    const own = this.pins(point, "throughs");
    const found: number[] = [];
    const seen = new Set(own);
    const queue = [...own];
    while (queue.length) {
      const pin = queue.pop()!;
      if (isClockPin.has(pin)) found.push(pin);
      for (let a = graph.outStart[pin]; a < graph.outStart[pin + 1]; a++) {
        const arc = graph.outArc[a];
        if (graph.arcKind[arc] !== arcKind.net && graph.arcKind[arc] !== arcKind.cell) continue;
        if (seen.has(graph.arcTo[arc])) continue;
        seen.add(graph.arcTo[arc]);
        queue.push(graph.arcTo[arc]);
      }
    }
    return found;
  }

  private latencies(): BoundLatency[] {
    return this.rules.latencies.flatMap((rule, number): BoundLatency[] => {
      const { clocks, points, isSource, early, late, min, max, ps, origin } = rule;
      if (points.length)
        this.note(
          "sdc/no-effect",
          origin,
          "A latency at a port or pin has no effect: the way from there is measured.",
          "Give it to the clock, with -source, for what lies outside of the part.",
        );
      const real = clocks.filter((name) => this.rules.clocks.find((clock) => clock.name === name)?.sources.length);
      if (!isSource && real.length)
        this.note(
          "sdc/no-effect",
          origin,
          `This latency has no effect on '${real[0]}': its way through the part is measured.`,
          "Use -source for what lies outside of the part, or delete the line.",
        );
      const ids = this.ids(isSource ? clocks : clocks.filter((name) => !real.includes(name)));
      if (ids.length === 0) return [];
      return [{ clocks: ids, isSource, early: early && min, late: late && max, edges: 3, ps, rule: number }];
    });
  }

  private cutPairs(clocks: readonly BoundClock[]): Set<number> {
    const cut = new Set<number>();
    const both = (a: number, b: number) => {
      cut.add(a * clocks.length + b);
      cut.add(b * clocks.length + a);
    };
    for (const { groups } of this.rules.groups) {
      const sets = groups.map((names) => this.ids(names));
      const named = new Set(sets.flat());
      // a group alone stands against all other clocks
      const others = clocks.flatMap((_, i) => (named.has(i) ? [] : [i]));
      const all = sets.length === 1 ? [...sets, others] : sets;
      for (let g = 0; g < all.length; g++)
        for (let h = g + 1; h < all.length; h++) for (const a of all[g]) for (const b of all[h]) both(a, b);
    }
    // clocks that a switch passes are never there at once
    for (let a = 0; a < clocks.length; a++)
      for (let b = a + 1; b < clocks.length; b++)
        if (clocks[a].isAutomatic && clocks[b].isAutomatic && clocks[a].sources[0] === clocks[b].sources[0]) both(a, b);
    return cut;
  }

  private cases(): Pick<BoundRules, "constants" | "onlyEdges"> {
    const constants = new Map<number, 0 | 1>();
    const onlyEdges = new Map<number, EdgeBits>();
    for (const { objects, value, origin } of this.rules.cases)
      for (const object of objects) {
        const pins = this.pins(object, "throughs");
        if (pins.length === 0) this.lost([this.rules.objects[object].name], 1, "throughs", origin);
        for (const pin of pins) {
          if (value === "0" || value === "1") constants.set(pin, value === "1" ? 1 : 0);
          else onlyEdges.set(pin, value === "rising" ? 1 : 2);
        }
      }
    return { constants, onlyEdges };
  }

  private disabled(): number[] {
    const { graph } = this;
    const arcs: number[] = [];
    for (const { objects, from, to, origin } of this.rules.disabled)
      for (const number of objects) {
        const object = this.rules.objects[number];
        const before = arcs.length;
        if (object.kind === "cell") {
          // ways of the cell itself: from its clock to its outputs, and on to what is checked there
          const matches = (pin: number, name: string) =>
            !name || graph.pinName(pin).toLowerCase().endsWith(`/${name.toLowerCase()}`);
          for (const out of this.pins(number, "starts"))
            for (let a = graph.inStart[out]; a < graph.inStart[out + 1]; a++) {
              const arc = graph.inArc[a];
              if (graph.arcKind[arc] === arcKind.net) continue;
              if (matches(graph.arcFrom[arc], from) && matches(out, to)) arcs.push(arc);
            }
        } else
          for (const pin of this.pins(number, "throughs"))
            for (let a = graph.outStart[pin]; a < graph.outStart[pin + 1]; a++) arcs.push(graph.outArc[a]);
        if (arcs.length === before)
          this.note(
            "sdc/lost-object",
            origin,
            `'${object.name}' has no way that could be switched off.`,
            "Correct the object.",
          );
      }
    return arcs;
  }

  private dataChecks(): BoundDataCheck[] {
    return this.rules.dataChecks.flatMap(({ from, to, setupPs, holdPs, clock, origin }, rule): BoundDataCheck[] => {
      const own = { from: this.points(from, "ends", origin)!, to: this.points(to, "ends", origin)! };
      if (own.from.pins.length === 0 || own.to.pins.length === 0) return [];
      return [{ ...own, clock: clock === null ? -1 : this.clockIds.get(clock)!, setupPs, holdPs, rule }];
    });
  }

  private loads(): Map<number, PortLoad> {
    const map = new Map<number, PortLoad>();
    for (const { kind, ports, max, min, edge, value, origin } of this.rules.loads) {
      if (edge !== "both")
        this.note(
          "sdc/no-effect",
          origin,
          "Rising and falling edges at a pin have one delay here, so this counts for both.",
          "Take -rise or -fall out.",
          "note",
        );
      for (const object of ports) {
        const port = this.places.port(this.rules.objects[object].name);
        if (port < 0) continue;
        const own = map.get(port) ?? { loadMost: null, loadLeast: null, driveMost: 0, driveLeast: 0 };
        map.set(
          port,
          kind === "load"
            ? { ...own, loadMost: max ? value : own.loadMost, loadLeast: min ? value : own.loadLeast }
            : { ...own, driveMost: max ? value : own.driveMost, driveLeast: min ? value : own.driveLeast },
        );
      }
    }
    return map;
  }

  private gating(): Map<number, { setupPs: number; holdPs: number }> {
    const map = new Map<number, { setupPs: number; holdPs: number }>();
    for (const { objects, setupPs, holdPs } of this.rules.gating) {
      const pins = objects.length === 0 ? [-1] : objects.flatMap((object) => this.pins(object, "throughs"));
      for (const pin of pins) {
        const before = map.get(pin) ?? { setupPs: 0, holdPs: 0 };
        map.set(pin, { setupPs: setupPs ?? before.setupPs, holdPs: holdPs ?? before.holdPs });
      }
    }
    return map;
  }
}

function describe(points: BoundPoints | null): string {
  return points ? `${points.edges}:${points.clockEdges.join()}:${points.pins.join()}` : "";
}

/** What is left of a port's delay once another line says something of it; all of it where that one is meant beside it. */
function without(old: BoundIoDelay, next: BoundIoDelay): BoundIoDelay[] {
  const isSameClock =
    old.clock === next.clock && old.clockFalls === next.clockFalls && old.reference === next.reference;
  if (!next.add && !isSameClock) return [];
  if (next.add && !isSameClock) return [old];
  // of the same clock, the later line counts for what both say
  const rest: BoundIoDelay[] = [];
  const edges = old.edges & ~next.edges;
  if (edges) rest.push({ ...old, edges });
  const shared = old.edges & next.edges;
  const [max, min] = [old.max && !next.max, old.min && !next.min];
  if (shared && (max || min)) rest.push({ ...old, edges: shared, max, min });
  return rest;
}
