import type { Finding } from "../../common/finding.ts";
import { blockOf, isClockMaker } from "../../device/blocks/registry.ts";
import { firstNet } from "../../netlist/rtl.ts";
import { numberAt } from "./arguments.ts";
import { ClockTracing } from "./clock-tracing.ts";
import type { Call } from "./interpreter.ts";
import { type CircuitObjects, idOf, kindOf, type ObjectKind, refOf } from "./objects.ts";
import { Queries } from "./queries.ts";
import { type ClockRule, emptyRules, type OpenRules, type RuleObject, type RuleOrigin } from "./rules.ts";
import { ObjectSet, textOf, type Value } from "./values.ts";

/** A clock as a line declares it. What it is made of is worked out once all lines are read. */
export interface DeclaredClock {
  readonly name: string;
  /** [ports and pins] Objects of the circuit. */
  readonly sources: readonly number[];
  readonly add: boolean;
  readonly own: { readonly periodPs: number; readonly edgesPs: readonly number[] } | null;
  readonly generated: GeneratedForm | null;
  readonly origin: RuleOrigin;
}
interface GeneratedForm {
  readonly source: number;
  /** Name, where the line gives one. */
  readonly master: string | null;
  readonly divideBy: number;
  readonly multiplyBy: number;
  /** Edges of the master, counted from 1, or null. */
  readonly edges: readonly number[] | null;
  readonly shiftsPs: readonly number[];
  readonly isInverted: boolean;
  /** Percent, or null. */
  readonly duty: number | null;
}

/** Takes in what commands say: objects by number, clocks with what is made of them, units. */
export class RuleReader {
  readonly rules: OpenRules = emptyRules();
  readonly findings: Finding[] = [];
  readonly declared: DeclaredClock[] = [];
  readonly queries: Queries;
  /** Picoseconds, picofarads and kiloohms of one unit. */
  readonly units = { time: 1000, capacitance: 1, resistance: 1 };
  private readonly numbers = new Map<number, number>();
  private settled: { readonly at: number; readonly clocks: ClockRule[] } | null = null;
  private tracing: ClockTracing | null = null;

  constructor(readonly objects: CircuitObjects | null) {
    this.queries = new Queries({
      objects,
      clocks: () => this.clocks(),
      clockSourceNets: (clock) => clock.sources.map((source) => this.netOfObject(source)).filter((net) => net >= 0),
      clocksAt: (net) => this.clocksAt(net),
    });
  }

  origin(call: Call): RuleOrigin {
    const text = `${call.name} ${call.args.map((arg) => quoted(arg)).join(" ")}`;
    return { place: call.place, text: text.length > 160 ? `${text.slice(0, 160)}…` : text };
  }

  /** Number of an object of the circuit among those of the rules. */
  intern(ref: number): number {
    const known = this.numbers.get(ref);
    if (known !== undefined) return known;
    const number = this.rules.objects.push(this.describe(ref)) - 1;
    this.numbers.set(ref, number);
    return number;
  }
  internAll(refs: readonly number[]): number[] {
    return refs.map((ref) => this.intern(ref));
  }

  private describe(ref: number): RuleObject {
    const id = idOf(ref);
    const name = this.queries.nameOf(ref);
    const objects = this.objects!;
    switch (kindOf(ref)) {
      case "port":
        return { kind: "port", name, direction: objects.ports[id].direction };
      case "cell": {
        const { kind, rtl, bit } = objects.cells[id];
        return { kind: "cell", name, what: kind, rtl, bit };
      }
      case "pin": {
        const cell = objects.cells[objects.pinCell[id]];
        const net = objects.pinNet[id];
        return {
          kind: "pin",
          name,
          cell: cell.name,
          pin: objects.pinName[id],
          what: cell.kind,
          rtl: cell.rtl,
          bit: cell.bit,
          net,
          isOut: objects.pinIsOut[id] === 1,
          aliases: objects.namesOfNet(net),
        };
      }
      case "net": {
        const net = objects.netOfName[id];
        return { kind: "net", name, net, aliases: objects.namesOfNet(net) };
      }
      case "clock":
        return { kind: "clock", name };
    }
  }

