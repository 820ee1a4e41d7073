// A small processor that steps through a program
module cpu(input clk, input rst, output reg [15:0] out, output reg halted);
  reg [15:0] rom [0:63]; reg [15:0] regs [0:7]; reg [15:0] ram [0:255]; reg [7:0] pc;
  wire [15:0] op = rom[pc[5:0]];
  wire [3:0] code = op[15:12]; wire [2:0] rd = op[11:9], ra = op[8:6], rb = op[5:3]; wire [5:0] imm = op[5:0];
  wire [15:0] a = regs[ra], b = regs[rb];
  reg [15:0] y; reg we;
  always @* begin
    y = 0; we = 1;
    case (code)
      4'd0: y = a + b;
      4'd1: y = a - b;
      4'd2: y = a & b;
      4'd3: y = a ^ b;
      4'd4: y = {10'd0, imm};
      4'd5: y = a + {{10{imm[5]}}, imm};
      4'd6: y = a << b[3:0];
      4'd7: y = ram[a[7:0]];
      default: we = 0;
    endcase
  end
  always @(posedge clk)
    if (rst) begin pc <= 0; out <= 0; halted <= 0; end
    else begin
      pc <= pc + 1;
      if (we) regs[rd] <= y;
      if (code == 4'd8) ram[a[7:0]] <= b;
      if (code == 4'd9 && regs[rd] != 0) pc <= pc + {{2{imm[5]}}, imm};
      if (code == 4'd10) out <= a;
      if (code == 4'd15) halted <= 1;
    end
endmodule
module tb;
  reg clk = 0, rst = 1; wire [15:0] out; wire halted;
  cpu dut(.clk(clk), .rst(rst), .out(out), .halted(halted));
  always #5 clk = ~clk;
  integer i;
  initial begin
    for (i = 0; i < 64; i = i + 1) dut.rom[i] = 16'hF000;
    for (i = 0; i < 8; i = i + 1) dut.regs[i] = 0;
    for (i = 0; i < 256; i = i + 1) dut.ram[i] = i * 3;
    dut.rom[0] = {4'd4, 3'd1, 3'd0, 6'd1};   // r1 = 1
    dut.rom[1] = {4'd0, 3'd2, 3'd2, 3'd1, 3'd0}; // r2 += r1
    dut.rom[2] = {4'd3, 3'd3, 3'd3, 3'd2, 3'd0}; // r3 ^= r2
    dut.rom[3] = {4'd7, 3'd4, 3'd2, 6'd0};   // r4 = ram[r2]
    dut.rom[4] = {4'd0, 3'd5, 3'd5, 3'd4, 3'd0}; // r5 += r4
    dut.rom[5] = {4'd8, 3'd0, 3'd2, 3'd3, 3'd0}; // ram[r2] = r3
    dut.rom[6] = {4'd10, 3'd0, 3'd5, 6'd0};  // out = r5
    dut.rom[7] = {4'd9, 3'd1, 3'd0, -6'sd6}; // loop
    #22 rst = 0;
    repeat (500000) @(posedge clk);
    $display("%h", out); $finish;
  end
endmodule
