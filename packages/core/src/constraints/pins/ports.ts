import type { PinNeed } from "./model.ts";

/** A port of the top with its bits. */
export interface PortOfBits {
  readonly name: string;
  /** By index, rising. A port alone has one bit, without an index. */
  readonly bits: readonly { readonly need: PinNeed; readonly index: number | null }[];
}

/** Bits by their ports, in the order of the source. */
export function portsOf(needs: readonly PinNeed[]): PortOfBits[] {
  const ports = new Map<string, { need: PinNeed; index: number | null }[]>();
  for (const need of needs) {
    const match = /^(.*)\[(-?\d+)\]$/.exec(need.bitName);
    const name = match ? match[1] : need.bitName;
    const bits = ports.get(name);
    const bit = { need, index: match ? Number(match[2]) : null };
    if (bits) bits.push(bit);
    else ports.set(name, [bit]);
  }
  return [...ports].map(([name, bits]) => ({ name, bits: bits.sort((a, b) => (a.index ?? 0) - (b.index ?? 0)) }));
}
