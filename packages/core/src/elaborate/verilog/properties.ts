import type { Loc } from "../../common/source.ts";
import type {
  AssertionDecl,
  AssertionDefault,
  CallArg,
  ConcurrentAssert,
  ExprNode,
  PropertyNode,
  PropertySpec,
} from "../../hdl/verilog/ast.ts";
import type { EventModel, Expr, Process, Signal, Stmt, SystemArg } from "../model.ts";
import type { Scope } from "../scope.ts";
import {
  chained,
  delayed,
  either,
  joined,
  type Literal,
  type PropertyTree,
  type Sequence,
  SequenceTooLarge,
  star,
  throughout,
  tick,
  times,
  within,
} from "../sequence.ts";
import { vectorType } from "../types.ts";
import { readsOfExpr } from "../walk.ts";
import { isTwoState } from "./bind-expr.ts";
import { twice, Use } from "./formals.ts";
import type { Host } from "./host.ts";

const mostClocks = 10_000;

/** What an assertion that is being bound has gathered so far. */
interface Gathered {
  readonly scope: Scope;
  /** Conditions, by the text that they come from. */
  readonly terms: Expr[];
  readonly known: Map<ExprNode, number>;
  /** Values of earlier clocks: each takes the one before it, from the last on. */
  readonly pasts: { readonly signal: Signal; readonly value: Expr }[];
  readonly chains: Map<ExprNode, Signal[]>;
}

/**
 * Concurrent assertions (IEEE 1800-2017 clause 16) as processes: what they look at is sampled at the end of every time
 * step, so that a clock's edge sees the values from before it; on the edge the conditions go to a follower of the
 * automaton, which says what has passed and what has failed.
 */
export class Properties {
  readonly trees: PropertyTree[] = [];
  /** Processes of simulation alone. */
  readonly processes: Process[] = [];
  private readonly samples = new Map<Signal, Signal>();
  private readonly defaults = new Map<Scope, { clock: PropertySpec["clock"]; disable: ExprNode | null }>();
  private gathered: Gathered | null = null;

  constructor(private readonly host: Host) {}

  declare(node: AssertionDecl, scope: Scope): void {
    if (!scope.declare(node.name, { kind: "assertion", node, scope, loc: node.nameLoc }))
      twice(this.host, node.name, node.nameLoc);
  }

  setDefault(node: AssertionDefault, scope: Scope): void {
    const old = this.defaults.get(scope.root);
    this.defaults.set(scope.root, {
      clock: node.clock ?? old?.clock ?? null,
      disable: node.disable ?? old?.disable ?? null,
    });
  }

  bind(node: ConcurrentAssert, scope: Scope): void {
    const { stmts, exprs, report } = this.host;
    const { loc } = node;
    const fallback = this.defaults.get(scope.root);
    const spec = this.unfolded(node.spec, scope);
    const clock = spec.clock ?? fallback?.clock ?? null;
    if (!clock) {
      report.error(
        "verilog/assertion",
        loc,
        "This assertion has no clock.",
        "Write @(posedge clk) before the property, or a default clocking.",
      );
      return;
    }
    const events = stmts.events(clock, scope);
    const disableNode = spec.disable ?? fallback?.disable ?? null;
    const disable = disableNode && exprs.condition(disableNode, scope);
    const gathered: Gathered = { scope, terms: [], known: new Map(), pasts: [], chains: new Map() };
    const outer = this.gathered;
    this.gathered = gathered;
    let tree: PropertyTree;
    try {
      tree = this.property(spec.body, scope);
    } catch (error) {
      if (!(error instanceof SequenceTooLarge)) throw error;
      report.error(
        "verilog/assertion",
        loc,
        "This property has too many ways to match.",
        "Shorten its ranges of clocks.",
      );
      return;
    } finally {
      this.gathered = outer;
    }
    const number = this.trees.push(tree) - 1;
    this.process(node, number, gathered, events, disable, scope);
  }

  // ---- the process ------------------------------------------------------------------------------------------------

