import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Builder, By, type WebDriver, type WebElement } from "selenium-webdriver";
import { Options, ServiceBuilder } from "selenium-webdriver/chrome.js";

/** Headless Chromium from Debian with an empty profile, offline but for the loopback address. */
export async function openBrowser(
  width = 1280,
  height = 800,
): Promise<{ driver: WebDriver; close: () => Promise<void> }> {
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
  const inner = (await driver.executeScript("return [innerWidth, innerHeight]")) as [number, number];
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

/** Finds by `data-testid`, waiting until it is there and shown. */
export async function byTestId(driver: WebDriver, id: string, timeoutMs = 15_000): Promise<WebElement> {
  const element = await driver.wait(
    async () => {
      const found = await driver.findElements(By.css(`[data-testid="${id}"]`));
      return found.length ? found[0] : null;
    },
    timeoutMs,
    `nothing with data-testid ${id}`,
  );
  return element as WebElement;
}

export async function clickTestId(driver: WebDriver, id: string, timeoutMs = 15_000): Promise<void> {
  await driver.wait(
    async () => {
      try {
        await (await byTestId(driver, id, timeoutMs)).click();
        return true;
      } catch (error) {
        // the page drew it anew between finding and clicking
        if (/stale|intercepted|not interactable/i.test((error as Error).name + (error as Error).message)) return false;
        throw error;
      }
    },
    timeoutMs,
    `could not click ${id}`,
  );
}
