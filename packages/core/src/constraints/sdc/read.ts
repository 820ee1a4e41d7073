import type { Finding } from "../../common/finding.ts";
import { type SourceFile, SourceSet } from "../../common/source.ts";
import { clockCommands } from "./commands/clocks.ts";
import { environmentCommands } from "./commands/environment.ts";
import { exceptionCommands } from "./commands/exceptions.ts";
import { controlCommands } from "./control-commands.ts";
import { type Bounds, Interpreter, usualBounds } from "./interpreter.ts";
import { listCommands } from "./list-commands.ts";
import type { CircuitObjects } from "./objects.ts";
import type { QueryRecord } from "./queries.ts";
import { RuleReader } from "./rule-reader.ts";
import type { TimingRules } from "./rules.ts";
import { textCommands } from "./text-commands.ts";

export interface TimingFiles {
  readonly rules: TimingRules;
  readonly findings: Finding[];
  /** What each query in the files matched, in the order in which they were run. */
  readonly queries: readonly QueryRecord[];
}

/**
 * Runs timing files, in order, as one program (SDC with the Tcl that it is written in). It ends within its bounds, and
 * reaches nothing but the files given.
 * @param objects The circuit that queries look at; null while there is none: then names are not checked.
 * @param others Further files of the design that `source` may name.
 */
export function readTimingFiles(
  files: readonly SourceFile[],
  objects: CircuitObjects | null,
  others: readonly SourceFile[] = [],
  bounds: Bounds = usualBounds,
): TimingFiles {
  const sources = new SourceSet([...files, ...others]);
  const interpreter = new Interpreter(sources, bounds);
  const reader = new RuleReader(objects);
  for (const commands of [
    controlCommands,
    textCommands,
    listCommands,
    reader.queries.commands,
    ...ruleCommands(reader),
  ])
    for (const [name, run] of Object.entries(commands)) interpreter.commands.set(name, run);
  files.forEach((file, index) => {
    if (file.text.includes("\0"))
      interpreter.add({
        code: "sdc/not-text",
        severity: "error",
        place: { file: file.name, line: 1, column: 1 },
        message: `${file.name} is not a text file.`,
        remedy: "Replace it with a timing file.",
      });
    else interpreter.file(index);
  });
  const clocks = reader.finish();
  return {
    rules: { ...reader.rules, clocks },
    findings: [...interpreter.findings, ...reader.findings],
    queries: reader.queries.records,
  };
}

const ruleCommands = (reader: RuleReader) => [
  clockCommands(reader),
  exceptionCommands(reader),
  environmentCommands(reader),
];

/** Names of the commands that say something of timing, for completion. */
export const timingCommands: readonly string[] = ruleCommands(new RuleReader(null))
  .flatMap((commands) => Object.keys(commands))
  .sort();
