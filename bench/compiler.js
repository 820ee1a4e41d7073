import { useCompiler } from "@gate-clock/core";

// benchmarks run their own texts alone, in this process
useCompiler((parameters, text) => new Function(...parameters, text));
