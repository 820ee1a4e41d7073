import { RunawaySignal } from "../../../common/runaway.ts";
import type { Loc } from "../../../common/source.ts";
import { isSynthAttribute } from "../../../netlist/attributes.ts";
import { mostMsForValue } from "../../constant-work.ts";
import type { Report } from "../../report.ts";
import type {
  ArchitectureDecl,
  BoundDecl,
  BoundInstance,
  BoundProcess,
  ConstantDecl,
  Decl,
  EntityDecl,
  Expr,
  PackageDecl,
  SignalDecl,
  Subprogram,
} from "../bound.ts";
import { type Program, type Val } from "../code/emit-base.ts";
import { plain } from "../code/emit-subprograms.ts";
import { StopSignal, VhdlError, type VhdlRuntime } from "../code/runtime.ts";
import { placeIn, type SignalKeeper } from "../code/signal-keeper.ts";
import { origins, UnitEmitter } from "../code/unit-emitter.ts";
import { packingOf, type Subtype } from "../types.ts";
import { Frame } from "../values/frames.ts";
import { boundsOf, dynamicRanges, isStatic, leafCount, type Shape } from "../values/shapes.ts";
import { Driver, leavesOf, Sig, type SigTree } from "../values/signals.ts";
import { Arr, copy } from "../values/values.ts";
import { unitsInUse, type World } from "../world.ts";
import { elementResolutionOf, resolutionOf, unbox, zeroOf } from "./elaborator-pieces.ts";

/** Parts of one signal. */
const mostParts = 2 ** 19;

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
  /** Of what is declared here, of labels, and of itself (entity and architecture). */
  readonly attributes: {
    readonly on: Decl;
    readonly name: string;
    readonly value: string | number;
    readonly loc: Loc;
  }[];
  readonly generics: { readonly name: string; readonly value: string }[];
  /** Of a block: the condition of its guarded assignments, the signal that tells it, and where its names are found. */
  guard?: { readonly signal: SignalDecl; readonly expr: Expr; readonly frame: Frame };
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
/** Values, declarations and signals of instances. */
export abstract class ElaboratorBase {
  readonly program: Program;
  readonly signals: Sig[] = [];
  top: VhdlInstance | null = null;
  protected readonly byPath = new Map<string, VhdlInstance>();
  protected readonly derivedOnes = new Map<SigTree, Map<string, SigTree>>();
  protected depth = 0;
  /** Connections of ports that are computed: what the circuit must add to shared signals. */
  readonly portLinks: {
    readonly value: Expr;
    readonly tree: SigTree;
    readonly part: { readonly lo: number } | null;
    readonly shape: Shape;
    readonly frame: Frame;
    readonly instance: VhdlInstance;
  }[] = [];
  protected readonly processList = new Map<VhdlInstance, { readonly process: BoundProcess; readonly frame: Frame }[]>();
  /** Makes an instance of the other language. */
  foreign: ((instance: BoundInstance, module: string, parent: VhdlInstance, owner: ElaboratorBase) => void) | null =
    null;

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

  protected own(unit: PackageDecl): void {
    for (const decl of unit.decls) {
      if (decl.kind === "package") {
        this.own(decl);
        continue;
      }
      if (decl.kind !== "attributevalue") this.program.owners.set(decl, unit);
      if (decl.kind === "sub") this.program.root.subs.add(decl);
    }
  }

