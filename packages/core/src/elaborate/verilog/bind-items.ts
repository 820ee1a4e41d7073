import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type {
  AlwaysItem,
  DeclItem,
  ExprNode,
  GenerateBlock,
  GenerateCase,
  GenerateFor,
  GenerateIf,
  InstanceItem,
  InterfacePortItem,
  ModuleItem,
  ModuleNode,
  ParamItem,
  PortName,
  StmtNode,
} from "../../hdl/verilog/ast.ts";
import type { EventModel, Expr, NetKind, ProcessKind, Signal, Stmt, Target } from "../model.ts";
import { type Constant, type Meaning, Scope } from "../scope.ts";
import { type DataType, defaultOf, formOf, integerType, typeText, vectorType } from "../types.ts";
import { toInteger } from "./bind-expr.ts";
import { elaborateInstance, interfaceTarget } from "./bind-instance.ts";
import { retype } from "./bind-subroutine.ts";
import type { Elaboration, Override } from "./elaboration.ts";
import { bindGate } from "./gates.ts";
import { checkTruncation } from "./width-checks.ts";

const maxGenerate = 65536;

interface PendingInstance {
  readonly item: InstanceItem;
  readonly scope: Scope;
}

/** The items of one module, interface or package. Declarations at once; behaviour is put off until all names are known. */
export class ItemBinder {
  overrides: ReadonlyMap<string, Override> = new Map();
  /** Interface instances at interface ports, by port name. */
  readonly interfaces = new Map<string, { scope: Scope; modport: string | null }>();
  private readonly instances: PendingInstance[] = [];
  private readonly defparams = new Map<string, Map<string, Constant>>();
  readonly usedOverrides = new Set<string>();

  constructor(
    readonly design: Elaboration,
    readonly scope: Scope,
    readonly node: ModuleNode | null,
  ) {}

  declare(items: readonly ModuleItem[]): void {
    this.items(items, this.scope);
    if (this.node) {
      this.ports(this.node.ports);
      for (const name of this.overrides.keys()) {
        if (this.usedOverrides.has(name)) continue;
        this.design.report.error(
          "verilog/unknown-parameter",
          this.node.nameLoc,
          `Module '${this.node.name}' has no parameter '${name}'.`,
          "Correct the override in its instance.",
        );
      }
    }
    this.finishInstances();
  }

  private finishInstances(): void {
    const { modules } = this.design;
    const isInterface = ({ item }: PendingInstance) => modules.get(item.module)?.kind === "interface";
    const order = [...this.instances.filter(isInterface), ...this.instances.filter((each) => !isInterface(each))];
    for (const { item, scope } of order) elaborateInstance(this, item, scope, this.defparams);
  }

  private duplicate(name: string, loc: Loc): void {
    this.design.report.error(
      "verilog/duplicate",
      loc,
      `'${name}' is declared twice in the same scope.`,
      "Rename or remove one of them.",
    );
  }

