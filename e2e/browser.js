import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Builder, By } from "selenium-webdriver";
import { Options, ServiceBuilder } from "selenium-webdriver/chrome.js";

/** How many times slower a machine may be than the waits in the tests are for: they end with what they wait for, not before. */
const patience = 3;

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
  const wait = driver.wait.bind(driver);
  driver.wait = (condition, timeoutMs, ...more) => wait(condition, patience * timeoutMs, ...more);
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
 * What the first element that matches says now, once there is one. Found and read in one step, so that the page cannot draw
 * it anew in between.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} css
 * @param {string} what A property such as `value`, or else an attribute. Its visible text when left out.
 * @returns {Promise<string>}
 */
export async function said(driver, css, what = "innerText", timeoutMs = 40_000) {
  const [text] = await driver.wait(
    async () => {
      const all = await allSaid(driver, css, what);
      return all.length ? all : null;
    },
    timeoutMs,
    `nothing matches ${css}`,
  );
  return text;
}

/**
 * What each element that matches says now, in their order; none where nothing matches.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} css
 * @param {string} what As for `said`.
 * @returns {Promise<string[]>}
 */
export function allSaid(driver, css, what = "innerText") {
  return driver.executeScript(
    "return [...document.querySelectorAll(arguments[0])].map((e) => String(e[arguments[1]] ?? e.getAttribute(arguments[1]) ?? '').trim())",
    css,
    what,
  );
}

/**
 * What the open editor shows; empty while there is none.
 * @param {import("selenium-webdriver").WebDriver} driver
 */
export const editorText = async (driver) => (await allSaid(driver, ".cm-content"))[0] ?? "";

/**
 * Text of what has this `data-testid`, once it is there.
 * @param {import("selenium-webdriver").WebDriver} driver
 * @param {string} id
 */
export const shownText = (driver, id) => said(driver, `[data-testid="${id}"]`);

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
      [last = "nothing"] = await allSaid(driver, `[data-testid="${id}"]`);
    } catch (error) {
      // a page that is just being left runs no script; whatever else it is, it is told at the end
      last = `${error}`;
      return false;
    }
    return pattern.test(last);
  };
  await driver.wait(isThere, timeoutMs).catch(() => {
    throw new Error(`${id} never showed ${pattern}; at the end it showed: ${last}`);
  });
  return last;
}
