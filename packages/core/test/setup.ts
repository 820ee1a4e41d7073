import * as built from "@gate-clock/core";
import { useCompiler } from "../src/common/generated-code.ts";

// tests run their own texts alone, in this process: those of the core from its source, others from what is built of it
const compile = (parameters: readonly string[], text: string) =>
  new Function(...parameters, text) as (...args: unknown[]) => unknown;
useCompiler(compile);
built.useCompiler(compile);
