import { Random } from "../common/random.ts";
import type { BlockDescription } from "./blocks/description.ts";
import { columnBlock, cornerBlocks } from "./blocks/registry.ts";
import type { FamilyDescription, TileKind } from "./family.ts";

/** Directions in this order everywhere: east, north, west, south. (0, 0) is the tile at the bottom left. */
export const directionX = [1, 0, -1, 0] as const;
export const directionY = [0, 1, 0, -1] as const;
const directionName = ["E", "N", "W", "S"] as const;

export type NodeKind = 0 | 1 | 2 | 3 | 4;
export const nodeKind = { output: 0, input: 1, wire: 2, globalClock: 3, regionClock: 4 } as const;

/** Input of a mux, seen from its tile: the local node of a tile at an offset, or a node of the clock network. */
type MuxSource =
  | { readonly from: "output"; readonly local: number }
  | { readonly from: "wire"; readonly wire: number; readonly dx: number; readonly dy: number }
  | { readonly from: "regionClock"; readonly index: number }
  | { readonly from: "globalClock"; readonly index: number }
  | { readonly from: "clockPad"; readonly index: number }
  /** Output pin of a corner tile, corners numbered as `Fabric.cornerTiles`. */
  | { readonly from: "corner"; readonly corner: number; readonly name: string };

/** One routing node that a tile owns: an output pin, or a mux with its select field. */
interface LocalNode {
  readonly name: string;
  readonly kind: NodeKind;
  /** Select code i + 1 takes source i; code 0 drives a constant 0. */
  readonly sources: readonly MuxSource[];
  /** Place of the select in the tile's configuration; width 0 for output pins. */
  readonly selectAt: number;
  readonly selectBits: number;
  /** For wires: direction and wire type; else -1. */
  readonly direction: number;
  readonly wireType: number;
}

/** A named stretch of a tile's configuration bits. */
interface ConfigField {
  readonly at: number;
  readonly bits: number;
}

export interface TilePattern {
  readonly kind: TileKind;
  readonly nodes: readonly LocalNode[];
  readonly byName: ReadonlyMap<string, number>;
  readonly fields: ReadonlyMap<string, ConfigField>;
  /** Configuration bits, a multiple of 8. */
  readonly configBits: number;
  /** Local index of the first wire; wires are numbered direction by direction, type by type. */
  readonly firstWire: number;
}

/** Pads of one tile: bits of each field. */
const padFields = {
  inputOn: 1,
  outputMode: 2,
  standard: 4,
  drive: 2,
  slew: 1,
  pull: 2,
  hysteresis: 1,
  termination: 1,
  inputRegister: 1,
  inputInit: 1,
  outputRegister: 1,
  outputInit: 1,
} as const;
/** Values of a pad's output mode: never drives; always; while its enable pin is 1. */
export const outputMode = { off: 0, always: 1, enabled: 2 } as const;
/** Values of a pad's pull field. */
export const pullCode = { none: 0, up: 1, down: 2 } as const;
/** Values of an element's carry field: not used; goes on from the element below; starts with 0 or with 1. */
export const carryMode = { off: 0, on: 1, zero: 2, one: 3 } as const;
/** The mask has a bit for each row of the family's LUT; 64 is the most. */
const elementFields = { mask: 64, init: 1, resetValue: 1, asyncReset: 1, bypass: 1, carry: 2 } as const;

/** Wires that start in a tile, in the order of their local numbers. */
function wireList(family: FamilyDescription): { direction: number; type: number; index: number }[] {
  const list: { direction: number; type: number; index: number }[] = [];
  for (let direction = 0; direction < 4; direction++) {
    family.wires.forEach((wire, type) => {
      for (let index = 0; index < wire.perDirection; index++) list.push({ direction, type, index });
    });
  }
  return list;
}

/** Deals out sources evenly: every candidate is used once before any is used again. */
class Dealer<T> {
  private at = 0;
  constructor(
    private readonly deck: T[],
    random: Random,
  ) {
    for (let i = deck.length - 1; i > 0; i--) {
      const j = random.below(i + 1);
      [deck[i], deck[j]] = [deck[j], deck[i]];
    }
  }
  deal(count: number, fits: (item: T) => boolean, taken: Set<T>): T[] {
    const dealt: T[] = [];
    for (let tries = 0; dealt.length < count && tries < 2 * this.deck.length; tries++) {
      const item = this.deck[this.at];
      this.at = (this.at + 1) % this.deck.length;
      if (fits(item) && !taken.has(item)) {
        dealt.push(item);
        taken.add(item);
      }
    }
    return dealt;
  }
}

