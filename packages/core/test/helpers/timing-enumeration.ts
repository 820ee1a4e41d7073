import { carryPin, carryStart, cellKind, ffMode, ffPin, type MappedNetlist, padPin } from "../../src/netlist/index.ts";
import type { CaseException, CasePoints, TimingCase } from "./timing-circuits.ts";

/**
 * Static timing by listing every path, one by one, for small circuits: clocks by every way to every register, data by
 * every way from every start, rules looked at path by path. Slow and plain; it shares nothing with the analysis but the
 * arcs that it leaves out to break loops. Times in ps.
 */
export interface Delays {
  net(slot: number): Range;
  through(slot: number): Range;
  launch(cell: number): Range;
  padIn(cell: number): Range;
  setup(slot: number): number;
  hold(slot: number): number;
}
export interface Range {
  readonly most: number;
  readonly least: number;
}
/** Slacks of all paths by end: name or slot of the pin and kind of check. */
export type Slacks = Map<string, { readonly setup: number[]; readonly hold: number[] }>;

type Transition = "rise" | "fall";
interface ClockWay {
  readonly clock: number;
  readonly inverted: boolean;
  /** Arcs from the clock's beginning, as names, with what each takes. */
  readonly steps: readonly { readonly name: string; readonly range: Range }[];
}
interface Start {
  readonly name: string;
  readonly port: string | null;
  readonly register: string | null;
  readonly launch: { readonly clock: number; readonly falls: boolean; readonly way: ClockWay | null } | null;
  readonly late: number;
  readonly early: number;
  readonly transitions: readonly Transition[];
  /** Net that it drives; -1 for a port, which comes in by a pad. */
  readonly net: number;
  readonly pad: number;
}
interface Visit {
  readonly nets: readonly { readonly net: string; readonly transition: Transition }[];
}

export function enumerateTiming(
  netlist: MappedNetlist,
  test: TimingCase,
  delays: Delays,
  isCut: (what: { readonly slot: number; readonly isThrough: boolean } | { readonly port: string }) => boolean,
): Slacks {
  return new Enumeration(netlist, test, delays, isCut).run();
}

interface LaunchEdge {
  readonly clock: number;
  readonly falls: boolean;
}
interface CaptureEdge {
  readonly way: ClockWay;
  readonly falls: boolean;
  readonly holdFalls: boolean;
  readonly isLatch?: boolean;
}

class TooMany extends Error {}

export { TooMany };

class Enumeration {
  private readonly slacks: Slacks = new Map();
  private readonly sinks = new Map<number, { cell: number; slot: number }[]>();
  private readonly ways = new Map<number, ClockWay[]>(); // clock pin slot -> ways
  private readonly roots: ClockWay[][] = [];
  private readonly constant = new Map<number, 0 | 1>(); // net
  private readonly portOfPad = new Map<number, string>();
  private readonly padIn = new Map<string, number>();
  private readonly padOut = new Map<string, number>();
  private readonly states = new Set<string>();
  /** Every name to the one that its net goes by. */
  private readonly netNames: ReadonlyMap<string, string>;
  private readonly rules: readonly CaseException[];
  private budget = 400_000;

  constructor(
    private readonly n: MappedNetlist,
    private readonly test: TimingCase,
    private readonly delays: Delays,
    private readonly isCut: (
      what: { readonly slot: number; readonly isThrough: boolean } | { readonly port: string },
    ) => boolean,
  ) {
    for (let cell = 0; cell < n.cellCount; cell++)
      for (let slot = n.inputStart[cell]; slot < n.inputStart[cell + 1]; slot++) {
        const net = n.inputNet[slot];
        if (net < 0) continue;
        const list = this.sinks.get(net) ?? [];
        list.push({ cell, slot });
        this.sinks.set(net, list);
      }
    for (const port of n.ports)
      port.pads.forEach((cell, i) => {
        if (cell < 0) return;
        this.portOfPad.set(cell, port.bitNames[i]);
        (n.kind[cell] === cellKind.inputPad ? this.padIn : this.padOut).set(port.bitNames[i], cell);
      });
    for (let cell = 0; cell < n.cellCount; cell++)
      if (n.kind[cell] === cellKind.flipFlop || this.isLatch(cell))
        this.states.add(n.cellName[cell].replace(/:copy\d+_*$/, ""));
    this.netNames = new Map([
      ...n.netName.map((name) => [name, name] as const),
      ...n.fates.flatMap(({ name, became, net }) => (became === "another name of" ? [[name, net!] as const] : [])),
    ]);
    this.findConstants();
    this.rules = test.exceptions.filter(
      (rule) =>
        this.isReal(rule.from, "from") &&
        this.isReal(rule.to, "to") &&
        rule.through.every((each) => this.isReal(each, "through")),
    );
    // the same thing said twice of the same paths: the later one counts
    this.rules = this.rules.filter(
      (rule, i) => !this.rules.slice(i + 1).some((later) => sameText(rule, later, (p) => this.places(p))),
    );
  }

