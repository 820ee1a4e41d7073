import type { Design } from "@gate-clock/contract";
import type { DesignProof } from "@gate-clock/core";
import { By, type WebDriver } from "selenium-webdriver";
import { describe, expect, it } from "vitest";
import { serveForTests } from "./app.ts";
import * as inBrowser from "./browser.js";
import { clickTestId, said, shownText } from "./browser.js";

/** Looking at the circuit, finding a part that fits, proving it: in the real interface. */
let driver: WebDriver;
const server = serveForTests((made) => {
  driver = made;
});

const waitForText = (id: string, pattern: RegExp, timeoutMs?: number) =>
  inBrowser.waitForText(driver, id, pattern, timeoutMs);

async function makeDesign(name: string, part: string, text: string): Promise<string> {
  const post = (path: string, body?: object) =>
    fetch(`${server.address}${path}`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: body && JSON.stringify(body),
    });
  const made = await post("/api/designs", {
    name,
    part,
    files: [{ path: "m.v", kind: "source", text }],
  });
  const { id } = (await made.json()) as { id: string };
  await post(`/api/designs/${id}/trials`);
  return id;
}

const heddles = (
  count: number,
  connect: string,
) => `module heddle #(parameter W = 8)(input clk, input lift, input [W-1:0] d, output reg [W-1:0] q);
  always @(posedge clk) if (lift) q <= q + (d ^ {q[0], q[W-1:1]});
endmodule
module m(input clk, input lift, input [7:0] d, output [7:0] y);
  wire [7:0] a [0:${count}]; assign a[0] = d; genvar i;
  generate for (i = 0; i < ${count}; i = i + 1) begin : row
    heddle #(.W(8)) h(.clk(clk), ${connect}.d(a[i]), .q(a[i+1]));
  end endgenerate
  assign y = a[${count}];
endmodule
`;

