import { beforeAll, describe, expect, it } from "vitest";
import { compressBitstream, configMap, decodeBitstream, encodeBitstream } from "../src/bitstream/index.ts";
import { crc32c, Random } from "../src/common/index.ts";
import type { FlowResult, ImageArtifact } from "../src/flow/index.ts";
import { Player } from "../src/flow/index.ts";
import { Cable, Chain, instruction, nextTapState, statusBit, statusFaultShift, tapStates } from "../src/jtag/index.ts";
import { expressionFor } from "../src/logic/boolean.ts";
import { cellKind } from "../src/netlist/index.ts";
import { type Circuit, decodeCircuit, reduceAndOrder, SimulatedPart } from "../src/silicon/index.ts";
import { built, running } from "./helpers/build.ts";

const source = `module m(input clk, input [3:0] a, input rst, output reg [3:0] q, output y);
  always @(posedge clk) if (rst) q <= 4'd5; else if (a[3]) q <= q + a[2:0];
  assign y = ^(a & q);
endmodule
`;

describe("CRC-32C", () => {
  it("gives the check values of RFC 3720 B.4", () => {
    expect(crc32c(new Uint8Array(32))).toBe(0x8a9136aa);
    expect(crc32c(new Uint8Array(32).fill(0xff))).toBe(0x62a8ab43);
    expect(crc32c(Uint8Array.from({ length: 32 }, (_, i) => i))).toBe(0x46dd794e);
  });
});

describe("TAP controller", () => {
  it("reaches Test-Logic-Reset from every state by five clocks with TMS high", () => {
    for (const start of tapStates) {
      let state = start;
      for (let i = 0; i < 5; i++) state = nextTapState(state, 1);
      expect(state).toBe("test-logic-reset");
    }
  });
  it("shows the IDCODEs of a chain, and passes data through bypass with one clock a device", async () => {
    const { part } = await built(source);
    const chain = new Chain([new SimulatedPart(part!), new SimulatedPart(part!), new SimulatedPart(part!)]);
    const cable = new Cable(chain);
    expect(cable.findDevices()).toEqual([part!.die.idcode, part!.die.idcode, part!.die.idcode]);
    expect(part!.die.idcode & 1).toBe(1);
    cable.reset();
    cable.shiftInstruction(-1, 18);
    const out = cable.shiftData(Uint8Array.of(0b1011_0101, 0), 16);
    expect(((out[0] | (out[1] << 8)) >> 3) & 0xff).toBe(0b1011_0101);
  });
});

