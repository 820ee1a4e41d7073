import { type Code, joined, js, rendered } from "../../common/code-pieces.ts";
import { Report } from "../../elaborate/report.ts";
import type { Stmt } from "../../elaborate/vhdl/bound.ts";
import { CodeUnit, linkUnit, type Program } from "../../elaborate/vhdl/code/emit-base.ts";
import { declaresConstants, UnitEmitter } from "../../elaborate/vhdl/code/unit-emitter.ts";
import { Frame } from "../../elaborate/vhdl/values/frames.ts";
import { Proc, type Sig } from "../../elaborate/vhdl/values/signals.ts";
import { commitList, commitText, keepDrivers, listText, nameOf, OpenAssignments, valueText } from "./kept-drivers.ts";
import { BitIndex, bitsOf, drivenBy, orderLogic, type StaticProcess } from "./logic-order.ts";
import type { Processes } from "./processes.ts";

/**
 * Processes put together, so that a clock edge costs a call for all of its registers instead of one for each, and pure
 * logic runs in the order of its dependence.
 *
 * - Processes that wait for the same events are one function (a group). What only they drive is kept in variables, and
 *   compared with the signals in the next delta cycle.
 * - Pure logic (`isPureLogic`) whose signals wake nothing but pure logic is ordered (Kahn, "Topological sorting of large
 *   networks", Comm. ACM 5(11), 1962); a delta cycle in which nothing else runs settles all of it at once. With other
 *   processes in the same delta cycle, or some that wait for one of its signals, each runs in its own delta cycle as
 *   the standard says, so that nobody ever sees a value that would not have been there.
 */

/** Texts above this are not put into one function: engines leave very long ones uncompiled. */
const longest = 12_000;

/** @returns The processes that are to be started, groups in place of their members. */
export function joinProcesses(
  owner: Processes,
  statics: readonly StaticProcess[],
  all: readonly Proc[],
): readonly Proc[] {
  const { program } = owner.elaborator;
  // a forced signal listens to nobody: every assignment must go by its driver
  if (program.forces || program.tracksActive) return all;
  const gone = new Set<Proc>();
  const logic = orderLogic(statics, program);
  const isLogic = new Set(logic);
  const made: Proc[] = [];
  // another driver could change the signal while the process's own transaction is due
  const clocks = new Set(statics.filter((each) => each.isClock && [...each.wakes].every((sig) => sig.simple)));
  clocks.forEach(runInUpdate);
  const groups = groupsOf(statics.filter((each) => !isLogic.has(each) && !clocks.has(each)));
  if (logic.length) installLogic(owner, logic, gone);
  for (const members of groups) {
    made.push(installGroup(owner, members));
    for (const member of members) gone.add(member.proc);
  }
  const rest = all.filter((proc) => !gone.has(proc));
  return [...rest, ...made].sort((a, b) => a.number - b.number);
}

/** The process needs no cycle of its own: when its signal changes, its last transaction is over. */
function runInUpdate({ proc, wakes }: StaticProcess): void {
  for (const sig of wakes) {
    sig.procs.splice(sig.procs.indexOf(proc), 1);
    sig.links.push(() => proc.step());
  }
}

// ---- pure logic -------------------------------------------------------------------------------------------------------

function installLogic(owner: Processes, order: readonly StaticProcess[], gone: Set<Proc>): void {
  const {
    engine,
    elaborator: { program },
  } = owner;
  // bits of `dirty` in the order of dependence; a word is one function
  const muted = mutedProgram(program);
  const numbers = new Map<StaticProcess, number>();
  const chunks: StaticProcess[][] = [];
  let room = 0;
  for (const each of order) {
    const size = sizeOfText(each);
    if (chunks.length === 0 || chunks[chunks.length - 1].length === 32 || room + size > longest) {
      chunks.push([]);
      room = 0;
    }
    room += size;
    const chunk = chunks[chunks.length - 1];
    numbers.set(each, (chunks.length - 1) * 32 + chunk.length);
    chunk.push(each);
    gone.add(each.proc);
  }
  // who is marked by what
  const readersOf = new Map<Sig, StaticProcess[]>();
  for (const each of order)
    for (const sig of each.wakes) {
      const list = readersOf.get(sig);
      if (list) list.push(each);
      else readersOf.set(sig, [each]);
    }
  const unread = new Set(order.map((each) => each.proc));
  for (const [sig, readers] of readersOf) {
    sig.marks = marksOf(readers.map((each) => numbers.get(each)!));
    sig.procs.splice(0, sig.procs.length, ...sig.procs.filter((proc) => !unread.has(proc)));
  }
  const markLogic = (sig: Sig) => {
    sig.isLogic = true;
    sig.parts.forEach(markLogic);
  };
  for (const each of order) for (const { base } of drivenBy(each)) markLogic(base);
  markOwn(order, readersOf, numbers);
  engine.dirty = new Int32Array(chunks.length);
  engine.logicProcs = [];
  chunks.forEach((chunk, word) => {
    chunk.forEach((each, bit) => {
      engine.logicProcs[word * 32 + bit] = each.proc;
      engine.dirty[word] |= 1 << bit;
    });
  });
  engine.logic = chunks.map((chunk, word) => writeLogic(owner, muted, chunk, word));
  engine.markDirty();
}

