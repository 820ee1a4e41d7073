import { sealGlobals, useCompiler } from "@gate-clock/core";
import { expose } from "comlink";

/**
 * The inside of a worker that runs code made from designs. The page hands it a port of its own; then everything by which
 * code could reach beyond the worker is taken away, before the first line of a design is read. The server's policy for
 * worker scripts (no connections, no further scripts) is a wall of its own behind this one.
 */

// taken before they are gone: the worker's own work needs them
const { setTimeout: later, setInterval: repeat, clearInterval: endRepeat } = globalThis;
export const timers = {
  setTimeout: later.bind(globalThis),
  setInterval: repeat.bind(globalThis),
  clearInterval: endRepeat.bind(globalThis),
};

/** Answers the page's calls, by the port that comes as the first message. */
export function exposeSealed(api: object): void {
  exposeByPort(api, () => {
    const makeFunction = Function;
    useCompiler((parameters, text) => makeFunction(...parameters, text) as (...args: unknown[]) => unknown);
    const left = sealGlobals();
    if (left.length) throw new Error(`These could not be taken away: ${left.join(", ")}.`);
  });
}

/** For a worker that runs no code made from designs. */
export function exposeByPort(api: object, before: () => void = () => {}): void {
  addEventListener(
    "message",
    (event: MessageEvent<{ port: MessagePort }>) => {
      const { port } = event.data;
      before();
      expose(api, port);
    },
    { once: true },
  );
}
