import { describe, expect, it } from "vitest";
import { InvariantError } from "../src/common/index.ts";
import { portCircuit } from "../src/constraints/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import {
  checkDesign,
  type DesignInput,
  MemoryStore,
  readDesign,
  readingOf,
  runFlow,
  type StageName,
  type StageRecord,
  sameInputs,
  stageNames,
  stages,
  stagesUpTo,
  staleness,
  stalenessText,
} from "../src/flow/index.ts";
import { layoutNetlist } from "../src/netlist/index.ts";
import { built, designInput, mapped } from "./helpers/build.ts";

const pins = `clk at N17
reset at N1
up at N2
code[0] at E3 LVCMOS33 drive=8
code[1] at E4
code[2] at E7
code[3] at E6
full at S3
`;
const sdc = "create_clock -name clk -period 12 [get_ports clk]\n";
const helper = `module step(input [3:0] at, input up, output [3:0] next);
  wire [3:0] change = up ? 4'd1 : 4'd15;
  assign next = at + change;
endmodule
`;
const counter = `// counts threads
module counter(input clk, input reset, input up, output reg [3:0] code, output full);
  wire [3:0] next;
  function [3:0] cleared(input [3:0] value, input clear);
    reg [3:0] result;
    begin
      result = clear ? 4'd0 : value;
      cleared = result;
    end
  endfunction
  step stepper(.at(code), .up(up), .next(next));
  always @(posedge clk) begin : count
    reg [3:0] chosen;
    chosen = cleared(next, reset);
    code <= chosen;
  end
  assign full = code == 4'd11;
endmodule
`;

const base: DesignInput = designInput("", {
  top: "counter",
  sources: [
    { name: "step.v", text: helper },
    { name: "counter.v", text: counter },
  ],
  pinFiles: [{ name: "board.pins", text: pins }],
  timingFiles: [{ name: "loom.sdc", text: sdc }],
});

const edited = (file: string, from: string | RegExp, to: string) => (input: DesignInput) => {
  const change = (files: DesignInput["sources"]) =>
    files.map((each) => (each.name === file ? { ...each, text: each.text.replace(from, to) } : each));
  const next = {
    ...input,
    sources: change(input.sources),
    pinFiles: change(input.pinFiles),
    timingFiles: change(input.timingFiles),
  };
  expect(JSON.stringify(next)).not.toBe(JSON.stringify(input));
  return next;
};

/** Each kind of edit, and which stages have to run again for it. */
const edits: readonly (readonly [
  what: string,
  edit: (input: DesignInput) => DesignInput,
  again: readonly StageName[],
  why: string | null,
])[] = [
  ["a comment", edited("counter.v", "// counts threads", "// counts them\n// all"), ["elaborate"], null],
  ["white space", edited("step.v", "  assign next", "\n\n\tassign   next"), ["elaborate"], null],
  ["the order of files", (input) => ({ ...input, sources: [...input.sources].reverse() }), ["elaborate"], null],
  ["the name of a function's variable", edited("counter.v", /result/g, "outcome"), ["elaborate"], null],
  [
    "the name of a process's variable",
    edited("counter.v", /chosen/g, "taken"),
    ["elaborate", "rules", "synth", "goals", "timing"],
    "the circuit (counter.v)",
  ],
  [
    "the name of a local wire",
    edited("step.v", /change/g, "delta"),
    ["elaborate", "rules", "synth", "goals", "timing"],
    "the circuit (step.v)",
  ],
  // which arcs a LUT has is seen from what it computes
  [
    "a constant",
    edited("counter.v", "4'd11", "4'd12"),
    ["elaborate", "rules", "synth", "goals", "timing", "image"],
    "the circuit (counter.v)",
  ],
  [
    "the circuit",
    edited("counter.v", "code == 4'd11", "code == 4'd11 & up"),
    ["elaborate", "rules", "synth", "goals", "pack", "place", "route", "timing", "image"],
    "the circuit (counter.v)",
  ],
  [
    "drive",
    edited("board.pins", "drive=8", "drive=12"),
    ["rules", "timing", "image"],
    "standard, drive or slew of pins (board.pins)",
  ],
  [
    "pull",
    edited("board.pins", "up at N2", "up at N2 LVCMOS33 pull=up"),
    ["rules", "image"],
    "pull, hysteresis or termination of pins (board.pins)",
  ],
  [
    "a pin",
    edited("board.pins", "full at S3", "full at W3"),
    ["rules", "pack", "place", "route", "timing", "image"],
    "places of pins (board.pins)",
  ],
  ["a comment in the pin file", edited("board.pins", "reset at", "# the loom\nreset at"), ["rules"], null],
  [
    "a clock's period",
    edited("loom.sdc", "-period 12", "-period 3"),
    ["rules", "goals", "place", "route", "timing", "image"],
    "clock periods (loom.sdc)",
  ],
  [
    "a clock's name",
    edited("loom.sdc", "-name clk", "-name loom"),
    ["rules", "goals", "timing"],
    "timing rules (loom.sdc)",
  ],
  [
    "an exception",
    edited("loom.sdc", /$/, "set_false_path -from [get_ports up]\n"),
    ["rules", "goals", "place", "route", "timing"],
    "timing rules (loom.sdc)",
  ],
  ["a comment in the timing file", edited("loom.sdc", "create", "# slower\ncreate"), ["rules"], null],
  ["the recipe", (input) => ({ ...input, recipe: "even" }), ["place", "route", "timing", "image"], "recipe (even)"],
  ["the seed", (input) => ({ ...input, seed: 5 }), ["place", "route", "timing", "image"], "seed 1 → 5"],
  [
    "the speed grade",
    (input) => ({ ...input, part: "TW-2-P144-1C" }),
    ["rules", "goals", "pack", "place", "route", "timing", "image"],
    "part TW-2-P144-2C → TW-2-P144-1C",
  ],
  ["the design's name", (input) => ({ ...input, name: "other" }), [], null],
];

