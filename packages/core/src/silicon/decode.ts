import { isBlockOn, readBlockModes } from "../bitstream/block-config.ts";
import { TileConfig } from "../bitstream/config-map.ts";
import type { BlockModes } from "../device/blocks/description.ts";
import { blockPinAt, blockPinsOf, isOutsidePin, listBlocks } from "../device/blocks/registry.ts";
import type { PadRegisterSide } from "../device/fabric.ts";
import type { Part } from "../device/part.ts";
import { carryMode, nodeKind, outputMode } from "../device/tile-pattern.ts";

/**
 * What the configuration bits make of the part: tables, flip-flops and pads, found by following every mux select
 * back from what drives a pad or a register. Nothing but the bits is known here. Signal 0 is the constant 0.
 */
export interface Circuit {
  readonly signalCount: number;
  /**
   * Pads with their input buffer on: signal that comes from outside, and the one that is read, which is another where
   * the part drives the pad too.
   */
  readonly inputs: readonly { readonly signal: number; readonly read: number; readonly pad: number }[];
  /** Pads that drive: signal and enabling signal (-1: always). */
  readonly outputs: readonly { readonly pad: number; readonly signal: number; readonly enable: number }[];
  readonly tables: readonly Table[];
  readonly flipFlops: readonly DecodedFlipFlop[];
  /** Hard blocks that something reads, or that run whether something reads them or not. */
  readonly blocks: readonly DecodedSite[];
  /** LUTs that something reads. A carry link makes more tables of its element's LUT. */
  readonly lutCount: number;
  /** Output pin of the routing graph -> its signal. */
  readonly signalOfNode: ReadonlyMap<number, number>;
}
export interface Table {
  readonly output: number;
  /** Up to six signals; input i has weight 2^i in the mask. */
  readonly inputs: readonly number[];
  readonly low: number;
  readonly high: number;
  /** What it is in the element, and the routing nodes of its inputs' pins, -1 where none is; left out for what has no delay. */
  readonly made?: { readonly as: "lut" | "sum" | "carry"; readonly pins: readonly number[] };
  /** Block that it is part of. */
  readonly block?: DecodedSite;
}
export interface DecodedSite {
  readonly modes: BlockModes;
  /** Its place among those for blocks of its type. */
  readonly site: number;
  /** Signals of the input pins, 0 where nothing leads there, in the family's order of pins. */
  readonly inputs: readonly number[];
  /** Signals of the clocks. */
  readonly clocks: readonly number[];
  /** Output pin -> signal, for those that are read. */
  readonly outputs: ReadonlyMap<number, number>;
  readonly pinNames: ReadonlyMap<string, number>;
  readonly outputNames: readonly string[];
  /** At its foot. */
  readonly tile: number;
}
export interface DecodedFlipFlop {
  readonly output: number;
  readonly d: number;
  readonly clock: number;
  readonly falling: boolean;
  /** Signal, or -1 for always. */
  readonly enable: number;
  /** Signal, or -1 for never. */
  readonly reset: number;
  readonly asyncReset: boolean;
  readonly resetValue: number;
  readonly init: number;
  /** Tile and element, for the eye. */
  readonly tile: number;
  readonly element: number;
  /** Routing nodes of its pins; -1 for those that take what is beside them, or that it does not have. */
  readonly pins: { readonly d: number; readonly clock: number; readonly enable: number; readonly reset: number };
  /** Block that it is part of. */
  readonly block?: DecodedSite;
}

export function decodeCircuit(part: Part, memory: Uint8Array): Circuit {
  return new Decoder(part, memory).run();
}

/** Number of a pad's register among those of its tile. */
export function padRegisterElement(index: number, side: PadRegisterSide): number {
  return 2 * index + (side === "output" ? 1 : 0);
}

interface WaitingBlock {
  readonly type: string;
  readonly foot: number;
  readonly outputs: ReadonlyMap<number, number>;
}

interface BlockPinPlace {
  readonly type: string;
  readonly foot: number;
  readonly pin: number;
}
const outputPlaces = new WeakMap<Part["fabric"], ReadonlyMap<number, BlockPinPlace>>();

