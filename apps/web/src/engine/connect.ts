import { type Remote, wrap } from "comlink";

/** Opens the way to a sealed worker: see `exposeSealed`. */
export function connect<T>(worker: Worker): Remote<T> {
  const { port1, port2 } = new MessageChannel();
  worker.postMessage({ port: port2 }, [port2]);
  return wrap<T>(port1);
}
