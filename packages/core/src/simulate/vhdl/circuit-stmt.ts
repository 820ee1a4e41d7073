import type { Loc } from "../../common/source.ts";
import type {
  Expr as ModelExpr,
  Stmt as ModelStmt,
  Signal,
  Subroutine,
  Target,
  TargetPart,
} from "../../elaborate/model.ts";
import type { Decl, Expr, ParamDecl, Stmt, Subprogram } from "../../elaborate/vhdl/bound.ts";
import { type Home, mostTurns, NoCircuit, type Place, Scope, type Val } from "./circuit-base.ts";
import { CircuitCall } from "./circuit-call.ts";
import { binary, constant, extend, fourStateOf, not, number, read, slice, widthOf } from "./circuit-expr.ts";
import { fitsIn, keyOfValue, moved, whole } from "./circuit-pieces.ts";
import { endsInReturn, mentions } from "./circuit-scan.ts";
import { Frame } from "./frames.ts";
import { type Bounds, highOf, lowOf, rightOf, type Shape, shapeKey } from "./shapes.ts";

/** Sequential statements and subprograms as circuits. */
export abstract class CircuitStmt extends CircuitCall {
  protected abstract bindSignal(decl: Decl, signal: Signal, shape: Shape): void;

  // ---- statements -----------------------------------------------------------------------------------------------

  protected block(stmts: readonly Stmt[]): ModelStmt {
    return { op: "block", body: this.stmts(stmts) };
  }

  protected stmts(list: readonly Stmt[]): ModelStmt[] {
    const made: ModelStmt[] = [];
    for (let i = 0; i < list.length; i++) {
      const stmt = list[i];
      const outer = this.before;
      this.before = [];
      const own = this.stmt(stmt);
      made.push(...this.before, ...own);
      this.before = outer;
      if ((stmt.op === "exit" || stmt.op === "next") && !stmt.test) break;
      // nothing behind it is ever reached, and recursion may end by that
      if (this.alwaysReturns(stmt)) break;
      const jumps = this.jumpsOf(stmt);
      if (jumps.length && i + 1 < list.length) {
        // what follows is done only if the loop was not left
        const marks = jumps.map((signal) => read(signal, stmt.loc));
        const any = marks.reduce((l, r) => binary("or", l, r, 1, false, stmt.loc));
        made.push({ op: "if", test: not(any), yes: this.block(list.slice(i + 1)), no: null, loc: stmt.loc });
        return made;
      }
    }
    return made;
  }
  protected alwaysReturns(stmt: Stmt): boolean {
    if (stmt.op === "return") return true;
    const all = (list: readonly Stmt[] | null): boolean => list?.some((each) => this.alwaysReturns(each)) ?? false;
    if (stmt.op !== "if") return false;
    const known = this.knownValue(stmt.test);
    return known === 1 ? all(stmt.yes) : known === 0 ? all(stmt.no) : all(stmt.yes) && all(stmt.no);
  }
  protected readonly loops: { readonly label: string; readonly left: Signal; readonly skipped: Signal }[] = [];

  /** Marks that a statement may set: it may leave a loop, or end a turn of it. */
  protected jumpsOf(stmt: Stmt): Signal[] {
    const found = new Set<Signal>();
    const walk = (each: Stmt) => {
      switch (each.op) {
        case "exit":
        case "next": {
          const at = this.loops.findIndex((loop) => loop.label === each.label);
          if (at < 0) return;
          found.add(each.op === "exit" ? this.loops[at].left : this.loops[at].skipped);
          // inner loops are left too
          for (const inner of this.loops.slice(at + 1)) found.add(inner.left);
          return;
        }
        case "if":
          each.yes.forEach(walk);
          each.no?.forEach(walk);
          return;
        case "case":
          for (const branch of each.branches) branch.body.forEach(walk);
          return;
        case "for":
        case "while":
        case "block":
          each.body.forEach(walk);
      }
    };
    walk(stmt);
    return [...found];
  }

  protected set(signal: Signal, value: ModelExpr, loc: Loc): ModelStmt {
    return { op: "assign", target: whole(signal, loc), value, blocking: true, intra: null, loc };
  }

