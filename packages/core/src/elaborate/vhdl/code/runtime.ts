import type { DesignFiles } from "../../../common/design-files.ts";
import { resultLength } from "../predefined/lengths.ts";
import { digitsOf, productOf, quotientOf, sumOf } from "../values/long-time.ts";
import { mostWords } from "../values/shapes.ts";
import {
  hasEvent,
  isActive,
  lastActiveAt,
  lastEventAt,
  lastOfTree,
  leavesOf,
  readTree,
  type Sig,
  type SigTree,
} from "../values/signals.ts";
import * as values from "../values/values.ts";
import { Arr, type Bits, bitOf, codeNames, codesOf, fromCodes, getL } from "../values/values.ts";

/** A mistake of the design that only the run shows: the run ends with it (IEEE 1076-2008 5.2, 5.3, 9.2, 9.5). */
export class VhdlError extends Error {
  constructor(
    message: string,
    readonly at: number,
    readonly remedy: string,
  ) {
    super(message);
  }
}
export class StopSignal {
  constructor(readonly kind: "finish" | "stop") {}
}

export type Severity = 0 | 1 | 2 | 3;

/** Where texts, reports and files go. */
export interface Host {
  print(text: string, at: number): void;
  report(severity: Severity, text: string, at: number): void;
  readonly designFiles: DesignFiles;
  /** [name]: pieces written. */
  now(): number;
}

/** What an access value points to. */
interface Cell {
  v: unknown;
  gone: boolean;
}

/** An open file of text or of values. */
class FileState {
  name = "";
  mode: "read" | "write" | null = null;
  lines: string[] = [];
  at = 0;
  /** Of files that are no text: values in their order. */
  values: unknown[] = [];
  out: string[] | null = null;
}

const timeUnits: readonly (readonly [string, number])[] = [
  ["fs", 1],
  ["ps", 1e3],
  ["ns", 1e6],
  ["us", 1e9],
  ["ms", 1e12],
  ["sec", 1e15],
  ["min", 6e16],
  ["hr", 3.6e18],
];

/** `1.5e+00`-like text of real'image: six digits behind the point, as far as they say anything. */
export function realText(v: number): string {
  if (Number.isInteger(v) && Math.abs(v) < 1e6)
    return `${v.toFixed(1)}`.replace(/^(-?\d+\.\d)$/, (all) => exponentText(Number(all)));
  return exponentText(v);
}
function exponentText(v: number): string {
  const [mantissa, exponent] = v.toExponential(15).split("e");
  const digits = mantissa.replace(/(\.\d*?)0+$/, "$1").replace(/\.$/, ".0");
  const e = Number(exponent);
  return e === 0 ? digits : `${digits}e${e < 0 ? "-" : "+"}${String(Math.abs(e)).padStart(2, "0")}`;
}

/** C-like format of to_string(real, format): `%5.3f`, `%e`, `%g`. */
export function formatReal(v: number, format: string): string {
  return format.replace(/%(-?)(\d*)(?:\.(\d+))?([efgEFG])/, (_, minus, width, digits, kind) => {
    const places = digits === undefined ? 6 : Number(digits);
    let text: string;
    if (kind === "f" || kind === "F") text = v.toFixed(places);
    else if (kind === "e" || kind === "E") text = v.toExponential(places).replace(/e([+-])(\d)$/, "e$10$2");
    else text = String(Number(v.toPrecision(places || 1)));
    return minus ? text.padEnd(Number(width)) : text.padStart(Number(width));
  });
}

/** Text of a time in a unit: whole where it is, else with its fraction. */
export function timeText(fs: number, unit: number): string {
  const [name, scale] = timeUnits.find(([, each]) => each === unit) ?? timeUnits[2];
  const units = BigInt(fs);
  const whole = units / BigInt(scale);
  const rest = Math.abs(fs % scale);
  if (rest === 0) return `${whole} ${name}`;
  const digits = String(Math.round(Math.log10(scale)));
  const fraction = String(rest).padStart(Number(digits), "0").replace(/0+$/, "");
  const sign = fs < 0 && whole === 0n ? "-" : "";
  return `${sign}${whole}.${fraction} ${name}`;
}

/** Characters of a line that is put together by textio. */
const longestLine = 2 ** 24;

/** Everything that compiled VHDL calls by name. One for each simulation: it holds files and results of calls. */
export class VhdlRuntime {
  /** Values that the last procedure gave back. */
  readonly o: unknown[] = [];
  readonly Arr = Arr;
  readonly Codes = values.Codes;
  private readonly host: Host;

  constructor(host: Host) {
    this.host = host;
  }

