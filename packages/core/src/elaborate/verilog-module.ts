import { nearestName } from "../common/finding.ts";
import type { Loc } from "../common/source.ts";
import type {
  AlwaysItem,
  DeclItem,
  ExprNode,
  FunctionItem,
  GenerateFor,
  InstanceItem,
  ModuleItem,
  ModuleNode,
  ParamItem,
  StmtNode,
} from "../hdl/verilog/ast.ts";
import { evaluate } from "./evaluate.ts";
import type {
  ContinuousAssignment,
  Edge,
  ElaboratedModule,
  Expr,
  Func,
  Instance,
  PortBinding,
  Process,
  Signal,
  Stmt,
  Target,
  Value,
} from "./model.ts";
import type { Report } from "./report.ts";
import { type Constant, Scope } from "./scope.ts";
import { VerilogExpressions } from "./verilog-expr.ts";

const maxGenerate = 65536;
const maxInstanceDepth = 64;

/** Turns module trees into elaborated modules, one for each set of parameter values in use. */
export class VerilogElaborator {
  private readonly byName = new Map<string, ModuleNode>();
  private readonly variants = new Map<string, ElaboratedModule>();
  readonly exprs: VerilogExpressions;

  constructor(
    modules: readonly ModuleNode[],
    readonly report: Report,
  ) {
    this.exprs = new VerilogExpressions(report);
    for (const module of modules) {
      const first = this.byName.get(module.name);
      if (first) {
        report.error(
          "verilog/duplicate-module",
          module.nameLoc,
          `Module '${module.name}' is declared twice.`,
          "Rename one of them, or take one file out.",
          {
            related: [{ place: report.sources.place(first.nameLoc), message: "First declared here." }],
          },
        );
      } else this.byName.set(module.name, module);
    }
  }

  moduleNames(): string[] {
    return [...this.byName.keys()];
  }

  module(name: string): ModuleNode | undefined {
    return this.byName.get(name);
  }

  /** @param overrides Parameter values by name, already constant. */
  elaborate(
    node: ModuleNode,
    overrides: ReadonlyMap<string, Constant>,
    stack: readonly string[],
  ): ElaboratedModule | null {
    const shown = [...overrides].map(([name, value]) => `${name}=${describe(value)}`).sort();
    const variant = shown.length ? `${node.name} #(${shown.join(", ")})` : node.name;
    const known = this.variants.get(variant);
    if (known) return known;
    const built = new ModuleBuilder(this, node, overrides, [...stack, node.name]).build(variant);
    this.variants.set(variant, built);
    return built;
  }

  /** Elaborates the module that an instance names, or reports why it cannot. */
  child(
    item: InstanceItem,
    overrides: ReadonlyMap<string, Constant>,
    stack: readonly string[],
  ): ElaboratedModule | null {
    const node = this.byName.get(item.module);
    if (!node) {
      const near = nearestName(item.module, this.byName.keys());
      this.report.error(
        "verilog/unknown-module",
        item.moduleLoc,
        `There is no module '${item.module}' in the sources.`,
        near ? `Did you mean '${near}'?` : "Add the file that declares it.",
      );
      return null;
    }
    if (stack.includes(item.module) || stack.length > maxInstanceDepth) {
      this.report.error(
        "verilog/recursion",
        item.moduleLoc,
        `Module '${item.module}' contains itself: ${[...stack, item.module].join(" > ")}.`,
        "Break the cycle of instances.",
      );
      return null;
    }
    return this.elaborate(node, overrides, stack);
  }
}

function describe(constant: Constant): string {
  const { value, width, signed } = constant;
  if (value.b) return `${width}'bx`;
  return String(signed ? BigInt.asIntN(width, value.a) : value.a);
}

class ModuleBuilder {
  private readonly signals: Signal[] = [];
  private readonly assigns: ContinuousAssignment[] = [];
  private readonly processes: Process[] = [];
  private readonly instances: Instance[] = [];
  private readonly parameters: { name: string; value: string }[] = [];
  private readonly functionBodies: (() => void)[] = [];
  private readonly exprs: VerilogExpressions;
  private readonly report: Report;
  private blockCount = 0;

