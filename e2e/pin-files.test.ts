import { readFile } from "node:fs/promises";
import type { CreateDesignDto } from "@gate-clock/contract";
import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { makeDesign, savedDesign, savedTexts, serveForTests } from "./app.ts";
import { byTestId, clickTestId, shownText, waitForText } from "./browser.js";

/** Several pin files: ticked, checked alone, shared, brought in from elsewhere, given out. */
let driver: WebDriver;
const server = serveForTests((browser) => {
  driver = browser;
});

const treadle = `module treadle(input clk, input [1:0] pedals, output reg [1:0] shafts);
  always @(posedge clk) shafts <= pedals;
endmodule
`;
const make = (name: string, files: CreateDesignDto["files"] = []) =>
  makeDesign(server, {
    name,
    part: "TW-2-P144-2C",
    files: [{ path: "treadle.v", kind: "source", text: treadle }, ...files],
  });
const textsOf = (id: string) => savedTexts(server, id);
const within = (test: string, label: string) =>
  driver.wait(
    until.elementLocated(
      By.xpath(
        `//*[@data-testid="${test}"]//*[self::button or self::input][contains(@aria-label, "${label}") or normalize-space()="${label}"]`,
      ),
    ),
    30_000,
  );
const button = (label: string) =>
  driver.wait(until.elementLocated(By.xpath(`//button[starts-with(normalize-space(), "${label}")]`)), 30_000);
const press = async (label: string) => (await button(label)).click();
let [first, second] = ["", ""];

