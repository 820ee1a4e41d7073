import { expect } from "vitest";
import { Random } from "../../src/common/index.ts";
import type { MappedNetlist } from "../../src/netlist/index.ts";
import { running } from "./build.ts";
import { MappedSimulator } from "./mapped-sim.ts";
import { builtLines, linesOf } from "./simulation.ts";

export interface Stimulus {
  /** Input ports and their widths; the clock `clk` is not among them. */
  readonly inputs: Readonly<Record<string, number>>;
  readonly outputs: readonly string[];
  readonly cycles: number;
  readonly seed?: number;
  /** Memory files of the design. */
  readonly files?: readonly { readonly name: string; readonly text: string }[];
}

/**
 * Runs a clocked module `m` four ways on the same random inputs: as written, as structural Verilog in the same bench, as
 * mapped netlist by a slow simulator, and on the simulated part from its bitstream. All must read the same wherever the
 * source's value is known. @returns Bits that were compared, and those of them that were 1.
 */
export async function agreesEverywhere(
  source: string,
  stimulus: Stimulus,
  options: { onPart?: boolean; part?: string; name?: string } = {},
): Promise<{ netlist: MappedNetlist; compared: number; ones: number }> {
  const { inputs, outputs, cycles, files = [] } = stimulus;
  const random = new Random(stimulus.seed ?? 1);
  const names = Object.keys(inputs);
  const steps = Array.from({ length: cycles }, () => names.map((name) => random.below(2 ** inputs[name])));
  const name = options.name ?? "t.sv";
  const fields = { sources: [{ name, text: source }, ...files], part: options.part };
  const { player, result } = await running(source, options.part ? fields : { ...fields, part: "TW-2-P144-2C" });
  const netlist = (await result.artifact("synth"))!;
  const widthOf = (port: string) => netlist.ports.find((each) => each.name === port)!.pads.length;
  const bench = `module tb; reg clk = 0; ${names.map((port) => `reg [${inputs[port] - 1}:0] ${port};`).join(" ")}
${outputs.map((port) => `wire [${widthOf(port) - 1}:0] ${port};`).join(" ")}
m dut(.clk(clk)${[...names, ...outputs].map((port) => `, .${port}(${port})`).join("")});
task turn; begin #1 clk = 1; #1 clk = 0; #1 $display("${outputs.map(() => "%b").join(" ")}"${outputs.map((port) => `, ${port}`).join("")}); end endtask
initial begin ${steps.map((values) => `${names.map((port, i) => `${port} = ${values[i]};`).join(" ")} turn;`).join("\n")} $finish; end endmodule`;
  const before = linesOf(
    [
      { name, text: source },
      { name: "tb.v", text: bench },
    ],
    { top: "tb", readFile: (path) => files.find((file) => file.name === path)?.text ?? null },
  );
  const after = builtLines(netlist, bench);
  const simulator = new MappedSimulator(netlist);
  let compared = 0;
  let ones = 0;
  expect(before).toHaveLength(cycles);
  steps.forEach((values, cycle) => {
    names.forEach((port, i) => simulator.set(port, BigInt(values[i])));
    simulator.settle();
    simulator.cycle("clk");
    player.set(Object.fromEntries(names.map((port, i) => [port, values[i]])));
    player.clock("clk", 1);
    const expected = before[cycle].split(" ");
    const text = after[cycle].split(" ");
    outputs.forEach((port, i) => {
      const slow = simulator.get(port).toString(2).padStart(expected[i].length, "0");
      const part = BigInt(player.read(port)).toString(2).padStart(expected[i].length, "0");
      [...expected[i]].forEach((bit, at) => {
        if (bit !== "0" && bit !== "1") return;
        compared++;
        if (bit === "1") ones++;
        const where = `${port}, cycle ${cycle}, ${expected[i]}`;
        expect(text[i][at], `structural Verilog: ${where} ${text[i]}`).toBe(bit);
        expect(slow[at], `mapped netlist: ${where} ${slow}`).toBe(bit);
        expect(part[at], `simulated part: ${where} ${part}`).toBe(bit);
      });
    });
  });
  return { netlist, compared, ones };
}
