/**
 * A small conflict-driven SAT solver: two watched literals and activity-ordered decisions (Moskewicz et al. 2001), first
 * unique implication points (Marques-Silva and Sakallah 1999), phase saving, Luby restarts. Clauses may be added between
 * calls, and each call may assume literals. A literal is twice a variable, plus 1 if negated.
 */
export class SatSolver {
  private varCount = 0;
  /** [vars] 1 true, -1 false, 0 open. */
  private value = new Int8Array(1024);
  private level = new Int32Array(1024);
  /** [vars] Clause that implied it; -1 for decisions and facts. */
  private reason = new Int32Array(1024);
  private phase = new Int8Array(1024);
  private activity = new Float64Array(1024);
  private seen = new Uint8Array(1024);
  /** All clauses one after another: length, then literals. */
  private arena = new Int32Array(1 << 14);
  private arenaEnd = 0;
  /** [literals] Clauses that watch a literal, with a literal that may satisfy them (pairs). */
  private watches: Int32Array[] = [];
  private watchCount = new Int32Array(2048);
  private trail = new Int32Array(1024);
  private trailEnd = 0;
  private head = 0;
  private readonly levelStart: number[] = [];
  private heap = new Int32Array(1024);
  private heapAt = new Int32Array(1024);
  private heapSize = 0;
  /** [vars] Stamp of the last question whose scope a variable was in. */
  private scopeMark = new Int32Array(1024);
  private lastScope = 0;
  /** Stamp of the question's scope; 0: all variables. */
  private scope = 0;
  private increment = 1;
  private isBroken = false;
  conflicts = 0;

  /** Variables so far. */
  get size(): number {
    return this.varCount;
  }

  newVar(): number {
    const v = this.varCount++;
    if (v >= this.value.length) this.grow();
    this.value[v] = 0;
    this.reason[v] = -1;
    this.phase[v] = -1;
    this.watches.push(new Int32Array(8), new Int32Array(8));
    this.heapAt[v] = -1;
    this.insert(v);
    return v;
  }

  private grow(): void {
    const size = this.value.length * 2;
    const wider = <T extends Int8Array | Int32Array | Float64Array | Uint8Array>(old: T): T => {
      const next = new (old.constructor as new (n: number) => T)(size * (old.length / (size / 2)));
      next.set(old as never);
      return next;
    };
    this.value = wider(this.value);
    this.level = wider(this.level);
    this.reason = wider(this.reason);
    this.phase = wider(this.phase);
    this.activity = wider(this.activity);
    this.seen = wider(this.seen);
    this.trail = wider(this.trail);
    this.heap = wider(this.heap);
    this.heapAt = wider(this.heapAt);
    this.scopeMark = wider(this.scopeMark);
    this.watchCount = wider(this.watchCount);
  }

  private litValue(literal: number): number {
    const v = this.value[literal >> 1];
    return literal & 1 ? -v : v;
  }

  /** Between calls only. @returns False once the clauses cannot all hold. */
  addClause(literals: readonly number[]): boolean {
    if (this.isBroken) return false;
    this.backTo(0);
    const kept: number[] = [];
    for (const literal of literals) {
      const value = this.litValue(literal);
      if (value > 0 || kept.includes(literal ^ 1)) return true;
      if (value < 0 || kept.includes(literal)) continue;
      kept.push(literal);
    }
    if (kept.length === 0) {
      this.isBroken = true;
      return false;
    }
    if (kept.length === 1) {
      this.assign(kept[0], -1);
      if (this.propagate() >= 0) this.isBroken = true;
      return !this.isBroken;
    }
    this.store(kept);
    return true;
  }

  private store(literals: readonly number[]): number {
    const need = literals.length + 1;
    if (this.arenaEnd + need > this.arena.length) {
      const next = new Int32Array(Math.max(this.arena.length * 2, this.arenaEnd + need));
      next.set(this.arena);
      this.arena = next;
    }
    const at = this.arenaEnd;
    this.arena[at] = literals.length;
    for (let i = 0; i < literals.length; i++) this.arena[at + 1 + i] = literals[i];
    this.arenaEnd += need;
    this.watch(literals[0], at, literals[1]);
    this.watch(literals[1], at, literals[0]);
    return at;
  }

  private watch(literal: number, clause: number, blocker: number): void {
    const n = this.watchCount[literal];
    let list = this.watches[literal];
    if (n + 2 > list.length) {
      const next = new Int32Array(list.length * 2);
      next.set(list);
      this.watches[literal] = list = next;
    }
    list[n] = clause;
    list[n + 1] = blocker;
    this.watchCount[literal] = n + 2;
  }

  private assign(literal: number, reason: number): void {
    const v = literal >> 1;
    this.value[v] = literal & 1 ? -1 : 1;
    this.level[v] = this.levelStart.length;
    this.reason[v] = reason;
    this.trail[this.trailEnd++] = literal;
  }

