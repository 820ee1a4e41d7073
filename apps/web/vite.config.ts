import { fileURLToPath } from "node:url";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const core = fileURLToPath(new URL("../../packages/core/src", import.meta.url));

export default defineConfig({
  root: fileURLToPath(new URL(".", import.meta.url)),
  plugins: [react(), tailwindcss()],
  resolve: {
    alias: [
      { find: /^@gate-clock\/core\/(.*)$/, replacement: `${core}/$1/index.ts` },
      { find: "@gate-clock/core", replacement: `${core}/index.ts` },
    ],
  },
  // one file each: a worker may load nothing more
  worker: { format: "iife" },
  build: { target: "es2022", chunkSizeWarningLimit: 1500 },
  server: { host: "127.0.0.1", proxy: { "/api": "http://127.0.0.1:4780" } },
});
