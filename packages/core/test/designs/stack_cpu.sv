module stack_cpu #(parameter N = 16)(input logic clk, rst, output logic [31:0] out, output logic ready);
  typedef enum logic [3:0] {PUSH, ADD, SUB, MUL, DUP, SWAP, OVER, JNZ, OUT, HALT, DEC, DROP} op_e;
  typedef struct packed { op_e op; logic signed [11:0] arg; } ins_t;
  ins_t rom [N];
  initial begin
    rom = '{default: '{op: HALT, arg: '0}};
    rom[0] = '{PUSH, 1}; rom[1] = '{PUSH, 10};
    rom[2] = '{SWAP, 0}; rom[3] = '{OVER, 0}; rom[4] = '{MUL, 0}; rom[5] = '{SWAP, 0}; rom[6] = '{DEC, 0}; rom[7] = '{JNZ, 2};
    rom[8] = '{DROP, 0}; rom[9] = '{OUT, 0};
  end
  logic signed [31:0] st [8]; logic [2:0] sp; logic [$clog2(N)-1:0] pc;
  wire ins_t ir = rom[pc];
  wire signed [31:0] a = st[sp - 3'd1], b = st[sp - 3'd2];
  always_ff @(posedge clk) begin
    if (rst) begin sp <= 0; pc <= 0; ready <= 0; out <= 0; end
    else if (!ready) begin
      pc <= pc + 1'b1;
      case (ir.op)
        PUSH: begin st[sp] <= 32'(ir.arg); sp <= sp + 1'b1; end
        ADD, SUB, MUL: begin
          st[sp - 3'd2] <= ir.op == ADD ? b + a : ir.op == SUB ? b - a : b * a;
          sp <= sp - 1'b1;
        end
        DUP: begin st[sp] <= a; sp <= sp + 1'b1; end
        OVER: begin st[sp] <= b; sp <= sp + 1'b1; end
        SWAP: begin st[sp - 3'd1] <= b; st[sp - 3'd2] <= a; end
        DEC: st[sp - 3'd1] <= a - 1;
        JNZ: if (a != 0) pc <= ir.arg[$clog2(N)-1:0];
        DROP: sp <= sp - 1'b1;
        OUT: out <= a;
        HALT: ready <= 1;
        default: ;
      endcase
    end
  end
endmodule
module tb;
  bit clk, rst = 1; wire [31:0] out; wire ready;
  stack_cpu cpu(.*);
  always #5 clk = !clk;
  initial begin @(negedge clk) rst = 0; @(posedge ready) $display("%0d", out); if (out != 3628800) $fatal(1, "wrong"); $finish; end
endmodule
