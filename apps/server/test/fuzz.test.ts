import type { Design, DesignCard, Problem } from "@gate-clock/contract";
import { Random } from "@gate-clock/core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "./helpers/test-server.ts";

/** Requests, in the short form; the long one is set from outside. */
const requests = process.env["GATE_CLOCK_LONG"] ? 20_000 : 500;
const server = new TestServer({ GATE_CLOCK_DEMO: "", GATE_CLOCK_JOB_MB: "512" });

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  await server.dropDatabase();
});

interface Operation {
  readonly method: string;
  readonly path: string;
  /** Names of the body's fields. */
  readonly fields: readonly string[];
}

describe("every route", () => {
  it("answers whatever it is sent with an answer or a reason, and spoils nothing for others", async () => {
    const random = new Random(Number(process.env["GATE_CLOCK_SEED"] ?? 3));
    const pick = <T>(list: readonly T[]): T => list[random.below(list.length)];
    const { body: api } = await server.call<{
      paths: Record<
        string,
        Record<string, { requestBody?: { content: Record<string, { schema: { $ref?: string } }> } }>
      >;
      components: { schemas: Record<string, { properties?: Record<string, unknown> }> };
    }>("/api/openapi.json");
    const operations: Operation[] = Object.entries(api.paths).flatMap(([path, methods]) =>
      Object.entries(methods)
        .filter(() => !path.endsWith("/events"))
        .map(([method, { requestBody }]) => {
          const ref = Object.values(requestBody?.content ?? {})[0]?.schema.$ref;
          const schema = ref && api.components.schemas[ref.split("/").pop()!];
          return { method: method.toUpperCase(), path, fields: Object.keys((schema || undefined)?.properties ?? {}) };
        }),
    );
    expect(operations.length).toBeGreaterThan(20);
    const { body: victim } = await server.call<Design>("/api/designs", "POST", {
      name: "victim",
      part: "CA-1-P84-2C",
      files: [{ path: "m.v", kind: "source", text: "module m(input a, output y); assign y = a; endmodule\n" }],
    });
    const own = [victim.id, victim.targetId, victim.files[0].id];
    const strings = [
      "",
      "x",
      "m.v",
      "../x",
      "/etc/passwd",
      "a\0b",
      "\ud800",
      "weft".repeat(3000),
      "source",
      "even",
      "CA-1-P84-2C",
      "TW-2",
      "waves:tb",
      "<script>",
      "%00",
      "1e9",
      "null",
      ...own,
    ];
    const value = (depth: number): unknown => {
      switch (random.below(depth > 2 ? 6 : 9)) {
        case 0:
          return null;
        case 1:
          return pick([true, false]);
        case 2:
          return pick([0, -1, 1, 2 ** 31, 2 ** 53, -1e308, 0.5, 1e-300]);
        case 3:
        case 4:
        case 5:
          return pick(strings);
        case 6:
          return Array.from({ length: random.below(4) }, () => value(depth + 1));
        default:
          return Object.fromEntries(
            Array.from({ length: random.below(4) }, () => [
              pick(["path", "kind", "text", "name", "part", "__proto__", "constructor", "value"]),
              value(depth + 1),
            ]),
          );
      }
    };
    let others: string[] = [];
    for (let i = 0; i < requests; i++) {
      const { method, path, fields } = pick(operations);
      const ids = [
        ...own,
        ...others,
        "00000000-0000-4000-8000-000000000000",
        "x",
        "%00",
        "..",
        "%2e%2e%2f",
        encodeURIComponent("waves:tb"),
        "synth",
        "image",
      ];
      const at = path.replace(/\{(\w+)\}/g, (_, name: string) =>
        random.below(3) ? (name === "fileId" ? own[2] : name === "targetId" ? own[1] : own[0]) : pick(ids),
      );
      // the victim may be changed, but not taken away
      if (method === "DELETE" && at.includes(own[0]) && !others.some((id) => at.includes(id))) continue;
      const body =
        method === "GET" || method === "DELETE"
          ? undefined
          : random.below(8) === 0
            ? pick([
                "",
                "{",
                "[]",
                "null",
                '"x"',
                "[".repeat(2000),
                `{"a":${"[".repeat(300)}${"]".repeat(300)}}`,
                "\ud800",
              ])
            : JSON.stringify(
                random.below(6)
                  ? Object.fromEntries(fields.filter(() => random.below(3)).map((name) => [name, value(0)]))
                  : value(0),
              );
      const response = await fetch(server.address + at, {
        method,
        headers:
          body === undefined
            ? {}
            : { "content-type": pick(["application/json", "application/json", "application/json", "text/plain"]) },
        body,
      });
      const text = await response.text();
      const shown = `${method} ${at} ${body?.slice(0, 300)}: ${response.status} ${text.slice(0, 300)}`;
      expect(response.status, shown).not.toBe(500);
      expect(response.status, shown).toBeLessThan(501);
      expect(text, shown).not.toMatch(/\n\s+at |node_modules|SELECT |sequelize/i);
      if (response.status >= 400 && text.startsWith("{"))
        expect((JSON.parse(text) as Problem).detail, shown).toBeTruthy();
      if (response.status === 201 && path === "/api/designs")
        others = [...others, (JSON.parse(text) as Design).id].slice(-5);
      if (i % 50 === 0) {
        const list = await server.call<DesignCard[]>("/api/designs");
        expect(list.status, shown).toBe(200);
        expect(list.body.map(({ id }) => id)).toContain(victim.id);
        expect((await server.call<Design>(`/api/designs/${victim.id}`)).status, shown).toBe(200);
      }
    }
    expect(server.said).not.toMatch(/\[Problem\]|unhandled/i);
  }, 1_200_000);
});
