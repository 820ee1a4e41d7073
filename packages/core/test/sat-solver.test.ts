import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { SatSolver } from "../src/logic/sat-solver.ts";

/** True if some assignment satisfies all clauses, by trying every one. */
function bySearch(vars: number, clauses: readonly (readonly number[])[], assumed: readonly number[]): boolean {
  for (let bits = 0; bits < 2 ** vars; bits++) {
    const holds = (literal: number) => ((bits >> (literal >> 1)) & 1) === (literal & 1 ? 0 : 1);
    if (assumed.every(holds) && clauses.every((clause) => clause.some(holds))) return true;
  }
  return false;
}

describe("the SAT solver", () => {
  it("agrees with trying every assignment, clause by clause and under assumptions, and shows one that holds", () => {
    const random = new Random(12);
    let yes = 0;
    let no = 0;
    for (let round = 0; round < 400; round++) {
      const vars = 3 + random.below(8);
      const solver = new SatSolver();
      for (let v = 0; v < vars; v++) solver.newVar();
      const clauses: number[][] = [];
      const count = vars * (2 + random.below(4));
      for (let c = 0; c < count; c++) {
        const clause = Array.from({ length: 1 + random.below(4) }, () => random.below(2 * vars));
        clauses.push(clause);
        solver.addClause(clause);
        if (c % 3) continue;
        const assumed = Array.from({ length: random.below(3) }, () => random.below(2 * vars));
        const answer = solver.solve(assumed);
        expect(answer).toBe(bySearch(vars, clauses, assumed));
        if (answer) {
          yes++;
          const holds = (literal: number) => solver.isTrue(literal >> 1) === ((literal & 1) === 0);
          for (const each of clauses) expect(each.some(holds)).toBe(true);
          for (const literal of assumed) expect(holds(literal)).toBe(true);
        } else no++;
      }
    }
    expect(yes).toBeGreaterThan(500);
    expect(no).toBeGreaterThan(500);
  });

  it("finds that n + 1 pigeons do not fit n holes, and stops at its budget", () => {
    const pigeons = (n: number) => {
      const solver = new SatSolver();
      const at = Array.from({ length: n + 1 }, () => Array.from({ length: n }, () => solver.newVar()));
      for (const row of at) solver.addClause(row.map((v) => 2 * v));
      for (let hole = 0; hole < n; hole++)
        for (let i = 0; i <= n; i++)
          for (let j = 0; j < i; j++) solver.addClause([2 * at[i][hole] + 1, 2 * at[j][hole] + 1]);
      return solver;
    };
    expect(pigeons(6).solve([])).toBe(false);
    expect(pigeons(9).solve([], 50)).toBe(null);
  });
});