  /** A point as the set of what it means here, so that two ways to say the same are one. */
  private places(points: CasePoints | null): string {
    return points
      ? `${points.edge}${points.points
          .filter((point) => this.isReal({ points: [point], edge: "" }, "any"))
          .map(({ kind, name }) => `${kind}${kind === "net" ? this.netNames.get(name) : name}`)
          .sort()}`
      : "";
  }

  private isReal(points: CasePoints | null, _how: string): boolean {
    if (!points) return true;
    return points.points.some(({ kind, name }) => {
      if (kind === "clock") return true;
      if (kind === "register") return this.states.has(name);
      if (kind === "net") return this.netNames.has(name);
      if (_how === "from") return this.padIn.has(name);
      if (_how === "to") return this.padOut.has(name);
      return this.padIn.has(name) || this.padOut.has(name);
    });
  }

  private isLatch(cell: number): boolean {
    const { n } = this;
    const first = n.inputStart[cell];
    return (
      n.kind[cell] === cellKind.lut &&
      n.inputStart[cell + 1] - first === 3 &&
      n.inputNet[first + 2] === n.outputNet[cell] &&
      n.maskLow[cell] === 0xd8d8d8d8
    );
  }

  private findConstants(): void {
    const { n, test } = this;
    for (const { port, value } of test.constants) {
      const pad = this.padIn.get(port);
      if (pad !== undefined) this.constant.set(n.outputNet[pad], value);
    }
    for (let changed = true; changed; ) {
      changed = false;
      for (let cell = 0; cell < n.cellCount; cell++) {
        const net = n.outputNet[cell];
        if (net < 0 || this.constant.has(net) || this.isLatch(cell)) continue;
        const outs = new Set(this.rows(cell).map(({ out }) => out));
        if (outs.size !== 1 || !this.hasConstantInput(cell)) continue;
        this.constant.set(net, [...outs][0] as 0 | 1);
        changed = true;
      }
      // what the part drives at a pin, always and always the same, comes back in
      for (const [port, back] of this.padIn) {
        const out = this.padOut.get(port);
        if (out === undefined || this.constant.has(n.outputNet[back])) continue;
        const first = n.inputStart[out];
        const [value, enable] = [this.constant.get(n.inputNet[first]), n.inputNet[first + 1]];
        if (value === undefined || (enable >= 0 && this.constant.get(enable) !== 1)) continue;
        this.constant.set(n.outputNet[back], value);
        changed = true;
      }
    }
  }
  private hasConstantInput(cell: number): boolean {
    const { n } = this;
    for (let slot = n.inputStart[cell]; slot < n.inputStart[cell + 1]; slot++)
      if (this.constant.has(n.inputNet[slot])) return true;
    return false;
  }

  /** Rows of a LUT or carry cell that constants allow. */
  private rows(cell: number): { row: number; out: number }[] {
    const { n } = this;
    const kind = n.kind[cell];
    const first = n.inputStart[cell];
    const count = n.inputStart[cell + 1] - first;
    if (kind !== cellKind.lut && kind !== cellKind.carrySum && kind !== cellKind.carryMux) return [];
    const list: { row: number; out: number }[] = [];
    for (let row = 0; row < 1 << count; row++) {
      let fits = true;
      for (let i = 0; i < count; i++) {
        const net = n.inputNet[first + i];
        const bit = (row >> i) & 1;
        if (net < 0)
          fits &&= bit === (kind !== cellKind.lut && i === carryPin.carryIn ? n.modes[cell] & carryStart : 0);
        else if (this.constant.has(net)) fits &&= this.constant.get(net) === bit;
      }
      if (!fits) continue;
      const bit = (pin: number) => (row >> pin) & 1;
      const out =
        kind === cellKind.lut
          ? (row < 32 ? n.maskLow[cell] >>> row : n.maskHigh[cell] >>> (row - 32)) & 1
          : kind === cellKind.carrySum
            ? bit(carryPin.p) ^ bit(carryPin.carryIn)
            : bit(carryPin.p)
              ? bit(carryPin.carryIn)
              : bit(carryPin.b);
      list.push({ row, out });
    }
    return list;
  }

