import { beforeAll, describe, expect, it } from "vitest";
import { configMap } from "../src/bitstream/index.ts";
import { Random } from "../src/common/index.ts";
import { findBoard, findPart } from "../src/device/index.ts";
import type { FlowResult } from "../src/flow/index.ts";
import { Cable } from "../src/jtag/index.ts";
import { Board, type Circuit, type SimulatedPart } from "../src/silicon/index.ts";
import { TimedEngine } from "../src/silicon/timed/timed-engine.ts";
import { running } from "./helpers/build.ts";

type Running = Awaited<ReturnType<typeof running>>;

/** The same bits in a part without delays and in one with them. */
async function pair(text: string, fields: Parameters<typeof running>[1] = {}, seed = 1) {
  const plain = await running(text, fields);
  const timed = await running(text, fields);
  timed.device.setDelays("slow-hot", seed);
  return { plain, timed };
}
const both = ({ plain, timed }: { plain: Running; timed: Running }, act: (one: Running) => void) => {
  act(plain);
  act(timed);
};
const registers = (device: SimulatedPart) => [...device.circuit!.registers()].join("");

async function fmaxPs(result: FlowResult, clock = "clk"): Promise<number> {
  const timing = (await result.artifact("timing"))!;
  return 1e6 / timing.clocks.find(({ name }) => name === clock)!.fmaxMhz!;
}
const rule = (period: number) => [
  { name: "t.sdc", text: `create_clock -name clk -period ${period} [get_ports clk]\n` },
];

/** A sum whose carry runs from end to end in every cycle while `a` is all ones. */
const ripple = `module ripple(input clk, input [27:0] a, output reg [27:0] y);
  reg [27:0] x = 0; reg t = 0;
  always @(posedge clk) begin x <= a; t <= ~t; y <= x + t; end
endmodule
`;

const designs: [string, string, string][] = [
  [
    "sums and choices",
    "TW-2-P144-2C",
    `module m(input clk, input rst, input [7:0] a, b, input [1:0] s, output reg [7:0] y, output z);
      reg [7:0] p, q;
      always @(posedge clk) if (rst) begin p <= 0; q <= 3; y <= 0; end else begin
        p <= a + b; if (s[0]) q <= q ^ p; case (s) 0: y <= p - q; 1: y <= p & q; 2: y <= {q[3:0], p[7:4]}; default: y <= p * 3; endcase
      end
      assign z = ^(a ^ y);
    endmodule`,
  ],
  [
    "small LUTs with an asynchronous reset",
    "CA-1-P84-2C",
    `module m(input clk, input rst, input [7:0] a, b, input [1:0] s, output reg [7:0] y, output z);
      reg [7:0] p;
      always @(posedge clk or posedge rst) if (rst) begin p <= 8'h5a; y <= 0; end else begin
        p <= s[1] ? a - b : p + 1; if (s[0]) y <= p | (a & b);
      end
      assign z = y > p;
    endmodule`,
  ],
  [
    "a memory and a multiplier",
    "TW-9-P208-2C",
    `module m(input clk, input rst, input [7:0] a, b, input [1:0] s, output reg [7:0] y, output z);
      reg [7:0] store [0:255]; reg [7:0] read; reg [15:0] product;
      always @(posedge clk) begin
        if (s[0]) store[a] <= b; read <= store[b]; product <= a * b;
        y <= rst ? 0 : read + product[11:4];
      end
      assign z = s[1] ^ y[0];
    endmodule`,
  ],
];

