import { BinaryHeap } from "../../common/heap.ts";
import { Random } from "../../common/random.ts";
import type { ClockBlockModes } from "../../device/blocks/clock-block.ts";
import type { CornerName } from "../../device/family.ts";
import type { Part } from "../../device/part.ts";
import { ClockBlockRun } from "../blocks/clock-block.ts";
import { expanded } from "../blocks/running.ts";
import { SerialLaneRun } from "../blocks/serial-lane.ts";
import type { Circuit } from "../decode.ts";
import type { RunningPart } from "../running-part.ts";
import { BlockCode } from "./block-code.ts";
import { arrives, type TimedNetwork, timedNetwork } from "./network.ts";
import { WireTimes } from "./wire-times.ts";

/** Time constant with which a register that was caught in a change settles, in ps, at slow-hot and grade factor 1. */
const settlePs = 40;
/** A circuit that makes more changes than this without coming to rest has a loop that swings. */
const mostChanges = 5_000_000;

/** Half periods after which a clock counts as having rested. */
const pause = 4;

/** A clock block, with the edge that came in last, the half period before it, and the levels that its outputs will have. */
interface ClockRun {
  readonly run: ClockBlockRun;
  lastAt: number;
  half: number;
  level: number;
  readonly until: Map<number, number>;
}

/**
 * Runs a decoded circuit with the delays of its wires and elements at one corner. Every way takes its own time and passes pulses on
 * (transport delay); a table answers at once to what has arrived. A register takes what is at its data when its own clock comes; if that
 * changed within its setup or hold time, either of the two values, at random by a seed, and settles later by a time that is distributed
 * exponentially (Veendrick 1980, "The behavior of flip-flops used as synchronizers and prediction of their failure rate").
 */
export class TimedEngine implements RunningPart {
  readonly circuit: Circuit;
  readonly lutCount: number;
  readonly flipFlopCount: number;
  unstable = false;
  receive: (lane: number) => number = () => 0;
  /** Registers and pins of blocks that were caught in a change so far. */
  caught = 0;
  /** Time since configuration, in ps. */
  now = 0;

  private readonly net: TimedNetwork;
  private readonly random: Random;
  private readonly events = new BinaryHeap(1024);
  /** [S] */
  private readonly level: Uint8Array;
  /** [tables] Which row is selected; [tables * 2] their rows. */
  private readonly row: Uint8Array;
  private readonly rows: Uint32Array;
  private readonly tableOutput: Int32Array;
  /** [flip-flops] Bits: 1 data, 2 enable, 4 reset, as they have arrived. */
  private readonly inputs: Uint8Array;
  private readonly held: Uint8Array;
  private readonly next: Uint8Array;
  private readonly before: Uint8Array;
  /** When `next` is good from, and the last edge. */
  private readonly goodFrom: Float64Array;
  private readonly lastEdge: Float64Array;
  private readonly clockToOutputPs: number;
  private readonly holdPs: number;
  private readonly controlSetupPs: number;
  private readonly tau: number;
  private readonly code: BlockCode;
  /** [blocks][pins] */
  private readonly pinGoodFrom: readonly Float64Array[];
  /** [blocks][outputs] Level that each will have. */
  private readonly shown: readonly Uint8Array[];
  private readonly blockEdge: Float64Array;
  private readonly clockRuns: readonly ClockRun[];
  private readonly lanes: readonly { run: SerialLaneRun; pins: Uint8Array; goodFrom: Float64Array }[];
  private readonly padLevel: Uint8Array;
  private readonly padOn: Uint8Array;
  private readonly duty: Int32Array;

