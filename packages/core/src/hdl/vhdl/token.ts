import type { Loc } from "../../common/source.ts";

export type TokenKind = "name" | "word" | "op" | "int" | "real" | "char" | "string" | "bits" | "end";

/** One lexical element (IEEE 1076-2008 clause 15). A token is its own place. */
export interface Token extends Loc {
  readonly kind: TokenKind;
  /** Names and reserved words in lower case, extended names with their backslashes; else as written. */
  readonly text: string;
}

/** Reserved words of 1993 and those of 2008 that the parser reads. */
export const reservedWords: ReadonlySet<string> = new Set(
  `abs access after alias all and architecture array assert attribute begin block body buffer bus case component
configuration constant context disconnect downto else elsif end entity exit file for force function generate generic
group guarded if impure in inertial inout is label library linkage literal loop map mod nand new next nor not null of
on open or others out package parameter port postponed procedure process protected pure range record register reject
release rem report return rol ror select severity shared signal sla sll sra srl subtype then to transport type
unaffected units until use variable wait when while with xnor xor`.split(/\s+/),
);