/** Routing node of each output pin of each block's place -> which pin of which block that is. */
function blockOutputs({ fabric, family, graph }: Part): ReadonlyMap<number, BlockPinPlace> {
  let places = outputPlaces.get(fabric) as Map<number, BlockPinPlace> | undefined;
  if (!places) {
    places = new Map();
    for (const { type, pins } of listBlocks())
      for (const foot of fabric.blockSites(type))
        pins(family).outputs.forEach((output, pin) => {
          if (isOutsidePin(type, output)) return;
          const { row, name } = blockPinAt(family, type, "outputs", pin);
          const tile = foot + row * fabric.width;
          places!.set(graph.tileFirst[tile] + fabric.pattern(tile).byName.get(name)!, { type, foot, pin });
        });
    outputPlaces.set(fabric, places);
  }
  return places;
}

class Decoder {
  private readonly config: TileConfig;
  private readonly signalOf = new Map<number, number>();
  private readonly pending: { node: number; signal: number }[] = [];
  private signalCount = 1;
  private readonly tables: Table[] = [];
  private readonly usedLuts = new Set<number>();
  private readonly flipFlops: DecodedFlipFlop[] = [];
  private readonly inputs: { signal: number; read: number; pad: number }[] = [];
  private readonly outputs = new Map<number, { pad: number; signal: number; enable: number }>();
  /** Type and foot tile -> output pins that are read, with their signals. */
  private readonly blockOutputs = new Map<string, Map<number, number>>();
  private readonly waitingBlocks: WaitingBlock[] = [];
  private readonly blocks: DecodedSite[] = [];
  private readonly carryOf = new Map<string, number>();
  private readonly padAt = new Map<number, number>();

  constructor(
    private readonly part: Part,
    memory: Uint8Array,
  ) {
    this.config = new TileConfig(part, memory);
    for (const pad of part.fabric.pads) this.padAt.set(part.fabric.padInputNode(part.graph.tileFirst, pad.id), pad.id);
  }

  run(): Circuit {
    const { fabric, family } = this.part;
    for (const pad of fabric.pads) {
      const mode = this.config.get(pad.tile, `outputMode${pad.index}`);
      if (mode !== outputMode.always && mode !== outputMode.enabled) continue;
      const pin = (name: string) => this.pin(pad.tile, `${name}${pad.index}`);
      const value = pin("OUT");
      const signal = this.config.get(pad.tile, `outputRegister${pad.index}`)
        ? this.padRegister(pad.id, "output", value)
        : value;
      const enable = mode === outputMode.enabled ? pin("OE") : -1;
      this.outputs.set(pad.id, { pad: pad.id, signal, enable });
      const standard = family.standards[this.config.get(pad.tile, `standard${pad.index}`) - 1];
      const second = pad.index === 0 && standard?.isDifferential ? this.padBeside(pad) : undefined;
      if (second === undefined) continue;
      const other = this.signalCount++;
      this.tables.push({ output: other, inputs: [signal], low: 0x55555555, high: 0x55555555 });
      this.outputs.set(second, { pad: second, signal: other, enable });
    }
    for (const { type, runsAlone } of listBlocks())
      if (runsAlone)
        for (const tile of fabric.blockSites(type)) if (isBlockOn(this.config, type, tile)) this.outputsOf(type, tile);
    for (;;) {
      const next = this.pending.pop();
      if (next) this.build(next.node, next.signal);
      else if (this.blocks.length < this.waitingBlocks.length)
        this.blocks.push(this.buildBlock(this.waitingBlocks[this.blocks.length]));
      else break;
    }
    for (const { signal, read, pad } of this.inputs) if (read !== signal) this.readsBack(signal, read, pad);
    return {
      signalCount: this.signalCount,
      inputs: this.inputs,
      outputs: [...this.outputs.values()],
      tables: this.tables,
      flipFlops: this.flipFlops,
      blocks: this.blocks,
      lutCount: this.usedLuts.size,
      signalOfNode: this.signalOf,
    };
  }

  /** Follows selects back from a mux to the output pin that feeds it. @returns Its signal; 0 if nothing does. */
  private trace(start: number): number {
    const { graph } = this.part;
    let node = start;
    for (let steps = 0; steps < 4096; steps++) {
      if (graph.nodeKind[node] === nodeKind.output) return this.signalFor(node);
      const code = this.config.select(node);
      if (code === 0 || code > graph.sourceCount(node)) return 0;
      node = graph.source(node, code - 1);
      if (node < 0) return 0;
    }
    return 0; // a ring of wires that nothing drives
  }

