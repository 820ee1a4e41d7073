import type { Design } from "@gate-clock/contract";
import { By, Key, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { TestServer } from "../apps/server/test/helpers/test-server.ts";
import { serveForTests } from "./app.ts";
import * as inBrowser from "./browser.js";
import { editorText } from "./browser.js";
import { evaluateInWorker } from "./in-worker.ts";

/** What a page does when the server is away, when a text is beyond all measure, and when code wants out. */
let driver: WebDriver;
const port = String(20_000 + Math.floor(Math.random() * 12_000));
const server: TestServer = serveForTests(
  (made) => {
    driver = made;
  },
  { GATE_CLOCK_PORT: port, GATE_CLOCK_DEMO: "" },
);
const waitForText = (id: string, pattern: RegExp, ms?: number) => inBrowser.waitForText(driver, id, pattern, ms);

async function openDesign(files: Record<string, string>): Promise<Design> {
  const { body } = await server.call<Design>("/api/designs", "POST", {
    name: "robust",
    part: "TW-36-P208-1C",
    files: Object.entries(files).map(([path, text]) => ({ path, kind: "source", text })),
  });
  await driver.get(`${server.address}/designs/${body.id}/sources`);
  await driver.wait(async () => (await driver.findElements(By.css(".cm-content"))).length > 0, 30_000);
  return body;
}
const content = async () => driver.findElement(By.css(".cm-content"));
const small = "module shed(input a, output y);\n  assign y = a;\nendmodule\n";
const saved = async (design: Design) => (await server.call<Design>(`/api/designs/${design.id}`)).body.files[0].text;

describe("text that was typed", () => {
  it("is saved by itself after an outage, and the page says since when it is not", async () => {
    const design = await openDesign({ "shed.v": small });
    await waitForText("verdict", /No errors or warnings/);
    await server.stop("SIGKILL");
    await (await content()).click();
    await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.END), "// typed while nobody was there");
    await waitForText("save-state", /not saved since .*(next try in|trying again)/);
    await server.start();
    await waitForText("save-state", /^saved$/, 45_000);
    expect(await saved(design)).toContain("// typed while nobody was there");
  });

  it("survives a closed tab", async () => {
    const design = await openDesign({ "shed.v": small });
    await waitForText("verdict", /No errors or warnings/);
    const first = await driver.getWindowHandle();
    await driver.switchTo().newWindow("tab");
    await driver.get(`${server.address}/designs/${design.id}/sources`);
    await driver.wait(async () => (await editorText(driver)).includes("module shed"), 30_000);
    await server.stop("SIGKILL");
    await (await content()).click();
    await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.END), "// lost with its tab");
    await waitForText("save-state", /not saved since/);
    await driver.executeScript(
      "window.onbeforeunload = null; addEventListener('beforeunload', (e) => e.stopImmediatePropagation(), true);",
    );
    await driver.close();
    await driver.switchTo().window(first);
    await server.start();
    expect(await saved(design)).not.toContain("lost with its tab");
    await driver.get(`${server.address}/designs/${design.id}/sources`);
    await driver.wait(async () => (await saved(design)).includes("// lost with its tab"), 20_000);
    expect(await editorText(driver)).toContain("// lost with its tab");
  });
});

