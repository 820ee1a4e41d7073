import type { BlockConfig, BlockModes } from "../device/blocks/description.ts";
import { blockOf } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import type { TileConfig } from "./config-map.ts";

/** Fields of the tiles of one block, from its foot up. */
function blockConfig(config: TileConfig, { fabric, family }: Part, foot: number): BlockConfig {
  const tile = (row: number) => foot + row * fabric.width;
  return {
    family,
    get: (name, row = 0) => config.get(tile(row), name),
    set: (name, value, row = 0) => config.set(tile(row), name, Number(value)),
    getHex: (name, row) => config.getHex(tile(row), name),
    setHex: (name, row, hex) => config.setHex(tile(row), name, hex),
  };
}

/** Switches a block on, with its modes. */
export function writeBlockModes(config: TileConfig, part: Part, foot: number, modes: BlockModes): void {
  const block = blockOf(modes);
  config.set(foot, block.onField, 1);
  block.write(blockConfig(config, part, foot), modes);
}

export function isBlockOn(config: TileConfig, type: string, foot: number): boolean {
  return config.get(foot, blockOf({ type }).onField) === 1;
}

export function readBlockModes(config: TileConfig, part: Part, type: string, foot: number): BlockModes {
  return blockOf({ type }).read(blockConfig(config, part, foot));
}