  constructor(
    private readonly owner: VerilogElaborator,
    private readonly node: ModuleNode,
    private readonly overrides: ReadonlyMap<string, Constant>,
    private readonly stack: readonly string[],
  ) {
    this.exprs = owner.exprs;
    this.report = owner.report;
  }

  build(variant: string): ElaboratedModule {
    const scope = new Scope(null, "");
    this.declareAll(this.node.items, scope);
    const ports: Signal[] = [];
    for (const port of this.node.ports) {
      const meaning = scope.local(port.name);
      if (meaning?.kind === "signal" && meaning.signal.direction) {
        if (ports.includes(meaning.signal))
          this.report.error("verilog/duplicate-port", port.loc, `Port '${port.name}' is listed twice.`, "Remove one.");
        else ports.push(meaning.signal);
      } else
        this.report.error(
          "verilog/port-direction",
          port.loc,
          `Port '${port.name}' has no direction.`,
          "Declare it as input or output.",
        );
    }
    for (const signal of this.signals) {
      if (signal.direction && !ports.includes(signal)) {
        this.report.error(
          "verilog/port-unlisted",
          signal.loc,
          `'${signal.name}' has a direction but is not in the port list.`,
          "Add it to the port list of the module.",
        );
      }
      if (signal.direction === "inout") {
        this.report.error(
          "verilog/unsupported",
          signal.loc,
          `The port '${signal.name}' is inout, which is not supported yet.`,
          "Use an input and an output.",
        );
      }
    }
    this.elaborateItems(this.node.items, scope);
    for (const finish of this.functionBodies) finish();
    for (const name of this.overrides.keys()) {
      if (!this.parameters.some((parameter) => parameter.name === name)) {
        this.report.error(
          "verilog/unknown-parameter",
          this.node.nameLoc,
          `Module '${this.node.name}' has no parameter '${name}'.`,
          "Correct the override in its instance.",
        );
      }
    }
    return {
      name: this.node.name,
      variant,
      parameters: this.parameters,
      signals: this.signals,
      ports,
      assigns: this.assigns,
      processes: this.processes,
      instances: this.instances,
      loc: this.node.nameLoc,
    };
  }

  /** Parameters first come first; nets may be used before their declaration in text, as in port lists. */
  private declareAll(items: readonly ModuleItem[], scope: Scope): void {
    for (const item of items) {
      if (item.kind === "param") this.declareParam(item, scope);
      else if (item.kind === "decl") this.declareDecl(item, scope);
    }
    for (const item of items) if (item.kind === "function") this.declareFunction(item, scope);
  }

  private duplicate(name: string, loc: Loc): void {
    this.report.error(
      "verilog/duplicate",
      loc,
      `'${name}' is declared twice in the same scope.`,
      "Rename or remove one of them.",
    );
  }

  private declareParam(item: ParamItem, scope: Scope): void {
    const override = item.local || scope.prefix ? undefined : this.overrides.get(item.name);
    const given = override
      ? { ...override.value, ...override }
      : this.exprs.constant(item.value, scope, "A parameter's value");
    let constant: Constant;
    if (!given) constant = { value: { a: 0n, b: 0n }, width: 32, signed: true, msb: 31, lsb: 0 };
    else if (item.range) {
      const { msb, lsb, width } = this.exprs.range(item.range, scope);
      const extended = override
        ? resizeValue(override.value, override.width, override.signed, width)
        : resizeValue(given, given.width, given.signed, width);
      constant = { value: extended, width, signed: item.signed, msb, lsb };
    } else {
      constant = {
        value: { a: given.a, b: given.b },
        width: given.width,
        signed: item.signed || given.signed,
        msb: given.width - 1,
        lsb: 0,
      };
    }
    if (!scope.declare(item.name, { kind: "constant", constant })) this.duplicate(item.name, item.loc);
    else if (!item.local) this.parameters.push({ name: item.name, value: describe(constant) });
  }

