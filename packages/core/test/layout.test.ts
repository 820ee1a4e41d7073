import { describe, expect, it } from "vitest";
import { formatFinding } from "../src/common/index.ts";
import { findPart, nodeKind } from "../src/device/index.ts";
import { MemoryStore, runFlow } from "../src/flow/index.ts";
import { cellKind, ffPin, isLogic } from "../src/netlist/index.ts";
import { cornerDelays } from "../src/timing/index.ts";
import { built, designInput, testPart } from "./helpers/build.ts";

const counter =
  "module m(input clk, input rst, input [7:0] a, output reg [7:0] q, output [7:0] y);\n  always @(posedge clk) if (rst) q <= 0; else q <= q + a;\n  assign y = q ^ {a[3:0], q[7:4]};\nendmodule\n";
const sdc = (period: number) => [{ name: "t.sdc", text: `create_clock -name clk -period ${period} [get_ports clk]\n` }];
const { part } = findPart(testPart);

describe("routing-resource graph", () => {
  const { graph, fabric } = part!;
  it("has single-driver wires whose encoded select has room for every source", () => {
    for (let node = 0; node < graph.nodeCount; node++) {
      const tile = graph.nodeTile[node];
      const local = fabric.pattern(tile).nodes[node - graph.tileFirst[tile]];
      expect(graph.sourceCount(node)).toBe(local.sources.length);
      if (local.sources.length) expect(2 ** local.selectBits).toBeGreaterThan(local.sources.length);
      expect(graph.nodeKind[node] === nodeKind.output).toBe(local.sources.length === 0);
    }
  });
  it("gives each configuration bit one owner", () => {
    for (let tile = 0; tile < fabric.tileCount; tile++) {
      const pattern = fabric.pattern(tile);
      const taken = new Uint8Array(pattern.configBits);
      for (const { at, bits } of pattern.fields.values()) for (let i = 0; i < bits; i++) taken[at + i]++;
      expect(Math.max(...taken)).toBe(1);
    }
  });
  it("leads from every wire and output to the muxes of wires that take it, and to no others", () => {
    const { patterns, tileFirst, nodeTile } = graph;
    const forward = new Set<string>();
    for (let node = 0; node < graph.nodeCount; node++) {
      if (graph.nodeKind[node] !== nodeKind.output && graph.nodeKind[node] !== nodeKind.wire) continue;
      const tile = nodeTile[node];
      const own = patterns.kindFirst[patterns.kindOfTile[tile]] + node - tileFirst[tile];
      for (let hop = patterns.hopStart[own]; hop < patterns.hopStart[own + 1]; hop++) {
        const x = fabric.tileX(tile) + patterns.hopX[hop];
        const y = fabric.tileY(tile) + patterns.hopY[hop];
        if (x < 0 || x >= fabric.width || y < 0 || y >= fabric.height) continue;
        const at = y * fabric.width + x;
        const row = hop * patterns.kindCount + patterns.kindOfTile[at];
        for (let i = patterns.takerStart[row]; i < patterns.takerStart[row + 1]; i++)
          forward.add(`${node} ${tileFirst[at] + patterns.taker[i]}`);
      }
    }
    const backward = new Set<string>();
    for (let node = 0; node < graph.nodeCount; node++) {
      if (graph.nodeKind[node] !== nodeKind.wire) continue;
      for (let i = 0; i < graph.sourceCount(node); i++) {
        const from = graph.source(node, i);
        if (from >= 0) backward.add(`${from} ${node}`);
      }
    }
    expect(forward.size).toBe(backward.size);
    for (const edge of backward) expect(forward.has(edge)).toBe(true);
  });
  it("has the sizes of its data sheet", () => {
    expect(fabric.logicTiles.length * part!.family.elementsPerTile).toBe(2048);
    expect(part!.pins.length).toBe(128);
    expect(part!.pins.filter((pin) => pin.isClock)).toHaveLength(8);
  });
});

