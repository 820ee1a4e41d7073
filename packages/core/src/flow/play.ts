import { laneOfPin } from "../constraints/pins/serial.ts";
import type { Part } from "../device/part.ts";
import { SimulatedPart } from "../silicon/device.ts";
import type { ImagePort } from "./artifacts.ts";

/** One step of a script that drives the bare part: see docs/command-line.md. */
type PlayStep =
  | { readonly set: Readonly<Record<string, number | string>> }
  | { readonly run: string }
  | { readonly link: { readonly from: string; readonly to: string } }
  | { readonly clock: { readonly port: string; readonly cycles: number } }
  | { readonly read: readonly string[]; readonly expect?: readonly (number | string)[] };

interface PlayRead {
  readonly step: number;
  readonly values: readonly (number | string)[];
  readonly mismatch: readonly string[];
}

/** A script that cannot be followed: names what is wrong and in which step. */
export class PlayError extends Error {
  override name = "PlayError";
}

const unitsNs: Readonly<Record<string, number>> = { fs: 1e-6, ps: 1e-3, ns: 1, us: 1e3, ms: 1e6, s: 1e9 };

/** Longest that a script may let time go on in one step: beyond it nobody waits for the end. */
const mostCycles = 2 ** 40;

/**
 * Steps of a script as they stand in a file.
 * @throws PlayError with the first that cannot be followed.
 */
export function checkSteps(value: unknown): PlayStep[] {
  if (!Array.isArray(value)) throw new PlayError('A script is a list of steps, such as [{"run": "20us"}].');
  value.forEach((step: unknown, i) => {
    const wrong = (what: string): never => {
      throw new PlayError(`Step ${i}: ${what}`);
    };
    if (!isObject(step)) return wrong("it is no step: write one of set, run, clock, link and read.");
    const kinds = ["set", "run", "clock", "link", "read"].filter((kind) => kind in step);
    if (kinds.length !== 1) return wrong("write one of set, run, clock, link and read.");
    const { set, run, clock, link, read, expect } = step as Record<string, unknown>;
    switch (kinds[0]) {
      case "set":
        if (!isObject(set)) return wrong('set takes ports and values, such as {"switches": 5}.');
        for (const [port, level] of Object.entries(set))
          if (typeof level !== "string" && !Number.isInteger(level))
            return wrong(`'${port}' is set to ${JSON.stringify(level)}: give a whole number, or "z".`);
        return;
      case "run":
        if (typeof run !== "string") return wrong('run takes a time, such as "20us".');
        return;
      case "clock":
        if (!isObject(clock) || typeof clock["port"] !== "string")
          return wrong('clock takes a port and a number of cycles, such as {"port": "clk", "cycles": 8}.');
        if (
          !Number.isInteger(clock["cycles"]) ||
          (clock["cycles"] as number) < 0 ||
          (clock["cycles"] as number) > mostCycles
        )
          return wrong(`${JSON.stringify(clock["cycles"])} is no number of cycles: give a whole number from 0 on.`);
        return;
      case "link":
        if (!isObject(link) || typeof link["from"] !== "string" || typeof link["to"] !== "string")
          return wrong('link takes two serial lines, such as {"from": "tx", "to": "rx"}.');
        return;
      default:
        if (!Array.isArray(read) || read.some((name) => typeof name !== "string"))
          return wrong('read takes a list of ports, such as ["lamps"].');
        if (
          expect !== undefined &&
          (!Array.isArray(expect) || expect.some((each) => typeof each !== "string" && !Number.isInteger(each)))
        )
          return wrong("expect takes a list of whole numbers, or texts of 0, 1, x and z.");
        if (Array.isArray(expect) && expect.length !== read.length)
          return wrong(`it reads ${read.length} ports and expects ${expect.length} values.`);
    }
  });
  return value as PlayStep[];
}
const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** A part with names on its pins: ports of the design, read and set as numbers. */
export class Player {
  private readonly bits = new Map<string, { pad: number; port: ImagePort }>();
  private readonly serialPorts = new Map<string, { lane: number; receives: boolean }>();
  /** Port name -> indexes of its bits, lowest first. */
  private readonly vectors = new Map<string, { index: number; bit: string }[]>();

  constructor(
    readonly device: SimulatedPart,
    part: Part,
    ports: readonly ImagePort[],
  ) {
    for (const port of ports) {
      const lane = laneOfPin(port.pin);
      if (lane !== null && lane < part.die.serialLanes) {
        this.serialPorts.set(port.port, { lane, receives: port.direction === "input" });
        continue;
      }
      const pin = part.pinByName.get(port.pin);
      if (!pin) throw new PlayError(`${part.name} has no pin ${port.pin}, which '${port.port}' should be on.`);
      this.bits.set(port.port, { pad: pin.pad, port });
      const match = /^(.*)\[(-?\d+)\]$/.exec(port.port);
      const name = match ? match[1] : port.port;
      const list = this.vectors.get(name) ?? [];
      list.push({ index: match ? Number(match[2]) : 0, bit: port.port });
      this.vectors.set(name, list);
    }
  }

  private padsOf(name: string, step: number): { bit: string; pad: number; port: ImagePort }[] {
    const single = this.bits.get(name);
    if (single) return [{ bit: name, ...single }];
    const vector = this.vectors.get(name);
    if (this.serialPorts.has(name))
      throw new PlayError(`Step ${step}: '${name}' is a serial line; link it to another, and read words inside.`);
    if (!vector) throw new PlayError(`Step ${step}: there is no port '${name}'.`);
    // ports are listed least significant first, so the order of the list is the order of weight
    return vector.map(({ bit }) => ({ bit, ...this.bits.get(bit)! }));
  }

