import { type Finding, nearestName, type Place, type StageResult } from "../common/finding.ts";
import type { SourceFile } from "../common/source.ts";
import { SourceSet } from "../common/source.ts";
import type { BoardDescription } from "../device/boards.ts";
import type { Part } from "../device/part.ts";
import type { PinDirection } from "../netlist/mapped.ts";
import type { PinPull } from "../netlist/rtl.ts";
import { checkBoard, tiesOf } from "./board-rules.ts";
import { checkPairs, checkSwitching, type PlacedPort } from "./io-rules.ts";
import { planSerialPins } from "./serial-pins.ts";

/**
 * Pin file: one line a port bit, `PORT at PIN [STANDARD] [option=value ...]`, comments from # to the end of the line.
 *
 *     clk      at N17  LVCMOS33
 *     lamps[0]  at E3   LVCMOS33  drive=8 slew=slow    # repeat lamp
 */
interface PinOptions {
  readonly standard: string;
  /** Milliamperes. */
  readonly drive: 4 | 8 | 12;
  readonly slew: "fast" | "slow";
  readonly pull: "none" | "up" | "down";
  readonly hysteresis: boolean;
  /** The register that the port has goes into the pad, so that its time to the pin is always the same. */
  readonly register: boolean;
  /** Ends the line inside of the part. */
  readonly termination: boolean;
  /** "plain": a clock may come in here although the pin has no way to the clock network. */
  readonly clock: "network" | "plain";
}
export interface PinAssignment extends PinOptions {
  readonly port: string;
  readonly pin: string;
}
/** What layout needs of it. */
export type PinSite = Pick<PinAssignment, "port" | "pin" | "register">;
/** What its delay depends on. */
export type PinDelay = Pick<PinAssignment, "port" | "standard" | "drive" | "slew">;
/** What is set in its pad. */
export type PinElectrical = PinDelay & Pick<PinAssignment, "pin" | "pull" | "hysteresis" | "termination">;

export interface ParsedPin {
  readonly assignment: PinAssignment;
  /** The line says something of a pull, if only that there is none. */
  readonly saysPull: boolean;
  readonly place: Place;
}

export const defaultPinOptions: PinOptions = {
  standard: "LVCMOS33",
  drive: 8,
  slew: "fast",
  pull: "none",
  hysteresis: false,
  register: false,
  termination: false,
  clock: "network",
};

const optionValues: Readonly<Record<string, readonly string[]>> = {
  drive: ["4", "8", "12"],
  slew: ["fast", "slow"],
  pull: ["none", "up", "down"],
  hysteresis: ["on", "off"],
  register: ["on", "off"],
  termination: ["on", "off"],
  clock: ["network", "plain"],
};