  /** Net of the circuit as written that an object is on; -1 for none. */
  netOfObject(number: number): number {
    const object = this.rules.objects[number];
    if (object.kind === "net" || object.kind === "pin") return object.net;
    if (object.kind !== "port" || !this.objects) return -1;
    const [id] = this.objects.portNames.exact(object.name);
    const port = this.objects.ports[id];
    return port.reads >= 0 ? port.reads : port.drives;
  }

  /**
   * Where a clock that starts at an object is: its net, or, for what only goes out, a number of its own, since the net that
   * drives it may be a clock too.
   */
  sourcePlace(number: number): number {
    const object = this.rules.objects[number];
    return object.kind === "port" && object.direction === "out" ? -2 - number : this.netOfObject(number);
  }

  /** Times of a command, in ps. */
  time(call: Call, value: Value, at: number): number {
    return thousandth(numberAt(call, value, at) * this.units.time);
  }

  /** Every clock that there is so far, those that blocks of the part make of them among them. */
  clocks(): readonly ClockRule[] {
    if (this.settled?.at !== this.declared.length)
      this.settled = { at: this.declared.length, clocks: this.settle((_) => undefined) };
    return this.settled.clocks;
  }

  /** All clocks, with what is wrong with them. */
  finish(): ClockRule[] {
    return this.settle((finding) => this.findings.push(finding));
  }

  private trace(): ClockTracing | null {
    if (!this.objects) return null;
    this.tracing ??= new ClockTracing(this.objects.netlist);
    return this.tracing;
  }

  /** Names of the clocks that come to a net, from the nearest sources on each way. */
  clocksAt(net: number): string[] {
    return net < firstNet ? [] : this.clocksNear(net, this.clocks());
  }
  private clocksNear(net: number, clocks: readonly ClockRule[]): string[] {
    const bySource = new Map<number, string[]>();
    for (const clock of clocks)
      for (const source of clock.sources) {
        const own = this.sourcePlace(source);
        const list = bySource.get(own);
        if (list) list.push(clock.name);
        else bySource.set(own, [clock.name]);
      }
    if (bySource.size === 0) return [];
    const found = this.trace()?.nearest(net, (each) => bySource.has(each)) ?? [];
    return [...new Set(found.flatMap((each) => bySource.get(each)!))];
  }

  /** Works out generated clocks from their masters, and adds those of clock blocks. */
  private settle(tell: (finding: Finding) => void): ClockRule[] {
    const clocks: ClockRule[] = [];
    const open: DeclaredClock[] = [];
    for (const each of this.declared) {
      const { name, sources, add, own, generated, origin } = each;
      if (generated) open.push(each);
      else clocks.push({ name, periodPs: own!.periodPs, edgesPs: own!.edgesPs, sources, add, generated: null, origin });
    }
    const taken = new Set(this.declared.flatMap(({ sources }) => sources.map((source) => this.sourcePlace(source))));
    const made = new Set<string>();
    // each turn makes at least one more clock, or ends it
    for (let isNew = true; isNew; ) {
      isNew = false;
      for (let i = 0; i < open.length; i++) {
        const clock = this.fromMaster(open[i], clocks, (_) => undefined);
        if (!clock) continue;
        clocks.push(clock);
        open.splice(i--, 1);
        isNew = true;
      }
      for (const clock of this.fromBlocks(clocks, taken, made)) {
        clocks.push(clock);
        isNew = true;
      }
    }
    for (const each of open) this.fromMaster(each, clocks, tell);
    this.checkBlockClocks(clocks, tell);
    return clocks;
  }