  /** How an output may turn when an input rises. */
  private turns(cell: number, slot: number): ReadonlySet<Transition> {
    const { n } = this;
    const kind = n.kind[cell];
    if (kind === cellKind.outputPad) return new Set(slot === n.inputStart[cell] ? ["rise"] : ["rise", "fall"]);
    const input = slot - n.inputStart[cell];
    const found = new Set<Transition>();
    // a carry cell is described by what it is, not by its rows
    if (kind === cellKind.carrySum && !this.hasConstantInput(cell)) return new Set(["rise", "fall"]);
    const rows = new Map(this.rows(cell).map(({ row, out }) => [row, out]));
    for (const [row, out] of rows) {
      if ((row >> input) & 1) continue;
      const other = rows.get(row | (1 << input));
      if (other === undefined || other === out) continue;
      found.add(other > out ? "rise" : "fall");
    }
    return found;
  }

  /** Senses of the circuit without constants: constants only take arcs away. */
  private readonly plainTurns = new Map<number, ReadonlySet<Transition>>();
  private allTurns(cell: number, slot: number): ReadonlySet<Transition> {
    const now = this.turns(cell, slot);
    if (this.constant.size === 0 || now.size === 0) return now;
    let known = this.plainTurns.get(slot);
    if (!known) {
      const saved = new Map(this.constant);
      this.constant.clear();
      known = this.turns(cell, slot);
      for (const [net, value] of saved) this.constant.set(net, value);
      this.plainTurns.set(slot, known);
    }
    return known;
  }

  run(): Slacks {
    this.findClockWays();
    this.findGates();
    // what latches pass on, until it changes no more
    const passed = new Map<string, number>();
    for (let turn = 0; turn < 120; turn++) {
      this.slacks.clear();
      const before = new Map(passed);
      for (const start of this.starts(passed)) this.walkFrom(start, passed);
      if ([...passed].every(([key, time]) => before.get(key) === time)) break;
    }
    return this.slacks;
  }

  private clockName(clock: number): string {
    return this.test.clocks[clock].name;
  }

  private findClockWays(): void {
    const { n, test } = this;
    const sources = new Map<number, number[]>(); // net at a source -> clocks
    test.clocks.forEach(({ source }, c) => {
      this.roots[c] = [];
      if (!source) {
        this.roots[c].push({ clock: c, inverted: false, steps: [] });
        return;
      }
      const net = this.sourceNet(c);
      if (net >= 0) sources.set(net, [...(sources.get(net) ?? []), c]);
    });
    const spread = (way: ClockWay, net: number) => {
      if (--this.budget < 0) throw new TooMany();
      if (this.constant.has(net)) return;
      for (const { cell, slot } of this.sinks.get(net) ?? []) {
        if (this.isCut({ slot, isThrough: false })) continue;
        const here = { ...way, steps: [...way.steps, { name: `net ${slot}`, range: this.delays.net(slot) }] };
        const list = this.ways.get(slot) ?? [];
        list.push(here);
        this.ways.set(slot, list);
        if (n.kind[cell] !== cellKind.lut || this.isLatch(cell)) continue;
        if (this.isCut({ slot, isThrough: true })) continue;
        const out = n.outputNet[cell];
        if (this.constant.has(out) || sources.has(out)) continue;
        for (const turn of this.allTurns(cell, slot))
          if (this.turns(cell, slot).size)
            spread(
              {
                clock: way.clock,
                inverted: way.inverted !== (turn === "fall"),
                steps: [...here.steps, { name: `cell ${slot}`, range: this.delays.through(slot) }],
              },
              out,
            );
      }
    };
    const offset = (c: number): Range => {
      const own = test.latencies.filter(({ clock }) => clock === this.clockName(c));
      const last = own[own.length - 1];
      return last ? { most: last.late * 1000, least: last.early * 1000 } : { most: 0, least: 0 };
    };
    test.clocks.forEach(({ source, master }, c) => {
      if (!source || master) return;
      const [net, cell] = [this.sourceNet(c), "port" in source ? this.padIn.get(source.port) : undefined];
      if (net < 0 || cell === undefined) return;
      const root = { clock: c, inverted: false, steps: [{ name: `source ${c}`, range: offset(c) }] };
      this.roots[c].push(root);
      spread({ ...root, steps: [...root.steps, { name: `pad ${cell}`, range: this.delays.padIn(cell) }] }, net);
    });
    test.clocks.forEach(({ source, master }, c) => {
      if (!source || !master || !("register" in source)) return;
      const cell = n.cellName.indexOf(source.register);
      if (cell < 0) return;
      const slot = n.inputStart[cell] + ffPin.clock;
      const m = test.clocks.findIndex(({ name }) => name === master);
      const above = (this.ways.get(slot) ?? []).find(({ clock }) => clock === m);
      const steps = above
        ? [...above.steps, { name: `launch ${cell}`, range: this.delays.launch(cell) }]
        : [{ name: `source ${c}`, range: offset(c) }];
      const root = { clock: c, inverted: false, steps };
      this.roots[c].push(root);
      spread(root, n.outputNet[cell]);
    });
    // virtual clocks have their latency too, and so have those whose source was optimised away
    test.clocks.forEach((_, c) => {
      if (this.sourceNet(c) < 0)
        this.roots[c][0] = { clock: c, inverted: false, steps: [{ name: `source ${c}`, range: offset(c) }] };
    });
  }

