import type { BoundDecl, BoundProcess, Expr, Stmt, Subprogram } from "../bound.ts";
import type { BoundRange } from "../types.ts";
import type { Sig } from "../values/signals.ts";

/** What a process of pure logic reads: `n` bits of a signal, or all of it. */
export interface LogicRead {
  readonly sig: Sig;
  readonly lo: number;
  readonly n: number | null;
}

/**
 * Processes that are nothing but a function of the signals they read: every variable is assigned before it is read,
 * every signal they drive, or the part of it that they drive, is assigned on every path, and nothing is waited for, reported or asked about events.
 * Such a process may run once where it would have run several times, and nobody can tell.
 */

/** Attributes of types, arrays and values, which say nothing about events. */
const plainAttributes =
  /^(left|right|high|low|range|reverse_range|length|ascending|image|value|pos|val|succ|pred|leftof|rightof|subtype|element|simple_name)$/;
/** Those that read no value of an array. */
const boundAttributes = /^(left|right|high|low|range|reverse_range|length|ascending|subtype|element|simple_name)$/;

const known = new WeakMap<BoundProcess, boolean>();
const knownFunctions = new WeakMap<Subprogram, boolean>();

export function isPureLogic(process: BoundProcess): boolean {
  let pure = known.get(process);
  if (pure === undefined) {
    pure = look(process);
    known.set(process, pure);
  }
  return pure;
}

function look(process: BoundProcess): boolean {
  if (process.postponed || process.sensitivity === null || !process.decls.every(isHarmless)) return false;
  const driven = new Map<Assigned, object>();
  const walk = new Walk(false, driven);
  const assigned = new Set<Assigned>();
  walk.stmts(process.stmts, assigned);
  if (!walk.pure || driven.size === 0) return false;
  for (const [part, decl] of driven) if (!assigned.has(part) && !assigned.has(decl)) return false;
  return true;
}

/** A declaration, or the text of a part of one whose indexes are constants. */
type Assigned = object | string;

const numbers = new WeakMap<object, number>();
let count = 0;
function numberOf(decl: object): number {
  let number = numbers.get(decl);
  if (number === undefined) {
    number = count++;
    numbers.set(decl, number);
  }
  return number;
}
/** Tells parts apart; null if only the run knows which part it is. */
function partKey(e: Expr): string | null {
  switch (e.op) {
    case "literal":
      return String(e.value);
    case "object":
      // the parameter of a loop is another constant in each turn
      return (e.decl.kind === "constant" && e.decl.role !== "loop" && e.decl.role !== "param") ||
        e.decl.kind === "signal"
        ? `d${numberOf(e.decl)}`
        : null;
    case "builtin":
      return keyOfAll(e.name, e.args);
    case "index":
      return keyOfAll("index", [e.of, ...e.indexes]);
    case "field":
      return keyOfAll(`field${e.field}`, [e.of]);
    case "slice": {
      const { range } = e;
      return range.kind === "bounds" ? keyOfAll(`slice${range.descending}`, [e.of, range.left, range.right]) : null;
    }
    default:
      return null;
  }
}
function keyOfAll(name: string, list: readonly Expr[]): string | null {
  const keys = list.map(partKey);
  return keys.includes(null) ? null : `${name}(${keys.join()})`;
}
/** Declarations that may be elaborated twice: they open no files and call nothing that counts its calls. */
export function hasPureDecls(process: BoundProcess): boolean {
  return process.decls.every((decl) => {
    if (decl.kind === "file") return false;
    return (decl.kind !== "variable" && decl.kind !== "constant") || !decl.init || isPureExpr(decl.init);
  });
}
function isHarmless(decl: BoundDecl): boolean {
  return (
    /^(constant|variable|type|alias|attributevalue)$/.test(decl.kind) && (decl.kind !== "variable" || !isShared(decl))
  );
}
const isShared = (decl: { readonly role: string }): boolean => decl.role === "shared";

/** A function of signals alone, without a look at their events. */
export function isPureExpr(e: Expr): boolean {
  const walk = new Walk(false, new Map());
  walk.expr(e, new Set());
  return walk.pure;
}

/** A function of its arguments alone. */
function isPureFunction(sub: Subprogram): boolean {
  if (!sub.isFunction || !sub.pure || sub.ownerType) return false;
  if (sub.native !== null && !sub.body) return true;
  const before = knownFunctions.get(sub);
  if (before !== undefined) return before;
  if (!sub.body) return false;
  // while it is looked at, a call of itself says nothing
  knownFunctions.set(sub, true);
  const walk = new Walk(true, new Map());
  const pure = sub.body.decls.every((decl) => isHarmless(decl) || decl.kind === "sub");
  if (pure) walk.stmts(sub.body.stmts, new Set());
  knownFunctions.set(sub, pure && walk.pure);
  return pure && walk.pure;
}

class Walk {
  pure = true;
  constructor(
    private readonly inFunction: boolean,
    /** Signals, or parts of them, that are assigned somewhere, with their declarations. */
    private readonly driven: Map<Assigned, object>,
  ) {}