/** Drivers that share a signal mark only those who read their bits. */
function markOwn(
  order: readonly StaticProcess[],
  readersOf: ReadonlyMap<Sig, StaticProcess[]>,
  numbers: ReadonlyMap<StaticProcess, number>,
): void {
  const shared = new Set<Sig>();
  for (const each of order) for (const { base, mask } of drivenBy(each)) if (mask) shared.add(base);
  for (const sig of shared) {
    const index = new BitIndex<StaticProcess>();
    for (const each of readersOf.get(sig) ?? [])
      for (const read of each.reads!) if (read.sig === sig) index.add(sig, read.lo, read.n ?? bitsOf(sig), each);
    for (const driver of sig.drivers) {
      if (!driver.own) continue;
      const { lo, n } = driver.own;
      const readers = [...index.at(sig, lo, n)].map((each) => numbers.get(each)!);
      driver.own = { lo, n, marks: readers.length ? marksOf(readers) : null };
    }
  }
}

/** Finds the drivers whose bits are driven by no other: they need not be resolved. */
export function findOwnBits(sigs: Iterable<Sig>): void {
  for (const sig of sigs) {
    if (sig.drivers.length < 2 || typeof sig.resolver === "function" || sig.kind !== "bits") continue;
    const counts = new Uint8Array(sig.n);
    for (const { mask } of sig.drivers)
      for (let i = 0; i < sig.n; i++) if ((!mask || mask[i]) && counts[i] < 2) counts[i]++;
    for (const driver of sig.drivers) {
      const { mask } = driver;
      if (!mask) continue;
      const lo = mask.indexOf(1);
      const hi = mask.lastIndexOf(1) + 1;
      if (mask.subarray(lo, hi).includes(0) || counts.subarray(lo, hi).some((count) => count !== 1)) continue;
      driver.own = { lo, n: hi - lo };
    }
  }
}

function marksOf(numbers: readonly number[]): Int32Array {
  const words = new Map<number, number>();
  for (const number of numbers) words.set(number >> 5, (words.get(number >> 5) ?? 0) | (1 << (number & 31)));
  return Int32Array.from([...words].flat());
}

function writeLogic(owner: Processes, program: Program, chunk: readonly StaticProcess[], word: number): () => void {
  const unit = new CodeUnit();
  const dirty = unit.cap(owner.engine.dirty);
  let outer = "";
  let text = "";
  chunk.forEach((each, bit) => {
    const member = writeMember(owner, program, unit, each, each.process.stmts);
    const kept = keepDrivers(unit, [member.body]);
    // each run assigns all variables before it reads them: those that cost nothing to make are made anew
    // no assignment of pure logic is in what stands around it
    const around = rendered(member.outer);
    const isLocal = declaresConstants(around);
    outer += (isLocal ? "" : around) + kept.lists.map((list) => listText(unit, list)).join("");
    let commits = "";
    let isIndirect = kept.count < each.drivers.size;
    for (const driver of kept.drivers)
      if (driver.sig.parts.length && !driver.own) {
        isIndirect = true;
        commits += `E.set(${unit.cap(driver.sig)},${nameOf(unit, driver)});`;
      } else {
        if (driver.sig.parts.length) isIndirect = true;
        commits += commitText(owner, unit, driver, word);
      }
    for (const list of kept.lists) {
      isIndirect = true;
      commits += commitList(unit, list);
    }
    // a driver that is assigned bit by bit starts from what is there
    const names = kept.drivers.map((driver) => {
      const isWhole = driver.own?.n === 1 || !kept.inParts.has(driver);
      return `let ${nameOf(unit, driver)}${isWhole ? "" : `=${valueText(unit, driver)}`};`;
    });
    const flush = kept.count < each.drivers.size ? "E.flush();" : "";
    // what was not marked right here has been marked in the list
    const again = isIndirect ? `$d|=${dirty}[${word}];${dirty}[${word}]=0;` : "";
    const body = kept.settle(member.body);
    text += `if($d&${1 << bit}){${isLocal ? around : ""}${current(unit, each, body)}${names.join("")}${body}${commits}${flush}${again}}`;
  });
  const code = `${outer}return ()=>{let $d=${dirty}[${word}];const $o=E.onEvent;${dirty}[${word}]=0;${text}};`;
  return linkUnit(program, unit, code) as () => void;
}

// ---- groups -------------------------------------------------------------------------------------------------------------

