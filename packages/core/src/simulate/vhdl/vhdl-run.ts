import type { Finding } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { DesignModel, Instance } from "../../elaborate/model.ts";
import type { Report } from "../../elaborate/report.ts";
import type { EntityDecl } from "../../elaborate/vhdl/bound.ts";
import type { World } from "../../elaborate/vhdl/world.ts";
import { Kernel } from "../kernel.ts";
import { CircuitWriter } from "./circuit.ts";
import { Elaborator, type VhdlInstance } from "./elaborator.ts";
import { Engine } from "./engine.ts";
import { type Host, type Severity, VhdlRuntime } from "./runtime.ts";
import { type ShownSignal, shownSignals } from "./waves.ts";

/** VHDL's finest step of time is 1 fs. */
export const vhdlPrecision = -15;
const severities: readonly Finding["severity"][] = ["note", "warning", "error", "error"];
export const severityNames = ["note", "warning", "error", "failure"];

/** What a run of VHDL tells; set by the simulation that it is part of. */
export interface VhdlListener {
  print(text: string, loc: Loc): void;
  report(severity: Severity, shown: Finding["severity"], text: string, loc: Loc): void;
  readFile(name: string): string | null;
  readonly files: Map<string, string[]>;
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
  shown: ShownSignal[] = [];

  constructor(
    world: World,
    readonly report: Report,
    readFile: (name: string) => string | null,
  ) {
    this.engine = new Engine(this.kernel);
    const loc = (at: number): Loc => this.places[at] ?? nowhere;
    const run = this;
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
      readFile: (name) => this.listener?.readFile(name) ?? readFile(name),
      get files() {
        return run.listener?.files ?? run.earlyFiles;
      },
      now: () => this.kernel.now,
    };
    this.runtime = new VhdlRuntime(host);
    this.elaborator = new Elaborator(world, report, this.runtime, this.engine, this.places);
  }
  private readonly earlyFiles = new Map<string, string[]>();
  top: VhdlInstance | null = null;
  instances: ReadonlyMap<VhdlInstance, Instance> = new Map();

  /** The elaborated entity as a circuit's model: signals and processes for what simulation runs as code. */
  circuit(design: DesignModel): void {
    if (this.top) new CircuitWriter(this.elaborator, design, this.instances).write(this.top);
  }

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
    this.top = top;
    const instances = new Map<VhdlInstance, Instance>();
    const made = instanceTree(top, null, instances);
    this.instances = instances;
    this.shown = shownSignals(top, (of) => instances.get(of)!, 0);
    return { top: made, signals: [], assigns: [], processes: [], joins: [], switches: [], subroutines: [] };
  }
}

/** Entities as instances; blocks and generates are parts of names, as Verilog's generate blocks are. */
export function instanceTree(at: VhdlInstance, parent: Instance | null, map: Map<VhdlInstance, Instance>): Instance {
  const scope = at.kind === "entity" ? at : null;
  let own = parent;
  if (scope || !own) {
    own = {
      name: at.label,
      path: at.path.join("."),
      module: at.entity?.shown ?? at.label,
      kind: "module",
      parent,
      children: [],
      parameters: [...at.generics],
      ports: [],
      bindings: [],
      timeScale: { unit: vhdlPrecision, precision: vhdlPrecision },
      loc: at.loc,
      moduleLoc: at.entity?.loc ?? at.loc,
    };
    parent?.children.push(own);
  }
  map.set(at, own);
  for (const child of at.children) instanceTree(child, own, map);
  return own;
}
