/**
 * Reads a value change dump (IEEE 1364-2005 clause 18) as it streams in, a chunk of bytes after the other, so that a
 * file of any size passes through without being held. Names and values go to a receiver.
 */
interface VcdReceiver {
  /** Power of ten of a second of one step; called once, before any value. */
  begin(precision: number): void;
  /** @returns Number of the variable, for the values that follow. */
  declare(
    path: readonly string[],
    variable: { name: string; kind: "bits" | "real" | "text"; width: number; range: [number, number] | null },
  ): number;
  time(steps: number): void;
  /** Up to 32 bits, as planes a and b. */
  narrow(index: number, a: number, b: number): void;
  /** More bits, as digits 0, 1, x, z, padded to the width. */
  wide(index: number, digits: string): void;
  real(index: number, value: number): void;
  text(index: number, value: string): void;
}

export class VcdError extends Error {
  constructor(
    message: string,
    /** From 1. */
    readonly line: number,
  ) {
    super(`line ${line}: ${message}`);
  }
}

interface Variable {
  readonly index: number;
  readonly kind: "bits" | "real" | "text";
  readonly width: number;
}

const space = (c: number) => c === 32 || (c >= 9 && c <= 13);
const maxWord = 1 << 22;

function latin1(bytes: Uint8Array): string {
  let text = "";
  for (let i = 0; i < bytes.length; i++) text += String.fromCharCode(bytes[i]);
  return text;
}

export class VcdReader {
  private rest = new Uint8Array(0);
  private line = 1;
  private inHeader = true;
  private readonly scopes: string[] = [];
  private readonly byCode = new Map<string, Variable[]>();
  /** Codes of up to two characters, the most by far, without a hash. */
  private readonly byShort: (Variable[] | undefined)[] = [];
  private keyword: string | null = null;
  private words: string[] = [];
  private begun = false;
  private now = 0;
  /** Value that waits for its code. */
  private pending: string | null = null;
  private comment = false;
  variables = 0;

  constructor(private readonly receiver: VcdReceiver) {}

  /** @throws VcdError if the text is no value change dump. */
  push(chunk: Uint8Array): void {
    let bytes = chunk;
    if (this.rest.length) {
      bytes = new Uint8Array(this.rest.length + chunk.length);
      bytes.set(this.rest);
      bytes.set(chunk, this.rest.length);
    }
    let at = 0;
    const { length } = bytes;
    for (;;) {
      while (at < length && space(bytes[at])) {
        if (bytes[at] === 10) this.line++;
        at++;
      }
      let end = at;
      while (end < length && !space(bytes[end])) end++;
      if (end === length) break; // the word may go on in the next chunk
      this.word(bytes, at, end);
      at = end;
    }
    if (length - at > maxWord)
      throw new VcdError("a word of several megabytes is no part of a value change dump.", this.line);
    this.rest = bytes.slice(at);
  }

  /** Call when all bytes are in. */
  end(): void {
    if (this.rest.length) this.word(this.rest, 0, this.rest.length);
    this.rest = new Uint8Array(0);
    if (this.inHeader && this.variables === 0)
      throw new VcdError("the file declares no signals; is it a value change dump?", this.line);
    if (this.inHeader) throw new VcdError("the file ends before $enddefinitions.", this.line);
  }

  private vector = { count: 0, a: 0, b: 0, fill: 0 };
  private vectorWaits = false;

