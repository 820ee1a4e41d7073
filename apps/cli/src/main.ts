import { statSync } from "node:fs";
import { totalmem } from "node:os";
import { dirname } from "node:path";
import type { Duplex } from "node:stream";
import { fileURLToPath } from "node:url";
import { endingText, FileChannel, type FileGrants, SealedProcess } from "@gate-clock/sealed";
import { Command, CommanderError } from "commander";
import type { Call } from "./call.ts";

/** Where printed text goes. */
interface Output {
  print(to: "out" | "err", text: string, encoding: "utf8" | "latin1"): Promise<void> | void;
}

const processOutput: Output = {
  print(to, text, encoding) {
    const stream = to === "out" ? process.stdout : process.stderr;
    if (!stream.write(text, encoding)) return new Promise((resolve) => stream.once("drain", resolve));
  },
};

const program = fileURLToPath(new URL("../dist/inside.cjs", import.meta.url));

/**
 * Reads the call, and carries it out in a sealed process: text of a design, and code that is made of it, get no nearer
 * to this machine than the files that are handed over here.
 * @returns Exit status: 0, 1 after an error in the design, 2 for a wrong call.
 */
export async function main(args: readonly string[], output: Output = processOutput): Promise<number> {
  let call: Call | null = null;
  const commands = new Command("gate-clock")
    .description("From HDL text to configuration bits, and the simulated part that runs them.")
    .exitOverride();
  commands.configureOutput({
    writeOut: (text) => void output.print("out", `${text.trimEnd()}\n`, "utf8"),
    writeErr: (text) => void output.print("err", `${text.trimEnd()}\n`, "utf8"),
  });
  const command = (name: Call["command"], description: string): Command =>
    commands
      .command(name)
      .description(description)
      .option("--allow-read <folder...>", "further folders that the design may read files below")
      .option("--allow-write <folder...>", "further folders that the design may write files below")
      .action((...given: unknown[]) => {
        const options = given[given.length - 2] as Record<string, unknown>;
        call = {
          command: name,
          args: given
            .slice(0, -2)
            .flat()
            .filter((arg) => arg !== undefined) as string[],
          options,
        };
      });
  const built = (each: Command): Command =>
    each
      .option("--top <module>")
      .option("--part <name>")
      .option("--target <name>", "one of the targets that gateclock.json lists")
      .option("--recipe <name>")
      .option("--seed <number>");
  command("check", "language and circuit findings, no part needed")
    .argument("<files...>", "HDL files, or a design folder")
    .option("--top <module>")
    .option("--json", "machine-readable result");
  command("simulate", "run a test bench; what it prints goes to standard output")
    .argument("<files...>", "HDL files, or a design folder")
    .option("--top <module>", "the test bench")
    .option("--until <time>", "simulated time to stop at, such as 10us")
    .option("--vcd <file>", "record all signals as a value change dump")
    .option("--record <scope...>", "with --vcd: only these scopes and what is inside them, such as bench.dut")
    .option("--seed <number>", "seed of $random and $urandom")
    .option("--plusarg <text...>", "words for $test$plusargs and $value$plusargs")
    .option("--json", "machine-readable result instead of the printed text");
  built(command("rules", "pins, clocks, what the rules cover, what each query matches; no layout"))
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--estimate", "slacks too, with the delays that wires will about have")
    .option("--json", "machine-readable result");
  built(command("build", "all stages up to the bitstream"))
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--out <folder>")
    .option("--stop-after <stage>")
    .option("--afresh", "take nothing over from the last build into the same folder")
    .option("--check-layout", "hold the finished layout against part and circuit, by a checker of its own")
    .option("--compressed", "a bitstream of runs: smaller, and quicker to shift in")
    .option("--json", "machine-readable result");
  built(command("status", "what of a finished build is out of date, why, and what a build would do again"))
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--out <folder>", "output folder of the build")
    .option("--json", "machine-readable result");
  built(command("prove", "circuit as written = circuit as built = bits read back"))
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--logic-only", "leave out the layout: circuit as written = circuit as built")
    .option("--vcd <file>", "where they differ, the inputs that show it as a value change dump")
    .option("--json", "machine-readable result");
  command("play", "drive the simulated part with a script")
    .argument("<image>", "bitstream file")
    .option("--part <name>")
    .requiredOption("--ports <file>", "ports.json of the build")
    .requiredOption("--steps <file>")
    .option("--delays <corner>", "run with the delays of wires and elements: slow-hot, slow-cold or fast-cold")
    .option("--seed <number>", "of what becomes of registers that are caught in a change");
  command("parts", "the parts that there are, or one of them")
    .argument("[part]", "one part, by its full name")
    .option("--bsdl", "with a part: its boundary-scan description")
    .option("--json", "machine-readable result");
  command("report", "one report of a finished build")
    .argument("<folder>", "output folder of a build")
    .argument("<kind>", "utilization, timing, pins, findings or stages")
    .option("--json", "machine-readable result");
  try {
    await commands.parseAsync([...args], { from: "user" });
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    throw error;
  }
  return call ? run(call, output) : 2;
}

/** What the call itself names may be read, and what is beside it; what it writes goes below where it says. */
function grantsOf({ command, args, options }: Call): FileGrants {
  const list = (name: string) => (Array.isArray(options[name]) ? (options[name] as string[]) : []);
  const file = (name: string) => (typeof options[name] === "string" ? [options[name] as string] : []);
  const read = [...list("allowRead"), ...file("ports"), ...file("steps")];
  const write = list("allowWrite");
  if (command !== "parts") read.push(".", ...args.map((path) => (isFolder(path) ? path : dirname(path))));
  if ((command === "status" || command === "build") && file("out").length) read.push(...file("out"));
  if (command === "simulate") write.push(".", ...file("vcd"));
  if (command === "prove") write.push(...file("vcd"));
  if (command === "build") write.push(...(options["out"] === undefined ? ["build"] : file("out")));
  return { read, write };
}

function isFolder(path: string): boolean {
  try {
    return statSync(path).isDirectory();
  } catch {
    return false;
  }
}

async function run(call: Call, output: Output): Promise<number> {
  const channel = await FileChannel.open(grantsOf(call), output);
  const memory = Math.max(2 ** 30, Math.floor(totalmem() * 0.75));
  const sealed = new SealedProcess(program, { memory, time: Number.POSITIVE_INFINITY }, "files");
  const stop = () => sealed.stop();
  process.on("exit", stop);
  try {
    const [status, ending] = await Promise.all([
      channel.serve(sealed.child.stdio[3] as unknown as Duplex, call),
      sealed.ended,
    ]);
    if (status !== null) return status;
    const words = sealed.lastWords();
    const text = `gate-clock: ${call.command} was not finished: ${endingText(ending)}${words ? ` (${words})` : ""}.\n`;
    await output.print("err", text, "utf8");
    return 1;
  } finally {
    process.off("exit", stop);
  }
}
