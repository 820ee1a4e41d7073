// A filter for the warp tension: 8 taps, signed
module fir(input clk, input rst, input signed [15:0] x, output reg signed [31:0] y);
  reg signed [15:0] d [0:7]; reg signed [31:0] p [0:7]; integer i;
  function signed [15:0] coef(input [2:0] k); coef = (k * 37) - 90; endfunction
  reg signed [31:0] sum;
  always @* begin sum = 0; for (i = 0; i < 8; i = i + 1) sum = sum + p[i]; end
  always @(posedge clk)
    if (rst) begin for (i = 0; i < 8; i = i + 1) begin d[i] <= 0; p[i] <= 0; end y <= 0; end
    else begin
      d[0] <= x; for (i = 1; i < 8; i = i + 1) d[i] <= d[i-1];
      for (i = 0; i < 8; i = i + 1) p[i] <= d[i] * coef(i);
      y <= sum;
    end
endmodule
module tb;
  reg clk = 0, rst = 1; reg signed [15:0] x = 0; wire signed [31:0] y;
  fir dut(.clk(clk), .rst(rst), .x(x), .y(y));
  always #5 clk = ~clk;
  always @(negedge clk) x <= x * 5 + 77;
  initial begin #22 rst = 0; repeat (500000) @(posedge clk); $display("%0d", y); $finish; end
endmodule
