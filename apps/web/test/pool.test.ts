import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Dropped, WorkerPool } from "../src/engine/pool.ts";

/** A worker whose answers the test gives. */
class Fake {
  isEnded = false;
  readonly told: string[] = [];
  fail: (message: string) => void = () => {};
  private readonly open: { readonly question: string; readonly answer: (value: string) => void }[] = [];
  readonly remote = {
    told: async (what: string) => void this.told.push(what),
    ask: (question: string) =>
      new Promise<string>((answer) => {
        this.open.push({ question, answer });
      }),
    broken: async (): Promise<string> => {
      throw new Error("no such thing");
    },
  };
  get asked(): readonly string[] {
    return this.open.map(({ question }) => question);
  }
  answer(): void {
    const first = this.open.shift();
    first?.answer(`${first.question}!`);
  }
}
type Services = { readonly fit: Fake["remote"]; readonly check: Fake["remote"] };

let workers: Fake[];
function pool(mostLong = 2, mostIdle = 4): WorkerPool<Services> {
  return new WorkerPool<Services>(
    () => {
      const fake = new Fake();
      workers.push(fake);
      return {
        remote: fake.remote,
        end: () => {
          fake.isEnded = true;
        },
        onFail: (tell) => {
          fake.fail = tell;
        },
      };
    },
    mostLong,
    mostIdle,
  );
}
/** Lets promises that are settled tell those who wait. */
const settle = async () => {
  for (let i = 0; i < 10; i++) await Promise.resolve();
};

beforeEach(() => {
  workers = [];
  vi.useFakeTimers();
});
afterEach(() => {
  vi.useRealTimers();
});