describe("a part with its delays", () => {
  it.each(designs)("does at a slow clock what it does without them: %s", async (_, part, text) => {
    const parts = await pair(text, { part, timingFiles: rule(100) });
    const random = new Random(3);
    for (let step = 0; step < 150; step++) {
      const values = {
        a: random.below(256),
        b: random.below(256),
        s: random.below(4),
        rst: Number(random.below(9) === 0),
      };
      const cycles = 1 + random.below(3);
      both(parts, ({ player }) => {
        player.set(values);
        player.clock("clk", cycles);
      });
      parts.timed.device.wait(50_000);
      for (const port of ["y", "z"])
        expect(parts.timed.player.read(port), `step ${step}`).toBe(parts.plain.player.read(port));
      expect(registers(parts.timed.device)).toBe(registers(parts.plain.device));
    }
    expect(parts.timed.device.caught).toBe(0);
  });

  it.each([
    [
      "a clock block's clocks",
      "TW-2-P144-2C",
      `module m(input clk, output reg [7:0] n, a, b, output locked); wire ca, cb;
        clock_block #(.MULTIPLY(3), .DIVIDE_A(2), .DIVIDE_B(8), .PHASE_A(3)) u1 (.clock_in(clk), .clock_a(ca), .clock_b(cb), .locked(locked));
        initial begin n = 0; a = 0; b = 0; end
        always @(posedge clk) n <= n + 1; always @(posedge ca) a <= a + 3; always @(posedge cb) b <= b + 5;
      endmodule`,
      "n a b locked",
    ],
    [
      "clock blocks, one behind the other",
      "TW-2-P144-2C",
      `module m(input clk, output reg [7:0] n); wire ca, cb, cc, b0, b1, l0, l1;
        clock_block #(.MULTIPLY(2)) u1 (.clock_in(clk), .clock_a(ca), .clock_b(b0), .locked(l0));
        clock_block #(.MULTIPLY(2)) u2 (.clock_in(ca), .clock_a(cc), .clock_b(b1), .locked(l1));
        initial n = 0; always @(posedge cc) n <= n + 1;
      endmodule`,
      "n",
    ],
    [
      "serial lanes",
      "TW-9-P144-1C",
      `module m(input clk, rx, output tx, output [9:0] heard, output reg [9:0] said);
        initial said = 10'd77; always @(posedge clk) said <= said * 5 + 3;
        serial_lane u1 (.word_clock(clk), .slip(1'b0), .rx(rx), .tx(tx), .tx_word(said), .rx_word(heard));
      endmodule`,
      "heard said",
    ],
  ])("runs %s as they run without delays", async (_, part, text, outputs) => {
    const parts = await pair(text, { part, sources: [{ name: "t.sv", text }], timingFiles: rule(50) });
    if (outputs.includes("heard")) both(parts, ({ player }) => player.link("tx", "rx"));
    for (let step = 0; step < 80; step++) {
      both(parts, ({ player }) => player.clock("clk", 1 + (step % 3)));
      parts.timed.device.wait(10_000);
      for (const port of outputs.split(" "))
        expect(parts.timed.player.read(port), `${port}, step ${step}`).toBe(parts.plain.player.read(port));
    }
  });

  it("lets either clock through a switch, and no pulse that is shorter than either's", async () => {
    const text = `module m(input clk, slow, pick, output reg [7:0] n);
      wire c; clock_switch u1 (.clock_0(clk), .clock_1(slow), .select(pick), .clock_out(c));
      initial n = 0; always @(posedge c) n <= n + 1;
    endmodule`;
    const parts = await pair(text);
    for (let t = 0; t < 300; t++) {
      const values = { clk: t & 1, slow: Math.floor(t / 7) & 1, pick: t > 40 && t < 170 ? 1 : 0 };
      both(parts, ({ player }) => player.set(values));
      expect(parts.timed.player.read("n"), `step ${t}`).toBe(parts.plain.player.read("n"));
    }
    expect(parts.timed.player.read("n")).toBeGreaterThan(20);
  });

  describe("at its limit", () => {
    let parts: { plain: Running; timed: Running };
    let least: number;
    beforeAll(async () => {
      parts = await pair(ripple, { timingFiles: rule(3), recipe: "even" });
      least = await fmaxPs(parts.timed.result);
      both(parts, ({ player }) => player.set({ a: 0xfffffff }));
    });
    /** Cycles, in steps, after which some register is not what it should be. */
    const wrong = (periodPs: number, cycles: number, step: number) => {
      let count = 0;
      for (let done = 0; done < cycles; done += step) {
        both(parts, ({ device, padOf }) => {
          device.runClock(padOf("clk"), step, periodPs);
          device.wait(100_000);
        });
        if (registers(parts.timed.device) !== registers(parts.plain.device)) count++;
      }
      return count;
    };
    it("captures nothing wrong at 2 % under its highest clock", () => {
      const cycles = process.env["GATE_CLOCK_LONG"] ? 1_000_000 : 100_000;
      expect(wrong(least / 0.98, cycles, 50)).toBe(0);
      expect(parts.timed.device.caught).toBe(0);
    }, 600_000);
    it("captures something wrong at 3 % over it", () => {
      expect(wrong(least / 1.03, 400, 4)).toBeGreaterThan(0);
      expect(parts.timed.device.caught).toBeGreaterThan(0);
    });
    it("captures wrong where the new value comes much too late", () => {
      both(parts, ({ player, device }) => {
        device.setDelays(device === parts.timed.device ? "slow-hot" : null, 1);
        player.set({ a: 0xfffffff });
      });
      expect(wrong(least / 1.3, 64, 8)).toBeGreaterThan(0);
    });
  });

  it("lets data through where the clock comes later than they do", async () => {
    // the second clock goes through a LUT and plain wires: data overtake it
    const late = `module late(input clk, input d, input [2:0] on, output reg q);
      reg first = 0; (* keep *) wire one = clk & on[0]; (* keep *) wire two = one & on[1]; (* keep *) wire slow = two & on[2];
      always @(posedge clk) first <= d;
      always @(posedge slow) q <= first;
    endmodule`;
    const parts = await pair(late, {
      timingFiles: [{ name: "t.sdc", text: "create_clock -name clk -period 100 [get_ports clk]\n" }],
    });
    const timing = (await parts.timed.result.artifact("timing"))!;
    const worst = Math.min(...timing.holdPaths.map(({ slackPs }) => slackPs ?? 0));
    expect(worst).toBeLessThan(-300);
    const seen = (one: Running) => {
      const values: unknown[] = [];
      one.player.set({ d: 0, on: 7 });
      one.player.clock("clk", 4);
      for (let i = 0; i < 6; i++) {
        one.player.set({ d: (i + 1) % 2 });
        one.player.clock("clk", 1);
        values.push(one.player.read("q"));
      }
      return values.join("");
    };
    expect(seen(parts.plain)).toBe("010101");
    expect(seen(parts.timed)).toBe("101010");
  });

  it("takes either value of an input that changes at its clock, by chance and by the seed", async () => {
    const text = "module s(input clk, input d, output reg q); always @(posedge clk) q <= d; endmodule";
    const outcomes = async (seed: number) => {
      const { timed } = await pair(text, { timingFiles: rule(10) }, seed);
      // every place of the change within the cycle: before the window, in it, and after it
      const list: { at: number; taken: number; caught: boolean }[] = [];
      for (let at = 0; at < 10_000; at += 10) {
        timed.player.set({ d: 0 });
        timed.player.clock("clk", 2);
        timed.device.wait(20_000);
        const before = timed.device.caught ?? 0;
        timed.device.setPads(new Map([[timed.padOf("d"), 1]]), at);
        timed.device.runClock(timed.padOf("clk"), 1, 10_000);
        timed.device.wait(20_000);
        const taken = timed.player.read("q") as number;
        list.push({ at, taken, caught: (timed.device.caught ?? 0) > before });
      }
      return list;
    };
    const first = await outcomes(1);
    const caught = first.filter((one) => one.caught);
    // setup and hold of a register, and no wider
    expect(caught.length).toBeGreaterThan(5);
    expect(caught.length).toBeLessThan(40);
    expect(new Set(caught.map(({ taken }) => taken))).toEqual(new Set([0, 1]));
    for (const { at, taken } of first)
      if (at < caught[0].at) expect(taken).toBe(1);
      else if (at > caught[caught.length - 1].at) expect(taken).toBe(0);
    expect(await outcomes(1)).toEqual(first);
    expect((await outcomes(2)).map(({ taken }) => taken)).not.toEqual(first.map(({ taken }) => taken));
  });

  it("on a board runs up to a clock near the one that timing tells, and says what captured wrong beyond it", async () => {
    const board = new Board(findBoard("shuttle").board!);
    // inputs stay what they are: the carry runs from end to end by itself
    const text = `module self(input clk, output y);
      (* keep *) reg [27:0] x = 28'hfffffff; reg t = 0; reg [27:0] s = 0; reg all = 0;
      always @(posedge clk) begin t <= ~t; s <= x + t; x <= x ^ {28{all}}; all <= &s[3:0] & ~s[27]; end
      assign y = s[27];
    endmodule`;
    const pins = [{ name: "t.pins", text: `clk at ${board.description.oscillator.pin}\n` }];
    const { result } = await running(text, {
      part: board.part.name,
      pinFiles: pins,
      timingFiles: rule(2),
      recipe: "even",
    });
    const mhz = 1e6 / (await fmaxPs(result));
    board.setPower(true);
    const cable = new Cable(board.device);
    cable.reset();
    cable.configure((await result.artifact("image"))!.file);
    board.restartClock();
    board.setDelays("slow-hot");
    expect(board.runsAt(0.98e6 * mhz, 3000)).toBeNull();
    expect(board.state()).toMatchObject({ delays: "slow-hot", caught: 0, wrong: null });
    const wrong = board.runsAt(1.5e6 * mhz, 3000)!;
    expect(wrong.cycle).toBeLessThanOrEqual(3000);
    const decoded = board.device.circuit!.circuit.flipFlops;
    expect(decoded.some(({ tile, element }) => tile === wrong.tile && element === wrong.element)).toBe(true);
    // slower again, it begins anew and all is well; and so without delays
    expect(board.runsAt(0.5e6 * mhz, 500)).toBeNull();
    board.setDelays(null);
    expect(board.runsAt(1.5e6 * mhz, 500)).toBeNull();
    expect(board.state()).toMatchObject({ delays: null, caught: null, wrong: null });
  });

  it("says so where a loop swings", () => {
    const { part } = findPart("TW-2-P144-2C");
    const ring: Circuit = {
      signalCount: 2,
      inputs: [],
      outputs: [],
      tables: [{ output: 1, inputs: [1], low: 0x55555555, high: 0x55555555, made: { as: "lut", pins: [-1] } }],
      flipFlops: [],
      blocks: [],
      lutCount: 1,
      signalOfNode: new Map(),
    };
    const memory = new Uint8Array(configMap(part!).byteCount);
    expect(new TimedEngine(part!, memory, ring, "slow-hot").unstable).toBe(true);
    const still = { ...ring, tables: [{ ...ring.tables[0], low: 0xaaaaaaaa, high: 0xaaaaaaaa }] };
    expect(new TimedEngine(part!, memory, still, "slow-hot").unstable).toBe(false);
  });
});
