// Decodes the two phases of the shaft encoder: one pulse a full turn of the pattern, with its direction.
module quadrature (
  input  wire clk,
  input  wire phase_a,
  input  wire phase_b,
  output reg  step,
  output reg  forward
);
  reg [1:0] last = 2'b00;

  initial begin
    step    = 1'b0;
    forward = 1'b1;
  end

  // A pick is counted where phase A rises: B is low when the shaft runs forward.
  always @(posedge clk) begin
    last <= {phase_a, phase_b};
    step <= phase_a & ~last[1];
    if (phase_a & ~last[1])
      forward <= ~phase_b;
  end
endmodule
