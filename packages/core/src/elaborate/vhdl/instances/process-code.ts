import type { Code } from "../../../common/code-pieces.ts";
import type { BoundProcess } from "../bound.ts";
import { isPureLogic, type LogicRead } from "../code/pure-logic.ts";
import type { UnitEmitter } from "../code/unit-emitter.ts";
import { Frame } from "../values/frames.ts";
import { type Driver, leavesOf, type Sig } from "../values/signals.ts";
import type { Elaborator } from "./elaborator.ts";
import { isPlainAssignment } from "./elaborator-pieces.ts";
import type { VhdlInstance } from "./instance.ts";

/** A process whose code is written: what a simulation makes it run from. */
export interface WrittenProcess {
  readonly process: BoundProcess;
  readonly instance: VhdlInstance;
  readonly frame: Frame;
  readonly emitter: UnitEmitter;
  readonly decls: string;
  readonly body: string | Code;
  /** It has wait statements. */
  readonly waits: boolean;
  /** Signals whose events it hears, by its sensitivity list. */
  readonly wakes: Set<Sig>;
  readonly reads: readonly LogicRead[];
  /** It computes and assigns, and keeps nothing. */
  readonly isLogic: boolean;
}

/** Processes with their code, and who drives what. */
export class ProcessCode {
  constructor(private readonly host: Elaborator) {}

  process(process: BoundProcess, instance: VhdlInstance): void {
    const own = this.host.processList.get(instance) ?? [];
    const path = process.label ? [...instance.frame.path, process.name] : instance.frame.path;
    own.push({ process, frame: new Frame(instance.frame, { inner: [], temps: [], generator: false }, path) });
    this.host.processList.set(instance, own);
    const emitter = this.host.emitter(instance.frame, true);
    const frame = new Frame(
      instance.frame,
      emitter.top,
      process.label ? [...instance.frame.path, process.name] : instance.frame.path,
    );
    emitter.frame = frame;
    const decls = emitter.subprograms.declare(process.decls, frame);
    const body = emitter.statements.stmts(process.stmts);
    const waits = process.stmts.some((stmt) => emitter.subprograms.waits(stmt));
    const wakes = new Set<Sig>();
    const reads: LogicRead[] = [];
    // what may run once more without a difference may listen to whole vectors, which is quicker
    const isLogic = isPureLogic(process);
    const isWide = isLogic || (process.concurrent && process.stmts.every(isPlainAssignment));
    if (process.sensitivity !== null) {
      // a concurrent statement hears what it names, a process (all) also what its subprograms look at (11.3, 11.6)
      const names =
        process.sensitivity === "all"
          ? emitter.waiting.readsOfStmts(process.stmts, [], process.concurrent ? null : new Set())
          : process.sensitivity;
      for (const name of names) {
        const found = emitter.elements.refOf(name) ?? emitter.elements.wholeOf(name);
        if (!found) continue;
        const ref = found.part && !isWide ? emitter.attributes.partSignal(found) : found;
        if (!ref.tree) continue;
        for (const leaf of leavesOf(ref.tree)) {
          wakes.add(leaf);
          reads.push({ sig: leaf, lo: ref.part?.loKnown ?? 0, n: ref.part ? ref.part.nKnown : null });
        }
      }
    } else if (!waits) {
      this.host.report.error(
        "vhdl/never-waits",
        process.headLoc,
        `Process '${process.name}' has no sensitivity list and never waits: time could not go on.`,
        "Give it a sensitivity list, or a wait statement.",
      );
      return;
    }
    this.writers.push({ process, drivers: [...emitter.drivers.values()].filter((driver) => !driver.part) });
    this.onProcess?.({ process, instance, frame, emitter, decls, body, waits, wakes, reads, isLogic });
  }
  /** Hears of each process once its code is written; without it nothing is made to run. */
  onProcess: ((written: WrittenProcess) => void) | null = null;
  private readonly writers: { readonly process: BoundProcess; readonly drivers: readonly Driver[] }[] = [];

  /** Signals of unresolved types have one driver (6.4.2.3). */
  checkDrivers(): void {
    const users = new Map<Driver, BoundProcess>();
    for (const { process, drivers } of this.writers) for (const driver of drivers) users.set(driver, process);
    for (const sig of this.host.signals) {
      if (sig.resolver !== null || sig.drivers.length < 2) continue;
      let clash: [Driver, Driver] | null = null;
      const taken: (Driver | undefined)[] = [];
      for (const driver of sig.drivers)
        for (let i = 0; i < Math.max(1, sig.n) && !clash; i++) {
          if (driver.mask && !driver.mask[i]) continue;
          if (taken[i]) clash = [taken[i]!, driver];
          taken[i] = driver;
        }
      if (!clash) continue;
      const [a, b] = clash.map((driver) => users.get(driver));
      const where = (process: BoundProcess | undefined) =>
        process ? `line ${this.host.report.sources.position(process.loc.file, process.loc.start).line}` : "a port";
      this.host.report.error(
        "vhdl/several-drivers",
        b?.headLoc ?? a?.headLoc ?? { file: 0, start: 0, end: 0 },
        `'${sig.name}' is driven here and by ${where(a)}, but its type has no resolution: it takes one driver.`,
        "Assign it in one process only, or use a resolved type such as std_logic.",
      );
    }
  }
}
