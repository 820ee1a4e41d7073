import { useCompiler } from "../src/common/generated-code.ts";

// tests run their own texts alone, in this process
useCompiler((parameters, text) => new Function(...parameters, text) as (...args: unknown[]) => unknown);
