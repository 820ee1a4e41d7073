import { type Code, joined, js } from "../../common/code-pieces.ts";
import { quoted } from "../../common/generated-code.ts";
import type { BlockId, DelayModel, EventModel, Expr, Signal, Stmt } from "../../elaborate/model.ts";
import { readsOfExpr } from "../../elaborate/walk.ts";
import { type Bits, ExprCompiler, isWide, literal } from "./compile-expr.ts";
import type { Program } from "./program.ts";
import { elementForm } from "./storage.ts";

/** Statements to JavaScript: plain code, or the body of a generator when something in it waits. */
export class StmtCompiler {
  readonly c: ExprCompiler;
  private labels: BlockId[] = [];
  private loops: { brk: string; cont: string }[] = [];
  private returnLabel: string | null = null;
  private static serial = 0;

  constructor(
    private readonly program: Program,
    /** Whether `th` is the thread that runs and `yield` may be used. */
    private readonly waits: boolean,
  ) {
    this.c = new ExprCompiler(program);
  }

  /** A function body: the statements with the temporaries they need. */
  body(stmt: Stmt, returnLabel: string | null = null): Code {
    this.returnLabel = returnLabel;
    const text = this.c.nested(() => this.stmt(stmt));
    return js`${this.c.takeTemps()}\n${returnLabel ? js`${returnLabel}:{${text}}` : text}`;
  }

  private label(prefix: string): string {
    return `${prefix}$${StmtCompiler.serial++}`;
  }

  /** A new function within this one, with temporaries of its own. */
  private inner(waits: boolean, make: (compiler: StmtCompiler) => void): Code {
    const compiler = new StmtCompiler(this.program, waits);
    const text = compiler.c.nested(() => make(compiler));
    return js`${compiler.c.takeTemps()}\n${text}`;
  }

