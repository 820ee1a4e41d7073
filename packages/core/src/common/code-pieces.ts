import { InvariantError } from "./finding.ts";

/**
 * Generated statements as a tree of pieces: text that a generator wrote, and open places, objects that become text only
 * when all of the code is there and it is known how it uses them. Nothing is searched for in text, so that no text of a
 * design can be taken for a place.
 */
export class Code {
  /** Characters of its text, open places not counted. */
  readonly length: number;

  constructor(readonly pieces: readonly (string | OpenPlace | Code)[]) {
    let length = 0;
    for (const piece of pieces) if (!(piece instanceof OpenPlace)) length += piece.length;
    this.length = length;
  }

  /** Code belongs into code, by `js`: put into text it would lose its open places. */
  toString(): never {
    throw new InvariantError("Code was put into a text.");
  }

  get isEmpty(): boolean {
    return this.pieces.every((piece) =>
      piece instanceof OpenPlace ? false : piece instanceof Code ? piece.isEmpty : piece === "",
    );
  }
}

/** What becomes text later. */
export abstract class OpenPlace {
  toString(): never {
    throw new InvariantError("An open place was put into a text.");
  }
}

type Part = string | number | bigint | boolean | OpenPlace | Code;
const pieceOf = (part: Part): string | OpenPlace | Code => (typeof part === "object" ? part : String(part));

/** Code from a template: texts of generators, numbers, other code and open places. */
export function js(texts: TemplateStringsArray, ...parts: readonly Part[]): Code {
  const pieces: (string | OpenPlace | Code)[] = [];
  // as few pieces as possible: most code has no open places
  let text = texts[0];
  for (let i = 0; i < parts.length; i++) {
    const piece = pieceOf(parts[i]);
    if (typeof piece === "string") text += piece + texts[i + 1];
    else {
      if (text) pieces.push(text);
      pieces.push(piece);
      text = texts[i + 1];
    }
  }
  if (text || pieces.length === 0) pieces.push(text);
  return new Code(pieces);
}

export function joined(list: readonly (string | Code)[], separator = ""): Code {
  const pieces: (string | Code)[] = [];
  list.forEach((each, i) => {
    if (i > 0 && separator) pieces.push(separator);
    pieces.push(each);
  });
  return new Code(pieces);
}

/** Every open place of the code, in its order. */
export function openPlaces(code: Code | string): OpenPlace[] {
  const found: OpenPlace[] = [];
  walk(code, (piece) => {
    if (piece instanceof OpenPlace) found.push(piece);
  });
  return found;
}

/** The code as text. @param fill What stands at an open place; by default there is none. */
export function rendered(code: Code | string, fill: (place: OpenPlace) => string | Code = nothingOpen): string {
  const texts: string[] = [];
  const put = (piece: string | OpenPlace): void => {
    if (typeof piece === "string") texts.push(piece);
    else walk(fill(piece), put);
  };
  walk(code, put);
  return texts.join("");
}

function nothingOpen(): never {
  throw new InvariantError("Code with open places was taken as it is.");
}

/** By a stack of its own: code is nested as deep as the text that it comes from. */
function walk(code: Code | string, visit: (piece: string | OpenPlace) => void): void {
  if (typeof code === "string") {
    visit(code);
    return;
  }
  const stack: { readonly pieces: Code["pieces"]; at: number }[] = [{ pieces: code.pieces, at: 0 }];
  while (stack.length) {
    const top = stack[stack.length - 1];
    if (top.at === top.pieces.length) {
      stack.pop();
      continue;
    }
    const piece = top.pieces[top.at++];
    if (piece instanceof Code) stack.push({ pieces: piece.pieces, at: 0 });
    else visit(piece);
  }
}
