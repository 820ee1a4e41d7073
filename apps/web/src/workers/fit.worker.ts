import {
  type CodingFigures,
  codingFigures,
  type DesignInput,
  type DesignProof,
  estimateDesign,
  type Finding,
  findPart,
  fitParts,
  type PartFit,
  type Progress,
  type ProofInputs,
  proveDesign,
  quietContext,
  type RtlNetlist,
  type SourceFile,
  type StageContext,
  type StyleFigures,
  styleFigures,
  type TimingReport,
} from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";

/** Work of the Fit and Circuit stations that takes a second or more. The page ends the worker to cancel. */
type Tell = (progress: Progress) => void;

function telling(tell: Tell): StageContext {
  let last = 0;
  return {
    ...quietContext(),
    progress: (progress) => {
      const now = Date.now();
      if (now - last < 80) return;
      last = now;
      tell(progress);
    },
  };
}

const fitter = {
  fitParts: (netlist: RtlNetlist, tell: Tell): PartFit[] => fitParts(netlist, telling(tell)),
  styles: (sources: readonly SourceFile[], tops: readonly string[], part: string): StyleFigures[] =>
    tops.map((top) => styleFigures(sources, top, part, quietContext())),
  codings: (netlist: RtlNetlist, part: string, name: string, tell: Tell): CodingFigures[] =>
    codingFigures(netlist, findPartOrThrow(part), name, telling(tell)),
  /** Timing before layout; else why there is none. */
  estimate: async (input: DesignInput, tell: Tell): Promise<TimingReport | Finding> => {
    const { artifact, findings } = await estimateDesign(input, telling(tell));
    return artifact ?? findings.find(({ severity }) => severity === "error") ?? findings[0];
  },
  prove: (inputs: Omit<ProofInputs, "part"> & { part: string }, key: string, tell: Tell): Promise<DesignProof> => {
    const found = findPartOrThrow(inputs.part);
    const none = { get: async () => null, put: async () => {} };
    return proveDesign({ ...inputs, part: found }, key, none, telling(tell));
  },
};
export type Fitter = typeof fitter;
exposeSealed(fitter);

function findPartOrThrow(name: string): ProofInputs["part"] {
  const { part, findings } = findPart(name);
  if (!part) throw new Error(findings[0]?.message ?? name);
  return part;
}
