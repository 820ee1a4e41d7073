import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { integerType } from "../../src/elaborate/types.ts";
import { elaborate } from "../../src/index.ts";
import { Container, OvergrownError } from "../../src/simulate/verilog/container.ts";
import { linesOf, printed, runText } from "../helpers/simulation.ts";

/** IEEE 1800-2017 clauses 7.5, 7.8 to 7.10 and 7.12: arrays whose elements come and go. */
type Case = readonly [what: string, declarations: string, body: string, expected: readonly string[]];

const groups: Record<string, readonly Case[]> = {
  "7.5 dynamic arrays": [
    [
      "new gives elements, and keeps those of another array",
      "int d[]; logic [3:0] e[];",
      'd = new[3]; d[1] = 5; $display("%0d %p", d.size(), d); d = new[5](d); $display("%p", d); d = new[2](d); $display("%p", d); d.delete(); $display("%0d", d.size()); e = new[2]; $display("%p", e);',
      ["3 '{0, 5, 0}", "'{0, 5, 0, 0, 0}", "'{0, 5}", "0", "'{x, x}"],
    ],
    [
      "lists, copies and start values",
      "int d[] = '{1, 2, 3}; int c[]; int f[2] = '{8, 9};",
      'c = d; c[0] = 7; d = {d, 4}; $display("%p %p", c, d); d = f; $display("%p", d); d = {f, c[1]}; $display("%p", d);',
      ["'{7, 2, 3} '{1, 2, 3, 4}", "'{8, 9}", "'{8, 9, 2}"],
    ],
    [
      "outside of it reads give nothing and writes do nothing",
      "int d[] = '{1, 2}; logic [7:0] e[]; string s[];",
      'd[2] = 9; d[-1] = 9; $display("%p %0d %b [%s]", d, d[5], e[0], s[1]);',
      ["'{1, 2} 0 xxxxxxxx []"],
    ],
  ],
  "7.8 and 7.9 associative arrays": [
    [
      "keys in their order, whatever order they came in",
      "int m[string]; int n[int];",
      'm["weft"] = 1; m["beat"] = 2; m["pick"] = 3; n[7] = 70; n[-3] = 30; n[0] = 1; $display("%p %p", m, n); foreach (m[k]) $write("%s ", k); foreach (n[k]) $write("%0d ", k); $display;',
      ['\'{"beat":2, "pick":3, "weft":1} \'{-3:30, 0:1, 7:70}', "beat pick weft -3 0 7 "],
    ],
    [
      "num, exists, delete",
      "byte m[string];",
      'm["a"] = 1; m["b"] = 2; $display("%0d %0d %0d", m.num(), m.exists("a"), m.exists("c")); m.delete("a"); m.delete("none"); $display("%0d %0d", m.size(), m.exists("a")); m.delete(); $display("%0d", m.num);',
      ["2 1 0", "1 0", "0"],
    ],
    [
      "first, last, next and prev walk through the keys",
      "int m[logic [7:0]]; logic [7:0] k;",
      'm[200] = 1; m[3] = 2; m[50] = 3; if (m.first(k)) do $write("%0d ", k); while (m.next(k)); $display("%0d", m.last(k)); k = 100; $display("%0d %0d", m.prev(k), k); k = 3; $display("%0d %0d", m.prev(k), k); k = 4; $display("%0d %0d", m.next(k), k);',
      ["3 50 200 1", "1 50", "0 3", "1 50"],
    ],
    [
      "a pattern with a default",
      'int m[string] = \'{"a": 1, default: -1};',
      'm["b"] = 2; $display("%0d %0d %0d %0d", m["a"], m["b"], m["c"], m.num());',
      ["1 2 -1 2"],
    ],
    [
      "an element is read and written in one",
      "int count[byte]; byte unsigned text[5] = '{1, 2, 1, 1, 2};",
      'foreach (text[i]) count[text[i]]++; count[9] += 5; $display("%p", count);',
      ["'{1:3, 2:2, 9:5}"],
    ],
  ],
  "7.10 queues": [
    [
      "elements come and go at both ends",
      "int q[$]; int x;",
      'q.push_back(1); q.push_back(2); q.push_front(0); $display("%p", q); x = q.pop_front(); $display("%0d %p", x, q); $display("%0d", q.pop_back()); void\'(q.pop_back()); $display("%0d", q.size());',
      ["'{0, 1, 2}", "0 '{1, 2}", "2", "0"],
    ],
    [
      "insert and delete at a place",
      "int q[$] = '{1, 2, 3};",
      'q.insert(1, 9); $display("%p", q); q.insert(4, 8); q.insert(7, 7); $display("%p", q); q.delete(0); q.delete(9); $display("%p", q);',
      ["'{1, 9, 2, 3}", "'{1, 9, 2, 3, 8}", "'{9, 2, 3, 8}"],
    ],
    [
      "$ is the last index",
      "int q[$] = '{5, 6, 7};",
      '$display("%0d %0d", q[$], q[$-1]); q[$] = 1; q[$+1] = 2; $display("%p", q);',
      ["7 6", "'{5, 6, 1, 2}"],
    ],
    [
      "parts and braces",
      "int q[$] = '{1, 2, 3, 4}; int r[$];",
      'r = q[1:2]; $display("%p", r); q = {q[2:$], q[0:1], 9}; $display("%p", q); r = q[3:1]; $display("%0d", r.size()); q = {}; $display("%0d %p", q.size(), q);',
      ["'{2, 3}", "'{3, 4, 1, 2, 9}", "0", "0 '{}"],
    ],
    [
      "a bounded queue drops what does not fit",
      "int q[$:2]; ",
      'for (int i = 0; i < 5; i++) q.push_back(i); $display("%p", q); q.push_front(9); $display("%p", q);',
      ["'{0, 1, 2}", "'{9, 0, 1}"],
    ],
    [
      "of strings, reals and structs",
      "typedef struct packed { logic [3:0] hi, lo; } pair_t; string s[$]; real r[$]; pair_t p[$];",
      's.push_back("weft"); s.push_back("warp"); r = {0.5, 1.5}; p.push_back(8\'h5A); $display("%s %0.2f %0d", s[1], r[0] + r[1], p[0].hi); foreach (s[i]) $write("%0d:%s ", i, s[i]); $display;',
      ["warp 2.00 5", "0:weft 1:warp "],
    ],
    [
      "in a block of its own, new at each turn",
      "",
      'for (int i = 0; i < 2; i++) begin automatic int q[$]; q.push_back(i); $display("%p", q); end',
      ["'{0}", "'{1}"],
    ],
  ],
  "7.12 methods": [
    [
      "sorting is by the sign of the elements",
      'int q[$] = \'{3, -1, 2}; logic [3:0] u[$] = \'{3, 15, 2}; string s[$] = \'{"b", "a"};',
      'q.sort(); u.rsort(); s.sort(); $display("%p %p %p", q, u, s); q.reverse(); $display("%p", q);',
      ['\'{-1, 2, 3} \'{15, 3, 2} \'{"a", "b"}', "'{3, 2, -1}"],
    ],
    [
      "sums and the like have the size of an element",
      "byte q[$] = '{100, 50, 3}; logic [3:0] x[$] = '{1, 2};",
      '$display("%0d %0d %0d %0d", q.sum(), q.and(), q.or(), q.xor()); $display("%0d", x.product()); x[1] = 4\'b1x00; $display("%b", x.sum());',
      ["-103 0 119 85", "2", "xxxx"],
    ],
    [
      "shuffling keeps the elements",
      "int q[$];",
      'for (int i = 0; i < 20; i++) q.push_back(i); q.shuffle(); q.sort(); $display("%0d %0d %0d", q[0], q[19], q.size());',
      ["0 19 20"],
    ],
  ],
  "13.5 as arguments": [
    [
      "by reference the same, by value a copy",
      "function automatic void fill(ref int q[$], input int n); for (int i = 0; i < n; i++) q.push_back(i); endfunction function automatic int most(int q[$]); most = q.pop_front(); foreach (q[i]) if (q[i] > most) most = q[i]; endfunction int q[$];",
      'fill(q, 3); fill(q, 2); $display("%0d %p", most(q), q);',
      ["2 '{0, 1, 2, 0, 1}"],
    ],
    [
      "as an output it begins empty, and a copy has the default too",
      "function automatic void give(output int q[$]); q.push_back(7); endfunction function automatic int at(int m[int], int k); return m[k]; endfunction int q[$] = '{1, 2}; int m[int] = '{3: 30, default: -1};",
      'give(q); $display("%p %0d %0d", q, at(m, 3), at(m, 4));',
      ["'{7} 30 -1"],
    ],
    [
      "by tasks that wait",
      "task automatic later(ref int q[$]); #5 q.push_back(int'($time)); endtask int q[$];",
      'fork later(q); later(q); join $display("%p", q);',
      ["'{5, 5}"],
    ],
  ],
};

