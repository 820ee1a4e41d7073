import { randomUUID } from "node:crypto";
import type {
  Design,
  DesignCard,
  DesignFile,
  DiskUse,
  Problem,
  Target,
  TargetRules,
  Trial,
} from "@gate-clock/contract";
import { decodeArtifact, type StoredStage } from "@gate-clock/core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "./helpers/test-server.ts";
import { waitFor } from "./helpers/wait-for.ts";

const server = new TestServer({ GATE_CLOCK_BUILD_DEMO: "" });

const call = server.call.bind(server) as TestServer["call"];
async function settled(designId: string, trialId: string, timeoutMs = 90_000): Promise<Trial> {
  const end = Date.now() + timeoutMs;
  for (;;) {
    const { body } = await call<Trial>(`/api/designs/${designId}/trials/${trialId}`);
    if (body.status !== "queued" && body.status !== "running") return body;
    if (Date.now() > end) throw new Error(`trial still ${body.status}: ${JSON.stringify(body.stages)}`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}
const source = (extra = "") =>
  `module m(input clk, input [3:0] a, output reg [3:0] q);\n  always @(posedge clk) q <= q + a;\n${extra}endmodule\n`;
async function newDesign(text = source(), name = "small"): Promise<Design> {
  const { body } = await call<Design>("/api/designs", "POST", {
    name,
    part: "TW-2-P144-2C",
    files: [{ path: "m.v", kind: "source", text }],
  });
  return body;
}

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  await server.dropDatabase();
});

describe("the door", () => {
  it("refuses foreign hosts and origins as problem details", async () => {
    for (const headers of [{ origin: "http://evil.example" }, { origin: "null" }]) {
      const { status, body } = await call<Problem>("/api/designs", "GET", undefined, headers);
      expect(status).toBe(403);
      expect(body.detail).toMatch(/not accepted/);
    }
    // fetch does not let us choose the Host header, so speak HTTP by hand
    const { connect } = await import("node:net");
    const { port } = new URL(server.address);
    const answer = await new Promise<string>((resolve) => {
      const socket = connect(Number(port), "127.0.0.1", () =>
        socket.write("GET /api/designs HTTP/1.1\r\nHost: loom.example\r\nConnection: close\r\n\r\n"),
      );
      let text = "";
      socket.on("data", (data) => {
        text += data.toString();
      });
      socket.on("close", () => resolve(text));
    });
    expect(answer).toMatch(/^HTTP\/1.1 403/);
  });
  it("serves its OpenAPI description with every path", async () => {
    const { body } = await call<{ paths: Record<string, unknown> }>("/api/openapi.json");
    for (const path of [
      "/api/designs",
      "/api/designs/{id}/files/{fileId}",
      "/api/designs/{designId}/trials/{trialId}/artifacts/{stage}",
      "/api/parts",
    ])
      expect(body.paths).toHaveProperty([path]);
  });
  it("validates every body and names each mistake", async () => {
    const { status, body } = await call<Problem>("/api/designs", "POST", {
      name: "",
      part: "TW-2-P144-2C",
      loom: 1,
      files: [{ path: "../../etc/passwd", kind: "poem", text: 5 }],
    });
    expect(status).toBe(400);
    expect(body.errors!.join(" ")).toMatch(/loom[\s\S]*name[\s\S]*file name[\s\S]*kind/);
    expect((await call<Problem>("/api/designs", "POST", { name: "x", part: "TW-2-P144-9C" })).body.detail).toMatch(
      /TW-2-P144/,
    );
    expect((await call<Problem>(`/api/designs/${randomUUID()}`)).status).toBe(404);
    expect((await call<Problem>("/api/designs/nonsense")).status).toBe(400);
  });
});

