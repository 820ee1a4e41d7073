import type { Literal, PropertyTree, Sequence, SequenceEdge } from "../../elaborate/sequence.ts";

/** Attempts of one assertion that wait at the same time; more are a property that never ends. */
const mostAttempts = 100_000;

/** Thrown when attempts begin faster than they end. */
export class ManyAttemptsError extends Error {
  override name = "ManyAttemptsError";
  constructor(readonly property: number) {
    super(`More than ${mostAttempts.toLocaleString("en")} attempts of this assertion wait for their end`);
  }
}

type Verdict = "waits" | "holds" | "fails";
type Values = Uint8Array;

const isMet = (when: readonly Literal[], values: Values): boolean => {
  for (const literal of when) if (values[literal >> 1] === (literal & 1)) return false;
  return true;
};

/** Edges by the state that they leave. */
const outOf = new WeakMap<Sequence, readonly (readonly SequenceEdge[])[]>();
function edgesOf(sequence: Sequence): readonly (readonly SequenceEdge[])[] {
  let list = outOf.get(sequence);
  if (!list) {
    const made: SequenceEdge[][] = Array.from({ length: sequence.states }, () => []);
    for (const edge of sequence.edges) made[edge.from].push(edge);
    list = made;
    outOf.set(sequence, list);
  }
  return list;
}

/** The states that a sequence is in, of one attempt. */
class Run {
  private states: Set<number> = new Set([0]);

  constructor(private readonly sequence: Sequence) {}

  /** @returns Whether it matches with this tick. */
  step(values: Values): boolean {
    const edges = edgesOf(this.sequence);
    const next = new Set<number>();
    let matches = false;
    for (const state of this.states)
      for (const { to, when } of edges[state])
        if (!next.has(to) && isMet(when, values)) {
          if (edges[to].length) next.add(to); // else there is nothing to wait for
          if (this.sequence.finals.has(to)) matches = true;
        }
    this.states = next;
    return matches;
  }

  get isOver(): boolean {
    return this.states.size === 0;
  }

  end(): void {
    this.states = new Set();
  }
}

interface Attempt {
  step(values: Values): Verdict;
}

class SequenceAttempt implements Attempt {
  private readonly run: Run;
  constructor(sequence: Sequence) {
    this.run = new Run(sequence);
  }
  step(values: Values): Verdict {
    if (this.run.step(values)) return "holds";
    return this.run.isOver ? "fails" : "waits";
  }
}

class Implication implements Attempt {
  private readonly run: Run;
  private waiting: Attempt[] = [];
  constructor(private readonly tree: PropertyTree & { kind: "implies" }) {
    this.run = new Run(tree.left);
  }
  step(values: Values): Verdict {
    const { overlapped, right, first } = this.tree;
    const list = this.waiting;
    const isMatch = !this.run.isOver && this.run.step(values);
    if (isMatch && first) this.run.end();
    if (isMatch && overlapped) list.push(attemptOf(right));
    this.waiting = [];
    for (const attempt of list) {
      const verdict = attempt.step(values);
      if (verdict === "fails") return "fails";
      if (verdict === "waits") this.waiting.push(attempt);
    }
    if (isMatch && !overlapped) this.waiting.push(attemptOf(right));
    return this.run.isOver && this.waiting.length === 0 ? "holds" : "waits";
  }
}

class Negation implements Attempt {
  private readonly inner: Attempt;
  constructor(of: PropertyTree) {
    this.inner = attemptOf(of);
  }
  step(values: Values): Verdict {
    const verdict = this.inner.step(values);
    return verdict === "waits" ? "waits" : verdict === "holds" ? "fails" : "holds";
  }
}

class Pair implements Attempt {
  private left: Attempt | null;
  private right: Attempt | null;
  constructor(private readonly tree: PropertyTree & { kind: "and" | "or" }) {
    this.left = attemptOf(tree.left);
    this.right = attemptOf(tree.right);
  }
  step(values: Values): Verdict {
    const decides = this.tree.kind === "and" ? "fails" : "holds";
    const take = (attempt: Attempt | null): Attempt | null | "decided" => {
      if (!attempt) return null;
      const verdict = attempt.step(values);
      return verdict === "waits" ? attempt : verdict === decides ? "decided" : null;
    };
    const [left, right] = [take(this.left), take(this.right)];
    if (left === "decided" || right === "decided") return decides;
    [this.left, this.right] = [left, right];
    if (left || right) return "waits";
    return this.tree.kind === "and" ? "holds" : "fails";
  }
}

class Choice implements Attempt {
  private chosen: Attempt | null = null;
  constructor(private readonly tree: PropertyTree & { kind: "if" }) {}
  step(values: Values): Verdict {
    if (!this.chosen) {
      const { test, yes, no } = this.tree;
      const way = isMet([test], values) ? yes : no;
      if (!way) return "holds";
      this.chosen = attemptOf(way);
    }
    return this.chosen.step(values);
  }
}

function attemptOf(tree: PropertyTree): Attempt {
  switch (tree.kind) {
    case "sequence":
      return new SequenceAttempt(tree.sequence);
    case "implies":
      return new Implication(tree);
    case "not":
      return new Negation(tree.of);
    case "and":
    case "or":
      return new Pair(tree);
    case "if":
      return new Choice(tree);
  }
}

/** A concurrent assertion while the simulation runs: an attempt begins on every tick of its clock. */
export class PropertyRun {
  private waiting: Attempt[] = [];
  private results: boolean[] = [];

  constructor(
    private readonly number: number,
    private readonly tree: PropertyTree,
  ) {}

  /** @param values Of its terms: 1 where one holds. @returns How many attempts have ended. */
  tick(values: Values): number {
    this.results = [];
    const list = this.waiting;
    list.push(attemptOf(this.tree));
    this.waiting = [];
    for (const attempt of list) {
      const verdict = attempt.step(values);
      if (verdict === "waits") this.waiting.push(attempt);
      else this.results.push(verdict === "holds");
    }
    if (this.waiting.length > mostAttempts) throw new ManyAttemptsError(this.number);
    this.results.reverse();
    return this.results.length;
  }

  /** What the next of those that have ended came to. */
  result(): boolean {
    return this.results.pop() ?? false;
  }

  /** `disable iff`: what has begun is given up. */
  reset(): void {
    this.waiting = [];
    this.results = [];
  }
}
