import type { ObjectFacts, TimingPath } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { lineFacts, objectFacts } from "../src/focus/focus-facts.ts";

const nothing: ObjectFacts = {
  name: "shaft.forward",
  carriedBy: null,
  became: "flip-flop",
  writtenAt: null,
  tile: null,
  pin: null,
  fanout: 3,
  wires: null,
  worst: null,
};
const texts = (of: ObjectFacts, isTimed = true) =>
  Object.fromEntries(objectFacts(of, isTimed).map(({ name, text }) => [name, text]));

describe("what the focus panel says", () => {
  it("tells of a net what is known, in the order of the work, and where each leads", () => {
    const path = { slackPs: 5256, to: "count.value[3]" } as TimingPath;
    const facts = objectFacts(
      {
        ...nothing,
        writtenAt: { file: "quadrature.v", line: 17, column: 3 },
        tile: { x: 9, y: 11 },
        wires: 4,
        worst: { index: 2, path },
      },
      true,
    );
    expect(facts.map(({ name }) => name)).toEqual(["Written", "Driven by", "Sits", "Fan-out", "Wires", "Slack"]);
    expect(facts[0]).toEqual({
      name: "Written",
      text: "quadrature.v:17",
      leads: { to: "place", place: { file: "quadrature.v", line: 17 } },
    });
    expect(facts[5]).toEqual({
      name: "Slack",
      text: "5.256 ns, to count.value[3]",
      leads: { to: "path", index: 2 },
    });
  });

  it("says nothing that it does not know", () => {
    expect(texts(nothing, false)).toEqual({ "Driven by": "flip-flop", "Fan-out": "3" });
    expect(texts(nothing)["Slack"]).toBe("on no path listed");
    const free = { slackPs: null, to: "even" } as TimingPath;
    expect(texts({ ...nothing, worst: { index: 0, path: free } })["Slack"]).toBe("no goal");
  });

  it("leads from a name to the net that carries it, and says what a name without one became", () => {
    const [, as] = objectFacts({ ...nothing, carriedBy: "go" }, true);
    expect(as).toEqual({ name: "As", text: "go", leads: { to: "net", net: "go" } });
    expect(texts({ ...nothing, became: "constant 1", fanout: null })).toEqual({ Became: "constant 1" });
  });

  it("counts what a line became, and names some of its nets", () => {
    const nets = Array.from({ length: 9 }, (_, i) => `last[${i}]`);
    const facts = lineFacts({
      counts: [
        ["flip-flop", 8],
        ["LUT", 1],
      ],
      nets,
    });
    expect(facts.map(({ text }) => text)).toEqual(["8 flip-flops, 1 LUT", ...nets.slice(0, 4), "and 5 more"]);
    expect(lineFacts({ counts: [], nets: [] })).toEqual([{ name: "Became", text: "nothing of its own" }]);
  });
});
