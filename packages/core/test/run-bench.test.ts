import { describe, expect, it } from "vitest";
import {
  type BenchJob,
  type BenchProgress,
  listScopes,
  type RecordScope,
  runBench,
  sourcesKey,
  verdictOf,
} from "../src/index.ts";

const hall = {
  name: "hall.sv",
  text: `\`timescale 1ns/1ns
module shed(input clk, output reg [3:0] n = 0);
  always @(posedge clk) n <= n + 1;
endmodule
module loom(input clk, output [3:0] n);
  reg idle = 0;
  shed s(.clk(clk), .n(n));
endmodule
module bench;
  reg clk = 0; wire [3:0] n; wire [3:0] m;
  loom l1(clk, n);
  loom l10(clk, m);
  always #5 clk = ~clk;
  initial begin
    $write("half ");
    #12 $display("line");
    #88 $display("at %0t", $time);
    if (n !== 4'd9) $error("wrong");
    $finish;
  end
endmodule
`,
};
const job = (record: readonly RecordScope[] | null, change: Partial<BenchJob> = {}): BenchJob => ({
  sources: [hall],
  top: "bench",
  until: null,
  seed: 0,
  record,
  waveMemory: 2 ** 24,
  ...change,
});
const host = (isStopped = () => false, told: BenchProgress[] = []) => ({
  progress: (each: BenchProgress) => void told.push(each),
  isStopped,
  now: () => performance.now(),
  pause: async () => {},
});
const names = async (record: readonly RecordScope[] | null) =>
  (await runBench(job(record), host())).waves!.tracks.map((track) => [...track.path, track.name].join("."));

describe("a run of a test bench", () => {
  it("gathers pieces of text into lines at their first place and time", async () => {
    const { lines, end, passed, time } = await runBench(job(null), host());
    expect(lines.map(({ text, time, place }) => [text, time, place.line])).toEqual([
      ["half line", 0, 15],
      ["at 100", 100, 17],
    ]);
    expect({ end, passed, time }).toEqual({ end: "finish", passed: false, time: "100 ns" });
  });
  it("records the scopes that are chosen, and only whole names count", async () => {
    expect(await names([{ path: "l1", below: true }])).toEqual([
      "bench.l1.clk",
      "bench.l1.n",
      "bench.l1.idle",
      "bench.l1.s.clk",
      "bench.l1.s.n",
    ]);
    expect(await names([{ path: "l10", below: false }])).toEqual(["bench.l10.clk", "bench.l10.n", "bench.l10.idle"]);
    expect(await names([{ path: "", below: false }])).toEqual(["bench.clk", "bench.n", "bench.m"]);
    expect(await names([])).toEqual([]);
    expect(await names(null)).toHaveLength(13);
  });
  it("lists the scopes with what they are and how much they hold, numbers in their order", () => {
    expect(listScopes([hall], "bench")).toEqual([
      { path: "", module: "bench", signals: 3 },
      { path: "l1", module: "loom", signals: 3 },
      { path: "l1.s", module: "shed", signals: 2 },
      { path: "l10", module: "loom", signals: 3 },
      { path: "l10.s", module: "shed", signals: 2 },
    ]);
    expect(listScopes([{ name: "x.v", text: "module x(" }], "x")).toEqual([]);
  });
  it("goes on when the memory for waves is full, and says since when", async () => {
    const full = await runBench(job(null, { waveMemory: 1024 }), host());
    expect(full.end).toBe("finish");
    expect(full.lines).toHaveLength(2);
    const finding = full.findings.find((each) => each.code === "sim/wave-memory");
    expect(finding?.message).toMatch(/0 MiB at \d+ ns/);
    for (const track of full.waves!.tracks)
      for (const time of track.times) expect(time).toBeLessThanOrEqual(full.waves!.stoppedAt!);
  });
  it("stops when asked, with what there is until then", async () => {
    const told: BenchProgress[] = [];
    const endless = { name: "e.v", text: 'module e; reg c = 0; always #1 c = ~c; initial $display("on"); endmodule' };
    const result = await runBench(
      job(null, { sources: [endless], top: "e" }),
      host(() => told.length > 3, told),
    );
    expect(result.end).toBe("cancelled");
    expect(result.passed).toBe(false);
    expect(result.lines.map((line) => line.text)).toEqual(["on"]);
    expect(result.waves!.tracks[0].times.length).toBeGreaterThan(64);
  });
  it("leaves a verdict that knows its sources", async () => {
    const verdict = verdictOf(job(null), await runBench(job(null), host()));
    expect(verdict).toMatchObject({ end: "finish", passed: false, errors: 1, seed: 0, until: null });
    expect(verdict.first).toMatchObject({
      message: expect.stringMatching(/wrong/),
      place: { file: "hall.sv", line: 18 },
    });
    expect(verdict.sourcesKey).toBe(sourcesKey([{ ...hall }]));
    expect(verdict.sourcesKey).toBe(sourcesKey([{ ...hall, text: `// a word\n${hall.text} ` }]));
    expect(verdict.sourcesKey).not.toBe(sourcesKey([{ ...hall, text: `${hall.text} module m; endmodule` }]));
    const broken = await runBench(
      job(null, { sources: [{ name: "b.v", text: "module bench; x = ; endmodule" }] }),
      host(),
    );
    expect(broken).toMatchObject({ end: "errors", passed: false, waves: null });
  });
});
