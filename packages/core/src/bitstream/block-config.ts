import { memoryWidth } from "../device/blocks.ts";
import type { Part } from "../device/part.ts";
import type { BlockModes, MemoryPortModes } from "../netlist/rtl.ts";
import type { TileConfig } from "./config-map.ts";

/** Modes of a block in the configuration fields of its foot tile; contents a stretch in each of its tiles. */
export function writeBlockModes(config: TileConfig, part: Part, foot: number, modes: BlockModes): void {
  const { fabric, family } = part;
  const set = (name: string, value: number | boolean) => config.set(foot, name, Number(value));
  if (modes.type === "memory") {
    set("memoryOn", 1);
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
  set("multiplierOn", 1);
  for (const name of multiplierFlags) set(name, modes[name]);
  config.set(foot, "clockFalling", Number(modes.clockFalling));
}

const multiplierFlags = [
  "signedA",
  "signedB",
  "inputRegister",
  "productRegister",
  "outputRegister",
  "accumulate",
  "subtract",
  "enableUsed",
] as const;

export function readBlockModes(config: TileConfig, part: Part, foot: number): BlockModes {
  const { fabric, family } = part;
  const flag = (name: string) => config.get(foot, name) === 1;
  if (fabric.tileKind(foot) === "memory") {
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
