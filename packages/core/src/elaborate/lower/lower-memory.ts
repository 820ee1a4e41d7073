import type { Loc } from "../../common/source.ts";
import type { AttributeLookup } from "../../netlist/attributes.ts";
import { type Bits, bit0, bit1 } from "../../netlist/rtl.ts";
import { numberOf, type RtlBuilder } from "../../netlist/rtl-builder.ts";
import type { DesignModel, Signal } from "../model.ts";
import { hardwareBits } from "./hardware-bits.ts";

/** Arrays of fewer bits are registers from the start. */
const leastBits = 128;
/** Ports that a memory can have for writing; a block has two. */
const mostWritePorts = 2;

interface ReadPort {
  readonly address: Bits;
  readonly data: Bits;
}
interface WritePort {
  readonly address: Bits;
  readonly data: Bits;
  readonly enable: Bits;
  readonly clock: number;
  readonly rising: boolean;
}
interface Ports {
  readonly reads: ReadPort[];
  readonly writes: WritePort[];
  loc: Loc;
}

/**
 * Arrays that stay memories in the circuit: read and written element by element, written at clock edges. Any other use
 * refuses the array, with the reason; the design is then lowered again with that array as registers.
 */
export class MemoryPlan {
  private readonly ports = new Map<Signal, Ports>();

  /** @param refused Arrays that are known to be none, with the reason. */
  constructor(
    design: DesignModel,
    readonly refused: Map<Signal, string>,
    wishes: AttributeLookup,
  ) {
    for (const signal of design.signals) {
      if (signal.dims.length === 0 || signal.kind === "local" || signal.width === 0 || signal.direction !== null)
        continue;
      if (signal.type.kind === "real" || refused.has(signal)) continue;
      if (hardwareBits(signal) < leastBits && wishes.of(signal.name).memory_as !== "blocks") continue;
      this.ports.set(signal, { reads: [], writes: [], loc: signal.loc });
    }
  }

  has(signal: Signal): boolean {
    return this.ports.has(signal);
  }

  refuse(signal: Signal, reason: string): void {
    if (!this.refused.has(signal)) this.refused.set(signal, reason);
  }

  /** Word at an address, without a clock. */
  read(signal: Signal, address: Bits, rtl: RtlBuilder): Bits {
    const { reads } = this.ports.get(signal)!;
    const known = reads.find(
      (port) => port.address.length === address.length && port.address.every((bit, i) => bit === address[i]),
    );
    if (known) return known.data;
    const data = rtl.nets(signal.width);
    reads.push({ address, data });
    return data;
  }

  write(signal: Signal, port: WritePort): void {
    const { writes } = this.ports.get(signal)!;
    writes.push(port);
    if (writes.length > mostWritePorts)
      this.refuse(signal, "more than two addresses are written at once (a loop or a reset that sets every element?)");
  }

  /** Makes the cells; call once all processes are in. */
  finish(rtl: RtlBuilder): void {
    for (const [signal, { reads, writes, loc }] of this.ports) {
      if (this.refused.has(signal) || reads.length === 0) continue;
      if (writes.length === 0 && !signal.init) {
        this.refuse(signal, "nothing writes it, and it has no start value");
        continue;
      }
      const { width } = signal;
      const depth = hardwareBits(signal) / width;
      const addressBits = Math.max(1, (depth - 1).toString(2).length);
      rtl.hint = signal.name;
      rtl.loc = loc;
      const fit = (address: Bits) => Array.from({ length: addressBits }, (_, i) => address[i] ?? bit0);
      const inputs: Bits[] = reads.map((port) => fit(port.address));
      for (const port of writes) {
        const inside = this.isInside(port.address, depth, addressBits, rtl);
        // bits that share an enable go on sharing it
        const gated = new Map([...new Set(port.enable)].map((bit) => [bit, rtl.and([bit], [inside])[0]]));
        const enable = port.enable.map((bit) => gated.get(bit)!);
        inputs.push(fit(port.address), port.data, enable, [port.clock]);
      }
      const output = reads.flatMap((port) => port.data);
      rtl.add("mem", inputs, output.length, false, null, output, {
        width,
        depth,
        reads: reads.length,
        writes: writes.map((port) => port.rising),
        init: initText(signal, depth),
      });
    }
  }

  private isInside(address: Bits, depth: number, addressBits: number, rtl: RtlBuilder): number {
    const value = numberOf(address);
    if (value !== null) return value < BigInt(depth) ? bit1 : bit0;
    const above = address.slice(addressBits);
    let inside = above.length ? rtl.not([rtl.reduce("redor", above)])[0] : bit1;
    if (depth < 2 ** addressBits && address.length >= addressBits) {
      const low = address.slice(0, addressBits);
      const limit = rtl.constant({ a: BigInt(depth), b: 0n }, addressBits);
      inside = rtl.and([inside], [rtl.lt(low, limit, false)])[0];
    }
    return inside;
  }
}

function initText(signal: Signal, depth: number): string | null {
  if (!signal.init) return null;
  const known = signal.init.a & ~signal.init.b;
  if (known === 0n) return null;
  const { width } = signal;
  const bits = known.toString(2).padStart(width * depth, "0");
  const digits = Math.ceil(width / 4);
  const words: string[] = [];
  for (let word = 0; word < depth; word++) {
    const end = bits.length - word * width;
    words.push(
      BigInt(`0b${bits.slice(end - width, end)}`)
        .toString(16)
        .padStart(digits, "0"),
    );
  }
  return words.join("");
}
