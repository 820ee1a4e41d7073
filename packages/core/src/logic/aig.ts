/**
 * And-inverter graph with structural hashing (Kuehlmann, Paruthi, Krohm, Ganai 2002, IEEE TCAD 21(12)).
 * A literal is twice a node id, plus 1 if inverted. Node 0 is the constant 0, so literal 0 is false and 1 is true.
 * Fan-ins always have lower ids than the node: ids are a topological order.
 */
export class Aig {
  /** [nodes] First fan-in literal; -1 for an input, -2 for the constant. */
  fanin0 = new Int32Array(128);
  fanin1 = new Int32Array(128);
  /** [nodes] Word-level cell that first asked for the node; -1 for none. */
  origin = new Int32Array(128).fill(-1);
  nodeCount = 1;
  /** Taken over as `origin` by nodes made from now on. */
  currentOrigin = -1;
  private table = new Int32Array(512).fill(-1);
  private tableCount = 0;

  constructor() {
    this.fanin0[0] = -2;
    this.fanin1[0] = -2;
  }

  private newNode(f0: number, f1: number): number {
    const id = this.nodeCount++;
    if (id === this.fanin0.length) {
      const grow = (old: Int32Array) => {
        const next = new Int32Array(old.length * 2);
        next.set(old);
        return next;
      };
      this.fanin0 = grow(this.fanin0);
      this.fanin1 = grow(this.fanin1);
      this.origin = grow(this.origin);
    }
    this.fanin0[id] = f0;
    this.fanin1[id] = f1;
    this.origin[id] = this.currentOrigin;
    return id;
  }

  /** @returns The new input's literal. */
  input(): number {
    return 2 * this.newNode(-1, -1);
  }

  isInput(node: number): boolean {
    return this.fanin0[node] === -1;
  }

  isAnd(node: number): boolean {
    return this.fanin0[node] >= 0;
  }

  /** Where the last `find` that found nothing came to a free place. */
  private freeSlot = 0;

  /** Literal of the AND if there is such a node or it needs none, else -1. */
  find(left: number, right: number): number {
    let a = left;
    let b = right;
    if (a > b) [a, b] = [b, a];
    if (a === 0) return 0;
    if (a === 1) return b;
    if (a === b) return a;
    if ((a ^ 1) === b) return 0;
    const mask = this.table.length - 1;
    let slot = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca6b)) & mask;
    while (this.table[slot] >= 0) {
      const node = this.table[slot];
      if (this.fanin0[node] === a && this.fanin1[node] === b) return 2 * node;
      slot = (slot + 1) & mask;
    }
    this.freeSlot = slot;
    return -1;
  }

  and(left: number, right: number): number {
    const known = this.find(left, right);
    if (known >= 0) return known;
    const node = left < right ? this.newNode(left, right) : this.newNode(right, left);
    this.table[this.freeSlot] = node;
    if (++this.tableCount * 2 > this.table.length) this.rehash();
    return 2 * node;
  }

  private rehash(): void {
    this.table = new Int32Array(this.table.length * 4).fill(-1);
    const mask = this.table.length - 1;
    for (let node = 1; node < this.nodeCount; node++) {
      if (this.fanin0[node] < 0) continue;
      let slot = (Math.imul(this.fanin0[node], 0x9e3779b1) ^ Math.imul(this.fanin1[node], 0x85ebca6b)) & mask;
      while (this.table[slot] >= 0) slot = (slot + 1) & mask;
      this.table[slot] = node;
    }
  }

  or(a: number, b: number): number {
    return this.and(a ^ 1, b ^ 1) ^ 1;
  }

  xor(a: number, b: number): number {
    return this.or(this.and(a, b ^ 1), this.and(a ^ 1, b));
  }

  mux(select: number, yes: number, no: number): number {
    if (yes === no) return yes;
    return this.or(this.and(select, yes), this.and(select ^ 1, no));
  }

  /** Balanced, so that the depth is the logarithm of the count. */
  tree(literals: readonly number[], join: (a: number, b: number) => number, empty: number): number {
    if (literals.length === 0) return empty;
    let row = [...literals];
    while (row.length > 1) {
      const next: number[] = [];
      for (let i = 0; i + 1 < row.length; i += 2) next.push(join(row[i], row[i + 1]));
      if (row.length & 1) next.push(row[row.length - 1]);
      row = next;
    }
    return row[0];
  }

  andAll(literals: readonly number[]): number {
    return this.tree(literals, (a, b) => this.and(a, b), 1);
  }

  orAll(literals: readonly number[]): number {
    return this.tree(literals, (a, b) => this.or(a, b), 0);
  }
}
