import { randomUUID } from "node:crypto";
import type { BenchRunInfo, Design, Kept, Problem } from "@gate-clock/contract";
import { type BenchRecord, type BenchResult, type BenchVerdict, decodeArtifact, sourcesKey } from "@gate-clock/core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "./helpers/test-server.ts";

const server = new TestServer();
const call = server.call.bind(server) as TestServer["call"];
async function newDesign(text: string): Promise<Design> {
  const { body } = await call<Design>("/api/designs", "POST", {
    name: "benches",
    part: "TW-2-P144-2C",
    files: [{ path: "b.v", kind: "source", text }],
  });
  return body;
}
const runsOf = (design: Design) => `/api/designs/${design.id}/runs`;
const start = async (design: Design, change: object = {}) =>
  (await call<BenchRunInfo>(runsOf(design), "POST", { bench: "b", seed: 3, ...change })).body;
async function until(
  design: Design,
  id: string,
  is: (run: BenchRunInfo) => boolean,
  timeoutMs = 60_000,
): Promise<BenchRunInfo> {
  const end = Date.now() + timeoutMs;
  for (;;) {
    const { body } = await call<BenchRunInfo>(`${runsOf(design)}/${id}`);
    if (is(body)) return body;
    if (Date.now() > end) throw new Error(`still ${JSON.stringify(body)}`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}
const isOver = (run: BenchRunInfo) => run.status !== "queued" && run.status !== "running";
async function resultOf(design: Design, id: string): Promise<BenchResult> {
  const response = await fetch(`${server.address}${runsOf(design)}/${id}/result`);
  expect(response.status).toBe(200);
  const record = decodeArtifact<BenchRecord>(new Uint8Array(await response.arrayBuffer()));
  expect(record.sources.map((file) => file.name)).toEqual(["b.v"]);
  return record.result;
}

const counting = (extra = "") => `\`timescale 1ns/1ns
module b;
  reg clk = 0; reg [7:0] n = 0; reg [31:0] r;
  always #5 clk = ~clk;
  always @(posedge clk) n <= n + 1;
  initial begin
    r = $urandom;
    #102 $display("n is %0d, drawn %0d", n, r);
    ${extra}
    $finish;
  end
endmodule
`;
const endless = 'module b; reg c = 0; always #1 c = ~c; initial $display("on"); endmodule\n';

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  await server.dropDatabase();
});

