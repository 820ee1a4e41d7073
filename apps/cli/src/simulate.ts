import {
  type Finding,
  formatFinding,
  hasErrors,
  listScopes,
  parseTime,
  prepare,
  type RecordScope,
  Refusal,
  recordAll,
  type SourceFile,
  VcdSink,
} from "@gate-clock/core";
import { FileProblem } from "@gate-clock/sealed/inside";
import { printFindings } from "./commands.ts";
import { dirname, joinPath, type LoadOptions, loadDesign, UsageError } from "./load-design.ts";
import type { Session } from "./session.ts";

interface SimulateCall extends LoadOptions {
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

const latin1 = new TextDecoder("latin1");
/** Text of a design, a byte a character. */
function bytesOf(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

/** Runs a test bench. Exit status 1 if the text has errors, or the run reports one. */
export async function runSimulation(paths: readonly string[], call: SimulateCall, io: Session): Promise<number> {
  const until = call.until === undefined ? null : parseTime(call.until);
  if (call.until !== undefined && until === null)
    throw new UsageError(`--until ${call.until} is no time; write it like 10us.`);
  const seed = call.seed === undefined ? 0 : Number(call.seed);
  if (!Number.isInteger(seed)) throw new UsageError(`--seed ${call.seed} is no whole number.`);
  const input = loadDesign(paths, call, io);
  const chunks: string[] = [];
  const sink = new VcdSink((text) => chunks.push(text));
  // beside the working folder, what the call names is looked into: a text lies beside the source that reads it
  const folders = ["", ...new Set(paths.map((path) => (io.kind(path) === "folder" ? path : dirname(path))))];
  const readFile = (name: string) => {
    try {
      for (const folder of name.startsWith("/") ? [""] : folders) {
        const found = io.readBytes(folder ? joinPath(folder, name) : name);
        if (found) return latin1.decode(found);
      }
      return null;
    } catch (error) {
      if (error instanceof FileProblem && error.isRefusal) return new Refusal(error.message);
      throw error;
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
      whyNotWritable: (name) => io.whyNotWritable(name),
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
  const flush = () => {
    io.look();
    if (chunks.length === 0) return;
    dumpFile ??= simulation.runtime.dump.file ?? "dump.vcd";
    io.save(dumpFile, chunks.splice(0).join(""), dumped);
    dumped = true;
  };
  let told = 0;
  const tell = (list: readonly Finding[]) => {
    for (; told < list.length; told++) io.err(formatFinding(list[told]));
  };
  while (simulation.run(20_000) === null) {
    tell(simulation.findings);
    flush();
  }
  tell(simulation.findings);
  flush();
  const outcome = simulation.outcome();
  for (const [name, text] of outcome.files) {
    io.save(name, bytesOf(text));
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
