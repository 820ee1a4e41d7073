// One warp thread as the segments of a digit: a window of the last picks, the newest at the top.
module digit_column #(
  parameter PICKS = 8
) (
  input  wire             clk,
  input  wire             shift,
  input  wire             up,      // the thread is above the weft
  output reg  [PICKS-1:0] window = 0
);
  always @(posedge clk)
    if (shift)
      window <= {window[PICKS-2:0], up};
endmodule