/** Processes that wait for the same events. */
function groupsOf(statics: readonly StaticProcess[]): StaticProcess[][] {
  const numbers = new Map<Sig, number>();
  const numberOf = (sig: Sig) => {
    let number = numbers.get(sig);
    if (number === undefined) {
      number = numbers.size;
      numbers.set(sig, number);
    }
    return number;
  };
  const groups = new Map<string, StaticProcess[]>();
  for (const each of statics) {
    // long lists are hardly ever those of another process
    if (each.wakes.size === 0) continue;
    if (each.guarded) {
      const { clock, edge } = each.guarded;
      const at = clock.procs.indexOf(each.proc);
      if (at >= 0) clock.procs.splice(at, 1);
      (edge === "rising" ? clock.rising : clock.falling).push(each.proc);
    }
    const key =
      each.wakes.size > 16
        ? `own:${each.proc.number}`
        : `${each.edge ?? (each.guarded ? `${each.guarded.edge}${numberOf(each.guarded.clock)}` : "any")}:${[
            ...each.wakes,
          ]
            .map(numberOf)
            .sort((a, b) => a - b)
            .join()}`;
    const list = groups.get(key);
    if (list) list.push(each);
    else groups.set(key, [each]);
  }
  return [...groups.values()];
}

function installGroup(owner: Processes, members: readonly StaticProcess[]): Proc {
  const program = mutedProgram(owner.elaborator.program);
  const steps: (() => void)[] = [];
  let chunk: StaticProcess[] = [];
  let room = 0;
  const write = () => {
    if (chunk.length) steps.push(writeGroup(owner, program, chunk));
    chunk = [];
    room = 0;
  };
  for (const each of members) {
    const size = sizeOfText(each);
    if (room + size > longest) write();
    room += size;
    chunk.push(each);
  }
  write();
  const step =
    steps.length === 1
      ? steps[0]
      : () => {
          for (let i = 0; i < steps.length; i++) steps[i]();
        };
  const proc = new Proc(members[0].proc.number, step, false);
  const own = new Set(members.map((each) => each.proc));
  const replace = (list: Proc[]) => {
    const at = list.findIndex((each) => own.has(each));
    if (at < 0) return;
    list.splice(0, list.length, ...list.filter((each, i) => i === at || !own.has(each)));
    list[list.findIndex((each) => own.has(each))] = proc;
  };
  for (const sig of members[0].wakes) {
    replace(sig.procs);
    replace(sig.rising);
    replace(sig.falling);
  }
  return proc;
}

function writeGroup(owner: Processes, program: Program, members: readonly StaticProcess[]): () => void {
  const unit = new CodeUnit();
  const { edge } = members[0];
  let outer = "";
  let text = "";
  const commits: string[] = [];
  let test = "";
  for (const each of members) {
    const [first] = each.process.stmts;
    const body = edge && first.op === "if" ? first.yes : each.process.stmts;
    const member = writeMember(owner, program, unit, each, body, edge && first.op === "if" ? first : null);
    test = member.test;
    const kept = keepDrivers(unit, [member.outer, member.body]);
    for (const driver of kept.drivers) {
      outer += `let ${nameOf(unit, driver)}=${valueText(unit, driver)};`;
      commits.push(commitText(owner, unit, driver, null));
    }
    for (const list of kept.lists) {
      outer += listText(unit, list);
      commits.push(commitList(unit, list));
    }
    outer += kept.settle(member.outer);
    const own = kept.settle(member.body);
    text += `{${current(unit, each, own)}${own}}`;
  }
  if (commits.length) {
    outer += `let q=false;const k=()=>{q=false;const $o=E.onEvent;${commits.join("")}};`;
    text += "if(!q){q=true;E.commits[E.commitCount++]=k;}";
  }
  if (test) text = `if(${test}){${text}}`;
  return linkUnit(program, unit, `${outer}return ()=>{${text}};`) as () => void;
}

// ---- texts --------------------------------------------------------------------------------------------------------------

/** Findings were told when the processes were elaborated. */
function mutedProgram(program: Program): Program {
  return { ...program, report: new Report(program.report.sources) };
}
/** About how long its code will be. */
function sizeOfText({ process }: StaticProcess): number {
  return 200 + 3 * (process.loc.end - process.loc.start);
}
/** Loops that never end name the process that they are in. */
function current(unit: CodeUnit, each: StaticProcess, body: string): string {
  return body.includes("E.tick(") ? `E.currentProcess=${unit.cap(each.proc)};` : "";
}

function writeMember(
  owner: Processes,
  program: Program,
  unit: CodeUnit,
  each: StaticProcess,
  stmts: readonly Stmt[],
  condition: (Stmt & { op: "if" }) | null = null,
): { readonly outer: Code; readonly body: Code; readonly test: string } {
  const assigns = new OpenAssignments(unit, () => emitter.temp());
  const emitter: UnitEmitter = new UnitEmitter(owner.elaborator, each.home, true, each.drivers, program, unit, assigns);
  emitter.frame = new Frame(each.home, emitter.top, each.path);
  const { top } = emitter;
  const decls = emitter.subprograms.declare(each.process.decls, emitter.frame);
  const early = top.temps.length;
  const test = condition ? emitter.test(emitter.exprs.expr(condition.test)) : "";
  const body = emitter.statements.stmts(stmts);
  const lets = (names: readonly string[]) => (names.length ? `let ${names.join(",")};` : "");
  return {
    outer: js`${lets(top.temps.slice(0, early))}${joined(top.inner, "\n")}${decls}`,
    body: js`${lets(top.temps.slice(early))}${body}`,
    test,
  };
}
