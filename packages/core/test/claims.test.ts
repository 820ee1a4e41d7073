import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { formatPin, parsePins, planPins } from "../src/constraints/index.ts";
import { boardBuses, claimAll, claimPorts, suggestClaims } from "../src/constraints/pins/claims.ts";
import { claimedPins } from "../src/constraints/pins/write.ts";
import { portCircuit } from "../src/constraints/port-circuit.ts";
import { boardSignals, findBoard, findPart, listBoards } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";

const buses = (name: string) => boardBuses(boardSignals(findBoard(name).board!));
const needsOf = (text: string) => portCircuit(elaborate([{ name: "t.v", text }]).artifact!.netlist).needs;
const folder = new URL("../../../designs/", import.meta.url);

describe("signals of a board", () => {
  it("lie each at a pin of its own that the part has, oscillators at clock pins", () => {
    for (const board of listBoards()) {
      const signals = boardSignals(board);
      const { part } = findPart(board.part);
      expect(new Set(signals.map(({ pin }) => pin)).size).toBe(signals.length);
      for (const { pin, kind, standard, name } of signals) {
        expect(part!.pinByName.has(pin), `${board.name} ${name} at ${pin}`).toBe(true);
        if (kind === "oscillator") expect(part!.pinByName.get(pin)!.isClock).toBe(true);
        expect(part!.family.standards.map((each) => each.name)).toContain(standard);
      }
    }
  });
});

describe("claims", () => {
  it("give the demo designs the pins that their files say, without a click on any port", () => {
    for (const [design, board, sources, top, pinFile] of [
      [
        "pick-counter",
        "shuttle",
        ["debounce.v", "quadrature.v", "bcd_counter.v", "digit_scan.v", "pick_counter.v"],
        "pick_counter",
        "shuttle.pins",
      ],
      [
        "pick-sequencer",
        "bobbin",
        ["pick_sequencer.sv", "two_digits.sv", "sequencer_panel.sv"],
        "sequencer_panel",
        "bobbin.pins",
      ],
    ] as const) {
      const read = (name: string) => readFileSync(new URL(`${design}/${name}`, folder), "utf8");
      const files = sources.map((name) => ({ name, text: read(name) }));
      const { needs } = portCircuit(elaborate(files, { top }).artifact!.netlist);
      const claims = claimAll(claimPorts(needs), buses(board));
      const claimed = claims.flatMap(claimedPins).map(({ port, pin }) => `${port} ${pin}`);
      const written = parsePins([{ name: pinFile, text: read(pinFile) }]).pins.map(
        ({ assignment }) => `${assignment.port} ${assignment.pin}`,
      );
      expect(claimed.sort()).toEqual(written.sort());
      const text = claims.flatMap(claimedPins).map(formatPin).join("\n");
      const plan = planPins(parsePins([{ name: "p", text }]).pins, needs, findPart(findBoard(board).board!.part).part!);
      expect(plan.findings).toEqual([]);
    }
  });

  it("go by name, kind, direction and width, the likeliest first", () => {
    const ports = claimPorts(
      needsOf(
        "module m(input clk, input [3:0] sw, input btn_start, input [7:0] data, output reg [7:0] leds, output reg [3:0] picks); always @(posedge clk) begin leds <= data ^ {sw, sw}; picks <= {4{btn_start}}; end endmodule",
      ),
    );
    const first = (name: string) => suggestClaims(ports.find((port) => port.name === name)!, buses("shuttle"))[0];
    expect([first("clk").bus.name, first("sw").bus.name, first("btn_start").bus.name, first("leds").bus.name]).toEqual([
      "clk",
      "switches",
      "buttons",
      "lamps",
    ]);
    expect(first("leds").why).toContain("lamp");
    // eight bits of data have nothing on the board that reads so wide
    expect(first("data")).toBeUndefined();
    // a name that says nothing is a guess, which is not taken unasked
    expect(first("picks").score).toBeLessThan(0.6);
    const claims = claimAll(ports, buses("shuttle"));
    expect(claims.map(({ port, bus }) => `${port.name} ${bus.name}`).sort()).toEqual([
      "btn_start buttons",
      "clk clk",
      "leds lamps",
      "sw switches",
    ]);
  });

  it("never take a pin twice, nor against its direction, whatever the ports are called", () => {
    const name = fc.constantFrom(
      "led",
      "lamp",
      "lights",
      "sw",
      "key",
      "button",
      "seg",
      "digit",
      "x",
      "clk",
      "start_btn",
      "modeSwitch",
    );
    const port = fc.record({
      name,
      width: fc.integer({ min: 1, max: 12 }),
      direction: fc.constantFrom("input" as const, "output" as const),
      isClock: fc.boolean(),
    });
    fc.assert(
      fc.property(
        fc.array(port, { maxLength: 8 }),
        fc.constantFrom(...listBoards().map((board) => board.name)),
        (given, board) => {
          const ports = given.map((each, i) => ({
            name: `${each.name}${i}`,
            direction: each.direction,
            isClock: each.isClock && each.direction === "input" && each.width === 1,
            bits: Array.from({ length: each.width }, (_, index) => ({ name: `${each.name}${i}[${index}]`, index })),
          }));
          const claims = claimAll(ports, buses(board));
          const pins = claims.flatMap(claimedPins).map(({ pin }) => pin);
          expect(new Set(pins).size).toBe(pins.length);
          for (const { port: own, bus } of claims) {
            expect(own.direction).toBe(bus.direction);
            expect(own.isClock).toBe(bus.kind === "oscillator");
          }
          // and nothing is left that would still fit surely
          for (const left of ports.filter((each) => !claims.some((claim) => claim.port === each)))
            for (const claim of suggestClaims(left, buses(board), new Set(pins))) expect(claim.score).toBeLessThan(0.6);
        },
      ),
      { numRuns: 300, seed: 5 },
    );
  });
});
