import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type {
  Connection,
  ExprNode,
  InstanceItem,
  InterfacePortItem,
  ModuleNode,
  ParamItem,
} from "../../hdl/verilog/ast.ts";
import type { Expr, Instance, Signal, Target, TargetPart } from "../model.ts";
import type { Constant, Scope } from "../scope.ts";
import { sizeOf } from "../types.ts";
import type { ItemBinder } from "./bind-items.ts";
import type { Override } from "./elaboration.ts";

type Defparams = ReadonlyMap<string, Map<string, Constant>>;

/** The instance with the module that the configuration puts in its place: rules for instances go before those for cells. */
function configured(design: ItemBinder["design"], item: InstanceItem, scope: Scope): InstanceItem {
  const { config } = design;
  if (!config) return item;
  const label = scope.prefix.slice(scope.root.prefix.length) + item.name;
  const path = `${scope.instance.path}.${label}`;
  const rule =
    config.instances.find((each) => each.of === path) ?? config.cells.find((each) => each.of === item.module);
  return rule ? { ...item, module: rule.use, moduleLoc: rule.loc } : item;
}

/** An instance, or an array of them: its parameters now, its connections once all names are known. */
export function elaborateInstance(parent: ItemBinder, written: InstanceItem, scope: Scope, defparams: Defparams): void {
  const { design } = parent;
  let item = configured(design, written, scope);
  const { report, exprs, types } = design;
  const foreign = design.modules.has(item.module) ? null : (design.foreign?.(item.module) ?? null);
  if (foreign) {
    const spelled = <T extends { readonly name: string | null }>(list: readonly T[]): T[] =>
      list.map((each) => (each.name === null ? each : { ...each, name: foreign.spelled(each.name) }));
    item = { ...item, params: spelled(item.params), ports: spelled(item.ports) };
  }
  let node = foreign?.header ?? design.modules.get(item.module);
  if (!node) {
    const near = report.suggests ? nearestName(item.module, design.modules.keys()) : null;
    const at = report.sources.place(item.moduleLoc);
    report.error(
      "verilog/unknown-module",
      item.moduleLoc,
      `There is no module '${item.module}' in the sources.`,
      near ? `Did you mean '${near}'?` : "Add the file that declares it.",
      near
        ? {
            edit: {
              file: at.file!,
              label: `Write '${near}'`,
              line: at.line,
              column: at.column,
              endLine: at.endLine,
              endColumn: at.endColumn,
              text: near,
            },
          }
        : {},
    );
    design.later.push(() => {
      for (const { value } of item.ports) {
        if (!value) continue;
        parent.declareImplicit(value, scope);
        exprs.selfDetermined(value, scope);
      }
    });
    return;
  }
  const declared = node.items.filter((inner): inner is ParamItem => inner.kind === "param" && !inner.local);
  const overrides = new Map<string, Override>();
  item.params.forEach((connection, index) => {
    const name = connection.name ?? declared[index]?.name;
    if (!connection.value) return;
    const param = declared.find((each) => each.name === name);
    let value: Override | null;
    if (connection.value.kind === "type") value = { dataType: types.bind(connection.value.type, scope) };
    else if (param?.isType && (connection.value.kind === "name" || connection.value.kind === "scoped")) {
      const { kind, loc, name: typeName } = connection.value;
      const pack = connection.value.kind === "scoped" ? connection.value.scope : null;
      value = { dataType: types.bind({ kind: "named", scope: pack, name: typeName, dims: [], loc }, scope) };
      void kind;
    } else if (connection.value.kind === "pattern") value = { pattern: connection.value, scope };
    else value = exprs.constant(connection.value, scope, "A parameter's value");
    if (!param) {
      const names = declared.map((each) => each.name);
      const near = connection.name ? nearestName(connection.name, names) : null;
      report.error(
        "verilog/unknown-parameter",
        connection.loc,
        connection.name
          ? `Module '${item.module}' has no parameter '${connection.name}'.`
          : `Module '${item.module}' has only ${declared.length} parameter(s).`,
        near ? `Did you mean '${near}'?` : "Remove this override.",
      );
      return;
    }
    if (value) overrides.set(param.name, value);
  });

  if (foreign) {
    const whole = foreign.withPorts(overrides, item.moduleLoc);
    if (!whole) return;
    node = whole;
  }
  const module = node;
  const range = item.range ? types.dim(item.range, scope) : null;
  const indexes: (number | null)[] = [];
  if (range) {
    const step = range.left <= range.right ? 1 : -1;
    if (sizeOf(range) > 4096) {
      report.error(
        "verilog/range",
        item.range!.loc,
        `${sizeOf(range)} instances in one array are too many.`,
        "Check the range.",
      );
      return;
    }
    for (let i = range.left; i !== range.right + step; i += step) indexes.push(i);
  } else indexes.push(null);

  const made = new Map<number, Scope>();
  indexes.forEach((index, order) => {
    const name = index === null ? item.name : `${item.name}[${index}]`;
    const prefix = `${scope.prefix}${name}.`;
    const path = prefix.slice(0, -1);
    const all = new Map(overrides);
    for (const [param, value] of defparams.get(path) ?? []) {
      if (declared.some((each) => each.name === param)) all.set(param, value);
      else
        report.error(
          "verilog/unknown-parameter",
          item.nameLoc,
          `Module '${item.module}' has no parameter '${param}'.`,
          "Correct the defparam.",
        );
    }
    const label = scope.prefix.slice(scope.root.prefix.length) + name;
    const instance = design.instantiate(
      module,
      label,
      scope,
      all,
      item.nameLoc,
      prefix,
      (child) => {
        child.adoptDefparams(defparams, prefix);
        bindInterfaces(parent, child, item, scope);
      },
      null,
      name,
    );
    if (!instance) return;
    design.noteAttributes(item.moduleLoc, path, true);
    foreign?.made(instance, all);
    const inner = design.scopeOf(instance);
    if (index === null) {
      if (!scope.declare(item.name, { kind: "scope", scope: inner, loc: item.nameLoc }))
        report.error(
          "verilog/duplicate",
          item.nameLoc,
          `'${item.name}' is declared twice in the same scope.`,
          "Rename or remove one of them.",
        );
    } else {
      made.set(index, inner);
      if (order === 0) scope.declare(item.name, { kind: "scopes", list: made, loc: item.nameLoc });
    }
    const slot = { order, count: indexes.length };
    design.later.push(() => connect(parent, item, module, instance, scope, slot));
  });
}

