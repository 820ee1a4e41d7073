package md5_pkg;
  typedef logic [31:0] word_t;
  typedef struct packed { word_t a, b, c, d; } state_t;
  localparam state_t INIT = '{a: 32'h67452301, b: 32'hefcdab89, c: 32'h98badcfe, d: 32'h10325476};
  localparam int unsigned S [4][4] = '{'{7, 12, 17, 22}, '{5, 9, 14, 20}, '{4, 11, 16, 23}, '{6, 10, 15, 21}};
  function automatic word_t rol(word_t x, int unsigned n); return (x << n) | (x >> (32 - n)); endfunction
  function automatic word_t K(int i);
    real s = $sin(i + 1.0);
    if (s < 0) s = -s;
    return word_t'($rtoi(s * 2147483648.0)) * 2 + ((s * 4294967296.0 - 2.0 * $rtoi(s * 2147483648.0)) >= 1.0 ? 1 : 0);
  endfunction
  function automatic state_t round(state_t s, word_t m, int i);
    word_t f;
    unique case (i / 16)
      0: f = (s.b & s.c) | (~s.b & s.d);
      1: f = (s.d & s.b) | (~s.d & s.c);
      2: f = s.b ^ s.c ^ s.d;
      3: f = s.c ^ (s.b | ~s.d);
    endcase
    f = f + s.a + K(i) + m;
    return '{a: s.d, d: s.c, c: s.b, b: s.b + rol(f, S[i / 16][i % 4])};
  endfunction
endpackage
interface hash_if(input logic clk);
  logic start, done;
  logic [511:0] block;
  logic [127:0] digest;
  modport core(input clk, start, block, output done, digest);
  modport user(input done, digest, output start, block);
endinterface
module md5(hash_if.core h);
  import md5_pkg::*;
  state_t s;
  logic [6:0] i;
  wire [3:0] g = i < 16 ? i : i < 32 ? 5 * i + 1 : i < 48 ? 3 * i + 5 : 7 * i;
  function automatic word_t swap(word_t w); return {w[7:0], w[15:8], w[23:16], w[31:24]}; endfunction
  always_ff @(posedge h.clk)
    if (h.start) begin i <= 0; s <= INIT; end
    else if (i < 64) begin i <= i + 1; s <= round(s, swap(h.block[511 - 32 * g -: 32]), i); end
  assign h.done = i == 64;
  assign h.digest = {swap(s.a + INIT.a), swap(s.b + INIT.b), swap(s.c + INIT.c), swap(s.d + INIT.d)};
endmodule
module tb;
  logic clk = 0;
  always #5 clk = ~clk;
  hash_if h(clk);
  md5 dut(h);
  initial begin
    string text = "abc";
    h.block = '0;
    foreach (text[i]) h.block[511 - 8 * i -: 8] = text[i];
    h.block[511 - 8 * text.len() -: 8] = 8'h80;
    h.block[63:56] = text.len() * 8;
    h.start = 1; @(posedge clk); #1 h.start = 0;
    wait (h.done); $display("%h", h.digest);
    assert (h.digest === 128'h900150983cd24fb0d6963f7d28e17f72) else $error("md5");
    $finish;
  end
endmodule
