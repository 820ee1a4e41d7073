import {
  checkDesign,
  type DesignCheck,
  type DesignInput,
  type DesignReading,
  readingOf,
  sourcesKey,
  TimingCompleter,
  type TimingName,
} from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";

/** What the texts mean, and the key of what they say. */
interface TextReading {
  readonly reading: DesignReading;
  readonly sourcesKey: string;
}

let last: {
  readonly id: number;
  readonly input: DesignInput;
  readonly check: DesignCheck;
  readonly design: Parameters<typeof readingOf>[1];
} | null = null;

/** Of the last texts, once it is asked for. */
let completer: { readonly id: number; readonly names: TimingCompleter } | null = null;

/** Checks a design off the main thread. `tell` hears what is being done, so that the page can say where it stopped. */
const checker = {
  /** @param id Of these texts, for what is asked of them later. */
  check(input: DesignInput, id: number, tell: (step: string) => void): DesignCheck {
    let design: Parameters<typeof readingOf>[1] = null;
    const check = checkDesign(input, tell, (made) => {
      design = made;
    });
    last = { id, input, check, design };
    return check;
  },
  /** What the texts mean: takes about as long again, so findings come first. null: others have been checked since. */
  reading: (id: number): TextReading | null =>
    last?.id === id
      ? { reading: readingOf(last.input, last.design, last.check), sourcesKey: sourcesKey(last.input.sources) }
      : null,
  /** Names of the circuit that may follow on a line of a timing file. Empty while there is no circuit. */
  timingNames(before: string): TimingName[] {
    if (!last?.design) return [];
    if (completer?.id !== last.id)
      completer = { id: last.id, names: new TimingCompleter(last.design.netlist, last.design.hierarchy) };
    return completer.names.complete(
      before,
      last.check.clocks.map(({ name }) => name),
    );
  },
};
export type Checker = typeof checker;
exposeSealed(checker);
