import { type Code, js as code, joined } from "../../../common/code-pieces.ts";
import type { Loc } from "../../../common/source.ts";
import type { BoundChoice, Expr, Stmt } from "../bound.ts";
import type { VType } from "../types.ts";
import { Frame } from "../values/frames.ts";
import { highOf, lowOf, type Shape } from "../values/shapes.ts";
import { type Bits, Codes } from "../values/values.ts";
import type { Val } from "./emit-base.ts";
import { plain } from "./emit-subprograms.ts";
import { isList, type LVal, wrapped } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Turns of a loop that need not be counted, if nothing is repeated within. */
const mostUncounted = 256;

/** Statements as code. */
export class EmitStmt {
  constructor(private readonly host: UnitEmitter) {}

  // ---- statements -----------------------------------------------------------------------------------------------

  /** The statement just written always leaves the subprogram: what follows is never reached, nor written. */
  private left = false;

  stmts(list: readonly Stmt[]): Code {
    const lines: (string | Code)[] = [];
    this.left = false;
    for (const stmt of list) {
      const line = this.stmt(stmt);
      const isExit: boolean = stmt.op === "return" || ((stmt.op === "if" || stmt.op === "block") && this.left);
      this.left = isExit;
      if (this.host.hoisted.length) {
        lines.push(...this.host.hoisted);
        this.host.hoisted = [];
      }
      lines.push(line, "\n");
      if (isExit) break;
    }
    return joined(lines);
  }

  private stmt(stmt: Stmt): string | Code {
    switch (stmt.op) {
      case "null":
        return "";
      case "block":
        return this.stmts(stmt.body);
      case "assign":
        return this.assign(stmt.target, stmt.value, stmt.loc);
      case "signal":
        return this.signalAssign(stmt);
      case "if": {
        const test = this.host.exprs.expr(stmt.test);
        const head = this.flush();
        if (typeof test.cv === "number") {
          // the other branch is looked at for its mistakes only if it could ever run
          if (test.cv === 1) return code`${head}{${this.stmts(stmt.yes)}}`;
          this.left = false;
          return stmt.no ? code`${head}{${this.stmts(stmt.no)}}` : head;
        }
        const yes = this.stmts(stmt.yes);
        const yesLeft = this.left;
        this.left = false;
        const no = stmt.no ? code`else{${this.stmts(stmt.no)}}` : "";
        this.left = this.left && yesLeft;
        return code`${head}if(${this.host.test(test)}){${yes}}${no}`;
      }
      case "case":
        return this.caseStmt(stmt);
      case "while": {
        if (stmt.test) {
          const test = this.host.exprs.expr(stmt.test);
          const head = this.flush();
          const body = this.stmts(stmt.body);
          const check = this.host.test(test);
          return head
            ? code`${stmt.label}:for(;;){${head}if(!(${check}))break;E.tick();${body}}`
            : code`${stmt.label}:while(${check}){E.tick();${body}}`;
        }
        return code`${stmt.label}:for(;;){E.tick();${this.stmts(stmt.body)}}`;
      }
      case "for":
        return this.forStmt(stmt);
      case "exit":
      case "next": {
        const word = `${stmt.op === "exit" ? "break" : "continue"} ${stmt.label};`;
        if (!stmt.test) return word;
        const test = this.host.test(this.host.exprs.expr(stmt.test));
        return `${this.flush()}if(${test})${word}`;
      }
      case "return":
        return this.returnStmt(stmt.value, stmt.loc);
      case "wait":
        return this.host.waiting.waitStmt(stmt);
      case "assert":
        return this.assertStmt(stmt);
      case "call":
        return this.host.waiting.callStmt(stmt);
      case "builtin":
        return this.host.waiting.ownCall(stmt.name, stmt.args, stmt.loc);
    }
  }
  flush(): string {
    const text = this.host.hoisted.join("");
    this.host.hoisted = [];
    return text;
  }

