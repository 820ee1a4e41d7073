import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { beforeAll, describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { byTestId, clickTestId, editorText, shownText } from "./browser.js";

/** Names across files in the real interface: to the declaration, to the uses, renamed everywhere. */
let driver: WebDriver;
const server = serveForTests((made) => {
  driver = made;
});

beforeAll(async () => {
  await driver.get(server.address);
  await clickTestId(driver, "design-pick-counter");
  await driver.wait(async () => /6 modules/.test(await shownText(driver, "station-sources")), 20_000);
});

const content = () => driver.wait(until.elementLocated(By.css(".cm-content")), 30_000);
async function openFile(name: string): Promise<void> {
  await (await driver.wait(until.elementLocated(By.xpath(`//button[normalize-space()="${name}"]`)), 30_000)).click();
  await driver.wait(async () => (await driver.getCurrentUrl()).includes(name), 30_000);
}
async function select(text: string): Promise<void> {
  await (await content()).click();
  await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.chord(Key.CONTROL, "f"));
  const field = await driver.wait(until.elementLocated(By.css(".cm-search input[name=search]")), 30_000);
  await field.clear();
  await field.sendKeys(text, Key.ENTER, Key.ESCAPE);
}
const listed = () => shownText(driver, "place-list");

describe("names", () => {
  it("lead to their declaration in another file by F12", async () => {
    await openFile("pick_counter.v");
    await select("steady");
    await (await content()).sendKeys(Key.F12);
    await driver.wait(
      async () => /file=debounce\.v.*line/.test(decodeURIComponent(await driver.getCurrentUrl())),
      10_000,
    );
    expect(decodeURIComponent(await driver.getCurrentUrl())).toContain("debounce.v:8");
  });
  it("show all their uses by Shift+F12", async () => {
    await select("steady");
    await (await content()).sendKeys(Key.chord(Key.SHIFT, Key.F12));
    await driver.wait(async () => /uses of steady/.test(await listed()), 30_000);
    expect(await listed()).toMatch(/debounce\.v:8[\s\S]*pick_counter\.v:20[\s\S]*tb_debounce\.v/);
  });
  it("are renamed in every file by F2, and the design stays sound", async () => {
    await (await content()).sendKeys(Key.F2);
    const field = await driver.wait(until.elementLocated(By.css('[data-testid="place-list"] input')), 30_000);
    await field.sendKeys(Key.chord(Key.CONTROL, "a"), "settled", Key.ENTER);
    await driver.wait(async () => (await editorText(driver)).includes("output reg  settled"), 30_000);
    await openFile("pick_counter.v");
    await driver.wait(async () => (await editorText(driver)).includes(".settled(phase_a)"), 30_000);
    await driver.wait(async () => /6 modules/.test(await shownText(driver, "station-sources")), 30_000);
    await openFile("tb_debounce.v");
    await driver.wait(async () => (await editorText(driver)).includes(".settled(steady)"), 30_000);
  });
  it("are found as plain text in all files", async () => {
    await (await byTestId(driver, "find-all")).sendKeys("settled", Key.ENTER);
    await driver.wait(async () => /places with “settled”/.test(await listed()), 30_000);
    expect(await listed()).toMatch(/debounce\.v:\d+[\s\S]*pick_counter\.v:\d+/);
  });
});

describe("files", () => {
  const row = (name: string) =>
    driver.wait(until.elementLocated(By.xpath(`//button[normalize-space()="${name}"]`)), 30_000);
  it("come back after being removed, by undo", async () => {
    await driver.executeScript("document.querySelector('[aria-label=\"Remove tb_debounce.v\"]').click()");
    await (await byTestId(driver, "undo-remove")).click();
    await row("tb_debounce.v");
  });
  it("are moved into a folder, where they are still found by the rest", async () => {
    await driver.executeScript("document.querySelector('[aria-label=\"Rename or move quadrature.v\"]').click()");
    const field = await driver.wait(until.elementLocated(By.css('[aria-label="New name of quadrature.v"]')), 30_000);
    await field.sendKeys(Key.chord(Key.CONTROL, "a"), "rtl/quadrature.v", Key.ENTER);
    await driver.wait(until.elementLocated(By.css('[aria-label="Remove rtl/quadrature.v"]')), 30_000);
    await driver.wait(async () => /6 modules/.test(await shownText(driver, "station-sources")), 30_000);
  });
  it("show what changed since an earlier version, and go back to it", async () => {
    await driver.executeScript("document.querySelector('[aria-label=\"History of debounce.v\"]').click()");
    await driver.wait(async () => /Restore version 1/.test(await shownText(driver, "file-history")), 30_000);
    await driver.wait(async () => /steady[\s\S]*settled/.test(await shownText(driver, "file-history")), 30_000);
    const history = await byTestId(driver, "file-history");
    await history.findElement(By.xpath('.//button[contains(., "Restore version")]')).click();
    await driver.wait(async () => (await editorText(driver)).includes("output reg  steady"), 30_000);
  });
});
