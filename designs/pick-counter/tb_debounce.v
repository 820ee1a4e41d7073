`timescale 1ns / 1ps
// A contact that bounces must not be believed before it has been quiet for 2**BITS clock cycles.
module tb_debounce;
  localparam BITS = 4;
  reg     clk = 1'b0;
  reg     contact = 1'b0;
  wire    steady;
  integer changes = 0;
  integer i;

  debounce #(.BITS(BITS)) dut (.clk(clk), .contact(contact), .steady(steady));

  always #5 clk = ~clk;
  always @(steady) changes = changes + 1;

  task expect_steady(input value, input integer count);
    if (steady !== value || changes !== count)
      $error("steady is %b after %0d changes; expected %b after %0d", steady, changes, value, count);
  endtask

  // the contact bounces `times` times, each time for less than the settling time
  task bounce(input integer times);
    for (i = 0; i < times; i = i + 1) begin
      contact = ~contact;
      repeat (1 + ({$random} % (2 ** BITS - 2))) @(negedge clk);
    end
  endtask

  initial begin
    repeat (4) @(negedge clk);
    changes = 0;
    expect_steady(1'b0, 0);

    $display("%0d ns: the contact closes, bouncing", $time);
    bounce(9);
    expect_steady(1'b0, 0);
    contact = 1'b1;
    repeat (2 ** BITS + 4) @(negedge clk);
    expect_steady(1'b1, 1);

    $display("%0d ns: it opens, bouncing", $time);
    bounce(9);
    expect_steady(1'b1, 1);
    contact = 1'b0;
    repeat (2 ** BITS + 4) @(negedge clk);
    expect_steady(1'b0, 2);

    $display("%0d ns: done", $time);
    $finish;
  end
endmodule
