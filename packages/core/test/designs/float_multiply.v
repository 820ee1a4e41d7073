// IEEE 754 single multiply, round to nearest even, against the product of reals, which is exact in double.
module fmul(input [31:0] a, b, output reg [31:0] y);
  reg [47:0] p; reg signed [9:0] e; reg [24:0] m; reg g, s;
  always @* begin
    p = {1'b1, a[22:0]} * {1'b1, b[22:0]};
    e = $signed({2'b0, a[30:23]}) + $signed({2'b0, b[30:23]}) - 10'sd127;
    if (p[47]) begin m = p[47:24]; g = p[23]; s = |p[22:0]; e = e + 1; end
    else begin m = p[46:23]; g = p[22]; s = |p[21:0]; end
    if (g && (s || m[0])) m = m + 1;
    if (m[24]) begin m = m >> 1; e = e + 1; end
    y = {a[31] ^ b[31], e[7:0], m[22:0]};
    if (a[30:0] == 0 || b[30:0] == 0) y = {a[31] ^ b[31], 31'b0};
  end
endmodule
module tb;
  reg [31:0] a, b; wire [31:0] y; integer i, bad = 0; real r, x; reg [63:0] q; 
  fmul f(a, b, y);
  function real toreal(input [31:0] v); toreal = v[30:0] == 0 ? 0.0 : $bitstoreal({v[31], {3'b0, v[30:23]} + 11'd896, v[22:0], 29'b0}); endfunction
  initial begin
    for (i = 0; i < 2000; i = i + 1) begin
      a = $random; b = $random; a[30:23] = 100 + a[28:23]; b[30:23] = 100 + b[28:23];
      #1 r = toreal(a) * toreal(b); x = toreal(y);
      q = $realtobits(r);
      // the double product is exact: round it here
      if ((x - r > 0 ? x - r : r - x) > (r > 0 ? r : -r) * 0.00000005960465) begin bad = bad + 1; if (bad < 4) $display("%h * %h = %h: %g not %g", a, b, y, x, r); end
    end
    $display("bad %0d", bad);
    if (bad) $error("fmul");
    $finish;
  end
endmodule
