import { js as code } from "../../common/code-pieces.ts";
import type { Loc } from "../../common/source.ts";
import { isFullStack } from "../../elaborate/too-deep.ts";
import type { Expr } from "../../elaborate/vhdl/bound.ts";
import { hasPureDecls } from "../../elaborate/vhdl/code/pure-logic.ts";
import { VhdlError } from "../../elaborate/vhdl/code/runtime.ts";
import { placeIn } from "../../elaborate/vhdl/code/signal-keeper.ts";
import { declaresConstants, type UnitEmitter } from "../../elaborate/vhdl/code/unit-emitter.ts";
import type { Elaborator } from "../../elaborate/vhdl/instances/elaborator.ts";
import type { WrittenProcess } from "../../elaborate/vhdl/instances/process-code.ts";
import { leavesOf, Proc, type Sig } from "../../elaborate/vhdl/values/signals.ts";
import { delayedValue, guardedEdge, onlyEdge } from "./clocked.ts";
import type { Engine } from "./engine.ts";
import { findOwnBits, joinProcesses } from "./joined.ts";
import type { StaticProcess } from "./logic-order.ts";

/** The processes of a design, compiled from what elaboration wrote, and woken by their signals. */
export class Processes {
  private readonly all: Proc[] = [];
  private readonly statics: StaticProcess[] = [];
  /** By the number of the process, for messages. */
  readonly info: { readonly name: string; readonly loc: Loc }[] = [];

  constructor(
    readonly elaborator: Elaborator,
    readonly engine: Engine,
  ) {
    elaborator.processes.onProcess = (written) => this.add(written);
  }

  private add({ process, instance, frame, emitter, decls, body, waits, wakes, reads, isLogic }: WrittenProcess): void {
    const { report, program } = this.elaborator;
    const home = instance.frame;
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
        report.error(
          "vhdl/large-value",
          process.headLoc,
          `Process '${process.name}' declares more than can be held (${error.message}).`,
          "Check the bounds of what it declares.",
        );
        return;
      }
      if (!(error instanceof VhdlError)) throw error;
      const place = placeIn(program.places, error.at, this.engine) ?? process.headLoc;
      report.error("vhdl/value", place.file >= 0 ? place : process.headLoc, `${error.message}.`, error.remedy);
      return;
    }
    const proc = new Proc(this.all.length, step, process.postponed);
    this.all.push(proc);
    this.info.push({ name: process.name, loc: process.headLoc });
    if (isGenerator) return;
    const whole = onlyEdge(process.stmts);
    const clock = whole && clockOf(emitter, whole.clock, wakes);
    const edge = clock && wakes.size === 1 ? whole!.edge : null;
    const guarded = guardedEdge(process.stmts);
    const others = new Set(wakes);
    const guardedClock = guarded && clockOf(emitter, guarded.clock, wakes);
    if (guardedClock) others.delete(guardedClock);
    const isGuarded = guarded && readsNoMore(emitter, emitter.waiting.readsOf(guarded.guard), others);
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
        readsNoMore(emitter, emitter.waiting.readsOfStmts(process.stmts), wakes));
    this.statics.push({
      process,
      home,
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
        readsNoMore(emitter, emitter.waiting.readsOf(later), wakes),
      reads: isComplete ? reads : null,
    });
  }

  /** Driving values to signals, then every process once (14.7.5.1). */
  start(): void {
    const { signals, program } = this.elaborator;
    const { initial } = this.elaborator.ports;
    for (const sig of signals) {
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
    for (const run of initial) run();
    for (const sig of signals) {
      sig.simple =
        sig.drivers.length === 1 &&
        sig.drivers[0].mask === null &&
        typeof sig.resolver !== "function" &&
        sig.onActive === null &&
        sig.outside === null &&
        !program.tracksActive;
    }
    findOwnBits(signals);
    // these are no events
    this.engine.d++;
    const processes = joinProcesses(this, this.statics, this.all);
    for (const sig of signals) sig.listeners = this.engine.listenersOf(sig);
    this.engine.start(processes);
  }
}

/** The signal of a clock, if its events wake the process. */
function clockOf(emitter: UnitEmitter, clock: Expr, wakes: ReadonlySet<Sig>): Sig | null {
  const tree = emitter.elements.refOf(clock)?.tree;
  return tree && !Array.isArray(tree) && tree.kind === "scalar" && wakes.has(tree) ? tree : null;
}
/** A sensitivity list has all of these. */
function readsNoMore(emitter: UnitEmitter, reads: readonly Expr[], wakes: ReadonlySet<Sig>): boolean {
  return reads.every((read) => {
    const found = emitter.elements.refOf(read);
    return found?.tree !== null && found?.tree !== undefined && leavesOf(found.tree).every((leaf) => wakes.has(leaf));
  });
}