for (const [clause, cases] of Object.entries(groups))
  describe(clause, () => {
    it.each(cases)("%s", (_, declarations, body, expected) => {
      expect(printed(declarations, body).split("\n").slice(0, -1)).toEqual(expected);
    });
  });

describe("against lists and maps of the language that runs them", () => {
  it("queues do as arrays do", () => {
    const step = fc.oneof(
      fc.tuple(fc.constantFrom("push_back", "push_front"), fc.integer({ min: -50, max: 50 })),
      fc.tuple(fc.constantFrom("pop_back", "pop_front", "sort", "reverse"), fc.constant(0)),
      fc.tuple(fc.constantFrom("delete", "insert", "set"), fc.nat(6)),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 25 }), (steps) => {
        let list: number[] = [];
        const lines: string[] = [];
        const expected: string[] = [];
        for (const [what, n] of steps) {
          if (what === "push_back") list.push(n);
          else if (what === "push_front") list.unshift(n);
          else if (what === "pop_back") list.pop();
          else if (what === "pop_front") list.shift();
          else if (what === "sort") list = list.toSorted((a, b) => a - b);
          else if (what === "reverse") list.reverse();
          else if (what === "delete" && n < list.length) list.splice(n, 1);
          else if (what === "insert" && n <= list.length) list.splice(n, 0, 7);
          else if (what === "set" && n <= list.length) list[n] = 8;
          const args = /^(push|delete)/.test(what) ? `(${n})` : what === "insert" ? `(${n}, 7)` : "()";
          lines.push(
            what === "set" ? `q[${n}] = 8;` : what.startsWith("pop") ? `void'(q.${what}());` : `q.${what}${args};`,
          );
          lines.push('$display("%p", q);');
          expected.push(`'{${list.join(", ")}}`);
        }
        expect(printed("int q[$];", lines.join("\n")).split("\n").slice(0, -1)).toEqual(expected);
      }),
      { numRuns: 60 },
    );
  });
  it("associative arrays do as maps do", () => {
    const step = fc.tuple(fc.constantFrom("set", "set", "delete"), fc.integer({ min: -8, max: 8 }), fc.nat(99));
    fc.assert(
      fc.property(fc.array(step, { maxLength: 25 }), (steps) => {
        const map = new Map<number, number>();
        const lines = steps.map(([what, key, value]) => {
          if (what === "set") map.set(key, value);
          else map.delete(key);
          return what === "set" ? `m[${key}] = ${value};` : `m.delete(${key});`;
        });
        const sorted = [...map].sort(([a], [b]) => a - b);
        expect(printed("int m[int]; int k;", `${lines.join("\n")} $display("%p %0d", m, m.num());`)).toBe(
          `'{${sorted.map(([key, value]) => `${key}:${value}`).join(", ")}} ${map.size}\n`,
        );
      }),
      { numRuns: 60 },
    );
  });
});

