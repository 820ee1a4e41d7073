import type { BenchRunInfo, Design, DesignCard, Problem, ServerEvent, Target, Trial } from "@gate-clock/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "./helpers/test-server.ts";
import { waitFor } from "./helpers/wait-for.ts";

/** What no request, no design and no job may do to others. */
const server = new TestServer({ GATE_CLOCK_JOB_MB: "512", GATE_CLOCK_WORKERS: "2" });
const call = server.call.bind(server) as TestServer["call"];

const small =
  "module m(input clk, input [3:0] a, output reg [3:0] q);\n  always @(posedge clk) q <= q + a;\nendmodule\n";
/** Takes hours to synthesize, and every estimate lets it pass. */
const endless = `module m(input clk, input [139:0] a, output reg [7:0] q);
  reg [511:0] x, y; always @(posedge clk) begin x <= {x, a}; y <= y ^ (x % (y | 512'd1)); q <= y; end
endmodule
`;
async function newDesign(text = small, name = "small", files: { path: string; text: string }[] = []): Promise<Design> {
  const { status, body } = await call<Design>("/api/designs", "POST", {
    name,
    part: "TW-36-P208-1C",
    files: [{ path: "m.v", kind: "source", text }, ...files.map((file) => ({ ...file, kind: "source" }))],
  });
  expect(status).toBe(201);
  return body;
}
const startTrial = async (id: string) => (await call<Trial>(`/api/designs/${id}/trials`, "POST")).body;
const trialOf = async (id: string, trialId: string) => (await call<Trial>(`/api/designs/${id}/trials/${trialId}`)).body;
const settled = (id: string, trialId: string, ms = 60_000) =>
  waitFor(
    () => trialOf(id, trialId),
    ({ status }) => status !== "queued" && status !== "running",
    ms,
  );

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  await server.dropDatabase();
});