  /** @param done Declarations that are assigned whole so far; those of all paths are added. */
  stmts(list: readonly Stmt[], done: Set<Assigned>): void {
    for (const stmt of list) {
      if (!this.pure) return;
      this.stmt(stmt, done);
    }
  }

  private stmt(stmt: Stmt, done: Set<Assigned>): void {
    switch (stmt.op) {
      case "null":
        return;
      case "block":
        this.stmts(stmt.body, done);
        return;
      case "signal": {
        const { elements } = stmt.waveform;
        const isPlain =
          !this.inFunction &&
          !stmt.transport &&
          stmt.force === null &&
          stmt.reject === null &&
          !stmt.guarded &&
          elements.length === 1 &&
          elements[0].after === null &&
          elements[0].value !== null;
        if (!isPlain) {
          this.pure = false;
          return;
        }
        this.expr(elements[0].value!, done);
        this.target(stmt.target, done, true);
        return;
      }
      case "assign":
        this.expr(stmt.value, done);
        this.target(stmt.target, done, false);
        return;
      case "if": {
        this.expr(stmt.test, done);
        const yes = new Set(done);
        const no = new Set(done);
        this.stmts(stmt.yes, yes);
        if (stmt.no) this.stmts(stmt.no, no);
        for (const decl of yes) if (no.has(decl)) done.add(decl);
        return;
      }
      case "case": {
        this.expr(stmt.subject, done);
        const sets = stmt.branches.map((branch) => {
          const own = new Set(done);
          this.stmts(branch.body, own);
          return own;
        });
        if (sets.length) for (const decl of sets[0]) if (sets.every((own) => own.has(decl))) done.add(decl);
        return;
      }
      case "while":
        if (stmt.test) this.expr(stmt.test, done);
        this.stmts(stmt.body, new Set(done));
        return;
      case "for":
        this.range(stmt.range, done);
        this.stmts(stmt.body, new Set(done));
        return;
      case "exit":
      case "next":
        if (stmt.test) this.expr(stmt.test, done);
        return;
      case "return":
        if (stmt.value) this.expr(stmt.value, done);
        return;
      default:
        // waits, reports, files, and procedures, which may do any of these
        this.pure = false;
    }
  }

  private target(target: Expr, done: Set<Assigned>, isSignal: boolean): void {
    let at = target;
    if (at.op === "aggregate") {
      for (const element of at.elements) this.target(element.value, done, isSignal);
      return;
    }
    let whole = true;
    while (at.op === "index" || at.op === "slice" || at.op === "field") {
      if (at.op === "index") for (const index of at.indexes) this.expr(index, done);
      if (at.op === "slice") this.range(at.range, done);
      at = at.of;
      whole = false;
    }
    if (at.op !== "object" || at.decl.kind !== (isSignal ? "signal" : "variable") || at.decl.role === "shared") {
      this.pure = false;
      return;
    }
    const key = whole ? at.decl : isSignal ? partKey(target) : null;
    if (isSignal) this.driven.set(key ?? at.decl, at.decl);
    if (key !== null) done.add(key);
    else if (!done.has(at.decl) && !this.inFunction) this.pure = false;
  }

  private range(range: BoundRange, done: Set<Assigned>): void {
    if (range.kind === "bounds") {
      this.expr(range.left, done);
      this.expr(range.right, done);
    }
  }

  expr(whole: Expr, done: Set<Assigned>): void {
    // a list of what is still to be seen: sums may have thousands of terms
    const open = [whole];
    for (let e = open.pop(); e; e = open.pop()) this.one(e, done, open);
  }
  private one(e: Expr, done: Set<Assigned>, open: Expr[]): void {
    switch (e.op) {
      case "literal":
      case "string":
        return;
      case "object": {
        const { decl } = e;
        if (decl.kind === "constant") return;
        if (decl.kind === "alias") open.push(decl.of);
        else if (decl.kind === "signal") {
          if (this.inFunction) this.pure = false;
        } else if (decl.kind === "variable") {
          if (decl.role === "shared" || (!this.inFunction && !done.has(decl))) this.pure = false;
        } else this.pure = false;
        return;
      }
      case "index":
        open.push(e.of);
        open.push(...e.indexes);
        return;
      case "slice":
        open.push(e.of);
        this.range(e.range, done);
        return;
      case "field":
        open.push(e.of);
        return;
      case "call":
        if (e.on || !isPureFunction(e.sub) || e.sub.params.some((param) => param.kind === "signal")) {
          // an edge is asked for, or who knows what
          this.pure = false;
          return;
        }
        for (const arg of e.args) if (arg) open.push(arg);
        return;
      case "builtin":
        open.push(...e.args);
        return;
      case "attribute":
        if (!plainAttributes.test(e.name)) {
          this.pure = false;
          return;
        }
        if (e.of && !boundAttributes.test(e.name)) open.push(e.of);
        if (e.arg) open.push(e.arg);
        return;
      case "aggregate":
        for (const { choice, value } of e.elements) {
          if (choice.kind === "value") open.push(choice.value);
          if (choice.kind === "range") this.range(choice.range, done);
          open.push(value);
        }
        return;
      case "convert":
      case "qualified":
        open.push(e.arg);
        return;
      default:
        this.pure = false;
    }
  }
}
