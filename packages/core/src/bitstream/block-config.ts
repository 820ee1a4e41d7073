import { type BlockType, memoryWidth } from "../device/blocks.ts";
import type { Part } from "../device/part.ts";
import type { BlockModes, MemoryPortModes } from "../netlist/rtl.ts";
import type { TileConfig } from "./config-map.ts";

/** Modes of a block in the configuration fields of its foot tile; contents a stretch in each of its tiles. */
export function writeBlockModes(config: TileConfig, part: Part, foot: number, modes: BlockModes): void {
  const { fabric, family } = part;
  const set = (name: string, value: number | boolean) => config.set(foot, name, Number(value));
  set(onField[modes.type], 1);
  if (modes.type === "memory") {
    modes.ports.forEach((port, p) => {
      const letter = "AB"[p];
      set(`width${letter}`, port.width);
      set(`writeMode${letter}`, port.writeMode);
      set(`outputRegister${letter}`, port.outputRegister);
      set(`enableUsed${letter}`, port.enableUsed);
      config.set(foot + p * fabric.width, "clockFalling", Number(port.clockFalling));
    });
    if (!modes.contents) return;
    const digits = family.memoryPins.bits / 4;
    for (let row = 0; row < family.blockRows; row++) {
      const end = modes.contents.length - row * digits;
      config.setHex(foot + row * fabric.width, "contents", modes.contents.slice(end - digits, end));
    }
    return;
  }
  if (modes.type === "clockSwitch" || modes.type === "serialLane") return;
  if (modes.type === "clockBlock") {
    set("multiply", modes.multiply - 1);
    modes.divide.forEach((divide, i) => {
      set(`divide${"AB"[i]}`, divide - 1);
      set(`phase${"AB"[i]}`, modes.phase[i]);
    });
    return;
  }
  for (const name of multiplierFlags) set(name, modes[name]);
  config.set(foot, "clockFalling", Number(modes.clockFalling));
}

const multiplierFlags = [
  "signedLeft",
  "signedRight",
  "inputRegister",
  "productRegister",
  "outputRegister",
  "accumulate",
  "subtract",
  "enableUsed",
] as const;

/** Field that switches a block on. */
export const onField: Readonly<Record<BlockType, string>> = {
  memory: "memoryOn",
  multiplier: "multiplierOn",
  clockBlock: "clockBlockOn",
  clockSwitch: "clockSwitchOn",
  serialLane: "serialOn",
};

export function readBlockModes(config: TileConfig, part: Part, type: BlockType, foot: number): BlockModes {
  const { fabric, family } = part;
  const flag = (name: string) => config.get(foot, name) === 1;
  if (type === "clockSwitch" || type === "serialLane") return { type };
  if (type === "clockBlock") {
    const both = (name: string, more: number) => ["A", "B"].map((letter) => config.get(foot, name + letter) + more);
    return { type, multiply: config.get(foot, "multiply") + 1, divide: both("divide", 1), phase: both("phase", 0) };
  }
  if (type === "memory") {
    const widest = Math.log2(memoryWidth(family));
    const ports = [0, 1].map((p): MemoryPortModes => {
      const letter = "AB"[p];
      const mode = config.get(foot, `writeMode${letter}`);
      return {
        width: Math.min(widest, config.get(foot, `width${letter}`)),
        writeMode: mode === 1 ? 1 : mode === 2 ? 2 : 0,
        outputRegister: flag(`outputRegister${letter}`),
        enableUsed: flag(`enableUsed${letter}`),
        clockFalling: config.get(foot + p * fabric.width, "clockFalling") === 1,
      };
    });
    let contents = "";
    for (let row = 0; row < family.blockRows; row++)
      contents = config.getHex(foot + row * fabric.width, "contents") + contents;
    return { type: "memory", ports, contents: /^0*$/.test(contents) ? null : contents };
  }
  const flags = Object.fromEntries(multiplierFlags.map((name) => [name, flag(name)])) as Record<
    (typeof multiplierFlags)[number],
    boolean
  >;
  return { type: "multiplier", ...flags, clockFalling: flag("clockFalling") };
}
