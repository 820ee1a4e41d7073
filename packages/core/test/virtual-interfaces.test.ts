import { describe, expect, it } from "vitest";
import { linesOf, runText } from "./helpers/simulation.ts";

const parts = `interface bus_if #(parameter W = 8) (input logic clk);
  logic valid = 0, ready = 1; logic [W-1:0] data = 0; int n = 0;
  modport drv(output valid, data, input ready, clk);
  task automatic pulse(input int k); n += k; endtask
  function int twice(); return 2 * n; endfunction
endinterface
interface other_if; logic x; endinterface
package pk;
  class driver;
    virtual bus_if.drv vif; string name;
    function new(virtual bus_if vif, string name = "d"); this.vif = vif; this.name = name; endfunction
    task send(input logic [7:0] v);
      @(posedge vif.clk); vif.valid <= 1; vif.data <= v;
      do @(posedge vif.clk); while (!vif.ready);
      vif.valid <= 0;
    endtask
  endclass
  class env;
    driver d[2]; virtual bus_if vifs[2]; static virtual bus_if first;
    function new(virtual bus_if a, virtual bus_if b);
      vifs[0] = a; vifs[1] = b; d[0] = new(a, "a"); d[1] = new(.vif(b)); first = a;
    endfunction
  endclass
endpackage
module dut(bus_if i, output logic [7:0] sum);
  virtual bus_if own = i; initial sum = 0;
  always @(posedge i.clk) if (own.valid && i.ready) sum <= sum + own.data;
endmodule
`;
const bench = (statements: string, more = "") => `${parts}
module tb; import pk::*;
  logic clk = 0; initial repeat (40) #5 clk = ~clk; logic [7:0] s0, s1;
  typedef virtual bus_if vt; vt v, w; virtual interface bus_if #(8) x = b; env e; vt q[$]; ${more}
  bus_if a(clk); bus_if b(clk); dut u0(a, s0); dut u1(b, s1);
  initial begin ${statements} end
endmodule`;
const run = (statements: string, more = "") => runText(bench(statements, more), { top: "tb" });

/** IEEE 1800-2017 clause 25.9, expectations by hand. */
describe("handles of interfaces", () => {
  it("lead objects to the instances that they were given", () => {
    expect(
      linesOf(
        bench(`e = new(a, b);
        fork e.d[0].send(5); e.d[1].send(7); join
        @(posedge clk); #1 $display("%0d %0d %b %h", s0, s1, a.valid, e.vifs[1].data);
        $display("%s %s %0d", e.d[0].name, e.d[1].name, env::first.n);`),
        { top: "tb" },
      ),
    ).toEqual(["5 7 0 07", "a d 0"]);
  });
  it("are assigned, compared, chosen and kept in arrays and queues", () => {
    expect(
      linesOf(
        bench(`$display("%b %b", v == null, x != null);
        v = a; w = v; $display("%b %b %b", v != null, v == w, x == w);
        #1 a.data = 3; b.data = 4; v = (s0 == 0) ? b : a; $display("%0d", v.data);
        q.push_back(a); q.push_back(v); foreach (q[i]) begin w = q[i]; $write("%0d ", w.data); end $display;`),
        { top: "tb" },
      ),
    ).toEqual(["1 1", "1 1 0", "4", "3 4 "]);
  });
  it("are read, written, called through and waited on as the instance is", () => {
    expect(
      linesOf(
        bench(`x = a; v = a; v.n = 4; v.n += 2; x.n++; v.pulse(10); $display("%0d %0d", a.n, v.twice());
        v.data[3:0] = 4'hA; v.data[7] <= 1; #1 $display("%h %b", a.data, {v.data[1], x.data[0]});
        v = b; fork #3 v.ready = 0; @(v.ready) $display("changed %0t", $time); wait (!b.ready) $display("low"); join
        $display("%0d", $bits(v.data));`),
        { top: "tb" },
      ),
    ).toEqual(["17 34", "8a 10", "changed 4", "low", "8"]);
  });
  it("end the run where there is nothing behind them", () => {
    const ran = run(`v = a; v.ready = 1; v = null; $display("so far"); v.ready = 0; $display("not this");`);
    expect(ran.text).toBe("so far\n");
    expect(ran.findings.join("\n")).toMatch(/t\.sv:\d+:\d+: error: \[sim\/null\].* handle is null/);
    const read = run(
      'logic [7:0] k; k = v.data; $display("not this");'.replace("logic [7:0] k;", ""),
      "logic [7:0] k;",
    );
    expect([read.text, /sim\/null/.test(read.findings.join())]).toEqual(["", true]);
  });
  it("take instances of their interface alone", () => {
    const wrong: [statements: string, words: RegExp, more?: string][] = [
      ["v = o;", /'o' is no instance of interface 'bus_if'/, "other_if o();"],
      ["v = s0;", /'s0' is no instance of interface 'bus_if'/],
      ["v = z;", /'z' is no instance/, "virtual other_if z;"],
      ["v.nothing = 1;", /nothing/],
      ["z = null; z.x = 1;", /no instance of interface 'other_if'/, "virtual other_if z;"],
      ["", /There is no interface 'bus_of'.*Did you mean 'bus_if'/, "virtual bus_of z;"],
      ["{v.valid, v.ready} = 2'b11;", /'valid' cannot be reached through a handle here/],
      ["e = new(a, b); s0 = e.vifs[k++].data;", /Put the handle into a variable first/, "int k;"],
      ["e = new(a, 3);", /no instance of interface/],
    ];
    for (const [statements, words, more] of wrong) {
      const ran = run(statements, more);
      expect([statements, ran.end]).toEqual([statements, "errors"]);
      expect(ran.findings.join("\n")).toMatch(words);
    }
  });
});
