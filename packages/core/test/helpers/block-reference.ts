import { isMemory, type MemoryModes } from "../../src/device/blocks/memory.ts";
import type { MultiplierModes } from "../../src/device/blocks/multiplier.ts";
import type { MappedBlock } from "../../src/netlist/index.ts";

/** Slow and obvious hard blocks: whole numbers and an array of bits. `read` gives the value of an input pin. */
export class BlockReference {
  readonly cell: number;
  readonly inputCount: number;
  private readonly modes: MemoryModes | MultiplierModes;
  private readonly pins: Map<string, number>;
  private readonly bits: number[] = [];
  private readonly word = [0n, 0n];
  private readonly register = [0n, 0n];
  private a = 0n;
  private b = 0n;
  private product = 0n;
  private sum = 0n;

  constructor(private readonly block: MappedBlock) {
    if (block.modes.type !== "memory" && block.modes.type !== "multiplier")
      throw new Error(`There is no reference for a block of type ${block.modes.type}.`);
    this.modes = block.modes as MemoryModes | MultiplierModes;
    this.cell = block.cell;
    this.inputCount = block.inputNames.length;
    this.pins = new Map(block.inputNames.map((name, i) => [name, i]));
    if (isMemory(block.modes)) {
      const size = 2 ** block.inputNames.filter((name) => /^AA\d+$/.test(name)).length;
      const contents = BigInt(`0x${block.modes.contents ?? "0"}`)
        .toString(2)
        .padStart(size, "0");
      for (let i = 0; i < size; i++) this.bits.push(Number(contents[size - 1 - i]));
    }
  }

  private number(name: string, read: (pin: number) => number): bigint {
    let value = 0n;
    for (const [pinName, pin] of this.pins)
      if (pinName.replace(/\d+$/, "") === name && read(pin))
        value |= 1n << BigInt(Number(pinName.slice(name.length) || "0"));
    return value;
  }
  private flag(name: string, read: (pin: number) => number): boolean {
    return this.pins.has(name) && read(this.pins.get(name)!) === 1;
  }

  /** Clocks whose edge of this kind counts. */
  clockEdges(rising: boolean): number[] {
    const { modes } = this;
    if (modes.type === "multiplier") return modes.clockFalling === !rising ? [0] : [];
    return [0, 1].filter((p) => modes.ports[p].clockFalling === !rising);
  }

  edge(clocks: readonly number[], read: (pin: number) => number): void {
    if (this.modes.type === "memory") this.memoryEdge(this.modes, clocks, read);
    else if (clocks.length) this.multiplierEdge(this.modes, read);
  }

  private memoryEdge(modes: MemoryModes, clocks: readonly number[], read: (pin: number) => number): void {
    const ports = clocks.map((p) => {
      const letter = "AB"[p];
      const mode = modes.ports[p];
      const size = 2 ** mode.width;
      const first = Math.floor(Number(this.number(`A${letter}`, read)) / size) * size;
      return {
        p,
        mode,
        size,
        first,
        on: !mode.enableUsed || this.flag(`E${letter}`, read),
        reset: this.flag(`R${letter}`, read),
        data: this.number(`D${letter}`, read),
        write: this.number(`W${letter}`, read),
      };
    });
    const put = (isNew: boolean) => {
      for (const { mode, size, first, on, data, write } of ports) {
        if ((mode.writeMode === 1) !== isNew || !on) continue;
        for (let i = 0; i < size; i++)
          if ((write >> BigInt(i >> 3)) & 1n) this.bits[first + i] = Number((data >> BigInt(i)) & 1n);
      }
    };
    put(true);
    for (const { p, mode, size, first, on, reset, write } of ports) {
      if (mode.outputRegister) this.register[p] = reset ? 0n : this.word[p];
      const bytes = (1n << BigInt(Math.max(1, size >> 3))) - 1n;
      if (reset && !mode.outputRegister) this.word[p] = 0n;
      else if (on && !(mode.writeMode === 2 && (write & bytes) !== 0n)) {
        this.word[p] = 0n;
        for (let i = 0; i < size; i++) this.word[p] |= BigInt(this.bits[first + i]) << BigInt(i);
      }
    }
    put(false);
  }

  private multiplierEdge(modes: MultiplierModes, read: (pin: number) => number): void {
    const next = this.multiply(modes, read);
    if (this.flag("R", read)) this.a = this.b = this.product = this.sum = 0n;
    else if (!modes.enableUsed || this.flag("E", read)) {
      this.a = next.a;
      this.b = next.b;
      this.product = next.product;
      this.sum = next.sum;
    }
  }

  private multiply(modes: MultiplierModes, read: (pin: number) => number) {
    const operand = (name: string, signed: boolean) => {
      const value = this.number(name, read);
      return signed ? BigInt.asIntN(18, value) : value;
    };
    const a = operand("LEFT", modes.signedLeft);
    const b = operand("RIGHT", modes.signedRight);
    const product = modes.inputRegister ? this.a * this.b : a * b;
    const term = modes.productRegister ? this.product : product;
    const base = modes.accumulate && !this.flag("LOAD", read) ? this.sum : this.number("ADDEND", read);
    return { a, b, product, sum: BigInt.asUintN(44, modes.subtract ? base - term : base + term) };
  }

  output(pin: number, read: (pin: number) => number): number {
    const { modes } = this;
    const name = this.block.outputNames[pin];
    if (modes.type === "multiplier") {
      const value = modes.outputRegister ? this.sum : this.multiply(modes, read).sum;
      return Number((value >> BigInt(name.replace(/^\D+/, ""))) & 1n);
    }
    const port = "AB".indexOf(name[1]);
    const value = modes.ports[port].outputRegister ? this.register[port] : this.word[port];
    return Number((value >> BigInt(name.slice(2))) & 1n);
  }
}
