import type { Part } from "../device/part.ts";

/**
 * Where every configuration bit of a part lives. One map for assembling and disassembling: columns from left to right,
 * tiles of a column from the bottom up, each tile's fields as in its pattern. Bit i of a byte has weight 2^i.
 */
interface ConfigMap {
  /** [tiles] First bit of each tile in the configuration memory. */
  readonly tileBit: Int32Array;
  /** [columns + 1] First byte of each column. */
  readonly columnByte: Int32Array;
  readonly byteCount: number;
}

const maps = new WeakMap<object, ConfigMap>();

export function configMap(part: Part): ConfigMap {
  const known = maps.get(part.fabric);
  if (known) return known;
  const { fabric } = part;
  const tileBit = new Int32Array(fabric.tileCount);
  const columnByte = new Int32Array(fabric.width + 1);
  let bytes = 0;
  for (let x = 0; x < fabric.width; x++) {
    columnByte[x] = bytes;
    for (let y = 0; y < fabric.height; y++) {
      const tile = y * fabric.width + x;
      tileBit[tile] = bytes * 8;
      bytes += fabric.pattern(tile).configBits / 8;
    }
  }
  columnByte[fabric.width] = bytes;
  const map = { tileBit, columnByte, byteCount: bytes };
  maps.set(fabric, map);
  return map;
}

export function readBits(memory: Uint8Array, at: number, bits: number): number {
  let value = 0;
  for (let i = 0; i < bits; i++) value |= ((memory[(at + i) >> 3] >> ((at + i) & 7)) & 1) << i;
  return value >>> 0;
}

function writeBits(memory: Uint8Array, at: number, bits: number, value: number): void {
  for (let i = 0; i < bits; i++) {
    const mask = 1 << ((at + i) & 7);
    if ((value >>> i) & 1) memory[(at + i) >> 3] |= mask;
    else memory[(at + i) >> 3] &= ~mask;
  }
}

/** Reads and writes the named fields of one tile. */
export class TileConfig {
  constructor(
    private readonly part: Part,
    readonly memory: Uint8Array,
  ) {}

  private field(tile: number, name: string): { at: number; bits: number } {
    const field = this.part.fabric.pattern(tile).fields.get(name);
    if (!field) throw new RangeError(`Tile ${tile} has no configuration field '${name}'.`);
    return { at: configMap(this.part).tileBit[tile] + field.at, bits: field.bits };
  }
  get(tile: number, name: string): number {
    const { at, bits } = this.field(tile, name);
    return readBits(this.memory, at, bits);
  }
  set(tile: number, name: string, value: number): void {
    const { at, bits } = this.field(tile, name);
    writeBits(this.memory, at, bits, value);
  }
  /** A LUT's rows, in two halves of 32; those of fewer inputs are repeated. */
  getMask(tile: number, element: number): { low: number; high: number } {
    const { at, bits } = this.field(tile, `mask${element}`);
    let low = readBits(this.memory, at, Math.min(32, bits));
    for (let have = bits; have < 32; have *= 2) low |= low << have;
    return { low: low >>> 0, high: bits > 32 ? readBits(this.memory, at + 32, 32) : low >>> 0 };
  }
  setMask(tile: number, element: number, low: number, high: number): void {
    const { at, bits } = this.field(tile, `mask${element}`);
    writeBits(this.memory, at, Math.min(32, bits), low);
    if (bits > 32) writeBits(this.memory, at + 32, 32, high);
  }
  /** A long field as hex, its bit 0 last. Bits in multiples of 4. */
  getHex(tile: number, name: string): string {
    const { at, bits } = this.field(tile, name);
    let hex = "";
    for (let i = bits - 4; i >= 0; i -= 4) hex += readBits(this.memory, at + i, 4).toString(16);
    return hex;
  }
  setHex(tile: number, name: string, hex: string): void {
    const { at, bits } = this.field(tile, name);
    for (let i = 0; i < bits; i += 4)
      writeBits(this.memory, at + i, 4, Number.parseInt(hex[hex.length - 1 - i / 4] ?? "0", 16));
  }
  /** Select code of a routing node's mux: 0 for off, i + 1 for its source i. */
  select(node: number): number {
    const { graph, fabric } = this.part;
    const tile = graph.nodeTile[node];
    const local = fabric.pattern(tile).nodes[node - graph.tileFirst[tile]];
    return readBits(this.memory, configMap(this.part).tileBit[tile] + local.selectAt, local.selectBits);
  }
  setSelect(node: number, code: number): void {
    const { graph, fabric } = this.part;
    const tile = graph.nodeTile[node];
    const local = fabric.pattern(tile).nodes[node - graph.tileFirst[tile]];
    writeBits(this.memory, configMap(this.part).tileBit[tile] + local.selectAt, local.selectBits, code);
  }
}
