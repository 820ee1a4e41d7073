import { mkdtemp, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import * as inBrowser from "./browser.js";
import { allSaid, byTestId, clickTestId, shownText } from "./browser.js";

/** What an engineer does on the first day, in the real interface against the real server. */
let driver: WebDriver;
const server = serveForTests(
  (made) => {
    driver = made;
  },
  { GATE_CLOCK_BUILD_DEMO: "" },
);

/** Selects the first match of some text in the editor, by its own search, and types over it. */
async function replaceInEditor(find: string, text: string): Promise<void> {
  const content = await driver.wait(until.elementLocated(By.css(".cm-content")), 30_000);
  await content.click();
  await content.sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.chord(Key.CONTROL, "f"));
  const field = await driver.wait(until.elementLocated(By.css(".cm-search input[name=search]")), 30_000);
  await field.clear();
  await field.sendKeys(find, Key.ENTER, Key.ESCAPE);
  await driver.findElement(By.css(".cm-content")).sendKeys(text);
}
const textOf = (id: string) => shownText(driver, id);
const waitForText = (id: string, pattern: RegExp, timeoutMs?: number) =>
  inBrowser.waitForText(driver, id, pattern, timeoutMs);
const waitForAttribute = (id: string, name: string, good: (value: string) => boolean, timeoutMs = 40_000) =>
  driver.wait(
    async () => (await allSaid(driver, `[data-testid="${id}"]`, name)).some(good),
    timeoutMs,
    `${id} never had the awaited ${name}`,
  );

async function programBoard(): Promise<void> {
  await clickTestId(driver, "station-bench");
  await clickTestId(driver, "power");
  await waitForText("board", /power on/);
  await clickTestId(driver, "find-chain");
  await waitForText("chain", /TW-2[\s\S]*0x1A702001/);
  await clickTestId(driver, "program");
  await waitForText("verdict", /The board runs trial/);
}

