import type { Value } from "../../elaborate/model.ts";
import { readNumber } from "../../hdl/verilog/number-text.ts";

/** `$sscanf` and `$fscanf` (IEEE 1364-2005 clause 17.2.4.3). */
export function scanText(source: string, format: string): { values: (Value | string | number)[]; used: number } {
  const values: (Value | string | number)[] = [];
  let at = 0;
  const skip = () => {
    while (at < source.length && /\s/.test(source[at])) at++;
  };
  for (let f = 0; f < format.length; ) {
    const c = format[f];
    if (/\s/.test(c)) {
      skip();
      f++;
      continue;
    }
    const spec = /%(\*?)(\d*)([a-zA-Z%])/y;
    spec.lastIndex = f;
    const match = spec.exec(format);
    if (!match || match[3] === "%") {
      if (source[at] !== (match ? "%" : c)) break;
      at++;
      f += match ? match[0].length : 1;
      continue;
    }
    f = spec.lastIndex;
    const kind = match[3].toLowerCase();
    const limit = match[2] ? Number(match[2]) : 1 << 30;
    if (kind === "c") {
      if (at >= source.length) break;
      if (!match[1]) values.push({ a: BigInt(source.charCodeAt(at) & 255), b: 0n });
      at++;
      continue;
    }
    skip();
    const patterns: Record<string, RegExp> = {
      d: /[+-]?[0-9_]+|[xXzZ?]/y,
      h: /[0-9a-fA-FxXzZ?_]+/y,
      x: /[0-9a-fA-FxXzZ?_]+/y,
      o: /[0-7xXzZ?_]+/y,
      b: /[01xXzZ?_]+/y,
      s: /\S+/y,
      e: /[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?/y,
      f: /[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?/y,
      g: /[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?/y,
      t: /[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?/y,
    };
    const pattern = patterns[kind];
    if (!pattern) break;
    pattern.lastIndex = at;
    const found = pattern.exec(source)?.[0].slice(0, limit);
    if (!found) break;
    at += found.length;
    if (match[1]) continue;
    if (kind === "s") values.push(found);
    else if (/[efgt]/.test(kind)) values.push(Number.parseFloat(found));
    else if (kind === "d") {
      const clean = found.replace(/_/g, "");
      if (/^[xXzZ?]$/.test(clean)) values.push({ a: /x/i.test(clean) ? 0xffffffffn : 0n, b: 0xffffffffn });
      else values.push({ a: BigInt.asUintN(4096, BigInt(clean.replace("+", ""))), b: 0n });
    } else {
      const read = readNumber(`4096'${kind === "x" ? "h" : kind}${found}`);
      values.push(read ? { a: read.a, b: read.b } : { a: 0n, b: 0n });
    }
  }
  return { values, used: at };
}
