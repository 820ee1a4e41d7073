module quarter(input [31:0] a, b, c, d, output [31:0] qa, qb, qc, qd);
  function automatic [31:0] rotl(input [31:0] x, input integer n); rotl = {x, x} >> (32 - n); endfunction
  wire [31:0] a1 = a + b, d1 = rotl(d ^ a1, 16), c1 = c + d1, b1 = rotl(b ^ c1, 12);
  assign qa = a1 + b1, qd = rotl(d1 ^ qa, 8), qc = c1 + qd, qb = rotl(b1 ^ qc, 7);
endmodule
module chacha(input clk, input go, input [31:0] in [16], output logic [31:0] out [16], output logic done);
  logic [31:0] x [16]; wire [31:0] y [16], z [16]; logic [3:0] n;
  genvar i;
  generate
    for (i = 0; i < 4; i++) begin : col
      quarter q(x[i], x[4+i], x[8+i], x[12+i], y[i], y[4+i], y[8+i], y[12+i]);
      quarter d(y[i], y[4+(i+1)%4], y[8+(i+2)%4], y[12+(i+3)%4], z[i], z[4+(i+1)%4], z[8+(i+2)%4], z[12+(i+3)%4]);
    end
  endgenerate
  always_ff @(posedge clk)
    if (go) begin x <= in; n <= 0; done <= 0; end
    else if (n < 10) begin x <= z; n <= n + 1; end
    else begin for (int k = 0; k < 16; k++) out[k] <= x[k] + in[k]; done <= 1; end
endmodule
module tb;
  logic clk = 0, go = 1, done; logic [31:0] in[16], out[16];
  chacha c(.*);
  always #1 clk = ~clk;
  initial begin
    in[0:3] = '{32'h61707865, 32'h3320646e, 32'h79622d32, 32'h6b206574};
    for (int i = 0; i < 8; i++) in[4+i] = {8'(4*i+3), 8'(4*i+2), 8'(4*i+1), 8'(4*i)};
    in[12:15] = '{1, 32'h09000000, 32'h4a000000, 0};
    @(posedge clk) #0 go <= #1 0;
    @(posedge done); #1;
    foreach (out[i]) $write("%h%s", out[i], i % 4 == 3 ? "\n" : " ");
    assert (out[0] == 32'he4e7f110 && out[15] == 32'h4e3c50a2) else $error("chacha");
    $finish;
  end
endmodule