describe("a request", () => {
  it("with null where none is meant is refused, and changes nothing", async () => {
    const design = await newDesign();
    for (const body of [{ targetId: null }, { name: null }, { part: "TW-2-P144-2C" }])
      expect((await call<Problem>(`/api/designs/${design.id}`, "PATCH", body)).status).toBe(400);
    for (const body of [{ name: null }, { part: null }, { seed: null }])
      expect((await call(`/api/designs/${design.id}/targets/${design.targetId}`, "PATCH", body)).status).toBe(400);
    for (const more of [{ description: null }, { files: null }, { targets: null }, { seed: null }])
      expect((await call("/api/designs", "POST", { name: "x", part: "TW-2-P144-2C", ...more })).status).toBe(400);
    expect((await call<DesignCard[]>("/api/designs")).status).toBe(200);
    expect((await call<Design>(`/api/designs/${design.id}`)).body.targetId).toBe(design.targetId);
    // where null means something it still does
    expect((await call<Design>(`/api/designs/${design.id}`, "PATCH", { top: null })).status).toBe(200);
  });

  it("that removes a target and another that removes the other leave one", async () => {
    const design = await newDesign();
    for (let i = 0; i < 15; i++) {
      const { body: targets } = await call<Target[]>(`/api/designs/${design.id}/targets`, "POST", {
        name: `loom ${i}`,
        part: "CA-1-P84-2C",
      });
      expect(targets).toHaveLength(2);
      const [shown, ...removed] = await Promise.all([
        call<Design>(`/api/designs/${design.id}?target=${targets[1].id}`),
        ...targets.map(({ id }) => call(`/api/designs/${design.id}/targets/${id}`, "DELETE")),
      ]);
      expect(removed.map(({ status }) => status).sort()).toEqual([200, 409]);
      expect([200, 404]).toContain(shown.status);
      const { body: left } = await call<Target[]>(`/api/designs/${design.id}/targets`);
      expect(left).toHaveLength(1);
      expect((await call<Design>(`/api/designs/${design.id}`)).body.targetId).toBe(left[0].id);
    }
  });

  it("that no text can keep is refused: zero characters, halves of characters, and nests without an end", async () => {
    const design = await newDesign();
    const [file] = design.files;
    for (const text of ["a\0b", "a\ud800b", "\udc00"]) {
      const saved = await call<Problem>(`/api/designs/${design.id}/files/${file.id}`, "PUT", { text, baseVersion: 1 });
      expect(saved.status).toBe(400);
      expect(saved.body.detail).toMatch(/that is no text/);
    }
    const deep = `${'{"value":'.repeat(5000)}{}${"}".repeat(5000)}`;
    for (const [path, method] of [
      ["/api/designs", "POST"],
      [`/api/designs/${design.id}`, "PATCH"],
      [`/api/designs/${design.id}/kept/waves:tb`, "PUT"],
      [`/api/designs/${design.id}/runs`, "POST"],
    ]) {
      const response = await fetch(server.address + path, {
        method,
        headers: { "content-type": "application/json" },
        body: deep,
      });
      expect(response.status).toBe(400);
      expect(((await response.json()) as Problem).detail).toMatch(/nested deeper/);
    }
    expect((await call(`/api/designs/${design.id}/kept/waves:a%00b`, "PUT", { value: {} })).status).toBe(400);
    expect((await call<Design>(`/api/designs/${design.id}`)).body.files[0].text).toBe(small);
  });

  it("that races with a deletion is told that it is gone", async () => {
    for (let i = 0; i < 20; i++) {
      const design = await newDesign();
      const [file] = design.files;
      const at = `/api/designs/${design.id}`;
      const answers = await Promise.all([
        call(`${at}/trials`, "POST"),
        call(`${at}/kept/waves:tb`, "PUT", { value: { a: 1 } }),
        call(`${at}/files`, "POST", { path: "n.v", kind: "source", text: "" }),
        call(at, "DELETE"),
        call(`${at}/files/${file.id}`, "PUT", { text: "module n; endmodule", baseVersion: 1 }),
        call(`${at}/runs`, "POST", { bench: "m", seed: 1 }),
        call(`${at}/targets`, "POST", { name: "other", part: "CA-1-P84-2C", copyRules: true }),
        call(at, "PATCH", { name: "other" }),
        call(at),
        call(`${at}/targets`),
      ]);
      for (const { status } of answers) expect([200, 201, 204, 404, 409]).toContain(status);
    }
  });

  it("of 120 that write at once all are answered", async () => {
    const designs = await Promise.all(Array.from({ length: 6 }, (_, i) => newDesign(small, `pick ${i}`)));
    const answers = await Promise.all(
      Array.from({ length: 120 }, (_, i) => {
        const at = `/api/designs/${designs[i % 6].id}`;
        return i % 3 === 0
          ? call(`${at}/files`, "POST", { path: `f${i}.v`, kind: "source", text: `module f${i}; endmodule` })
          : i % 3 === 1
            ? call(at, "PATCH", { name: `pick ${i}` })
            : call(`${at}/targets`, "POST", { name: `t${i}`, part: "CA-1-P84-2C", copyRules: true });
      }),
    );
    expect(answers.filter(({ status }) => status >= 400)).toEqual([]);
  });

  it("is answered with headers that keep pages apart, and tells nothing of what serves it", async () => {
    const page = await fetch(server.address);
    expect(page.headers.get("content-security-policy")).toMatch(/frame-ancestors 'none'/);
    expect(page.headers.get("content-security-policy")).not.toMatch(/unsafe-eval/);
    expect(page.headers.get("x-content-type-options")).toBe("nosniff");
    expect(page.headers.get("referrer-policy")).toBe("no-referrer");
    expect(page.headers.get("x-powered-by")).toBeNull();
    const script = /assets\/index-[\w-]+\.js/.exec(await page.text())![0];
    const worker = /assets\/check\.worker-[\w-]+\.js/.exec(await everyScript(script))![0];
    const answer = await fetch(`${server.address}/${worker}`);
    expect(answer.status).toBe(200);
    expect(answer.headers.get("content-security-policy")).toMatch(/^default-src 'none'; script-src 'unsafe-eval'/);
  });
  const everyScript = async (script: string) => (await fetch(`${server.address}/${script}`)).text();
});