  stmt(stmt: Stmt): void {
    const { c, program } = this;
    switch (stmt.op) {
      case "block":
        this.block(stmt);
        return;
      case "assign":
        this.assign(stmt);
        return;
      case "arraycopy": {
        const { target, from, count } = stmt;
        const to = c.arrayNames(target);
        const of = c.arrayNames(from);
        const four = (signal: Signal) => signal.fourState || signal.kind === "net";
        const planes = elementForm(target) === "narrow" || elementForm(target) === "wide";
        const copy = (a: string, b: string) =>
          `for(let i=0;i<${count};i++){${to.a}[i]=${a}[i];${planes && four(target) ? `${to.b}[i]=${four(from) ? `${b}[i]` : isWide(target.width) ? "0n" : "0"};` : ""}}${target.automatic ? "" : program.changed(target)}`;
        c.emit(
          stmt.blocking
            ? `{${copy(of.a, of.b)}}`
            : `{const va=${of.a}.slice(),vb=${planes ? `${of.b}.slice()` : "null"};K.afterNonblocking(0,()=>{${copy("va", "vb")}});}`,
        );
        return;
      }
      case "if": {
        const test = c.truth(stmt.test);
        const yes = c.nested(() => this.stmt(stmt.yes));
        const no = stmt.no ? c.nested(() => this.stmt(stmt.no!)) : null;
        const miss =
          !stmt.no && stmt.check && stmt.check !== "unique0"
            ? `T.violation(${program.place(stmt.loc)},${quoted(stmt.check)},"if");`
            : no;
        c.emit(miss ? js`if(${test}){${yes}}else{${miss}}` : js`if(${test}){${yes}}`);
        return;
      }
      case "case":
        this.caseStmt(stmt);
        return;
      case "loop":
        this.loop(stmt);
        return;
      case "repeat": {
        const pair = c.hold(c.pair(stmt.count as Bits));
        const n = c.temp("n");
        const { width, signed } = stmt.count;
        const value = c.asNumber(`(${pair.a}&~${pair.b})`, width, signed);
        c.emit(
          `${n}=${pair.b === "0" || pair.b === "0n" ? c.asNumber(pair.a, width, signed) : `${pair.b}==0?${value}:0`};`,
        );
        const [brk, cont] = [this.label("B"), this.label("C")];
        this.loops.push({ brk, cont });
        const body = c.nested(() => this.stmt(stmt.body));
        this.loops.pop();
        c.emit(js`${brk}:for(;${n}>0;${n}--){K.tick();${cont}:{${body}}}`);
        return;
      }
      case "break":
      case "continue": {
        const loop = this.loops[this.loops.length - 1];
        if (loop) c.emit(`break ${stmt.op === "break" ? loop.brk : loop.cont};`);
        return;
      }
      case "return":
        c.emit(this.returnLabel ? `break ${this.returnLabel};` : "return;");
        return;
      case "delay":
        c.emit(`K.sleep(th,${this.ticks(stmt.delay)});yield;`);
        return;
      case "event":
        this.wait(stmt.events);
        return;
      case "wait":
        this.waitFor(stmt);
        return;
      case "fork": {
        const branches = stmt.branches.map(
          (branch) => js`function*(th){${this.inner(true, (inner) => inner.stmt(branch))}}`,
        );
        const block = stmt.id?.disabled ? `,BI[${program.blockIndex(stmt.id)}]` : "";
        const fork = js`if(K.fork(th,${quoted(stmt.join)},[${joined(branches, ",")}]${block}))yield;`;
        if (stmt.id) this.guarded(stmt.id, () => c.emit(fork));
        else c.emit(fork);
        return;
      }
      case "disable":
        if (!stmt.block) c.emit("K.disableFork(th);");
        else if (this.labels.includes(stmt.block)) c.emit(`break ${program.blockLabel(stmt.block)};`);
        else {
          const id = program.blockIndex(stmt.block);
          c.emit(`if(K.disable(${this.waits ? "th" : "K.current"},BI[${id}]))throw K.signalOf(BI[${id}]);`);
        }
        return;
      case "trigger":
        c.emit(
          stmt.blocking ? `K.trigger(${stmt.signal.id});` : `K.afterNonblocking(0,()=>K.trigger(${stmt.signal.id}));`,
        );
        return;
      case "call":
        program.calls.statement(this, stmt.sub, stmt.args, this.waits);
        return;
      case "eval":
        c.pair(stmt.expr as Bits);
        return;
      case "system":
        program.tasks.statement(this, stmt);
        return;
      case "force":
        this.force(stmt);
        return;
      case "assert": {
        const test = c.truth(stmt.test);
        const pass = stmt.pass ? c.nested(() => this.stmt(stmt.pass!)) : "";
        const index = program.assertion(stmt);
        const failed = stmt.fail ? c.nested(() => this.stmt(stmt.fail!)) : `T.assertFailed(${index});`;
        if (stmt.word === "cover") c.emit(js`if(${test}){T.covered(${index});${pass}}`);
        else c.emit(js`if(${test}){T.passed(${index});${pass}}else{T.failed(${index});${failed}}`);
      }
    }
  }

  private block(stmt: Stmt & { op: "block" }): void {
    const { c } = this;
    const emit = () => {
      for (const local of stmt.locals ?? []) this.local(local);
      for (const inner of stmt.body) this.stmt(inner);
    };
    if (stmt.id?.disabled) this.guarded(stmt.id, emit);
    else if (stmt.locals?.length) c.emit(js`{${c.nested(emit)}}`);
    else emit();
  }

  /** A block that `disable` may end: from within by a jump, from elsewhere by what is thrown into the thread. */
  private guarded(id: BlockId, emit: () => void): void {
    const { c, program } = this;
    if (!id.disabled) {
      emit();
      return;
    }
    const label = program.blockLabel(id);
    this.labels.push(id);
    const text = c.nested(emit);
    this.labels.pop();
    const at = program.blockIndex(id);
    const [enter, leave] = this.waits ? [`K.enter(th,BI[${at}]);`, `finally{K.leave(th,BI[${at}]);}`] : ["", ""];
    c.emit(js`${label}:{${enter}try{${text}}catch(e){if(e!==K.signalOf(BI[${at}]))throw e;}${leave}}`);
  }

