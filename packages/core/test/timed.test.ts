import { beforeAll, describe, expect, it } from "vitest";
import { configMap } from "../src/bitstream/index.ts";
import { Random } from "../src/common/index.ts";
import { findPart } from "../src/device/index.ts";
import type { FlowResult } from "../src/flow/index.ts";
import type { Circuit, SimulatedPart } from "../src/silicon/index.ts";
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
      const cycles = process.env["GATE_CLOCK_LONG"] ? 1_000_000 : 20_000;
      expect(wrong(least / 0.98, cycles, 50)).toBe(0);
      expect(parts.timed.device.caught).toBe(0);
    }, 600_000);
    it("captures something wrong at 3 % over it", () => {
      expect(wrong(least / 1.03, 400, 4)).toBeGreaterThan(0);
      expect(parts.timed.device.caught).toBeGreaterThan(0);
    });
    it("captures what was there before where the new value comes much too late", () => {
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