describe("a job", () => {
  it("that does not come back is ended within three seconds, and never run again", async () => {
    const design = await newDesign(endless);
    const trial = await startTrial(design.id);
    await waitFor(
      () => trialOf(design.id, trial.id),
      ({ stages }) => stages.some(({ stage, state }) => stage === "synth" && state === "running"),
      30_000,
    );
    const begun = Date.now();
    await call(`/api/designs/${design.id}/trials/${trial.id}/cancel`, "POST");
    expect((await settled(design.id, trial.id, 5000)).status).toBe("cancelled");
    expect(Date.now() - begun).toBeLessThan(3500);
    await server.stop("SIGKILL");
    await server.start();
    expect((await trialOf(design.id, trial.id)).status).toBe("cancelled");
  }, 90_000);

  it("lets those of other designs go on meanwhile, and goes when its design is deleted", async () => {
    const hogs = [await newDesign(endless, "hog 1"), await newDesign(endless, "hog 2")];
    const other = await newDesign(small, "other");
    try {
      for (const hog of hogs) for (let i = 0; i < 3; i++) await startTrial(hog.id);
      const trial = await startTrial(other.id);
      expect((await settled(other.id, trial.id, 90_000)).status).toBe("done");
    } finally {
      for (const hog of hogs) expect((await call(`/api/designs/${hog.id}`, "DELETE")).status).toBe(204);
    }
    // their places are free: the next one begins at once
    const again = await startTrial(other.id);
    expect((await settled(other.id, again.id, 20_000)).status).toBe("done");
  }, 150_000);

  it("that takes more memory than it may ends itself alone, with a finding", async () => {
    const text = `module tb; integer q [$]; initial forever begin q.push_back($random); end endmodule\n`;
    const design = await newDesign(small, "hungry", [{ path: "tb.sv", text }]);
    const { body: run } = await call<BenchRunInfo>(`/api/designs/${design.id}/runs`, "POST", { bench: "tb", seed: 1 });
    const done = await waitFor(
      async () => (await call<BenchRunInfo>(`/api/designs/${design.id}/runs/${run.id}`)).body,
      ({ status }) => status !== "queued" && status !== "running",
      100_000,
    );
    // told by the simulator itself, or by the limit of its process
    expect(done.status === "failed" ? done.failure : done.verdict!.first!.message).toMatch(/memory|grown|elements/);
    expect((await call("/api/health")).status).toBe(200);
  }, 120_000);

  it("of a design with sizes beyond all measure fails with a finding at its line", async () => {
    const text =
      "entity m is port (y: out bit); end;\narchitecture rtl of m is\n  type t is array (0 to 400000000) of integer;\n  signal s: t;\nbegin\n  y <= '0';\nend;\n";
    const { body: design } = await call<Design>("/api/designs", "POST", {
      name: "huge",
      part: "TW-2-P144-2C",
      files: [{ path: "m.vhd", kind: "source", text }],
    });
    const trial = await startTrial(design.id);
    const done = await settled(design.id, trial.id);
    expect(done.status).toBe("failed");
    expect(done.failure).toBeNull();
    expect(done.findings[0]).toMatchObject({ code: "vhdl/large-array", place: { file: "m.vhd", line: 3 } });
  });

  it("is one row, however often it is asked for: after many builds a single one is as quick as before", async () => {
    const design = await newDesign();
    const once = async () => {
      const begun = Date.now();
      const trial = await startTrial(design.id);
      expect((await settled(design.id, trial.id)).status).toBe("done");
      return Date.now() - begun;
    };
    await once();
    const trials = await Promise.all(Array.from({ length: 25 }, () => startTrial(design.id)));
    for (const { id } of trials) expect((await settled(design.id, id)).status).toBe("done");
    expect(await server.query("SELECT count(*)::int AS count FROM jobs")).toEqual([{ count: 0 }]);
    await once();
  }, 120_000);
});