  private process(
    node: ConcurrentAssert,
    number: number,
    gathered: Gathered,
    events: readonly EventModel[],
    disable: Expr | null,
    scope: Scope,
  ): void {
    const { stmts, exprs } = this.host;
    const { loc } = node;
    const { instance } = scope;
    const index: SystemArg = { kind: "expr", expr: exprs.number(BigInt(number), 32, loc) };
    const call = (name: string, width: number, args: readonly SystemArg[] = []): Expr => ({
      op: "system",
      name: `property.${name}`,
      args: [index, ...args],
      width,
      signed: false,
      loc,
    });
    const sampled = this.sampled([...gathered.terms, ...gathered.pasts.map(({ value }) => value)], loc);
    const at = (expr: Expr): Expr => replaced(expr, sampled);
    const bind = (stmt: ConcurrentAssert["pass"]) => stmt && stmts.bind(stmt, scope);
    const judged: Stmt = {
      op: "assert",
      word: node.word,
      label: node.label,
      test: call("result", 1),
      pass: bind(node.pass),
      fail: bind(node.fail),
      text: this.host.sources.text(node.spec.body.loc),
      instance,
      loc,
    };
    const terms = gathered.terms.map((expr): SystemArg => ({ kind: "expr", expr: at(expr) }));
    const work: Stmt = {
      op: "block",
      body: [
        { op: "repeat", count: call("tick", 32, terms), body: judged, loc },
        ...gathered.pasts.map(({ signal, value }) => stmts.plain(signal, at(value), loc)),
      ],
    };
    const reset: Stmt = { op: "eval", expr: call("reset", 1), loc };
    const body: Stmt = disable ? { op: "if", test: disable, yes: reset, no: work, loc } : work;
    const make = { kind: "always" as const, instance, loc, eventLoc: loc, name: node.label ?? `${node.word} property` };
    this.processes.push({ ...make, events, body });
    if (!disable) return;
    // what holds between two clocks counts too
    const changes: EventModel[] = [{ edge: null, expr: disable, guard: null, loc }];
    this.processes.push({ ...make, events: changes, body: { op: "if", test: disable, yes: reset, no: null, loc } });
  }

  /** A copy of each signal that holds what it was at the end of the last time step. */
  private sampled(exprs: readonly Expr[], loc: Loc): Map<Signal, Signal> {
    const read = new Set<Signal>();
    for (const expr of exprs) readsOfExpr(expr, read);
    const by = new Map<Signal, Signal>();
    for (const signal of read) {
      if (signal.dims.length || signal.type.kind !== "integral") continue;
      let copy = this.samples.get(signal);
      if (!copy) {
        const scope = this.host.scopeOf(signal.instance);
        copy = this.host.newSignal(`${signal.plainName}$sampled`, signal.loc, scope, {
          type: signal.type,
          kind: "local",
        });
        copy.fourState = signal.fourState || signal.kind === "net";
        this.samples.set(signal, copy);
        const args: SystemArg[] = [signal, copy].map((each) => ({ kind: "array", signal: each, loc }));
        const take: Stmt = { op: "system", name: "property.sample", args, instance: signal.instance, scope: "", loc };
        const own: Expr = { op: "signal", signal, width: signal.width, signed: signal.signed, loc };
        const make = { instance: signal.instance, loc, eventLoc: loc, name: copy.plainName };
        this.processes.push({ ...make, kind: "initial", events: null, body: take });
        this.processes.push({
          ...make,
          kind: "always",
          events: [{ edge: null, expr: own, guard: null, loc }],
          body: take,
        });
      }
      by.set(signal, copy);
    }
    return by;
  }

  // ---- properties -------------------------------------------------------------------------------------------------

  /** Named properties in the place of their names, as far as a whole property is one. */
  private unfolded(spec: PropertySpec, scope: Scope): PropertySpec {
    const inner = spec.body.kind === "expr" ? this.within(spec.body.expr, scope) : null;
    if (!inner) return spec;
    this.depth++;
    const whole = this.unfolded(inner, scope);
    this.depth--;
    return { clock: spec.clock ?? whole.clock, disable: spec.disable ?? whole.disable, body: whole.body };
  }

  /** What a name with arguments stands for, if it is a property or a sequence. */
  private named(node: ExprNode, scope: Scope): PropertySpec | null {
    const callee = node.kind === "call" ? node.callee : node;
    if (callee.kind !== "name") return null;
    const meaning = scope.find(callee.name);
    if (meaning?.kind !== "assertion") return null;
    const decl = meaning.node;
    const use = new Use(this.host, decl, node, meaning.scope, scope);
    const isEndless = this.depth > 40 || this.endless.has(decl);
    if (isEndless || !use.isGood) {
      if (isEndless && !this.endless.has(decl))
        this.host.report.error("verilog/recursion", node.loc, `'${callee.name}' names itself.`, "Break the cycle.");
      if (isEndless) this.endless.add(decl);
      const { loc } = node;
      const expr: ExprNode = { kind: "number", width: 1, signed: false, based: true, a: 1n, b: 0n, loc };
      return { clock: null, disable: null, body: { kind: "expr", expr, loc } };
    }
    return use.placed(decl.spec);
  }
  private depth = 0;
  private readonly endless = new Set<AssertionDecl>();