const states = (records: readonly StageRecord[]) =>
  Object.fromEntries(records.map((record) => [record.stage, record.state]));
const ranIn = (records: readonly StageRecord[]) =>
  records.filter(({ state }) => state === "done").map(({ stage }) => stage);

describe("what runs again", () => {
  it.each(edits)("after a change of %s", async (_what, edit, again, why) => {
    const store = new MemoryStore();
    const first = await runFlow(base, store);
    expect(first.status).toBe("done");
    const next = edit(base);
    const told = staleness(first.stages, await readDesign(next));
    const second = await runFlow(next, store);
    expect(second.status).toBe("done");
    const ran = ranIn(second.stages);
    // a stage whose result came out the same spares those behind it: what is listed is the most that may run
    const allowed = new Set<string>(again);
    expect(ran.filter((stage) => !allowed.has(stage))).toEqual([]);
    const sure = again.filter((stage) => !["route", "timing", "image"].includes(stage));
    expect(ran).toEqual(expect.arrayContaining([...sure]));
    // what was told before is what happened: reading is no work that anybody waits for
    const works = ran.filter((stage) => stage !== "elaborate" && stage !== "rules");
    expect([...told.again, ...told.maybeAgain]).toEqual(expect.arrayContaining(works));
    expect(works).toEqual(
      expect.arrayContaining(told.again.filter((stage) => stage !== "elaborate" && stage !== "rules")),
    );
    expect(told.isCurrent).toBe(why === null);
    if (why !== null) expect(stalenessText(told)).toContain(why);
    // and it is the same design as one that nothing was kept of
    const fresh = await runFlow(next, new MemoryStore());
    for (const stage of ["timing", "image"] as const)
      expect(await second.artifact(stage)).toEqual(await fresh.artifact(stage));
    expect(second.findings).toEqual(fresh.findings);
  });

  it("is told alike by a check of the design and by reading it", async () => {
    for (const [, edit] of edits) {
      const next = edit(base);
      let design: Parameters<typeof readingOf>[1] = null;
      const check = checkDesign(next, undefined, (made) => {
        design = made;
      });
      const reading = readingOf(next, design, check);
      expect(reading).toEqual(await readDesign(next));
      // no part of it may be left out: what is compared with nothing is always another
      expect(Object.values(reading.facets)).not.toContain("");
    }
  });

  it("is nothing at all for the same design", async () => {
    const first = await runFlow(base, new MemoryStore());
    const told = staleness(first.stages, await readDesign(base));
    expect(told).toMatchObject({ isCurrent: true, changes: [], again: [], maybeAgain: [] });
    expect(stalenessText(told)).toBe("Up to date.");
    const reordered = first.stages.map((record) => ({
      ...record,
      inputs: Object.fromEntries(Object.entries(record.inputs!).reverse()),
    }));
    expect(sameInputs(reordered)).toEqual(told);
    const older = first.stages.map((record) => (record.stage === "route" ? { ...record, key: "another" } : record));
    expect(sameInputs(older)).toMatchObject({ isCurrent: false, again: ["route"] });
  });

  it("is told for errors, for trials that did not come to an end, and for those of an earlier version", async () => {
    const first = await runFlow(base, new MemoryStore());
    const broken = edited("counter.v", "assign full", "asign full")(base);
    const text = staleness(first.stages, await readDesign(broken));
    expect(text.isCurrent).toBe(false);
    expect(stalenessText(text)).toContain("sources with errors (counter.v)");
    const wrongPin = edited("board.pins", "N17", "Q99")(base);
    const rules = staleness(first.stages, await readDesign(wrongPin));
    expect(rules.changes.map(({ what }) => what)).toEqual(["rules with errors"]);
    expect(rules.stages.find(({ stage }) => stage === "synth")?.state).toBe("current");
    const stopped = await runFlow(wrongPin, new MemoryStore());
    expect(staleness(stopped.stages, await readDesign(wrongPin)).isCurrent).toBe(true);
    expect(staleness(stopped.stages, await readDesign(base)).again).toContain("rules");
    const nameless = first.stages.map(({ inputs: _, facets: __, ...record }) => ({ ...record, key: `0${record.key}` }));
    expect(stalenessText(staleness(nameless, await readDesign(base)))).toMatch(
      /^Changed: the version of Gate Clock\. /,
    );
    expect(staleness(first.stages, await readDesign({ ...base, part: "TW-0" })).isCurrent).toBe(false);
    const waiting = stageNames.map((stage) => ({
      stage,
      state: "waiting" as const,
      key: null,
      elapsedMs: null,
      fraction: 0,
      figure: null,
    }));
    expect(stalenessText(staleness(waiting, await readDesign(base)))).toBe("Nothing has been built.");
  });
});

