import type { Place } from "../../common/finding.ts";
import type { Drive } from "../../device/family.ts";
import type { PinDirection } from "../../netlist/mapped.ts";
import type { PinPull } from "../../netlist/rtl.ts";

/**
 * Pin file: one line a port bit, `PORT at PIN [STANDARD] [option=value ...]` or `PORT inside`, comments from # to the end
 * of the line.
 *
 *     clk      at N17  LVCMOS33
 *     lamps[0]  at E3   LVCMOS33  drive=8 slew=slow    # repeat lamp
 *     trace[0]  inside
 */
export interface PinOptions {
  readonly standard: string;
  /** Milliamperes. */
  readonly drive: Drive;
  readonly slew: "fast" | "slow";
  readonly pull: "none" | "up" | "down";
  readonly hysteresis: boolean;
  /** The register that the port has goes into the pad, so that its time to the pin is always the same. */
  readonly register: boolean;
  /** Ends the line inside of the part. */
  readonly termination: boolean;
  /** "plain": a clock may come in here although the pin has no way to the clock network. */
  readonly clock: "network" | "plain";
  /** What the port's register starts with, where the source leaves it open. */
  readonly initial: "source" | "0" | "1";
}
/** What stands for a standard at the pins of a serial lane, which have their own supply and levels. */
export const serialStandard = "serial";

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

/** Options of a line by name, all but the standard, which stands without one. */
export type PinOptionName = Exclude<keyof PinOptions, "standard">;
export const pinOptionValues: { readonly [K in PinOptionName]: readonly string[] } = {
  drive: ["4", "8", "12"],
  slew: ["fast", "slow"],
  pull: ["none", "up", "down"],
  hysteresis: ["on", "off"],
  register: ["on", "off"],
  termination: ["on", "off"],
  clock: ["network", "plain"],
  initial: ["source", "0", "1"],
};
export const pinOptionNames = Object.keys(pinOptionValues) as readonly PinOptionName[];

export const defaultPinOptions: PinOptions = {
  standard: "LVCMOS33",
  drive: 8,
  slew: "fast",
  pull: "none",
  hysteresis: false,
  register: false,
  termination: false,
  clock: "network",
  initial: "source",
};

/** Value of an option as it is written. */
export function optionText(options: PinOptions, name: PinOptionName): string {
  const value = options[name];
  return typeof value === "boolean" ? (value ? "on" : "off") : String(value);
}

/** A line as it was read. */
export interface ParsedPin {
  readonly assignment: PinAssignment;
  /** `PORT inside`: kept off the pads. Its pin is "". */
  readonly isInside: boolean;
  /** The whole line without blanks and comment. */
  readonly place: Place;
  readonly words: {
    readonly port: Place;
    /** null for a port inside. */
    readonly pin: Place | null;
    /** null where the line leaves it out. */
    readonly standard: Place | null;
    readonly options: ReadonlyMap<PinOptionName, Place>;
  };
}

/** A port bit of the top module, as far as pins go by it. */
export interface PinNeed {
  readonly bitName: string;
  readonly direction: PinDirection;
  readonly isClock: boolean;
  /** Registers, memories and blocks that it clocks. */
  readonly clocked?: number;
  /** What the source pulls it to while nobody drives it. */
  readonly pull?: PinPull;
  /** What the register of the port starts with as written; absent where no register lies at it. */
  readonly initial?: "0" | "1" | "x";
  /** Leads to a serial lane of the design, instead of a pad. */
  readonly serial?: { readonly lane: number; readonly side: "transmit" | "receive" };
}

export interface PlannedPin extends PinAssignment {
  /** No line places it. */
  readonly automatic: boolean;
}
export interface PinPlan {
  /** Every pad bit of the design, with its pin; sorted by port bit, so that equal plans are equal bytes. */
  readonly pins: readonly PlannedPin[];
  /** Port bits that lines keep off the pads, sorted. */
  readonly inside: readonly string[];
}
