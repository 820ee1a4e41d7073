import type { Design, DesignCard, Target } from "@gate-clock/contract";
import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import { byTestId, clickTestId, shownText, waitForText } from "./browser.js";

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
    // the choice is this page's: the address has it, and who opens the design elsewhere sees their own
    expect(new URL(await driver.getCurrentUrl()).searchParams.get("target")).toBe("bobbin");
    const { id } = (await get<DesignCard[]>("/api/designs")).find(({ name }) => name === "lamp-test")!;
    expect(await get<Design>(`/api/designs/${id}`)).toMatchObject({ targetName: "shuttle", targetCount: 3 });
    const { files } = await get<Design>(`/api/designs/${id}?target=bobbin`);
    expect(files.filter(({ kind }) => kind !== "source").map(({ path }) => path)).toEqual([
      "bobbin.pins",
      "bobbin.sdc",
    ]);
    await driver.navigate().refresh();
    await waitForText(driver, "settings", /CA-1-P84-2C/);
    await (await byTestId(driver, "target-choice")).sendKeys("shuttle");
    await waitForText(driver, "settings", /TW-2-P144-2C/);
  });

  it("have trials side by side: an earlier one is looked at, and its figures stand against another's", async () => {
    await clickTestId(driver, "settings");
    const recipe = await driver.wait(until.elementLocated(By.xpath("//label[contains(., 'Recipe')]//select")), 30_000);
    await recipe.sendKeys("tight");
    await driver.findElement(By.xpath("//button[. = 'Apply']")).click();
    await waitForText(driver, "out-of-date", /recipe \(tight\).*synthesize to image run again/);
    await clickTestId(driver, "build");
    await waitForText(driver, "build-strip", /Trial 4\s+is done/, 90_000);
    await clickTestId(driver, "trial-choice");
    await waitForText(driver, "trial-menu", /even seed 1/);
    // the trial before is what one looks back at, unless one asks for something else
    await waitForText(driver, "differences", /against trial 1:/);
    await clickTestId(driver, "against-goal");
    await waitForText(driver, "differences", /against the goal:/);
    await clickTestId(driver, "baseline-1");
    await driver.wait(until.elementLocated(By.css('[data-testid="baseline-1"][aria-pressed="true"]')), 30_000);
    await clickTestId(driver, "against-baseline");
    await waitForText(driver, "differences", /against the baseline, trial 1:/);
    await clickTestId(driver, "against-none");
    await driver.wait(
      async () => (await driver.findElements(By.css('[data-testid="differences"]'))).length === 0,
      30_000,
    );
    await clickTestId(driver, "against-1");
    await waitForText(driver, "differences", /trial 1:/);
    await clickTestId(driver, "trial-1");
    await waitForText(driver, "build-strip", /Trial 1\s+is done/);
    const { searchParams } = new URL(await driver.getCurrentUrl());
    expect([searchParams.get("trial"), searchParams.get("against")]).toEqual(["1", "1"]);
    await clickTestId(driver, "station-timing");
    await waitForText(driver, "out-of-date", /recipe \(tight\)/);
    // a link to a trial that is not there leads to the last one, and says so
    const address = (await driver.getCurrentUrl()).replace("trial=1", "trial=77");
    await driver.get(address);
    await driver.wait(until.elementLocated(By.xpath("//*[@role='alert'][contains(., 'no trial 77')]")), 30_000);
    await waitForText(driver, "build-strip", /Trial 4/);
  });

  it("are reached by keys: a command by its name, a station by two letters, all of them in one list", async () => {
    const body = await driver.findElement(By.css("body"));
    await body.sendKeys(Key.chord(Key.CONTROL, "k"));
    const input = await byTestId(driver, "palette-input");
    await input.sendKeys("gtlay", Key.ENTER);
    await driver.wait(until.urlContains("/layout"), 30_000);
    expect(new URL(await driver.getCurrentUrl()).searchParams.get("trial")).not.toBeNull();
    await body.sendKeys("gp");
    await driver.wait(until.urlContains("/pins"), 30_000);
    await body.sendKeys("?");
    await waitForText(driver, "shortcuts", /Go to Timing\s+G\s*T[\s\S]*In waves/);
    await driver.actions().sendKeys(Key.ESCAPE).perform();
    await driver.wait(
      async () => (await driver.findElements(By.css('[data-testid="shortcuts"]'))).length === 0,
      30_000,
    );
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
      const text = await shownText(driver, "targets-table");
      return !text.includes("TW-9-P144-1C");
    }, 30_000);
  });
});
