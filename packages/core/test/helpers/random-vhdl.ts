import { Random } from "../../src/common/random.ts";
import type { DutSpec, PortSpec } from "./vhdl-circuit.ts";

/**
 * Random VHDL as people write it: processes with variables, nested branches, cases and loops, subprograms in every kind
 * of place, instances with other generics, records, arrays, slices, aggregates, ranges of whole numbers, packages.
 * No index leaves its array and no number its range, so that the simulation comes to its end.
 */
type Type =
  | { readonly k: "bit" }
  | { readonly k: "bool" }
  | { readonly k: "vec"; readonly of: "slv" | "unsigned" | "signed"; readonly n: number }
  | { readonly k: "int"; readonly lo: number; readonly hi: number }
  | { readonly k: "state" }
  | { readonly k: "rec" }
  | { readonly k: "list" }
  | { readonly k: "grid" };

interface Thing {
  readonly name: string;
  readonly type: Type;
  readonly write: ":=" | "<=" | null;
}
interface Num {
  readonly text: string;
  readonly lo: number;
  readonly hi: number;
}

const states = ["idle", "load", "run", "stop"];
const listLength = 6;
const itemWidth = 4;

export const randomHead = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";
const sharedTypes = `type state_t is (${states.join(", ")});
type rec_t is record u : unsigned(4 downto 0); b : std_logic; s : state_t; i : integer range -10 to 20; end record;
type list_t is array (0 to ${listLength - 1}) of unsigned(${itemWidth - 1} downto 0);
type grid_t is array (1 to 3, 2 downto 0) of std_logic_vector(1 downto 0);
`;

export interface RandomDesign {
  readonly text: string;
  readonly spec: DutSpec;
}

class Writer {
  /** What can be read and, some of it, assigned here. */
  things: Thing[] = [];
  /** Functions that can be called: name, parameters, result. */
  readonly functions: { readonly name: string; readonly params: readonly Type[]; readonly result: Type }[] = [];
  readonly procedures: { readonly name: string; readonly params: readonly { type: Type; mode: string }[] }[] = [];
  private names = 0;
  private inLoop: string[] = [];
  private returns: Type | null = null;
  /** Loops and calls multiply what they hold. */
  private budget = 0;

  constructor(readonly random: Random) {}

  below(n: number): number {
    return this.random.below(n);
  }
  chance(p: number): boolean {
    return this.random.float() < p;
  }
  pick<T>(list: readonly T[]): T {
    return list[this.below(list.length)];
  }
  fresh(base: string): string {
    return `${base}${this.names++}`;
  }

  // ---- types ------------------------------------------------------------------------------------------------------