  private items(items: readonly ModuleItem[], scope: Scope): void {
    const { stmts } = this.design;
    for (const item of items) {
      if (item.kind === "class") this.design.classes.declare(item, scope);
    }
    for (const item of items) {
      if (item.kind === "subroutine" && item.of) this.design.classes.addBody(item, scope);
      else if (item.kind === "subroutine") {
        const meaning: Meaning = { kind: "subroutine", node: item, scope, sub: null };
        if (!scope.declare(item.name, meaning)) this.duplicate(item.name, item.nameLoc);
        this.design.later.push(() => void this.design.subroutine(meaning as Meaning & { kind: "subroutine" }, true));
      }
    }
    for (const item of items) {
      switch (item.kind) {
        case "import":
          if (item.isExport) stmts.declareExport(item.package, item.name, item.loc, scope);
          else stmts.declareImport(item.package, item.name, item.loc, scope);
          break;
        case "param":
          this.param(item, scope);
          break;
        case "typedef":
          stmts.declareType(item, scope);
          break;
        case "decl":
          this.decl(item, scope);
          break;
        case "interfaceport":
          this.interfacePort(item, scope);
          break;
        case "genvar":
          for (const { name, loc } of item.names)
            if (!scope.declare(name, { kind: "genvar", loc })) this.duplicate(name, loc);
          break;
        case "instance":
          this.instances.push({ item, scope });
          break;
        case "genfor":
          this.generateFor(item, scope);
          break;
        case "genif":
        case "gencase":
          this.generateChoice(item, scope, ++scope.generateCount);
          break;
        case "genblock":
          scope.generateCount++;
          this.generateBlock(item, scope, item.label ?? `genblk${scope.generateCount}`);
          break;
        case "defparam":
          this.defparam(item.target, item.value, scope);
          break;
        case "modport": {
          const names = new Map(item.ports.map((port) => [port.name, port.direction] as const));
          for (const port of item.ports) {
            if (scope.find(port.name)) continue;
            this.design.report.error(
              "verilog/undeclared",
              port.loc,
              `The interface has no '${port.name}'.`,
              "Declare it before the modport.",
            );
          }
          scope.modports.set(item.name, names);
          break;
        }
        case "continuous":
          this.design.later.push(() => {
            this.declareImplicit(item.target, scope);
            const target = this.design.refs.target(item.target, scope);
            if (target) this.continuous(target, item.value, scope, item.loc, item);
            else this.design.exprs.selfDetermined(item.value, scope);
          });
          break;
        case "gate":
          this.design.later.push(() => {
            for (const pin of item.pins) this.declareImplicit(pin, scope);
            bindGate(this, item, scope);
          });
          break;
        case "always":
          this.declareBlocks(item.body, scope);
          this.design.later.push(() => this.always(item, scope));
          break;
        case "initial":
          this.declareBlocks(item.body, scope);
          this.design.later.push(() =>
            this.process(item.final ? "final" : "initial", null, item.body, scope, item.loc, item.loc),
          );
          break;
        case "bind":
          if (!this.design.modules.has(item.target)) {
            const near = nearestName(item.target, this.design.modules.keys());
            this.design.report.error(
              "verilog/unknown-module",
              item.targetLoc,
              `There is no module '${item.target}' in the sources.`,
              near ? `Did you mean '${near}'?` : "Add the file that declares it.",
            );
          }
          break;
        case "specify":
          this.design.report.warn(
            "verilog/specify",
            item.loc,
            "The delays and timing checks of 'specify' are not simulated.",
            "Write delays that simulation is to show at the assignments. In a circuit they come from the part.",
          );
          break;
        case "let":
          this.design.lets.declare(item, scope);
          break;
        case "assertiondecl":
          this.design.properties.declare(item, scope);
          break;
        case "assertiondefault":
          this.design.properties.setDefault(item, scope);
          break;
        case "concurrent":
          this.design.later.push(() => this.design.properties.bind(item, scope));
          break;
        case "assertitem":
          this.design.later.push(() => this.process("always_comb", "star", item.body, scope, item.loc, item.loc));
          break;
        case "elabtask":
          this.elabTask(item.call, scope);
          break;
      }
    }
  }

  /** Named blocks are known before their bodies are read, so that others can name them. */
  private declareBlocks(node: StmtNode, scope: Scope): void {
    switch (node.kind) {
      case "block": {
        let inner = scope;
        if (node.label !== null) {
          inner = new Scope(scope, scope.instance, `${scope.prefix}${node.label}.`, node.label, "block");
          const id = { name: node.label, disabled: false };
          if (!scope.declare(node.label, { kind: "block", scope: inner, id })) return; // reported with the body
        } else if (node.decls.length) return;
        for (const stmt of node.body) this.declareBlocks(stmt, inner);
        return;
      }
      case "event":
      case "delay":
      case "wait":
        if (node.body) this.declareBlocks(node.body, scope);
        return;
      case "if":
        this.declareBlocks(node.yes, scope);
        if (node.no) this.declareBlocks(node.no, scope);
        return;
      case "for":
        if (node.decls.length === 0) this.declareBlocks(node.body, scope);
        return;
      case "while":
      case "dowhile":
      case "repeat":
      case "forever":
        this.declareBlocks(node.body, scope);
        return;
      case "case":
        for (const item of node.items) this.declareBlocks(item.body, scope);
        if (node.fallback) this.declareBlocks(node.fallback, scope);
    }
  }

  // ---- parameters ---------------------------------------------------------------------------------------------