describe("a routed design", () => {
  it("connects every pin by real edges, no node carries two nets, and the delays add up along the trees", async () => {
    const result = await built(counter, { timingFiles: sdc(10) });
    const [netlist, packed, placed, routed, rules] = await Promise.all([
      result.artifact("synth"),
      result.artifact("pack"),
      result.artifact("place"),
      result.artifact("route"),
      result.artifact("rules"),
    ]);
    const { graph } = result.part!;
    const owner = new Map<number, number>();
    for (let net = 0; net < netlist!.netCount; net++) {
      for (let i = routed!.netStart[net]; i < routed!.netStart[net + 1]; i++) {
        const node = routed!.treeNode[i];
        expect(owner.has(node)).toBe(false);
        owner.set(node, net);
        const parent = routed!.treeParent[i];
        if (parent < 0) continue;
        expect(parent).toBeLessThan(i - routed!.netStart[net]);
        const from = routed!.treeNode[routed!.netStart[net] + parent];
        expect(Array.from({ length: graph.sourceCount(node) }, (_, s) => graph.source(node, s))).toContain(from);
      }
    }
    netlist!.inputNet.forEach((net, slot) => {
      if (net >= 0 && routed!.pinNode[slot] >= 0) expect(owner.get(routed!.pinNode[slot])).toBe(net);
    });
    // clock pins hang on the clock network: all within the tile step of each other
    const corner = cornerDelays(
      {
        netlist: netlist!,
        packed: packed!,
        placed: placed!,
        routed: routed!,
        pins: rules!.pins.pins,
        part: result.part!,
      },
      "slow-hot",
    );
    const clocks: number[] = [];
    for (let cell = 0; cell < netlist!.cellCount; cell++)
      if (netlist!.kind[cell] === cellKind.flipFlop) clocks.push(corner.netPs[netlist!.inputStart[cell] + ffPin.clock]);
    expect(Math.max(...clocks) - Math.min(...clocks)).toBeLessThan(200);
  });

  it("has the slack that listing every path gives", async () => {
    const result = await built(counter, { timingFiles: sdc(10) });
    const [netlist, packed, placed, routed, rules, report] = await Promise.all([
      result.artifact("synth"),
      result.artifact("pack"),
      result.artifact("place"),
      result.artifact("route"),
      result.artifact("rules"),
      result.artifact("timing"),
    ]);
    const n = netlist!;
    for (const name of ["slow-hot", "fast-cold"] as const) {
      const corner = cornerDelays(
        { netlist: n, packed: packed!, placed: placed!, routed: routed!, pins: rules!.pins.pins, part: result.part! },
        name,
      );
      const clockAt = (ff: number) => {
        const slot = n.inputStart[ff] + ffPin.clock;
        return corner.padPs[n.netDriver[n.inputNet[slot]]] + corner.netPs[slot];
      };
      let setup = Infinity;
      let hold = Infinity;
      const walk = (
        slot: number,
        most: number,
        least: number,
        capture: (start: number, most: number, least: number) => void,
      ) => {
        const driver = n.netDriver[n.inputNet[slot]];
        const max = most + corner.netPs[slot];
        const min = least + corner.netPs[slot] * corner.delays.minRatio;
        if (n.kind[driver] === cellKind.flipFlop) capture(driver, max, min);
        else if (isLogic(n.kind[driver])) {
          for (let i = n.inputStart[driver]; i < n.inputStart[driver + 1]; i++)
            if (n.inputNet[i] >= 0)
              walk(i, max + corner.lutPs[i], min + corner.lutPs[i] * corner.delays.minRatio, capture);
        }
      };
      for (let ff = 0; ff < n.cellCount; ff++) {
        if (n.kind[ff] !== cellKind.flipFlop) continue;
        for (const pin of [ffPin.d, ffPin.enable, ffPin.reset]) {
          const slot = n.inputStart[ff] + pin;
          if (n.inputNet[slot] < 0) continue;
          const bypass = pin === ffPin.d && packed!.elementJoined[packed!.cellElement[ff]] === 0;
          walk(slot, 0, 0, (start, most, least) => {
            const launch = clockAt(start);
            setup = Math.min(
              setup,
              10_000 + clockAt(ff) - corner.delays.setupPs(bypass) - launch - corner.delays.clockToOutputPs - most,
            );
            hold = Math.min(
              hold,
              launch +
                corner.delays.clockToOutputPs * corner.delays.minRatio +
                least -
                clockAt(ff) -
                corner.delays.holdPs,
            );
          });
        }
      }
      const check = (kind: string) =>
        report!.checks.find((each) => each.corner === name && each.kind === kind)!.worstSlackPs;
      expect(check("setup")).toBeCloseTo(setup, 1);
      expect(check("hold")).toBeCloseTo(hold, 1);
    }
    const [path] = report!.setupPaths;
    const sum = path.steps.reduce((total, step) => total + step.delayPs, 0);
    expect(path.requirementPs! + path.captureClockPs + path.creditPs - sum).toBeCloseTo(path.slackPs!, 1);
    expect(1e6 / report!.clocks[0].fmaxMhz!).toBeCloseTo(
      10_000 - Math.min(...report!.checks.filter((each) => each.kind === "setup").map((each) => each.worstSlackPs!)),
      1,
    );
  });

  it("says that it misses a goal it cannot reach", async () => {
    const result = await built(counter, { timingFiles: sdc(0.9) });
    expect(result.findings.some((finding) => finding.code === "timing/setup")).toBe(true);
    const report = (await result.artifact("timing"))!;
    expect(report.setupPaths[0].slackPs).toBeLessThan(0);
  });
});