  // values, under the names that the code uses
  readonly getL = values.getL;
  readonly getB = values.getB;
  readonly setL = values.setL;
  readonly setB = values.setB;
  readonly sliceL = values.sliceL;
  readonly insertL = values.insertL;
  readonly catL = values.catL;
  readonly eqL = values.eqL;
  readonly andL = values.andL;
  readonly orL = values.orL;
  readonly xorL = values.xorL;
  readonly notL = values.notL;
  readonly mapL = values.mapL;
  readonly resizeL = values.resizeL;
  readonly shiftL = values.shiftL;
  readonly rotateL = values.rotateL;
  readonly orderL = values.orderL;
  readonly orderList = values.orderList;
  readonly same = values.same;
  readonly copy = values.copy;
  readonly fromInt = values.fromInt;
  readonly fromBig = values.fromBig;
  readonly fromCodes = values.fromCodes;
  readonly allOf = values.allOf;
  readonly compareNumbers = values.compareNumbers;
  readonly AND = values.andTable;
  readonly OR = values.orTable;
  readonly XOR = values.xorTable;
  readonly NOT = values.notTable;
  readonly X01 = values.x01Table;
  readonly X01Z = values.x01zTable;
  readonly UX01 = values.ux01Table;
  readonly BIT = bitOf;

  // ---- checks ---------------------------------------------------------------------------------------------------

  fail(message: string, at: number, remedy = "Check the values that lead here."): never {
    throw new VhdlError(message, at, remedy);
  }
  /** Value of a scalar within its range. */
  rg = (v: number, lo: number, hi: number, at: number): number => {
    if (v >= lo && v <= hi) return v;
    return this.fail(`The value ${v} is outside of the range ${lo} to ${hi}`, at);
  };
  /** As `rg`, for enumerations: names are told. */
  rgEnum = (v: number, lo: number, hi: number, at: number, names: readonly string[]): number => {
    if (v >= lo && v <= hi) return v;
    return this.fail(`The value ${names[v]} is outside of the range ${names[lo]} to ${names[hi]}`, at);
  };
  /** A whole number that 32 bits hold. */
  ov = (v: number, at: number): number => {
    if (v >= -2147483648 && v <= 2147483647) return v;
    return this.fail(`The result ${v} is outside of what an integer holds`, at);
  };
  ix = (i: number, lo: number, hi: number, at: number): number => {
    if (i >= lo && i <= hi) return i;
    return this.fail(
      lo > hi ? `Index ${i}, but the array has no elements` : `Index ${i} is outside of ${lo} to ${hi}`,
      at,
    );
  };
  /** A delay, which is never negative (10.5.2.2). */
  delay = (v: number, at: number): number => (v >= 0 ? v : this.fail(`The time ${v} fs is negative`, at));
  /** Lengths that must be the same. */
  ln = (have: number, need: number, at: number): void => {
    if (have !== need) this.fail(`${have} elements are given where ${need} are needed`, at);
  };
  div = (a: number, b: number, at: number): number =>
    b === 0 ? this.fail("Division by zero", at) : (quotientOf(a, b) ?? this.long(a / b, at));
  /** Sums and products of physical values, which may be longer than integers. */
  sum = (a: number, b: number, at: number): number => sumOf(a, b) ?? this.long(a + b, at);
  product = (a: number, b: number, at: number): number => productOf(a, b) ?? this.long(a * b, at);
  private long(value: number, at: number): never {
    return this.fail(`The result, about ${value}, is no number of base units that can be held exactly`, at);
  }
  mod = (a: number, b: number, at: number): number =>
    b === 0 ? this.fail("Division by zero in 'mod'", at) : a - b * Math.floor(a / b);
  rem = (a: number, b: number, at: number): number =>
    b === 0 ? this.fail("Division by zero in 'rem'", at) : (a % b) + 0;
  rdiv = (a: number, b: number, at: number): number => (b === 0 ? this.fail("Division by zero", at) : a / b);
  pow = (a: number, b: number, at: number): number =>
    b < 0 ? this.fail(`A whole number to the power of ${b}`, at) : a ** b;
  arith = (op: string, a: Bits, na: number, b: Bits, nb: number, n: number, signed: boolean, at: number): Bits => {
    try {
      return values.arith(op, a, na, b, nb, n, signed);
    } catch (error) {
      if (error instanceof values.DivideByZero) return this.fail(`Division by zero in '${op}'`, at);
      throw error;
    }
  };
  negL = (p: Bits, n: number): Bits => {
    const v = values.numberOf(p, n, true);
    return v === null ? values.allOf(1, n) : values.fromBig(-v, n);
  };
  absL = (p: Bits, n: number): Bits => {
    const v = values.numberOf(p, n, true);
    return v === null ? values.allOf(1, n) : values.fromBig(v < 0n ? -v : v, n);
  };
  /** Numbers of arrays or whole numbers (length -1), each signed or not; NaN where a value is no number. */
  compareMixed = (a: unknown, na: number, aSigned: boolean, b: unknown, nb: number, bSigned: boolean): number => {
    if (na === 0 || nb === 0) return Number.NaN;
    const x = na < 0 ? BigInt(a as number) : values.numberOf(a as Bits, na, aSigned);
    const y = nb < 0 ? BigInt(b as number) : values.numberOf(b as Bits, nb, bSigned);
    if (x === null || y === null) return Number.NaN;
    return x < y ? -1 : x > y ? 1 : 0;
  };
  /** `?<` and its kin of numbers: X where an operand is no number, 1 or 0 else; `?=` lets '-' fit anything. */
  matchNumbers = (op: string, a: Bits, na: number, b: Bits, nb: number, signed: boolean): number => {
    const n = Math.max(na, nb);
    if (op === "?=" || op === "?/=") {
      const v = this.matchEqL(values.resizeL(a, na, n, signed), values.resizeL(b, nb, n, signed), n);
      return op === "?=" ? v : values.notTable[v];
    }
    const order = values.compareNumbers(a, na, b, nb, signed);
    if (Number.isNaN(order)) return 1;
    const is = op === "?<" ? order < 0 : op === "?<=" ? order <= 0 : op === "?>" ? order > 0 : order >= 0;
    return is ? 3 : 2;
  };
  resultLength = resultLength;
  /** The value is computed first, then what uses it. */
  flip = (p: Bits, _n: number, then: (p: Bits) => Bits): Bits => then(p);
  shiftN = (p: Bits, n: number, count: number, sign: boolean): Bits =>
    n === 0 ? p : values.shiftL(p, n, count, sign && count < 0 ? getL(p, n - 1) : 2);
  extend = (p: Bits, n: number, to: number, signed: boolean): Bits =>
    to <= n ? values.sliceL(p, 0, to) : values.resizeL(p, n, to, signed);
  toBit = (code: number, xmap: number): number => (bitOf[code] === 2 ? xmap : bitOf[code]);
  resolveAll = (p: Bits, n: number): number => {
    if (n === 1) return getL(p, 0);
    let v = 4;
    for (let i = 0; i < n; i++) v = values.resolutionTable[v * 9 + getL(p, i)];
    return v;
  };
  realMod = (x: number, y: number): number => x - y * Math.floor(x / y);
  /** A scalar as bits of a number with `n` elements, for operators that mix both. */
  intBits = (v: number, n: number): Bits => values.fromInt(v, n);