  protected stmt(stmt: Stmt): ModelStmt[] {
    const { loc } = stmt;
    switch (stmt.op) {
      case "null":
      case "assert":
        return [];
      case "block":
        return this.stmts(stmt.body);
      case "assign":
        return this.assign(stmt.target, stmt.value, true, loc);
      case "signal": {
        if (stmt.force) this.refuse(loc, "Forcing a signal");
        const [first] = stmt.waveform.elements;
        if (!first) return [];
        if (!first.value) this.refuse(loc, "A disconnection");
        return this.assign(stmt.target, first.value, false, loc);
      }
      case "if": {
        const known = this.knownValue(stmt.test);
        if (known !== null) return known === 1 ? this.stmts(stmt.yes) : stmt.no ? this.stmts(stmt.no) : [];
        const test = this.condition(stmt.test);
        return [{ op: "if", test, yes: this.block(stmt.yes), no: stmt.no ? this.block(stmt.no) : null, loc }];
      }
      case "case":
        return this.caseStmt(stmt);
      case "for":
        return this.forStmt(stmt);
      case "while":
        return this.whileStmt(stmt);
      case "exit":
      case "next": {
        const at = this.loops.findIndex((loop) => loop.label === stmt.label);
        if (at < 0) return [{ op: stmt.op === "exit" ? "break" : "continue", loc }];
        const one = number(1, 1, loc);
        const marks = [
          stmt.op === "exit" ? this.loops[at].left : this.loops[at].skipped,
          ...this.loops.slice(at + 1).map((loop) => loop.left),
        ];
        const sets = marks.map((signal) => this.set(signal, one, loc));
        if (!stmt.test) return sets;
        return [{ op: "if", test: this.condition(stmt.test), yes: { op: "block", body: sets }, no: null, loc }];
      }
      case "return": {
        const made: ModelStmt[] = [];
        if (stmt.value && this.current?.sub.result && this.current.shape) {
          const val = this.fit(this.expr(stmt.value, this.current.shape), this.current.shape, stmt.value.loc);
          made.push(this.set(this.current.sub.result, val.e, loc));
        }
        return [...made, { op: "return", loc }];
      }
      case "call":
        return this.callStmt(stmt);
      case "wait":
        return this.refuse(
          loc,
          "A wait in this place",
          "A process may wait once, for a clock's edge, as its first statement.",
        );
      case "builtin":
        return this.refuse(loc, `'${stmt.name}'`);
    }
  }

  protected assign(target: Expr, value: Expr, blocking: boolean, loc: Loc): ModelStmt[] {
    if (target.op === "aggregate") {
      const val = this.expr(value);
      const held = this.local("value", val.shape, loc);
      const made: ModelStmt[] = [this.set(held, val.e, loc)];
      let at = held.width;
      for (const { value: part } of target.elements) {
        const place = this.place(part);
        const width = widthOf(place.shape) ?? 0;
        at -= width;
        made.push(
          ...this.store(part, { e: slice(read(held, loc), Math.max(0, at), width), shape: place.shape }, blocking, loc),
        );
      }
      return made;
    }
    const shape = this.shapeOfTarget(target);
    const val = this.fit(this.expr(value, shape), shape, value.loc);
    return this.store(target, val, blocking, loc);
  }

  protected shapeOfTarget(target: Expr): Shape {
    const chain = this.dynamicIndex(target);
    return chain ? chain.shape : this.place(target).shape;
  }

  /** Writing an element whose index the circuit computes: each element looks whether it is meant. */
  protected store(target: Expr, val: Val, blocking: boolean, loc: Loc): ModelStmt[] {
    const chain = this.dynamicIndex(target);
    if (!chain) {
      const place = this.place(target);
      return [this.put(place, val.e, blocking, loc)];
    }
    const { at, bounds, make } = chain;
    const words = this.wordTarget(target, at);
    const index = this.expr(at);
    const held = this.local(
      "index",
      index.shape.k === "s" && index.shape.type.kind === "int"
        ? { ...index.shape, lo: index.lo ?? 0, hi: index.hi ?? highOf(bounds) }
        : index.shape,
      loc,
    );
    const made: ModelStmt[] = [this.set(held, extend(index.e, held.width, index.e.signed), loc)];
    const low = Math.max(lowOf(bounds), index.lo ?? lowOf(bounds));
    const high = Math.min(highOf(bounds), index.hi ?? highOf(bounds));
    for (let i = low; i <= high; i++) {
      const known: Expr = { op: "literal", value: i, type: at.type, loc: at.loc };
      const test = binary("eq", read(held, loc), number(i, held.width, loc, held.signed), 1, held.signed, loc);
      made.push({
        op: "if",
        test,
        yes: { op: "block", body: this.store(make(known), val, blocking, loc) },
        no: null,
        loc,
      });
    }
    if (!words) return made;
    const first = this.place(make({ op: "literal", value: lowOf(bounds), type: at.type, loc: at.loc }));
    const { signal } = words;
    const elemWidth = signal.width / bounds.n;
    const below = bounds.d ? 0 : (bounds.n - 1) * elemWidth;
    if (typeof first.offset !== "number") return made;
    const part = { signal, width: val.e.width, index: [this.wordIndex(at, bounds)], offset: first.offset - below, loc };
    const element: ModelStmt = {
      op: "assign",
      target: { parts: [part], width: val.e.width, loc },
      value: val.e,
      blocking,
      intra: null,
      loc,
    };
    return [this.wordArrays.write(signal, element, made)];
  }

