import { Random } from "../../src/common/random.ts";
import type { DutSpec, PortSpec } from "./circuit-compare.ts";
import { randomExpr, type Variable } from "./random-verilog.ts";

/**
 * Random SystemVerilog modules as people write them: variables, nested branches, loops with break and continue,
 * functions and tasks in every kind of place, instances with other parameters, packed structs, enumerations, arrays,
 * part-selects, packages. Every variable is given a value before anything else, so that nothing is x but what an index
 * outside of its array gives.
 */
interface Place extends Variable {
  /** Statement that assigns it: `=` or `<=`. */
  readonly write: "=" | "<=" | null;
}

class Writer {
  places: Place[] = [];
  readonly arrays: { readonly name: string; readonly width: number; readonly size: number; readonly write: boolean }[] =
    [];
  functions: { readonly name: string; readonly args: number }[] = [];
  tasks: { readonly name: string; readonly outs: number[] }[] = [];
  private budget = 0;
  private loops = 0;
  private returns = false;

  constructor(
    readonly random: Random,
    private names = 0,
  ) {}
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
  restart(): void {
    this.budget = 0;
    this.loops = 0;
  }

  /** An expression that is never x: one that is would be told apart by the conditions that it comes to. */
  private plain(depth: number): string {
    for (;;) {
      const { text } = randomExpr(this.random, this.places, depth);
      if (!/[/%]/.test(text)) return text.replaceAll("===", "==").replaceAll("!==", "!=");
    }
  }
  expr(depth: number): string {
    const text = this.plain(depth);
    if (this.functions.length && this.budget < 90 && this.chance(0.15)) {
      const each = this.pick(this.functions);
      this.budget += 8;
      return `(${text} ${this.pick(["+", "^", "-"])} ${each.name}(${Array.from({ length: each.args }, () => this.plain(1)).join(", ")}))`;
    }
    if (this.arrays.length && this.chance(0.15)) {
      const each = this.pick(this.arrays);
      return `(${text} ^ ${each.name}[${this.index(each.size)}])`;
    }
    return text;
  }
  /** An index that is never outside. */
  index(size: number): string {
    return this.chance(0.4) ? String(this.below(size)) : `$unsigned(${this.plain(1)}) % ${size}`;
  }
  test(): string {
    const text = this.plain(2);
    return this.chance(0.5) ? text : `(${text}) ${this.pick(["==", "<", ">", "!=", ">="])} ${this.below(9)}`;
  }

