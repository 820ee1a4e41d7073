import { bitsString } from "../../elaborate/evaluate.ts";
import { elementOf, type IntegralType, sizeOf } from "../../elaborate/types.ts";

/** Text of `$display` and its kin (IEEE 1364-2005 clause 17.1, IEEE 1800-2017 clause 21.2). */

/** An argument as the running design hands it over. */
export type PrintArg =
  /** A literal: may hold formats. */
  | { readonly kind: "literal"; readonly text: string }
  | {
      readonly kind: "bits";
      readonly width: number;
      readonly signed: boolean;
      readonly a: bigint;
      readonly b: bigint;
      /** Of what is more than a number: an enumeration, a struct, an array that is carried as a vector. */
      readonly type?: IntegralType;
    }
  | { readonly kind: "real"; readonly value: number }
  | { readonly kind: "string"; readonly text: string }
  /** A whole array, for %p. */
  | { readonly kind: "pattern"; readonly text: string }
  /** An argument left out: prints one space. */
  | { readonly kind: "none" };

export interface TimeFormat {
  /** Power of ten of a second. */
  readonly unit: number;
  readonly precision: number;
  readonly suffix: string;
  readonly width: number;
}
export interface FormatContext {
  /** `%m`. */
  readonly scope: string;
  readonly timeFormat: TimeFormat;
  /** Time unit of the module that prints, as a power of ten. */
  readonly unit: number;
}

export type Radix = "b" | "o" | "d" | "h";

/** A value as in an assignment pattern (IEEE 1800-2017 clause 21.2.1.7). */
export function patternText(arg: PrintArg): string {
  if (arg.kind === "bits") return arg.type ? typedText(arg, arg.type) : formatBits(arg, "d", 0, false);
  if (arg.kind === "real") return formatReal(arg.value, "g", null, null, false);
  if (arg.kind === "none") return "";
  return arg.kind === "pattern" ? arg.text : `"${arg.text}"`;
}

function typedText(arg: PrintArg & { kind: "bits" }, type: IntegralType): string {
  const part = (own: IntegralType, offset: number): string => {
    const cut = (plane: bigint) => BigInt.asUintN(own.width, plane >> BigInt(offset));
    const bits = { kind: "bits" as const, width: own.width, signed: own.signed, a: cut(arg.a), b: cut(arg.b) };
    if (own.holds === "string") return patternText({ kind: "string", text: textOfBits(bits.a) });
    if (own.holds === "real")
      return patternText({ kind: "real", value: new Float64Array(new BigUint64Array([bits.a]).buffer)[0] });
    return typedText(bits, own);
  };
  const { members } = type.enumeration ?? {};
  const name = members?.find(({ value }) => value.a === arg.a && value.b === arg.b)?.name;
  if (name) return name;
  if (type.unpacked) {
    const element = elementOf(type);
    const size = sizeOf(type.dims[0]);
    return `'{${Array.from({ length: size }, (_, i) => part(element, (size - 1 - i) * element.width)).join(", ")}}`;
  }
  if (type.struct && type.dims.length === 0)
    return `'{${type.struct.members.map((member) => `${member.name}:${part(member.type, member.offset)}`).join(", ")}}`;
  return formatBits(arg, "d", 0, false);
}
function textOfBits(bits: bigint): string {
  let text = "";
  for (let at = bits; at > 0n; at >>= 8n) text = String.fromCharCode(Number(at & 255n)) + text;
  return text;
}

/** @param radix Of arguments without a format. */
export function formatArgs(args: readonly PrintArg[], radix: Radix, context: FormatContext): string {
  let out = "";
  for (let i = 0; i < args.length; i++) {
    const arg = args[i];
    switch (arg.kind) {
      case "none":
        out += " ";
        break;
      case "literal": {
        const { text, used } = formatText(arg.text, args, i + 1, context);
        out += text;
        i += used;
        break;
      }
      case "string":
        out += arg.text;
        break;
      case "real":
        out += formatReal(arg.value, "g", null, null, false);
        break;
      case "bits":
        out += formatBits(arg, radix, null, false);
    }
  }
  return out;
}

