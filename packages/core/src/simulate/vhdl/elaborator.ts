import { isFullStack } from "../../elaborate/too-deep.ts";
import type { ArchitectureDecl, BoundProcess, ConfigRule, EntityDecl, Expr } from "../../elaborate/vhdl/bound.ts";
import { js as code } from "../code.ts";
import { delayedValue, guardedEdge, onlyEdge } from "./clocked.ts";
import type { VhdlInstance } from "./elaborator-base.ts";
import { ElaboratorInstances } from "./elaborator-instances.ts";
import { isPlainAssignment } from "./elaborator-pieces.ts";
import { placeIn } from "./engine.ts";
import { Frame } from "./frames.ts";
import { findOwnBits, joinProcesses } from "./joined.ts";
import type { LogicRead, StaticProcess } from "./logic-order.ts";
import { hasPureDecls, isPureLogic } from "./pure-logic.ts";
import { VhdlError } from "./runtime.ts";
import { Driver, leavesOf, Proc, Sig } from "./signals.ts";
import { declaresConstants, UnitEmitter } from "./unit-emitter.ts";

/**
 * Makes a hierarchy of instances with signals, drivers and compiled processes from analyzed design units (IEEE
 * 1076-2008 clause 14). Mistakes that only values show are told as findings.
 */ export class Elaborator extends ElaboratorInstances {
  // ---- the hierarchy --------------------------------------------------------------------------------------------

  /** The top of a design: its generics have their defaults, or the values given by name. */
  build(
    entity: EntityDecl,
    architecture: ArchitectureDecl,
    rules: readonly ConfigRule[],
    generics: ReadonlyMap<string, unknown> = new Map(),
    /** Names from the design's top on, where that is not this entity. */
    path: readonly string[] = [entity.shown],
  ): VhdlInstance {
    const frame = new Frame(this.program.root, null, path);
    const top = this.newInstance(path[path.length - 1], "entity", entity, architecture, null, frame, entity.loc);
    this.top ??= top;
    for (const generic of entity.generics) this.generic(generic, null, frame, frame, top, generics.get(generic.name));
    for (const port of entity.ports) this.openPort(port, frame, top);
    // ports without bounds leave everything open that uses them
    if (entity.ports.every((port) => frame.places.has(port))) this.fill(top, entity, architecture, rules);
    return top;
  }

  // ---- processes ------------------------------------------------------------------------------------------------

  protected process(process: BoundProcess, instance: VhdlInstance): void {
    const own = this.processList.get(instance) ?? [];
    const path = process.label ? [...instance.frame.path, process.name] : instance.frame.path;
    own.push({ process, frame: new Frame(instance.frame, { inner: [], temps: [], generator: false }, path) });
    this.processList.set(instance, own);
    const emitter = this.emitter(instance.frame, true);
    const frame = new Frame(
      instance.frame,
      emitter.top,
      process.label ? [...instance.frame.path, process.name] : instance.frame.path,
    );
    emitter.frame = frame;
    const number = this.processes.length;
    const decls = emitter.declare(process.decls, frame);
    const body = emitter.stmts(process.stmts);
    const waits = process.stmts.some((stmt) => emitter.waits(stmt));
    const wakes = new Set<Sig>();
    const reads: LogicRead[] = [];
    // what may run once more without a difference may listen to whole vectors, which is quicker
    const isLogic = isPureLogic(process);
    const isWide = isLogic || (process.concurrent && process.stmts.every(isPlainAssignment));
    if (process.sensitivity !== null) {
      // a concurrent statement hears what it names, a process (all) also what its subprograms look at (11.3, 11.6)
      const names =
        process.sensitivity === "all"
          ? emitter.readsOfStmts(process.stmts, [], process.concurrent ? null : new Set())
          : process.sensitivity;
      for (const name of names) {
        const found = emitter.refOf(name) ?? emitter.wholeOf(name);
        if (!found) continue;
        const ref = found.part && !isWide ? emitter.partSignal(found) : found;
        if (!ref.tree) continue;
        for (const leaf of leavesOf(ref.tree)) {
          wakes.add(leaf);
          reads.push({ sig: leaf, lo: ref.part?.loKnown ?? 0, n: ref.part ? ref.part.nKnown : null });
        }
      }
    } else if (!waits) {
      this.report.error(
        "vhdl/never-waits",
        process.headLoc,
        `Process '${process.name}' has no sensitivity list and never waits: time could not go on.`,
        "Give it a sensitivity list, or a wait statement.",
      );
      return;
    }
    this.writers.push({ process, drivers: [...emitter.drivers.values()].filter((driver) => !driver.part) });
    if (!this.compiles) return;
    let step: () => void;
    const isGenerator = process.sensitivity === null || waits;
    try {
      if (isGenerator) {
        const again =
          process.sensitivity === null ? "" : `E.park(E.currentProcess,${emitter.cap([...wakes])},-1);yield;`;
        const make = emitter.link(code`${decls}return function*(){for(;;){${body}${again}}};`) as () => Generator<void>;
        const run = make();
        step = () => {
          run.next();
        };
      } else {
        const link = () => emitter.link(code`${decls}return function(){${body}};`) as () => void;
        // most are put together with others, and never run by themselves
        step = declaresConstants(decls)
          ? () => {
              proc.step = link();
              proc.step();
            }
          : link();
      }
    } catch (error) {
      if (error instanceof RangeError && !isFullStack(error)) {
        this.report.error(
          "vhdl/large-value",
          process.headLoc,
          `Process '${process.name}' declares more than can be held (${error.message}).`,
          "Check the bounds of what it declares.",
        );
        return;
      }
      if (!(error instanceof VhdlError)) throw error;
      const place = placeIn(this.program.places, error.at, this.engine) ?? process.headLoc;
      this.report.error("vhdl/value", place.file >= 0 ? place : process.headLoc, `${error.message}.`, error.remedy);
      return;
    }
    const proc = new Proc(number, step, process.postponed);
    this.processes.push(proc);
    this.processInfo.push({ name: process.name, loc: process.headLoc });
    if (isGenerator) return;
    const whole = onlyEdge(process.stmts);
    const clock = whole && this.clockOf(emitter, whole.clock, wakes);
    const edge = clock && wakes.size === 1 ? whole!.edge : null;
    const guarded = guardedEdge(process.stmts);
    const others = new Set(wakes);
    const guardedClock = guarded && this.clockOf(emitter, guarded.clock, wakes);
    if (guardedClock) others.delete(guardedClock);
    const isGuarded = guarded && this.readsNoMore(emitter, emitter.readsOf(guarded.guard), others);
    for (const sig of wakes) {
      // a register looks at one edge: the other one need not wake it
      if (edge) (edge === "rising" ? sig.rising : sig.falling).push(proc);
      else sig.procs.push(proc);
    }
    if (process.postponed || !hasPureDecls(process)) return;
    const later = delayedValue(process);
    const isComplete =
      isLogic &&
      (process.sensitivity === "all" ||
        process.concurrent ||
        this.readsNoMore(emitter, emitter.readsOfStmts(process.stmts), wakes));
    this.statics.push({
      process,
      home: instance.frame,
      path: frame.path,
      drivers: emitter.drivers,
      proc,
      wakes,
      edge,
      guarded: guardedClock && isGuarded ? { clock: guardedClock, edge: guarded.edge } : null,
      isClock:
        later !== null &&
        wakes.size === 1 &&
        emitter.drivers.size === 1 &&
        [...wakes].every((sig) => emitter.drivers.has(sig)) &&
        this.readsNoMore(emitter, emitter.readsOf(later), wakes),
      reads: isComplete ? reads : null,
    });
  }
  /** The signal of a clock, if its events wake the process. */
  protected clockOf(emitter: UnitEmitter, clock: Expr, wakes: ReadonlySet<Sig>): Sig | null {
    const tree = emitter.refOf(clock)?.tree;
    return tree && !Array.isArray(tree) && tree.kind === "scalar" && wakes.has(tree) ? tree : null;
  }
  /** A sensitivity list has all of these. */
  protected readsNoMore(emitter: UnitEmitter, reads: readonly Expr[], wakes: ReadonlySet<Sig>): boolean {
    return reads.every((read) => {
      const found = emitter.refOf(read);
      return found?.tree !== null && found?.tree !== undefined && leavesOf(found.tree).every((leaf) => wakes.has(leaf));
    });
  }
  protected readonly statics: StaticProcess[] = [];
  protected readonly writers: { readonly process: BoundProcess; readonly drivers: readonly Driver[] }[] = [];

  /** Signals of unresolved types have one driver (6.4.2.3). */
  checkDrivers(): void {
    const users = new Map<Driver, BoundProcess>();
    for (const { process, drivers } of this.writers) for (const driver of drivers) users.set(driver, process);
    for (const sig of this.signals) {
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
        process ? `line ${this.report.sources.position(process.loc.file, process.loc.start).line}` : "a port";
      this.report.error(
        "vhdl/several-drivers",
        b?.headLoc ?? a?.headLoc ?? { file: 0, start: 0, end: 0 },
        `'${sig.name}' is driven here and by ${where(a)}, but its type has no resolution: it takes one driver.`,
        "Assign it in one process only, or use a resolved type such as std_logic.",
      );
    }
  }

  /** Driving values to signals, then every process once (14.7.5.1). */
  start(): void {
    for (const sig of this.signals) {
      if (sig.drivers.length === 0) continue;
      const v =
        sig.drivers.length === 1 && !sig.drivers[0].mask && typeof sig.resolver !== "function"
          ? sig.drivers[0].v
          : this.engine.resolve(sig);
      if (sig.v !== v) {
        sig.v = v;
        sig.last = v;
        for (const link of sig.links) link();
        for (const part of sig.parts) this.engine.follow(part);
      }
    }
    for (const run of this.initial) run();
    for (const sig of this.signals) {
      sig.simple =
        sig.drivers.length === 1 &&
        sig.drivers[0].mask === null &&
        typeof sig.resolver !== "function" &&
        sig.onActive === null &&
        sig.outside === null &&
        !this.program.tracksActive;
    }
    findOwnBits(this.signals);
    // these are no events
    this.engine.d++;
    const processes = joinProcesses(this, this.statics, this.processes);
    for (const sig of this.signals) sig.listeners = this.engine.listenersOf(sig);
    this.engine.start(processes);
  }

  // ---- external names -------------------------------------------------------------------------------------------

  external(e: Expr & { op: "external" }, frame: Frame): ReturnType<Frame["find"]> {
    const names = e.path.reduce<string[]>((list, name) => {
      if (name.startsWith("(")) list[list.length - 1] += name;
      else list.push(name);
      return list;
    }, []);
    const last = names.pop()!;
    let start: string[];
    if (e.absolute) start = [];
    else {
      let at: Frame | null = frame;
      while (at && !this.byPath.has(at.path.map((each) => each.toLowerCase()).join("."))) at = at.parent;
      start = (at?.path ?? []).map((each) => each.toLowerCase()).slice(0, e.up ? -e.up : undefined);
    }
    const instance = this.byPath.get([...start, ...names].join("."));
    if (!instance) return null;
    for (const [decl, place] of instance.frame.places) if (decl.name === last) return place;
    return null;
  }
}
