import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Builder, By } from "selenium-webdriver";
import { Options, ServiceBuilder } from "selenium-webdriver/chrome.js";

/**
 * Headless Chromium from Debian with an empty profile, offline but for the loopback address.
 * @returns {Promise<{ driver: import("selenium-webdriver").WebDriver, close: () => Promise<void> }>}
 */
export async function openBrowser(width = 1280, height = 800) {
  const profile = await mkdtemp(join(tmpdir(), "gate-clock-chromium-"));
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
    `--window-size=${width},${height}`,
    "--hide-scrollbars",
  );
  const driver = await new Builder()
    .forBrowser("chrome")
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder("/usr/bin/chromedriver"))
    .build();
  // the window has borders even when headless: make the page itself the wanted size
  const inner = await driver.executeScript("return [innerWidth, innerHeight]");
  await driver
    .manage()
    .window()
    .setRect({ width: width + (width - inner[0]), height: height + (height - inner[1]) });
  return {
    driver,
    close: async () => {
      await driver.quit();
      await rm(profile, { recursive: true, force: true, maxRetries: 5 });
    },
  };
}

/**
 * Finds by `data-testid`, waiting until it is there.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} id
 * @returns {Promise<import("selenium-webdriver").WebElement>}
 */
export async function byTestId(driver, id, timeoutMs = 40_000) {
  const element = await driver.wait(
    async () => {
      const found = await driver.findElements(By.css(`[data-testid="${id}"]`));
      return found.length ? found[0] : null;
    },
    timeoutMs,
    `nothing with data-testid ${id}`,
  );
  return element;
}

/**
 * Clicks what has this `data-testid`, again if the page drew it anew meanwhile.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} id
 */
export async function clickTestId(driver, id, timeoutMs = 40_000) {
  await driver.wait(
    async () => {
      try {
        const element = await byTestId(driver, id, timeoutMs);
        // a click on a button that is still off would be lost without a word
        if (!(await element.isEnabled())) return false;
        await element.click();
        return true;
      } catch (error) {
        // the page drew it anew between finding and clicking
        if (/stale|intercepted|not interactable/i.test(`${error}`)) return false;
        throw error;
      }
    },
    timeoutMs,
    `could not click ${id}`,
  );
}

/**
 * What the open editor shows; empty while there is none, or while the page draws it anew.
 * @param {import("selenium-webdriver").WebDriver} driver
 */
export async function editorText(driver) {
  try {
    const found = await driver.findElements(By.css(".cm-content"));
    return found.length ? await found[0].getText() : "";
  } catch (error) {
    if (/stale/i.test(`${error}`)) return "";
    throw error;
  }
}

/**
 * Text of what has this `data-testid`; empty while it is drawn anew.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} id
 */
export async function shownText(driver, id) {
  try {
    return await (await byTestId(driver, id)).getText();
  } catch (error) {
    if (/stale/i.test(`${error}`)) return "";
    throw error;
  }
}

/**
 * Waits until what has this `data-testid` shows a text; says what it showed at the end if it never does.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} id
 * @param {RegExp} pattern
 */
export async function waitForText(driver, id, pattern, timeoutMs = 40_000) {
  let last = "";
  const isThere = async () => {
    try {
      last = await (await byTestId(driver, id)).getText();
      return pattern.test(last);
    } catch {
      return false; // drawn anew
    }
  };
  await driver.wait(isThere, timeoutMs).catch(() => {
    throw new Error(`${id} never showed ${pattern}; at the end it showed: ${last}`);
  });
  return last;
}