  private newSignal(name: string, loc: Loc, fields: Partial<Signal>): Signal {
    const signal: Signal = {
      id: this.signals.length,
      name,
      loc,
      width: 1,
      signed: false,
      msb: 0,
      lsb: 0,
      kind: "net",
      direction: null,
      init: null,
      implicit: false,
      ...fields,
    };
    this.signals.push(signal);
    return signal;
  }

  private declareDecl(item: DeclItem, scope: Scope): void {
    for (const declared of item.names) {
      const existing = scope.local(declared.name);
      if (existing?.kind === "signal") {
        this.completePort(existing.signal, item, declared.name, declared.loc, scope);
        this.declarationValue(existing.signal, declared.init, scope, item);
        continue;
      }
      if (existing) {
        this.duplicate(declared.name, declared.loc);
        continue;
      }
      if (item.net === "genvar") continue;
      if (declared.dims.length) {
        scope.declare(declared.name, { kind: "array", loc: declared.loc });
        continue;
      }
      const size = item.net === "integer" ? { msb: 31, lsb: 0, width: 32 } : this.exprs.range(item.range, scope);
      const variable = item.net === "reg" || item.net === "integer";
      const signal = this.newSignal(scope.prefix + declared.name, declared.loc, {
        ...size,
        signed: item.signed,
        kind: variable ? "variable" : "net",
        direction: item.direction,
      });
      scope.declare(declared.name, { kind: "signal", signal });
      if (item.net === "supply0" || item.net === "supply1") this.tie(signal, item.net === "supply1");
      this.declarationValue(signal, declared.init, scope, item);
    }
  }

  private tie(signal: Signal, high: boolean): void {
    const value: Value = { a: high ? (1n << BigInt(signal.width)) - 1n : 0n, b: 0n };
    const { width, loc } = signal;
    this.assigns.push({ target: wholeTarget(signal), value: { op: "const", value, width, signed: false, loc }, loc });
  }

  /** `output [3:0] q; reg [3:0] q;` and the like: the second declaration adds to the first. */
  private completePort(signal: Signal, item: DeclItem, name: string, loc: Loc, scope: Scope): void {
    if (
      !(signal.direction !== null && item.direction === null) &&
      !(signal.direction === null && item.direction !== null)
    ) {
      this.duplicate(name, loc);
      return;
    }
    const at = this.signals.indexOf(signal);
    const size = item.range ? this.exprs.range(item.range, scope) : null;
    if (size && signal.width !== 1 && size.width !== signal.width) {
      this.report.error(
        "verilog/port-range",
        loc,
        `'${name}' is declared with ${signal.width} and with ${size.width} bits.`,
        "Give both declarations the same range.",
      );
    }
    const merged = {
      ...(size ?? {}),
      signed: signal.signed || item.signed,
      kind: item.net === "reg" || item.net === "integer" ? ("variable" as const) : signal.kind,
      direction: signal.direction ?? item.direction,
    };
    Object.assign(this.signals[at], merged); // the same object is in the scope
  }

  private declarationValue(signal: Signal, init: ExprNode | null, scope: Scope, item: DeclItem): void {
    if (!init) return;
    if (signal.kind === "net" && item.net !== "reg") {
      const loc = init.loc;
      this.assignments.push(() => this.continuous(wholeTarget(signal), init, scope, loc));
      return;
    }
    const value = evaluate(this.exprs.assigned(init, signal.width, scope));
    if (value) signal.init = value;
    else
      this.report.error(
        "verilog/not-constant",
        init.loc,
        "An initial value must be a constant.",
        "Use a number or a parameter.",
      );
  }
  private readonly assignments: (() => void)[] = [];

