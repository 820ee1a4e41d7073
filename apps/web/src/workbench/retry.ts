/** Pauses between attempts at what failed for reasons that pass, in ms: they grow, and stay below half a minute. */
export function pauseBefore(attempt: number): number {
  return Math.min(30_000, 1000 * 2 ** Math.max(0, attempt - 1));
}
/** True if trying the same again can help: nobody answered, or the server had trouble of its own. */
export function canPass(status: number | null): boolean {
  return status === null || status >= 500 || status === 408 || status === 429;
}