  block(depth: number, count = 1 + this.below(4)): string {
    const lines: string[] = [];
    for (let i = 0; i < count; i++) lines.push(this.stmt(depth));
    return lines.join("\n");
  }
  private stmt(depth: number): string {
    this.budget++;
    if (depth <= 0 || this.budget > 70) return this.assign(1);
    switch (this.below(12)) {
      case 0:
      case 1:
        return `if (${this.test()}) begin\n${this.block(depth - 1)}\nend${this.chance(0.5) ? ` else begin\n${this.block(depth - 1)}\nend` : ""}`;
      case 2: {
        const labels = [0, 1, 2, 3, 5].filter(() => this.chance(0.5));
        return `case (${this.expr(1)})\n${labels.map((label) => `${label}: begin ${this.block(depth - 1, 1)} end\n`).join("")}default: begin ${this.chance(0.3) ? "" : this.block(depth - 1, 1)} end\nendcase`;
      }
      case 3:
      case 4: {
        const i = this.fresh("i");
        const size = 1 + this.below(4);
        const outer = this.places;
        this.places = [...outer, { name: i, width: 32, signed: true, write: null }];
        const before = this.budget;
        this.loops++;
        const body = this.block(depth - 1);
        this.loops--;
        this.budget += (this.budget - before) * 2;
        this.places = outer;
        const down = this.chance(0.3);
        return down
          ? `for (int ${i} = ${size}; ${i} > 0; ${i}--) begin\n${body}\nend`
          : `for (int ${i} = 0; ${i} < ${size}; ${i} = ${i} + 1) begin\n${body}\nend`;
      }
      case 5: {
        const counters = this.places.filter((each) => each.name.startsWith("n") && each.write);
        if (!counters.length) return this.assign(2);
        const count = this.pick(counters);
        const outer = this.places;
        this.places = outer
          .filter((each) => !each.name.startsWith("n") || each === count)
          .map((each) => (each === count ? { ...each, write: null } : each));
        const before = this.budget;
        this.loops++;
        const body = this.block(depth - 1, 1 + this.below(2)).replaceAll("continue;", ";");
        this.loops--;
        this.budget += (this.budget - before) * 3;
        this.places = outer;
        const step = 1 + this.below(3);
        return this.chance(0.5)
          ? `${count.name} = 0;\nwhile (${count.name} < 6) begin\n${body}\n${count.name} = ${count.name} + ${step};\nend`
          : `${count.name} = 0;\nforever begin\nif (${count.name} >= 5) break;\n${count.name} = ${count.name} + ${step};\n${body}\nend`;
      }
      case 6:
        return this.loops > 0 ? `if (${this.test()}) ${this.pick(["break", "continue"])};` : this.assign(2);
      case 7:
        return this.returns ? `if (${this.test()}) return ${this.expr(2)};` : this.assign(2);
      case 8: {
        const each = this.tasks.length && this.budget < 50 ? this.pick(this.tasks) : null;
        const targets = this.places.filter((place) => place.write === "=" && !place.name.startsWith("n"));
        if (!each || targets.length < each.outs.length) return this.assign(2);
        this.budget += 8;
        const used = new Set<string>();
        const outs = each.outs.map(() => {
          const open = targets.filter((place) => !used.has(place.name));
          const { name } = this.pick(open);
          used.add(name);
          return name;
        });
        return `${each.name}(${this.expr(1)}, ${outs.join(", ")});`;
      }
      default:
        return this.assign(3);
    }
  }
  private assign(depth: number): string {
    if (this.arrays.some((each) => each.write) && this.chance(0.15)) {
      const each = this.pick(this.arrays.filter((array) => array.write));
      return `${each.name}[${this.index(each.size)}] = ${this.expr(depth)};`;
    }
    const targets = this.places.filter((place) => place.write && !place.name.startsWith("n"));
    if (!targets.length) return ";";
    const { name, width, write } = this.pick(targets);
    const plain = !name.includes(".");
    if (width > 1 && plain && this.chance(0.4)) {
      const m = 1 + this.below(width);
      switch (this.below(3)) {
        case 0:
          return `${name}[${this.index(width)}] ${write} ${this.expr(depth)};`;
        case 1: {
          const low = this.below(width - m + 1);
          return `${name}[${low + m - 1}:${low}] ${write} ${this.expr(depth)};`;
        }
        default:
          return `${name}[${this.index(width - m + 1)} +: ${m}] ${write} ${this.expr(depth)};`;
      }
    }
    if (write === "=" && plain && this.chance(0.15))
      return `${name} ${this.pick(["+=", "^=", "-=", "|="])} ${this.expr(depth)};`;
    return `${name} ${write} ${this.expr(depth)};`;
  }

  variables(count: number): { decls: string; starts: string } {
    let decls = "";
    let starts = "";
    for (let i = 0; i < count; i++) {
      const name = this.fresh("v");
      const width = 1 + this.below(9);
      const signed = this.chance(0.4);
      decls += `logic ${signed ? "signed " : ""}[${width - 1}:0] ${name};\n`;
      starts += `${name} = ${this.below(2 ** Math.min(width, 8))};\n`;
      this.places.push({ name, width, signed, write: "=" });
    }
    const n = this.fresh("n");
    decls += `int ${n};\n`;
    starts += `${n} = 0;\n`;
    this.places.push({ name: n, width: 32, signed: true, write: "=" });
    if (this.chance(0.5)) {
      const name = this.fresh("a");
      const width = 1 + this.below(6);
      const size = 2 + this.below(5);
      decls += `logic [${width - 1}:0] ${name} [0:${size - 1}];\n`;
      starts += `for (int k = 0; k < ${size}; k++) ${name}[k] = k * 3 + 1;\n`;
      this.arrays.push({ name, width, size, write: true });
    }
    if (this.chance(0.5)) {
      const name = this.fresh("t");
      decls += `pair_t ${name};\n`;
      starts += `${name} = '{a: 5, b: 2};\n`;
      this.places.push(
        { name: `${name}.a`, width: 4, signed: false, write: "=" },
        { name: `${name}.b`, width: 3, signed: false, write: "=" },
      );
    }
    return { decls, starts };
  }
  /** Everything that is declared from now on is forgotten afterwards. */
  private closed<T>(run: () => T): T {
    const { places, budget, loops, returns } = this;
    const arrays = this.arrays.length;
    this.loops = 0;
    this.budget = 40;
    try {
      return run();
    } finally {
      Object.assign(this, { places, budget, loops, returns });
      this.arrays.length = arrays;
    }
  }
  makeFunction(depth: number): string {
    const name = this.fresh("f");
    const args = 1 + this.below(2);
    const text = this.closed(() => {
      const inputs = Array.from(
        { length: args },
        (): Place => ({ name: this.fresh("p"), width: 1 + this.below(8), signed: this.chance(0.4), write: null }),
      );
      this.places = [...this.places.filter((place) => place.write === null && !place.name.startsWith("r")), ...inputs];
      this.returns = true;
      const width = 1 + this.below(9);
      const { decls, starts } = this.variables(2);
      const body = this.block(depth);
      return `function automatic logic ${this.chance(0.3) ? "signed " : ""}[${width - 1}:0] ${name}(${inputs.map((each) => `input logic ${each.signed ? "signed " : ""}[${each.width - 1}:0] ${each.name}`).join(", ")});\n${decls}${starts}${body}\nreturn ${this.expr(2)};\nendfunction\n`;
    });
    this.functions.push({ name, args });
    return text;
  }
  makeTask(depth: number): string {
    const name = this.fresh("g");
    const outs = [1 + this.below(6), 1 + this.below(6)];
    const text = this.closed(() => {
      const input: Place = { name: this.fresh("p"), width: 1 + this.below(8), signed: false, write: null };
      const places = outs.map((width, i): Place => ({ name: `${name}o${i}`, width, signed: false, write: "=" }));
      // a block that calls it does not hear what it reads around it
      this.places = [...this.places.filter((place) => place.name === "K"), input, ...places];
      this.returns = false;
      const { decls, starts } = this.variables(1);
      const body = this.block(depth);
      return `task automatic ${name}(input logic [${input.width - 1}:0] ${input.name}, output logic [${outs[0] - 1}:0] ${places[0].name}, inout logic [${outs[1] - 1}:0] ${places[1].name});\n${decls}${starts}${places[0].name} = ${this.below(4)};\n${body}\nendtask\n`;
    });
    this.tasks.push({ name, outs });
    return text;
  }
}