  /** @returns A clause that is broken, or -1. */
  private propagate(): number {
    const { value } = this;
    while (this.head < this.trailEnd) {
      const falseLiteral = this.trail[this.head++] ^ 1;
      const list = this.watches[falseLiteral];
      const count = this.watchCount[falseLiteral];
      let out = 0;
      for (let i = 0; i < count; i += 2) {
        const clause = list[i];
        const blocker = list[i + 1];
        const bv = value[blocker >> 1];
        if ((blocker & 1 ? -bv : bv) > 0) {
          list[out] = clause;
          list[out + 1] = blocker;
          out += 2;
          continue;
        }
        const { arena } = this;
        const size = arena[clause];
        if (arena[clause + 1] === falseLiteral) {
          arena[clause + 1] = arena[clause + 2];
          arena[clause + 2] = falseLiteral;
        }
        const first = arena[clause + 1];
        const fv = value[first >> 1];
        const firstValue = first & 1 ? -fv : fv;
        if (firstValue > 0) {
          list[out] = clause;
          list[out + 1] = first;
          out += 2;
          continue;
        }
        let moved = false;
        for (let k = 3; k <= size; k++) {
          const literal = arena[clause + k];
          const lv = value[literal >> 1];
          if ((literal & 1 ? -lv : lv) >= 0) {
            arena[clause + 2] = literal;
            arena[clause + k] = falseLiteral;
            this.watch(literal, clause, first);
            moved = true;
            break;
          }
        }
        if (moved) continue;
        list[out] = clause;
        list[out + 1] = first;
        out += 2;
        if (firstValue < 0) {
          for (i += 2; i < count; i += 2, out += 2) {
            list[out] = list[i];
            list[out + 1] = list[i + 1];
          }
          this.watchCount[falseLiteral] = out;
          this.head = this.trailEnd;
          return clause;
        }
        this.assign(first, clause);
      }
      this.watchCount[falseLiteral] = out;
    }
    return -1;
  }

  private backTo(level: number): void {
    if (this.levelStart.length <= level) return;
    const from = this.levelStart[level];
    for (let i = this.trailEnd - 1; i >= from; i--) {
      const v = this.trail[i] >> 1;
      this.phase[v] = this.value[v];
      this.value[v] = 0;
      if (this.heapAt[v] < 0 && (this.scope === 0 || this.scopeMark[v] === this.scope)) this.insert(v);
    }
    this.trailEnd = from;
    this.head = from;
    this.levelStart.length = level;
  }

  /** Clause learnt from a conflict: its literals, and the level to go back to. */
  private analyze(conflict: number): { learnt: number[]; back: number } {
    const learnt: number[] = [0];
    const { seen, level, reason, arena, trail } = this;
    const current = this.levelStart.length;
    let open = 0;
    let clause = conflict;
    let at = this.trailEnd - 1;
    let literal = -1;
    const touched: number[] = [];
    do {
      const size = arena[clause];
      for (let k = literal < 0 ? 1 : 2; k <= size; k++) {
        const other = arena[clause + k];
        const v = other >> 1;
        if (seen[v] || level[v] === 0) continue;
        seen[v] = 1;
        touched.push(v);
        this.bump(v);
        if (level[v] >= current) open++;
        else learnt.push(other);
      }
      while (!seen[trail[at] >> 1]) at--;
      literal = trail[at--];
      clause = reason[literal >> 1];
      open--;
      if (open > 0 && clause >= 0 && arena[clause + 1] !== literal) {
        // the implied literal stands first
        for (let k = 2; k <= arena[clause]; k++)
          if (arena[clause + k] === literal) {
            arena[clause + k] = arena[clause + 1];
            arena[clause + 1] = literal;
          }
      }
    } while (open > 0);
    learnt[0] = literal ^ 1;
    // literals that the others imply directly say nothing new
    let kept = 1;
    for (let i = 1; i < learnt.length; i++) {
      const why = reason[learnt[i] >> 1];
      let isImplied = why >= 0;
      for (let k = 1; isImplied && k <= arena[why]; k++) {
        const v = arena[why + k] >> 1;
        if (v !== learnt[i] >> 1 && !seen[v] && level[v] > 0) isImplied = false;
      }
      if (!isImplied) learnt[kept++] = learnt[i];
    }
    learnt.length = kept;
    for (const v of touched) seen[v] = 0;
    let back = 0;
    for (let i = 1; i < learnt.length; i++) {
      if (level[learnt[i] >> 1] > back) {
        back = level[learnt[i] >> 1];
        [learnt[1], learnt[i]] = [learnt[i], learnt[1]];
      }
    }
    return { learnt, back };
  }

