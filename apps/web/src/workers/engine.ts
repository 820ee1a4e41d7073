import type { Remote } from "comlink";
import { connect } from "../engine/connect.ts";
import { type OpenWorker, WorkerPool } from "../engine/pool.ts";
import type { Checker } from "./check.worker.ts";
import type { Circuits } from "./circuit.worker.ts";
import type { Fitter } from "./fit.worker.ts";
import type { Names } from "./names.worker.ts";
import type { Reporter } from "./report.worker.ts";

/** What workers answer. */
interface Services {
  readonly check: Remote<Checker>;
  readonly circuit: Remote<Circuits>;
  readonly fit: Remote<Fitter>;
  readonly names: Remote<Names>;
  readonly report: Remote<Reporter>;
}

const scripts: { readonly [K in keyof Services]: () => Worker } = {
  check: () => new Worker(new URL("./check.worker.ts", import.meta.url), { type: "module" }),
  circuit: () => new Worker(new URL("./circuit.worker.ts", import.meta.url), { type: "module" }),
  fit: () => new Worker(new URL("./fit.worker.ts", import.meta.url), { type: "module" }),
  names: () => new Worker(new URL("./names.worker.ts", import.meta.url), { type: "module" }),
  report: () => new Worker(new URL("./report.worker.ts", import.meta.url), { type: "module" }),
};

function open<K extends keyof Services>(kind: K): OpenWorker<Services[K]> {
  const worker = scripts[kind]();
  return {
    remote: connect(worker) as unknown as Services[K],
    end: () => worker.terminate(),
    onFail: (tell) => {
      worker.onerror = (event) => tell(event.message);
    },
  };
}

/** All that the page computes away from its own thread, but for the bench and simulations, which go on by themselves. */
export const engine = new WorkerPool<Services>(open, Math.max(1, (navigator.hardwareConcurrency || 2) - 1), 4);

const identities = new WeakMap<object, number>();
let nextIdentity = 1;
/** A number for an object that never changes: names it in the key of a query without writing it out. */
export function identityOf(object: object): number {
  let id = identities.get(object);
  if (id === undefined) {
    id = nextIdentity++;
    identities.set(object, id);
  }
  return id;
}

/** Answers are large and never change: they are kept as they are, and asked for once. */
export const answered = { staleTime: Infinity, gcTime: 10 * 60_000, structuralSharing: false, retry: false } as const;
