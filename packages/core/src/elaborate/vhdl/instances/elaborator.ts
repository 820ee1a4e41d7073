import type { Loc } from "../../../common/source.ts";
import type { Report } from "../../report.ts";
import type {
  ArchitectureDecl,
  BoundInstance,
  BoundProcess,
  ConfigRule,
  Decl,
  EntityDecl,
  Expr,
  PackageDecl,
} from "../bound.ts";
import type { Program } from "../code/emit-base.ts";
import type { VhdlRuntime } from "../code/runtime.ts";
import type { SignalKeeper } from "../code/signal-keeper.ts";
import { origins, UnitEmitter } from "../code/unit-emitter.ts";
import { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import type { Sig, SigTree } from "../values/signals.ts";
import { unitsInUse, type World } from "../world.ts";
import { Declarations } from "./declarations.ts";
import { ElaborationValues } from "./elaboration-values.ts";
import type { VhdlInstance } from "./instance.ts";
import { Instances } from "./instances.ts";
import { Ports } from "./ports.ts";
import { ProcessCode } from "./process-code.ts";
import { SignalTrees } from "./signal-trees.ts";
import { VerilogBorder } from "./verilog-border.ts";

/**
 * Makes a hierarchy of instances with signals, drivers and the code of processes from analyzed design units (IEEE
 * 1076-2008 clause 14). Mistakes that only values show are told as findings.
 */
export class Elaborator {
  readonly instances = new Instances(this);
  readonly values = new ElaborationValues(this);
  readonly decls = new Declarations(this);
  readonly trees = new SignalTrees(this);
  readonly border = new VerilogBorder(this);
  readonly ports = new Ports(this);
  readonly processes = new ProcessCode(this);

  readonly program: Program;
  readonly signals: Sig[] = [];
  top: VhdlInstance | null = null;
  readonly byPath = new Map<string, VhdlInstance>();
  depth = 0;
  /** Connections of ports that are computed: what the circuit must add to shared signals. */
  readonly portLinks: {
    readonly value: Expr;
    readonly tree: SigTree;
    readonly part: { readonly lo: number } | null;
    readonly shape: Shape;
    readonly frame: Frame;
    readonly instance: VhdlInstance;
  }[] = [];
  readonly processList = new Map<VhdlInstance, { readonly process: BoundProcess; readonly frame: Frame }[]>();
  /** Makes an instance of the other language. */
  foreign: ((instance: BoundInstance, module: string, parent: VhdlInstance, owner: Elaborator) => void) | null = null;

  constructor(
    readonly world: World,
    readonly report: Report,
    readonly runtime: VhdlRuntime,
    readonly engine: SignalKeeper,
    places: Loc[],
  ) {
    const owners = new Map<Decl, PackageDecl>();
    this.program = {
      world,
      report,
      runtime,
      engine,
      places,
      placeNumbers: new Map(),
      root: new Frame(null, null),
      owners,
      elaborated: new Set(),
      functions: new Map(),
      compiled: new Map(),
      suspending: new Map(),
      tracksActive: false,
      forces: false,
      observed: new Set(),
      elaboratePackage: (unit) => this.elaboratePackage(unit),
    };
    for (const list of [unitsInUse(world.builtins.std), unitsInUse(world.builtins.ieee), world.designUnits()])
      for (const unit of list) if (unit.kind === "package" && unit.generics.length === 0) this.own(unit);
  }

  private own(unit: PackageDecl): void {
    for (const decl of unit.decls) {
      if (decl.kind === "package") {
        this.own(decl);
        continue;
      }
      if (decl.kind !== "attributevalue") this.program.owners.set(decl, unit);
      if (decl.kind === "sub") this.program.root.subs.add(decl);
    }
  }

  private elaboratePackage(unit: PackageDecl): void {
    const { elaborated, root } = this.program;
    if (elaborated.has(unit)) return;
    elaborated.add(unit);
    for (const decl of unit.decls) this.decls.declare(decl, root, null);
  }

  originOf(sig: Sig): { readonly of: Sig; readonly lo: number } | null {
    return origins.get(sig) ?? null;
  }
  processesOf(instance: VhdlInstance): readonly { readonly process: BoundProcess; readonly frame: Frame }[] {
    return this.processList.get(instance) ?? [];
  }
  placeOf(decl: Decl, frame: Frame): ReturnType<Frame["find"]> {
    return this.emitter(frame).find(decl);
  }

  emitter(frame: Frame, drives = false): UnitEmitter {
    return new UnitEmitter(this, frame, drives);
  }

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
    const top = this.instances.newInstance(
      path[path.length - 1],
      "entity",
      entity,
      architecture,
      null,
      frame,
      entity.loc,
    );
    this.top ??= top;
    for (const generic of entity.generics)
      this.instances.generic(generic, null, frame, frame, top, generics.get(generic.name));
    for (const port of entity.ports) this.ports.openPort(port, frame, top);
    // ports without bounds leave everything open that uses them
    if (entity.ports.every((port) => frame.places.has(port))) this.instances.fill(top, entity, architecture, rules);
    return top;
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
