import { describe, expect, it } from "vitest";
import { formatFinding, quietContext, Random } from "../src/common/index.ts";
import { padSideOf } from "../src/layout/pads.ts";
import { cellKind } from "../src/netlist/index.ts";
import { proveReadback } from "../src/prove/index.ts";
import { decodeCircuit } from "../src/silicon/decode.ts";
import { built, layoutOf, memoryOf, running } from "./helpers/build.ts";
import { linesOf } from "./helpers/simulation.ts";

const text = `module m(input clk, input [3:0] d, input e, inout [1:0] w, output reg [3:0] q, output reg r);
  reg [3:0] in = 4'd9; reg [1:0] back = 0, forth = 2'd2; reg [3:0] sum = 0; reg on = 0;
  initial begin q = 4'd6; r = 0; end
  assign w = on ? forth : 2'bz;
  always @(posedge clk) begin
    in <= d; back <= w; sum <= sum + in; q <= sum ^ back; forth <= sum[1:0]; on <= e; r <= ^sum;
  end
endmodule`;
const all = ["d[0]", "d[1]", "d[2]", "d[3]", "q[0]", "q[1]", "q[2]", "q[3]", "w[0]", "w[1]", "r"];
/** Pins of one side, in pairs that share a tile, with what is asked of each. */
const pinFile = (register: (port: string) => boolean) =>
  all
    .map(
      (port, i) =>
        `${port} at N${[1, 2, 3, 4, 6, 7, 8, 9, 10, 11, 12][i]} LVCMOS33${register(port) ? " register=on" : ""}`,
    )
    .join("\n");
const pins = (register: (port: string) => boolean) => [{ name: "m.pins", text: pinFile(register) }];

describe("registers of pads", () => {
  it("take the registers of their ports, and nothing else changes", async () => {
    const random = new Random(5);
    const steps = Array.from({ length: 60 }, () => {
      const e = random.below(2);
      return { d: random.below(16), e, w: random.below(4) };
    });
    let driven = 0; // what the part drives in this cycle: e of the cycle before
    const bench = `module tb; reg clk = 0, e; reg [3:0] d; reg [1:0] out; wire [1:0] w = out; wire [3:0] q; wire r;
      m dut(.clk(clk), .d(d), .e(e), .w(w), .q(q), .r(r));
      initial begin ${steps
        .map(({ d, e, w }) => {
          const line = `d = ${d}; e = ${e}; out = ${driven ? "2'bz" : w}; #1 $display("%0d %0d %0d", q, r, w); clk = 1; #1 clk = 0; #1;`;
          driven = e;
          return line;
        })
        .join("\n")} end endmodule`;
    const written = linesOf(
      [
        { name: "t.v", text },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    const { player, result } = await running(text, { pinFiles: pins(() => true) });
    expect(result.findings.filter(({ code }) => code === "pins/no-register").map(formatFinding)).toEqual([]);
    driven = 0;
    const onPart = steps.map(({ d, e, w }) => {
      player.set({ d, e, w: driven ? "z" : w });
      const line = ["q", "r", "w"].map((port) => player.read(port)).join(" ");
      player.clock("clk", 1);
      driven = e;
      return line;
    });
    expect(onPart).toEqual(written);

    const [netlist, packed] = [(await result.artifact("synth"))!, (await result.artifact("pack"))!];
    const sides = [...netlist.kind.keys()].map((cell) => padSideOf(netlist, packed, cell));
    // d and w come in, q, w and r go out
    expect(sides.filter((side) => side === "input")).toHaveLength(6);
    expect(sides.filter((side) => side === "output")).toHaveLength(7);
  });

  it("are there in the bits, with their start values, and proven", async () => {
    const result = await built(text, { pinFiles: pins(() => true) });
    const memory = await memoryOf(result);
    const circuit = decodeCircuit(result.part!, memory);
    const inPads = circuit.flipFlops.filter((ff) => result.part!.fabric.tileKind(ff.tile) === "io");
    expect(inPads).toHaveLength(13);
    // 9 in d, 6 in q, 2 in forth
    expect(inPads.filter((ff) => ff.init)).toHaveLength(5);
    expect(proveReadback(await layoutOf(result), memory, quietContext()).verdict).toBe("equal");
  });

  it("make the way to the pin as short as the pad is", async () => {
    const pathTo = async (register: boolean) => {
      const result = await built(text, { pinFiles: pins((port) => register && port.startsWith("q")) });
      const { padPaths } = (await result.artifact("timing"))!;
      return padPaths.find((path) => path.to.startsWith("q[0]"))!;
    };
    const [far, near] = [await pathTo(false), await pathTo(true)];
    expect(near.steps.map(({ what }) => what)).toEqual(["clock", "clock to output", "output pad"]);
    expect(far.steps.map(({ what }) => what)).toContain("net");
    expect(near.dataPs).toBeLessThan(far.dataPs);
  });

  it("are refused where the register has other duties", async () => {
    const other = `module m(input clk, slow, input a, b, c, e, input [1:0] s, output reg p, q, r, t, output u);
      reg ra, rb, rc, rd; reg [1:0] rs;
      always @(posedge clk) begin ra <= a; if (e) {rb, rc, rd} <= {b, ra, p}; p <= ra; q <= rb; r <= ~r; t <= ra ^ rb; end
      always @(posedge clk) rs[0] <= s[0]; always @(posedge slow) rs[1] <= s[1];
      assign u = a & c ^ ^rs ^ rc ^ rd; endmodule`;
    const lines = ["a at N1", "b at N3", "r at N6", "u at N8", "s[0] at E1", "s[1] at E2"].map(
      (line) => `${line} LVCMOS33 register=on`,
    );
    const result = await built(other, { pinFiles: [{ name: "m.pins", text: lines.join("\n") }] });
    const told = result.findings.filter(({ code }) => code === "pins/no-register").map(({ message }) => message);
    expect(told.sort()).toEqual([
      "'a' asks for the register of its pad, but what reads it is not one register alone.",
      "'b' asks for the register of its pad, but it has an enable.",
      "'r' asks for the register of its pad, but its register is read inside of the part too.",
      "'s[1]' asks for the register of its pad, but the pad beside it has a register with another clock.",
      "'u' asks for the register of its pad, but no register drives it.",
    ]);
    const netlist = (await result.artifact("synth"))!;
    const packed = (await result.artifact("pack"))!;
    const inPads = [...netlist.kind.keys()].filter(
      (cell) => netlist.kind[cell] === cellKind.flipFlop && packed.cellPad[cell] >= 0,
    );
    expect(inPads.map((cell) => netlist.cellName[cell])).toEqual(["rs[0]"]);
  });
});
