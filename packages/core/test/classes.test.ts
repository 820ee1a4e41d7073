import { describe, expect, it } from "vitest";
import { elaborate } from "../src/elaborate/index.ts";
import { linesOf, runText } from "./helpers/simulation.ts";

/** What a bench `tb` prints; without findings, but those that it makes itself. */
function prints(name: string, text: string, lines: readonly string[]): void {
  it(name, () => {
    const ran = runText(text, { top: "tb" });
    expect(ran.findings.filter((finding) => !/\[sim\//.test(finding))).toEqual([]);
    expect(ran.text.split("\n").slice(0, -1)).toEqual(lines);
  });
}
const bench = (classes: string, body: string) => `${classes}\nmodule tb;\ninitial begin\n${body}\nend\nendmodule\n`;

describe("objects", () => {
  prints(
    "have variables with start values, and constructors with defaults",
    bench(
      `class bobbin;
  int id; bit [7:0] turns = 8'h10; string colour = "none"; logic [3:0] state; real weight = 1.5; static int made = 0;
  function new(int id = 7, string colour = "red"); this.id = id; this.colour = colour; made++; turns += 2; endfunction
endclass`,
      `bobbin a, b; a = new; b = new(9, "blue");
$display("%0d %h %s %b %0.1f", a.id, a.turns, a.colour, a.state, a.weight);
$display("%0d %s %0d %0d", b.id, b.colour, bobbin::made, a.made);
b = new(.colour("green")); $display("%0d %s", b.id, b.colour);`,
    ),
    ["7 12 red xxxx 1.5", "9 blue 2 2", "7 green"],
  );
  prints(
    "are shared by their handles, copied by new, and compared as themselves",
    bench(
      `class reed; int dents = 3; int list[$]; reed other; endclass`,
      `reed a, b, c; $display("%b %b", a == null, a == b);
a = new; a.other = new; a.list.push_back(4); b = a; c = new a;
b.dents = 5; c.list.push_back(6); c.other.dents = 8;
$display("%0d %0d %p %p %0d", a.dents, c.dents, a.list, c.list, a.other.dents);
$display("%b %b %b", a == b, a == c, a !== c); a = null; if (!a && b) $display("gone"); $display("%p", b);`,
    ),
    ["1 1", "5 3 '{4} '{4, 6} 8", "1 0 1", "gone", "'{dents:5, list:'{4}, other:reed}"],
  );
  prints(
    "are changed in every kind of statement",
    bench(
      `class heddle;
  int a = 1; bit [15:0] w = 16'h1234; int arr[4] = '{1, 2, 3, 4}; string names[2]; real r = 2.5;
  struct packed {logic [3:0] hi; logic [3:0] lo;} s; typedef enum {UP, DOWN} lift_t; lift_t lift = DOWN; int m[string]; int grid[2][3];
  function int next(); return ++a; endfunction
  function void fill(output int x, inout int y); x = 11; y += 1; endfunction
  task slow(output int x); #5 x = 77; endtask
  function heddle me(); return this; endfunction
endclass`,
      `heddle h; heddle list[$]; logic [7:0] b; int t; h = new;
h.w[7:4] = 4'hF; h.w[15] = 1; h.s.hi = 9; h.s.lo = 4; $display("%h %h", h.w, h.s);
h.arr[2] = 30; h.arr[3]++; h.names[1] = "b"; $display("%p %0d %s %p", h.arr, h.arr.sum(), h.names[1], h.lift);
list.push_back(new); list[0].a = 5; list[0].arr[0] -= 4; h.m["k"] = 3; h.m["k"]++; h.m["j"] += 2; $display("%0d %0d %p", list[0].a, list[0].arr[0], h.m);
h.me().a = 8; $display("%0d %0d", h.me().me().next(), h.a);
h.fill(t, h.a); $display("%0d %0d", t, h.a);
h.fill(list[0].a, h.grid[1][2]); $display("%0d %p", list[0].a, h.grid);
h.slow(h.a); $display("%0t %0d", $time, h.a);
void'($sscanf("12 34", "%d %d", h.a, h.grid[0][0])); $display("%0d %0d", h.a, h.grid[0][0]);
{h.s.lo, b} = 12'hABC; $display("%h %h %p", h.s, b, h.s);
for (h.a = 0; h.a < 3; h.a++) $write("%0d ", h.a); $display("");
h.r *= 2.0; h.names[0] = {h.names[1], "c"}; $display("%0.1f %s %0d", h.r, h.names[0], h.names[0].len());
list = '{h, null}; $display("%0d %b", list.size(), list[1] == null); list[0] = null; list.delete(); $display("%0d", list.size());`,
    ),
    [
      "92f4 94",
      "'{1, 2, 30, 5} 38 b DOWN",
      '5 -3 \'{"j":2, "k":4}',
      "9 9",
      "11 10",
      "11 '{'{0, 0, 0}, '{0, 0, 1}}",
      "5 77",
      "12 34",
      "9a bc '{hi:9, lo:10}",
      "0 1 2 ",
      "5.0 bc 2",
      "2 1",
      "0",
    ],
  );
  prints(
    "wake those who wait for a variable, an array or an event of theirs",
    `class gate; int n; int q[$]; event open; endclass
module tb; gate g = new;
initial begin
  fork
    begin wait (g.n == 3); $display("n %0t", $time); end
    begin wait (g.q.size() > 1); $display("q %0t", $time); end
    begin @(g.open); $display("open %0t", $time); @(g.n); $display("again %0t", $time); end
  join
end
initial begin #2 g.n = 1; #2 g.n++; #2 g.n = 3; #1 g.q.push_back(1); #1 g.q.push_back(2); #1 -> g.open; #4 g.n = 3; #1 g.n = 4; end
endmodule
`,
    ["n 6", "q 8", "open 9", "again 14"],
  );
});

describe("classes that extend others", () => {
  const shapes = `virtual class shape;
  protected string label; static int count; localparam int K = 3; typedef enum {RED, GREEN = 5} color_t; color_t color = GREEN;
  function new(string label); this.label = label; count++; endfunction
  pure virtual function real area();
  virtual function string show(); return $sformatf("%s %0.1f %s", label, area(), color.name()); endfunction
  static function int total(); return count * K; endfunction
  function string plain(); return "shape"; endfunction
endclass
class square extends shape;
  local real side;
  function new(real side); super.new("square"); this.side = side; endfunction
  virtual function real area(); return side * side; endfunction
  function string plain(); return "square"; endfunction
endclass
class circle extends shape;
  real r = 1.5;
  function new(); super.new("circle"); endfunction
  function real area(); return 3.0 * r * r; endfunction
  function string show(); color = RED; return {"<", super.show(), ">"}; endfunction
endclass
class dot extends circle; function real area(); return 0.0; endfunction extern function int twice(int x = 4); endclass
function int dot::twice(int x); return 2 * x + int'(r); endfunction`;
  prints(
    "have virtual methods, abstract bases, static members and what is behind '::'",
    bench(
      shapes,
      `shape s[$]; square q; circle c; dot d; shape::color_t col; q = new(2.0); c = new; d = new;
s = '{q, c, d}; foreach (s[i]) $display("%s", s[i].show());
$display("%0d %0d %0d %s", shape::count, shape::total(), square::K, c.color.name()); col = shape::GREEN; $display("%0d %0d %0d", col, d.twice(), d.twice(1));
$display("%s %s", q.plain(), s[0].plain());`,
    ),
    ["square 4.0 GREEN", "<circle 6.8 RED>", "<circle 0.0 RED>", "3 9 3 RED", "5 10 4", "square shape"],
  );
  prints(
    "are told apart by $cast",
    bench(
      shapes,
      `shape s; square q; circle c; c = new; s = c;
if (!$cast(q, s)) $display("no square %b", q == null); if ($cast(c, s)) $display("circle");
s = new c; $display("%0d", $cast(c, s)); s = null; $display("%0d", $cast(q, s));`,
    ),
    ["no square 1", "circle", "1", "1"],
  );
  prints(
    "take types and values as parameters, within themselves too",
    bench(
      `class node #(type T = int); T value; node #(T) next; function new(T value, node #(T) next = null); this.value = value; this.next = next; endfunction endclass
class list #(type T = int, int MOST = 99);
  typedef node #(T) node_t;
  node_t head; int n;
  function bit add(T v); if (n >= MOST) return 0; head = new(v, head); n++; return 1; endfunction
  function T sum(); T s = 0; for (node_t k = head; k != null; k = k.next) s += k.value; return s; endfunction
  static function int most(); return MOST; endfunction
endclass
class named #(int W = 4) extends list #(bit [W-1:0], W); string name = "named"; endclass`,
      `list li; list #(byte, 2) lb; named #(3) nm; li = new; lb = new; nm = new;
for (int i = 1; i <= 4; i++) void'(li.add(i * 100)); $display("%0d %0d %0d", li.sum(), li.n, li.head.next.value);
$display("%b %b %b %0d", lb.add(100), lb.add(100), lb.add(1), lb.sum());
$display("%b %b %0d %0d %s", nm.add(7), nm.add(5), nm.sum(), named #(3)::most(), nm.name);
li.head.next.value += 5; li.head.next.next.value++; $display("%0d", li.sum());`,
    ),
    ["1000 4 300", "1 1 0 -56", "1 1 4 3 named", "1006"],
  );
  prints(
    "use what the module around them has, and run as processes",
    `module tb;
bit clk; int ticks; logic [7:0] bus;
always #5 clk = ~clk;
class driver;
  mailbox #(int) mb; event done; int sent[int];
  function new(mailbox #(int) mb); this.mb = mb; endfunction
  task run(); int v; forever begin mb.get(v); @(posedge clk); bus <= v; sent[v]++; ticks++; if (v == 3) -> done; end endtask
endclass
mailbox #(int) mb = new; driver d;
initial begin
  d = new(mb); fork d.run(); join_none
  mb.put(1); mb.put(3); @(d.done); $display("%0t %0d %p", $time, ticks, d.sent); #1 $display("%0d", bus);
  $finish;
end
endmodule
`,
    ["15 2 '{1:1, 3:1}", "3"],
  );
});

describe("mailboxes and semaphores", () => {
  prints(
    "hold values of any type, or of one",
    `class item; int v; function new(int v = 0); this.v = v; endfunction endclass
module tb; mailbox mb = new; mailbox #(item) two = new(2);
initial begin item it; for (int i = 0; i < 3; i++) begin #10; mb.put(i * 5); end mb.put("text"); it = new(42); mb.put(it); mb.put(2.5); end
initial begin int x; string s; item it; real r;
  repeat (3) begin mb.get(x); $display("%0t got %0d", $time, x); end
  mb.peek(s); mb.get(s); mb.get(it); $display("%s %0d %0d", s, it.v, mb.num()); mb.get(r); $display("%0.1f", r);
  x = 4; if (!mb.try_get(x)) $display("empty %0d", x);
  it = new(1); $display("%0d", two.try_put(it)); it = new(2); two.put(it); $display("%0d", two.try_put(it));
  fork begin item k = new(3); two.put(k); $display("%0t put", $time); end begin item k; repeat (3) begin #3; two.get(k); $display("%0t took %0d", $time, k.v); end end join
end
endmodule
`,
    [
      "10 got 0",
      "20 got 5",
      "30 got 10",
      "text 42 1",
      "2.5",
      "empty 4",
      "1",
      "0",
      "33 took 1",
      "33 put",
      "36 took 2",
      "39 took 3",
    ],
  );
  prints(
    "let in those who wait in their order",
    `module tb; semaphore s = new(1); int order[$];
for (genvar i = 0; i < 4; i++) initial begin #(i); s.get(); order.push_back(i); #10 s.put(); end
initial begin #1 $display("%0d", s.try_get()); #50 $display("%p %0d", order, s.try_get(1)); s.put(3); s.get(3); $display("all %0d", s.try_get()); end
endmodule
`,
    ["0", "'{0, 1, 2, 3} 1", "all 0"],
  );
  it("tell a value of another type, where it is taken", () => {
    const ran = runText(
      `module tb; mailbox mb = new; int x;\ninitial begin mb.put("no number");\nmb.get(x); end endmodule\n`,
      {
        top: "tb",
      },
    );
    expect(ran.findings).toEqual([expect.stringMatching(/^t\.sv:3:\d+: error: \[sim\/type\] What the mailbox holds/)]);
  });
});

describe("what is wrong with classes is told where it stands", () => {
  const head = `class base; local int hidden; protected int kept; const int fixed = 3; int a; static int s;
function new(int a); this.a = a; endfunction
function void f(); endfunction
static function int g(); return s; endfunction
endclass
virtual class open; pure virtual function int h(); endclass
`;
  const cases: [string, string, RegExp][] = [
    ["a name that is not there", "base b = new(1); b.aa = 2;", /verilog\/member.*has no 'aa'.*Did you mean/],
    ["a local variable", "base b = new(1); b.hidden = 2;", /verilog\/class-access.*'hidden' is local to class 'base'/],
    ["a protected variable", "base b = new(1); $display(b.kept);", /verilog\/class-access.*protected/],
    ["a constant", "base b = new(1); b.fixed = 2;", /verilog\/target.*constant/],
    ["arguments of a constructor", "base b; b = new;", /verilog\/arguments.*needs a value for 'a'/],
    ["a class without objects", "open o; o = new;", /verilog\/class.*virtual/],
    ["a handle of another class", "base b; open o; b = o;", /verilog\/type.*cannot be assigned/],
    ["a number for a handle", "base b; b = 3;", /verilog\/type.*is no object/],
    ["an object for a number", "base b; int i; b = new(1); i = b;", /verilog\/array-value.*is an object/],
    ["sums of objects", "base b, c; int i; i = b + c;", /error/],
    ["order of objects", "base b, c; if (b < c) b = c;", /verilog\/type.*no order/],
    ["a variable of no object", "int i; i = base::a;", /verilog\/class.*no object here/],
    ["randomization", "base b = new(1); void'(b.randomize());", /verilog\/unsupported.*not randomized/],
    ["non-blocking assignments", "base b = new(1); b.a <= 2;", /verilog\/target.*plain '='/],
    ["a method that is none", "base b = new(1); b.a();", /verilog\/method/],
    ["no new without a type", "int i; i = new;", /error/],
  ];
  for (const [name, body, pattern] of cases)
    it(name, () => {
      const ran = runText(bench(head, `begin ${body} end`), { top: "tb" });
      expect(ran.end).toBe("errors");
      expect(ran.findings.join("\n")).toMatch(pattern);
    });
  it("a handle that is null, when it is used", () => {
    const ran = runText(bench(head, 'base b; $display("begin");\n$display("%0d", b.a);'), { top: "tb" });
    expect(ran.text).toBe("begin\n");
    expect(ran.findings).toEqual([
      expect.stringMatching(/^t\.sv:\d+:\d+: error: \[sim\/null\] There is no object here/),
    ]);
  });
  it("constraints, bodies that are missing, and what extends itself", () => {
    const told = (text: string) => runText(`${text}\nmodule tb; endmodule\n`, { top: "tb" }).findings.join("\n");
    expect(told("class c; rand int x; constraint k { x > 3; x inside {[1:9]}; } int y; endclass")).toMatch(
      /verilog\/unsupported.*Constraints are not read/,
    );
    expect(told("class c; extern function int f(); endclass")).toMatch(/declared extern, but has no body/);
    expect(told("class c extends c; endclass")).toMatch(/extends itself/);
    expect(told("class c; int x; int x; endclass")).toMatch(/declared twice/);
    expect(told("class c; function int f(); return y; endfunction endclass")).toMatch(/'y' is not declared/);
    expect(told("class c; int x;")).toMatch(/has no 'endclass'/);
  });
  it("in a design they are no hardware, and the rest of a package with them is", () => {
    const pack = "package p; class c; int x; endclass localparam K = 3; endpackage\n";
    const ok = elaborate(
      [{ name: "t.sv", text: `${pack}module m(input a, output y); import p::*; assign y = a ^ (K == 3); endmodule\n` }],
      { top: "m" },
    );
    expect(ok.findings).toEqual([]);
    const not = elaborate(
      [
        {
          name: "t.sv",
          text: `${pack}module m(input clk, output logic [3:0] y); p::c o = new; always_ff @(posedge clk) begin o.x++; y <= o.x; end endmodule\n`,
        },
      ],
      { top: "m" },
    );
    expect(not.findings.map(({ code }) => code)).toContain("verilog/not-synthesizable");
  });
});

describe("arrays that grow", () => {
  prints(
    "are looked through by an expression",
    bench(
      "class item; int v; string n; function new(int v, string n); this.v = v; this.n = n; endfunction endclass",
      `int q[$] = '{5, 3, 9, 1}; int r[$]; int m[string]; string keys[$]; item items[$]; item found[$];
r = q.find with (item > 2); $display("%p", r); r = q.find_index(x) with (x == 9); $display("%p %p %p", r, q.min(), q.max());
q.sort with (-item); $display("%p %0d %0d", q, q.sum with (item * 2), q.sum); q.rsort(x) with (x % 7); $display("%p", q);
r = q.find_first with (item.index == 1); $display("%p", r); r = q.find_last_index with (item < 6); $display("%p", r);
r = '{1, 2, 1, 3, 2}; $display("%p %p %0d", r.unique(), r.unique_index with (item % 2), r.product with (item + 1));
m["a"] = 4; m["b"] = 7; keys = m.find_index with (item > 5); $display("%p %p", keys, m.find with (item.index == "a"));
items.push_back(new(3, "c")); items.push_back(new(1, "a")); items.sort with (item.v); $display("%s%s", items[0].n, items[1].n);
found = items.find(i) with (i.n == "c"); $display("%0d %0d", found.size(), found[0].v); $display("%b", r.and with (item > 0));`,
    ),
    [
      "'{5, 3, 9}",
      "'{2} '{1} '{9}",
      "'{9, 5, 3, 1} 36 18",
      "'{5, 3, 9, 1}",
      "'{3}",
      "'{3}",
      "'{1, 2, 3} '{0, 1} 144",
      "'{\"b\"} '{4}",
      "ac",
      "1 3",
      "1",
    ],
  );
  prints(
    "are elements of each other, arguments and results",
    bench(
      `package p; typedef int row_t[$];
function automatic row_t odd(row_t from); row_t to; foreach (from[i]) if (from[i] % 2) to.push_back(from[i]); from.delete(); return to; endfunction
function automatic void twice(ref int list[$]); foreach (list[i]) list[i] *= 2; endfunction
endpackage`,
      `import p::*; int qq[$][$]; int aq[string][$]; int dd[][]; int fixed[3][$]; row_t r; int q[$] = '{1, 2, 3};
qq.push_back('{1, 2}); qq.push_back(q); qq[0].push_back(77); q[0] = 9; $display("%p %0d %0d", qq, qq[1][0], qq[0].size());
aq["a"].push_back(4); aq["a"].push_back(5); $display("%p %0d %0d", aq, aq["a"].size(), aq.exists("b"));
dd = new[2]; foreach (dd[i]) dd[i] = new[i + 1]; dd[1][1] = 6; $display("%p", dd);
fixed[2].push_back(8); fixed[2].push_front(7); $display("%p", fixed); $display("%0d", fixed[2].pop_back());
r = odd(q); $display("%p %p %0d", r, q, odd('{1, 2, 3, 5}).size()); twice(q); twice(qq[1]); $display("%p %p", q, qq);
qq[1].delete(0); qq.delete(0); $display("%p", qq); qq = '{}; $display("%0d", qq.size());`,
    ),
    [
      "'{'{1, 2, 77}, '{1, 2, 3}} 1 3",
      "'{\"a\":'{4, 5}} 2 0",
      "'{'{0}, '{0, 6}}",
      "'{'{}, '{}, '{7, 8}}",
      "8",
      "'{9, 3} '{9, 2, 3} 3",
      "'{18, 4, 6} '{'{1, 2, 77}, '{2, 4, 6}}",
      "'{'{4, 6}}",
      "0",
    ],
  );
  it("wake those who wait for them", () => {
    expect(
      linesOf(
        'module tb; int q[$]; int m[int]; initial begin wait (q.size() == 2); $display("%0t", $time); wait (m.exists(4)); $display("%0t", $time); end initial begin #3 q.push_back(1); #3 q.push_back(2); #3 m[4] = 1; end endmodule\n',
        { top: "tb" },
      ),
    ).toEqual(["6", "9"]);
  });
});
