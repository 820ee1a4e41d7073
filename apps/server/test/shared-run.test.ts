import { describe, expect, it } from "vitest";
import { SharedRun } from "../src/common/shared-run.ts";

describe("a shared run", () => {
  it("never answers with a state from before the question, and never runs twice at once", async () => {
    let state = 0;
    let running = 0;
    let runs = 0;
    const shared = new SharedRun(async () => {
      runs++;
      expect(++running).toBe(1);
      const seen = state;
      await new Promise((resolve) => setTimeout(resolve, 2));
      running--;
      return seen;
    });
    const ask = async () => {
      const before = ++state;
      expect(await shared.ask()).toBeGreaterThanOrEqual(before);
    };
    await Promise.all(
      Array.from({ length: 200 }, async (_, i) => {
        await new Promise((resolve) => setTimeout(resolve, i % 17));
        await ask();
      }),
    );
    expect(runs).toBeLessThan(60);
  });
  it("goes on after one that failed", async () => {
    let fails = true;
    const shared = new SharedRun(async () => {
      await Promise.resolve();
      if (fails) throw new Error("away");
      return 1;
    });
    const first = shared.ask();
    const second = shared.ask();
    await expect(first).rejects.toThrow("away");
    fails = false;
    expect(await second.catch(() => shared.ask())).toBe(1);
    expect(await shared.ask()).toBe(1);
  });
});