/** Interfaces at ports are needed before the module's own items. */
function bindInterfaces(parent: ItemBinder, child: ItemBinder, item: InstanceItem, scope: Scope): void {
  const node = child.node!;
  const names = new Set<string>();
  for (const inner of node.items) {
    if (inner.kind === "interfaceport") names.add(inner.name);
    else if (
      inner.kind === "decl" &&
      inner.direction === null &&
      inner.type.kind === "named" &&
      parent.design.modules.get(inner.type.name)?.kind === "interface"
    )
      for (const each of inner.names) names.add(each.name);
  }
  if (names.size === 0) return;
  const order = node.ports.map((port) => port.name);
  item.ports.forEach((connection, i) => {
    const name = connection.name ?? order[i];
    if (!names.has(name) || !connection.value) return;
    bindOne(parent, child, name, connection.value, scope);
  });
  if (item.wildcard) {
    for (const name of names) {
      if (!child.interfaces.has(name) && scope.find(name))
        bindOne(parent, child, name, { kind: "name", name, loc: item.loc }, scope);
    }
  }
}

function bindOne(parent: ItemBinder, child: ItemBinder, name: string, value: ExprNode, scope: Scope): void {
  const { refs, report } = parent.design;
  let node = value;
  let modport: string | null = null;
  if (node.kind === "member" && node.base.kind === "name") {
    // `bus.master`: a modport chosen at the connection
    const base = scope.find(node.base.name);
    if (base?.kind === "scope" && base.scope.modports.has(node.name)) {
      modport = node.name;
      node = node.base;
    }
  }
  const ref = refs.resolve(node, scope);
  if (ref?.kind === "scope" && ref.scope.instance.kind === "interface")
    child.interfaces.set(name, { scope: ref.scope, modport });
  else if (ref)
    report.error("verilog/interface", value.loc, `Port '${name}' needs an instance of an interface.`, "Connect one.");
}

