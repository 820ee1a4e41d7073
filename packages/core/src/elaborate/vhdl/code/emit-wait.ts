import { quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { Decl, Expr, Stmt, Subprogram } from "../bound.ts";
import type { VType } from "../types.ts";
import { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import type { Sig } from "../values/signals.ts";
import { leavesOf } from "../values/signals.ts";
import type { Val } from "./emit-base.ts";
import { enumNames } from "./emit-base.ts";
import { plain } from "./emit-subprograms.ts";
import type { LVal } from "./emit-text.ts";
import { eachExpr, eachStmt } from "./statement-walk.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** What processes wait for, and calls of procedures. */
export class EmitWait {
  constructor(private readonly host: UnitEmitter) {}

  // ---- waiting --------------------------------------------------------------------------------------------------

  waitStmt(stmt: Stmt & { op: "wait" }): string {
    const edge = stmt.until && !stmt.delay && !stmt.on ? this.plainEdge(stmt.until) : null;
    if (edge) return `E.parkEdge(E.currentProcess,${edge.sig},${edge.rising});yield;`;
    const delay = stmt.delay
      ? `${this.host.rt("delay")}(${this.host.exprs.expr(stmt.delay).js},${this.host.at(stmt.delay.loc)})`
      : "-1";
    const signals = stmt.on ?? (stmt.until ? this.readsOf(stmt.until) : []);
    const list = this.sigList(signals);
    const head = this.host.statements.flush();
    if (stmt.on === null && !stmt.until && !stmt.delay) return `${head}E.park(E.currentProcess,[],-1);for(;;)yield;`;
    if (!stmt.until) return `${head}E.park(E.currentProcess,${list},${delay});yield;`;
    const test = this.host.test(this.host.exprs.expr(stmt.until));
    const inner = this.host.statements.flush();
    const name = this.host.fresh("w");
    return `${head}{const ${name}=${list},q=E.currentProcess;E.park(q,${name},${delay});for(;;){yield;${inner}if(q.timedOut||${test})break;E.repark(q,${name});}}`;
  }

  /** `rising_edge(clk)` or its like alone, of a whole signal. */
  private plainEdge(e: Expr): { sig: string; rising: 0 | 1 } | null {
    if (e.op !== "call" || !e.sub.native || e.sub.home?.name !== "std_logic_1164" || !e.args[0]) return null;
    if (e.sub.name !== "rising_edge" && e.sub.name !== "falling_edge") return null;
    const ref = this.host.elements.refOf(e.args[0]);
    if (!ref || ref.part) return null;
    this.host.attributes.observe(ref.tree);
    return { sig: ref.sig, rising: e.sub.name === "rising_edge" ? 1 : 0 };
  }

  /** Leaves of signals as code of a list. */
  private sigList(exprs: readonly Expr[]): string {
    const known: Sig[] = [];
    const others: string[] = [];
    for (const expr of exprs) {
      const found = this.host.elements.refOf(expr) ?? this.host.elements.wholeOf(expr);
      if (!found) continue;
      const ref = found.part ? this.host.attributes.partSignal(found) : found;
      if (ref.tree) known.push(...leavesOf(ref.tree));
      else others.push(ref.sig);
    }
    if (others.length === 0) return this.host.cap([...new Set(known)]);
    return `[${[...(known.length ? [`...${this.host.cap(known)}`] : []), ...others.map((js) => `...${this.host.rt("leavesOf")}(${js})`)].join(",")}]`;
  }

  /** Signals that an expression reads, by their longest part that is known (10.2). */
  readsOf(whole: Expr, list: Expr[] = [], seen: Set<Subprogram> | null = null): Expr[] {
    // operators by a list of what is still to be seen, its last first: sums may have thousands of terms
    const open: (Expr | null)[] = [whole];
    while (open.length) {
      const expr = open.pop();
      if (expr?.op === "call" || expr?.op === "builtin")
        for (let i = expr.args.length; i-- > 0; ) open.push(expr.args[i]);
      else if (expr) this.readsOfName(expr, list, seen);
      if (expr?.op === "call" && seen) this.readsOfSub(expr.sub, list, seen);
    }
    return list;
  }
  /** Signals that a subprogram of the same design unit looks at by itself (11.3). */
  private readsOfSub(sub: Subprogram, list: Expr[], seen: Set<Subprogram>): void {
    if (!sub.body || sub.home || seen.has(sub)) return;
    seen.add(sub);
    const inits = sub.body.decls.flatMap((decl): Stmt[] =>
      (decl.kind === "variable" || decl.kind === "constant") && decl.init
        ? [{ op: "return", value: decl.init, loc: decl.loc }]
        : [],
    );
    const stmts = [...inits, ...sub.body.stmts];
    eachExpr(stmts, (each) => {
      if (each.op === "object" && each.decl.kind === "signal" && this.host.find(each.decl)?.k === "sig")
        list.push(each);
      if (each.op === "call") this.readsOfSub(each.sub, list, seen);
    });
    eachStmt(stmts, (each) => {
      if (each.op === "call") this.readsOfSub(each.sub, list, seen);
    });
  }
  private readsOfName(expr: Expr, list: Expr[], seen: Set<Subprogram> | null): void {
    const prefix = this.prefixOf(expr);
    if (prefix) {
      list.push(prefix.known);
      for (const index of prefix.indexes) this.readsOf(index, list, seen);
      return;
    }
    switch (expr.op) {
      case "index":
        this.readsOf(expr.of, list, seen);
        for (const index of expr.indexes) this.readsOf(index, list, seen);
        break;
      case "slice":
      case "field":
      case "deref":
        this.readsOf(expr.of, list, seen);
        if (expr.op === "slice" && expr.range.kind === "bounds") {
          this.readsOf(expr.range.left, list, seen);
          this.readsOf(expr.range.right, list, seen);
        }
        break;
      case "attribute":
        // of arrays no value is read, of signals their state
        if (expr.of && !/^(left|right|high|low|range|reverse_range|length|ascending)$/.test(expr.name))
          this.readsOf(expr.of, list, seen);
        if (expr.arg) this.readsOf(expr.arg, list, seen);
        break;
      case "aggregate":
        for (const { choice, value } of expr.elements) {
          if (choice.kind === "value") this.readsOf(choice.value, list, seen);
          this.readsOf(value, list, seen);
        }
        break;
      case "convert":
      case "qualified":
        this.readsOf(expr.arg, list, seen);
        break;
      case "object":
        if (expr.decl.kind === "alias")
          this.host.within(this.aliasFrame(expr.decl) ?? this.host.frame, () =>
            this.readsOf((expr.decl as { of: Expr }).of, list, seen),
          );
        break;
      default:
        break;
    }
  }
  private aliasFrame(decl: Decl): Frame | null {
    const place = this.host.find(decl);
    return place?.k === "alias" ? place.frame : null;
  }

  /** Whether a part of a signal is a signal by itself, which it is not of texts and of what is resolved as a whole. */
  private isPart(expr: Expr): boolean {
    return this.host.elements.refOf(expr) !== null;
  }
  /** The longest part of a signal's name that is known before the run, with the indexes that are not. */
  private prefixOf(expr: Expr): { known: Expr; indexes: Expr[] } | null {
    switch (expr.op) {
      case "object": {
        const place = this.host.find(expr.decl);
        if (place?.k === "sig" || place?.k === "sigparam") return { known: expr, indexes: [] };
        if (expr.decl.kind === "alias" && place?.k === "alias")
          return this.host.within(place.frame, () => this.host.elements.refOf(expr))
            ? { known: expr, indexes: [] }
            : null;
        return null;
      }
      case "attribute":
        return /^(delayed|stable|quiet|transaction)$/.test(expr.name) && expr.of && this.prefixOf(expr.of)
          ? { known: expr, indexes: [] }
          : null;
      case "external":
        return expr.object === "signal" ? { known: expr, indexes: [] } : null;
      case "field": {
        const of = this.prefixOf(expr.of);
        return of && (of.known === expr.of && this.isPart(expr) ? { known: expr, indexes: of.indexes } : of);
      }
      case "index": {
        const of = this.prefixOf(expr.of);
        if (!of) return null;
        if (of.known !== expr.of) return { ...of, indexes: [...of.indexes, ...expr.indexes] };
        const fixed = this.isPart(expr) && expr.indexes.every((index) => this.host.exprs.expr(index).cv !== undefined);
        return fixed
          ? { known: expr, indexes: of.indexes }
          : { known: expr.of, indexes: [...of.indexes, ...expr.indexes] };
      }
      case "slice": {
        const of = this.prefixOf(expr.of);
        if (!of) return null;
        const ends = expr.range.kind === "bounds" ? [expr.range.left, expr.range.right] : [];
        if (of.known !== expr.of) return { ...of, indexes: [...of.indexes, ...ends] };
        return this.isPart(expr) && this.host.shapes.bounds(expr.range)
          ? { known: expr, indexes: of.indexes }
          : { known: expr.of, indexes: [...of.indexes, ...ends] };
      }
      default:
        return null;
    }
  }

  /** Signals that statements read, also within subprograms of the same design unit, unless those are not asked for. */
  readsOfStmts(
    stmts: readonly Stmt[],
    list: Expr[] = [],
    seen: Set<Subprogram> | null = new Set<Subprogram>(),
  ): Expr[] {
    const expr = (each: Expr | null) => {
      if (each) this.readsOf(each, list, seen);
    };
    const target = (each: Expr) => {
      // indexes of what is assigned are read
      if (each.op === "index") {
        for (const index of each.indexes) expr(index);
        target(each.of);
      } else if (each.op === "slice") {
        if (each.range.kind === "bounds") {
          expr(each.range.left);
          expr(each.range.right);
        }
        target(each.of);
      } else if (each.op === "field") target(each.of);
      else if (each.op === "aggregate") for (const part of each.elements) target(part.value);
    };
    for (const stmt of stmts) {
      switch (stmt.op) {
        case "signal":
          target(stmt.target);
          for (const { value, after } of stmt.waveform.elements) {
            expr(value);
            expr(after);
          }
          break;
        case "assign":
          target(stmt.target);
          expr(stmt.value);
          break;
        case "if":
          expr(stmt.test);
          this.readsOfStmts(stmt.yes, list, seen);
          if (stmt.no) this.readsOfStmts(stmt.no, list, seen);
          break;
        case "case":
          expr(stmt.subject);
          for (const branch of stmt.branches) this.readsOfStmts(branch.body, list, seen);
          break;
        case "while":
          expr(stmt.test);
          this.readsOfStmts(stmt.body, list, seen);
          break;
        case "for": {
          if (stmt.range.kind === "bounds") {
            expr(stmt.range.left);
            expr(stmt.range.right);
          }
          const frame = new Frame(this.host.frame, this.host.fn);
          frame.places.set(stmt.param, {
            k: "var",
            js: "i",
            shape: this.host.shapes.plainShape(stmt.param.subtype.type),
          });
          this.host.within(frame, () => this.readsOfStmts(stmt.body, list, seen));
          break;
        }
        case "exit":
        case "next":
          expr(stmt.test);
          break;
        case "assert":
          expr(stmt.test);
          expr(stmt.message);
          break;
        case "call":
          stmt.args.forEach((arg, i) => {
            if (!arg) return;
            const param = stmt.sub.params[i];
            if (param.kind === "constant" || param.kind === "file" || param.mode !== "out") expr(arg);
            else target(arg);
          });
          if (seen) this.readsOfSub(stmt.sub, list, seen);
          break;
        case "block":
          this.readsOfStmts(stmt.body, list, seen);
          break;
        default:
          break;
      }
    }
    return list;
  }

  // ---- procedures -----------------------------------------------------------------------------------------------

  callStmt(stmt: Stmt & { op: "call" }): string {
    const { sub, args, loc } = stmt;
    if (sub.native !== null && !sub.body) return this.nativeCall(sub, args, loc);
    const { js, outs, before } = this.host.subprograms.invoke(sub, args, loc, stmt.on);
    const head = this.host.statements.flush();
    let text = `${before.join("")}${head}${js};`;
    // taken before any of them is stored: storing may call
    const names = outs.map(() => this.host.temp());
    outs.forEach((out, i) => {
      text += `${names[i]}=R.o[${out.index}];`;
    });
    outs.forEach(({ param, lval, arg }, i) => {
      const formal = this.host.shapes.shape(param.subtype);
      const shape: Shape =
        formal.k === "s" || formal.k === "o" || (formal.k === "a" && formal.dims) ? formal : lval.shape;
      const val: Val = { js: names[i], shape: plain(shape), fresh: true };
      text += this.host.statements.storeTo(lval, val, arg.loc);
    });
    return text;
  }

  /** Procedures of the libraries. */
  private nativeCall(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc): string {
    const name = sub.native!.split(".").slice(1).join(".");
    const home = sub.native!.split(".")[0];
    const at = this.host.at(loc);
    const arg = (i: number): Val => {
      const expr = args[i] ?? sub.defaults[i]!;
      return this.host.exprs.expr(expr, this.host.shapes.shape(sub.params[i].subtype));
    };
    const before: string[] = [];
    const place = (i: number): LVal => this.host.exprs.lval(args[i]!, before);
    if (home === "env") {
      const status = args[0] ? `${this.host.exprs.expr(args[0]).js};` : "";
      return `${status}${this.host.rt(name === "stop" ? "stop" : "finish")}();`;
    }
    if (name === "uniform") {
      const places = [place(0), place(1), place(2)];
      const call = `${this.host.rt("uniform")}(${places[0].read},${places[1].read},${at});`;
      return `${before.join("")}${call}${places.map((each, i) => each.write(`R.o[${i}]`)).join("")}`;
    }
    if (name === "readline") {
      const line = place(1);
      return `${before.join("")}${this.host.rt("readLine")}(${arg(0).js},${at});${line.write("R.o[0]")}`;
    }
    if (name === "writeline" || name === "tee") {
      const line = place(1);
      return `${before.join("")}${this.host.rt(name === "tee" ? "tee" : "writeLine")}(${arg(0).js},${line.read},${at});${line.write("R.o[0]")}`;
    }
    const isWrite = /write$/.test(name);
    const line = place(0);
    const valueType = sub.params[1].subtype.type;
    if (isWrite) {
      const value = arg(1);
      const text = this.writtenText(sub, name, value, valueType, args);
      // `write(l, real, format)` has no field
      const hasField = sub.params.some((param) => param.name === "field");
      const side = hasField ? arg(2).js : "0";
      const field = hasField ? arg(3).js : "0";
      return `${before.join("")}${this.host.statements.flush()}${this.host.rt("write")}(${line.read},${text},${side},${field});${line.write("R.o[0]")}`;
    }
    const value = place(1);
    if (name === "sread") {
      const length = place(2);
      const n = value.shape.k === "a" && value.shape.dims ? String(value.shape.dims[0].n) : `${value.read}.n`;
      const carried = value.shape.k === "a" && !value.shape.dims;
      return `${before.join("")}${this.host.rt("sread")}(${line.read},${n},${carried ? `${value.read}.p` : value.read});${line.write("R.o[0]")}${value.write(carried ? `${this.host.rt("arr")}(R.o[1],${value.read}.l,${value.read}.d,${value.read}.n)` : "R.o[1]")}${length.write("R.o[2]")}`;
    }
    const base = name.startsWith("h") ? "h" : name.startsWith("o") ? "o" : "b";
    const carried = value.shape.k === "a" && !value.shape.dims;
    const n = value.shape.k === "a" ? (value.shape.dims ? String(value.shape.dims[0].n) : `${value.read}.n`) : "1";
    let kind: string;
    if (valueType.kind === "array") {
      const pack = value.shape.k === "a" ? value.shape.pack : null;
      kind = pack === "char" ? "string" : `${base}${pack === "logic" ? "logic" : "bits"}`;
    } else kind = valueType.name;
    const names = valueType.kind === "enum" && kind === "boolean" ? this.host.cap(enumNames(valueType)) : "null";
    const fallback = carried ? `${value.read}.p` : value.read;
    const stored = value.write(
      carried ? `${this.host.rt("arr")}(R.o[1],${value.read}.l,${value.read}.d,${value.read}.n)` : "R.o[1]",
    );
    if (sub.params.length === 3) {
      const good = place(2);
      return `${before.join("")}${this.host.rt("read")}(${line.read},${quoted(kind)},${n},${fallback},${names});${line.write("R.o[0]")}${stored}${good.write("R.o[2]")}`;
    }
    return `${before.join("")}${this.host.rt("readOrFail")}(${line.read},${quoted(kind)},${n},${fallback},${names},${at});${line.write("R.o[0]")}${stored}`;
  }

  private writtenText(sub: Subprogram, name: string, value: Val, type: VType, args: readonly (Expr | null)[]): string {
    const own = this.host.operators.onceVal(value);
    const isLogic = value.shape.k === "a" && value.shape.pack === "logic";
    if (/^[ho]write$/.test(name))
      return `${this.host.rt("digits")}(${own.first},${own.n},${isLogic},${name === "hwrite" ? 4 : 3})`;
    switch (type.kind) {
      case "array":
        if (value.shape.k === "a" && value.shape.pack === "char") return this.host.plainText(value);
        return `${this.host.rt("bitText")}(${own.first},${own.n},${isLogic})`;
      case "enum": {
        const names = enumNames(type).map((each) => (each.startsWith("'") ? each[1] : each.toUpperCase()));
        if (type.packing === "char") return `String.fromCharCode(${value.js})`;
        return `${this.host.cap(names)}[${value.js}]`;
      }
      case "physical": {
        const unit = args[4] ? this.host.exprs.expr(args[4]).js : this.host.exprs.expr(sub.defaults[4]!).js;
        return `${this.host.rt("timeText")}(${value.js},${unit})`;
      }
      case "real": {
        if (sub.params[2]?.name === "format")
          return `${this.host.rt("formatReal")}(${value.js},${this.host.plainText(this.host.exprs.expr(args[2]!))})`;
        return `${this.host.rt("fixed")}(${value.js},${args[4] ? this.host.exprs.expr(args[4]).js : "0"})`;
      }
      default:
        return `(""+${value.js})`;
    }
  }

  /** What every file and access type has of itself. */
  ownCall(name: string, args: readonly Expr[], loc: Loc): string {
    const at = this.host.at(loc);
    const before: string[] = [];
    if (name === "deallocate") {
      const pointer = this.host.exprs.lval(args[0], before);
      return `${before.join("")}if(${pointer.read}!==null)${pointer.read}.gone=true;${pointer.write("null")}`;
    }
    const hasStatus = args[0].type.kind !== "file";
    const file = this.host.exprs.expr(args[hasStatus ? 1 : 0]);
    switch (name) {
      case "file_open": {
        const [path, kind] = args.slice(hasStatus ? 2 : 1);
        const text = this.host.plainText(this.host.exprs.expr(path));
        const mode = kind ? this.host.exprs.expr(kind).js : "0";
        if (!hasStatus) return `${this.host.rt("fileOpenOrFail")}(${file.js},${text},${mode},${at});`;
        const status = this.host.exprs.lval(args[0], before);
        return `${before.join("")}${status.write(`${this.host.rt("fileOpen")}(${file.js},${text},${mode})`)}`;
      }
      case "file_close":
        return `${this.host.rt("fileClose")}(${file.js});`;
      case "flush":
        return "";
      case "write": {
        const val = this.host.exprs.expr(args[1]);
        if (this.host.attributes.isText(args[0].type))
          return `${this.host.rt("writeText")}(${file.js},${this.host.plainText(val)},${at});`;
        return `${this.host.rt("writeValue")}(${file.js},${val.js},${at});`;
      }
      default: {
        const target = this.host.exprs.lval(args[1], before);
        return `${before.join("")}${target.write(`${this.host.rt("readValue")}(${file.js},${at})`)}`;
      }
    }
  }
}
