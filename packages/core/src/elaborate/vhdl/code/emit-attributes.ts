import { quoted } from "../../../common/generated-code.ts";
import type { Expr } from "../bound.ts";
import type { VType } from "../types.ts";
import { type ArrayShape, type Bounds, dynamicRanges, highOf, lowOf, rightOf, type Shape } from "../values/shapes.ts";
import { leavesOf, partOf, type Sig, type SigTree } from "../values/signals.ts";
import { Arr, boundsWithin } from "../values/values.ts";
import type { Val } from "./emit-base.ts";
import type { Ref } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Predefined attributes. */
export class EmitAttributes {
  constructor(private readonly host: UnitEmitter) {}

  // ---- attributes -----------------------------------------------------------------------------------------------

  attribute(e: Expr & { op: "attribute" }): Val {
    const { name } = e;
    const index: Shape = { k: "s", type: e.type, lo: null, hi: null };
    if (e.decl || name === "path_name" || name === "instance_name" || name === "simple_name") return this.host.named(e);
    const dim =
      e.arg && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(name)
        ? ((this.host.exprs.expr(e.arg).cv as number) ?? 1)
        : 1;
    if (e.subtype) {
      const shape = this.host.shapes.shape(e.subtype);
      if (shape.k === "a") return this.arrayAttribute(name, shape, null, dim, index);
      const range = this.host.shapes.scalarRange(shape);
      switch (name) {
        case "left":
          return { ...range.l, shape: index };
        case "right":
          return { ...range.r, shape: index };
        case "low":
          return { ...(range.d ? range.r : range.l), shape: index };
        case "high":
          return { ...(range.d ? range.l : range.r), shape: index };
        case "ascending":
          return this.host.known(range.d ? 0 : 1, this.host.booleanShape);
        case "image":
          return this.image(this.host.exprs.expr(e.arg!), e.subtype.type);
        case "value": {
          const arg = this.host.plainText(this.host.exprs.expr(e.arg!));
          const { type } = shape;
          const at = this.host.at(e.loc);
          const val: Val =
            type.kind === "enum"
              ? {
                  js: `${this.host.rt("enumValue")}(${arg},${this.host.cap(this.host.names(type))},${at})`,
                  shape: this.host.shapes.plainShape(type),
                }
              : type.kind === "int"
                ? { js: `${this.host.rt("intValue")}(${arg},${at})`, shape: this.host.shapes.plainShape(type) }
                : type.kind === "real"
                  ? { js: `${this.host.rt("realValue")}(${arg},${at})`, shape: this.host.shapes.plainShape(type) }
                  : {
                      js: `${this.host.rt("physValue")}(${arg},${this.host.cap((type as { units: unknown }).units)},${at})`,
                      shape: this.host.shapes.plainShape(type),
                    };
          return this.host.repr.checked(val, shape, e.loc);
        }
        case "pos":
          return { ...this.host.exprs.expr(e.arg!), shape: index };
        case "val":
          return this.host.repr.checked(
            { ...this.host.exprs.expr(e.arg!), shape: this.host.shapes.plainShape(shape.type) },
            this.host.shapes.plainShape(shape.type),
            e.loc,
          );
        case "succ":
        case "pred":
        case "leftof":
        case "rightof": {
          const arg = this.host.exprs.expr(e.arg!);
          const up = name === "succ" || name === (range.d ? "leftof" : "rightof");
          const base = this.host.shapes.plainShape(shape.type);
          const js = `(${arg.js}${up ? "+" : "-"}1)`;
          const cv = typeof arg.cv === "number" ? arg.cv + (up ? 1 : -1) : undefined;
          const val: Val =
            cv !== undefined
              ? this.host.known(cv, base)
              : { js, shape: base, lo: Number.NEGATIVE_INFINITY, hi: Number.POSITIVE_INFINITY };
          return this.host.repr.checked(val, base, e.loc);
        }
      }
    }
    const of = e.of!;
    switch (name) {
      case "event":
      case "active":
      case "last_value":
      case "last_event":
      case "last_active":
      case "driving":
      case "driving_value":
      case "stable":
      case "quiet":
      case "delayed":
      case "transaction":
        return this.signalAttribute(e);
      case "endfile":
        return this.host.boolean(
          `${this.host.rt("endFile")}(${this.host.exprs.expr(of).js},${this.isText(of.type)},${this.host.at(e.loc)})`,
        );
      case "to_string":
        return this.toText(this.host.exprs.expr(of), of.type);
    }
    const val = this.host.exprs.expr(of);
    if (val.shape.k !== "a") return this.host.known(0, index);
    return this.arrayAttribute(name, val.shape, val, dim, index);
  }
  isText(type: VType): boolean {
    return type.kind === "file" && type.of.type === this.host.world.standard.string;
  }