  private param(item: ParamItem, scope: Scope): void {
    const { report, types, stmts } = this.design;
    const atRoot = scope === this.scope && this.node !== null && this.node.kind !== "package";
    const override = atRoot && !item.local ? this.overrides.get(item.name) : undefined;
    if (!override) {
      if (!item.local && item.value === null && item.typeValue === null && atRoot)
        report.error(
          "verilog/no-value",
          item.nameLoc,
          `Parameter '${item.name}' has no value.`,
          "Give it a default, or a value in each instance.",
        );
      stmts.declareParam(item, scope);
    } else {
      this.usedOverrides.add(item.name);
      if (item.isType) {
        if ("dataType" in override)
          scope.declare(item.name, { kind: "type", type: override.dataType, loc: item.nameLoc });
        else {
          report.error("verilog/type", item.nameLoc, `Parameter '${item.name}' needs a type.`, "Give it a data type.");
          stmts.declareParam(item, scope);
        }
      } else if ("dataType" in override) {
        report.error(
          "verilog/type",
          item.nameLoc,
          `Parameter '${item.name}' needs a value, not a type.`,
          "Give it a value.",
        );
        stmts.declareParam(item, scope);
      } else {
        const { type } = item;
        const { exprs } = this.design;
        const own = types.ofParameter(item, scope);
        if (own?.kind === "array") {
          const { pattern, from } =
            "pattern" in override
              ? { pattern: override.pattern, from: override.scope }
              : { pattern: item.value, from: scope };
          stmts.arrayParam(item, own, pattern, from, scope);
          return;
        }
        const ranged = own !== undefined;
        const given =
          "pattern" in override
            ? exprs.constant(override.pattern, override.scope, "A parameter's value", own)
            : override;
        let constant: Constant = given ?? { value: { a: 0n, b: 0n }, type: own ?? integerType };
        if (ranged || (type.kind === "builtin" && type.signed !== null)) {
          const from = own ?? constant.type;
          const to: DataType =
            !ranged && from.kind === "integral" && type.kind === "builtin" && type.signed !== null
              ? { ...from, signed: type.signed }
              : from;
          constant = convert(this.design, constant, to, item.nameLoc);
        }
        if (!scope.declare(item.name, { kind: "constant", constant, loc: item.nameLoc }))
          this.duplicate(item.name, item.nameLoc);
      }
    }
    const meaning = scope.own(item.name);
    if (!item.local && scope === this.scope) {
      const value =
        meaning?.kind === "constant"
          ? describe(meaning.constant)
          : meaning?.kind === "type"
            ? typeText(meaning.type)
            : "";
      scope.instance.parameters.push({ name: item.name, value });
    }
  }

  private defparam(node: ExprNode, value: ExprNode, scope: Scope): void {
    const { report, exprs } = this.design;
    const path: string[] = [];
    let at = node;
    while (at.kind === "member" || at.kind === "index") {
      if (at.kind === "member") {
        path.unshift(at.name);
        at = at.base;
      } else {
        const index = exprs.integer(at.index, scope, "An index");
        at = at.base;
        if (at.kind === "member") {
          path.unshift(`${at.name}[${index}]`);
          at = at.base;
        } else if (at.kind === "name") {
          path.unshift(`${at.name}[${index}]`);
          at = { kind: "bad", loc: at.loc };
        }
      }
    }
    if (at.kind === "name") path.unshift(at.name);
    const constant = exprs.constant(value, scope, "The value of defparam");
    if (!constant) return;
    if (path.length < 2) {
      report.error(
        "verilog/defparam",
        node.loc,
        "A defparam names an instance and its parameter.",
        "Write defparam u1.WIDTH = 8;.",
      );
      return;
    }
    const name = path.pop()!;
    const root = this.scope.instance;
    if (path[0] === root.name || path[0] === root.module) if (path.length > 1) path.shift();
    const key = this.scope.prefix + scope.prefix.slice(this.scope.prefix.length) + path.join(".");
    let list = this.defparams.get(key);
    if (!list) {
      list = new Map();
      this.defparams.set(key, list);
    }
    list.set(name, constant);
  }
  /** Overrides that a parent gave by defparam for instances further down. */
  adoptDefparams(list: ReadonlyMap<string, Map<string, Constant>>, below: string): void {
    for (const [path, values] of list) if (path.startsWith(below)) this.defparams.set(path, values);
  }

  // ---- nets, variables, ports ---------------------------------------------------------------------------------

