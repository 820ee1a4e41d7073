// Written as before 2001: ports declared twice, tasks with shared variables, a named block left by disable.
module uart_tx(clk, rst, data, start, txd, busy);
  parameter DIV = 4;
  input clk, rst, start; input [7:0] data; output txd, busy;
  reg txd, busy; reg [9:0] sh; reg [3:0] n; reg [7:0] div;
  always @(posedge clk or posedge rst)
    if (rst) begin txd <= 1; busy <= 0; n <= 0; div <= 0; end
    else if (!busy) begin if (start) begin sh <= {1'b1, data, 1'b0}; busy <= 1; n <= 10; div <= 0; end end
    else if (div == 0) begin
      if (n == 0) busy <= 0; else begin txd <= sh[0]; sh <= sh >> 1; n <= n - 1; end
      div <= DIV - 1;
    end else div <= div - 1;
endmodule
module uart_rx(clk, rst, rxd, data, ok);
  parameter DIV = 4;
  input clk, rst, rxd; output [7:0] data; output ok;
  reg [7:0] data; reg ok; reg [3:0] n; reg [7:0] div; reg run;
  always @(posedge clk or posedge rst)
    if (rst) {run, ok, n, div} <= 0;
    else begin
      ok <= 0;
      if (!run) begin if (!rxd) begin run <= 1; div <= DIV + DIV/2 - 1; n <= 0; end end
      else if (div == 0) begin
        div <= DIV - 1; n <= n + 1;
        if (n == 8) begin run <= 0; ok <= rxd; end else data <= {rxd, data[7:1]};
      end else div <= div - 1;
    end
endmodule
module tb;
  reg clk, rst, start; reg [7:0] d; wire line, busy, ok; wire [7:0] q;
  defparam tx.DIV = 6; 
  uart_tx tx(clk, rst, d, start, line, busy);
  uart_rx #(6) rx(clk, rst, line, q, ok);
  integer seed, errors, i; reg [7:0] sent [0:15]; integer head, tail;
  initial begin clk = 0; forever #5 clk = ~clk; end
  task send; input [7:0] x; begin
    while (busy) @(posedge clk);
    @(negedge clk) d = x; start = 1; sent[head] = x; head = head + 1;
    @(negedge clk) start = 0;
    wait (busy);
  end endtask
  always @(posedge clk) if (ok) begin
    if (q !== sent[tail]) begin errors = errors + 1; $display("got %h for %h", q, sent[tail]); end
    tail = tail + 1;
  end
  initial begin : main
    rst = 1; start = 0; errors = 0; head = 0; tail = 0; seed = 42;
    #20 rst = 0;
    for (i = 0; i < 10; i = i + 1) send($random(seed));
    begin : waiting
      integer guard; guard = 0;
      while (tail < 10) begin @(posedge clk); guard = guard + 1; if (guard > 5000) disable waiting; end
    end
    $display("%0d sent, %0d received, %0d errors", head, tail, errors);
    $finish;
  end
endmodule