describe("designs and files", () => {
  it("come with the demo, which is built at the first start", async () => {
    const { body } = await call<Design[]>("/api/designs");
    const loaded = body.find((design) => design.name === "pick-counter")!;
    const trial = await settled(loaded.id, loaded.lastTrial!.id);
    expect(trial.status).toBe("done");
    expect(trial.findings).toEqual([]);
    expect(trial.figures.setupSlackPs).toBeGreaterThan(0);
  });
  it("keep every version, and never overwrite what somebody else saved meanwhile", async () => {
    const design = await newDesign();
    const [file] = design.files;
    const path = `/api/designs/${design.id}/files/${file.id}`;
    const first = await call<DesignFile>(path, "PUT", { text: "// one\n", baseVersion: 1 });
    expect(first.body.version).toBe(2);
    const second = await call<Problem>(path, "PUT", { text: "// two\n", baseVersion: 1 });
    expect(second.status).toBe(409);
    expect((await call<DesignFile>(path, "PUT", { text: "// one\n", baseVersion: 1 })).status).toBe(200); // the same text is no conflict
    const history = await call<{ version: number; text: string }[]>(`${path}/versions`);
    expect(history.body.map((each) => each.text)).toEqual(["// one\n", source()]);
    expect(
      (await call<Problem>(`/api/designs/${design.id}/files`, "POST", { path: "m.v", kind: "source", text: "" }))
        .status,
    ).toBe(409);
    expect(
      (await call<Problem>(`/api/designs/${design.id}/files`, "POST", { path: "b.v", kind: "source", text: "a\0b" }))
        .status,
    ).toBe(400);
  });
  it("are renamed and moved, but never onto another file or out of the design", async () => {
    const design = await newDesign();
    const [file] = design.files;
    const files = `/api/designs/${design.id}/files`;
    const moved = await call<DesignFile>(`${files}/${file.id}`, "PATCH", { path: "rtl/moved.v" });
    expect(moved.body).toMatchObject({ path: "rtl/moved.v", version: 1, text: source() });
    await call(files, "POST", { path: "other.v", kind: "source", text: "" });
    const onto = await call<Problem>(`${files}/${file.id}`, "PATCH", { path: "other.v" });
    expect(onto.status).toBe(409);
    expect(onto.body.detail).toContain("other.v already");
    expect((await call<Problem>(`${files}/${file.id}`, "PATCH", { path: "../up.v" })).status).toBe(400);
    expect((await call<Problem>(`${files}/${randomUUID()}`, "PATCH", { path: "x.v" })).status).toBe(404);
  });
  it("takes text of five megabytes, and refuses more than eight with a reason", async () => {
    const design = await newDesign();
    const [file] = design.files;
    const path = `/api/designs/${design.id}/files/${file.id}`;
    expect(
      (await call(path, "PUT", { text: `${source()}${"// thread\n".repeat(520_000)}`, baseVersion: 1 })).status,
    ).toBe(200);
    const refused = await call<Problem>(path, "PUT", { text: "x".repeat(9_000_000), baseVersion: 2 });
    expect(refused.status).toBe(413);
    expect(refused.body.detail).toMatch(/8 MB/);
  });
});

