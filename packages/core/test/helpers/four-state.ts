import { Random } from "../../src/common/index.ts";

/**
 * Random Verilog with an evaluator of its own: values are texts of 0, 1, x and z, the highest bit first, and every rule
 * of IEEE 1364-2005 clause 5 is written out bit by bit, with bigint for sums. Shares nothing with the product.
 */
export type Env = Map<string, string>;
export interface Variable {
  readonly name: string;
  readonly width: number;
  readonly signed: boolean;
}
interface Node {
  readonly text: string;
  readonly width: number;
  readonly signed: boolean;
  /** Value in a context of `width` bits that is `signed` or not. */
  at(width: number, signed: boolean, env: Env): string;
}

const fill = (bit: string, count: number) => bit.repeat(Math.max(0, count));
export function extend(bits: string, width: number, signed: boolean): string {
  if (bits.length >= width) return bits.slice(bits.length - width);
  return fill(signed ? bits[0] : "0", width - bits.length) + bits;
}
const known = (bits: string) => /^[01]*$/.test(bits);
const unsigned = (bits: string) => BigInt(`0b${bits || "0"}`);
const value = (bits: string, signed: boolean) => (signed ? BigInt.asIntN(bits.length, unsigned(bits)) : unsigned(bits));
const bitsOf = (number: bigint, width: number) => BigInt.asUintN(width, number).toString(2).padStart(width, "0");
const truth = (bits: string) => (bits.includes("1") ? "1" : known(bits) ? "0" : "x");

const bitwise: Record<string, (a: string, b: string) => string> = {
  "&": (a, b) => (a === "0" || b === "0" ? "0" : a === "1" && b === "1" ? "1" : "x"),
  "|": (a, b) => (a === "1" || b === "1" ? "1" : a === "0" && b === "0" ? "0" : "x"),
  "^": (a, b) => (/[xz]/.test(a + b) ? "x" : a === b ? "0" : "1"),
  "~^": (a, b) => (/[xz]/.test(a + b) ? "x" : a === b ? "1" : "0"),
};

/** A node whose own size does not depend on the context. */
function own(text: string, width: number, signed: boolean, run: (env: Env) => string): Node {
  return { text, width, signed, at: (w, s, env) => extend(run(env), w, s) };
}

export class RandomVerilog {
  constructor(
    readonly random: Random,
    readonly variables: readonly Variable[],
  ) {}

  pick<T>(list: readonly T[]): T {
    return list[this.random.below(list.length)];
  }

  bits(width: number): string {
    // mostly known, sometimes not: both paths of a compiled expression are to be taken
    const odd = this.random.below(4) === 0;
    return Array.from({ length: width }, () =>
      odd && this.random.below(5) === 0 ? this.pick(["x", "z"]) : this.pick(["0", "1"]),
    ).join("");
  }

  literal(): Node {
    const width = this.pick([1, 2, 3, 4, 7, 8, 16, 31, 32, 33, 40, 64]);
    const signed = this.random.below(2) === 0;
    const bits = this.bits(width);
    return own(`${width}'${signed ? "s" : ""}b${bits}`, width, signed, () => bits);
  }

  leaf(): Node {
    if (this.random.below(4) === 0) return this.literal();
    const { name, width, signed } = this.pick(this.variables);
    return own(name, width, signed, (env) => env.get(name)!);
  }

