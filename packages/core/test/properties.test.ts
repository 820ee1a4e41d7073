import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { fuzzRuns, fuzzSeed, longTest } from "./helpers/damage.ts";
import { linesOf, runText } from "./helpers/simulation.ts";

// ---- a second meaning, straight from the definitions (IEEE 1800-2017 annex F), over a finite trace -----------------

type Trace = readonly (readonly [number, number, number])[];
type Seq =
  | { readonly k: "expr"; readonly text: string; readonly is: (at: readonly number[]) => boolean }
  | { readonly k: "delay"; readonly l: Seq | null; readonly low: number; readonly high: number; readonly r: Seq }
  | { readonly k: "times"; readonly of: Seq; readonly low: number; readonly high: number }
  | { readonly k: "or" | "and" | "intersect" | "within"; readonly l: Seq; readonly r: Seq }
  | { readonly k: "throughout"; readonly l: Seq & { k: "expr" }; readonly r: Seq };
type Prop =
  | { readonly k: "seq"; readonly s: Seq }
  | { readonly k: "implies"; readonly s: Seq; readonly same: boolean; readonly p: Prop }
  | { readonly k: "not"; readonly p: Prop }
  | { readonly k: "pand" | "por"; readonly l: Prop; readonly r: Prop }
  | { readonly k: "if"; readonly test: Seq & { k: "expr" }; readonly yes: Prop; readonly no: Prop | null };

/** Last ticks of all matches that begin at a tick; that before it stands for a match without ticks. */
function ends(seq: Seq, i: number, trace: Trace): Set<number> {
  const found = new Set<number>();
  switch (seq.k) {
    case "expr":
      if (i < trace.length && seq.is(trace[i])) found.add(i);
      break;
    case "delay":
      // 16.9.2: behind an empty match one tick less is waited
      for (const end of seq.l ? ends(seq.l, i, trace) : [i - 1])
        for (let n = seq.low; n <= seq.high; n++) {
          const isEmpty = end === i - 1;
          if (seq.l && isEmpty && n === 0) continue;
          const from = seq.l ? (isEmpty ? i + n - 1 : end + n) : i + n;
          for (const last of ends(seq.r, from, trace)) {
            if (last >= from) found.add(last);
            else if (seq.l && n > 0 && from - 1 >= end) found.add(from - 1);
            else if (!seq.l && n > 0) found.add(from - 1);
          }
        }
      break;
    case "times": {
      let level = new Set<number>([i - 1]);
      for (let n = 0; n <= seq.high; n++) {
        if (n >= seq.low) for (const end of level) found.add(end);
        const next = new Set<number>();
        for (const end of level) for (const last of ends(seq.of, end + 1, trace)) next.add(last);
        level = next;
      }
      break;
    }
    case "or":
      for (const part of [seq.l, seq.r]) for (const end of ends(part, i, trace)) found.add(end);
      break;
    case "and":
      for (const x of ends(seq.l, i, trace)) for (const y of ends(seq.r, i, trace)) found.add(Math.max(x, y));
      break;
    case "intersect": {
      const right = ends(seq.r, i, trace);
      for (const x of ends(seq.l, i, trace)) if (right.has(x)) found.add(x);
      break;
    }
    case "within":
      for (const end of ends(seq.r, i, trace))
        for (let from = i; from <= end + 1; from++)
          for (const x of ends(seq.l, from, trace)) if (x <= end) found.add(end);
      break;
    case "throughout":
      for (const end of ends(seq.r, i, trace)) {
        let all = true;
        for (let t = i; t <= end; t++) all &&= seq.l.is(trace[t]);
        if (all) found.add(end);
      }
  }
  return found;
}

function holds(prop: Prop, i: number, trace: Trace): boolean {
  switch (prop.k) {
    case "seq":
      return ends(prop.s, i, trace).size > 0;
    case "implies":
      return [...ends(prop.s, i, trace)].every((end) => holds(prop.p, prop.same ? end : end + 1, trace));
    case "not":
      return !holds(prop.p, i, trace);
    case "pand":
      return holds(prop.l, i, trace) && holds(prop.r, i, trace);
    case "por":
      return holds(prop.l, i, trace) || holds(prop.r, i, trace);
    case "if":
      return prop.test.is(trace[i]) ? holds(prop.yes, i, trace) : prop.no ? holds(prop.no, i, trace) : true;
  }
}

