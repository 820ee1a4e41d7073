package loom_pkg;
  typedef enum logic [2:0] {IDLE, SHED, PICK, BEAT, TAKEUP} state_e;
  typedef struct packed { logic valid; logic [3:0] shaft; logic [7:0] count; } entry_t;
  typedef union packed { logic [12:0] raw; entry_t e; } word_u;
  typedef struct packed { state_e st; entry_t [1:0] pair; } big_t;
  parameter int DEPTH = 4;
  function automatic int unsigned popcount(input logic [31:0] v); int unsigned n; n = 0; for (int i = 0; i < 32; i++) if (v[i]) n++; return n; endfunction
endpackage
interface bus_if #(parameter W = 8)(input logic clk);
  logic valid, ready; logic [W-1:0] data;
  modport src(output valid, data, input ready, clk, import send);
  modport dst(input valid, data, clk, output ready);
  task automatic send(input logic [W-1:0] d);
    data <= d; valid <= 1;
    do @(posedge clk); while (!ready);
    valid <= 0;
  endtask
  function logic fire(); return valid && ready; endfunction
endinterface
module ctl import loom_pkg::*; #(parameter type T = entry_t, localparam int BW = $clog2(DEPTH))
 (input logic clk, rst_n, bus_if.dst in, output T last, output logic [BW:0] used, output state_e state);
  T table_q [DEPTH];
  state_e next;
  logic [BW-1:0] wp;
  assign in.ready = state inside {SHED, PICK};
  always_comb begin
    next = state;
    unique case (state)
      IDLE: if (in.valid) next = SHED;
      SHED: if (in.valid && in.ready) next = PICK;
      PICK: next = (in.data[0]) ? BEAT : SHED;
      BEAT: next = TAKEUP;
      default: next = IDLE;
    endcase
  end
  always_ff @(posedge clk or negedge rst_n)
    if (!rst_n) begin
      state <= IDLE; wp <= '0; used <= '0;
      for (int i = 0; i < DEPTH; i++) table_q[i] <= '{default: '0};
    end else begin
      state <= next;
      if (in.fire()) begin
        table_q[wp].valid <= 1'b1;
        table_q[wp].shaft <= in.data[7:4];
        table_q[wp].count <= table_q[wp].count + in.data[3:0];
        wp <= wp + 1'd1;
        used <= used + (used != DEPTH);
      end
    end
  assign last = table_q[wp - 1'b1];
endmodule
module add #(parameter N = 4)(input logic [N-1:0] a, b, input logic ci, output logic [N-1:0] s, output logic co);
  logic [N:0] c;
  assign c[0] = ci;
  for (genvar i = 0; i < N; i++) begin : bit_
    localparam int K = i;
    if (K % 2 == 0) begin : even
      assign {c[i+1], s[i]} = a[i] + b[i] + c[i];
    end else begin : odd
      wire p = a[i] ^ b[i];
      assign s[i] = p ^ c[i];
      assign c[i+1] = p ? c[i] : a[i];
    end
  end
  assign co = c[N];
endmodule
module tb;
  import loom_pkg::*;
  logic clk = 0, rst_n = 0; entry_t last; logic [2:0] used; state_e state;
  bus_if #(8) b(clk);
  ctl dut(.clk, .rst_n, .in(b), .last, .used, .state);
  logic [7:0] x, y, s; logic co;
  add #(.N(8)) ad(.a(x), .b(y), .ci(1'b1), .s, .co);
  initial forever #5 clk = ~clk;
  word_u u; big_t g; string msg; int errors = 0; event done_ev; int q[$]; time t0;
  initial begin
    b.valid = 0; $timeformat(-9, 1, " ns", 8);
    #12 rst_n = 1;
    fork
      begin b.send(8'h53); b.send(8'hA4); b.send(8'h17); -> done_ev; end
      begin #1000 $display("timeout"); errors++; end
    join_any
    disable fork;
    @(posedge clk); #1;
    $display("%s used %0d last %p at %t", state.name(), used, last.shaft, $time);
    $display("%b %0d %0d", last, last.count, popcount(last));
    u.e = '{valid: 1, shaft: 4'h9, count: 8'd77}; $display("%h %0d", u.raw, u.e.count);
    g = '{st: PICK, pair: '{'{1'b1, 4'd2, 8'd3}, '{default: '1}}}; $display("%b %0d %s", g, g.pair[1].count, g.st.name);
    for (int i = 0, j = 200; i < 50; i += 7, j -= 13) begin x = i; y = j; #1 if ({co, s} != i + j + 1) errors++; end
    msg = {"e", "nd"}; msg = {msg, $sformatf(":%0d", errors)};
    if (msg == "end:0") $display("%s %s", msg.toupper(), dut.state == state ? "same" : "other");
    force dut.state = TAKEUP; #1 $display("%s", state.name()); release dut.state; @(posedge clk) #1 $display("%s", state.name());
    foreach (dut.table_q[i]) if (dut.table_q[i].valid) q.push_back(dut.table_q[i].shaft);
    $display("%p %0d", q, ad.bit_[3].odd.p);
    $finish;
  end
  final $display("final %0d", errors);
endmodule
