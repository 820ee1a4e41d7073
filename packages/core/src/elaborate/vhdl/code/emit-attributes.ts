import { quoted } from "../../../common/generated-code.ts";
import type { Expr } from "../bound.ts";
import { type VType } from "../types.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, rightOf, type Shape } from "../values/shapes.ts";
import { leavesOf, partOf, type Sig, type SigTree } from "../values/signals.ts";
import { Arr, boundsWithin } from "../values/values.ts";
import { dynamicRanges, type Val } from "./emit-base.ts";
import { EmitCompose } from "./emit-compose.ts";
import { type Ref } from "./emit-text.ts";

/** Predefined attributes. */
export abstract class EmitAttributes extends EmitCompose {
  // ---- attributes -----------------------------------------------------------------------------------------------

  protected attribute(e: Expr & { op: "attribute" }): Val {
    const { name } = e;
    const index: Shape = { k: "s", type: e.type, lo: null, hi: null };
    if (e.decl || name === "path_name" || name === "instance_name" || name === "simple_name") return this.named(e);
    const dim =
      e.arg && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(name)
        ? ((this.expr(e.arg).cv as number) ?? 1)
        : 1;
    if (e.subtype) {
      const shape = this.shape(e.subtype);
      if (shape.k === "a") return this.arrayAttribute(name, shape, null, dim, index);
      const range = this.scalarRange(shape);
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
          return this.known(range.d ? 0 : 1, this.booleanShape);
        case "image":
          return this.image(this.expr(e.arg!), e.subtype.type);
        case "value": {
          const arg = this.plainText(this.expr(e.arg!));
          const { type } = shape;
          const at = this.at(e.loc);
          const val: Val =
            type.kind === "enum"
              ? {
                  js: `${this.rt("enumValue")}(${arg},${this.cap(this.names(type))},${at})`,
                  shape: this.plainShape(type),
                }
              : type.kind === "int"
                ? { js: `${this.rt("intValue")}(${arg},${at})`, shape: this.plainShape(type) }
                : type.kind === "real"
                  ? { js: `${this.rt("realValue")}(${arg},${at})`, shape: this.plainShape(type) }
                  : {
                      js: `${this.rt("physValue")}(${arg},${this.cap((type as { units: unknown }).units)},${at})`,
                      shape: this.plainShape(type),
                    };
          return this.checked(val, shape, e.loc);
        }
        case "pos":
          return { ...this.expr(e.arg!), shape: index };
        case "val":
          return this.checked(
            { ...this.expr(e.arg!), shape: this.plainShape(shape.type) },
            this.plainShape(shape.type),
            e.loc,
          );
        case "succ":
        case "pred":
        case "leftof":
        case "rightof": {
          const arg = this.expr(e.arg!);
          const up = name === "succ" || name === (range.d ? "leftof" : "rightof");
          const base = this.plainShape(shape.type);
          const js = `(${arg.js}${up ? "+" : "-"}1)`;
          const cv = typeof arg.cv === "number" ? arg.cv + (up ? 1 : -1) : undefined;
          const val: Val =
            cv !== undefined
              ? this.known(cv, base)
              : { js, shape: base, lo: Number.NEGATIVE_INFINITY, hi: Number.POSITIVE_INFINITY };
          return this.checked(val, base, e.loc);
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
        return this.boolean(`${this.rt("endFile")}(${this.expr(of).js},${this.isText(of.type)},${this.at(e.loc)})`);
      case "to_string":
        return this.toText(this.expr(of), of.type);
    }
    const val = this.expr(of);
    if (val.shape.k !== "a") return this.known(0, index);
    return this.arrayAttribute(name, val.shape, val, dim, index);
  }
  isText(type: VType): boolean {
    return type.kind === "file" && type.of.type === this.world.standard.string;
  }

  protected arrayAttribute(name: string, shape: ArrayShape, val: Val | null, dim: number, index: Shape): Val {
    const carried = val?.cv instanceof Arr ? val.cv : null;
    if (shape.dims || carried) {
      const of = carried && boundsWithin(carried, dim)[dim - 1];
      const b: Bounds = shape.dims ? shape.dims[dim - 1] : { l: of!.l, d: of!.d, n: of!.n };
      switch (name) {
        case "length":
          return this.known(b.n, index);
        case "left":
          return this.known(b.l, index);
        case "right":
          return this.known(rightOf(b), index);
        case "low":
          return this.known(lowOf(b), index);
        case "high":
          return this.known(highOf(b), index);
        default:
          return this.known(b.d ? 0 : 1, this.booleanShape);
      }
    }
    if (!val) {
      const range = dynamicRanges(shape)?.[dim - 1];
      if (!range) return this.known(0, index);
      const { l, r, d, dynamicDir } = this.rangeVal(range);
      const dir = dynamicDir ?? String(d);
      if (name === "length")
        return { js: `${this.rt("len")}(${l.js},${r.js},${dir})`, shape: index, lo: 0, hi: 2147483647 };
      if (name === "left") return { ...l, shape: index };
      if (name === "right") return { ...r, shape: index };
      if (name === "ascending") return this.boolean(`!(${dir})`);
      return { ...((name === "high") === (d === 1) ? l : r), shape: index };
    }
    const own = this.once(dim > 1 ? `${this.rt("dimension")}(${val.js},${dim})` : val.js);
    switch (name) {
      case "length":
        return { js: `${own.first}.n`, shape: index, lo: 0, hi: 2 ** 26 };
      case "left":
        return { js: `${own.first}.l`, shape: index };
      case "right":
        return { js: `${own.first}.r`, shape: index };
      case "ascending":
        return this.boolean(`${own.first}.d===0`);
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
        return this.str(`${this.cap(this.names(type))}[${val.js}]`);
      }
      case "int":
        if (typeof val.cv === "number") return this.textKnown(String(val.cv));
        return this.str(`(""+${val.js})`);
      case "real":
        return this.str(`${this.rt("realImage")}(${val.js})`);
      case "physical":
        return this.str(
          type.isTime
            ? `${this.rt("timeImage")}(${val.js})`
            : `(${this.rt("wholeText")}(${val.js})+${quoted(` ${type.base}`)})`,
        );
      default:
        return this.textKnown("");
    }
  }
  textKnown(text: string): Val {
    return this.known(text, { ...this.stringShape, dims: [{ l: 1, d: 0, n: text.length }] });
  }
  /** to_string: as 'image, but characters without quotes (5.2.6, 5.7). */
  toText(val: Val, type: VType): Val {
    switch (type.kind) {
      case "enum": {
        const names = this.names(type).map((name) => (name.startsWith("'") ? name[1] : name));
        if (type.packing === "char") return this.str(`String.fromCharCode(${val.js})`);
        return this.str(`${this.cap(names)}[${val.js}]`);
      }
      case "real":
        return this.str(`${this.rt("realString")}(${val.js})`);
      case "array": {
        const own = this.onceVal(val);
        const pack = val.shape.k === "a" ? val.shape.pack : null;
        if (pack === "char") return val;
        if (pack) return this.str(`${this.rt("bitText")}(${own.first},${own.n},${pack === "logic"})`);
        const element = type.element.type;
        return this.str(
          `${own.first}.map((v)=>${this.cap(this.names(element).map((name) => name.replaceAll("'", "")))}[v]).join("")`,
        );
      }
      default:
        return this.image(val, type);
    }
  }

