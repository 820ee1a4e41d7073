import { readDesign, type StageRecord, staleness, stalenessText } from "@gate-clock/core";
import { recordsIn } from "./kept-results.ts";
import { joinPath, type LoadOptions, loadDesign, readJson, UsageError } from "./load-design.ts";
import type { Session } from "./session.ts";

interface StatusOptions extends LoadOptions {
  readonly out?: string;
  readonly json?: boolean;
}

/** What of a finished build is out of date, why, and what a build would do again. @returns 0 if nothing is, else 1. */
export async function status(paths: readonly string[], options: StatusOptions, io: Session): Promise<number> {
  const input = loadDesign(paths, options, io);
  const path = joinPath(options.out ?? "build", "report.json");
  let records: StageRecord[] = [];
  if (io.kind(path) !== null) {
    const found = recordsIn(readJson(path, io));
    if (!found) throw new UsageError(`${path} is not what 'build' writes: build again.`);
    records = found;
  }
  const told = staleness(records, await readDesign(input));
  if (options.json) io.out(JSON.stringify(told, null, 2));
  else io.out(`${input.name}: ${stalenessText(told)}`);
  return told.isCurrent ? 0 : 1;
}
