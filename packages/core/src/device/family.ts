/** What a family and its parts are made of, as data. Every stage works from these descriptions alone. */

/** "logic", "io", "corner", or the kind of tile that a block lies in. */
export type TileKind = string;

interface WireType {
  readonly length: number;
  /** Wires that start in each tile, in each of the four directions. */
  readonly perDirection: number;
  /** Distances from the start at which muxes can take the signal; the last one is the wire's end. */
  readonly taps: readonly number[];
  /** Inputs of the mux that drives it: from outputs of its own tile, and from taps of each wire type. */
  readonly fromOutputs: number;
  readonly fromWires: readonly number[];
}

export interface DelayTable {
  /** All in ps, largest value, slow-hot corner, grade factor 1. Mux and buffer together. */
  readonly lutPs: readonly number[];
  /** Carry link from one element to the next; into a chain from LUT or bypass pin; out of it into a sum. */
  readonly carryPs: number;
  readonly carryEntryPs: number;
  readonly carrySumPs: number;
  readonly clockToOutputPs: number;
  readonly setupPs: number;
  readonly holdPs: number;
  /** More setup where D comes from the bypass pin instead of the LUT. */
  readonly bypassSetupPs: number;
  /** Least time that a clock must be high, and low, at a register. */
  readonly pulsePs: number;
  /** Memory: clock to output, from the word or from the output register; setup of all pins. */
  readonly memoryClockPs: number;
  readonly memoryRegisteredPs: number;
  readonly memorySetupPs: number;
  /** Multiplier: operands to product; adding it up; clock to output and setup of its registers. */
  readonly multiplierPs: number;
  readonly multiplierAddPs: number;
  readonly multiplierClockPs: number;
  readonly multiplierSetupPs: number;
  /** By wire type. */
  readonly wirePs: readonly number[];
  readonly pinMuxPs: number;
  readonly globalClockPs: number;
  readonly regionClockPs: number;
  /** Clock pin of a tile, next to the middle of its region, and more for each tile away from it. */
  readonly tileClockPs: number;
  readonly tileClockStepPs: number;
  /**
   * What a clock block leaves of the way into it and of its own delay, which it takes out by feedback; input to output of
   * a clock switch.
   */
  readonly clockBlockPs: number;
  readonly clockSwitchPs: number;
  /** Serial lane: clock to the word received, and setup of the word to send. */
  readonly serialClockPs: number;
  readonly serialSetupPs: number;
  readonly inputPadPs: number;
  /** With a load of `padLoadPf` at 8 mA. */
  readonly outputPadPs: number;
  /** Load that the outputs' delays are for, in pF, and more for each pF beyond it, at 8 mA: a weaker one takes longer. */
  readonly padLoadPf: number;
  readonly padLoadPs: number;
  /** Capacitance of an input, in pF: what drives it charges it. */
  readonly padInputPf: number;
}

export interface FamilyDescription {
  readonly name: string;
  /** For whom it is, in a few words. */
  readonly what: string;
  /** Where the configuration is kept without power: nowhere, or in flash on the die. */
  readonly configuration: "volatile" | "flash";
  readonly lutInputs: number;
  readonly elementsPerTile: number;
  /** Elements that share one enable and one reset. */
  readonly elementsPerGroup: number;
  readonly wires: readonly WireType[];
  /** Inputs of each pin mux: from outputs of its own tile, and from taps of each wire type. */
  readonly pinFromOutputs: number;
  readonly pinFromWires: readonly number[];
  /** Clock pins can also be fed from this many wire taps: slow and skewed, but possible. */
  readonly clockFromWires: number;
  readonly globalClocks: number;
  readonly regionClocks: number;
  /** Rows that one memory or multiplier spans, and its pins in each of them. */
  readonly blockRows: number;
  /** Two ports that both read and write, one that writes and one that reads, or none at all. */
  readonly memory: "dual" | "simple" | "none";
  readonly memoryPins: { readonly inputs: number; readonly outputs: number; readonly bits: number };
  readonly multiplier: "18 x 18" | "none";
  readonly multiplierPins: { readonly inputs: number; readonly outputs: number };
  /** Each clock block and each clock switch lies in a corner of the die. */
  readonly clockBlocks: number;
  readonly clockSwitches: number;
  /** Frequencies at the input of a clock block, and the largest that it may multiply to, in MHz. */
  readonly clockBlockMhz: { readonly input: readonly [number, number]; readonly inside: number };
  /** Jitter of a clock block's outputs while it runs as fast inside as it may: from one period to the next, in ps. */
  readonly clockBlockJitterPs: number;
  readonly padsPerTile: number;
  /** What each supply pin carries of the outputs that switch together, in mA. */
  readonly supplyPinMa: number;
  /** What each supply pin carries all the time, in mA. */
  readonly steadyPinMa: number;
  readonly delays: DelayTable;
  readonly gradeFactor: Readonly<Record<string, number>>;
  readonly standards: readonly IoStandard[];
}

