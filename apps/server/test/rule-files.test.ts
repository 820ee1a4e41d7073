import { randomUUID } from "node:crypto";
import type { Design, DesignFile, Problem, ShareableFile, Target, Trial } from "@gate-clock/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { TestServer } from "./helpers/test-server.ts";
import { waitFor } from "./helpers/wait-for.ts";

const server = new TestServer({ GATE_CLOCK_DEMO: "" });
const call = server.call.bind(server) as TestServer["call"];

beforeAll(async () => {
  await server.createDatabase();
  await server.start();
});
afterAll(async () => {
  await server.stop();
  await server.dropDatabase();
});

const source = "module m(input clk, input d, output reg q);\n  always @(posedge clk) q <= d;\nendmodule\n";
async function design(name: string, files: readonly { path: string; text: string; inUse?: boolean }[] = []) {
  const { body } = await call<Design>("/api/designs", "POST", {
    name,
    part: "TW-2-P144-2C",
    files: [
      { path: "m.v", kind: "source", text: source },
      ...files.map((file) => ({ ...file, kind: file.path.endsWith(".sdc") ? "timing" : "pins" })),
    ],
  });
  return body;
}
const read = async (id: string) => (await call<Design>(`/api/designs/${id}`)).body;
const fileOf = (of: Design, path: string) => of.files.find((file) => file.path === path)!;
const at = (of: Design, file: DesignFile) => `/api/designs/${of.id}/files/${file.id}`;
const share = (to: Design, fileId: string, target = "") =>
  call<DesignFile & Problem>(`/api/designs/${to.id}/files/shared${target && `?target=${target}`}`, "POST", { fileId });

describe("rules that a target uses", () => {
  it("are those that are ticked: the others are kept, and built without", async () => {
    const own = await design("ticks", [
      { path: "good.pins", text: "q at N3\n" },
      { path: "bad.pins", text: "d at N4 LVCMOS99\n", inUse: false },
    ]);
    expect(own.files.map(({ path, inUse }) => `${path} ${inUse}`)).toEqual([
      "m.v true",
      "good.pins true",
      "bad.pins false",
    ]);
    const build = async () => {
      const { body } = await call<Trial>(`/api/designs/${own.id}/targets/${own.targetId}/trials`, "POST");
      return waitFor(
        async () => (await call<Trial>(`/api/designs/${own.id}/trials/${body.id}`)).body,
        ({ status }) => status === "done" || status === "failed",
        60_000,
      );
    };
    expect((await build()).status).toBe("done");
    await call(at(own, fileOf(own, "bad.pins")), "PATCH", { inUse: true });
    const failed = await build();
    expect(failed.status).toBe("failed");
    expect(failed.findings.map(({ code }) => code)).toContain("pins/unknown-standard");
    await call(at(own, fileOf(own, "good.pins")), "PATCH", { inUse: false });
    expect((await read(own.id)).files.map(({ inUse }) => inUse)).toEqual([true, false, true]);
    // a name and a tick are told apart
    await call(at(own, fileOf(own, "bad.pins")), "PATCH", { path: "trial.pins" });
    expect(fileOf(await read(own.id), "trial.pins").inUse).toBe(true);
  });

  it("can be left out, sources cannot", async () => {
    const own = await design("sources");
    const { status, body } = await call<Problem>(at(own, own.files[0]), "PATCH", { inUse: false });
    expect([status, body.detail]).toEqual([400, "m.v is a source: only rules can be left out."]);
    const twice = await call<Problem>(`/api/designs/${own.id}/files`, "POST", {
      path: "n.v",
      kind: "source",
      text: "",
      inUse: false,
    });
    expect(twice.status).toBe(400);
    expect((await call(at(own, own.files[0]), "PATCH", { inUse: null })).status).toBe(400);
  });

  it("go with a target that is made like another, ticks and all", async () => {
    const own = await design("copies", [{ path: "a.pins", text: "q at N3\n", inUse: false }]);
    await call<Target[]>(`/api/designs/${own.id}/targets`, "POST", {
      name: "second",
      part: "TW-2-P144-2C",
      copyRules: true,
    });
    const { body } = await call<Design>(`/api/designs/${own.id}?target=second`);
    expect(fileOf(body, "a.pins").inUse).toBe(false);
  });
});

describe("the board of a target", () => {
  it("is changed, taken away, and must be one that there is", async () => {
    const own = await design("boards");
    const change = (board: unknown) =>
      call<Target[] & Problem>(`/api/designs/${own.id}/targets/${own.targetId}`, "PATCH", { board });
    expect((await change("shuttle")).body[0].board).toBe("shuttle");
    expect((await change("shutle")).body.detail).toMatch(/no board 'shutle'. Did you mean shuttle/);
    expect((await change(7)).status).toBe(400);
    // what is not said stays
    await call(`/api/designs/${own.id}/targets/${own.targetId}`, "PATCH", { seed: 4 });
    expect((await read(own.id)).board).toBe("shuttle");
    expect((await change(null)).body[0].board).toBeNull();
  });
});

