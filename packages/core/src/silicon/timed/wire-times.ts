import { TileConfig } from "../../bitstream/config-map.ts";
import type { CornerName } from "../../device/family.ts";
import { Delays, type Part } from "../../device/part.ts";
import { nodeKind } from "../../device/tile-pattern.ts";

/** Milliamperes by a pad's drive field. */
const drives: Readonly<Record<number, number>> = { 1: 4, 2: 8, 3: 12 };

/** What signals take in a configured part: found by following its selects back, from the bits alone. All in ps. */
export class WireTimes {
  readonly delays: Delays;
  private readonly config: TileConfig;
  private readonly nodePs: Float32Array;

  constructor(
    private readonly part: Part,
    memory: Uint8Array,
    corner: CornerName,
  ) {
    this.delays = new Delays(part, corner);
    this.config = new TileConfig(part, memory);
    this.nodePs = this.delays.nodePs();
  }

  /** From the output pin that feeds a pin's mux to behind it; 0 for -1, what has no mux. */
  to(pin: number): number {
    const { graph } = this.part;
    let ps = 0;
    let node = pin;
    for (let steps = 0; node >= 0 && steps < 4096 && graph.nodeKind[node] !== nodeKind.output; steps++) {
      ps += this.nodePs[node];
      const code = this.config.select(node);
      node = code === 0 || code > graph.sourceCount(node) ? -1 : graph.source(node, code - 1);
    }
    return ps;
  }

  /** From the package pin to behind its buffer. */
  inputPad(pad: number): number {
    return this.delays.inputPadPs(this.standard(pad));
  }
  /** From the pin of a pad's mux to the package pin. */
  outputPad(pad: number): number {
    const { tile, index } = this.part.fabric.pads[pad];
    const own = drives[this.config.get(tile, `drive${index}`)] ?? 8;
    return this.delays.outputPadPs(this.standard(pad), own, this.config.get(tile, `slew${index}`) === 1);
  }
  private standard(pad: number): string {
    const { tile, index } = this.part.fabric.pads[pad];
    const { standards } = this.part.family;
    return (standards[this.config.get(tile, `standard${index}`) - 1] ?? standards[0]).name;
  }

  /** Of a pad's pins: routing node of OUT or OE; -1 where the pad's register gives the level. */
  outputPin(pad: number): number {
    const { tile, index } = this.part.fabric.pads[pad];
    return this.config.get(tile, `outputRegister${index}`) ? -1 : this.node(tile, `OUT${index}`);
  }
  enablePin(pad: number): number {
    const { tile, index } = this.part.fabric.pads[pad];
    return this.node(tile, `OE${index}`);
  }
  node(tile: number, name: string): number {
    return this.part.graph.tileFirst[tile] + this.part.fabric.pattern(tile).byName.get(name)!;
  }
}