  constructor(part: Part, memory: Uint8Array, decoded: Circuit, corner: CornerName, seed = 1) {
    const circuit = expanded(decoded);
    this.circuit = circuit;
    this.lutCount = circuit.lutCount;
    this.flipFlopCount = circuit.flipFlops.length;
    this.random = new Random(seed);
    const times = new WireTimes(part, memory, corner);
    const { delays } = times;
    this.net = timedNetwork(part, circuit, times);
    this.level = new Uint8Array(circuit.signalCount);
    this.row = new Uint8Array(circuit.tables.length);
    this.rows = new Uint32Array(2 * circuit.tables.length);
    this.tableOutput = Int32Array.from(circuit.tables, ({ output }) => output);
    circuit.tables.forEach(({ low, high, inputs }, t) => {
      // a mask of fewer inputs repeats
      this.rows[2 * t] = low;
      this.rows[2 * t + 1] = inputs.length > 5 ? high : low;
    });
    const count = circuit.flipFlops.length;
    this.inputs = new Uint8Array(count);
    this.held = new Uint8Array(count);
    this.next = new Uint8Array(count);
    this.before = new Uint8Array(count);
    this.goodFrom = new Float64Array(count).fill(-Infinity);
    this.lastEdge = new Float64Array(count).fill(-Infinity);
    this.clockToOutputPs = delays.clockToOutputPs;
    this.holdPs = delays.holdPs;
    this.controlSetupPs = delays.setupPs(false);
    this.tau = settlePs * delays.scale;
    const { blocks } = this.net;
    this.code = new BlockCode(
      blocks.map(({ site }) => site),
      blocks.map(({ sets }) => sets),
    );
    this.pinGoodFrom = blocks.map(({ site }) => new Float64Array(site.inputs.length).fill(-Infinity));
    this.shown = blocks.map(({ outputs }) => new Uint8Array(outputs.length));
    this.blockEdge = new Float64Array(blocks.length).fill(-Infinity);
    this.clockRuns = this.net.clockBlocks.map(({ site }) => {
      const outputs = [0, 1, 2].map((pin) => site.outputs.get(pin) ?? -1);
      const run = new ClockBlockRun(site.modes as ClockBlockModes, site.clocks[0], outputs);
      run.reset();
      return { run, lastAt: Number.NaN, half: 0, level: 0, until: new Map<number, number>() };
    });
    this.lanes = this.net.lanes.map(({ site }) => {
      const run = new SerialLaneRun({ ...site, inputs: site.inputs.map((_, pin) => pin) });
      run.reset();
      const { length } = site.inputs;
      return { run, pins: new Uint8Array(length), goodFrom: new Float64Array(length).fill(-Infinity) };
    });
    this.padLevel = new Uint8Array(circuit.outputs.length);
    this.padOn = Uint8Array.from(circuit.outputs, ({ enable }) => Number(enable < 0));
    this.duty = new Int32Array(circuit.outputs.length);
    this.start();
  }

  /** As after configuration: what is not 0 says so, and time passes until all is quiet. */
  private start(): void {
    const { circuit, net } = this;
    circuit.flipFlops.forEach(({ init, output }, f) => {
      this.held[f] = init;
      this.next[f] = this.nextOf(f);
      if (init) this.flip(output);
    });
    net.blocks.forEach((_, b) => {
      this.showBlock(b, -1, 0, false);
    });
    circuit.tables.forEach((_, t) => {
      this.answer(t);
    });
    this.rest();
    this.isStarting = false;
    this.now = 0;
    this.goodFrom.fill(-Infinity);
    for (const good of this.pinGoodFrom) good.fill(-Infinity);
    for (const { goodFrom } of this.lanes) goodFrom.fill(-Infinity);
  }
  /** Clocks that find their level are no edges. */
  private isStarting = true;

  signal(signal: number): number {
    return this.level[signal];
  }
  driven(output: number): number | null {
    return this.padOn[output] ? this.padLevel[output] : null;
  }
  registers(): Uint8Array {
    return this.held.slice();
  }
  serialWord(lane: number): number | null {
    return this.lanes.find(({ run }) => run.lane === lane)?.run.sent ?? null;
  }
  takeDuty(): Int32Array {
    const duty = this.duty.slice();
    this.duty.fill(0);
    return duty;
  }

  setInputs(values: ReadonlyMap<number, number>, afterPs?: number): void {
    const { circuit, net, levelOf } = this;
    circuit.inputs.forEach(({ signal }, i) => {
      const value = values.get(signal);
      if (value === undefined || value === (levelOf.get(signal) ?? 0)) return;
      levelOf.set(signal, value);
      this.events.push(this.now + (afterPs ?? 0) + net.inputPs[i], net.change[signal]);
    });
    if (afterPs === undefined) this.rest();
  }
  /** Levels at input pads, as told last. */
  private readonly levelOf = new Map<number, number>();

  runCycles(signal: number, cycles: number, periodPs: number): void {
    const { net, circuit, levelOf } = this;
    const at = circuit.inputs.findIndex((input) => input.signal === signal);
    if (at < 0) return;
    const delay = net.inputPs[at];
    const begin = this.now;
    const isHigh = levelOf.get(signal) === 1;
    for (let i = 0; i < cycles; i++) {
      const from = begin + i * periodPs;
      this.runTo(from);
      for (let o = 0; o < this.duty.length; o++) if (this.driven(o) === 1) this.duty[o]++;
      if (!isHigh) this.events.push(from + delay, net.change[signal]);
      this.events.push(from + periodPs / 2 + delay, net.change[signal]);
      if (isHigh) this.events.push(from + periodPs + delay, net.change[signal]);
    }
    this.runTo(begin + cycles * periodPs);
  }