  private assign(target: Expr, value: Expr, loc: Loc): string | Code {
    if (target.op === "aggregate")
      return this.spread(target, value, loc, (part, val) => this.store(part, val, value.loc));
    const before: string[] = [];
    const lval = this.host.exprs.lval(target, before);
    const { shape } = lval;
    // 'others' needs the bounds that the variable has
    const isOpen = value.op === "aggregate" && shape.k === "a" && !shape.dims && shape.type.indexes.length === 1;
    const val = this.host.exprs.expr(value, isOpen ? Object.assign({ ...shape }, { like: lval.read }) : shape);
    return before.join("") + this.storeTo(lval, val, value.loc);
  }
  private store(target: Expr, val: Val, loc: Loc): string {
    const before: string[] = [];
    const lval = this.host.exprs.lval(target, before);
    return before.join("") + this.storeTo(lval, val, loc);
  }
  storeTo(lval: LVal, val: Val, loc: Loc): string {
    const { shape } = lval;
    if (shape.k === "a" && shape.dims === null) {
      const carried = this.host.repr.carry(val);
      return lval.write(
        `${this.host.rt("assignArr")}(${lval.read},${this.host.repr.kept(carried)},${this.host.at(loc)})`,
      );
    }
    return lval.write(this.host.repr.kept(this.host.repr.fit(val, shape, loc)));
  }

  /** `(a, b) := value`: part by part, from left to right. */
  private spread(
    target: Expr & { op: "aggregate" },
    value: Expr,
    loc: Loc,
    put: (target: Expr, val: Val) => string | Code,
  ): Code {
    const whole = this.host.exprs.expr(value);
    const name = this.host.temp();
    const { shape } = whole;
    // of an array whose length the run knows, its length comes with it
    const open = shape.k === "a" && !shape.dims ? this.host.operators.onceVal(whole) : null;
    const lines: (string | Code)[] = [`${name}=${open ? open.first : this.host.repr.payload(whole)};`];
    if (shape.k === "r") {
      for (const { choice, value: part } of target.elements)
        if (choice.kind === "field")
          lines.push(put(part, { js: `${name}[${choice.field}]`, shape: shape.fields[choice.field] }));
      return joined(lines);
    }
    if (shape.k !== "a") return joined(lines);
    const total = open ? open.known : this.host.repr.lengthOf(whole).n;
    let at = 0;
    for (const { choice, value: part, isStretch } of target.elements) {
      const own = this.host.elements.refOf(part) ?? null;
      const partShape = own ? (own.part ? own.part.shape : own.shape) : this.host.exprs.lval(part, []).shape;
      const n =
        (isStretch || part.type === target.type) && partShape.k === "a" && partShape.dims ? partShape.dims[0].n : 1;
      const isArray = part.type === target.type;
      let k = at;
      if (choice.kind === "value") {
        const index = this.host.exprs.expr(choice.value);
        if (typeof index.cv === "number" && shape.dims)
          k = shape.dims[0].d ? shape.dims[0].l - index.cv : index.cv - shape.dims[0].l;
      } else if (choice.kind === "range") {
        const b = this.host.shapes.bounds(choice.range);
        if (b && shape.dims) k = shape.dims[0].d ? shape.dims[0].l - highOf(b) : lowOf(b) - shape.dims[0].l;
      }
      const below = (more: number) => (total !== null ? String(total - more) : `${open!.n}-${more}`);
      let js: string;
      if (shape.pack === "char") js = isArray ? `${name}.slice(${k},${k + n})` : `${name}.charCodeAt(${k})`;
      else if (shape.pack)
        js = isArray
          ? `${this.host.rt("sliceL")}(${name},${below(k + n)},${n})`
          : `${this.host.rt(shape.pack === "bit" ? "getB" : "getL")}(${name},${below(1 + k)})`;
      else js = isArray ? `${name}.slice(${k},${k + n})` : `${name}[${k}]`;
      lines.push(put(part, { js, shape: isArray ? { ...shape, dims: [{ l: 0, d: 0, n }] } : shape.elem }));
      at += n;
    }
    if (total === null && open) lines.push(`${this.host.rt("ln")}(${at},${open.n},${this.host.at(loc)});`);
    if (total !== null && at !== total && target.elements.every((each) => each.choice.kind === "position"))
      this.host.error(
        "width",
        loc,
        `The parts on the left have ${at} elements, the value ${total}.`,
        "Make them as long as each other.",
      );
    return joined(lines);
  }