/** The interface of a port that nothing connects, as in a module that is looked at by itself. */
export function interfaceTarget(binder: ItemBinder, item: InterfacePortItem, scope: Scope): Scope | null {
  const { design } = binder;
  const node = item.interfaceName === null ? null : design.modules.get(item.interfaceName);
  if (node?.kind !== "interface") {
    const interfaces = [...design.modules.values()]
      .filter((each) => each.kind === "interface")
      .map((each) => each.name);
    const near = item.interfaceName ? nearestName(item.interfaceName, interfaces) : null;
    if (item.interfaceName !== null)
      design.report.error(
        "verilog/unknown-interface",
        item.loc,
        `There is no interface '${item.interfaceName}' in the sources.`,
        near ? `Did you mean '${near}'?` : "Add the file that declares it.",
      );
    else
      design.report.error(
        "verilog/interface",
        item.loc,
        `Nothing is connected to the interface port '${item.name}'.`,
        "Connect an instance of an interface.",
      );
    return null;
  }
  if (scope.instance.parent)
    design.report.error(
      "verilog/open-interface",
      scope.instance.loc,
      `The interface port '${item.name}' of '${scope.instance.name}' is not connected.`,
      `Connect an instance of '${node.name}'.`,
    );
  const instance = design.instantiate(
    node,
    item.name,
    scope,
    new Map(),
    item.loc,
    `${scope.prefix}${item.name}.`,
    () => {},
  );
  if (instance) Object.assign(instance, { fromPort: true });
  return instance && design.scopeOf(instance);
}

function connect(
  parent: ItemBinder,
  item: InstanceItem,
  node: ModuleNode,
  instance: Instance,
  scope: Scope,
  slot: { order: number; count: number },
): void {
  const { design } = parent;
  const { report } = design;
  const child = design.scopeOf(instance);
  const isInterface = (name: string) => {
    const meaning = child.own(name);
    return meaning?.kind === "scope" && meaning.scope.instance.kind === "interface";
  };
  const byName = new Map<string, Signal>();
  node.ports.forEach((port) => {
    const meaning = child.own(port.name);
    if (meaning?.kind === "signal") byName.set(port.name, meaning.signal);
  });
  // headers with expressions name ports that are no nets of their own
  instance.ports.forEach((port) => {
    if (!byName.has(port.plainName)) byName.set(port.plainName, port);
  });
  for (const port of node.ports) {
    if (port.expr?.kind === "name" && port.name && !byName.has(port.name)) {
      const inner = child.own(port.expr.name);
      if (inner?.kind === "signal") byName.set(port.name, inner.signal);
    }
  }
  const bound = new Set<string>();
  const boundPorts = new Set<Signal>();
  const bind = (name: string, connection: Connection): void => {
    bound.add(name);
    const port = byName.get(name);
    if (port) boundPorts.add(port);
    if (!port) return; // an interface, bound already, or a port with a finding of its own
    if (connection.value) parent.declareImplicit(connection.value, scope);
    bindPort(parent, item, instance, port, connection.value, connection.loc, scope, slot);
  };
  const named = item.ports.some((connection) => connection.name !== null) || item.wildcard;
  if (named) {
    for (const connection of item.ports) {
      const { name } = connection;
      const known = name !== null && (byName.has(name) || node.ports.some((port) => port.name === name));
      if (!known) {
        const near = name
          ? nearestName(
              name,
              // those that are connected already are not meant
              node.ports.map((port) => port.name).filter((port) => !item.ports.some((other) => other.name === port)),
            )
          : null;
        const at = report.sources.position(connection.loc.file, connection.loc.start + 1);
        report.error(
          "verilog/unknown-port",
          connection.loc,
          name ? `Module '${item.module}' has no port '${name}'.` : "Named and ordered connections cannot be mixed.",
          near ? `Did you mean '${near}'?` : "Correct the connection.",
          near && name
            ? {
                edit: {
                  file: at.file,
                  label: `Write '${near}'`,
                  line: at.line,
                  column: at.column,
                  endLine: at.line,
                  endColumn: at.column + name.length,
                  text: near,
                },
              }
            : {},
        );
        if (connection.value) design.exprs.selfDetermined(connection.value, scope);
        continue;
      }
      if (bound.has(name))
        report.error(
          "verilog/duplicate-port",
          connection.loc,
          `Port '${name}' is connected twice.`,
          "Remove one of the connections.",
        );
      else bind(name, connection);
    }
    if (item.wildcard) {
      for (const port of node.ports) {
        if (bound.has(port.name) || !scope.find(port.name)) continue;
        bind(port.name, { name: port.name, value: { kind: "name", name: port.name, loc: item.loc }, loc: item.loc });
      }
    }
  } else {
    if (item.ports.length > node.ports.length && !(item.ports.length === 1 && item.ports[0].value === null))
      report.error(
        "verilog/too-many-ports",
        item.loc,
        `'${item.module}' has ${node.ports.length} port(s); ${item.ports.length} are connected.`,
        "Remove the extra connections.",
      );
    item.ports
      .slice(0, node.ports.length)
      .forEach((connection, i) => bind(node.ports[i].name || (instance.ports[i]?.plainName ?? ""), connection));
  }
  for (const port of instance.ports) {
    if (boundPorts.has(port)) continue;
    const pulled = pulledOpen(node, port, item.loc);
    if (!pulled) openPort(parent, item, port, scope);
    const value = pulled ?? defaultOf(parent, instance, port, child);
    instance.bindings.push({ port, value, target: null, loc: item.loc });
  }
  for (const port of node.ports) {
    if (!bound.has(port.name) && isInterface(port.name) && !instance.children.some((each) => each.name === port.name))
      continue;
  }
}

