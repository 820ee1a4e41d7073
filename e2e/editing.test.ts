import type { Design } from "@gate-clock/contract";
import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "../apps/server/test/helpers/test-server.ts";
import * as inBrowser from "./browser.js";
import { allSaid, byTestId, clickTestId, editorText, openBrowser, said } from "./browser.js";

/** Editing beyond typing: layout, instances, the top, the way to the waves, and two tabs at one file. */
const server = new TestServer();
let driver: WebDriver;
let close: () => Promise<void>;
let design: Design;

const loom = `module pick(input clk, output reg [3:0] n = 0);
always@(posedge clk)
n<=n+4'd1;
endmodule
module shed #(parameter LIFT = 2) (input clk, output up);
  wire [3:0] n;
  pick p(.clk(clk), .n(n));
  assign up = n[LIFT];
endmodule
module shed_bench;
  reg clk = 0;
  wire up;
  shed s(clk, up);
  always #5 clk = ~clk;
  initial #200 $finish;
endmodule
`;

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
  const response = await fetch(`${server.address}/api/designs`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({
      name: "loom",
      part: "TW-2-P144-2C",
      files: [{ path: "loom.v", kind: "source", text: loom }],
    }),
  });
  design = (await response.json()) as Design;
  ({ driver, close } = await openBrowser());
  await driver.get(`${server.address}/designs/${design.id}/sources`);
  await waitForText("station-sources", /2 modules/);
});
afterAll(async () => {
  await close?.();
  await server.stop();
  await server.dropDatabase();
});

const waitForText = (id: string, pattern: RegExp) => inBrowser.waitForText(driver, id, pattern);
const content = () => driver.wait(until.elementLocated(By.css(".cm-content")), 30_000);
const saved = async () => {
  const now = (await (await fetch(`${server.address}/api/designs/${design.id}`)).json()) as Design;
  return now.files[0].text;
};
const waitSaved = (pattern: RegExp) =>
  driver.wait(async () => pattern.test(await saved()), 10_000, `the saved text never matched ${pattern}`);
async function putCursorOn(words: string): Promise<void> {
  await (await content()).click();
  await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.chord(Key.CONTROL, "f"));
  const field = await driver.wait(until.elementLocated(By.css(".cm-search input[name=search]")), 30_000);
  await field.clear();
  await field.sendKeys(words, Key.ENTER, Key.ESCAPE);
}
const press = async (label: string) =>
  (await driver.wait(until.elementLocated(By.xpath(`//button[normalize-space()="${label}"]`)), 30_000)).click();