  private signalAssign(stmt: Stmt & { op: "signal" }): string | Code {
    const { target, waveform, transport, loc } = stmt;
    if (stmt.force) {
      this.host.program.forces = true;
      const ref = this.host.elements.refOf(target);
      if (!ref) return "";
      if (stmt.force === "release") return `E.release(${ref.sig});`;
      const val = this.host.repr.fit(this.host.exprs.expr(waveform.elements[0].value!, ref.shape), ref.shape, loc);
      return `E.force(${ref.sig},${val.js});`;
    }
    if (waveform.elements.length === 0) {
      return "";
    }
    if (target.op === "aggregate") {
      const [first] = waveform.elements;
      if (!first.value) return "";
      return this.spread(target, first.value, loc, (part, val) =>
        this.drive(part, [{ val, after: first.after, value: first.value! }], transport, stmt.reject, loc),
      );
    }
    const ref = this.host.elements.refOf(target);
    const shape = ref ? (ref.part ? ref.part.shape : ref.shape) : undefined;
    return this.drive(
      target,
      waveform.elements.map(({ value, after }) => ({
        val: value ? this.host.exprs.expr(value, shape) : null,
        after,
        value,
      })),
      transport,
      stmt.reject,
      loc,
    );
  }

  private drive(
    target: Expr,
    elements: readonly { readonly val: Val | null; readonly after: Expr | null; readonly value: Expr | null }[],
    transport: boolean,
    reject: Expr | null,
    loc: Loc,
  ): string | Code {
    const ref = this.host.elements.refOf(target);
    if (!ref) {
      const text = this.drivePart(target, elements, transport, reject, loc);
      if (text !== null) return text;
    }
    if (!ref) {
      this.host.error("target", loc, "This is no signal.", "Assign a signal.");
      return "";
    }
    const { part } = ref;
    const shape = part ? part.shape : ref.shape;
    const driver = ref.tree && part ? this.host.cap(this.host.driver(ref.tree, part.loKnown, part.nKnown)) : ref.drv();
    const isTree = !part && this.host.elements.isTree(ref.shape, ref.tree);
    const two = part?.bit === true && ref.shape.k === "a" && ref.shape.pack === "bit";
    const texts = elements.map(({ val, after, value }, i) => {
      const off = val === null;
      let js = "0";
      let bits = part?.n ?? "0";
      if (val) {
        const fitted = shape.k === "a" && shape.dims === null ? val : this.host.repr.fit(val, shape, value?.loc ?? loc);
        js =
          shape.k === "a" && shape.dims === null
            ? part
              ? `${this.host.rt("need")}(${this.host.repr.carry(val).js},${bits},${this.host.at(loc)})`
              : this.host.repr.payload(val)
            : fitted.js;
        if (two) js = `${wrapped(js)}+2`;
        else if (isList(shape) && !isTree) js = this.host.repr.kept(fitted);
        bits = part?.n ?? "0";
      }
      const delay = after ? this.host.exprs.expr(after) : null;
      const isNow = delay === null || delay.cv === 0;
      if (i === 0 && elements.length === 1 && isNow && !off && !transport) {
        if (isTree) return this.host.assigns.tree(driver, js);
        if (!part) return this.host.assigns.whole(driver, js);
        return part.bit
          ? this.host.assigns.bit(driver, part.lo, js)
          : this.host.assigns.slice(driver, part.lo, js, bits);
      }
      const time = delay ? `${this.host.rt("delay")}(${delay.js},${this.host.at(after!.loc)})` : "0";
      const once = this.host.once(delay && typeof delay.cv === "number" && delay.cv >= 0 ? delay.js : time);
      const limit = i > 0 || transport ? "-1" : reject ? this.host.exprs.expr(reject).js : once.again;
      if (isTree) return `E.afterTree(${driver},${js},${once.first},${limit},${off});`;
      if (!part && !off) return `E.afterWhole(${driver},${js},${once.first},${limit});`;
      if (!part) return `E.after(${driver},${js},${once.first},${limit},0,0,false,${off});`;
      return `E.after(${driver},${js},${once.first},${limit},${part.lo},${bits},${part.bit},${off});`;
    });
    return joined(texts);
  }

