import { AsyncLocalStorage, AsyncResource } from "node:async_hooks";
import { Sequelize } from "sequelize";

/**
 * Every query within `sequelize.transaction(...)` takes part in it, whether it names it or not. One that did not would
 * ask for a second connection while it holds the first, and with as many at once as there are connections all would wait.
 */
export function joinTransactions(): void {
  const storage = new AsyncLocalStorage<Map<string, unknown>>();
  Sequelize.useCLS({
    get: (key: string) => storage.getStore()?.get(key),
    set: (key: string, value: unknown) => storage.getStore()?.set(key, value),
    run: (run: (context: object) => unknown) => {
      const context = new Map<string, unknown>();
      storage.run(context, () => run(context));
    },
    bind: (run: (...args: unknown[]) => unknown) => AsyncResource.bind(run),
  } as Parameters<typeof Sequelize.useCLS>[0]);
}
