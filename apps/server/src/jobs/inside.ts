import { setImmediate } from "node:timers";
import { sealProcess } from "@gate-clock/sealed/inside";
import type { JobName } from "../records/job.model.ts";
import type { FromJob, TaskHost, ToJob } from "./messages.ts";
import { benchTask } from "./tasks/bench-task.ts";
import { readingTask } from "./tasks/reading-task.ts";
import { trialTask } from "./tasks/trial-task.ts";

/** The sealed program of the server's jobs: one job, then it ends. */
const later = setImmediate;
const inside = sealProcess();
const send = inside.send as (message: FromJob) => void;
const tasks: Readonly<Record<JobName, (task: never, host: TaskHost) => Promise<unknown>>> = {
  trial: trialTask,
  bench: benchTask,
  reading: readingTask,
};

let isStopped = false;
let nextId = 1;
const waiting = new Map<number, (value: unknown) => void>();
const host: TaskHost = {
  note: (note) => send({ kind: "note", note }),
  ask: (question) =>
    new Promise((resolve) => {
      const id = nextId++;
      waiting.set(id, resolve);
      send({ kind: "question", id, question });
    }),
  isStopped: () => isStopped,
  now: () => performance.now(),
  pause: () => new Promise((resolve) => void later(resolve)),
};

inside.onMessage((message) => {
  const given = message as ToJob;
  if (given.kind === "stop") isStopped = true;
  else if (given.kind === "answer") {
    waiting.get(given.id)?.(given.value);
    waiting.delete(given.id);
  } else
    void tasks[given.job](given.task as never, host).then(
      (result) => send({ kind: "result", result }),
      (error: Error) =>
        send({ kind: "threw", message: String(error?.message ?? error), stack: String(error?.stack ?? "") }),
    );
});
