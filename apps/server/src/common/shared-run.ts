/**
 * Work whose answer is the same for all who ask at once. Who asks while it is under way gets the answer of the next run, which
 * begins after the question: nobody is told of a state before his own last change, and there is never more than one run.
 */
export class SharedRun<T> {
  private running: Promise<T> | null = null;
  private next: Promise<T> | null = null;

  constructor(private readonly work: () => Promise<T>) {}

  ask(): Promise<T> {
    if (!this.running) return this.begin();
    this.next ??= this.running
      .catch(() => {})
      .then(() => {
        this.next = null;
        return this.begin();
      });
    return this.next;
  }

  private begin(): Promise<T> {
    const run = this.work().finally(() => {
      if (this.running === run) this.running = null;
    });
    this.running = run;
    return run;
  }
}
