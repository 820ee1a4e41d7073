import { Random } from "../../src/common/random.ts";

/**
 * Random Verilog with its own meaning: every tree can be written out as source and evaluated on bigint, by the sizing
 * rules of IEEE 1364-2005 clause 5.4 written down a second time, without any code of the product.
 */
export interface Variable {
  readonly name: string;
  readonly width: number;
  readonly signed: boolean;
}
export interface Node {
  readonly text: string;
  /** Self-determined. */
  readonly width: number;
  readonly signed: boolean;
  /** Value in a context; null where Verilog says x. */
  value(env: ReadonlyMap<string, bigint>, width: number, signed: boolean): bigint | null;
}

const cut = (value: bigint, width: number) => BigInt.asUintN(width, value);
const asSigned = (value: bigint, width: number, signed: boolean) => (signed ? BigInt.asIntN(width, value) : value);

function leaf(
  text: string,
  width: number,
  signed: boolean,
  read: (env: ReadonlyMap<string, bigint>) => bigint | null,
): Node {
  return {
    text,
    width,
    signed,
    value: (env, toWidth, toSigned) => {
      const raw = read(env);
      return raw === null ? null : cut(toSigned ? BigInt.asIntN(width, raw) : raw, toWidth);
    },
  };
}

/** Operators whose operands take their context's size. */
function contextual(
  text: string,
  parts: Node[],
  width: number,
  signed: boolean,
  combine: (values: bigint[], width: number, signed: boolean) => bigint | null,
): Node {
  return {
    text,
    width,
    signed,
    value: (env, toWidth, toSigned) => {
      const values = parts.map((part) => part.value(env, toWidth, toSigned));
      if (values.some((value) => value === null)) return null;
      const result = combine(values as bigint[], toWidth, toSigned);
      return result === null ? null : cut(result, toWidth);
    },
  };
}

const own = (node: Node, env: ReadonlyMap<string, bigint>) => node.value(env, node.width, node.signed);

