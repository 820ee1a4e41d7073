import { RunawaySignal } from "../../../common/runaway.ts";
import type { Loc } from "../../../common/source.ts";
import { mostMsForValue } from "../../constant-work.ts";
import type { Expr } from "../bound.ts";
import type { Val } from "../code/emit-base.ts";
import { plain } from "../code/emit-subprograms.ts";
import { StopSignal, VhdlError } from "../code/runtime.ts";
import { placeIn } from "../code/signal-keeper.ts";
import type { UnitEmitter } from "../code/unit-emitter.ts";
import type { Subtype } from "../types.ts";
import type { Frame } from "../values/frames.ts";
import { boundsOf, dynamicRanges, isStatic, type Shape } from "../values/shapes.ts";
import { copy } from "../values/values.ts";
import type { Elaborator } from "./elaborator.ts";
import { unbox, zeroOf } from "./elaborator-pieces.ts";

/** Values and shapes of expressions now, at elaboration. */
export class ElaborationValues {
  constructor(private readonly host: Elaborator) {}

  /** Value of an expression now. */
  evaluate(expr: Expr, shape: Shape | null, frame: Frame): { v: unknown; shape: Shape } {
    const emitter = this.host.emitter(frame);
    const val = emitter.exprs.expr(expr, shape ?? undefined);
    const fitted = shape ? emitter.repr.fit(val, shape, expr.loc) : val;
    return this.finish(emitter, fitted, expr.loc);
  }
  finish(emitter: UnitEmitter, fitted: Val, loc: Loc): { v: unknown; shape: Shape } {
    const made = plain(fitted.shape);
    if (fitted.cv !== undefined) return unbox(copy(fitted.cv), made);
    try {
      this.host.engine.beginValue();
      const v = this.host.report.work.run(() => emitter.link(`${emitter.hoisted.join("")}return ${fitted.js};`));
      return unbox(copy(v), made);
    } catch (error) {
      if (error instanceof VhdlError) {
        const place = placeIn(this.host.program.places, error.at, this.host.engine) ?? loc;
        this.host.report.error("vhdl/value", place.file >= 0 ? place : loc, `${error.message}.`, error.remedy);
        return { v: zeroOf(made), shape: made };
      }
      if (error instanceof StopSignal) return { v: zeroOf(made), shape: made };
      if (error instanceof RunawaySignal || (error instanceof RangeError && !/call stack/i.test(error.message))) {
        const isLoop = error instanceof RunawaySignal;
        this.host.report.error(
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
        this.host.report.error(
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
    const emitter = this.host.emitter(frame);
    return this.finish(emitter, emitter.repr.defaultValue(shape), loc);
  }
  shapeOf(subtype: Subtype, frame: Frame, loc: Loc): Shape {
    const emitter = this.host.emitter(frame);
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
}