/** One format text with the arguments it uses, from `first` on. */
export function formatText(
  format: string,
  args: readonly PrintArg[],
  first: number,
  context: FormatContext,
): { text: string; used: number } {
  let text = "";
  let used = 0;
  let at = 0;
  while (at < format.length) {
    const percent = format.indexOf("%", at);
    if (percent < 0) {
      text += format.slice(at);
      break;
    }
    text += format.slice(at, percent);
    const match = /%(-?)(0?)(\d*)(?:\.(\d+))?([a-zA-Z%])/y;
    match.lastIndex = percent;
    const spec = match.exec(format);
    if (!spec) {
      text += "%";
      at = percent + 1;
      continue;
    }
    at = match.lastIndex;
    const [whole, minus, zero, digits, fraction, letter] = spec;
    const kind = letter.toLowerCase();
    const left = minus !== "";
    const width = digits === "" ? (zero ? 0 : null) : Number(digits);
    if (kind === "%") {
      text += "%";
      continue;
    }
    if (kind === "m") {
      text += pad(context.scope, width, left);
      continue;
    }
    if (kind === "l") {
      text += pad(`work.${context.scope.split(".")[0]}`, width, left);
      continue;
    }
    const arg = args[first + used];
    if (!arg) {
      text += whole;
      continue;
    }
    used++;
    text += formatOne(
      kind,
      arg,
      width,
      zero !== "",
      left,
      fraction === undefined ? null : Number(fraction),
      context,
      whole,
    );
  }
  return { text, used };
}

function formatOne(
  kind: string,
  arg: PrintArg,
  width: number | null,
  zero: boolean,
  left: boolean,
  fraction: number | null,
  context: FormatContext,
  whole: string,
): string {
  switch (kind) {
    case "d":
    case "b":
    case "o":
    case "h":
    case "x":
      return formatBits(toBits(arg), kind === "x" ? "h" : (kind as Radix), width, left, zero);
    case "c": {
      const bits = toBits(arg);
      return pad(String.fromCharCode(Number(bits.a & ~bits.b & 255n)), width, left);
    }
    case "s": {
      if (arg.kind === "string" || arg.kind === "literal") return pad(arg.text, width, left);
      const bits = toBits(arg);
      const text = bitsString(bits);
      // leading zeros are never printed: IEEE 1364-2005 17.1.1.7 and the example of 2.6.2
      return pad(text, width, left);
    }
    case "e":
    case "f":
    case "g":
      return formatReal(toReal(arg), kind as "e" | "f" | "g", width, fraction, left, zero && width !== 0);
    case "t":
      return formatTime(toReal(arg), width, left, fraction, context);
    case "p":
      return pad(patternText(arg), width, left);
    case "v": {
      const bits = toBits(arg);
      const low = `${(bits.b & 1n) === 1n ? ((bits.a & 1n) === 1n ? "StX" : "HiZ") : (bits.a & 1n) === 1n ? "St1" : "St0"}`;
      return low;
    }
    case "u":
    case "z": {
      const bits = toBits(arg);
      let text = "";
      for (let i = 0; i < Math.ceil(bits.width / 8); i++)
        text += String.fromCharCode(Number((bits.a >> BigInt(8 * i)) & 255n));
      return text;
    }
    default:
      return whole;
  }
}

function pad(text: string, width: number | null, left: boolean): string {
  if (width === null) return text;
  return left ? text.padEnd(width) : text.padStart(width);
}

type Bits = PrintArg & { kind: "bits" };

function toBits(arg: PrintArg): Bits {
  switch (arg.kind) {
    case "bits":
      return arg;
    case "real": {
      const value = BigInt(Number.isFinite(arg.value) ? Math.round(Math.abs(arg.value)) * Math.sign(arg.value) : 0);
      return { kind: "bits", width: 64, signed: true, a: BigInt.asUintN(64, value), b: 0n };
    }
    case "none":
      return { kind: "bits", width: 1, signed: false, a: 0n, b: 0n };
    default: {
      let a = 0n;
      for (const c of arg.text) a = (a << 8n) | BigInt(c.charCodeAt(0) & 255);
      return { kind: "bits", width: Math.max(8, arg.text.length * 8), signed: false, a, b: 0n };
    }
  }
}

function toReal(arg: PrintArg): number {
  if (arg.kind === "real") return arg.value;
  const bits = toBits(arg);
  const known = bits.a & ~bits.b;
  return Number(bits.signed ? BigInt.asIntN(bits.width, known) : known);
}

/**
 * @param width null: as wide as the largest value of the type; 0: as narrow as can be.
 * x and z by digit: lower case when all bits of the digit are so, upper case when some are (clause 17.1.1.4).
 */
