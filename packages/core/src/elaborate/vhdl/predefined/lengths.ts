/** Which lengths make that of a result. "own": the other operand is a whole number, and has none. */
type LengthRule = "sum" | "left" | "right" | "widest" | "own left" | "own right" | "twice left" | "twice right";

/** Length of what an operator of numbers gives (IEEE 1076-2008 clause 16.9.5), by which operands are whole numbers. */
export function lengthRule(op: string, leftIsWhole: boolean, rightIsWhole: boolean): LengthRule {
  if (leftIsWhole || rightIsWhole) {
    const side = leftIsWhole ? "right" : "left";
    return op === "*" ? `twice ${side}` : `own ${side}`;
  }
  switch (op) {
    case "*":
      return "sum";
    case "/":
      return "left";
    case "mod":
    case "rem":
      return "right";
    default:
      return "widest";
  }
}

/** The length by its rule. Of two vectors of which one has no elements, nothing is left. */
export function resultLength(rule: LengthRule, left: number, right: number): number {
  switch (rule) {
    case "own left":
      return left;
    case "own right":
      return right;
    case "twice left":
      return 2 * left;
    case "twice right":
      return 2 * right;
    default:
      if (left === 0 || right === 0) return 0;
      return rule === "sum" ? left + right : rule === "left" ? left : rule === "right" ? right : Math.max(left, right);
  }
}
