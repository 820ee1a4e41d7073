`default_nettype none
`define OPW 7
module regfile(input wire clk, input wire we, input wire [4:0] wa, input wire [31:0] wd, input wire [4:0] ra, rb, output wire [31:0] da, db);
  reg [31:0] r [1:31];
  assign da = |ra ? r[ra] : 0;
  assign db = |rb ? r[rb] : 0;
  always @(posedge clk) if (we && |wa) r[wa] <= wd;
endmodule
module alu(input wire [31:0] a, b, input wire [2:0] f, input wire alt, output reg [31:0] y);
  always @* case (f)
    3'd0: y = alt ? a - b : a + b;
    3'd1: y = a << b[4:0];
    3'd2: y = {31'b0, $signed(a) < $signed(b)};
    3'd3: y = {31'b0, a < b};
    3'd4: y = a ^ b;
    3'd5: y = alt ? $signed(a) >>> b[4:0] : a >> b[4:0];
    3'd6: y = a | b;
    default: y = a & b;
  endcase
endmodule
module cpu #(parameter SIZE = 256)(input wire clk, rst, output reg halt, output reg [31:0] out);
  reg [31:0] mem [0:SIZE-1];
  reg [31:0] pc;
  wire [31:0] ir = mem[pc[9:2]];
  wire [`OPW-1:0] op = ir[6:0];
  wire [31:0] da, db, y;
  wire is_imm = op == 7'h13, is_reg = op == 7'h33, is_lui = op == 7'h37, is_br = op == 7'h63, is_jal = op == 7'h6f, is_lw = op == 7'h03, is_sw = op == 7'h23, is_sys = op == 7'h73, is_jalr = op == 7'h67;
  wire [31:0] immi = {{20{ir[31]}}, ir[31:20]}, imms = {{20{ir[31]}}, ir[31:25], ir[11:7]},
    immb = {{20{ir[31]}}, ir[7], ir[30:25], ir[11:8], 1'b0}, immj = {{12{ir[31]}}, ir[19:12], ir[20], ir[30:21], 1'b0};
  wire [31:0] addr = da + (is_sw ? imms : immi);
  alu u_alu(.a(da), .b(is_reg ? db : immi), .f(is_imm || is_reg ? ir[14:12] : 3'd0), .alt(ir[30] && (is_reg || ir[14:12] == 5)), .y(y));
  wire [31:0] wd = is_lui ? {ir[31:12], 12'b0} : is_jal || is_jalr ? pc + 4 : is_lw ? mem[addr[9:2]] : y;
  regfile rf(.clk(clk), .we(!rst && (is_imm | is_reg | is_lui | is_jal | is_lw | is_jalr)), .wa(ir[11:7]), .wd(wd), .ra(ir[19:15]), .rb(ir[24:20]), .da(da), .db(db));
  reg taken;
  always @(*) begin
    taken = 0;
    case (ir[14:12])
      0: taken = da == db; 1: taken = da != db;
      4: taken = $signed(da) < $signed(db); 5: taken = $signed(da) >= $signed(db);
      6: taken = da < db; 7: taken = da >= db;
    endcase
  end
  always @(posedge clk)
    if (rst) begin pc <= 0; halt <= 0; out <= 0; end
    else if (!halt) begin
      pc <= is_br && taken ? pc + immb : is_jal ? pc + immj : is_jalr ? {addr[31:1], 1'b0} : pc + 4;
      if (is_sw) begin if (addr[31]) out <= db; else mem[addr[9:2]] <= db; end
      if (is_sys) halt <= 1;
    end
endmodule
module tb;
  reg clk = 0, rst = 1;
  wire halt; wire [31:0] out;
  cpu c(clk, rst, halt, out);
  always #5 clk = !clk;
  integer i;
  // counts the primes below 100, by trial division with subtraction
  task put(input [7:0] at, input [31:0] w); c.mem[at] = w; endtask
  function [31:0] I(input [11:0] imm, input [4:0] rs, input [2:0] f, input [4:0] rd, input [6:0] o); I = {imm, rs, f, rd, o}; endfunction
  function [31:0] R(input [6:0] f7, input [4:0] rs2, rs1, input [2:0] f, input [4:0] rd); R = {f7, rs2, rs1, f, rd, 7'h33}; endfunction
  function [31:0] B(input signed [12:0] o, input [4:0] rs2, rs1, input [2:0] f); B = {o[12], o[10:5], rs2, rs1, f, o[4:1], o[11], 7'h63}; endfunction
  initial begin
    put(0, I(2, 0, 0, 1, 7'h13));      // n = 2
    put(1, I(0, 0, 0, 2, 7'h13));      // count = 0
    put(2, I(100, 0, 0, 3, 7'h13));    // limit
    put(3, I(2, 0, 0, 4, 7'h13));      // d = 2      (outer)
    put(4, B(28, 1, 4, 5));            // d >= n: prime -> 11   (inner)
    put(5, I(0, 1, 0, 5, 7'h13));      // x = n
    put(6, R(7'h20, 4, 5, 0, 5));      // x -= d
    put(7, B(-4, 4, 5, 5));            // x >= d: 6
    put(8, B(16, 0, 5, 0));            // x == 0: composite -> 12
    put(9, I(1, 4, 0, 4, 7'h13));      // d++
    put(10, B(-24, 0, 0, 0));          // -> 4
    put(11, I(1, 2, 0, 2, 7'h13));     // count++
    put(12, I(1, 1, 0, 1, 7'h13));     // n++
    put(13, B(-40, 3, 1, 4));          // n < limit -> 3
    put(14, {20'h80000, 5'd6, 7'h37}); // lui x6
    put(15, {7'b0, 5'd2, 5'd6, 3'd2, 5'd0, 7'h23}); // out = count
    put(16, 32'h00000073);
    repeat (2) @(negedge clk); rst = 0;
    wait (halt) #1 $display("primes %0d at %0t", out, $time);
    if (out !== 25) $error("primes");
    $finish;
  end
endmodule