  /** The array of words that a target with this one computed index means. */
  private wordTarget(target: Expr, at: Expr): { signal: Signal; bounds: Bounds } | null {
    switch (target.op) {
      case "index":
        if (target.indexes.length === 1 && target.indexes[0] === at) return this.wordsOf(target.of);
        return target.indexes.every((index) => this.knownValue(index) !== null) ? this.wordTarget(target.of, at) : null;
      case "slice":
      case "field":
        return this.wordTarget(target.of, at);
      default:
        return null;
    }
  }
  protected put(place: Place, value: ModelExpr, blocking: boolean, loc: Loc): ModelStmt {
    const part: TargetPart = { signal: place.signal, width: value.width, index: [], offset: place.offset, loc };
    return { op: "assign", target: { parts: [part], width: value.width, loc }, value, blocking, intra: null, loc };
  }

  /** The outermost index of a target that is not known; `make` writes the target with another index. */
  protected dynamicIndex(target: Expr): { at: Expr; bounds: Bounds; shape: Shape; make: (index: Expr) => Expr } | null {
    const find = (e: Expr): { at: Expr; bounds: Bounds; make: (index: Expr) => Expr } | null => {
      switch (e.op) {
        case "index": {
          const inner = find(e.of);
          if (inner) return { ...inner, make: (index) => ({ ...e, of: inner.make(index) }) };
          for (let i = 0; i < e.indexes.length; i++) {
            if (this.knownValue(e.indexes[i]) !== null) continue;
            const shape = this.place(e.of).shape;
            if (shape.k !== "a" || !shape.dims) return null;
            return {
              at: e.indexes[i],
              bounds: shape.dims[i],
              make: (index) => ({ ...e, indexes: e.indexes.map((each, k) => (k === i ? index : each)) }),
            };
          }
          return null;
        }
        case "slice":
        case "field": {
          const inner = find(e.of);
          return inner && { ...inner, make: (index) => ({ ...e, of: inner.make(index) }) };
        }
        case "object":
          if (e.decl.kind === "alias") return find(e.decl.of);
          return null;
        default:
          return null;
      }
    };
    const found = find(target);
    if (!found) return null;
    const probe = found.make({ op: "literal", value: lowOf(found.bounds), type: found.at.type, loc: found.at.loc });
    return { ...found, shape: this.shapeOfTarget(probe) };
  }

