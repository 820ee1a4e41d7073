import type { DesignCheck, DesignInput } from "@gate-clock/core";
import { type Remote, wrap } from "comlink";
import { useEffect, useRef, useState } from "react";
import type { Checker } from "../workers/check.worker.ts";

/** Only to gather keys that come at once: a check in a worker costs the page nothing. */
const pauseMs = 30;

/**
 * Findings for the texts as they stand in the editors. Runs in a worker after a short pause; while one check runs,
 * only the newest text waits. The last result stays until the next one is there.
 */
export function useCheck(input: DesignInput): { result: DesignCheck | null; isChecking: boolean } {
  const [result, setResult] = useState<DesignCheck | null>(null);
  const [isChecking, setChecking] = useState(true);
  const checker = useRef<{ worker: Worker; remote: Remote<Checker> } | null>(null);
  const running = useRef(false);
  const waiting = useRef<DesignInput | null>(null);

  useEffect(() => {
    const worker = new Worker(new URL("../workers/check.worker.ts", import.meta.url), { type: "module" });
    checker.current = { worker, remote: wrap<Checker>(worker) };
    return () => {
      worker.terminate();
      checker.current = null;
      running.current = false;
    };
  }, []);

  useEffect(() => {
    const start = async () => {
      if (running.current || !checker.current || !waiting.current) return;
      running.current = true;
      const job = waiting.current;
      waiting.current = null;
      const current = checker.current;
      try {
        const checked = await current.remote.check(job);
        if (checker.current === current) setResult(checked);
      } finally {
        if (checker.current === current) {
          running.current = false;
          if (waiting.current) void start();
          else setChecking(false);
        }
      }
    };
    waiting.current = input;
    setChecking(true);
    const timer = setTimeout(() => void start(), pauseMs);
    return () => clearTimeout(timer);
  }, [input]);
  return { result, isChecking };
}
