import { readFileSync } from "node:fs";
import { pause, sourceText, withServer } from "./with-server.js";

/**
 * The server with many at once: clients that read the list of designs, save a file and follow events, each every
 * second, while builds run. Times of an answer in ms, against one client with nothing beside it.
 */
const clients = Number(process.argv[2] ?? 50);
const builds = Number(process.argv[3] ?? 10);
/** Between a client's rounds. */
const everyMs = Number(process.argv[4] ?? 1000);
const seconds = 20;
await withServer(async ({ server, address, call }) => {
  const text = readFileSync(new URL("designs/patterns.v", import.meta.url), "utf8");
  const designs = [];
  for (let i = 0; i < clients; i++)
    designs.push(
      await call("/api/designs", "POST", {
        name: `loom ${i}`,
        part: "TW-9-P208-1C",
        files: [
          { path: "m.v", kind: "source", text: sourceText(i, 0) },
          { path: "notes.v", kind: "source", text: `${text}\n// ${"weft ".repeat(20_000)}\n` },
        ],
      }),
    );

  let isOver = false;
  const client = async (design, times) => {
    const file = design.files.find(({ path }) => path === "notes.v");
    const control = new AbortController();
    const events = await fetch(`${address}/api/events`, { signal: control.signal });
    void (async () => {
      for await (const _ of events.body);
    })().catch(() => {});
    await pause(Math.random() * everyMs);
    while (!isOver) {
      let begun = performance.now();
      await call("/api/designs");
      times.list.push(performance.now() - begun);
      begun = performance.now();
      const saved = await call(`/api/designs/${design.id}/files/${file.id}`, "PUT", {
        text: `${text}\n// ${begun} ${"weft ".repeat(20_000)}\n`,
        baseVersion: file.version,
      });
      times.save.push(performance.now() - begun);
      file.version = saved.version;
      await pause(everyMs);
    }
    control.abort();
  };
  const measure = async (count, ms) => {
    const times = { list: [], save: [] };
    isOver = false;
    const all = designs.slice(0, count).map((design) => client(design, times));
    await pause(ms);
    isOver = true;
    await Promise.all(all);
    for (const list of Object.values(times)) list.sort((a, b) => a - b);
    return times;
  };
  const part = (list, share) => list[Math.min(list.length - 1, Math.floor(share * list.length))];

  const alone = await measure(1, 6000);
  let finished = 0;
  let isBuilding = true;
  const builders = designs.slice(0, builds).map(async (design, i) => {
    for (let turn = 0; isBuilding; turn++) {
      const source = design.files.find(({ path }) => path === "m.v");
      source.version = (
        await call(`/api/designs/${design.id}/files/${source.id}`, "PUT", {
          text: sourceText(i, turn),
          baseVersion: source.version,
        })
      ).version;
      const { id } = await call(`/api/designs/${design.id}/trials`, "POST");
      while (isBuilding) {
        await pause(500);
        const { status } = await call(`/api/designs/${design.id}/trials/${id}`);
        if (status === "failed") throw new Error("A build failed.");
        if (status === "done") {
          finished++;
          break;
        }
      }
    }
  });
  await pause(1000);
  const busy = await measure(clients, seconds * 1000);
  const memory = /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, "utf8"));
  isBuilding = false;
  await Promise.all(builders);
  console.log(`${clients} clients, ${builds} builds at once (${finished} came to their end), ${seconds} s`);
  for (const key of ["list", "save"]) {
    const [one, many] = [part(alone[key], 0.5), part(busy[key], 0.5)];
    console.log(
      `  ${key}: median ${many.toFixed(0)} ms, 95th percentile ${part(busy[key], 0.95).toFixed(0)} ms of ${busy[key].length}; alone ${one.toFixed(0)} ms, ratio ${(many / one).toFixed(1)}`,
    );
  }
  console.log(`  memory of the server at its highest: ${Math.round(Number(memory[1]) / 1024)} MB`);
});