/** A module `dut` with random contents. Even seeds have a clock. */
export function randomModules(seed: number): { readonly text: string; readonly spec: DutSpec } {
  const random = new Random(seed * 6007 + 5);
  const w = new Writer(random);
  const clocked = seed % 2 === 0;
  const inputs: PortSpec[] = [
    ...(clocked ? [{ name: "rst", width: 0 }] : []),
    { name: "x0", width: 2 + w.below(8) },
    { name: "x1", width: 1 + w.below(6) },
    { name: "x2", width: 0 },
  ];
  const inputPlaces: Place[] = inputs
    .filter((port) => port.name !== "rst")
    .map(({ name, width }) => ({ name, width: Math.max(1, width), signed: false, write: null }))
    // a single bit takes no select
    .map((place) => place);
  w.places = [{ name: "K", width: 5, signed: true, write: null }];
  const packaged = `package pk;\ntypedef struct packed { logic [3:0] a; logic [2:0] b; } pair_t;\nlocalparam logic signed [4:0] K = ${w.below(31) - 15};\n${w.makeFunction(2)}endpackage\n`;
  const inPackage = [...w.functions];

  // names of its own: those of the package stay visible
  const leaf = new Writer(random, 100);
  leaf.functions = [...inPackage];
  leaf.places = [
    { name: "P", width: 6, signed: true, write: null },
    { name: "K", width: 5, signed: true, write: null },
  ];
  const leafFunction = leaf.makeFunction(2);
  leaf.places.push({ name: "xi", width: 5, signed: false, write: null });
  const own = leaf.variables(2);
  leaf.restart();
  const leafBody = leaf.block(2, 3);
  const leafText = `module part import pk::*; #(parameter signed [5:0] P = 1) (input [4:0] xi, output logic [4:0] yo);\n${leafFunction}always_comb begin : body\n${own.decls}${own.starts}${leafBody}\nyo = ${leaf.expr(2)};\nend\nendmodule\n`;

  const parts = [0, 1].map((i): Place => ({ name: `part${i}`, width: 5, signed: false, write: null }));
  const registers = [0, 1, 2].map(
    (i): Place => ({ name: `r${i}`, width: 1 + w.below(8), signed: w.chance(0.3), write: null }),
  );
  let body = registers
    .map(
      (r) =>
        `logic ${r.signed ? "signed " : ""}[${r.width - 1}:0] ${r.name}${clocked ? ` = ${w.below(2 ** Math.min(6, r.width))}` : ""};\n`,
    )
    .join("");
  body += parts
    .map(
      (part, i) =>
        `wire [4:0] ${part.name};\npart #(.P(${w.below(30) - 15})) u${i}(.xi(5'(x${i})), .yo(${part.name}));\n`,
    )
    .join("");
  w.places = [...inputPlaces, { name: "K", width: 5, signed: true, write: null }];
  w.functions = [...inPackage];
  body += w.makeFunction(2);
  body += w.makeTask(2);
  if (w.chance(0.5))
    body += `wire [3:0] gen;\ngenerate for (genvar i = 0; i < 4; i++) begin : lane\nfunction automatic logic pick(input [7:0] v); return v[(i * 3 + K) & 7]; endfunction\nassign gen[i] = pick({x0, 3'(i)});\nend endgenerate\n`;
  else body += `wire [3:0] gen = ~x0;\n`;
  const gen: Place = { name: "gen", width: 4, signed: false, write: null };
  const readable: Place[] = [...inputPlaces, { name: "K", width: 5, signed: true, write: null }, ...parts, gen];
  const shared = { functions: [...w.functions], tasks: [...w.tasks] };
  registers.forEach((r, i) => {
    const isRegister = clocked && i < 2;
    w.functions = [...shared.functions];
    w.tasks = [...shared.tasks];
    w.places = [...readable, ...(clocked ? registers.slice(0, 2) : []).filter((each) => !readable.includes(each))];
    if (isRegister) w.places = w.places.filter((each) => each !== r).concat({ ...r, write: "<=" });
    w.arrays.length = 0;
    const { decls, starts } = w.variables(3);
    w.restart();
    const inner = w.block(3, 3 + w.below(3));
    const value = w.expr(2);
    const name = `p${i}`;
    if (isRegister) {
      const reset = `${r.name} <= ${w.below(2 ** Math.min(6, r.width))};`;
      const way = w.below(3);
      body +=
        way === 0
          ? `always_ff @(posedge clk) begin : ${name}\n${decls}${starts}if (rst) ${reset} else begin\n${inner}\n${w.chance(0.5) ? `${r.name} <= ${value};` : ""}\nend\nend\n`
          : way === 1
            ? `always_ff @(posedge clk or posedge rst) begin : ${name}\n${decls}if (rst) ${reset} else begin\n${starts}${inner}\n${r.name} <= ${value};\nend\nend\n`
            : `always @(posedge clk) begin : ${name}\n${decls}${starts}if (x2) begin\n${inner}\n${r.name} <= ${value};\nend\nend\n`;
    } else body += `always_comb begin : ${name}\n${decls}${starts}${inner}\n${r.name} = ${value};\nend\n`;
    if (!readable.some((each) => each.name === r.name)) readable.push(r);
  });
  const shown = [...registers, ...parts, gen];
  const outputs: PortSpec[] = shown.map(({ width }, i) => ({ name: `y${i}`, width }));
  body += shown.map(({ name }, i) => `assign y${i} = ${name};\n`).join("");
  const ports = [
    ...(clocked ? ["input clk"] : []),
    ...inputs.map((port) => `input ${port.width ? `[${port.width - 1}:0] ` : ""}${port.name}`),
    ...outputs.map((port) => `output [${port.width - 1}:0] ${port.name}`),
  ];
  const text = `${packaged}${leafText}module dut import pk::*; (${ports.join(", ")});\n${body}endmodule\n`;
  return {
    text,
    spec: { entity: "dut", inputs, outputs, ...(clocked ? { clock: "clk", reset: "rst" } : {}), cycles: 24, seed },
  };
}

