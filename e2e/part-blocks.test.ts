import type { Design, Trial } from "@gate-clock/contract";
import { type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { byTestId, clickTestId, said, waitForText } from "./browser.js";

/** A design that makes its clocks in the part and drives a line that others may drive too, from its text to the board. */
let driver: WebDriver;
const server = serveForTests((browser) => {
  driver = browser;
});

const text = `module shed_clocks(input clk, hurry, inout brake_line, output reg [3:0] shed_lamps, takeup_lamps);
  wire shed_clk, slow_clk, takeup_clk, ready;
  clock_block #(.MULTIPLY(3), .DIVIDE_A(2), .DIVIDE_B(24)) speeds
    (.clock_in(clk), .clock_a(shed_clk), .clock_b(slow_clk), .locked(ready));
  clock_switch gear (.clock_0(slow_clk), .clock_1(shed_clk), .select(hurry), .clock_out(takeup_clk));
  reg [15:0] shed = 0, takeup = 0;
  assign brake_line = &shed[15:12] ? 1'b0 : 1'bz;
  always @(posedge shed_clk) begin if (ready & brake_line) shed <= shed + 1'b1; shed_lamps <= shed[11:8]; end
  always @(posedge takeup_clk) begin takeup <= takeup + 1'b1; takeup_lamps <= takeup[11:8]; end
endmodule
`;
const lamps = ["E1", "E2", "E3", "E4", "E6", "E7", "E8", "E9"];
const pins = [
  "clk at N19",
  "hurry at S36",
  "brake_line at W10 LVCMOS33 pull=up",
  ...lamps.map((pin, i) => `${i < 4 ? "shed" : "takeup"}_lamps[${i % 4}] at ${pin} LVCMOS33 register=on`),
].join("\n");

async function post<T>(path: string, body?: object): Promise<T> {
  const response = await fetch(`${server.address}${path}`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body ?? {}),
  });
  expect(response.ok, path).toBe(true);
  return (await response.json()) as T;
}

describe("blocks of the part that the source names", () => {
  it("are in no list of files or findings, and are drawn as symbols", async () => {
    const design = await post<Design>("/api/designs", {
      name: "shed-clocks",
      part: "TW-2-P144-2C",
      board: "shuttle",
      files: [
        { path: "shed_clocks.v", kind: "source", text },
        { path: "board.pins", kind: "pins", text: `${pins}\n` },
        { path: "clocks.sdc", kind: "timing", text: "create_clock -name main -period 20 [get_ports clk]\n" },
      ],
    });
    await post<Trial>(`/api/designs/${design.id}/trials`);
    await driver.get(`${server.address}/designs/${design.id}/circuit`);
    await waitForText(driver, "station-sources", /1 module/);
    await waitForText(driver, "station-bench", /ready/);
    const shown = () => said(driver, "main, body");
    await driver.wait(async () => /clock block/.test(await shown()) && /clock switch/.test(await shown()), 30_000);
  });

  it("give clocks whose goals and figures are listed", async () => {
    await clickTestId(driver, "station-clocks");
    await waitForText(driver, "clocks-reached", /speeds\.clock_a\s+shed_clk\s+\d+\s+75\.0/);
    await waitForText(driver, "clocks-reached", /gear\.clock_out:speeds\.clock_[ab]/);
  });

  it("leave a line that goes both ways and registers in pads on the Pins page", async () => {
    await clickTestId(driver, "station-pins");
    await waitForText(driver, "station-pins", /11 placed/);
    expect(await said(driver, 'input[aria-label="Pin of brake_line"]', "value")).toBe("W10");
    expect(await said(driver, '[data-testid="row-brake_line"]', "textContent")).toMatch(/inout/);
    expect(await said(driver, '[role="grid"][aria-label="pins"]', "textContent")).toMatch(/pad register/);
  });

  it("run on the board from the bits", async () => {
    await clickTestId(driver, "station-image");
    await byTestId(driver, "download-compressed");
    await clickTestId(driver, "station-bench");
    await clickTestId(driver, "power");
    await clickTestId(driver, "find-chain");
    await waitForText(driver, "chain", /TW-2/);
    await clickTestId(driver, "program");
    await waitForText(driver, "verdict", /The board runs trial 1/);
    await waitForText(driver, "pace", /\d/);
  });
});
