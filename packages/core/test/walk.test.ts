import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import type { DesignModel, Expr, Signal, Stmt } from "../src/elaborate/model.ts";
import { readsOf, someStmt, targetsOf, walkDesign, walkExpr, walkStmt } from "../src/elaborate/walk.ts";
import { prepareModel } from "../src/simulate/simulate.ts";
import { everydayVerilog } from "./helpers/everyday-designs.ts";

/** Keys that lead out of a body: to what is declared, called or written elsewhere. */
const outside = new Set(["loc", "opLoc", "endLoc", "instance", "type", "timeScale", "id", "func", "sub", "locals"]);
const declared = new Set(["signal", "from", "item", "block"]);

/** Everything with an `op` that can be reached, found without any knowledge of what there is. */
function reached(tree: unknown, found = new Set<object>()): Set<object> {
  if (typeof tree !== "object" || tree === null) return found;
  if (Array.isArray(tree)) for (const each of tree) reached(each, found);
  else {
    const node = tree as Record<string, unknown>;
    if (typeof node.op === "string") found.add(node);
    for (const key in node) {
      const isLambdaIndex = key === "index" && node.kind === "lambda";
      const isCopied = key === "target" && node.op === "arraycopy";
      if (!outside.has(key) && !declared.has(key) && !isLambdaIndex && !isCopied) reached(node[key], found);
    }
  }
  return found;
}

const modelOf = (text: string, top: string): DesignModel => {
  const { design, findings } = prepareModel([{ name: "a.sv", text }], top);
  expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
  return design!;
};

/** Has each kind of statement and expression somewhere, most of them in odd places. */
const everything = `
module part(input logic [7:0] a, output logic [7:0] y, inout wire [3:0] pins);
  assign y = a ^ 8'h5a; assign pins = a[0] ? a[7:4] : 4'bz;
endmodule
module t;
  logic clk = 0; logic [7:0] a, b, y; logic [7:0] m [0:3], n [0:3]; int q [$]; int i; real r; string s; event e;
  wire [3:0] pins; wire [7:0] y2;
  part p(.a(a + b), .y(y2), .pins(pins));
  assign #2 y = {a[3:0], {2{b[1:0]}}} + (clk ? m[a[1:0]] : b);
  function automatic int twice(input int x, output int again); again = x; return x + x; endfunction
  task wait_for(input logic [7:0] v); @(posedge clk iff a == v); endtask
  always @(posedge clk) begin
    a <= #1 b + 1; b[a[2:0] +: 2] <= 2'(a); m[a[1:0]] <= repeat (2) @(posedge clk) b;
    case (a) 8'(b + 1): m[0] <= a; 8'd3, 8'd4: begin i++; b <= i[7:0]; end default: ; endcase
  end
  initial begin : main
    fork begin #(i + 1) a = 3; end begin wait (b == a) ; end join_any
    disable fork;
    for (int k = 0; k < q.size(); k++) begin if (q[k] inside {[1:5], 9}) continue; if (k == i) break; end
    do i = i - 1; while (i > 0);
    repeat (i + 2) @(clk or posedge a[0]) b = ~b;
    n = m; q.push_back(a + 1); i = q.sum() with (item * i); void'(twice(i, q[0])); i = twice(a, i);
    force y = a & b; release y; -> e; wait (e.triggered);
    assert (a == b) i = 4; else $error("%0d of %s", a + b, s);
    r = $itor(i) * 2.5; s = {s, "x"}; $sscanf(s, "%d", m[i]); $readmemh("f.txt", m); wait_for(a - b);
    b = a inside {8'd1, 8'd2}; unique if (a == 1) b = 2; else if (a == 2) b = $urandom(i); i = ++i + i--;
  end
  initial while (1) begin #5 clk = !clk; if (clk && $time > 100) disable main; end
endmodule`;

const models: [string, () => DesignModel][] = [
  ["all kinds of statements", () => modelOf(everything, "t")],
  ...everydayVerilog.map((text, i): [string, () => DesignModel] => [
    `everyday design ${i}`,
    () => modelOf(text, "dut"),
  ]),
  ...["stack_cpu.sv", "md5.sv", "card_engine.v", "shed_control.sv"].map((name): [string, () => DesignModel] => [
    name,
    () => {
      const text = readFileSync(new URL(`designs/${name}`, import.meta.url), "utf8");
      return modelOf(text, /(?:^|\n)module\s+(\w+)/.exec(text)![1]);
    },
  ]),
];

