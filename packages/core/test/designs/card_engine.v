`default_nettype none
`define KIND 4
// Pattern cards of the loom: each card works on 31 counters and may send the reader to another card.
// A card: kind [31:28], to [27:23], one [22:18], other [17:13], amount [12:0].
module counters(input wire clk, input wire write, input wire [4:0] to, input wire [31:0] value, input wire [4:0] one, other, output wire [31:0] first, second);
  reg [31:0] held [1:31];
  assign first = |one ? held[one] : 0;
  assign second = |other ? held[other] : 0;
  always @(posedge clk) if (write && |to) held[to] <= value;
endmodule
module calculate(input wire [31:0] left, right, input wire [2:0] how, input wire back, output reg [31:0] y);
  always @* case (how)
    3'd0: y = back ? left - right : left + right;
    3'd1: y = left ^ right;
    3'd2: y = left & right;
    3'd3: y = left | right;
    3'd4: y = left << right[4:0];
    3'd5: y = back ? $signed(left) >>> right[4:0] : left >> right[4:0];
    3'd6: y = {31'b0, left < right};
    default: y = {31'b0, $signed(left) < $signed(right)};
  endcase
endmodule
module card_engine #(parameter SIZE = 256)(input wire clk, rst, output reg done, output reg [31:0] shown);
  localparam SET = 0, CALCULATE = 1, STEP = 2, FETCH = 3, STORE = 4, SHOW = 5, SAME = 6, LESS = 7, BELOW = 8, CALL = 9, BACK = 10, STOP = 15;
  reg [31:0] mem [0:SIZE-1];
  reg [31:0] at;
  wire [31:0] card = mem[at[7:0]];
  wire [`KIND-1:0] kind = card[31:28];
  wire [31:0] first, second, y;
  wire signed [31:0] amount = {{19{card[12]}}, card[12:0]};
  wire [31:0] place = first + amount;
  wire calculates = kind == CALCULATE;
  calculate work(.left(first), .right(calculates ? second : amount), .how(calculates ? card[2:0] : 3'd0), .back(calculates && card[3]), .y(y));
  wire [31:0] value = kind == FETCH ? mem[place[7:0]] : kind == CALL ? at + 1 : kind == SET ? {first[18:0], card[12:0]} : y;
  wire writes = kind == SET || calculates || kind == STEP || kind == FETCH || kind == CALL;
  counters held(.clk(clk), .write(!rst && writes), .to(card[27:23]), .value(value), .one(card[22:18]), .other(card[17:13]), .first(first), .second(second));
  reg taken;
  always @(*) begin
    taken = 0;
    case (kind)
      // the lowest bit of where a result would go turns the question around
      SAME: taken = (first == second) != card[23];
      LESS: taken = ($signed(first) < $signed(second)) != card[23];
      BELOW: taken = (first < second) != card[23];
    endcase
  end
  always @(posedge clk)
    if (rst) begin at <= 0; done <= 0; shown <= 0; end
    else if (!done) begin
      at <= taken ? at + amount : kind == CALL ? at + amount : kind == BACK ? first : at + 1;
      if (kind == STORE) mem[place[7:0]] <= second;
      if (kind == SHOW) shown <= first;
      if (kind == STOP) done <= 1;
    end
endmodule
module tb;
  reg clk = 0, rst = 1;
  wire done; wire [31:0] shown;
  card_engine engine(clk, rst, done, shown);
  always #5 clk = !clk;
  // counts the repeats below 100 that no shorter repeat divides, by taking away again and again
  task put(input [7:0] at, input [31:0] card); engine.mem[at] = card; endtask
  function [31:0] C(input [3:0] kind, input [4:0] to, one, other, input signed [12:0] amount); C = {kind, to, one, other, amount}; endfunction
  initial begin
    put(0, C(0, 1, 0, 0, 2));       // length = 2
    put(1, C(0, 2, 0, 0, 0));       // count = 0
    put(2, C(0, 3, 0, 0, 100));     // limit
    put(3, C(0, 4, 0, 0, 2));       // shorter = 2
    put(4, C(7, 1, 4, 1, 7));       // shorter >= length: on to 11
    put(5, C(2, 5, 1, 0, 0));       // rest = length
    put(6, C(1, 5, 5, 4, 8));       // rest -= shorter
    put(7, C(7, 1, 5, 4, -1));      // rest >= shorter: back to 6
    put(8, C(6, 0, 5, 0, 4));       // nothing left: on to 12
    put(9, C(2, 4, 4, 0, 1));       // shorter + 1
    put(10, C(6, 0, 0, 0, -6));     // back to 4
    put(11, C(2, 2, 2, 0, 1));      // count + 1
    put(12, C(2, 1, 1, 0, 1));      // length + 1
    put(13, C(7, 0, 1, 3, -10));    // length < limit: back to 3
    put(14, C(4, 0, 0, 2, 200));    // keeps the count,
    put(15, C(3, 6, 0, 0, 200));    // and shows what was kept
    put(16, C(5, 0, 6, 0, 0));
    put(17, C(15, 0, 0, 0, 0));
    repeat (2) @(negedge clk); rst = 0;
    wait (done) #1 $display("repeats %0d at %0t", shown, $time);
    if (shown !== 25) $error("repeats");
    $finish;
  end
endmodule