  private bump(v: number): void {
    this.activity[v] += this.increment;
    if (this.activity[v] > 1e100) {
      for (let i = 0; i < this.varCount; i++) this.activity[i] *= 1e-100;
      this.increment *= 1e-100;
    }
    if (this.heapAt[v] >= 0) this.up(this.heapAt[v]);
  }

  private insert(v: number): void {
    this.heapAt[v] = this.heapSize;
    this.heap[this.heapSize++] = v;
    this.up(this.heapAt[v]);
  }
  private up(from: number): void {
    const { heap, heapAt, activity } = this;
    let at = from;
    const v = heap[at];
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (activity[heap[parent]] >= activity[v]) break;
      heap[at] = heap[parent];
      heapAt[heap[at]] = at;
      at = parent;
    }
    heap[at] = v;
    heapAt[v] = at;
  }
  private pop(): number {
    const { heap, heapAt, activity } = this;
    const top = heap[0];
    heapAt[top] = -1;
    const last = heap[--this.heapSize];
    if (this.heapSize > 0) {
      let at = 0;
      for (;;) {
        let child = 2 * at + 1;
        if (child >= this.heapSize) break;
        if (child + 1 < this.heapSize && activity[heap[child + 1]] > activity[heap[child]]) child++;
        if (activity[heap[child]] <= activity[last]) break;
        heap[at] = heap[child];
        heapAt[heap[at]] = at;
        at = child;
      }
      heap[at] = last;
      heapAt[last] = at;
    }
    return top;
  }

  /**
   * @param budget Most conflicts to spend. @returns True: satisfied, see `isTrue`; false: impossible under the
   * assumptions; null: the budget is spent.
   * @param scope Variables to decide; null: all. The caller vouches that whatever satisfies the clauses among these can be
   * carried on to the others, as with the gates below an output.
   */
  solve(assumptions: readonly number[], budget = Infinity, scope: readonly number[] | null = null): boolean | null {
    if (this.isBroken) return false;
    this.backTo(0);
    this.limit(scope);
    if (this.propagate() >= 0) {
      this.isBroken = true;
      return false;
    }
    let spent = 0;
    let restart = 1;
    let left = 64 * luby(restart);
    for (;;) {
      const conflict = this.propagate();
      if (conflict >= 0) {
        this.conflicts++;
        spent++;
        left--;
        if (this.levelStart.length === 0) {
          this.isBroken = true;
          return false;
        }
        const { learnt, back } = this.analyze(conflict);
        this.backTo(back);
        if (learnt.length === 1) this.assign(learnt[0], -1);
        else this.assign(learnt[0], this.store(learnt));
        this.increment *= 1.05;
        if (spent > budget) {
          this.backTo(0);
          return null;
        }
        continue;
      }
      if (left <= 0) {
        left = 64 * luby(++restart);
        this.backTo(0);
        continue;
      }
      // assumptions first, each a level of its own
      if (this.levelStart.length < assumptions.length) {
        const literal = assumptions[this.levelStart.length];
        const value = this.litValue(literal);
        if (value < 0) {
          this.backTo(0);
          return false;
        }
        this.levelStart.push(this.trailEnd);
        if (value === 0) this.assign(literal, -1);
        continue;
      }
      let next = -1;
      while (this.heapSize > 0) {
        const v = this.pop();
        if (this.value[v] === 0) {
          next = v;
          break;
        }
      }
      if (next < 0) return true;
      this.levelStart.push(this.trailEnd);
      this.assign(2 * next + (this.phase[next] > 0 ? 0 : 1), -1);
    }
  }

  private limit(scope: readonly number[] | null): void {
    if (!scope && this.scope === 0) return;
    for (let i = 0; i < this.heapSize; i++) this.heapAt[this.heap[i]] = -1;
    this.heapSize = 0;
    this.scope = scope ? ++this.lastScope : 0;
    const take = (v: number) => {
      this.scopeMark[v] = this.scope;
      if (this.heapAt[v] < 0 && this.value[v] === 0) this.insert(v);
    };
    if (scope) scope.forEach(take);
    else for (let v = 0; v < this.varCount; v++) take(v);
  }

  /** Value of a variable in the assignment that the last call found; false also if it was left open. */
  isTrue(v: number): boolean {
    return this.value[v] > 0;
  }

  /** Whether the last call left a variable out. */
  isOpen(v: number): boolean {
    return this.value[v] === 0;
  }
}

/** Luby, Sinclair, Zuckerman 1993: 1 1 2 1 1 2 4 ... */
function luby(i: number): number {
  let size = 1;
  let power = 0;
  while (size < i + 1) {
    size = 2 * size + 1;
    power++;
  }
  let rest = i;
  while (size - 1 !== rest) {
    size = (size - 1) >> 1;
    power--;
    rest %= size;
  }
  return 2 ** power;
}