describe("pin files", () => {
  it("are begun, ticked and checked alone", async () => {
    first = await make("treadle-a", [{ path: "board.pins", kind: "pins", text: "clk at N19\nshafts[0] at E1\n" }]);
    second = await make("treadle-b", []);
    await driver.get(`${server.address}/designs/${first}/pins`);
    await waitForText(driver, "verdict", /2 of 5/);
    await press("New");
    const name = await driver.wait(
      until.elementLocated(By.css('input[aria-label="Name of the new pin file"]')),
      10_000,
    );
    await name.sendKeys("study", Key.ENTER);
    await byTestId(driver, "file-study.pins");
    const editor = await driver.wait(
      until.elementLocated(By.css('[data-testid="code-editor"] .cm-content[aria-label="study.pins"]')),
      10_000,
    );
    await editor.click();
    await editor.sendKeys("clk at N20\npedals[0] at S10 LVCMOS18\n");
    await driver.wait(async () => (await textsOf(first))["study.pins"]?.includes("LVCMOS18"), 30_000);
    // both place the clock
    await waitForText(driver, "verdict", /1\s*illegal pin.*'clk' is placed twice/s);
    await driver.findElement(By.xpath('//label[contains(.,"Check alone")]/input')).click();
    await driver.wait(async () => {
      // in one go: the package is drawn anew under us
      const uses = await driver.executeScript<string[]>(
        `return ["N19", "N20"].map((name) => document.querySelector(\`[data-contact="\${name}"]\`)?.dataset.use);`,
      );
      return uses.join() === "free,line";
    }, 10_000);
    await driver.findElement(By.xpath('//label[contains(.,"Check alone")]/input')).click();
    await (await within("file-study.pins", "Use study.pins")).click();
    await waitForText(driver, "verdict", /2 of 5/);
    await driver.wait(
      until.elementLocated(By.xpath('//*[@role="status"][contains(.,"study.pins is not used")]')),
      10_000,
    );
  });

  it("are shared with another design, where a change shows at once", async () => {
    await driver.get(`${server.address}/designs/${second}/pins`);
    await press("Share");
    const path = '//button[contains(., "board.pins") and contains(., "treadle-a")]';
    await (await driver.wait(until.elementLocated(By.xpath(path)), 10_000)).click();
    await waitForText(driver, "file-board.pins", /shared with treadle-a/);
    await driver.wait(async () => {
      const mark = await driver.findElements(By.css('[data-contact="E1"][data-use="line"]'));
      return mark.length === 1;
    }, 20_000);
    const editor = await driver.findElement(By.css('[data-testid="code-editor"] .cm-content'));
    await editor.click();
    await editor.sendKeys(Key.chord(Key.CONTROL, Key.END), "shafts[1] at E2\n");
    await driver.wait(async () => (await textsOf(first))["board.pins"].endsWith("shafts[1] at E2\n"), 30_000);
    await driver.get(`${server.address}/designs/${first}/pins?file=board.pins`);
    await waitForText(driver, "file-board.pins", /shared with treadle-b/);
    await waitForText(driver, "verdict", /3 of 5/);
  });

  it("take in what is pasted out of a sheet, after its differences were seen", async () => {
    const before = (await textsOf(first))["board.pins"];
    const table = await driver.findElement(By.css('[role="grid"][aria-label="pins"]'));
    await driver.executeScript(
      `const data = new DataTransfer();
      data.setData("text/plain", arguments[1]);
      arguments[0].dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));`,
      table,
      "Signal\tLocation\tIO Standard\tPull\nclk\tN19\tLVCMOS33\t\npedals[0]\tS10\tLVCMOS33\tup\npedals[1]\tS9\t\t\nghost\tS8\t\t\nshafts[0]\tE99x\tLVCMOS33\tsideways\n",
    );
    await waitForText(driver, "import", /ghost\s*no such port/);
    await waitForText(driver, "import-faults", /Row 6: 'sideways' is no value for pull/);
    // a line that is missing there stays unless it is chosen
    await waitForText(driver, "import", /shafts\[1\]\s*not among them/);
    await (await within("import", "Take pedals[1]")).click();
    await press("Take 1");
    await driver.wait(async () => (await textsOf(first))["board.pins"] !== before, 30_000);
    expect((await textsOf(first))["board.pins"]).toBe(`${before}pedals[0]      at S10   LVCMOS33  pull=up\n`);
    await clickTestId(driver, "undo");
    await driver.wait(async () => (await textsOf(first))["board.pins"] === before, 30_000);
  });

  it("go out in every form", async () => {
    await driver.executeScript(`
      window.saved = [];
      const real = URL.createObjectURL;
      URL.createObjectURL = (blob) => { blob.text().then((text) => window.saved.push(text)); return real(blob); };`);
    const saved = async (label: string) => {
      await clickTestId(driver, "pin-outputs");
      const item = `//*[@role="menuitem" or self::button][starts-with(normalize-space(), "${label}")]`;
      await (await driver.wait(until.elementLocated(By.xpath(item)), 10_000)).click();
      return driver.wait(
        async () => (await driver.executeScript("return window.saved.pop()")) as string | undefined,
        30_000,
      );
    };
    expect(await saved("Sheet")).toMatch(/^Port,Direction,Pin[\s\S]*\r\nclk,input,N19,1,LVCMOS33,8,fast,none/);
    expect(await saved("Pin file")).toMatch(/^# TW-2-P144-2C\nclk +at N19 +LVCMOS33\npedals\[0\]/);
    expect(await saved("Report")).toMatch(/^%PDF-[\s\S]*\(Pins of treadle-a\)/);
    expect(await saved("Ports in Verilog")).toMatch(/module treadle \([\s\S]*\[1:0\] shafts +\/\/ E1 E2/);
    expect(await saved("Ports in VHDL")).toMatch(
      /entity treadle is[\s\S]*shafts +: +out std_logic_vector\(1 downto 0\)/,
    );
    expect(await saved("Boundary scan")).toMatch(/entity TW_2_P144_treadle_a is[\s\S]*IO_N19 : in bit;/);
  });

  it("are deleted, and put back", async () => {
    await (await within("file-board.pins", "More of board.pins")).click();
    await press("Delete board.pins");
    await driver.wait(async () => !("board.pins" in (await textsOf(first))), 20_000);
    // the other design keeps its own
    expect((await textsOf(second))["board.pins"]).toContain("clk at N19");
    await press("Put it back");
    await driver.wait(async () => "board.pins" in (await textsOf(first)), 20_000);
  });

  it("go to another part with every line accounted for, before anything is changed", async () => {
    await driver.get(`${server.address}/designs/${first}/pins?move=TW-2-P84-2C`);
    await waitForText(driver, "move-summary", /of 3 lines keep their place/);
    const rows = await shownText(driver, "move-pins");
    for (const port of ["clk", "shafts[0]", "shafts[1]"]) expect(rows).toContain(port);
    const before = (await textsOf(first))["board.pins"];
    const part = async () => (await savedDesign(server, first)).part;
    expect(await part()).toBe("TW-2-P144-2C");
    const board = await driver.findElement(By.css('[data-testid="move-pins"] select:nth-of-type(2)'));
    await board.findElement(By.css('option[value="bobbin"]')).click();
    await waitForText(driver, "move-summary", /keep their place/);
    await (
      await driver.findElement(By.xpath('//*[@data-testid="move-pins"]//button[normalize-space()="Move"]'))
    ).click();
    await driver.wait(async () => (await part()) === "CA-1-P84-2C", 20_000);
    await driver.wait(async () => (await textsOf(first))["board.pins"] !== before, 20_000);
    // every line is there still, placed or as a comment
    const after = (await textsOf(first))["board.pins"];
    for (const port of ["clk", "shafts[0]", "shafts[1]"]) expect(after).toContain(port);
    await waitForText(driver, "verdict", /placed/);
    // part and lines are one step
    await clickTestId(driver, "undo");
    await driver.wait(async () => (await part()) === "TW-2-P144-2C", 20_000);
    await driver.wait(async () => (await textsOf(first))["board.pins"] === before, 20_000);
    await clickTestId(driver, "redo");
    await driver.wait(async () => (await part()) === "CA-1-P84-2C", 20_000);
    await driver.wait(async () => (await textsOf(first))["board.pins"] === after, 20_000);
  });

  it("and rules come from nothing to a board that is fully constrained by a few clicks", async () => {
    const folder = new URL("../designs/pick-counter/", import.meta.url);
    const settings = JSON.parse(await readFile(new URL("gateclock.json", folder), "utf8")) as {
      sources: string[];
      top?: string;
    };
    const files = await Promise.all(
      settings.sources.map(async (path) => ({
        path,
        kind: "source" as const,
        text: await readFile(new URL(path, folder), "utf8"),
      })),
    );
    const id = await makeDesign(server, {
      name: "bare",
      part: "TW-2-P144-2C",
      board: "shuttle",
      top: settings.top ?? null,
      files,
    });
    await driver.get(`${server.address}/designs/${id}/pins`);
    await press("New");
    const name = await driver.wait(
      until.elementLocated(By.css('input[aria-label="Name of the new pin file"]')),
      10_000,
    );
    await name.sendKeys("board", Key.ENTER);
    await press("Claim all that match");
    await waitForText(driver, "verdict", /34\s*pins placed/);
    await clickTestId(driver, "station-clocks");
    await press("Begin clocks.sdc with them");
    await waitForText(driver, "verdict", /136 of 136/);
    expect((await textsOf(id))["clocks.sdc"]).toMatch(
      /-period 250\.000 \[get_ports clk\] ;# 4 MHz, oscillator of Shuttle/,
    );
    await (await button("Build")).click();
    await waitForText(driver, "station-bench", /ready/, 120_000);
  });
});
