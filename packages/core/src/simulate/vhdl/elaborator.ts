import type { Loc } from "../../common/source.ts";
import type { AnyValue } from "../../elaborate/model.ts";
import type { Report } from "../../elaborate/report.ts";
import type {
  ArchitectureDecl,
  BoundAssociation,
  BoundDecl,
  BoundInstance,
  BoundProcess,
  BoundRegion,
  Concurrent,
  ConfigRule,
  ConstantDecl,
  Decl,
  EntityDecl,
  Expr,
  PackageDecl,
  SignalDecl,
  Subprogram,
} from "../../elaborate/vhdl/bound.ts";
import { packingOf, type Subtype } from "../../elaborate/vhdl/types.ts";
import type { World } from "../../elaborate/vhdl/world.ts";
import { fromFourState } from "./border.ts";
import { delayedValue, guardedEdge, onlyEdge } from "./clocked.ts";
import type { Program, Val } from "./emit-base.ts";
import { plain } from "./emit-subprograms.ts";
import type { Ref } from "./emit-text.ts";
import { Driver, type DriverTree, type Engine, leavesOf, Proc, partOf, readTree, Sig, type SigTree } from "./engine.ts";
import { Frame } from "./frames.ts";
import { findOwnBits, joinProcesses, type LogicRead, type StaticProcess } from "./joined.ts";
import { isPureLogic } from "./pure-logic.ts";
import { StopSignal, VhdlError, type VhdlRuntime } from "./runtime.ts";
import { isStatic, type Shape, shapeText } from "./shapes.ts";
import { origins, UnitEmitter } from "./unit-emitter.ts";
import { Arr, type Bits, codesOf, copy, fromCodes, insertL, setL, sliceL } from "./values.ts";

/** A signal of an instance, for hierarchies and waves. */
export interface NamedSignal {
  readonly decl: SignalDecl;
  readonly tree: SigTree;
  readonly shape: Shape;
}
/** One entity in the hierarchy, or a block or generate statement. */
export interface VhdlInstance {
  readonly label: string;
  readonly kind: "entity" | "block" | "generate" | "process";
  readonly entity: EntityDecl | null;
  readonly architecture: ArchitectureDecl | null;
  readonly parent: VhdlInstance | null;
  readonly children: VhdlInstance[];
  readonly signals: NamedSignal[];
  readonly generics: { readonly name: string; readonly value: string }[];
  readonly frame: Frame;
  readonly path: readonly string[];
  readonly loc: Loc;
}
/** An actual of a module's port or parameter. */
export interface BorderActual {
  readonly name: string;
  readonly expr: Expr | null;
  readonly frame: Frame;
  readonly loc: Loc;
}
/** What runs, for messages. */
export interface ProcessInfo {
  readonly name: string;
  readonly loc: Loc;
}

/**
 * Makes a hierarchy of instances with signals, drivers and compiled processes from analyzed design units (IEEE
 * 1076-2008 clause 14). Mistakes that only values show are told as findings.
 */
export class Elaborator {
  readonly program: Program;
  readonly processes: Proc[] = [];
  readonly processInfo: ProcessInfo[] = [];
  readonly signals: Sig[] = [];
  top: VhdlInstance | null = null;
  private readonly byPath = new Map<string, VhdlInstance>();
  private readonly derivedOnes = new Map<SigTree, Map<string, SigTree>>();
  private depth = 0;
  /** Connections of ports that are computed: what the circuit must add to shared signals. */
  readonly portLinks: {
    readonly value: Expr;
    readonly tree: SigTree;
    readonly part: { readonly lo: number } | null;
    readonly shape: Shape;
    readonly frame: Frame;
    readonly instance: VhdlInstance;
  }[] = [];
  private readonly processList = new Map<VhdlInstance, { readonly process: BoundProcess; readonly frame: Frame }[]>();
  /** False where nothing will run: code is written for its findings, but not compiled. */
  compiles = true;
  /** Makes an instance of the other language. */
  foreign: ((instance: BoundInstance, module: string, parent: VhdlInstance, owner: Elaborator) => void) | null = null;

