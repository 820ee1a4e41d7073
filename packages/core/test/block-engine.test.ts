import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { type MemoryModes, memoryAddressBits, memoryBlockPins } from "../src/device/blocks/memory.ts";
import { type MultiplierModes, multiplierBlockPins } from "../src/device/blocks/multiplier.ts";
import { findFamily } from "../src/device/index.ts";
import type { MappedBlock } from "../src/netlist/index.ts";
import type { Circuit } from "../src/silicon/decode.ts";
import { Engine } from "../src/silicon/engine.ts";
import { BlockReference } from "./helpers/block-reference.ts";

const family = findFamily("Twill");

/** A part that is one block: pins from pads, outputs to pads, generated code beside whole numbers. */
class Both {
  private readonly engine: Engine;
  private readonly reference: BlockReference;
  private readonly values: number[];
  private readonly pinCount: number;
  private readonly clockSignals: number[];
  private readonly outputCount: number;

  constructor(modes: MemoryModes | MultiplierModes, sharedClock: boolean) {
    const pins = modes.type === "memory" ? memoryBlockPins(family) : multiplierBlockPins;
    this.pinCount = pins.inputs.length;
    this.outputCount = pins.outputs.length;
    this.values = new Array(this.pinCount).fill(0);
    const signalOf = (i: number) => 1 + i;
    this.clockSignals = Array.from({ length: pins.clocks }, (_, p) => 1 + this.pinCount + (sharedClock ? 0 : p));
    const firstOutput = 1 + this.pinCount + pins.clocks;
    const outputs = new Map(pins.outputs.map((_, i) => [i, firstOutput + i]));
    const circuit: Circuit = {
      signalCount: firstOutput + pins.outputs.length,
      inputs: Array.from({ length: this.pinCount + pins.clocks }, (_, i) => ({ signal: 1 + i, read: 1 + i, pad: i })),
      outputs: [...outputs.values()].map((signal, pad) => ({ pad, signal, enable: -1 })),
      tables: [],
      lutCount: 0,
      flipFlops: [],
      signalOfNode: new Map(),
      blocks: [
        {
          modes,
          inputs: pins.inputs.map((_, i) => signalOf(i)),
          clocks: this.clockSignals,
          outputs,
          pinNames: new Map(pins.inputs.map((name, i) => [name, i])),
          outputNames: pins.outputs,
          site: 0,
          tile: 0,
        },
      ],
    };
    this.engine = new Engine(circuit);
    const block: MappedBlock = { cell: 0, source: 0, modes, inputNames: pins.inputs, outputNames: pins.outputs };
    this.reference = new BlockReference(block);
  }

  set(pin: number, value: number): void {
    this.values[pin] = value;
  }

  /** Edge of some clocks, then all outputs of both. */
  step(clocks: readonly number[], rising: boolean): { engine: string; reference: string } {
    const read = (pin: number) => this.values[pin];
    this.engine.setInputs(new Map(this.values.map((value, i) => [1 + i, value])));
    const counting = this.reference.clockEdges(rising);
    this.reference.edge(
      clocks.filter((p) => counting.includes(p)),
      read,
    );
    this.engine.setInputs(new Map(clocks.map((p) => [this.clockSignals[p], rising ? 1 : 0])));
    const text = (bit: (i: number) => number) => Array.from({ length: this.outputCount }, (_, i) => bit(i)).join("");
    return {
      engine: text((i) => this.engine.signal(this.engine.circuit.outputs[i].signal)),
      reference: text((i) => this.reference.output(i, read)),
    };
  }
}

describe("hard blocks of the simulated part", () => {
  it("memories do what an array of bits does, for all widths and modes of both ports, on one clock and on two", () => {
    const random = new Random(8);
    const size = 2 ** memoryAddressBits(family);
    for (let round = 0; round < 60; round++) {
      const port = () => ({
        width: random.below(6),
        writeMode: random.below(3) as 0 | 1 | 2,
        outputRegister: random.below(2) === 1,
        enableUsed: random.below(2) === 1,
        clockFalling: random.below(4) === 0,
      });
      let contents = "";
      for (let i = 0; i < size / 4; i++) contents += random.below(16).toString(16);
      const modes: MemoryModes = { type: "memory", ports: [port(), port()], contents: round % 3 ? contents : null };
      const shared = round % 2 === 0;
      const both = new Both(modes, shared);
      const names = memoryBlockPins(family).inputs;
      for (let cycle = 0; cycle < 60; cycle++) {
        names.forEach((name, pin) => {
          // few addresses, so that the ports meet
          const isAddress = /^A[AB]\d+$/.test(name);
          const isHigh = isAddress && Number(name.slice(2)) > 7;
          const isReset = name[0] === "R";
          both.set(pin, isHigh ? 0 : isReset ? Number(random.below(12) === 0) : random.below(2));
        });
        const clocks = shared ? [0, 1] : [random.below(2)];
        for (const rising of [true, false]) {
          const { engine, reference } = both.step(clocks, rising);
          expect(engine, `round ${round}, cycle ${cycle}, ${JSON.stringify(modes.ports)}`).toBe(reference);
        }
      }
    }
  });

  it("multipliers do what whole numbers do, in all modes", () => {
    const random = new Random(5);
    for (let round = 0; round < 120; round++) {
      const flag = () => random.below(2) === 1;
      const outputRegister = flag();
      const modes: MultiplierModes = {
        type: "multiplier",
        signedLeft: flag(),
        signedRight: flag(),
        inputRegister: flag(),
        productRegister: flag(),
        outputRegister,
        accumulate: outputRegister && flag(),
        subtract: flag(),
        enableUsed: flag(),
        clockFalling: flag(),
      };
      const both = new Both(modes, true);
      const names = multiplierBlockPins.inputs;
      for (let cycle = 0; cycle < 40; cycle++) {
        names.forEach((name, pin) => both.set(pin, name === "R" ? Number(random.below(9) === 0) : random.below(2)));
        for (const rising of [true, false]) {
          const { engine, reference } = both.step([0], rising);
          expect(engine, `round ${round}, cycle ${cycle}, ${JSON.stringify(modes)}`).toBe(reference);
        }
      }
    }
  });
});
