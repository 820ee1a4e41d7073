import { blockOf, columnBlock, columnBlocks } from "./blocks/registry.ts";
import type { FamilyDescription, PartDescription, TileKind } from "./family.ts";
import { buildTilePattern, type TilePattern } from "./tile-pattern.ts";

/** Which of a pad's two registers: between the pin and the part's inside, or the other way. */
export type PadRegisterSide = "input" | "output";

/** A pad of the die: an I/O tile and the pad's number in it. */
export interface Pad {
  readonly id: number;
  readonly tile: number;
  readonly index: number;
  /** 0 north, 1 east, 2 south, 3 west. */
  readonly side: number;
  /** Banks are numbered side by side, clockwise. */
  readonly bank: number;
}

/** Of the order in which the muxes of a kind of tile are dealt. */
const seeds: Readonly<Record<string, number>> = { logic: 11, io: 14, corner: 15 };

/** The grid of one part: which tile is where, its pads, its clock regions. Tile id = y * width + x. */
export class Fabric {
  readonly width: number;
  readonly height: number;
  readonly pads: readonly Pad[];
  /** Pad ids that reach the global clock muxes, in the middle of the sides. */
  readonly clockPads: readonly number[];
  /** Bottom left, bottom right, top left, top right: each holds the clock muxes of its quarter. */
  readonly cornerTiles: readonly number[];
  readonly logicTiles: readonly number[];
  private readonly kinds: TileKind[] = [];
  private readonly sites = new Map<string, readonly number[]>();
  private readonly patterns = new Map<TileKind, TilePattern>();

  constructor(
    readonly family: FamilyDescription,
    readonly part: PartDescription,
  ) {
    this.width = part.columns.length + 2;
    this.height = part.rows + 2;
    const { width, height } = this;
    const kindOfColumn = new Map(columnBlocks().map(({ tile }) => [tile.column, tile.kind]));
    kindOfColumn.set("L", "logic");
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const edgeX = x === 0 || x === width - 1;
        const edgeY = y === 0 || y === height - 1;
        this.kinds.push(edgeX && edgeY ? "corner" : edgeX || edgeY ? "io" : kindOfColumn.get(part.columns[x - 1])!);
      }
    }
    this.cornerTiles = [0, width - 1, (height - 1) * width, height * width - 1];
    this.logicTiles = this.kinds.flatMap((kind, tile) => (kind === "logic" ? [tile] : []));
    const pads: Pad[] = [];
    const side = (tiles: number[], number: number) => {
      tiles.forEach((tile, i) => {
        const bank = number * part.banksPerSide + Math.floor((i * part.banksPerSide) / tiles.length);
        for (let index = 0; index < family.padsPerTile; index++)
          pads.push({ id: pads.length, tile, index, side: number, bank });
      });
    };
    const span = (count: number) => Array.from({ length: count }, (_, i) => i + 1);
    side(
      span(width - 2).map((x) => (height - 1) * width + x),
      0,
    );
    side(
      span(height - 2).map((y) => (height - 1 - y) * width + width - 1),
      1,
    );
    side(
      span(width - 2).map((x) => width - 1 - x),
      2,
    );
    side(
      span(height - 2).map((y) => y * width),
      3,
    );
    this.pads = pads;
    // as many as there are global clocks, two, one or none in the middle of each side
    const onSide = [0, 2, 1, 3].map((_, at) => Math.min(2, Math.ceil((family.globalClocks - at) / 4)));
    this.clockPads = [0, 1, 2, 3].flatMap((number) => {
      const own = pads.filter((pad) => pad.side === number);
      const middle = own.length >> 1;
      const count = onSide[[0, 2, 1, 3].indexOf(number)];
      return [own[middle - 1].id, own[middle].id].slice(0, Math.max(0, count));
    });
  }

  /** Foot tiles of the places for blocks of a type. */
  blockSites(type: string): readonly number[] {
    let sites = this.sites.get(type);
    if (!sites) {
      const { family, part, width, height, cornerTiles } = this;
      const tileKind = (tile: number) => this.kinds[tile];
      sites = blockOf({ type }).sites({ family, part, width, height, cornerTiles, tileKind });
      this.sites.set(type, sites);
    }
    return sites;
  }

  get tileCount(): number {
    return this.width * this.height;
  }
  tileKind(tile: number): TileKind {
    return this.kinds[tile];
  }
  pattern(tile: number): TilePattern {
    return this.patternOf(this.kinds[tile]);
  }
  private patternOf(kind: TileKind): TilePattern {
    let pattern = this.patterns.get(kind);
    if (!pattern) {
      pattern = buildTilePattern(this.family, kind, seeds[kind] ?? columnBlock(kind)!.tile.seed);
      this.patterns.set(kind, pattern);
    }
    return pattern;
  }
  tileX(tile: number): number {
    return tile % this.width;
  }
  tileY(tile: number): number {
    return (tile / this.width) | 0;
  }

  /** Quarter of the die, numbered as `cornerTiles`. */
  regionOf(tile: number): number {
    return (this.tileX(tile) * 2 >= this.width ? 1 : 0) + (this.tileY(tile) * 2 >= this.height ? 2 : 0);
  }

  /** Tiles between a tile and the middle of its clock region: what its clock arrives later by. */
  clockDistance(tile: number): number {
    const region = this.regionOf(tile);
    const middleX = (this.width * (region & 1 ? 3 : 1)) / 4;
    const middleY = (this.height * (region & 2 ? 3 : 1)) / 4;
    return Math.abs(this.tileX(tile) + 0.5 - middleX) + Math.abs(this.tileY(tile) + 0.5 - middleY);
  }

  regionClockNode(tileFirst: Int32Array, region: number, index: number): number {
    return tileFirst[this.cornerTiles[region]] + this.patternOf("corner").byName.get(`RCK${index}`)!;
  }
  /** The global clock muxes that count are those of the bottom left corner; the others' are left unused. */
  globalClockNode(tileFirst: Int32Array, index: number): number {
    return tileFirst[this.cornerTiles[0]] + this.patternOf("corner").byName.get(`GCK${index}`)!;
  }
  padInputNode(tileFirst: Int32Array, pad: number): number {
    const { tile, index } = this.pads[pad];
    return tileFirst[tile] + this.patternOf("io").byName.get(`IN${index}`)!;
  }
}
