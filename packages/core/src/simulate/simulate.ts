import { CancelledError } from "../common/context.ts";
import { DesignFiles, type FileAccess, FilesFull } from "../common/design-files.ts";
import { type Finding, hasErrors } from "../common/finding.ts";
import { RunawaySignal } from "../common/runaway.ts";
import { type Loc, type SourceFile, SourceSet } from "../common/source.ts";
import { designUnits, listModules, parseDesign, sameUnit } from "../elaborate/design-units.ts";
import { emptyFiles, noTop } from "../elaborate/elaborate.ts";
import { foreignUnits, MixedDesign } from "../elaborate/mixed.ts";
import type { DesignModel, Signal, Stmt } from "../elaborate/model.ts";
import { withPartLibrary } from "../elaborate/part-library.ts";
import { Report } from "../elaborate/report.ts";
import { isFullStack, tooDeep } from "../elaborate/too-deep.ts";
import { Elaboration } from "../elaborate/verilog/elaboration.ts";
import { analyzeUnits, loadAll } from "../elaborate/vhdl/bind/bind-unit.ts";
import { StopSignal, VhdlError } from "../elaborate/vhdl/code/runtime.ts";
import { someStmt } from "../elaborate/walk.ts";
import { FinishSignal, Kernel, TimeFullError } from "./kernel.ts";
import { OvergrownError } from "./verilog/container.ts";
import { timeText } from "./verilog/format.ts";
import { NullHandleError, WrongTypeError } from "./verilog/objects.ts";
import { Program } from "./verilog/program.ts";
import { ManyAttemptsError } from "./verilog/property-run.ts";
import { Runtime } from "./verilog/runtime.ts";
import { borderSignals } from "./vhdl/border-run.ts";
import { severityNames, VhdlKeeper, VhdlRun } from "./vhdl/vhdl-run.ts";
import { VhdlWaves } from "./vhdl/waves.ts";
import { type RecordScope, WaveRecorder, type WaveSink } from "./waves/recorder.ts";

/** Files around the sources are those of `FileAccess`. */
export interface SimulateOptions extends FileAccess {
  /** The test bench; without it, the first module that nothing instantiates, test benches first. */
  readonly top?: string;
  /** Seconds of simulated time; null: until nothing is left to happen. */
  readonly until?: number | null;
  readonly seed?: number;
  readonly plusArgs?: readonly string[];
  /** Record these scopes from time 0, whatever `$dumpvars` says. */
  readonly record?: readonly RecordScope[] | null;
  /** Turns of processes and loops without time going on before the run is stopped. */
  readonly maxTurns?: number;
}

/** Findings of one severity that a run tells. */
const mostTold = 10_000;

/** Every signal of the design. */
export const recordAll: readonly RecordScope[] = [{ path: "", below: true }];

export interface PrintedText {
  readonly text: string;
  readonly loc: Loc;
  /** In steps of `precision`. */
  readonly time: number;
}

export type RunEnd = "finish" | "stop" | "fatal" | "idle" | "limit" | "runaway" | "cancelled";

interface SimulationOutcome {
  readonly end: RunEnd;
  /** In steps of `precision`. */
  readonly time: number;
  readonly precision: number;
  readonly findings: Finding[];
  /** Files that the design wrote. */
  readonly files: ReadonlyMap<string, string>;
  readonly assertions: readonly {
    readonly place: Finding["place"];
    readonly passed: number;
    readonly failed: number;
    readonly covered: number;
  }[];
}

/** A design that is ready to run. */
class Simulation {
  readonly design: DesignModel;
  readonly kernel: Kernel;
  readonly program: Program;
  readonly runtime: Runtime;
  readonly findings: Finding[] = [];
  private readonly finals: (() => void)[];
  private readonly until: number;
  private started = false;
  private ended: RunEnd | null = null;
  readonly recorder: WaveRecorder | null;
  /** Called with each piece of printed text. */
  onPrint: (printed: PrintedText) => void = () => {};