  // ---- arrays of unknown bounds ---------------------------------------------------------------------------------

  arr = (p: unknown, l: number, d: 0 | 1, n: number): Arr => new Arr(p, l, d, n);
  /** Number of elements of a range. */
  len = (l: number, r: number, d: number): number => Math.max(0, d ? l - r + 1 : r - l + 1);
  /** Place of an index from the left. */
  at = (a: Arr, i: number, place: number): number => {
    const k = a.d ? a.l - i : i - a.l;
    if (k >= 0 && k < a.n) return k;
    return this.fail(
      a.n === 0
        ? `Index ${i}, but the array has no elements`
        : `Index ${i} is outside of ${a.l} ${a.d ? "downto" : "to"} ${a.r}`,
      place,
    );
  };
  /** Place from the left of a slice of an array, and its length; a null slice is always allowed. */
  sliceAt = (l: number, n: number, aLeft: number, aDir: number, aLen: number, dir: number, place: number): number => {
    if (n === 0) return 0;
    if (dir !== aDir && n > 1)
      return this.fail(`A slice ${dir ? "downto" : "to"} of an array with '${aDir ? "downto" : "to"}'`, place);
    const k = aDir ? aLeft - l : l - aLeft;
    if (k < 0 || k + n > aLen)
      return this.fail(
        `Slice ${l} ${dir ? "downto" : "to"} ${dir ? l - n + 1 : l + n - 1} is outside of ${aLeft} ${aDir ? "downto" : "to"} ${aDir ? aLeft - aLen + 1 : aLeft + aLen - 1}`,
        place,
      );
    return k;
  };
  /** A new value for an array that keeps its own bounds. */
  assignArr = (old: Arr, a: Arr, at: number): Arr => {
    if (old.n !== a.n) this.ln(a.n, old.n, at);
    if (Array.isArray(a.p) && a.p[0] instanceof Arr && Array.isArray(old.p)) {
      const own = old.p;
      return new Arr(
        a.p.map((each, i) => this.assignArr(own[i] as Arr, each as Arr, at)),
        old.l,
        old.d,
        old.n,
      );
    }
    return new Arr(a.p, old.l, old.d, old.n);
  };
  /** Value of a carried array that must have `n` elements. */
  need = (a: Arr, n: number, at: number): unknown => {
    if (a.n !== n) this.ln(a.n, n, at);
    return a.p;
  };
  /** The same for several dimensions, given and taken as lists of lists. */
  needAll = (a: Arr, n: readonly number[], at: number): unknown => {
    values.boundsWithin(a, n.length).forEach((own, i) => {
      // of nothing, the inner bounds are not known
      if (own.n !== n[i] && (i === 0 || n.slice(0, i).every((each) => each > 0))) this.ln(own.n, n[i], at);
    });
    return values.flat(a, n.length);
  };
  nested = values.nested;
  /** A list with one item replaced. */
  withItem = (list: readonly unknown[], k: number, v: unknown): unknown[] => {
    const made = list.slice();
    made[k] = v;
    return made;
  };
  /** An array with one element replaced, by its place from the left. `pack`: 1 logic, 2 bits, 3 characters, 0 a list. */
  putPlace = (a: Arr, k: number, v: unknown, pack: number, at: number): Arr => {
    if (k < 0 || k >= a.n) this.fail(`Element ${k} of ${a.n} is given`, at);
    if (pack === 3) return new Arr(this.setChar(a.p as string, k, v as number), a.l, a.d, a.n);
    if (pack > 0)
      return new Arr(values.setL(a.p as Bits, a.n, a.n - 1 - k, (v as number) + (pack === 2 ? 2 : 0)), a.l, a.d, a.n);
    (a.p as unknown[])[k] = values.copy(v);
    return a;
  };
  putItems = (a: Arr, l: number, r: number, d: number, v: unknown, pack: number, at: number): Arr => {
    let made = a;
    const count = Math.max(0, d ? l - r + 1 : r - l + 1);
    for (let i = 0; i < count; i++) made = this.putPlace(made, this.at(made, d ? l - i : l + i, at), v, pack, at);
    return made;
  };
  dimension = (a: Arr, dim: number): Arr => values.boundsWithin(a, dim)[dim - 1];
  /** A carried array of several dimensions under other bounds: [left, direction, elements] of each. */
  resized = (a: Arr, dims: readonly (readonly [number, 0 | 1, number])[], at: number): unknown =>
    values.nested(
      this.needAll(
        a,
        dims.map(([, , n]) => n),
        at,
      ),
      dims,
    );
  /** A carried array after its length was compared. */
  sized = (a: Arr, have: number, at: number): Arr => {
    if (a.n !== have) this.ln(have, a.n, at);
    return a;
  };
  /** Bits of arrays one behind the other. */
  catArr = (list: readonly Arr[], l: number, d: 0 | 1): Arr => {
    let p: Bits = 0;
    let n = 0;
    for (const each of list) {
      p = values.catL(p, n, each.p as Bits, each.n);
      n += each.n;
    }
    return new Arr(p, l, d, n);
  };
  bit1 = (code: number): Bits => ((code & ~1) === 2 ? code & 1 : new values.Codes(Uint8Array.of(code)));
  /** Codes, leftmost first. */
  packL = (codes: readonly number[]): Bits => fromCodes(Uint8Array.from(codes).reverse());
  setText = (s: string, k: number, part: string): string => s.slice(0, k) + part + s.slice(k + part.length);
  shiftA = (p: Bits, n: number, count: number): Bits => {
    if (n === 0) return p;
    return values.shiftL(p, n, count, getL(p, count > 0 ? 0 : n - 1), true);
  };
  shiftList = (a: Arr, op: string, by: number, fill: unknown): Arr => {
    const list = a.p as unknown[];
    const n = list.length;
    const left = op === "sll" || op === "sla" || op === "rol" ? by : -by;
    const made = list.map((_, i) => {
      const from = i + left;
      if (op === "rol" || op === "ror") return list[((from % n) + n) % n];
      if (from >= 0 && from < n) return list[from];
      return op === "sla" || op === "sra" ? list[from < 0 ? 0 : n - 1] : fill;
    });
    return new Arr(values.copy(made), a.l, a.d, n);
  };
  readonly readTree = readTree;
  readonly lastOfTree = lastOfTree;
  readonly hasEvent = hasEvent;
  readonly isActive = isActive;
  readonly lastEventAt = lastEventAt;
  readonly lastActiveAt = lastActiveAt;
  readonly leavesOf = (tree: SigTree): Sig[] => leavesOf(tree);
  /** Time since; time'high if never (16.2). */
  since = (at: number, now: number): number => (at >= 0 ? now - at : Number.MAX_SAFE_INTEGER);
  fill = (n: number, make: () => unknown): unknown[] => {
    if (n > mostWords) throw new RangeError(`an array of ${n} elements`);
    const list: unknown[] = new Array(n);
    for (let i = 0; i < n; i++) list[i] = make();
    return list;
  };
  repeated = (code: number, n: number): string => {
    if (n > 16 * mostWords) throw new RangeError(`a string of ${n} characters`);
    return String.fromCharCode(code).repeat(n);
  };
  setChar = (s: string, k: number, c: number): string => s.slice(0, k) + String.fromCharCode(c) + s.slice(k + 1);
  /** List with a stretch replaced, in place. */
  splice = (list: unknown[], k: number, part: readonly unknown[]): unknown[] => {
    for (let i = 0; i < part.length; i++) list[k + i] = part[i];
    return list;
  };
  chars = (codes: readonly number[]): string => String.fromCharCode(...codes);

