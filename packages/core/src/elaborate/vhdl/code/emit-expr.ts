import type { Expr } from "../bound.ts";
import type { VType } from "../types.ts";
import type { Frame } from "../values/frames.ts";
import { dynamicRange, elementOf, type Shape } from "../values/shapes.ts";
import type { Val } from "./emit-base.ts";
import type { LVal } from "./emit-text.ts";
import { operatorChain, ReadyOperands } from "./operand-chain.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Operators of a chain that nest in the code. */
const mostNested = 40;

/** Expressions as code. */
export class EmitExpr {
  constructor(private readonly host: UnitEmitter) {}

  private readonly ready = new ReadyOperands<Val>();

  expr(e: Expr, want?: Shape): Val {
    const ready = this.ready.take(e);
    if (ready) return ready;
    const chain = operatorChain(e);
    if (chain.length < 2) return this.single(e, want);
    // the engine reads nested code by recursion: after some operators, the value so far gets a name. What stands at the
    // left is always worked out first, so that the names are given their values one after the other.
    const before: string[] = [];
    const whole = this.ready.through(
      chain,
      (each) => this.single(each),
      (val, done) => {
        if (done % mostNested !== 0 || val.cv !== undefined) return val;
        const name = this.host.temp();
        before.push(`${name}=${val.js}`);
        return { ...val, js: name };
      },
    );
    return before.length ? { ...whole, js: `(${before.join(",")},${whole.js})` } : whole;
  }
  private single(e: Expr, want?: Shape): Val {
    switch (e.op) {
      case "literal":
        return this.host.known(e.value, { k: "s", type: e.type, lo: null, hi: null });
      case "string":
        return this.host.repr.stringLiteral(e.values, e.type, want);
      case "object":
        return this.object(e, want);
      case "index":
        return this.host.elements.index(e);
      case "slice":
        return this.host.elements.slice(e);
      case "field": {
        const ref = this.host.elements.refOf(e);
        if (ref) return this.host.elements.readRef(ref);
        const of = this.expr(e.of);
        const shape = of.shape.k === "r" ? of.shape.fields[e.field] : of.shape;
        if (of.cv !== undefined && isKnownField(of.cv)) return this.host.known((of.cv as unknown[])[e.field], shape);
        return { js: `${of.js}[${e.field}]`, shape };
      }
      case "deref": {
        const of = this.expr(e.of);
        const shape = this.pointed(e.of.type);
        return { js: `${this.host.rt("follow")}(${of.js},${this.host.at(e.loc)}).v`, shape };
      }
      case "call":
        return this.host.subprograms.call(e.sub, e.args, e.loc, e.on);
      case "builtin":
        return this.host.operators.builtin(e.name, e.args, e.type, e.loc, want);
      case "attribute":
        return this.host.attributes.attribute(e);
      case "aggregate":
        return this.host.compose.aggregate(e, want);
      case "qualified": {
        const shape = this.host.shapes.shape(e.subtype);
        const arg = this.expr(e.arg, shape);
        if (shape.k === "a" && shape.dims === null) return arg;
        return this.host.repr.fit(arg, shape, e.loc);
      }
      case "convert":
        return this.host.compose.convert(e);
      case "new": {
        const shape = this.host.shapes.shape(e.subtype);
        const inner = this.pointed(e.type);
        let value: string;
        if (e.init)
          value = this.host.repr.kept(
            this.host.repr.fit(this.expr(e.init, shape), this.carriedIf(shape, inner), e.loc),
          );
        else value = this.host.repr.fit(this.host.repr.defaultValue(shape), this.carriedIf(shape, inner), e.loc).js;
        return { js: `${this.host.rt("cell")}(${value})`, shape: { k: "o", type: e.type } };
      }
      case "null":
        return { js: "null", shape: { k: "o", type: e.type }, cv: null };
      case "external": {
        const ref = this.host.elements.refOf(e);
        if (ref) return this.host.elements.readRef(ref);
        return this.host.externalValue(e);
      }
      default:
        return this.host.known(0, { k: "s", type: e.type, lo: null, hi: null });
    }
  }

  /** What an access type points to, as it is kept: unconstrained arrays carry their bounds. */
  pointed(type: VType): Shape {
    if (type.kind !== "access" || !type.of) return { k: "o", type };
    return this.host.shapes.shape(type.of);
  }
  private carriedIf(shape: Shape, inner: Shape): Shape {
    return inner.k === "a" && inner.dims === null ? inner : shape;
  }

  // ---- objects --------------------------------------------------------------------------------------------------