  /** Declares an automatic variable with its start value. */
  local(signal: Signal): void {
    this.c.emit(localDeclaration(signal));
  }

  private assign(stmt: Stmt & { op: "assign" }): void {
    const { c, program } = this;
    const { target, value, intra, blocking } = stmt;
    if (target.form) {
      const text = target.form === "real" ? c.real(value) : c.text(value);
      if (blocking && !intra) {
        program.writes.assignForm(c, target, text);
        return;
      }
      const held = c.temp("v");
      const name = this.label("v");
      c.emit(`${held}=${text};`);
      const body = c.nested(() => program.writes.assignForm(c, target, name));
      if (blocking) {
        this.intraWait(intra!);
        program.writes.assignForm(c, target, held);
      } else
        c.emit(
          js`{const ${name}=${held};K.afterNonblocking(${intra?.delay ? this.ticks(intra.delay) : "0"},()=>{${body}});}`,
        );
      return;
    }
    if (blocking) {
      if (!intra) {
        c.assign(target, value);
        return;
      }
      const pair = c.pair(value as Bits);
      const held = { a: c.temp("v"), b: c.temp("v") };
      c.emit(`${held.a}=${pair.a};${held.b}=${pair.b};`);
      this.intraWait(intra);
      program.writes.assign(c, target, held, value.width);
      return;
    }
    const pair = c.pair(value as Bits);
    if (!intra) {
      program.writes.nonblocking(c, target, pair, value.width);
      return;
    }
    if (intra.delay) {
      const ticks = this.ticks(intra.delay);
      program.writes.deferred(c, target, pair, (body) => js`K.afterNonblocking(${ticks},()=>{${body}});`);
      return;
    }
    // q <= @(event) v: a thread of its own waits
    program.writes.deferred(c, target, pair, (body) => {
      const wait = this.inner(true, (inner) => inner.intraWait(intra));
      return js`K.spawn(${program.currentProcess},function*(th){${wait}K.afterNonblocking(0,()=>{${body}});});`;
    });
  }

  private intraWait(intra: NonNullable<(Stmt & { op: "assign" })["intra"]>): void {
    const { c } = this;
    if (intra.delay) {
      c.emit(`K.sleep(th,${this.ticks(intra.delay)});yield;`);
      return;
    }
    if (intra.repeat) {
      const pair = c.hold(c.pair(intra.repeat as Bits));
      const n = c.temp("n");
      c.emit(`${n}=${c.asNumber(pair.a, intra.repeat.width, intra.repeat.signed)};`);
      const body = c.nested(() => this.wait(intra.events ?? []));
      c.emit(js`for(;${n}>0;${n}--){${body}}`);
    } else if (intra.events) this.wait(intra.events);
  }

  /** A delay in steps of the finest precision, rounded to the precision of its module first. */
  ticks(delay: DelayModel, which = 0): string {
    const { c, program } = this;
    const value = delay.values[Math.min(which, delay.values.length - 1)];
    const { unit, precision } = delay.timeScale;
    const steps = 10 ** (unit - precision);
    const scale = 10 ** (precision - program.precision);
    if (value.op === "const") {
      if (value.value.b) return "0";
      const number = Number(value.signed ? BigInt.asUintN(value.width, value.value.a) : value.value.a);
      return String(number * steps * scale);
    }
    if (value.op === "realconst") return String(Math.round(Number((value.value * steps).toPrecision(15))) * scale);
    if (value.form === "real") return `H.ticks(${c.real(value)},${steps},${scale})`;
    const pair = c.hold(c.pair(value as Bits));
    const known = pair.b === "0" || pair.b === "0n" ? "" : `${pair.b}!=0?0:`;
    return `(${known}${c.asNumber(pair.a, value.width, false)}*${steps * scale})`;
  }