describe("a design that cannot be built", () => {
  it("is told what runs out when it does not fit", async () => {
    const text = `module m(input clk, input d, output y);\n reg [2400:0] s; always @(posedge clk) s <= {s[2399:0], d ^ s[7]}; assign y = s[2400] ^ s[1200];\nendmodule`;
    const result = await runFlow(designInput(text), new MemoryStore());
    expect(result.status).toBe("failed");
    const finding = result.findings.find((each) => each.code === "fit/too-big")!;
    expect(finding.message).toMatch(/2401 of 2048 flip-flops/);
  });
  it("is told about pins that are too few, wrong, doubled or unknown, each on its line", async () => {
    const pins = (text: string) =>
      runFlow(designInput(counter, { pinFiles: [{ name: "b.pins", text }] }), new MemoryStore());
    const result = await pins(
      "clk at N19 LVCMOS33\nrst at N19 LVCMOS33\na[0] at Q7\na[9] at N1\na[1] at N2 LVCMOS34\na[2] at N3 LVCMOS18 pull=sideways\nnonsense\n\tq[0]\tat\tE1\r\nq[0] at E2\n",
    );
    const at = Object.fromEntries(
      result.findings.filter((each) => each.severity === "error").map((each) => [each.place.line, each.code]),
    );
    expect(at).toEqual({
      2: "pins/duplicate-pin",
      3: "pins/unknown-pin",
      4: "pins/unknown-port",
      5: "pins/unknown-standard",
      6: "pins/option",
      7: "pins/syntax",
      9: "pins/duplicate-port",
    });
    const volts = await pins("a[0] at N1 LVCMOS18\na[1] at N2 LVCMOS33\n");
    expect(volts.findings.map((each) => each.code)).toContain("pins/bank-voltage");
    const many = await runFlow(
      designInput("module m(input [99:0] a, output [99:0] y); assign y = ~a; endmodule"),
      new MemoryStore(),
    );
    expect(many.findings.map((each) => each.code)).toContain("pins/too-few");
  });
  it("is told about a part or a recipe that does not exist, with the nearest name", async () => {
    const result = await runFlow(designInput(counter, { part: "TW-2-P145-2C", recipe: "evn" }), new MemoryStore());
    expect(result.findings.map(formatFinding).join("\n")).toMatch(/TW-2-P144-2C[\s\S]*even/);
  });
  it("is told about timing files that are wrong", async () => {
    const text =
      "# rules\ncreate_clock -name c -period zero [get_ports clk]\ncreate_clok -period 3 [get_ports clk]\ncreate_clock -period 3 \\\n  -name late [get_ports nothing]\nset_false_path -from a\n";
    const result = await runFlow(designInput(counter, { timingFiles: [{ name: "t.sdc", text }] }), new MemoryStore());
    expect(
      result.findings.filter((each) => each.place.file === "t.sdc").map((each) => [each.place.line, each.code]),
    ).toEqual([
      [2, "sdc/command"],
      [3, "sdc/unknown-command"],
      [5, "sdc/no-match"],
      [5, "sdc/no-source"],
    ]);
  });
});
