import type { Progress } from "@gate-clock/core";
import { proxy, type Remote } from "comlink";
import { useCallback, useEffect, useRef, useState } from "react";
import { connect } from "../../engine/connect.ts";
import type { Fitter } from "../../workers/fit.worker.ts";

export interface Work<T> {
  readonly result: T | null;
  readonly progress: Progress | null;
  readonly isRunning: boolean;
  readonly problem: string | null;
  readonly start: (
    job: (fitter: Remote<Fitter>, tell: (progress: Progress) => void) => Promise<T>,
  ) => Promise<T | null>;
  readonly cancel: () => void;
}

/** A piece of work in a worker of its own, with progress; ending the worker cancels it. */
export function useFitter<T>(): Work<T> {
  const worker = useRef<Worker | null>(null);
  const [result, setResult] = useState<T | null>(null);
  const [progress, setProgress] = useState<Progress | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const end = useCallback(() => {
    worker.current?.terminate();
    worker.current = null;
    setProgress(null);
  }, []);
  useEffect(() => end, [end]);
  const start = useCallback<Work<T>["start"]>(
    async (job) => {
      end();
      const own = new Worker(new URL("../../workers/fit.worker.ts", import.meta.url), { type: "module" });
      worker.current = own;
      setProblem(null);
      setProgress({ fraction: 0 });
      try {
        const made = await job(
          connect<Fitter>(own),
          proxy((next: Progress) => {
            if (worker.current === own) setProgress(next);
          }) as (next: Progress) => void,
        );
        if (worker.current !== own) return null;
        setResult(made);
        return made;
      } catch (error) {
        if (worker.current === own) setProblem((error as Error).message);
        return null;
      } finally {
        if (worker.current === own) end();
      }
    },
    [end],
  );
  return { result, progress, isRunning: progress !== null, problem, start, cancel: end };
}