interface Tap {
  readonly source: MuxSource;
  readonly direction: number;
  readonly type: number;
  readonly isEnd: boolean;
}

/**
 * Pattern of one kind of tile. Which taps a mux can take is dealt evenly by a seeded random order, so that every wire
 * reaches about as many muxes as any other; a wire never turns straight back.
 * Routing by single-driver wires: Lemieux, Lee, Tom, Mirabbasi 2004 (FPT).
 */
export function buildTilePattern(family: FamilyDescription, kind: TileKind, seed: number): TilePattern {
  const random = new Random(seed);
  const nodes: LocalNode[] = [];
  const fields = new Map<string, ConfigField>();
  let configBits = 0;
  const field = (name: string, bits: number) => {
    fields.set(name, { at: configBits, bits });
    configBits += bits;
  };
  const blockFields = (block: BlockDescription) => {
    field(block.onField, 1);
    for (const [name, bits] of Object.entries(block.fields(family))) field(name, bits);
  };
  const outputs: string[] = [];
  const inputs: string[] = [];
  const corners = cornerBlocks().filter(({ tile }) => tile.count(family) > 0);
  const own = columnBlock(kind);
  const per = family.elementsPerTile;
  const groups = per / family.elementsPerGroup;
  switch (kind) {
    case "logic":
      for (let e = 0; e < per; e++) outputs.push(`O${e}`);
      for (let e = 0; e < per; e++) outputs.push(`Q${e}`);
      for (let e = 0; e < per; e++) for (let i = 0; i < family.lutInputs; i++) inputs.push(`L${e}.${i}`);
      for (let e = 0; e < per; e++) inputs.push(`B${e}`);
      for (let g = 0; g < groups; g++) inputs.push(`EN${g}`, `SR${g}`);
      break;
    case "io":
      for (let p = 0; p < family.padsPerTile; p++) outputs.push(`IN${p}`);
      for (let p = 0; p < family.padsPerTile; p++) inputs.push(`OUT${p}`, `OE${p}`);
      break;
    case "corner":
      for (const { tile } of corners) outputs.push(...tile.clockOutputs, ...tile.outputs);
      for (const { tile } of corners) inputs.push(...tile.inputs);
      break;
    default:
      outputs.push(...own!.tile.outputs(family));
      inputs.push(...own!.tile.inputs(family));
  }
  for (const name of outputs)
    nodes.push({ name, kind: nodeKind.output, sources: [], selectAt: 0, selectBits: 0, direction: -1, wireType: -1 });

  const mux = (name: string, node: NodeKind, sources: MuxSource[], direction = -1, wireType = -1) => {
    const selectBits = Math.ceil(Math.log2(sources.length + 1));
    nodes.push({ name, kind: node, sources, selectAt: configBits, selectBits, direction, wireType });
    field(`select ${name}`, selectBits);
  };

  // taps that arrive here, by wire type
  const wires = wireList(family);
  const taps: Tap[][] = family.wires.map(() => []);
  wires.forEach((wire, w) => {
    const type = family.wires[wire.type];
    type.taps.forEach((distance, t) => {
      const dx = -directionX[wire.direction] * distance;
      const dy = -directionY[wire.direction] * distance;
      taps[wire.type].push({
        source: { from: "wire", wire: w, dx, dy },
        direction: wire.direction,
        type: wire.type,
        isEnd: t === type.taps.length - 1,
      });
    });
  });
  const newDealers = () => ({
    outputs: new Dealer(
      outputs.map((_, local): MuxSource => ({ from: "output", local })),
      random,
    ),
    taps: taps.map((list) => new Dealer([...list], random)),
  });

  // wires; each direction deals by itself, so that all directions see all sources
  const forWires = [0, 1, 2, 3].map(newDealers);
  const firstWire = nodes.length;
  for (const wire of wires) {
    const type = family.wires[wire.type];
    const dealers = forWires[wire.direction];
    const sources = dealers.outputs.deal(Math.min(type.fromOutputs, outputs.length), () => true, new Set());
    type.fromWires.forEach((count, t) => {
      const taken = new Set<Tap>();
      const back = (wire.direction + 2) % 4;
      const straight = Math.ceil(count / 3);
      for (const tap of dealers.taps[t].deal(straight, (tap) => tap.direction === wire.direction, taken))
        sources.push(tap.source);
      for (const tap of dealers.taps[t].deal(
        count - straight,
        (tap) => tap.direction !== back && tap.direction !== wire.direction,
        taken,
      ))
        sources.push(tap.source);
    });
    mux(
      `${directionName[wire.direction]}${type.length}.${wire.index}`,
      nodeKind.wire,
      sources,
      wire.direction,
      wire.type,
    );
  }

  // pins; each element deals by itself, so that every source reaches every element
  let dealers = newDealers();
  let element = "";
  for (const name of inputs) {
    const owner = name.split(".")[0];
    if (owner !== element && (name.startsWith("L") || element.startsWith("L"))) dealers = newDealers();
    element = owner;
    const sources = dealers.outputs.deal(Math.min(family.pinFromOutputs, outputs.length), () => true, new Set());
    family.pinFromWires.forEach((count, t) => {
      for (const tap of dealers.taps[t].deal(count, () => true, new Set())) sources.push(tap.source);
    });
    mux(name, nodeKind.input, sources);
  }

  // clock pin: the region's clocks, or a few wires
  if (kind !== "corner") {
    const sources: MuxSource[] = Array.from({ length: family.regionClocks }, (_, index) => ({
      from: "regionClock",
      index,
    }));
    const taken = new Set<Tap>();
    for (const tap of newDealers().taps[0].deal(family.clockFromWires, () => true, taken)) sources.push(tap.source);
    mux("CLK", nodeKind.input, sources);
    field("clockFalling", 1);
  }

  switch (kind) {
    case "logic":
      for (let g = 0; g < groups; g++) field(`enableUsed${g}`, 1);
      for (let e = 0; e < per; e++)
        for (const [name, bits] of Object.entries(elementFields))
          field(`${name}${e}`, name === "mask" ? 2 ** family.lutInputs : bits);
      break;
    case "io":
      for (let p = 0; p < family.padsPerTile; p++)
        for (const [name, bits] of Object.entries(padFields)) field(`${name}${p}`, bits);
      break;
    case "corner": {
      const clockSources: MuxSource[] = [];
      for (let i = 0; i < family.globalClocks; i++) clockSources.push({ from: "clockPad", index: i });
      const padSources = [...clockSources];
      // clocks that the blocks make, by block
      const made = corners.map(({ tile }): MuxSource[] =>
        Array.from({ length: tile.count(family) }, (_, i) =>
          tile.clockOutputs.map((name): MuxSource => ({ from: "corner", corner: tile.corner(i), name })),
        ).flat(),
      );
      clockSources.push(...made.flat());
      const someWires = (count: number) => newDealers().taps[1].deal(count, () => true, new Set());
      for (const tap of someWires(4)) clockSources.push(tap.source);
      // a block's input from pads and from blocks of other types, and from a few wires
      corners.forEach(({ tile }, c) => {
        const others = made.filter((_, other) => other !== c).flat();
        for (const name of tile.clockInputs)
          mux(name, nodeKind.input, [...padSources, ...others, ...someWires(2).map(({ source }) => source)]);
      });
      for (let g = 0; g < family.globalClocks; g++) mux(`GCK${g}`, nodeKind.globalClock, clockSources);
      const globals: MuxSource[] = Array.from({ length: family.globalClocks }, (_, index) => ({
        from: "globalClock",
        index,
      }));
      for (let r = 0; r < family.regionClocks; r++) mux(`RCK${r}`, nodeKind.regionClock, globals);
      for (const block of corners) blockFields(block);
      break;
    }
    default:
      blockFields(own!);
  }
  configBits = Math.ceil(configBits / 8) * 8;
  return { kind, nodes, byName: new Map(nodes.map((node, i) => [node.name, i])), fields, configBits, firstWire };
}
