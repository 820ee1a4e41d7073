import { readdirSync, readFileSync } from "node:fs";
import type { Design, DesignCard, DesignFile, Problem, Trial } from "@gate-clock/contract";
import { Random } from "@gate-clock/core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestPostgres } from "./helpers/test-postgres.ts";
import { TestServer } from "./helpers/test-server.ts";
import { waitFor } from "./helpers/wait-for.ts";

/** Kills, in the short form; the long one is set from outside. */
const kills = process.env["GATE_CLOCK_LONG"] ? 100 : 7;
const clients = 4;
/** A server is back within so long. */
const restartMs = 10_000;

const postgres = new TestPostgres();
let server: TestServer;

beforeAll(async () => {
  await postgres.create();
  await postgres.start();
  server = new TestServer({ GATE_CLOCK_PORT: "0", GATE_CLOCK_DEMO: "" }, null, postgres.base);
  await server.createDatabase();
});
afterAll(async () => {
  await server.stop();
  await postgres.remove();
});

const text = (who: number, count: number) =>
  `module m(input clk, input [7:0] a, output reg [7:0] q);\n  // client ${who}, save ${count}\n  always @(posedge clk) q <= q * a + 8'd${count % 256};\nendmodule\n`;

describe("a server without its database", () => {
  it("says so, waits, and goes on by itself", async () => {
    await server.start();
    const { body: design } = await server.call<Design>("/api/designs", "POST", {
      name: "waits",
      part: "CA-1-P84-2C",
      files: [{ path: "m.v", kind: "source", text: text(0, 0) }],
    });
    await postgres.kill();
    const away = await waitFor(
      () => server.call<Problem>("/api/designs"),
      ({ status }) => status !== 200,
      10_000,
    );
    expect(away.status).toBe(503);
    expect(away.body.detail).toMatch(/database cannot be reached/);
    expect((await server.call<{ status: string }>("/api/health")).body.status).toMatch(/database/);
    expect((await server.call(`/api/designs/${design.id}`, "PATCH", { name: "other" })).status).toBe(503);
    await postgres.start();
    await waitFor(
      () => server.call("/api/designs"),
      ({ status }) => status === 200,
      10_000,
    );
    expect((await server.call<{ status: string }>("/api/health")).body.status).toBe("ok");
    // and jobs run again
    const { body: trial } = await server.call<Trial>(`/api/designs/${design.id}/trials`, "POST");
    await waitFor(
      async () => (await server.call<Trial>(`/api/designs/${design.id}/trials/${trial.id}`)).body,
      ({ status }) => status === "done",
      30_000,
    );
    await server.stop();
  }, 120_000);

  it("waits for one that comes later than itself", async () => {
    await postgres.kill();
    const starting = server.start();
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await postgres.start();
    await starting;
    expect((await server.call("/api/designs")).status).toBe(200);
    await server.stop();
  }, 60_000);
});

