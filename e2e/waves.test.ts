import type { Design } from "@gate-clock/contract";
import { By, Key, until, type WebDriver, type WebElement } from "selenium-webdriver";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "../apps/server/test/helpers/test-server.ts";
import * as inBrowser from "./browser.js";
import { allSaid, byTestId, clickTestId, openBrowser } from "./browser.js";

/** Waves in the real interface: groups, bits, markers, curves, a search, what is recorded, and what is kept. */
const server = new TestServer();
let driver: WebDriver;
let close: () => Promise<void>;
let design: Design;

const shuttle = `\`timescale 1ns/1ns
module shuttle(input clk, output reg [3:0] shed = 0, output reg up = 0);
  typedef enum logic [1:0] { rest, lift, throw, beat } phase_t;
  phase_t phase = rest;
  always @(posedge clk) begin
    shed <= shed + 4'd1;
    up <= shed[3];
    phase <= phase.next();
  end
endmodule
module shuttle_bench;
  logic clk = 0;
  wire [3:0] shed;
  wire up;
  shuttle dut(clk, shed, up);
  always #5 clk = ~clk;
  initial begin
    #195 $display("shed is %0d", shed);
    $finish;
  end
endmodule
module endless_bench;
  reg c = 0;
  always #1 c = ~c;
  initial $display("on and on");
endmodule
`;

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
  const response = await fetch(`${server.address}/api/designs`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({
      name: "shuttle",
      part: "TW-2-P144-2C",
      files: [{ path: "shuttle.sv", kind: "source", text: shuttle }],
    }),
  });
  design = (await response.json()) as Design;
  ({ driver, close } = await openBrowser());
  await driver.get(`${server.address}/designs/${design.id}/simulate?run=shuttle_bench`);
});
afterAll(async () => {
  await close?.();
  await server.stop();
  await server.dropDatabase();
});

const waitForText = (id: string, pattern: RegExp) => inBrowser.waitForText(driver, id, pattern);
const texts = (selector: string) => allSaid(driver, selector);
const rowNames = async () => (await texts('[data-testid="wave-row"]')).map((text) => text.split(/\s/)[0]);
const labelled = (label: string): Promise<WebElement> =>
  driver.wait(until.elementLocated(By.css(`[aria-label="${label}"]`)), 30_000);
const nameOf = (name: string) =>
  driver.findElement(By.xpath(`//*[@data-testid="wave-row"]//button[normalize-space()="${name}"]`));
const choose = async (label: string) =>
  (await driver.wait(until.elementLocated(By.xpath(`//*[@role="menuitem"][contains(., "${label}")]`)), 30_000)).click();
/** Run button and all that follows, until the verdict. */
async function run(pattern: RegExp): Promise<void> {
  await clickTestId(driver, "run-bench");
  await waitForText("verdict", pattern);
}