describe("test benches on the server", () => {
  it("run to their end, with lines, waves and a verdict that is kept with the design", async () => {
    const design = await newDesign(counting());
    const queued = await start(design);
    expect(queued).toMatchObject({ number: 1, bench: "b", seed: 3, until: null, record: null, verdict: null });
    const run = await until(design, queued.id, isOver);
    expect(run).toMatchObject({ status: "done", failure: null, verdict: { passed: true, end: "finish" } });
    expect(run.resultBytes).toBeGreaterThan(100);
    const result = await resultOf(design, run.id);
    expect(result.lines).toHaveLength(1);
    expect(result.lines[0].text).toMatch(/^n is 10, drawn \d+$/);
    const n = result.waves!.tracks.find((track) => track.name === "n")!;
    expect([...n.a]).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10]);
    expect([...n.times]).toEqual([0, 5, 15, 25, 35, 45, 55, 65, 75, 85, 95]);
    const { body: kept } = await call<Kept[]>(`/api/designs/${design.id}/kept`);
    const verdict = kept.find((each) => each.name === "verdict:b")!.value as unknown as BenchVerdict;
    expect(verdict).toEqual(run.verdict);
    expect(verdict.sourcesKey).toBe(sourcesKey([{ name: "b.v", text: counting() }]));
    // the same seed takes the same way, another one another
    const again = await until(design, (await start(design)).id, isOver);
    expect((await resultOf(design, again.id)).lines).toEqual(result.lines);
    const other = await until(design, (await start(design, { seed: 4 })).id, isOver);
    expect((await resultOf(design, other.id)).lines).not.toEqual(result.lines);
    expect((await call<BenchRunInfo[]>(runsOf(design))).body.map((each) => each.number)).toEqual([3, 2, 1]);
  });
  it("fail with their first failing line, record what was chosen and stop at their limit", async () => {
    const design = await newDesign(counting('if (n != 11) $error("not eleven");'));
    const run = await until(design, (await start(design, { record: [] })).id, isOver);
    expect(run.verdict).toMatchObject({ passed: false, errors: 1, first: { place: { file: "b.v", line: 9 } } });
    expect((await resultOf(design, run.id)).waves!.tracks).toHaveLength(0);
    const limited = await until(design, (await start(design, { until: 50e-9 })).id, isOver);
    expect(limited.verdict).toMatchObject({ passed: true, end: "limit", time: "50 ns" });
    const broken = await newDesign("module b; x = ; endmodule");
    const failed = await until(broken, (await start(broken)).id, isOver);
    expect(failed).toMatchObject({
      status: "done",
      verdict: { passed: false, end: "errors", first: { place: { line: 1 } } },
    });
  });
  it("show how far they are, stop when asked and keep what there is", async () => {
    const design = await newDesign(endless);
    const { id } = await start(design, { record: [] });
    const running = await until(design, id, (run) => run.progress !== null);
    expect(running.progress!.lines).toBe(1);
    expect(running.progress!.elapsedMs).toBeGreaterThan(0);
    expect((await call(`${runsOf(design)}/${id}/cancel`, "POST")).status).toBe(204);
    const run = await until(design, id, isOver);
    expect(run).toMatchObject({ status: "cancelled", verdict: { passed: false, end: "cancelled" } });
    expect((await resultOf(design, id)).lines.map((line) => line.text)).toEqual(["on"]);
    expect((await call(`${runsOf(design)}/${id}/cancel`, "POST")).status).toBe(204);
  });
  it("wait for their turn, and can be cancelled while they wait", async () => {
    const design = await newDesign(endless);
    const first = await start(design, { record: [] });
    await until(design, first.id, (run) => run.status === "running");
    const second = await start(design);
    expect((await call(`${runsOf(design)}/${second.id}/cancel`, "POST")).status).toBe(204);
    expect(await until(design, second.id, isOver)).toMatchObject({
      status: "cancelled",
      startedAt: null,
      verdict: null,
    });
    const { status, body } = await call<Problem>(`${runsOf(design)}/${second.id}/result`);
    expect(status).toBe(404);
    expect(body.detail).toMatch(/has no result/);
    // a design that goes takes its runs along
    expect((await call(`/api/designs/${design.id}`, "DELETE")).status).toBe(204);
    const after = await newDesign(counting());
    expect(await until(after, (await start(after)).id, isOver)).toMatchObject({ status: "done" });
  });
  it("start again after their server was killed", async () => {
    // long enough to be caught, short enough to end
    const design = await newDesign(
      "module b; reg c = 0; integer n = 0; always #1 c = ~c; always @(c) n = n + 1; initial begin #20000000 $display(n); $finish; end endmodule",
    );
    const { id } = await start(design, { record: [] });
    await until(design, id, (run) => run.progress !== null);
    await server.stop("SIGKILL");
    await server.start();
    const run = await until(design, id, isOver);
    expect(run).toMatchObject({ status: "done", verdict: { passed: true } });
    expect((await resultOf(design, id)).lines[0].text.trim()).toBe("20000000");
  });
  it("keep the newest twenty results", async () => {
    const design = await newDesign(counting());
    for (let i = 0; i < 22; i++) await until(design, (await start(design, { record: [] })).id, isOver);
    const { body } = await call<BenchRunInfo[]>(runsOf(design));
    expect(body.map((run) => run.number)).toEqual(Array.from({ length: 20 }, (_, i) => 22 - i));
  });
  it("refuse what is no run", async () => {
    const design = await newDesign(counting());
    for (const wrong of [
      { bench: "" },
      { seed: 1.5 },
      { until: -1 },
      { record: [{ path: "x" }] },
      { record: "all" },
      { speed: 9 },
    ]) {
      const { status, body } = await call<Problem>(runsOf(design), "POST", { bench: "b", seed: 1, ...wrong });
      expect([status, body.status], JSON.stringify(wrong)).toEqual([400, 400]);
    }
    expect((await call(`/api/designs/${randomUUID()}/runs`, "POST", { bench: "b", seed: 1 })).status).toBe(404);
    expect((await call(`${runsOf(design)}/${randomUUID()}`)).status).toBe(404);
    expect((await call(`${runsOf(design)}/none`)).status).toBe(400);
  });
});

describe("what is kept with a design", () => {
  const keep = (design: Design, name: string, value: unknown) =>
    call<Problem>(`/api/designs/${design.id}/kept/${encodeURIComponent(name)}`, "PUT", { value });
  it("is found again by its name, the last one written", async () => {
    const design = await newDesign(counting());
    expect((await call(`/api/designs/${design.id}/kept`)).body).toEqual([]);
    expect((await keep(design, "waves:b", { rows: [1] })).status).toBe(204);
    expect((await keep(design, "waves:a/b \\odd[1]", { rows: [] })).status).toBe(204);
    expect((await keep(design, "waves:b", { rows: [2], deep: { x: null } })).status).toBe(204);
    const { body } = await call<Kept[]>(`/api/designs/${design.id}/kept`);
    expect(body.map(({ name, value }) => [name, value])).toEqual([
      ["waves:a/b \\odd[1]", { rows: [] }],
      ["waves:b", { rows: [2], deep: { x: null } }],
    ]);
  });
  it("has a name of a known kind and a size within bounds", async () => {
    const design = await newDesign(counting());
    expect((await keep(design, "else:b", {})).status).toBe(400);
    expect((await keep(design, "waves:", {})).status).toBe(400);
    expect((await keep(design, "waves:b", "text")).status).toBe(400);
    const large = await keep(design, "waves:b", { text: "x".repeat(200_000) });
    expect(large.status).toBe(400);
    expect(large.body.detail).toMatch(/at most 200000/);
    expect((await call(`/api/designs/${randomUUID()}/kept`)).status).toBe(404);
    expect((await call(`/api/designs/${randomUUID()}/kept/waves:b`, "PUT", { value: {} })).status).toBe(404);
  });
});