function textOf(node: Seq | Prop): string {
  const range = (low: number, high: number) => (low === high ? String(low) : `[${low}:${high}]`);
  switch (node.k) {
    case "expr":
      return node.text;
    case "delay":
      return `(${node.l ? `${textOf(node.l)} ` : ""}##${range(node.low, node.high)} ${textOf(node.r)})`;
    case "times":
      return `${textOf(node.of)}[*${node.low === node.high ? node.low : `${node.low}:${node.high}`}]`;
    case "or":
    case "and":
    case "intersect":
    case "within":
    case "throughout":
      return `(${textOf(node.l)} ${node.k} ${textOf(node.r)})`;
    case "seq":
      return textOf(node.s);
    case "implies":
      return `(${textOf(node.s)} ${node.same ? "|->" : "|=>"} ${textOf(node.p)})`;
    case "not":
      return `(not ${textOf(node.p)})`;
    case "pand":
    case "por":
      return `(${textOf(node.l)} ${node.k.slice(1)} ${textOf(node.r)})`;
    case "if":
      return `(if (${node.test.text}) ${textOf(node.yes)}${node.no ? ` else ${textOf(node.no)}` : ""})`;
  }
}

const exprs: (Seq & { k: "expr" })[] = [
  { k: "expr", text: "a", is: ([a]) => a === 1 },
  { k: "expr", text: "b", is: ([, b]) => b === 1 },
  { k: "expr", text: "(a && !c)", is: ([a, , c]) => a === 1 && c === 0 },
  { k: "expr", text: "(b != c)", is: ([, b, c]) => b !== c },
  { k: "expr", text: "!b", is: ([, b]) => b === 0 },
  { k: "expr", text: "(a | c)", is: ([a, , c]) => (a | c) === 1 },
];

function drawSeq(random: Random, depth: number): Seq {
  const expr = () => exprs[random.below(exprs.length)];
  if (depth === 0) return expr();
  const inner = () => drawSeq(random, depth - 1);
  const low = random.below(3);
  const high = low + random.below(3);
  switch (random.below(9)) {
    case 0:
    case 1:
    case 2:
      return { k: "delay", l: inner(), low, high, r: inner() };
    case 3:
      return { k: "delay", l: null, low, high, r: inner() };
    case 4:
      return { k: "times", of: inner(), low: random.below(3), high: 2 };
    case 5:
      return { k: "or", l: inner(), r: inner() };
    case 6:
      return { k: random.below(2) ? "and" : "intersect", l: inner(), r: inner() };
    case 7:
      return { k: "throughout", l: expr(), r: inner() };
    default:
      return { k: "within", l: inner(), r: inner() };
  }
}
/** Whether it matches without a tick: such are no whole properties. */
const isNullable = (seq: Seq): boolean =>
  ends(
    seq,
    5,
    Array.from({ length: 40 }, () => [1, 1, 1] as const),
  ).has(4) ||
  ends(
    seq,
    5,
    Array.from({ length: 40 }, () => [0, 0, 0] as const),
  ).has(4);
function drawWhole(random: Random, depth: number): Seq {
  for (;;) {
    const seq = drawSeq(random, depth);
    if (!isNullable(seq)) return seq;
  }
}
function drawProp(random: Random, depth: number): Prop {
  const seq = () => drawWhole(random, random.below(3));
  if (depth === 0) return { k: "seq", s: seq() };
  const inner = () => drawProp(random, depth - 1);
  switch (random.below(6)) {
    case 0:
    case 1:
      return { k: "implies", s: seq(), same: random.below(2) === 0, p: inner() };
    case 2:
      return { k: "not", p: inner() };
    case 3:
      return { k: random.below(2) ? "pand" : "por", l: inner(), r: inner() };
    case 4:
      return { k: "if", test: exprs[random.below(exprs.length)], yes: inner(), no: random.below(2) ? inner() : null };
    default:
      return { k: "seq", s: seq() };
  }
}

