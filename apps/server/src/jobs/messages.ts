import type { JobName } from "../records/job.model.ts";

/** Between the server and the sealed process of a job. */
export type ToJob =
  | { readonly kind: "start"; readonly job: JobName; readonly task: unknown }
  /** It should come to an end with what it has; else it is ended by force. */
  | { readonly kind: "stop" }
  | { readonly kind: "answer"; readonly id: number; readonly value: unknown };
export type FromJob =
  | { readonly kind: "note"; readonly note: unknown }
  | { readonly kind: "question"; readonly id: number; readonly question: unknown }
  | { readonly kind: "result"; readonly result: unknown }
  /** A mistake of ours. */
  | { readonly kind: "threw"; readonly message: string; readonly stack: string };

/** What a task of a sealed process has of the outside. */
export interface TaskHost {
  note(note: unknown): void;
  ask(question: unknown): Promise<unknown>;
  isStopped(): boolean;
  /** Milliseconds of a clock that only goes forward. */
  now(): number;
  /** Lets messages come in. */
  pause(): Promise<void>;
}