  expr(depth: number): Node {
    if (depth <= 0) return this.leaf();
    const sub = () => this.expr(depth - 1 - this.random.below(2));
    switch (this.random.below(13)) {
      case 0: {
        const a = sub();
        const op = this.pick(["~", "-", "+"]);
        return {
          text: `(${op} ${a.text})`,
          width: a.width,
          signed: a.signed,
          at: (w, s, env) => {
            const bits = a.at(w, s, env);
            if (op === "+") return bits;
            if (op === "~") return [...bits].map((bit) => (bit === "0" ? "1" : bit === "1" ? "0" : "x")).join("");
            return known(bits) ? bitsOf(-unsigned(bits), w) : fill("x", w);
          },
        };
      }
      case 1: {
        const a = sub();
        const op = this.pick(["&", "|", "^", "~&", "~|", "~^"]);
        return own(`(${op} ${a.text})`, 1, false, (env) => {
          const bits = [...a.at(a.width, a.signed, env)];
          const plain = op.replace("~", "");
          const folded = bits.reduce((sum, bit) => bitwise[plain](sum, bit));
          const one = bits.length === 1 && /[xz]/.test(folded) ? "x" : folded;
          return op[0] === "~" ? (one === "0" ? "1" : one === "1" ? "0" : "x") : one;
        });
      }
      case 2: {
        const a = sub();
        return own(
          `(! ${a.text})`,
          1,
          false,
          (env) => ({ "0": "1", "1": "0", x: "x" })[truth(a.at(a.width, a.signed, env))]!,
        );
      }
      case 3:
      case 4: {
        const [a, b] = [sub(), sub()];
        const op = this.pick(["+", "-", "*", "/", "%"]);
        return {
          text: `(${a.text} ${op} ${b.text})`,
          width: Math.max(a.width, b.width),
          signed: a.signed && b.signed,
          at: (w, s, env) => {
            const [x, y] = [a.at(w, s, env), b.at(w, s, env)];
            if (!known(x + y)) return fill("x", w);
            const [l, r] = [value(x, s), value(y, s)];
            if ((op === "/" || op === "%") && r === 0n) return fill("x", w);
            return bitsOf(op === "+" ? l + r : op === "-" ? l - r : op === "*" ? l * r : op === "/" ? l / r : l % r, w);
          },
        };
      }
      case 5: {
        const [a, b] = [sub(), sub()];
        const op = this.pick(["&", "|", "^", "~^"]);
        return {
          text: `(${a.text} ${op} ${b.text})`,
          width: Math.max(a.width, b.width),
          signed: a.signed && b.signed,
          at: (w, s, env) => {
            const [x, y] = [a.at(w, s, env), b.at(w, s, env)];
            return [...x].map((bit, i) => bitwise[op](bit, y[i])).join("");
          },
        };
      }
      case 6: {
        const [a, b] = [sub(), sub()];
        const op = this.pick(["<", "<=", ">", ">=", "==", "!=", "===", "!=="]);
        const w = Math.max(a.width, b.width);
        const s = a.signed && b.signed;
        return own(`(${a.text} ${op} ${b.text})`, 1, false, (env) => {
          const [x, y] = [a.at(w, s, env), b.at(w, s, env)];
          const bool = (yes: boolean) => (yes ? "1" : "0");
          if (op === "===") return bool(x === y);
          if (op === "!==") return bool(x !== y);
          if (op === "==" || op === "!=") {
            const differ = [...x].some((bit, i) => /[01]/.test(bit) && /[01]/.test(y[i]) && bit !== y[i]);
            if (differ) return bool(op === "!=");
            return known(x + y) ? bool(op === "==") : "x";
          }
          if (!known(x + y)) return "x";
          const [l, r] = [value(x, s), value(y, s)];
          return bool(op === "<" ? l < r : op === "<=" ? l <= r : op === ">" ? l > r : l >= r);
        });
      }
      case 7: {
        const [a, b] = [sub(), sub()];
        const op = this.pick(["&&", "||"]);
        return own(`(${a.text} ${op} ${b.text})`, 1, false, (env) =>
          bitwise[op[0]](truth(a.at(a.width, a.signed, env)), truth(b.at(b.width, b.signed, env))),
        );
      }
      case 8: {
        const [a, b] = [sub(), this.random.below(2) ? this.leaf() : this.literal()];
        const op = this.pick(["<<", ">>", "<<<", ">>>"]);
        return {
          text: `(${a.text} ${op} ${b.text})`,
          width: a.width,
          signed: a.signed,
          at: (w, s, env) => {
            const bits = a.at(w, s, env);
            const by = b.at(b.width, b.signed, env);
            if (!known(by)) return fill("x", w);
            const n = Number(unsigned(by) > BigInt(w) ? BigInt(w) : unsigned(by));
            if (op[0] === "<") return bits.slice(n) + fill("0", n);
            return fill(op === ">>>" && s ? bits[0] : "0", n) + bits.slice(0, w - n);
          },
        };
      }
      case 9: {
        const [t, a, b] = [sub(), sub(), sub()];
        return {
          text: `(${t.text} ? ${a.text} : ${b.text})`,
          width: Math.max(a.width, b.width),
          signed: a.signed && b.signed,
          at: (w, s, env) => {
            const test = truth(t.at(t.width, t.signed, env));
            if (test === "1") return a.at(w, s, env);
            if (test === "0") return b.at(w, s, env);
            const [x, y] = [a.at(w, s, env), b.at(w, s, env)];
            return [...x].map((bit, i) => (bit === y[i] && bit !== "z" ? bit : "x")).join("");
          },
        };
      }
      case 10: {
        const parts = Array.from({ length: 1 + this.random.below(3) }, sub);
        const width = parts.reduce((sum, part) => sum + part.width, 0);
        if (width > 200) return this.leaf();
        return own(`{${parts.map((part) => part.text).join(", ")}}`, width, false, (env) =>
          parts.map((part) => part.at(part.width, part.signed, env)).join(""),
        );
      }
      case 11: {
        const a = sub();
        const count = 1 + this.random.below(4);
        if (this.random.below(4) === 0)
          return own(`${a.width}'({<<${count}{${a.text}}})`, a.width, false, (env) => {
            const bits = a.at(a.width, a.signed, env);
            let turned = "";
            for (let end = bits.length; end > 0; end -= count) turned += bits.slice(Math.max(0, end - count), end);
            return turned;
          });
        if (a.width * count > 200) return this.leaf();
        return own(`{${count}{${a.text}}}`, a.width * count, false, (env) =>
          a.at(a.width, a.signed, env).repeat(count),
        );
      }
      default: {
        const { name, width } = this.pick(this.variables);
        if (width === 1) return this.leaf();
        if (this.random.below(2)) {
          const at = this.leaf();
          return own(`${name}[${at.text}]`, 1, false, (env) => {
            const by = at.at(at.width, at.signed, env);
            if (!known(by)) return "x";
            const i = value(by, at.signed);
            return i < 0n || i >= BigInt(width) ? "x" : env.get(name)![width - 1 - Number(i)];
          });
        }
        const lo = this.random.below(width);
        const hi = lo + this.random.below(width - lo);
        return own(`${name}[${hi}:${lo}]`, hi - lo + 1, false, (env) =>
          env.get(name)!.slice(width - 1 - hi, width - lo),
        );
      }
    }
  }

