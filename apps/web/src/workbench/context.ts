import type { BenchRunInfo, Design, Trial } from "@gate-clock/contract";
import type { DesignCheck, DesignInput, Finding, Place, SourceFile } from "@gate-clock/core";
import { type Context, createContext, useContext } from "react";
import type { BenchSession } from "../sessions/bench-session.ts";
import type { SimulateSession } from "../sessions/simulate-session.ts";
import type { Reference } from "./compare.ts";
import type { Drafts } from "./drafts.ts";
import type { CheckState } from "./use-check.ts";

/*
 * What the stations of a design share, in parts by what changes together: who shows a trial is not drawn anew at each
 * letter that is typed.
 */

/** What is looked at. */
interface DesignView {
  readonly design: Design;
  /** The trial that is looked at, live while it runs: the last one, unless the address names another. */
  readonly trial: Trial | null;
  /** The trial that it is compared with, if it is one. */
  readonly against: Trial | null;
  /** What its figures are compared with. */
  readonly reference: Reference | null;
}

/** The texts as they stand in the editors. */
interface Texts {
  readonly drafts: Drafts;
  /** All that a build would run on. */
  readonly input: DesignInput;
  readonly sources: readonly SourceFile[];
  /** Key of what they say: verdicts of benches that name another one are of an earlier state. null: not known yet. */
  readonly sourcesKey: string | null;
}

/** What the check says of the texts. */
interface CheckResult {
  readonly check: DesignCheck | null;
  /** Whether that is of the texts as they are now. */
  readonly checkState: CheckState;
  readonly tryCheckAgain: () => void;
  /** What the trial says of timing holds for the texts as they are now. */
  readonly isTimingCurrent: boolean;
}

/** What runs on while other stations of the design are looked at. */
interface Sessions {
  /** The board of this design. */
  readonly bench: BenchSession;
  /** Runs of the design's test benches. */
  readonly simulation: SimulateSession;
  /** Runs of test benches on the server, newest first. */
  readonly serverRuns: readonly BenchRunInfo[];
}

/** What can be done from anywhere. These stay the same as long as the design is open. */
interface Acts {
  readonly build: () => Promise<void>;
  /** Opens the file at the line, with the focus on it. */
  readonly showPlace: (place: Place) => void;
  /** Makes the finding's edit in the text that it belongs to. */
  readonly repair: (finding: Finding) => void;
}

export const DesignContext = createContext<DesignView | null>(null);
export const TextsContext = createContext<Texts | null>(null);
export const CheckContext = createContext<CheckResult | null>(null);
export const SessionsContext = createContext<Sessions | null>(null);
export const ActsContext = createContext<Acts | null>(null);

function useOf<T>(context: Context<T | null>): T {
  const value = useContext(context);
  if (!value) throw new Error("A part of a design's workspace stands outside of it.");
  return value;
}
export const useDesign = () => useOf(DesignContext);
export const useTexts = () => useOf(TextsContext);
export const useCheckResult = () => useOf(CheckContext);
export const useSessions = () => useOf(SessionsContext);
export const useActs = () => useOf(ActsContext);
