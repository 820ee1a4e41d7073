import { describe, expect, it } from "vitest";
import { elaborate } from "../src/elaborate/index.ts";
import { systemTasks } from "../src/elaborate/system-tasks.ts";
import { runText } from "./helpers/simulation.ts";

const codes = (statement: string) =>
  elaborate(
    [
      {
        name: "t.v",
        text: `module t(input i, output o); reg [7:0] a = 0; assign o = i ^ a[0]; initial ${statement}; endmodule`,
      },
    ],
    {
      top: "t",
    },
  ).findings.map(({ code, severity }) => `${severity} ${code}`);

describe("system tasks", () => {
  it("are told what they lack", () => {
    const needing = [...systemTasks].filter(([, { least }]) => least > 0);
    expect(needing.length).toBeGreaterThan(25);
    for (const [name, { least }] of needing) {
      const args = Array.from({ length: least - 1 }, () => "a");
      expect(codes(args.length ? `${name}(${args.join(", ")})` : name), name).toContain("error verilog/arguments");
    }
  });
  it("that need nothing may stand alone", () => {
    for (const [name, { least }] of systemTasks) if (least === 0) expect(codes(name), name).toEqual([]);
  });
  it("run by themselves, each of those that end nothing", () => {
    const names = [...systemTasks].filter(
      ([name, { least }]) => least === 0 && !/^\$(finish|stop|exit|fatal|error|system)/.test(name),
    );
    const text = `module t; initial begin ${names.map(([name]) => `${name};`).join(" ")} $write("end\\n"); #1 $finish; end endmodule`;
    const ran = runText(text, { top: "t" });
    expect(ran.text).toContain("end\n");
    expect(ran.findings.filter((finding) => finding.includes(": error:"))).toEqual([]);
  });
  it("print to files in every radix, at once and at the end of the slot", () => {
    const text = `module t; reg [7:0] a = 8'h1c; integer f; initial begin f = 1;
$fdisplay(f, a); $fdisplayb(f, a); $fdisplayo(f, a); $fdisplayh(f, a);
$fstrobe(f, a); $fstrobeb(f, a); $fstrobeo(f, a); $fstrobeh(f, a); a = 8'h05;
#1 $fmonitorh(f, a); #1 a = 8'hff; #1 $finish; end endmodule`;
    expect(
      runText(text, { top: "t" })
        .text.split("\n")
        .map((line) => line.trim()),
    ).toEqual(["28", "00011100", "034", "1c", "5", "00000101", "005", "05", "05", "ff", ""]);
  });
  it("do nothing in a circuit but fill memories", () => {
    const filling = [...systemTasks].filter(([, { fillsMemory }]) => fillsMemory).map(([name]) => name);
    expect(filling).toEqual(["$readmemh", "$readmemb"]);
    const quiet = [...systemTasks].filter(
      ([name, { least }]) => least === 0 && !/^\$(finish|stop|exit|fatal)/.test(name),
    );
    const text = `module t(input clk, input [3:0] d, output reg [3:0] q);
always @(posedge clk) begin q <= d; ${quiet.map(([name]) => `${name};`).join(" ")} end endmodule`;
    const { artifact, findings } = elaborate([{ name: "t.v", text }], { top: "t" });
    expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
    const kinds = artifact!.netlist.cells.map(({ kind }) => kind);
    expect(new Set(kinds)).toEqual(new Set(["ff"]));
  });
});
