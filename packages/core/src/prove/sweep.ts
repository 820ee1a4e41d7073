import type { StageContext } from "../common/context.ts";
import { Random } from "../common/random.ts";
import type { Aig } from "../logic/aig.ts";
import { SatSolver } from "../logic/sat-solver.ts";

/** Words of 32 random patterns to begin with. */
const words = 24;

/** A solver of more variables than this, and of so many times those of a question, is begun anew. */
const fewVariables = 6000;
const sparseShare = 12;

/**
 * Finds nodes of a graph that are equal, or each other's inverse, for all values of the leaves: random simulation puts
 * nodes together that may be, a SAT solver decides, from the leaves up, and what is proven shortens what comes after
 * (Mishchenko, Chatterjee, Jiang, Brayton 2005, "FRAIGs"; Kuehlmann et al. 2002).
 */
export class Sweep {
  /** [nodes] Literal of the first node that is known to be equal. */
  private readonly rep: Int32Array;
  private readonly signature: Int32Array;
  private readonly hash: Int32Array;
  /** [nodes] Value under the first pattern: words are compared as if it were 0, so that inverse nodes look alike. */
  private readonly phase: Uint8Array;
  /** Candidates by hash: first node of a bucket, next one of each node; -1 ends. */
  private readonly bucketHead: Int32Array;
  private readonly bucketNext: Int32Array;
  private readonly isCandidate: Uint8Array;
  private readonly table = new Map<number, number[]>();
  private solver = new SatSolver();
  private readonly variable: Int32Array;
  /** [nodes] The two nodes that a node's clauses read; -1 for leaves. */
  private readonly below0: Int32Array;
  private readonly below1: Int32Array;
  private readonly visited: Int32Array;
  private visit = 0;
  private readonly random = new Random(7);
  satCalls = 0;
  refuted = 0;

  constructor(
    private readonly aig: Aig,
    private readonly context: StageContext,
  ) {
    const n = aig.nodeCount;
    this.rep = new Int32Array(n);
    this.signature = new Int32Array(n);
    this.hash = new Int32Array(n);
    this.phase = new Uint8Array(n);
    this.bucketHead = new Int32Array(2 ** Math.ceil(Math.log2(n + 1))).fill(-1);
    this.bucketNext = new Int32Array(n).fill(-1);
    this.isCandidate = new Uint8Array(n);
    this.variable = new Int32Array(n).fill(-1);
    this.below0 = new Int32Array(n).fill(-1);
    this.below1 = new Int32Array(n).fill(-1);
    this.visited = new Int32Array(n);
    this.renewSolver();
    for (let w = 0; w < words; w++) {
      this.simulate(() => this.random.uint32() | 0);
      if (w === 0) for (let node = 0; node < n; node++) this.phase[node] = this.signature[node] & 1;
      this.fold();
    }
  }

  private simulate(leaf: (node: number) => number): void {
    const { aig, signature } = this;
    const { fanin0, fanin1 } = aig;
    signature[0] = 0;
    for (let node = 1; node < aig.nodeCount; node++) {
      const f0 = fanin0[node];
      if (f0 < 0) {
        signature[node] = leaf(node);
        continue;
      }
      const f1 = fanin1[node];
      const a = signature[f0 >> 1];
      const b = signature[f1 >> 1];
      signature[node] = (f0 & 1 ? ~a : a) & (f1 & 1 ? ~b : b);
    }
  }

  /** Takes the last simulated word into the hashes. */
  private fold(): void {
    const { hash, signature, phase } = this;
    for (let node = 0; node < hash.length; node++) {
      const normal = phase[node] ? ~signature[node] : signature[node];
      const mixed = Math.imul(hash[node] ^ normal, 0x9e3779b1);
      hash[node] = (mixed ^ (mixed >>> 15)) + 0x7f4a7c15;
    }
  }

  /** Literal that a literal is known to equal. */
  find(literal: number): number {
    return this.rep[literal >> 1] ^ (literal & 1);
  }

  /** Works through all nodes. */
  run(budget: number): void {
    const { aig, rep } = this;
    const n = aig.nodeCount;
    rep[0] = 0;
    this.addToClass(0);
    for (let node = 1; node < n; node++) {
      if ((node & 1023) === 0) {
        this.context.checkCancelled();
        this.context.progress({ fraction: node / n, figure: `${this.satCalls} questions` });
      }
      rep[node] = 2 * node;
      if (!aig.isAnd(node)) {
        this.addToClass(node);
        continue;
      }
      const a = this.find(aig.fanin0[node]);
      const b = this.find(aig.fanin1[node]);
      const simple = this.simplify(a, b);
      if (simple >= 0) {
        rep[node] = simple;
        continue;
      }
      if (this.sameStructure(node, a, b)) continue;
      this.findEqual(node, budget);
    }
  }

  private simplify(a: number, b: number): number {
    if (a === 0 || b === 0 || a === (b ^ 1)) return 0;
    if (a === 1 || a === b) return b;
    return b === 1 ? a : -1;
  }

  private sameStructure(node: number, a: number, b: number): boolean {
    const [low, high] = a < b ? [a, b] : [b, a];
    const key = (Math.imul(low, 0x9e3779b1) ^ Math.imul(high, 0x85ebca6b)) | 0;
    const list = this.table.get(key);
    for (const other of list ?? []) {
      const x = this.find(this.aig.fanin0[other]);
      const y = this.find(this.aig.fanin1[other]);
      if ((x === low && y === high) || (x === high && y === low)) {
        this.rep[node] = this.rep[other];
        return true;
      }
    }
    if (list) list.push(node);
    else this.table.set(key, [node]);
    return false;
  }