export function randomExpr(random: Random, variables: readonly Variable[], depth: number): Node {
  const pick = <T>(list: readonly T[]): T => list[random.below(list.length)];
  const sub = () => randomExpr(random, variables, depth - 1);
  if (depth <= 0 || random.float() < 0.12) {
    if (random.float() < 0.72) {
      const v = pick(variables);
      const kind = random.below(6);
      if (kind === 0 && v.width > 1) {
        const lsb = random.below(v.width);
        const msb = lsb + random.below(v.width - lsb);
        return leaf(`${v.name}[${msb}:${lsb}]`, msb - lsb + 1, false, (env) =>
          cut(env.get(v.name)! >> BigInt(lsb), msb - lsb + 1),
        );
      }
      if (kind === 1 && v.width > 1) {
        const bit = random.below(v.width);
        return leaf(`${v.name}[${bit}]`, 1, false, (env) => cut(env.get(v.name)! >> BigInt(bit), 1));
      }
      return leaf(v.name, v.width, v.signed, (env) => env.get(v.name)!);
    }
    const width = 1 + random.below(10);
    const value = BigInt(random.below(2 ** width));
    const signed = random.float() < 0.3;
    if (random.float() < 0.15) {
      const plain = random.below(40);
      return leaf(String(plain), 32, true, () => BigInt(plain));
    }
    return leaf(
      `${width}'${signed ? "s" : ""}${pick(["b", "d", "h"])}`.replace(
        /(.)$/,
        (base) => base + (base === "b" ? value.toString(2) : base === "h" ? value.toString(16) : value.toString()),
      ),
      width,
      signed,
      () => value,
    );
  }
  switch (random.below(12)) {
    case 0:
    case 1: {
      const op = pick(["+", "-", "&", "|", "^", "~^"]);
      const [a, b] = [sub(), sub()];
      return contextual(
        `(${a.text} ${op} ${b.text})`,
        [a, b],
        Math.max(a.width, b.width),
        a.signed && b.signed,
        ([x, y]) =>
          op === "+"
            ? x + y
            : op === "-"
              ? x - y
              : op === "&"
                ? x & y
                : op === "|"
                  ? x | y
                  : op === "^"
                    ? x ^ y
                    : ~(x ^ y),
      );
    }
    case 2: {
      const op = pick(["*", "/", "%"]);
      const [a, b] = [sub(), sub()];
      if (Math.max(a.width, b.width) > 14) return a;
      return contextual(
        `(${a.text} ${op} ${b.text})`,
        [a, b],
        Math.max(a.width, b.width),
        a.signed && b.signed,
        ([x, y], width, signed) => {
          const [l, r] = [asSigned(x, width, signed), asSigned(y, width, signed)];
          if (op === "*") return l * r;
          if (r === 0n) return null;
          return op === "/" ? l / r : l % r;
        },
      );
    }
    case 3: {
      const op = pick(["<", "<=", ">", ">=", "==", "!=", "===", "!=="]);
      const [a, b] = [sub(), sub()];
      const width = Math.max(a.width, b.width);
      const signed = a.signed && b.signed;
      return leaf(`(${a.text} ${op} ${b.text})`, 1, false, (env) => {
        const [x, y] = [a.value(env, width, signed), b.value(env, width, signed)];
        if (x === null || y === null) return null;
        const [l, r] = [asSigned(x, width, signed), asSigned(y, width, signed)];
        const truth =
          op === "<"
            ? l < r
            : op === "<="
              ? l <= r
              : op === ">"
                ? l > r
                : op === ">="
                  ? l >= r
                  : op[0] === "="
                    ? l === r
                    : l !== r;
        return truth ? 1n : 0n;
      });
    }
    case 4: {
      const op = pick(["&&", "||"]);
      const [a, b] = [sub(), sub()];
      return leaf(`(${a.text} ${op} ${b.text})`, 1, false, (env) => {
        const [x, y] = [own(a, env), own(b, env)];
        if (x === null || y === null) return null;
        return (op === "&&" ? x !== 0n && y !== 0n : x !== 0n || y !== 0n) ? 1n : 0n;
      });
    }
    case 5: {
      const op = pick(["<<", ">>", "<<<", ">>>"]);
      const a = sub();
      const b = sub();
      if (b.width > 12) return a;
      return {
        text: `(${a.text} ${op} ${b.text})`,
        width: a.width,
        signed: a.signed,
        value: (env, width, signed) => {
          const [x, y] = [a.value(env, width, signed), own(b, env)];
          if (x === null || y === null) return null;
          if (op === "<<" || op === "<<<") return cut(x << y, width);
          return cut(op === ">>>" && signed ? BigInt.asIntN(width, x) >> y : x >> y, width);
        },
      };
    }
    case 6: {
      const op = pick(["&", "~&", "|", "~|", "^", "~^", "!"]);
      const a = sub();
      return leaf(`(${op}${a.text})`, 1, false, (env) => {
        const x = own(a, env);
        if (x === null) return null;
        const ones = x.toString(2).replaceAll("0", "").length;
        const value = op.endsWith("&")
          ? ones === a.width
          : op.endsWith("|")
            ? x !== 0n
            : op === "!"
              ? x === 0n
              : ones % 2 === 1;
        return value !== (op[0] === "~") ? 1n : 0n;
      });
    }
    case 7: {
      const op = pick(["~", "-", "+"]);
      const a = sub();
      return contextual(`(${op}${a.text})`, [a], a.width, a.signed, ([x]) => (op === "~" ? ~x : op === "-" ? -x : x));
    }
    case 8: {
      const [t, a, b] = [sub(), sub(), sub()];
      return {
        text: `(${t.text} ? ${a.text} : ${b.text})`,
        width: Math.max(a.width, b.width),
        signed: a.signed && b.signed,
        value: (env, width, signed) => {
          const test = own(t, env);
          if (test === null) return null;
          return (test !== 0n ? a : b).value(env, width, signed);
        },
      };
    }
    case 9: {
      const parts = [sub(), sub()].filter((part) => !/^\d+$/.test(part.text));
      if (!parts.length) return sub();
      const width = parts.reduce((sum, part) => sum + part.width, 0);
      if (width > 48) return parts[0];
      return leaf(`{${parts.map((part) => part.text).join(", ")}}`, width, false, (env) => {
        let value = 0n;
        for (const part of parts) {
          const x = own(part, env);
          if (x === null) return null;
          value = (value << BigInt(part.width)) | x;
        }
        return value;
      });
    }
    case 10: {
      const a = sub();
      const count = 1 + random.below(3);
      if (random.below(4) === 0 && !/^\d+$/.test(a.text))
        return leaf(`${a.width}'({<<${count}{${a.text}}})`, a.width, false, (env) => {
          const x = own(a, env);
          if (x === null) return null;
          let value = 0n;
          for (let at = 0; at < a.width; at += count) {
            const size = BigInt(Math.min(count, a.width - at));
            value = (value << size) | ((x >> BigInt(at)) & ((1n << size) - 1n));
          }
          return value;
        });
      if (/^\d+$/.test(a.text) || a.width * count > 40) return a;
      return leaf(`{${count}{${a.text}}}`, a.width * count, false, (env) => {
        const x = own(a, env);
        if (x === null) return null;
        let value = 0n;
        for (let i = 0; i < count; i++) value = (value << BigInt(a.width)) | x;
        return value;
      });
    }
    default: {
      const a = sub();
      const signed = random.float() < 0.5;
      return { ...leaf(`${signed ? "$signed" : "$unsigned"}(${a.text})`, a.width, signed, (env) => own(a, env)) };
    }
  }
}

/** What assigning the expression to a target of `width` bits stores. */
export function assignedValue(node: Node, width: number, env: ReadonlyMap<string, bigint>): bigint | null {
  const value = node.value(env, Math.max(width, node.width), node.signed);
  return value === null ? null : cut(value, width);
}

export function randomValue(random: Random, width: number): bigint {
  const style = random.below(6);
  if (style === 0) return 0n;
  if (style === 1) return (1n << BigInt(width)) - 1n;
  if (style === 2) return 1n << BigInt(random.below(width));
  let value = 0n;
  for (let i = 0; i < width; i += 30) value = (value << 30n) | BigInt(random.below(2 ** 30));
  return cut(value, width);
}