  /** A part of what is one signal: the driver's value with another part in its place. */
  private drivePart(
    target: Expr,
    elements: readonly { readonly val: Val | null; readonly after: Expr | null; readonly value: Expr | null }[],
    transport: boolean,
    reject: Expr | null,
    loc: Loc,
  ): string | null {
    const whole = this.host.elements.wholeOf(target);
    const [first] = elements;
    if (!whole || whole.part) return null;
    if (
      elements.length !== 1 ||
      !first.val ||
      transport ||
      reject ||
      (first.after && this.host.exprs.expr(first.after).cv !== 0)
    ) {
      this.host.error(
        "signal-part",
        loc,
        "A part of this signal cannot be assigned with a delay: its type is resolved as a whole, or a string.",
        "Assign the whole of it.",
      );
      return "";
    }
    const driver = whole.drv();
    const { val } = first;
    // from the part outwards: each one in its place in the next
    const place = (e: Expr): { read: string; put: (js: string) => string; shape: Shape } | null => {
      const ref = this.host.elements.refOf(e);
      if (ref) return { read: `(${driver}.pending?${driver}.next:${driver}.v)`, put: (js) => js, shape: ref.shape };
      if (e.op !== "field" && e.op !== "index" && e.op !== "slice") return null;
      const of = place(e.of);
      if (!of) return null;
      if (e.op === "field") {
        if (of.shape.k !== "r") return null;
        return {
          read: `${of.read}[${e.field}]`,
          put: (js) => of.put(`${this.host.rt("withItem")}(${of.read},${e.field},${js})`),
          shape: of.shape.fields[e.field],
        };
      }
      if (of.shape.k !== "a" || !of.shape.dims || of.shape.dims.length > 1) return null;
      const { pack, elem } = of.shape;
      const n = of.shape.dims[0].n;
      if (e.op === "index") {
        const k = this.host.elements.position(of.shape, 0, this.host.exprs.expr(e.indexes[0]), loc, "0");
        const two = pack === "bit";
        return {
          read: pack === "char" ? `${of.read}.charCodeAt(${k})` : `${of.read}[${k}]`,
          put: (js) =>
            of.put(
              pack === "char"
                ? `${this.host.rt("setChar")}(${of.read},${k},${js})`
                : pack
                  ? `${this.host.rt("setL")}(${of.read},${n},${n - 1}-(${k}),${two ? `${js}+2` : js})`
                  : `${this.host.rt("withItem")}(${of.read},${k},${js})`,
            ),
          shape: elem,
        };
      }
      const { k, n: size, made } = this.host.elements.cut(of.shape, e, "0");
      return {
        read: of.read,
        put: (js) =>
          of.put(
            pack === "char"
              ? `${this.host.rt("setText")}(${of.read},${k},${js})`
              : pack
                ? `${this.host.rt("insertL")}(${of.read},${n},${n}-(${k})-${size},${js},${size})`
                : `${this.host.rt("splice")}(${this.host.rt("copy")}(${of.read}),${k},${js})`,
          ),
        shape: made,
      };
    };
    const part = place(target);
    if (!part) return null;
    const { shape } = part;
    const js =
      shape.k === "a" && !shape.dims
        ? this.host.repr.payload(this.host.repr.carry(val))
        : this.host.repr.kept(this.host.repr.fit(val, shape, loc));
    return `E.as(${driver},${part.put(js)});`;
  }

