import { describe, expect, it } from "vitest";
import {
  between,
  builtLevels,
  builtSchematic,
  compareSchematics,
  coneOf,
  evaluateExpression,
  lutExpression,
  neighbourhood,
  type Schematic,
  WrittenCircuit,
} from "../src/circuit/index.ts";
import { quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { cellKind } from "../src/netlist/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";

const text = `module half(input clk, input [3:0] a, input cin, output reg [3:0] q, output spare);
  always @(posedge clk) q <= cin ? a + 4'd3 : q; assign spare = ^a; endmodule
module m(input clk, input [3:0] d, input go, output [3:0] y, output [7:0] w);
  wire [3:0] first; wire none; reg [7:0] store [0:255]; reg [7:0] r;
  half one(.clk(clk), .a(d), .cin(go), .q(first), .spare());
  half two(.clk(clk), .a(first), .cin(none), .q(y), .spare(none2)); wire none2;
  always @(posedge clk) begin if (go) store[{d, first}] <= {first, d}; r <= store[{first, d}]; end assign w = r; endmodule`;

function written(source = text): {
  circuit: WrittenCircuit;
  design: NonNullable<ReturnType<typeof elaborate>["artifact"]>;
} {
  const { artifact, findings } = elaborate([{ name: "t.v", text: source }], { top: "m" });
  if (!artifact) throw new Error(findings.map((finding) => finding.message).join("\n"));
  return { circuit: new WrittenCircuit(artifact.netlist, artifact.hierarchy), design: artifact };
}
const node = (view: Schematic, label: string) => view.nodes.find((each) => each.label === label)!;

describe("the circuit as written", () => {
  it("shows instances with their ports, the memory, and what they are wired to", () => {
    const view = written().circuit.view({ root: "", expanded: [] });
    const one = view.nodes.find((each) => each.id === "instance one")!;
    expect(one).toMatchObject({ kind: "instance", symbol: "half", label: "one" });
    expect(one.inputs.map((pin) => [pin.label, pin.width])).toEqual([
      ["clk", 1],
      ["a", 4],
      ["cin", 1],
    ]);
    const into = view.edges.filter((edge) => edge.to.node === "instance two");
    expect(into.map((edge) => [edge.from.node, edge.width])).toContainEqual(["instance one", 4]);
    expect(view.nodes.some((each) => each.kind === "memory" && each.symbol === "256 × 8")).toBe(true);
    // every edge ends at pins that are there, and no pin gets more bits than it has
    for (const edge of view.edges) {
      const from = view.nodes.find((each) => each.id === edge.from.node)!;
      const to = view.nodes.find((each) => each.id === edge.to.node)!;
      expect(from.outputs.some((pin) => pin.id === edge.from.pin)).toBe(true);
      expect(to.inputs.some((pin) => pin.id === edge.to.pin)).toBe(true);
    }
    for (const each of view.nodes)
      for (const pin of each.inputs) {
        const bits = view.edges
          .filter((edge) => edge.to.node === each.id && edge.to.pin === pin.id)
          .reduce((sum, edge) => sum + edge.width, 0);
        expect(bits).toBeLessThanOrEqual(pin.width);
        if (pin.constant === null && !pin.isOpen) expect(bits).toBeGreaterThan(0);
      }
  });

  it("makes a connection that was left out stand out", () => {
    const view = written().circuit.view({ root: "", expanded: [] });
    const two = view.nodes.find((each) => each.id === "instance two")!;
    expect(two.inputs.find((pin) => pin.label === "cin")?.isOpen).toBe(true);
    expect(two.inputs.find((pin) => pin.label === "a")?.isOpen).toBe(false);
    const one = view.nodes.find((each) => each.id === "instance one")!;
    expect(one.outputs.find((pin) => pin.label === "spare")?.isOpen).toBe(true);
  });

  it("steps into an instance, or opens it in place with the same cells", () => {
    const { circuit } = written();
    const inside = circuit.view({ root: "one", expanded: [] });
    expect(inside.nodes.map((each) => each.kind).sort()).toContain("register");
    expect(inside.nodes.filter((each) => each.kind === "input port").map((each) => each.label)).toEqual([
      "clk",
      "a",
      "cin",
    ]);
    const open = circuit.view({ root: "", expanded: ["one"] });
    const frame = open.nodes.find((each) => each.id === "instance one")!;
    expect(frame.isExpanded).toBe(true);
    const within = open.nodes.filter((each) => each.parent === frame.id).map((each) => each.id);
    expect(within.sort()).toEqual(
      inside.nodes
        .filter((each) => each.id.startsWith("cell"))
        .map((each) => each.id)
        .sort(),
    );
    // the register's output goes on out of the frame
    expect(open.edges.some((edge) => edge.from.node === "cell one.q:register" && edge.to.node === "instance two")).toBe(
      true,
    );
  });

  it("shows a neighbourhood of a large one first, with what is left out counted", () => {
    const rows = Array.from(
      { length: 400 },
      (_, i) => `reg [7:0] r${i}; always @(posedge clk) r${i} <= r${(i + 399) % 400} + d;`,
    ).join("\n");
    const { circuit } = written(
      `module m(input clk, input [7:0] d, output [7:0] y);\n${rows}\ninitial r0 = 1; assign y = r7; endmodule`,
    );
    const whole = circuit.view({ root: "", expanded: [] });
    expect(whole.nodes.length).toBeGreaterThan(700);
    const near = neighbourhood(whole, ["cell r100:register"], 60);
    expect(near.nodes.length).toBeLessThanOrEqual(60);
    expect(near.total).toBe(whole.total);
    expect(near.nodes.some((each) => each.id === "cell r100:register")).toBe(true);
    expect(near.nodes.some((each) => each.hidden > 0)).toBe(true);
    const ids = new Set(near.nodes.map((each) => each.id));
    for (const each of near.nodes) {
      const all = new Set(
        whole.edges.flatMap((edge) =>
          edge.from.node === each.id ? [edge.to.node] : edge.to.node === each.id ? [edge.from.node] : [],
        ),
      );
      expect(each.hidden).toBe([...all].filter((id) => !ids.has(id)).length);
    }
  });

  it("finds what lies between two places, and what differs between two versions", () => {
    const { circuit } = written();
    const view = circuit.view({ root: "", expanded: [] });
    expect(between(view, "port go", "port y")).toEqual(new Set(["port go", "instance one", "instance two", "port y"]));
    expect(between(view, "port y", "port go").size).toBe(0);
    const other = written(text.replace(".a(first)", ".a(d)").replace("assign w = r;", "assign w = r ^ 8'h55;")).circuit;
    const changes = compareSchematics(view, other.view({ root: "", expanded: [] }));
    expect(changes).toContainEqual(expect.objectContaining({ id: "instance two", change: "rewired" }));
    expect(changes.some((change) => change.change === "added")).toBe(true);
    expect(compareSchematics(view, view)).toEqual([]);
  });
});

describe("the circuit as built", () => {
  const netlist = synthesize(written().design.netlist, defaultSynthOptions, quietContext()).artifact!;

  it("shows each cell once, chains and blocks as wholes, and wires between pins that exist", () => {
    const view = builtSchematic(netlist);
    expect(view.nodes.filter((each) => each.kind === "memory")).toHaveLength(1);
    expect(view.nodes.filter((each) => each.kind === "register")).toHaveLength(
      netlist.kind.filter((kind) => kind === cellKind.flipFlop).length,
    );
    expect(new Set(view.nodes.map((each) => each.id)).size).toBe(view.nodes.length);
    for (const edge of view.edges) {
      expect(
        view.nodes.find((each) => each.id === edge.from.node)!.outputs.some((pin) => pin.id === edge.from.pin),
      ).toBe(true);
      expect(view.nodes.find((each) => each.id === edge.to.node)!.inputs.some((pin) => pin.id === edge.to.pin)).toBe(
        true,
      );
    }
    const cone = coneOf(view, "cell y[0]:pad");
    expect([...cone].every((id) => view.nodes.some((each) => each.id === id))).toBe(true);
    expect(node(view, "y[0]")).toBeDefined();
  });

  it("counts levels as walking every path does", () => {
    const level = builtLevels(netlist);
    const walk = (cell: number): number => {
      const kind = netlist.kind[cell];
      if (![cellKind.lut, cellKind.carrySum, cellKind.carryMux, cellKind.outputPad].includes(kind as never)) return 0;
      let most = 0;
      for (let slot = netlist.inputStart[cell]; slot < netlist.inputStart[cell + 1]; slot++)
        if (netlist.inputNet[slot] >= 0) most = Math.max(most, walk(netlist.netDriver[netlist.inputNet[slot]]));
      return most + (kind === cellKind.lut ? 1 : 0);
    };
    for (let cell = 0; cell < netlist.cellCount; cell++) expect(level[cell]).toBe(walk(cell));
  });

  it("writes a LUT's function so that reading it again gives its table", () => {
    const random = new Random(4);
    for (let round = 0; round < 300; round++) {
      const inputs = 1 + random.below(6);
      const [low, high] = [random.uint32(), random.uint32()];
      const expression = lutExpression(low, high, inputs);
      for (let row = 0; row < 2 ** inputs; row++) {
        const wanted = row < 32 ? (low >>> row) & 1 : (high >>> (row - 32)) & 1;
        expect(evaluateExpression(expression, row), `${expression}, row ${row}`).toBe(wanted);
      }
    }
  });
});
