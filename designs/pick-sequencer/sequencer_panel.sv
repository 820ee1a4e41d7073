// The pick sequencer behind a panel. Switch 0 runs the loom, switch 1 breaks a thread; button 0 is the shuttle that
// arrives, button 1 acknowledges a halt. A lamp for each action, the picks on two digits.
module sequencer_panel #(
  parameter int unsigned SETTLE    = 1_000_000,
  parameter int unsigned LATE      = 6_000_000,
  parameter int unsigned SCAN_BITS = 14
) (
  input  logic       clk,
  input  logic [1:0] switches,
  input  logic [1:0] buttons,
  output logic [6:0] lamps,
  output logic [1:0] digit_on,
  output logic [7:0] segment
);
  // switches and buttons change at any time: two registers in a row let them settle
  logic [3:0] first = '0, settled = '0;
  always_ff @(posedge clk) {settled, first} <= {first, buttons, switches};

  logic hooks, throw_shuttle, beat, take_up, halted, counted;
  pick_sequencer #(.SETTLE(SETTLE), .LATE(LATE)) sequencer (
    .clk, .run(settled[0]), .broken(settled[1]), .arrived(settled[2]), .acknowledge(settled[3]),
    .hooks, .throw_shuttle, .beat, .take_up, .halted, .counted
  );
  two_digits #(.SCAN_BITS(SCAN_BITS)) picks (.clk, .count(counted), .digit_on, .segment);

  // the throw is too short to be seen: its lamp changes with each
  logic thrown = 1'b0;
  always_ff @(posedge clk) if (throw_shuttle) thrown <= !thrown;

  assign lamps = {halted, 1'b0, settled[1], take_up, beat, thrown, hooks};
endmodule