  set(values: Readonly<Record<string, number | string>>, step = 0): void {
    const levels = new Map<number, number | null>();
    for (const [name, raw] of Object.entries(values)) {
      const pads = this.padsOf(name, step);
      for (const { port } of pads)
        if (port.direction === "output") throw new PlayError(`Step ${step}: '${name}' is an output.`);
      if (typeof raw === "string" && /^z+$/i.test(raw)) {
        for (const { pad } of pads) levels.set(pad, null);
        continue;
      }
      let value: bigint;
      try {
        value = BigInt(raw);
      } catch {
        throw new PlayError(`Step ${step}: '${raw}' is neither a whole number nor z.`);
      }
      pads.forEach(({ pad }, i) => {
        levels.set(pad, Number((value >> BigInt(i)) & 1n));
      });
    }
    this.device.setPads(levels);
  }

  /** Ties a serial output to a serial input. */
  link(from: string, to: string, step = 0): void {
    const [sending, receiving] = [this.serialPorts.get(from), this.serialPorts.get(to)];
    if (!sending || sending.receives)
      throw new PlayError(`Step ${step}: '${from}' is not the output of a serial lane.`);
    if (!receiving?.receives) throw new PlayError(`Step ${step}: '${to}' is not the input of a serial lane.`);
    this.device.connectSerial(receiving.lane, sending.lane);
  }

  clock(name: string, cycles: number, step = 0): void {
    const [bit] = this.padsOf(name, step);
    this.device.runClock(bit.pad, cycles, bit.port.clockNs === null ? undefined : 1000 * bit.port.clockNs);
  }

  /** Lets the clocks with a known period run for some time, all from low, in the order of their edges. */
  run(duration: string, step = 0): void {
    const match = /^\s*([\d.]+)\s*(fs|ps|ns|us|ms|s)\s*$/.exec(duration);
    if (!match) throw new PlayError(`Step ${step}: '${duration}' is not a time, such as 20us.`);
    const ns = Number(match[1]) * unitsNs[match[2]];
    if (!Number.isFinite(ns)) throw new PlayError(`Step ${step}: '${duration}' is not a time, such as 20us.`);
    const clocks = [...this.bits.values()].filter(({ port }) => port.clockNs !== null);
    const cycles = clocks.reduce((most, { port }) => Math.max(most, ns / port.clockNs!), 0);
    if (cycles > mostCycles)
      throw new PlayError(`Step ${step}: '${duration}' is ${cycles.toExponential(1)} cycles long.`);
    if (clocks.length === 1) {
      const [{ pad, port }] = clocks;
      this.device.runClock(pad, Math.round(ns / port.clockNs!), 1000 * port.clockNs!);
      return;
    }
    const edges = clocks.map(({ pad, port }) => ({ pad, half: port.clockNs! / 2, at: port.clockNs! / 2, level: 1 }));
    let last = 0;
    for (;;) {
      const next = edges.reduce((a, b) => (b.at < a.at ? b : a), edges[0]);
      if (!next || next.at > ns) {
        this.device.wait(1000 * (ns - last));
        return;
      }
      const now = next.at;
      this.device.wait(1000 * (now - last));
      last = now;
      const levels = new Map<number, number>();
      for (const edge of edges) {
        if (edge.at > now + 1e-9) continue;
        levels.set(edge.pad, edge.level);
        edge.level = 1 - edge.level;
        edge.at += edge.half;
      }
      this.device.setPads(levels, 0);
    }
  }

  /**
   * Level at the pins of a port, as a number. Where a bit floats or part and outside drive against each other, a text
   * with a character for each bit instead, highest first: 0, 1, z or x.
   */
  read(name: string, step = 0): number | string {
    const levels = this.padsOf(name, step).map(
      ({ pad, port }) => this.device.padLevel(pad) ?? (port.direction === "input" ? 0 : "z"),
    );
    const text = levels.reverse().join("");
    if (/[xz]/.test(text)) return text;
    const value = BigInt(`0b${text}`);
    return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : value.toString();
  }

  /** Runs a whole script; `onRead` is called for each read. @returns False if some expectation was not met. */
  play(script: unknown, onRead: (read: PlayRead) => void): boolean {
    const steps = checkSteps(script);
    let good = true;
    steps.forEach((step, i) => {
      if ("set" in step) this.set(step.set, i);
      else if ("run" in step) this.run(step.run, i);
      else if ("link" in step) this.link(step.link.from, step.link.to, i);
      else if ("clock" in step) this.clock(step.clock.port, step.clock.cycles, i);
      else if ("read" in step) {
        const values = step.read.map((name) => this.read(name, i));
        const mismatch: string[] = [];
        step.expect?.forEach((expected, k) => {
          if (!isSame(expected, values[k])) mismatch.push(`${step.read[k]}: expected ${expected}, read ${values[k]}`);
        });
        if (mismatch.length) good = false;
        onRead({ step: i, values, mismatch });
      } else throw new PlayError(`Step ${i} is none of set, run, clock, link and read.`);
    });
    return good;
  }
}

/** Numbers by value, however they are written; texts with z or x by their characters. */
function isSame(expected: number | string, read: number | string | undefined): boolean {
  const isLevels = (value: unknown) => typeof value === "string" && /^[01]*[xz][01xz]*$/i.test(value);
  if (isLevels(expected) || isLevels(read)) return String(expected).toLowerCase() === String(read);
  try {
    return BigInt(expected) === BigInt(read ?? -1);
  } catch {
    return false;
  }
}
