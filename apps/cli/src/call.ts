/** A call of the command line, as the sealed program gets it: read from the arguments, not yet looked into. */
export interface Call {
  readonly command: "check" | "simulate" | "rules" | "build" | "status" | "prove" | "play" | "parts" | "report";
  /** Files, folders and names in their order. */
  readonly args: readonly string[];
  readonly options: Readonly<Record<string, unknown>>;
}