  private declareFunction(item: FunctionItem, scope: Scope): void {
    const inner = new Scope(scope, `${scope.prefix}${item.name}.`);
    const size = item.isInteger ? { msb: 31, lsb: 0, width: 32 } : this.exprs.range(item.range, scope);
    const result = this.newSignal(inner.prefix + item.name, item.loc, { ...size, signed: item.signed, kind: "local" });
    inner.declare(item.name, { kind: "signal", signal: result });
    const args: Signal[] = [];
    for (const decl of item.decls) {
      for (const declared of decl.names) {
        const range = decl.net === "integer" ? { msb: 31, lsb: 0, width: 32 } : this.exprs.range(decl.range, scope);
        const signal = this.newSignal(inner.prefix + declared.name, declared.loc, {
          ...range,
          signed: decl.signed,
          kind: "local",
        });
        if (!inner.declare(declared.name, { kind: "signal", signal })) this.duplicate(declared.name, declared.loc);
        if (decl.direction === "input") args.push(signal);
      }
    }
    const func: Func = { name: item.name, args, result, body: { op: "block", body: [] } };
    if (!scope.declare(item.name, { kind: "function", func, loc: item.loc })) this.duplicate(item.name, item.loc);
    this.functionBodies.push(() => {
      func.body = this.statement(item.body, inner);
    });
  }

  private elaborateItems(items: readonly ModuleItem[], scope: Scope): void {
    for (const run of this.assignments.splice(0)) run();
    for (const item of items) {
      switch (item.kind) {
        case "continuous": {
          this.declareImplicit(item.target, scope);
          const target = this.exprs.target(item.target, scope);
          if (target) this.continuous(target, item.value, scope, item.loc);
          else this.exprs.selfDetermined(item.value, scope);
          break;
        }
        case "always":
          this.always(item, scope);
          break;
        case "initial":
          this.initial(item.body, scope);
          break;
        case "instance":
          this.instance(item, scope);
          break;
        case "genfor":
          this.generateFor(item, scope);
          break;
        case "genif": {
          const test = this.exprs.integer(item.test, scope, "The condition of a generate block");
          const block = test === null ? null : test !== 0 ? item.yes : item.no;
          if (block)
            this.generateBlock(
              block.items,
              new Scope(
                scope,
                block.label ? `${scope.prefix}${block.label}.` : `${scope.prefix}genblk${++this.blockCount}.`,
              ),
            );
          break;
        }
      }
    }
  }

  private generateBlock(items: readonly ModuleItem[], scope: Scope): void {
    this.declareAll(items, scope);
    this.elaborateItems(items, scope);
  }

  private generateFor(item: GenerateFor, scope: Scope): void {
    const label = item.label ?? `genblk${++this.blockCount}`;
    let value = this.exprs.integer(item.init, scope, "The start of a generate loop");
    if (item.stepName !== item.genvar) {
      this.report.error(
        "verilog/genvar",
        item.loc,
        `The loop counts '${item.genvar}' but steps '${item.stepName}'.`,
        "Step the genvar that the loop tests.",
      );
      return;
    }
    for (let turn = 0; value !== null; turn++) {
      if (turn >= maxGenerate) {
        this.report.error(
          "verilog/endless-generate",
          item.loc,
          `This generate loop passes ${maxGenerate} turns.`,
          "Check its condition and step.",
        );
        return;
      }
      const inner = new Scope(scope, `${scope.prefix}${label}[${value}].`);
      const constant: Constant = {
        value: { a: BigInt.asUintN(32, BigInt(value)), b: 0n },
        width: 32,
        signed: true,
        msb: 31,
        lsb: 0,
      };
      inner.declare(item.genvar, { kind: "constant", constant });
      const test = this.exprs.integer(item.test, inner, "The condition of a generate loop");
      if (!test) return;
      this.generateBlock(item.body, inner);
      value = this.exprs.integer(item.step, inner, "The step of a generate loop");
    }
  }

