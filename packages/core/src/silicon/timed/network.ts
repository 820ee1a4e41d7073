import { blockClockFalls, blockOf, blockPinAt, blockPinsOf, isThroughPin } from "../../device/blocks/registry.ts";
import type { Part } from "../../device/part.ts";
import { runOf } from "../blocks/running.ts";
import type { Circuit, DecodedSite } from "../decode.ts";
import type { ClockSet } from "./block-code.ts";
import type { WireTimes } from "./wire-times.ts";

/** What happens where a signal arrives. */
export const arrives = {
  /** At input `place` of table `owner`. */
  table: 0,
  /** At data, enable or reset of flip-flop `owner`. */
  data: 1,
  enable: 2,
  reset: 3,
  /** At the clock of group `owner`: only its active edges are on the way. */
  clock: 4,
  /** At input `place` of block `owner`, and what of it goes by a clock. */
  blockInput: 5,
  /** At clock set `place` of block `owner`. */
  blockClock: 6,
  /** At the input of clock block `owner`. */
  clockBlock: 7,
  /** At pad `owner` of the outputs, and at what lets it drive. */
  pad: 8,
  padEnable: 9,
  /** At input `place` of serial lane `owner`, at its clock, and what came in during its cycle. */
  laneInput: 11,
  lane: 12,
  laneWord: 13,
  /** Signal `owner` itself changes: what a register or a pad has let go. */
  signal: 10,
} as const;

/** Flip-flops of one tile with one clock. */
interface ClockedGroup {
  readonly flipFlops: readonly number[];
}

/** A block that runs in generated code, with its times. */
interface TimedBlock {
  readonly site: DecodedSite;
  readonly sets: readonly (ClockSet & { readonly afterPs: readonly number[]; readonly pins: readonly number[] })[];
  /** [input pins] Setup before its clock in ps; clock set that takes it, -1 for none; 1 where it passes on without a clock. */
  readonly setupPs: Float64Array;
  readonly setOf: Int32Array;
  readonly isThrough: Uint8Array;
  /** Output pin -> signal, and what it takes from the clock on; clock set that it follows. */
  readonly outputs: readonly {
    readonly pin: number;
    readonly signal: number;
    readonly clockPs: number;
    readonly set: number;
  }[];
  /** From register to register inside; 0 if none follows another. */
  readonly insidePs: number;
}

/**
 * A decoded circuit with its times: where each signal arrives, and after how long. P places of arrival, S signals. What a LUT takes
 * from a pin on is part of the way there, so that a table itself takes no time.
 */
export interface TimedNetwork {
  /** [P] One of `arrives`, what it belongs to, and which of its inputs. */
  readonly what: Uint8Array;
  readonly owner: Int32Array;
  readonly place: Int32Array;
  /** [S + 1] Where each signal arrives, when (ps), and on which of its edges: 0 fall, 1 rise, 2 both. */
  readonly sinkStart: Int32Array;
  readonly sink: Int32Array;
  readonly sinkPs: Float64Array;
  readonly sinkEdge: Uint8Array;
  /** [S] Place where the signal itself changes; -1 for those that tables make. */
  readonly change: Int32Array;
  readonly groups: readonly ClockedGroup[];
  /** [flip-flops] ps */
  readonly setupPs: Float64Array;
  readonly blocks: readonly TimedBlock[];
  readonly lanes: readonly {
    readonly site: DecodedSite;
    /** Where its word comes in, in the order of time. */
    readonly word: number;
    readonly setupPs: number;
    readonly clockPs: number;
  }[];
  readonly clockBlocks: readonly { readonly site: DecodedSite; readonly outputPs: readonly number[] }[];
  /** [inputs] From the package pin to its signal, in ps. */
  readonly inputPs: Float64Array;
}

/** @param circuit With switches as what they are made of. */
export function timedNetwork(part: Part, circuit: Circuit, times: WireTimes): TimedNetwork {
  return new NetworkBuilder(part, circuit, times).build();
}

class NetworkBuilder {
  private readonly what: number[] = [];
  private readonly owner: number[] = [];
  private readonly place: number[] = [];
  private readonly ways: { signal: number; at: number; ps: number; edge: number }[] = [];

  constructor(
    private readonly part: Part,
    private readonly circuit: Circuit,
    private readonly times: WireTimes,
  ) {}

  private arrive(what: number, owner: number, place = 0): number {
    this.owner.push(owner);
    this.place.push(place);
    return this.what.push(what) - 1;
  }
  private way(signal: number, at: number, ps: number, edge = 2): void {
    if (signal > 0) this.ways.push({ signal, at, ps, edge });
  }