  private property(node: PropertyNode, scope: Scope): PropertyTree {
    switch (node.kind) {
      case "implies": {
        const isFirst = node.left.kind === "first";
        const left = this.sequence(node.left.kind === "first" ? node.left.of : node.left, scope);
        this.mayBeEmpty(left, node.left.loc);
        return {
          kind: "implies",
          overlapped: node.overlapped,
          left,
          first: isFirst,
          right: this.property(node.right, scope),
        };
      }
      case "not":
        return { kind: "not", of: this.property(node.of, scope) };
      case "if": {
        const test = this.literal(node.test);
        return { kind: "if", test, yes: this.property(node.yes, scope), no: node.no && this.property(node.no, scope) };
      }
      case "and":
      case "or":
        if (this.isProperty(node.left, scope) || this.isProperty(node.right, scope))
          return { kind: node.kind, left: this.property(node.left, scope), right: this.property(node.right, scope) };
        break;
      case "first":
        return this.property(node.of, scope);
      case "expr": {
        const inner = this.within(node.expr, scope);
        if (inner) return this.property(inner.body, scope);
      }
    }
    const sequence = this.sequence(node, scope);
    this.mayBeEmpty(sequence, node.loc);
    return { kind: "sequence", sequence };
  }

  private mayBeEmpty(sequence: Sequence, loc: Loc): void {
    if (sequence.empty && sequence.edges.length === 0)
      this.host.report.error("verilog/assertion", loc, "This matches without a clock.", "Let it take one at least.");
  }

  /** A named property within another, on the clock of the assertion. */
  private within(node: ExprNode, scope: Scope): PropertySpec | null {
    this.depth++;
    const found = this.named(node, scope);
    this.depth--;
    return found;
  }

  private isProperty(node: PropertyNode, scope: Scope): boolean {
    switch (node.kind) {
      case "implies":
      case "not":
      case "if":
        return true;
      case "and":
      case "or":
        return this.isProperty(node.left, scope) || this.isProperty(node.right, scope);
      case "expr": {
        const inner = this.within(node.expr, scope);
        return inner !== null && this.isProperty(inner.body, scope);
      }
      default:
        return false;
    }
  }

  private sequence(node: PropertyNode, scope: Scope): Sequence {
    const { report } = this.host;
    switch (node.kind) {
      case "expr": {
        this.depth++;
        const inner = this.named(node.expr, scope);
        const made = inner ? this.sequence(inner.body, scope) : tick([this.literal(node.expr)]);
        this.depth--;
        return made;
      }
      case "delay": {
        const [low, high] = this.counts(node.low, node.high, scope);
        const left = node.left && this.sequence(node.left, scope);
        return delayed(left, low, high, this.sequence(node.right, scope));
      }
      case "repeat": {
        const [low, high] = this.counts(node.low, node.high, scope);
        if (node.mode === "*") return times(this.sequence(node.of, scope), low, high);
        if (node.of.kind !== "expr") {
          report.error(
            "verilog/assertion",
            node.of.loc,
            `[${node.mode}] repeats a condition only.`,
            "Write [*] for a sequence.",
          );
          return tick([]);
        }
        const literal = this.literal(node.of.expr);
        const not = star(tick([literal ^ 1]));
        const next = chained(not, tick([literal]));
        const found = times(next, low, high);
        return node.mode === "->" ? found : chained(found, not);
      }
      case "or":
        return either(this.sequence(node.left, scope), this.sequence(node.right, scope));
      case "and":
      case "intersect":
        return joined(this.sequence(node.left, scope), this.sequence(node.right, scope), node.kind === "intersect");
      case "within":
        return within(this.sequence(node.left, scope), this.sequence(node.right, scope));
      case "throughout":
        if (node.left.kind === "expr")
          return throughout(this.literal(node.left.expr), this.sequence(node.right, scope));
        report.error(
          "verilog/assertion",
          node.left.loc,
          "'throughout' wants a condition before it.",
          "Write an expression.",
        );
        return tick([]);
      case "first":
        report.error(
          "verilog/assertion",
          node.loc,
          "'first_match' stands only as the whole left side of an implication.",
          "Take it out, or put it around that side.",
        );
        return this.sequence(node.of, scope);
      default:
        report.error("verilog/assertion", node.loc, "A property cannot be part of a sequence.", "Put it behind |->.");
        return tick([]);
    }
  }

