import { describe, expect, it } from "vitest";
import { type PinNeed, parsePins, planPins } from "../src/constraints/index.ts";
import { boardSignals, findPart, listBoards } from "../src/device/index.ts";
import { checkDesign } from "../src/flow/index.ts";

const boards = listBoards().map((board) => {
  const signals = boardSignals(board);
  const tied = new Set(signals.map(({ pin }) => pin));
  const part = findPart(board.part).part!;
  const free = part.pins.filter(({ name }) => !tied.has(name)).map(({ name }) => name);
  return { board, part, signals, tied, free, of: (bus: string) => signals.filter((each) => each.bus === bus) };
});
type OnBoard = (typeof boards)[number];
const need = (bitName: string, direction: PinNeed["direction"], isClock = false): PinNeed => ({
  bitName,
  direction,
  isClock,
});
const plan = ({ board, part }: OnBoard, text: string, ...needs: PinNeed[]) =>
  planPins(parsePins([{ name: "m.pins", text }]).pins, needs, part, board);
const told = (on: OnBoard, text: string, ...needs: PinNeed[]) =>
  plan(on, text, ...needs)
    .findings.filter(({ code }) => code !== "pins/automatic")
    .map(({ severity, code, place }) => `${severity} ${code} ${place.line}`);

describe.each(boards)("pins that $board.title ties elsewhere", (on) => {
  const { of, free, signals } = on;

  it("are no place for outputs where the board drives, and say where they may go", () => {
    const driven = signals.filter(({ direction }) => direction === "input");
    for (const { pin, name } of driven) {
      const result = plan(on, `# an output\nlight at ${pin}`, need("light", "output"));
      expect(result.artifact).toBeNull();
      const [finding] = result.findings;
      expect(finding).toMatchObject({ severity: "error", code: "pins/board-drives", place: { line: 2 } });
      expect(finding.message).toContain(name);
      // the nearest legal choice is legal
      const at = /Place it at (\w+)/.exec(finding.remedy ?? "")![1];
      expect(told(on, `light at ${at}`, need("light", "output"))).toEqual([]);
    }
    expect(told(on, `both at ${driven[1].pin}`, need("both", "inout"))).toEqual(["warning pins/board-drives 1"]);
  });

  it("are a poor place for inputs where nothing drives, and right for what they are made for", () => {
    const lamps = of("lamps");
    expect(told(on, `a at ${lamps[0].pin}`, need("a", "input"))).toEqual(["warning pins/board-listens 1"]);
    for (const { pin, direction, kind } of signals)
      expect(told(on, `a at ${pin}`, need("a", direction, kind === "oscillator"))).toEqual([]);
    expect(told(on, `a at ${free[0]}`, need("a", "input"))).toEqual([]);
  });

  it("are no clocks if a hand works them", () => {
    for (const bus of ["buttons", "switches"]) {
      const { pin } = of(bus)[0];
      const result = plan(on, `tick at ${pin} clock=plain`, need("tick", "input", true));
      expect(result.findings.map(({ code, severity }) => `${severity} ${code}`)).toEqual([
        "warning pins/contact-as-clock",
      ]);
      expect(result.findings[0].remedy).toContain("clk");
    }
  });

  it("are wired for a voltage", () => {
    const [{ pin, standard }] = of("lamps");
    const { standards } = on.part.family;
    const wired = standards.find(({ name }) => name === standard)!;
    for (const { name, volts } of standards.filter(({ isDifferential }) => !isDifferential))
      expect(told(on, `a at ${pin} ${name}`, need("a", "output"))).toEqual(
        volts === wired.volts ? [] : ["warning pins/board-voltage 1"],
      );
  });

  it("tell bits of a bus that lie in another order", () => {
    const pins = of("lamps")
      .slice(0, 4)
      .map(({ pin }) => pin);
    const needs = pins.map((_, i) => need(`a[${i}]`, "output"));
    const lines = (order: readonly number[]) => order.map((at, i) => `a[${i}] at ${pins[at]}`).join("\n");
    expect(told(on, lines([0, 1, 2, 3]), ...needs)).toEqual([]);
    expect(told(on, lines([3, 2, 1, 0]), ...needs)).toEqual([]);
    expect(told(on, lines([0, 2, 1, 3]), ...needs)).toEqual(["warning pins/bus-order 3"]);
    expect(told(on, lines([3, 1, 2, 0]), ...needs)).toEqual(["warning pins/bus-order 3"]);
  });

  it("are left alone by ports that get pins by themselves, as long as there are others", () => {
    const few = free.slice(1).map((_, i) => need(`a[${i}]`, i % 2 ? "output" : "input"));
    for (const { pin } of plan(on, "", need("clk", "input", true), ...few).artifact!.pins)
      expect(on.tied.has(pin)).toBe(false);
    // then wires of the board are taken too, but not against what drives them
    const drivable = signals.filter(({ direction }) => direction === "output").length;
    const outputs = Array.from({ length: free.length + drivable }, (_, i) => need(`b[${i}]`, "output"));
    const full = plan(on, "", ...outputs);
    expect(full.artifact!.pins.map(({ pin }) => on.signals.find((each) => each.pin === pin)?.direction)).not.toContain(
      "input",
    );
    const over = plan(on, "", ...outputs, need("c", "output"));
    expect(over.findings.map(({ code }) => code)).toContain("pins/too-few");
    expect(over.artifact).toBeNull();
  });
});

describe("boards", () => {
  it("count in a check of a design on one, and not for another part than theirs", () => {
    const [{ board, of }] = boards;
    const input = {
      name: "m",
      top: null,
      part: board.part,
      board: board.name,
      sources: [{ name: "m.v", text: "module m(output y); assign y = 1'b1; endmodule" }],
      pinFiles: [{ name: "m.pins", text: `y at ${of("switches")[0].pin}` }],
      timingFiles: [],
      recipe: "even",
      seed: 1,
    };
    const codes = (over: Partial<typeof input> | { board: null }) =>
      checkDesign({ ...input, ...over }).pinFindings.map(({ code }) => code);
    expect(codes({})).toEqual(["pins/board-drives"]);
    expect(codes({ board: null })).toEqual([]);
    // another grade has the same pins; another die has not
    expect(codes({ part: board.part.replace("2C", "1C") })).toEqual(["pins/board-drives"]);
    expect(codes({ part: "TW-9-P144-2C" })).toEqual(["pins/board-part"]);
  });
});