  // ---- waiting ------------------------------------------------------------------------------------------------

  wait(events: readonly EventModel[]): void {
    const [only] = events;
    const spot = events.length === 1 && only.edge ? this.program.staticEvent(only) : null;
    if (spot && only.edge !== "both") {
      this.c.emit(`K.waitEdge(th,${this.program.edgeList(spot.signal, spot.bit, only.edge!)});yield;`);
      return;
    }
    const terms = `[${events.map((event) => this.terms(event)).join(",")}]`;
    // terms without closures are the same each time
    const list = /=>/.test(terms) ? terms : this.program.shared(terms);
    this.c.emit(`K.wait(th,${list});yield;`);
  }

  private terms(event: EventModel): string {
    const { program } = this;
    const guard = event.guard
      ? `()=>{${program.plain(this.inner(false, (inner) => inner.c.emit(`return ${inner.c.truth(event.guard!)};`)))}}`
      : "null";
    const { expr } = event;
    const edge = event.edge ? quoted(event.edge) : "null";
    const term = (signal: number, bit: number | null, probe: string) =>
      `{signal:${signal},edge:${edge},bit:${bit},probe:${probe},guard:${guard}}`;
    if (expr.op === "signal" && !expr.signal.automatic) {
      if (expr.signal.type.kind === "event") return term(expr.signal.id, null, "null");
      const { signal, offset } = program.storage.root(expr.signal);
      program.watch(signal);
      if (signal === expr.signal || (event.edge && expr.width === 1))
        return term(signal.id, event.edge ? offset : null, "null");
    }
    if (
      event.edge &&
      expr.op === "slice" &&
      expr.width === 1 &&
      expr.arg.op === "signal" &&
      !expr.arg.signal.automatic
    ) {
      const { signal, offset } = program.storage.root(expr.arg.signal);
      program.watch(signal);
      return term(signal.id, offset + expr.lsb, "null");
    }
    // an expression: looked at again whenever something in it changes
    const read = new Set<Signal>();
    readsOfExpr(expr, read);
    const value = this.inner(false, (inner) => {
      if (expr.form === "real") inner.c.emit(`return String(${inner.c.real(expr)})+"0";`);
      else if (expr.form === "string") inner.c.emit(`return ${inner.c.text(expr)}+"0";`);
      else {
        const pair = inner.c.wide(expr as Bits);
        inner.c.emit(`return H.key(${pair.a},${pair.b});`);
      }
    });
    const roots = new Set([...read].map((signal) => program.storage.root(signal).signal));
    for (const signal of roots) program.watch(signal);
    return `...(p=>[${[...roots].map((signal) => term(signal.id, null, "p")).join(",")}])({value:()=>{${program.plain(value)}},last:""})`;
  }

  private waitFor(stmt: Stmt & { op: "wait" }): void {
    const { c, program } = this;
    if (!stmt.test) {
      c.emit("if(K.waitFork(th))yield;");
      return;
    }
    const read = new Set<Signal>();
    readsOfExpr(stmt.test, read);
    const roots = new Set([...read].map((signal) => program.storage.root(signal).signal));
    for (const signal of roots) program.watch(signal);
    const terms = [...roots].map((signal) => `{signal:${signal.id},edge:null,bit:null,probe:null,guard:null}`);
    const test = c.nested(() => c.emit(`if(${c.truth(stmt.test!)})break;`));
    c.emit(js`for(;;){${test}K.wait(th,[${terms.join(",")}]);yield;}`);
  }

  // ---- loops and choices --------------------------------------------------------------------------------------

