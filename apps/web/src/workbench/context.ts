import type { BenchRunInfo, Design, Trial } from "@gate-clock/contract";
import type { DesignCheck, Finding, Place, SourceFile } from "@gate-clock/core";
import { createContext, useContext } from "react";
import type { BenchSession } from "../sessions/bench-session.ts";
import type { SimulateSession } from "../sessions/simulate-session.ts";
import type { Drafts } from "./drafts.ts";
import type { CheckState } from "./use-check.ts";

/** What every station of a design shares. */
export interface DesignContextValue {
  readonly design: Design;
  /** The trial that is looked at, live while it runs: the last one, unless the address names another. */
  readonly trial: Trial | null;
  /** What its figures are compared with. */
  readonly against: Trial | null;
  readonly drafts: Drafts;
  readonly check: DesignCheck | null;
  /** Whether that is of the texts as they are now. */
  readonly checkState: CheckState;
  readonly tryCheckAgain: () => void;
  /** The board of this design; it runs on while other stations are looked at. */
  readonly bench: BenchSession;
  /** Runs of the design's test benches. */
  readonly simulation: SimulateSession;
  /** Runs of test benches on the server, newest first. */
  readonly serverRuns: readonly BenchRunInfo[];
  /** The source files as they stand in the editors. */
  readonly sources: readonly SourceFile[];
  /** Key of those texts: verdicts of benches that name another one are of an earlier state. */
  readonly sourcesKey: string;
  readonly build: () => Promise<void>;
  /** Opens the file at the line, with the focus on it. */
  readonly showPlace: (place: Place) => void;
  /** Makes the finding's edit in the text that it belongs to. */
  readonly repair: (finding: Finding) => void;
}

export const DesignContext = createContext<DesignContextValue | null>(null);

export function useDesign(): DesignContextValue {
  const value = useContext(DesignContext);
  if (!value) throw new Error("useDesign outside of a design's workspace");
  return value;
}