  private signalFor(node: number): number {
    const known = this.signalOf.get(node);
    if (known !== undefined) return known;
    const pad = this.padAt.get(node);
    if (pad !== undefined) {
      const { tile, index } = this.part.fabric.pads[pad];
      if (!this.config.get(tile, `inputOn${index}`)) {
        this.signalOf.set(node, 0);
        return 0;
      }
      const read = this.signalCount++;
      const isDriven = this.config.get(tile, `outputMode${index}`) !== outputMode.off;
      this.inputs.push({ signal: isDriven ? this.signalCount++ : read, read, pad });
      const inside = this.config.get(tile, `inputRegister${index}`) ? this.padRegister(pad, "input", read) : read;
      this.signalOf.set(node, inside);
      return inside;
    }
    const tile = this.part.graph.nodeTile[node];
    const kind = this.part.fabric.tileKind(tile);
    if (kind !== "logic") {
      const signal = this.blockSignal(node);
      this.signalOf.set(node, signal);
      return signal;
    }
    const signal = this.signalCount++;
    this.signalOf.set(node, signal);
    this.pending.push({ node, signal });
    return signal;
  }

  /** The other pad of a pair. */
  private padBeside({ id, tile }: { readonly id: number; readonly tile: number }): number | undefined {
    return this.part.fabric.pads.find((pad) => pad.tile === tile && pad.id !== id)?.id;
  }

  /** A register of a pad, clocked by its tile. @returns The signal behind it. */
  private padRegister(pad: number, side: PadRegisterSide, d: number): number {
    const { tile, index } = this.part.fabric.pads[pad];
    const output = this.signalCount++;
    this.flipFlops.push({
      output,
      d,
      clock: this.pin(tile, "CLK"),
      falling: this.config.get(tile, "clockFalling") === 1,
      enable: -1,
      reset: -1,
      asyncReset: false,
      resetValue: 0,
      init: this.config.get(tile, `${side}Init${index}`),
      tile,
      element: padRegisterElement(index, side),
      pins: {
        d: side === "output" ? this.nodeAt(tile, `OUT${index}`) : -1,
        clock: this.nodeAt(tile, "CLK"),
        enable: -1,
        reset: -1,
      },
    });
    return output;
  }

  /** What a pad reads while the part itself may drive it. */
  private readsBack(outside: number, read: number, pad: number): void {
    const driven = this.outputs.get(pad);
    if (!driven) {
      this.tables.push({ output: read, inputs: [outside], low: 0xaaaaaaaa, high: 0xaaaaaaaa });
      return;
    }
    const { signal, enable } = driven;
    // inputs: what is driven, and then the level outside and the enable: enable ? driven : outside
    if (enable < 0) this.tables.push({ output: read, inputs: [signal], low: 0xaaaaaaaa, high: 0xaaaaaaaa });
    else this.tables.push({ output: read, inputs: [signal, outside, enable], low: 0xacacacac, high: 0xacacacac });
  }

  /** Signal of a block's output pin; 0 if the block is off. */
  private blockSignal(node: number): number {
    const place = blockOutputs(this.part).get(node);
    if (!place || !isBlockOn(this.config, place.type, place.foot)) return 0;
    const signal = this.signalCount++;
    this.outputsOf(place.type, place.foot).set(place.pin, signal);
    return signal;
  }

  /** Signals of a block's outputs by pin; the block is built once somebody asks. */
  private outputsOf(type: string, foot: number): Map<number, number> {
    const key = `${type} ${foot}`;
    let outputs = this.blockOutputs.get(key);
    if (!outputs) {
      outputs = new Map();
      this.blockOutputs.set(key, outputs);
      this.waitingBlocks.push({ type, foot, outputs });
    }
    return outputs;
  }

  private buildBlock({ type, foot, outputs }: WaitingBlock): DecodedSite {
    const { fabric, family } = this.part;
    const pins = blockPinsOf(family, { type });
    const all = Array.from({ length: pins.inputs.length + pins.clocks }, (_, i) => {
      const { row, name } = blockPinAt(family, type, "inputs", i);
      if (isOutsidePin(type, name)) return 0;
      return this.pin(foot + row * fabric.width, name);
    });
    return {
      modes: readBlockModes(this.config, this.part, type, foot),
      site: fabric.blockSites(type).indexOf(foot),
      inputs: all.slice(0, pins.inputs.length),
      clocks: all.slice(pins.inputs.length),
      outputs,
      pinNames: new Map(pins.inputs.map((name, i) => [name, i])),
      outputNames: pins.outputs,
      tile: foot,
    };
  }