  // ---- images ---------------------------------------------------------------------------------------------------

  /** Names of enumeration values without a character's quotes in `to_string`. */
  realImage = (v: number): string => realText(v);
  timeImage = (v: number): string => `${digitsOf(v)} fs`;
  wholeText = digitsOf;
  timeText = timeText;
  /** Shortest with a unit that keeps it whole: of to_string(time). */
  timeString = (fs: number): string => timeText(fs, 1);
  formatReal = formatReal;
  realString = (v: number): string => {
    return exponentText(v);
  };
  fixed = (v: number, digits: number): string => (digits === 0 ? realText(v) : v.toFixed(digits));
  bitText = values.textOfBits;
  digits = values.digitsOf;

  /** Position of a value by its name (enumeration'value); -1 if there is none. */
  enumValue = (text: string, names: readonly string[], at: number): number => {
    const clean = text.trim();
    const wanted = clean.startsWith("'") ? clean : clean.toLowerCase();
    const found = names.indexOf(wanted);
    return found >= 0 ? found : this.fail(`"${text}" is none of the type's values`, at);
  };
  intValue = (text: string, at: number): number => {
    const clean = text.trim().replaceAll("_", "");
    if (/^[+-]?\d+(e\+?\d+)?$/i.test(clean)) return Number(clean);
    const based = /^(\d+)#([0-9a-f]+)#$/i.exec(clean);
    if (based) return Number.parseInt(based[2], Number(based[1]));
    return this.fail(`"${text}" is no whole number`, at);
  };
  realValue = (text: string, at: number): number => {
    const v = Number(text.trim().replaceAll("_", ""));
    return text.trim() !== "" && Number.isFinite(v) ? v : this.fail(`"${text}" is no number`, at);
  };
  physValue = (text: string, units: ReadonlyMap<string, number>, at: number): number => {
    const match = /^\s*([+-]?[\d._]+(?:e[+-]?\d+)?)?\s*([a-z]+)\s*$/i.exec(text);
    const scale = match && units.get(match[2].toLowerCase());
    if (!match || scale === undefined || scale === null) return this.fail(`"${text}" is no value with a unit`, at);
    return Math.trunc(Number((match[1] ?? "1").replaceAll("_", "")) * scale);
  };

