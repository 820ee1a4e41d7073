import { decodeBitstream } from "../bitstream/format.ts";
import { decodeArtifact, encodeArtifact, hashValue } from "../common/codec.ts";
import type { StageContext } from "../common/context.ts";
import type { Part } from "../device/part.ts";
import { defaultProveOptions, type Proof, prove } from "../prove/prove.ts";
import { proveReadback, type ReadbackProof } from "../prove/readback.ts";
import { synthOptionsFor } from "../synth/synthesize.ts";
import type { StageArtifacts } from "./artifacts.ts";

/** Goes up when a proof says something else about the same circuits. */
export const proofVersion = 1;

/** As written = as built, and as built = bits read back. */
export interface DesignProof {
  readonly verdict: Proof["verdict"];
  readonly logic: Proof;
  /** null while there is no bitstream. */
  readonly readback: ReadbackProof | null;
  readonly elapsedMs: number;
}

/** What a proof is about. All artifacts must belong to one trial. */
export interface ProofInputs {
  readonly part: Part;
  readonly elaborate: StageArtifacts["elaborate"];
  readonly synth: StageArtifacts["synth"];
  readonly layout: {
    readonly rules: StageArtifacts["rules"];
    readonly pack: StageArtifacts["pack"];
    readonly place: StageArtifacts["place"];
    readonly route: StageArtifacts["route"];
    readonly image: StageArtifacts["image"];
  } | null;
}

/** Key of a proof: equal keys, equal proofs. @param keys Keys of the synth and the image artifact ("" for none). */
export function proofKey(synthKey: string, imageKey: string): string {
  return hashValue(["proof", proofVersion, synthKey, imageKey, defaultProveOptions]);
}

/** Proofs that have been made, under their keys. */
export interface ProofStore {
  get(key: string): Promise<Uint8Array | null>;
  put(key: string, bytes: Uint8Array): Promise<void>;
}

/** Proves a design, or gives the proof that is kept under its key. */
export async function proveDesign(
  inputs: ProofInputs,
  key: string,
  store: ProofStore,
  context: StageContext,
  now: () => number = () => Date.now(),
): Promise<DesignProof> {
  const kept = await store.get(key);
  if (kept) return decodeArtifact<DesignProof>(kept);
  const started = now();
  const { part, layout } = inputs;
  const share = (from: number, to: number): StageContext => ({
    ...context,
    progress: ({ fraction, figure }) => context.progress({ fraction: from + (to - from) * fraction, figure }),
  });
  const logic = prove(
    inputs.elaborate.netlist,
    inputs.synth,
    synthOptionsFor(part),
    defaultProveOptions,
    share(0, layout ? 0.7 : 1),
  );
  let readback: ReadbackProof | null = null;
  if (layout) {
    const decoded = decodeBitstream(layout.image.file, part);
    readback = decoded.ok
      ? proveReadback(
          {
            netlist: inputs.synth,
            packed: layout.pack,
            placed: layout.place,
            routed: layout.route,
            pins: layout.rules.pins,
            part,
          },
          decoded.memory,
          share(0.7, 1),
        )
      : { verdict: "different", points: 1, open: [{ name: decoded.detail, what: "output" }] };
  }
  const verdicts = [logic.verdict, readback?.verdict ?? "equal"];
  const verdict = verdicts.includes("different") ? "different" : verdicts.includes("undecided") ? "undecided" : "equal";
  const proof: DesignProof = { verdict, logic, readback, elapsedMs: now() - started };
  await store.put(key, encodeArtifact(proof));
  return proof;
}

/** One sentence for people. */
export function proofText(proof: DesignProof): string {
  const { logic, readback } = proof;
  if (proof.verdict === "equal")
    return `The circuit as built does what was written: ${logic.points} outputs, registers and block pins compared${readback ? `, and ${readback.points} more in the bits read back` : ""}.`;
  const open = logic.open.length ? logic.open : (readback?.open ?? []);
  const where = open[0] ? `${open[0].what} '${open[0].name}'` : (logic.wordFaults[0]?.cell ?? "");
  if (proof.verdict === "undecided")
    return `Not decided: ${where}${open.length > 1 ? ` and ${open.length - 1} more` : ""}.`;
  const example = logic.counterexample;
  if (!example) return `The bits read back are another circuit: ${where} differs.`;
  return example.fromStart
    ? `The ${where} differs ${example.cycles.length} cycle${example.cycles.length === 1 ? "" : "s"} after the start: written ${example.written}, built ${example.built}.`
    : `The ${where} differs in a state that no run from the start is known to reach.`;
}
