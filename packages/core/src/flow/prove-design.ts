import { decodeBitstream } from "../bitstream/format.ts";
import { decodeArtifact, encodeArtifact, hashValue } from "../common/codec.ts";
import type { StageContext } from "../common/context.ts";
import type { SourceFile } from "../common/source.ts";
import type { Part } from "../device/part.ts";
import { elaborate, meaningKeyOf } from "../elaborate/elaborate.ts";
import { asWritten, shapePorts } from "../netlist/port-shape.ts";
import { defaultProveOptions, type Proof, prove } from "../prove/prove.ts";
import { proveReadback, type ReadbackProof } from "../prove/readback.ts";
import { checkSource, defaultSourceCheck, type SourceCheck } from "../prove/source-check.ts";
import { synthOptionsFor } from "../synth/synthesize.ts";
import type { StageArtifacts } from "./artifacts.ts";

/** Goes up when a proof says something else about the same circuits. */
const proofVersion = 2;

/** The three links from the text to the bits: text and circuit as written, as written and as built, as built and read back. */
export interface DesignProof {
  /** "equal": the last two are proven, and the first, which only runs can show, shows no difference. */
  readonly verdict: Proof["verdict"];
  readonly source: SourceCheck;
  readonly logic: Proof;
  /** null while there is no bitstream. */
  readonly readback: ReadbackProof | null;
  readonly elapsedMs: number;
}

/** What a proof is about. All artifacts must belong to one trial. */
export interface ProofInputs {
  readonly part: Part;
  /** The text, with the files that memories are filled from. */
  readonly sources: readonly SourceFile[];
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

/** Key of a proof: equal keys, equal proofs. @param keys Keys of the text, and of the synth and the image artifact ("" for none). */
export function proofKey(sourcesKey: string, synthKey: string, imageKey: string): string {
  return hashValue(["proof", proofVersion, sourcesKey, synthKey, imageKey, defaultProveOptions, defaultSourceCheck]);
}

/** Proofs that have been made, under their keys. */
interface ProofStore {
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
  const source = checkText(inputs, share(0, 0.25));
  const logic = prove(
    shapePorts(inputs.elaborate.netlist, inputs.synth.shape ?? asWritten),
    inputs.synth,
    synthOptionsFor(part),
    defaultProveOptions,
    share(0.25, layout ? 0.75 : 1),
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
            pins: layout.rules.pins.pins,
            part,
          },
          decoded.memory,
          share(0.75, 1),
        )
      : { verdict: "different", points: 1, open: [{ name: decoded.detail, what: "output" }] };
  }
  const verdicts = [source.verdict, logic.verdict, readback?.verdict ?? "equal"];
  const verdict = verdicts.includes("different") ? "different" : verdicts.includes("undecided") ? "undecided" : "equal";
  const proof: DesignProof = { verdict, source, logic, readback, elapsedMs: now() - started };
  await store.put(key, encodeArtifact(proof));
  return proof;
}

/** Runs the text beside the circuit that was made of it, if that is the text. */
function checkText({ sources, elaborate: made }: ProofInputs, context: StageContext): SourceCheck {
  const { top } = made.netlist;
  const now = elaborate(sources, { top });
  if (now.artifact && meaningKeyOf(now.artifact) === meaningKeyOf(made))
    return checkSource(sources, made.netlist, defaultSourceCheck, context);
  return {
    verdict: "not compared",
    reason: "The text has changed since this trial.",
    runs: 0,
    cycles: 0,
    outputs: 0,
    registers: 0,
    bitsCompared: 0,
    neverKnown: [],
    difference: null,
  };
}

/** One sentence for people. */
export function proofText(proof: DesignProof): string {
  const { source, logic, readback } = proof;
  if (source.difference) {
    const { name, what, simulated, written } = source.difference;
    return `The circuit is not what the text says: ${what} '${name}' is ${simulated} in simulation, ${written} in the circuit as written.`;
  }
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

export interface ProofLink {
  readonly name: string;
  readonly verdict: "simulated alike" | "proven equal" | "different" | "undecided" | "not compared";
  /** How that was shown, and what it leaves open. */
  readonly how: string;
}

/** The links from the text to the bits, each with how it was shown. */
export function proofLinks({ source, logic, readback }: DesignProof): ProofLink[] {
  const count = (n: number, what: string) => `${n.toLocaleString("en-US")} ${what}${n === 1 ? "" : "s"}`;
  const never = source.neverKnown.length;
  const verdictOf = (verdict: Proof["verdict"]) => (verdict === "equal" ? "proven equal" : verdict);
  return [
    {
      name: "Text and circuit as written",
      verdict: source.verdict === "agrees" ? "simulated alike" : source.verdict,
      how:
        source.verdict === "not compared"
          ? source.reason!
          : `Both run on random inputs from the start: ${count(source.runs, "run")}, ${count(source.cycles, "cycle")}, ${count(source.bitsCompared, "bit")} of ${count(source.outputs, "output")} and ${count(source.registers, "register")} compared.${never ? ` Never known: ${source.neverKnown.slice(0, 5).join(", ")}${never > 5 ? ` and ${never === 50 ? "more" : `${never - 5} more`}` : ""}.` : ""}`,
    },
    {
      name: "Circuit as written and as built",
      verdict: verdictOf(logic.verdict),
      how: `${count(logic.points, "comparison")} of outputs, registers and block pins, in every state: ${count(logic.satQuestions, "question")} to a SAT solver over ${count(logic.nodes, "gate")}, after ${count(logic.cyclesSimulated, "cycle")} of simulation.`,
    },
    {
      name: "Circuit as built and bits",
      verdict: readback ? verdictOf(readback.verdict) : "not compared",
      how: readback
        ? `The circuit that the bits make, read back, is the one as built: ${count(readback.points, "point")}.`
        : "There is no bitstream.",
    },
  ];
}