  // ---- reports --------------------------------------------------------------------------------------------------

  report = (severity: Severity, text: string, at: number): void => {
    this.host.report(severity, text, at);
  };
  now = (): number => this.host.now();
  stop = (): never => {
    throw new StopSignal("stop");
  };
  finish = (): never => {
    throw new StopSignal("finish");
  };

  // ---- pointers -------------------------------------------------------------------------------------------------

  cell = (v: unknown): Cell => ({ v, gone: false });
  follow = (cell: Cell | null, at: number): Cell => {
    if (cell === null) return this.fail("A null access value is followed", at, "Make an object with 'new' first.");
    if (cell.gone) return this.fail("An access value is followed whose object was deallocated", at);
    return cell;
  };

  // ---- files ----------------------------------------------------------------------------------------------------

  file = (): FileState => new FileState();
  /** @returns Position in file_open_status. */
  fileOpen = (file: FileState, name: string, kind: number): number => {
    if (file.mode) return 1;
    file.name = name;
    if (name === "STD_OUTPUT" && kind === 1) {
      file.mode = "write";
      return 0;
    }
    if (name === "STD_INPUT" && kind === 0) {
      file.mode = "read";
      file.lines = [];
      return 0;
    }
    if (kind === 0) {
      const text = this.host.designFiles.read(name);
      if (text === null) return 2;
      file.mode = "read";
      file.lines = text.split(/\r\n|\n|\r/);
      // the end of the last line begins no other
      if (file.lines[file.lines.length - 1] === "") file.lines.pop();
      file.at = 0;
      file.values = this.stored.get(name) ?? [];
      return 0;
    }
    const pieces = this.host.designFiles.open(name, kind === 2);
    if (!pieces) return 3;
    file.mode = "write";
    file.out = pieces;
    file.values = kind === 2 ? (this.stored.get(name) ?? []) : [];
    this.stored.set(name, file.values);
    return 0;
  };
  private readonly stored = new Map<string, unknown[]>();
  fileOpenOrFail = (file: FileState, name: string, kind: number, at: number): void => {
    const status = this.fileOpen(file, name, kind);
    if (status === 0) return;
    this.fail(
      status === 2
        ? `There is no file '${name}' to read`
        : status === 3
          ? `File '${name}' may not be written`
          : `File '${name}' is open already`,
      at,
      status === 2
        ? "Add the file to the design, or check its name."
        : status === 3
          ? "Write below the working folder."
          : "Close it first.",
    );
  };
  fileClose = (file: FileState): void => {
    file.mode = null;
  };
  endFile = (file: FileState, isText: boolean, at: number): boolean => {
    if (file.mode !== "read")
      return this.fail("A file that is not open for reading is read", at, "Open it with read_mode.");
    return isText ? file.at >= file.lines.length : file.at >= file.values.length;
  };
  readLine = (file: FileState, at: number): void => {
    if (this.endFile(file, true, at)) this.fail(`The file '${file.name}' is at its end`, at, "Ask endfile first.");
    this.o[0] = this.cell(this.lineOf(file.lines[file.at++]));
  };
  private lineOf(text: string): Arr {
    return new Arr(text, 1, 0, text.length);
  }
  writeLine = (file: FileState, line: Cell | null, at: number): void => {
    const text = line ? this.textOf(line) : "";
    this.put(file, `${text}\n`, at);
    this.o[0] = this.cell(this.lineOf(""));
  };
  tee = (file: FileState, line: Cell | null, at: number): void => {
    const text = line ? this.textOf(line) : "";
    this.host.print(`${text}\n`, at);
    this.writeLine(file, line, at);
  };
  private put(file: FileState, text: string, at: number): void {
    if (file.mode !== "write")
      this.fail("A file that is not open for writing is written", at, "Open it with write_mode.");
    if (file.name === "STD_OUTPUT") this.host.print(text, at);
    else this.host.designFiles.put(file.out!, text);
  }
  textOf(line: Cell): string {
    const { v } = line;
    return v instanceof Arr ? (v.p as string) : (v as string);
  }
  /** A text file written as a file of strings: `write(f, "text")`. */
  writeText = (file: FileState, text: string, at: number): void => this.put(file, text, at);
  writeValue = (file: FileState, v: unknown, at: number): void => {
    if (file.mode !== "write")
      this.fail("A file that is not open for writing is written", at, "Open it with write_mode.");
    file.values.push(values.copy(v));
    if (file.out)
      this.host.designFiles.put(
        file.out,
        `${typeof v === "object" ? JSON.stringify(v, (_, each) => (typeof each === "bigint" ? each.toString() : each)) : v}\n`,
      );
  };
  readValue = (file: FileState, at: number): unknown => {
    if (this.endFile(file, false, at)) this.fail(`The file '${file.name}' is at its end`, at, "Ask endfile first.");
    return values.copy(file.values[file.at++]);
  };

