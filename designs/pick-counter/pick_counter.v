// Pick counter of the loom's operator panel. Switches 0 and 1 stand for the two phases of the shaft
// encoder; the digits count picks up and down. Lamp 0 lights when the pattern repeat is full, lamp 1
// when the shaft has stood still too long, lamp 2 shows the direction, lamps 4 to 7 glow with the
// last digit of the count.
module pick_counter #(
  parameter REPEAT      = 12,   // picks in one pattern repeat
  parameter SETTLE_BITS = 10,   // contact bounce, as a power of two clock cycles
  parameter STALL_BITS  = 24    // stall time, likewise
) (
  input  wire       clk,
  input  wire [5:0] switches,
  input  wire [4:0] buttons,
  output wire [9:0] lamps,
  output wire [3:0] digit_on,
  output wire [7:0] segment
);
  wire phase_a, phase_b, clear, step_button;
  wire turned, forward_shaft;

  debounce #(.BITS(SETTLE_BITS)) settle_a (.clk(clk), .contact(switches[0]),  .steady(phase_a));
  debounce #(.BITS(SETTLE_BITS)) settle_b (.clk(clk), .contact(switches[1]),  .steady(phase_b));
  debounce #(.BITS(SETTLE_BITS)) settle_c (.clk(clk), .contact(buttons[0]), .steady(clear));
  debounce #(.BITS(SETTLE_BITS)) settle_s (.clk(clk), .contact(buttons[1]), .steady(step_button));

  quadrature shaft (
    .clk(clk), .phase_a(phase_a), .phase_b(phase_b), .step(turned), .forward(forward_shaft)
  );

  // Button 1 steps by hand; switch 2 then gives the direction.
  reg stepped = 1'b0;
  always @(posedge clk)
    stepped <= step_button;

  wire by_hand = step_button & ~stepped;
  wire step    = turned | by_hand;
  wire forward = by_hand ? ~switches[2] : forward_shaft;

  wire [15:0] picks;
  bcd_counter #(.DIGITS(4)) count (
    .clk(clk), .clear(clear), .step(step), .forward(forward), .value(picks)
  );

  // Position within the pattern repeat.
  reg [7:0] repeat_at = 8'd0;
  reg       repeat_full = 1'b0;
  always @(posedge clk) begin
    if (clear) begin
      repeat_at   <= 8'd0;
      repeat_full <= 1'b0;
    end else if (step) begin
      if (forward) begin
        repeat_full <= (repeat_at == REPEAT - 1);
        repeat_at   <= (repeat_at == REPEAT - 1) ? 8'd0 : repeat_at + 8'd1;
      end else begin
        repeat_full <= 1'b0;
        repeat_at   <= (repeat_at == 8'd0) ? REPEAT - 1 : repeat_at - 8'd1;
      end
    end
  end

  // No pick for a long time: the shaft stalls.
  reg [STALL_BITS-1:0] still = 0;
  wire stalled = &still;
  always @(posedge clk) begin
    if (step)
      still <= 0;
    else if (!stalled)
      still <= still + 1'b1;
  end

  // Pulse width of the count lamps: the last digit as brightness.
  reg [3:0] ramp = 4'd0;
  always @(posedge clk)
    ramp <= ramp + 4'd1;

  digit_scan show (
    .clk(clk), .value(picks), .point(stalled), .digit_on(digit_on), .segment(segment)
  );

  assign lamps[0]   = repeat_full;
  assign lamps[1]   = stalled;
  assign lamps[2]   = forward_shaft;
  assign lamps[3]   = switches[3];
  assign lamps[7:4] = {4{ramp < picks[3:0]}};
  assign lamps[9:8] = switches[5:4];
endmodule