describe("targets of a new design", () => {
  const rule = (path: string, kind: "pins" | "timing", text: string) => ({ path, kind, text });
  const source = { path: "m.v", kind: "source", text: "module m(input clk); endmodule" };
  const both = {
    name: "two looms",
    part: "TW-2-P144-2C",
    target: "big",
    recipe: "swift",
    seed: 4,
    files: [source, rule("a.pins", "pins", "clk at N19 LVCMOS33\n")],
    targets: [
      { name: "small", part: "CA-1-P84-2C", board: "bobbin", seed: 9, files: [rule("a.pins", "pins", "clk at N10\n")] },
    ],
  };

  it("are made with it, each with its own rules, and can be copied whole", async () => {
    const { body: design } = await call<Design>("/api/designs", "POST", both);
    expect(design).toMatchObject({ targetName: "big", targetCount: 2, recipe: "swift", seed: 4 });
    expect(design.files.map(({ path }) => path)).toEqual(["m.v", "a.pins"]);
    const { body: targets } = await call<Target[]>(`/api/designs/${design.id}/targets`);
    expect(targets[1]).toMatchObject({
      name: "small",
      board: "bobbin",
      recipe: "even",
      seed: 9,
      ruleFiles: ["a.pins"],
    });
    const { body: rules } = await call<TargetRules[]>(`/api/designs/${design.id}/targets/rules`);
    const textOf = (id: string) => rules.find(({ targetId }) => targetId === id)!.files[0].text;
    expect(targets.map(({ id }) => textOf(id))).toEqual(["clk at N19 LVCMOS33\n", "clk at N10\n"]);
  });

  it("leave nothing behind when one of them cannot be made", async () => {
    const before = (await call<DesignCard[]>("/api/designs")).body.length;
    const withSecond = (change: object) => ({ ...both, targets: [{ ...both.targets[0], ...change }] });
    expect((await call("/api/designs", "POST", withSecond({ name: "big" }))).status).toBe(409);
    expect((await call("/api/designs", "POST", withSecond({ part: "CA-9" }))).status).toBe(400);
    expect((await call("/api/designs", "POST", withSecond({ recipe: "slow" }))).status).toBe(400);
    expect((await call("/api/designs", "POST", withSecond({ files: [source] }))).status).toBe(400);
    expect((await call("/api/designs", "POST", withSecond({ seed: -1 }))).status).toBe(400);
    expect((await call<DesignCard[]>("/api/designs")).body.length).toBe(before);
  });
});

