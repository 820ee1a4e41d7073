import type { Loc } from "../../common/source.ts";
import type { ExprNode } from "../../hdl/verilog/ast.ts";
import type { Target } from "../model.ts";
import type { Scope } from "../scope.ts";
import type { Host } from "./host.ts";

/**
 * Truncation loses bits. The width an engineer means leaves out the 32 bits of plain numbers, and what an expression
 * cannot reach.
 */
export function checkTruncation(host: Host, width: number, value: ExprNode, scope: Scope, _loc: Loc): void {
  const meant = meantWidth(host, value, scope);
  if (meant !== null && meant > width && width > 0) {
    host.report.warn(
      "verilog/truncated",
      value.loc,
      `This value has ${meant} bits; its target has ${width}. The upper ${meant - width} are lost.`,
      "Select the bits that are meant, or widen the target.",
    );
  }
}

/**
 * null: nothing can be said. A long chain of operators goes down to the left: it is worked out from there, so that nothing is
 * as deep as the text is long.
 */
function meantWidth(host: Host, node: ExprNode, scope: Scope): number | null {
  const known = new Map<ExprNode, number | null>();
  const chain: ExprNode[] = [];
  for (let at = node; at.kind === "binary"; at = at.left) chain.push(at);
  for (let i = chain.length - 1; i >= 0; i--) known.set(chain[i], widthOf(host, chain[i], scope, known));
  return known.get(node) ?? widthOf(host, node, scope, known);
}

function widthOf(
  host: Host,
  given: ExprNode,
  scope: Scope,
  known: ReadonlyMap<ExprNode, number | null>,
): number | null {
  const node = host.standsFor(given, scope);
  const inner = (part: ExprNode) => meantWidth(host, part, scope);
  switch (node.kind) {
    case "number":
      if (node.signed && !node.based) return node.b ? 1 : Math.max(1, node.a.toString(2).length);
      return node.width ?? (node.b ? 1 : Math.max(1, node.a.toString(2).length));
    case "fill":
      return 1;
    case "name":
    case "scoped":
    case "member": {
      const ref = host.refs.resolve(node, scope);
      if (ref?.kind !== "data" || ref.type.kind !== "integral") return null;
      // an integer's 32 bits say nothing of the values that it is meant to hold
      if (!ref.signal) {
        const expr = ref.value;
        return expr?.op === "const" && !expr.value.b && ref.type.width >= 32
          ? Math.max(
              1,
              BigInt.asIntN(expr.width, expr.value.a) < 0n && expr.signed ? 1 : expr.value.a.toString(2).length,
            )
          : ref.type.width;
      }
      return ref.type.width === 32 && ref.type.signed ? 1 : ref.type.width;
    }
    case "index":
    case "range":
    case "concat":
    case "repeat": {
      const type = host.exprs.typeOf(node, scope);
      return type.form ? null : type.width;
    }
    case "unary":
      return /^[-~+]$/.test(node.op) ? inner(node.operand) : 1;
    case "binary": {
      if (/^(==|!=|===|!==|==\?|!=\?|<|<=|>|>=|&&|\|\||->|<->)$/.test(node.op)) return 1;
      const left = known.has(node.left) ? known.get(node.left)! : inner(node.left);
      // a shift to the left is mostly meant to lose what leaves the target
      if (node.op === ">>" || node.op === ">>>")
        return node.left.kind === "number" ? null : shifted(host, left, node.right, scope);
      if (/^(<<|<<<|\*\*)$/.test(node.op)) return node.left.kind === "number" ? null : left;
      const right = inner(node.right);
      if (left === null || right === null) return null;
      if (node.op === "%") return right;
      if (node.op === "/") return left;
      return node.op === "&" ? Math.min(left, right) : Math.max(left, right);
    }
    case "conditional": {
      const yes = inner(node.yes);
      const no = inner(node.no);
      return yes === null || no === null ? null : Math.max(yes, no);
    }
    default:
      return null;
  }
}

function shifted(host: Host, left: number | null, by: ExprNode, scope: Scope): number | null {
  if (left === null) return null;
  const amount = by.kind === "number" ? host.exprs.quietInteger(by, scope) : null;
  return amount === null ? null : Math.max(1, left - amount);
}

/** What a procedural assignment may not change. */
export function checkTargets(
  host: Host,
  target: Target,
  node: { readonly target: ExprNode; readonly blocking: boolean; readonly loc: Loc },
  _scope: Scope,
): void {
  const { report, sources } = host;
  for (const part of target.parts) {
    const { signal } = part;
    const name = signal.plainName;
    const declared = { related: [{ place: sources.place(signal.loc), message: "Declared here." }] };
    if (signal.direction === "input" && signal.kind !== "local")
      report.error(
        "verilog/assign-to-input",
        part.loc,
        `'${name}' is an input of the module.`,
        "Assign to an output or an inner register.",
        declared,
      );
    else if (signal.kind === "net")
      report.error(
        "verilog/assign-to-wire",
        part.loc,
        `'${name}' is a wire, so a procedural block cannot assign to it.`,
        "Declare it as reg or logic.",
        { ...declared, ...regEdit(host, signal.loc) },
      );
    else if (signal.isConst)
      report.error(
        "verilog/assign-to-const",
        part.loc,
        `'${name}' is a constant.`,
        "Remove 'const', or assign to another variable.",
        declared,
      );
    if (!node.blocking && signal.automatic)
      report.error(
        "verilog/nonblocking-local",
        part.loc,
        `'${name}' lives for one call only, so it cannot be assigned with <=.`,
        "Use =.",
      );
  }
}

/** `wire x` or a bare `output x` becomes a variable. */
function regEdit(host: Host, loc: Loc): object {
  const { text } = host.sources.files[loc.file];
  const start =
    Math.max(
      text.lastIndexOf(";", loc.start),
      text.lastIndexOf(",", loc.start),
      text.lastIndexOf("(", loc.start),
      text.lastIndexOf("\n", loc.start),
    ) + 1;
  const before = text.slice(start, loc.start);
  const wire = /\bwire\b/.exec(before);
  const output = /\boutput\b/.exec(before);
  if (!wire && !output) return {};
  const from = wire ? start + wire.index : start + output!.index + "output".length;
  const to = wire ? from + 4 : from;
  const a = host.sources.position(loc.file, from);
  const b = host.sources.position(loc.file, to);
  return {
    edit: {
      file: a.file,
      label: "Make it a reg",
      line: a.line,
      column: a.column,
      endLine: b.line,
      endColumn: b.column,
      text: wire ? "reg" : " reg",
    },
  };
}
