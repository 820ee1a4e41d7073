import type { DesignFiles } from "../../common/design-files.ts";
import type { Finding } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { DesignModel, Instance } from "../model.ts";
import type { Report } from "../report.ts";
import type { EntityDecl } from "./bound.ts";
import { CircuitWriter } from "./circuit/circuit.ts";
import { type Severity, VhdlRuntime } from "./code/runtime.ts";
import { placeIn, type SignalKeeper } from "./code/signal-keeper.ts";
import { Elaborator } from "./instances/elaborator.ts";
import type { VhdlInstance } from "./instances/instance.ts";
import type { World } from "./world.ts";

/** VHDL's finest step of time is 1 fs. */
export const vhdlPrecision = -15;
const severities: readonly Finding["severity"][] = ["note", "warning", "error", "error"];

/** What a run of VHDL tells; set by the simulation that it is part of. */
interface VhdlListener {
  readonly now: () => number;
  print(text: string, loc: Loc): void;
  report(severity: Severity, shown: Finding["severity"], text: string, loc: Loc): void;
}

const nowhere: Loc = { file: 0, start: 0, end: 0 };

/** The part of a design that is written in VHDL: its hierarchy, and what its values are made with. */
export class VhdlDesign {
  readonly runtime: VhdlRuntime;
  readonly elaborator: Elaborator;
  private readonly places: Loc[] = [];
  listener: VhdlListener | null = null;

  constructor(
    world: World,
    private readonly report: Report,
    files: DesignFiles,
    private readonly keeper: SignalKeeper,
  ) {
    const loc = (at: number): Loc => this.placeOf(at) ?? nowhere;
    this.runtime = new VhdlRuntime({
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
      now: () => this.listener?.now() ?? 0,
    });
    this.elaborator = new Elaborator(world, report, this.runtime, keeper, this.places);
  }
  /** A place of the design's text: where the product's own packages were called, if it lies within them. */
  placeOf(at: number): Loc | undefined {
    return placeIn(this.places, at, this.keeper);
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
    this.elaborator.processes.checkDrivers();
    const visit = (at: VhdlInstance) => {
      this.instanceOf(at);
      at.children.forEach(visit);
    };
    this.tops.forEach(visit);
  }

  circuitWriter(design: DesignModel): CircuitWriter {
    return new CircuitWriter(this.elaborator, design, this.instances);
  }
}
