import type { Decl } from "../bound.ts";
import type { Subtype, VType } from "../types.ts";

/** Questions about types and declarations, and their names in findings. */

/** Whether bounds are known for the outermost dimension. */
export function isConstrained(subtype: Subtype): boolean {
  for (let at: Subtype | null = subtype; at; at = at.parent) {
    if (at.ofObject) return true;
    if (at.constraint?.kind === "array" && at.constraint.ranges.every((range) => range !== null)) return true;
  }
  return false;
}

export function distinct(types: readonly VType[]): VType[] {
  return types.length < 2 ? [...types] : [...new Set(types)];
}
/** A single bit, of either type that has '0' and '1'. */
export function isBit(type: VType): boolean {
  return type.kind === "enum" && (type.packing === "logic" || type.packing === "bit") && type.name !== "boolean";
}
export function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
export function countOf(count: number, one: string, many = `${one}s`): string {
  return count === 0 ? `no ${many}` : count === 1 ? `one ${one}` : `${count} ${many}`;
}
export function kindName(decl: Decl): string {
  switch (decl.kind) {
    case "sub":
      return decl.isFunction ? "a function" : "a procedure";
    case "type":
      return "a type";
    case "component":
      return "a component";
    case "entity":
      return "an entity";
    case "architecture":
      return "an architecture";
    case "library":
      return "a library";
    case "package":
      return "a package";
    case "attribute":
      return "an attribute";
    case "label":
      return "a label";
    case "alias":
      return "an alias";
    default:
      return `a ${decl.kind}`;
  }
}