describe("targets", () => {
  const targetsOf = (id: string) => call<Target[]>(`/api/designs/${id}/targets`);
  const addRule = (id: string, path: string, kind: string, text: string) =>
    call<DesignFile>(`/api/designs/${id}/files`, "POST", { path, kind, text });

  it("hold part and rules each, are chosen, and share the sources", async () => {
    const design = await newDesign();
    expect(design).toMatchObject({ targetName: "TW-2-P144-2C", targetCount: 1 });
    await addRule(design.id, "clocks.sdc", "timing", "create_clock -name clk -period 10.000 [get_ports clk]\n");
    const dto = { name: "Small", part: "CA-1-P84-2C", board: "bobbin", copyRules: true };
    const { body: list } = await call<Target[]>(`/api/designs/${design.id}/targets`, "POST", dto);
    expect(list.map(({ name, part, ruleFiles }) => [name, part, ruleFiles])).toEqual([
      ["TW-2-P144-2C", "TW-2-P144-2C", ["clocks.sdc"]],
      ["Small", "CA-1-P84-2C", ["clocks.sdc"]],
    ]);
    const targetId = list[1].id;
    const { body: chosen } = await call<Design>(`/api/designs/${design.id}?target=${targetId}`);
    expect((await call<Design>(`/api/designs/${design.id}?target=Small`)).body).toEqual(chosen);
    expect((await call<Problem>(`/api/designs/${design.id}?target=Large`)).status).toBe(404);
    expect(chosen).toMatchObject({ part: "CA-1-P84-2C", board: "bobbin", targetName: "Small", targetCount: 2 });
    expect(chosen.files.map(({ path }) => path)).toEqual(["m.v", "clocks.sdc"]);
    // who looks at one target changes that one, and nobody else is led away from theirs
    const rule = chosen.files.find(({ kind }) => kind === "timing")!;
    const slower = rule.text.replace("10.000", "40.000");
    await call(`/api/designs/${design.id}/files/${rule.id}`, "PUT", { text: slower, baseVersion: rule.version });
    await call(`/api/designs/${design.id}/targets/${targetId}`, "PATCH", { part: "CA-1-P84-1C", seed: 7 });
    const own = { path: "own.sdc", kind: "timing", text: "" };
    expect((await call(`/api/designs/${design.id}/files?target=Small`, "POST", own)).status).toBe(201);
    expect((await call(`/api/designs/${design.id}/files?target=Large`, "POST", own)).status).toBe(404);
    const { body: back } = await call<Design>(`/api/designs/${design.id}`);
    expect(back.files.map(({ path }) => path)).toEqual(["m.v", "clocks.sdc"]);
    const { body: named } = await call<Target[]>(`/api/designs/${design.id}/targets`, "POST", {
      name: "Like it",
      part: "CA-1-P84-2C",
      like: targetId,
      copyRules: true,
    });
    expect(named[2]).toMatchObject({ seed: 7, ruleFiles: ["clocks.sdc", "own.sdc"] });
    expect(back).toMatchObject({ part: "TW-2-P144-2C", seed: 1 });
    expect(back.files.find(({ kind }) => kind === "timing")!.text).toContain("10.000");
    const { body: after } = await targetsOf(design.id);
    expect(after[1]).toMatchObject({ part: "CA-1-P84-1C", seed: 7 });
  });

  it("are built side by side, and only their own changes make a trial old", async () => {
    const design = await newDesign();
    const { body: list } = await call<Target[]>(`/api/designs/${design.id}/targets`, "POST", {
      name: "Felt",
      part: "FE-64-P44-2C",
    });
    const trials = [];
    for (const { id } of list)
      trials.push((await call<Trial>(`/api/designs/${design.id}/targets/${id}/trials`, "POST")).body);
    for (const [i, trial] of trials.entries()) {
      const done = await settled(design.id, trial.id);
      expect(done).toMatchObject({ status: "done", targetId: list[i].id, part: list[i].part });
    }
    await addRule(design.id, "m.sdc", "timing", "create_clock -name clk -period 20.000 [get_ports clk]\n");
    const told = async () => {
      const { body } = await targetsOf(design.id);
      return body.every(({ lastTrial }) => lastTrial?.staleness) ? body : null;
    };
    const after = await waitFor(told, (body) => body !== null, 30_000);
    expect(after!.map(({ lastTrial }) => lastTrial!.staleness!.again)).toEqual([
      ["rules", "goals", "timing", "image"],
      [],
    ]);
    expect(after![0].lastTrial!.staleness!.changes).toEqual([{ what: "clock periods", files: ["m.sdc"] }]);
    expect(after!.every(({ lastTrial }) => lastTrial!.figures.luts! > 0)).toBe(true);
    const { body: all } = await call<Trial[]>(`/api/designs/${design.id}/trials`);
    expect(all.map(({ targetId }) => targetId)).toEqual([list[1].id, list[0].id]);
  });

  it("keep their names apart, refuse what is not there, and leave their trials behind", async () => {
    const design = await newDesign();
    const at = `/api/designs/${design.id}/targets`;
    const { body: list } = await call<Target[]>(at, "POST", { name: "Other", part: "TW-9-P208-2C" });
    expect((await call<Problem>(at, "POST", { name: "Other", part: "TW-9-P208-2C" })).status).toBe(409);
    expect((await call<Problem>(`${at}/${list[1].id}`, "PATCH", { name: list[0].name })).status).toBe(409);
    expect((await call<Problem>(at, "POST", { name: "Odd", part: "no such" })).status).toBe(400);
    expect((await call<Problem>(at, "POST", { name: "", part: "TW-9-P208-2C" })).status).toBe(400);
    expect((await call<Problem>(`/api/designs/${design.id}?target=${randomUUID()}`)).status).toBe(404);
    expect((await call<Problem>(at, "POST", { name: "Odd", part: "CA-1-P84-2C", like: randomUUID() })).status).toBe(
      404,
    );
    const { body: trial } = await call<Trial>(`${at}/${list[1].id}/trials`, "POST");
    await settled(design.id, trial.id);
    const { body: left } = await call<Target[]>(`${at}/${list[1].id}`, "DELETE");
    expect(left.map(({ name }) => name)).toEqual([list[0].name]);
    expect((await call<Problem>(`${at}/${design.targetId}`, "DELETE")).body.detail).toMatch(/only target/);
    const { body: orphan } = await call<Trial>(`/api/designs/${design.id}/trials/${trial.id}`);
    expect(orphan).toMatchObject({ status: "done", targetId: null, staleness: { isCurrent: false, again: [] } });
    // a rule file and a source share one list, so they share no name
    expect((await addRule(design.id, "m.v", "pins", "")).status).toBe(409);
  });
});