describe("stages", () => {
  it("come after all that they read, and give all that is read of them", () => {
    const before: StageName[] = [];
    for (const name of stageNames) {
      for (const facet of stages[name].reads) {
        const [from, own] = facet.split(".") as [StageName, string];
        expect(before).toContain(from);
        expect(Object.keys(stages[from].facets)).toContain(own);
      }
      before.push(name);
    }
    expect(stagesUpTo("synth")).toEqual(["elaborate", "synth"]);
    expect(stagesUpTo("rules")).toEqual(["elaborate", "rules"]);
    expect(stagesUpTo("timing")).not.toContain("image");
  });

  it("stop for an illegal pin before anything is built", async () => {
    const result = await runFlow(edited("board.pins", "N17", "Q99")(base), new MemoryStore());
    expect(result.status).toBe("failed");
    expect(states(result.stages)).toMatchObject({ elaborate: "done", rules: "failed", synth: "waiting" });
  });

  it("are not blamed on the rules where only the logic is wanted", async () => {
    const result = await runFlow(edited("board.pins", "N17", "Q99")(base), new MemoryStore(), { stopAfter: "synth" });
    expect(result.status).toBe("done");
  });

  it("of the layout see neither function nor first values nor contents", async () => {
    const one = mapped(
      "module m(input clk, input [1:0] a, output reg y, output z); initial y = 1'b1; always @(posedge clk) y <= a[0] & a[1]; assign z = a[0] ^ a[1]; endmodule",
    );
    const other = mapped(
      "module m(input clk, input [1:0] a, output reg y, output z); initial y = 1'b0; always @(posedge clk) y <= a[0] | a[1]; assign z = ~(a[0] ^ a[1]); endmodule",
    );
    const structure = (netlist: typeof one) => ({ ...layoutNetlist(netlist), cellName: [], netName: [] });
    expect(structure(one)).toEqual(structure(other));
    expect(one.maskLow).not.toEqual(other.maskLow);
  });

  it("cannot read what they do not declare", async () => {
    const { run } = stages.pack;
    const given = {
      key: "",
      setting: () => {
        throw new InvariantError("undeclared");
      },
      read: () => Promise.reject(new InvariantError("undeclared")),
    };
    await expect(
      (async () =>
        run(
          given,
          { random: null as never, progress() {}, checkCancelled() {} },
          { load: async () => null, save: async () => {} },
        ))(),
    ).rejects.toThrow(InvariantError);
  });

  it("that told something by a name that is gone run again", async () => {
    const text = (name: string) =>
      `module m(input clk, input [1:0] d, output y); reg ${name}; always @(posedge clk) if (d[1]) ${name} <= d[0]; assign y = ${name}; endmodule`;
    const withPad = (name: string) =>
      designInput(text("r"), {
        pinFiles: [{ name: "p.pins", text: `${name} at N3 LVCMOS33 register=on\n` }],
      });
    const store = new MemoryStore();
    const first = await runFlow(withPad("y"), store);
    expect(first.findings.some(({ code }) => code === "pins/no-register")).toBe(true);
    const again = await runFlow({ ...withPad("y"), sources: [{ name: "t.v", text: text("held") }] }, store);
    // the port that is told of has its name still
    expect(states(again.stages)).toMatchObject({ synth: "done", pack: "reused" });
  });
});