  private pin(tile: number, name: string): number {
    return this.trace(this.nodeAt(tile, name));
  }
  private nodeAt(tile: number, name: string): number {
    return this.part.graph.tileFirst[tile] + this.part.fabric.pattern(tile).byName.get(name)!;
  }

  private build(node: number, signal: number): void {
    const { fabric, graph, family } = this.part;
    const tile = graph.nodeTile[node];
    const local = node - graph.tileFirst[tile];
    const per = family.elementsPerTile;
    const element = local % per;
    if (local < per) {
      if (this.config.get(tile, `carry${element}`) === 0) this.lutTable(tile, element, signal);
      else {
        // sum bit: table XOR carry-in
        const lut = this.signalCount++;
        this.lutTable(tile, element, lut);
        this.tables.push({
          output: signal,
          inputs: [lut, this.carryIn(tile, element)],
          low: 0x66666666,
          high: 0x66666666,
          made: { as: "sum", pins: [-1, -1] },
        });
      }
      return;
    }
    const group = Math.floor(element / family.elementsPerGroup);
    const first = graph.tileFirst[tile];
    const bypass = this.config.get(tile, `bypass${element}`) === 1;
    const enableUsed = this.config.get(tile, `enableUsed${group}`) === 1;
    const reset = this.pin(tile, `SR${group}`);
    this.flipFlops.push({
      output: signal,
      d: bypass
        ? this.pin(tile, `B${element}`)
        : this.signalFor(first + fabric.pattern(tile).byName.get(`O${element}`)!),
      clock: this.pin(tile, "CLK"),
      falling: this.config.get(tile, "clockFalling") === 1,
      enable: enableUsed ? this.pin(tile, `EN${group}`) : -1,
      reset: reset === 0 ? -1 : reset,
      asyncReset: this.config.get(tile, `asyncReset${element}`) === 1,
      resetValue: this.config.get(tile, `resetValue${element}`),
      init: this.config.get(tile, `init${element}`),
      tile,
      element,
      pins: {
        d: bypass ? this.nodeAt(tile, `B${element}`) : -1,
        clock: this.nodeAt(tile, "CLK"),
        enable: enableUsed ? this.nodeAt(tile, `EN${group}`) : -1,
        reset: reset === 0 ? -1 : this.nodeAt(tile, `SR${group}`),
      },
    });
  }

  private lutTable(tile: number, element: number, output: number): void {
    const { lutInputs, elementsPerTile } = this.part.family;
    this.usedLuts.add(tile * elementsPerTile + element);
    const mask = this.config.getMask(tile, element);
    const pins = Array.from({ length: lutInputs }, (_, i) => this.nodeAt(tile, `L${element}.${i}`));
    const inputs = pins.map((node) => this.trace(node));
    this.tables.push({ output, inputs, ...mask, made: { as: "lut", pins } });
  }

  /** Carry modes: 1 goes on with the chain, 2 and 3 start it with 0 or 1. */
  private carryIn(tile: number, element: number): number {
    const mode = this.config.get(tile, `carry${element}`);
    if (mode !== carryMode.on) {
      const constant = this.signalCount++;
      const bits = mode === carryMode.one ? 0xffffffff : 0;
      this.tables.push({ output: constant, inputs: [], low: bits, high: bits });
      return constant;
    }
    const { fabric, family } = this.part;
    if (element > 0) return this.carryOut(tile, element - 1);
    const below = tile - fabric.width;
    return below >= 0 && fabric.tileKind(below) === "logic" ? this.carryOut(below, family.elementsPerTile - 1) : 0;
  }

  /** Carry out of an element: its carry-in where the table says so, else its bypass pin. */
  private carryOut(tile: number, element: number): number {
    const key = `${tile}.${element}`;
    const known = this.carryOf.get(key);
    if (known !== undefined) return known;
    const output = this.signalCount++;
    this.carryOf.set(key, output);
    const lut = this.signalCount++;
    this.lutTable(tile, element, lut);
    const carry = this.config.get(tile, `carry${element}`) === 0 ? 0 : this.carryIn(tile, element);
    // inputs: select, if 1, if 0
    this.tables.push({
      output,
      inputs: [lut, carry, this.pin(tile, `B${element}`)],
      low: 0xd8d8d8d8,
      high: 0xd8d8d8d8,
      made: { as: "carry", pins: [-1, -1, this.nodeAt(tile, `B${element}`)] },
    });
    return output;
  }
}