  private decl(item: DeclItem, scope: Scope): void {
    const { design } = this;
    const { types } = design;
    if (item.direction === null && item.type.kind === "named" && this.node && item.net === null) {
      // `bus_if b` in a port list looks like a variable of type bus_if
      if (
        item.type.scope === null &&
        !scope.find(item.type.name) &&
        design.modules.get(item.type.name)?.kind === "interface"
      ) {
        for (const { name, dims } of item.names)
          this.interfacePort(
            { kind: "interfaceport", interfaceName: item.type.name, modport: null, name, dims, loc: item.loc },
            scope,
          );
        return;
      }
    }
    const listed = item.direction !== null;
    const base = types.bind(item.type, scope, vectorType(1));
    for (const declared of item.names) {
      const isPort =
        !listed &&
        scope === this.scope &&
        this.node?.ports.some((port) => port.name === declared.name && port.loc === declared.loc);
      const direction = item.direction ?? (isPort ? "inout" : null);
      design.noteAttributes(item.loc, scope.prefix + declared.name, false);
      const existing = scope.own(declared.name);
      if (existing?.kind === "signal") {
        this.completePort(existing.signal, item, declared.name, declared.loc, base, declared.dims, scope);
        this.start(existing.signal, declared.init, scope, item, declared.loc);
        continue;
      }
      if (existing) {
        this.duplicate(declared.name, declared.loc);
        continue;
      }
      const type = types.withUnpacked(base, declared.dims, scope);
      const isNet = item.net !== null || (direction !== null && (direction !== "output" || !item.variable));
      const signal = design.newSignal(declared.name, declared.loc, scope, {
        type,
        kind: isNet && type.kind !== "real" && type.kind !== "string" ? "net" : "variable",
        net: isNet ? ((item.net ?? (this.node?.defaultNet || "wire")) as NetKind) : null,
        direction,
        isConst: item.isConst,
      });
      scope.declare(declared.name, { kind: "signal", signal });
      if (item.net === "supply0" || item.net === "supply1") {
        const ones = item.net === "supply1" ? (1n << BigInt(signal.width)) - 1n : 0n;
        const value: Expr = {
          op: "const",
          value: { a: ones, b: 0n },
          width: signal.width,
          signed: false,
          loc: declared.loc,
        };
        design.assigns.push({
          target: whole(signal, declared.loc),
          value,
          delay: null,
          strength: { zero: 7, one: 7 },
          instance: scope.instance,
          loc: declared.loc,
        });
      }
      this.start(signal, declared.init, scope, item, declared.loc);
    }
  }

  /** `output [3:0] q; reg [3:0] q;` and the like: the second declaration adds to the first. */
  private completePort(
    signal: Signal,
    item: DeclItem,
    name: string,
    loc: Loc,
    base: DataType,
    dims: DeclItem["names"][number]["dims"],
    scope: Scope,
  ): void {
    const { report, types } = this.design;
    const adds = (signal.direction !== null) !== (item.direction !== null) && scope === this.scope;
    if (!adds) {
      this.duplicate(name, loc);
      return;
    }
    const ranged = item.type.kind !== "builtin" || item.type.word !== "implicit" || item.type.dims.length > 0;
    const type = types.withUnpacked(base, dims, scope);
    const signed = signal.signed || (type.kind === "integral" && type.signed);
    if (ranged && type.kind === "integral") {
      if (signal.width !== 1 && type.width !== signal.width)
        report.error(
          "verilog/port-range",
          loc,
          `'${name}' is declared with ${signal.width} and with ${type.width} bits.`,
          "Give both declarations the same range.",
        );
      retype(signal, { ...type, signed });
    } else if (ranged) {
      retype(signal, type);
    } else if (signed !== signal.signed && signal.type.kind === "integral") retype(signal, { ...signal.type, signed });
    const direction = signal.direction ?? item.direction;
    const variable = item.net === null && (item.variable || signal.kind === "variable") && direction === "output";
    Object.assign(signal, {
      kind: variable ? "variable" : "net",
      net: variable ? null : (item.net ?? signal.net ?? "wire"),
      direction,
    });
  }

  private start(signal: Signal, init: ExprNode | null, scope: Scope, item: DeclItem, loc: Loc): void {
    const { later, exprs, stmts } = this.design;
    if (!init) {
      const { delay } = item;
      if (delay && signal.kind === "net" && signal.direction === null && signal.dims.length === 0)
        later.push(() => this.design.netDelays.set(signal, { delay: stmts.delay(delay, scope), scope }));
      if (signal.kind === "variable" && signal.type.kind === "integral") signal.init = defaultOf(signal.type);
      return;
    }
    if (signal.kind === "net") {
      if (signal.direction === "input") return; // a port's default value
      later.push(() =>
        this.continuous(whole(signal, loc), init, scope, init.loc, { delay: item.delay, strength: item.strength }),
      );
      return;
    }
    const { type } = signal;
    if (type.kind === "array" || type.kind === "container") {
      const place = this.design.startBy({ op: "block", body: [] }, signal, scope, loc);
      later.unshift(() => {
        const body =
          type.kind === "container"
            ? this.design.containers.assignWhole({ kind: "array", signal, loc }, type, init, scope, loc)
            : stmts.arrayAssign(init, signal, scope, true, loc);
        if (body) Object.assign(place, { body });
      });
      return;
    }
    if (type.kind === "integral" && type.handleOf) {
      // the interface may be instantiated further down
      const place = this.design.startBy({ op: "block", body: [] }, signal, scope, loc);
      later.unshift(() => Object.assign(place, { body: stmts.plain(signal, exprs.assigned(init, type, scope), loc) }));
      return;
    }
    const value = exprs.assigned(init, signal.type, scope);
    const known = exprs.fold(value);
    if (known !== null && typeof known === "object") {
      signal.init = known;
      return;
    }
    this.design.startBy(stmts.plain(signal, value, loc), signal, scope, loc);
  }

