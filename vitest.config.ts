import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: { conditions: ["source"] },
  test: {
    projects: [
      {
        test: {
          name: "core",
          // a file's tests find the modules as the file before left them: who sets the compiler or the clock sets it back
          isolate: false,
          setupFiles: ["packages/core/test/setup.ts"],
          include: ["packages/*/test/**/*.test.ts", "apps/cli/test/**/*.test.ts", "apps/web/test/**/*.test.ts"],
          testTimeout: 600_000,
        },
      },
      {
        test: {
          name: "server",
          include: ["apps/server/test/**/*.test.ts"],
          testTimeout: 600_000,
          hookTimeout: 600_000,
          // each file has servers and databases of its own
          maxWorkers: 2,
        },
      },
      {
        test: {
          name: "e2e",
          bail: 1,
          include: ["e2e/**/*.test.ts"],
          testTimeout: 600_000,
          hookTimeout: 600_000,
          // each file has a server, a database and a browser of its own
          maxWorkers: 2,
        },
      },
    ],
  },
});