describe("waves", () => {
  it("open with the bench's own signals; bits of a vector become rows", async () => {
    await waitForText("verdict", /shuttle_bench is ready/);
    await run(/195 ns[\s\S]*passed/);
    expect(await rowNames()).toEqual(["clk", "shed", "up"]);
    await (await labelled("Bits of shed")).click();
    expect(await rowNames()).toEqual(["clk", "shed", "shed[3]", "shed[2]", "shed[1]", "shed[0]", "up"]);
  });

  it("find a time by a condition over names and values", async () => {
    const field = await byTestId(driver, "find-time");
    await field.sendKeys("shed = 9 and clk falls", Key.ENTER);
    // edges at 5, 15, ...: the ninth rising one at 85 makes it 9, the clock falls at 90
    await waitForText("cursor-time", /▼ 90 ns/);
    const values = await texts('[data-testid="wave-row"]');
    expect(values.find((text) => /^shed\s/.test(text))).toMatch(/9$/);
    expect(values.filter((text) => /^shed\[/.test(text)).map((text) => text.slice(-1))).toEqual(["1", "0", "0", "1"]);
    await field.sendKeys(Key.chord(Key.CONTROL, "a"), "shed = ", Key.ENTER);
    await driver.wait(async () => (await field.getAttribute("aria-invalid")) === "true", 30_000);
  });

  it("keep times as markers with names", async () => {
    await (await labelled("Mark this time")).click();
    expect((await texts('[data-testid="marker"]'))[0]).toMatch(/m1/);
  });

  it("are grouped, drawn as curves and shown in another radix", async () => {
    await (await nameOf("clk")).click();
    await driver
      .actions()
      .keyDown(Key.CONTROL)
      .click(await nameOf("up"))
      .keyUp(Key.CONTROL)
      .perform();
    await (await labelled("Group the chosen signals")).click();
    expect(await texts('[data-testid="wave-group"]')).toEqual([expect.stringContaining("Group 1")]);
    await (await labelled("Options of shed")).click();
    await choose("Draw as steps");
    await (await labelled("Options of shed")).click();
    await choose("Binary");
    await driver.wait(
      async () => (await texts('[data-testid="wave-row"]')).some((text) => /^shed\s+1001$/.test(text)),
      5_000,
    );
  });

  it("are as they were, and so is the verdict, when the design is opened again", async () => {
    await driver.wait(async () => {
      const kept = (await (await fetch(`${server.address}/api/designs/${design.id}/kept`)).json()) as {
        name: string;
        value: object;
      }[];
      return (
        kept.some((each) => each.name === "verdict:shuttle_bench") &&
        kept.some((each) => each.name === "waves:shuttle_bench" && /"binary"/.test(JSON.stringify(each.value)))
      );
    }, 30_000);
    await driver.navigate().refresh();
    await waitForText("verdict", /195 ns[\s\S]*passed/);
    await waitForText("station-simulate", /1 of 2 passed/);
    await run(/195 ns[\s\S]*passed/);
    expect(await texts('[data-testid="wave-group"]')).toEqual([expect.stringContaining("Group 1")]);
    expect((await texts('[data-testid="marker"]'))[0]).toMatch(/m1/);
    await waitForText("cursor-time", /▼ 90 ns/);
    expect((await texts('[data-testid="wave-row"]')).some((text) => /^shed\s+1001$/.test(text))).toBe(true);
  });

  it("hold the scopes that were chosen to be recorded", async () => {
    await clickTestId(driver, "record");
    await waitForText("record-scopes", /shuttle_bench\s+3\s+dut\s*shuttle\s+4/);
    await (await labelled("Record shuttle_bench and what is below it")).click();
    await (await labelled("Record shuttle_bench")).click();
    await (await labelled("Record dut")).click();
    await driver.actions().sendKeys(Key.ESCAPE).perform();
    await waitForText("record", /Record\s+dut/);
    await run(/passed/);
    await waitForText("waves", /4 signals/);
    await clickTestId(driver, "record");
    await driver.wait(until.elementLocated(By.xpath('//button[normalize-space()="All"]')), 30_000).click();
    await driver.actions().sendKeys(Key.ESCAPE).perform();
    await run(/passed/);
    await waitForText("waves", /7 signals/);
  });
});

describe("a run that never ends", () => {
  it("is stopped at any moment, with what there is until then", async () => {
    const tabs = await driver.findElements(By.css('[data-testid="bench-tab"]'));
    for (const tab of tabs) if (/endless/.test(await tab.getText())) await tab.click();
    const limit = await driver.findElement(By.xpath('//label[contains(., "Stop at")]//input'));
    await limit.sendKeys(Key.chord(Key.CONTROL, "a"), Key.BACK_SPACE);
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /Running: .* simulated/);
    await clickTestId(driver, "stop-run");
    await waitForText("verdict", /endless_bench was stopped by you/);
    await waitForText("printed", /on and on/);
    expect(await rowNames()).toEqual(["c"]);
  });

  it("goes on on the server when the page is left, and is stopped from there", async () => {
    await clickTestId(driver, "run-menu");
    await clickTestId(driver, "run-on-server");
    await waitForText("server-runs", /1 running/);
    await driver.get(server.address);
    await driver.get(`${server.address}/designs/${design.id}/simulate?run=endless_bench`);
    await waitForText("server-runs", /1 running/);
    await clickTestId(driver, "server-runs");
    await waitForText("server-run-list", /endless_bench[\s\S]*simulated/);
    await driver.findElement(By.xpath('//*[@data-testid="server-run"]//button[normalize-space()="Stop"]')).click();
    await waitForText("server-run-list", /stopped by you/);
    await driver
      .wait(until.elementLocated(By.xpath('//*[@data-testid="server-run"]//button[normalize-space()="Open"]')), 30_000)
      .click();
    await waitForText("printed", /on and on/);
    await waitForText("verdict", /endless_bench was stopped by you/);
  });
});
