// 16 pattern generators and a running sum of them
module lfsr #(parameter SEED = 1)(input clk, input rst, input en, output reg [15:0] q);
  wire fb = q[15] ^ q[13] ^ q[12] ^ q[10];
  always @(posedge clk)
    if (rst) q <= SEED;
    else if (en) q <= {q[14:0], fb};
endmodule
module bank(input clk, input rst, input [15:0] en, output [15:0] sum);
  wire [15:0] q [0:15];
  genvar i;
  generate for (i = 0; i < 16; i = i + 1) begin : g
    lfsr #(.SEED(i * 257 + 1)) u(.clk(clk), .rst(rst), .en(en[i]), .q(q[i]));
  end endgenerate
  reg [15:0] acc; reg [15:0] s; integer k;
  always @* begin s = 0; for (k = 0; k < 16; k = k + 1) s = s ^ q[k]; end
  always @(posedge clk) if (rst) acc <= 0; else acc <= acc + s;
  assign sum = acc;
endmodule
module tb;
  reg clk = 0, rst = 1; wire [15:0] sum;
  bank dut(.clk(clk), .rst(rst), .en(16'hFFFF), .sum(sum));
  always #5 clk = ~clk;
  initial begin #22 rst = 0; repeat (500000) @(posedge clk); $display("%h", sum); $finish; end
endmodule
