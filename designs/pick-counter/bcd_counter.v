// One decimal digit that counts up and down; chained, carry and borrow run through `chain`.
module bcd_digit (
  input  wire       clk,
  input  wire       clear,
  input  wire       step,
  input  wire       forward,
  output reg  [3:0] value,
  output wire       chain
);
  initial value = 4'd0;

  assign chain = step & (forward ? value == 4'd9 : value == 4'd0);

  always @(posedge clk) begin
    if (clear)
      value <= 4'd0;
    else if (step) begin
      if (forward)
        value <= (value == 4'd9) ? 4'd0 : value + 4'd1;
      else
        value <= (value == 4'd0) ? 4'd9 : value - 4'd1;
    end
  end
endmodule

module bcd_counter #(
  parameter DIGITS = 4
) (
  input  wire                clk,
  input  wire                clear,
  input  wire                step,
  input  wire                forward,
  output wire [4*DIGITS-1:0] value
);
  wire [DIGITS:0] chain;
  assign chain[0] = step;

  genvar i;
  generate
    for (i = 0; i < DIGITS; i = i + 1) begin : digit
      bcd_digit d (
        .clk(clk), .clear(clear), .step(chain[i]), .forward(forward),
        .value(value[4*i +: 4]), .chain(chain[i+1])
      );
    end
  endgenerate
endmodule
