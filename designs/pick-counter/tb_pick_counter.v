`timescale 1ns / 1ps
// Turns the shaft forward and back, and reads the count off the digits as an operator would.
module tb_pick_counter;
  localparam PERIOD = 10;
  reg        clk = 1'b0;
  reg  [5:0] switches = 6'd0;
  reg  [4:0] buttons = 5'd0;
  wire [9:0] lamps;
  wire [3:0] digit_on;
  wire [7:0] segment;
  integer    i, picks;

  pick_counter #(.REPEAT(5), .SETTLE_BITS(3), .STALL_BITS(12)) dut (
    .clk(clk), .switches(switches), .buttons(buttons), .lamps(lamps), .digit_on(digit_on), .segment(segment)
  );

  always #(PERIOD / 2) clk = ~clk;

  task settle;
    repeat (24) @(negedge clk);
  endtask

  // one turn of the encoder: A leads B when the shaft runs forward
  task turn(input forward);
    begin
      if (forward) begin
        switches[0] = 1'b1; settle; switches[1] = 1'b1; settle; switches[0] = 1'b0; settle; switches[1] = 1'b0; settle;
      end else begin
        switches[1] = 1'b1; settle; switches[0] = 1'b1; settle; switches[1] = 1'b0; settle; switches[0] = 1'b0; settle;
      end
    end
  endtask

  task expect_picks(input integer wanted);
    begin
      picks = dut.picks[15:12] * 1000 + dut.picks[11:8] * 100 + dut.picks[7:4] * 10 + dut.picks[3:0];
      if (picks !== wanted)
        $error("counted %0d picks; expected %0d", picks, wanted);
      else
        $display("%0d ns: %0d picks, direction lamp %b", $time, picks, lamps[2]);
    end
  endtask

  initial begin
    settle;
    for (i = 0; i < 12; i = i + 1) turn(1'b1);
    expect_picks(12);
    if (lamps[2] !== 1'b1) $error("the direction lamp is off although the shaft ran forward");
    for (i = 0; i < 4; i = i + 1) turn(1'b0);
    expect_picks(8);
    if (lamps[2] !== 1'b0) $error("the direction lamp is on although the shaft ran back");

    buttons[1] = 1'b1; settle; buttons[1] = 1'b0; settle;
    expect_picks(9);

    buttons[0] = 1'b1; settle; buttons[0] = 1'b0; settle;
    expect_picks(0);

    repeat (4200) @(negedge clk);
    if (lamps[1] !== 1'b1) $error("the stall lamp is off although the shaft has stood still");
    $finish;
  end
endmodule