  /** Signals that hold a clock back, by their slot, with the edge after which the clock passes. */
  private readonly gates = new Map<number, { readonly way: ClockWay; readonly falls: boolean }[]>();
  private findGates(): void {
    const { n } = this;
    const leads = new Map<number, boolean>();
    /** A clock on the net comes to a clock pin, or to where another clock begins. */
    const leadsOn = (net: number): boolean => {
      const known = leads.get(net);
      if (known !== undefined) return known;
      leads.set(net, false);
      const is = (this.sinks.get(net) ?? []).some(({ cell, slot }) => {
        if (this.isCut({ slot, isThrough: false }) || this.constant.has(net)) return false;
        const pin = slot - n.inputStart[cell];
        if (this.isLatch(cell)) return pin === 0;
        if (n.kind[cell] === cellKind.flipFlop) return pin === ffPin.clock;
        if (n.kind[cell] === cellKind.outputPad) {
          const back = this.padIn.get(this.portOfPad.get(cell)!);
          return back !== undefined && !this.isCut({ slot, isThrough: true }) && leadsOn(n.outputNet[back]);
        }
        return (
          n.kind[cell] === cellKind.lut &&
          !this.isCut({ slot, isThrough: true }) &&
          this.turns(cell, slot).size > 0 &&
          leadsOn(n.outputNet[cell])
        );
      });
      leads.set(net, is);
      return is;
    };
    for (let cell = 0; cell < n.cellCount; cell++) {
      if (n.kind[cell] !== cellKind.lut || this.isLatch(cell) || !leadsOn(n.outputNet[cell])) continue;
      const isOn = (slot: number) =>
        !this.isCut({ slot, isThrough: true }) &&
        this.turns(cell, slot).size > 0 &&
        !this.constant.has(n.inputNet[slot]);
      for (let clock = n.inputStart[cell]; clock < n.inputStart[cell + 1]; clock++) {
        const ways = this.ways.get(clock) ?? [];
        if (ways.length === 0 || !isOn(clock)) continue;
        for (let gate = n.inputStart[cell]; gate < n.inputStart[cell + 1]; gate++) {
          if ((this.ways.get(gate) ?? []).length || !isOn(gate)) continue;
          const held = this.heldLevel(cell, gate - n.inputStart[cell]);
          if (held === null) continue;
          const turns = this.allTurns(cell, clock);
          const isNegative = turns.has("fall") && !turns.has("rise");
          const list = this.gates.get(gate) ?? [];
          for (const way of ways) list.push({ way, falls: ((held === 1) !== isNegative) !== way.inverted });
          this.gates.set(gate, list);
        }
      }
    }
  }
  /** Level of a LUT's output that a gate's value forces, whatever the clock and the other inputs do. */
  private heldLevel(cell: number, gate: number): 0 | 1 | null {
    const { n } = this;
    const count = n.inputStart[cell + 1] - n.inputStart[cell];
    const out = (row: number) => (row < 32 ? n.maskLow[cell] >>> row : n.maskHigh[cell] >>> (row - 32)) & 1;
    for (const value of [0, 1]) {
      const levels = new Set<number>();
      for (let row = 0; row < 1 << count; row++) if (((row >> gate) & 1) === value) levels.add(out(row));
      if (levels.size === 1) return [...levels][0] as 0 | 1;
    }
    return null;
  }

  private sourceNet(c: number): number {
    const { source } = this.test.clocks[c];
    if (!source) return -1;
    const cell = "port" in source ? this.padIn.get(source.port) : this.n.cellName.indexOf(source.register);
    return cell === undefined || cell < 0 ? -1 : this.n.outputNet[cell];
  }

