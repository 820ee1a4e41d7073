// Cloth preview: the woven pattern runs over the digits of the operator panel, one digit for each warp
// thread. Switches 0 and 1 choose the weave; switch 2 stops the loom; lamps 0 to 3 show the threads of
// the present pick. The pattern memory is written in VHDL.
module cloth_preview #(
  parameter PICK_BITS = 22,   // clock cycles for each pick, as a power of two
  parameter SCAN_BITS = 14    // likewise for each digit of the display
) (
  input  wire       clk,
  input  wire [2:0] switches,
  output wire [3:0] lamps,
  output reg  [3:0] digit_on = 4'b0001,
  output wire [7:0] segment
);
  reg [PICK_BITS-1:0] beat = 0;
  reg [SCAN_BITS-1:0] scan = 0;
  reg [2:0]           pick = 0;
  wire [3:0]          row;

  wire next_pick = &beat & ~switches[2];
  wire next_digit = &scan;

  always @(posedge clk) begin
    if (!switches[2]) beat <= beat + 1'b1;
    scan <= scan + 1'b1;
    if (next_pick)  pick     <= pick + 1'b1;
    if (next_digit) digit_on <= {digit_on[2:0], digit_on[3]};
  end

  pattern_memory weaves (.clk(clk), .kind(switches[1:0]), .pick(pick), .row(row));

  wire [7:0] column [3:0];
  genvar t;
  generate
    for (t = 0; t < 4; t = t + 1) begin : thread
      digit_column #(.PICKS(8)) shown (.clk(clk), .shift(next_pick), .up(row[t]), .window(column[t]));
    end
  endgenerate

  assign segment = ({8{digit_on[0]}} & column[0]) | ({8{digit_on[1]}} & column[1])
                 | ({8{digit_on[2]}} & column[2]) | ({8{digit_on[3]}} & column[3]);
  assign lamps = row;
endmodule