  constructor(
    readonly sources: SourceSet,
    model: DesignModel,
    options: SimulateOptions,
    private readonly files: DesignFiles,
    sink: WaveSink | null,
    private readonly vhdl: VhdlRun | null = null,
  ) {
    files.onRefused = (reason) => this.refused(reason);
    const watching = model.properties?.processes ?? [];
    const design: DesignModel = { ...model, processes: [...model.processes, ...watching] };
    this.design = design;
    this.kernel = vhdl?.keeper.kernel ?? new Kernel();
    const border = vhdl ? borderSignals(design, vhdl.mixed.crossings) : [];
    const dumps =
      design.processes.some((process) => usesDump(process.body)) ||
      design.subroutines.some((sub) => usesDump(sub.body));
    const names = sources.files.map((file) => file.name);
    this.program = new Program(design, sink !== null && (dumps || Boolean(options.record)), names);
    this.runtime = new Runtime(
      {
        print: (text, loc, time) => this.onPrint({ text, loc, time }),
        message: (severity, code, text, loc, time) => this.message(severity, code, text, loc, time),
      },
      {
        seed: options.seed ?? 0,
        plusArgs: options.plusArgs ?? [],
        files,
      },
    );
    if (options.maxTurns) {
      this.kernel.maxTurns = options.maxTurns;
      this.kernel.maxLoopTurns = options.maxTurns;
    }
    const observed = new Map<Signal, () => void>();
    for (const [i, signal] of border.entries()) {
      if (vhdl!.mixed.crossings[i].into === "verilog") this.program.driven.push(signal);
      else this.program.observers.push({ signal, run: () => observed.get(signal)?.(), process: -1 });
    }
    this.finals = this.program.build(this.kernel, this.runtime).finals;
    if (vhdl) {
      this.joinVhdl(vhdl, options);
      vhdl.border.join(border, {
        store: (id, a, b) => this.runtime.store(id, a, b),
        read: (signal) => this.program.storage.read(signal),
        observe: (signal, run) => observed.set(signal, run),
      });
    }
    const { precision } = this.program;
    this.until = options.until == null ? Number.POSITIVE_INFINITY : Math.round(options.until * 10 ** -precision);
    this.recorder =
      sink && this.program.records
        ? new WaveRecorder(
            this.program,
            this.runtime,
            this.kernel,
            sink,
            options.record ?? null,
            vhdl && new VhdlWaves(vhdl.keeper.engine, vhdl.shown()),
          )
        : null;
    this.runtime.onMonitor = () => {
      this.kernel.onSlotEnd = () => {
        this.runtime.endSlot();
        this.recorder?.endSlot();
      };
    };
    const { recorder } = this;
    if (recorder) this.kernel.onSlotEnd = () => recorder.endSlot();
  }

  private joinVhdl(vhdl: VhdlRun, options: SimulateOptions): void {
    const { processes, assigns, joins, switches } = this.design;
    const { engine } = vhdl.keeper;
    engine.attach(processes.length + assigns.length + joins.length + switches.length === 0);
    if (options.maxTurns) engine.maxTurns = options.maxTurns;
    vhdl.mixed.vhdl.listener = {
      now: () => this.kernel.now,
      print: (text, loc) => this.onPrint({ text, loc, time: this.kernel.now }),
      report: (severity, shown, text, loc) => {
        this.onPrint({ text: `${text}\n`, loc, time: this.kernel.now });
        this.message(shown, `sim/${severityNames[severity]}`, text, loc, this.kernel.now);
        if (severity === 3) throw new FinishSignal("fatal");
      },
    };
  }

  get time(): number {
    return this.kernel.now;
  }

  private message(severity: Finding["severity"], code: string, text: string, loc: Loc, time: number): void {
    // an error is never left out for the notes before it
    if ((this.told[severity] += 1) > mostTold) return;
    const { precision } = this.program;
    this.findings.push({
      code,
      severity,
      place: this.sources.place(loc),
      message: `${text}${/[.!?]$/.test(text) ? "" : "."} (at ${showTime(time, precision)})`,
    });
  }

  private readonly told: Record<Finding["severity"], number> = { error: 0, warning: 0, note: 0 };