describe("events", () => {
  it("tell every follower of a build without its sources, and of saves by version", async () => {
    const design = await newDesign(`${small}// ${"weft ".repeat(100_000)}\n`);
    const follower = await follow();
    const trial = await startTrial(design.id);
    await settled(design.id, trial.id);
    await call(`/api/designs/${design.id}/files/${design.files[0].id}`, "PUT", { text: small, baseVersion: 1 });
    const saved = (event: ServerEvent) => event.kind === "design" && event.file?.version === 2;
    const ended = (event: ServerEvent) => event.kind === "trial" && event.trial.status === "done";
    await waitFor(
      async () => follower.events,
      (events) => events.some(saved) && events.some(ended),
      5000,
    );
    follower.end();
    const own = follower.events.filter((event) => event.kind === "trial" && event.trial.id === trial.id);
    expect(own.length).toBeGreaterThan(1);
    expect(JSON.stringify(own)).not.toContain("weft");
    expect(own[own.length - 1]).toMatchObject({ trial: { status: "done" } });
  });

  it("do not hold up a server that is to end", async () => {
    const other = new TestServer({ GATE_CLOCK_DEMO: "" });
    await other.createDatabase();
    try {
      await other.start();
      const follower = await follow(other.address);
      // ends only when the process is gone
      await other.stop();
      follower.end();
      await expect(fetch(`${other.address}/api/health`)).rejects.toThrow();
    } finally {
      await other.dropDatabase();
    }
  }, 30_000);

  async function follow(address = server.address): Promise<{ events: ServerEvent[]; end(): void }> {
    const control = new AbortController();
    const response = await fetch(`${address}/api/events`, { signal: control.signal });
    const events: ServerEvent[] = [];
    let rest = "";
    void (async () => {
      const text = new TextDecoder();
      for await (const chunk of response.body!) {
        const parts = (rest + text.decode(chunk, { stream: true })).split("\n\n");
        rest = parts.pop()!;
        for (const part of parts) {
          const data = /^data: (.*)$/m.exec(part);
          if (data) events.push(JSON.parse(data[1]) as ServerEvent);
        }
      }
    })().catch(() => {});
    await waitFor(
      async () => events,
      (all) => all.length > 0,
      5000,
    );
    return { events, end: () => control.abort() };
  }
});

describe("results of stages", () => {
  it("go when no trial refers to them any more, and the texts of trials with them", async () => {
    // a port of its own name, so that none of its results is another design's too
    const design = await newDesign(small.replace("q + a", "q ^ a").replace(/\bq\b/g, "only_here"));
    const trial = await startTrial(design.id);
    await settled(design.id, trial.id);
    const { stages } = await trialOf(design.id, trial.id);
    const keys = stages.map(({ key }) => key!);
    const count = async (table: string, column: string, list: string[]) =>
      (await server.query(`SELECT ${column} FROM ${table} WHERE ${column} = ANY($1)`, [list])).length;
    const [{ hash }] = (await server.query("SELECT hash FROM design_files WHERE design_id = $1", [design.id])) as [
      { hash: string },
    ];
    const age = async () => {
      await server.query("UPDATE artifacts SET used_at = now() - interval '2 hours'");
      await server.query("UPDATE texts SET created_at = now() - interval '2 hours'");
    };
    await age();
    await server.sweep();
    expect(await count("artifacts", "key", keys)).toBe(new Set(keys).size);
    expect(await count("texts", "hash", [hash])).toBe(1);
    await call(`/api/designs/${design.id}`, "DELETE");
    await age();
    await server.sweep();
    expect(await count("artifacts", "key", keys)).toBe(0);
    expect(await count("texts", "hash", [hash])).toBe(0);
  });
});

describe("two servers", () => {
  it("that start at once at a new database load the demo once, and share its jobs", async () => {
    const builds = { GATE_CLOCK_BUILD_DEMO: "" };
    const first = new TestServer(builds);
    const second = new TestServer(builds, first);
    await first.createDatabase();
    try {
      await Promise.all([first.start(), second.start()]);
      const designs = await waitFor(
        async () => (await first.call<DesignCard[]>("/api/designs")).body,
        (all) => all.every(({ lastTrial }) => lastTrial?.status === "done"),
        60_000,
      );
      expect(new Set(designs.map(({ name }) => name)).size).toBe(designs.length);
      expect((await second.call<DesignCard[]>("/api/designs")).body.map(({ id }) => id).sort()).toEqual(
        designs.map(({ id }) => id).sort(),
      );
      expect(await first.query("SELECT id FROM jobs")).toEqual([]);
    } finally {
      await Promise.all([first.stop(), second.stop()]);
      await first.dropDatabase();
    }
  }, 120_000);

  it("at one port: the second one says so in a sentence", async () => {
    const port = new URL(server.address).port;
    const other = new TestServer({ GATE_CLOCK_PORT: port }, server);
    await expect(other.start()).rejects.toThrow(/ended with 1/);
    expect(other.said).toMatch(/Port \d+ is taken by another program/);
    expect(other.said).not.toMatch(/\n\s+at /);
  });
});
