import { InvariantError } from "../../common/finding.ts";
import type { FamilyDescription } from "../family.ts";
import { clockBlock } from "./clock-block.ts";
import { clockSwitch } from "./clock-switch.ts";
import type { BlockDescription, BlockFamily, BlockModes, BlockPins } from "./description.ts";
import { memoryBlock } from "./memory.ts";
import { multiplierBlock } from "./multiplier.ts";
import { serialLane } from "./serial-lane.ts";

/** All blocks, in the order in which they are placed and reported. */
const descriptions: BlockDescription[] = [];
const byType = new Map<string, BlockDescription>();

/** Makes a block known to all stages. @returns A function that takes it back. */
export function registerBlock<M extends BlockModes>(description: BlockDescription<M>): () => void {
  if (byType.has(description.type)) throw new InvariantError(`There is a block ${description.type} already.`);
  // its modes are its own: nobody hands it others
  const own = description as unknown as BlockDescription;
  descriptions.push(own);
  byType.set(own.type, own);
  return () => {
    descriptions.splice(descriptions.indexOf(own), 1);
    byType.delete(own.type);
  };
}
registerBlock(memoryBlock);
registerBlock(multiplierBlock);
registerBlock(clockBlock);
registerBlock(clockSwitch);
registerBlock(serialLane);

export function listBlocks(): readonly BlockDescription[] {
  return descriptions;
}

/** @throws InvariantError if there is no such block. */
export function blockOf({ type }: { readonly type: string }): BlockDescription {
  const found = byType.get(type);
  if (!found) throw new InvariantError(`There is no block ${type}.`);
  return found;
}

type CornerBlock = BlockDescription & { readonly tile: Extract<BlockDescription["tile"], { kind: "corner" }> };
type ColumnBlock = BlockDescription & { readonly tile: Extract<BlockDescription["tile"], { column: string }> };

/** Blocks that lie in the corners. */
export function cornerBlocks(): CornerBlock[] {
  return descriptions.filter((block): block is CornerBlock => block.tile.kind === "corner");
}
/** Blocks that lie in columns of their own. */
export function columnBlocks(): ColumnBlock[] {
  return descriptions.filter((block): block is ColumnBlock => "column" in block.tile);
}
/** The one that lies in a kind of tile. */
export function columnBlock(kind: string): ColumnBlock | undefined {
  return columnBlocks().find(({ tile }) => tile.kind === kind);
}

export function blockPinsOf(family: BlockFamily, modes: BlockModes): BlockPins {
  return blockOf(modes).pins(family);
}

/** Tile of a pin of a block (0 at its foot, counted upwards), and what the pin is called there. */
export function blockPinAt(
  family: FamilyDescription,
  type: string,
  direction: "inputs" | "outputs",
  pin: number,
): { row: number; name: string } {
  return blockOf({ type }).pinAt(family, direction, pin);
}

/** True for pins of a block that lead out of the part, not into its routing. */
export function isOutsidePin(type: string, name: string): boolean {
  return blockOf({ type }).isOutside?.(name) ?? false;
}

/** True for blocks that make clocks: their outputs follow no clock edge, but are edges. */
export function isClockMaker(modes: BlockModes): boolean {
  return blockOf(modes).clockFrom !== undefined;
}

/** True for blocks that the source instantiates by name. */
export function isFromSource(modes: BlockModes): boolean {
  return blockOf(modes).module !== null;
}

/** True if it is the falling edge of a block's clock that counts. A switch changes over while its clocks are low. */
export function blockClockFalls(modes: BlockModes, clock: number): boolean {
  return blockOf(modes).clockFalls(modes, clock);
}

/** Clock pins of a block are its last ones. */
export function blockClockCount(modes: BlockModes): number {
  return blockOf(modes).clocks;
}

/** True if some output follows a clock; else all of them follow the inputs. */
export function isClockedBlock(modes: BlockModes): boolean {
  return blockOf(modes).isClocked(modes);
}

/** True if a change at a pin passes to the outputs without waiting for a clock. */
export function isThroughPin(modes: BlockModes, pin: string): boolean {
  return blockOf(modes).isThrough?.(modes, pin) ?? false;
}