/** A test bench `t` that prints calls of random functions as parameters, then the same calls as they run. */
export function constantsBothWays(seed: number): { readonly text: string; readonly count: number } {
  const random = new Random(seed * 3571 + 17);
  const w = new Writer(random);
  w.places = [{ name: "K", width: 5, signed: true, write: null }];
  const inPackage = `package pk;\ntypedef struct packed { logic [3:0] a; logic [2:0] b; } pair_t;\nlocalparam logic signed [4:0] K = ${w.below(31) - 15};\n${w.makeFunction(2)}endpackage\n`;
  let own = w.makeTask(2);
  for (let i = 0; i < 3; i++) own += w.makeFunction(3);
  const calls = Array.from({ length: 5 }, () => {
    const each = w.pick(w.functions);
    return { name: each.name, args: Array.from({ length: each.args }, () => w.below(256)) };
  });
  const text = `${inPackage}module t import pk::*;;\n${own}${calls.map(({ name, args }, i) => `localparam logic [15:0] c${i} = ${name}(${args.join(", ")});`).join("\n")}
int x[2];\nlogic [15:0] y;\ninitial begin
${calls.map((_, i) => `$display("%b", c${i});`).join("\n")}
${calls.map(({ name, args }) => `${args.map((arg, k) => `x[${k}] = ${arg};`).join(" ")} y = ${name}(${args.map((_, k) => `x[${k}]`).join(", ")}); $display("%b", y);`).join("\n")}
end\nendmodule\n`;
  return { text, count: calls.length };
}