  private forStmt(stmt: Stmt & { op: "for" }): string | Code {
    const range = this.host.shapes.rangeVal(stmt.range);
    const head = this.flush();
    const name = this.host.fresh("i");
    const { l, r, d } = range;
    const known = typeof l.cv === "number" && typeof r.cv === "number" && range.dynamicDir === undefined;
    const shape: Shape = known
      ? {
          k: "s",
          type: stmt.param.subtype.type,
          lo: Math.min(l.cv as number, r.cv as number),
          hi: Math.max(l.cv as number, r.cv as number),
        }
      : this.loopShape(stmt.param.subtype.type, l, r);
    const frame = new Frame(this.host.frame, this.host.fn);
    frame.places.set(stmt.param, { k: "var", js: name, shape });
    const turns = known ? Math.abs((l.cv as number) - (r.cv as number)) + 1 : null;
    const repeated = this.host.repeated;
    const inner = this.host.within(frame, () => this.stmts(stmt.body));
    const isShort = turns !== null && turns <= mostUncounted && this.host.repeated === repeated;
    const body = isShort ? inner : code`E.tick();${inner}`;
    this.host.repeated++;
    // the parameter keeps its value for each turn, whatever is done with it within
    if (range.dynamicDir !== undefined) {
      const end = this.host.temp();
      const step = this.host.temp();
      return code`${head}${name}$:{let ${name}=${l.js};${end}=${r.js};${step}=${range.dynamicDir}?-1:1;{const e=${end},s=${step};${stmt.label}:for(;s>0?${name}<=e:${name}>=e;${name}+=s){${body}}}}`;
    }
    const end = typeof r.cv === "number" ? this.host.constant(r.cv) : "e";
    const start = typeof r.cv === "number" ? "" : `const e=${r.js};`;
    return code`${head}{${start}${stmt.label}:for(let ${name}=${l.js};${name}${d ? ">=" : "<="}${end};${name}${d ? "--" : "++"}){${body}}}`;
  }
  private loopShape(type: VType, l: Val, r: Val): Shape {
    const lows = [l.lo ?? (typeof l.cv === "number" ? l.cv : null), r.lo ?? (typeof r.cv === "number" ? r.cv : null)];
    const highs = [l.hi ?? (typeof l.cv === "number" ? l.cv : null), r.hi ?? (typeof r.cv === "number" ? r.cv : null)];
    if (lows.includes(null) || highs.includes(null)) return { k: "s", type, lo: null, hi: null };
    return { k: "s", type, lo: Math.min(...(lows as number[])), hi: Math.max(...(highs as number[])) };
  }

  private returnStmt(value: Expr | null, loc: Loc): string {
    const context = this.host.subprograms.contexts[this.host.subprograms.contexts.length - 1];
    if (!value || !context) return `${context ? this.host.subprograms.giveBack(context) : ""}return;`;
    const { sub, callee } = context;
    const shape = this.host.shapes.shape(sub.result!);
    if (shape.k === "a" && shape.dims === null && callee.result === null) {
      const val = this.host.exprs.expr(value, shape);
      const own = val.cv !== undefined && isList(val.shape) ? { ...val, fresh: false } : val;
      const made = context.carried ? this.host.repr.carry(own) : own;
      context.results.push(plain(val.shape));
      return `return ${this.returned(made)};`;
    }
    const target = callee.result ?? shape;
    const val = this.host.repr.fit(this.host.exprs.expr(value, target), target, loc);
    return `return ${this.returned(val)};`;
  }
  /** Locals are the caller's from now on; parameters and what is outside are copied. */
  private returned(val: Val): string {
    return /^v\d+$/.test(val.js) ? val.js : this.host.repr.kept(val);
  }

  private assertStmt(stmt: Stmt & { op: "assert" }): string {
    const severity = stmt.severity ? this.host.exprs.expr(stmt.severity).js : stmt.test ? "2" : "0";
    const message = stmt.message
      ? this.host.plainText(this.host.exprs.expr(stmt.message, this.host.stringShape))
      : '"Assertion violation."';
    const call = `${this.host.rt("report")}(${severity},${message},${this.host.at(stmt.loc)});`;
    if (!stmt.test) return `${this.flush()}${call}`;
    const test = this.host.exprs.expr(stmt.test);
    const head = this.flush();
    if (typeof test.cv === "number") return test.cv === 1 ? "" : head + call;
    return `${head}if(!(${this.host.test(test)})){${call}}`;
  }

