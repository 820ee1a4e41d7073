import type { CreateDesignDto, Design } from "@gate-clock/contract";
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

/** Begins a design. @returns Its id. @throws Error with what the server says against it. */
export async function makeDesign({ address }: TestServer, design: Partial<CreateDesignDto>): Promise<string> {
  const response = await fetch(`${address}/api/designs`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(design),
  });
  if (!response.ok) throw new Error(await response.text());
  return ((await response.json()) as Design).id;
}

/** A design as the server has it. */
export const savedDesign = async ({ address }: TestServer, id: string): Promise<Design> =>
  (await (await fetch(`${address}/api/designs/${id}`)).json()) as Design;

/** Texts of its files as the server has them, by their paths. */
export async function savedTexts(server: TestServer, id: string): Promise<Record<string, string>> {
  const { files } = await savedDesign(server, id);
  return Object.fromEntries(files.map(({ path, text }) => [path, text]));
}
