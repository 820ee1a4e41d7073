import { describe, expect, it } from "vitest";
import { formatFinding, quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { PlayError } from "../src/flow/index.ts";
import { cellKind, type MappedNetlist, padPin } from "../src/netlist/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { built, running } from "./helpers/build.ts";
import { builtLines, linesOf } from "./helpers/simulation.ts";

/** A word that is stored from a shared bus, and read back onto it. */
const store = `module m(input clk, input put, get, input [1:0] at, inout [3:0] bus, output [3:0] seen);
  reg [3:0] cell_of [0:3]; initial {cell_of[0], cell_of[1], cell_of[2], cell_of[3]} = 16'h4a81;
  reg [3:0] last = 0;
  assign bus = get ? last : 4'bz;
  assign seen = bus ^ 4'd5;
  always @(posedge clk) begin
    if (put) cell_of[at] <= bus;
    last <= cell_of[at];
  end
endmodule`;

const storeVhdl = `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk, put, get : in std_logic; at : in std_logic_vector(1 downto 0);
  bus_of : inout std_logic_vector(3 downto 0); seen : out std_logic_vector(3 downto 0)); end entity;
architecture rtl of m is
  type words is array (0 to 3) of std_logic_vector(3 downto 0);
  signal cell_of : words := ("0001", "1000", "1010", "0100"); signal last : std_logic_vector(3 downto 0) := "0000";
begin
  bus_of <= last when get = '1' else (others => 'Z');
  seen <= bus_of xor "0101";
  process (clk) begin if rising_edge(clk) then
    if put = '1' then cell_of(to_integer(unsigned(at))) <= bus_of; end if;
    last <= cell_of(to_integer(unsigned(at)));
  end if; end process;
end architecture;`;

function proofOf(text: string, name = "t.sv") {
  const { artifact, findings } = elaborate([{ name, text }], { top: "m" });
  if (!artifact) throw new Error(findings.map(formatFinding).join("\n"));
  const netlist = synthesize(artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
  const check = (mapped: MappedNetlist) =>
    prove(artifact.netlist, mapped, defaultSynthOptions, { ...defaultProveOptions, cycles: 64 }, quietContext());
  return { netlist, check, findings };
}

/** The bus driven from outside, let go, and from inside by turns: as written, as structural Verilog, and on the part. */
async function sameEverywhere(source: string, name: string, busName: string, part?: string): Promise<number> {
  const random = new Random(4);
  const steps = Array.from({ length: 60 }, () => {
    const get = random.below(2);
    const outside = get || random.below(4) === 0 ? null : random.below(16);
    const floats = !get && outside === null; // a stored z is a thing of simulation only
    return { put: floats ? 0 : random.below(2), get, at: random.below(4), outside };
  });
  const bench = `module tb; reg clk = 0, put, get; reg [1:0] at; reg [3:0] drive; wire [3:0] line = drive; wire [3:0] seen;
    m dut(.clk(clk), .put(put), .get(get), .at(at), .${busName}(line), .seen(seen));
    initial begin ${steps
      .map(
        ({ put, get, at, outside }) =>
          `put = ${put}; get = ${get}; at = ${at}; drive = ${outside === null ? "4'bz" : `4'd${outside}`}; #1 $display("%b %b", line, seen); clk = 1; #1 clk = 0; #1;`,
      )
      .join("\n")} end endmodule`;
  const written = linesOf(
    [
      { name, text: source },
      { name: "tb.v", text: bench },
    ],
    { top: "tb" },
  );
  const { player, result } = await running(source, { sources: [{ name, text: source }], ...(part ? { part } : {}) });
  const netlist = (await result.artifact("synth"))!;
  const built = builtLines(netlist, bench);
  let compared = 0;
  steps.forEach(({ put, get, at, outside }, i) => {
    player.set({ put, get, at, [busName]: outside ?? "z" });
    const [line, seen] = written[i].split(" ");
    const [builtLine, builtSeen] = built[i].split(" ");
    const levels = (port: string) => {
      const read = player.read(port);
      return typeof read === "string" ? read : read.toString(2).padStart(4, "0");
    };
    const [partLine, partSeen] = [levels(busName), levels("seen")];
    [...line].forEach((bit, k) => {
      if (bit === "x") return;
      // a floating line is one that nobody drives, everywhere
      expect(builtLine[k], `step ${i}`).toBe(bit);
      expect(partLine[k], `step ${i}`).toBe(bit);
      compared++;
    });
    [...seen].forEach((bit, k) => {
      if (bit !== "0" && bit !== "1") return;
      expect(builtSeen[k]).toBe(bit);
      expect(partSeen[k]).toBe(bit);
      compared++;
    });
    player.clock("clk", 1);
  });
  return compared;
}

describe("ports of both directions", () => {
  it("work alike as written, as built and on the part", async () => {
    expect(await sameEverywhere(store, "t.sv", "bus")).toBeGreaterThan(250);
    expect(await sameEverywhere(store, "t.sv", "bus", "FE-64-P44-1C")).toBeGreaterThan(250);
  });

  it("from VHDL", async () => {
    expect(await sameEverywhere(storeVhdl, "t.vhd", "bus_of", "CA-1-P84-1C")).toBeGreaterThan(250);
  });

  it("through modules, with several drivers inside and reads on the way", async () => {
    const text = `module half(input on, input [3:0] d, inout [3:0] q, output any); assign q = on ? d : 4'bz; assign any = |q; endmodule
      module m(input clk, input put, get, input [1:0] at, inout [3:0] bus, output [3:0] seen);
        wire a, b; reg [3:0] last = 3;
        half one(get & at[0], last, bus, a);
        half two(get & ~at[0], ~last, bus, b);
        always @(posedge clk) if (put) last <= bus;
        assign seen = {a, b, bus[1:0]};
      endmodule`;
    expect(await sameEverywhere(text, "t.sv", "bus")).toBeGreaterThan(250);
    expect(proofOf(text).check(proofOf(text).netlist).verdict).toBe("equal");
  });

  it("hold two halves that share their pads, and need one pin each", async () => {
    const result = await built(store);
    const netlist = (await result.artifact("synth"))!;
    const halves = netlist.ports.filter(({ name }) => name === "bus");
    expect(halves.map(({ direction, isInout }) => [direction, isInout])).toEqual([
      ["input", true],
      ["output", true],
    ]);
    const packed = (await result.artifact("pack"))!;
    halves[0].pads.forEach((cell, bit) => {
      expect(packed.cellPad[cell]).toBe(packed.cellPad[halves[1].pads[bit]]);
    });
    const rules = (await result.artifact("rules"))!;
    expect(rules.pins.pins.filter(({ port }) => port.startsWith("bus"))).toHaveLength(4);
    const image = (await result.artifact("image"))!;
    expect(image.ports.filter(({ direction }) => direction === "inout").map(({ port }) => port)).toEqual([
      "bus[0]",
      "bus[1]",
      "bus[2]",
      "bus[3]",
    ]);
  });

  it("are proven, and a changed enable is refuted", () => {
    for (const [text, name] of [
      [store, "t.sv"],
      [storeVhdl, "t.vhd"],
    ]) {
      const { netlist, check } = proofOf(text, name);
      expect(check(netlist).verdict).toBe("equal");
      const pads = [...netlist.kind.keys()].filter((cell) => {
        const slot = netlist.inputStart[cell] + padPin.enable;
        return netlist.kind[cell] === cellKind.outputPad && netlist.inputNet[slot] >= 0;
      });
      expect(pads).toHaveLength(4);
      for (const pad of pads) {
        const inputNet = netlist.inputNet.slice();
        inputNet[netlist.inputStart[pad] + padPin.enable] = -1; // drives all the time
        const proof = check({ ...netlist, inputNet });
        expect(proof.verdict).toBe("different");
        expect(proof.counterexample?.point).toMatch(/driven/);
      }
    }
  });

  it("may be driven all the time, never, or never be read", async () => {
    const text = `module m(input clk, input d, inout held, inout never, inout unread, output y);
      reg q = 0; always @(posedge clk) q <= ~d;
      assign held = q; assign unread = d ? q : 1'bz; assign y = held & never; endmodule`;
    const { player, result } = await running(text);
    expect(result.findings.filter(({ severity }) => severity === "error")).toEqual([]);
    player.set({ d: 0, never: 1 });
    player.clock("clk", 1);
    expect([player.read("held"), player.read("unread"), player.read("y")]).toEqual([1, "z", 1]);
    player.set({ d: 1, never: 0 });
    expect([player.read("unread"), player.read("y")]).toEqual([1, 0]);
    player.clock("clk", 1);
    expect([player.read("held"), player.read("unread"), player.read("never")]).toEqual([0, 0, 0]);
  });

  it("meet what drives them from outside", async () => {
    const { player } = await running(
      "module m(input on, d, inout p, output y); assign p = on ? d : 1'bz; assign y = ~p; endmodule",
    );
    player.set({ on: 1, d: 1 });
    expect([player.read("p"), player.read("y")]).toEqual([1, 0]);
    player.set({ p: 0 });
    expect(player.read("p")).toBe("x"); // both drive, against each other
    player.set({ on: 0 });
    expect([player.read("p"), player.read("y")]).toEqual([0, 1]);
    player.set({ p: "z" });
    expect(player.read("p")).toBe("z");
    expect(() => player.set({ y: 1 })).toThrow(PlayError);
    expect(player.play([{ read: ["p", "y"], expect: ["z", 1] }], () => {})).toBe(true);
    expect(player.play([{ read: ["p"], expect: [0] }], () => {})).toBe(false);
  });

  it("are pulled where the pin file says so: a line that two may pull low", async () => {
    const text =
      "module m(input low, inout line, output busy); assign line = low ? 1'b0 : 1'bz; assign busy = ~line; endmodule";
    const pinFiles = [{ name: "m.pins", text: "line at N3 LVCMOS33 pull=up\n" }];
    const { player } = await running(text, { pinFiles });
    expect([player.read("line"), player.read("busy")]).toEqual([1, 0]);
    player.set({ low: 1 });
    expect([player.read("line"), player.read("busy")]).toEqual([0, 1]);
    player.set({ low: 0, line: 0 });
    expect([player.read("line"), player.read("busy")]).toEqual([0, 1]);
    player.set({ line: "z" });
    expect([player.read("line"), player.read("busy")]).toEqual([1, 0]);
  });

  it("are pulled where the source says so, unless the pin file says otherwise", async () => {
    const text = (pull: string) => `module m(input low, ${pull ? "inout tri1" : "inout"} [1:0] line, output [1:0] seen);
      ${pull}
      assign line = low ? 2'b00 : 2'bzz; assign seen = line; endmodule`;
    for (const source of [text(" "), text("pullup (line[0]); pullup (line[1]);").replace("inout tri1", "inout")]) {
      const { player, result } = await running(source);
      expect([player.read("line"), player.read("seen")]).toEqual([3, 3]);
      player.set({ low: 1 });
      expect(player.read("seen")).toBe(0);
      player.set({ low: 0, "line[1]": 0 });
      expect(player.read("seen")).toBe(1);
      const { pins } = (await result.artifact("rules"))!.pins;
      expect(pins.filter(({ pull }) => pull === "up").map(({ port }) => port)).toEqual(["line[0]", "line[1]"]);
    }
    const down =
      "module m(input low, inout line, output seen); pulldown (line); assign line = low ? 1'b1 : 1'bz; assign seen = line; endmodule";
    const said = await running(down, { pinFiles: [{ name: "m.pins", text: "line at N3 LVCMOS33 pull=up\n" }] });
    expect(said.player.read("seen")).toBe(1);
    expect(said.result.findings.map(({ code }) => code)).toContain("pins/pull");
    const placed = await running(down, { pinFiles: [{ name: "m.pins", text: "line at N3 LVCMOS33\n" }] });
    expect(placed.player.read("seen")).toBe(0);
  });

  it("tell what cannot be", () => {
    const codes = (text: string) => elaborate([{ name: "t.sv", text }]).findings.map(({ code }) => code);
    expect(codes("module m(inout a, b, input e); tran (a, b); assign a = e ? 1'b1 : 1'bz; endmodule")).toContain(
      "verilog/pins-joined",
    );
    expect(codes("module m(inout a, input d, e); assign a = d; assign a = e ? 1'b0 : 1'bz; endmodule")).toContain(
      "verilog/several-drivers",
    );
    expect(
      codes("module m(inout a, input e, w); assign (pull0, pull1) a = w; assign a = e ? 1'b0 : 1'bz; endmodule"),
    ).toContain("circuit/pin-pull");
    expect(codes("module m(inout a, input d); assign a = d; endmodule")).toEqual([]);
  });
});

describe("outputs that let go", () => {
  it("leave the pin to others", async () => {
    const text = `module m(input [1:0] e, input [3:0] d, output [3:0] y, output reg z);
      assign y[1:0] = e[0] ? d[1:0] : 2'bz; assign y[3:2] = d[3:2];
      always @* if (e[1]) z = d[0]; else z = 1'bz; endmodule`;
    const { player } = await running(text);
    const { netlist, check, findings } = proofOf(text);
    expect(findings).toEqual([]);
    expect(check(netlist).verdict).toBe("equal");
    player.set({ e: 3, d: 9 });
    expect([player.read("y"), player.read("z")]).toEqual([9, 1]);
    player.set({ e: 0, d: 10 });
    expect([player.read("y"), player.read("z")]).toEqual(["10zz", "z"]);
  });

  it("use a pin's own enable, not logic", () => {
    const { netlist } = proofOf("module m(input e, input [7:0] d, output [7:0] y); assign y = e ? d : 8'bz; endmodule");
    expect(netlist.kind.filter((kind) => kind === cellKind.lut)).toHaveLength(0);
  });
});