  /** The stretch of a signal or variable that a name with known indexes means. */
  protected place(e: Expr): Place {
    switch (e.op) {
      case "object": {
        const { decl } = e;
        if (decl.kind === "alias") {
          const inner = this.place(decl.of);
          const shape = decl.subtype.ofObject ? inner.shape : this.shape(decl.subtype, decl.loc);
          return {
            ...inner,
            shape:
              shape.k === "a" && inner.shape.k === "a"
                ? { ...shape, dims: shape.dims ?? inner.shape.dims, elem: inner.shape.elem }
                : inner.shape,
          };
        }
        const home = this.home(decl, e.loc);
        if (home.k === "signal") return { signal: home.signal, offset: 0, shape: home.shape };
        if (home.k === "place") return home.place;
        const place = this.treePlace(home.tree, home.shape);
        if (!place)
          this.refuse(
            e.loc,
            `'${decl.name}', whose parts belong to several signals,`,
            "Connect the port to one signal.",
          );
        return place;
      }
      case "field": {
        const of = this.place(e.of);
        if (of.shape.k !== "r") this.refuse(e.loc, "This name");
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        return { signal: of.signal, offset: moved(of.offset, below), shape: of.shape.fields[e.field] };
      }
      case "index": {
        let at = this.place(e.of);
        for (const index of e.indexes) {
          const { shape } = at;
          if (shape.k !== "a" || !shape.dims) this.refuse(e.loc, "This index");
          const [b, ...rest] = shape.dims;
          const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
          const width = widthOf(inner) ?? 0;
          const known = this.knownValue(index);
          if (known === null) this.refuse(index.loc, "An index in this place");
          const k = this.position(known, b, index.loc);
          at = { signal: at.signal, offset: moved(at.offset, (b.n - 1 - k) * width), shape: inner };
        }
        return at;
      }
      case "slice": {
        const of = this.place(e.of);
        const { shape } = of;
        if (shape.k !== "a" || !shape.dims) this.refuse(e.loc, "This slice");
        const cut = this.bounds(e.range);
        const [b] = shape.dims;
        const made: Shape = { ...shape, dims: [cut] };
        if (cut.n === 0) return { signal: of.signal, offset: of.offset, shape: made };
        const k = this.position(cut.l, b, e.loc);
        this.position(rightOf(cut), b, e.loc);
        return {
          signal: of.signal,
          offset: moved(of.offset, (b.n - k - cut.n) * (widthOf(shape.elem) ?? 0)),
          shape: made,
        };
      }
      case "convert":
      case "qualified": {
        const of = this.place(e.arg);
        return of;
      }
      default:
        return this.refuse(e.loc, "This target");
    }
  }
  protected position(index: number, b: Bounds, loc: Loc): number {
    const k = b.d ? b.l - index : index - b.l;
    if (k < 0 || k >= b.n) {
      this.error(
        "index",
        loc,
        `Index ${index} is outside of ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
        "Check the index and the array's bounds.",
      );
      throw new NoCircuit();
    }
    return k;
  }

  protected caseStmt(stmt: Stmt & { op: "case" }): ModelStmt[] {
    const subject = this.expr(stmt.subject);
    const { shape, e } = subject;
    const items: { labels: ModelExpr[]; body: ModelStmt; loc: Loc }[] = [];
    let fallback: ModelStmt | null = null;
    const bySign = e.signed;
    for (const branch of stmt.branches) {
      const labels: ModelExpr[] = [];
      let isOthers = false;
      for (const choice of branch.choices) {
        if (choice.kind === "others") isOthers = true;
        else if (choice.kind === "range") {
          const b = this.bounds(choice.range!);
          if (b.n > 4096) this.refuse(choice.loc, `A choice of ${b.n} values`, "Use 'if' with comparisons.");
          for (let v = lowOf(b); v <= highOf(b); v++) {
            if (shape.k === "s" && shape.type.kind === "int" && !fitsIn(v, subject)) continue;
            labels.push(number(v, e.width, choice.loc, bySign));
          }
        } else {
          const value = this.owner.evaluate(choice.value!, shape, this.scope.frame);
          if (shape.k === "s" && shape.type.kind === "int") {
            if (fitsIn(value.v as number, subject)) labels.push(number(value.v as number, e.width, choice.loc, bySign));
            continue;
          }
          const made = fourStateOf(value.v, value.shape);
          // a value with more than 0 and 1 in it never comes
          if (made.b !== 0n && !stmt.matching) continue;
          if (stmt.matching)
            labels.push(constant({ a: made.b ? made.a & ~made.b : made.a, b: made.b }, e.width, choice.loc));
          else labels.push(constant(made, e.width, choice.loc));
        }
      }
      const body = this.block(branch.body);
      if (isOthers) fallback = body;
      else if (labels.length) items.push({ labels, body, loc: branch.loc });
    }
    // every value has a branch, as VHDL demands: the last one needs no test
    if (!fallback && items.length) fallback = items.pop()!.body;
    return [{ op: "case", flavour: stmt.matching ? "casez" : "case", subject: e, items, fallback, loc: stmt.loc }];
  }

  protected forStmt(stmt: Stmt & { op: "for" }): ModelStmt[] {
    const b = this.bounds(stmt.range);
    if (b.n > mostTurns) this.refuse(stmt.loc, `A loop of ${b.n} turns`);
    const { loc } = stmt;
    const bit: Shape = { k: "s", type: this.world.standard.boolean, lo: null, hi: null };
    const hasExit = mentions(stmt.body, stmt.label);
    const left = hasExit ? this.local("left", bit, loc) : null;
    const skipped = hasExit ? this.local("skipped", bit, loc) : null;
    const zero = number(0, 1, loc);
    const made: ModelStmt[] = left ? [this.set(left, zero, loc)] : [];
    if (left && skipped) this.loops.push({ label: stmt.label, left, skipped });
    const outer = this.scope;
    for (let i = 0; i < b.n; i++) {
      const v = b.d ? b.l - i : b.l + i;
      const frame = new Frame(outer.frame, outer.frame.fn);
      frame.places.set(stmt.param, {
        k: "const",
        v,
        shape: { k: "s", type: stmt.param.subtype.type, lo: null, hi: null },
      });
      this.scope = new Scope(outer, frame);
      const body = this.stmts(stmt.body);
      if (left && skipped)
        made.push({
          op: "if",
          test: not(read(left, loc)),
          yes: { op: "block", body: [this.set(skipped, zero, loc), ...body] },
          no: null,
          loc,
        });
      else made.push(...body);
    }
    this.scope = outer;
    if (left) this.loops.pop();
    return made;
  }

  /** Unrolled by the lowering, while constants decide its test. */
  protected whileStmt(stmt: Stmt & { op: "while" }): ModelStmt[] {
    const before = this.loops.splice(0);
    const test = stmt.test ? this.condition(stmt.test) : number(1, 1, stmt.loc);
    const made: ModelStmt = {
      op: "loop",
      init: null,
      test,
      after: false,
      step: null,
      body: this.block(stmt.body),
      loc: stmt.loc,
    };
    this.loops.push(...before);
    return [made];
  }

  // ---- subprograms ----------------------------------------------------------------------------------------------

  protected callStmt(stmt: Stmt & { op: "call" }): ModelStmt[] {
    if (stmt.sub.native && !stmt.sub.body) {
      // what only prints makes no circuit
      if (/^(textio|std_logic_1164|std_logic_textio|env)\./.test(stmt.sub.native)) return [];
      this.refuse(stmt.loc, `'${stmt.sub.name}'`);
    }
    const made = this.invoke(stmt.sub, stmt.args, stmt.loc);
    return [...made.before, { op: "call", sub: made.sub, args: made.args, loc: stmt.loc }, ...made.after];
  }

  protected invoke(
    sub: Subprogram,
    args: readonly (Expr | null)[],
    loc: Loc,
  ): { sub: Subroutine; args: (ModelExpr | Target)[]; before: ModelStmt[]; after: ModelStmt[]; shape: Shape | null } {
    if (!sub.body) this.refuse(loc, `'${sub.name}'`);
    if (this.depth > 60) {
      this.error(
        "recursion",
        loc,
        `'${sub.name}' calls itself without an end.`,
        "Give the recursion an end that lengths or constants decide.",
      );
      throw new NoCircuit();
    }
    const home = this.scope.frame.homeOf(sub) ?? this.owner.program.root;
    const key: string[] = [];
    const given: {
      param: ParamDecl;
      place: Home | null;
      constant: { v: unknown; shape: Shape } | null;
      shape: Shape;
      value: ModelExpr | null;
      target: Target | null;
    }[] = [];
    const before: ModelStmt[] = [];
    const after: ModelStmt[] = [];
    sub.params.forEach((param, i) => {
      const expr = args[i] ?? sub.defaults[i]!;
      const formal = this.within(home, () => this.shape(param.subtype, param.loc, true));
      if (param.kind === "signal") {
        const place = this.place(expr);
        key.push(
          `@${place.signal.id}:${typeof place.offset === "number" ? place.offset : "?"}:${shapeKey(place.shape)}`,
        );
        given.push({
          param,
          place: { k: "place", place, deferred: true },
          constant: null,
          shape: place.shape,
          value: null,
          target: null,
        });
        return;
      }
      if (param.kind === "file") this.refuse(loc, "A file");
      if (param.kind === "variable" && param.mode !== "in") {
        const inner = expr.op === "convert" ? expr.arg : expr;
        const dynamic = this.dynamicIndex(inner);
        const shape = this.shapeOfTarget(inner);
        const fixed = formal.k === "a" && formal.dims === null ? shape : formal.k === "s" ? formal : shape;
        if (dynamic) {
          // through a local, since the element is found by decoding
          const held = this.local(param.name, fixed, loc);
          before.push(this.set(held, this.fit(this.expr(inner), fixed, loc).e, loc));
          after.push(...this.store(inner, { e: read(held, loc), shape: fixed }, true, loc));
          given.push({ param, place: null, constant: null, shape: fixed, value: null, target: whole(held, loc) });
        } else {
          const place = this.place(inner);
          const width = widthOf(place.shape) ?? 0;
          given.push({
            param,
            place: null,
            constant: null,
            shape: fixed,
            value: null,
            target: { parts: [{ signal: place.signal, width, index: [], offset: place.offset, loc }], width, loc },
          });
        }
        key.push(shapeKey(fixed));
        return;
      }
      const isKnown = this.isKnown(expr);
      if (isKnown) {
        const made = this.owner.evaluate(
          expr,
          formal.k === "a" && formal.dims === null ? null : formal,
          args[i] ? this.scope.frame : home,
        );
        key.push(`=${shapeKey(made.shape)}${keyOfValue(made.v)}`);
        given.push({ param, place: null, constant: made, shape: made.shape, value: null, target: null });
        return;
      }
      const val = this.expr(expr, formal.k === "a" && formal.dims === null ? undefined : formal);
      const shape =
        formal.k === "a" && formal.dims === null
          ? val.shape
          : formal.k === "s" && formal.lo === null && val.shape.k === "s" && val.lo !== undefined
            ? { ...formal, lo: val.lo, hi: val.hi ?? null }
            : formal;
      key.push(shapeKey(shape));
      given.push({ param, place: null, constant: null, shape, value: this.fit(val, shape, expr.loc).e, target: null });
    });
    const text = key.join(";");
    let map = this.subroutines.get(sub);
    if (!map) {
      map = new Map();
      this.subroutines.set(sub, map);
    }
    // subprograms of a process see its variables: they are written for each
    const isLocal = home.fn !== null;
    const fullKey = isLocal ? `${text}#${home.path.join(".")}` : text;
    let made = map.get(fullKey);
    if (!made) {
      made = this.writeSub(sub, given, home, loc);
      map.set(fullKey, made);
    }
    const list = given
      .filter((each) => each.place === null && each.constant === null)
      .map((each) => each.value ?? each.target!);
    return { sub: made, args: list, before, after, shape: this.results.get(made) ?? null };
  }
  protected readonly results = new Map<Subroutine, Shape>();

  protected writeSub(
    sub: Subprogram,
    given: readonly {
      param: ParamDecl;
      place: Home | null;
      constant: { v: unknown; shape: Shape } | null;
      shape: Shape;
      value: ModelExpr | null;
      target: Target | null;
    }[],
    home: Frame,
    loc: Loc,
  ): Subroutine {
    const outer = { scope: this.scope, current: this.current, loops: this.loops.splice(0), before: this.before };
    const frame = new Frame(home, { inner: [], temps: [], generator: false });
    // homes of the surroundings stay visible to what is declared within them
    this.scope = new Scope(home.fn ? outer.scope : null, frame);
    this.before = [];
    this.depth++;
    try {
      const args: Subroutine["args"][number][] = [];
      sub.body!.params.forEach((param, i) => {
        const { place, constant: known, shape } = given[i];
        if (known) {
          frame.places.set(param, { k: "const", v: known.v, shape: known.shape });
          return;
        }
        if (place) {
          this.scope.homes.set(param, place);
          frame.places.set(param, { k: "var", js: "0", shape });
          return;
        }
        const signal = this.local(param.name, shape, param.loc);
        const direction =
          param.kind === "variable" && param.mode === "out"
            ? "output"
            : param.kind === "variable" && param.mode === "inout"
              ? "inout"
              : "input";
        args.push({ signal, direction });
        this.bindSignal(param, signal, shape);
      });
      const locals: Signal[] = [];
      const start: ModelStmt[] = [];
      for (const decl of sub.body!.decls) if (decl.kind === "sub") frame.subs.add(decl);
      for (const decl of sub.body!.decls) {
        if (decl.kind === "alias") frame.places.set(decl, { k: "alias", frame });
        if (decl.kind === "constant" && decl.init) {
          const shape = this.shape(decl.subtype, decl.loc, true);
          if (this.isKnown(decl.init)) {
            const made = this.owner.evaluate(decl.init, shape.k === "a" && shape.dims === null ? null : shape, frame);
            frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
            continue;
          }
          const val = this.expr(decl.init, shape);
          const fixed = shape.k === "a" && shape.dims === null ? val.shape : shape;
          const signal = this.local(decl.name, fixed, decl.loc);
          locals.push(signal);
          start.push(...this.before.splice(0), this.set(signal, this.fit(val, fixed, decl.loc).e, decl.loc));
          this.bindSignal(decl, signal, fixed);
        }
        if (decl.kind === "variable") {
          const shape = this.shape(decl.subtype, decl.loc);
          const width = widthOf(shape);
          if (width === 0) {
            frame.places.set(decl, { k: "var", js: "0", shape });
            continue;
          }
          const signal = this.local(decl.name, shape, decl.loc);
          locals.push(signal);
          if (decl.init) {
            const val = this.fit(this.expr(decl.init, shape), shape, decl.init.loc);
            start.push(...this.before.splice(0), this.set(signal, val.e, decl.loc));
          }
          this.bindSignal(decl, signal, shape);
        }
      }
      let shape: Shape | null = null;
      if (sub.result) {
        shape = this.shape(sub.result, loc, true);
        if (shape.k === "a" && shape.dims === null) shape = this.resultShape(sub.body!.stmts) ?? shape;
        if (shape.k === "a" && shape.dims === null)
          this.refuse(sub.loc, `Function '${sub.name}', whose result has no known length,`);
      }
      const result = shape ? this.local(`${sub.name.replaceAll('"', "")}`, shape, sub.loc) : null;
      const made: Subroutine = {
        name: sub.name,
        task: !sub.isFunction,
        automatic: true,
        args,
        result,
        locals,
        body: { op: "block", body: [] },
        suspends: false,
        id: { name: sub.name, disabled: false },
        instance: this.instance,
        loc: sub.loc,
      };
      if (shape) this.results.set(made, shape);
      this.current = { sub: made, shape };
      made.body = { op: "block", body: [...start, ...this.stmts(sub.body!.stmts)] };
      this.model.subroutines.push(made);
      return made;
    } finally {
      this.scope = outer.scope;
      this.current = outer.current;
      this.loops.push(...outer.loops);
      this.before = outer.before;
      this.depth--;
    }
  }

  /** Shape of what a function returns, by the first return that tells. */
  protected resultShape(stmts: readonly Stmt[]): Shape | null {
    for (const stmt of stmts) {
      if (stmt.op === "return" && stmt.value) {
        const shape = this.shapeOfExpr(stmt.value);
        if (shape) return shape;
      }
      if (stmt.op === "if") {
        const known = this.knownValue(stmt.test);
        const found =
          known === 1
            ? this.resultShape(stmt.yes)
            : known === 0
              ? stmt.no
                ? this.resultShape(stmt.no)
                : null
              : (this.resultShape(stmt.yes) ?? (stmt.no ? this.resultShape(stmt.no) : null));
        if (found) return found;
        if (known === 1 && endsInReturn(stmt.yes)) return null;
      }
      if (stmt.op === "case")
        for (const branch of stmt.branches) {
          const found = this.resultShape(branch.body);
          if (found) return found;
        }
      if (stmt.op === "for" && this.boundsOrNull(stmt.range)) {
        const frame = new Frame(this.scope.frame, this.scope.frame.fn);
        const b = this.boundsOrNull(stmt.range)!;
        frame.places.set(stmt.param, {
          k: "const",
          v: b.l,
          shape: { k: "s", type: stmt.param.subtype.type, lo: null, hi: null },
        });
        const outer = this.scope;
        this.scope = new Scope(outer, frame);
        const found = this.resultShape(stmt.body);
        this.scope = outer;
        if (found) return found;
      }
    }
    return null;
  }
  protected shapeOfExpr(e: Expr): Shape | null {
    const before = this.before;
    this.before = [];
    try {
      const { shape } = this.expr(e);
      return shape;
    } finally {
      this.before = before;
    }
  }

  protected within<T>(frame: Frame, run: () => T): T {
    const outer = this.scope;
    this.scope = new Scope(frame.fn ? outer : null, frame);
    try {
      return run();
    } finally {
      this.scope = outer;
    }
  }
}