describe("the page's workers", () => {
  it("answer questions of one topic one after another, by one worker that is told what it needs once", async () => {
    const engine = pool();
    const prepare = (remote: Fake["remote"]) => remote.told("the circuit");
    const options = { topic: "a", prepare };
    const answers = ["one", "two", "three"].map((each) => engine.ask("fit", (remote) => remote.ask(each), options));
    await settle();
    expect(workers).toHaveLength(1);
    expect(workers[0].asked).toEqual(["one"]);
    for (let i = 0; i < 3; i++) {
      workers[0].answer();
      await settle();
    }
    expect(await Promise.all(answers)).toEqual(["one!", "two!", "three!"]);
    expect(workers[0].told).toEqual(["the circuit"]);
    expect(workers).toHaveLength(1);
  });

  it("do as much long work at once as they may, and quick questions do not wait for it", async () => {
    const engine = pool(2);
    for (const topic of ["a", "b", "c"]) void engine.ask("fit", (remote) => remote.ask(topic), { topic });
    const quick = engine.ask("check", (remote) => remote.ask("quick"), { quick: true });
    await settle();
    expect(workers.map(({ asked }) => asked)).toEqual([["a"], ["b"], ["quick"]]);
    workers[2].answer();
    expect(await quick).toBe("quick!");
    // a quick one that is done makes no room for a long one; a long one does
    await settle();
    expect(workers).toHaveLength(3);
    workers[0].answer();
    await settle();
    expect(workers[3].asked).toEqual(["c"]);
  });

  it("drop a question that waits, and end a worker that is at work on one", async () => {
    const engine = pool(1);
    const [first, second] = [new AbortController(), new AbortController()];
    const running = engine.ask("fit", (remote) => remote.ask("running"), { topic: "a", signal: first.signal });
    const waiting = engine.ask("fit", (remote) => remote.ask("waiting"), { topic: "b", signal: second.signal });
    const last = engine.ask("fit", (remote) => remote.ask("last"), { topic: "c" });
    await settle();
    second.abort();
    await expect(waiting).rejects.toBeInstanceOf(Dropped);
    expect(workers).toHaveLength(1);
    first.abort();
    await expect(running).rejects.toBeInstanceOf(Dropped);
    expect(workers[0].isEnded).toBe(true);
    await settle();
    workers[1].answer();
    expect(await last).toBe("last!");
    const over = AbortSignal.abort();
    await expect(engine.ask("fit", (remote) => remote.ask("late"), { signal: over })).rejects.toBeInstanceOf(Dropped);
  });

  it("keep a worker that knows much when its question is dropped, and ask it the next one", async () => {
    const engine = pool();
    const { signal, abort } = ((controller) => ({ signal: controller.signal, abort: () => controller.abort() }))(
      new AbortController(),
    );
    const prepare = (remote: Fake["remote"]) => remote.told("the circuit");
    const dropped = engine.ask("fit", (remote) => remote.ask("old view"), { topic: "a", signal, stays: true, prepare });
    await settle();
    abort();
    await expect(dropped).rejects.toBeInstanceOf(Dropped);
    const next = engine.ask("fit", (remote) => remote.ask("new view"), { topic: "a", stays: true, prepare });
    await settle();
    expect(workers[0].asked).toEqual(["old view"]);
    workers[0].answer();
    await settle();
    workers[0].answer();
    expect(await next).toBe("new view!");
    expect(workers[0].told).toEqual(["the circuit"]);
  });

  it("let the newest question of a topic take the place of those that wait, not of the one under way", async () => {
    const engine = pool();
    const options = { topic: "check", replaces: true };
    const texts = ["a", "ab", "abc"].map((each) => engine.ask("check", (remote) => remote.ask(each), options));
    await expect(texts[1]).rejects.toBeInstanceOf(Dropped);
    workers[0].answer();
    await settle();
    expect(workers[0].asked).toEqual(["abc"]);
    workers[0].answer();
    expect(await texts[0]).toBe("a!");
    expect(await texts[2]).toBe("abc!");
  });

  it("are replaced when they fail or take too long, and the next question is answered", async () => {
    const engine = pool(1);
    const failing = engine.ask("check", (remote) => remote.ask("a"), { patienceMs: 1000 });
    const second = engine.ask("check", (remote) => remote.ask("b"), { patienceMs: 1000 });
    const third = engine.ask("check", (remote) => remote.ask("c"), { patienceMs: 1000 });
    await settle();
    workers[0].fail("Uncaught out of memory.");
    await expect(failing).rejects.toThrow("failed (out of memory)");
    await settle();
    expect(workers[0].isEnded).toBe(true);
    expect(workers[1].asked).toEqual(["b"]);
    vi.advanceTimersByTime(1000);
    await expect(second).rejects.toThrow("did not come to an end within 1 s");
    await settle();
    workers[2].answer();
    expect(await third).toBe("c!");
    // its patience was for that question alone
    vi.advanceTimersByTime(5000);
    await settle();
    expect(workers[2].isEnded).toBe(false);
  });

  it("stay when an answer is an error of the question", async () => {
    const engine = pool();
    await expect(engine.ask("fit", (remote) => remote.broken())).rejects.toThrow("no such thing");
    const next = engine.ask("fit", (remote) => remote.ask("next"));
    await settle();
    workers[0].answer();
    expect(await next).toBe("next!");
    expect(workers).toHaveLength(1);
  });

  it("are tried anew when they cannot be told what they must know", async () => {
    const engine = pool();
    let count = 0;
    const prepare = async () => {
      if (count++ === 0) throw new Error("not cloned");
    };
    await expect(engine.ask("fit", (remote) => remote.ask("a"), { topic: "t", prepare })).rejects.toThrow("not cloned");
    expect(workers[0].isEnded).toBe(true);
    const next = engine.ask("fit", (remote) => remote.ask("b"), { topic: "t", prepare });
    await settle();
    workers[1].answer();
    expect(await next).toBe("b!");
  });

  it("end when there are many without work, the one that has rested longest first", async () => {
    const engine = pool(3, 2);
    const done = async (topic: string) => {
      const answer = engine.ask("fit", (remote) => remote.ask(topic), { topic });
      await settle();
      workers.find(({ asked }) => asked.includes(topic))!.answer();
      await answer;
    };
    for (const topic of ["a", "b", "a", "c"]) await done(topic);
    // b has rested since before the second a
    expect(workers.map(({ isEnded }) => isEnded)).toEqual([false, true, false]);
  });
});