/** What a directive pulls an open input to (IEEE 1364-2005 clause 19.9). */
function pulledOpen(node: ModuleNode, port: Signal, loc: Loc): Expr | null {
  if (node.openInputs === null || port.direction !== "input" || port.type.kind !== "integral") return null;
  const { width, signed } = port;
  const a = node.openInputs === 1 ? (1n << BigInt(width)) - 1n : 0n;
  return { op: "const", value: { a, b: 0n }, width, signed, loc };
}

/** The default value of an input, if its declaration gives one. */
function defaultOf(parent: ItemBinder, instance: Instance, port: Signal, child: Scope): Expr | null {
  if (port.direction !== "input") return null;
  const node = parent.design.modules.get(instance.module);
  for (const item of node?.items ?? []) {
    if (item.kind !== "decl" || item.direction !== "input") continue;
    const declared = item.names.find((each) => each.name === port.plainName);
    if (declared?.init) return parent.design.exprs.assigned(declared.init, port.type, child);
  }
  return null;
}

function openPort(parent: ItemBinder, item: InstanceItem, port: Signal, scope: Scope): void {
  const { report, sources, modules } = parent.design;
  if (port.direction !== "input") return;
  for (const inner of modules.get(item.module)?.items ?? [])
    if (
      inner.kind === "decl" &&
      inner.direction === "input" &&
      inner.names.some((each) => each.name === port.plainName && each.init)
    )
      return;
  const { text } = sources.files[item.loc.file];
  const close = text.lastIndexOf(")", item.loc.end - 1);
  const named = item.ports.length > 0 && item.ports.every((connection) => connection.name !== null);
  const same = scope.find(port.plainName)?.kind === "signal";
  const spot = sources.position(item.loc.file, close);
  const insert = `, .${port.plainName}(${same ? port.plainName : ""})`;
  report.warn(
    "verilog/open-input",
    item.loc,
    `Input '${port.plainName}' of '${item.name}' is not connected.`,
    `Connect .${port.plainName}(...), or tie it to a constant.`,
    named && close > item.loc.start && same
      ? {
          edit: {
            file: spot.file,
            label: `Connect .${port.plainName}(${port.plainName})`,
            line: spot.line,
            column: spot.column,
            endLine: spot.line,
            endColumn: spot.column,
            text: insert,
          },
        }
      : {},
  );
}