  private fromMaster(
    { name, sources, add, generated, origin }: DeclaredClock,
    clocks: readonly ClockRule[],
    tell: (finding: Finding) => void,
  ): ClockRule | null {
    const form = generated!;
    const fail = (message: string, remedy: string) => {
      tell({ code: "sdc/generated-clock", severity: "error", place: origin.place, message, remedy });
      return null;
    };
    let master: ClockRule | undefined;
    if (form.master !== null) {
      master = clocks.find((clock) => clock.name === form.master);
      if (!master)
        return fail(`There is no clock '${form.master}' that '${name}' could be made of.`, "Declare it first.");
    } else {
      const net = this.netOfObject(form.source);
      const names = net < firstNet ? [] : this.clocksNear(net, clocks);
      if (names.length === 0)
        return fail(
          `No clock comes to '${this.rules.objects[form.source].name}', of which '${name}' is made.`,
          "Declare that clock, or correct -source.",
        );
      if (names.length > 1)
        return fail(
          `${names.length} clocks come to '${this.rules.objects[form.source].name}': ${names.join(", ")}.`,
          "Say with -master_clock which one it is.",
        );
      master = clocks.find((clock) => clock.name === names[0])!;
    }
    const wave = generatedWave(master, form);
    if (typeof wave === "string") return fail(wave, "Correct the edges.");
    return {
      name,
      ...wave,
      sources,
      add,
      generated: { master: master.name, source: form.source, isInverted: form.isInverted },
      origin,
    };
  }

  /** Clocks that blocks make of those that come to them, where no line declares one. */
  private fromBlocks(clocks: readonly ClockRule[], taken: ReadonlySet<number>, made: Set<string>): ClockRule[] {
    const { objects } = this;
    if (!objects) return [];
    const found: ClockRule[] = [];
    for (const block of this.makers()) {
      for (const out of block.outputs) {
        if (taken.has(out.net)) continue;
        for (const input of block.clockPins)
          for (const master of this.clocksNear(objects.pinNet[input], clocks)) {
            const key = `${out.pin} ${master}`;
            if (made.has(key)) continue;
            const rule = clocks.find((clock) => clock.name === master)!;
            const clock = out.make(rule);
            if (!clock) continue;
            made.add(key);
            found.push({
              name: this.madeName(block, objects.pinFullName(out.pin), master, [...clocks, ...found]),
              ...clock,
              sources: [this.intern(refOf("pin", out.pin))],
              add: true,
              generated: { master, source: this.intern(refOf("pin", input)), isInverted: false },
              origin: null,
            });
          }
      }
    }
    return found;
  }

  /** `u_fast.clock_a`; of a switch, which passes one of two, with the clock that it is. */
  private madeName({ clockPins }: Maker, name: string, master: string, clocks: readonly ClockRule[]): string {
    const plain = name.replaceAll("/", ".");
    return clockPins.length > 1 || clocks.some((clock) => clock.name === plain) ? `${plain}:${master}` : plain;
  }

  private knownMakers: Maker[] | null = null;
  private makers(): readonly Maker[] {
    const { objects } = this;
    if (!objects) return [];
    if (this.knownMakers) return this.knownMakers;
    const read = this.readNets();
    this.knownMakers = objects.cells.flatMap((cell): Maker[] => {
      if (cell.kind !== "block") return [];
      const { modes, outputPins } = objects.netlist.cells[cell.rtl].block!;
      if (!isClockMaker(modes)) return [];
      const description = blockOf(modes);
      const pins = Array.from({ length: cell.pinCount }, (_, i) => cell.firstPin + i);
      const outs = pins.filter((pin) => objects.pinIsOut[pin]);
      const names = description.module!.pins.outputs;
      return [
        {
          clockPins: pins.filter((pin) => objects.pinIsClock[pin]),
          outputs: outs.flatMap((pin, i) =>
            !read.has(objects.pinNet[pin])
              ? []
              : [
                  {
                    pin,
                    net: objects.pinNet[pin],
                    make(master: ClockRule) {
                      const [rise, fall] = master.edgesPs;
                      const from = { name: master.name, periodPs: master.periodPs, risePs: rise, fallPs: fall };
                      const clock = description.clockFrom!(modes, from, names[outputPins[i]]);
                      return clock && { periodPs: clock.periodPs, edgesPs: [clock.risePs, clock.fallPs] };
                    },
                  },
                ],
          ),
        },
      ];
    });
    return this.knownMakers;
  }