describe("rules that designs share", () => {
  it("change everywhere at once, and each says where else they are", async () => {
    const [first, second] = [
      await design("loom-a", [{ path: "board.pins", text: "q at N3\n" }]),
      await design("loom-b"),
    ];
    const shareable = (await call<ShareableFile[]>("/api/designs/shareable/pins")).body;
    const from = shareable.find(({ designId }) => designId === first.id)!;
    expect(from).toMatchObject({ path: "board.pins", designName: "loom-a", part: "TW-2-P144-2C" });
    const taken = await share(second, from.fileId);
    expect(taken.status).toBe(201);
    expect(taken.body).toMatchObject({ path: "board.pins", text: "q at N3\n", inUse: true });
    const [a, b] = [await read(first.id), await read(second.id)].map((each) => fileOf(each, "board.pins"));
    expect(a.sharedWith.map(({ designName }) => designName)).toEqual(["loom-b"]);
    expect(b.sharedWith.map(({ designName }) => designName)).toEqual(["loom-a"]);
    expect(a.id).not.toBe(b.id);

    await call(at(second, b), "PUT", { text: "q at N4\n", baseVersion: b.version });
    const now = fileOf(await read(first.id), "board.pins");
    expect([now.text, now.version]).toEqual(["q at N4\n", a.version + 1]);
    // whoever saves over it from before that is told, in either design
    const late = await call<Problem>(at(first, a), "PUT", { text: "q at N6\n", baseVersion: a.version });
    expect(late.status).toBe(409);
    // and the earlier text is in the history of both
    const { body } = await call<{ text: string }[]>(`${at(first, a)}/versions`);
    expect(body.map(({ text }) => text)).toEqual(["q at N4\n", "q at N3\n"]);
  });

  it("go their own way when sharing ends, or when one is deleted", async () => {
    const made = [await design("s1", [{ path: "p.pins", text: "1" }]), await design("s2"), await design("s3")];
    const first = fileOf(made[0], "p.pins");
    for (const other of made.slice(1)) await share(other, first.id);
    const files = await Promise.all(made.map(async ({ id }) => fileOf(await read(id), "p.pins")));
    await call(`${at(made[1], files[1])}/shared`, "DELETE");
    await call(at(made[1], files[1]), "PUT", { text: "2", baseVersion: files[1].version });
    const texts = async () =>
      Promise.all(made.map(async ({ id }) => (await read(id)).files.find(({ path }) => path === "p.pins")?.text));
    expect(await texts()).toEqual(["1", "2", "1"]);
    await call(at(made[2], files[2]), "DELETE");
    expect(fileOf(await read(made[0].id), "p.pins").sharedWith).toEqual([]);
    expect(await texts()).toEqual(["1", "2", undefined]);
    // a design that goes takes nothing of the others
    await share(made[2], first.id);
    await call(`/api/designs/${made[0].id}`, "DELETE");
    const left = fileOf(await read(made[2].id), "p.pins");
    expect([left.text, left.sharedWith]).toEqual(["1", []]);
  });

  it("are between targets of one design too, once in each, and are never sources", async () => {
    const own = await design("targets", [{ path: "t.sdc", text: "# rules\n" }]);
    await call(`/api/designs/${own.id}/targets`, "POST", { name: "other", part: "CA-1-P84-2C" });
    const file = fileOf(own, "t.sdc");
    expect((await share(own, file.id, "other")).status).toBe(201);
    const other = (await call<Design>(`/api/designs/${own.id}?target=other`)).body;
    expect(fileOf(other, "t.sdc").sharedWith).toMatchObject([{ designName: "targets", targetName: own.targetName }]);
    expect((await share(own, file.id)).body.detail).toMatch(/has t.sdc already/);
    expect((await share(own, file.id, "other")).status).toBe(409);
    expect((await share(await design("x"), fileOf(own, "m.v").id)).body.detail).toMatch(/only rules are shared/);
    expect((await share(own, randomUUID())).status).toBe(404);
    expect((await share(own, "nonsense")).status).toBe(400);
    expect((await call("/api/designs/shareable/source")).status).toBe(400);
  });

  it("stay one through saves from all sides at once", async () => {
    const made = [await design("r1", [{ path: "p.pins", text: "0" }]), await design("r2"), await design("r3")];
    for (const other of made.slice(1)) await share(other, fileOf(made[0], "p.pins").id);
    for (let round = 0; round < 6; round++) {
      const files = await Promise.all(made.map(async ({ id }) => fileOf(await read(id), "p.pins")));
      const answers = await Promise.all(
        made.map((each, i) =>
          call(at(each, files[i]), "PUT", { text: `${round} by ${i}`, baseVersion: files[i].version }),
        ),
      );
      expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409]);
      const texts = await Promise.all(made.map(async ({ id }) => fileOf(await read(id), "p.pins").text));
      expect(new Set(texts).size).toBe(1);
      expect(texts[0]).toBe(`${round} by ${answers.findIndex(({ status }) => status === 200)}`);
    }
  });
});
