import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { allSaid, byTestId, clickTestId, editorText, said, shownText, waitForText } from "./browser.js";

/** VHDL, and both languages in one design, in the real interface. */
let driver: WebDriver;
const server = serveForTests((made) => {
  driver = made;
});

const content = () => driver.wait(until.elementLocated(By.css(".cm-content")), 30_000);
async function select(text: string): Promise<void> {
  await (await content()).click();
  await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.chord(Key.CONTROL, "f"));
  const field = await driver.wait(until.elementLocated(By.css(".cm-search input[name=search]")), 30_000);
  await field.clear();
  await field.sendKeys(text, Key.ENTER, Key.ESCAPE);
}
const lampIs = (id: string, value: string) =>
  driver.wait(
    async () => (await allSaid(driver, `[data-testid="${id}"]`, "data-brightness"))[0] === value,
    20_000,
    `${id} never shone with ${value}`,
  );

describe("the lamp test, in VHDL", () => {
  it("offers the use clause that is left out, where it belongs", async () => {
    await driver.get(server.address);
    await clickTestId(driver, "design-lamp-test");
    await waitForText(driver, "verdict", /No errors or warnings/);
    await select("use ieee.numeric_std.all;");
    await (await content()).sendKeys(Key.DELETE);
    await waitForText(driver, "verdict", /'unsigned' is not visible here: it is declared in ieee\.numeric_std/);
    const repair = By.xpath(`//button[contains(., "Add 'use ieee.numeric_std.all;'")]`);
    await (await driver.wait(until.elementLocated(repair), 30_000)).click();
    await waitForText(driver, "verdict", /No errors or warnings/);
    expect(await editorText(driver)).toMatch(/use ieee\.std_logic_1164\.all;\s*use ieee\.numeric_std\.all;/);
  });

  it("leads from a name to its declaration and lists its uses", async () => {
    await select("divider + 1");
    await (await content()).sendKeys(Key.HOME, Key.chord(Key.SHIFT, Key.F12));
    await waitForText(driver, "place-list", /uses of divider/);
    await (await content()).sendKeys(Key.F12);
    await driver.wait(async () => /focus=line/.test(decodeURIComponent(await driver.getCurrentUrl())), 30_000);
    expect(decodeURIComponent(await driver.getCurrentUrl())).toContain("lamp_test.vhd:22");
  });

  it("passes its test bench and shows its waves", async () => {
    await clickTestId(driver, "station-simulate");
    await driver.wait(async () => (await byTestId(driver, "run-bench")).isEnabled(), 30_000);
    await driver.sleep(500);
    await clickTestId(driver, "run-bench");
    await waitForText(driver, "verdict", /tb_lamp_test passed/, 30_000);
    expect(await shownText(driver, "station-simulate")).toMatch(/1 of 1 passed/);
  });

  it("is built and lights a lamp on the board", async () => {
    await clickTestId(driver, "build");
    await waitForText(driver, "build-strip", /Trial \d\s+is done/, 90_000);
    await clickTestId(driver, "station-bench");
    await clickTestId(driver, "power");
    await waitForText(driver, "board", /power on/);
    await clickTestId(driver, "find-chain");
    await waitForText(driver, "chain", /TW-2[\s\S]*0x1A702001/);
    await clickTestId(driver, "program");
    await waitForText(driver, "verdict", /The board runs trial/);
    await lampIs("lamp-0", "1.00");
    const button = await byTestId(driver, "button-0");
    await driver.actions().move({ origin: button }).press().perform();
    await lampIs("lamp-6", "1.00");
    await driver.actions().release().perform();
    await lampIs("lamp-6", "0.00");
  });
});

describe("the cloth preview, in both languages", () => {
  it("is one hierarchy and passes its test bench", async () => {
    await driver.get(server.address);
    await clickTestId(driver, "design-cloth-preview");
    await waitForText(driver, "verdict", /No errors or warnings/);
    expect(await said(driver, "body")).toMatch(/weaves\s+pattern_memory[\s\S]*thread\[3\]\.shown\s+digit_column/);
    await clickTestId(driver, "station-simulate");
    await driver.wait(async () => (await byTestId(driver, "run-bench")).isEnabled(), 30_000);
    await driver.sleep(500);
    await clickTestId(driver, "run-bench");
    await waitForText(driver, "verdict", /tb_cloth_preview passed/, 30_000);
  });
});
