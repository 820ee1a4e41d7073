/** A file that a run may not reach, and why. */
export class Refusal {
  constructor(readonly reason: string) {}
}

/** What a run may see of the files around a design. Without any of it: the sources alone. */
export interface FileAccess {
  /** Text of a file (a byte a character), or null if there is none. */
  readonly readFile?: (name: string) => string | null | Refusal;
  /** Null if a file of this name may be written in the end, else why not. */
  readonly whyNotWritable?: (name: string) => string | null;
}

/** More was written to files than is kept. */
export class FilesFull extends Error {}

/** Characters that all files of a run may hold, and what a piece costs beside its text. */
const mostWritten = 256 * 2 ** 20;
const pieceCost = 16;
const piecesAtOnce = 4096;

/** Files as a running design sees them: sources, files around it as far as it may, and those that it wrote itself. */
export class DesignFiles {
  /** Pieces of what has been written, by name. */
  readonly written = new Map<string, string[]>();
  /** Told of every file that the design asked for and may not have. */
  onRefused: (reason: string) => void = () => {};
  private held = 0;

  constructor(
    private readonly source: (name: string) => string | null,
    private readonly access: FileAccess = {},
  ) {}

  /** What the run itself wrote comes first. */
  read(name: string): string | null {
    const own = this.written.get(name);
    if (own) return own.join("");
    const text = this.source(name) ?? this.access.readFile?.(name) ?? null;
    if (!(text instanceof Refusal)) return text;
    this.onRefused(text.reason);
    return null;
  }

  /**
   * Pieces to write to.
   * @param keeps What is in the file stays: it is appended to, or changed in part.
   * @returns Null if the file may not be written.
   */
  open(name: string, keeps: boolean): string[] | null {
    const reason = this.access.whyNotWritable?.(name) ?? null;
    if (reason !== null) {
      this.onRefused(reason);
      return null;
    }
    const before = keeps ? (this.written.get(name) ?? null) : null;
    if (before) return before;
    const text = keeps ? this.read(name) : null;
    const pieces = text ? [text] : [];
    this.written.set(name, pieces);
    return pieces;
  }

  /** @throws FilesFull */
  put(pieces: string[], text: string): void {
    this.held += text.length + pieceCost;
    if (this.held > mostWritten)
      throw new FilesFull(`The files that it writes have grown over ${mostWritten / 2 ** 20} MiB`);
    pieces.push(text);
    // many small pieces take several times what their text does
    const from = this.joined.get(pieces) ?? 0;
    if (pieces.length - from < piecesAtOnce) return;
    pieces.push(pieces.splice(from).join(""));
    this.joined.set(pieces, pieces.length);
  }
  /** Pieces that have been put together, from the first on. */
  private readonly joined = new WeakMap<string[], number>();

  /** Replaces what stands from `at` on. */
  putAt(pieces: string[], at: number, text: string): void {
    const whole = pieces.join("");
    const filled = whole.length < at ? whole.padEnd(at, "\0") : whole;
    pieces.splice(0, pieces.length, filled.slice(0, at));
    this.joined.delete(pieces);
    this.put(pieces, text);
    pieces.push(filled.slice(at + text.length));
  }
}
