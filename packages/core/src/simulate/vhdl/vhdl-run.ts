import type { Finding } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { DesignModel, Instance } from "../../elaborate/model.ts";
import type { Report } from "../../elaborate/report.ts";
import type { EntityDecl } from "../../elaborate/vhdl/bound.ts";
import type { World } from "../../elaborate/vhdl/world.ts";
import type { DesignFiles } from "../design-files.ts";
import { Kernel } from "../kernel.ts";
import { CircuitWriter } from "./circuit.ts";
import { Elaborator } from "./elaborator.ts";
import type { VhdlInstance } from "./elaborator-base.ts";
import { Engine, placeIn } from "./engine.ts";
import { type Host, type Severity, VhdlRuntime } from "./runtime.ts";
import { type ShownSignal, shownSignals } from "./waves.ts";

/** VHDL's finest step of time is 1 fs. */
export const vhdlPrecision = -15;
const severities: readonly Finding["severity"][] = ["note", "warning", "error", "error"];
export const severityNames = ["note", "warning", "error", "failure"];

/** What a run of VHDL tells; set by the simulation that it is part of. */
interface VhdlListener {
  print(text: string, loc: Loc): void;
  report(severity: Severity, shown: Finding["severity"], text: string, loc: Loc): void;
}

const nowhere: Loc = { file: 0, start: 0, end: 0 };

/** The part of a simulation that is written in VHDL: elaborated, and ready to be run by a kernel. */
export class VhdlRun {
  readonly kernel = new Kernel();
  readonly engine: Engine;
  readonly runtime: VhdlRuntime;
  readonly elaborator: Elaborator;
  readonly places: Loc[] = [];
  listener: VhdlListener | null = null;
  readonly shown: ShownSignal[] = [];

  constructor(
    world: World,
    readonly report: Report,
    files: DesignFiles,
  ) {
    this.engine = new Engine(this.kernel);
    this.engine.isOver = () => report.work.isOver;
    const loc = (at: number): Loc => this.placeOf(at) ?? nowhere;
    const host: Host = {
      print: (text, at) => this.listener?.print(text, loc(at)),
      report: (severity, text, at) => {
        // while values are computed at elaboration there is no run to tell
        if (this.listener) this.listener.report(severity, severities[severity], text, loc(at));
        else if (severity >= 1)
          report.add(
            severities[severity],
            "vhdl/report",
            loc(at),
            `${text}${/[.!?]$/.test(text) ? "" : "."}`,
            "This was reported while the design was put together.",
          );
      },
      designFiles: files,
      now: () => this.kernel.now,
    };
    this.runtime = new VhdlRuntime(host);
    this.elaborator = new Elaborator(world, report, this.runtime, this.engine, this.places);
  }
  /** A place of the design's text: where the product's own packages were called, if it lies within them. */
  placeOf(at: number): Loc | undefined {
    return placeIn(this.places, at, this.engine);
  }

  /** Entities that are no part of another: the design's top, and those that Verilog instantiates. */
  readonly tops: VhdlInstance[] = [];
  private readonly instances = new Map<VhdlInstance, Instance>();

  /** A design whose top is an entity. */
  designOf(entity: EntityDecl, architectureName: string | null = null): DesignModel | null {
    entity.load?.();
    const architecture = architectureName ? entity.architectures.get(architectureName) : entity.lastArchitecture;
    if (!architecture) {
      this.report.error(
        "vhdl/no-architecture",
        entity.loc,
        `Entity '${entity.shown}' has no architecture.`,
        `Write 'architecture rtl of ${entity.shown} is ...'.`,
      );
      return null;
    }
    const top = this.elaborator.build(entity, architecture, []);
    this.tops.push(top);
    return {
      top: this.instanceOf(top),
      signals: [],
      assigns: [],
      processes: [],
      joins: [],
      switches: [],
      subroutines: [],
      attributes: [],
    };
  }

  /** An entity that stands in the place of a module's instance. */
  adopt(made: VhdlInstance, instance: Instance): void {
    this.tops.push(made);
    this.instances.set(made, instance);
  }

  /** Entities as instances; blocks and generates are parts of names, as Verilog's generate blocks are. */
  instanceOf(at: VhdlInstance): Instance {
    let own = this.instances.get(at);
    if (own) return own;
    const parent = at.parent && this.instanceOf(at.parent);
    if (parent && at.kind !== "entity") own = parent;
    else {
      // below the parent's own name: with labels of blocks and generates in between
      const name = parent ? at.path.join(".").slice(parent.path.length + 1) : at.label;
      own = {
        name,
        path: at.path.join("."),
        module: at.entity?.shown ?? at.label,
        kind: "module",
        parent,
        children: [],
        parameters: at.generics,
        ports: [],
        bindings: [],
        timeScale: { unit: vhdlPrecision, precision: vhdlPrecision },
        loc: at.loc,
        moduleLoc: at.entity?.loc ?? at.loc,
      };
      parent?.children.push(own);
    }
    this.instances.set(at, own);
    return own;
  }

  /** Looks at the whole once everything is made. */
  finish(): void {
    this.elaborator.checkDrivers();
    const visit = (at: VhdlInstance) => {
      this.instanceOf(at);
      at.children.forEach(visit);
    };
    for (const top of this.tops) {
      visit(top);
      this.shown.push(...shownSignals(top, (of) => this.instances.get(of)!, this.shown.length));
    }
  }

  circuitWriter(design: DesignModel): CircuitWriter {
    return new CircuitWriter(this.elaborator, design, this.instances);
  }
}
