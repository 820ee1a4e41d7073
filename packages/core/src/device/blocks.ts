import { type BlockModes, serialWordBits } from "../netlist/rtl.ts";
import type { FamilyDescription } from "./family.ts";

export type BlockType = BlockModes["type"];
export type BlockPlural = "memories" | "multipliers" | "clock blocks" | "clock switches" | "serial lanes";
/** In the order in which they are placed and reported, with what people call several of them. */
export const blockTypes: readonly { readonly type: BlockType; readonly plural: BlockPlural }[] = [
  { type: "memory", plural: "memories" },
  { type: "multiplier", plural: "multipliers" },
  { type: "clockBlock", plural: "clock blocks" },
  { type: "clockSwitch", plural: "clock switches" },
  { type: "serialLane", plural: "serial lanes" },
];

/** What stages that place nothing need to know of a family's hard blocks. */
export type BlockFamily = Pick<
  FamilyDescription,
  "name" | "lutInputs" | "memory" | "memoryPins" | "multiplier" | "blockRows"
>;

/**
 * Pins of the hard blocks by name. A block spans `blockRows` tiles of its column; its pins are dealt to them in this
 * order, so many to a tile. The clocks are the tiles' own clock pins: port A's (or the multiplier's) that of the foot,
 * port B's that of the tile above.
 */
interface BlockPins {
  readonly inputs: readonly string[];
  readonly outputs: readonly string[];
  readonly clocks: number;
}

const span = (name: string, count: number) => Array.from({ length: count }, (_, i) => `${name}${i}`);

/** Bits of an address, counted in single bits of the memory: a word of 2^w bits leaves the lowest w open. */
export function memoryAddressBits(family: BlockFamily): number {
  return Math.log2(family.memoryPins.bits * family.blockRows);
}
/** Widest word, in bits. */
export function memoryWidth(family: BlockFamily): number {
  return (family.memoryPins.outputs * family.blockRows) / (family.memory === "dual" ? 2 : 1);
}

const memoryPins = new Map<string, BlockPins>();

/** Address, data, byte enables, port enable and output reset of each port that has them; then what is read. */
export function memoryBlockPins(family: BlockFamily): BlockPins {
  let pins = memoryPins.get(family.name);
  if (!pins) {
    const width = memoryWidth(family);
    const bytes = Math.max(1, width / 8);
    const address = memoryAddressBits(family);
    const port = (p: string, writes: boolean, reads: boolean) => [
      ...span(`A${p}`, address),
      ...(writes ? [...span(`D${p}`, width), ...span(`W${p}`, bytes)] : []),
      `E${p}`,
      ...(reads ? [`R${p}`] : []),
    ];
    pins =
      family.memory === "dual"
        ? {
            inputs: [...port("A", true, true), ...port("B", true, true)],
            outputs: [...span("QA", width), ...span("QB", width)],
            clocks: 2,
          }
        : { inputs: [...port("A", true, false), ...port("B", false, true)], outputs: span("QB", width), clocks: 2 };
    memoryPins.set(family.name, pins);
  }
  return pins;
}

/** Operands of the multiplier, and of what its product is added to. */
export const multiplierWidth = 18;
export const accumulatorWidth = 44;

/** Both factors, and what their product is added to; enable and reset of all registers; LOAD: adds that, not the last result. */
export const multiplierBlockPins: BlockPins = {
  inputs: [
    ...span("LEFT", multiplierWidth),
    ...span("RIGHT", multiplierWidth),
    ...span("ADDEND", accumulatorWidth),
    "E",
    "R",
    "LOAD",
  ],
  outputs: span("RESULT", accumulatorWidth),
  clocks: 1,
};

/** Outputs A and B, and a level that says that they run. */
export const clockBlockPins: BlockPins = { inputs: [], outputs: ["A", "B", "LOCKED"], clocks: 1 };
/** SELECT is 1 for clock 1. */
const clockSwitchPins: BlockPins = { inputs: ["SELECT"], outputs: ["Q"], clocks: 2 };

/** The word to send, SLIP and the pin that receives; the word received and the pin that sends. */
const serialLanePins: BlockPins = {
  inputs: [...span("T", serialWordBits), "SLIP", "RX"],
  outputs: [...span("R", serialWordBits), "TX"],
  clocks: 1,
};

/** Pins of blocks that the source instantiates: alike in all families. */
export const partBlockPins = {
  clockBlock: clockBlockPins,
  clockSwitch: clockSwitchPins,
  serialLane: serialLanePins,
} as const;

/** True for pins of a block that lead out of the part, not into its routing. */
export function isOutsidePin(type: BlockType, name: string): boolean {
  return type === "serialLane" && (name === "RX" || name === "TX");
}

/** Tile of a pin of a block (0 at its foot, counted upwards), and what the pin is called there. */
export function blockPinAt(
  family: FamilyDescription,
  type: BlockType,
  direction: "inputs" | "outputs",
  pin: number,
): { row: number; name: string } {
  switch (type) {
    case "clockBlock":
      return { row: 0, name: direction === "inputs" ? "CBI" : ["CBA", "CBB", "LOCKED"][pin] };
    case "clockSwitch":
      return { row: 0, name: direction === "inputs" ? ["SELECT", "CS0", "CS1"][pin] : "CSQ" };
    case "serialLane": {
      const { inputs, outputs } = serialLanePins;
      return { row: 0, name: direction === "outputs" ? outputs[pin] : (inputs[pin] ?? "CLK") };
    }
    default: {
      const isMemory = type === "memory";
      const pins = isMemory ? memoryBlockPins(family) : multiplierBlockPins;
      // behind the inputs come the clocks
      if (direction === "inputs" && pin >= pins.inputs.length) return { row: pin - pins.inputs.length, name: "CLK" };
      const perTile = (isMemory ? family.memoryPins : family.multiplierPins)[direction];
      const letters = `${isMemory ? "M" : "X"}${direction === "inputs" ? "I" : "Q"}`;
      return { row: Math.floor(pin / perTile), name: `${letters}${pin % perTile}` };
    }
  }
}

/** Pins of a block by what it is. */
export function blockPinsOf(family: BlockFamily, { type }: { readonly type: BlockType }): BlockPins {
  switch (type) {
    case "memory":
      return memoryBlockPins(family);
    case "multiplier":
      return multiplierBlockPins;
    case "clockBlock":
      return clockBlockPins;
    case "clockSwitch":
      return clockSwitchPins;
    case "serialLane":
      return serialLanePins;
  }
}

/** Clock that an input or output pin of a block goes by. */
export function clockOfPin(modes: BlockModes, name: string): number {
  return modes.type === "memory" && name[1] === "B" ? 1 : 0;
}