  private object(e: Expr & { op: "object" }, _want?: Shape): Val {
    const { decl } = e;
    if (decl.kind === "alias") {
      const place = this.host.find(decl);
      const shape = this.aliasShape(decl, place?.k === "alias" ? place.frame : this.host.frame);
      const of = this.host.within(place?.k === "alias" ? place.frame : this.host.frame, () => this.expr(decl.of));
      return this.rebound(of, shape);
    }
    const place = this.host.find(decl);
    if (!place) {
      if (decl.kind === "constant" && decl.init) {
        // of a package that is being elaborated
        const value = this.expr(decl.init, this.host.shapes.shape(decl.subtype));
        return this.host.repr.fit(value, this.host.shapes.shape(decl.subtype), e.loc);
      }
      this.host.error("no-value", e.loc, `'${decl.name}' has no value here.`, "Declare it before it is used.");
      return this.host.known(0, this.host.shapes.plainShape(e.type));
    }
    switch (place.k) {
      case "const":
        return this.host.known(place.v, place.shape);
      case "var": {
        const { lo, hi } = place.shape.k === "s" ? place.shape : { lo: null, hi: null };
        return {
          js: place.js,
          shape: place.shape,
          lo: typeof lo === "number" ? lo : undefined,
          hi: typeof hi === "number" ? hi : undefined,
        };
      }
      case "cell":
        return { js: `${this.host.cap(place.cell)}.v`, shape: place.shape };
      default:
        return this.host.elements.readRef(this.host.elements.refOf(e)!);
    }
  }

  aliasShape(decl: { readonly subtype: import("../types.ts").Subtype }, frame: Frame): Shape | null {
    if (decl.subtype.ofObject) return null;
    return this.host.within(frame, () => this.host.shapes.shape(decl.subtype));
  }
  /** The same value under other bounds. */
  private rebound(val: Val, shape: Shape | null): Val {
    if (shape?.k !== "a" || val.shape.k !== "a") return val;
    const range = dynamicRange(shape);
    if (shape.dims) {
      if (val.shape.dims) return { ...val, shape: { ...shape, elem: val.shape.elem } };
      return { js: `${val.js}.p`, shape };
    }
    if (!range) return val;
    const carried = this.host.repr.carry(val);
    return { js: this.rebind(carried.js, range), shape: { ...shape, dims: null } };
  }
  /** A carried value with the bounds of a range. */
  rebind(js: string, range: import("../types.ts").BoundRange): string {
    const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(range);
    const left = this.host.once(l.js);
    const dir = dynamicDir ?? String(d);
    return `${this.host.rt("arr")}(${js}.p,${left.first},${dir},${this.host.rt("len")}(${left.again},${r.js},${dir}))`;
  }

  // ---- variables ------------------------------------------------------------------------------------------------