export interface IoStandard {
  readonly name: string;
  readonly volts: number;
  /** Extra output delay, and input delay, over the table. */
  readonly outputPs: number;
  readonly inputPs: number;
  /** Two pins that carry opposite levels. */
  readonly isDifferential?: boolean;
  /** An input may end the line inside of the part. */
  readonly terminates?: boolean;
  /** Drives that an output may have, in mA; one alone is fixed. The default, 8, is among them. */
  readonly drives: readonly Drive[];
  /** An input compares with this level, in V, which comes in at the reference pin of its bank. */
  readonly reference?: number;
  /** An input may have a wider band between its two levels. */
  readonly hysteresis?: boolean;
}
export type Drive = 4 | 8 | 12;

interface AnyPackage {
  readonly name: string;
  /** Share that it adds to the price. */
  readonly extraCost: number;
}
/** Contacts along the four edges, test contacts in the corners. */
export interface EdgePackage extends AnyPackage {
  readonly pinsPerSide: number;
  /** Places on each side that carry supply or ground. */
  readonly supplyPlaces: readonly number[];
}
/** Balls in a square; supply and ground in the middle and on the diagonals, test contacts in the corners. */
export interface GridPackage extends AnyPackage {
  readonly rows: number;
  /** Rows and columns of the square in the middle; even like `rows`. */
  readonly supplyRows: number;
}
export type PackageDescription = EdgePackage | GridPackage;

export interface PartDescription {
  readonly name: string;
  readonly family: string;
  readonly idcode: number;
  /** One letter a column inside the ring: L logic, others those of the blocks in it. */
  readonly columns: string;
  readonly rows: number;
  readonly packages: readonly PackageDescription[];
  readonly grades: readonly string[];
  /** Serial lanes, each with a pin to send and one to receive; they lie in the S columns. */
  readonly serialLanes: number;
  /** I/O banks on each side of the die; each has one supply. */
  readonly banksPerSide: number;
  /** Price beside that of the smallest part, in its cheapest package and slowest grade. */
  readonly cost: number;
}

/** Junction temperatures that a part is good for: commercial 0 to 85 C, industrial -40 to 100 C. */
export type TemperatureGrade = "C" | "I";
export const temperatureRange: Readonly<Record<TemperatureGrade, readonly [number, number]>> = {
  C: [0, 85],
  I: [-40, 100],
};

export type CornerName = "slow-hot" | "slow-cold" | "fast-cold";

/**
 * Delay factors by corner: the hot and the cold end of the range. `min` is the least delay on the same die at the same
 * time; clock wires count as equal for both edges of a check, so it applies to data only.
 */
export const corners: Readonly<
  Record<TemperatureGrade, Readonly<Record<CornerName, { readonly factor: number; readonly min: number }>>>
> = {
  C: {
    "slow-hot": { factor: 1, min: 0.86 },
    "slow-cold": { factor: 0.94, min: 0.86 },
    "fast-cold": { factor: 0.52, min: 0.86 },
  },
  I: {
    "slow-hot": { factor: 1.02, min: 0.86 },
    "slow-cold": { factor: 0.91, min: 0.86 },
    "fast-cold": { factor: 0.5, min: 0.86 },
  },
};
