import { Command, CommanderError } from "commander";
import { type BuildOptions, build, check, type Output, play, report } from "./commands.ts";
import { type LoadOptions, UsageError } from "./load-design.ts";
import { parts } from "./parts.ts";
import { type ProveCall, proveCall } from "./prove.ts";
import { runSimulation, type SimulateCall } from "./simulate.ts";

const processOutput: Output = {
  write: (text) => void process.stdout.write(text, "latin1"),
  out: (text) => void process.stdout.write(`${text}\n`),
  err: (text) => void process.stderr.write(`${text}\n`),
};

/** @returns Exit status: 0, 1 after an error in the design, 2 for a wrong call. */
export async function main(args: readonly string[], io: Output = processOutput): Promise<number> {
  let status = 0;
  const program = new Command("gate-clock")
    .description("From HDL text to configuration bits, and the simulated part that runs them.")
    .exitOverride();
  program.configureOutput({ writeOut: (text) => io.out(text.trimEnd()), writeErr: (text) => io.err(text.trimEnd()) });
  program
    .command("check")
    .argument("<files...>", "HDL files, or a design folder")
    .option("--top <module>")
    .option("--json", "machine-readable result")
    .description("language and circuit findings, no part needed")
    .action(async (files: string[], options: LoadOptions & { json?: boolean }) => {
      status = await check(files, options, io);
    });
  program
    .command("simulate")
    .argument("<files...>", "HDL files, or a design folder")
    .option("--top <module>", "the test bench")
    .option("--until <time>", "simulated time to stop at, such as 10us")
    .option("--vcd <file>", "record all signals as a value change dump")
    .option("--record <scope...>", "with --vcd: only these scopes and what is inside them, such as bench.dut")
    .option("--seed <number>", "seed of $random and $urandom")
    .option("--plusarg <text...>", "words for $test$plusargs and $value$plusargs")
    .option("--json", "machine-readable result instead of the printed text")
    .description("run a test bench; what it prints goes to standard output")
    .action(async (files: string[], options: SimulateCall) => {
      status = await runSimulation(files, options, io);
    });
  program
    .command("build")
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--top <module>")
    .option("--out <folder>")
    .option("--part <name>")
    .option("--target <name>", "one of the targets that gateclock.json lists")
    .option("--recipe <name>")
    .option("--seed <number>")
    .option("--stop-after <stage>")
    .option("--packed", "a bitstream of runs: smaller, and quicker to shift in")
    .option("--json", "machine-readable result")
    .description("all stages up to the bitstream")
    .action(async (design: string[], options: BuildOptions) => {
      status = await build(design, options, io);
    });
  program
    .command("prove")
    .argument("<design...>", "design folder, or HDL, .pins and .sdc files")
    .option("--top <module>")
    .option("--part <name>")
    .option("--target <name>", "one of the targets that gateclock.json lists")
    .option("--recipe <name>")
    .option("--seed <number>")
    .option("--logic-only", "leave out the layout: circuit as written = circuit as built")
    .option("--vcd <file>", "where they differ, the inputs that show it as a value change dump")
    .option("--json", "machine-readable result")
    .description("circuit as written = circuit as built = bits read back")
    .action(async (design: string[], options: ProveCall) => {
      status = await proveCall(design, options, io);
    });
  program
    .command("play")
    .argument("<image>", "bitstream file")
    .option("--part <name>")
    .requiredOption("--ports <file>", "ports.json of the build")
    .requiredOption("--steps <file>")
    .description("drive the simulated part with a script")
    .action(async (image: string, options: { part?: string; ports: string; steps: string }) => {
      status = await play(image, options, io);
    });
  program
    .command("parts")
    .argument("[part]", "one part, by its full name")
    .option("--bsdl", "with a part: its boundary-scan description")
    .option("--json", "machine-readable result")
    .description("the parts that there are, or one of them")
    .action((name: string | undefined, options: { bsdl?: boolean; json?: boolean }) => {
      status = parts(name, options, io);
    });
  program
    .command("report")
    .argument("<folder>", "output folder of a build")
    .argument("<kind>", "utilization, timing, pins, findings or stages")
    .option("--json", "machine-readable result")
    .description("one report of a finished build")
    .action(async (folder: string, kind: string, options: { json?: boolean }) => {
      status = await report(folder, kind, options, io);
    });
  try {
    await program.parseAsync([...args], { from: "user" });
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    if (error instanceof UsageError) {
      io.err(`gate-clock: ${error.message}`);
      return 2;
    }
    throw error;
  }
  return status;
}