  constructor(
    readonly world: World,
    readonly report: Report,
    readonly runtime: VhdlRuntime,
    readonly engine: Engine,
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
    for (const library of [world.builtins.std, world.builtins.ieee, world.work])
      for (const unit of library.units.values())
        if (unit.kind === "package" && unit.generics.length === 0) this.own(unit);
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
    for (const decl of unit.decls) this.declare(decl, root, null);
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

  // ---- values at elaboration ------------------------------------------------------------------------------------

  /** Value of an expression now. */
  evaluate(expr: Expr, shape: Shape | null, frame: Frame): { v: unknown; shape: Shape } {
    const emitter = this.emitter(frame);
    const val = emitter.expr(expr, shape ?? undefined);
    const fitted = shape ? emitter.fit(val, shape, expr.loc) : val;
    return this.finish(emitter, fitted, expr.loc);
  }
  private finish(emitter: UnitEmitter, fitted: Val, loc: Loc): { v: unknown; shape: Shape } {
    const made = plain(fitted.shape);
    if (fitted.cv !== undefined) return unbox(copy(fitted.cv), made);
    try {
      const v = emitter.link(`${emitter.hoisted.join("")}return ${fitted.js};`);
      return unbox(copy(v), made);
    } catch (error) {
      if (error instanceof VhdlError) {
        const place = this.program.places[error.at] ?? loc;
        this.report.error("vhdl/value", place.file >= 0 ? place : loc, `${error.message}.`, error.remedy);
        return { v: zeroOf(made), shape: made };
      }
      if (error instanceof StopSignal) return { v: zeroOf(made), shape: made };
      if (error instanceof RangeError && /call stack/i.test(error.message)) {
        this.report.error(
          "vhdl/recursion",
          loc,
          "This value is computed by a function that calls itself without an end.",
          "Check where the recursion stops.",
        );
        return { v: zeroOf(made), shape: made };
      }
      throw error;
    }
  }
  private defaultOf(shape: Shape, frame: Frame, loc: Loc): { v: unknown; shape: Shape } {
    const emitter = this.emitter(frame);
    return this.finish(emitter, emitter.defaultValue(shape), loc);
  }
  shapeOf(subtype: Subtype, frame: Frame, loc: Loc): Shape {
    const emitter = this.emitter(frame);
    const shape = emitter.shape(subtype);
    if (isStatic(shape) || !("range" in shape)) return shape;
    // bounds that calls of functions give: compute them now
    const range = (shape as Shape & { range: import("../../elaborate/vhdl/types.ts").BoundRange }).range;
    const ends = emitter.rangeVal(range);
    const { v } = this.finish(
      emitter,
      { js: `[${ends.l.js},${ends.r.js},${ends.dynamicDir ?? ends.d}]`, shape: { k: "o", type: range.type } },
      loc,
    );
    if (!Array.isArray(v)) return shape;
    const [l, r, d] = v as number[];
    const fixed: Shape = {
      ...(plain(shape) as Shape & { k: "a" }),
      dims: [{ l, d: d as 0 | 1, n: Math.max(0, d ? l - r + 1 : r - l + 1) }],
    };
    frame.shapes.set(subtype, fixed);
    return fixed;
  }

  // ---- declarations ---------------------------------------------------------------------------------------------

  private declare(decl: BoundDecl, frame: Frame, instance: VhdlInstance | null): void {
    switch (decl.kind) {
      case "constant": {
        if (!decl.init || frame.places.has(decl)) return;
        const shape = this.shapeOf(decl.subtype, frame, decl.loc);
        const made = this.evaluate(decl.init, shape, frame);
        frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
        return;
      }
      case "signal": {
        const shape = this.shapeOf(decl.subtype, frame, decl.loc);
        if (!this.checkBounds(shape, decl)) return;
        const value = decl.init ? this.evaluate(decl.init, shape, frame).v : this.defaultOf(shape, frame, decl.loc).v;
        const tree = this.makeTree(decl.name, shape, value, decl.subtype, frame);
        frame.places.set(decl, { k: "sig", tree, shape });
        instance?.signals.push({ decl, tree, shape });
        return;
      }
      case "variable": {
        const shape = this.shapeOf(decl.subtype, frame, decl.loc);
        const made = decl.init ? this.evaluate(decl.init, shape, frame) : this.defaultOf(shape, frame, decl.loc);
        frame.places.set(decl, { k: "cell", cell: { v: made.v }, shape: made.shape });
        return;
      }
      case "file": {
        const file = this.runtime.file();
        frame.places.set(decl, { k: "const", v: file, shape: { k: "o", type: decl.subtype.type } });
        if (decl.path) {
          const path = this.evaluate(decl.path, null, frame).v;
          const mode = decl.mode ? (this.evaluate(decl.mode, null, frame).v as number) : 0;
          const name = path instanceof Arr ? (path.p as string) : (path as string);
          const status = this.runtime.fileOpen(file, name, mode);
          if (status !== 0)
            this.report.error(
              "vhdl/file",
              decl.loc,
              `There is no file '${name}' to read.`,
              "Add it to the design, or check its name.",
            );
        }
        return;
      }
      case "alias":
        frame.places.set(decl, { k: "alias", frame });
        return;
      case "sub":
        frame.subs.add(decl);
        return;
      case "package":
        for (const inner of decl.decls) if (inner.kind === "sub") frame.subs.add(inner);
        for (const inner of decl.decls) this.declare(inner, frame, null);
        return;
      default:
        return;
    }
  }
  private checkBounds(shape: Shape, decl: SignalDecl): boolean {
    if (shape.k === "a" && shape.dims === null) {
      this.report.error(
        "vhdl/unconstrained",
        decl.loc,
        `'${decl.name}' has no bounds: its type ${decl.subtype.name} leaves them open.`,
        "Write them: (7 downto 0).",
      );
      return false;
    }
    return true;
  }

  // ---- signals --------------------------------------------------------------------------------------------------

  makeTree(name: string, shape: Shape, value: unknown, subtype: Subtype | null, frame: Frame): SigTree {
    const own = resolutionOf(subtype);
    if (shape.k === "r") {
      if (own) return this.leaf(name, value, "list", 1, this.resolver(own, frame));
      return shape.fields.map((field, i) =>
        this.makeTree(
          `${name}.${shape.type.fields[i].name}`,
          field,
          (value as unknown[])[i],
          shape.type.fields[i].subtype,
          frame,
        ),
      );
    }
    if (shape.k === "a") {
      const element = elementResolutionOf(subtype) ?? resolutionOf(shape.type.element);
      if (shape.pack && shape.pack !== "char") {
        const n = shape.dims?.[0].n ?? 0;
        return this.leaf(name, value, "bits", n, element ? this.resolver(element, frame) : null);
      }
      if (own || shape.pack === "char")
        return this.leaf(name, value, "list", 1, own ? this.resolver(own, frame) : null);
      const rest = shape.dims && shape.dims.length > 1 ? shape.dims.slice(1) : null;
      const inner: Shape = rest ? { ...shape, dims: rest } : shape.elem;
      return (value as unknown[]).map((each, i) => {
        const index = shape.dims ? (shape.dims[0].d ? shape.dims[0].l - i : shape.dims[0].l + i) : i;
        return this.makeTree(`${name}(${index})`, inner, each, rest ? subtype : shape.type.element, frame);
      });
    }
    return this.leaf(name, value, "scalar", 1, own ? this.resolver(own, frame) : null);
  }
  private leaf(name: string, value: unknown, kind: Sig["kind"], n: number, resolver: Sig["resolver"]): Sig {
    const sig = new Sig(name, value, kind, n, resolver);
    this.signals.push(sig);
    return sig;
  }

  private readonly resolvers = new Map<Subprogram, Sig["resolver"]>();
  private resolver(sub: Subprogram, frame: Frame): Sig["resolver"] {
    if (sub.native === "std_logic_1164.resolved") return "std";
    let made = this.resolvers.get(sub);
    if (made === undefined) {
      const emitter = this.emitter(frame);
      const array = sub.params[0].subtype.type;
      if (array.kind !== "array") return null;
      const pack = packingOf(array);
      const decl: ConstantDecl = {
        kind: "constant",
        name: "values",
        loc: sub.loc,
        subtype: sub.params[0].subtype,
        init: null,
        role: "param",
        full: null,
      };
      const inner = new Frame(frame, emitter.top);
      inner.places.set(decl, {
        k: "var",
        js: "a",
        shape: { k: "a", type: array, pack, dims: null, elem: emitter.shape(array.element) },
      });
      const val = emitter.within(inner, () =>
        emitter.call(sub, [{ op: "object", decl, type: array, loc: sub.loc }], sub.loc, undefined),
      );
      const index = emitter.scalarRange(emitter.shape(array.indexes[0])).l.cv ?? 0;
      const packed =
        pack === "char"
          ? "String.fromCharCode(...x)"
          : pack === "bit"
            ? "R.packL(x.map((v)=>v+2))"
            : pack
              ? "R.packL(x)"
              : "x";
      made = emitter.link(
        `return (x)=>{const a=R.arr(${packed},${index},0,x.length);return ${emitter.payload(val)};};`,
      ) as (values: unknown[]) => unknown;
      this.resolvers.set(sub, made);
    }
    return made;
  }

  derivedSignal(tree: SigTree, name: string, time: number): SigTree {
    let list = this.derivedOnes.get(tree);
    if (!list) {
      list = new Map();
      this.derivedOnes.set(tree, list);
    }
    const key = `${name}:${time}`;
    let made = list.get(key);
    if (made) return made;
    const { engine } = this;
    if (name === "delayed") {
      const follow = (of: SigTree): SigTree => {
        if (Array.isArray(of)) return of.map(follow);
        const sig = new Sig(`${of.name}'delayed`, of.v, of.kind, of.n, null);
        const driver = new Driver(sig, of.v);
        sig.drivers.push(driver);
        of.links.push(() => engine.after(driver, of.v, time, -1));
        return sig;
      };
      made = follow(tree);
    } else if (name === "transaction") {
      const sig = new Sig("transaction", 0, "scalar", 1, null);
      for (const leaf of leavesOf(tree)) {
        leaf.onActive ??= [];
        leaf.onActive.push(() => {
          if (sig.ev !== engine.d) engine.set(sig, 1 - (sig.v as number));
        });
      }
      made = sig;
    } else {
      const sig = new Sig(name, 1, "scalar", 1, null);
      const driver = new Driver(sig, 1);
      sig.drivers.push(driver);
      const changed = () => {
        engine.set(sig, 0);
        driver.v = 0;
        driver.queue = null;
        driver.soleTime = Number.NaN;
        engine.after(driver, 1, time, -1);
      };
      for (const leaf of leavesOf(tree)) {
        if (name === "stable") leaf.links.push(changed);
        else {
          leaf.onActive ??= [];
          leaf.onActive.push(changed);
        }
      }
      made = sig;
    }
    list.set(key, made);
    return made;
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
    const top = this.newInstance(path[path.length - 1], "entity", entity, architecture, null, frame, entity.loc);
    this.top ??= top;
    for (const generic of entity.generics) this.generic(generic, null, frame, frame, top, generics.get(generic.name));
    for (const port of entity.ports) this.openPort(port, frame, top);
    // ports without bounds leave everything open that uses them
    if (entity.ports.every((port) => frame.places.has(port))) this.fill(top, entity, architecture, rules);
    return top;
  }

  // ---- the border to Verilog ------------------------------------------------------------------------------------

  /** Values of generics that an instance need not give. */
  genericDefaults(entity: EntityDecl): Map<string, { v: unknown; shape: Shape }> {
    const frame = new Frame(this.program.root, null);
    const values = new Map<string, { v: unknown; shape: Shape }>();
    for (const generic of entity.generics) {
      const shape = this.shapeOf(generic.subtype, frame, generic.loc);
      if (!generic.init) continue;
      const made = this.evaluate(generic.init, shape, frame);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
      values.set(generic.name, made);
    }
    return values;
  }
  /** A parameter's value as that of a generic. */
  genericValue(generic: ConstantDecl, value: AnyValue, width: number): unknown {
    if (typeof value === "string") return new Arr(value, 1, 0, value.length);
    const shape = this.emitter(this.program.root).plainShape(generic.subtype.type);
    if (typeof value === "number") return shape.k === "s" && shape.type.kind === "real" ? value : Math.round(value);
    if (shape.k === "s") {
      const { type } = shape;
      if (type.kind === "real") return Number(BigInt.asIntN(width, value.a));
      if (type.kind === "enum" && type.packing !== "logic") return Math.min(Number(value.a), type.literals.length - 1);
      if (type.kind === "int" || type.kind === "physical") return Number(BigInt.asIntN(Math.max(width, 32), value.a));
    }
    if (shape.k === "a" && shape.pack === "char") {
      // a string literal of Verilog is a number with eight bits for each character
      let text = "";
      for (let i = Math.ceil(width / 8) - 1; i >= 0; i--)
        text += String.fromCharCode(Number((value.a >> BigInt(8 * i)) & 255n));
      const clean = text.replace(/^\0+/, "");
      return new Arr(clean, 1, 0, clean.length);
    }
    if (shape.k !== "a" || shape.dims) return fromFourState(value, shape);
    const made = fromFourState(value, { ...shape, dims: [{ l: width - 1, d: 1, n: width }] });
    return new Arr(made, width - 1, 1, width);
  }
  /** Ports of an entity with their bounds, for these generics. */
  interfaceOf(
    entity: EntityDecl,
    generics: ReadonlyMap<string, unknown>,
  ): { readonly decl: SignalDecl; readonly shape: Shape }[] {
    const frame = new Frame(this.program.root, null);
    for (const generic of entity.generics) {
      const shape = this.shapeOf(generic.subtype, frame, generic.loc);
      const given = generics.get(generic.name);
      const made =
        given !== undefined
          ? opened(given, shape)
          : generic.init
            ? this.evaluate(generic.init, shape, frame)
            : this.defaultOf(shape, frame, generic.loc);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    }
    return entity.ports.map((decl) => ({ decl, shape: this.shapeOf(decl.subtype, frame, decl.loc) }));
  }
  /** What an instance of a module connects, by the names that it gives; `#2` is the third one without a name. */
  borderActuals(
    bound: BoundInstance,
    parent: VhdlInstance,
  ): { readonly generics: readonly BorderActual[]; readonly ports: readonly BorderActual[] } {
    const { frame } = parent;
    if (bound.foreign)
      return {
        generics: bound.foreign.generics.map(({ name, actual, loc }) => ({ name, expr: actual, frame, loc })),
        ports: bound.foreign.ports.map(({ name, actual, loc }) => ({ name, expr: actual, frame, loc })),
      };
    const { component } = bound;
    const inner = new Frame(frame, null);
    const generics = (component?.generics ?? []).map((decl): BorderActual => {
      const map = bound.generics.find((each) => each.formal === decl);
      const actual = map?.actual ?? decl.init;
      if (actual) {
        const made = this.evaluate(actual, this.shapeOf(decl.subtype, inner, decl.loc), map?.actual ? frame : inner);
        inner.places.set(decl, { k: "const", v: made.v, shape: made.shape });
      }
      return { name: decl.name, expr: actual, frame: map?.actual ? frame : inner, loc: map?.loc ?? bound.loc };
    });
    const ports = bound.ports.map(
      (map): BorderActual => ({ name: map.formal.name, expr: map.actual, frame, loc: map.loc }),
    );
    return { generics, ports };
  }
  /** The signals that an expression names; null if it computes a value. */
  borderTarget(
    expr: Expr,
    frame: Frame,
  ): {
    readonly tree: SigTree;
    readonly part: Stretch | null;
    readonly shape: Shape;
  } | null {
    const ref = refThroughConversions(this.emitter(frame), expr);
    if (!ref?.tree) return null;
    if (!ref.part) return { tree: ref.tree, part: null, shape: ref.shape };
    const part = stretchOf(ref);
    return part && { tree: ref.tree, part, shape: ref.part.shape };
  }
  evaluateShape(expr: Expr, frame: Frame): Shape {
    return plain(this.emitter(frame).expr(expr).shape);
  }
  /** Signals of the border give VHDL's side a driver, which the border sets. */
  borderDriver(tree: SigTree, part: Stretch | null): (v: unknown) => void {
    const emitter = this.emitter(this.program.root, true);
    const driver = emitter.driver(tree, part?.lo ?? null, part?.n ?? null);
    return (v) => this.pushDriver(driver, v, part);
  }
  /** Runs at the start and at each event of what the expression reads. */
  watch(expr: Expr, frame: Frame, run: (v: unknown, shape: Shape) => void): void {
    const shape = this.evaluateShape(expr, frame);
    this.whenever(expr, frame, shape, (v) => run(v, shape));
  }

  private newInstance(
    label: string,
    kind: VhdlInstance["kind"],
    entity: EntityDecl | null,
    architecture: ArchitectureDecl | null,
    parent: VhdlInstance | null,
    frame: Frame,
    loc: Loc,
  ): VhdlInstance {
    const made: VhdlInstance = {
      label,
      kind,
      entity,
      architecture,
      parent,
      children: [],
      signals: [],
      generics: [],
      frame,
      path: frame.path,
      loc,
    };
    parent?.children.push(made);
    this.byPath.set(frame.path.map((each) => each.toLowerCase()).join("."), made);
    return made;
  }

  private fill(
    instance: VhdlInstance,
    entity: EntityDecl,
    architecture: ArchitectureDecl,
    rules: readonly ConfigRule[],
  ): void {
    if (this.depth > 200) {
      this.report.error(
        "vhdl/recursion",
        instance.loc,
        `'${entity.shown}' instantiates itself without an end.`,
        "Check where the recursion stops.",
      );
      return;
    }
    this.depth++;
    architecture.load?.();
    this.region(
      {
        decls: [...entity.decls, ...architecture.decls],
        concurrents: [...entity.concurrents, ...architecture.concurrents],
      },
      instance,
      rules,
      [],
    );
    this.depth--;
  }

  private region(
    region: BoundRegion,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    for (const decl of region.decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of region.decls) this.declare(decl, frame, instance);
    for (const each of region.concurrents) this.concurrent(each, instance, rules, path);
  }

  private concurrent(
    each: Concurrent,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    switch (each.kind) {
      case "process":
        this.process(each, instance);
        return;
      case "instance":
        this.instance(each, instance, rules, path);
        return;
      case "block": {
        const inner = new Frame(frame, null, [...frame.path, each.shown]);
        const made = this.newInstance(each.shown, "block", null, null, instance, inner, each.loc);
        for (const generic of each.generics)
          this.generic(generic, each.genericMap.find((map) => map.formal === generic) ?? null, frame, inner, made);
        for (const port of each.ports)
          this.port(
            port,
            each.portMap.filter((map) => map.formal === port),
            null,
            frame,
            inner,
            made,
          );
        if (each.guard && each.guardSignal) {
          const sig = this.makeTree(
            "guard",
            { k: "s", type: this.world.standard.boolean, lo: null, hi: null },
            0,
            null,
            inner,
          );
          inner.places.set(each.guardSignal, {
            k: "sig",
            tree: sig,
            shape: { k: "s", type: this.world.standard.boolean, lo: null, hi: null },
          });
          this.follow(each.guard, sig as Sig, frame, { k: "s", type: this.world.standard.boolean, lo: null, hi: null });
        }
        this.region(each, made, rules, [...path, each.label]);
        return;
      }
      case "for": {
        const emitter = this.emitter(frame);
        const { l, r, d, dynamicDir } = emitter.rangeVal(each.range);
        const { v } = this.finish(
          emitter,
          { js: `[${l.js},${r.js},${dynamicDir ?? d}]`, shape: { k: "o", type: each.range.type } },
          each.range.loc,
        );
        if (!Array.isArray(v)) return;
        const [left, right, down] = v as number[];
        const count = down ? left - right + 1 : right - left + 1;
        if (count > 100_000) {
          this.report.error(
            "vhdl/endless-generate",
            each.range.loc,
            `This generate statement makes ${count} copies.`,
            "Check its range.",
          );
          return;
        }
        for (let i = 0; i < count; i++) {
          const index = down ? left - i : left + i;
          const shown = emitter.valueText(index, { k: "s", type: each.range.type, lo: null, hi: null });
          const inner = new Frame(frame, null, [...frame.path, `${each.shown}(${shown})`]);
          inner.places.set(each.param, {
            k: "const",
            v: index,
            shape: { k: "s", type: each.range.type, lo: null, hi: null },
          });
          const made = this.newInstance(`${each.shown}(${shown})`, "generate", null, null, instance, inner, each.loc);
          this.region(each.body, made, rules, [...path, each.label]);
        }
        return;
      }
      case "if": {
        for (const branch of each.branches) {
          if (branch.test && this.evaluate(branch.test, null, frame).v !== 1) continue;
          const inner = new Frame(frame, null, [...frame.path, each.shown]);
          const made = this.newInstance(each.shown, "generate", null, null, instance, inner, each.loc);
          this.region(branch.body, made, rules, [...path, each.label]);
          return;
        }
        return;
      }
      case "case": {
        const { v } = this.evaluate(each.subject, null, frame);
        for (const branch of each.branches)
          for (const choice of branch.choices) {
            let fits = choice.kind === "others";
            if (choice.kind === "value") fits = this.runtime.same(this.evaluate(choice.value!, null, frame).v, v);
            else if (choice.kind === "range") {
              const b = this.emitter(frame).bounds(choice.range!);
              fits =
                b !== null &&
                (v as number) >= Math.min(b.l, b.l + (b.d ? 1 - b.n : b.n - 1)) &&
                (v as number) <= Math.max(b.l, b.l + (b.d ? 1 - b.n : b.n - 1));
            }
            if (!fits) continue;
            const inner = new Frame(frame, null, [...frame.path, each.shown]);
            const made = this.newInstance(each.shown, "generate", null, null, instance, inner, each.loc);
            this.region(branch.body, made, rules, [...path, each.label]);
            return;
          }
      }
    }
  }

  // ---- instances ------------------------------------------------------------------------------------------------

  private instance(
    each: BoundInstance,
    parent: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    let unit = each.unit;
    let inner: readonly ConfigRule[] = [];
    const rule =
      each.component &&
      (rules.find((one) => samePath(one.path, path) && Array.isArray(one.labels) && one.labels.includes(each.label)) ??
        rules.find(
          (one) => samePath(one.path, path) && !Array.isArray(one.labels) && one.component === each.component!.name,
        ));
    if (rule) {
      unit = rule.unit ?? unit;
      inner = rule.inner;
    }
    if (!unit && each.component) {
      const found = this.world.unitIn(this.world.work, each.component.name);
      if (found?.kind === "entity") unit = { kind: "entity", entity: found, architecture: null };
      else {
        const module = this.foreignModule?.(each.component.name);
        if (module) unit = { kind: "foreign", module };
      }
    }
    if (!unit) {
      const names = [...this.world.work.units.values()]
        .filter((found) => found.kind === "entity")
        .map((found) => found.name);
      this.report.error(
        "vhdl/unbound",
        each.loc,
        `Component '${each.component?.name}' of '${each.shown}' has no entity.`,
        names.length
          ? `Write an entity '${each.component?.name}', or bind the component to one of ${names.slice(0, 5).join(", ")}.`
          : "Add the entity's file to the design.",
      );
      return;
    }
    if (unit.kind === "open") return;
    if (unit.kind === "foreign") {
      if (this.foreign) this.foreign(each, unit.module, parent, this);
      return;
    }
    let entity: EntityDecl | null;
    let architectureName: string | null;
    if (unit.kind === "configuration") {
      unit.configuration.load?.();
      ({ entity } = unit.configuration);
      architectureName = unit.configuration.architecture;
      inner = unit.configuration.rules;
    } else {
      ({ entity } = unit);
      architectureName = unit.architecture;
    }
    if (!entity) return;
    entity.load?.();
    const architecture = architectureName
      ? (entity.architectures.get(architectureName) ?? null)
      : entity.lastArchitecture;
    if (!architecture) {
      this.report.error(
        "vhdl/no-architecture",
        each.loc,
        `Entity '${entity.shown}' has no architecture.`,
        `Write 'architecture rtl of ${entity.shown} is ...'.`,
      );
      return;
    }
    const frame = new Frame(this.program.root, null, [...parent.frame.path, each.shown]);
    const made = this.newInstance(each.shown, "entity", entity, architecture, parent, frame, each.loc);
    const component = each.component;
    const partner = <T extends SignalDecl | ConstantDecl>(own: T, list: readonly T[] | undefined): T =>
      component ? (list?.find((one) => one.name === own.name) ?? own) : own;
    for (const generic of entity.generics) {
      const formal = partner(generic, component?.generics);
      const map = each.generics.find((one) => one.formal === formal) ?? null;
      this.generic(generic, map, parent.frame, frame, made, undefined, component && formal !== generic ? formal : null);
    }
    if (component)
      for (const port of component.ports)
        if (!entity.ports.some((own) => own.name === port.name))
          this.report.error(
            "vhdl/unknown-port",
            each.loc,
            `Entity '${entity.shown}' has no port '${port.name}', which component '${component.name}' declares.`,
            "Make the component like the entity.",
          );
    // generics of the component may be bounds of its ports
    for (const port of entity.ports) {
      const formal = partner(port, component?.ports);
      this.port(
        port,
        each.ports.filter((one) => one.formal === formal),
        formal === port ? null : formal,
        parent.frame,
        frame,
        made,
      );
    }
    this.fill(made, entity, architecture, inner);
  }
  /** Name of a module of the other language. */
  foreignModule: ((name: string) => string | null) | null = null;

  private generic(
    generic: ConstantDecl,
    map: BoundAssociation | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
    given?: unknown,
    component: ConstantDecl | null = null,
  ): void {
    const shape = this.shapeOf(generic.subtype, frame, generic.loc);
    let made: { v: unknown; shape: Shape };
    if (given !== undefined) made = opened(given, shape);
    else if (map?.actual) {
      // bounds come from the actual where the generic leaves them open
      made = this.evaluate(map.actual, shape, outer);
    } else {
      const init = component?.init ?? generic.init;
      if (!init) {
        if (instance.parent === null)
          this.report.error(
            "vhdl/open-generic",
            generic.loc,
            `Generic '${generic.name}' of the top '${instance.label}' has no value.`,
            "Give it a default value.",
          );
        made = this.defaultOf(shape, frame, generic.loc);
      } else made = this.evaluate(init, shape, frame);
    }
    frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    if (component) frame.places.set(component, { k: "const", v: made.v, shape: made.shape });
    instance.generics.push({ name: generic.name, value: showValue(made.v, made.shape) });
  }

  private openPort(port: SignalDecl, frame: Frame, instance: VhdlInstance): void {
    const shape = this.shapeOf(port.subtype, frame, port.loc);
    if (!this.checkBounds(shape, port)) return;
    const value = port.init ? this.evaluate(port.init, shape, frame).v : this.defaultOf(shape, frame, port.loc).v;
    const tree = this.makeTree(port.name, shape, value, port.subtype, frame);
    frame.places.set(port, { k: "sig", tree, shape });
    instance.signals.push({ decl: port, tree, shape });
  }

  /** Signals of a port: those of the actual where the whole is connected. */
  private port(
    port: SignalDecl,
    maps: readonly BoundAssociation[],
    component: SignalDecl | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
  ): void {
    const live = maps.filter((map) => map.actual !== null);
    if (live.length === 0) {
      this.openPort(port, frame, instance);
      return;
    }
    let shape = this.shapeOf(port.subtype, frame, port.loc);
    const [first] = live;
    const isWhole = live.length === 1 && first.formalExpr.op === "object" && !first.formalConversion;
    const set = (tree: SigTree) => {
      frame.places.set(port, { k: "sig", tree, shape });
      if (component) frame.places.set(component, { k: "sig", tree, shape });
      instance.signals.push({ decl: port, tree, shape });
    };
    if (isWhole) {
      const emitter = this.emitter(outer);
      const actual = first.actual!;
      const ref = refThroughConversions(emitter, actual);
      if (ref) {
        const found = this.signalOf(emitter, ref, first.loc);
        const have = ref.part ? ref.part.shape : ref.shape;
        if (shape.k === "a" && shape.dims === null && have.k === "a")
          shape = { ...shape, dims: have.dims, elem: have.elem };
        if (found && this.agree(shape, have, port, first)) {
          set(found);
          if (port.mode !== "in" && port.mode !== null) this.beginPort(port, found, shape, frame);
          return;
        }
        if (found) {
          this.openPort(port, frame, instance);
          return;
        }
      }
      if (port.mode === "in" || port.mode === null) {
        const value = this.evaluate(actual, shape, outer);
        if (shape.k === "a" && shape.dims === null) ({ shape } = value);
        const tree = this.makeTree(port.name, shape, value.v, port.subtype, frame);
        set(tree);
        this.portLinks.push({ value: actual, tree, part: null, shape, frame: outer, instance });
        this.followTree(actual, tree, outer, shape);
        return;
      }
      this.openPort(port, frame, instance);
      return;
    }
    // connected in parts: a signal of its own, whose parts follow or drive the actuals
    if (!this.checkBounds(shape, port)) return;
    const value = port.init ? this.evaluate(port.init, shape, frame).v : this.defaultOf(shape, frame, port.loc).v;
    const tree = this.makeTree(port.name, shape, value, port.subtype, frame);
    set(tree);
    for (const map of live) {
      const inner = this.emitter(frame);
      const formal = inner.refOf(map.formalExpr);
      if (!formal?.tree) continue;
      const emitter = this.emitter(outer, true);
      const shapeOfFormal = formal.part ? formal.part.shape : formal.shape;
      if (port.mode === "in" || port.mode === null) {
        const leaf = formal.tree;
        if (formal.part && !Array.isArray(leaf)) {
          const { loKnown, nKnown, bit } = formal.part;
          const two = formal.shape.k === "a" && formal.shape.pack === "bit";
          this.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: { lo: loKnown! },
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.whenever(map.actual!, outer, shapeOfFormal, (v) => {
            const next = bit
              ? setL(leaf.v as Bits, leaf.n, loKnown!, two ? (v as number) + 2 : (v as number))
              : insertL(leaf.v as Bits, leaf.n, loKnown!, v as Bits, nKnown!);
            this.engine.set(leaf, next);
          });
        } else {
          this.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: null,
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.followTree(map.actual!, leaf, outer, shapeOfFormal);
        }
        continue;
      }
      // outputs: a driver of the actual that has the formal's value
      const ref = refThroughConversions(emitter, map.actual!);
      if (!ref?.tree) continue;
      const driver = emitter.driver(ref.tree, ref.part?.loKnown ?? null, ref.part?.nKnown ?? null);
      const value = map.formalConversion ? map.formalConversion(map.formalExpr) : map.formalExpr;
      const part = ref.part && ref.part.loKnown !== null ? { lo: ref.part.loKnown } : null;
      this.portLinks.push({
        value,
        tree: ref.tree,
        part,
        shape: ref.part ? ref.part.shape : ref.shape,
        frame,
        instance,
      });
      const source = formal.part ? null : formal.tree;
      const convert = map.formalConversion ? this.conversion(map, inner, formal) : null;
      const push = () => {
        let v: unknown = source ? readTree(source) : null;
        if (formal.part && !Array.isArray(formal.tree)) {
          const p = (formal.tree as Sig).v as Bits;
          v = formal.part.bit
            ? inner.program.runtime.getL(p, formal.part.loKnown!)
            : sliceL(p, formal.part.loKnown!, formal.part.nKnown!);
        }
        if (convert) v = convert();
        this.pushDriver(driver, v, stretchOf(ref));
      };
      for (const leaf of leavesOf(formal.tree)) leaf.links.push(push);
      this.initial.push(push);
    }
  }
  private beginPort(port: SignalDecl, tree: SigTree, shape: Shape, frame: Frame): void {
    const { v } = port.init ? this.evaluate(port.init, shape, frame) : this.defaultOf(shape, frame, port.loc);
    frame.driverInit ??= new Map();
    const map = frame.driverInit;
    const put = (at: SigTree, value: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (value as unknown[])[i]));
      else map.set(at, value);
    };
    put(tree, v);
  }
  /** Values that ports give when all signals are made. */
  private readonly initial: (() => void)[] = [];

  private conversion(map: BoundAssociation, inner: UnitEmitter, _formal: Ref): () => unknown {
    const expr = map.formalConversion!(map.formalExpr);
    const val = inner.expr(expr);
    return inner.link(`return ()=>${inner.payload(val)};`) as () => unknown;
  }

  private pushDriver(driver: DriverTree, v: unknown, stretch: Stretch | null): void {
    if (Array.isArray(driver)) {
      driver.forEach((each, i) => this.pushDriver(each, (v as unknown[])[i], stretch));
      return;
    }
    if (!driver) return;
    const target = driver.part ? driver.part.of : driver;
    const at = driver.part ?? stretch;
    target.v = at ? putStretch(target.v as Bits, target.sig.n, at, v) : v;
    target.next = target.v;
    this.engine.drive(target);
  }

  private agree(shape: Shape, have: Shape, port: SignalDecl, map: BoundAssociation): boolean {
    if (shape.k !== "a" || have.k !== "a" || !shape.dims || !have.dims) return true;
    for (let i = 0; i < shape.dims.length; i++)
      if (shape.dims[i].n !== have.dims[i]?.n) {
        this.report.error(
          "vhdl/port-width",
          map.loc,
          `Port '${port.name}' has ${shape.dims[i].n} elements (${shapeText(shape)}), what is connected ${have.dims[i]?.n} (${shapeText(have)}).`,
          "Make them as long as each other.",
        );
        return false;
      }
    return true;
  }

  /** The signals of a reference, those of a part being followed. */
  private signalOf(emitter: UnitEmitter, ref: Ref, loc: Loc): SigTree | null {
    if (!ref.tree) return null;
    if (!ref.part) return ref.tree;
    const { loKnown, nKnown, bit } = ref.part;
    if (loKnown === null || nKnown === null || Array.isArray(ref.tree)) {
      emitter.error("actual", loc, "A port is connected to a part that only the run knows.", "Use constant indexes.");
      return null;
    }
    return this.part(ref.tree, loKnown, nKnown, bit, ref.shape.k === "a" && ref.shape.pack === "bit");
  }
  private readonly parts = new Map<Sig, Map<string, Sig>>();
  private part(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
    let list = this.parts.get(sig);
    if (!list) {
      list = new Map();
      this.parts.set(sig, list);
    }
    const key = `${lo}:${n}:${bit}`;
    let made = list.get(key);
    if (!made) {
      made = partOf(sig, lo, n, bit, two);
      origins.set(made, { of: sig, lo, n, bit, two });
      list.set(key, made);
    }
    return made;
  }

  /** Runs now and whenever a signal that the expression reads has an event, without delay. */
  private whenever(expr: Expr, frame: Frame, shape: Shape, run: (v: unknown) => void): void {
    const emitter = this.emitter(frame);
    const reads = emitter.readsOf(expr);
    const val = emitter.fit(emitter.expr(expr, shape), shape, expr.loc);
    const compute = emitter.link(`return ()=>${emitter.payload(val)};`) as () => unknown;
    const go = () => run(compute());
    for (const read of reads) {
      const ref = emitter.refOf(read);
      if (ref?.tree) for (const leaf of leavesOf(ref.tree)) leaf.links.push(go);
    }
    this.initial.push(go);
  }
  private followTree(expr: Expr, tree: SigTree, frame: Frame, shape: Shape): void {
    const put = (at: SigTree, v: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (v as unknown[])[i]));
      else this.engine.set(at, v);
    };
    this.whenever(expr, frame, shape, (v) => put(tree, v));
  }
  private follow(expr: Expr, sig: Sig, frame: Frame, shape: Shape): void {
    this.followTree(expr, sig, frame, shape);
  }

  // ---- processes ------------------------------------------------------------------------------------------------

  private process(process: BoundProcess, instance: VhdlInstance): void {
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
      const names = process.sensitivity === "all" ? emitter.readsOfStmts(process.stmts) : process.sensitivity;
      for (const name of names) {
        const found = emitter.refOf(name);
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
        const make = emitter.link(`${decls}return function*(){for(;;){${body}${again}}};`) as () => Generator<void>;
        const run = make();
        step = () => {
          run.next();
        };
      } else step = emitter.link(`${decls}return function(){${body}};`) as () => void;
    } catch (error) {
      if (!(error instanceof VhdlError)) throw error;
      const place = this.program.places[error.at] ?? process.headLoc;
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
    if (process.postponed) return;
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
  private clockOf(emitter: UnitEmitter, clock: Expr, wakes: ReadonlySet<Sig>): Sig | null {
    const tree = emitter.refOf(clock)?.tree;
    return tree && !Array.isArray(tree) && tree.kind === "scalar" && wakes.has(tree) ? tree : null;
  }
  /** A sensitivity list has all of these. */
  private readsNoMore(emitter: UnitEmitter, reads: readonly Expr[], wakes: ReadonlySet<Sig>): boolean {
    return reads.every((read) => {
      const found = emitter.refOf(read);
      return found?.tree !== null && found?.tree !== undefined && leavesOf(found.tree).every((leaf) => wakes.has(leaf));
    });
  }
  private readonly statics: StaticProcess[] = [];
  private readonly writers: { readonly process: BoundProcess; readonly drivers: readonly Driver[] }[] = [];

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

/** Bits of a signal: one, or several side by side; `two`: of an array of bits, whose elements are 0 and 1. */
export interface Stretch {
  readonly lo: number;
  readonly n: number;
  readonly bit: boolean;
  readonly two: boolean;
}
function stretchOf(ref: Ref): Stretch | null {
  if (!ref.part || ref.part.loKnown === null || ref.part.nKnown === null) return null;
  return {
    lo: ref.part.loKnown,
    n: ref.part.nKnown,
    bit: ref.part.bit,
    two: ref.shape.k === "a" && ref.shape.pack === "bit",
  };
}
/** Bits with a stretch of them replaced. */
export function putStretch(p: Bits, n: number, { lo, n: width, bit, two }: Stretch, v: unknown): Bits {
  if (bit) return setL(p, n, lo, two ? (v as number) + 2 : (v as number));
  return insertL(p, n, lo, v as Bits, width);
}
/** A name of a signal behind type conversions between arrays: they change nothing that a signal keeps. */
function refThroughConversions(emitter: UnitEmitter, expr: Expr): Ref | null {
  let at = expr;
  while ((at.op === "convert" && at.type.kind === "array") || at.op === "qualified") at = at.arg;
  return at.op === "object" || at.op === "index" || at.op === "slice" || at.op === "field" || at.op === "external"
    ? emitter.refOf(at)
    : null;
}
/** A generic's value: without bounds of its own where the generic has some. */
function opened(v: unknown, shape: Shape): { v: unknown; shape: Shape } {
  return v instanceof Arr && shape.k === "a" && shape.dims ? { v: v.p, shape } : unbox(v, shape);
}
function isPlainAssignment(stmt: BoundProcess["stmts"][number]): boolean {
  switch (stmt.op) {
    case "signal":
      return (
        !stmt.transport &&
        stmt.force === null &&
        stmt.waveform.elements.length === 1 &&
        stmt.waveform.elements[0].after === null
      );
    case "if":
      return stmt.yes.every(isPlainAssignment) && (stmt.no?.every(isPlainAssignment) ?? true);
    case "case":
      return stmt.branches.every((branch) => branch.body.every(isPlainAssignment));
    default:
      return false;
  }
}
function unbox(v: unknown, shape: Shape): { v: unknown; shape: Shape } {
  if (v instanceof Arr && shape.k === "a" && shape.dims === null)
    return { v: v.p, shape: { ...shape, dims: [{ l: v.l, d: v.d, n: v.n }] } };
  return { v, shape };
}
function zeroOf(shape: Shape): unknown {
  if (shape.k === "r") return shape.fields.map(zeroOf);
  if (shape.k === "a") {
    if (shape.pack === "char") return " ".repeat(shape.dims?.[0].n ?? 0);
    const n = shape.dims?.[0].n ?? 0;
    if (shape.pack) return fromCodes(codesOf(0, n).map(() => 2));
    const rest = shape.dims?.slice(1) ?? [];
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    return Array.from({ length: n }, () => zeroOf(inner));
  }
  return shape.k === "s" && typeof shape.lo === "number" ? shape.lo : 0;
}
function resolutionOf(subtype: Subtype | null): Subprogram | null {
  for (let at = subtype; at; at = at.parent) if (at.resolution) return at.resolution;
  return null;
}
function elementResolutionOf(subtype: Subtype | null): Subprogram | null {
  for (let at = subtype; at; at = at.parent) if (at.elementResolution) return at.elementResolution;
  return null;
}
function samePath(a: readonly string[], b: readonly string[]): boolean {
  return a.length === b.length && a.every((each, i) => each === b[i]);
}
/** A generic's value as people write it. */
function showValue(v: unknown, shape: Shape): string {
  if (shape.k === "s" && shape.type.kind === "enum") return shape.type.literals[v as number]?.name ?? String(v);
  if (shape.k === "s" && shape.type.kind === "physical") return `${v} ${shape.type.base}`;
  if (typeof v === "string") return JSON.stringify(v);
  if (shape.k === "a" && shape.pack && shape.dims) {
    const codes = codesOf(v as Bits, shape.dims[0].n);
    return `"${[...codes]
      .reverse()
      .map((code) => "UX01ZWLH-"[code])
      .join("")}"`;
  }
  return typeof v === "number" ? String(v) : "...";
}
