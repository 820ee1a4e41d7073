import type { StageContext } from "../common/context.ts";
import { hasErrors } from "../common/finding.ts";
import { Random } from "../common/random.ts";
import type { SourceFile } from "../common/source.ts";
import type { Signal } from "../elaborate/model.ts";
import { unpackedDims } from "../elaborate/types.ts";
import { bitName, type RtlNetlist, type RtlPort, type RtlVector } from "../netlist/rtl.ts";
import { prepare, recordAll } from "../simulate/simulate.ts";
import type { WaveSink } from "../simulate/waves/recorder.ts";
import { benchFor, benchNameFor, type Drive, driveOf, randomRun, type Stimulus } from "./source-stimuli.ts";
import { type Level, Unsettled, WordSimulator } from "./word-simulator.ts";

/** A run from the start in which the simulated text and the circuit as written part ways. */
export interface SourceDifference {
  /** Output or register. */
  readonly name: string;
  readonly what: "output" | "register";
  /** Bits, the most significant first. */
  readonly simulated: string;
  readonly written: string;
  /** For each moment that was looked at: inputs, and outputs on both sides. Bits, x where not known. */
  readonly moments: readonly {
    readonly ns: number;
    readonly inputs: Readonly<Record<string, string>>;
    readonly outputs: Readonly<Record<string, { readonly simulated: string; readonly written: string }>>;
  }[];
}

export interface SourceCheck {
  /** Runs agree, or part ways; "not compared" says why in `reason`. */
  readonly verdict: "agrees" | "different" | "not compared";
  readonly reason: string | null;
  readonly runs: number;
  readonly cycles: number;
  readonly outputs: number;
  /** Registers whose names the simulation knows too, compared by name. */
  readonly registers: number;
  /** Bits that both sides knew. */
  readonly bitsCompared: number;
  /** Outputs without a single known bit in all runs, at most 50. */
  readonly neverKnown: readonly string[];
  readonly difference: SourceDifference | null;
}

interface SourceCheckOptions {
  /** Cycles of each run from the start. */
  readonly runs: readonly number[];
  readonly seed: number;
}
const several = (count: number, cycles: number) => new Array<number>(count).fill(cycles);
/** Short runs see how designs begin, long ones come to what takes many steps. */
export const defaultSourceCheck: SourceCheckOptions = {
  runs: [...several(2, 120), 800, ...several(16, 24), ...several(6, 120), ...several(3, 800)],
  seed: 1,
};
/** Cells times cycles, about, after which no further run is begun. */
const mostWork = 8_000_000;
/** Simulations that a design ends itself, by an error or $finish, before the runs are given up. */
const mostTries = 4;

