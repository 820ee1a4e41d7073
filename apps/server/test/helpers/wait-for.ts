/** Asks again and again until the answer is as it should be. @throws Error with the last answer when it takes too long. */
export async function waitFor<T>(ask: () => Promise<T>, isGood: (answer: T) => boolean, ms: number): Promise<T> {
  const end = Date.now() + ms;
  for (;;) {
    const answer = await ask();
    if (isGood(answer)) return answer;
    if (Date.now() > end) throw new Error(`Not so after ${ms} ms: ${JSON.stringify(answer)?.slice(0, 600)}`);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