function bindPort(
  parent: ItemBinder,
  item: InstanceItem,
  instance: Instance,
  port: Signal,
  node: ExprNode | null,
  loc: Loc,
  scope: Scope,
  slot: { order: number; count: number },
): void {
  const { design } = parent;
  const { exprs, refs, report } = design;
  if (!node) {
    if (port.direction === "input")
      report.add(
        "note",
        "verilog/open-input",
        loc,
        `Input '${port.plainName}' of '${item.name}' is left open on purpose.`,
        "Tie it to a constant if it is read.",
      );
    instance.bindings.push({ port, value: null, target: null, loc });
    return;
  }
  if (port.type.kind === "array") {
    bindArray(parent, instance, port, node, loc, scope);
    return;
  }
  const type = exprs.typeOf(node, scope);
  const plain = (node.kind === "number" && node.width === null) || node.kind === "fill" || node.kind === "pattern";
  const width = type.form ? port.width : type.width;
  const spread = slot.count > 1 && width === port.width * slot.count;
  if (width !== port.width && !plain && !spread && !type.form) {
    report.warn(
      "verilog/port-width",
      loc,
      `Port '${port.plainName}' of '${item.module}' has ${port.width} bit(s); ${width} connected.`,
      "Connect a value of the same width.",
    );
  }
  // the leftmost instance takes the highest bits
  const at = spread ? (slot.count - 1 - slot.order) * port.width : 0;
  if (port.direction === "output") {
    const target = refs.target(node, scope);
    if (target) {
      for (const part of target.parts) checkDriven(parent, part, node);
      instance.bindings.push({ port, value: null, target: spread ? sliceTarget(target, at, port.width) : target, loc });
    }
    return;
  }
  if (port.direction === "inout" || port.direction === "ref") {
    joinNets(parent, port, node, loc, scope, at);
    return;
  }
  if (spread) {
    const value: Expr = {
      op: "slice",
      arg: exprs.selfDetermined(node, scope),
      lsb: at,
      width: port.width,
      signed: false,
      loc,
    };
    instance.bindings.push({ port, value, target: null, loc });
    return;
  }
  instance.bindings.push({ port, value: exprs.assigned(node, port.type, scope), target: null, loc });
}

function checkDriven(parent: ItemBinder, part: TargetPart, node: ExprNode): void {
  const { report, sources } = parent.design;
  const { signal } = part;
  if (signal.direction === "input")
    report.error(
      "verilog/assign-to-input",
      node.loc,
      `'${signal.plainName}' is an input of the module, so an output cannot drive it.`,
      "Connect a net of its own.",
    );
  if (signal.kind === "net" || signal.type.kind !== "integral") return;
  const { text } = sources.files[signal.loc.file];
  const start = Math.max(text.lastIndexOf(";", signal.loc.start), text.lastIndexOf("(", signal.loc.start)) + 1;
  if (/\b(reg|integer|time)\b[^;()]*$/.test(text.slice(start, signal.loc.start)))
    report.error(
      "verilog/assign-to-reg",
      part.loc,
      `'${signal.plainName}' is a reg, so an output cannot drive it.`,
      "Declare it as a wire.",
    );
}

/** An inout port is the same net as what it is connected to. */
function joinNets(parent: ItemBinder, port: Signal, node: ExprNode, loc: Loc, scope: Scope, at: number): void {
  const { design } = parent;
  const target = design.refs.target(node, scope);
  if (!target) return;
  const [part] = target.parts;
  if (target.parts.length !== 1 || typeof part.offset !== "number" || part.index.length || target.width < port.width) {
    design.report.error(
      "verilog/inout",
      loc,
      `The inout port '${port.plainName}' needs one net of ${port.width} bit(s).`,
      "Connect a net, or a part of one with constant bounds.",
    );
    return;
  }
  if (part.signal.kind !== "net") {
    if (port.direction === "ref") return;
    design.report.error(
      "verilog/inout",
      loc,
      `The inout port '${port.plainName}' needs a net; '${part.signal.plainName}' is a variable.`,
      "Declare it as a wire.",
    );
    return;
  }
  design.joins.push({ inner: port, outer: part.signal, offset: part.offset + at, loc });
}