  /** Ports in the order of the header. */
  private ports(names: readonly PortName[]): void {
    const { report } = this.design;
    const { scope } = this;
    const { ports } = scope.instance;
    for (const port of names) {
      if (port.expr) {
        this.expressionPort(port);
        continue;
      }
      const meaning = scope.own(port.name);
      if (meaning?.kind === "signal" && meaning.signal.direction) {
        if (ports.includes(meaning.signal))
          report.error("verilog/duplicate-port", port.loc, `Port '${port.name}' is listed twice.`, "Remove one.");
        else ports.push(meaning.signal);
      } else if (meaning?.kind !== "scope" && meaning?.kind !== "scopes")
        report.error(
          "verilog/port-direction",
          port.loc,
          `Port '${port.name}' has no direction.`,
          "Declare it as input, output or inout.",
        );
    }
    const listed = new Set(ports);
    for (const [, meaning] of scope.entries()) {
      if (meaning.kind !== "signal") continue;
      const { signal } = meaning;
      if (signal.direction && !listed.has(signal) && !this.innerPorts.has(signal.plainName))
        report.error(
          "verilog/port-unlisted",
          signal.loc,
          `'${signal.plainName}' has a direction but is not in the port list.`,
          "Add it to the port list of the module.",
        );
    }
  }

  private readonly innerPorts = new Set<string>();
  /** Directions of signals that stand in ports in parts. */
  private readonly partDirections = new Map<Signal, NonNullable<Signal["direction"]>>();

  /** `.name(a[3:0])` or `{a, b}` in a header: a port that is joined to what stands inside. */
  private expressionPort(port: PortName): void {
    const { refs, exprs, later, report } = this.design;
    const { scope } = this;
    const expr = port.expr!;
    const names: string[] = [];
    const collect = (node: ExprNode): void => {
      if (node.kind === "name") names.push(node.name);
      else if (node.kind === "index" || node.kind === "range") collect(node.base);
      else if (node.kind === "concat") for (const part of node.parts) collect(part);
    };
    collect(expr);
    const inner = names.map((name) => scope.own(name)).find((meaning) => meaning?.kind === "signal");
    // parts of one signal may stand in several ports
    const direction =
      inner?.kind === "signal" ? (inner.signal.direction ?? this.partDirections.get(inner.signal) ?? null) : null;
    for (const name of names) this.innerPorts.add(name);
    if (!direction) {
      report.error(
        "verilog/port-direction",
        port.loc,
        "This port has no direction.",
        "Declare what stands in it as input, output or inout.",
      );
      return;
    }
    if (
      expr.kind === "name" &&
      inner?.kind === "signal" &&
      port.name !== expr.name &&
      scope.own(port.name) === undefined
    ) {
      // a plain renaming
      const alias: Signal = inner.signal;
      scope.instance.ports.push(Object.assign(alias, {}));
      this.portNames.set(port.name, alias);
      return;
    }
    const { width } = exprs.typeOf(expr, scope);
    const name = port.name || `port${scope.instance.ports.length}`;
    const signal = this.design.newSignal(name, port.loc, scope, { type: vectorType(width), kind: "net", direction });
    scope.instance.ports.push(signal);
    for (const each of names) {
      const meaning = scope.own(each);
      if (meaning?.kind !== "signal") continue;
      this.partDirections.set(meaning.signal, direction);
      meaning.signal.direction = null;
    }
    later.push(() => {
      const value: Expr = { op: "signal", signal, width, signed: false, loc: port.loc };
      if (direction === "output")
        this.design.assigns.push({
          target: whole(signal, port.loc),
          value: exprs.assigned(expr, signal.type, scope),
          delay: null,
          strength: null,
          instance: scope.instance,
          loc: port.loc,
        });
      else {
        const target = refs.target(expr, scope);
        if (target)
          this.design.assigns.push({
            target,
            value,
            delay: null,
            strength: null,
            instance: scope.instance,
            loc: port.loc,
          });
      }
    });
  }
  readonly portNames = new Map<string, Signal>();

