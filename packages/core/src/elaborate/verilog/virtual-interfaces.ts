import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { ExprNode, ModuleNode, VirtualType } from "../../hdl/verilog/ast.ts";
import type { Expr, Instance, Stmt } from "../model.ts";
import type { Scope } from "../scope.ts";
import { type DataType, type IntegralType, unpackedDims, vectorType } from "../types.ts";
import type { Host } from "./host.ts";

/** The call that stands for a handle without an interface: no text can name it. */
export const noInterface = "$ no interface";

/** A name behind a handle: the node, and the handle in it. */
export interface Through {
  readonly handle: ExprNode;
  readonly interface: string;
  readonly loc: Loc;
}

/**
 * Handles of interfaces (IEEE 1800-2017 clause 25.9). A handle is a number, 0 for none, else the place of an instance
 * among those of its interface; what is named behind it is chosen among the instances when it is used.
 */
export class VirtualInterfaces {
  private any = false;
  private readonly instances = new Map<string, Instance[]>();
  /** Lists that were used: an instance that comes later would be missing in what was made. */
  private readonly used = new Set<string>();
  private readonly made = new WeakMap<ExprNode, { readonly scope: Scope; readonly value: ExprNode }>();

  constructor(
    private readonly host: Host,
    private readonly modules: ReadonlyMap<string, ModuleNode>,
    /** Where all scopes look names up in the end. */
    private readonly known: Scope,
  ) {}

  add(instance: Instance, scope: Scope): void {
    const { module, loc } = instance;
    if (this.used.has(module)) throw new Error(`An instance of interface '${module}' came too late for its handles.`);
    const list = this.instances.get(module) ?? [];
    this.instances.set(module, list);
    list.push(instance);
    this.known.declare(pathName(module, list.length), { kind: "scope", scope, loc });
  }

  bind(node: VirtualType): DataType {
    this.any = true;
    if (this.modules.get(node.name)?.kind !== "interface") {
      const names = [...this.modules.values()].filter(({ kind }) => kind === "interface").map(({ name }) => name);
      const near = nearestName(node.name, names);
      this.host.report.error(
        "verilog/unknown-interface",
        node.loc,
        `There is no interface '${node.name}' in the sources.`,
        near ? `Did you mean '${near}'?` : "Add the file that declares it.",
      );
    }
    return { ...vectorType(32, false, false), name: `virtual ${node.name}`, handleOf: node.name };
  }

  /** What a handle is given: null, an instance, or another handle. */
  value(node: ExprNode, to: IntegralType, scope: Scope): Expr {
    const { refs, exprs, report } = this.host;
    const { loc } = node;
    const name = to.handleOf!;
    if (node.kind === "null") return exprs.number(0n, 32, loc);
    if (node.kind === "conditional") {
      const test = exprs.condition(node.test, scope);
      const yes = this.value(node.yes, to, scope);
      const shape = { width: 32, signed: false, loc } as const;
      // an unknown condition chooses none
      return { op: "twostate", arg: { op: "cond", test, yes, no: this.value(node.no, to, scope), ...shape }, ...shape };
    }
    const ref = refs.isReference(node) ? refs.resolve(node, scope) : null;
    if (refs.isReference(node) && !ref) return exprs.unknown(32, loc);
    if (ref?.kind === "scope" && ref.scope.instance.kind === "interface") {
      const { instance } = ref.scope;
      if (instance.module === name) return exprs.number(BigInt(this.place(instance)), 32, loc);
    } else if (!ref || ref.kind === "data") {
      const type = exprs.dataTypeOf(node, scope);
      if (type.kind === "integral" && type.handleOf === name) return exprs.contextual(node, 32, false, scope);
    }
    report.error(
      "verilog/interface",
      loc,
      `'${this.host.sources.text(loc)}' is no instance of interface '${name}'.`,
      "Give an instance of it, another handle, or null.",
    );
    return exprs.unknown(32, loc);
  }

  /** `vif == null` and the like; null if neither side is a handle. */
  comparison(node: ExprNode & { readonly kind: "binary" }, scope: Scope): Expr | null {
    if (!this.any || !/^[!=]==?$/.test(node.op)) return null;
    // the choice of an instance itself
    if (node.left.kind === "number" || node.right.kind === "number") return null;
    const { exprs } = this.host;
    for (const side of [node.left, node.right]) {
      if (side.kind === "null") continue;
      const type = exprs.dataTypeOf(side, scope);
      if (type.kind !== "integral" || !type.handleOf) continue;
      return {
        op: "binary",
        kind: node.op[0] === "=" ? "eq" : "ne",
        left: this.value(node.left, type, scope),
        right: this.value(node.right, type, scope),
        operandSigned: false,
        width: 1,
        signed: false,
        loc: node.loc,
      };
    }
    return null;
  }