  private word(bytes: Uint8Array, from: number, to: number): void {
    if (this.vectorWaits) {
      this.vectorWaits = false;
      this.narrowVector(this.find(bytes, from, to));
      return;
    }
    if (!this.inHeader && this.pending === null && this.keyword === null && !this.comment) {
      const c = bytes[from];
      if ((c === 98 || c === 66) && to - from <= 33) {
        // a vector of up to 32 digits: straight into two planes, the code is the next word
        let a = 0;
        let b = 0;
        for (let i = from + 1; i < to; i++) {
          const digit = bytes[i] | 32;
          const known = digit === 48 || digit === 49;
          if (!known && digit !== 120 && digit !== 122) {
            this.slow(latin1(bytes.subarray(from, to)), bytes, from, to);
            return;
          }
          a = (a << 1) | (digit === 49 || digit === 120 ? 1 : 0);
          b = (b << 1) | (known ? 0 : 1);
        }
        const count = to - from - 1;
        const first = bytes[from + 1] | 32;
        this.vector = { count, a: a >>> 0, b: b >>> 0, fill: first === 120 ? 3 : first === 122 ? 1 : 0 };
        this.vectorWaits = count > 0;
        if (count > 0) return;
      }
      if (c === 35) {
        this.timeStamp(bytes, from + 1, to);
        return;
      }
      if ((c === 48 || c === 49 || c === 120 || c === 122 || c === 88 || c === 90) && to - from > 1) {
        const list = this.find(bytes, from + 1, to);
        const b = c > 49 ? 1 : 0;
        const a = c === 49 || c === 120 || c === 88 ? 1 : 0;
        for (const variable of list) {
          if (variable.width <= 32) this.receiver.narrow(variable.index, a, b);
          else this.receiver.wide(variable.index, extend(String.fromCharCode(c), variable.width));
        }
        return;
      }
    }
    this.slow(latin1(bytes.subarray(from, to)), bytes, from, to);
  }

  private narrowVector(list: readonly Variable[]): void {
    const { count, a, b, fill } = this.vector;
    for (const { index, width } of list) {
      if (width > 32) {
        let digits = "";
        for (let i = count - 1; i >= 0; i--) digits += "01zx"[((a >>> i) & 1) + 2 * ((b >>> i) & 1)];
        this.receiver.wide(index, extend(digits, width));
        continue;
      }
      const keep = width >= 32 ? 0xffffffff : 2 ** width - 1;
      const above = count >= 32 ? 0 : (0xffffffff << count) >>> 0;
      this.receiver.narrow(
        index,
        ((a | (fill & 2 ? above : 0)) & keep) >>> 0,
        ((b | (fill & 1 ? above : 0)) & keep) >>> 0,
      );
    }
  }

  private timeStamp(bytes: Uint8Array, from: number, to: number): void {
    let value = 0;
    for (let i = from; i < to; i++) {
      const digit = bytes[i] - 48;
      if (digit < 0 || digit > 9) throw new VcdError(`'#${latin1(bytes.subarray(from, to))}' is no time.`, this.line);
      value = value * 10 + digit;
    }
    if (value < this.now) throw new VcdError(`time goes back from ${this.now} to ${value}.`, this.line);
    this.now = value;
    this.receiver.time(value);
  }

  private find(bytes: Uint8Array, from: number, to: number): Variable[] {
    const size = to - from;
    const list =
      size === 1
        ? this.byShort[bytes[from] - 33]
        : size === 2
          ? this.byShort[(bytes[from] - 33 + 1) * 94 + bytes[from + 1] - 33]
          : this.byCode.get(latin1(bytes.subarray(from, to)));
    if (!list) throw new VcdError(`no signal has the code '${latin1(bytes.subarray(from, to))}'.`, this.line);
    return list;
  }

  private slow(word: string, bytes: Uint8Array, from: number, to: number): void {
    if (this.comment) {
      if (word === "$end") this.comment = false;
      return;
    }
    if (this.keyword !== null) {
      if (word !== "$end") {
        if (this.words.length < 64) this.words.push(word);
        return;
      }
      this.section(this.keyword, this.words);
      this.keyword = null;
      this.words = [];
      return;
    }
    if (this.pending !== null) {
      const value = this.pending;
      this.pending = null;
      this.change(value, this.find(bytes, from, to));
      return;
    }
    if (word[0] === "$") {
      if (word === "$end") return;
      if (this.inHeader) this.keyword = word;
      else if (word === "$comment") this.comment = true;
      // $dumpvars, $dumpon and their kin only frame values
      return;
    }
    if (!this.inHeader && /^[bBrRsS]/.test(word)) {
      this.pending = word;
      return;
    }
    throw new VcdError(
      this.inHeader ? `'${word.slice(0, 40)}' cannot stand in a header.` : `'${word.slice(0, 40)}' is no value.`,
      this.line,
    );
  }