describe("concurrent assertions", () => {
  it("fail where the definitions say so, on random properties and traces", longTest, () => {
    const random = new Random(fuzzSeed);
    const ticks = 30;
    const tail = 60;
    for (let round = 0; round < fuzzRuns(6); round++) {
      const props = Array.from({ length: 20 }, () => drawProp(random, random.below(3)));
      const trace: [number, number, number][] = [];
      for (let t = 0; t < ticks + tail; t++)
        trace.push([random.below(4) ? 1 : 0, random.below(2), random.below(3) ? 0 : 1]);
      const bits = (at: number) =>
        trace
          .map((values) => values[at])
          .reverse()
          .join("");
      const text = `module tb; bit clk, a, b, c, start; int t = -1; int failed[${props.length}];
localparam bit [${trace.length - 1}:0] A = 'b${bits(0)}, B = 'b${bits(1)}, C = 'b${bits(2)};
default clocking @(posedge clk); endclocking
${props.map((prop, i) => `assert property (start |-> ${textOf(prop)}) else failed[${i}]++;`).join("\n")}
initial begin
repeat (${trace.length}) begin t++; a = A[t]; b = B[t]; c = C[t]; start = t < ${ticks}; #5 clk = 1; #5 clk = 0; end
foreach (failed[i]) $display("%0d", failed[i]); $finish;
end
endmodule
`;
      const expected = props.map((prop) => {
        let fails = 0;
        for (let i = 0; i < ticks; i++) if (!holds(prop, i, trace)) fails++;
        return String(fails);
      });
      const got = linesOf(text, { top: "tb" });
      props.forEach((prop, i) => expect(`${got[i]} of ${textOf(prop)}`).toBe(`${expected[i]} of ${textOf(prop)}`));
    }
  });

  const bench = (checks: string, drive: string) => `module tb;
bit clk, req, ack, rst; logic [3:0] n = 0; logic [7:0] data;
always #5 clk = ~clk;
always @(posedge clk) n <= n + 1;
${checks}
initial begin ${drive} #1 $finish; end
endmodule
`;
  const run = (checks: string, drive: string) => {
    const { text, findings } = runText(bench(checks, drive), { top: "tb" });
    return [...text.split("\n").slice(0, -1), ...findings.map((finding) => finding.replace(/^t\.sv:\d+:\d+: /, ""))];
  };
  it("see the values from before the clock's edge, whatever is assigned on it", () => {
    expect(
      run(
        'assert property (@(posedge clk) req |-> n == 3) $display("ok %0t", $time);',
        "@(posedge clk); @(posedge clk); @(posedge clk) req = 1; @(posedge clk) req = 0; @(posedge clk);",
      ),
    ).toEqual(["ok 5", "ok 15", "ok 25", "ok 35", "ok 45"]);
  });
  it("name properties and sequences with arguments, are disabled, and count what they cover", () => {
    expect(
      run(
        `sequence gap(x, y, int most = 3); x ##[1:$] y within 1[*1:4] ; endsequence
property answered(q, k); @(posedge clk) disable iff (rst) q |-> ##[1:2] k; endproperty
a1: assert property (answered(req, ack)) else $display("late %0t", $time);
c1: cover property (@(posedge clk) req ##[1:3] ack) $display("gap %0t", $time);`,
        `@(posedge clk); req <= 1; @(posedge clk); req <= 0; @(posedge clk); ack <= 1; @(posedge clk); ack <= 0;
repeat (2) @(posedge clk); req <= 1; @(posedge clk); req <= 0; repeat (4) @(posedge clk);
req <= 1; @(posedge clk); req <= 0; #2 rst = 1; #2 rst = 0; repeat (4) @(posedge clk);`,
      ),
    ).toEqual(["gap 35", "late 85"]);
  });
  it("know earlier values, and edges of signals", () => {
    expect(
      run(
        `default clocking @(posedge clk); endclocking
default disable iff (rst);
assert property (n > 3 |-> n == $past(n) + 1 && $past(n, 2) == n - 2 && $changed(n));
assert property ($rose(req) |=> $fell(req)) else $display("long %0t", $time);
assert property ($fell(req) |-> $past(req) && !$stable(req) && $sampled(req) == 0);`,
        "@(posedge clk); req <= 1; @(posedge clk); req <= 0; repeat (3) @(posedge clk); req <= 1; repeat (3) @(posedge clk); req <= 0; @(posedge clk);",
      ),
    ).toEqual(["long 65"]);
  });
  it("wait for as long as it takes, and repeat", () => {
    const lines = run(
      `default clocking @(posedge clk); endclocking
assert property (req |-> ##[1:$] ack) $display("at last %0t", $time);
assert property (first_match(req ##[1:4] ack) |-> n < 5) else $display("late %0t", $time);
assert property ($rose(req) |-> ack[->2] ##1 !ack) else $display("thrice %0t", $time);
assert property ($rose(req) |-> ack[=1] ##1 rst) else $display("never %0t", $time);
assert property ($rose(req) |-> ack[->3] ##1 !ack) else $display("wrong");`,
      "@(posedge clk); req <= 1; @(posedge clk); req <= 0; repeat (3) @(posedge clk); ack <= 1; repeat (3) @(posedge clk); ack <= 0; @(posedge clk);",
    );
    expect(lines.filter((line) => !/at last/.test(line))).toEqual(["late 55", "never 65", "thrice 75"]);
    // the attempt of 15 ns is decided at 55 ns, beside that which begins there
    expect(lines.filter((line) => /at last/.test(line)).map((line) => Number(line.slice(8)))).toEqual([
      5, 25, 35, 45, 55, 55, 65, 75, 85,
    ]);
  });
  it("say which failed, and when", () => {
    expect(run("once: assert property (@(posedge clk) n != 2);", "repeat (5) @(posedge clk);")).toEqual([
      "error: [sim/assertion] 'once' failed: n != 2. (at 25 ns)",
    ]);
  });
  it("are no hardware, and leave no findings in a design", () => {
    const design = elaborate(
      [
        {
          name: "m.sv",
          text: `module m(input clk, rst, req, output logic ack);
property p; @(posedge clk) disable iff (rst) req |=> ack; endproperty
a: assert property (p) else $error("no answer");
assume property (@(posedge clk) not (req && rst));
always_ff @(posedge clk) if (rst) ack <= 0; else ack <= req;
endmodule
`,
        },
      ],
      { top: "m" },
    );
    expect(design.findings).toEqual([]);
    expect(design.artifact!.netlist.cells.length).toBeLessThan(4);
  });
  const wrong: [string, RegExp][] = [
    ["assert property (a |-> b);", /has no clock/],
    ["initial begin assert property (@(posedge a) b); end", /beside the processes/],
    ["assert property (@(posedge a) b[*0]);", /matches without a clock/],
    ["assert property (@(posedge a) b ##[3:1] a);", /ends before it begins/],
    ["assert property (@(posedge a) x);", /'x' is not declared/],
    ["property p(q); q; endproperty assert property (@(posedge a) p);", /needs a value for 'q'/],
    ["property p(q); q; endproperty assert property (@(posedge a) p(.r(b)));", /no argument 'r'/],
    [
      "property p; @(posedge a) b; endproperty if (1) begin : g logic b; assert property (p); end",
      /'b' in 'p' means something else where it is used/,
    ],
    ["property p; p; endproperty assert property (@(posedge a) p);", /names itself/],
    ["wire y = $past(b);", /in concurrent assertions only/],
    ["assert property (@(posedge a) b ##1 (a |-> b));", /cannot be part of a sequence/],
    ["assert property (@(posedge a) (a ##1 b)[->2]);", /repeats a condition only/],
    ["assert property (@(posedge a) b ##1);", /verilog\/syntax/],
  ];
  for (const [text, pattern] of wrong)
    it(`tell what is wrong: ${text}`, () => {
      const { end, findings } = runText(`module tb; logic a, b; ${text} endmodule\n`, { top: "tb" });
      expect(end).toBe("errors");
      expect(findings.join("\n")).toMatch(pattern);
    });
});
