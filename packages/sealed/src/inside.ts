import dgram from "node:dgram";
import dns from "node:dns";
import net from "node:net";
import vm from "node:vm";
import { sealGlobals, useCompiler, useWorkClock } from "@gate-clock/core";

/** What a sealed program keeps of its process. */
interface Inside {
  readonly argv: readonly string[];
  /** To and from the process that started it, if that has opened a way. */
  readonly send: ((message: unknown) => void) | null;
  readonly onMessage: (hear: (message: unknown) => void) => void;
  exit(code: number): void;
}

/**
 * Closes this process from within, before the first line of a design is read. Files, other processes and threads are kept
 * away by Node's permission model, which whoever starts the process has switched on; texts become code by
 * `compileFunction` alone, which `--disallow-code-generation-from-strings` leaves as the only way, and which knows no
 * `import`. What is left of the network is taken away here.
 * @throws Error where a wall is missing: then nothing must run.
 */
export function sealProcess(): Inside {
  const { process } = globalThis as unknown as { process: NodeJS.Process };
  const permission = (process as unknown as { permission?: { has(scope: string): boolean } }).permission;
  if (!permission || permission.has("fs.write") || permission.has("child") || permission.has("worker"))
    throw new Error("This program must be started without any permission.");
  const refuse = (): never => {
    throw new Error("There is no network here.");
  };
  const refuseBuiltin = (): never => {
    throw new Error("There is nothing of the kind here.");
  };
  net.Socket.prototype.connect = refuse;
  net.Server.prototype.listen = refuse;
  dgram.Socket.prototype.bind = refuse;
  dgram.Socket.prototype.send = refuse;
  dgram.Socket.prototype.connect = refuse;
  for (const name of Object.keys(dns)) if (/^(lookup|resolve|reverse)/.test(name)) Reflect.set(dns, name, refuse);
  for (const name of ["binding", "_linkedBinding", "dlopen", "getBuiltinModule", "loadEnvFile"])
    if (name in process) Reflect.set(process, name, refuseBuiltin);
  const inside: Inside = {
    argv: [...process.argv],
    send: process.send ? process.send.bind(process) : null,
    onMessage: (hear) => void process.on("message", hear),
    exit: (code) => process.exit(code),
  };
  // whoever started it is gone: so is the reason for the work
  if (process.send) process.on("disconnect", () => process.exit(0));
  for (const name of Object.keys(process.env)) delete process.env[name];
  useWorkClock(() => {
    const { user, system } = process.cpuUsage();
    return (user + system) / 1000;
  });
  useCompiler((parameters, text) => vm.compileFunction(text, [...parameters]) as (...args: unknown[]) => unknown);
  const left = sealGlobals();
  if (left.length) throw new Error(`These could not be taken away: ${left.join(", ")}.`);
  return inside;
}

export { FileProblem, InsideFiles } from "./files-inside.ts";
