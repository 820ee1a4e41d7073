import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { Builder, By, until } from "selenium-webdriver";
import { Options, ServiceBuilder } from "selenium-webdriver/chrome.js";

/** Takes the pictures of docs/screenshots from a running server: node e2e/screenshots.js [address] */
const address = process.argv[2] ?? "http://127.0.0.1:4780";
const folder = fileURLToPath(new URL("../docs/screenshots/", import.meta.url));
const profile = await mkdtemp(join(tmpdir(), "gate-clock-shots-"));
const options = new Options();
options.setChromeBinaryPath("/usr/bin/chromium");
options.addArguments(
  "--headless",
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
  `--user-data-dir=${profile}`,
  "--window-size=1280,800",
  "--hide-scrollbars",
);
const driver = await new Builder()
  .forBrowser("chrome")
  .setChromeOptions(options)
  .setChromeService(new ServiceBuilder("/usr/bin/chromedriver"))
  .build();
const at = (id) => driver.wait(until.elementLocated(By.css(`[data-testid="${id}"]`)), 15_000);
const click = async (id) => (await at(id)).click();
const shot = async (name) =>
  writeFile(join(folder, `${name}.png`), Buffer.from(await driver.takeScreenshot(), "base64"));
const settle = (ms = 1500) => driver.sleep(ms);
try {
  const [width, height] = await driver.executeScript("return [innerWidth, innerHeight]");
  await driver
    .manage()
    .window()
    .setRect({ width: 2560 - width, height: 1600 - height });
  await driver.get(address);
  await at("design-pick-counter");
  await settle(500);
  await shot("start");
  await click("design-pick-counter");
  await settle(2500);
  await shot("sources");
  const design = (await driver.getCurrentUrl()).replace(/\/sources.*/, "");
  for (const [name, path] of [
    ["pins", "pins"],
    ["clocks", "clocks"],
    ["fit", "fit"],
    ["timing", "timing"],
    ["layout", "layout?focus=net:forward"],
    ["image", "image"],
  ]) {
    await driver.get(`${design}/${path}`);
    await at("verdict");
    await settle(2000);
    await shot(name);
  }
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
  await driver.executeScript("localStorage.setItem('gate-clock-theme', 'dark')");
  await driver.get(`${design}/timing`);
  await settle(2000);
  await shot("timing-dark");
} finally {
  await driver.quit();
  await rm(profile, { recursive: true, force: true, maxRetries: 5 });
}
