import { readFileSync } from "node:fs";
import { appendFile, mkdir, writeFile } from "node:fs/promises";
import { dirname, resolve } from "node:path";
import {
  type Finding,
  formatFinding,
  hasErrors,
  listScopes,
  parseTime,
  prepare,
  type RecordScope,
  recordAll,
  type SourceFile,
  VcdSink,
} from "@gate-clock/core";
import { type Output, printFindings } from "./commands.ts";
import { type LoadOptions, loadDesign, UsageError } from "./load-design.ts";

export interface SimulateCall extends LoadOptions {
  readonly until?: string;
  readonly vcd?: string;
  readonly record?: readonly string[];
  readonly seed?: string;
  readonly plusarg?: readonly string[];
  readonly json?: boolean;
}

/** Scopes by their names from the bench on, `bench.dut`; every signal if none is named. */
function recordedScopes(sources: readonly SourceFile[], top: string | undefined, names: readonly string[]) {
  if (names.length === 0) return recordAll;
  const known = new Set(listScopes(sources, top).map(({ path }) => path));
  return names.map((name): RecordScope => {
    const path = name.split(".").slice(1).join(".");
    if (known.size && !known.has(path))
      throw new UsageError(`--record ${name}: there is no such scope; write its name from the test bench on.`);
    return { path, below: true };
  });
}

/** Runs a test bench. Exit status 1 if the text has errors, or the run reports one. */
export async function runSimulation(paths: readonly string[], call: SimulateCall, io: Output): Promise<number> {
  const until = call.until === undefined ? null : parseTime(call.until);
  if (call.until !== undefined && until === null)
    throw new UsageError(`--until ${call.until} is no time; write it like 10us.`);
  const seed = call.seed === undefined ? 0 : Number(call.seed);
  if (!Number.isInteger(seed)) throw new UsageError(`--seed ${call.seed} is no whole number.`);
  const input = await loadDesign(paths, call);
  const chunks: string[] = [];
  const sink = new VcdSink((text) => chunks.push(text));
  const readFile = (name: string) => {
    try {
      return readFileSync(resolve(name), "latin1");
    } catch {
      return null;
    }
  };
  const { simulation, findings } = prepare(
    input.sources,
    {
      top: call.top ?? undefined,
      until,
      seed,
      plusArgs: call.plusarg ?? [],
      readFile,
      record: call.vcd === undefined ? null : recordedScopes(input.sources, call.top, call.record ?? []),
    },
    sink,
  );
  printFindings(findings, io);
  if (!simulation) {
    if (call.json) io.out(JSON.stringify({ ok: false, end: "errors", findings }, null, 2));
    return 1;
  }
  let printed = "";
  simulation.onPrint = ({ text }) => {
    if (call.json) printed += text;
    else io.write(text);
  };
  let dumpFile: string | null = call.vcd ?? null;
  let dumped = false;
  const flush = async () => {
    if (chunks.length === 0) return;
    dumpFile ??= simulation.runtime.dump.file ?? "dump.vcd";
    const text = chunks.splice(0).join("");
    if (dumped) await appendFile(dumpFile, text);
    else await writeFile(dumpFile, text);
    dumped = true;
  };
  let told = 0;
  const tell = (list: readonly Finding[]) => {
    for (; told < list.length; told++) io.err(formatFinding(list[told]));
  };
  while (simulation.run(20_000) === null) {
    tell(simulation.findings);
    await flush();
  }
  tell(simulation.findings);
  await flush();
  const outcome = simulation.outcome();
  for (const [name, text] of outcome.files) {
    const path = resolve(name);
    await mkdir(dirname(path), { recursive: true });
    await writeFile(path, text, "latin1");
  }
  const failed = hasErrors(outcome.findings);
  if (call.json) {
    const { end, time, precision, assertions } = outcome;
    io.out(
      JSON.stringify(
        { ok: !failed, end, time, precision, printed, findings: [...findings, ...outcome.findings], assertions },
        null,
        2,
      ),
    );
  }
  return failed ? 1 : 0;
}
