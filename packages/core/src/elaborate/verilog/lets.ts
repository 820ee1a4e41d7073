import type { ExprNode, LetItem } from "../../hdl/verilog/ast.ts";
import type { Meaning, Scope } from "../scope.ts";
import type { Host } from "./host.ts";

type LetMeaning = Meaning & { readonly kind: "let" };

/** Most expansions within each other. */
const deepest = 64;

/**
 * `let` declarations (IEEE 1800-2017 clause 11.12): where one is named, its expression stands with the arguments put in.
 * What else it names is what was meant where it was declared.
 */
export class Lets {
  private any = false;
  private readonly made = new WeakMap<ExprNode, { readonly scope: Scope; readonly value: ExprNode }>();
  private depth = 0;

  constructor(private readonly host: Host) {}

  declare(node: LetItem, scope: Scope): void {
    this.any = true;
    if (!scope.declare(node.name, { kind: "let", node, scope, loc: node.nameLoc }))
      this.host.report.error(
        "verilog/duplicate",
        node.nameLoc,
        `'${node.name}' is declared twice in the same scope.`,
        "Rename or remove one of them.",
      );
  }

  /** The node, or what it stands for. */
  expanded(node: ExprNode, scope: Scope): ExprNode {
    if (!this.any) return node;
    const callee = node.kind === "call" ? node.callee : node;
    if (callee.kind !== "name" && callee.kind !== "scoped") return node;
    const known = this.made.get(node);
    if (known?.scope === scope) return known.value;
    const meaning =
      callee.kind === "name"
        ? scope.find(callee.name)
        : this.host.packageScope(callee.scope, callee.loc)?.own(callee.name);
    if (meaning?.kind !== "let") return node;
    const value = this.depth >= deepest ? this.endless(node, meaning) : this.expand(node, meaning, scope);
    this.made.set(node, { scope, value });
    return value;
  }

  private endless(node: ExprNode, { node: decl }: LetMeaning): ExprNode {
    this.host.report.error("verilog/recursion", node.loc, `'${decl.name}' names itself.`, "Use a function.");
    return { kind: "bad", loc: node.loc };
  }

  private expand(node: ExprNode, { node: decl, scope: from }: LetMeaning, scope: Scope): ExprNode {
    const { report } = this.host;
    const args = node.kind === "call" ? node.args : [];
    const by = new Map<string, ExprNode>();
    const named = new Set(decl.args.map(({ name }) => name));
    const stranger = args.find((arg) => arg.name !== null && !named.has(arg.name));
    if (stranger || args.length > decl.args.length) {
      report.error(
        "verilog/arguments",
        stranger?.loc ?? node.loc,
        stranger
          ? `'${decl.name}' has no argument '${stranger.name}'.`
          : `'${decl.name}' takes ${decl.args.length} argument(s); ${args.length} given.`,
        "Correct the call.",
      );
      return { kind: "bad", loc: node.loc };
    }
    for (const [i, { name, type, init }] of decl.args.entries()) {
      const given = args.find((arg) => arg.name === name)?.value ?? (args[i]?.name === null ? args[i].value : null);
      const value = given ?? (init && this.placed(init, by, from, scope, decl));
      if (!value) {
        report.error(
          "verilog/arguments",
          node.loc,
          `'${decl.name}' needs a value for '${name}'.`,
          "Add it to the call.",
        );
        return { kind: "bad", loc: node.loc };
      }
      by.set(name, type ? { kind: "cast", to: type, value, loc: value.loc } : value);
    }
    const body = this.placed(decl.value, by, from, scope, decl);
    // what it expands to may name others, and in the end itself
    this.depth++;
    try {
      return this.within(body, scope);
    } finally {
      this.depth--;
    }
  }

  /** Names put in, and those that mean something else where the expression is used told. */
  private placed<T>(tree: T, by: ReadonlyMap<string, ExprNode>, from: Scope, scope: Scope, decl: LetItem): T {
    if (typeof tree !== "object" || tree === null) return tree;
    if (Array.isArray(tree)) return tree.map((item) => this.placed(item, by, from, scope, decl)) as T;
    const node = tree as unknown as ExprNode;
    if (node.kind === "name") {
      const given = by.get(node.name);
      if (given) return given as T;
      const meaning = from.find(node.name);
      if (node.name.startsWith("$") || meaning === scope.find(node.name)) return tree;
      if (meaning && from.root.kind === "package" && from.root.own(node.name) === meaning)
        return { kind: "scoped", scope: from.root.name, name: node.name, loc: node.loc } as unknown as T;
      this.host.report.error(
        "verilog/let",
        node.loc,
        `'${node.name}' in '${decl.name}' means something else where it is used.`,
        "Rename one of them, or make it an argument.",
      );
      return { kind: "bad", loc: node.loc } as unknown as T;
    }
    const copy: Record<string, unknown> = {};
    for (const [key, value] of Object.entries(tree))
      copy[key] = key === "loc" || key === "nameLoc" ? value : this.placed(value, by, from, scope, decl);
    return copy as T;
  }

  /** Expands at once what stands within, so that endless ones are found. */
  private within<T>(tree: T, scope: Scope): T {
    if (typeof tree !== "object" || tree === null) return tree;
    if (Array.isArray(tree)) return tree.map((item) => this.within(item, scope)) as T;
    const node = tree as unknown as ExprNode;
    const made = "kind" in node ? this.expanded(node, scope) : node;
    if (made !== node) return made as unknown as T;
    const copy: Record<string, unknown> = {};
    for (const [key, value] of Object.entries(tree))
      copy[key] = key === "loc" || key === "nameLoc" ? value : this.within(value, scope);
    return copy as T;
  }
}