  private *starts(passed: ReadonlyMap<string, number>): Generator<Start> {
    const { n, test } = this;
    const both: readonly Transition[] = ["rise", "fall"];
    for (let cell = 0; cell < n.cellCount; cell++) {
      const isLatch = this.isLatch(cell);
      if (n.kind[cell] !== cellKind.flipFlop && !isLatch) continue;
      const slot = n.inputStart[cell] + (isLatch ? 0 : ffPin.clock);
      const name = n.cellName[cell].replace(/:copy\d+_*$/, "");
      const falls = !isLatch && (n.modes[cell] & ffMode.clockFalling) !== 0;
      const range = this.delays.launch(cell);
      const plain = { name, port: null, register: name, transitions: both, net: n.outputNet[cell], pad: -1 };
      const ways = this.ways.get(slot) ?? [];
      if (this.constant.has(n.inputNet[slot])) continue;
      if (ways.length === 0) yield { ...plain, launch: null, late: range.most, early: range.least };
      for (const way of ways) {
        const launch = { clock: way.clock, falls: falls !== way.inverted, way };
        const late = sum(way, "most") + range.most;
        const early = sum(way, "least") + range.least;
        yield { ...plain, launch, late, early };
        const time = passed.get(`${cell} ${wayKey(way)}`);
        if (time !== undefined && time > late) yield { ...plain, launch, late: time, early: Infinity };
      }
    }
    for (const [port, pad] of this.padIn) {
      const own = test.delays.filter((each) => each.side === "input" && each.port === port);
      const plain = { name: port, port, register: null, transitions: both, net: -1, pad };
      if (this.constant.has(n.outputNet[pad]) && test.constants.some((each) => each.port === port)) continue;
      for (const { clock, falls, maxNs, minNs } of own) {
        const c = test.clocks.findIndex(({ name }) => name === clock);
        const way = this.roots[c][0];
        if (!way) continue;
        yield {
          ...plain,
          launch: { clock: c, falls, way },
          late: sum(way, "most") + maxNs * 1000,
          early: sum(way, "least") + minNs * 1000,
        };
      }
      if (own.length === 0) yield { ...plain, launch: null, late: 0, early: 0 };
    }
    for (const [c, { source }] of test.clocks.entries()) {
      if (!source) continue;
      for (const way of this.roots[c])
        for (const falls of [false, true]) {
          const at = { launch: { clock: c, falls, way }, late: sum(way, "most"), early: sum(way, "least") };
          const transitions = [falls ? ("fall" as const) : ("rise" as const)];
          if ("port" in source)
            yield {
              ...at,
              name: source.port,
              port: source.port,
              register: null,
              transitions,
              net: -1,
              pad: this.padIn.get(source.port)!,
            };
          else
            yield {
              ...at,
              name: source.register,
              port: null,
              register: source.register,
              transitions,
              net: this.sourceNet(c),
              pad: -1,
            };
        }
    }
  }

  private walkFrom(start: Start, passed: Map<string, number>): void {
    for (const transition of start.transitions) {
      if (start.pad >= 0) {
        const range = this.delays.padIn(start.pad);
        this.atNet(
          start,
          this.n.outputNet[start.pad],
          transition,
          start.late + range.most,
          start.early + range.least,
          [],
          passed,
        );
      } else this.atNet(start, start.net, transition, start.late, start.early, [], passed);
    }
  }

