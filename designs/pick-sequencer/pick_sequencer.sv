// Makes one pick after the other: lift the hooks, throw the shuttle, beat the reed, take up the cloth.
// A broken thread, or a shuttle that does not arrive in time, halts the loom until that is acknowledged.
module pick_sequencer #(
  parameter int unsigned SETTLE = 1_000_000, // clock cycles that the hooks need to be up, or the cloth to move
  parameter int unsigned LATE   = 6_000_000  // the shuttle is late after so many
) (
  input  logic clk,
  input  logic run,
  input  logic broken,
  input  logic arrived,
  input  logic acknowledge,
  output logic hooks,
  output logic throw_shuttle,
  output logic beat,
  output logic take_up,
  output logic halted,
  output logic counted
);
  typedef enum logic [2:0] {IDLE, LIFT, THROW, FLIGHT, BEAT, TAKE_UP, HALTED} step_t;

  step_t                    step = IDLE;
  logic [$clog2(LATE)-1:0]  waited = '0;
  wire                      has_settled = waited >= SETTLE;

  always_ff @(posedge clk) begin
    waited <= waited + 1'b1;
    unique case (step)
      IDLE: if (run) begin
        step   <= LIFT;
        waited <= '0;
      end
      LIFT: if (broken) step <= HALTED;
        else if (has_settled) step <= THROW;
      THROW: begin
        step   <= FLIGHT;
        waited <= '0;
      end
      FLIGHT: if (broken || waited >= LATE - 1) step <= HALTED;
        else if (arrived) begin
          step   <= BEAT;
          waited <= '0;
        end
      BEAT: if (has_settled) begin
        step   <= TAKE_UP;
        waited <= '0;
      end
      TAKE_UP: if (has_settled) begin
        step   <= run ? LIFT : IDLE;
        waited <= '0;
      end
      HALTED: if (acknowledge && !broken) step <= IDLE;
      default: step <= IDLE;
    endcase
  end

  assign hooks         = step inside {LIFT, THROW, FLIGHT};
  assign throw_shuttle = step == THROW;
  assign beat          = step == BEAT;
  assign take_up       = step == TAKE_UP;
  assign halted        = step == HALTED;
  assign counted       = take_up && has_settled;
endmodule