describe("kills at any moment", () => {
  it("of server, jobs and database lose no acknowledged save, leave no job and no broken row behind", async () => {
    const random = new Random(Number(process.env["GATE_CLOCK_SEED"] ?? 7));
    await server.start();
    const designs: Design[] = [];
    for (let i = 0; i < clients; i++)
      designs.push(
        (
          await server.call<Design>("/api/designs", "POST", {
            name: `client ${i}`,
            part: "CA-1-P84-2C",
            files: [{ path: "m.v", kind: "source", text: text(i, 0) }],
          })
        ).body,
      );
    /** Of each client's file: what was acknowledged last, and what was sent after it without an answer. */
    const acknowledged = designs.map((_, i) => ({ count: 0, version: 1, sent: 0, text: text(i, 0) }));
    let isOver = false;
    const saver = async (i: number) => {
      const own = acknowledged[i];
      const { id, files } = designs[i];
      while (!isOver) {
        const next = text(i, ++own.sent);
        try {
          const saved = await server.call<DesignFile>(`/api/designs/${id}/files/${files[0].id}`, "PUT", {
            text: next,
            baseVersion: own.version,
          });
          if (saved.status === 200) Object.assign(own, { count: own.sent, version: saved.body.version, text: next });
          else if (saved.status === 409) {
            // a save whose answer was lost has been made
            const now = await server.call<Design>(`/api/designs/${id}`);
            if (now.status === 200) own.version = now.body.files[0].version;
          }
        } catch {
          // nobody is there
        }
        await new Promise((resolve) => setTimeout(resolve, 20 + random.below(60)));
      }
    };
    const builder = async (i: number) => {
      while (!isOver) {
        await server.call(`/api/designs/${designs[i].id}/trials`, "POST").catch(() => {});
        await new Promise((resolve) => setTimeout(resolve, 1000 + random.below(3000)));
      }
    };
    const follower = async () => {
      while (!isOver) {
        const control = new AbortController();
        const end = setTimeout(() => control.abort(), 500 + random.below(1500));
        await fetch(`${server.address}/api/events`, { signal: control.signal })
          .then(async (response) => {
            for await (const _ of response.body!) if (isOver) break;
          })
          .catch(() => {});
        clearTimeout(end);
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
    };
    const everybody = [
      ...designs.map((_, i) => saver(i)),
      ...designs.map((_, i) => builder(i)),
      follower(),
      follower(),
    ];
    for (let i = 0; i < kills; i++) {
      await new Promise((resolve) => setTimeout(resolve, 200 + random.below(1800)));
      const what = i % 3;
      if (what === 0) {
        await server.stop("SIGKILL");
        const begun = Date.now();
        await server.start();
        expect(Date.now() - begun).toBeLessThan(restartMs);
      } else if (what === 1) {
        for (const pid of jobsOf(server.pid!)) if (random.below(2)) process.kill(pid, "SIGKILL");
      } else {
        await postgres.kill();
        await new Promise((resolve) => setTimeout(resolve, random.below(1500)));
        await postgres.start();
        await waitFor(
          () => server.call("/api/designs").catch(() => ({ status: 0 })),
          ({ status }) => status === 200,
          restartMs,
        );
      }
    }
    isOver = true;
    await Promise.all(everybody);
    // every job comes to its end, however many have gathered: within a minute of the one before
    for (let left = Number.POSITIVE_INFINITY; left > 0; ) {
      const before = left;
      const rows = await waitFor(
        () => server.query("SELECT id, kind, attempts, deaths FROM jobs"),
        ({ length }) => length < before,
        60_000,
      );
      left = rows.length;
    }
    const { status, body: cards } = await server.call<DesignCard[]>("/api/designs");
    expect(status).toBe(200);
    expect(cards.length).toBe(clients + 1);
    for (const [i, design] of designs.entries()) {
      const own = acknowledged[i];
      const { body: now } = await server.call<Design>(`/api/designs/${design.id}`);
      const [file] = now.files;
      expect(file.version).toBeGreaterThanOrEqual(own.version);
      // the last acknowledged text, or one that was sent after it and whose answer was lost
      const found = Number(/save (\d+)/.exec(file.text)![1]);
      expect(found).toBeGreaterThanOrEqual(own.count);
      expect(found).toBeLessThanOrEqual(own.sent);
      const { body: versions } = await server.call<{ version: number; text: string }[]>(
        `/api/designs/${design.id}/files/${file.id}/versions`,
      );
      if (own.count > 0 && file.version - own.version < 200)
        expect(versions.map((each) => each.text)).toContain(own.text);
      const { body: trials } = await server.call<Trial[]>(`/api/designs/${design.id}/trials`);
      for (const trial of trials) expect(["done", "failed", "cancelled"]).toContain(trial.status);
      expect(new Set(trials.map(({ number }) => number)).size).toBe(trials.length);
      // one that failed did so because its process was killed, twice
      for (const { status, findings, failure } of trials)
        if (status === "failed") expect(failure ?? findings[0].code).toMatch(/job\/died|lost/);
    }
    expect(server.said).not.toMatch(/unhandled|uncaught/i);
  }, 1_800_000);
});

/** Processes of jobs that a server has started. */
function jobsOf(pid: number): number[] {
  return readdirSync("/proc").flatMap((name) => {
    if (!/^\d+$/.test(name)) return [];
    try {
      const parent = Number(/\) \S (\d+)/.exec(readFileSync(`/proc/${name}/stat`, "latin1"))![1]);
      return parent === pid ? [Number(name)] : [];
    } catch {
      return [];
    }
  });
}