describe("the first day", () => {
  it("shows a syntax error on its line while typing, and takes it away again", async () => {
    await driver.get(server.address);
    await clickTestId(driver, "design-pick-counter");
    await waitForText("verdict", /No errors or warnings/);
    await replaceInEditor("assign lamps[3]   = switches[3];", "assign lamps[3]   = switches[3]");
    await waitForText("verdict", /Missing ';'/);
    expect(await textOf("verdict")).toMatch(/pick_counter\.v:83/);
    await driver.wait(until.elementLocated(By.css(".cm-lint-marker-error")), 30_000);
    // the repair puts back what was there before; then what was typed after it stays
    await (await driver.wait(until.elementLocated(By.xpath("//button[contains(., \"Insert ';'\")]")), 30_000)).click();
    await waitForText("verdict", /No errors or warnings/);
    await replaceInEditor("assign lamps[3]   = switches[3];", "assign lamps[3]   = ~switches[3];");
    await driver.sleep(300); // a moment in which an older text could come back
    await waitForText("verdict", /No errors or warnings/);
    const shown = (await driver.executeScript("return document.querySelector('.cm-content').innerText")) as string;
    expect(shown).toContain("assign lamps[3]   = ~switches[3];");
  });

  it("builds the change, says that the results are current, and runs it on the board", async () => {
    await clickTestId(driver, "build");
    await waitForText("build-strip", /Trial 2\s+is done/, 90_000);
    expect(await textOf("station-timing")).toMatch(/\+\d+\.\d{3} ns/);
    await programBoard();
    // lamp 3 is now the inverse of switch 3
    await waitForAttribute("lamp-3", "data-brightness", (value) => value === "1.00");
    await clickTestId(driver, "switch-3");
    await waitForAttribute("lamp-3", "data-brightness", (value) => value === "0.00");
    await clickTestId(driver, "switch-3");
    await waitForAttribute("lamp-3", "data-brightness", (value) => value === "1.00");
  });

  it("counts picks when the encoder's phase switch goes up", async () => {
    await waitForAttribute("digits", "data-shown", (value) => value === "0000");
    for (const shown of ["0001", "0002"]) {
      await clickTestId(driver, "switch-0");
      await waitForAttribute("digits", "data-shown", (value) => value === shown);
      await clickTestId(driver, "switch-0");
      await driver.sleep(150); // the contact settles on the board, which runs in its own time
    }
    const button = await byTestId(driver, "button-0");
    await driver.actions().move({ origin: button }).press().perform();
    await waitForAttribute("digits", "data-shown", (value) => value === "0000");
    await driver.actions().release().perform();
  });

  it("goes on running while another station is looked at", async () => {
    await clickTestId(driver, "station-fit");
    await waitForText("verdict", /Fits TW-2/);
    await clickTestId(driver, "station-bench");
    await waitForText("verdict", /The board runs trial 2/);
    await waitForAttribute("lamp-3", "data-brightness", (value) => value === "1.00");
  });

  const chooseDelays = async (value: string) =>
    (await byTestId(driver, "delays")).findElement(By.css(`option[value="${value}"]`)).click();
  it("runs with the delays of its wires, and is turned up until it fails", async () => {
    await chooseDelays("slow-hot");
    await waitForText("expected", /Timing says \d+\.\d MHz/);
    await clickTestId(driver, "turn-up");
    await waitForText(
      "verdict",
      /MHz\s*is the most that it runs at\. At \d+\.\d MHz '.+' at x\d+y\d+ captures wrong/,
      120_000,
    );
    await chooseDelays("");
    await waitForText("verdict", /The board runs trial 2/);
  });

  it("refuses a file that is no bitstream, and says so", async () => {
    const folder = await mkdtemp(join(tmpdir(), "gate-clock-bit-"));
    const file = join(folder, "poem.bits");
    await writeFile(file, "Weave, shuttle, weave.");
    await (await byTestId(driver, "bit-file")).sendKeys(file);
    await waitForText("verdict", /refused poem\.bits and stays unconfigured: no start mark/);
  });

  it("leads from the worst path to the die map and to the source line, and back", async () => {
    await clickTestId(driver, "station-timing");
    await waitForText("verdict", /meets 100\.0 MHz/);
    await waitForText("path-view", /slack \d\.\d{3} ns/);
    await (await driver.findElement(By.css('[data-testid="path-view"] button[aria-label^="Show"]'))).click();
    await waitForText("focus-panel", /Driven by/);
    expect(await driver.getCurrentUrl()).toMatch(/layout\?.*focus=net/);
    await (await driver.findElement(By.css('[data-testid="focus-panel"] button.font-mono'))).click();
    await driver.wait(until.elementLocated(By.css(".cm-focus-line")), 30_000);
    expect(await driver.getCurrentUrl()).toMatch(/sources\?.*focus=line/);
    // the line tells in turn what it became
    await waitForText("focus-panel", /Became\s*\d+ flip-flop/);
    await driver.navigate().back();
    await waitForText("focus-panel", /Driven by/);
  });

  it("says what is out of date after an edit", async () => {
    await clickTestId(driver, "station-sources");
    await replaceInEditor("parameter REPEAT      = 12", "parameter REPEAT      = 13");
    await waitForText("out-of-date", /the circuit \(pick_counter\.v\); synthesize to image run again/);
    await replaceInEditor("picks in one pattern repeat", "picks in a repeat of the pattern");
    await replaceInEditor("parameter REPEAT      = 13", "parameter REPEAT      = 12");
    // a remark is no change of the design: the text is another one than was built, and says the same
    await driver.wait(
      async () =>
        (await driver.findElements(By.css('[data-testid="out-of-date"]'))).length === 0 &&
        !/earlier/.test(await textOf("station-timing")),
      30_000,
    );
  });

  it("says why a design does not fit", async () => {
    await replaceInEditor(
      "assign lamps[0]   = repeat_full;",
      "reg [2300:0] chain; always @(posedge clk) chain <= {chain[2299:0], switches[5] ^ chain[3]};\n  assign lamps[0]   = chain[2300] ^ chain[1000];",
    );
    await waitForText("save-state", /^saved$/);
    await clickTestId(driver, "build");
    await waitForText("build-strip", /stopped[\s\S]*does not fit/, 60_000);
    await clickTestId(driver, "station-fit");
    await waitForText("verdict", /does not fit[\s\S]*of 2048 flip-flops/);
  });

  it("starts a new design that blinks, without a manual", async () => {
    await driver.get(server.address);
    await driver.wait(until.elementLocated(By.xpath("//button[contains(., 'New design')]")), 30_000).click();
    await driver.wait(until.elementLocated(By.css("form input")), 30_000).sendKeys("blinker");
    await driver.findElement(By.xpath("//button[. = 'Create']")).click();
    await waitForText("verdict", /No errors or warnings/);
    await clickTestId(driver, "build");
    await waitForText("build-strip", /Trial 1\s+is done/, 90_000);
    await programBoard();
    await clickTestId(driver, "switch-5");
    await waitForAttribute("lamp-5", "data-brightness", (value) => value === "1.00");
    expect(await textOf("board")).toContain("switches[5]");
  });
});
