// Shows four decimal digits on a scanned seven-segment display: one digit lit at a time.
module digit_scan #(
  parameter SCAN_BITS = 14
) (
  input  wire        clk,
  input  wire [15:0] value,
  input  wire        point,
  output reg  [3:0]  digit_on,
  output reg  [7:0]  segment
);
  reg [SCAN_BITS-1:0] scan = 0;
  wire [1:0] place = scan[SCAN_BITS-1 -: 2];
  wire [3:0] digit = value[4*place +: 4];

  initial begin
    digit_on = 4'b0000;
    segment  = 8'h00;
  end

  // segments g f e d c b a
  function [6:0] shape(input [3:0] d);
    case (d)
      4'd0: shape = 7'b0111111;
      4'd1: shape = 7'b0000110;
      4'd2: shape = 7'b1011011;
      4'd3: shape = 7'b1001111;
      4'd4: shape = 7'b1100110;
      4'd5: shape = 7'b1101101;
      4'd6: shape = 7'b1111101;
      4'd7: shape = 7'b0000111;
      4'd8: shape = 7'b1111111;
      4'd9: shape = 7'b1101111;
      default: shape = 7'b1000000;
    endcase
  endfunction

  always @(posedge clk) begin
    scan     <= scan + 1'b1;
    digit_on <= 4'b0001 << place;
    segment  <= {point & (place == 2'd0), shape(digit)};
  end
endmodule
