import { spawn } from "node:child_process";
import { randomUUID } from "node:crypto";
import { fileURLToPath } from "node:url";
import pg from "pg";

const base = process.env["GATE_CLOCK_TEST_POSTGRES"];
const admin = async (sql) => {
  const client = new pg.Client({ connectionString: `${base}/postgres` });
  await client.connect();
  await client.query(sql);
  await client.end();
};

/** Runs the work with a server of its own, which has a database of its own; both are gone afterwards. */
export async function withServer(work) {
  const name = `bench_${randomUUID().replaceAll("-", "")}`;
  await admin(`CREATE DATABASE ${name}`);
  const server = spawn(process.execPath, [fileURLToPath(new URL("../apps/server/dist/main.js", import.meta.url))], {
    env: { ...process.env, GATE_CLOCK_DATABASE: `${base}/${name}`, GATE_CLOCK_PORT: "0", GATE_CLOCK_DEMO: "" },
    stdio: ["ignore", "pipe", "inherit"],
  });
  process.on("exit", () => server.kill());
  try {
    const address = await new Promise((done, fail) => {
      server.stdout.on("data", (data) => {
        const found = /http:\S+/.exec(data.toString());
        if (found) done(found[0]);
      });
      server.on("close", (code) => fail(new Error(`The server ended with ${code}.`)));
    });
    const call = async (path, method = "GET", body) => {
      const response = await fetch(address + path, {
        method,
        headers: body ? { "content-type": "application/json" } : {},
        body: body && JSON.stringify(body),
      });
      const text = await response.text();
      if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${text.slice(0, 200)}`);
      return text ? JSON.parse(text) : null;
    };
    await work({ server, address, call });
  } finally {
    server.removeAllListeners("close");
    const gone = new Promise((done) => server.on("exit", done));
    server.kill();
    await gone;
    await admin(`DROP DATABASE ${name} WITH (FORCE)`);
  }
}

export const pause = (ms) => new Promise((done) => setTimeout(done, ms));

/** A design that takes some seconds to build, another at each turn. */
export function sourceText(i, turn) {
  return `module m(input clk, input [7:0] a, output reg [15:0] q);
  reg [15:0] r [0:23];
  integer k;
  always @(posedge clk) begin
    r[0] <= r[23] * a + ${i * 1000 + turn};
    for (k = 1; k < 24; k = k + 1) r[k] <= (r[k - 1] ^ (r[k - 1] << 3)) + a + k;
    q <= r[23] ^ r[11];
  end
endmodule
`;
}