/** Ports that are arrays take arrays of the same shape, element by element. */
function bindArray(parent: ItemBinder, instance: Instance, port: Signal, node: ExprNode, loc: Loc, scope: Scope): void {
  const { design } = parent;
  const { refs, report, exprs } = design;
  const sizes = port.dims.map(sizeOf);
  const count = sizes.reduce((product, size) => product * size, 1);
  if (design.sources.files[loc.file]?.takesBits && spreadBits(parent, port, count, node, loc, scope)) return;
  const ref = refs.isReference(node) ? refs.resolve(node, scope) : null;
  if (ref?.kind !== "data" || ref.type.kind !== "array" || !ref.signal || ref.signal.width !== port.width) {
    report.error(
      "verilog/array-value",
      loc,
      `Port '${port.plainName}' is an array.`,
      "Connect an array of the same shape.",
    );
    return;
  }
  const outer = ref.signal;
  if (
    outer.dims.length - ref.index.length !== port.dims.length ||
    outer.dims.slice(ref.index.length).some((dim, d) => sizeOf(dim) !== sizes[d])
  ) {
    report.error(
      "verilog/array-size",
      loc,
      `The array at port '${port.plainName}' has another shape.`,
      "Connect an array of the same shape.",
    );
    return;
  }
  for (let i = 0; i < count; i++) {
    const index = placeOf(i, sizes).map((at) => exprs.number(at, 34, loc));
    const inside: TargetPart = { signal: port, width: port.width, index, offset: 0, loc };
    const outside: TargetPart = { signal: outer, width: port.width, index: [...ref.index, ...index], offset: 0, loc };
    const [to, from] = port.direction === "output" ? [outside, inside] : [inside, outside];
    const value: Expr = {
      op: "element",
      signal: from.signal,
      index: from.index,
      width: port.width,
      signed: from.signal.signed,
      loc,
    };
    design.noteRead(from.signal);
    design.assigns.push({
      target: { parts: [to], width: port.width, loc },
      value,
      delay: null,
      strength: null,
      instance: instance.parent!,
      loc,
    });
  }
}

/** Subscripts of an element, counted from 0. */
function placeOf(element: number, sizes: readonly number[]): bigint[] {
  const place: bigint[] = [];
  let rest = element;
  for (const size of sizes.toReversed()) {
    place.unshift(BigInt(rest % size));
    rest = Math.floor(rest / size);
  }
  return place;
}

/** An array at a port as one row of bits, its lowest element the lowest of them. False if `node` is no such row. */
function spreadBits(parent: ItemBinder, port: Signal, count: number, node: ExprNode, loc: Loc, scope: Scope): boolean {
  const { design } = parent;
  const { refs, exprs } = design;
  const ref = refs.isReference(node) ? refs.resolve(node, scope) : null;
  const row = ref?.kind === "data" && ref.type.kind === "integral" ? ref.signal : null;
  if (!row || row.dims.length || row.width !== port.width * count || port.direction === "inout") return false;
  design.noteRead(row);
  for (let i = 0; i < count; i++) {
    const index = placeOf(i, port.dims.map(sizeOf)).map((at) => exprs.number(at, 34, loc));
    const inside: TargetPart = { signal: port, width: port.width, index, offset: 0, loc };
    const lsb = i * port.width;
    const outside: TargetPart = { signal: row, width: port.width, index: [], offset: lsb, loc };
    const shape = { width: port.width, signed: false, loc } as const;
    const value: Expr =
      port.direction === "output"
        ? { op: "element", signal: port, index, ...shape }
        : { op: "slice", arg: exprs.selfDetermined(node, scope), lsb, ...shape };
    design.assigns.push({
      target: { parts: [port.direction === "output" ? outside : inside], width: port.width, loc },
      value,
      delay: null,
      strength: null,
      instance: scope.instance,
      loc,
    });
  }
  return true;
}

/** Bits `lsb` and up of a target. */
export function sliceTarget(target: Target, lsb: number, width: number): Target {
  const parts: TargetPart[] = [];
  let top = target.width;
  for (const part of target.parts) {
    const low = top - part.width;
    const from = Math.max(low, lsb);
    const to = Math.min(top, lsb + width);
    if (to > from && typeof part.offset === "number")
      parts.push({ ...part, offset: part.offset + from - low, width: to - from });
    top = low;
  }
  return { parts, width, loc: target.loc };
}
