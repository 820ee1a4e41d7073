import { availableParallelism } from "node:os";
import { pause, sourceText, withServer } from "./with-server.js";

/**
 * How soon a build begins once the queue is free: with nothing before it, and after a sweep of many builds of many
 * designs. Times in ms, as the server writes them down.
 */
const designs = Number(process.argv[2] ?? 12);
const turns = Number(process.argv[3] ?? 5);
const rounds = 12;
/** Builds at once, as the server has them by itself. */
const places = Math.max(2, availableParallelism());

await withServer(async ({ call }) => {
  const made = [];
  for (let i = 0; i < designs; i++)
    made.push(
      await call("/api/designs", "POST", {
        name: `loom ${i}`,
        part: "TW-9-P208-1C",
        files: [{ path: "m.v", kind: "source", text: sourceText(i, 0) }],
      }),
    );
  const isOver = ({ status }) => status === "done" || status === "failed" || status === "cancelled";
  const settled = async (design, { id }) => {
    for (;;) {
      const trial = await call(`/api/designs/${design.id}/trials/${id}`);
      if (isOver(trial)) return trial;
      await pause(100);
    }
  };
  const time = (text) => new Date(text).getTime();
  /** From asking to the start of the work, one build after another. */
  const delays = async () => {
    const list = [];
    for (let i = 0; i < rounds; i++) {
      const design = made[i % designs];
      const trial = await settled(design, await call(`/api/designs/${design.id}/trials`, "POST"));
      list.push(time(trial.startedAt) - time(trial.createdAt));
    }
    return list.sort((a, b) => a - b);
  };
  const shown = (list) =>
    `median ${list[Math.floor(list.length / 2)]} ms, longest ${list[list.length - 1]} ms of ${list.length}`;

  const before = await delays();
  const begun = Date.now();
  const sweep = [];
  for (let turn = 1; turn <= turns; turn++)
    for (let i = 0; i < designs; i++) {
      const design = await call(`/api/designs/${made[i].id}`);
      const file = design.files.find(({ path }) => path === "m.v");
      const body = { text: sourceText(i, turn), baseVersion: file.version };
      await call(`/api/designs/${design.id}/files/${file.id}`, "PUT", body);
      sweep.push([design, await call(`/api/designs/${design.id}/trials`, "POST")]);
    }
  const trials = [];
  for (const [design, trial] of sweep) trials.push(await settled(design, trial));
  const seconds = (Date.now() - begun) / 1000;
  // how long a place stays empty although somebody waits
  const events = trials
    .flatMap(({ createdAt, startedAt, finishedAt }) => [
      { at: time(createdAt), waits: 1, runs: 0 },
      { at: time(startedAt), waits: -1, runs: 1 },
      { at: time(finishedAt), waits: 0, runs: -1 },
    ])
    .sort((a, b) => a.at - b.at);
  const empty = [];
  let [waits, runs, since] = [0, 0, null];
  for (const each of events) {
    waits += each.waits;
    runs += each.runs;
    const isEmpty = waits > 0 && runs < places;
    if (isEmpty) since ??= each.at;
    else if (since !== null) {
      empty.push(each.at - since);
      since = null;
    }
  }
  empty.sort((a, b) => a - b);
  const after = await delays();
  console.log(`A build begins, ${designs} designs, a sweep of ${trials.length} builds in ${seconds.toFixed(0)} s`);
  console.log(`  with nothing before it: ${shown(before)}`);
  console.log(`  within it, one of ${places} places empty while somebody waits: ${shown(empty)}`);
  console.log(`  after the sweep: ${shown(after)}`);
});
