import type { ExprNode, LetItem } from "../../hdl/verilog/ast.ts";
import type { Meaning, Scope } from "../scope.ts";
import { twice, Use } from "./formals.ts";
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
      twice(this.host, node.name, node.nameLoc);
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
    const use = new Use(this.host, decl, node, from, scope);
    if (!use.isGood) return { kind: "bad", loc: node.loc };
    const body = use.placed(decl.value);
    // what it expands to may name others, and in the end itself
    this.depth++;
    try {
      return this.within(body, scope);
    } finally {
      this.depth--;
    }
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