  private atNet(
    start: Start,
    net: number,
    transition: Transition,
    late: number,
    early: number,
    before: Visit["nets"],
    passed: Map<string, number>,
  ): void {
    const { n } = this;
    if (--this.budget < 0) throw new TooMany();
    if (this.constant.has(net)) return;
    const nets = [...before, { net: n.netName[net], transition }];
    for (const { cell, slot } of this.sinks.get(net) ?? []) {
      if (this.isCut({ slot, isThrough: false })) continue;
      const range = this.delays.net(slot);
      const [l, e] = [late + range.most, early + range.least];
      const pin = slot - n.inputStart[cell];
      if (this.isLatch(cell)) {
        if (pin === 1) this.atEnd(start, slot, cell, "latch", transition, l, e, nets, passed);
        continue;
      }
      switch (n.kind[cell]) {
        case cellKind.flipFlop:
          if (pin !== ffPin.clock) {
            const isAsync = pin === ffPin.reset && (n.modes[cell] & ffMode.asyncReset) !== 0;
            this.atEnd(start, slot, cell, isAsync ? "recovery" : "register", transition, l, e, nets, passed);
          }
          break;
        case cellKind.outputPad: {
          if (this.isCut({ slot, isThrough: true })) break;
          const value = n.inputNet[n.inputStart[cell] + padPin.value];
          const enable = n.inputNet[n.inputStart[cell] + padPin.enable];
          // a pad whose value and enable are constant does not move
          if (this.constant.has(value) && (enable < 0 || this.constant.get(enable) === 1)) break;
          const own = this.delays.through(slot);
          for (const turn of this.turns(cell, slot)) {
            const after = turn === "rise" ? transition : other(transition);
            this.atPort(start, cell, after, l + own.most, e + own.least, nets, passed);
          }
          break;
        }
        case cellKind.lut:
        case cellKind.carrySum:
        case cellKind.carryMux: {
          if (this.isCut({ slot, isThrough: true }) || this.turns(cell, slot).size === 0) break;
          for (const { way, falls } of this.gates.get(slot) ?? [])
            this.judge(
              start,
              `${slot} gate`,
              { port: null, register: null },
              transition,
              nets,
              { way, falls, holdFalls: !falls },
              l,
              e,
              0,
              0,
            );
          const own = this.delays.through(slot);
          for (const turn of this.allTurns(cell, slot))
            this.atNet(
              start,
              n.outputNet[cell],
              turn === "rise" ? transition : other(transition),
              l + own.most,
              e + own.least,
              nets,
              passed,
            );
        }
      }
    }
  }

  private atPort(
    start: Start,
    pad: number,
    transition: Transition,
    late: number,
    early: number,
    nets: Visit["nets"],
    passed: Map<string, number>,
  ): void {
    const port = this.portOfPad.get(pad)!;
    const own = this.test.delays.filter((each) => each.side === "output" && each.port === port);
    for (const { clock, falls, maxNs, minNs } of own) {
      const c = this.test.clocks.findIndex(({ name }) => name === clock);
      const [way] = this.roots[c];
      if (!way) continue;
      this.judge(
        start,
        `${port} output`,
        { port, register: null },
        transition,
        nets,
        { way, falls, holdFalls: falls },
        late,
        early,
        maxNs * 1000,
        -minNs * 1000,
      );
    }
    if (own.length === 0)
      this.judge(start, `${port} open`, { port, register: null }, transition, nets, null, late, early, 0, 0);
    const back = this.padIn.get(port);
    if (back === undefined || this.isCut({ port })) return;
    const range = this.delays.padIn(back);
    this.atNet(start, this.n.outputNet[back], transition, late + range.most, early + range.least, nets, passed);
  }

  private atEnd(
    start: Start,
    slot: number,
    cell: number,
    kind: "register" | "recovery" | "latch",
    transition: Transition,
    late: number,
    early: number,
    nets: Visit["nets"],
    passed: Map<string, number>,
  ): void {
    const { n } = this;
    const isLatch = kind === "latch";
    const clockSlot = n.inputStart[cell] + (isLatch ? 0 : ffPin.clock);
    const name = n.cellName[cell].replace(/:copy\d+_*$/, "");
    const [setup, hold] = [this.delays.setup(slot), this.delays.hold(slot)];
    const key = `${slot} ${kind}`;
    const ways = this.ways.get(clockSlot) ?? [];
    if (ways.length === 0 || this.constant.has(n.inputNet[clockSlot])) {
      this.judge(start, key, { port: null, register: name }, transition, nets, null, late, early, setup, hold);
      return;
    }
    for (const way of ways) {
      const falls = isLatch ? !way.inverted : ((n.modes[cell] & ffMode.clockFalling) !== 0) !== way.inverted;
      const opens = this.judge(
        start,
        key,
        { port: null, register: name },
        transition,
        nets,
        { way, falls, holdFalls: falls, isLatch },
        late,
        early,
        setup,
        hold,
      );
      if (!isLatch || opens === null || late === -Infinity) continue;
      const clockLate = sum(way, "most");
      const since = Math.min(late - opens.open, opens.shut + clockLate);
      const time = since + this.delays.through(slot).most;
      const at = `${cell} ${wayKey(way)}`;
      if (time > (passed.get(at) ?? -Infinity)) passed.set(at, time);
    }
  }

