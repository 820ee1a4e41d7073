import { posix } from "node:path";
import { Random } from "@gate-clock/core";
import { FileProblem, type InsideFiles } from "@gate-clock/sealed/inside";
import { describe, expect, it } from "vitest";
import { anyJson, damagedText, fuzzRuns, fuzzSeed } from "../../../packages/core/test/helpers/damage.ts";
import { play } from "../src/commands.ts";
import { loadDesign, UsageError } from "../src/load-design.ts";
import { report } from "../src/report.ts";
import { Session } from "../src/session.ts";

/** Files in memory, for what reads them: nothing else is asked for here. */
function sessionOf(files: Readonly<Record<string, string | Uint8Array>>): { io: Session; printed: () => string } {
  let printed = "";
  const at = (path: string) => posix.normalize(path);
  const inside: Pick<InsideFiles, "read" | "kind" | "print"> = {
    read: (path) => {
      const found = files[at(path)];
      if (at(path).startsWith("..") || path.startsWith("/")) throw new FileProblem(`${path} is elsewhere`, true);
      return found === undefined ? null : typeof found === "string" ? new TextEncoder().encode(found) : found;
    },
    kind: (path) =>
      Object.hasOwn(files, at(path))
        ? "file"
        : Object.keys(files).some((each) => each.startsWith(`${at(path)}/`))
          ? "folder"
          : null,
    print: (_, text) => {
      printed += text;
    },
  };
  return { io: new Session(inside as InsideFiles), printed: () => printed };
}
/** What may be told to a user; all else is a fault of ours. */
const isTold = (error: unknown) => error instanceof UsageError || error instanceof FileProblem;

const random = new Random(fuzzSeed);
const settings = {
  name: "loom",
  top: "m",
  board: "shuttle",
  part: "TW-2-P144-2C",
  sources: ["m.v"],
  pins: ["m.pins"],
  timing: ["m.sdc"],
  recipe: "even",
  seed: 3,
  targets: [{ name: "small", part: "CA-1-P84-2C", pins: ["m.pins"], timing: [], seed: 4 }],
};
const texts = [
  "m.v",
  "m.pins",
  "none.v",
  "",
  "..",
  "../m.v",
  "/etc/passwd",
  "small",
  "shuttle",
  "CA-1-P84-2C",
  "x\0y",
  "w".repeat(300),
];

describe("what the command line loads", { timeout: 600_000 }, () => {
  it("is a design, or the call is refused with a sentence", () => {
    let loaded = 0;
    for (let i = 0; i < fuzzRuns(1500); i++) {
      const text = random.below(2)
        ? damagedText(JSON.stringify(settings, null, 1), random, [
            "null",
            "{",
            "}",
            "[",
            "]",
            ",",
            '"m.v"',
            "1e999",
            "-3",
            "0.5",
          ])
        : JSON.stringify(
            Object.fromEntries(
              Object.entries(settings).map(([key, value]) => [
                key,
                random.below(9) ? value : anyJson(random, Object.keys(settings), texts),
              ]),
            ),
          );
      const { io } = sessionOf({
        "d/gateclock.json": text,
        "d/m.v": '`include "h.vh"\nmodule m; endmodule\n',
        "d/h.vh": `\`include "${random.below(4) ? "none" : "../../x"}"\n\`include "h.vh"\n`,
        "d/m.pins": "",
        "d/m.sdc": "",
      });
      try {
        const input = loadDesign(["d"], { target: random.below(3) ? undefined : "small" }, io);
        loaded++;
        expect(input.name).toMatch(/^[^/\\]{1,200}$/);
        expect(Number.isInteger(input.seed) && input.seed >= 0 && input.seed < 2 ** 31, text).toBe(true);
        for (const file of [...input.sources, ...input.pinFiles, ...input.timingFiles])
          expect(typeof file.name + typeof file.text).toBe("stringstring");
      } catch (error) {
        if (!isTold(error)) throw new Error(`${(error as Error).stack}\nfor ${text}`);
      }
    }
    expect(loaded).toBeGreaterThan(200);
  });

  it("is a report or a script, or the call is refused with a sentence", async () => {
    const written = {
      utilization: [{ kind: "LUTs", used: 3, available: 2048 }],
      modules: [],
      levels: 2,
      timing: {
        clocks: [{ name: "main", periodPs: 10_000, fmaxMhz: 200.5, registers: 3 }],
        checks: [{ corner: "slow", kind: "setup", worstSlackPs: 12, failingEndpoints: 0, endpoints: 3 }],
        setupPaths: [{ from: "a", to: "b", slackPs: 12, levels: 2, dataPs: 400 }],
      },
      pins: [{ port: "a", pin: "E1", standard: "LVCMOS33", automatic: true }],
      findings: [{ code: "a/b", severity: "error", place: { file: "m.v", line: 3 }, message: "No.", remedy: "Yes." }],
      stages: [{ stage: "synth", state: "done", elapsedMs: 3 }],
    };
    const ports = { part: "TW-2-P144-2C", ports: [{ port: "a", pin: "E1", direction: "input", clockNs: null }] };
    const steps = [{ set: { a: 1 } }, { run: "20us" }, { read: ["a"], expect: [1] }];
    let good = 0;
    for (let i = 0; i < fuzzRuns(800); i++) {
      const spoil = (value: unknown) =>
        damagedText(JSON.stringify(value, null, 1), random, [
          "null",
          "{",
          "}",
          "[",
          "]",
          ",",
          "0",
          "true",
          '"x"',
          "-1",
        ]);
      const files = {
        "d/report.json": spoil(written),
        "d/ports.json": random.below(2) ? JSON.stringify(ports) : spoil(ports),
        "d/steps.json": spoil(steps),
        "d/image": Uint8Array.of(random.below(256), 1, 2),
      };
      for (const kind of ["utilization", "timing", "pins", "findings", "stages", "none"]) {
        const { io, printed } = sessionOf(files);
        try {
          if ((await report("d", kind, { json: random.below(4) === 0 }, io)) === 0) good++;
          expect(printed()).not.toMatch(/undefined|NaN|\[object/);
        } catch (error) {
          if (!isTold(error)) throw new Error(`${(error as Error).stack}\nfor ${kind} of ${files["d/report.json"]}`);
        }
      }
      try {
        await play("d/image", { ports: "d/ports.json", steps: "d/steps.json" }, sessionOf(files).io);
      } catch (error) {
        if (!isTold(error))
          throw new Error(`${(error as Error).stack}\nfor ${files["d/ports.json"]}\n${files["d/steps.json"]}`);
      }
    }
    expect(good).toBeGreaterThan(50);
  });
});
