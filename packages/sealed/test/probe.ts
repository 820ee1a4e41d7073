import { compileGenerated, prepare } from "@gate-clock/core";
import { sealProcess } from "../src/inside.ts";

/**
 * A program as the server and the command line have them, which tries from the place of generated code to get out. What
 * each attempt came to goes back to the test.
 */
const inside = sealProcess();

/** Bodies of functions, as a generator could write them if it were wrong. */
const attempts: Readonly<Record<string, string>> = {
  globals: "return Object.getOwnPropertyNames(globalThis).join()",
  process: "return typeof process + typeof require + typeof module + typeof Buffer",
  read: 'return require("fs").readFileSync("/etc/passwd", "latin1").slice(0, 9)',
  constructor: 'return (() => {}).constructor("return process")().pid',
  generator: 'return (function* () {}).constructor("return 1")',
  eval: 'return eval("1 + 1")',
  indirect: 'return (0, eval)("1 + 1")',
  binding: "return process.binding",
  fetch: 'return fetch("http://127.0.0.1:1/")',
  socket: "return new WebSocket('ws://127.0.0.1:1/')",
  trace: `const before = Error.prepareStackTrace;
    Error.prepareStackTrace = (_, calls) => calls.map((call) => call.getFunction() ?? call.getThis());
    const { stack } = new Error(); return Array.isArray(stack) && stack.some((each) => each) ? "got functions" : "nothing: " + typeof before`,
  caller: "return arguments.callee.caller.arguments[1].toString()",
  timer: "return typeof setTimeout + typeof setImmediate + typeof queueMicrotask",
  message: "return typeof postMessage + typeof onmessage + typeof MessageChannel",
};

const tell = (found: unknown) => inside.send!(found);
const tried: Record<string, string> = {};
for (const [name, body] of Object.entries(attempts)) {
  try {
    tried[name] = String(compileGenerated([], body)());
  } catch (error) {
    tried[name] = `refused: ${(error as Error).message}`;
  }
}
const imports = ["node:fs", "fs", "node:net", "node:child_process", "data:text/javascript,export default 1"];
void Promise.all(
  imports.map((name) =>
    (compileGenerated([], `return import("${name}")`)() as Promise<object>).then(
      () => "imported",
      (error: Error) => `refused: ${error.message}`,
    ),
  ),
).then((results) => {
  imports.forEach((name, i) => {
    tried[`import ${name}`] = results[i];
  });
  // and the generators themselves work in here
  const run = (file: string, text: string) => {
    const { simulation, findings } = prepare([{ name: file, text }], {});
    let printed = "";
    if (simulation) {
      simulation.onPrint = (each) => {
        printed += each.text;
      };
      simulation.run();
    }
    return printed || JSON.stringify(findings);
  };
  tried["verilog"] = run("t.v", 'module t; reg [3:0] a = 3; initial $display("%0d picks", a + 4); endmodule');
  tried["vhdl"] = run(
    "t.vhd",
    'entity t is end; architecture rtl of t is begin process begin report integer\'image(3 + 4) & " picks"; wait; end process; end;',
  );
  tell(tried);
});
