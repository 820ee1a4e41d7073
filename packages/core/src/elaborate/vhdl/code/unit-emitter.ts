import type { Expr } from "../bound.ts";
import type { Elaborator } from "../instances/elaborator.ts";
import type { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import { Driver, type DriverTree, type Sig, type SigTree } from "../values/signals.ts";
import { type Bits, insertL, setL } from "../values/values.ts";
import type { Assignments } from "./assignments.ts";
import { EmitAttributes } from "./emit-attributes.ts";
import type { CodeUnit, Program, Val } from "./emit-base.ts";
import { EmitBase } from "./emit-base.ts";
import { EmitCompose } from "./emit-compose.ts";
import { EmitElements } from "./emit-elements.ts";
import { EmitExpr } from "./emit-expr.ts";
import { EmitOperators } from "./emit-operators.ts";
import { EmitRepr } from "./emit-repr.ts";
import { EmitShapes } from "./emit-shapes.ts";
import { EmitStmt } from "./emit-stmt.ts";
import { EmitSubprograms } from "./emit-subprograms.ts";
import type { Ref } from "./emit-text.ts";
import { EmitWait } from "./emit-wait.ts";

/** Where a signal comes from that stands for a stretch of another. */
export const origins = new WeakMap<
  Sig,
  { readonly of: Sig; readonly lo: number; readonly n: number; readonly bit: boolean; readonly two: boolean }
>();

/** Declarations that give variables nothing but constants: they may be made again, or later. */
export const declaresConstants = (text: string): boolean => /^(let v\d+=(c\d+|-?\d+);\n?)*$/.test(text);

/** Code of one process, or of one value at elaboration. */
export class UnitEmitter extends EmitBase {
  readonly shapes = new EmitShapes(this);
  readonly repr = new EmitRepr(this);
  readonly operators = new EmitOperators(this);
  readonly elements = new EmitElements(this);
  readonly compose = new EmitCompose(this);
  readonly attributes = new EmitAttributes(this);
  readonly exprs = new EmitExpr(this);
  readonly subprograms = new EmitSubprograms(this);
  readonly waiting = new EmitWait(this);
  readonly statements = new EmitStmt(this);

  private readonly trees = new Map<SigTree, DriverTree>();

  constructor(
    private readonly owner: Elaborator,
    frame: Frame,
    private readonly drives: boolean,
    /** Those of the process so far. */
    readonly drivers = new Map<Sig, Driver>(),
    program: Program = owner.program,
    unit?: CodeUnit,
    assigns?: Assignments,
  ) {
    super(program, frame, unit, assigns);
  }

  another(frame: Frame): UnitEmitter {
    return new UnitEmitter(this.owner, frame, false);
  }

  driver(tree: SigTree, lo: number | null, n: number | null): DriverTree {
    if (Array.isArray(tree)) {
      let made = this.trees.get(tree);
      if (!made) {
        made = tree.map((each) => this.driver(each, null, null));
        this.trees.set(tree, made);
      }
      return made;
    }
    return this.leafDriver(tree, lo, n);
  }

  private leafDriver(sig: Sig, lo: number | null, n: number | null): Driver {
    const origin = origins.get(sig);
    if (origin) {
      let part = this.drivers.get(sig);
      if (!part) {
        const of = this.leafDriver(origin.of, origin.lo, origin.n);
        part = new Driver(sig, sig.v);
        const init = this.frame.initOf(sig);
        if (init !== undefined) {
          const base = of.part ? of.part.of : of;
          const lo = origin.lo + (of.part?.lo ?? 0);
          const code = origin.two ? (init as number) + 2 : (init as number);
          base.v = origin.bit
            ? setL(base.v as Bits, base.sig.n, lo, code)
            : insertL(base.v as Bits, base.sig.n, lo, init as Bits, origin.n);
          base.next = base.v;
        }
        part.special = true;
        part.part = {
          of: of.part ? of.part.of : of,
          lo: origin.lo + (of.part?.lo ?? 0),
          n: origin.n,
          bit: origin.bit,
          two: origin.two,
        };
        this.drivers.set(sig, part);
      }
      return part;
    }
    let driver = this.drivers.get(sig);
    if (!driver) {
      const init = this.frame.initOf(sig);
      driver = new Driver(sig, init === undefined ? sig.v : init);
      this.drivers.set(sig, driver);
      if (this.drives) sig.drivers.push(driver);
      if (n !== null && lo !== null && sig.kind === "bits" && n < sig.n)
        driver.mask = new Uint8Array(sig.n).fill(1, lo, lo + n);
    } else if (driver.mask) {
      if (n === null || lo === null) driver.mask = null;
      else driver.mask.fill(1, lo, lo + n);
      if (driver.mask && !driver.mask.includes(0)) driver.mask = null;
    }
    return driver;
  }

  partDriver(of: Sig, part: Sig, lo: number, n: number, bit: boolean, whole: Shape): Driver {
    const base = this.leafDriver(of, lo, n);
    const made = new Driver(part, part.v);
    const two = whole.k === "a" && whole.pack === "bit";
    made.special = true;
    made.part = { of: base.part ? base.part.of : base, lo: lo + (base.part?.lo ?? 0), n, bit, two };
    return made;
  }

  derived(e: Expr & { op: "attribute" }): SigTree | null {
    const found = this.elements.refOf(e.of!);
    if (!found) return null;
    const ref = found.part ? this.attributes.partSignal(found) : found;
    if (!ref.tree) return null;
    const arg = e.arg ? this.exprs.expr(e.arg).cv : 0;
    if (typeof arg !== "number") {
      this.error("attribute", e.loc, `The time of '${e.name}' must be known before the run.`, "Use a constant.");
      return null;
    }
    return this.owner.trees.derivedSignal(ref.tree, e.name, arg);
  }

  named(e: Expr & { op: "attribute" }): Val {
    const { decl, name } = e;
    if (name === "path_name" || name === "instance_name") {
      let frame: Frame = this.frame;
      if (decl?.kind === "entity" || decl?.kind === "architecture")
        while (frame.fn && frame.parent) frame = frame.parent;
      // the path is that of the declaration, from wherever it is asked for (16.2.4)
      else if (decl)
        for (let home: Frame | null = frame; home; home = home.parent) if (home.places.has(decl)) frame = home;
      // extended names keep their letters as they are
      const shown = (name: string) => (name.startsWith("\\") ? name : name.toLowerCase());
      const path = frame.path.map(shown).join(":");
      const own = decl && decl.kind !== "entity" && decl.kind !== "architecture" ? shown(decl.name) : "";
      return this.attributes.textKnown(`:${path}:${own}`);
    }
    if (name === "simple_name") return this.attributes.textKnown(decl?.name ?? "");
    if (decl)
      for (const [attribute, value] of this.world.attributesOf(decl))
        if (attribute.name === name) return this.exprs.expr(value, this.shapes.shape(attribute.subtype));
    return this.known(0, this.shapes.plainShape(e.type));
  }

  externalRef(e: Expr & { op: "external" }): Ref | null {
    const found = this.owner.external(e, this.frame);
    if (found?.k !== "sig") return null;
    return this.elements.known_(found.tree, found.shape);
  }
  externalValue(e: Expr & { op: "external" }): Val {
    const found = this.owner.external(e, this.frame);
    if (found?.k === "const") return this.known(found.v, found.shape);
    if (found?.k === "cell") return { js: `${this.cap(found.cell)}.v`, shape: found.shape };
    this.error(
      "external",
      e.loc,
      `'${e.path.join(".")}' cannot be reached from here.`,
      "Check the path of the external name.",
    );
    return this.known(0, this.shapes.shape(e.subtype));
  }
}
