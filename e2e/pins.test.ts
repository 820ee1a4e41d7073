import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { makeDesign, savedTexts, serveForTests } from "./app.ts";
import { allSaid, clickTestId, said, shownText, waitForText } from "./browser.js";

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
const pinsOf = async () => (await savedTexts(server, id))["pedal.pins"];
const press = async (within: string, label: string) => {
  const path = `//*[@data-testid="${within}"]//button[starts-with(normalize-space(), "${label}")]`;
  await (await driver.wait(until.elementLocated(By.xpath(path)), 30_000)).click();
};
const saved = (condition: (text: string) => boolean) => driver.wait(async () => condition(await pinsOf()), 30_000);

describe("the Pins station", () => {
  it("claims what surely means a signal of the board, and goes back on it with one undo", async () => {
    id = await makeDesign(server, {
      name: "pedal",
      part: "TW-2-P144-2C",
      board: "shuttle",
      files: [
        { path: "pedal.v", kind: "source", text: pedal },
        { path: "pedal.pins", kind: "pins", text: "# by hand\n" },
      ],
    });
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

  const contact = (name: string) => driver.wait(until.elementLocated(By.css(`[data-contact="${name}"]`)), 30_000);
  /** The contact itself, without its name. */
  const mark = async (name: string) =>
    (await contact(name)).findElement(By.css("path[stroke-dasharray], path:last-of-type"));
  const useOf = (name: string) => said(driver, `[data-contact="${name}"]`, "data-use");
  /** Brings rows of the table into sight. */
  const filter = async (text: string) => {
    const field = await driver.findElement(By.css('input[aria-label="Filter pins"]'));
    await field.sendKeys(Key.chord(Key.CONTROL, "a"), text);
  };
  const drag = async (what: string, to: string) => {
    await filter(what.replace(/\[.*/, ""));
    const grip = await driver.wait(until.elementLocated(By.css(`[data-drag="${what}"]`)), 30_000);
    const target = await mark(to);
    await driver.actions().move({ origin: grip }).press().move({ origin: target, x: 6 }).perform();
    await driver.actions().move({ origin: target }).perform();
    const told = await shownText(driver, "drag");
    await driver.actions().release().perform();
    return told;
  };

  it("places a port by dragging it onto a contact, and shows it in text, table and drawing", async () => {
    const before = await pinsOf();
    expect(await useOf("E12")).toBe("free");
    expect(await drag("odd", "E12")).toMatch(/odd\s*to E12/);
    await saved((text) => text === `${before}odd            at E12   LVCMOS33\n`);
    expect(await useOf("E12")).toBe("line");
    await filter("odd");
    expect(await said(driver, 'input[aria-label="Pin of odd"]', "value")).toBe("E12");
    // and on to another one, from the drawing itself
    const [from, to] = [await mark("E12"), await mark("E13")];
    await driver.actions().move({ origin: from }).press().move({ origin: to, x: 3 }).perform();
    await driver.actions().move({ origin: to }).release().perform();
    await saved((text) => text.endsWith("odd            at E13   LVCMOS33\n"));
    await clickTestId(driver, "undo");
    await clickTestId(driver, "undo");
    await saved((text) => text === before);
    await driver.wait(async () => (await useOf("E12")) === "free", 10_000);
  });

  it("places a whole bus signal by signal, and says why it cannot where it cannot", async () => {
    await press("claim-picks", "Release");
    await saved((text) => !text.includes("picks"));
    const before = await pinsOf();
    // the switches drive those wires, and the lamps of the other port are at E4
    expect(await drag("picks[7:0]", "S33")).toMatch(/switch.*drives that wire/);
    expect(await drag("picks[7:0]", "E2")).toMatch(/'lamps\[\d\]' is there/);
    await waitForText(driver, "pin-notice", /cannot be placed there/);
    expect(await pinsOf()).toBe(before);
    expect(await drag("picks[7:0]", "W1")).toMatch(/to W1 … W9/);
    await saved((text) => /picks\[0\] +at W1 [\s\S]*picks\[7\] +at W9 /.test(text));
  });

  it("takes a pin that is typed, and offers only what is legal there", async () => {
    await filter("odd");
    const cell = await driver.findElement(By.css('input[aria-label="Pin of odd"]'));
    await cell.click();
    await cell.sendKeys("n30", Key.ENTER);
    await saved((text) => /odd +at N30 +LVCMOS33/.test(text));
    const standards = await driver.findElement(By.css('select[aria-label="Standard of odd"]'));
    await standards.click();
    const names = await allSaid(driver, 'select[aria-label="Standard of odd"] option');
    // the oscillator sets the bank to 3.3 V
    expect(names).toEqual(["LVCMOS33", "LVTTL"]);
    await standards.findElement(By.css('option[value="LVTTL"]')).click();
    await saved((text) => /odd +at N30 +LVTTL/.test(text));
    const field = await driver.findElement(By.css('input[aria-label="Pin of odd"]'));
    await field.click();
    await field.sendKeys("N19", Key.ENTER);
    await waitForText(driver, "pin-notice", /'clk' is there/);
    expect(await pinsOf()).toMatch(/odd +at N30/);
  });

  it("shows the same in two tabs, through undo and redo", async () => {
    const own = await driver.getWindowHandle();
    const text = await pinsOf();
    await driver.switchTo().newWindow("tab");
    await driver.get(`${server.address}/designs/${id}/pins`);
    await driver.wait(async () => (await useOf("N30")) === "line", 30_000);
    const other = await driver.getWindowHandle();
    await filter("odd");
    await driver.switchTo().window(own);
    await clickTestId(driver, "undo");
    await saved((now) => /odd +at N30 +LVCMOS33/.test(now));
    await clickTestId(driver, "undo");
    await saved((now) => !/odd/.test(now));
    const shown = async () => ({
      contact: await useOf("N30"),
      cell: await said(driver, 'input[aria-label="Pin of odd"]', "value"),
      text: (await said(driver, '[data-testid="code-editor"] .cm-content')).includes("odd"),
    });
    await driver.wait(async () => (await useOf("N30")) === "free" && !(await shown()).text, 30_000);
    const here = await shown();
    await driver.switchTo().window(other);
    // drawing, table and text follow one after the other
    await driver.wait(async () => JSON.stringify(await shown()) === JSON.stringify(here), 30_000);
    await driver.switchTo().window(own);
    await clickTestId(driver, "redo");
    await clickTestId(driver, "redo");
    await saved((now) => now === text);
    await driver.switchTo().window(other);
    const whole = JSON.stringify({ contact: "line", cell: "N30", text: true });
    await driver.wait(async () => JSON.stringify(await shown()) === whole, 30_000);
    await driver.close();
    await driver.switchTo().window(own);
  });
});
