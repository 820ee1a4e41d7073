import type { Loc } from "../../common/source.ts";

export type TokenKind = "name" | "keyword" | "number" | "string" | "system" | "op" | "end";

/** A token is its own place: one object for both keeps long files cheap. */
export class Token implements Loc {
  constructor(
    readonly kind: TokenKind,
    /** Text as written; for an escaped identifier without its backslash; for a string without its quotes. */
    readonly text: string,
    readonly file: number,
    readonly start: number,
    readonly end: number,
  ) {}

  get loc(): Loc {
    return this;
  }
}