  private interfacePort(item: InterfacePortItem, scope: Scope): void {
    const { report, modules } = this.design;
    const bound = this.interfaces.get(item.name);
    let target = bound?.scope ?? null;
    if (!bound) target = interfaceTarget(this, item, scope);
    if (!target) return;
    if (item.interfaceName !== null && target.instance.module !== item.interfaceName) {
      if (modules.has(item.interfaceName))
        report.error(
          "verilog/interface",
          item.loc,
          `Port '${item.name}' needs a '${item.interfaceName}', but a '${target.instance.module}' is connected.`,
          "Connect an instance of that interface.",
        );
    }
    const modport = item.modport ?? bound?.modport ?? null;
    if (modport !== null && !target.modports.has(modport)) {
      const near = nearestName(modport, target.modports.keys());
      report.error(
        "verilog/interface",
        item.loc,
        `Interface '${target.instance.module}' has no modport '${modport}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name.",
      );
    }
    if (!scope.declare(item.name, { kind: "scope", scope: target, loc: item.loc })) this.duplicate(item.name, item.loc);
  }

  /** A net named first in a port connection or left of `assign` is one bit wide (IEEE 1364-2005 clause 4.5). */
  declareImplicit(node: ExprNode, scope: Scope): void {
    const { report } = this.design;
    if (node.kind === "concat") for (const part of node.parts) this.declareImplicit(part, scope);
    if (node.kind !== "name" || scope.find(node.name) || this.node?.defaultNet === null) return;
    const near = nearestName(node.name, scope.visibleNames());
    report.warn(
      "verilog/implicit-net",
      node.loc,
      `'${node.name}' is not declared, so it becomes a net of one bit.`,
      near ? `Did you mean '${near}'? If not, declare it.` : "Declare it with its width.",
    );
    const signal = this.design.newSignal(node.name, node.loc, scope, {
      type: vectorType(1),
      kind: "net",
      net: (this.node?.defaultNet ?? "wire") as NetKind,
      implicit: true,
    });
    scope.declare(node.name, { kind: "signal", signal });
  }

  // ---- behaviour ----------------------------------------------------------------------------------------------

  continuous(
    target: Target,
    value: ExprNode,
    scope: Scope,
    loc: Loc,
    extra: { readonly delay: DeclItem["delay"]; readonly strength: DeclItem["strength"] },
  ): void {
    const { report, exprs, stmts } = this.design;
    for (const { signal, loc: at } of target.parts) {
      if (
        signal.kind !== "net" &&
        signal.type.kind === "integral" &&
        !/\.sv$/.test(this.design.sources.files[loc.file]?.name ?? "")
      ) {
        const declared = this.design.sources.text(signal.loc);
        if (isOldStyleReg(this.design.sources.files[signal.loc.file].text, signal.loc)) {
          report.error(
            "verilog/assign-to-reg",
            at,
            `'${declared}' is a reg, so 'assign' cannot drive it.`,
            "Declare it as a wire, or assign to it in an always block.",
          );
        }
      }
      if (signal.direction === "input")
        report.error(
          "verilog/assign-to-input",
          at,
          `'${signal.plainName}' is an input of the module.`,
          "Drive an output or an inner net.",
        );
    }
    checkTruncation(this.design, target.width, value, scope, loc);
    const [first] = target.parts;
    const type: DataType =
      target.parts.length === 1 && first.width === first.signal.width && first.signal.type.kind !== "array"
        ? first.signal.type
        : target.form
          ? { kind: target.form }
          : vectorType(target.width);
    this.design.assigns.push({
      target,
      value: exprs.assigned(value, type, scope),
      delay: extra.delay && stmts.delay(extra.delay, scope),
      strength: extra.strength,
      instance: scope.instance,
      loc,
    });
  }

  private always(item: AlwaysItem, scope: Scope): void {
    const { report, stmts } = this.design;
    let body: StmtNode = item.body;
    let events: readonly EventModel[] | "star" | null = null;
    if (item.word === "always_comb" || item.word === "always_latch") events = "star";
    else if (body.kind === "event") {
      events = body.events === "star" ? "star" : stmts.events(body.events, scope);
      body = body.body ?? { kind: "null", loc: body.loc };
    } else if (item.word === "always_ff") {
      report.error("verilog/no-events", item.loc, "This always_ff waits for no clock.", "Add @(posedge clock).");
      return;
    } else if (!mayWait(body)) {
      report.error(
        "verilog/no-events",
        item.loc,
        "This always block waits for nothing, so it never lets time go on.",
        "Add @(posedge clock) or @(*).",
      );
      return;
    }
    this.process(item.word, events, body, scope, item.loc, item.eventLoc);
  }

  private process(
    kind: ProcessKind,
    events: readonly EventModel[] | "star" | null,
    node: StmtNode,
    scope: Scope,
    loc: Loc,
    eventLoc: Loc,
  ): void {
    const body = this.design.stmts.bind(node, scope);
    const name = firstTarget(body)?.plainName ?? `process${this.design.processes.length}`;
    this.design.processes.push({ kind, events, body, instance: scope.instance, loc, eventLoc, name });
  }

  private elabTask(call: ExprNode & { kind: "call" }, scope: Scope): void {
    const { report, exprs } = this.design;
    const name = call.callee.kind === "name" ? call.callee.name : "";
    const severity = { $fatal: "error", $error: "error", $warning: "warning", $info: "note" }[name] as
      | "error"
      | "warning"
      | "note"
      | undefined;
    if (!severity) {
      report.error("verilog/system-task", call.loc, `${name} cannot stand here.`, "Put it in an initial block.");
      return;
    }
    const texts = call.args.map((arg) => {
      if (!arg.value) return "";
      if (arg.value.kind === "string") return arg.value.text;
      const value = exprs.constant(arg.value, scope, "An argument");
      return value ? describe(value) : "?";
    });
    let message = name === "$fatal" && /^\d$/.test(texts[0] ?? "") ? texts.slice(1) : texts;
    const format = message[0] ?? "";
    let at = 1;
    const filled = format.replace(/%0?[dhxbst]/gi, () => message[at++] ?? "");
    message = [filled, ...message.slice(at)];
    report.add(
      severity,
      "verilog/elaboration",
      call.loc,
      message.join(" ").trim() || `${name} in ${scope.instance.path}.`,
      "The design's own text asks for this message.",
    );
  }

  // ---- generate -----------------------------------------------------------------------------------------------

  private generateFor(item: GenerateFor, scope: Scope): void {
    const { report, exprs } = this.design;
    const label = item.body.label ?? `genblk${++scope.generateCount}`;
    if (item.body.label !== null) scope.generateCount++;
    const list = new Map<number, Scope>();
    if (!scope.declare(label, { kind: "scopes", list, loc: item.loc })) this.duplicate(label, item.body.loc);
    let value = exprs.integer(item.init, scope, "The start of a generate loop");
    const { step } = item;
    const stepNode =
      step.kind === "assign"
        ? step.target
        : step.kind === "call" && step.call.kind === "step"
          ? step.call.target
          : null;
    if (stepNode?.kind !== "name" || stepNode.name !== item.genvar) {
      report.error(
        "verilog/genvar",
        item.loc,
        `The loop counts '${item.genvar}' but steps something else.`,
        "Step the genvar that the loop tests.",
      );
      return;
    }
    for (let turn = 0; value !== null; turn++) {
      if (turn >= maxGenerate || list.has(value)) {
        report.error(
          "verilog/endless-generate",
          item.loc,
          list.has(value)
            ? "This generate loop comes back to a value that it had."
            : `This generate loop passes ${maxGenerate} turns.`,
          "Check its condition and step.",
        );
        return;
      }
      const inner = new Scope(
        scope,
        scope.instance,
        `${scope.prefix}${label}[${value}].`,
        `${label}[${value}]`,
        "generate",
      );
      const constant: Constant = { value: { a: BigInt.asUintN(32, BigInt(value)), b: 0n }, type: integerType };
      inner.declare(item.genvar, { kind: "constant", constant, loc: item.loc });
      const test = exprs.integer(item.test, inner, "The condition of a generate loop");
      if (!test) return;
      list.set(value, inner);
      this.items(item.body.items, inner);
      value = this.stepped(step, value, inner);
    }
  }

  private stepped(step: StmtNode, value: number, scope: Scope): number | null {
    const { exprs } = this.design;
    if (step.kind === "call" && step.call.kind === "step") return value + (step.call.op === "++" ? 1 : -1);
    if (step.kind !== "assign") return null;
    const node: ExprNode = step.op
      ? { kind: "binary", op: step.op, left: step.target, right: step.value, loc: step.loc }
      : step.value;
    return exprs.integer(node, scope, "The step of a generate loop");
  }

  private generateChoice(item: GenerateIf | GenerateCase, scope: Scope, number: number): void {
    const { exprs } = this.design;
    let block: GenerateBlock | null = null;
    if (item.kind === "genif") {
      const test = exprs.constant(item.test, scope, "The condition of a generate block");
      if (!test) return;
      block = isTrue(test) ? item.yes : item.no;
    } else {
      const subject = exprs.constant(item.subject, scope, "The subject of a generate case");
      if (!subject) return;
      block = item.fallback;
      search: for (const each of item.items) {
        for (const label of each.labels) {
          const value = exprs.constant(label, scope, "A label");
          if (value && sameConstant(value, subject)) {
            block = each.block;
            break search;
          }
        }
      }
    }
    if (!block) return;
    // `else if` belongs to the same construct: no scope of its own
    const [only] = block.items;
    if (!block.braced && block.items.length === 1 && (only.kind === "genif" || only.kind === "gencase")) {
      this.generateChoice(only, scope, number);
      return;
    }
    this.generateBlock(block, scope, block.label ?? `genblk${number}`);
  }

  private generateBlock(block: GenerateBlock, scope: Scope, label: string): void {
    const inner = new Scope(scope, scope.instance, `${scope.prefix}${label}.`, label, "generate");
    if (!scope.declare(label, { kind: "scope", scope: inner, loc: block.loc })) this.duplicate(label, block.loc);
    this.items(block.items, inner);
  }
}

export function whole(signal: Signal, loc: Loc): Target {
  const form = formOf(signal.type);
  const own = form ? { form } : {};
  return { parts: [{ signal, width: signal.width, index: [], offset: 0, loc }], width: signal.width, loc, ...own };
}

function isTrue(constant: Constant): boolean {
  const { value } = constant;
  if (typeof value === "object") return (value.a & ~value.b) !== 0n;
  return Boolean(value);
}

function sameConstant(a: Constant, b: Constant): boolean {
  const [x, y] = [a.value, b.value];
  if (typeof x !== "object" || typeof y !== "object") return x === y;
  const [i, j] = [toInteger(a), toInteger(b)];
  if (i !== null && j !== null) return i === j;
  return x.a === y.a && x.b === y.b;
}

export function convert(design: Elaboration, constant: Constant, to: DataType, loc: Loc): Constant {
  const expr = design.exprs.ofConstant(constant, loc);
  if (to.kind === "integral") {
    const made: Expr = expr.form
      ? { op: "convert", arg: expr, width: to.width, signed: to.signed, loc }
      : design.exprs.resize(expr, to.width, loc);
    return { value: design.exprs.fold(made) ?? { a: 0n, b: 0n }, type: to };
  }
  if (to.kind === "real" || to.kind === "string") {
    if (expr.form === to.kind) return { value: constant.value, type: to };
    const made: Expr = {
      op: "convert",
      arg: expr,
      width: to.kind === "real" ? 64 : 0,
      signed: false,
      form: to.kind,
      loc,
    };
    return { value: design.exprs.fold(made) ?? 0, type: to };
  }
  return constant;
}

export function describe(constant: Constant): string {
  const { value, type } = constant;
  if (typeof value !== "object") return String(value);
  if (type.kind !== "integral") return "?";
  const name = type.enumeration?.members.find(
    (member) => member.value.a === value.a && member.value.b === value.b,
  )?.name;
  if (name) return name;
  if (value.b) return `${type.width}'bx`;
  return String(type.signed ? BigInt.asIntN(type.width, value.a) : value.a);
}

function mayWait(node: StmtNode): boolean {
  switch (node.kind) {
    case "delay":
    case "event":
    case "wait":
    case "call":
      return true;
    case "block":
      return node.body.some(mayWait);
    case "if":
      return mayWait(node.yes) || (node.no !== null && mayWait(node.no));
    case "case":
      return node.items.some((item) => mayWait(item.body)) || (node.fallback !== null && mayWait(node.fallback));
    case "for":
    case "while":
    case "dowhile":
    case "repeat":
    case "forever":
    case "foreach":
      return mayWait(node.body);
    case "assign":
      return node.blocking && node.intra !== null;
    default:
      return false;
  }
}

/** In a Verilog file, `reg` says that always blocks assign to it; `logic` and its kin may be driven either way. */
function isOldStyleReg(text: string, loc: Loc): boolean {
  const start = Math.max(text.lastIndexOf(";", loc.start), text.lastIndexOf("(", loc.start)) + 1;
  return /\b(reg|integer|time)\b[^;()]*$/.test(text.slice(start, loc.start));
}

export function firstTarget(stmt: Stmt): Signal | null {
  switch (stmt.op) {
    case "assign":
      return stmt.target.parts[0]?.signal ?? null;
    case "arraycopy":
      return stmt.target;
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
    case "loop":
    case "repeat":
      return firstTarget(stmt.body);
    default:
      return null;
  }
}
