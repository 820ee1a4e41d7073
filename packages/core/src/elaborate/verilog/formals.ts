import type { Loc } from "../../common/source.ts";
import type { ExprNode, TypeNode } from "../../hdl/verilog/ast.ts";
import type { Scope } from "../scope.ts";
import type { Host } from "./host.ts";

/** What is named with arguments and stands for its text: `let`, named properties and sequences. */
interface Template {
  readonly name: string;
  readonly args: readonly {
    readonly name: string;
    readonly type?: TypeNode | null;
    readonly init: ExprNode | null;
  }[];
}

/** Tells that a name is declared in its scope already. */
export function twice(host: Host, name: string, loc: Loc): void {
  host.report.error(
    "verilog/duplicate",
    loc,
    `'${name}' is declared twice in the same scope.`,
    "Rename or remove one of them.",
  );
}

/** A use of a template, with its arguments bound. */
export class Use {
  private readonly by = new Map<string, ExprNode>();
  readonly isGood: boolean;

  /**
   * @param node The name, or the call.
   * @param from Where the template is declared.
   * @param scope Where it is used.
   */
  constructor(
    private readonly host: Host,
    private readonly template: Template,
    node: ExprNode,
    private readonly from: Scope,
    private readonly scope: Scope,
  ) {
    this.isGood = this.bind(node);
  }

  private bind(node: ExprNode): boolean {
    const { report } = this.host;
    const { name: own, args: formals } = this.template;
    const args = node.kind === "call" ? node.args : [];
    const named = new Set(formals.map(({ name }) => name));
    const stranger = args.find((arg) => arg.name !== null && !named.has(arg.name));
    if (stranger || args.length > formals.length) {
      report.error(
        "verilog/arguments",
        stranger?.loc ?? node.loc,
        stranger
          ? `'${own}' has no argument '${stranger.name}'.`
          : `'${own}' takes ${formals.length} argument(s); ${args.length} given.`,
        "Correct the call.",
      );
      return false;
    }
    for (const [i, { name, type, init }] of formals.entries()) {
      const given = args.find((arg) => arg.name === name)?.value ?? (args[i]?.name === null ? args[i].value : null);
      const value = given ?? (init && this.placed(init));
      if (!value) {
        report.error("verilog/arguments", node.loc, `'${own}' needs a value for '${name}'.`, "Add it to the call.");
        return false;
      }
      this.by.set(name, type ? { kind: "cast", to: type, value, loc: value.loc } : value);
    }
    return true;
  }

  /** The template's text with the arguments put in. Names that mean something else where it is used are told. */
  placed<T>(tree: T): T {
    if (typeof tree !== "object" || tree === null) return tree;
    if (Array.isArray(tree)) return tree.map((item) => this.placed(item)) as T;
    const node = tree as unknown as ExprNode;
    if (node.kind === "name") {
      const given = this.by.get(node.name);
      if (given) return given as T;
      const { from, scope } = this;
      const meaning = from.find(node.name);
      if (node.name.startsWith("$") || meaning === scope.find(node.name)) return tree;
      if (meaning && from.root.kind === "package" && from.root.own(node.name) === meaning)
        return { kind: "scoped", scope: from.root.name, name: node.name, loc: node.loc } as unknown as T;
      this.host.report.error(
        "verilog/other-meaning",
        node.loc,
        `'${node.name}' in '${this.template.name}' means something else where it is used.`,
        "Rename one of them, or make it an argument.",
      );
      return { kind: "bad", loc: node.loc } as unknown as T;
    }
    const copy: Record<string, unknown> = {};
    for (const [key, value] of Object.entries(tree))
      copy[key] = key === "loc" || key === "nameLoc" ? value : this.placed(value);
    return copy as T;
  }
}
