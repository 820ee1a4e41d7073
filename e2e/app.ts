import type { WebDriver } from "selenium-webdriver";
import { afterAll, beforeAll } from "vitest";
import { TestServer } from "../apps/server/test/helpers/test-server.ts";
import { openBrowser } from "./browser.js";

/** A server with a database of its own and a browser, for the tests of one file. @param use Takes the browser. @param settings Of the server. */
export function serveForTests(
  use: (driver: WebDriver) => void,
  settings: Readonly<Record<string, string>> = {},
): TestServer {
  const server = new TestServer(settings);
  let close: (() => Promise<void>) | null = null;
  beforeAll(async () => {
    await server.createDatabase();
    await server.start();
    const browser = await openBrowser();
    ({ close } = browser);
    use(browser.driver);
  });
  afterAll(async () => {
    await close?.();
    await server.stop();
    await server.dropDatabase();
  });
  return server;
}
