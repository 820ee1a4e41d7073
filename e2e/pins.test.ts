import type { Design } from "@gate-clock/contract";
import { By, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { clickTestId, waitForText } from "./browser.js";

/** From an empty pin file to one whose lines are those of the board, by claims alone. */
let driver: WebDriver;
const server = serveForTests((browser) => {
  driver = browser;
});

const pedal = `module pedal(input clk, input [3:0] switches, input start_button, output [7:0] picks, output reg [3:0] lamps,
  output odd);
  always @(posedge clk) lamps <= switches ^ {4{start_button}};
  assign picks = {2{lamps}};
  assign odd = ^lamps;
endmodule
`;
let id = "";
const pinsOf = async () => {
  const design = (await (await fetch(`${server.address}/api/designs/${id}`)).json()) as Design;
  return design.files.find((file) => file.path === "pedal.pins")!.text;
};
const press = async (within: string, label: string) => {
  const path = `//*[@data-testid="${within}"]//button[starts-with(normalize-space(), "${label}")]`;
  await (await driver.wait(until.elementLocated(By.xpath(path)), 30_000)).click();
};
const saved = (condition: (text: string) => boolean) => driver.wait(async () => condition(await pinsOf()), 30_000);

describe("the Pins station", () => {
  it("claims what surely means a signal of the board, and goes back on it with one undo", async () => {
    const response = await fetch(`${server.address}/api/designs`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({
        name: "pedal",
        part: "TW-2-P144-2C",
        board: "shuttle",
        files: [
          { path: "pedal.v", kind: "source", text: pedal },
          { path: "pedal.pins", kind: "pins", text: "# by hand\n" },
        ],
      }),
    });
    id = ((await response.json()) as Design).id;
    await driver.get(`${server.address}/designs/${id}/pins`);
    await press("claims", "Claim all that match");
    await saved((text) => /lamps\[3\] +at E4/.test(text));
    const text = await pinsOf();
    expect(text.startsWith("# by hand\n")).toBe(true);
    expect(text).toMatch(/clk +at N19/);
    expect(text).toMatch(/switches\[0\] +at S36/);
    expect(text).toMatch(/start_button +at S10/);
    // by width alone nobody's port is tied unseen
    expect(text).not.toMatch(/odd|picks/);
    await clickTestId(driver, "undo");
    await saved((now) => now === "# by hand\n");
    await clickTestId(driver, "redo");
    await saved((now) => now === text);
  });

  it("claims a guess when it is asked to, and releases it without touching another line", async () => {
    const before = await pinsOf();
    await waitForText(driver, "claim-odd", /a free one of lamps/);
    await press("claim-odd", "Claim");
    await saved((text) => /odd +at E6/.test(text));
    await press("claim-odd", "Release");
    await saved((text) => text === before);
    await press("claim-switches", "Release");
    await saved((text) => !text.includes("switches"));
    expect(await pinsOf()).toBe(
      before
        .split("\n")
        .filter((line) => !line.startsWith("switches"))
        .join("\n"),
    );
    await waitForText(driver, "claims", /3 of 6 ports claimed/);
    await driver.findElement(By.css('select[aria-label="Signal for picks"] option[value="segment"]')).click();
    await press("claim-picks", "Claim");
    await saved((text) => /picks\[7\] +at W9/.test(text));
  });
});
