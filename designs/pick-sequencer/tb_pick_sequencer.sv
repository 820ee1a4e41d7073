`timescale 1ns / 1ps
// Each pick takes the same steps in the same order; what goes wrong halts the loom until it is acknowledged.
module tb_pick_sequencer;
  localparam int SETTLE = 5, LATE = 20;
  logic clk = 0, run = 0, broken = 0, arrived = 0, acknowledge = 0;
  logic hooks, throw_shuttle, beat, take_up, halted, counted;
  int picks = 0;

  pick_sequencer #(.SETTLE(SETTLE), .LATE(LATE)) dut (.*);

  always #5 clk = ~clk;
  always @(posedge clk) if (counted) picks++;

  task automatic arrive_after(int cycles);
    wait (throw_shuttle);
    repeat (cycles) @(negedge clk);
    arrived = 1;
    wait (!hooks);
    arrived = 0;
  endtask

  task automatic expect_halt(bit wanted, string why);
    if (halted !== wanted) $error("halted is %b, expected %b: %s", halted, wanted, why);
  endtask

  // the reed must not beat while the hooks are up, nor the cloth move while it beats
  always @(negedge clk) if ($countones({hooks, beat, take_up, halted}) > 1) $error("two actions at once");

  initial begin
    repeat (3) @(negedge clk);
    run = 1;
    for (int i = 1; i <= 3; i++) begin
      arrive_after(i + 3);
      wait (take_up);
      wait (!take_up);
      if (picks != i) $error("%0d picks are counted, expected %0d", picks, i);
    end
    $display("%0t: three picks are made", $time);

    wait (throw_shuttle);
    repeat (LATE + 2) @(negedge clk);
    expect_halt(1, "the shuttle is late");
    acknowledge = 1;
    repeat (2) @(negedge clk);
    acknowledge = 0;
    expect_halt(0, "it was acknowledged");

    wait (hooks);
    broken = 1;
    repeat (2) @(negedge clk);
    expect_halt(1, "a thread is broken");
    acknowledge = 1;
    repeat (2) @(negedge clk);
    expect_halt(1, "it is still broken");
    broken = 0;
    run = 0;
    repeat (2) @(negedge clk);
    expect_halt(0, "it is mended");
    if (hooks) $error("the loom runs though it was stopped");
    if (picks != 3) $error("%0d picks are counted, expected 3", picks);
    $display("%0t: done", $time);
    $finish;
  end
endmodule
