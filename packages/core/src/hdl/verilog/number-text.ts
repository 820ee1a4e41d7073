interface NumberText {
  readonly width: number | null;
  readonly signed: boolean;
  readonly based: boolean;
  readonly a: bigint;
  readonly b: bigint;
}

/** Widest vector that a literal or a declaration may have. */
export const maxVectorWidth = 1 << 20;

/** Value of a number token; null if its digits do not fit its base. IEEE 1364-2005 clause 3.5.1. */
export function readNumber(text: string): NumberText | null {
  const clean = text.replace(/[_\s]/g, "").toLowerCase();
  const quote = clean.indexOf("'");
  if (quote < 0)
    return /^[0-9]+$/.test(clean) ? { width: null, signed: true, based: false, a: BigInt(clean), b: 0n } : null;
  const width = quote > 0 ? Number(clean.slice(0, quote)) : null;
  if (width !== null && (width < 1 || width > maxVectorWidth)) return null;
  const signed = clean[quote + 1] === "s";
  const base = clean[quote + (signed ? 2 : 1)];
  const digits = clean.slice(quote + (signed ? 3 : 2));
  let a = 0n;
  let b = 0n;
  if (base === "d") {
    if (/^[xz?]$/.test(digits)) {
      const mask = (1n << BigInt(width ?? 32)) - 1n;
      return { width, signed, based: true, a: digits === "x" ? mask : 0n, b: mask };
    }
    if (!/^[0-9]+$/.test(digits)) return null;
    a = BigInt(digits);
  } else {
    const step = base === "b" ? 1 : base === "o" ? 3 : 4;
    const prefix = base === "b" ? "0b" : base === "o" ? "0o" : "0x";
    const allowed = base === "b" ? /^[01xz?]+$/ : base === "o" ? /^[0-7xz?]+$/ : /^[0-9a-fxz?]+$/;
    if (!allowed.test(digits)) return null;
    const full = base === "b" ? "1" : base === "o" ? "7" : "f";
    a = BigInt(prefix + digits.replace(/[x]/g, full).replace(/[z?]/g, "0"));
    if (/[xz?]/.test(digits)) {
      b = BigInt(prefix + digits.replace(/[0-9a-f]/g, "0").replace(/[xz?]/g, full));
      // the leftmost x or z fills up to the size (clause 3.5.1)
      const bits = digits.length * step;
      const total = width ?? Math.max(32, bits);
      if (bits < total && /^[xz?]/.test(digits)) {
        const fill = ((1n << BigInt(total - bits)) - 1n) << BigInt(bits);
        b |= fill;
        if (digits[0] === "x") a |= fill;
      }
    }
  }
  if (width !== null) {
    const mask = (1n << BigInt(width)) - 1n;
    a &= mask;
    b &= mask;
  }
  return { width, signed, based: true, a, b };
}

/** Escapes of IEEE 1364-2005 clause 3.6.3 and IEEE 1800-2017 table 5-1. Characters become UTF-8 bytes. */
export function readString(raw: string): string {
  const resolved = raw.includes("\\")
    ? raw.replace(/\\(\r\n|\n|\r|[0-7]{1,3}|x[0-9a-fA-F]{1,2}|.)/g, (_, what: string) => {
        switch (what[0]) {
          case "n":
            return "\n";
          case "t":
            return "\t";
          case "v":
            return "\v";
          case "f":
            return "\f";
          case "a":
            return "\x07";
          case "\n":
          case "\r":
            return "";
        }
        if (what[0] === "x" && what.length > 1) return String.fromCharCode(Number.parseInt(what.slice(1), 16));
        return /^[0-7]/.test(what) ? String.fromCharCode(Number.parseInt(what, 8) & 255) : what;
      })
    : raw;
  let wide = false;
  for (let i = 0; i < resolved.length; i++) if (resolved.charCodeAt(i) > 127) wide = true;
  if (!wide) return resolved;
  let text = "";
  for (const c of resolved) {
    const code = c.codePointAt(0)!;
    if (code < 256 && raw.indexOf(c) < 0)
      text += c; // made by an escape: one byte already
    else for (const byte of utf8(code)) text += String.fromCharCode(byte);
  }
  return text;
}

function utf8(code: number): number[] {
  if (code < 0x80) return [code];
  if (code < 0x800) return [0xc0 | (code >> 6), 0x80 | (code & 63)];
  if (code < 0x10000) return [0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63)];
  return [0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63)];
}