describe("a text", () => {
  it("with a line of twenty thousand characters is typed into without a wait", async () => {
    await openDesign({
      "long.v": `module long(input a, output y);\n  assign y = a${" & a".repeat(5000)};\nendmodule\n`,
    });
    await driver.executeScript(
      "window.longest = 0; let last = performance.now(); setInterval(() => { const now = performance.now(); window.longest = Math.max(window.longest, now - last); last = now; }, 0);",
    );
    await (await content()).click();
    await (await content()).sendKeys(Key.chord(Key.CONTROL, Key.HOME), Key.ARROW_DOWN, Key.END, " & b", Key.HOME, "x");
    // it was half a minute; a slow machine that does other things beside may take a part of a second
    expect(await driver.executeScript<number>("return window.longest")).toBeLessThan(3000);
    await waitForText("verdict", /error/);
  });

  it("with sums of a thousand terms is checked like any other, in either language", async () => {
    const terms = (text: string, operator: string) => Array(1000).fill(text).join(` ${operator} `);
    await openDesign({
      "sum.v": `module sum(input [7:0] a, output [17:0] y, output z);\n  assign y = ${terms("a", "+")};\n  assign z = ${terms("a == 3", "||")};\nendmodule\n`,
    });
    await waitForText("verdict", /No errors or warnings/);
    await openDesign({
      "sum.vhd": `library ieee;
use ieee.std_logic_1164.all;
use ieee.numeric_std.all;
entity sum is port (a: in unsigned(7 downto 0); i: in integer range 0 to 3; y: out integer range 0 to 4095; u: out unsigned(7 downto 0); x, z: out std_logic); end;
architecture rtl of sum is begin
  y <= ${terms("i", "+")};
  u <= ${terms("a", "+")};
  x <= ${terms("a(1)", "xor")};
  z <= '1' when ${terms("i = 1", "or")} else '0';
end;
`,
    });
    await waitForText("verdict", /No errors or warnings/);
  });

  it("that no check comes to an end with is said to be unchecked, and the next one is checked", async () => {
    // a hundred million turns at elaboration, many times over: longer than the page waits
    const loops = Array.from({ length: 400 }, (_, i) => `  localparam P${i} = f(${i});`).join("\n");
    const slow = `module slow(input a, output y);\n  function integer f(input integer n); integer i; begin f = n; for (i = 0; i < 4000000; i = i + 1) f = f ^ (i * n); end endfunction\n${loops}\n  assign y = a ^ P3;\nendmodule\n`;
    const design = await openDesign({ "slow.v": small });
    await waitForText("verdict", /No errors or warnings/);
    await server.call(`/api/designs/${design.id}/files/${design.files[0].id}`, "PUT", { text: slow, baseVersion: 1 });
    await waitForText("verdict", /did not come to an end within 15 s while putting 'slow' together/, 60_000);
    await server.call(`/api/designs/${design.id}/files/${design.files[0].id}`, "PUT", {
      text: `${small}// again\n`,
      baseVersion: 2,
    });
    await waitForText("verdict", /No errors or warnings/, 30_000);
  });
});

describe("a page's worker", () => {
  it("has a script with a policy that lets it connect to nothing and load nothing more", async () => {
    const policy = await driver.executeAsyncScript<string>(async (done: (found: string) => void) => {
      const entry = [...document.scripts].map(({ src }) => src).find((src) => src.includes("/assets/index-"))!;
      const file = /assets\/check\.worker-[\w-]+\.js/.exec(await (await fetch(entry)).text())![0];
      done((await fetch(`/${file}`)).headers.get("content-security-policy") ?? "");
    });
    expect(policy).toBe("default-src 'none'; script-src 'unsafe-eval' 'wasm-unsafe-eval'; frame-ancestors 'none'");
  });

  it("leaves code in it nothing to reach: no network, no storage, no page, no other script", async () => {
    await openDesign({ "shed.v": small });
    await waitForText("verdict", /No errors or warnings/);
    const tried = (text: string) => evaluateInWorker(driver, "check.worker", text);
    // it is the worker that has checked, and code runs in it: only then do the refusals mean something
    expect(await tried("[1, 2].map((n) => n * 2).join()")).toBe("2,4");
    expect(await tried("new Function('return 6 * 7')()")).toBe("42");
    for (const name of [
      ..."fetch XMLHttpRequest WebSocket WebSocketStream WebTransport EventSource BroadcastChannel Worker SharedWorker".split(
        " ",
      ),
      ..."indexedDB caches cookieStore localStorage sessionStorage navigator location self importScripts postMessage".split(
        " ",
      ),
      ..."close addEventListener dispatchEvent setTimeout setInterval queueMicrotask MessageChannel Notification crypto".split(
        " ",
      ),
      "document window parent opener chrome".split(" "),
    ].flat())
      expect(await tried(`typeof ${name}`), name).toBe("undefined");
    // from what is left, nothing leads back
    for (const text of [
      "Object.getPrototypeOf(globalThis).fetch",
      "(function () { return this })().fetch",
      "(0, eval)('typeof fetch') === 'undefined' ? undefined : 1",
      "Object.getOwnPropertyNames(globalThis).map((name) => globalThis[name]).find((each) => /native code/.test(each) && /fetch|send|open|post/i.test(each.name))",
    ])
      expect(await tried(text), text).toBe("undefined");
    const { address } = server;
    for (const text of [
      `import("${address}/assets/none.js")`,
      `import("data:text/javascript,export default 1")`,
      "new Error().stack.constructor.constructor('return fetch')()",
    ])
      expect(await tried(text), text).toMatch(/^refused: /);
    // and the page has all of it, so that the test would see it
    expect(await driver.executeScript("return typeof fetch + typeof indexedDB + typeof Worker")).toBe(
      "functionobjectfunction",
    );
  });
});
