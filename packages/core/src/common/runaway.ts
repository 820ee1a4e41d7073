/** Thrown when no time passes for too long, or a value is computed without an end. */
export class RunawaySignal {
  constructor(
    readonly process: number,
    /** In a loop within one process, rather than among several. */
    readonly loop: boolean,
  ) {}
}
