import { readConfig } from "./common/config.ts";
import { PortTakenError, startServer } from "./server.ts";

try {
  const { address } = await startServer(readConfig(process.env));
  process.stdout.write(`\nGate Clock is at ${address}\n`);
} catch (error) {
  const isExpected = error instanceof PortTakenError || /^GATE_CLOCK_/.test((error as Error).message);
  process.stderr.write(
    `\nGate Clock did not start: ${isExpected ? (error as Error).message : (error as Error).stack}\n`,
  );
  process.exit(1);
}
