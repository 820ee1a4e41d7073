import type { RecordScope, ScopeEntry } from "@gate-clock/core";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { chosenSignals, isBelowChosen, toggleScope } from "../src/stations/simulate/record-choice.ts";

const paths = ["", "a", "a.b", "a.b.c", "a.d", "ab", "ab.c"];
const scopes: ScopeEntry[] = paths.map((path, i) => ({ path, module: null, signals: 2 ** i }));
/** What is recorded, told by the slow way: each scope looked at by itself. */
const recorded = (chosen: readonly RecordScope[]) =>
  paths.filter((path) =>
    chosen.some(
      (each) =>
        each.path === path ||
        (each.below &&
          (each.path === "" || path.split(".").slice(0, each.path.split(".").length).join(".") === each.path)),
    ),
  );

describe("the choice of what is recorded", () => {
  it("counts each scope once", () => {
    expect(chosenSignals([{ path: "", below: true }], scopes)).toBe(127);
    expect(chosenSignals([{ path: "a", below: true }], scopes)).toBe(2 + 4 + 8 + 16);
    expect(
      chosenSignals(
        [
          { path: "a", below: false },
          { path: "a.b", below: true },
        ],
        scopes,
      ),
    ).toBe(2 + 4 + 8);
    expect(chosenSignals([], scopes)).toBe(0);
  });
  it("steps from own signals to all below and out again", () => {
    const own = toggleScope([], "a", false);
    expect(own).toEqual([{ path: "a", below: false }]);
    const below = toggleScope(own, "a", true);
    expect(below).toEqual([{ path: "a", below: true }]);
    expect(toggleScope(below, "a", true)).toEqual(own);
    expect(toggleScope(own, "a", false)).toEqual([]);
  });
  it("has no entry inside one that holds it, and stays a choice of the same scopes", () => {
    const clicks = fc.array(fc.record({ path: fc.constantFrom(...paths), below: fc.boolean() }), { maxLength: 12 });
    fc.assert(
      fc.property(clicks, (list) => {
        let chosen: RecordScope[] = [];
        for (const { path, below } of list) {
          // what lies inside a chosen scope cannot be clicked
          if (isBelowChosen(chosen, path)) continue;
          const before = chosen;
          chosen = toggleScope(chosen, path, below);
          const outside = (each: string) => each !== path && !each.startsWith(path ? `${path}.` : "");
          expect(recorded(chosen).filter(outside)).toEqual(recorded(before).filter(outside));
        }
        expect(chosen.filter((each) => isBelowChosen(chosen, each.path))).toEqual([]);
        expect(new Set(chosen.map((each) => each.path)).size).toBe(chosen.length);
        const own = recorded(chosen);
        expect(chosenSignals(chosen, scopes)).toBe(
          scopes.filter((scope) => own.includes(scope.path)).reduce((sum, scope) => sum + scope.signals, 0),
        );
      }),
    );
  });
});