  private counts(low: ExprNode, high: ExprNode | "$" | null, scope: Scope): [number, number | null] {
    const { exprs, report } = this.host;
    const number = (node: ExprNode): number => {
      const value = exprs.integer(node, scope, "A number of clocks") ?? 0;
      if (value >= 0 && value <= mostClocks) return value;
      report.error("verilog/assertion", node.loc, `${value} clocks are none.`, `Write 0 to ${mostClocks}.`);
      return 0;
    };
    const from = number(low);
    const to = high === null ? from : high === "$" ? null : number(high);
    if (to !== null && to < from)
      report.error(
        "verilog/assertion",
        low.loc,
        `This range ends before it begins: ${from} to ${to}.`,
        "Swap its bounds.",
      );
    return [from, to === null ? null : Math.max(from, to)];
  }

  private literal(node: ExprNode): Literal {
    const { terms, known, scope } = this.gathered!;
    let number = known.get(node);
    if (number === undefined) {
      number = terms.push(this.host.exprs.condition(node, scope)) - 1;
      known.set(node, number);
    }
    return 2 * number;
  }

  // ---- values of other clocks ---------------------------------------------------------------------------------------

  /** `$past` and its kin (clause 16.9.3); null if this is no assertion. */
  sampledValue(name: string, args: readonly CallArg[], loc: Loc, scope: Scope): Expr | null {
    const { exprs } = this.host;
    const node = args[0]?.value;
    if (!this.gathered || !node) return null;
    if (name === "$sampled") return exprs.selfDetermined(node, scope);
    if (name === "$past") {
      const count = args[1]?.value ? (exprs.integer(args[1].value, scope, "A number of clocks") ?? 1) : 1;
      return this.past(node, Math.max(1, Math.min(mostClocks, count)), scope, loc);
    }
    const now = exprs.selfDetermined(node, scope);
    const before = this.past(node, 1, scope, loc);
    const make = { width: 1, signed: false, operandSigned: false, loc };
    if (name === "$stable" || name === "$changed")
      return { op: "binary", kind: name === "$stable" ? "ceq" : "cne", left: now, right: before, ...make };
    const bit = (arg: Expr): Expr =>
      arg.width === 1 ? arg : { op: "slice", arg, lsb: 0, width: 1, signed: false, loc };
    const want = exprs.number(name === "$rose" ? 1n : 0n, 1, loc);
    const is: Expr = { op: "binary", kind: "ceq", left: bit(now), right: want, ...make };
    const was: Expr = { op: "binary", kind: "cne", left: bit(before), right: want, ...make };
    return { op: "binary", kind: "and", left: is, right: was, ...make };
  }

  private past(node: ExprNode, count: number, scope: Scope, loc: Loc): Expr {
    const { exprs } = this.host;
    const { pasts, chains } = this.gathered!;
    const now = exprs.selfDetermined(node, scope);
    let chain = chains.get(node);
    if (!chain) {
      chain = [];
      chains.set(node, chain);
    }
    while (chain.length < count) {
      const type = vectorType(Math.max(1, now.width), now.signed, !isTwoState(now));
      const signal = this.host.newSignal(`$past${chain.length + 1}`, loc, scope, { type, kind: "local" });
      const before = chain.at(-1);
      const value: Expr = before
        ? { op: "signal", signal: before, width: before.width, signed: before.signed, loc }
        : now;
      chain.push(signal);
      // the oldest takes its value first
      pasts.unshift({ signal, value });
    }
    const signal = chain[count - 1];
    return { op: "signal", signal, width: signal.width, signed: signal.signed, loc };
  }

  static readonly functions: ReadonlySet<string> = new Set([
    "$past",
    "$rose",
    "$fell",
    "$stable",
    "$changed",
    "$sampled",
  ]);
}

const kept = new Set(["loc", "instance", "func", "type"]);
/** An expression over copies of its signals. */
function replaced<T>(tree: T, by: ReadonlyMap<Signal, Signal>): T {
  if (typeof tree !== "object" || tree === null) return tree;
  if (Array.isArray(tree)) return tree.map((item) => replaced(item, by)) as T;
  const copy: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(tree))
    copy[key] = key === "signal" ? (by.get(value as Signal) ?? value) : kept.has(key) ? value : replaced(value, by);
  return copy as T;
}