  /** A net named first in a port connection or left of `assign` is one bit wide (IEEE 1364-2005 clause 4.5). */
  private declareImplicit(node: ExprNode, scope: Scope): void {
    if (node.kind === "concat") for (const part of node.parts) this.declareImplicit(part, scope);
    if (node.kind !== "name" || node.name.includes(".") || scope.find(node.name)) return;
    const near = nearestName(node.name, scope.visibleNames());
    this.report.warn(
      "verilog/implicit-net",
      node.loc,
      `'${node.name}' is not declared, so it becomes a net of one bit.`,
      near ? `Did you mean '${near}'? If not, declare it.` : "Declare it with its width.",
    );
    const signal = this.newSignal(scope.prefix + node.name, node.loc, { implicit: true });
    scope.declare(node.name, { kind: "signal", signal });
  }

  private continuous(target: Target, value: ExprNode, scope: Scope, loc: Loc): void {
    for (const part of target.parts) {
      if (part.signal.kind === "variable") {
        this.report.error(
          "verilog/assign-to-reg",
          part.loc,
          `'${part.signal.name}' is a reg, so 'assign' cannot drive it.`,
          "Declare it as a wire, or assign to it in an always block.",
        );
      }
    }
    this.checkWidth(target, value, scope);
    this.assigns.push({ target, value: this.exprs.assigned(value, target.width, scope), loc });
  }

  /** Truncation loses bits. The width an engineer means leaves out the 32 bits of plain numbers. */
  private checkWidth(target: Target, value: ExprNode, scope: Scope): void {
    const meant = this.meantWidth(value, scope);
    if (meant !== null && meant > target.width) {
      this.report.warn(
        "verilog/truncated",
        value.loc,
        `This value has ${meant} bits; its target has ${target.width}. The upper ${meant - target.width} are lost.`,
        "Select the bits that are meant, or widen the target.",
      );
    }
  }

  private meantWidth(node: ExprNode, scope: Scope): number | null {
    switch (node.kind) {
      case "number":
        return node.width ?? (node.b ? 1 : Math.max(1, node.a.toString(2).length));
      case "name": {
        const meaning = scope.find(node.name);
        // an integer's 32 bits say nothing of the values that it is meant to hold
        if (meaning?.kind === "signal")
          return meaning.signal.width === 32 && meaning.signal.signed ? 1 : meaning.signal.width;
        if (meaning?.kind !== "constant") return null;
        return Math.max(1, meaning.constant.value.a.toString(2).length);
      }
      case "unary":
        return /^[-~+]$/.test(node.op) ? this.meantWidth(node.operand, scope) : 1;
      case "binary": {
        if (/^([=!<>]=|===|!==|[<>]|&&|\|\|)$/.test(node.op)) return 1;
        const left = this.meantWidth(node.left, scope);
        if (/^(<<|>>|<<<|>>>|\*\*)$/.test(node.op)) return node.left.kind === "number" ? null : left;
        const right = this.meantWidth(node.right, scope);
        if (left === null || right === null) return null;
        if (node.op === "%") return right;
        if (node.op === "/") return left;
        return node.op === "&" ? Math.min(left, right) : Math.max(left, right);
      }
      case "conditional": {
        const yes = this.meantWidth(node.yes, scope);
        const no = this.meantWidth(node.no, scope);
        return yes === null || no === null ? null : Math.max(yes, no);
      }
      case "index":
        return 1;
      case "range":
      case "concat":
      case "repeat":
        return this.exprs.selfDetermined(node, scope).width;
      default:
        return null;
    }
  }