  /** Compares one path with what is asked of it. @returns For a latch: to its opening edge, and how long it is open. */
  private judge(
    start: Start,
    key: string,
    end: { readonly port: string | null; readonly register: string | null },
    transition: Transition,
    nets: Visit["nets"],
    capture: {
      readonly way: ClockWay;
      readonly falls: boolean;
      readonly holdFalls: boolean;
      readonly isLatch?: boolean;
    } | null,
    late: number,
    early: number,
    setupPs: number,
    holdPs: number,
  ): { open: number; shut: number } | null {
    const { launch } = start;
    if (launch && capture && this.areCut(launch.clock, capture.way.clock)) return null;
    const ranks = new Map<CaseException, number>();
    for (const rule of this.rules) {
      const rank = this.rankOf(rule, start, end, transition, nets, capture);
      if (rank !== null) ranks.set(rule, rank);
    }
    const met = [...ranks.keys()];
    const times =
      launch && capture ? this.relation(launch, capture) : { setup: Infinity, hold: -Infinity, open: Infinity };
    let { setup, hold, open } = times;
    const best = (list: readonly CaseException[], wantsLarger: boolean): CaseException | undefined =>
      [...list].sort(
        (a, b) => ranks.get(b)! - ranks.get(a)! || (wantsLarger ? b.value - a.value : a.value - b.value),
      )[0];
    const period = (clock: number | undefined) => (clock === undefined ? 0 : this.test.clocks[clock].periodNs * 1000);
    const isFalse = (forSetup: boolean) =>
      met.some(({ kind, setup: s, hold: h }) => kind === "false" && (forSetup ? s || !h : h || !s));
    const cycles = best(
      met.filter(({ kind, setup: s, hold: h }) => kind === "multicycle" && (s || !h)),
      false,
    );
    if (cycles) {
      const by = (cycles.value - 1) * (cycles.side === "start" ? period(launch?.clock) : period(capture?.way.clock));
      setup += by;
      hold += by;
      open += by;
    }
    const holdCycles = best(
      met.filter(({ kind, hold: h }) => kind === "multicycle" && h),
      false,
    );
    const least = best(
      met.filter(({ kind }) => kind === "min"),
      true,
    );
    if (least) hold = least.value * 1000;
    else if (holdCycles)
      hold -=
        holdCycles.value *
        (holdCycles.side === "end" || (holdCycles.side === "" && holdCycles.setup)
          ? period(capture?.way.clock)
          : period(launch?.clock));
    const most = best(
      met.filter(({ kind }) => kind === "max"),
      false,
    );
    if (most) setup = most.value * 1000;
    const width = setup - open;
    if (isFalse(true)) setup = Infinity;
    if (isFalse(false)) hold = -Infinity;
    const credit = launch?.way && capture ? common(launch.way, capture.way) : 0;
    const [clockLate, clockEarly] = capture ? [sum(capture.way, "most"), sum(capture.way, "least")] : [0, 0];
    const setupSlack = setup - this.uncertainty(launch, capture, true) + clockEarly + credit - setupPs - late;
    const holdSlack = early - (hold + this.uncertainty(launch, capture, false) + clockLate - credit + holdPs);
    const known = this.slacks.get(key) ?? { setup: [], hold: [] };
    this.slacks.set(key, known);
    if (Number.isFinite(setupSlack)) known.setup.push(setupSlack);
    if (Number.isFinite(holdSlack)) known.hold.push(holdSlack);
    return capture?.isLatch && setup !== Infinity && open !== Infinity ? { open, shut: width } : null;
  }

  private areCut(a: number, b: number): boolean {
    const groupOf = (clock: number) => this.test.groups.findIndex((names) => names.includes(this.clockName(clock)));
    const [x, y] = [groupOf(a), groupOf(b)];
    return x >= 0 && y >= 0 && x !== y;
  }

  private readonly relations = new Map<string, { setup: number; hold: number; open: number }>();
  private relation(launch: LaunchEdge, capture: CaptureEdge): { setup: number; hold: number; open: number } {
    const { way, falls, holdFalls, isLatch } = capture;
    const key = `${launch.clock} ${launch.falls} ${way.clock} ${falls} ${holdFalls} ${isLatch}`;
    const known = this.relations.get(key) ?? this.newRelation(launch, capture);
    this.relations.set(key, known);
    return known;
  }
  /** By walking through the edges of both clocks, over a long time. */
  private newRelation(launch: LaunchEdge, capture: CaptureEdge): { setup: number; hold: number; open: number } {
    const edges = (clock: number, falls: boolean, from: number, to: number): number[] => {
      const { periodNs, riseNs, fallNs } = this.test.clocks[clock];
      const first = (falls ? fallNs : riseNs) * 1000;
      const list: number[] = [];
      for (let k = -40; k < 300; k++) {
        const time = first + k * periodNs * 1000;
        if (time >= from && time < to) list.push(time);
      }
      return list;
    };
    let setup = Infinity;
    let hold = -Infinity;
    let open = Infinity;
    const captures = edges(capture.way.clock, capture.falls, -200_000, 800_000);
    const holds = edges(capture.way.clock, capture.holdFalls, -200_000, 800_000);
    const opens = edges(capture.way.clock, !capture.falls, -200_000, 800_000);
    for (const from of edges(launch.clock, launch.falls, 0, 240_000)) {
      if (capture.isLatch) {
        const o = Math.min(...opens.filter((time) => time > from));
        setup = Math.min(setup, Math.min(...captures.filter((time) => time > o)) - from);
        hold = Math.max(hold, Math.max(...captures.filter((time) => time < o)) - from);
        open = Math.min(open, o - from);
        continue;
      }
      const to = Math.min(...captures.filter((time) => time > from));
      setup = Math.min(setup, to - from);
      hold = Math.max(hold, Math.max(...holds.filter((time) => time < to)) - from);
    }
    return { setup, hold, open };
  }