describe("what cannot be", () => {
  it.each([
    ["int q[$];", "q = 5;", "verilog/container"],
    ["int q[$]; int z;", "z = q;", "verilog/array-value"],
    ["int q[$];", "q <= {1};", "verilog/container"],
    ["int q[$];", "q += 1;", "verilog/container"],
    ["int q[$];", "q.push_back();", "verilog/arguments"],
    ["int d[];", "d.push_back(1);", "verilog/method"],
    ["int z;", "z = $;", "verilog/value"],
    ["int z;", "z = new[3];", "verilog/value"],
    ["int z;", "z = {};", "verilog/value"],
    ["int q[$]; string s[$];", "q = s;", "verilog/container"],
    ["logic [$] v;", "", "verilog/range"],
    ["int q[$], r[$];", "q = r.find(x);", "verilog/arguments"],
    ["task automatic f(ref int q[$]); endtask int a[3];", "f(a);", "verilog/container"],
  ])("%s %s", (declarations, body, code) => {
    const { end, findings } = runText(`module t; ${declarations} initial begin ${body} end endmodule`);
    expect(end).toBe("errors");
    expect(findings.join("\n")).toContain(`[${code}]`);
  });
  it("is larger than the memory: the run ends with a finding", () => {
    const { end, findings } = runText("module t;\nint d[];\ninitial d = new[100000000]; endmodule");
    expect(end).toBe("runaway");
    expect(findings.join("\n")).toMatch(/^t\.sv:3:1: error: \[sim\/memory\] An array has grown to more than 5,000,000/);
  });
  it("grows past its limit, in whatever way", () => {
    const make = (flavour: "array" | "queue" | "map", bound: number | null = null) =>
      new Container({ kind: "container", flavour, element: integerType, key: integerType, bound }, 3);
    const one = { a: 1n, b: 0n };
    const key = (i: number) => ({ a: BigInt(i), b: 0n });
    const fill = (how: (queue: Container, i: number) => void, queue: Container) => () => {
      for (let i = 0; i < 4; i++) how(queue, i);
    };
    expect(fill((queue) => queue.push(one), make("queue"))).toThrow(OvergrownError);
    expect(fill((queue) => queue.pushFront(one), make("queue"))).toThrow(OvergrownError);
    expect(fill((queue) => queue.insert(key(0), one), make("queue"))).toThrow(OvergrownError);
    expect(fill((queue, i) => queue.set(key(i), one), make("queue"))).toThrow(OvergrownError);
    expect(fill((map, i) => map.set(key(i), one), make("map"))).toThrow(OvergrownError);
    expect(() => make("array").resize(4, [])).toThrow(OvergrownError);
    expect(fill((queue) => queue.push(one), make("queue", 2))).not.toThrow();
  });
  it("is made a circuit", () => {
    const text =
      "module m(input clk, output logic y); int q[$]; always_ff @(posedge clk) begin q.push_back(1); y <= q.size() > 3; end endmodule";
    const { findings } = elaborate([{ name: "m.sv", text }], { top: "m" });
    expect(findings.map((finding) => finding.code)).toContain("verilog/not-synthesizable");
  });
  it("leaves test benches without findings", () => {
    const text = 'module t; int q[$]; initial begin q.push_back(1); $display("%0d", q.pop_front()); end endmodule';
    expect(linesOf(text)).toEqual(["1"]);
    expect(
      elaborate([{ name: "t.sv", text: `module d(input a, output y); assign y = a; endmodule ${text}` }]).findings,
    ).toEqual([]);
  });
});