  protected elaboratePackage(unit: PackageDecl): void {
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

  abstract external(e: Expr, frame: Frame): ReturnType<Frame["find"]>;

  // ---- values at elaboration ------------------------------------------------------------------------------------

  /** Value of an expression now. */
  evaluate(expr: Expr, shape: Shape | null, frame: Frame): { v: unknown; shape: Shape } {
    const emitter = this.emitter(frame);
    const val = emitter.exprs.expr(expr, shape ?? undefined);
    const fitted = shape ? emitter.repr.fit(val, shape, expr.loc) : val;
    return this.finish(emitter, fitted, expr.loc);
  }
  protected finish(emitter: UnitEmitter, fitted: Val, loc: Loc): { v: unknown; shape: Shape } {
    const made = plain(fitted.shape);
    if (fitted.cv !== undefined) return unbox(copy(fitted.cv), made);
    try {
      this.engine.beginValue();
      const v = this.report.work.run(() => emitter.link(`${emitter.hoisted.join("")}return ${fitted.js};`));
      return unbox(copy(v), made);
    } catch (error) {
      if (error instanceof VhdlError) {
        const place = placeIn(this.program.places, error.at, this.engine) ?? loc;
        this.report.error("vhdl/value", place.file >= 0 ? place : loc, `${error.message}.`, error.remedy);
        return { v: zeroOf(made), shape: made };
      }
      if (error instanceof StopSignal) return { v: zeroOf(made), shape: made };
      if (error instanceof RunawaySignal || (error instanceof RangeError && !/call stack/i.test(error.message))) {
        const isLoop = error instanceof RunawaySignal;
        this.report.error(
          isLoop ? "vhdl/endless" : "vhdl/large-value",
          loc,
          isLoop
            ? `This value is computed by a loop or a recursion that does not come to an end within ${mostMsForValue / 1000} s.`
            : `This value has grown beyond what can be held (${(error as Error).message}).`,
          isLoop ? "Check where it stops." : "Check the lengths that it is made of.",
        );
        return { v: zeroOf(made), shape: made };
      }
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
  defaultOf(shape: Shape, frame: Frame, loc: Loc): { v: unknown; shape: Shape } {
    const emitter = this.emitter(frame);
    return this.finish(emitter, emitter.repr.defaultValue(shape), loc);
  }
  shapeOf(subtype: Subtype, frame: Frame, loc: Loc): Shape {
    const emitter = this.emitter(frame);
    const shape = emitter.shapes.shape(subtype);
    const fixed = this.closed(emitter, shape, loc);
    if (fixed !== shape) frame.shapes.set(subtype, fixed);
    return fixed;
  }
  /** Bounds and limits that calls of functions give are computed now. */
  private closed(emitter: UnitEmitter, shape: Shape, loc: Loc): Shape {
    switch (shape.k) {
      case "s": {
        if (isStatic(shape)) return shape;
        const { v } = this.finish(
          emitter,
          { js: `[${shape.lo},${shape.hi}]`, shape: { k: "o", type: shape.type } },
          loc,
        );
        const [lo, hi] = Array.isArray(v) ? (v as number[]) : [null, null];
        return { ...shape, lo, hi };
      }
      case "a": {
        const elem = this.closed(emitter, shape.elem, loc);
        const ranges = dynamicRanges(shape);
        if (!ranges) return elem === shape.elem ? shape : { ...shape, elem };
        const ends = ranges.map((range) => emitter.shapes.rangeVal(range));
        const js = ends.map(({ l, r, d, dynamicDir }) => `[${l.js},${r.js},${dynamicDir ?? d}]`).join();
        const { v } = this.finish(emitter, { js: `[${js}]`, shape: { k: "o", type: ranges[0].type } }, loc);
        if (!Array.isArray(v)) return shape;
        const dims = (v as [number, number, 0 | 1][]).map(([l, r, d]) => boundsOf(l, r, d));
        return emitter.shapes.sized({ ...(plain(shape) as Shape & { k: "a" }), elem, dims }, loc);
      }
      case "r": {
        const fields = shape.fields.map((field) => this.closed(emitter, field, loc));
        return fields.every((field, i) => field === shape.fields[i]) ? shape : { ...shape, fields };
      }
      case "o":
        return shape;
    }
  }

  // ---- declarations ---------------------------------------------------------------------------------------------

  protected declare(decl: BoundDecl, frame: Frame, instance: VhdlInstance | null): void {
    switch (decl.kind) {
      case "attributevalue": {
        if (!instance || !isSynthAttribute(decl.decl.name)) return;
        const { v } = this.evaluate(decl.value, this.shapeOf(decl.decl.subtype, frame, decl.value.loc), frame);
        const value = v instanceof Arr ? String(v.p) : typeof v === "number" || typeof v === "string" ? v : Number(v);
        instance.attributes.push({ on: decl.on, name: decl.decl.name, value, loc: decl.value.loc });
        return;
      }
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
        const parts = leafCount(shape);
        if (parts > mostParts) {
          this.report.error(
            "vhdl/large-array",
            decl.loc,
            `Signal '${decl.name}' has ${parts} parts, each a signal by itself.`,
            `A signal may have ${mostParts}: use a variable, or wider elements.`,
          );
          return;
        }
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
  protected checkBounds(shape: Shape, decl: SignalDecl): boolean {
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
  protected leaf(name: string, value: unknown, kind: Sig["kind"], n: number, resolver: Sig["resolver"]): Sig {
    const sig = new Sig(name, value, kind, n, resolver);
    this.signals.push(sig);
    return sig;
  }

  protected readonly resolvers = new Map<Subprogram, Sig["resolver"]>();
  protected resolver(sub: Subprogram, frame: Frame): Sig["resolver"] {
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
        shape: { k: "a", type: array, pack, dims: null, elem: emitter.shapes.shape(array.element) },
      });
      const val = emitter.within(inner, () =>
        emitter.subprograms.call(sub, [{ op: "object", decl, type: array, loc: sub.loc }], sub.loc, undefined),
      );
      const index = emitter.shapes.scalarRange(emitter.shapes.shape(array.indexes[0])).l.cv ?? 0;
      const packed =
        pack === "char"
          ? "String.fromCharCode(...x)"
          : pack === "bit"
            ? "R.packL(x.map((v)=>v+2))"
            : pack
              ? "R.packL(x)"
              : "x";
      made = emitter.link(
        `return (x)=>{const a=R.arr(${packed},${index},0,x.length);return ${emitter.repr.payload(val)};};`,
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
}