  private arrayAttribute(name: string, shape: ArrayShape, val: Val | null, dim: number, index: Shape): Val {
    const carried = val?.cv instanceof Arr ? val.cv : null;
    if (shape.dims || carried) {
      const of = carried && boundsWithin(carried, dim)[dim - 1];
      const b: Bounds = shape.dims ? shape.dims[dim - 1] : { l: of!.l, d: of!.d, n: of!.n };
      switch (name) {
        case "length":
          return this.host.known(b.n, index);
        case "left":
          return this.host.known(b.l, index);
        case "right":
          return this.host.known(rightOf(b), index);
        case "low":
          return this.host.known(lowOf(b), index);
        case "high":
          return this.host.known(highOf(b), index);
        default:
          return this.host.known(b.d ? 0 : 1, this.host.booleanShape);
      }
    }
    if (!val) {
      const range = dynamicRanges(shape)?.[dim - 1];
      if (!range) return this.host.known(0, index);
      const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(range);
      const dir = dynamicDir ?? String(d);
      if (name === "length")
        return { js: `${this.host.rt("len")}(${l.js},${r.js},${dir})`, shape: index, lo: 0, hi: 2147483647 };
      if (name === "left") return { ...l, shape: index };
      if (name === "right") return { ...r, shape: index };
      if (name === "ascending") return this.host.boolean(`!(${dir})`);
      return { ...((name === "high") === (d === 1) ? l : r), shape: index };
    }
    const own = this.host.once(dim > 1 ? `${this.host.rt("dimension")}(${val.js},${dim})` : val.js);
    switch (name) {
      case "length":
        return { js: `${own.first}.n`, shape: index, lo: 0, hi: 2 ** 26 };
      case "left":
        return { js: `${own.first}.l`, shape: index };
      case "right":
        return { js: `${own.first}.r`, shape: index };
      case "ascending":
        return this.host.boolean(`${own.first}.d===0`);
      case "low":
        return { js: `(${own.first}.d?${own.again}.r:${own.again}.l)`, shape: index };
      default:
        return { js: `(${own.first}.d?${own.again}.l:${own.again}.r)`, shape: index };
    }
  }

  /** 'image of a scalar: names in lower case, characters in quotes, times in their base unit. */
  image(val: Val, type: VType): Val {
    switch (type.kind) {
      case "enum": {
        if (typeof val.cv === "number") return this.textKnown(type.literals[val.cv].name);
        return this.host.str(`${this.host.cap(this.host.names(type))}[${val.js}]`);
      }
      case "int":
        if (typeof val.cv === "number") return this.textKnown(String(val.cv));
        return this.host.str(`(""+${val.js})`);
      case "real":
        return this.host.str(`${this.host.rt("realImage")}(${val.js})`);
      case "physical":
        return this.host.str(
          type.isTime
            ? `${this.host.rt("timeImage")}(${val.js})`
            : `(${this.host.rt("wholeText")}(${val.js})+${quoted(` ${type.base}`)})`,
        );
      default:
        return this.textKnown("");
    }
  }
  textKnown(text: string): Val {
    return this.host.known(text, { ...this.host.stringShape, dims: [{ l: 1, d: 0, n: text.length }] });
  }
  /** to_string: as 'image, but characters without quotes (5.2.6, 5.7). */
  toText(val: Val, type: VType): Val {
    switch (type.kind) {
      case "enum": {
        const names = this.host.names(type).map((name) => (name.startsWith("'") ? name[1] : name));
        if (type.packing === "char") return this.host.str(`String.fromCharCode(${val.js})`);
        return this.host.str(`${this.host.cap(names)}[${val.js}]`);
      }
      case "real":
        return this.host.str(`${this.host.rt("realString")}(${val.js})`);
      case "array": {
        const own = this.host.operators.onceVal(val);
        const pack = val.shape.k === "a" ? val.shape.pack : null;
        if (pack === "char") return val;
        if (pack) return this.host.str(`${this.host.rt("bitText")}(${own.first},${own.n},${pack === "logic"})`);
        const element = type.element.type;
        return this.host.str(
          `${own.first}.map((v)=>${this.host.cap(this.host.names(element).map((name) => name.replaceAll("'", "")))}[v]).join("")`,
        );
      }
      default:
        return this.image(val, type);
    }
  }