  private addToClass(node: number): void {
    this.isCandidate[node] = 1;
    const bucket = this.hash[node] & (this.bucketHead.length - 1);
    this.bucketNext[node] = this.bucketHead[bucket];
    this.bucketHead[bucket] = node;
  }

  private findEqual(node: number, budget: number): void {
    const { hash, phase, rep, bucketHead, bucketNext } = this;
    for (let tries = 0; tries < 200; tries++) {
      let refuted = false;
      for (let other = bucketHead[hash[node] & (bucketHead.length - 1)]; other >= 0; other = bucketNext[other]) {
        if (hash[other] !== hash[node]) continue;
        const inverse = phase[node] ^ phase[other];
        const answer = this.equal(2 * node, (2 * other) ^ inverse, budget);
        if (answer === true) {
          rep[node] = rep[other] ^ inverse;
          return;
        }
        // a counterexample has told more nodes apart: look again
        refuted = answer === false;
        break;
      }
      if (!refuted) break;
    }
    this.addToClass(node);
  }

  /** @returns True: equal for all leaves. False: not, and the leaves that show it are in `pattern`. Null: not decided. */
  equal(left: number, right: number, budget: number): boolean | null {
    const a = this.find(left);
    const b = this.find(right);
    if (a === b) return true;
    if (a === (b ^ 1)) return false;
    let cone = this.coneOf(a >> 1, b >> 1);
    if (this.solver.size > fewVariables && this.solver.size > sparseShare * cone.length) {
      // most of what a decision would touch is about other questions
      this.renewSolver();
      cone = this.coneOf(a >> 1, b >> 1);
    }
    const x = this.satLiteral(a);
    const y = this.satLiteral(b);
    for (const assumed of [
      [x, y ^ 1],
      [x ^ 1, y],
    ]) {
      this.satCalls++;
      const answer = this.solver.solve(assumed, budget, cone);
      if (answer === null) return null;
      if (answer) {
        this.refuted++;
        this.learnPattern();
        return false;
      }
    }
    // keep what was learnt for the questions to come
    this.solver.addClause([x, y ^ 1]);
    this.solver.addClause([x ^ 1, y]);
    return true;
  }

  private satLiteral(literal: number): number {
    return 2 * this.variable[literal >> 1] + (literal & 1);
  }

  /** Clauses of a node and all below it, over representatives. */
  private load(root: number): void {
    const { aig, variable, solver } = this;
    const stack = [root];
    while (stack.length) {
      const node = stack[stack.length - 1];
      if (variable[node] >= 0) {
        stack.pop();
        continue;
      }
      if (!aig.isAnd(node)) {
        variable[node] = solver.newVar();
        stack.pop();
        continue;
      }
      const a = this.find(aig.fanin0[node]);
      const b = this.find(aig.fanin1[node]);
      const before = stack.length;
      if (variable[a >> 1] < 0) stack.push(a >> 1);
      if (variable[b >> 1] < 0) stack.push(b >> 1);
      if (stack.length > before) continue;
      stack.pop();
      this.below0[node] = a >> 1;
      this.below1[node] = b >> 1;
      variable[node] = solver.newVar();
      const out = 2 * variable[node];
      const x = this.satLiteral(a);
      const y = this.satLiteral(b);
      solver.addClause([out ^ 1, x]);
      solver.addClause([out ^ 1, y]);
      solver.addClause([out, x ^ 1, y ^ 1]);
    }
  }

  private renewSolver(): void {
    this.solver = new SatSolver();
    this.variable.fill(-1);
    this.variable[0] = this.solver.newVar();
    this.solver.addClause([2 * this.variable[0] + 1]); // node 0 is false
  }

  /** Variables of two nodes and of all that their clauses read; all others follow from these and other leaves. */
  private coneOf(a: number, b: number): number[] {
    this.load(a);
    this.load(b);
    const { below0, below1, variable, visited } = this;
    const visit = ++this.visit;
    const found: number[] = [];
    const stack = [a, b];
    while (stack.length) {
      const node = stack.pop()!;
      if (visited[node] === visit) continue;
      visited[node] = visit;
      found.push(variable[node]);
      if (below0[node] >= 0) stack.push(below0[node], below1[node]);
    }
    return found;
  }

  /** Leaves of the last counterexample, by node. */
  readonly pattern = new Map<number, number>();

  /** Simulates the counterexample with some of its neighbours, and sorts the nodes anew. */
  private learnPattern(): void {
    const { aig, variable, solver, random } = this;
    this.pattern.clear();
    this.simulate((node) => {
      const known = variable[node] >= 0 && !solver.isOpen(variable[node]);
      const bit = known ? Number(solver.isTrue(variable[node])) : random.below(2);
      this.pattern.set(node, bit);
      const base = bit ? -1 : 0;
      // bit 0 is the counterexample itself; the others flip one leaf in sixteen
      const flips = random.uint32() & random.uint32() & random.uint32() & random.uint32() & ~1;
      return base ^ flips;
    });
    this.fold();
    this.bucketHead.fill(-1);
    for (let node = 0; node < aig.nodeCount; node++) if (this.isCandidate[node]) this.addToClass(node);
  }
}
