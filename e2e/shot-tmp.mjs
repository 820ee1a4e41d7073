import { writeFile } from "node:fs/promises";
import { byTestId, clickTestId, openBrowser } from "./browser.js";
const address="http://127.0.0.1:4780";
const { driver, close } = await openBrowser();
const shot = async (n) => writeFile(`/tmp/${n}.png`, Buffer.from(await driver.takeScreenshot(), "base64"));
try {
  await driver.get(address);
  await clickTestId(driver, "design-pick-counter");
  await driver.sleep(2500);
  const design = (await driver.getCurrentUrl()).replace(/\/sources.*/, "");
  await driver.get(`${design}/simulate`);
  await driver.sleep(2500);
  await shot("s0");
  await clickTestId(driver, "run-bench");
  await driver.sleep(2500);
  await shot("s1");
  const tabs = await driver.findElements({css:'[data-testid="bench-tab"]'});
  await tabs[1].click(); await driver.sleep(300);
  await clickTestId(driver, "run-bench");
  await driver.sleep(3000);
  await shot("s2");
  console.log(await driver.executeScript("return document.querySelector('[data-testid=verdict]').innerText"));
} finally { await close(); }
