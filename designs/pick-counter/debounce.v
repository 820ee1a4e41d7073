// Two flip-flops bring an outside contact into the clock domain; after that, a change must last
// 2**BITS clock cycles before it is believed.
module debounce #(
  parameter BITS = 16
) (
  input  wire clk,
  input  wire contact,
  output reg  steady
);
  reg [1:0]      sync   = 2'b00;
  reg [BITS-1:0] waited = 0;

  initial steady = 1'b0;

  always @(posedge clk) begin
    sync <= {sync[0], contact};
    if (sync[1] == steady)
      waited <= 0;
    else begin
      waited <= waited + 1'b1;
      if (&waited)
        steady <= sync[1];
    end
  end
endmodule