  build(): TimedNetwork {
    const { circuit, times, part } = this;
    const { delays } = times;
    this.tables();
    const groups = this.flipFlops();
    const setupPs = Float64Array.from(circuit.flipFlops, ({ pins, block }) =>
      // a pad's register has no bypass of its element
      block ? 0 : delays.setupPs(pins.d >= 0 && part.fabric.tileKind(part.graph.nodeTile[pins.d]) === "logic"),
    );
    const blocks = this.codeBlocks();
    const clockBlocks = this.clockBlocks();
    const lanes = this.lanes();
    circuit.outputs.forEach(({ pad, signal, enable }, i) => {
      const own = times.outputPad(pad);
      this.way(signal, this.arrive(arrives.pad, i), times.to(times.outputPin(pad)) + own);
      if (enable >= 0) this.way(enable, this.arrive(arrives.padEnable, i), times.to(times.enablePin(pad)) + own);
    });
    const change = new Int32Array(circuit.signalCount).fill(-1);
    const made = new Set(circuit.tables.map(({ output }) => output));
    for (let signal = 1; signal < circuit.signalCount; signal++)
      if (!made.has(signal)) change[signal] = this.arrive(arrives.signal, signal);
    const sinkStart = new Int32Array(circuit.signalCount + 1);
    for (const { signal } of this.ways) sinkStart[signal + 1]++;
    for (let s = 0; s < circuit.signalCount; s++) sinkStart[s + 1] += sinkStart[s];
    const fill = sinkStart.slice();
    const sink = new Int32Array(this.ways.length);
    const sinkPs = new Float64Array(this.ways.length);
    const sinkEdge = new Uint8Array(this.ways.length);
    for (const { signal, at, ps, edge } of this.ways) {
      const i = fill[signal]++;
      sink[i] = at;
      sinkPs[i] = ps;
      sinkEdge[i] = edge;
    }
    return {
      what: Uint8Array.from(this.what),
      owner: Int32Array.from(this.owner),
      place: Int32Array.from(this.place),
      sinkStart,
      sink,
      sinkPs,
      sinkEdge,
      change,
      groups,
      setupPs,
      blocks,
      lanes,
      clockBlocks,
      inputPs: Float64Array.from(circuit.inputs, ({ pad }) => times.inputPad(pad)),
    };
  }

  private tables(): void {
    const { circuit, times } = this;
    const { delays } = times;
    // a pad that the part drives too is read through both of its buffers
    const padOf = new Map(
      circuit.inputs.filter(({ signal, read }) => signal !== read).map(({ read, pad }) => [read, pad]),
    );
    circuit.tables.forEach(({ inputs, output, made, block }, t) => {
      inputs.forEach((signal, i) => {
        let ps = 0;
        const pad = padOf.get(output);
        const pin = made?.pins[i] ?? -1;
        if (made?.as === "lut") ps = times.to(pin) + delays.lutPs(i);
        else if (made?.as === "sum") ps = delays.carrySumPs;
        else if (made?.as === "carry") ps = i === 1 ? delays.carryPs : times.to(pin) + delays.carryEntryPs;
        else if (block) ps = this.intoBlock(block, signal) + this.outOfBlock(block, output);
        else if (pad !== undefined && !circuit.inputs.some((input) => input.signal === signal))
          ps = times.to(times.outputPin(pad)) + times.outputPad(pad) + times.inputPad(pad);
        this.way(signal, this.arrive(arrives.table, t, i), ps);
      });
    });
  }
  /** To the pin of a block that a signal comes in at; 0 for what it has inside. */
  private intoBlock(block: DecodedSite, signal: number): number {
    const at = [...block.inputs, ...block.clocks].indexOf(signal);
    return at < 0 ? 0 : this.times.to(this.blockPin(block, at));
  }
  private outOfBlock(block: DecodedSite, signal: number): number {
    for (const [pin, own] of block.outputs)
      if (own === signal) return this.times.delays.blockClockPs(block.modes, block.outputNames[pin]);
    return 0;
  }
  /** @param at Input pin; clocks come behind the others. */
  private blockPin({ modes, tile }: DecodedSite, at: number): number {
    const { row, name } = blockPinAt(this.part.family, modes.type, "inputs", at);
    return this.times.node(tile + row * this.part.fabric.width, name);
  }