  /** Nets that something reads: an output that nothing is tied to makes no clock. */
  private readNets(): ReadonlySet<number> {
    const { netlist } = this.objects!;
    const read = new Set<number>();
    for (const { inputs } of netlist.cells) for (const bits of inputs) for (const net of bits) read.add(net);
    for (const port of netlist.ports) if (port.direction === "output") for (const net of port.bits) read.add(net);
    return read;
  }

  /** A line that declares a block's clock must say what the block does. */
  private checkBlockClocks(clocks: readonly ClockRule[], tell: (finding: Finding) => void): void {
    for (const maker of this.makers())
      for (const out of maker.outputs)
        for (const clock of clocks) {
          if (!clock.origin || !clock.generated) continue;
          if (!clock.sources.some((source) => this.netOfObject(source) === out.net)) continue;
          const master = clocks.find(({ name }) => name === clock.generated!.master);
          const real = master && out.make(master);
          if (!real || Math.abs(real.periodPs - clock.periodPs) < 1) continue;
          const mhz = (ps: number) => `${Number((1e6 / ps).toFixed(3))} MHz`;
          tell({
            code: "sdc/block-clock",
            severity: "error",
            place: clock.origin.place,
            message: `'${clock.name}' is declared at ${mhz(clock.periodPs)}, but the block makes ${mhz(real.periodPs)} of '${master.name}'.`,
            remedy: "Delete the line: the clocks of blocks are known. Or correct its ratio.",
          });
        }
  }

  /** Objects that an argument stands for, by their numbers among the rules'. */
  take(call: Call, value: Value, at: number, kinds: readonly ObjectKind[]): number[] {
    return this.internAll(this.queries.resolve(call, value, at, kinds));
  }
  /** Names of clocks that an argument stands for. */
  clockNames(call: Call, value: Value, at: number): string[] {
    return this.queries.resolve(call, value, at, ["clock"]).map(this.queries.nameOf);
  }
}

interface Maker {
  readonly clockPins: readonly number[];
  readonly outputs: readonly {
    readonly pin: number;
    readonly net: number;
    make(master: ClockRule): Pick<ClockRule, "periodPs" | "edgesPs"> | null;
  }[];
}

/** Rounds away what floating point adds: a thousandth of a ps. */
export const thousandth = (ps: number): number => Math.round(ps * 1000) / 1000;

/** Period and edges of a generated clock; a text where they make no clock. */
function generatedWave(master: ClockRule, form: GeneratedForm): Pick<ClockRule, "periodPs" | "edgesPs"> | string {
  const { edgesPs, periodPs } = master;
  /** Edges of the master, counted from 1, the first one a rise. */
  const edgeAt = (number: number) => {
    const i = number - 1;
    return edgesPs[i % edgesPs.length] + Math.floor(i / edgesPs.length) * periodPs;
  };
  let edges: number[];
  let period: number;
  if (form.edges) {
    const times = form.edges.map((edge, i) => edgeAt(edge) + (form.shiftsPs[i] ?? 0));
    if (times.some((time, i) => i > 0 && time <= times[i - 1]))
      return "The edges of the generated clock do not follow each other.";
    period = times[times.length - 1] - times[0];
    edges = times.slice(0, -1);
  } else if (form.multiplyBy !== 1) {
    const by = form.divideBy / form.multiplyBy;
    period = periodPs * by;
    edges = form.divideBy === 1 ? edgesPs.map((edge) => edge * by) : [edgesPs[0], edgesPs[0] + period / 2];
  } else {
    period = periodPs * form.divideBy;
    edges = form.divideBy === 1 ? [...edgesPs] : [edgeAt(1), edgeAt(form.divideBy + 1)];
  }
  if (form.duty !== null) edges = [edges[0], edges[0] + (period * form.duty) / 100];
  if (form.isInverted) edges = [...edges.slice(1), edges[0] + period];
  // the first rise lies within the first period
  const shift = Math.floor(edges[0] / period) * period;
  return { periodPs: period, edgesPs: edges.map((edge) => edge - shift) };
}

function quoted(value: Value): string {
  const text = value instanceof ObjectSet && value.refs.length > 4 ? `${textOf(value.only(0))} …` : textOf(value);
  return /\s/.test(text) ? `{${text}}` : text;
}
