import { By, Key, until, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { makeDesign, savedDesign, savedTexts, serveForTests } from "./app.ts";
import { allSaid, byTestId, clickTestId, said, waitForText } from "./browser.js";

/** From a design whose timing file is empty to one that is covered, on the page alone. */
let driver: WebDriver;
const server = serveForTests((browser) => {
  driver = browser;
});

const hall = `module hall(input clk, slow, button, input [3:0] thread, output reg [3:0] hooks, output alarm);
  reg [3:0] held; reg seen;
  always @(posedge clk) begin held <= thread; hooks <= held; end
  always @(posedge slow) seen <= held[0];
  assign alarm = seen ^ button;
endmodule
`;
let id = "";
const rules = async () => (await savedTexts(server, id))["hall.sdc"];
const figure = (label: string) => driver.wait(until.elementLocated(By.css(`input[aria-label="${label}"]`)), 30_000);
const repair = async (label: string) =>
  (await driver.wait(until.elementLocated(By.xpath(`//button[normalize-space()="${label}"]`)), 30_000)).click();

describe("the Clocks station", () => {
  it("leads from no rule at all to full coverage", async () => {
    id = await makeDesign(server, {
      name: "hall",
      part: "TW-2-P144-2C",
      files: [
        { path: "hall.v", kind: "source", text: hall },
        { path: "hall.sdc", kind: "timing", text: "# rules of the hall\n" },
      ],
    });
    await driver.get(`${server.address}/designs/${id}/clocks`);
    await waitForText(driver, "verdict", /0 of 9/);
    await waitForText(driver, "clock-table", /clk[\s\S]*not declared[\s\S]*slow[\s\S]*not declared/);
    await repair("Create it at 50 MHz");
    await waitForText(driver, "verdict", /8 of 9/);
    await repair("Create it at 50 MHz");
    await waitForText(driver, "verdict", /9 of 9/);
    // before anything is built, slacks are estimated
    await waitForText(driver, "clock-matrix", /undecided\s+1 end, about −?\d+\.\d ns/);
    await waitForText(driver, "clocks-estimated", /clk\s+clk\s+8\s+50\.0\s+about \d+/);
    await repair("Say that they are asynchronous");
    await waitForText(driver, "clock-matrix", /cut by rule/);
    expect(await rules()).toContain("# rules of the hall\n");
  });

  it("changes the line that a figure stands in, and nothing else, and takes it back", async () => {
    await driver.wait(async () => (await rules()).includes("set_clock_groups"), 30_000);
    const before = await rules();
    const period = await figure("Period of slow, ns");
    await period.sendKeys(Key.chord(Key.CONTROL, "a"), "80", Key.ENTER);
    await driver.wait(async () => (await rules()) !== before, 30_000);
    expect(await rules()).toBe(before.replace("-name slow -period 20.000", "-name slow -period 80"));
    await waitForText(driver, "clock-table", /slow[\s\S]*12\.5/);
    await clickTestId(driver, "undo");
    await driver.wait(async () => (await rules()) === before, 30_000);
    expect(await said(driver, '[aria-label="Period of slow, ns"]', "value")).toBe("20.000");
  });

  it("switches a line off and on, and shows what each covers", async () => {
    const before = await rules();
    const box = () => driver.findElement(By.css('input[aria-label^="set_clock_groups"]'));
    await (await box()).click();
    await driver.wait(async () => (await rules()).includes("#- set_clock_groups"), 30_000);
    await waitForText(driver, "clock-matrix", /undecided/);
    await (await box()).click();
    await driver.wait(async () => (await rules()) === before, 30_000);
    // what is typed in the text is in the table
    const editor = await driver.findElement(By.css('[data-testid="code-editor"] .cm-content'));
    await editor.click();
    await editor.sendKeys(Key.chord(Key.CONTROL, Key.END), "set_multicycle_path 2 -to [get_cells hooks]\n");
    await driver.wait(async () => {
      const texts = await allSaid(driver, '[data-testid="rule-table"] [role="row"]');
      return texts.some((each) => /set_multicycle_path[\s\S]*-to \[get_cells hooks\][\s\S]*\b4\b/.test(each));
    }, 30_000);
  });

  it("tells on the line what a query matches", async () => {
    const word = await driver.findElement(
      By.xpath(
        '//*[contains(@class,"cm-line")][contains(.,"set_multicycle_path")]//*[contains(.,"get_cells")] | //*[contains(@class,"cm-line")][contains(.,"set_multicycle_path")]',
      ),
    );
    await driver.actions().move({ origin: word, x: 100 }).perform();
    await driver.actions().move({ origin: word, x: 104 }).perform();
    expect(await said(driver, ".cm-name-info")).toMatch(/get_cells hooks: 4 cells[\s\S]*hooks\[0\]/);
    await byTestId(driver, "rule-table");
  });

  it("sets up a block of the part in a VHDL top, steady enough, and lists its clocks", async () => {
    const top = `library ieee; use ieee.std_logic_1164.all;
entity beam is port (clk : in std_logic; y : out std_logic); end entity;
architecture rtl of beam is
  signal q : std_logic := '0';
begin
  y <= q;
  process (clk) begin if rising_edge(clk) then q <= not q; end if; end process;
end architecture;
`;
    const beam = await makeDesign(server, {
      name: "beam",
      part: "TW-2-P144-2C",
      files: [
        { path: "beam.vhd", kind: "source", text: top },
        { path: "beam.sdc", kind: "timing", text: "create_clock -name clk -period 20 [get_ports clk]\n" },
      ],
    });
    const textOf = async () => (await savedTexts(server, beam))["beam.vhd"];
    await driver.get(`${server.address}/designs/${beam}/clocks`);
    await waitForText(driver, "clock-table", /clk[\s\S]*declared/);
    await waitForText(driver, "clocks-estimated", /clk\s+clk\s+1\s+50\.0/);
    await driver.findElement(By.css('[data-testid="clock-block"] summary')).click();
    // 50 MHz to 75: three times, and half of it; but that is slow inside, and what is slow is restless
    await waitForText(driver, "clock-plans", /× 3 ÷ 2/);
    const limit = await driver.findElement(By.xpath('//label[.="Jitter at most"]/following-sibling::input'));
    await limit.sendKeys("90");
    await driver.wait(
      async () => /× 15 ÷ 10/.test((await allSaid(driver, '[data-testid="clock-plans"] tbody tr'))[0]),
      10_000,
    );
    await repair("Insert into the top");
    await driver.wait(async () => /component clock_block[\s\S]*MULTIPLY => 15/.test(await textOf()), 30_000);
    // the register goes over to it: the clock is listed with what it became
    const { files } = await savedDesign(server, beam);
    const file = files.find(({ path }) => path === "beam.vhd")!;
    const saved = await fetch(`${server.address}/api/designs/${beam}/files/${file.id}`, {
      method: "PUT",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({
        text: file.text.replace("(clk) begin if rising_edge(clk)", "(clk_a) begin if rising_edge(clk_a)"),
        baseVersion: file.version,
      }),
    });
    expect(saved.ok).toBe(true);
    await waitForText(driver, "clock-table", /clock_a[\s\S]*75\.0/);
  });

  it("stays quick with thousands of lines, each with a finding", async () => {
    const line = (i: number) =>
      `set_multicycle_path 2 -setup -from [get_cells {held[${i % 4}]}] -to [get_cells {hooks[${i % 4}]}]`;
    const text = `create_clock -name clk -period 10 [get_ports clk]\n${Array.from({ length: 5000 }, (_, i) => line(i)).join("\n")}\n`;
    const long = await makeDesign(server, {
      name: "long-hall",
      part: "TW-2-P144-2C",
      files: [
        { path: "hall.v", kind: "source", text: hall },
        { path: "hall.sdc", kind: "timing", text },
      ],
    });
    await driver.get(`${server.address}/designs/${long}/clocks`);
    await waitForText(driver, "verdict", /8 of 9/);
    await waitForText(driver, "findings-more", /more of [45],\d\d\d/);
    expect((await driver.findElements(By.css('[data-testid="findings"] > li'))).length).toBe(100);
    const drawn = (await driver.findElements(By.css('[data-testid="rule-table"] [role="row"]'))).length;
    expect(drawn).toBeGreaterThan(5);
    expect(drawn).toBeLessThan(100);
  });
});
