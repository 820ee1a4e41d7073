import { describe, expect, it } from "vitest";
import { formatFinding, quietContext } from "../src/common/index.ts";
import { findPart } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { MemoryStore, PlayError, runFlow } from "../src/flow/index.ts";
import { proveReadback } from "../src/prove/index.ts";
import { built, designInput, layoutOf, memoryOf, running } from "./helpers/build.ts";
import { builtLines, linesOf } from "./helpers/simulation.ts";

const part = "TW-9-P144-1C";

/** Sends words of a counter, and shows what comes in; slips by hand. */
const sender = `module m(input clk, slip, rx, output tx, output [9:0] heard, output reg [9:0] said);
  initial said = 10'd77;
  always @(posedge clk) said <= said * 5 + 3;
  serial_lane u1 (.word_clock(clk), .slip(slip), .rx(rx), .tx(tx), .tx_word(said), .rx_word(heard));
endmodule`;

describe("serial lanes", () => {
  it("give back what they send, by any border between words, as written, as built and on the part", async () => {
    const slips = Array.from({ length: 60 }, (_, i) => (i > 20 && i % 4 === 1 ? 1 : 0));
    const bench = `\`timescale 1ns / 1ps
module tb; reg clk = 0, slip = 0; wire line; wire [9:0] heard, said;
      m dut(.clk(clk), .slip(slip), .rx(line), .tx(line), .heard(heard), .said(said));
      initial begin #4; ${slips.map((slip) => `slip = ${slip}; clk = 1; #4 clk = 0; #3.999 $display("%0d %0d", heard, said); #0.001;`).join("\n")} end endmodule`;
    const written = linesOf(
      [
        { name: "t.sv", text: sender },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    const { player, result } = await running(sender, { part });
    const netlist = (await result.artifact("synth"))!;
    const after = builtLines(netlist, bench);
    player.link("tx", "rx");
    const onPart = slips.map((slip) => {
      player.set({ slip });
      player.clock("clk", 1);
      return `${player.read("heard")} ${player.read("said")}`;
    });
    expect(after).toEqual(written);
    expect(onPart).toEqual(written);
    // without a slip a word is heard whole: the one said two cycles before
    const words = onPart.map((line) => line.split(" ").map(Number));
    expect(words[10][0]).toBe(words[8][1]);
    // ten slips come round to the same border
    expect(slips.filter((slip) => slip).length).toBe(10);
    expect(words[59][0]).toBe(words[57][1]);
  });

  it("are silent until they are linked, and reach each other", async () => {
    const two = `module m(input clk, input [9:0] word, input rx0, rx1, output tx0, tx1, output [9:0] a, b);
      serial_lane u0 (.word_clock(clk), .slip(1'b0), .rx(rx0), .tx(tx0), .tx_word(word), .rx_word(a));
      serial_lane u1 (.word_clock(clk), .slip(1'b0), .rx(rx1), .tx(tx1), .tx_word(~word), .rx_word(b)); endmodule`;
    const { player, result } = await running(two, { part });
    player.set({ word: 0x155 });
    player.clock("clk", 5);
    expect([player.read("a"), player.read("b")]).toEqual([0, 0]);
    player.link("tx0", "rx1");
    player.link("tx1", "rx0");
    player.clock("clk", 3);
    expect([player.read("a"), player.read("b")]).toEqual([0x2aa, 0x155]);
    expect(() => player.set({ rx0: 1 })).toThrow(PlayError);
    expect(() => player.link("rx0", "tx1")).toThrow(PlayError);
    const pins = (await result.artifact("rules"))!.pins.pins.filter(({ standard }) => standard === "serial");
    expect(Object.fromEntries(pins.map(({ port, pin }) => [port, pin]))).toEqual({
      rx0: "RX0",
      tx0: "TX0",
      rx1: "RX1",
      tx1: "TX1",
    });
  });

  it("lie where their pins are", async () => {
    const place = async (text: string) => {
      const result = await runFlow(
        designInput(sender, { part, pinFiles: [{ name: "m.pins", text }] }),
        new MemoryStore(),
      );
      const findings = result.findings.filter(({ severity }) => severity === "error").map(({ message }) => message);
      const placed = await result.artifact("place");
      return { findings, tile: placed?.blockTile[0] ?? null };
    };
    const sites = findPart(part).part!.fabric.blockSites("serialLane");
    expect(sites).toHaveLength(4);
    expect(await place("rx at RX2\ntx at TX2\n")).toEqual({ findings: [], tile: sites[2] });
    expect(await place("tx at TX3\n")).toEqual({ findings: [], tile: sites[3] });
    expect((await place("rx at RX2\ntx at TX1\n")).findings[0]).toMatch(
      /'tx' is at lane 1, but 'rx' of the same lane is at RX2/,
    );
    expect((await place("rx at N1\n")).findings[0]).toMatch(/cannot be reached at N1/);
    expect((await place("rx at TX0\n")).findings[0]).toMatch(/cannot be reached at TX0/);
    expect((await place("rx at RX4\n")).findings[0]).toMatch(/cannot be reached at RX4/);
  });

  it("are proven, and timed as registers", async () => {
    const timingFiles = [{ name: "t.sdc", text: "create_clock -period 8 [get_ports clk]\n" }];
    const result = await built(sender, { part, timingFiles });
    const proof = proveReadback(await layoutOf(result), await memoryOf(result), quietContext());
    expect([proof.verdict, proof.points > 30]).toEqual(["equal", true]);
    const { setupPaths, padPaths } = (await result.artifact("timing"))!;
    expect(setupPaths.some(({ to }) => to.includes("u1"))).toBe(true);
    // a serial pin has no pad whose delay would count
    expect(padPaths.filter(({ from, to }) => /rx|tx/.test(from) || /tx:pad/.test(to))).toEqual([]);
  });

  it("tell what cannot be", async () => {
    const findings = (text: string) =>
      elaborate([{ name: "t.sv", text }], { top: "m" })
        .findings.map(formatFinding)
        .join("\n");
    const lane = (rest: string) => `module m(input clk, rx, output tx, y, output [9:0] q); wire t; ${rest} endmodule`;
    const pins = ".word_clock(clk), .slip(1'b0), .tx_word(q), .rx_word(q)";
    expect(findings(lane(`serial_lane u(${pins}, .rx(~rx), .tx(tx)); assign y = 0;`))).toMatch(
      /'rx' of serial lane 'u'/,
    );
    expect(findings(lane(`serial_lane u(${pins}, .rx(rx), .tx(tx)); assign y = rx;`))).not.toMatch(/'tx' of/);
    expect(findings(lane(`serial_lane u(${pins}, .rx(rx), .tx(tx)); assign y = ~rx;`))).toMatch(
      /'rx' of serial lane 'u'/,
    );
    expect(findings(lane(`serial_lane u(${pins}, .rx(rx), .tx(t)); assign tx = ~t; assign y = 0;`))).toMatch(
      /'tx' of serial lane 'u'/,
    );
    expect(findings(lane(`serial_lane u(${pins}, .rx(rx), .tx(tx)); assign y = 0;`))).not.toMatch(/serial-pin/);
    const small = await runFlow(designInput(sender), new MemoryStore());
    expect(small.findings.map(formatFinding).join("\n")).toMatch(/needs 1 of 0 serial lanes/);
  });
});
