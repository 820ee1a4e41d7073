import type { Design, DesignCard, Target } from "@gate-clock/contract";
import { By, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { byTestId, clickTestId, waitForText } from "./browser.js";

/** One design for several boards: built side by side, compared, chosen, added and removed. */
let driver: WebDriver;
const server = serveForTests((browser) => {
  driver = browser;
});
const get = async <T>(path: string): Promise<T> => (await (await fetch(server.address + path)).json()) as T;

describe("targets", () => {
  it("of the lamp test are built for three boards and compared", async () => {
    const cards = await get<DesignCard[]>("/api/designs");
    const { id } = cards.find(({ name }) => name === "lamp-test")!;
    await driver.get(`${server.address}/designs/${id}/fit?view=targets`);
    await clickTestId(driver, "build-targets");
    await waitForText(driver, "targets-verdict", /3 of 3 laid out meet their clocks/);
    await waitForText(driver, "target-treadle", /FE-64-P44-2C.*✓ trial/s);
    const list = await get<Target[]>(`/api/designs/${id}/targets`);
    const fastest = Math.max(...list.map(({ lastTrial }) => lastTrial!.figures.fmaxMhz!));
    await waitForText(driver, "verdict-figure", new RegExp(fastest.toFixed(1)));
    // the difference from the one that is worked on stands beside each figure
    const [own, bobbin] = list.map(({ lastTrial }) => lastTrial!.figures.luts!);
    await waitForText(driver, "target-bobbin", new RegExp(`${bobbin}\\s*\\+${bobbin - own}`));
  });

  it("change pins, part and figures of every station with the one that is worked on", async () => {
    await clickTestId(driver, "work-on-bobbin");
    await waitForText(driver, "settings", /CA-1-P84-2C/);
    await clickTestId(driver, "station-pins");
    await waitForText(driver, "station-pins", /11 placed/);
    const design = (await get<DesignCard[]>("/api/designs")).find(({ name }) => name === "lamp-test")!;
    expect(design).toMatchObject({ targetName: "bobbin", board: "bobbin", targetCount: 3 });
    const { files } = await get<Design>(`/api/designs/${design.id}`);
    expect(files.filter(({ kind }) => kind !== "source").map(({ path }) => path)).toEqual([
      "bobbin.pins",
      "bobbin.sdc",
    ]);
    await (await byTestId(driver, "target-choice")).sendKeys("shuttle");
    await waitForText(driver, "settings", /TW-2-P144-2C/);
  });

  it("are added with copies of the rules, and removed after a question", async () => {
    await clickTestId(driver, "station-fit");
    await clickTestId(driver, "view-targets");
    await clickTestId(driver, "add-target");
    const option = By.css('[data-testid="new-target-part"] option[value="TW-9-P144-1C"]');
    await (await driver.wait(until.elementLocated(option), 30_000)).click();
    await clickTestId(driver, "new-target-add");
    await waitForText(driver, "target-TW-9-P144-1C", /2 rule files.*not built yet/s);
    await clickTestId(driver, "leave-TW-9-P144-1C");
    await clickTestId(driver, "remove-TW-9-P144-1C");
    await driver.wait(async () => {
      const text = await (await byTestId(driver, "targets-table")).getText();
      return !text.includes("TW-9-P144-1C");
    }, 30_000);
  });
});