  private always(item: AlwaysItem, scope: Scope): void {
    if (item.events === null) {
      this.report.error(
        "verilog/no-events",
        item.loc,
        "This always block waits for nothing, so it makes no circuit.",
        "Add @(posedge clock) or @(*).",
      );
      return;
    }
    const edges: Edge[] = [];
    if (item.events !== "star") {
      for (const event of item.events) {
        const signal = this.exprs.selfDetermined(event.signal, scope);
        if (event.edge === null) continue;
        const bit = asBit(signal);
        if (!bit) {
          this.report.error("verilog/event", event.loc, "An edge needs a net of one bit.", "Name a single bit.");
          return;
        }
        edges.push({ ...bit, rising: event.edge === "posedge", loc: event.loc });
      }
      if (edges.length > 0 && edges.length < item.events.length) {
        this.report.error(
          "verilog/event",
          item.loc,
          "This event list mixes edges and levels, which makes no circuit.",
          "Use edges only, or @(*).",
        );
        return;
      }
    }
    const body = this.statement(item.body, scope);
    const first = firstTarget(body);
    this.processes.push({ edges, body, loc: item.loc, name: first ? first.name : `process${this.processes.length}` });
  }

  /** Hardware takes from an initial block the values that registers start with. */
  private initial(body: StmtNode, scope: Scope): void {
    if (body.kind === "block") {
      for (const stmt of body.body) this.initial(stmt, scope);
      return;
    }
    if (body.kind === "system" || body.kind === "null") return;
    if (body.kind !== "assign") {
      this.report.warn(
        "verilog/initial",
        body.loc,
        "Only plain assignments of constants in an initial block give registers their start values.",
        "Write name = constant.",
      );
      return;
    }
    const target = this.exprs.target(body.target, scope);
    if (!target) return;
    const value = evaluate(this.exprs.assigned(body.value, target.width, scope));
    const [part] = target.parts;
    if (!value || target.parts.length > 1 || typeof part.offset !== "number") {
      this.report.warn(
        "verilog/initial",
        body.loc,
        "This start value is not a constant, so it is ignored.",
        "Assign a constant to one register.",
      );
      return;
    }
    const { signal } = part;
    const old = signal.init ?? { a: 0n, b: (1n << BigInt(signal.width)) - 1n };
    const at = BigInt(part.offset);
    const hole = ~(((1n << BigInt(part.width)) - 1n) << at);
    signal.init = { a: (old.a & hole) | (value.a << at), b: (old.b & hole) | (value.b << at) };
  }

  private statement(node: StmtNode, scope: Scope): Stmt {
    const nothing: Stmt = { op: "block", body: [] };
    switch (node.kind) {
      case "null":
        return nothing;
      case "system":
        this.report.add(
          "note",
          "verilog/system-task",
          node.loc,
          `${node.name} prints or controls a simulation; no hardware comes of it.`,
          "Nothing to do.",
        );
        return nothing;
      case "block": {
        let inner = scope;
        if (node.decls.length) {
          inner = new Scope(scope, `${scope.prefix}${node.label ?? `block${++this.blockCount}`}.`);
          for (const decl of node.decls) {
            for (const declared of decl.names) {
              const size =
                decl.net === "integer" ? { msb: 31, lsb: 0, width: 32 } : this.exprs.range(decl.range, scope);
              const signal = this.newSignal(inner.prefix + declared.name, declared.loc, {
                ...size,
                signed: decl.signed,
                kind: "variable",
              });
              if (!inner.declare(declared.name, { kind: "signal", signal }))
                this.duplicate(declared.name, declared.loc);
            }
          }
        }
        return { op: "block", body: node.body.map((stmt) => this.statement(stmt, inner)) };
      }
      case "if": {
        const test = this.exprs.truth(this.exprs.selfDetermined(node.test, scope));
        return {
          op: "if",
          test,
          yes: this.statement(node.yes, scope),
          no: node.no && this.statement(node.no, scope),
          loc: node.loc,
        };
      }
      case "case": {
        // subject and labels share one size and sign (clause 9.5)
        const own = [node.subject, ...node.items.flatMap((item) => item.labels)].map((expr) =>
          this.exprs.selfDetermined(expr, scope),
        );
        const width = own.reduce((most, expr) => Math.max(most, expr.width), 1);
        const signed = own.every((expr) => expr.signed);
        const sized = (expr: ExprNode) => this.exprs.contextual(expr, width, signed, scope);
        const items = node.items.map((item) => ({
          labels: item.labels.map(sized),
          body: this.statement(item.body, scope),
        }));
        const fallback = node.fallback && this.statement(node.fallback, scope);
        return { op: "case", flavour: node.flavour, subject: sized(node.subject), items, fallback, loc: node.loc };
      }
      case "for":
        return {
          op: "for",
          init: this.statement(node.init, scope),
          test: this.exprs.truth(this.exprs.selfDetermined(node.test, scope)),
          step: this.statement(node.step, scope),
          body: this.statement(node.body, scope),
          loc: node.loc,
        };
      case "assign": {
        const target = this.exprs.target(node.target, scope);
        if (!target) {
          this.exprs.selfDetermined(node.value, scope);
          return nothing;
        }
        for (const part of target.parts) {
          if (part.signal.kind === "net") {
            const at = this.report.sources.place(part.signal.loc);
            this.report.error(
              "verilog/assign-to-wire",
              part.loc,
              `'${part.signal.name}' is a wire, so an always block cannot assign to it.`,
              "Declare it as reg.",
              {
                related: [{ place: at, message: "Declared here." }],
              },
            );
          }
          if (part.signal.direction === "input") {
            this.report.error(
              "verilog/assign-to-input",
              part.loc,
              `'${part.signal.name}' is an input of the module.`,
              "Assign to an output or an inner register.",
            );
          }
        }
        this.checkWidth(target, node.value, scope);
        return {
          op: "assign",
          target,
          value: this.exprs.assigned(node.value, target.width, scope),
          blocking: node.blocking,
          loc: node.loc,
        };
      }
    }
  }