describe("a file", () => {
  it("is laid out by its structure, and undone as one step", async () => {
    await clickTestId(driver, "format");
    await waitSaved(/^ {2}always @\(posedge clk\)\n {4}n <= n\+4'd1;$/m);
    await (await content()).sendKeys(Key.chord(Key.CONTROL, "z"));
    await waitSaved(/^n<=n\+4'd1;$/m);
    await clickTestId(driver, "format");
    await waitSaved(/^ {4}n <= n\+4'd1;$/m);
  });

  it("leads from a name to its waves", async () => {
    await putCursorOn("up");
    await press("In waves");
    await driver.wait(
      until.elementLocated(By.xpath('//*[@role="status"][contains(., "run a test bench first")]')),
      5_000,
    );
    await clickTestId(driver, "station-simulate");
    await clickTestId(driver, "run-bench");
    await waitForText("verdict", /passed/);
    await clickTestId(driver, "station-sources");
    await putCursorOn("n <=");
    await (await content()).sendKeys(Key.ARROW_LEFT);
    await press("In waves");
    await driver.wait(until.urlContains("run=shed_bench"), 30_000);
    await byTestId(driver, "wave-row");
    const names = (await allSaid(driver, '[data-testid="wave-row"]')).map((row) => row.split(/\s/)[0]);
    expect(names).toEqual(["clk", "up", "s.p.n"]);
  });
});

describe("the top", () => {
  it("is chosen in the hierarchy, and automatic again", async () => {
    await clickTestId(driver, "station-sources");
    await waitForText("verdict", /The top is shed/);
    const choose = async (option: string) =>
      (await byTestId(driver, "choose-top")).findElement(By.css(`option[value="${option}"]`)).click();
    await choose("pick");
    await waitForText("verdict", /The top is pick/);
    await choose("");
    await waitForText("verdict", /The top is shed/);
    const button = await driver.wait(until.elementLocated(By.css('[aria-label="Make pick the top"]')), 30_000);
    // shown while the row has the pointer or the focus
    await driver.executeScript("arguments[0].parentElement.querySelector('button').focus()", button);
    await driver.wait(until.elementIsVisible(button), 30_000);
    await button.click();
    await waitForText("verdict", /The top is pick/);
    await choose("");
    await waitForText("verdict", /The top is shed/);
  });
});

describe("two tabs at one file", () => {
  const open = async () => {
    await driver.get(`${server.address}/designs/${design.id}/sources?file=loom.v`);
    await driver.wait(async () => (await editorText(driver)).includes("module pick"), 30_000);
  };
  let tabs: string[];
  /** Types into the second tab while it cannot hear of the first one's save. */
  const typeInBoth = async (first: () => Promise<void>, second: () => Promise<void>) => {
    await driver.switchTo().window(tabs[1]);
    await open();
    await driver.executeScript(
      "window.fetchKept ??= window.fetch; window.held = []; window.fetch = (...a) => new Promise((go) => window.held.push(() => go(window.fetchKept(...a))));",
    );
    await second();
    await driver.switchTo().window(tabs[0]);
    await open();
    await first();
  };
  const letGo = async () => {
    await driver.switchTo().window(tabs[1]);
    await driver.executeScript("window.fetch = window.fetchKept; for (const go of window.held) go();");
  };

  it("are told, and merge what both have typed", async () => {
    await open();
    await driver.switchTo().newWindow("tab");
    tabs = await driver.getAllWindowHandles();
    await typeInBoth(
      async () => {
        await putCursorOn("reg clk = 0;");
        await (await content()).sendKeys(Key.END, " // first");
        await waitSaved(/first/);
      },
      async () => {
        await putCursorOn("assign up");
        await (await content()).sendKeys(Key.END, " // second");
      },
    );
    await letGo();
    await waitForText("conflict", /loom\.v was saved in another tab/);
    await press("Merge both");
    await waitSaved(/second[\s\S]*first/);
    await waitForText("save-state", /^saved$/);
  });

  it("keep both texts where both changed the same line", async () => {
    await typeInBoth(
      async () => {
        await putCursorOn("initial #200");
        await (await content()).sendKeys(Key.END, " // here");
        await waitSaved(/here/);
      },
      async () => {
        await putCursorOn("initial #200");
        await (await content()).sendKeys(Key.END, " // there");
      },
    );
    await letGo();
    await waitForText("conflict", /another tab/);
    await press("Merge both");
    await driver.wait(until.elementLocated(By.xpath('//*[@role="alert"][contains(., "One place in loom.v")]')), 30_000);
    await waitSaved(/changed here:[\s\S]*there[\s\S]*elsewhere:[\s\S]*\/\/ here[\s\S]*choose one/);
  });
});

describe("an instance", () => {
  it("takes an instance of a module of another file at the cursor", async () => {
    await fetch(`${server.address}/api/designs/${design.id}/files`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ path: "top.v", kind: "source", text: "module top(input clk, output up);\n\nendmodule\n" }),
    });
    await driver.get(`${server.address}/designs/${design.id}/sources?file=top.v`);
    await driver.wait(async () => (await editorText(driver)).includes("module top"), 30_000);
    await putCursorOn("output up");
    await (await content()).sendKeys(Key.ARROW_DOWN);
    await clickTestId(driver, "insert-instance");
    const item = '//*[@role="menuitem"][normalize-space()="shed"]';
    await (await driver.wait(until.elementLocated(By.xpath(item)), 30_000)).click();
    await driver.wait(async () => {
      const now = (await (await fetch(`${server.address}/api/designs/${design.id}`)).json()) as Design;
      return /shed #\(\s*\.LIFT\(LIFT\)\s*\) shed_1 \(\s*\.clk\(clk\),\s*\.up\(up\)\s*\);/.test(
        now.files.find((file) => file.path === "top.v")!.text,
      );
    }, 30_000);
  });
});

describe("rules", () => {
  const write = '//button[starts-with(., "Write them into")]';
  const before = "# pins of the loom\n";

  it("that a table wrote are taken back and done again, by button and by key, from any station", async () => {
    const response = await fetch(`${server.address}/api/designs`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({
        name: "shed",
        part: "TW-2-P144-2C",
        files: [
          { path: "shed.v", kind: "source", text: loom.slice(0, loom.indexOf("module shed_bench")) },
          { path: "shed.pins", kind: "pins", text: before },
        ],
      }),
    });
    const { id } = (await response.json()) as Design;
    const rules = async () => {
      const now = (await (await fetch(`${server.address}/api/designs/${id}`)).json()) as Design;
      return now.files.find((file) => file.path === "shed.pins")!.text;
    };
    await driver.get(`${server.address}/designs/${id}/pins`);
    await (await driver.wait(until.elementLocated(By.xpath(write)), 30_000)).click();
    await driver.wait(async () => (await rules()).includes("up "), 30_000);
    const written = await rules();
    expect(await said(driver, '[data-testid="undo"]', "title")).toMatch(/^Undo: keep 2 places in shed\.pins/);
    await clickTestId(driver, "undo");
    await driver.wait(async () => (await rules()) === before, 30_000);
    await driver.wait(until.elementLocated(By.xpath(write)), 30_000);
    await clickTestId(driver, "station-clocks");
    await driver.wait(until.urlContains("/clocks"), 30_000);
    const body = await driver.findElement(By.css("body"));
    await body.sendKeys(Key.chord(Key.CONTROL, Key.SHIFT, "z"));
    await driver.wait(async () => (await rules()) === written, 30_000);
    await body.sendKeys(Key.chord(Key.CONTROL, "z"));
    await driver.wait(async () => (await rules()) === before, 30_000);
  });
});
