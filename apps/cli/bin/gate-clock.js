#!/usr/bin/env node
import { main } from "../dist/main.js";

// a reader such as `head` that has seen enough closes the pipe: that is no error
process.stdout.on("error", (error) => {
  if (error.code === "EPIPE") process.exit();
  throw error;
});

process.exitCode = await main(process.argv.slice(2));
