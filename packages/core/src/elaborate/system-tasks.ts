/**
 * System tasks (IEEE 1800-2017 clauses 20 and 21): which there are, what they take, and what a circuit makes of them. How each
 * runs stands in `simulate/verilog/system-tasks.ts`, which has one for every name here.
 */
interface SystemTask {
  /** Arguments that it must have. */
  readonly least: number;
  /** Its arguments are looked at once it prints, at the end of the time slot. */
  readonly isLate?: true;
  /** Its arguments may be scopes and whole arrays. */
  readonly takesScopes?: true;
  /** In a circuit it gives a memory its first contents; every other task is nothing there. */
  readonly fillsMemory?: true;
}

type Letter = "" | "b" | "o" | "h";
type Printing = "display" | "write" | "strobe" | "monitor";
/** `$display`, `$fwriteh` and their kin: to the output, to a file, at once or at the end of the slot. */
type PrintTask = `$${"" | "f"}${Printing}${Letter}`;

function printing(): Record<PrintTask, SystemTask> {
  const made: [string, SystemTask][] = [];
  for (const what of ["display", "write", "strobe", "monitor"])
    for (const letter of ["", "b", "o", "h"]) {
      const late = what === "strobe" || what === "monitor" ? ({ isLate: true } as const) : {};
      made.push([`$${what}${letter}`, { least: 0, ...late }], [`$f${what}${letter}`, { least: 1, ...late }]);
    }
  return Object.fromEntries(made) as Record<PrintTask, SystemTask>;
}
const none: SystemTask = { least: 0 };
const one: SystemTask = { least: 1 };

/** Tasks that are nothing but that. */
const plainTasks = {
  $finish: none,
  $stop: none,
  $exit: none,
  $error: none,
  $warning: none,
  $info: none,
  $fatal: none,
  $monitoron: none,
  $monitoroff: none,
  $timeformat: none,
  $printtimescale: { least: 0, takesScopes: true },
  $readmemh: { least: 2, takesScopes: true, fillsMemory: true },
  $readmemb: { least: 2, takesScopes: true, fillsMemory: true },
  $writememh: { least: 2, takesScopes: true },
  $writememb: { least: 2, takesScopes: true },
  $dumpfile: { least: 0, takesScopes: true },
  $dumpvars: { least: 0, takesScopes: true },
  $dumpon: none,
  $dumpoff: none,
  $dumpall: none,
  $dumpflush: none,
  $dumplimit: none,
  $fclose: one,
  $fflush: none,
  $sformat: { least: 2 },
  $swrite: one,
  $swriteb: one,
  $swriteo: one,
  $swriteh: one,
  $srandom: one,
  $system: none,
  $assertoff: none,
  $asserton: none,
  $assertkill: none,
} as const satisfies Readonly<Record<string, SystemTask>>;
/** Tasks that run by a rule of their own each. */
export type PlainTask = keyof typeof plainTasks;

/** Functions that may stand as statements, for what they do besides giving a value. */
const calledFunctions = {
  $fopen: one,
  $value$plusargs: { least: 2 },
  $test$plusargs: one,
  $random: none,
  $urandom: none,
  $cast: { least: 2, takesScopes: true },
  $fgets: { least: 2 },
  $fscanf: { least: 2 },
  $sscanf: { least: 2 },
  $fseek: { least: 3 },
  $rewind: one,
  $ungetc: { least: 2 },
} as const satisfies Readonly<Record<string, SystemTask>>;

export const systemTasks: ReadonlyMap<string, SystemTask> = new Map(
  Object.entries<SystemTask>({ ...printing(), ...plainTasks, ...calledFunctions }),
);