  private loop(stmt: Stmt & { op: "loop" }): void {
    const { c } = this;
    if (stmt.init) this.stmt(stmt.init);
    const [brk, cont] = [this.label("B"), this.label("C")];
    this.loops.push({ brk, cont });
    const test = stmt.test ? c.nested(() => c.emit(`if(!(${c.truth(stmt.test!)}))break;`)) : "";
    const body = c.nested(() => this.stmt(stmt.body));
    const step = stmt.step ? c.nested(() => this.stmt(stmt.step!)) : "";
    this.loops.pop();
    c.emit(
      stmt.after
        ? js`${brk}:for(;;){K.tick();${cont}:{${body}}${step}${test}}`
        : js`${brk}:for(;;){${test}K.tick();${cont}:{${body}}${step}}`,
    );
  }

  private caseStmt(stmt: Stmt & { op: "case" }): void {
    const { c, program } = this;
    const { subject, items, fallback } = stmt;
    const done = this.label("S");
    const miss = () => {
      if (fallback) this.stmt(fallback);
      else if (stmt.check && stmt.check !== "unique0")
        c.emit(`T.violation(${program.place(stmt.loc)},${quoted(stmt.check)},"case");`);
    };
    if (stmt.flavour === "inside") {
      const text = c.nested(() => {
        for (const item of items) {
          for (const label of item.labels) {
            const body = c.nested(() => this.stmt(item.body));
            c.emit(js`if(${c.truth(label)}){${body}break ${done};}`);
          }
        }
        miss();
      });
      c.emit(js`${done}:{${text}}`);
      return;
    }
    if (subject.form) {
      const read = (expr: Expr) => (subject.form === "real" ? c.real(expr) : c.text(expr));
      const value = c.temp("v");
      c.emit(`${value}=${read(subject)};`);
      const text = c.nested(() => {
        for (const item of items) {
          const tests = item.labels.map((label) => `${value}===${read(label)}`);
          const body = c.nested(() => this.stmt(item.body));
          c.emit(js`if(${tests.join("||")}){${body}break ${done};}`);
        }
        miss();
      });
      c.emit(js`${done}:{${text}}`);
      return;
    }
    const pair = c.hold(c.pair(subject as Bits));
    const zero = isWide(subject.width) ? "0n" : "0";
    const constant = items.every((item) => item.labels.every((label) => label.op === "const"));
    const plain =
      constant && items.every((item) => item.labels.every((label) => label.op === "const" && label.value.b === 0n));
    if (stmt.flavour === "case" && plain && !isWide(subject.width) && items.length >= 4) {
      const seen = new Set<string>();
      const cases = c.nested(() => {
        for (const item of items) {
          const own = item.labels
            .map((label) => (label.op === "const" ? literal(label.value.a, label.width) : ""))
            .filter((text) => !seen.has(text));
          if (own.length === 0) continue;
          for (const text of own) seen.add(text);
          c.emit(`${own.map((text) => `case ${text}:`).join("")}{`);
          this.stmt(item.body);
          c.emit(`break ${done};}`);
        }
      });
      const rest = c.nested(miss);
      const known = pair.b === zero ? "" : `if(${pair.b}===0)`;
      c.emit(js`${done}:{${known}switch(${pair.a}){${cases}}${rest}}`);
      return;
    }
    const text = c.nested(() => {
      for (const item of items) {
        const body = c.nested(() => this.stmt(item.body));
        for (const label of item.labels) {
          const test = this.caseTest(stmt.flavour as "case" | "casez" | "casex", pair, label, zero);
          // one body after the last label; earlier labels jump there by a flag
          c.emit(js`if(${test}){${body}break ${done};}`);
        }
      }
      miss();
    });
    c.emit(js`${done}:{${text}}`);
  }

