import type { AnyValue } from "../../model.ts";
import type { BoundInstance, ConstantDecl, EntityDecl, Expr, SignalDecl } from "../bound.ts";
import { fromFourState } from "../circuit/border.ts";
import { plain } from "../code/emit-subprograms.ts";
import { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";
import { Arr } from "../values/values.ts";
import type { Elaborator } from "./elaborator.ts";
import { opened, refThroughConversions, type Stretch, stretchOf } from "./elaborator-pieces.ts";
import type { BorderActual, VhdlInstance } from "./instance.ts";

/** What Verilog's side asks of instances of VHDL. */
export class VerilogBorder {
  constructor(private readonly host: Elaborator) {}

  /** Values of generics that an instance need not give. */
  genericDefaults(entity: EntityDecl): Map<string, { v: unknown; shape: Shape }> {
    const frame = new Frame(this.host.program.root, null);
    const values = new Map<string, { v: unknown; shape: Shape }>();
    for (const generic of entity.generics) {
      const shape = this.host.values.shapeOf(generic.subtype, frame, generic.loc);
      if (!generic.init) continue;
      const made = this.host.values.evaluate(generic.init, shape, frame);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
      values.set(generic.name, made);
    }
    return values;
  }
  /** A parameter's value as that of a generic. */
  genericValue(generic: ConstantDecl, value: AnyValue, width: number): unknown {
    if (typeof value === "string") return new Arr(value, 1, 0, value.length);
    const shape = this.host.emitter(this.host.program.root).shapes.plainShape(generic.subtype.type);
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
    const frame = new Frame(this.host.program.root, null);
    for (const generic of entity.generics) {
      const shape = this.host.values.shapeOf(generic.subtype, frame, generic.loc);
      const given = generics.get(generic.name);
      const made =
        given !== undefined
          ? opened(given, shape)
          : generic.init
            ? this.host.values.evaluate(generic.init, shape, frame)
            : this.host.values.defaultOf(shape, frame, generic.loc);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    }
    return entity.ports.map((decl) => ({ decl, shape: this.host.values.shapeOf(decl.subtype, frame, decl.loc) }));
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
        const made = this.host.values.evaluate(
          actual,
          this.host.values.shapeOf(decl.subtype, inner, decl.loc),
          map?.actual ? frame : inner,
        );
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
    const ref = refThroughConversions(this.host.emitter(frame), expr);
    if (!ref?.tree) return null;
    if (!ref.part) return { tree: ref.tree, part: null, shape: ref.shape };
    const part = stretchOf(ref);
    return part && { tree: ref.tree, part, shape: ref.part.shape };
  }
  evaluateShape(expr: Expr, frame: Frame): Shape {
    return plain(this.host.emitter(frame).exprs.expr(expr).shape);
  }
  /** Signals of the border give VHDL's side a driver, which the border sets. */
  borderDriver(tree: SigTree, part: Stretch | null): (v: unknown) => void {
    const emitter = this.host.emitter(this.host.program.root, true);
    const driver = emitter.driver(tree, part?.lo ?? null, part?.n ?? null);
    return (v) => this.host.ports.pushDriver(driver, v, part);
  }
  /** Runs at the start and at each event of what the expression reads. */
  watch(expr: Expr, frame: Frame, run: (v: unknown, shape: Shape) => void): void {
    const shape = this.evaluateShape(expr, frame);
    this.host.ports.whenever(expr, frame, shape, (v) => run(v, shape));
  }
}
