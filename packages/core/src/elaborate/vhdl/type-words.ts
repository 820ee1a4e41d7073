import type { VType } from "./types.ts";

/** Names of types in findings: as people write them, not as the standard's packages build them. */

const usual = new Map([
  ["std_ulogic", "std_logic"],
  ["std_ulogic_vector", "std_logic_vector"],
  ["unresolved_unsigned", "unsigned"],
  ["unresolved_signed", "signed"],
  ["universal_integer", "a whole number"],
  ["universal_real", "a real number"],
]);

export function typeWords(type: VType): string {
  if (type.kind === "any") return type.of === "string" ? "a string literal" : type.of === "error" ? "?" : type.name;
  return usual.get(type.name) ?? type.name;
}
export function usualName(name: string): string {
  return usual.get(name) ?? name;
}
/** The same with its article. */
export function articleOf(type: VType): string {
  return article(typeWords(type));
}

export function article(name: string): string {
  return /^(a|an|the) |^two |^null$|^\?/.test(name)
    ? name
    : /^[aeio]|^un/i.test(name) && !/^uni/.test(name)
      ? `an ${name}`
      : `a ${name}`;
}
