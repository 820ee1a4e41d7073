import type { Finding } from "@gate-clock/core";
import type { JobName } from "../../records/job.model.ts";

/** Why a job came to no result: our mistake, or what it needed. */
export interface Failure {
  readonly text: string;
  readonly finding: Finding | null;
}

/**
 * A kind of job: what it works on, and where its results go. All but `answer` are called within the transaction that
 * changes the job's row.
 */
export interface JobKind {
  readonly name: JobName;
  /** Milliseconds that a job may take. */
  readonly timeMs: number;
  /** It begins. @returns What its process is to do; null if what it works on is gone. */
  begin(id: string): Promise<unknown>;
  /** What it told since the last time, the newest last. */
  progress(id: string, notes: readonly unknown[]): Promise<void>;
  /** An answer to its process. */
  answer(id: string, question: unknown): Promise<unknown>;
  /** @param isStopped It was asked to stop, and came to an end with what it had. */
  finish(id: string, result: unknown, isStopped: boolean): Promise<void>;
  fail(id: string, failure: Failure): Promise<void>;
  /** @param hasRun It had begun, and was ended by force. */
  cancel(id: string, hasRun: boolean): Promise<void>;
  /** It goes back to the queue. */
  requeue(id: string): Promise<void>;
}

/** Under which the runner finds all kinds. */
export const jobKinds = "job-kinds";