  private flipFlops(): ClockedGroup[] {
    const { circuit, times } = this;
    const groups: { flipFlops: number[] }[] = [];
    const known = new Map<string, number>();
    circuit.flipFlops.forEach(({ d, clock, falling, enable, reset, pins, block }, f) => {
      const into = (signal: number, pin: number) => (block ? this.intoBlock(block, signal) : times.to(pin));
      this.way(d, this.arrive(arrives.data, f), into(d, pins.d));
      if (enable >= 0) this.way(enable, this.arrive(arrives.enable, f), into(enable, pins.enable));
      if (reset >= 0) this.way(reset, this.arrive(arrives.reset, f), into(reset, pins.reset));
      const key = `${clock} ${falling} ${block ? `block ${f}` : pins.clock}`;
      let group = known.get(key);
      if (group === undefined) {
        group = groups.push({ flipFlops: [] }) - 1;
        known.set(key, group);
        this.way(clock, this.arrive(arrives.clock, group), into(clock, pins.clock), falling ? 0 : 1);
      }
      groups[group].flipFlops.push(f);
    });
    return groups;
  }

  private codeBlocks(): TimedBlock[] {
    const { circuit, times, part } = this;
    const { delays } = times;
    const sites = circuit.blocks.filter(({ modes }) => runOf(modes).how === "code");
    return sites.map((site, b) => {
      const { modes, inputs, clocks } = site;
      const names = blockPinsOf(part.family, modes).inputs;
      // ports with one clock go at one moment, the later of the two
      const bySignal = new Map<string, number[]>();
      clocks.forEach((signal, port) => {
        if (signal <= 0) return;
        const key = `${signal} ${blockClockFalls(modes, port)}`;
        bySignal.set(key, [...(bySignal.get(key) ?? []), port]);
      });
      const sets = [...bySignal.values()].map((ports, s) => {
        const arrival = ports.map((port) => times.to(this.blockPin(site, inputs.length + port)));
        const last = Math.max(...arrival);
        this.way(
          clocks[ports[0]],
          this.arrive(arrives.blockClock, b, s),
          last,
          blockClockFalls(modes, ports[0]) ? 0 : 1,
        );
        return {
          ports,
          afterPs: arrival.map((own) => own - last),
          pins: names.flatMap((name, pin) => (ports.includes(blockOf(modes).clockOfPin(name)) ? [pin] : [])),
        };
      });
      const setOfClock = (name: string) =>
        sets.findIndex(({ ports }) => ports.includes(blockOf(modes).clockOfPin(name)));
      const isThrough = Uint8Array.from(names, (name) => Number(isThroughPin(modes, name)));
      inputs.forEach((signal, pin) => {
        const through = isThrough[pin] ? delays.blockThroughPs(modes, names[pin]) : 0;
        if (signal > 0)
          this.way(signal, this.arrive(arrives.blockInput, b, pin), times.to(this.blockPin(site, pin)) + through);
      });
      return {
        site,
        sets,
        setupPs: Float64Array.from(names, (name) => delays.blockSetupPs(modes, name)),
        setOf: Int32Array.from(names, setOfClock),
        isThrough,
        outputs: [...site.outputs].map(([pin, signal]) => ({
          pin,
          signal,
          clockPs: delays.blockClockPs(modes, site.outputNames[pin]),
          set: setOfClock(site.outputNames[pin]),
        })),
        insidePs: delays.blockInsidePs(modes) ?? 0,
      };
    });
  }

  private lanes(): TimedNetwork["lanes"] {
    const { circuit, times } = this;
    const sites = circuit.blocks.filter(({ modes }) => runOf(modes).how === "serial line");
    return sites.map((site, lane) => {
      const { modes, inputs, clocks, outputNames } = site;
      const names = blockPinsOf(this.part.family, modes).inputs;
      inputs.forEach((signal, pin) => {
        if (signal > 0) this.way(signal, this.arrive(arrives.laneInput, lane, pin), times.to(this.blockPin(site, pin)));
      });
      const edge = blockClockFalls(modes, 0) ? 0 : 1;
      this.way(clocks[0], this.arrive(arrives.lane, lane), times.to(this.blockPin(site, inputs.length)), edge);
      return {
        site,
        word: this.arrive(arrives.laneWord, lane),
        setupPs: times.delays.blockSetupPs(modes, names[0]),
        clockPs: times.delays.blockClockPs(modes, outputNames[0]),
      };
    });
  }

  private clockBlocks(): TimedNetwork["clockBlocks"] {
    const { circuit, times } = this;
    const { delays } = times;
    const sites = circuit.blocks.filter(({ modes }) => runOf(modes).how === "clock edges");
    return sites.map((site, b) => {
      const way = times.to(this.blockPin(site, site.inputs.length));
      // feedback takes out the way in
      const into = blockOf(site.modes).isAligned ? Math.max(0, way - delays.pinMuxPs) : way;
      this.way(site.clocks[0], this.arrive(arrives.clockBlock, b), into);
      return { site, outputPs: site.outputNames.map((name) => delays.blockClockPs(site.modes, name)) };
    });
  }
}