  /** Value of an assignment to `width` bits. */
  static assigned(node: Node, width: number, env: Env): string {
    return extend(node.at(Math.max(width, node.width), node.signed, env), width, node.signed);
  }

  // ---- statements ---------------------------------------------------------------------------------------------

  /** A statement and what it does to the variables. `counters` are loop variables, which only loops assign. */
  stmt(depth: number): { text: string; run: (env: Env) => void } {
    const { random } = this;
    const sub = () => this.stmt(depth - 1);
    switch (depth <= 0 ? 0 : random.below(7)) {
      case 1:
      case 2: {
        const test = this.expr(2);
        const [yes, no] = [sub(), sub()];
        return {
          text: `if (${test.text}) begin ${yes.text} end else begin ${no.text} end`,
          run: (env) => (truth(test.at(test.width, test.signed, env)) === "1" ? yes : no).run(env),
        };
      }
      case 3: {
        const flavour = this.pick(["case", "casez", "casex"]);
        const subject = this.leaf();
        const items = Array.from({ length: 1 + random.below(4) }, () => ({ label: this.leaf(), body: sub() }));
        const fallback = sub();
        const w = Math.max(subject.width, ...items.map((item) => item.label.width));
        const s = subject.signed && items.every((item) => item.label.signed);
        const wild = flavour === "case" ? "" : flavour === "casez" ? "z" : "xz";
        return {
          text: `${flavour} (${subject.text}) ${items.map((item) => `${item.label.text}: begin ${item.body.text} end`).join(" ")} default: begin ${fallback.text} end endcase`,
          run: (env) => {
            const bits = subject.at(w, s, env);
            for (const item of items) {
              const label = item.label.at(w, s, env);
              if ([...bits].every((bit, i) => bit === label[i] || wild.includes(bit) || wild.includes(label[i]))) {
                item.body.run(env);
                return;
              }
            }
            fallback.run(env);
          },
        };
      }
      case 4: {
        const count = 1 + random.below(4);
        const body = sub();
        return {
          text: `repeat (${count}) begin ${body.text} end`,
          run: (env) => {
            for (let i = 0; i < count; i++) body.run(env);
          },
        };
      }
      case 5: {
        const list = Array.from({ length: 2 + random.below(2) }, sub);
        return {
          text: list.map((each) => each.text).join("\n"),
          run: (env) => list.forEach((each) => void each.run(env)),
        };
      }
      default: {
        const { name, width } = this.pick(this.variables);
        const node = this.expr(2);
        if (width > 2 && random.below(3) === 0) {
          const lo = random.below(width - 1);
          const hi = lo + random.below(width - lo);
          return {
            text: `${name}[${hi}:${lo}] = ${node.text};`,
            run: (env) => {
              const old = env.get(name)!;
              env.set(
                name,
                old.slice(0, width - 1 - hi) + RandomVerilog.assigned(node, hi - lo + 1, env) + old.slice(width - lo),
              );
            },
          };
        }
        return {
          text: `${name} = ${node.text};`,
          run: (env) => void env.set(name, RandomVerilog.assigned(node, width, env)),
        };
      }
    }
  }
}

export function randomVariables(random: Random): Variable[] {
  const widths = [1, 3, 4, 8, 16, 31, 32, 33, 64, 70];
  return Array.from({ length: 6 }, (_, i) => ({
    name: `v${i}`,
    width: widths[random.below(widths.length)],
    signed: random.below(2) === 0,
  }));
}
