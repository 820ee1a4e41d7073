import type { Value } from "../../elaborate/model.ts";
import type { Program, ResolvedNet } from "./program.ts";

/** One bit of a net at an end of a switch. */
interface Node {
  readonly net: ResolvedNet;
  readonly bit: number;
}

/**
 * Switches between bits of nets that a control opens and closes (`tranif0` and its kin, IEEE 1364-2005 clause 7.6): bits
 * that closed switches connect are one net for as long, and all their drivers together give it its value.
 */
export class Switches {
  private readonly nodes: Node[] = [];
  private readonly edges: { readonly from: number; readonly to: number; on: 0 | 1 | 2 }[] = [];
  private readonly nets = new Set<ResolvedNet>();

  constructor(program: Program) {
    const known = new Map<string, number>();
    const node = (end: {
      readonly signal: Parameters<Program["storage"]["root"]>[0];
      readonly bit: number;
    }): number => {
      const { signal, offset } = program.storage.root(end.signal);
      const bit = end.bit + offset;
      const key = `${signal.id}/${bit}`;
      const at = known.get(key);
      if (at !== undefined) return at;
      const net = program.resolved.get(signal)!;
      this.nets.add(net);
      known.set(key, this.nodes.length);
      return this.nodes.push({ net, bit }) - 1;
    };
    for (const { a, b } of program.design.switches) this.edges.push({ from: node(a), to: node(b), on: 2 });
  }

  has(net: ResolvedNet): boolean {
    return this.nets.has(net);
  }

  /** @param value 1 closes the switch, 0 opens it; x may be either. */
  set(index: number, { a, b }: Value): void {
    this.edges[index].on = b !== 0n ? 2 : a === 0n ? 0 : 1;
  }

  /** Values of all nets with switches. @param plain Value of a net as if it had none. */
  values(plain: (id: number) => Value): { readonly id: number; readonly a: bigint; readonly b: bigint }[] {
    const open = this.settled(false);
    const closed = this.edges.some((edge) => edge.on === 2) ? this.settled(true) : open;
    const result = new Map([...this.nets].map((net) => [net, { id: net.signal.id, ...plain(net.signal.id) }]));
    this.nodes.forEach(({ net, bit }, i) => {
      const code = open[i] === closed[i] ? open[i] : 3;
      const at = BigInt(bit);
      const value = result.get(net)!;
      value.a = (value.a & ~(1n << at)) | (BigInt(code & 1) << at);
      value.b = (value.b & ~(1n << at)) | (BigInt(code >> 1) << at);
    });
    return [...result.values()];
  }

  /** Number of the group of each node: bits that closed switches connect. */
  private groups(withUnknown: boolean): number[] {
    const group = this.nodes.map((_, i) => i);
    const find = (i: number): number => {
      let at = i;
      while (group[at] !== at) at = group[at];
      return at;
    };
    for (const { from, to, on } of this.edges) if (on === 1 || (withUnknown && on === 2)) group[find(from)] = find(to);
    return group.map((_, i) => find(i));
  }

  /** Value of each node, as a | b << 1: of all drivers of its group the strongest win, those that differ make x. */
  private settled(withUnknown: boolean): number[] {
    const group = this.groups(withUnknown);
    const zero = new Int8Array(group.length).fill(-1);
    const one = new Int8Array(group.length).fill(-1);
    const undriven = new Uint8Array(group.length).fill(2);
    this.nodes.forEach(({ net, bit }, i) => {
      const own = group[i];
      if (net.signal.net === "tri0" || net.signal.net === "tri1") undriven[own] = net.signal.net === "tri1" ? 1 : 0;
      for (const driver of net.drivers) {
        const a = (driver.a >> BigInt(bit)) & 1n;
        const b = (driver.b >> BigInt(bit)) & 1n;
        if (b && !a) continue; // z
        if (b || a) one[own] = Math.max(one[own], driver.one);
        if (b || !a) zero[own] = Math.max(zero[own], driver.zero);
      }
    });
    return group.map((own) => {
      if (zero[own] <= 0 && one[own] <= 0) return undriven[own];
      return one[own] > zero[own] ? 1 : zero[own] > one[own] ? 0 : 3;
    });
  }
}