describe("the walk over a design", () => {
  it.each(models)("comes to everything that can be reached: %s", (_, make) => {
    const model = make();
    const seen = new Set<object>();
    const on = { expr: (expr: Expr) => void seen.add(expr), stmt: (stmt: Stmt) => void seen.add(stmt) };
    walkDesign(model, () => on);
    const { processes, subroutines, assigns, top } = model;
    const all = reached([processes.map(({ events, body }) => [events, body]), subroutines.map(({ body }) => body)]);
    reached(assigns, all);
    const connections = (at: typeof top): void => {
      reached(at.bindings, all);
      at.children.forEach(connections);
    };
    connections(top);
    const missing = [...all].filter((node) => !seen.has(node)).map((node) => (node as { op: string }).op);
    expect(missing).toEqual([]);
    expect(seen.size).toBe(all.size);
    expect(all.size).toBeGreaterThan(10);
  });

  const model = modelOf(everything, "t");
  const named = (signals: Iterable<Signal>) => [...new Set([...signals].map(({ plainName }) => plainName))].sort();

  it("tells what a body assigns, and how", () => {
    const uses = new Map<string, Set<string>>();
    const clocked = model.processes.find(({ kind }) => kind === "always")!;
    walkStmt(clocked.body, {
      target: ({ parts }, use) => {
        for (const { signal } of parts) uses.set(signal.plainName, (uses.get(signal.plainName) ?? new Set()).add(use));
      },
    });
    expect(Object.fromEntries([...uses].map(([name, set]) => [name, [...set].sort()]))).toEqual({
      a: ["nonblocking"],
      b: ["nonblocking"],
      m: ["nonblocking"],
      i: ["blocking"],
    });
    const forced = new Set<Signal>();
    for (const { body } of model.processes)
      targetsOf(body, ({ parts }, isForced) => isForced && parts.forEach(({ signal }) => void forced.add(signal)));
    expect(named(forced)).toEqual(["y"]);
  });

  it("tells what a body reads, also through what it calls, and not what it only assigns", () => {
    const { design } = prepareModel(
      [
        {
          name: "a.v",
          text: `module t; reg a, b, c, d; reg [1:0] x; reg y [0:3];
            function f(input u); f = u ^ d; endfunction
            always @* begin x[a] = f(b); y[c] = 1; end endmodule`,
        },
      ],
      "t",
    );
    const read = new Set<Signal>();
    readsOf(design!.processes[0].body, read);
    // what is local to the function is nobody else's
    expect(named(read)).toEqual(["a", "b", "c", "d"]);
  });

  it("leaves out what is within, where it is told to", () => {
    const { body } = model.processes.find(({ kind }) => kind === "initial")!;
    const all: Stmt["op"][] = [];
    const some: Stmt["op"][] = [];
    walkStmt(body, { stmt: ({ op }) => void all.push(op) });
    walkStmt(body, { stmt: ({ op }) => some.push(op) < 0 || op !== "fork" });
    expect(all).toContain("delay");
    expect(all.length).toBeGreaterThan(some.length);
    expect(someStmt(body, ({ op }) => op === "fork")).toBe(true);
    let count = 0;
    for (const { value } of model.assigns)
      walkExpr(value, {
        expr: () => {
          count++;
          return false;
        },
      });
    expect(count).toBe(model.assigns.length);
  });

  it("is not stopped by sums of a hundred thousand terms", () => {
    const one = { op: "const", value: { a: 1n, b: 0n }, width: 8, signed: false, loc: { file: 0, start: 0, end: 0 } };
    let sum = one as unknown as Expr;
    for (let i = 0; i < 100_000; i++)
      sum = { ...one, op: "binary", kind: "add", left: sum, right: one, operandSigned: false } as unknown as Expr;
    let count = 0;
    walkExpr(sum, { expr: () => void count++ });
    expect(count).toBe(200_001);
  });
});