describe("trials", () => {
  it("run, keep their artifacts, reuse them, and say what changed since", async () => {
    const design = await newDesign();
    const first = await settled(design.id, (await call<Trial>(`/api/designs/${design.id}/trials`, "POST")).body.id);
    expect(first.status).toBe("done");
    const image = await fetch(`${server.address}/api/designs/${design.id}/trials/${first.id}/image`);
    const bytes = new Uint8Array(await image.arrayBuffer());
    const artifact = await fetch(`${server.address}/api/designs/${design.id}/trials/${first.id}/artifacts/image`);
    expect(decodeArtifact<StoredStage<"image">>(new Uint8Array(await artifact.arrayBuffer())).artifact.file).toEqual(
      bytes,
    );
    expect(
      (
        await fetch(`${server.address}/api/designs/${design.id}/trials/${first.id}/artifacts/image`, {
          headers: { "if-none-match": artifact.headers.get("etag")! },
        })
      ).status,
    ).toBe(304);

    const [file] = design.files;
    await call(`/api/designs/${design.id}/files/${file.id}`, "PUT", {
      text: source("  // only a remark\n"),
      baseVersion: 1,
    });
    const stale = await call<Trial>(`/api/designs/${design.id}/trials/${first.id}`);
    // the design is read again before it is said what the edit comes to: nothing
    expect(stale.body.staleness).toBeNull();
    const told = async () => (await call<Trial>(`/api/designs/${design.id}/trials/${first.id}`)).body.staleness;
    expect(await waitFor(told, (answer) => answer !== null, 30_000)).toMatchObject({
      isCurrent: true,
      changes: [],
      again: [],
    });
    const { body: cards } = await call<DesignCard[]>("/api/designs");
    expect(cards.find(({ id }) => id === design.id)!.lastTrial!.staleness!.isCurrent).toBe(true);
    const second = await settled(design.id, (await call<Trial>(`/api/designs/${design.id}/trials`, "POST")).body.id);
    expect(second.number).toBe(2);
    expect(Object.fromEntries(second.stages.map((stage) => [stage.stage, stage.state]))).toMatchObject({
      elaborate: "done",
      synth: "reused",
      place: "reused",
      route: "reused",
      image: "reused",
    });
    expect(second.figures.imageKey).toBe(first.figures.imageKey);
    expect(second.staleness).toMatchObject({ isCurrent: true, again: [] });
    const use = async () =>
      (await call<DiskUse[]>("/api/designs/disk")).body.find(({ designId }) => designId === design.id)!;
    const { files, history, results, runs } = await use();
    expect(Math.min(files, history, results)).toBeGreaterThan(50);
    expect(runs).toBe(0);
    const stored = await server.query(
      "SELECT sum(length(bytes)) AS size FROM artifacts WHERE split_part(key, '/', 1) = ANY($1)",
      [[first, second].flatMap(({ stages }) => stages.map(({ key }) => key))],
    );
    expect(Math.abs(results / Number((stored[0] as { size: string }).size) - 1)).toBeLessThan(0.2);
    // text that cannot be read is told as that
    await call(`/api/designs/${design.id}/files/${file.id}`, "PUT", { text: "modul m;", baseVersion: 2 });
    const wrong = await waitFor(told, (answer) => answer !== null, 30_000);
    expect(wrong).toMatchObject({ isCurrent: false, changes: [{ what: "sources with errors", files: ["m.v"] }] });
  });
  it("that fail say why, with the place", async () => {
    const design = await newDesign("module m(input a, output y)\n  assign y = b;\nendmodule\n");
    const trial = await settled(design.id, (await call<Trial>(`/api/designs/${design.id}/trials`, "POST")).body.id);
    expect(trial.status).toBe("failed");
    expect(trial.findings.map((finding) => [finding.code, finding.place.line])).toEqual([
      ["verilog/syntax", 1],
      ["verilog/undeclared", 2],
    ]);
    expect((await call<Problem>(`/api/designs/${design.id}/trials/${trial.id}/artifacts/image`)).status).toBe(404);
  });
  it("report progress as they go, over the event stream", async () => {
    const design = await newDesign(bigSource(250), "stream");
    const { body: trial } = await call<Trial>(`/api/designs/${design.id}/trials`, "POST");
    const response = await fetch(`${server.address}/api/designs/${design.id}/trials/${trial.id}/events`);
    const seen: Trial[] = [];
    const decoder = new TextDecoder();
    let rest = "";
    for await (const chunk of response.body!) {
      rest += decoder.decode(chunk as Uint8Array, { stream: true });
      const parts = rest.split("\n\n");
      rest = parts.pop()!;
      for (const part of parts) {
        const data = /^data: (.*)$/m.exec(part);
        if (data) seen.push(JSON.parse(data[1]) as Trial);
      }
    }
    expect(seen.at(-1)!.status).toBe("done");
    expect(new Set(seen.map((each) => each.status)).has("running")).toBe(true);
  });
  it("can be cancelled while they run", async () => {
    const design = await newDesign(bigSource(900), "cancelled");
    const { body: trial } = await call<Trial>(`/api/designs/${design.id}/trials`, "POST");
    await reach(design.id, trial.id, "place");
    await call(`/api/designs/${design.id}/trials/${trial.id}/cancel`, "POST");
    const ended = await settled(design.id, trial.id, 20_000);
    expect(ended.status).toBe("cancelled");
    expect(ended.stages.find((stage) => stage.stage === "synth")!.state).toBe("done");
  });
  it("are taken up again after the server was killed, without running finished stages twice", async () => {
    const design = await newDesign(bigSource(901), "killed");
    const { body: trial } = await call<Trial>(`/api/designs/${design.id}/trials`, "POST");
    await reach(design.id, trial.id, "place");
    await server.stop("SIGKILL");
    await server.start();
    const ended = await settled(design.id, trial.id);
    expect(ended.status).toBe("done");
    const states = Object.fromEntries(ended.stages.map((stage) => [stage.stage, stage.state]));
    expect(states).toMatchObject({
      elaborate: "reused",
      synth: "reused",
      pack: "reused",
      place: "done",
      image: "done",
    });
    expect((await call<Design>(`/api/designs/${design.id}`)).body.files[0].text).toBe(bigSource(901));
  });
});

/** A few hundred LUTs that differ by seed: long enough to be caught in the middle. */
function bigSource(seed: number): string {
  return `module m(input clk, input [15:0] a, output reg [15:0] y);\n${Array.from({ length: 20 }, (_, i) => `  reg [15:0] r${i}; always @(posedge clk) r${i} <= ${i ? `r${i - 1}` : "a"} * 16'd${seed + i} + (r${(i + 7) % 20} ^ {r${(i + 3) % 20}[7:0], r${(i + 11) % 20}[15:8]});`).join("\n")}\n  always @(posedge clk) y <= r19 ^ r10;\nendmodule\n`;
}

async function reach(designId: string, trialId: string, stage: string): Promise<void> {
  const end = Date.now() + 60_000;
  for (;;) {
    const { body } = await call<Trial>(`/api/designs/${designId}/trials/${trialId}`);
    if (body.stages.find((each) => each.stage === stage)!.state === "running") return;
    if (body.status === "done" || Date.now() > end)
      throw new Error(`the trial never showed ${stage} running: ${body.status}`);
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
}