  private refused(reason: string): void {
    if (this.findings.some((finding) => finding.message === reason)) return;
    const info = this.program.processes[this.kernel.currentProcess];
    this.findings.push({
      code: "sim/file-refused",
      severity: "error",
      place: info ? this.sources.place(info.loc) : {},
      message: reason,
      remedy: "Name a file below the working folder.",
    });
  }

  /** Runs at most `slots` time slots. @returns Why it ended, or null if there is more to do. */
  run(slots = Number.MAX_SAFE_INTEGER): RunEnd | null {
    if (this.ended) return this.ended;
    try {
      if (!this.started) {
        this.started = true;
        this.recorder?.begin();
        this.runtime.start();
        this.vhdl?.start();
      }
      const how = this.kernel.run(this.until, slots);
      if (how !== "more") this.ended = how;
    } catch (error) {
      if (error instanceof FinishSignal) this.ended = error.kind;
      else if (error instanceof StopSignal) this.ended = error.kind;
      else if (error instanceof VhdlError) {
        this.ended = "fatal";
        this.message(
          "error",
          "sim/value",
          error.message,
          this.vhdl?.mixed.vhdl.placeOf(error.at) ?? this.design.top.loc,
          this.kernel.now,
        );
      } else if (error instanceof RunawaySignal) {
        this.ended = "runaway";
        this.runaway(error);
      } else if (error instanceof NullHandleError || error instanceof WrongTypeError) {
        this.ended = "fatal";
        this.message(
          "error",
          error instanceof NullHandleError ? "sim/null" : "sim/type",
          error.message,
          this.program.places[error.place],
          this.kernel.now,
        );
      } else if (error instanceof ManyAttemptsError) {
        this.ended = "runaway";
        const info = this.program.processes[this.kernel.currentProcess];
        this.message("error", "sim/assertion", error.message, info?.loc ?? this.design.top.loc, this.kernel.now);
      } else if (error instanceof TimeFullError) {
        this.ended = "runaway";
        const info = this.program.processes[this.kernel.currentProcess];
        const { precision } = this.program;
        const text = `After ${showTime(error.now, precision)}, a wait of ${showTime(error.steps, precision)} is too short to be counted`;
        this.message("error", "sim/time", text, info?.loc ?? this.design.top.loc, this.kernel.now);
      } else if (error instanceof OvergrownError || error instanceof FilesFull) {
        this.ended = "runaway";
        const info = this.program.processes[this.kernel.currentProcess];
        this.message("error", "sim/memory", error.message, info?.loc ?? this.design.top.loc, this.kernel.now);
      } else if (error instanceof RangeError && /call stack/i.test(error.message)) {
        this.ended = "runaway";
        const info = this.program.processes[this.kernel.currentProcess];
        this.message(
          "error",
          "sim/recursion",
          "A function or task calls itself without an end",
          info?.loc ?? this.design.top.loc,
          this.kernel.now,
        );
      } else if (error instanceof RangeError) {
        // the engine's own words for what no memory holds: a string, a list or a number beyond its limits
        this.ended = "runaway";
        const info = this.program.processes[this.kernel.currentProcess];
        this.message(
          "error",
          "sim/memory",
          `Something in '${info?.name ?? this.design.top.name}' has grown beyond what can be held (${error.message})`,
          info?.loc ?? this.design.top.loc,
          this.kernel.now,
        );
      } else throw error;
    }
    if (this.ended) this.finish();
    return this.ended;
  }

  private finish(): void {
    if (this.ended === "finish" || this.ended === "idle" || this.ended === "limit") {
      try {
        for (const run of this.finals) run();
      } catch (error) {
        if (!(error instanceof FinishSignal)) throw error;
      }
    }
    this.kernel.onSlotEnd?.();
    this.recorder?.end();
  }

