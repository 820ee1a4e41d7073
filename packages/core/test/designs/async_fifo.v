// A FIFO between two clocks with Gray pointers, and gate primitives with supplies and pulls.
module fifo2 #(parameter W = 8, A = 3)(input wclk, wrst, push, input [W-1:0] din, output reg full, input rclk, rrst, pop, output [W-1:0] dout, output reg empty);
  reg [A:0] wb, wg, rb, rg, w1, w2, r1, r2;
  reg [W-1:0] m [(1<<A)-1:0];
  wire [A:0] wbn = wb + (push & ~full), wgn = wbn ^ (wbn >> 1), rbn = rb + (pop & ~empty), rgn = rbn ^ (rbn >> 1);
  assign dout = m[rb[A-1:0]];
  always @(posedge wclk) if (push & ~full) m[wb[A-1:0]] <= din;
  always @(posedge wclk or posedge wrst) if (wrst) {wb, wg, r1, r2, full} <= 0; else begin
    wb <= wbn; wg <= wgn; {r2, r1} <= {r1, rg}; full <= wgn == {~r2[A:A-1], r2[A-2:0]}; end
  always @(posedge rclk or posedge rrst) if (rrst) begin {rb, rg, w1, w2} <= 0; empty <= 1; end else begin
    rb <= rbn; rg <= rgn; {w2, w1} <= {w1, wg}; empty <= rgn == w2; end
endmodule
module gates(input a, b, c, s, output y, z, w, output [3:0] dec);
  wire n1, n2, n3; supply1 vdd; supply0 gnd;
  nand #1 (n1, a, b), (n2, n1, c);
  xor x1(y, n1, n2);
  bufif1 (w, a, s); bufif0 (w, b, s);
  and d[3:0](dec, {4{vdd}}, {a, b, c, s});
  tri0 p; pmos (p, a, s);
  or (z, p, gnd);
endmodule
module tb;
  reg wclk = 0, rclk = 0, rst = 1, push = 0, pop = 0; reg [7:0] din = 0; wire full, empty; wire [7:0] dout; reg a, b, c, s; wire y, z, w; wire [3:0] dec;
  fifo2 f(wclk, rst, push, din, full, rclk, rst, pop, dout, empty);
  gates g(a, b, c, s, y, z, w, dec);
  always #3 wclk = ~wclk; always #5 rclk = ~rclk;
  integer n = 0, bad = 0, k; reg [7:0] exp = 0;
  always @(negedge wclk) if (!rst) begin push = $random; if (push && !full) begin din = n; n = n + 1; end end
  always @(posedge wclk) if (push && full) ;
  always @(negedge rclk) if (!rst) begin pop = 0; if (!empty) begin if (dout !== exp) bad = bad + 1; exp = exp + 1; pop = 1; end end
  initial begin
    #20 rst = 0; #5000 $display("%0d bad %0d many %b", exp > 100, bad, n > 100);
    for (k = 0; k < 16; k = k + 5) begin {a, b, c, s} = k; #4 $display("%b %b %b %b %b", k[3:0], y, z, w, dec); end
    $finish;
  end
endmodule
