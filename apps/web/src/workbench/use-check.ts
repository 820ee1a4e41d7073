import type { DesignCheck, DesignInput, DesignReading } from "@gate-clock/core";
import { proxy, type Remote } from "comlink";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { connect } from "../engine/connect.ts";
import type { Checker } from "../workers/check.worker.ts";

/** Only to gather keys that come at once: a check in a worker costs the page nothing. */
const pauseMs = 30;
/** A check that takes longer is ended: it may never come back. */
const patienceMs = 15_000;

/** How what is known of a design's texts stands to the texts as they are now. */
export type CheckState =
  /** It is of these texts. */
  | { readonly kind: "current" }
  /** These texts are being checked; what is shown is of earlier ones. */
  | { readonly kind: "checking" }
  /** The check of these texts did not come to an end. */
  | { readonly kind: "unfinished"; readonly reason: string; readonly step: string };

interface Checked {
  /** Of the last texts whose check came to an end. */
  readonly result: DesignCheck | null;
  readonly state: CheckState;
  /** What the texts mean, once it is known of the texts as they are. */
  readonly reading: DesignReading | null;
  tryAgain(): void;
}

const trimmed = (message: string) => message.replace(/^Uncaught /, "").replace(/[.\s]+$/, "");

interface Running {
  readonly worker: Worker;
  readonly remote: Remote<Checker>;
}

/**
 * Findings for the texts as they stand in the editors. Runs in a worker after a short pause; while one check runs,
 * only the newest text waits. A worker that does not answer, or fails, is ended and another one started: the next text
 * is checked as if nothing had been.
 */
export function useCheck(input: DesignInput): Checked {
  const [checked, setChecked] = useState<{ readonly input: DesignInput; readonly result: DesignCheck } | null>(null);
  const [read, setRead] = useState<{ readonly input: DesignInput; readonly reading: DesignReading } | null>(null);
  const [unfinished, setUnfinished] = useState<{
    readonly input: DesignInput;
    readonly reason: string;
    readonly step: string;
  } | null>(null);
  const [round, setRound] = useState(0);
  const checker = useRef<Running | null>(null);
  const running = useRef<DesignInput | null>(null);
  const waiting = useRef<DesignInput | null>(null);

  const end = useCallback(() => {
    checker.current?.worker.terminate();
    checker.current = null;
    running.current = null;
  }, []);
  useEffect(() => end, [end]);

  const start = useCallback(() => {
    if (running.current || !waiting.current) return;
    const job = waiting.current;
    waiting.current = null;
    running.current = job;
    if (!checker.current) {
      const worker = new Worker(new URL("../workers/check.worker.ts", import.meta.url), { type: "module" });
      checker.current = { worker, remote: connect<Checker>(worker) };
    }
    const current = checker.current;
    let step = "";
    const over = (reason: string | null): void => {
      clearTimeout(watchdog);
      if (checker.current !== current || running.current !== job) return;
      if (reason === null) running.current = null;
      else {
        end();
        setUnfinished({ input: job, reason, step });
      }
      start();
    };
    const watchdog = setTimeout(() => over(`did not come to an end within ${patienceMs / 1000} s`), patienceMs);
    current.worker.onerror = (event) => over(`failed (${trimmed(event.message)})`);
    void current.remote
      .check(
        job,
        proxy((now: string) => {
          step = now;
        }),
      )
      .then(async (result) => {
        if (checker.current === current) setChecked({ input: job, result });
        // while somebody types, the next text comes first
        if (checker.current === current && !waiting.current) {
          step = "working out what it means";
          const reading = await current.remote.reading();
          if (checker.current === current) setRead({ input: job, reading });
        }
        over(null);
      })
      .catch((error: Error) => over(`failed (${trimmed(error.message)})`));
  }, [end]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: another round is asked for by the engineer
  useEffect(() => {
    waiting.current = input;
    const timer = setTimeout(start, pauseMs);
    return () => clearTimeout(timer);
  }, [input, round, start]);

  const tryAgain = useCallback(() => {
    setUnfinished(null);
    setRound((old) => old + 1);
  }, []);
  const state = useMemo((): CheckState => {
    if (checked?.input === input) return { kind: "current" };
    return unfinished?.input === input
      ? { kind: "unfinished", reason: unfinished.reason, step: unfinished.step }
      : { kind: "checking" };
  }, [checked, unfinished, input]);
  const reading = read?.input === input ? read.reading : null;
  return { result: checked?.result ?? null, state, reading, tryAgain };
}
