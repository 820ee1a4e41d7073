import type { Expr } from "../bound.ts";

/**
 * The operators of `a + b + c + ...`, outermost first: each one's left operand is the next. Sums may have thousands of
 * terms, so they are worked through in a loop, from the last of these to the first, and not by recursion.
 *
 * Concatenations are not among them: those take all parts of a chain at once.
 */
export function operatorChain(e: Expr): Expr[] {
  const chain: Expr[] = [];
  for (let at: Expr | null = e; at && isOperator(at); at = leftOperand(at)) chain.push(at);
  return chain;
}

const isOperator = (e: Expr) => (e.op === "builtin" && e.name !== "&") || e.op === "call";

export const leftOperand = (e: Expr): Expr | null =>
  e.op === "builtin" || e.op === "call" ? (e.args[0] ?? null) : null;

/** Values of operands that were worked out before the operator above them asks for them, each once. */
export class ReadyOperands<T> {
  private readonly values = new Map<Expr, T>();

  take(e: Expr): T | undefined {
    if (!this.values.size) return undefined;
    const value = this.values.get(e);
    if (value !== undefined) this.values.delete(e);
    return value;
  }

  /**
   * Works through a chain from its innermost operator.
   * @param chain Operators, outermost first.
   * @param work Makes one operator's value, and takes its left operand from here.
   * @param handed What an operand is replaced by before the operator above takes it.
   */
  through(chain: readonly Expr[], work: (e: Expr) => T, handed: (value: T, done: number) => T = (value) => value): T {
    let value = work(chain[chain.length - 1]);
    for (let i = chain.length - 2; i >= 0; i--) {
      this.values.set(chain[i + 1], handed(value, chain.length - 1 - i));
      value = work(chain[i]);
      this.values.delete(chain[i + 1]);
    }
    return value;
  }
}

/** The parts of `a & b & c & ...` that make one type, left to right. */
export function concatenated(args: readonly Expr[], isPart: (e: Expr) => boolean): Expr[] {
  const parts: Expr[] = [];
  const open = [...args].reverse();
  for (let e = open.pop(); e; e = open.pop()) {
    if (e.op === "builtin" && e.name === "&" && !isPart(e)) for (let i = e.args.length; i-- > 0; ) open.push(e.args[i]);
    else parts.push(e);
  }
  return parts;
}