  private caseTest(
    flavour: "case" | "casez" | "casex",
    subject: { a: string; b: string },
    label: Expr,
    zero: string,
  ): string {
    const { c } = this;
    const wide = isWide(label.width);
    if (label.op === "const") {
      const { a, b } = label.value;
      const full = (1n << BigInt(label.width)) - 1n;
      const wild = flavour === "case" ? 0n : flavour === "casex" ? b : b & ~a;
      const care = full & ~wild;
      if (flavour === "case")
        return subject.b === zero && b !== 0n
          ? "false"
          : `${subject.a}===${literal(a, label.width)}${subject.b === zero ? "" : `&&${subject.b}===${literal(b, label.width)}`}`;
      const mask = literal(care, label.width);
      const known =
        (b & care) === 0n
          ? `${care === full ? subject.a : `(${subject.a}&${mask})`}===${literal(a & care, label.width)}`
          : "false";
      if (subject.b === zero) return known;
      return `(${subject.b}===${zero}?${known}:H.${wide ? "wideMatch" : "match"}(${flavour === "casex"},${subject.a},${subject.b},${literal(a, label.width)},${literal(b, label.width)}))`;
    }
    const pair = c.hold(c.pair(label as Bits));
    if (flavour === "case") return `${subject.a}===${pair.a}&&${subject.b}===${pair.b}`;
    return `H.${wide ? "wideMatch" : "match"}(${flavour === "casex"},${subject.a},${subject.b},${pair.a},${pair.b})`;
  }

  private force(stmt: Stmt & { op: "force" }): void {
    const { c, program } = this;
    const { parts } = stmt.target;
    if (parts.length > 1) {
      // each part by itself, with its own bits of the value
      let lsb = stmt.target.width;
      for (const part of parts) {
        const { width, loc } = part;
        lsb -= width;
        const value: Expr | null = stmt.value && { op: "slice", arg: stmt.value, lsb, width, signed: false, loc };
        this.force({ ...stmt, target: { parts: [part], width, loc }, value });
      }
      return;
    }
    const strong = stmt.word === "force" || stmt.word === "release";
    for (const part of stmt.target.parts) {
      const { signal } = program.storage.root(part.signal);
      program.setter(signal);
      if (stmt.word === "release" || stmt.word === "deassign") c.emit(`T.release(${signal.id},${strong});`);
    }
    if (!stmt.value) return;
    const [part] = stmt.target.parts;
    const { signal } = program.storage.root(part.signal);
    // the expression goes on driving: a little process of its own follows what it reads
    const read = new Set<Signal>();
    readsOfExpr(stmt.value, read);
    const roots = new Set([...read].map((each) => program.storage.root(each).signal));
    for (const each of roots) program.watch(each);
    const value = stmt.value;
    const apply = this.inner(false, (inner) => {
      inner.c.emit(`T.forcing(${signal.id},true);`);
      inner.c.assign(stmt.target, value);
      inner.c.emit(`T.forcing(${signal.id},false);`);
    });
    c.emit(js`T.force(${signal.id},${strong},()=>{${apply}},[${[...roots].map((each) => each.id).join(",")}]);`);
  }
}

export function localDeclaration(signal: Signal): string {
  const form = elementForm(signal);
  const count = signal.dims.reduce(
    (product, dim) => product * (Math.abs(dim.left - dim.right) + 1),
    signal.dims.length ? 1 : 0,
  );
  const a = `l${signal.id}a`;
  const b = `l${signal.id}b`;
  if (form === "object") return `let ${a}=T.makeContainer(${signal.id});`;
  if (form === "real") return count ? `let ${a}=new Float64Array(${count});` : `let ${a}=0;`;
  if (form === "string") return count ? `let ${a}=new Array(${count}).fill("");` : `let ${a}="";`;
  const ones = signal.fourState ? (1n << BigInt(signal.width)) - 1n : 0n;
  const start = literal(ones, signal.width);
  if (count) {
    const make = form === "narrow" ? `new Int32Array(${count}).fill(${start})` : `new Array(${count}).fill(${start})`;
    return `let ${a}=${make}${signal.fourState ? `,${b}=${make}` : ""};`;
  }
  return `let ${a}=${start}${signal.fourState ? `,${b}=${start}` : ""};`;
}
