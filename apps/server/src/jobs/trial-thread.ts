import { promisify } from "node:util";
import { parentPort, workerData } from "node:worker_threads";
import { brotliCompress, brotliDecompress, constants } from "node:zlib";
import type { TrialFigures } from "@gate-clock/contract";
import { type ArtifactStore, type FlowResult, runFlow, utilization } from "@gate-clock/core";
import type { ToServer, ToThread, TrialJob } from "./messages.ts";

/** Runs one trial. Artifacts go to and come from the server process, which alone talks to the database. */
const port = parentPort!;
const { input, cancelFlag, reuseFrom } = workerData as TrialJob;
const flag = new Int32Array(cancelFlag);
const compress = promisify(brotliCompress);
const decompress = promisify(brotliDecompress);
const waiting = new Map<number, (bytes: Uint8Array | null) => void>();
let nextId = 1;
const send = (message: ToServer) => port.postMessage(message);
port.on("message", (message: ToThread) => {
  waiting.get(message.id)?.(message.bytes);
  waiting.delete(message.id);
});
const ask = (message: (id: number) => ToServer): Promise<Uint8Array | null> =>
  new Promise((resolve) => {
    const id = nextId++;
    waiting.set(id, resolve);
    send(message(id));
  });

const store: ArtifactStore = {
  async get(key) {
    const bytes = await ask((id) => ({ kind: "get", id, key }));
    return bytes && new Uint8Array(await decompress(bytes));
  },
  async put(key, stage, bytes) {
    const packed = await compress(bytes, { params: { [constants.BROTLI_PARAM_QUALITY]: 1 } });
    await ask((id) => ({ kind: "put", id, key, stage, bytes: packed }));
  },
};

async function figuresOf(result: FlowResult): Promise<TrialFigures> {
  const [netlist, packed, rules, routed, timing, image] = await Promise.all([
    result.artifact("synth"),
    result.artifact("pack"),
    result.artifact("rules"),
    result.artifact("route"),
    result.artifact("timing"),
    result.artifact("image"),
  ]);
  const uses = netlist && result.part ? utilization(netlist, packed, result.part) : [];
  const use = (kind: string) => uses.find((each) => each.kind === kind);
  const worst = (kind: string) => {
    const slacks =
      timing?.checks
        .filter((check) => check.kind === kind && check.worstSlackPs !== null)
        .map((check) => check.worstSlackPs!) ?? [];
    return slacks.length ? Math.min(...slacks) : null;
  };
  const fmax = timing?.clocks.map((clock) => clock.fmaxMhz).filter((mhz) => mhz !== null) ?? [];
  const luts = use("LUTs");
  return {
    luts: luts?.used ?? null,
    registers: use("registers")?.used ?? null,
    lutPercent: luts ? (100 * luts.used) / luts.available : null,
    pins: use("pins")?.used ?? null,
    clocks: rules?.clocks.length ?? null,
    wires: routed?.wiresUsed ?? null,
    setupSlackPs: worst("setup"),
    holdSlackPs: worst("hold"),
    fmaxMhz: fmax.length ? Math.min(...fmax) : null,
    imageBytes: image?.file.length ?? null,
    imageKey: image?.designKey ?? null,
  };
}

const result = await runFlow(input, store, {
  reuseFrom,
  onStage: (record) => send({ kind: "stage", record }),
  isCancelled: () => Atomics.load(flag, 0) === 1,
});
send({
  kind: "finished",
  status: result.status,
  stages: result.stages,
  findings: result.findings,
  figures: await figuresOf(result),
});
port.close();