  private runTo(time: number): void {
    const { events } = this;
    let changes = 0;
    const most = mostChanges + 100 * this.net.what.length;
    while (events.size && events.topKey <= time) {
      if (++changes > most) {
        this.unstable = true;
        events.clear();
        break;
      }
      const at = events.topKey;
      this.now = at;
      this.arriveAt(events.pop());
    }
    if (time > this.now && time < Infinity) this.now = time;
  }
  wait(ps: number): void {
    this.runTo(this.now + ps);
  }
  /** Lets time pass until nothing is on its way. */
  private rest(): void {
    this.runTo(Infinity);
  }

  /** A signal changes to its other level. */
  private flip(signal: number): void {
    const { net, level, events, now } = this;
    level[signal] ^= 1;
    const value = level[signal];
    const { sinkStart, sink, sinkPs, sinkEdge } = net;
    for (let i = sinkStart[signal], end = sinkStart[signal + 1]; i < end; i++)
      if (sinkEdge[i] === 2 || sinkEdge[i] === value) events.push(now + sinkPs[i], sink[i]);
  }

  private arriveAt(place: number): void {
    const { net } = this;
    const owner = net.owner[place];
    switch (net.what[place]) {
      case arrives.table:
        this.row[owner] ^= 1 << net.place[place];
        this.answer(owner);
        return;
      case arrives.signal:
        this.flip(owner);
        return;
      case arrives.data:
        this.change(owner, 1, net.setupPs[owner]);
        return;
      case arrives.enable:
        this.change(owner, 2, this.controlSetupPs);
        return;
      case arrives.reset:
        this.change(owner, 4, this.controlSetupPs);
        return;
      case arrives.clock:
        if (!this.isStarting) for (const f of net.groups[owner].flipFlops) this.capture(f);
        return;
      case arrives.pad:
        this.padLevel[owner] ^= 1;
        return;
      case arrives.padEnable:
        this.padOn[owner] ^= 1;
        return;
      case arrives.blockInput:
        this.changeBlock(owner, net.place[place]);
        return;
      case arrives.blockClock:
        if (!this.isStarting) this.captureBlock(owner, net.place[place]);
        return;
      case arrives.laneInput: {
        const { pins, goodFrom } = this.lanes[owner];
        pins[net.place[place]] ^= 1;
        goodFrom[net.place[place]] = this.now + net.lanes[owner].setupPs;
        return;
      }
      case arrives.lane:
        if (!this.isStarting) this.clockLane(owner);
        return;
      case arrives.laneWord: {
        const { run } = this.lanes[owner];
        run.receive(this.receive(run.lane));
        return;
      }
      default:
        this.clockEdge(owner);
    }
  }

  private answer(table: number): void {
    const row = this.row[table];
    const value = (this.rows[2 * table + (row >> 5)] >>> (row & 31)) & 1;
    const output = this.tableOutput[table];
    if (value !== this.level[output]) this.flip(output);
  }

  private nextOf(f: number): number {
    const { reset, enable, resetValue } = this.circuit.flipFlops[f];
    const inputs = this.inputs[f];
    if (reset >= 0 && inputs & 4) return resetValue;
    return enable >= 0 && !(inputs & 2) ? this.held[f] : inputs & 1;
  }

  /** One of a register's inputs has changed. */
  private change(f: number, bit: number, setupPs: number): void {
    this.inputs[f] ^= bit;
    const { asyncReset, resetValue } = this.circuit.flipFlops[f];
    const next = this.nextOf(f);
    if (bit === 4 && asyncReset && this.inputs[f] & 4) this.hold(f, resetValue, 0);
    if (next === this.next[f]) return;
    this.before[f] = this.next[f];
    this.next[f] = next;
    this.goodFrom[f] = this.now + setupPs;
    // it goes on looking for a while after its clock
    if (this.now < this.lastEdge[f] + this.holdPs && next !== this.held[f]) {
      this.caught++;
      if (this.random.float() < 0.5) this.hold(f, next, this.late());
    }
  }

