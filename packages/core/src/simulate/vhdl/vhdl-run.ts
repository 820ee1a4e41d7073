import type { MixedDesign } from "../../elaborate/mixed.ts";
import type { Report } from "../../elaborate/report.ts";
import { Kernel } from "../kernel.ts";
import { BorderRun } from "./border-run.ts";
import { Engine } from "./engine.ts";
import { Processes } from "./processes.ts";
import { type ShownSignal, shownSignals } from "./waves.ts";

export const severityNames = ["note", "warning", "error", "failure"];

/** What keeps VHDL's signals in a simulation: there before the design is put together, whose values it helps to make. */
export class VhdlKeeper {
  readonly kernel = new Kernel();
  readonly engine = new Engine(this.kernel);

  constructor(report: Report) {
    this.engine.isOver = () => report.work.isOver;
  }
}

/** A design with VHDL in it, made to run: made before its top is, so that it hears of every process. */
export class VhdlRun {
  readonly processes: Processes;
  readonly border: BorderRun;

  constructor(
    readonly mixed: MixedDesign,
    readonly keeper: VhdlKeeper,
  ) {
    this.processes = new Processes(mixed.vhdl.elaborator, keeper.engine);
    this.border = new BorderRun(mixed, keeper.engine);
  }

  /** Signals for waves, once the design is made. */
  shown(): ShownSignal[] {
    const list: ShownSignal[] = [];
    const { vhdl } = this.mixed;
    for (const top of vhdl.tops) list.push(...shownSignals(top, (of) => vhdl.instanceOf(of), list.length));
    return list;
  }

  start(): void {
    this.border.start();
    this.processes.start();
  }
}