describe("the flow", () => {
  const counter =
    "module m(input clk, input rst, input [2:0] a, output reg [2:0] q, output z);\n  always @(posedge clk) if (rst) q <= 0; else q <= q + a;\n  assign z = &q;\nendmodule\n";
  const sdc = (ns: number) => [{ name: "t.sdc", text: `create_clock -name clk -period ${ns} [get_ports clk]\n` }];
  it("runs nothing again when nothing changed, and nothing after elaboration for a comment", async () => {
    const store = new MemoryStore();
    const input = designInput(counter, { timingFiles: sdc(10) });
    const first = await runFlow(input, store);
    expect(new Set(Object.values(states(first.stages)))).toEqual(new Set(["done"]));
    const second = await runFlow(input, store);
    expect(new Set(Object.values(states(second.stages)))).toEqual(new Set(["reused"]));
    const commented = await runFlow(
      designInput(`// a new line\n${counter.replace("assign", "/* here */ assign")}`, { timingFiles: sdc(10) }),
      store,
    );
    expect(states(commented.stages)).toMatchObject({
      elaborate: "done",
      synth: "reused",
      pack: "reused",
      place: "reused",
      route: "reused",
      timing: "reused",
      image: "reused",
    });
    // a comment in the rules is read again, and changes nothing behind
    const rules = await runFlow(
      { ...input, timingFiles: [{ name: "t.sdc", text: `# slower?\n${sdc(10)[0].text}` }] },
      store,
    );
    expect(states(rules.stages)).toMatchObject({ synth: "reused", rules: "done", pack: "reused", image: "reused" });
    const changed = await runFlow(designInput(counter.replace("q + a", "q - a"), { timingFiles: sdc(10) }), store);
    expect(states(changed.stages)).toMatchObject({ elaborate: "done", synth: "done", image: "done" });
  });
  it("leads to the new line after a comment has moved it", async () => {
    const store = new MemoryStore();
    await runFlow(designInput(counter), store);
    const moved = await runFlow(designInput(`\n\n\n${counter}`), store);
    const [netlist, design] = await Promise.all([moved.artifact("synth"), moved.artifact("elaborate")]);
    const q0 = netlist!.cellName.indexOf("q[0]");
    expect(design!.positions.cells[netlist!.origin[q0]].line).toBe(5);
  });
  it("stops at once when it is cancelled, and keeps what was done", async () => {
    const store = new MemoryStore();
    let placed = false;
    const result = await runFlow(designInput(counter), store, {
      onStage: (record) => {
        placed ||= record.stage === "place" && record.state === "running";
      },
      isCancelled: () => placed,
    });
    expect(result.status).toBe("cancelled");
    expect(states(result.stages)).toMatchObject({ synth: "done", pack: "done", route: "waiting" });
    const again = await runFlow(designInput(counter), store);
    expect(states(again.stages)).toMatchObject({ synth: "reused", pack: "reused", place: "done" });
  });
  it("builds designs without registers, without inputs, and with nothing at all", async () => {
    for (const text of [
      "module m(input a, output y); assign y = a; endmodule",
      "module m(output [1:0] y); assign y = 2'b10; endmodule",
      "module m; endmodule",
      "module m(input clk, input a); reg r; always @(posedge clk) r <= a; endmodule",
    ]) {
      const result = await built(text);
      expect((await result.artifact("image"))!.file.length).toBeGreaterThan(1000);
    }
  });
  it("knows which ports are clocks", async () => {
    const design = (await (await built(counter)).artifact("elaborate"))!;
    const clocks = (netlist: typeof design.netlist) =>
      portCircuit(netlist).needs.flatMap(({ isClock, bitName }) => (isClock ? [bitName] : []));
    expect(clocks(design.netlist)).toEqual(["clk"]);
    const falling = "module m(input clk, input d, output reg q); wire n = ~clk; always @(posedge n) q <= d; endmodule";
    expect(clocks(elaborate([{ name: "t.v", text: falling }]).artifact!.netlist)).toEqual(["clk"]);
  });
});
