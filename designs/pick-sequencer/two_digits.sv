// Counts picks from 00 to 99 and shows them on two scanned seven-segment digits.
module two_digits #(
  parameter int unsigned SCAN_BITS = 14
) (
  input  logic       clk,
  input  logic       count,
  output logic [1:0] digit_on,
  output logic [7:0] segment
);
  logic [3:0] ones = '0, tens = '0;
  logic [SCAN_BITS-1:0] scan = '0;
  wire is_tens = scan[SCAN_BITS-1];

  always_ff @(posedge clk)
    if (count) begin
      ones <= ones == 9 ? '0 : ones + 1'b1;
      if (ones == 9) tens <= tens == 9 ? '0 : tens + 1'b1;
    end

  // segments g f e d c b a
  function automatic logic [6:0] shape(logic [3:0] digit);
    case (digit)
      0: return 7'b0111111;
      1: return 7'b0000110;
      2: return 7'b1011011;
      3: return 7'b1001111;
      4: return 7'b1100110;
      5: return 7'b1101101;
      6: return 7'b1111101;
      7: return 7'b0000111;
      8: return 7'b1111111;
      9: return 7'b1101111;
      default: return 7'b1000000;
    endcase
  endfunction

  always_ff @(posedge clk) begin
    scan     <= scan + 1'b1;
    digit_on <= is_tens ? 2'b10 : 2'b01;
    segment  <= {1'b0, shape(is_tens ? tens : ones)};
  end
endmodule