  /** Attributes that the user gave, and names of paths. */
  abstract named(e: Expr & { op: "attribute" }): Val;

  /** More is asked about these signals than their values. */
  observe(tree: SigTree | null): void {
    if (tree) for (const leaf of leavesOf(tree)) this.program.observed.add(leaf);
  }

  protected signalAttribute(e: Expr & { op: "attribute" }): Val {
    const ref = this.refOf(e.of!);
    const { name } = e;
    const index: Shape = this.plainShape(e.type);
    if (/active|quiet/.test(name)) this.program.tracksActive = true;
    if (name === "last_event") this.program.engine.tracksTimes = true;
    if (!ref) return this.known(0, index);
    this.observe(ref.tree);
    if (name === "driving") return this.known(1, this.booleanShape);
    if (name === "driving_value") {
      const isLeaf = !this.isTree(ref.shape, ref.tree);
      return isLeaf && !ref.part ? { js: `${ref.drv()}.v`, shape: ref.shape } : this.readRef(ref);
    }
    if (name === "delayed" || name === "transaction" || ((name === "stable" || name === "quiet") && e.arg)) {
      const made = this.refOf(e);
      return made ? this.readRef(made) : this.known(0, index);
    }
    const whole = ref.part ? this.partSignal(ref) : ref;
    const isTree = this.isTree(whole.shape, whole.tree);
    switch (name) {
      case "event":
        return this.boolean(isTree ? `${this.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev===E.d`);
      case "active":
        return this.boolean(isTree ? `${this.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act===E.d`);
      case "stable":
        return this.boolean(isTree ? `!${this.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev!==E.d`);
      case "quiet":
        return this.boolean(isTree ? `!${this.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act!==E.d`);
      case "last_value":
        return isTree
          ? { js: `${this.rt("lastOfTree")}(${whole.sig})`, shape: whole.shape, fresh: true }
          : { js: `${whole.sig}.last`, shape: whole.shape };
      case "last_event":
        return {
          js: `${this.rt("since")}(${isTree ? `${this.rt("lastEventAt")}(${whole.sig})` : `${whole.sig}.at`},E.now)`,
          shape: index,
        };
      default:
        return {
          js: `${this.rt("since")}(${isTree ? `${this.rt("lastActiveAt")}(${whole.sig})` : `${whole.sig}.actAt`},E.now)`,
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
    return this.known_(made, part.shape);
  }
  protected partSig(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
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