  private section(keyword: string, words: readonly string[]): void {
    switch (keyword) {
      case "$timescale": {
        const match = /^(1|10|100)\s*(s|ms|us|ns|ps|fs)$/.exec(words.join(""));
        if (!match) throw new VcdError(`'${words.join(" ")}' is no time scale.`, this.line);
        this.start({ s: 0, ms: -3, us: -6, ns: -9, ps: -12, fs: -15 }[match[2]]! + match[1].length - 1);
        return;
      }
      case "$scope":
        this.scopes.push(words[1] ?? "");
        return;
      case "$upscope":
        this.scopes.pop();
        return;
      case "$var":
        this.declare(words);
        return;
      case "$enddefinitions":
        this.start(-9);
        this.inHeader = false;
    }
  }

  private start(precision: number): void {
    if (this.begun) return;
    this.begun = true;
    this.receiver.begin(precision);
  }

  private declare(words: readonly string[]): void {
    const [type, size, code, ...name] = words;
    const width = Number(size);
    if (!code || name.length === 0 || !Number.isInteger(width) || width < 0 || width > 1 << 20)
      throw new VcdError("this $var cannot be read.", this.line);
    this.start(-9);
    const kind = type === "real" || type === "realtime" ? "real" : type === "string" ? "text" : "bits";
    const whole = name.join(" ");
    const match = /^(.*?)\s*\[(-?\d+)(?::(-?\d+))?\]$/.exec(whole);
    const plain = match ? match[1] : whole;
    const range: [number, number] | null =
      match && width > 1 ? [Number(match[2]), Number(match[3] ?? match[2])] : width > 1 ? [width - 1, 0] : null;
    const shown = match && width <= 1 && match[3] === undefined ? `${plain}[${match[2]}]` : plain;
    const index = this.receiver.declare([...this.scopes], { name: shown, kind, width: Math.max(1, width), range });
    const variable: Variable = { index, kind, width: Math.max(1, width) };
    this.variables++;
    const known = this.byCode.get(code);
    if (known) {
      known.push(variable);
      return;
    }
    const list = [variable];
    this.byCode.set(code, list);
    if (code.length === 1) this.byShort[code.charCodeAt(0) - 33] = list;
    else if (code.length === 2) this.byShort[(code.charCodeAt(0) - 33 + 1) * 94 + code.charCodeAt(1) - 33] = list;
  }

  private change(value: string, list: readonly Variable[]): void {
    const kind = value[0].toLowerCase();
    const body = value.slice(1);
    for (const variable of list) {
      if (kind === "r") {
        const number = Number(body);
        if (Number.isNaN(number)) throw new VcdError(`'${body}' is no real number.`, this.line);
        if (variable.kind === "real") this.receiver.real(variable.index, number);
      } else if (kind === "s") {
        if (variable.kind === "text")
          this.receiver.text(
            variable.index,
            body.replace(/\\(\d{3})/g, (_, code: string) => String.fromCharCode(Number.parseInt(code, 8))),
          );
      } else {
        if (!/^[01xzXZ]+$/.test(body))
          throw new VcdError(`'${body.slice(0, 40)}' has digits other than 0, 1, x and z.`, this.line);
        const digits = extend(body.toLowerCase(), variable.width);
        if (variable.width > 32) this.receiver.wide(variable.index, digits);
        else {
          let a = 0;
          let b = 0;
          for (let i = 0; i < digits.length; i++) {
            const c = digits.charCodeAt(i);
            a = a * 2 + (c === 49 || c === 120 ? 1 : 0);
            b = b * 2 + (c > 49 ? 1 : 0);
          }
          this.receiver.narrow(variable.index, a, b);
        }
      }
    }
  }
}

/** Digits left out extend with 0 after 0 or 1, with x after x, with z after z (clause 18.2.1). */
function extend(digits: string, width: number): string {
  if (digits.length >= width) return digits.slice(digits.length - width);
  return digits.padStart(width, digits[0] === "1" ? "0" : digits[0]);
}