  // ---- textio ---------------------------------------------------------------------------------------------------

  /** `write(l, text, justified, field)`: the line with it. side 0 is right. */
  write = (line: Cell | null, text: string, side: number, field: number): void => {
    const before = line ? this.textOf(line) : "";
    if (before.length + Math.max(text.length, field) > longestLine)
      throw new RangeError(`a line of more than ${longestLine} characters`);
    const padded = side === 0 ? text.padStart(field) : text.padEnd(field);
    this.o[0] = this.cell(this.lineOf(before + padded));
  };
  justify = (text: string, side: number, field: number): string =>
    side === 0 ? text.padStart(field) : text.padEnd(field);

  /** Takes what the pattern matches from the front of the line. */
  private take(line: Cell | null, pattern: RegExp): RegExpExecArray | null {
    const text = line ? this.textOf(line) : "";
    const match = pattern.exec(text);
    this.o[0] = line;
    if (match) this.o[0] = this.cell(this.lineOf(text.slice(match[0].length)));
    return match;
  }
  /**
   * `read(l, value, good)`: o[0] the line, o[1] the value, o[2] whether it could be read.
   * @param kind What is read.
   * @param n Elements of the target, for vectors and strings.
   */
  read = (line: Cell | null, kind: string, n: number, fallback: unknown, names: readonly string[] | null): void => {
    const { o } = this;
    o[1] = fallback;
    o[2] = 0;
    const good = (v: unknown) => {
      o[1] = v;
      o[2] = 1;
    };
    switch (kind) {
      case "integer": {
        const match = this.take(line, /^[\s\u00a0]*([+-]?\d[\d_]*(?:#[0-9a-fA-F_]+#)?(?:[eE]\+?\d+)?)/);
        if (match) {
          const v = this.intValue(match[1], -1);
          if (v >= -2147483648 && v <= 2147483647) good(v);
        }
        break;
      }
      case "real": {
        const match = this.take(line, /^[\s\u00a0]*([+-]?\d[\d_]*(?:\.\d[\d_]*)?(?:[eE][+-]?\d+)?)/);
        if (match) good(Number(match[1].replaceAll("_", "")));
        break;
      }
      case "time": {
        const match = this.take(line, /^[\s\u00a0]*([+-]?\d[\d_.]*)\s+(fs|ps|ns|us|ms|sec|min|hr)\b/i);
        if (match)
          good(
            Math.trunc(
              Number(match[1].replaceAll("_", "")) *
                (timeUnits.find(([name]) => name === match[2].toLowerCase())?.[1] ?? 1),
            ),
          );
        break;
      }
      case "boolean":
      case "enum": {
        const match = this.take(line, /^[\s\u00a0]*([A-Za-z]\w*)/);
        const at = match && names ? names.indexOf(match[1].toLowerCase()) : -1;
        if (at >= 0) good(at);
        break;
      }
      case "character": {
        const match = this.take(line, /^[\s\S]/);
        if (match) good(match[0].charCodeAt(0));
        break;
      }
      case "string": {
        const text = line ? this.textOf(line) : "";
        o[0] = line;
        if (text.length >= n) {
          o[0] = this.cell(this.lineOf(text.slice(n)));
          good(text.slice(0, n));
        }
        break;
      }
      case "bit":
      case "std_ulogic": {
        const match = this.take(line, kind === "bit" ? /^[\s\u00a0]*([01])/ : /^[\s\u00a0]*([UX01ZWLH-])/i);
        if (match) good(kind === "bit" ? Number(match[1]) : codeNames.indexOf(match[1].toUpperCase()));
        break;
      }
      default: {
        // b, o and h of vectors, of bits or of logic
        const per = kind.startsWith("h") ? 4 : kind.startsWith("o") ? 3 : 1;
        const isLogic = kind.endsWith("logic");
        const digit = per === 4 ? "0-9a-fA-F" : per === 3 ? "0-7" : "01";
        const count = Math.ceil(n / per);
        const pattern = new RegExp(
          `^[\\s\\u00a0]*([${digit}${isLogic ? "UXZWLHuxzwlh-" : ""}](?:_?[${digit}${isLogic ? "UXZWLHuxzwlh-" : ""}]){${Math.max(0, count - 1)}})`,
        );
        const match = n === 0 ? null : this.take(line, pattern);
        if (n === 0) {
          o[0] = line;
          good(0);
        }
        if (match) {
          const codes: number[] = [];
          for (const c of match[1].replaceAll("_", "").toUpperCase()) {
            const v = /[0-9A-F]/.test(c) ? Number.parseInt(c, 16) : -1;
            for (let i = per - 1; i >= 0; i--) codes.push(v < 0 ? codeNames.indexOf(c) : 2 + ((v >> i) & 1));
          }
          const extra = codes.length - n;
          if (codes.slice(0, extra).every((c) => c === 2))
            good(fromCodes(Uint8Array.from(codes.slice(extra).reverse())));
        }
      }
    }
    if (o[2] === 0 && o[0] === undefined) o[0] = line;
  };
  readOrFail = (
    line: Cell | null,
    kind: string,
    n: number,
    fallback: unknown,
    names: readonly string[] | null,
    at: number,
  ): void => {
    this.read(line, kind, n, fallback, names);
    if (this.o[2] === 0)
      this.fail(
        `No ${kind} can be read from "${line ? this.textOf(line).slice(0, 40) : ""}"`,
        at,
        "Check the text, or use the read with 'good'.",
      );
  };
  /** `sread`: a word, and its length. */
  sread = (line: Cell | null, n: number, old: string): void => {
    const text = line ? this.textOf(line) : "";
    const lead = /^[\s\u00a0]*/.exec(text)![0].length;
    const word = /^\S*/.exec(text.slice(lead))![0].slice(0, n);
    this.o[0] = this.cell(this.lineOf(text.slice(lead + word.length)));
    this.o[1] = word + old.slice(word.length);
    this.o[2] = word.length;
  };

  // ---- conversions of numbers -----------------------------------------------------------------------------------

  /** to_integer: metavalues give 0 (IEEE 1076-2008 16.8.5). */
  toInt = (p: Bits, n: number, signed: boolean, at: number): number => {
    if (typeof p === "number" && n <= 31) return signed && n > 0 && (p >>> (n - 1)) & 1 ? p - 2 ** n : p;
    if (typeof p === "number" && n === 32 && signed) return p;
    const v = values.numberOf(p, n, signed);
    if (v === null) return 0;
    if (v < -2147483648n || v > 2147483647n)
      return this.fail(`The number ${v} is outside of what an integer holds`, at);
    return Number(v);
  };
  /** conv_integer and the like. */
  to01 = (p: Bits, n: number, xmap: number): Bits => {
    if (!(p instanceof values.Codes)) return p;
    if (p.c.some((code) => bitOf[code] === 2)) return values.allOf(xmap, n);
    return fromCodes(p.c.map((code) => 2 + bitOf[code]));
  };
  toBits = (p: Bits, n: number, xmap: number): Bits => {
    if (!(p instanceof values.Codes)) return p;
    return fromCodes(codesOf(p, n).map((code) => (bitOf[code] === 2 ? 2 + xmap : 2 + bitOf[code])));
  };
  isX = (p: Bits): boolean => p instanceof values.Codes && p.c.some((code) => bitOf[code] === 2);
  /** std_match: '-' fits anything, and other values of no number fit nothing. */
  stdMatch = (a: Bits, b: Bits, n: number): boolean => {
    for (let i = 0; i < n; i++) if (!this.matchCode(getL(a, i), getL(b, i))) return false;
    return true;
  };
  matchCode = (a: number, b: number): boolean => a === 8 || b === 8 || (bitOf[a] !== 2 && bitOf[a] === bitOf[b]);
  /** `?=` of two codes (IEEE 1076-2008 table of 9.2.3). */
  matchEq = (a: number, b: number): number => {
    if (a === 8 || b === 8) return 3;
    if (a === 0 || b === 0) return 0;
    if (bitOf[a] === 2 || bitOf[b] === 2) return 1;
    return bitOf[a] === bitOf[b] ? 3 : 2;
  };
  matchEqL = (a: Bits, b: Bits, n: number): number => {
    let v = 3;
    for (let i = 0; i < n; i++) v = values.andTable[v * 9 + this.matchEq(getL(a, i), getL(b, i))];
    return v;
  };
  matchLess = (a: number, b: number): number => {
    if (a === 8 || b === 8) return 1;
    if (a === 0 || b === 0) return 0;
    if (bitOf[a] === 2 || bitOf[b] === 2) return 1;
    return bitOf[a] < bitOf[b] ? 3 : 2;
  };
  /** Bits put together by a table, for `and` and its kin over one array. */
  reduce = (p: Bits, n: number, rows: Uint8Array, begin: number): number => {
    let v = begin;
    for (let i = 0; i < n; i++) v = rows[v * 9 + getL(p, i)];
    return v;
  };
  find = (p: Bits, n: number, code: number, fromLeft: boolean): number => {
    const fits = (c: number) => this.matchEq(c, code) === 3;
    if (fromLeft) {
      for (let i = n - 1; i >= 0; i--) if (fits(getL(p, i))) return i;
    } else for (let i = 0; i < n; i++) if (fits(getL(p, i))) return i;
    return -1;
  };

  // ---- math_real ------------------------------------------------------------------------------------------------

  readonly math = Math;
  /** Rounds halves away from zero, as ROUND of math_real does. */
  round = (v: number): number => Math.sign(v) * Math.floor(Math.abs(v) + 0.5) + 0;
  domain = (ok: boolean, v: number, name: string, at: number): number =>
    ok ? v : this.fail(`'${name}' has no value for this argument`, at);
  /** L'Ecuyer, "Efficient and portable combined random number generators", Comm. ACM 31(6), 1988, as math_real says. */
  uniform = (seed1: number, seed2: number, at: number): void => {
    if (seed1 < 1 || seed1 > 2147483562 || seed2 < 1 || seed2 > 2147483398)
      this.fail("A seed of 'uniform' is out of range", at);
    let k = Math.trunc(seed1 / 53668);
    let s1 = 40014 * (seed1 - k * 53668) - k * 12211;
    if (s1 < 0) s1 += 2147483563;
    k = Math.trunc(seed2 / 52774);
    let s2 = 40692 * (seed2 - k * 52774) - k * 3791;
    if (s2 < 0) s2 += 2147483399;
    let z = s1 - s2;
    if (z < 1) z += 2147483562;
    this.o[0] = s1;
    this.o[1] = s2;
    this.o[2] = z * 4.656613e-10;
  };
}