function formatBits(bits: Bits, radix: Radix, width: number | null, left: boolean, zero = false): string {
  const text = radix === "d" ? decimal(bits) : digitsOf(bits, radix);
  if (radix === "d") {
    const size = width ?? decimalWidth(bits);
    if (width === null) return text.padStart(size);
    if (left) return text.padEnd(size);
    return zero && size > 0 && !/[xz]/i.test(text) ? padZero(text, size) : text.padStart(size);
  }
  if (width === null) return text;
  // leading zeros go when a width is given, and come back only up to that width
  const trimmed = text.replace(/^0+(?=.)/, "");
  if (left) return trimmed.padEnd(width);
  return trimmed.padStart(width, "0");
}

function padZero(text: string, width: number): string {
  return text.startsWith("-") ? `-${text.slice(1).padStart(width - 1, "0")}` : text.padStart(width, "0");
}

function decimal({ width, signed, a, b }: Bits): string {
  if (b === 0n) return String(signed ? BigInt.asIntN(width, a) : a);
  const ones = (1n << BigInt(width)) - 1n;
  const x = a & b;
  const z = b & ~a;
  if (x === ones) return "x";
  if (z === ones) return "z";
  return x ? "X" : "Z";
}

/** Room for the largest value: IEEE 1364-2005 clause 17.1.1.3. */
function decimalWidth({ width, signed }: Bits): number {
  const most = (1n << BigInt(signed ? width - 1 : width)) - 1n;
  return String(signed ? most + 1n : most).length + (signed ? 1 : 0);
}

function digitsOf({ width, a, b }: Bits, radix: Radix): string {
  const step = radix === "b" ? 1 : radix === "o" ? 3 : 4;
  const count = Math.ceil(width / step);
  if (b === 0n) return a.toString(radix === "b" ? 2 : radix === "o" ? 8 : 16).padStart(count, "0");
  const group = (1n << BigInt(step)) - 1n;
  let text = "";
  for (let i = count - 1; i >= 0; i--) {
    const shift = BigInt(i * step);
    const top = Math.min(step, width - i * step);
    const full = (1n << BigInt(top)) - 1n;
    const da = (a >> shift) & group;
    const db = (b >> shift) & group;
    if (db === 0n) text += da.toString(16);
    else if ((da & db) === full) text += "x";
    else if ((db & ~da) === full) text += "z";
    else text += (da & db) !== 0n ? "X" : "Z";
  }
  return text;
}

/** `%e`, `%f`, `%g` as in ISO C. */
export function formatReal(
  value: number,
  kind: "e" | "f" | "g",
  width: number | null,
  fraction: number | null,
  left: boolean,
  zero = false,
): string {
  let text: string;
  const digits = fraction ?? 6;
  if (Number.isNaN(value)) text = "nan";
  else if (!Number.isFinite(value)) text = value > 0 ? "inf" : "-inf";
  else if (kind === "f") text = value.toFixed(Math.min(100, digits));
  else if (kind === "e") text = exponent(value, digits);
  else {
    const precision = Math.max(1, digits);
    const power = value === 0 ? 0 : Number(value.toExponential(precision - 1).split("e")[1]);
    if (power < -4 || power >= precision) text = exponent(value, precision - 1).replace(/\.?0+e/, "e");
    else {
      text = value.toFixed(Math.max(0, precision - 1 - power));
      if (text.includes(".")) text = text.replace(/\.?0+$/, "");
    }
  }
  if (Object.is(value, -0) && !text.startsWith("-")) text = `-${text}`;
  if (width === null) return text;
  return zero && !left ? padZero(text, width) : pad(text, width, left);
}

function exponent(value: number, digits: number): string {
  const [mantissa, power] = value.toExponential(Math.min(100, digits)).split("e");
  const sign = power[0];
  return `${mantissa}e${sign}${power.slice(1).padStart(2, "0")}`;
}

/** `%t`: a number in the unit of the module that prints, shown in the unit of `$timeformat`. */
function formatTime(
  value: number,
  width: number | null,
  left: boolean,
  fraction: number | null,
  context: FormatContext,
): string {
  const { unit, precision, suffix, width: least } = context.timeFormat;
  const scaled = value * 10 ** (context.unit - unit);
  const digits = fraction ?? precision;
  let text: string;
  if (digits === 0 && Math.abs(scaled) < 1e21) text = String(BigInt(Math.round(Number(scaled.toPrecision(15)))));
  else text = Number(scaled.toPrecision(15)).toFixed(digits);
  text += suffix;
  return pad(text, width ?? least, left);
}

export function timeText(exponent: number): string {
  const names = ["s", "ms", "us", "ns", "ps", "fs"];
  const step = Math.ceil(-exponent / 3);
  const unit = Math.max(0, Math.min(5, step));
  return `${10 ** (exponent + 3 * unit)} ${names[unit]}`;
}
