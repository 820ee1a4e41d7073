import type { Loc } from "../../common/source.ts";
import type { DeclItem } from "../../hdl/verilog/ast.ts";
import { maxVectorWidth } from "../../hdl/verilog/number-text.ts";
import type { Signal, Stmt, Subroutine } from "../model.ts";
import { type Meaning, Scope } from "../scope.ts";
import { asVector, bitType, type DataType, unpackedDims, voidType } from "../types.ts";
import { someStmt, targetsOf } from "../walk.ts";
import { fixedContainer } from "./bind-container.ts";
import type { Host } from "./host.ts";

const empty: Stmt = { op: "block", body: [] };

/** The header of a function or task: its own scope, arguments and result. The body comes with `bindBody`. */
export function bindHeader(host: Host, meaning: Meaning & { kind: "subroutine" }): { sub: Subroutine; scope: Scope } {
  const { node, scope: outer } = meaning;
  const { report, types } = host;
  const scope = new Scope(outer, outer.instance, `${outer.prefix}${node.name}.`, node.name, "subroutine");
  const { method } = meaning;
  const automatic = node.automatic ?? (method ? true : outer.root.automatic);
  scope.automatic = automatic;
  const args: { signal: Signal; direction: "input" | "output" | "inout" | "ref" }[] = [];
  let result: Signal | null = null;
  const fallbacks: ({ node: NonNullable<DeclItem["names"][number]["init"]>; scope: Scope } | null)[] = [];
  const base: Omit<Subroutine, "args" | "result"> = {
    name: node.name,
    task: node.task,
    automatic,
    locals: [],
    body: empty,
    suspends: false,
    id: { name: node.name, disabled: false },
    instance: outer.instance,
    loc: node.nameLoc,
  };
  const sub: Subroutine = { ...base, args, result: null };
  const isConstructor = method !== undefined && node.name === "new";
  if (method && !method.isStatic) {
    const type: DataType = { kind: "class", info: method.owner };
    const signal = host.newSignal("this", node.nameLoc, scope, { type, kind: "local", automatic: true });
    scope.declare("this", { kind: "signal", signal });
    args.push({ signal, direction: "input" });
    fallbacks.push(null);
  }
  if (!node.task) {
    const type: DataType = isConstructor
      ? { kind: "class", info: method.owner }
      : carried(host, node.type ? types.bind(node.type, scope) : bitType, node.nameLoc);
    if (type.kind !== voidType.kind) {
      result = host.newSignal(node.name, node.nameLoc, scope, { type, kind: "local", automatic });
      scope.declare(node.name, { kind: "signal", signal: result });
    }
  }
  (sub as { result: Signal | null }).result = result;
  scope.subroutine = sub;
  let last: DeclItem | null = null;
  for (const arg of node.args) {
    const implicit =
      arg.type.kind === "builtin" &&
      arg.type.word === "implicit" &&
      arg.type.dims.length === 0 &&
      arg.type.signed === null;
    // `input [3:0] a, b` in a header: b is like a
    const typed: DeclItem = implicit && last && arg.loc === last.loc ? last : arg;
    last = typed;
    for (const declared of arg.names) {
      const type = carried(host, types.withUnpacked(types.bind(typed.type, scope), declared.dims, scope), declared.loc);
      const signal = host.newSignal(declared.name, declared.loc, scope, { type, kind: "local", automatic });
      if (!scope.declare(declared.name, { kind: "signal", signal }))
        report.error(
          "verilog/duplicate",
          declared.loc,
          `'${declared.name}' is declared twice in the same scope.`,
          "Rename or remove one of them.",
        );
      const direction = arg.direction ?? "input";
      args.push({ signal, direction: type.kind === "any" && direction === "inout" ? "output" : direction });
      fallbacks.push(declared.init ? { node: declared.init, scope: outer } : null);
    }
  }
  if (fallbacks.some((each) => each !== null)) host.calls.defaults.set(sub, fallbacks);
  return { sub, scope };
}

/** Arrays go into subroutines and out of them as vectors. */
function carried(host: Host, type: DataType, loc: Loc): DataType {
  if (type.kind !== "array") return type;
  const vector = asVector(type);
  if (vector && vector.width <= maxVectorWidth) return vector;
  const { dims, element } = unpackedDims(type);
  if (!vector) return dims.reduceRight<DataType>((inner, dim) => fixedContainer(dim, inner), element);
  host.report.error(
    "verilog/unsupported",
    loc,
    `An array of ${vector.width} bits is too large to be handed to a function or task.`,
    "Use the array directly, by its name.",
  );
  return bitType;
}

export function bindBody(host: Host, meaning: Meaning & { kind: "subroutine" }, sub: Subroutine, scope: Scope): void {
  const { node } = meaning;
  const { stmts, report, types } = host;
  const init: Stmt[] = [];
  for (const decl of node.decls) {
    if (decl.kind === "param") stmts.declareParam(decl, scope);
    else if (decl.kind === "typedef") stmts.declareType(decl, scope);
    else if (decl.kind === "let") host.lets.declare(decl, scope);
    else if (decl.kind === "import") stmts.declareImport(decl.package, decl.name, decl.loc, scope);
    else {
      // old style: `input x; reg [3:0] x;` says the argument's type in a second declaration
      const names = decl.names.filter((declared) => {
        const known = scope.own(declared.name);
        if (known?.kind !== "signal" || !sub.args.some((arg) => arg.signal === known.signal)) return true;
        retype(known.signal, types.bind(decl.type, scope));
        return false;
      });
      if (names.length) stmts.declareLocals({ ...decl, names }, scope, [], init, false);
    }
  }
  const { method } = meaning;
  const isConstructor = method !== undefined && node.name === "new";
  const { first, rest } = isConstructor
    ? host.classes.beginning(node, method.owner, sub, scope)
    : { first: [], rest: node.body };
  const body = rest.map((stmt) => stmts.bind(stmt, scope));
  sub.body = { op: "block", body: [...init, ...first, ...body], loc: node.loc };
  if (!node.task && sub.result && !isConstructor && !method?.isPure && !assigns(sub.body, sub.result))
    report.warn(
      "verilog/no-result",
      node.nameLoc,
      `Function '${node.name}' never gives its value.`,
      `Assign to '${node.name}', or use return.`,
    );
}

export function retype(signal: Signal, type: DataType): void {
  signal.type = type;
  if (type.kind !== "integral") return;
  const dim = type.dims[0] ?? { left: type.width - 1, right: 0 };
  Object.assign(signal, {
    width: type.width,
    signed: type.signed,
    fourState: type.fourState,
    msb: dim.left,
    lsb: dim.right,
  });
}

function assigns(stmt: Stmt, signal: Signal): boolean {
  let found = false;
  targetsOf(stmt, ({ parts }) => {
    found ||= parts.some((part) => part.signal === signal);
  });
  return found;
}

/** Marks every subroutine that waits somewhere, itself or through what it calls. */
export function markSuspending(subs: readonly Subroutine[]): void {
  for (let changed = true; changed; ) {
    changed = false;
    for (const sub of subs) {
      if (!sub.suspends && suspends(sub.body)) {
        sub.suspends = true;
        changed = true;
      }
    }
  }
}

/** Whether running this statement may take time, or start threads. */
export function suspends(stmt: Stmt): boolean {
  return someStmt(stmt, (inner) => {
    switch (inner.op) {
      case "delay":
      case "event":
      case "wait":
      case "fork":
        return true;
      case "assign":
        return inner.blocking && inner.intra !== null;
      case "call":
        return inner.sub.suspends;
      default:
        return false;
    }
  });
}
