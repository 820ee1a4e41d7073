import { mkdtemp, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import * as inBrowser from "./browser.js";
import { allSaid, byTestId, clickTestId, editorText } from "./browser.js";

/** A test bench in the real interface: it passes, the design is broken, it fails, the waves show why. */
let driver: WebDriver;
const server = serveForTests((made) => {
  driver = made;
});

const waitForText = (id: string, pattern: RegExp) => inBrowser.waitForText(driver, id, pattern);
const rows = () => allSaid(driver, '[data-testid="wave-row"]');

describe("a test bench", () => {
  it("is found among the sources, and is no part of what is built", async () => {
    await driver.get(server.address);
    await clickTestId(driver, "design-pick-counter");
    await waitForText("station-sources", /6 modules/);
    await waitForText("station-simulate", /not run/);
    await clickTestId(driver, "station-simulate");
    await byTestId(driver, "bench-tab");
    expect(await allSaid(driver, '[data-testid="bench-tab"]')).toEqual([
      expect.stringContaining("tb_debounce"),
      expect.stringContaining("tb_pick_counter"),
    ]);
  });

  it("passes, with what it printed and its signals as waves", async () => {
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /1\.52 us[\s\S]*tb_debounce passed/);
    await waitForText("printed", /40 ns: the contact closes[\s\S]*1520 ns: done[\s\S]*tb_debounce\.v:\d+/);
    expect(await rows()).toEqual(expect.arrayContaining(["clk", "contact", "steady", "changes"]));
    await waitForText("station-simulate", /1 of 2 passed/);
  });

  it("shows values at the cursor, which steps from change to change", async () => {
    const canvas = await byTestId(driver, "wave-canvas");
    await driver.actions().move({ origin: canvas }).click().perform();
    await waitForText("cursor-time", /▼ \d+(\.\d+)? (ns|us)/);
    const steady = await driver.findElement(
      By.xpath('//*[@data-testid="wave-row"]//button[normalize-space()="steady"]'),
    );
    await steady.click();
    await steady.sendKeys(Key.ARROW_LEFT, Key.ARROW_LEFT, Key.ARROW_LEFT, Key.ARROW_RIGHT);
    await waitForText("cursor-time", /▼ 755 ns/);
    expect((await rows()).find((row) => row.startsWith("steady"))).toMatch(/steady\s+1/);
  });

  it("is out of date after an edit, fails at its first failing line, and passes again after the repair", async () => {
    await clickTestId(driver, "station-sources");
    const file = await driver.wait(until.elementLocated(By.xpath('//button[normalize-space()="debounce.v"]')), 30_000);
    await file.click();
    const replace = async (find: string, text: string) => {
      const content = await driver.wait(until.elementLocated(By.css(".cm-content")), 30_000);
      await content.click();
      await content.sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.chord(Key.CONTROL, "f"));
      const field = await driver.wait(until.elementLocated(By.css(".cm-search input[name=search]")), 30_000);
      await field.clear();
      await field.sendKeys(find, Key.ENTER, Key.ESCAPE);
      await driver.findElement(By.css(".cm-content")).sendKeys(text);
    };
    await driver.wait(async () => (await editorText(driver)).includes("&waited"), 30_000);
    await replace("(&waited)", "(waited[1])");
    await waitForText("station-simulate", /earlier/);
    await clickTestId(driver, "station-simulate");
    await waitForText("verdict", /have changed since/);
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /errors?[\s\S]*tb_debounce failed[\s\S]*steady is 1 after[\s\S]*tb_debounce\.v:\d+/);
    await waitForText("station-simulate", /1 failed/);
    await clickTestId(driver, "station-sources");
    await driver
      .wait(until.elementLocated(By.xpath('//button[normalize-space()="debounce.v"]')), 30_000)
      .then((each) => each.click());
    await driver.wait(async () => (await editorText(driver)).includes("waited[1]"), 30_000);
    await replace("(waited[1])", "(&waited)");
    await clickTestId(driver, "station-simulate");
    await waitForText("verdict", /have changed since|passed/);
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /tb_debounce passed/);
  });

  it("runs to its own end, however far the limit", async () => {
    await clickTestId(driver, "station-simulate");
    const until = await driver.findElement(By.xpath('//label[contains(., "Stop at")]//input'));
    await until.sendKeys(Key.chord(Key.CONTROL, "a"), "900s");
    const tabs = await driver.findElements(By.css('[data-testid="bench-tab"]'));
    await tabs[1].click();
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /passed/); // it ends by $finish, long before
  });

  it("is joined by a dump from disk", async () => {
    const path = join(await mkdtemp(join(tmpdir(), "gate-clock-vcd-")), "loom.vcd");
    await writeFile(
      path,
      "$timescale 1 ns $end $scope module loom $end $var wire 8 ! weft [7:0] $end $upscope $end $enddefinitions $end\n#0\nb1010 !\n#50\nbx !\n#80\nb11 !\n",
    );
    await driver.findElement(By.css('[data-testid="open-dump"]')).sendKeys(path);
    await waitForText("verdict", /80 ns[\s\S]*loom\.vcd holds 1 signals and 3 changes/);
    expect(await rows()).toEqual(["weft"]);
  });
});