  type(): Type {
    switch (this.below(12)) {
      case 0:
      case 1:
        return { k: "bit" };
      case 2:
        return { k: "bool" };
      case 3:
      case 4:
      case 5:
        return { k: "vec", of: this.pick(["slv", "unsigned", "signed"] as const), n: 2 + this.below(8) };
      case 6:
      case 7: {
        const lo = this.pick([0, 0, 0, 1, -5, -16]);
        return { k: "int", lo, hi: lo + 1 + this.below(20) };
      }
      case 8:
        return { k: "state" };
      case 9:
        return { k: "rec" };
      case 10:
        return { k: "list" };
      default:
        return { k: "grid" };
    }
  }
  mark(type: Type): string {
    switch (type.k) {
      case "bit":
        return "std_logic";
      case "bool":
        return "boolean";
      case "vec":
        return `${type.of === "slv" ? "std_logic_vector" : type.of}(${type.n - 1} downto 0)`;
      case "int":
        return `integer range ${type.lo} to ${type.hi}`;
      case "state":
        return "state_t";
      case "rec":
        return "rec_t";
      case "list":
        return "list_t";
      case "grid":
        return "grid_t";
    }
  }
  /** The same without bounds, for formals and results. */
  openMark(type: Type): string {
    if (type.k === "vec") return type.of === "slv" ? "std_logic_vector" : type.of;
    return type.k === "int" ? "integer" : this.mark(type);
  }
  start(type: Type): string {
    switch (type.k) {
      case "bit":
        return this.pick(["'0'", "'1'"]);
      case "bool":
        return this.pick(["true", "false"]);
      case "vec":
        return this.chance(0.5) ? "(others => '0')" : this.bits(type.n);
      case "int":
        return this.number(type.lo + this.below(type.hi - type.lo + 1));
      case "state":
        return this.pick(states);
      case "rec":
        return `(u => ${this.bits(5)}, b => '1', s => run, i => ${this.number(this.below(20) - 9)})`;
      case "list":
        return `(${this.bits(itemWidth)}, 2 => ${this.bits(itemWidth)}, others => ${this.bits(itemWidth)})`.replace(
          /^\((".*?"), 2/,
          "(0 => $1, 2",
        );
      case "grid":
        return `(others => (others => "${this.pick(["00", "01", "10", "11"])}"))`;
    }
  }
  bits(n: number): string {
    let text = "";
    for (let i = 0; i < n; i++) text += this.below(2);
    return `"${text}"`;
  }
  number(v: number): string {
    return v < 0 ? `(${v})` : String(v);
  }
  same(a: Type, b: Type): boolean {
    if (a.k !== b.k) return false;
    if (a.k === "vec" && b.k === "vec") return a.of === b.of && a.n === b.n;
    if (a.k === "int" && b.k === "int") return a.lo === b.lo && a.hi === b.hi;
    return true;
  }
  of(type: Type): Thing[] {
    return this.things.filter((thing) => this.same(thing.type, type));
  }
  kind<K extends Type["k"]>(k: K): (Thing & { readonly type: Type & { k: K } })[] {
    return this.things.filter((thing) => thing.type.k === k) as (Thing & { readonly type: Type & { k: K } })[];
  }

  // ---- expressions ------------------------------------------------------------------------------------------------

  expr(type: Type, depth: number): string {
    const named = this.of(type);
    if (named.length && (depth <= 0 || this.chance(0.3))) return this.pick(named).name;
    const called = this.functions.filter((each) => this.same(each.result, type));
    if (depth > 1 && called.length && this.budget < 200 && this.chance(0.25)) {
      const each = this.pick(called);
      this.budget += 12;
      return `${each.name}(${each.params.map((param) => this.expr(param, depth - 2)).join(", ")})`;
    }
    switch (type.k) {
      case "bit":
        return this.bit(depth);
      case "bool":
        return this.bool(depth);
      case "vec":
        return this.vec(type, depth);
      case "int":
        return this.fitted(type, depth);
      case "state":
        if (depth > 0 && this.chance(0.4)) return `state_t'val(${this.fitted({ k: "int", lo: 0, hi: 3 }, depth - 1)})`;
        return this.pick(states);
      case "rec":
        return depth <= 0
          ? this.named("rec", this.start(type))
          : `rec_t'(u => ${this.expr({ k: "vec", of: "unsigned", n: 5 }, depth - 1)}, s => ${this.expr({ k: "state" }, depth - 1)}, b => ${this.expr({ k: "bit" }, depth - 1)}, i => ${this.expr({ k: "int", lo: -10, hi: 20 }, depth - 1)})`;
      case "list":
        if (depth <= 0) return this.named("list", this.start(type));
        return this.chance(0.5)
          ? `list_t'(${this.below(3)} => ${this.item(depth)}, ${3 + this.below(3)} => ${this.item(depth)}, others => ${this.item(depth)})`
          : `list_t'(${Array.from({ length: listLength }, () => this.item(depth - 1)).join(", ")})`;
      case "grid":
        return this.named("grid", this.start(type));
    }
  }
  private named(mark: "rec" | "list" | "grid", aggregate: string): string {
    return `${mark}_t'(${aggregate.startsWith("(") ? aggregate.slice(1, -1) : aggregate})`;
  }
  private item(depth: number): string {
    return this.expr({ k: "vec", of: "unsigned", n: itemWidth }, depth - 1);
  }

  bit(depth: number): string {
    const vecs = this.kind("vec").filter((thing) => thing.type.n > 0);
    const simple = (): string => {
      if (vecs.length && this.chance(0.7)) {
        const v = this.pick(vecs);
        return `${v.name}(${this.below(v.type.n)})`;
      }
      return this.pick(["std_logic'('0')", "std_logic'('1')"]);
    };
    if (depth <= 0) return simple();
    switch (this.below(8)) {
      case 0: {
        if (!vecs.length) return simple();
        const v = this.pick(vecs);
        return `${v.name}(${this.fitted({ k: "int", lo: 0, hi: v.type.n - 1 }, depth - 1)})`;
      }
      case 1: {
        const recs = this.kind("rec");
        return recs.length ? `${this.pick(recs).name}.b` : simple();
      }
      case 2:
        return `(not ${this.expr({ k: "bit" }, depth - 1)})`;
      case 3: {
        const lists = this.kind("list");
        return lists.length
          ? `${this.pick(lists).name}(${this.fitted({ k: "int", lo: 0, hi: listLength - 1 }, depth - 1)})(${this.below(itemWidth)})`
          : simple();
      }
      case 4:
        return vecs.length ? `(${this.pick(["xor", "and", "or", "nand"])} ${this.pick(vecs).name})` : simple();
      default:
        return `(${this.expr({ k: "bit" }, depth - 1)} ${this.pick(["and", "or", "xor", "nand", "nor", "xnor"])} ${this.expr({ k: "bit" }, depth - 1)})`;
    }
  }
  bool(depth: number): string {
    if (depth <= 0) return `(${this.bit(0)} = '1')`;
    const order = this.pick(["=", "/=", "<", "<=", ">", ">="]);
    switch (this.below(8)) {
      case 0: {
        const n = 2 + this.below(5);
        const of = this.pick(["unsigned", "signed"] as const);
        return `(${this.expr({ k: "vec", of, n }, depth - 1)} ${order} ${this.expr({ k: "vec", of, n: 2 + this.below(5) }, depth - 1)})`;
      }
      case 1: {
        const signed = this.chance(0.5);
        const of = signed ? "signed" : "unsigned";
        return `(${this.expr({ k: "vec", of, n: 2 + this.below(5) }, depth - 1)} ${order} ${this.number(signed ? this.below(12) - 6 : this.below(12))})`;
      }
      case 2:
        return `(${this.num(depth - 1).text} ${order} ${this.num(depth - 1).text})`;
      case 3:
        return `(${this.expr({ k: "state" }, depth - 1)} ${order} ${this.pick(states)})`;
      case 4:
        return `(not ${this.expr({ k: "bool" }, depth - 1)})`;
      case 5: {
        const n = 1 + this.below(6);
        return `(${this.expr({ k: "vec", of: "slv", n }, depth - 1)} ${order} ${this.expr({ k: "vec", of: "slv", n: this.chance(0.8) ? n : n + 1 }, depth - 1)})`.replace(
          / (=|\/=) /,
          ` ${this.pick(["<", ">="])} `,
        );
      }
      case 6:
        return `(${this.expr({ k: "bit" }, depth - 1)} = '${this.below(2)}')`;
      default:
        return `(${this.expr({ k: "bool" }, depth - 1)} ${this.pick(["and", "or", "xor"])} ${this.expr({ k: "bool" }, depth - 1)})`;
    }
  }
  /** A whole number, with what it can be at least and at most. */
  num(depth: number): Num {
    const things: Num[] = this.kind("int").map(({ name, type }) => ({ text: name, lo: type.lo, hi: type.hi }));
    const leaf = (): Num => {
      if (things.length && this.chance(0.75)) return this.pick(things);
      const v = this.below(14) - 3;
      return { text: this.number(v), lo: v, hi: v };
    };
    if (depth <= 0) return leaf();
    const small = (n: Num): Num => (Math.max(-n.lo, n.hi) > 5000 ? leaf() : n);
    switch (this.below(11)) {
      case 0: {
        const n = 1 + this.below(6);
        return { text: `to_integer(${this.expr({ k: "vec", of: "unsigned", n }, depth - 1)})`, lo: 0, hi: 2 ** n - 1 };
      }
      case 1: {
        const n = 2 + this.below(5);
        return {
          text: `to_integer(${this.expr({ k: "vec", of: "signed", n }, depth - 1)})`,
          lo: -(2 ** (n - 1)),
          hi: 2 ** (n - 1) - 1,
        };
      }
      case 2:
      case 3: {
        const [a, b] = [this.num(depth - 1), this.num(depth - 1)];
        return { text: `(${a.text} + ${b.text})`, lo: a.lo + b.lo, hi: a.hi + b.hi };
      }
      case 4: {
        const [a, b] = [this.num(depth - 1), this.num(depth - 1)];
        return { text: `(${a.text} - ${b.text})`, lo: a.lo - b.hi, hi: a.hi - b.lo };
      }
      case 5: {
        const [a, b] = [small(this.num(depth - 1)), small(this.num(depth - 1))];
        const corners = [a.lo * b.lo, a.lo * b.hi, a.hi * b.lo, a.hi * b.hi];
        return { text: `(${a.text} * ${b.text})`, lo: Math.min(...corners), hi: Math.max(...corners) };
      }
      case 6: {
        const a = this.num(depth - 1);
        const d = this.pick([2, 3, 4, 5, 7, 8, -3]);
        const op = this.pick(["/", "mod", "rem"]);
        const most = Math.max(-a.lo, a.hi);
        const text = `(${a.text} ${op} ${this.number(d)})`;
        if (op === "/") return { text, lo: -most, hi: most };
        if (op === "mod") return { text, lo: Math.min(0, d + 1), hi: Math.max(0, d - 1) };
        return { text, lo: -(Math.abs(d) - 1), hi: Math.abs(d) - 1 };
      }
      case 7: {
        const a = this.num(depth - 1);
        const most = Math.max(-a.lo, a.hi, 0);
        return this.chance(0.5)
          ? { text: `(abs ${a.text})`, lo: 0, hi: most }
          : { text: `(- ${a.text})`, lo: -a.hi, hi: -a.lo };
      }
      case 8: {
        const [a, b] = [this.num(depth - 1), this.num(depth - 1)];
        const fn = this.pick(["minimum", "maximum"]);
        return { text: `${fn}(${a.text}, ${b.text})`, lo: Math.min(a.lo, b.lo), hi: Math.max(a.hi, b.hi) };
      }
      case 9: {
        const k = 1 + this.below(3);
        const e = this.fitted({ k: "int", lo: 0, hi: k }, depth - 1);
        return { text: `(2 ** ${e})`, lo: 1, hi: 2 ** k };
      }
      default: {
        const recs = this.kind("rec");
        if (!recs.length) return leaf();
        return this.chance(0.6)
          ? { text: `${this.pick(recs).name}.i`, lo: -10, hi: 20 }
          : { text: `state_t'pos(${this.pick(recs).name}.s)`, lo: 0, hi: 3 };
      }
    }
  }
  /** A whole number within limits. */
  fitted(type: Type & { k: "int" }, depth: number): string {
    const n = this.num(depth);
    const { lo, hi } = type;
    if (n.lo >= lo && n.hi <= hi) return n.text;
    const size = hi - lo + 1;
    if (Math.max(-n.lo, n.hi) > 1_000_000_000) return this.number(lo);
    return lo === 0 ? `(${n.text} mod ${size})` : `((${n.text} mod ${size}) + ${this.number(lo)})`;
  }
  vec(type: Type & { k: "vec" }, depth: number): string {
    const { of, n } = type;
    const mark = of === "slv" ? "std_logic_vector" : of;
    const own = (m: number): Type & { k: "vec" } => ({ k: "vec", of, n: m });
    const wide = this.kind("vec").filter((thing) => thing.type.of === of && thing.type.n > n);
    const leaf = (): string => {
      if (wide.length && this.chance(0.6)) {
        const v = this.pick(wide);
        const low = this.below(v.type.n - n + 1);
        return `${v.name}(${low + n - 1} downto ${low})`;
      }
      return `${mark}'(${this.bits(n)})`;
    };
    if (depth <= 0) return leaf();
    const sub = (m = n) => this.expr(own(m), depth - 1);
    switch (this.below(14)) {
      case 0: {
        if (!wide.length) return leaf();
        const v = this.pick(wide);
        // bounds that move together
        const at = this.fitted({ k: "int", lo: 0, hi: v.type.n - n }, depth - 1);
        return n === 1 ? `${v.name}(${at} downto ${at})` : `${v.name}(${at} + ${n - 1} downto ${at})`;
      }
      case 1: {
        const other = this.pick((["slv", "unsigned", "signed"] as const).filter((each) => each !== of));
        return `${mark}(${this.expr({ k: "vec", of: other, n }, depth - 1)})`;
      }
      case 2: {
        if (n < 2) return leaf();
        const m = 1 + this.below(n - 1);
        return `${mark}'(${sub(m)} & ${n - m === 1 && this.chance(0.5) ? this.expr({ k: "bit" }, depth - 1) : sub(n - m)})`;
      }
      case 3:
        return `(${sub()} ${this.pick(["and", "or", "xor", "nand", "nor", "xnor"])} ${sub()})`;
      case 4:
        return `(not ${sub()})`;
      case 5: {
        const [x, y] = [this.expr({ k: "bit" }, depth - 1), this.expr({ k: "bit" }, depth - 1)];
        if (n < 2) return leaf();
        const k = 1 + this.below(n - 1);
        return `${mark}'(${n - 1} downto ${k} => ${x}, ${k - 1} downto 0 => ${y})`;
      }
      case 6:
        if (of === "slv") return `(${this.expr({ k: "bit" }, depth - 1)} ${this.pick(["and", "or", "xor"])} ${sub()})`;
        return `(${sub()} ${this.pick(["+", "-"])} ${this.chance(0.5) ? sub() : this.number(of === "signed" ? this.below(9) - 4 : this.below(9))})`;
      case 7:
        if (of === "slv")
          return `${mark}(to_unsigned(${this.fitted({ k: "int", lo: 0, hi: 2 ** n - 1 }, depth - 1)}, ${n}))`;
        return of === "signed"
          ? `to_signed(${this.fitted({ k: "int", lo: -(2 ** (n - 1)), hi: 2 ** (n - 1) - 1 }, depth - 1)}, ${n})`
          : `to_unsigned(${this.fitted({ k: "int", lo: 0, hi: 2 ** n - 1 }, depth - 1)}, ${n})`;
      case 8: {
        const by = this.chance(0.5) ? String(this.below(n + 1)) : this.fitted({ k: "int", lo: 0, hi: 9 }, depth - 1);
        if (of === "slv") return `(${sub()} ${this.pick(["sll", "srl", "rol", "ror"])} ${by})`;
        return `${this.pick(["shift_left", "shift_right", "rotate_left", "rotate_right"])}(${sub()}, ${by})`;
      }
      case 9:
        return of === "slv" ? leaf() : `resize(${sub(1 + this.below(9))}, ${n})`;
      case 10:
        return of === "slv" ? leaf() : `resize(${sub(2 + this.below(3))} * ${sub(2 + this.below(3))}, ${n})`;
      case 11: {
        if (of === "slv") return leaf();
        const by = String(1 + this.below(2 ** (n - 1) - 1 || 1));
        return n < 3 ? leaf() : `(${sub()} ${this.pick(["/", "mod", "rem"])} ${by})`;
      }
      case 12: {
        const lists = this.kind("list");
        if (of === "unsigned" && n === itemWidth && lists.length)
          return `${this.pick(lists).name}(${this.fitted({ k: "int", lo: 0, hi: listLength - 1 }, depth - 1)})`;
        const grids = this.kind("grid");
        if (of === "slv" && n === 2 && grids.length)
          return `${this.pick(grids).name}(${this.fitted({ k: "int", lo: 1, hi: 3 }, depth - 1)}, ${this.fitted({ k: "int", lo: 0, hi: 2 }, depth - 1)})`;
        const recs = this.kind("rec");
        if (of === "unsigned" && n === 5 && recs.length) return `${this.pick(recs).name}.u`;
        return leaf();
      }
      default:
        return of === "signed" ? `(${this.pick(["abs", "-"])} ${sub()})` : leaf();
    }
  }

  // ---- statements -------------------------------------------------------------------------------------------------

  block(depth: number, count = 1 + this.below(4)): string {
    const lines: string[] = [];
    for (let i = 0; i < count; i++) lines.push(this.stmt(depth));
    return lines.join("\n");
  }

  private stmt(depth: number): string {
    this.budget++;
    if (depth <= 0 || this.budget > 120) return this.assign(1);
    switch (this.below(13)) {
      case 0:
      case 1:
        return `if ${this.bool(2)} then\n${this.block(depth - 1)}\n${this.chance(0.4) ? `elsif ${this.bool(2)} then\n${this.block(depth - 1)}\n` : ""}${this.chance(0.5) ? `else\n${this.block(depth - 1)}\n` : ""}end if;`;
      case 2: {
        const n = 2;
        const values = ["00", "01", "10", "11"].slice(0, 1 + this.below(3));
        const open = values.length < 4 ? `when others => ${this.chance(0.3) ? "null;" : this.block(depth - 1)}\n` : "";
        return `case ${this.chance(0.5) ? `std_logic_vector'(${this.expr({ k: "vec", of: "slv", n }, 1)})` : `unsigned'(${this.expr({ k: "vec", of: "unsigned", n }, 1)})`} is\n${values.map((each) => `when "${each}" => ${this.block(depth - 1, 1)}\n`).join("")}${open}end case;`;
      }
      case 3: {
        const things = this.kind("state");
        if (!things.length) return this.assign(2);
        const used = states.filter(() => this.chance(0.6));
        return `case ${this.pick(things).name} is\n${used.map((each) => `when ${each} => ${this.block(depth - 1, 1)}\n`).join("")}${used.length < states.length ? "when others => null;\n" : ""}end case;`;
      }
      case 4: {
        const things = this.kind("int");
        if (!things.length) return this.assign(2);
        const at = this.pick(things);
        const middle = at.type.lo + this.below(at.type.hi - at.type.lo + 1);
        return `case ${at.name} is\nwhen ${at.type.lo} to ${middle} => ${this.block(depth - 1)}\nwhen others => ${this.block(depth - 1, 1)}\nend case;`;
      }
      case 5:
      case 6:
        return this.forLoop(depth);
      case 7:
        return this.whileLoop(depth);
      case 8: {
        if (!this.inLoop.length) return this.assign(2);
        const label = this.pick(this.inLoop);
        const named = this.chance(0.5) || label !== this.inLoop[this.inLoop.length - 1] ? ` ${label}` : "";
        return `${this.pick(["exit", "next"])}${named} when ${this.bool(1)};`;
      }
      case 9: {
        if (!this.returns) return this.assign(2);
        return `if ${this.bool(1)} then return ${this.result()}; end if;`;
      }
      case 10: {
        const call = this.procedureCall();
        return call ?? this.assign(2);
      }
      case 11: {
        const bits = this.kind("bit").filter((thing) => thing.write === ":=");
        if (bits.length < 2) return this.assign(2);
        const [a, b] = bits;
        return `(${a.name}, ${b.name}) := std_logic_vector'(${this.expr({ k: "vec", of: "slv", n: 2 }, 2)});`;
      }
      default:
        return this.assign(3);
    }
  }
  private result(): string {
    return this.expr(this.returns!, 2);
  }
  private forLoop(depth: number): string {
    const label = this.fresh("l");
    const i = this.fresh("i");
    const lo = this.pick([0, 0, 1, -2]);
    const hi = lo + this.below(5);
    const down = this.chance(0.3);
    const outer = this.things;
    this.things = [...outer, { name: i, type: { k: "int", lo, hi }, write: null }];
    this.inLoop.push(label);
    const before = this.budget;
    const body = this.block(depth - 1);
    this.budget += (this.budget - before) * 2;
    this.inLoop.pop();
    this.things = outer;
    return `${label} : for ${i} in ${down ? `${hi} downto ${lo}` : `${lo} to ${hi}`} loop\n${body}\nend loop;`;
  }
  private whileLoop(depth: number): string {
    // a counter that nothing else assigns: the end is certain
    const counters = this.kind("int").filter((thing) => thing.name.startsWith("count") && thing.write);
    if (!counters.length) return this.assign(2);
    const count = this.pick(counters);
    const outer = this.things;
    const inside = this.inLoop;
    this.things = outer
      .map((thing) => (thing === count ? { ...thing, write: null } : thing))
      .filter((thing) => !thing.name.startsWith("count") || thing.name === count.name);
    this.inLoop = [];
    const step = 1 + this.below(3);
    const before = this.budget;
    const body = this.block(depth - 1, 1 + this.below(2));
    this.budget += (this.budget - before) * 3;
    this.things = outer;
    this.inLoop = inside;
    const wide = this.things.filter((thing) => thing.type.k === "vec" && thing.write === ":=" && thing.type.n >= 8);
    const slice =
      wide.length && step <= 2
        ? `${this.pick(wide).name}(${count.name} + 1 downto ${count.name}) := ${this.bits(2)};\n`
        : "";
    const limit = slice ? 6 : 9;
    return this.chance(0.5)
      ? `${count.name} := 0;\nwhile ${count.name} < ${limit} loop\n${slice}${body}\n${count.name} := ${count.name} + ${step};\nend loop;`
      : `${count.name} := 0;\nloop\nexit when ${count.name} >= ${limit};\n${slice}${count.name} := ${count.name} + ${step};\n${body}\nend loop;`;
  }
  private procedureCall(): string | null {
    if (!this.procedures.length || this.budget > 80) return null;
    const each = this.pick(this.procedures);
    const used = new Set<string>();
    const args = each.params.map(({ type, mode }) => {
      if (mode === "in") return this.expr(type, 1);
      const targets = this.of(type).filter((thing) => thing.write === ":=" && !used.has(thing.name));
      if (!targets.length) return null;
      const { name } = this.pick(targets);
      used.add(name);
      return name;
    });
    if (args.includes(null)) return null;
    this.budget += 10;
    return `${each.name}(${args.join(", ")});`;
  }

  /** An assignment of a thing, or of a part of it. */
  private assign(depth: number): string {
    const targets = this.things.filter((thing) => thing.write && !thing.name.startsWith("count"));
    if (!targets.length) return "null;";
    const { name, type, write } = this.pick(targets);
    if (type.k === "vec" && this.chance(0.5)) {
      const m = 1 + this.below(type.n);
      switch (this.below(4)) {
        case 0:
          return `${name}(${this.below(type.n)}) ${write} ${this.expr({ k: "bit" }, depth)};`;
        case 1:
          return `${name}(${this.fitted({ k: "int", lo: 0, hi: type.n - 1 }, 1)}) ${write} ${this.expr({ k: "bit" }, depth)};`;
        case 2: {
          const low = this.below(type.n - m + 1);
          return `${name}(${low + m - 1} downto ${low}) ${write} ${this.expr({ ...type, n: m }, depth)};`;
        }
        default: {
          // the run knows no slices of signals with computed bounds in some places: variables only
          if (write === "<=") return `${name} <= ${this.expr(type, depth)};`;
          const ints = this.kind("int").filter((thing) => thing.type.lo >= 0 && thing.type.hi + m <= type.n);
          if (!ints.length) return `${name} := ${this.expr(type, depth)};`;
          const at = this.pick(ints).name;
          return `${name}(${at} + ${m - 1} downto ${at}) := ${this.expr({ ...type, n: m }, depth)};`;
        }
      }
    }
    if (type.k === "list" && this.chance(0.7)) {
      const index = this.chance(0.6)
        ? this.fitted({ k: "int", lo: 0, hi: listLength - 1 }, 1)
        : String(this.below(listLength));
      if (this.chance(0.3))
        return `${name}(${index})(${this.below(itemWidth)}) ${write} ${this.expr({ k: "bit" }, depth)};`;
      return `${name}(${index}) ${write} ${this.expr({ k: "vec", of: "unsigned", n: itemWidth }, depth)};`;
    }
    if (type.k === "grid" && this.chance(0.8))
      return `${name}(${this.fitted({ k: "int", lo: 1, hi: 3 }, 1)}, ${this.fitted({ k: "int", lo: 0, hi: 2 }, 1)}) ${write} ${this.expr({ k: "vec", of: "slv", n: 2 }, depth)};`;
    if (type.k === "rec" && this.chance(0.7)) {
      switch (this.below(4)) {
        case 0:
          return `${name}.u ${write} ${this.expr({ k: "vec", of: "unsigned", n: 5 }, depth)};`;
        case 1:
          return `${name}.b ${write} ${this.expr({ k: "bit" }, depth)};`;
        case 2:
          return `${name}.s ${write} ${this.expr({ k: "state" }, depth)};`;
        default:
          return `${name}.i ${write} ${this.expr({ k: "int", lo: -10, hi: 20 }, depth)};`;
      }
    }
    if (this.chance(0.12) && write === ":=")
      return `${name} := ${this.expr(type, depth)} when ${this.bool(1)} else ${this.expr(type, depth)};`;
    return `${name} ${write} ${this.expr(type, depth)};`;
  }

  // ---- subprograms ------------------------------------------------------------------------------------------------

  /** A function, and what calls it from now on. `nested`: one within it, which reads what it has. */
  makeFunction(depth: number, nested = false, impure = false): string {
    const name = this.fresh("f");
    const params = Array.from({ length: 1 + this.below(2) }, () => this.type());
    const result = this.type();
    const outer = { things: this.things, returns: this.returns, inLoop: this.inLoop, budget: this.budget };
    const count = this.functions.length;
    this.budget = 40;
    const names = params.map(() => this.fresh("p"));
    // an array without bounds may come with any: an alias counts it down
    const inside = params.map((type, i) => (type.k === "vec" ? `${names[i]}a` : names[i]));
    const seen = impure
      ? outer.things.filter((thing) => thing.write !== "<=").map((thing) => ({ ...thing, write: null }))
      : outer.things.filter((thing) => thing.write === null && !/^[ps]\d/.test(thing.name));
    this.things = [...seen, ...params.map((type, i): Thing => ({ name: inside[i], type, write: null }))];
    this.returns = result;
    this.inLoop = [];
    let decls = params
      .map((type, i) =>
        type.k === "vec"
          ? `alias ${inside[i]} : ${this.openMark(type)}(${names[i]}'length - 1 downto 0) is ${names[i]};\n`
          : "",
      )
      .join("");
    if (nested && this.chance(0.6)) {
      const k = this.fresh("k");
      const value = this.expr({ k: "int", lo: 0, hi: 9 }, 1);
      decls += `constant ${k} : integer range 0 to 9 := ${value};\n`;
      this.things.push({ name: k, type: { k: "int", lo: 0, hi: 9 }, write: null });
      decls += this.makeFunction(depth - 1, false);
    }
    decls += this.variables(2, true);
    const body = this.block(depth);
    const last = `return ${this.result()};`;
    this.functions.length = count;
    Object.assign(this, outer);
    this.functions.push({ name, params, result });
    return `${impure ? "impure " : ""}function ${name}(${params.map((type, i) => `${names[i]} : ${this.openMark(type)}`).join("; ")}) return ${this.openMark(result)} is\n${decls}begin\n${body}\n${last}\nend function;\n`;
  }
  makeProcedure(depth: number): string {
    const name = this.fresh("pr");
    const params = Array.from({ length: 2 }, (_, i) => ({
      type: this.type(),
      mode: i === 0 ? "inout" : this.pick(["in", "out", "inout"]),
    }));
    const outer = { things: this.things, returns: this.returns, inLoop: this.inLoop, budget: this.budget };
    this.budget = 40;
    const names = params.map(() => this.fresh("p"));
    this.things = [
      ...outer.things.filter((thing) => thing.write === null && !/^[ps]\d/.test(thing.name)),
      ...params.map(({ type, mode }, i): Thing => ({ name: names[i], type, write: mode === "in" ? null : ":=" })),
    ];
    this.returns = null;
    this.inLoop = [];
    // what only goes out is given a value first
    const first = params
      .map(({ type, mode }, i) => (mode === "out" ? `${names[i]} := ${this.expr(type, 1)};\n` : ""))
      .join("");
    const decls = this.variables(1, true);
    const body = this.block(depth);
    Object.assign(this, outer);
    this.procedures.push({ name, params });
    return `procedure ${name}(${params.map(({ type, mode }, i) => `${mode === "in" ? "" : "variable "}${names[i]} : ${mode} ${this.mark(type)}`).join("; ")}) is\n${decls}begin\n${first}${body}\nend procedure;\n`.replace(
      /: (in|inout|out) integer range (-?\d+) to (-?\d+)/g,
      ": $1 integer",
    );
  }
  /** Variables, some of them with a value to begin with. */
  variables(count: number, always: boolean): string {
    let text = "";
    for (let i = 0; i < count; i++) {
      const type = this.type();
      const name = this.fresh("v");
      const start = always || this.chance(0.8) ? ` := ${this.start(type)}` : "";
      text += `variable ${name} : ${this.mark(type)}${start};\n`;
      this.things.push({ name, type, write: ":=" });
    }
    return text;
  }
  counters(count: number): string {
    let text = "";
    for (let i = 0; i < count; i++) {
      const name = this.fresh("count");
      const type: Type = { k: "int", lo: 0, hi: 15 };
      text += `variable ${name} : integer range 0 to 15 := 0;\n`;
      this.things.push({ name, type, write: ":=" });
    }
    return text;
  }
  restart(): void {
    this.budget = 0;
  }
}

/** Bits of a thing as std_logic_vector, for an output. */
function asBits({ name, type }: Thing): { text: string; width: number } {
  switch (type.k) {
    case "bit":
      return { text: `(0 => ${name})`, width: 1 };
    case "bool":
      return { text: `(0 => to_bit(${name}))`, width: 1 };
    case "vec":
      return { text: `std_logic_vector(${name})`, width: type.n };
    case "int":
      return { text: `std_logic_vector(to_signed(${name}, 8))`, width: 8 };
    case "state":
      return { text: `std_logic_vector(to_unsigned(state_t'pos(${name}), 2))`, width: 2 };
    case "rec":
      return {
        text: `(std_logic_vector(${name}.u) & ${name}.b & std_logic_vector(to_signed(${name}.i, 6)))`,
        width: 12,
      };
    case "list":
      return {
        text: `std_logic_vector(${Array.from({ length: listLength }, (_, i) => `${name}(${i})`).join(" & ")})`,
        width: listLength * itemWidth,
      };
    case "grid":
      return { text: `(${name}(1, 0) & ${name}(2, 1) & ${name}(3, 2) & ${name}(1, 2))`, width: 8 };
  }
}

/** An entity `dut` with random contents. Even seeds have a clock. */
export function randomVhdl(seed: number): RandomDesign {
  const random = new Random(seed * 7919 + 13);
  const w = new Writer(random);
  const clocked = seed % 2 === 0;
  const inputs: PortSpec[] = [
    ...(clocked ? [{ name: "rst", width: 0 }] : []),
    { name: "x0", width: 4 + w.below(6) },
    { name: "x1", width: 3 + w.below(4) },
    { name: "x2", width: 0 },
  ];
  const inputThings: Thing[] = inputs.map(({ name, width }) => ({
    name,
    type: width === 0 ? { k: "bit" } : { k: "vec", of: "slv", n: width },
    write: null,
  }));
  const constants = w.chance(0.7) ? [w.type(), w.type()] : [];
  const constantThings = constants.map((type): Thing => ({ name: w.fresh("c"), type, write: null }));
  w.things = [...constantThings];
  const inPackage = w.makeFunction(2, true);
  const packaged = `${randomHead}package pk is\n${sharedTypes}${constantThings.map((thing, i) => `constant ${thing.name} : ${w.mark(constants[i])} := ${w.start(constants[i])};\n`).join("")}${inPackage.split(" is\n")[0]};\nfunction to_bit(v : boolean) return std_logic;\nend package;\npackage body pk is\n${inPackage}function to_bit(v : boolean) return std_logic is begin if v then return '1'; end if; return '0'; end;\nend package body;\n`;

  // an instance with a generic, whose subprograms read it
  const leaf = new Writer(random);
  const gType: Type = { k: "int", lo: 1, hi: 3 };
  const leafIn: Thing = { name: "xi", type: { k: "vec", of: "slv", n: 4 }, write: null };
  leaf.things = [{ name: "g", type: gType, write: null }, ...constantThings];
  const leafFunction = leaf.makeFunction(2, true);
  leaf.things = [leafIn, { name: "g", type: gType, write: null }, ...constantThings];
  const leafVariables = leaf.variables(3, true);
  const leafOut: Thing = { name: "yo", type: { k: "vec", of: "slv", n: 4 }, write: "<=" };
  leaf.restart();
  const leafBody = leaf.block(2, 3);
  const leafText = `use work.pk.all;\n${randomHead}entity part is generic (g : integer range 1 to 3); port (xi : in std_logic_vector(3 downto 0); yo : out std_logic_vector(3 downto 0)); end entity;\narchitecture rtl of part is\n${leafFunction}begin\nprocess (all)\n${leafVariables}begin\n${leaf.things
    .filter((thing) => thing.write === ":=")
    .map((thing) => `${thing.name} := ${leaf.start(thing.type)};\n`)
    .join("")}${leafBody}\n${leafOut.name} <= ${leaf.expr(leafOut.type, 2)};\nend process;\nend architecture;\n`;

  // signals, each assigned by one process
  const signals = Array.from({ length: 3 }, (): Thing => ({ name: w.fresh("s"), type: w.type(), write: null }));
  const parts = Array.from(
    { length: 2 },
    (_, i): Thing => ({ name: `part${i}`, type: { k: "vec", of: "slv", n: 4 }, write: null }),
  );
  w.things = [...constantThings];
  let decls = signals
    .map((thing) => `signal ${thing.name} : ${w.mark(thing.type)} := ${w.start(thing.type)};\n`)
    .join("");
  decls += parts.map((thing) => `signal ${thing.name} : ${w.mark(thing.type)};\n`).join("");
  decls += w.makeFunction(2, w.chance(0.5));
  decls += w.makeProcedure(2);
  let body = parts
    .map(
      (thing, i) =>
        `u${i} : entity work.part generic map (g => ${1 + ((i + w.below(2)) % 3)}) port map (xi => std_logic_vector(resize(unsigned(x${i}), 4)), yo => ${thing.name});\n`,
    )
    .join("");
  // logic may not go round in circles: processes read what stands before them
  const readable: Thing[] = [...inputThings.filter((thing) => thing.name !== "rst"), ...constantThings, ...parts];
  signals.forEach((signal, i) => {
    const isRegister = clocked && i < 2;
    w.things = [
      ...readable,
      ...(clocked ? signals.slice(0, 2).filter((each) => !readable.includes(each)) : []),
      { ...signal, write: "<=" as const },
    ]
      // of a combinational process, the own signal would be read before it is assigned
      .map((thing) => thing);
    const known = w.things.filter((thing) => isRegister || thing.name !== signal.name);
    w.things = [...known];
    const count = w.functions.length;
    const procedures = w.procedures.length;
    let own = w.counters(1) + w.variables(3, true);
    const variables = w.things.filter((thing) => thing.write === ":=");
    if (w.chance(0.5)) own += w.makeFunction(1, false, true).replace(/^/, "");
    w.things = [
      ...w.things.filter((thing) => thing.name !== signal.name),
      ...(isRegister ? [{ ...signal, write: "<=" as const }] : []),
    ];
    w.restart();
    const inner = w.block(3, 3 + w.below(3));
    const first = variables.map((thing) => `${thing.name} := ${w.start(thing.type)};\n`).join("");
    const value = `${signal.name} <= ${w.expr(signal.type, 2)};`;
    w.functions.length = count;
    w.procedures.length = procedures;
    if (isRegister) {
      const reset = `${signal.name} <= ${w.start(signal.type)};\n${variables.map((thing) => `${thing.name} := ${w.start(thing.type)};\n`).join("")}`;
      switch (w.below(4)) {
        case 0:
          body += `process (clk)\n${own}begin\nif rising_edge(clk) then\nif rst = '1' then\n${reset}else\n${inner}\n${value}\nend if;\nend if;\nend process;\n`;
          break;
        case 1:
          body += `process (clk, rst)\n${own}begin\nif rst = '1' then\n${reset}elsif rising_edge(clk) then\n${inner}\n${w.chance(0.5) ? value : ""}\nend if;\nend process;\n`;
          break;
        case 2:
          body += `process\n${own}begin\nwait until rising_edge(clk);\n${inner}\n${value}\nend process;\n`;
          break;
        default:
          body += `process (clk)\n${own}begin\nif clk'event and clk = '1' and x2 = '1' then\n${inner}\n${value}\nend if;\nend process;\n`;
      }
    } else body += `process (all)\n${own}begin\n${first}${inner}\n${value}\nend process;\n`;
    if (!readable.some((thing) => thing.name === signal.name)) readable.push(signal);
  });
  const shown = [...signals, ...parts].map(asBits);
  const outputs: PortSpec[] = shown.map(({ width }, i) => ({ name: `y${i}`, width }));
  body += shown.map(({ text }, i) => `y${i} <= ${text};\n`).join("");
  const ports = [
    ...(clocked ? ["clk : in std_logic"] : []),
    ...[...inputs.map((port) => ({ ...port, mode: "in" })), ...outputs.map((port) => ({ ...port, mode: "out" }))].map(
      (port) =>
        `${port.name} : ${port.mode} ${port.width === 0 ? "std_logic" : `std_logic_vector(${port.width - 1} downto 0)`}`,
    ),
  ];
  const text = `${packaged}${leafText}use work.pk.all;\n${randomHead}entity dut is port (${ports.join("; ")}); end entity;\narchitecture rtl of dut is\n${decls}begin\n${body}end architecture;\n`;
  return {
    text,
    spec: { entity: "dut", inputs, outputs, ...(clocked ? { clock: "clk", reset: "rst" } : {}), cycles: 24, seed },
  };
}

/** A test bench `t` that reports random values as constants, then the same expressions as they run. */
export function vhdlConstantsBothWays(seed: number): { readonly text: string; readonly count: number } {
  const random = new Random(seed * 4447 + 29);
  const w = new Writer(random);
  const constants = Array.from({ length: 4 }, (): Thing => ({ name: w.fresh("c"), type: w.type(), write: null }));
  const starts = constants.map((thing) => w.start(thing.type));
  w.things = [...constants];
  let decls = constants.map((thing, i) => `constant ${thing.name} : ${w.mark(thing.type)} := ${starts[i]};\n`).join("");
  decls += w.makeFunction(2, true);
  decls += w.makeFunction(3, w.chance(0.5));
  const values = Array.from({ length: 5 }, (): Thing & { text: string } => {
    const type = w.type();
    return { name: w.fresh("k"), type, write: null, text: w.expr(type, 4) };
  });
  const known = values.map((value) => `constant ${value.name} : ${w.mark(value.type)} := ${value.text};\n`).join("");
  // when it runs, the constants are variables of the same names
  const variables = constants
    .map((thing, i) => `variable ${thing.name} : ${w.mark(thing.type)} := ${starts[i]};\n`)
    .join("");
  const report = (thing: Thing) =>
    `report to_string(${asBits(thing).text.replace(/^\(0 => (.*)\)$/, "std_logic_vector'(0 => $1)")});\n`;
  const text = `${randomHead}entity t is end entity;\narchitecture a of t is\n${sharedTypes}function to_bit(v : boolean) return std_logic is begin if v then return '1'; end if; return '0'; end;\n${decls}${known}begin\nprocess\n${variables}${values.map((value) => `variable w${value.name} : ${w.mark(value.type)};\n`).join("")}begin\n${values.map(report).join("")}${values.map((value) => `w${value.name} := ${value.text};\n${report({ ...value, name: `w${value.name}` })}`).join("")}wait;\nend process;\nend architecture;\n`;
  return { text, count: values.length };
}