  /** More is asked about these signals than their values. */
  observe(tree: SigTree | null): void {
    if (tree) for (const leaf of leavesOf(tree)) this.host.program.observed.add(leaf);
  }

  private signalAttribute(e: Expr & { op: "attribute" }): Val {
    const ref = this.host.elements.refOf(e.of!);
    const { name } = e;
    const index: Shape = this.host.shapes.plainShape(e.type);
    if (/active|quiet/.test(name)) this.host.program.tracksActive = true;
    if (name === "last_event") this.host.program.engine.tracksTimes = true;
    if (!ref) return this.host.known(0, index);
    this.observe(ref.tree);
    if (name === "driving") return this.host.known(1, this.host.booleanShape);
    if (name === "driving_value") {
      const isLeaf = !this.host.elements.isTree(ref.shape, ref.tree);
      return isLeaf && !ref.part ? { js: `${ref.drv()}.v`, shape: ref.shape } : this.host.elements.readRef(ref);
    }
    if (name === "delayed" || name === "transaction" || ((name === "stable" || name === "quiet") && e.arg)) {
      const made = this.host.elements.refOf(e);
      return made ? this.host.elements.readRef(made) : this.host.known(0, index);
    }
    const whole = ref.part ? this.partSignal(ref) : ref;
    const isTree = this.host.elements.isTree(whole.shape, whole.tree);
    switch (name) {
      case "event":
        return this.host.boolean(isTree ? `${this.host.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev===E.d`);
      case "active":
        return this.host.boolean(isTree ? `${this.host.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act===E.d`);
      case "stable":
        return this.host.boolean(isTree ? `!${this.host.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev!==E.d`);
      case "quiet":
        return this.host.boolean(isTree ? `!${this.host.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act!==E.d`);
      case "last_value":
        return isTree
          ? { js: `${this.host.rt("lastOfTree")}(${whole.sig})`, shape: whole.shape, fresh: true }
          : { js: `${whole.sig}.last`, shape: whole.shape };
      case "last_event":
        return {
          js: `${this.host.rt("since")}(${isTree ? `${this.host.rt("lastEventAt")}(${whole.sig})` : `${whole.sig}.at`},E.now)`,
          shape: index,
        };
      default:
        return {
          js: `${this.host.rt("since")}(${isTree ? `${this.host.rt("lastActiveAt")}(${whole.sig})` : `${whole.sig}.actAt`},E.now)`,
          shape: index,
        };
    }
  }

  /** A stretch of a signal as a signal of its own, for its events. */
  partSignal(ref: Ref): Ref {
    const { part, tree } = ref;
    if (!part || !tree || Array.isArray(tree) || part.loKnown === null || part.nKnown === null)
      return { ...ref, part: null };
    const two = ref.shape.k === "a" && ref.shape.pack === "bit";
    const made = this.partSig(tree, part.loKnown, part.nKnown, part.bit, two);
    return this.host.elements.known_(made, part.shape);
  }
  private partSig(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
    let list = parts.get(sig);
    if (!list) {
      list = new Map();
      parts.set(sig, list);
    }
    const key = `${lo}:${n}:${bit}`;
    let made = list.get(key);
    if (!made) {
      made = partOf(sig, lo, n, bit, two);
      list.set(key, made);
    }
    return made;
  }
}

const parts = new WeakMap<Sig, Map<string, Sig>>();