describe("a bitstream", () => {
  let result: FlowResult;
  let image: ImageArtifact;
  beforeAll(async () => {
    result = await built(source);
    image = (await result.artifact("image"))!;
  });
  const send = (file: Uint8Array) => {
    const device = new SimulatedPart(result.part!);
    const cable = new Cable(device);
    cable.reset();
    return { status: cable.configure(file), device, cable };
  };

  it("is the same, byte for byte, when everything is run again", async () => {
    const again = (await (await built(source)).artifact("image"))!;
    expect(again.file).toEqual(image.file);
  });
  it("comes back from the part as it was sent", () => {
    const { device, cable } = send(image.file);
    expect(device.configured).toBe(true);
    const decoded = decodeBitstream(image.file, result.part!);
    if (!decoded.ok) throw new Error(decoded.detail);
    cable.shiftInstruction(instruction.readback);
    expect(cable.shiftData(new Uint8Array(decoded.memory.length), decoded.memory.length * 8)).toEqual(decoded.memory);
  });
  it("may leave out blank frames and means the same", () => {
    const decoded = decodeBitstream(image.file, result.part!);
    if (!decoded.ok) throw new Error(decoded.detail);
    const small = encodeBitstream(decoded.memory, result.part!, image.designKey, { omitBlankFrames: true });
    expect(small.length).toBeLessThan(image.file.length / 2);
    const back = decodeBitstream(small, result.part!);
    expect(back.ok && back.memory).toEqual(decoded.memory);
  });

  it("may be compressed into runs and means the same, in a quarter of the bytes", () => {
    const compressed = compressBitstream(image.file, result.part!)!;
    expect(compressed.length).toBeLessThan(image.file.length / 4);
    const [whole, back] = [image.file, compressed].map((file) => decodeBitstream(file, result.part!));
    expect(whole.ok && back.ok && back.memory).toEqual(whole.ok && whole.memory);
    expect(back.ok && [back.header.designKey, back.header.compressed]).toEqual([image.designKey, true]);
    const { device } = send(compressed);
    expect(device.configured).toBe(true);
    expect(compressBitstream(image.file.slice(0, 300), result.part!)).toBeNull();
  });

  const refusals: [string, (file: Uint8Array) => Uint8Array, number, RegExp][] = [
    ["cut short", (file) => file.slice(0, file.length - 9), 5, /ended before/],
    ["cut within the header", (file) => file.slice(0, 40), 5, /ended before/],
    ["with a bad frame CRC", (file) => flip(file, 200), 6, /CRC of frame 0/],
    ["with a bad header CRC", (file) => flip(file, 16 + 20), 4, /header/],
    ["with a bad file CRC", (file) => flip(file, file.length - 1), 8, /whole file/],
    ["that is empty of meaning", () => new TextEncoder().encode("this is not a bitstream at all"), 1, /no start mark/],
    ["for another part", (file) => withIdcode(file, 0x12345677), 3, /0x12345677/],
  ];
  for (const [what, change, code, words] of refusals) {
    it(`${what} is refused with its reason, and the part stays unconfigured`, () => {
      const { status, device } = send(change(image.file));
      expect(device.configured).toBe(false);
      expect(status & statusBit.configured).toBe(0);
      expect(status & statusBit.refused).toBe(statusBit.refused);
      expect((status >> statusFaultShift) & 0xff).toBe(code);
      expect(device.refusal).toMatch(words);
    });
  }
  it("that is refused also stops what ran before", () => {
    const { device, cable } = send(image.file);
    cable.configure(flip(image.file, 300));
    expect(device.configured).toBe(false);
    cable.configure(image.file);
    expect(device.configured).toBe(true);
  });

  it("has as many LUTs in use as the mapped circuit", async () => {
    const decoded = decodeBitstream(image.file, result.part!);
    if (!decoded.ok) throw new Error(decoded.detail);
    const mapped = (await result.artifact("synth"))!;
    expect(decodeCircuit(result.part!, decoded.memory).lutCount).toBe(
      mapped.kind.filter((kind) => kind === cellKind.lut).length,
    );
  });

  it("has no bit that can be flipped without a change in behaviour, unless it provably does not matter", () => {
    const decoded = decodeBitstream(image.file, result.part!);
    if (!decoded.ok) throw new Error(decoded.detail);
    const part = result.part!;
    const bits = configMap(part).byteCount * 8;
    const random = new Random(8);
    const good = decodeCircuit(part, decoded.memory);
    const canonGood = canonical(good);
    // every bit that is set in the image, and as many random others
    const chosen: number[] = [];
    for (let bit = 0; bit < bits; bit++) if ((decoded.memory[bit >> 3] >> (bit & 7)) & 1) chosen.push(bit);
    expect(chosen.length).toBeGreaterThan(150);
    for (let i = 0; i < 300; i++) chosen.push(random.below(bits));
    let differ = 0;
    let same = 0;
    for (const bit of chosen) {
      const memory = decoded.memory.slice();
      memory[bit >> 3] ^= 1 << (bit & 7);
      const changed = decodeCircuit(part, memory);
      if (canonical(changed) === canonGood) {
        same++;
        continue; // the part decodes to exactly the same circuit: the bit is unused
      }
      if (behaviour(part, memory, image) !== behaviour(part, decoded.memory, image)) differ++;
    }
    // Bits that decode to the very same circuit are proven unused (a pad's pull and drive are analog, and decode alike).
    // Of those that change the circuit, nearly all show in five hundred cycles; the rest sit in table rows the design never reaches.
    expect(same).toBeGreaterThan(0);
    expect(differ).toBeGreaterThan(120);
    expect(differ).toBeGreaterThan((chosen.length - same) * 0.85);
  });
});