  /** A variable or a part of one, to be read and written. Indexes are computed once, before. */
  lval(e: Expr, before: string[]): LVal {
    const name = (js: string): string => {
      if (/^-?\d+$/.test(js)) return js;
      const made = this.host.temp();
      before.push(`${made}=${js};`);
      return made;
    };
    switch (e.op) {
      case "object": {
        const { decl } = e;
        const place = this.host.find(decl);
        if (decl.kind === "alias") {
          const frame = place?.k === "alias" ? place.frame : this.host.frame;
          const inner = this.host.within(frame, () => this.lval(decl.of, before));
          const shape = this.aliasShape(decl, frame);
          if (shape?.k === "a" && shape.dims && inner.shape.k === "a") {
            if (inner.shape.dims) return { ...inner, shape: { ...shape, elem: inner.shape.elem } };
            return {
              read: `${inner.read}.p`,
              write: (js) =>
                inner.write(`${this.host.rt("arr")}(${js},${inner.read}.l,${inner.read}.d,${inner.read}.n)`),
              shape,
            };
          }
          return inner;
        }
        if (place?.k === "var") return { read: place.js, write: (js) => `${place.js}=${js};`, shape: place.shape };
        if (place?.k === "cell") {
          const cell = this.host.cap(place.cell);
          return { read: `${cell}.v`, write: (js) => `${cell}.v=${js};`, shape: place.shape };
        }
        if (place?.k === "const") return { read: this.host.constant(place.v), write: () => "", shape: place.shape };
        this.host.error("target", e.loc, `'${decl.name}' cannot be assigned here.`, "Assign a variable.");
        return { read: "0", write: () => "", shape: this.host.shapes.plainShape(e.type) };
      }
      case "field": {
        const of = this.lval(e.of, before);
        const shape = of.shape.k === "r" ? of.shape.fields[e.field] : of.shape;
        const read = `${of.read}[${e.field}]`;
        return { read, write: (js) => `${read}=${js};`, shape };
      }
      case "deref": {
        const of = this.expr(e.of);
        const cell = name(`${this.host.rt("follow")}(${of.js},${this.host.at(e.loc)})`);
        return { read: `${cell}.v`, write: (js) => `${cell}.v=${js};`, shape: this.pointed(e.of.type) };
      }
      case "index": {
        let at = this.lval(e.of, before);
        for (let dim = 0; dim < e.indexes.length; dim++) {
          const { shape } = at;
          if (shape.k !== "a") return at;
          const index = this.expr(e.indexes[dim]);
          const k = name(String(this.host.elements.position(shape, 0, index, e.indexes[dim].loc, at.read)));
          const inner = elementOf(shape);
          const of = at;
          const payload = shape.dims ? of.read : `${of.read}.p`;
          const total = shape.dims ? String(shape.dims[0].n) : `${of.read}.n`;
          const put = (js: string) =>
            shape.dims
              ? of.write(js)
              : of.write(`${this.host.rt("arr")}(${js},${of.read}.l,${of.read}.d,${of.read}.n)`);
          if (shape.pack === "char")
            at = {
              read: `${payload}.charCodeAt(${k})`,
              write: (js) => put(`${this.host.rt("setChar")}(${payload},${k},${js})`),
              shape: inner,
            };
          else if (shape.pack) {
            const bit = /^\d+$/.test(k) && shape.dims ? String(shape.dims[0].n - 1 - Number(k)) : `${total}-1-${k}`;
            const two = shape.pack === "bit";
            at = {
              read: `${this.host.rt(two ? "getB" : "getL")}(${payload},${bit})`,
              write: (js) => put(`${this.host.rt("setL")}(${payload},${total},${bit},${two ? `${js}+2` : js})`),
              shape: inner,
            };
          } else {
            const read = `${payload}[${k}]`;
            at = { read, write: (js) => `${read}=${js};`, shape: inner };
          }
        }
        return at;
      }
      case "slice": {
        const of = this.lval(e.of, before);
        const { shape } = of;
        if (shape.k !== "a") return of;
        const { k: place, n, made } = this.host.elements.cut(shape, e, of.read);
        const k = name(String(place));
        const payload = shape.dims ? of.read : `${of.read}.p`;
        const total = shape.dims ? String(shape.dims[0].n) : `${of.read}.n`;
        const put = (js: string) =>
          shape.dims ? of.write(js) : of.write(`${this.host.rt("arr")}(${js},${of.read}.l,${of.read}.d,${of.read}.n)`);
        const inner: Shape =
          typeof n === "number"
            ? made
            : Object.assign({ ...shape, dims: null }, "towards" in made ? { towards: made.towards } : {});
        const extra = made as Shape & { sliceLeft: string; sliceDir: string };
        const lo =
          /^\d+$/.test(k) && typeof n === "number" && shape.dims
            ? String(shape.dims[0].n - Number(k) - n)
            : `${total}-${k}-${n}`;
        const carried = (js: string) =>
          typeof n === "number" ? js : `${this.host.rt("arr")}(${js},${extra.sliceLeft},${extra.sliceDir},${n})`;
        const bare = (js: string) =>
          typeof n === "number" ? js : `${this.host.rt("need")}(${js},${n},${this.host.at(e.loc)})`;
        if (shape.pack === "char")
          return {
            read: carried(`${payload}.slice(${k},${k}+${n})`),
            write: (js) => put(`${this.host.rt("setText")}(${payload},${k},${bare(js)})`),
            shape: inner,
          };
        if (shape.pack)
          return {
            read: carried(`${this.host.rt("sliceL")}(${payload},${lo},${n})`),
            write: (js) => put(`${this.host.rt("insertL")}(${payload},${total},${lo},${bare(js)},${n})`),
            shape: inner,
          };
        return {
          read: carried(`${payload}.slice(${k},${k}+${n})`),
          write: (js) => `${this.host.rt("splice")}(${payload},${k},${bare(js)});`,
          shape: inner,
        };
      }
      case "convert":
      case "qualified":
        return this.lval(e.arg, before);
      default: {
        const val = this.expr(e);
        return { read: val.js, write: () => "", shape: val.shape };
      }
    }
  }
}

function isKnownField(cv: unknown): boolean {
  return Array.isArray(cv);
}
