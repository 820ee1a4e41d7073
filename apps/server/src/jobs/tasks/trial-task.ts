import { promisify } from "node:util";
import { brotliCompress, brotliDecompress, constants } from "node:zlib";
import type { TrialFigures } from "@gate-clock/contract";
import {
  type ArtifactStore,
  type DesignInput,
  type Finding,
  type FlowResult,
  runFlow,
  type StageName,
  type StageRecord,
  utilization,
} from "@gate-clock/core";
import type { TaskHost } from "../messages.ts";

export interface TrialTask {
  readonly input: DesignInput;
  /** Key of a synth artifact to take over from what did not change. */
  readonly reuseFrom: string | null;
}
export type StoreQuestion =
  | { readonly get: string }
  | { readonly put: string; readonly stage: StageName; readonly bytes: Uint8Array };
export interface TrialDone {
  readonly status: "done" | "failed" | "cancelled";
  readonly stages: readonly StageRecord[];
  readonly findings: readonly Finding[];
  readonly figures: TrialFigures;
}

const compress = promisify(brotliCompress);
const decompress = promisify(brotliDecompress);

/** Runs one trial. Notes are records of stages; artifacts go to and come from the server, which alone has the database. */
export async function trialTask({ input, reuseFrom }: TrialTask, host: TaskHost): Promise<TrialDone> {
  const ask = (question: StoreQuestion) => host.ask(question) as Promise<Uint8Array | null>;
  const store: ArtifactStore = {
    async get(key) {
      const bytes = await ask({ get: key });
      return bytes && new Uint8Array(await decompress(bytes));
    },
    async put(key, stage, bytes) {
      const packed = await compress(bytes, { params: { [constants.BROTLI_PARAM_QUALITY]: 1 } });
      await ask({ put: key, stage, bytes: packed });
    },
  };
  const result = await runFlow(input, store, {
    reuseFrom,
    onStage: (record) => host.note(record),
    isCancelled: host.isStopped,
  });
  const { status, stages, findings } = result;
  return { status, stages, findings, figures: await figuresOf(result) };
}
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
    clocks: rules?.timing.clocks.filter(({ origin }) => origin !== null).length ?? null,
    wires: routed?.wiresUsed ?? null,
    setupSlackPs: worst("setup"),
    holdSlackPs: worst("hold"),
    fmaxMhz: fmax.length ? Math.min(...fmax) : null,
    imageBytes: image?.file.length ?? null,
    imageKey: image?.designKey ?? null,
  };
}
