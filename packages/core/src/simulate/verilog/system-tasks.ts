import type { PlainTask } from "../../elaborate/system-tasks.ts";
import { FinishSignal } from "../kernel.ts";
import { type FormatContext, formatArgs, formatText, type PrintArg, type Radix, timeText } from "./format.ts";
import { dumpMemory } from "./memory-file.ts";
import type { Runtime, TaskArg } from "./runtime.ts";

/** Runs a task. @param context Number of the place that calls it. */
export type TaskRun = (run: Runtime, args: TaskArg[], context: number, name: string) => void;

const nothing: TaskRun = () => {};

const message =
  (severity: "error" | "warning" | "note", ends = false): TaskRun =>
  (run, args, context, name) => {
    // the first argument of $fatal is the number that the run ends with
    const rest = ends && args[0]?.kind === "bits" ? args.slice(1) : args;
    const text = formatArgs(run.shown(rest), "d", run.format(context));
    const { loc } = run.program.tasks.contexts[context];
    run.listener.message(severity, `sim/${name.slice(1)}`, text || `${name} was called.`, loc, run.kernel.now);
    if (ends) throw new FinishSignal("fatal");
  };

const end =
  (how: "finish" | "stop"): TaskRun =>
  () => {
    throw new FinishSignal(how);
  };

const monitoring =
  (on: boolean): TaskRun =>
  (run) => {
    run.monitorOn = on;
    const { monitor } = run;
    if (!on || !monitor) return;
    monitor.last = null;
    run.kernel.postponed.push(() => run.runMonitor(monitor));
  };

const timeFormat: TaskRun = (run, args) => {
  run.timeFormat = args.length
    ? {
        unit: run.number(args[0]),
        precision: run.number(args[1]),
        suffix: run.text(args[2]),
        width: run.number(args[3]),
      }
    : { unit: run.program.precision, precision: 0, suffix: "", width: 20 };
};

const printTimeScale: TaskRun = (run, _, context) => {
  const { scope, unit } = run.program.tasks.contexts[context];
  const text = `Time scale of (${scope}) is ${timeText(unit)} / ${timeText(run.program.precision)}\n`;
  run.print(text, context, null);
};

const readMemory: TaskRun = (run, args, context, name) =>
  run.readMemory(name, args, run.program.tasks.contexts[context].loc);

const writeMemory: TaskRun = (run, [file, array, from, to], _, name) => {
  if (array?.kind !== "array") return;
  const signal = run.program.design.signals[array.signal];
  const [first, last] = [from, to].map((arg) => (arg ? run.number(arg) : null));
  const text = dumpMemory(run.program.storage, signal, name.endsWith("h"), first, last);
  const pieces = run.inputs.files.open(run.text(file), false);
  if (pieces) run.inputs.files.put(pieces, text);
};

const dumpVariables: TaskRun = (run, args) => {
  const isDepth = args[0]?.kind === "bits";
  const depth = isDepth ? run.number(args[0]) : 0;
  const rest = isDepth ? args.slice(1) : args;
  const { scopes } = run.dump;
  if (rest.length === 0) scopes.push({ depth, path: "", signal: null });
  for (const arg of rest)
    if (arg.kind === "scope") scopes.push({ depth, path: arg.path, signal: null });
    else if (arg.kind === "array") scopes.push({ depth, path: null, signal: arg.signal });
  run.dump.started = true;
  run.onDump?.("vars");
};

const dumping =
  (on: boolean): TaskRun =>
  (run) => {
    run.dump.on = on;
    run.onDump?.(on ? "on" : "off");
  };

/** A descriptor names one file, or a set of channels: a bit each. */
const closeFile: TaskRun = (run, args) => {
  const file = run.number(args[0]) | 0;
  if (file < 0) run.open_[file & 0x7fffffff] = null;
  else for (let i = 1; i < 31; i++) if ((file >>> i) & 1) run.channels[i] = null;
};

type Target = { set?: (value: unknown) => void };
const formatInto: TaskRun = (run, args, context) => {
  const format = args[1] as PrintArg;
  const fields: FormatContext = { ...run.format(context) };
  const text =
    format.kind === "literal"
      ? formatArgs(run.shown(args.slice(1)), "d", fields)
      : formatText(run.text(format), args as PrintArg[], 2, fields).text;
  run.setText(args[0] as Target, text);
};
const writeInto =
  (radix: Radix): TaskRun =>
  (run, args, context) =>
    run.setText(args[0] as Target, formatArgs(run.shown(args.slice(1)), radix, run.format(context)));

const runCommand: TaskRun = (run, _, context) => {
  const { loc } = run.program.tasks.contexts[context];
  run.listener.message("warning", "sim/unsupported", "$system runs no command here.", loc, run.kernel.now);
};

/** How each task runs. Those that print, and functions that are called for what they do, are the runtime's own. */
export const taskRuns: { readonly [Name in PlainTask]: TaskRun } = {
  $finish: end("finish"),
  $exit: end("finish"),
  $stop: end("stop"),
  $error: message("error"),
  $warning: message("warning"),
  $info: message("note"),
  $fatal: message("error", true),
  $monitoron: monitoring(true),
  $monitoroff: monitoring(false),
  $timeformat: timeFormat,
  $printtimescale: printTimeScale,
  $readmemh: readMemory,
  $readmemb: readMemory,
  $writememh: writeMemory,
  $writememb: writeMemory,
  $dumpfile: (run, args) => {
    run.dump.file = run.text(args[0]);
  },
  $dumpvars: dumpVariables,
  $dumpon: dumping(true),
  $dumpoff: dumping(false),
  $dumpall: (run) => run.onDump?.("all"),
  $fclose: closeFile,
  $sformat: formatInto,
  $swrite: writeInto("d"),
  $swriteb: writeInto("b"),
  $swriteo: writeInto("o"),
  $swriteh: writeInto("h"),
  $srandom: (run, args) => {
    run.uSeed = run.number(args[0]) | 0;
  },
  $system: runCommand,
  $dumpflush: nothing,
  $dumplimit: nothing,
  $fflush: nothing,
  $assertoff: nothing,
  $asserton: nothing,
  $assertkill: nothing,
};
