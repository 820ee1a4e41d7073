import type { WebDriver } from "selenium-webdriver";
import WebSocket from "ws";

/**
 * Evaluates a text in the global scope of a worker of the page, where code made from designs runs too, through the
 * browser's own debugging port.
 * @param url Part of the address of the worker's script.
 * @returns What it came to as text, promises awaited, or "refused: " and the error's.
 */
export async function evaluateInWorker(driver: WebDriver, url: string, text: string): Promise<string> {
  const options = (await driver.getCapabilities()).get("goog:chromeOptions") as { debuggerAddress: string };
  const here = await driver.getCurrentUrl();
  const pages = (await (await fetch(`http://${options.debuggerAddress}/json/list`)).json()) as {
    type: string;
    url: string;
    webSocketDebuggerUrl: string;
  }[];
  const page = pages.find((each) => each.type === "page" && each.url === here);
  if (!page) throw new Error(`No page ${here} among ${pages.map((each) => each.url).join(", ")}.`);
  const socket = new WebSocket(page.webSocketDebuggerUrl);
  try {
    return await new Promise<string>((resolve, reject) => {
      socket.on("error", reject);
      socket.on("open", () =>
        socket.send(
          JSON.stringify({
            id: 1,
            method: "Target.setAutoAttach",
            params: { autoAttach: true, waitForDebuggerOnStart: false, flatten: true },
          }),
        ),
      );
      const clock = setTimeout(() => reject(new Error(`No worker of ${url} answers.`)), 15_000);
      socket.on("message", (data: Buffer) => {
        const message = JSON.parse(data.toString()) as {
          id?: number;
          method?: string;
          params?: { sessionId: string; targetInfo: { type: string; url: string } };
          result?: {
            result: { value?: unknown };
            exceptionDetails?: { text: string; exception?: { description?: string } };
          };
        };
        if (message.method === "Target.attachedToTarget" && message.params!.targetInfo.url.includes(url))
          socket.send(
            JSON.stringify({
              id: 2,
              sessionId: message.params!.sessionId,
              method: "Runtime.evaluate",
              params: { expression: text, awaitPromise: true, returnByValue: true },
            }),
          );
        if (message.id !== 2 || !message.result) return;
        clearTimeout(clock);
        const { result, exceptionDetails } = message.result;
        resolve(
          exceptionDetails
            ? `refused: ${exceptionDetails.exception?.description ?? exceptionDetails.text}`
            : String(result.value),
        );
      });
    });
  } finally {
    socket.close();
  }
}
