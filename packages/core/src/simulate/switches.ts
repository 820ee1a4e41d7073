import type { Value } from "../elaborate/model.ts";
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
  private readonly nets: ResolvedNet[] = [];

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
      if (!this.nets.includes(net)) this.nets.push(net);
      known.set(key, this.nodes.length);
      return this.nodes.push({ net, bit }) - 1;
    };
    for (const { a, b } of program.design.switches) this.edges.push({ from: node(a), to: node(b), on: 2 });
  }

  has(net: ResolvedNet): boolean {
    return this.nets.includes(net);
  }

  /** @param value 1 closes the switch, 0 opens it; x may be either. */
  set(index: number, { a, b }: Value): void {
    this.edges[index].on = b !== 0n ? 2 : a === 0n ? 0 : 1;
  }

  /** Values of all nets with switches. @param plain Value of a net as if it had none. */
  values(plain: (id: number) => Value): { readonly id: number; readonly a: bigint; readonly b: bigint }[] {
    const open = this.groups(false);
    const closed = this.edges.some((edge) => edge.on === 2) ? this.groups(true) : open;
    return this.nets.map((net) => {
      let { a, b } = plain(net.signal.id);
      this.nodes.forEach((node, i) => {
        if (node.net !== net) return;
        const [one, other] = [this.valueOf(open, i), this.valueOf(closed, i)];
        const code = one === other ? one : 3;
        const at = BigInt(node.bit);
        a = (a & ~(1n << at)) | (BigInt(code & 1) << at);
        b = (b & ~(1n << at)) | (BigInt(code >> 1) << at);
      });
      return { id: net.signal.id, a, b };
    });
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

  /** Value of a node's group, as a | b << 1: its strongest drivers win, those that differ make x. */
  private valueOf(group: readonly number[], node: number): number {
    let zero = -1;
    let one = -1;
    let pull: "tri0" | "tri1" | null = null;
    this.nodes.forEach(({ net, bit }, i) => {
      if (group[i] !== group[node]) return;
      if (net.signal.net === "tri0" || net.signal.net === "tri1") pull = net.signal.net;
      for (const driver of net.drivers) {
        const a = (driver.a >> BigInt(bit)) & 1n;
        const b = (driver.b >> BigInt(bit)) & 1n;
        if (b && !a) continue; // z
        if (b || a) one = Math.max(one, driver.one);
        if (b || !a) zero = Math.max(zero, driver.zero);
      }
    });
    if (zero <= 0 && one <= 0) return pull === "tri1" ? 1 : pull === "tri0" ? 0 : 2;
    return one > zero ? 1 : zero > one ? 0 : 3;
  }
}
