/** What the database's own words for going away have in common. */
/** Two that waited for each other are among them: trying again is all there is to do. */
const codes = /^(40P01|40001|57P0[1-5]|08\w{3}|53300|ECONNREFUSED|ECONNRESET|EPIPE|ENOENT|ETIMEDOUT|EAI_AGAIN)$/;
const names =
  /^Sequelize(Connection|HostNotFound|HostNotReachable|ConnectionRefused|ConnectionTimedOut|AccessDenied|ConnectionAcquireTimeout)\w*Error$/;
const words =
  /Connection terminated|connection error and is not queryable|ConnectionManager\.getConnection|server closed the connection|the database system is/i;

/** True if the error says that the database cannot be reached, as opposed to what it was asked. */
export function isOutage(error: unknown): boolean {
  for (
    let at = error as { code?: unknown; name?: unknown; message?: unknown; parent?: unknown } | null | undefined;
    at;
  ) {
    if (typeof at.code === "string" && codes.test(at.code)) return true;
    if (typeof at.name === "string" && names.test(at.name)) return true;
    if (typeof at.message === "string" && words.test(at.message)) return true;
    at = at.parent as typeof at;
  }
  return false;
}

/** True if the database has undone a transaction because it and another waited for each other. */
export function isDeadlock(error: unknown): boolean {
  for (let at = error as { code?: unknown; parent?: unknown } | null | undefined; at; at = at.parent as typeof at)
    if (at.code === "40P01" || at.code === "40001") return true;
  return false;
}

/** Tries again for as long as the database cannot be reached. @param tell Called before each pause, with the reason. */
export async function withDatabase<T>(run: () => Promise<T>, tell: (reason: string) => void): Promise<T> {
  for (let pauseMs = 200; ; pauseMs = Math.min(5000, pauseMs * 2)) {
    try {
      return await run();
    } catch (error) {
      if (!isOutage(error)) throw error;
      tell((error as Error).message);
      await new Promise((resolve) => setTimeout(resolve, pauseMs));
    }
  }
}
