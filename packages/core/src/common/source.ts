import type { Place } from "./finding.ts";

/** A text file of the design. `name` is its path within the design. */
export interface SourceFile {
  readonly name: string;
  readonly text: string;
  /** Written around a design: vectors go into ports of its enumerations as they are. */
  readonly takesBits?: boolean;
}

/** A stretch of source text: file index, first offset, offset just past the end (UTF-16 units). */
export interface Loc {
  readonly file: number;
  readonly start: number;
  readonly end: number;
}

/** Where something was written, as people say it. Kept beside artifacts, never inside what a key is taken over. */
export interface SourcePosition {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/** Turns offsets into lines and columns. A byte order mark is removed; CR LF and lone CR count as one line end. */
export class SourceSet {
  readonly files: readonly SourceFile[];
  private readonly lineStarts: (Uint32Array | undefined)[] = [];

  constructor(files: readonly SourceFile[]) {
    this.files = files.map((file) => ({ ...file, text: file.text.replace(/^\uFEFF/, "") }));
  }

  /** The text at a place; none for places within the libraries that ship with the product, whose file number is -1. */
  text(loc: Loc): string {
    return this.files[loc.file]?.text.slice(loc.start, loc.end) ?? "";
  }

  position(file: number, offset: number): SourcePosition {
    if (file < 0) return { file: "", line: 1, column: 1 };
    const line = this.lineAt(file, offset);
    return { file: this.files[file].name, line: line + 1, column: offset - this.starts(file)[line] + 1 };
  }

  place(loc: Loc): Place {
    if (loc.file < 0) return { ...this.position(-1, 0), endLine: 1, endColumn: 1 };
    const end = Math.max(loc.start, loc.end);
    const starts = this.starts(loc.file);
    const first = this.lineAt(loc.file, loc.start);
    const last = this.lineAt(loc.file, end);
    return {
      file: this.files[loc.file].name,
      line: first + 1,
      column: loc.start - starts[first] + 1,
      endLine: last + 1,
      endColumn: end - starts[last] + 1,
    };
  }

  /** Where the last question was: most come one behind the other. */
  private lastFile = -1;
  private lastLine = 0;
  /** Line of an offset, from 0. */
  private lineAt(file: number, offset: number): number {
    const starts = this.starts(file);
    let low = 0;
    let high = starts.length - 1;
    if (this.lastFile === file && starts[this.lastLine] <= offset) {
      low = this.lastLine;
      if (low === high || starts[low + 1] > offset) return low;
      if (low + 1 === high || starts[low + 2] > offset) high = low + 1;
    }
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (starts[middle] <= offset) low = middle;
      else high = middle - 1;
    }
    this.lastFile = file;
    this.lastLine = low;
    return low;
  }

  private starts(file: number): Uint32Array {
    let starts = this.lineStarts[file];
    if (!starts) {
      const text = this.files[file].text;
      const list = [0];
      for (let i = 0; i < text.length; i++) {
        const c = text.charCodeAt(i);
        if (c === 10 || (c === 13 && text.charCodeAt(i + 1) !== 10)) list.push(i + 1);
      }
      starts = Uint32Array.from(list);
      this.lineStarts[file] = starts;
    }
    return starts;
  }
}