describe("the circuit and the fit", () => {
  it("show a connection that was left out, in the picture and in the findings", async () => {
    const id = await makeDesign("left-out", "TW-2-P144-2C", heddles(3, ""));
    await driver.get(`${server.address}/designs/${id}/circuit`);
    await waitForText("verdict", /input that nothing drives/, 60_000);
    await clickTestId(driver, "node-h");
    await waitForText("node-panel", /Nothing drives lift/);
    await clickTestId(driver, "station-sources");
    await waitForText("verdict", /1\s*warning/);
  });

  it("lead from an instance into it, to the line it is written in, and to what it became", async () => {
    const id = await makeDesign("step-in", "TW-2-P144-2C", heddles(2, ".lift(lift), "));
    await driver.get(`${server.address}/designs/${id}/circuit`);
    await waitForText("verdict", /All of m as written/, 60_000);
    await clickTestId(driver, "node-h");
    await clickTestId(driver, "step-in");
    await waitForText("verdict", /All of row\[\d\]\.h as written/);
    await clickTestId(driver, "node-q");
    await waitForText("node-panel", /register/);
    await clickTestId(driver, "other-circuit");
    await waitForText("verdict", /as built/);
    await waitForText("node-panel", /carry|register/);
    await driver.navigate().back();
    await waitForText("verdict", /row\[\d\]\.h as written/);
    await clickTestId(driver, "to-source");
    await waitForText("verdict", /No errors or warnings/);
    expect(await driver.getCurrentUrl()).toMatch(/file=m\.v/);
  });

  it("lead from a part that is too small to one that fits, and say what does not carry over", async () => {
    const id = await makeDesign("too-big", "FE-64-P44-1C", heddles(14, ".lift(lift), "));
    await driver.get(`${server.address}/designs/${id}/fit`);
    await waitForText("verdict", /does not fit FE-64-P44-1C/, 60_000);
    await clickTestId(driver, "find-part");
    await waitForText("best-part", /The least costly part .* is FE-256/);
    const row = await driver.findElement(By.css('[data-testid="part-FE-256-P44"]'));
    await (await row.findElement(By.css("button"))).click();
    await waitForText("retarget", /carry over/);
    await clickTestId(driver, "retarget-take");
    await waitForText("settings", /FE-256/);
    await clickTestId(driver, "build");
    await clickTestId(driver, "view-use");
    await waitForText("verdict", /Fits FE-256-P44-1C/, 60_000);
    // where it grew is told against the first trial
    await clickTestId(driver, "view-growth");
    await waitForText("growth", /Nothing has grown/);
  });

  it("prove that the circuit as built and the bits do what was written, and keep the proof", async () => {
    const id = await makeDesign("proof", "CA-1-P84-2C", heddles(3, ".lift(lift), "));
    await driver.get(`${server.address}/designs/${id}/fit?view=proof`);
    await waitForText("verdict", /Fits CA-1/, 60_000);
    await waitForText("station-image", /KiB|B/);
    await clickTestId(driver, "prove");
    await waitForText("proof", /does what was written: \d+ .* bits read back/, 60_000);
    await driver.navigate().refresh();
    await waitForText("proof", /does what was written/);

    // as if it had come out otherwise: a difference is a run that opens in the waves
    const kept = (await (await fetch(`${server.address}/api/designs/${id}/kept`)).json()) as {
      name: string;
      value: { key: string; proof: DesignProof };
    }[];
    const { targetId } = (await (await fetch(`${server.address}/api/designs/${id}`)).json()) as Design;
    const { key, proof } = kept.find(({ name }) => name.startsWith("proof:"))!.value;
    const cycles = [0, 1, 1].map((lift, i) => ({
      inputs: { clk: 0, lift },
      outputs: { "y[0]": { written: 0, built: Number(i === 2) }, "y[1]": { written: lift, built: lift } },
    }));
    const counterexample = { point: "y[0]", what: "output", written: 0, built: 1, fromStart: true, cycles };
    const different = {
      ...proof,
      verdict: "different",
      logic: { ...proof.logic, verdict: "different", counterexample },
    };
    await fetch(`${server.address}/api/designs/${id}/kept/proof:${targetId}`, {
      method: "PUT",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ value: { key, proof: different } }),
    });
    await driver.navigate().refresh();
    await waitForText("proof", /3 cycles after the start: written 0, built 1/);
    await clickTestId(driver, "difference-waves");
    await waitForText("verdict", /proof-difference\.vcd holds 4 signals/);
  });

  it("draw a state machine, and compare two ways of writing", async () => {
    const id = await makeDesign(
      "sequencer",
      "TW-2-P144-2C",
      `module m(input clk, input r, go, output reg [1:0] y); reg [2:0] s; localparam IDLE = 0, LIFT = 3, DRAIN = 7;
  always @(posedge clk) if (r) s <= IDLE; else case (s) IDLE: if (go) s <= LIFT; LIFT: s <= 6; 6: s <= go ? 5 : 0; 5: s <= 0; DRAIN: s <= LIFT; default: s <= 0; endcase
  always @* case (s) 3: y = 1; 6: y = 2; 5: y = 3; default: y = 0; endcase
endmodule
module slow(input clk, input [7:0] a, output reg [7:0] y); always @(posedge clk) y <= a * 8'd7; endmodule
module quick(input clk, input [7:0] a, output reg [7:0] y); always @(posedge clk) y <= (a << 3) - a; endmodule
`,
    );
    await driver.get(`${server.address}/designs/${id}/fit?view=made`);
    expect(await said(driver, '[data-testid="state-diagram"]', "aria-label", 60_000)).toMatch(
      /4 states, start IDLE; IDLE to LIFT, LIFT to 3'd6/,
    );
    expect(await shownText(driver, "lost-states")).toBe("Nothing leads to DRAIN.");
    await driver.get(`${server.address}/designs/${id}/fit?view=styles&left=slow&right=quick`);
    await waitForText("styles", /LUTs\s+\d+\s+\d+/);
  });
});
