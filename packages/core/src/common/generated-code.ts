import { InvariantError } from "./finding.ts";

/**
 * Code that is generated from designs, and where it may run.
 *
 * Text of a design gets into generated code by `quoted` alone, as a string constant; everything else in it is written
 * by the generators. Who runs generated code says so first, by `useCompiler`, and does so where the code could reach
 * nothing if a generator were wrong: in a process or a worker that has been sealed (`sealGlobals`).
 */
type Compiler = (parameters: readonly string[], text: string) => (...args: unknown[]) => unknown;

let compiler: Compiler | null = null;

/** Says how generated code becomes a function here. */
export function useCompiler(use: Compiler): void {
  compiler = use;
}

/** What may stand in generated text: no control characters, nothing outside of ASCII. */
const written = /^[\n\x20-\x7e]*$/;

/**
 * @param text A function's body.
 * @throws InvariantError where nobody has said that generated code may run, or for text that no generator writes.
 */
export function compileGenerated(parameters: readonly string[], text: string): (...args: unknown[]) => unknown {
  if (!compiler) throw new InvariantError("Generated code does not run here: no compiler is in use.");
  if (!written.test(text)) throw new InvariantError("Generated code holds a character that no generator writes.");
  return compiler(parameters, text);
}

/** A string constant of JavaScript, in printable ASCII, whatever the text is. */
export function quoted(text: string): string {
  return JSON.stringify(text).replace(
    /[^\x20-\x7e]/g,
    (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
}

/** What the language itself gives, and what the core uses beside it. All of it is plain computation. */
const harmless = new Set(
  `globalThis Object Function Array Number parseFloat parseInt Infinity NaN undefined Boolean String Symbol Date Promise
  RegExp Error AggregateError EvalError RangeError ReferenceError SyntaxError TypeError URIError SuppressedError JSON Math
  Intl ArrayBuffer SharedArrayBuffer Atomics DataView Int8Array Uint8Array Uint8ClampedArray Int16Array Uint16Array
  Int32Array Uint32Array Float16Array Float32Array Float64Array BigInt64Array BigUint64Array Map Set WeakMap WeakSet WeakRef BigInt
  Proxy Reflect Iterator FinalizationRegistry decodeURI decodeURIComponent encodeURI encodeURIComponent escape unescape
  eval isFinite isNaN WebAssembly TextEncoder TextDecoder performance
  constructor hasOwnProperty isPrototypeOf propertyIsEnumerable toLocaleString toString valueOf __defineGetter__
  __defineSetter__ __lookupGetter__ __lookupSetter__ __proto__`.split(/\s+/),
);

/**
 * Takes everything out of the global scope by which code could reach beyond itself: network, storage, other scopes, the
 * surroundings. What the caller still needs it has taken for itself before. Also bars the way by which a stack trace hands
 * out functions. For a process or a worker of its own; there is no way back.
 * @returns Names that could not be taken out; empty where all is well.
 */
export function sealGlobals(): string[] {
  const left: string[] = [];
  const seen = new Set<string>();
  for (let scope: object | null = globalThis; scope && scope !== Object.prototype; scope = Object.getPrototypeOf(scope))
    for (const name of Object.getOwnPropertyNames(scope)) {
      if (harmless.has(name)) continue;
      seen.add(name);
      if (Object.getPrototypeOf(scope) === Object.prototype && scope !== globalThis) {
        // what every target of events has: ports need it still, the global scope does not
        Object.defineProperty(globalThis, name, { value: undefined, configurable: false, writable: false });
        continue;
      }
      if (Reflect.deleteProperty(scope, name)) continue;
      const { configurable, writable } = Object.getOwnPropertyDescriptor(scope, name) ?? {};
      if (configurable || writable) Reflect.set(scope, name, undefined);
    }
  // a constant number leads nowhere
  for (const name of seen) {
    const value = (globalThis as Record<string, unknown>)[name];
    if (typeof value === "function" || (typeof value === "object" && value !== null)) left.push(name);
  }
  Object.defineProperty(Error, "prepareStackTrace", { value: undefined, writable: false, configurable: false });
  return left;
}