  private capture(f: number): void {
    let value = this.next[f];
    let late = 0;
    if (this.now < this.goodFrom[f]) {
      this.caught++;
      if (this.random.float() < 0.5) value = this.before[f];
      late = this.late();
    }
    this.lastEdge[f] = this.now;
    this.hold(f, value, late);
    // while it is not enabled it goes on with what it holds
    this.next[f] = this.nextOf(f);
  }
  private hold(f: number, value: number, late: number): void {
    if (value === this.held[f]) return;
    this.held[f] = value;
    const { output } = this.circuit.flipFlops[f];
    this.events.push(this.now + this.clockToOutputPs + late, this.net.change[output]);
  }
  private late(): number {
    return -this.tau * Math.log(1 - this.random.float());
  }

  private changeBlock(b: number, pin: number): void {
    const { net, code } = this;
    const word = code.inputWord[b][pin];
    code.words[word] ^= 1;
    this.pinGoodFrom[b][pin] = this.now + net.blocks[b].setupPs[pin];
    if (net.blocks[b].isThrough[pin]) {
      code.show(b);
      this.showBlock(b, -1, 0, true);
    }
  }

  /** An edge of some of a block's clocks. Pins that have just changed may be taken as they were. */
  private captureBlock(b: number, set: number): void {
    const { net, code } = this;
    const { sets, site, insidePs } = net.blocks[b];
    const own = sets[set];
    const missed: number[] = [];
    for (const pin of own.pins)
      if (site.inputs[pin] > 0 && this.pinGoodFrom[b][pin] > this.now) {
        this.caught++;
        if (this.random.float() < 0.5) missed.push(code.inputWord[b][pin]);
      }
    for (const word of missed) code.words[word] ^= 1;
    code.edge(b, set);
    for (const word of missed) code.words[word] ^= 1;
    if (missed.length) code.show(b);
    // what goes from register to register inside did not come through in time
    const isTorn = insidePs > 0 && this.now - this.blockEdge[b] < insidePs;
    this.blockEdge[b] = this.now;
    this.showBlock(b, set, Math.min(...own.afterPs), false, isTorn);
  }

  /** Outputs of a block that have become others are on their way. @param isAtOnce They follow pins, whose ways have it all. */
  private showBlock(b: number, set: number, afterPs: number, isAtOnce: boolean, isTorn = false): void {
    const { net, code, shown } = this;
    net.blocks[b].outputs.forEach(({ pin, signal, clockPs, set: own }, i) => {
      const value = code.words[code.outputWord[b].get(pin)!] & 1;
      if (value === shown[b][i]) return;
      if (isTorn) {
        this.caught++;
        if (this.random.float() < 0.5) return;
      }
      shown[b][i] = value;
      const wait = isAtOnce ? 0 : clockPs + (own === set ? afterPs : 0);
      this.events.push(this.now + wait, net.change[signal]);
    });
  }

  private clockLane(lane: number): void {
    const { run, pins, goodFrom } = this.lanes[lane];
    const { word, clockPs } = this.net.lanes[lane];
    run.sample((pin) => {
      if (goodFrom[pin] <= this.now) return pins[pin];
      this.caught++;
      return this.random.float() < 0.5 ? pins[pin] : 1 - pins[pin];
    });
    const sends = run.take((signal, level) => {
      if ((this.laneLevel.get(signal) ?? 0) === level) return;
      this.laneLevel.set(signal, level);
      this.events.push(this.now + clockPs, this.net.change[signal]);
    });
    // what another lane sends with the same edge is on the line by then
    if (sends) this.events.push(this.now + clockPs, word);
  }
  /** Levels that outputs of lanes will have. */
  private readonly laneLevel = new Map<number, number>();

  /** An edge at the input of a clock block, which divides the time that lies between its edges. */
  private clockEdge(b: number): void {
    const own = this.clockRuns[b];
    own.level ^= 1;
    // a pause of what comes in is no longer period
    const since = this.now - own.lastAt;
    if (since > 0 && (own.half === 0 || since < pause * own.half)) own.half = since;
    const { half } = own;
    own.lastAt = this.now;
    const { outputPs, site } = this.net.clockBlocks[b];
    for (const { at, signal, level } of own.run.edge(own.level === 1)) {
      const pin = [...site.outputs].find(([, each]) => each === signal)![0];
      if ((own.until.get(signal) ?? 0) === level) continue;
      own.until.set(signal, level);
      this.events.push(this.now + at * half + outputPs[pin], this.net.change[signal]);
    }
  }
}
