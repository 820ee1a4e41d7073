import type { Place } from "../../common/finding.ts";
import type { Value } from "./values.ts";

/** What is wrong with a command, where, and what to do. It ends the command; `catch` takes it. */
export class ScriptError extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly remedy: string,
    public place: Place | null = null,
  ) {
    super(message);
  }
}
/** A bound was reached. Nothing catches it: the rest of the files is not run. */
export class BoundError extends ScriptError {}

export class Leave extends Error {
  constructor(
    readonly how: "break" | "continue" | "return",
    readonly value: Value,
  ) {
    super(how);
  }
}