  private instance(item: InstanceItem, scope: Scope): void {
    const node = this.owner.module(item.module);
    const overrides = new Map<string, Constant>();
    const declared = node
      ? node.items.filter((inner): inner is ParamItem => inner.kind === "param" && !inner.local)
      : [];
    item.params.forEach((connection, index) => {
      const name = connection.name ?? declared[index]?.name;
      if (!connection.value) return;
      const value = this.exprs.constant(connection.value, scope, "A parameter's value");
      if (!node) return;
      if (!name || !declared.some((param) => param.name === name)) {
        const near = connection.name
          ? nearestName(
              connection.name,
              declared.map((param) => param.name),
            )
          : null;
        this.report.error(
          "verilog/unknown-parameter",
          connection.loc,
          connection.name
            ? `Module '${item.module}' has no parameter '${connection.name}'.`
            : `Module '${item.module}' has only ${declared.length} parameter(s).`,
          near ? `Did you mean '${near}'?` : "Remove this override.",
        );
        return;
      }
      if (value)
        overrides.set(name, {
          value: { a: value.a, b: value.b },
          width: value.width,
          signed: value.signed,
          msb: value.width - 1,
          lsb: 0,
        });
    });
    const module = this.owner.child(item, overrides, this.stack);
    for (const connection of item.ports) if (connection.value) this.declareImplicit(connection.value, scope);
    if (!module) {
      for (const connection of item.ports) if (connection.value) this.exprs.selfDetermined(connection.value, scope);
      return;
    }
    const bindings: PortBinding[] = [];
    const bound = new Set<Signal>();
    if (item.ports.some((connection) => connection.name !== null)) {
      for (const connection of item.ports) {
        const port = module.ports.find((candidate) => candidate.name === connection.name);
        if (!port) {
          const near = connection.name
            ? nearestName(
                connection.name,
                module.ports.map((candidate) => candidate.name),
              )
            : null;
          this.report.error(
            "verilog/unknown-port",
            connection.loc,
            connection.name
              ? `Module '${item.module}' has no port '${connection.name}'.`
              : "Named and ordered connections cannot be mixed.",
            near ? `Did you mean '${near}'?` : "Correct the connection.",
          );
          continue;
        }
        if (bound.has(port))
          this.report.error(
            "verilog/duplicate-port",
            connection.loc,
            `Port '${port.name}' is connected twice.`,
            "Remove one of the connections.",
          );
        else this.bind(bindings, port, connection.value, connection.loc, scope);
        bound.add(port);
      }
    } else {
      if (item.ports.length > module.ports.length) {
        this.report.error(
          "verilog/too-many-ports",
          item.loc,
          `'${item.module}' has ${module.ports.length} port(s); ${item.ports.length} are connected.`,
          "Remove the extra connections.",
        );
      }
      item.ports.slice(0, module.ports.length).forEach((connection, index) => {
        this.bind(bindings, module.ports[index], connection.value, connection.loc, scope);
        bound.add(module.ports[index]);
      });
    }
    for (const port of module.ports) {
      if (bound.has(port)) continue;
      if (port.direction === "input") {
        this.report.warn(
          "verilog/open-input",
          item.loc,
          `Input '${port.name}' of '${item.name}' is not connected.`,
          `Connect .${port.name}(...), or tie it to a constant.`,
        );
      }
      bindings.push({ port, value: null, target: null, loc: item.loc });
    }
    if (this.instances.some((other) => other.name === scope.prefix + item.name)) this.duplicate(item.name, item.loc);
    this.instances.push({ name: scope.prefix + item.name, module, bindings, loc: item.loc });
  }

