import { readConfig } from "./common/config.ts";
import { startServer } from "./server.ts";

const { address } = await startServer(readConfig(process.env));
process.stdout.write(`\nGate Clock is at ${address}\n`);
