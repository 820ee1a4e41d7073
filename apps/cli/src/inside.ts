import { FileProblem, InsideFiles, sealProcess } from "@gate-clock/sealed/inside";
import type { Call } from "./call.ts";
import { build, check, play } from "./commands.ts";
import { UsageError } from "./load-design.ts";
import { parts } from "./parts.ts";
import { proveCall } from "./prove.ts";
import { report } from "./report.ts";
import { rules } from "./rules.ts";
import { Session } from "./session.ts";
import { runSimulation } from "./simulate.ts";
import { status } from "./status.ts";

/** The sealed program of the command line. */
const inside = sealProcess();
const files = new InsideFiles();
const session = new Session(files);
const call = files.task() as Call;

async function carryOut({ command, args, options }: Call): Promise<number> {
  switch (command) {
    case "check":
      return check(args, options, session);
    case "simulate":
      return runSimulation(args, options, session);
    case "rules":
      return rules(args, options, session);
    case "build":
      return build(args, options, session);
    case "status":
      return status(args, options, session);
    case "prove":
      return proveCall(args, options, session);
    case "play":
      return play(args[0], options as Parameters<typeof play>[1], session);
    case "parts":
      return parts(args[0], options, session);
    case "report":
      return report(args[0], args[1], options, session);
  }
}

void carryOut(call)
  .catch((error: unknown) => {
    if (!(error instanceof UsageError || error instanceof FileProblem)) throw error;
    session.err(`gate-clock: ${error.message}`);
    return 2;
  })
  .catch((error: unknown) => {
    // a mistake of ours: said in a sentence, with what helps to find it
    const { message, stack } = error instanceof Error ? error : new Error(String(error));
    session.err(`gate-clock: This went wrong in the program itself, not in the design: ${message}`);
    session.err(
      `gate-clock: at ${(stack ?? "")
        .split("\n")
        .slice(1, 4)
        .map((line) => line.trim().replace(/^at | \(.*?\)$/g, ""))
        .join(", ")}`,
    );
    return 1;
  })
  .then((status) => {
    files.done(status);
    inside.exit(0);
  });