  private bind(out: PortBinding[], port: Signal, node: ExprNode | null, loc: Loc, scope: Scope): void {
    if (!node) {
      out.push({ port, value: null, target: null, loc });
      return;
    }
    const own = this.exprs.selfDetermined(node, scope);
    const plain = node.kind === "number" && node.width === null;
    if (own.width !== port.width && !plain) {
      this.report.warn(
        "verilog/port-width",
        loc,
        `Port '${port.name}' has ${port.width} bit(s); ${own.width} connected.`,
        "Connect a value of the same width.",
      );
    }
    if (port.direction === "output") {
      const target = this.exprs.target(node, scope);
      if (target) {
        for (const part of target.parts) {
          if (part.signal.kind === "variable")
            this.report.error(
              "verilog/assign-to-reg",
              part.loc,
              `'${part.signal.name}' is a reg, so an output cannot drive it.`,
              "Declare it as a wire.",
            );
        }
        out.push({ port, value: null, target, loc });
      }
      return;
    }
    out.push({ port, value: this.exprs.assigned(node, port.width, scope), target: null, loc });
  }
}

function resizeValue(value: Value, from: number, signed: boolean, to: number): Value {
  if (!signed) return { a: BigInt.asUintN(to, value.a), b: BigInt.asUintN(to, value.b) };
  return { a: BigInt.asUintN(to, BigInt.asIntN(from, value.a)), b: BigInt.asUintN(to, BigInt.asIntN(from, value.b)) };
}

function wholeTarget(signal: Signal): Target {
  return { parts: [{ signal, width: signal.width, offset: 0, loc: signal.loc }], width: signal.width };
}

function asBit(expr: Expr): { signal: Signal; bit: number } | null {
  if (expr.op === "signal" && expr.width === 1) return { signal: expr.signal, bit: 0 };
  if (expr.op === "slice" && expr.width === 1 && expr.arg.op === "signal")
    return { signal: expr.arg.signal, bit: expr.lsb };
  return null;
}

function firstTarget(stmt: Stmt): Signal | null {
  switch (stmt.op) {
    case "assign":
      return stmt.target.parts[0].signal;
    case "block":
      for (const inner of stmt.body) {
        const found = firstTarget(inner);
        if (found) return found;
      }
      return null;
    case "if":
      return firstTarget(stmt.yes) ?? (stmt.no && firstTarget(stmt.no));
    case "case":
      for (const item of stmt.items) {
        const found = firstTarget(item.body);
        if (found) return found;
      }
      return stmt.fallback && firstTarget(stmt.fallback);
    case "for":
      return firstTarget(stmt.body);
  }
}