  /** The handle that a name is reached through; null if there is none. */
  find(node: ExprNode, scope: Scope): Through | null {
    if (!this.any) return null;
    const chain: ExprNode[] = [];
    let at: ExprNode | null = node;
    while (at) {
      chain.push(at);
      at = baseOf(at);
    }
    const root = chain[chain.length - 1];
    if (chain.length < 2 || !this.mayLead(root, scope)) return null;
    const { refs } = this.host;
    // from the root on: what stands behind a handle is not looked up before it is told which
    for (let i = chain.length - 2; i >= 0; i--) {
      if (chain[i].kind !== "member" || !refs.isReference(chain[i + 1])) continue;
      const ref = refs.resolve(chain[i + 1], scope);
      if (ref?.kind !== "data") return null;
      if (ref.type.kind === "integral" && ref.type.handleOf)
        return { handle: chain[i + 1], interface: ref.type.handleOf, loc: node.loc };
      if (ref.type.kind !== "class") return null;
    }
    return null;
  }

  private mayLead(root: ExprNode, scope: Scope): boolean {
    if (root.kind === "scoped") return true;
    if (root.kind !== "name") return false;
    if (root.name === "this" || root.name === "super") return true;
    const meaning = scope.find(root.name);
    if (meaning?.kind === "property") return true;
    if (meaning?.kind !== "signal") return false;
    let { element } = unpackedDims(meaning.signal.type);
    while (element.kind === "container") element = element.element;
    return element.kind === "class" || (element.kind === "integral" && element.handleOf !== undefined);
  }

  /** A value behind a handle, as a choice among the instances. */
  expanded(node: ExprNode, scope: Scope): ExprNode {
    if (!this.any || !/^(member|index|range|call)$/.test(node.kind)) return node;
    const known = this.made.get(node);
    if (known?.scope === scope) return known.value;
    const through = this.find(node, scope);
    if (!through) return node;
    const { loc } = node;
    if (hasEffect(through.handle))
      this.host.report.error(
        "verilog/interface",
        loc,
        "What is read here would be worked out once for each interface that it may lead to.",
        "Put the handle into a variable first.",
      );
    const list = this.listOf(through);
    const none: ExprNode = { kind: "call", callee: { kind: "name", name: noInterface, loc }, args: [], loc };
    let value: ExprNode = none;
    for (let k = list.length; k >= 1; k--) {
      const number: ExprNode = { kind: "number", width: 32, signed: false, based: true, a: BigInt(k), b: 0n, loc };
      const test: ExprNode = { kind: "binary", op: "==", left: through.handle, right: number, loc };
      value = { kind: "conditional", test, yes: replaced(node, through, k), no: value, loc };
    }
    this.made.set(node, { scope, value });
    return value;
  }

  /** A statement for each instance, chosen by the handle. @param make The statement with the name in one instance. */
  dispatch(node: ExprNode, through: Through, scope: Scope, make: (node: ExprNode) => Stmt): Stmt {
    const { exprs, stmts } = this.host;
    const { loc } = through;
    const items = this.listOf(through).map((_, i) => ({
      labels: [exprs.number(BigInt(i + 1), 32, loc)],
      body: make(replaced(node, through, i + 1)),
      loc,
    }));
    const subject = exprs.selfDetermined(through.handle, scope);
    return { op: "case", flavour: "case", subject, items, fallback: stmts.evaluated(this.none(loc), loc), loc };
  }

  /** Ends the run: the handle holds no interface. */
  none(loc: Loc): Expr {
    return this.host.classes.absent(loc);
  }

  private listOf({ interface: name, loc }: Through): readonly Instance[] {
    this.used.add(name);
    const list = this.instances.get(name) ?? [];
    if (list.length === 0)
      this.host.report.error(
        "verilog/interface",
        loc,
        `The design has no instance of interface '${name}'.`,
        "Instantiate it, and give the instance to the handle.",
      );
    return list;
  }

  private place(instance: Instance): number {
    return (this.instances.get(instance.module) ?? []).indexOf(instance) + 1;
  }
}

const pathName = (module: string, place: number) => `${module} ${place}`;

/** Calls, and steps such as `i++`, in the subscripts of a handle. */
function hasEffect(tree: unknown): boolean {
  if (typeof tree !== "object" || tree === null) return false;
  if ("kind" in tree && (tree.kind === "call" || tree.kind === "step")) return true;
  return Object.values(tree).some(hasEffect);
}

function baseOf(node: ExprNode): ExprNode | null {
  if (node.kind === "member" || node.kind === "index" || node.kind === "range") return node.base;
  if (node.kind === "call") return node.callee;
  return null;
}

/** The node with an instance in place of the handle. */
function replaced(node: ExprNode, through: Through, place: number): ExprNode {
  if (node === through.handle)
    return { kind: "name", name: pathName(through.interface, place), loc: through.handle.loc };
  if (node.kind === "member" || node.kind === "index" || node.kind === "range")
    return { ...node, base: replaced(node.base, through, place) };
  if (node.kind === "call") return { ...node, callee: replaced(node.callee, through, place) };
  return node;
}
