import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { byTestId, clickTestId, openBrowser } from "./browser.js";

/** Takes the pictures of docs/screenshots from a running server: node e2e/screenshots.js [address] */
const address = process.argv[2] ?? "http://127.0.0.1:4780";
const folder = fileURLToPath(new URL("../docs/screenshots/", import.meta.url));
const { driver, close } = await openBrowser();
const at = (id) => byTestId(driver, id);
const click = (id) => clickTestId(driver, id);
const shot = async (name) =>
  writeFile(join(folder, `${name}.png`), Buffer.from(await driver.takeScreenshot(), "base64"));
const waitForProof = async () =>
  driver.wait(
    async () => /does what was written|differs|Not decided/.test(await (await at("proof")).getText()),
    60_000,
  );
const settle = (ms = 1500) => driver.sleep(ms);
try {
  await driver.get(address);
  await at("design-pick-counter");
  await settle(500);
  await shot("start");
  await click("design-pick-counter");
  await settle(2500);
  await shot("sources");
  const design = (await driver.getCurrentUrl()).replace(/\/sources.*/, "");
  await driver.get(`${design}/simulate`);
  await click("run-bench");
  await settle();
  await driver
    .actions()
    .move({ origin: await at("wave-canvas"), x: 20 })
    .click()
    .perform();
  await settle(500);
  await shot("simulate");
  for (const [name, path] of [
    ["circuit", "circuit?in=count.digit%5B0%5D.d"],
    ["circuit-built", "circuit?as=built&focus=net:forward"],
    ["pins", "pins"],
    ["clocks", "clocks"],
    ["fit", "fit"],
    ["fit-parts", "fit?view=parts"],
    ["timing", "timing"],
    ["layout", "layout?focus=net:forward"],
    ["image", "image"],
  ]) {
    await driver.get(`${design}/${path}`);
    await driver.wait(async () => !/Laying out/.test(await (await at("verdict")).getText()), 30_000);
    await settle(2000);
    await shot(name);
  }
  await driver.get(`${design}/fit?view=proof`);
  await click("prove");
  await waitForProof();
  await settle();
  await shot("fit-proof");
  await driver.get(`${design}/bench`);
  await settle();
  for (const id of ["power", "find-chain", "program"]) {
    await click(id);
    await settle(700);
  }
  for (const id of ["switch-3", "switch-0", "switch-0", "switch-0", "switch-0", "switch-0"]) {
    await click(id);
    await settle(500);
  }
  await settle(3000);
  await shot("bench");
  await driver.get(address);
  await click("design-cloth-preview");
  await settle(2500);
  const mixed = (await driver.getCurrentUrl()).replace(/\/sources.*/, "");
  await driver.get(`${mixed}/sources?file=pattern_memory.vhd`);
  await settle(2500);
  await shot("sources-vhdl");
  await driver.get(address);
  await click("design-pick-sequencer");
  await settle(1500);
  await driver.get(`${(await driver.getCurrentUrl()).replace(/\/sources.*/, "")}/fit?view=made`);
  await at("state-diagram");
  await click("compare-codes");
  await at("codes");
  await settle(1500);
  await shot("fit-made-of");
  await driver.get(address);
  await click("design-lamp-test");
  await settle(1500);
  await driver.get(`${(await driver.getCurrentUrl()).replace(/\/sources.*/, "")}/fit?view=targets`);
  await at("targets-table");
  await settle(500);
  if ((await driver.findElements({ css: '[data-testid="build-targets"]' })).length) await click("build-targets");
  await driver.wait(async () => /3 of 3 laid out/.test(await (await at("targets-verdict")).getText()), 60_000);
  await settle(1500);
  await shot("fit-targets");
  await driver.executeScript("localStorage.setItem('gate-clock-theme', 'dark')");
  await driver.get(`${design}/timing`);
  await settle(2000);
  await shot("timing-dark");
} finally {
  await close();
}
