import { type DesignInput, type DesignReading, readDesign } from "@gate-clock/core";

export interface ReadingTask {
  readonly input: DesignInput;
  /** Of the inputs: goes with the answer. */
  readonly key: string;
}
export interface ReadingDone {
  readonly key: string;
  readonly reading: DesignReading;
}

/** Reads what a design means, without building it. */
export async function readingTask({ input, key }: ReadingTask): Promise<ReadingDone> {
  return { key, reading: await readDesign(input) };
}