  // ---- case -----------------------------------------------------------------------------------------------------

  private caseStmt(stmt: Stmt & { op: "case" }): string | Code {
    const subject = this.host.exprs.expr(stmt.subject);
    const head = this.flush();
    const own = this.host.operators.onceVal(subject);
    const name = this.host.temp();
    const { shape } = subject;
    if (typeof subject.cv === "number" && shape.k === "s" && !stmt.matching) {
      // known now: only the branch that is taken is written
      for (const branch of stmt.branches)
        for (const choice of branch.choices) {
          if (choice.kind === "others") return code`{${this.stmts(branch.body)}}`;
          if (choice.kind === "value") {
            const v = this.host.exprs.expr(choice.value!).cv;
            if (v === subject.cv) return code`{${this.stmts(branch.body)}}`;
            if (v === undefined) break;
          } else {
            const b = this.host.shapes.bounds(choice.range!);
            if (b && subject.cv >= lowOf(b) && subject.cv <= highOf(b)) return code`{${this.stmts(branch.body)}}`;
          }
        }
    }
    this.checkChoices(stmt, subject);
    const tests = stmt.branches.map((branch) =>
      branch.choices.map((choice) => this.choiceTest(choice, name, subject, stmt.matching)),
    );
    let fallback: Code | null = null;
    if (tests.every((list) => list.every((each) => each.label !== null || each.others))) {
      const cases = stmt.branches.map((branch, i) => {
        const body = this.stmts(branch.body);
        const labels = tests[i].filter((each) => !each.others).map((each) => `case ${each.label}:`);
        if (tests[i].some((each) => each.others)) labels.push("default:");
        return code`${labels.join("")}{${body}break;}`;
      });
      // `break` within a switch leaves the switch alone: loops are left by their labels
      return code`${head}switch(${own.first}){${joined(cases)}}`;
    }
    const ways: Code[] = [];
    stmt.branches.forEach((branch, i) => {
      const body = this.stmts(branch.body);
      if (tests[i].some((each) => each.others)) {
        fallback = body;
        return;
      }
      ways.push(code`if(${tests[i].map((each) => each.test).join("||")}){${body}}`);
    });
    const rest = fallback ? (ways.length ? code`else{${fallback}}` : fallback) : "";
    return code`${head}${name}=${own.first};${joined(ways, "else ")}${rest}`;
  }

  private choiceTest(
    choice: BoundChoice,
    name: string,
    subject: Val,
    matching: boolean,
  ): { label: string | null; test: string; others: boolean } {
    if (choice.kind === "others") return { label: null, test: "true", others: true };
    if (choice.kind === "range") {
      const range = this.host.shapes.rangeVal(choice.range!);
      const { l, r, d } = range;
      const [lo, hi] = d ? [r.js, l.js] : [l.js, r.js];
      return { label: null, test: `${name}>=${lo}&&${name}<=${hi}`, others: false };
    }
    const { shape } = subject;
    const val = this.host.exprs.expr(choice.value!, shape);
    if (
      shape.k === "a" &&
      shape.dims &&
      val.shape.k === "a" &&
      val.shape.dims &&
      val.shape.dims[0].n !== shape.dims[0].n
    ) {
      this.host.repr.widthError(val.shape, shape, choice.loc);
      return { label: null, test: "false", others: false };
    }
    const js = this.host.repr.payload(val);
    if (matching && shape.k === "a" && shape.pack === "logic") {
      const size = this.host.repr.lengthOf(subject);
      const known = val.cv as Bits | undefined;
      if (known !== undefined && !(known instanceof Codes))
        return { label: null, test: `${this.host.rt("matchEqL")}(${name},${js},${size.js})===3`, others: false };
      return { label: null, test: `${this.host.rt("matchEqL")}(${name},${js},${size.js})===3`, others: false };
    }
    if (matching && shape.k === "s" && shape.type.kind === "enum" && shape.type.packing === "logic")
      return { label: null, test: `${this.host.rt("matchEq")}(${name},${js})===3`, others: false };
    const isPlain = typeof val.cv === "number" || typeof val.cv === "string" || typeof val.cv === "bigint";
    if (isPlain && (shape.k === "s" || (shape.k === "a" && shape.pack)))
      return { label: js, test: `${name}===${js}`, others: false };
    return { label: null, test: `${this.host.rt("same")}(${name},${js})`, others: false };
  }