/** Current values of all signals that a run records, by name below the top. */
class Values implements WaveSink {
  readonly at = new Map<string, number>();
  /** Signals that are parts of one: its name, and its parts as declared. */
  readonly parts = new Map<string, number[]>();
  readonly a: bigint[] = [];
  readonly b: bigint[] = [];
  readonly width: number[] = [];
  /** [signals] 1: an element of a Verilog array, whose first element has the lowest bits. */
  readonly element: number[] = [];
  now = 0;
  constructor(private readonly onTime: () => void) {}
  begin(): void {}
  declare(signal: Signal, path: readonly string[], name: string): void {
    const index = this.a.length;
    const real = unpackedDims(signal.type).element.kind !== "integral";
    this.a.push(0n);
    this.b.push(real ? 0n : (1n << BigInt(signal.width)) - 1n);
    this.width.push(real ? 0 : signal.width);
    this.element.push(signal.dims.length ? 1 : 0);
    // the test bench's own, and those below its instance of the design
    const full = [...path.slice(1), name].join(".");
    if (this.at.has(full)) return;
    this.at.set(full, index);
    // every name that this may be a field or an element of
    for (const { index: end } of full.matchAll(/[.([]/g)) {
      const of = full.slice(0, end);
      if (of === "dut") continue;
      const list = this.parts.get(of);
      if (list) list.push(index);
      else this.parts.set(of, [index]);
    }
  }
  ready(): void {}
  time(steps: number): void {
    this.onTime();
    this.now = steps;
  }
  bits(index: number, _width: number, a: bigint, b: bigint): void {
    this.a[index] = a;
    this.b[index] = b;
  }
  narrow(index: number, _width: number, a: number, b: number): void {
    this.a[index] = BigInt(a >>> 0);
    this.b[index] = BigInt(b >>> 0);
  }
  real(): void {}
  text(): void {}
  end(): void {
    this.onTime();
  }
}

/** Bits that both sides have: nets of the circuit, and where the simulation keeps the same. */
interface Watched {
  readonly name: string;
  readonly what: SourceDifference["what"];
  readonly nets: readonly number[];
  readonly enable: readonly number[] | null;
  /** [nets] */
  readonly places: readonly Place[];
}
/** One bit of a recorded signal. */
interface Place {
  readonly index: number;
  readonly bit: number;
}

/**
 * Compares the simulation of a design's text with the circuit that was made of it, on random inputs in runs from the
 * start: outputs, and registers by their names, at rest before and behind each edge of a clock. What either side does
 * not know is not compared. The two share the reading and elaborating of the text, and nothing behind it.
 */
export function checkSource(
  files: readonly SourceFile[],
  netlist: RtlNetlist,
  options: SourceCheckOptions,
  context: StageContext,
): SourceCheck {
  const drive = driveOf(netlist);
  const bench = benchNameFor(files.map(({ text }) => text));
  const random = new Random(options.seed);
  const withBench = (stimuli: readonly Stimulus[]): SourceFile[] => {
    const made = benchFor(bench, netlist, drive, stimuli);
    return [
      ...files,
      { name: `${bench}.sv`, text: made.text, takesBits: true },
      { name: `${bench}.hex`, text: made.stimuli },
    ];
  };
  const outputs = netlist.ports.filter((port) => port.direction === "output");
  const most: (bigint | null)[] = drive.data.map(() => null);
  const accepted = drive.data.map(() => -1n);
  const seen = new Seen();
  const total = { runs: 0, cycles: 0, bitsCompared: 0, registers: 0 };
  let reason: string | null = null;
  let difference: SourceDifference | null = null;
  let short = 0;
  for (let run = 0; run < options.runs.length && !difference; run++) {
    context.checkCancelled();
    context.progress({ fraction: run / options.runs.length, figure: `${total.cycles} cycles of the text simulated` });
    if (run > 1 && total.cycles * netlist.cells.length > mostWork) break;
    const stimuli = randomRun(drive, options.runs[run], random, most);
    const one = new OneRun(netlist, drive, seen);
    const how = one.play(withBench(stimuli), bench, context);
    total.runs++;
    total.cycles += one.cycles;
    total.bitsCompared += one.bitsCompared;
    total.registers = one.registers;
    difference = one.difference;
    if (how !== null) {
      reason = how;
      break;
    }
    // values that the design does not take end its simulation: those above all that it took before are left out
    const rejected = one.cycles < stimuli.length ? stimuli[one.cycles] : null;
    for (const { values } of stimuli.slice(0, one.cycles))
      values.forEach((value, i) => {
        if (value > accepted[i]) accepted[i] = value;
      });
    if (rejected && !difference) {
      rejected.values.forEach((value, i) => {
        const limit = most[i];
        if (value > accepted[i] && value > 0n && (limit === null || value - 1n < limit)) most[i] = value - 1n;
      });
      if (++short <= mostTries * options.runs.length && one.cycles < stimuli.length / 2) run--;
    }
  }
  // what the text always knows and the circuit leaves open is no choice that the text gave
  const open = [...seen.simulated].filter((name) => !seen.both.has(name));
  if (open.length && !difference && reason === null)
    for (const level of [0, 1] as const) {
      const stimuli = randomRun(drive, 120, random, most);
      const one = new OneRun(netlist, drive, seen, level, new Set(open));
      one.play(withBench(stimuli), bench, context);
      difference ??= one.difference;
    }
  const neverKnown = outputs
    .flatMap((port) => port.bits.map((_, i) => bitName(port, i)))
    .filter((name) => !seen.both.has(name));
  if (!difference && reason === null && total.bitsCompared === 0)
    reason = outputs.length ? "No output ever has a value that simulation knows." : "The design has no outputs.";
  return {
    ...total,
    verdict: difference ? "different" : reason !== null ? "not compared" : "agrees",
    reason,
    outputs: outputs.length,
    neverKnown: neverKnown.slice(0, 50),
    difference,
  };
}

/** Output bits that a text gives a value, and whether the circuit ever does. */
class Seen {
  readonly simulated = new Set<string>();
  readonly both = new Set<string>();
}

/** One simulation of the text beside the circuit. */
class OneRun {
  cycles = 0;
  bitsCompared = 0;
  registers = 0;
  difference: SourceDifference | null = null;
  private readonly circuit: WordSimulator;
  private readonly moments: SourceDifference["moments"][number][] = [];
  private watched: Watched[] = [];
  private inputs: { readonly port: RtlPort; readonly index: number }[] = [];
  private pins: {
    readonly port: RtlPort;
    readonly from: RtlPort | null;
    readonly value: number;
    readonly enable: number;
  }[] = [];
  /** Nets that blocks of the part drive: the simulation says what they are. */
  private lent: { readonly nets: readonly number[]; readonly places: readonly Place[] }[] = [];
  /** [nets] 1: a register's or a latch's. */
  private readonly held: Uint8Array;
  private mark = -1;
  private marked = -1n;

  constructor(
    private readonly netlist: RtlNetlist,
    private readonly drive: Drive,
    private readonly seen: Seen,
    /** What stands for the levels that the circuit leaves open, and the output bits that are looked at; null: all. */
    open: Level = 2,
    private readonly only: ReadonlySet<string> | null = null,
  ) {
    this.circuit = new WordSimulator(netlist, open);
    this.held = new Uint8Array(netlist.netCount);
  }

  /** @returns Why nothing can be compared; null if all went well. */
  play(files: readonly SourceFile[], bench: string, context: StageContext): string | null {
    let unsettled = false;
    const values = new Values(() => {
      if (this.mark < 0 || this.difference || unsettled) return;
      try {
        this.look(values);
      } catch (error) {
        if (!(error instanceof Unsettled)) throw error;
        unsettled = true;
      }
    });
    const { simulation, findings } = prepare(
      files,
      { top: bench, record: recordAll, maxTurns: 200_000, until: null },
      values,
    );
    if (!simulation) {
      const first = findings.find(({ severity }) => severity === "error");
      return `The text cannot be simulated on its own: ${first?.message ?? "it has errors."}`;
    }
    // declared when the run begins
    let started = false;
    for (;;) {
      const end = simulation.run(started ? 64 : 1);
      if (!started) {
        started = true;
        const missing = this.connect(values);
        if (missing) return missing;
      }
      context.checkCancelled();
      if (this.difference || end !== null) break;
    }
    if (unsettled) return "Logic that feeds itself does not come to rest.";
    if (this.cycles === 0 && hasErrors(simulation.findings) && !this.difference)
      return `The simulation ends at the start: ${simulation.findings.find(({ severity }) => severity === "error")!.message}`;
    return null;
  }

  private connect(values: Values): string | null {
    const find = (name: string) => values.at.get(name) ?? -1;
    const { netlist, drive } = this;
    this.mark = find("mark");
    if (this.mark < 0) return "The test bench was not recorded.";
    drive.clocks.forEach((port, k) => this.inputs.push({ port, index: find(`c${k}`) }));
    drive.data.forEach((port, i) => {
      if (!port.isInout) {
        this.inputs.push({ port, index: find(`d${i}`) });
        return;
      }
      const from = netlist.ports.find((each) => each.name === port.name && each.direction === "output") ?? null;
      this.pins.push({ port, from, value: find(`d${i}`), enable: find(`e${i}`) });
    });
    const { held } = this;
    for (const { kind, output } of netlist.cells)
      if (kind === "ff" || kind === "latch") for (const net of output) held[net] = 1;
    // records and arrays of VHDL are recorded part by part, the leftmost first; arrays of Verilog the lowest first
    const placesOf = ({ name, bits }: RtlVector): Place[] | null => {
      const whole = find(`dut.${name}`);
      // numbers with a sign are recorded in 32 bits
      if (whole >= 0 && values.width[whole] === 32 && bits.length < 32)
        return bits.map((_, bit) => ({ index: whole, bit }));
      const list = whole >= 0 ? [whole] : (values.parts.get(`dut.${name}`) ?? []);
      const fromHighest = list.length > 0 && list.every((index) => values.element[index]) ? list.toReversed() : list;
      const places = fromHighest.flatMap((index) =>
        Array.from({ length: values.width[index] }, (_, i) => ({ index, bit: values.width[index] - 1 - i })),
      );
      return places.length === bits.length ? places.reverse() : null;
    };
    for (const port of netlist.ports) {
      const places = placesOf(port);
      if (!places) return `The simulation has no port '${port.name}' of ${port.bits.length} bits.`;
      if (port.direction !== "output") continue;
      const isPin = this.pins.some(({ from }) => from === port);
      const nets = isPin ? this.pins.find(({ from }) => from === port)!.port.bits : port.bits;
      this.watched.push({
        name: port.name,
        what: "output",
        nets,
        enable: isPin ? null : (port.enable ?? null),
        places,
      });
    }
    const names = new Set(netlist.ports.map(({ name }) => name));
    for (const signal of netlist.signals) {
      if (names.has(signal.name) || !signal.bits.some((net) => held[net])) continue;
      const places = placesOf(signal);
      if (!places) continue;
      this.registers++;
      this.watched.push({ name: signal.name, what: "register", nets: signal.bits, enable: null, places });
    }
    const free = new Set(netlist.cells.flatMap(({ kind, output }) => (kind === "block" ? output : [])));
    if (free.size)
      for (const signal of netlist.signals) {
        const places = signal.bits.some((net) => free.has(net)) ? placesOf(signal) : null;
        if (places) this.lent.push({ nets: signal.bits.map((net) => (free.has(net) ? net : -1)), places });
      }
    return null;
  }

  /** At the end of each moment of the simulation. */
  private look(values: Values): void {
    const { circuit } = this;
    const level = (index: number, bit: number): Level =>
      (values.b[index] >> BigInt(bit)) & 1n ? 2 : (Number((values.a[index] >> BigInt(bit)) & 1n) as Level);
    for (const { port, index } of this.inputs) port.bits.forEach((net, i) => circuit.set(net, level(index, i)));
    for (const { nets, places } of this.lent)
      nets.forEach((net, i) => {
        if (net >= 0) circuit.set(net, level(places[i].index, places[i].bit));
      });
    // a register that the text leaves open may begin with anything, whatever the circuit has
    if (this.marked < 0n)
      for (const { nets, places } of this.watched)
        nets.forEach((net, i) => {
          if (this.held[net] && level(places[i].index, places[i].bit) === 2) circuit.set(net, 2);
        });
    for (let turn = 0; turn < 8; turn++) {
      circuit.settle();
      if (!this.pins.length) break;
      const before = this.pins.map(({ port }) => port.bits.map((net) => circuit.level[net]).join("")).join();
      for (const pin of this.pins)
        pin.port.bits.forEach((net, i) =>
          circuit.set(net, this.pinLevel(pin, i, level(pin.value, i), level(pin.enable, i))),
        );
      const after = this.pins.map(({ port }) => port.bits.map((net) => circuit.level[net]).join("")).join();
      if (after === before) break;
    }
    const mark = values.a[this.mark];
    if (mark === this.marked) return;
    // the first look is at the start, where nothing has come to rest
    const isFirst = this.marked < 0n;
    this.marked = mark;
    if (isFirst) return;
    this.compare(values, level);
  }
  private pinLevel(pin: OneRun["pins"][number], bit: number, outside: Level, isDriven: Level): Level {
    const { circuit } = this;
    const { from, port } = pin;
    const own = from ? (circuit.level[from.bits[bit]] as Level) : 2;
    const drives = !from ? 0 : from.enable ? circuit.level[from.enable[bit]] : 1;
    if (drives === 2 || isDriven === 2) return 2;
    if (drives && isDriven) return own === outside ? own : 2;
    if (drives) return own;
    if (isDriven) return outside;
    const pull = port.pulls?.[bit];
    return pull === "up" ? 1 : pull === "down" ? 0 : 2;
  }

  private compare(values: Values, level: (index: number, bit: number) => Level): void {
    const { circuit } = this;
    const marksPerCycle = this.drive.clocks.length ? 3 : 1;
    const digits = "01x";
    const simulatedText = ({ places }: Watched) =>
      places
        .map(({ index, bit }) => digits[level(index, bit)])
        .reverse()
        .join("");
    const writtenText = ({ nets, enable }: Watched) =>
      nets
        .map((net, i) => (enable && circuit.level[enable[i]] !== 1 ? "x" : digits[circuit.level[net]]))
        .reverse()
        .join("");
    const bits = (port: RtlPort, index: number) =>
      port.bits
        .map((_, i) => digits[level(index, i)])
        .reverse()
        .join("");
    let found: Watched | null = null;
    for (const each of this.watched) {
      for (let i = 0; i < each.nets.length; i++) {
        const simulated = level(each.places[i].index, each.places[i].bit);
        if (simulated === 2) continue;
        const name = each.what === "output" ? nameOf(each, i, this.netlist) : null;
        if (this.only && (name === null || !this.only.has(name))) continue;
        if (name !== null) this.seen.simulated.add(name);
        // what is let go has no value
        const driven = each.enable ? circuit.level[each.enable[i]] : 1;
        const written = driven === 1 ? circuit.level[each.nets[i]] : 2;
        if (each.enable && driven === 0) {
          found ??= each;
          continue;
        }
        if (written === 2) continue;
        this.bitsCompared++;
        if (name !== null) this.seen.both.add(name);
        if (written !== simulated) found ??= each;
      }
    }
    this.moments.push({
      ns: values.now / 1000,
      inputs: Object.fromEntries([
        ...this.inputs.map(({ port, index }) => [port.name, bits(port, index)]),
        ...this.pins.map(({ port, value }) => [port.name, bits(port, value)]),
      ]),
      outputs: Object.fromEntries(
        this.watched
          .filter((each) => each.what === "output" || each === found)
          .map((each) => [each.name, { simulated: simulatedText(each), written: writtenText(each) }]),
      ),
    });
    this.cycles = Math.floor(this.moments.length / marksPerCycle);
    if (found)
      this.difference = {
        name: found.name,
        what: found.what,
        simulated: simulatedText(found),
        written: writtenText(found),
        moments: this.moments,
      };
  }
}

function nameOf({ name }: Watched, bit: number, netlist: RtlNetlist): string {
  const port = netlist.ports.find((each) => each.name === name && each.direction === "output");
  return port ? bitName(port, bit) : name;
}