/** Reads pin files without a part: syntax only. Lines that cannot be read are left out, each with a finding. */
export function parsePins(files: readonly SourceFile[]): { pins: ParsedPin[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const pins: ParsedPin[] = [];
  const sources = new SourceSet(files);
  for (const file of sources.files) {
    if (file.text.includes("\0")) {
      findings.push({
        code: "pins/not-text",
        severity: "error",
        place: { file: file.name, line: 1, column: 1 },
        message: `${file.name} is not a text file.`,
        remedy: "Replace it with a pin file.",
      });
      continue;
    }
    let reported = 0;
    file.text.split(/\r\n|\r|\n/).forEach((raw, index) => {
      const line = raw.replace(/#.*$/, "");
      if (!line.trim() || reported > 50) return;
      const place = (column: number, length: number): Place => ({
        file: file.name,
        line: index + 1,
        column: column + 1,
        endLine: index + 1,
        endColumn: column + 1 + length,
      });
      const error = (code: string, column: number, length: number, message: string, remedy: string) => {
        reported++;
        findings.push({ code, severity: "error", place: place(column, length), message, remedy });
      };
      const match = /^\s*(\S+)\s+at\s+(\S+)(.*)$/.exec(line);
      if (!match) {
        const from = line.search(/\S/);
        error(
          "pins/syntax",
          from,
          line.trim().length,
          "This line is not 'PORT at PIN'.",
          "Write, for instance, lamps[0] at E3 LVCMOS33.",
        );
        return;
      }
      const [, port, pin, rest] = match;
      const options: { -readonly [K in keyof PinOptions]: PinOptions[K] } = { ...defaultPinOptions };
      let ok = true;
      for (const word of rest.matchAll(/\S+/g)) {
        const at = line.length - rest.length + word.index;
        const [text] = word;
        const equals = text.indexOf("=");
        if (equals < 0) {
          options.standard = text.toUpperCase();
          continue;
        }
        const key = text.slice(0, equals);
        const value = text.slice(equals + 1);
        const allowed = optionValues[key];
        if (!allowed) {
          const near = nearestName(key, Object.keys(optionValues));
          error(
            "pins/option",
            at,
            text.length,
            `There is no pin option '${key}'.`,
            near ? `Did you mean '${near}'?` : `The options are ${Object.keys(optionValues).join(", ")}.`,
          );
          ok = false;
        } else if (!allowed.includes(value)) {
          error(
            "pins/option",
            at,
            text.length,
            `'${value}' is no value for ${key}.`,
            `Use one of ${allowed.join(", ")}.`,
          );
          ok = false;
        } else if (key === "drive") options.drive = Number(value) as 4 | 8 | 12;
        else if (key === "slew") options.slew = value as "fast" | "slow";
        else if (key === "pull") options.pull = value as "none" | "up" | "down";
        else if (key === "register") options.register = value === "on";
        else if (key === "clock") options.clock = value as "network" | "plain";
        else if (key === "termination") options.termination = value === "on";
        else options.hysteresis = value === "on";
      }
      if (ok)
        pins.push({
          saysPull: /\bpull=/.test(rest),
          assignment: { port, pin: pin.toUpperCase(), ...options },
          place: place(line.search(/\S/), line.trim().length),
        });
    });
  }
  return { pins, findings };
}

/** One line of a pin file, as `parsePins` reads it. Options at their default are left out. */
export function formatPin(pin: PinAssignment): string {
  const options: string[] = [];
  if (pin.drive !== defaultPinOptions.drive) options.push(`drive=${pin.drive}`);
  if (pin.slew !== defaultPinOptions.slew) options.push(`slew=${pin.slew}`);
  if (pin.pull !== defaultPinOptions.pull) options.push(`pull=${pin.pull}`);
  if (pin.hysteresis) options.push("hysteresis=on");
  if (pin.register) options.push("register=on");
  if (pin.termination) options.push("termination=on");
  if (pin.clock === "plain") options.push("clock=plain");
  return `${pin.port.padEnd(14)} at ${pin.pin.padEnd(5)} ${pin.standard}${options.length ? `  ${options.join(" ")}` : ""}`;
}

export interface PinPlan {
  /** Every pad bit of the design, with its pin; sorted by port bit, so that equal plans are equal bytes. */
  readonly pins: readonly (PinAssignment & { readonly automatic: boolean })[];
}

/** The vector of most bits. */
function widestPort(needs: readonly PinNeed[]): string {
  const widths = new Map<string, number>();
  for (const { bitName } of needs) {
    const name = bitName.replace(/\[-?\d+\]$/, "");
    widths.set(name, (widths.get(name) ?? 0) + 1);
  }
  return [...widths].reduce((most, each) => (each[1] > most[1] ? each : most))[0];
}

export interface PinNeed {
  readonly bitName: string;
  readonly direction: PinDirection;
  readonly isClock: boolean;
  /** What the source pulls it to while nobody drives it. */
  readonly pull?: PinPull;
  /** Leads to a serial lane of the design, instead of a pad. */
  readonly serial?: { readonly lane: number; readonly side: "transmit" | "receive" };
}

/**
 * Checks pin assignments against the part and the design's ports, and gives the ports that are left out legal pins,
 * clocks first.
 * @param all Port bits of the top module.
 * @param board What the part sits on: what it ties to pins counts then.
 */
export function planPins(
  lines: readonly ParsedPin[],
  all: readonly PinNeed[],
  part: Part,
  board: BoardDescription | null = null,
): StageResult<PinPlan> {
  const findings: Finding[] = [];
  const lanePorts = new Set(all.flatMap((need) => (need.serial ? [need.bitName] : [])));
  const [parsed, serialLines] = [false, true].map((is) =>
    lines.filter(({ assignment }) => lanePorts.has(assignment.port) === is),
  );
  const needs = all.filter((need) => !need.serial);
  const serial = planSerialPins(serialLines, all, part);
  findings.push(...serial.findings);
  const needByName = new Map(needs.map((need) => [need.bitName, need]));
  const byPort = new Map<string, ParsedPin>();
  const byPin = new Map<string, ParsedPin>();
  const placed: PlacedPort[] = [];
  const bankVolts = new Map<number, { volts: number; first: ParsedPin }>();
  const error = (code: string, place: Place, message: string, remedy: string, related?: Finding["related"]) =>
    findings.push({ code, severity: "error", place, message, remedy, related });

  for (const entry of parsed) {
    const { assignment, place } = entry;
    const need = needByName.get(assignment.port);
    if (!need) {
      const near = nearestName(assignment.port, needByName.keys());
      error(
        "pins/unknown-port",
        place,
        `The top module has no port bit '${assignment.port}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name, with its index for a vector, or delete the line.",
      );
      continue;
    }
    const pin = part.pinByName.get(assignment.pin);
    if (!pin) {
      const near = nearestName(assignment.pin, part.pinByName.keys());
      error(
        "pins/unknown-pin",
        place,
        `${part.name} has no signal pin '${assignment.pin}'.`,
        near ? `Did you mean ${near}?` : "Pins are a side letter and a number, such as N17.",
      );
      continue;
    }
    const standard = part.family.standards.find((candidate) => candidate.name === assignment.standard);
    if (!standard) {
      const near = nearestName(
        assignment.standard,
        part.family.standards.map((candidate) => candidate.name),
      );
      error(
        "pins/unknown-standard",
        place,
        `${part.family.name} has no I/O standard '${assignment.standard}'.`,
        near
          ? `Did you mean ${near}?`
          : `It has ${part.family.standards.map((candidate) => candidate.name).join(", ")}.`,
      );
      continue;
    }
    const samePort = byPort.get(assignment.port);
    if (samePort) {
      error("pins/duplicate-port", place, `'${assignment.port}' is placed twice.`, "Delete one of the two lines.", [
        { place: samePort.place, message: "First placed here." },
      ]);
      continue;
    }
    const samePin = byPin.get(assignment.pin);
    if (samePin) {
      error(
        "pins/duplicate-pin",
        place,
        `Pin ${assignment.pin} is taken by '${samePin.assignment.port}' already.`,
        "Choose another pin for one of them.",
        [{ place: samePin.place, message: "First used here." }],
      );
      continue;
    }
    const bank = bankVolts.get(pin.bank);
    if (bank && bank.volts !== standard.volts) {
      error(
        "pins/bank-voltage",
        place,
        `${assignment.standard} needs ${standard.volts} V, but '${bank.first.assignment.port}' sets bank ${pin.bank + 1} to ${bank.volts} V.`,
        "Use one voltage in each bank.",
        [{ place: bank.first.place, message: "Voltage set here." }],
      );
      continue;
    }
    if (!bank) bankVolts.set(pin.bank, { volts: standard.volts, first: entry });
    if (need.isClock && need.direction !== "output" && !pin.isClock && assignment.clock !== "plain") {
      findings.push({
        code: "pins/clock-on-plain-pin",
        severity: "warning",
        place,
        message: `'${assignment.port}' is a clock, but ${pin.name} has no way to the clock network.`,
        remedy: `It will use ordinary wires, with more skew. Clock pins are ${part.pins
          .filter((candidate) => candidate.isClock)
          .map((candidate) => candidate.name)
          .join(", ")}; clock=plain allows it here.`,
      });
    }
    byPort.set(assignment.port, entry);
    byPin.set(assignment.pin, entry);
    placed.push({ ...entry, need, pin, standard });
  }
  const pairs = checkPairs(placed, part);
  findings.push(...pairs.findings);
  const ties = board && tiesOf(board);
  if (ties) findings.push(...checkBoard(placed, needs, ties, part.family));

  const plan = [...byPort.values()].map(({ assignment, saysPull, place }): PinAssignment & { automatic: boolean } => {
    const { pull } = needByName.get(assignment.port)!;
    if (saysPull && pull && assignment.pull !== pull)
      findings.push({
        code: "pins/pull",
        severity: "warning",
        place,
        message: `The source pulls '${assignment.port}' ${pull}, but its line says pull=${assignment.pull}.`,
        remedy: "The line counts. Take it back, or change the source.",
      });
    return { ...assignment, ...(pull && !saysPull ? { pull } : {}), automatic: false };
  });
  const open = needs.filter((need) => !byPort.has(need.bitName));
  // banks that a line of the file has set to another voltage come last, with a standard of that voltage
  const standardOf = (bank: number): string | undefined => {
    const volts = bankVolts.get(bank)?.volts ?? 3.3;
    return part.family.standards.find((each) => each.volts === volts && each.name.startsWith("LVCMOS"))?.name;
  };
  const free = part.pins
    .filter((pin) => !byPin.has(pin.name) && !pairs.taken.has(pin.name) && standardOf(pin.bank) !== undefined)
    .sort((a, b) => Number(standardOf(a.bank) !== "LVCMOS33") - Number(standardOf(b.bank) !== "LVCMOS33"));
  const clockPins = free.filter((pin) => pin.isClock && !ties?.signalAt.has(pin.name));
  const plainPins = free.filter((pin) => !pin.isClock && !ties?.signalAt.has(pin.name));
  // wires of the board come last, and never one that it drives itself for what drives it too
  const tiedPins = free.filter((pin) => ties?.signalAt.has(pin.name));
  const tiedPin = (need: PinNeed) => {
    const at = tiedPins.findIndex(
      (pin) => need.direction === "input" || ties!.signalAt.get(pin.name)!.direction === "output",
    );
    return at < 0 ? undefined : tiedPins.splice(at, 1)[0];
  };
  const missing: string[] = [];
  // clocks first; the others take plain pins, spread around the part in order
  for (const need of [...open].sort((a, b) => Number(b.isClock) - Number(a.isClock))) {
    const [first, second] = need.isClock ? [clockPins, plainPins] : [plainPins, clockPins];
    const pin = first.shift() ?? second.shift() ?? tiedPin(need);
    if (!pin) missing.push(need.bitName);
    else
      plan.push({
        port: need.bitName,
        pin: pin.name,
        ...defaultPinOptions,
        pull: need.pull ?? defaultPinOptions.pull,
        standard: standardOf(pin.bank)!,
        automatic: true,
      });
  }
  const byThemselves = [
    ...open.map((need) => need.bitName),
    ...serial.pins.flatMap((pin) => (pin.automatic ? [pin.port] : [])),
  ];
  if (missing.length) {
    error(
      "pins/too-few",
      { object: missing[0] },
      `${part.name} has ${part.pins.length} signal pins${ties ? `, ${ties.signals.length} of them tied by ${ties.title}` : ""}; ${missing.length} port bit(s) are left without one, from '${missing[0]}' on.`,
      `Choose a larger package, or send '${widestPort(needs)}' in parts.`,
    );
  } else if (byThemselves.length) {
    const shown =
      byThemselves.slice(0, 6).join(", ") + (byThemselves.length > 6 ? ` and ${byThemselves.length - 6} more` : "");
    findings.push({
      code: "pins/automatic",
      severity: lines.length ? "warning" : "note",
      place: { object: byThemselves[0] },
      message: `${byThemselves.length} port bit(s) are not in the pin file and got pins automatically: ${shown}.`,
      remedy: "Place them where your board has them before you program it.",
    });
  }
  findings.push(...checkSwitching(plan, needByName, part));
  plan.push(...serial.pins);
  const failed = findings.some((finding) => finding.severity === "error");
  plan.sort((a, b) => (a.port < b.port ? -1 : 1));
  return { artifact: failed ? null : { pins: plan }, findings };
}