function flip(file: Uint8Array, at: number): Uint8Array {
  const copy = file.slice();
  copy[at] ^= 0x10;
  return copy;
}
function withIdcode(file: Uint8Array, idcode: number): Uint8Array {
  const copy = file.slice();
  const view = new DataView(copy.buffer);
  view.setUint32(16 + 8, idcode, true);
  view.setUint32(16 + 52, crc32c(copy, 16, 16 + 52), true);
  return copy;
}
/** The decoded circuit as text, with tables reduced to the inputs that matter. */
function canonical(circuit: Circuit): string {
  const { tables } = reduceAndOrder(circuit);
  const text = (value: unknown) =>
    JSON.stringify(value, (_, each: unknown) => (typeof each === "bigint" ? each.toString() : each));
  return text([circuit.inputs, circuit.outputs, tables, circuit.flipFlops]);
}
function behaviour(part: NonNullable<FlowResult["part"]>, memory: Uint8Array, image: ImageArtifact): string {
  const device = new SimulatedPart(part);
  const cable = new Cable(device);
  cable.reset();
  cable.configure(encodeBitstream(memory, part, image.designKey, { omitBlankFrames: true }));
  const player = new Player(device, part, image.ports);
  const random = new Random(99);
  const seen: (number | string)[] = [];
  for (let step = 0; step < 500; step++) {
    player.set({ a: random.below(16), rst: random.float() < 0.15 ? 1 : 0 });
    player.clock("clk", 1);
    seen.push(player.read("q"), player.read("y"));
  }
  return seen.join(" ");
}

describe("expressions for tables", () => {
  it("compute their table for random functions of up to six inputs", () => {
    const random = new Random(4);
    for (let round = 0; round < 400; round++) {
      const inputs = round % 7;
      const mask = BigInt.asUintN(2 ** inputs, (BigInt(random.uint32()) << 32n) | BigInt(random.uint32()));
      const { expr } = expressionFor(mask, inputs);
      const run = (e: typeof expr, row: number): number => {
        switch (e.op) {
          case "const":
            return e.value;
          case "input":
            return (row >> e.input) & 1;
          case "not":
            return 1 - run(e.a, row);
          case "and":
            return run(e.a, row) & run(e.b, row);
          case "or":
            return run(e.a, row) | run(e.b, row);
          case "xor":
            return run(e.a, row) ^ run(e.b, row);
          default:
            return (row >> e.select) & 1 ? run(e.yes, row) : run(e.no, row);
        }
      };
      for (let row = 0; row < 2 ** inputs; row++) expect(run(expr, row)).toBe(Number((mask >> BigInt(row)) & 1n));
    }
  });
});

describe("clocks in the simulated part", () => {
  it("counts many cycles at once as it does one by one", async () => {
    const text =
      "module m(input clk, input en, output reg [15:0] q, output reg [7:0] s);\n initial begin q = 1; s = 0; end\n always @(posedge clk) begin if (en) q <= {q[14:0], q[15] ^ q[13] ^ q[12] ^ q[10]}; s <= s + q[3:0]; end\nendmodule\n";
    const one = await running(text);
    const many = await running(text);
    for (const { player } of [one, many]) player.set({ en: 1 });
    for (let i = 0; i < 977; i++) one.player.clock("clk", 1);
    many.player.clock("clk", 977);
    expect(many.player.read("q")).toBe(one.player.read("q"));
    expect(many.player.read("s")).toBe(one.player.read("s"));
    expect(many.device.takeDuty()).toEqual(one.device.takeDuty());
  });
  it("takes falling edges, asynchronous resets and clocks made by registers", async () => {
    const text = `module m(input clk, input arst_n, input d, output reg f, output reg [2:0] slow, output reg half, output [2:0] copy);
  always @(negedge clk) f <= d;
  always @(posedge clk or negedge arst_n) if (!arst_n) half <= 0; else half <= ~half;
  always @(posedge half or negedge arst_n) if (!arst_n) slow <= 0; else slow <= slow + 1;
  assign copy = slow;
endmodule`;
    const { player } = await running(text);
    player.set({ arst_n: 0, d: 1 });
    expect(player.read("slow")).toBe(0);
    player.set({ arst_n: 1 });
    player.clock("clk", 1);
    expect(player.read("f")).toBe(1);
    expect(player.read("half")).toBe(1);
    player.clock("clk", 9);
    expect(player.read("slow")).toBe(5);
    expect(player.read("copy")).toBe(5);
    player.set({ arst_n: 0 });
    expect(player.read("slow")).toBe(0);
    expect(player.read("half")).toBe(0);
  });
  it("holds a value in a latch", async () => {
    const { player } = await running("module m(input e, d, output reg q);\n always @* if (e) q = d;\nendmodule");
    player.set({ e: 1, d: 1 });
    expect(player.read("q")).toBe(1);
    player.set({ e: 0 });
    player.set({ d: 0 });
    expect(player.read("q")).toBe(1);
    player.set({ e: 1 });
    expect(player.read("q")).toBe(0);
  });
});
