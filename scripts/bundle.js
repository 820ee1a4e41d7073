// Puts a program together that runs in a sealed process: one file, strict throughout, of which nothing else is read.
//   node scripts/bundle.js ENTRY.js OUT.cjs
import { rolldown } from "rolldown";

const [entry, out] = process.argv.slice(2);
const bundle = await rolldown({ input: entry, platform: "node", logLevel: "silent", treeshake: true });
await bundle.write({
  file: out,
  format: "cjs",
  // functions of a sloppy one would show their arguments to whoever gets hold of them
  banner: '"use strict";',
  codeSplitting: false,
});
await bundle.close();