  private uncertainty(launch: Start["launch"], capture: { readonly way: ClockWay } | null, isSetup: boolean): number {
    if (!capture) return 0;
    let best = -1;
    let ps = 0;
    for (const { clock, from, setup, hold, ns } of this.test.uncertainties) {
      if (!(isSetup ? setup : hold) || clock !== this.clockName(capture.way.clock)) continue;
      if (from !== null && (!launch || from !== this.clockName(launch.clock))) continue;
      const rank = from === null ? 0 : 1;
      if (rank >= best) {
        best = rank;
        ps = ns * 1000;
      }
    }
    return ps;
  }

  /** How particular a rule is about a path, by what of its beginnings and ends the path has; null where it is none of its. */
  private rankOf(
    { from, through, to }: CaseException,
    start: Start,
    end: { readonly port: string | null; readonly register: string | null },
    transition: Transition,
    nets: Visit["nets"],
    capture: { readonly way: ClockWay; readonly falls: boolean } | null,
  ): number | null {
    let rank = through.length ? 4 : 0;
    const fits = (edge: CasePoints["edge"], own: Transition) => edge === "" || edge === own;
    if (from) {
      const first = nets[0]?.transition ?? transition;
      const hits = from.points.filter(({ kind, name }) => {
        if (kind === "clock")
          return (
            start.launch &&
            this.clockName(start.launch.clock) === name &&
            fits(from.edge, start.launch.falls ? "fall" : "rise")
          );
        return (kind === "port" ? start.port === name : start.register === name) && fits(from.edge, first);
      });
      if (hits.length === 0) return null;
      rank += hits.some(({ kind }) => kind !== "clock") ? 16 : 2;
    }
    let at = 0;
    for (const points of through) {
      const found = nets.findIndex(
        ({ net, transition: own }, i) =>
          i >= at && fits(points.edge, own) && points.points.some(({ name }) => this.netNames.get(name) === net),
      );
      if (found < 0) return null;
      // the same place may stand for the next one too
      at = found;
    }
    if (!to) return rank;
    const hits = to.points.filter(({ kind, name }) => {
      if (kind === "clock")
        return capture && this.clockName(capture.way.clock) === name && fits(to.edge, capture.falls ? "fall" : "rise");
      return (kind === "port" ? end.port === name : end.register === name) && fits(to.edge, transition);
    });
    return hits.length ? rank + (hits.some(({ kind }) => kind !== "clock") ? 8 : 1) : null;
  }
}

const other = (transition: Transition): Transition => (transition === "rise" ? "fall" : "rise");
const sum = ({ steps }: ClockWay, which: "most" | "least"): number =>
  steps.reduce((all, { range }) => all + range[which], 0);
const wayKey = ({ clock, steps }: ClockWay): string => `${clock} ${steps.map(({ name }) => name).join(">")}`;
function common(a: ClockWay, b: ClockWay): number {
  let credit = 0;
  for (let i = 0; i < Math.min(a.steps.length, b.steps.length) && a.steps[i].name === b.steps[i].name; i++)
    credit += a.steps[i].range.most - a.steps[i].range.least;
  return credit;
}
function sameText(a: CaseException, b: CaseException, places: (points: CasePoints | null) => string): boolean {
  const text = ({ kind, from, through, to, setup, hold }: CaseException) =>
    [
      kind,
      setup || !hold,
      kind === "multicycle" ? hold : hold || !setup,
      places(from),
      ...through.map(places),
      places(to),
    ].join("|");
  return text(a) === text(b);
}