  /** Each value once, and every value (10.9). Enumerations have been looked at before. */
  private checkChoices(stmt: Stmt & { op: "case" }, subject: Val): void {
    const { shape } = subject;
    const hasOthers = stmt.branches.some((branch) => branch.choices.some((choice) => choice.kind === "others"));
    const seen = new Map<string, Loc>();
    const spans: { readonly lo: number; readonly hi: number; readonly loc: Loc; readonly isRange: boolean }[] = [];
    const head = this.headOf(stmt.loc);
    let covered = 0;
    for (const branch of stmt.branches)
      for (const choice of branch.choices) {
        if (choice.kind === "others") continue;
        if (choice.kind === "range") {
          const b = this.host.shapes.bounds(choice.range!);
          if (!b) {
            this.host.error("choice", choice.loc, "A choice must be known before the run.", "Use constants.");
            continue;
          }
          covered += b.n;
          if (b.n) spans.push({ lo: lowOf(b), hi: highOf(b), loc: choice.loc, isRange: true });
          continue;
        }
        const val = this.host.exprs.expr(choice.value!, shape);
        if (val.cv === undefined) {
          this.host.error(
            "choice",
            choice.loc,
            `'${this.host.text(choice.loc)}' is not known before the run.`,
            "Use constants as choices, or 'if'.",
          );
          continue;
        }
        const key = val.cv instanceof Codes ? [...val.cv.c].join() : String(val.cv);
        if (seen.has(key) && !stmt.matching)
          this.host.error(
            "duplicate-choice",
            choice.loc,
            `The choice '${this.host.text(choice.loc)}' stands in two branches.`,
            "Take one of them out.",
          );
        seen.set(key, choice.loc);
        if (shape.k === "s" && typeof val.cv === "number")
          spans.push({ lo: val.cv, hi: val.cv, loc: choice.loc, isRange: false });
        covered++;
      }
    spans.sort((a, b) => a.lo - b.lo || a.loc.start - b.loc.start);
    for (let i = 1, most = spans[0]; i < spans.length; i++) {
      const each = spans[i];
      if (each.lo <= most.hi && (each.isRange || most.isRange)) {
        const late = each.loc.start > most.loc.start ? each : most;
        this.host.error(
          "duplicate-choice",
          late.loc,
          `A value of the choice '${this.host.text(late.loc)}' stands in another branch too.`,
          "Let each value stand once.",
        );
      }
      if (each.hi > most.hi) most = each;
    }
    if (hasOthers || stmt.matching) return;
    let needed: number | null = null;
    if (shape.k === "s" && shape.type.kind === "int") {
      const { lo, hi } = this.host.shapes.limits(shape);
      if (typeof lo === "number" && typeof hi === "number") needed = hi - lo + 1;
    } else if (shape.k === "a" && shape.pack && shape.pack !== "char" && shape.dims)
      needed = (shape.pack === "bit" ? 2 : 9) ** shape.dims[0].n;
    else if (shape.k === "a") needed = Number.POSITIVE_INFINITY;
    if (needed !== null && covered < needed)
      this.host.error(
        "missing-choice",
        head,
        shape.k === "a"
          ? `${covered} of the ${needed > 1e6 ? "many" : needed} values of '${this.host.text(stmt.subject.loc)}' have a branch${shape.pack === "logic" ? ", 'X', 'Z' and the others of std_logic counted" : ""}.`
          : `Not every value of '${this.host.text(stmt.subject.loc)}' has a branch.`,
        "Add 'when others => ...'.",
      );
  }
  headOf(loc: Loc): Loc {
    if (loc.file < 0) return loc;
    const text = this.host.program.report.sources.text(loc);
    const end = text.search(/[\r\n]/);
    return end < 0 ? loc : { ...loc, end: loc.start + end };
  }
}