  /** Names what runs again and again while no time passes. */
  private runaway(signal: RunawaySignal): void {
    const { processes } = this.program;
    const vhdl = signal.process < 0 ? this.vhdl?.processes.info[-1 - signal.process] : undefined;
    if (vhdl) {
      this.findings.push({
        code: "sim/zero-delay-loop",
        severity: "error",
        place: this.sources.place(vhdl.loc),
        message: signal.loop
          ? `A loop in process '${vhdl.name}' goes on at ${showTime(this.kernel.now, this.program.precision)} without letting time go on.`
          : `Zero-delay loop at ${showTime(this.kernel.now, this.program.precision)}: process '${vhdl.name}' runs again and again.`,
        remedy: signal.loop
          ? "Check the loop's condition, or put a wait into it."
          : "Put a delay or a register into the loop of signals.",
      });
      return;
    }
    const own = processes[signal.process];
    if (signal.loop && own) {
      this.findings.push({
        code: "sim/zero-delay-loop",
        severity: "error",
        place: this.sources.place(own.loc),
        message: `A loop in this ${own.kind} block has taken ${this.kernel.maxLoopTurns} turns at ${showTime(this.kernel.now, this.program.precision)} without letting time go on.`,
        remedy: "Check the loop's condition, or put a delay or an event control into it.",
      });
      return;
    }
    const counts = new Map<number, number>();
    for (const number of this.kernel.recent) counts.set(number, (counts.get(number) ?? 0) + 1);
    counts.delete(signal.process);
    // those that run in order of dependence are run by one in their place: the ones among them that are due are meant
    const due = this.kernel.dueInOrder();
    const members = [signal.process, ...due, ...[...counts].filter(([, count]) => count > 1).map(([number]) => number)]
      .filter((number) => processes[number])
      .slice(0, 8);
    const first = processes[members[0]];
    const names = [...new Set(members.map((number) => processes[number].name))];
    const lines = members.map((number) =>
      this.sources.position(processes[number].loc.file, processes[number].loc.start),
    );
    this.findings.push({
      code: "sim/zero-delay-loop",
      severity: "error",
      place: first ? this.sources.place(first.loc) : {},
      message: `Zero-delay loop at ${showTime(this.kernel.now, this.program.precision)}: ${names.map((name) => `'${name}'`).join(", ")} ${names.length > 1 ? "change each other" : "changes"} without an end.`,
      remedy: "Put a delay, an event control or a register into the loop.",
      related: lines.map((line, i) => ({ place: line, message: `'${processes[members[i]].name}' runs here.` })),
    });
  }

  outcome(): SimulationOutcome {
    const files = new Map([...this.files.written].map(([name, chunks]) => [name, chunks.join("")]));
    return {
      end: this.ended ?? "cancelled",
      time: this.kernel.now,
      precision: this.program.precision,
      findings: this.findings,
      files,
      assertions: this.runtime.assertions.map((counts, i) => ({
        place: this.sources.place(this.program.assertions[i].loc),
        ...counts,
      })),
    };
  }
}

interface Prepared {
  readonly simulation: Simulation | null;
  readonly findings: Finding[];
  readonly sources: SourceSet;
}

interface PreparedModel {
  readonly design: DesignModel | null;
  /** Of a design with VHDL in it. */
  readonly vhdl: VhdlRun | null;
  /** Files as the design sees them. */
  readonly files: DesignFiles;
  readonly findings: Finding[];
  readonly sources: SourceSet;
}

/** Text to an elaborated test bench; no design if errors in the text forbid it. */
export function prepareModel(
  files: readonly SourceFile[],
  topName: string | undefined,
  access: FileAccess = {},
): PreparedModel {
  const sources = new SourceSet(withPartLibrary(files));
  const around = new DesignFiles((path) => sourceText(sources, path), access);
  const findings = emptyFiles(sources);
  const syntax = parseDesign(sources);
  findings.push(...syntax.findings);
  const { modules, testBenches } = listModules(syntax);
  const name = topName ?? testBenches[0] ?? modules[modules.length - 1];
  const unit = name === undefined ? undefined : designUnits(syntax).find((each) => sameUnit(name, each));
  if (!unit) {
    if (!hasErrors(findings) || topName) findings.push(noTop(sources, modules, topName));
    return { design: null, vhdl: null, files: around, findings, sources };
  }
  const report = new Report(sources);
  let design: DesignModel | null = null;
  let vhdl: VhdlRun | null = null;
  const top = syntax.verilog.modules.find((module) => module.name === unit.name && module.kind !== "interface");
  if (syntax.vhdl.length === 0) design = top ? new Elaboration(syntax.verilog, report).design(top) : null;
  else {
    const world = analyzeUnits(syntax.vhdl, report, foreignUnits(syntax.verilog));
    loadAll(world);
    const entity = world.entity(unit.name);
    if (!hasErrors(report.findings) && !hasErrors(findings)) {
      const keeper = new VhdlKeeper(report);
      const mixed = new MixedDesign(syntax.verilog, world, report, around, keeper.engine);
      vhdl = new VhdlRun(mixed, keeper);
      if (unit.isVhdl) design = entity && mixed.fromEntity(entity);
      else design = top ? mixed.fromModule(top) : null;
    }
  }
  findings.push(...report.findings);
  return { design: hasErrors(findings) ? null : design, vhdl, files: around, findings, sources };
}

/** Text to a simulation that is ready to run; null if errors in the text forbid it. */
export function prepare(
  files: readonly SourceFile[],
  options: SimulateOptions,
  sink: WaveSink | null = null,
): Prepared {
  try {
    const { design, vhdl, files: around, findings, sources } = prepareModel(files, options.top, options);
    return { simulation: design && new Simulation(sources, design, options, around, sink, vhdl), findings, sources };
  } catch (error) {
    if (!isFullStack(error)) throw error;
    const sources = new SourceSet(files);
    return { simulation: null, findings: [tooDeep(sources)], sources };
  }
}

/** Runs to the end in one go. `checkCancelled` is looked at between pieces of the run. */
export function simulate(
  files: readonly SourceFile[],
  options: SimulateOptions,
  on: { print?: (printed: PrintedText) => void; checkCancelled?: () => void; sink?: WaveSink } = {},
): SimulationOutcome | { readonly end: "errors"; readonly findings: Finding[] } {
  const { simulation, findings } = prepare(files, options, on.sink ?? null);
  if (!simulation) return { end: "errors", findings };
  if (on.print) simulation.onPrint = on.print;
  try {
    while (simulation.run(4096) === null) on.checkCancelled?.();
  } catch (error) {
    if (!(error instanceof CancelledError)) throw error;
  }
  const outcome = simulation.outcome();
  return { ...outcome, findings: [...findings, ...outcome.findings] };
}

/** Seconds of `10us`, `2.5 ms` and the like; null for what is no time. */
export function parseTime(text: string): number | null {
  const match = /^\s*([0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?)\s*(fs|ps|ns|us|ms|s)\s*$/.exec(text);
  if (!match) return null;
  return Number(match[1]) * { fs: 1e-15, ps: 1e-12, ns: 1e-9, us: 1e-6, ms: 1e-3, s: 1 }[match[2]]!;
}

/** `12.5 ns`, in the largest unit that keeps it short. */
export function showTime(steps: number, precision: number): string {
  if (steps === 0) return precision <= -9 ? "0 ns" : `0 ${timeText(precision).split(" ")[1]}`;
  const names = ["s", "ms", "us", "ns", "ps", "fs"];
  const power = precision + Math.floor(Math.log10(steps) + 1e-12);
  const unit = Math.min(5, Math.max(0, Math.ceil(-power / 3)));
  const value = steps * 10 ** (precision + 3 * unit);
  return `${Number(value.toPrecision(12))} ${names[unit]}`;
}

function sourceText(sources: SourceSet, name: string): string | null {
  const clean = name.replace(/^\.\//, "");
  const file =
    sources.files.find((each) => each.name === clean) ??
    sources.files.find((each) => each.name.split("/").pop() === clean.split("/").pop());
  return file?.text ?? null;
}

const usesDump = (stmt: Stmt): boolean => someStmt(stmt, (each) => each.op === "system" && /^\$dump/.test(each.name));
