import { Report } from "../../elaborate/report.ts";
import type { Stmt } from "../../elaborate/vhdl/bound.ts";
import type { Elaborator } from "./elaborator.ts";
import { CodeUnit, linkUnit, type Program } from "./emit-base.ts";
import { Driver, type DriverTree, type OwnBits, Proc, type Sig } from "./engine.ts";
import { Frame } from "./frames.ts";
import { BitIndex, bitsOf, drivenBy, orderLogic, type StaticProcess } from "./logic-order.ts";
import { declaresConstants, UnitEmitter } from "./unit-emitter.ts";

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
  owner: Elaborator,
  statics: readonly StaticProcess[],
  all: readonly Proc[],
): readonly Proc[] {
  const { program } = owner;
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

function installLogic(owner: Elaborator, order: readonly StaticProcess[], gone: Set<Proc>): void {
  const { engine, program } = owner;
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

function writeLogic(owner: Elaborator, program: Program, chunk: readonly StaticProcess[], word: number): () => void {
  const unit = new CodeUnit();
  const dirty = unit.cap(owner.engine.dirty);
  let outer = "";
  let text = "";
  chunk.forEach((each, bit) => {
    const member = writeMember(owner, program, unit, each, each.process.stmts);
    const kept = takeMarks(unit, [member.body]);
    // each run assigns all variables before it reads them: those that cost nothing to make are made anew
    const isLocal = declaresConstants(member.outer);
    outer += (isLocal ? "" : member.outer) + kept.lists.map((list) => listText(unit, list)).join("");
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
    text += `if($d&${1 << bit}){${isLocal ? member.outer : ""}${current(unit, each, body)}${names.join("")}${body}${commits}${flush}${again}}`;
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

function installGroup(owner: Elaborator, members: readonly StaticProcess[]): Proc {
  const program = mutedProgram(owner.program);
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

function writeGroup(owner: Elaborator, program: Program, members: readonly StaticProcess[]): () => void {
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
    const kept = takeMarks(unit, [member.outer, member.body]);
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
const nameOf = (unit: CodeUnit, driver: Driver): string => `n${unit.cap(driver)}`;

function writeMember(
  owner: Elaborator,
  program: Program,
  unit: CodeUnit,
  each: StaticProcess,
  stmts: readonly Stmt[],
  condition: (Stmt & { op: "if" }) | null = null,
): { readonly outer: string; readonly body: string; readonly test: string } {
  const emitter = new JoinEmitter(owner, each.home, true, each.drivers, program, unit);
  emitter.frame = new Frame(each.home, emitter.top, each.path);
  const { top } = emitter;
  const decls = emitter.declare(each.process.decls, emitter.frame);
  const early = top.temps.length;
  const test = condition ? emitter.test(emitter.expr(condition.test)) : "";
  const body = emitter.stmts(stmts);
  const lets = (names: readonly string[]) => (names.length ? `let ${names.join(",")};` : "");
  return {
    outer: `${lets(top.temps.slice(0, early))}${top.inner.join("\n")}${decls}`,
    body: `${lets(top.temps.slice(early))}${body}`,
    test,
  };
}

/**
 * Text that makes the assignment that a variable has kept.
 * @param word Of pure logic: the word of `Engine.dirty` that it is in.
 */
function commitText(owner: Elaborator, unit: CodeUnit, driver: Driver, word: number | null): string {
  const { sig } = driver;
  const { engine, program } = owner;
  const name = nameOf(unit, driver);
  const s = unit.cap(sig);
  const changed = (readers: Int32Array | null) => {
    let text = "";
    if (!readers) return text;
    const dirty = unit.cap(engine.dirty);
    for (let i = 0; i < readers.length; i += 2)
      text += `${readers[i] === word ? "$d" : `${dirty}[${readers[i]}]`}|=${readers[i + 1]};`;
    return word === null ? `${text}E.isDirty=true;` : text;
  };
  if (driver.own) {
    const marks = changed(driver.own.marks === undefined ? sig.marks : driver.own.marks);
    const put = `E.setOwn(${unit.cap(driver)},${name})`;
    return marks ? `if(${put}){${marks}}` : `${put};`;
  }
  const time = engine.tracksTimes ? `${s}.at=E.kernel.now;` : "";
  const marks = changed(sig.marks);
  // while pure logic settles, nobody waits for what it drives
  const shown = `if($o!==null)$o(${s});`;
  const told = word === null ? `if(${s}.listeners!==0)E.tell(${s});else ${shown}` : shown;
  // nobody asks when it changed, or what it was before
  const isPlain = !program.observed.has(sig) && sig.rising.length === 0 && sig.falling.length === 0;
  const put = isPlain ? `${s}.v=${name};` : `${s}.last=${s}.v;${s}.v=${name};${s}.ev=E.d;`;
  const differs =
    sig.kind === "scalar"
      ? `${name}!==${s}.v`
      : `${name}!==${s}.v&&(typeof ${name}!=="object"||!${unit.rt("same")}(${name},${s}.v))`;
  return `if(${differs}){${put}${time}${marks}${told}}`;
}
/** What a driver's signal, or its own part of it, is now. */
function valueText(unit: CodeUnit, { sig, own }: Driver): string {
  const value = `${unit.cap(sig)}.v`;
  if (!own) return value;
  return own.n === 1 ? `${unit.rt("getL")}(${value},${own.lo})` : `${unit.rt("sliceL")}(${value},${own.lo},${own.n})`;
}
const listName = (unit: CodeUnit, list: readonly Driver[]): string => `n${unit.cap(list)}`;
/** Declares the values of a list of drivers. */
function listText(unit: CodeUnit, list: readonly Driver[]): string {
  return `const ${listName(unit, list)}=${unit.cap(list)}.map((d)=>d.sig.v);`;
}
function commitList(unit: CodeUnit, list: readonly Driver[]): string {
  const sigs = unit.cap(list.map(({ sig }) => sig));
  const values = listName(unit, list);
  return `for(let $i=0;$i<${list.length};$i++)if(${values}[$i]!==${sigs}[$i].v)E.set(${sigs}[$i],${values}[$i]);`;
}

/**
 * Open assignments, between characters that VHDL text cannot have: all, a bit or a slice of a driver (A, B, S), or of
 * an element of a list of drivers that only the run knows (a, b, s).
 */
const marker = /\ue000([ABSabs])(\d+)\ue001([^\ue002]*)\ue002/g;
/** Lists above this are not looked through at each commit. */
const longestList = 32;

interface Kept {
  /** Kept in a variable each. */
  readonly drivers: readonly Driver[];
  /** Kept in an array each. */
  readonly lists: readonly (readonly Driver[])[];
  /** Drivers that are kept in any way. */
  readonly count: number;
  /** Those of `drivers` that are not only assigned whole. */
  readonly inParts: ReadonlySet<Driver>;
  /** Text with its open assignments made. */
  settle(text: string): string;
}

/**
 * Which drivers can be kept in variables: those of signals that only this process drives, where it does nothing else
 * with the driver than to assign without delay.
 */
function takeMarks(unit: CodeUnit, texts: readonly string[]): Kept {
  const used = new Set<Driver>();
  const use = (object: unknown): void => {
    if (object instanceof Driver) {
      used.add(object);
      if (object.part) used.add(object.part.of);
    } else if (Array.isArray(object) && (object[0] instanceof Driver || Array.isArray(object[0]))) object.forEach(use);
  };
  const single = new Set<Driver>();
  const inParts = new Set<Driver>();
  const lists = new Set<readonly Driver[]>();
  for (const text of texts) {
    for (const match of text.matchAll(/\bc(\d+)\b/g)) use(unit.caps[Number(match[1])]);
    for (const match of text.matchAll(marker)) {
      const object = unit.caps[Number(match[2])] as Driver | readonly Driver[];
      if (object instanceof Driver) {
        single.add(object);
        if (match[1] !== "A") inParts.add(object);
      } else lists.add(object);
    }
  }
  const isOwn = (driver: Driver) =>
    !used.has(driver) && ((driver.sig.simple && driver.sig.drivers[0] === driver) || isPartOwn(driver));
  const places = new Map<Driver, string>();
  for (let dropped = true; dropped; ) {
    dropped = false;
    places.clear();
    for (const list of lists) {
      const isKept = list.every((driver) => isOwn(driver) && !driver.own && !places.has(driver));
      list.forEach((driver, i) => {
        if (isKept) places.set(driver, `${listName(unit, list)}[${i}]`);
        else used.add(driver);
      });
      if (isKept) continue;
      lists.delete(list);
      dropped = true;
    }
  }
  const drivers = [...single].filter((driver) => isOwn(driver) && !places.has(driver));
  for (const driver of drivers) places.set(driver, nameOf(unit, driver));
  const settleOne = (kind: string, name: string, n: number, parts: readonly string[]): string => {
    if (kind === "A") return `${name}=${parts[0]};`;
    if (kind === "B") return `${name}=R_setL(${name},${n},${parts[0]},${parts[1]});`;
    return `${name}=R_insertL(${name},${n},${parts[0]},${parts[1]},${parts[2]});`;
  };
  const settleOwn = (kind: string, name: string, own: OwnBits, parts: readonly string[]): string => {
    if (own.n === 1) return kind === "B" ? `${name}=${parts[1]};` : `${name}=${unit.rt("getL")}(${parts[1]},0);`;
    if (kind === "S" && parts[0] === String(own.lo) && parts[2] === String(own.n)) return `${name}=${parts[1]};`;
    return settleOne(kind, name, own.n, [`${parts[0]}-${own.lo}`, ...parts.slice(1)]);
  };
  const settle = (text: string) =>
    text.replace(marker, (_, kind: string, number: string, rest: string) => {
      const object = unit.caps[Number(number)] as Driver | readonly Driver[];
      const parts = rest.split("\ue001");
      const wide = kind.toUpperCase();
      const call = wide === "A" ? "as" : wide === "B" ? "asBit" : "asSlice";
      if (object instanceof Driver) {
        const name = places.get(object);
        if (name && object.own) return settleOwn(kind, name, object.own, parts);
        return name ? settleOne(kind, name, object.sig.n, parts) : `E.${call}(c${number},${parts.join(",")});`;
      }
      const [index, ...others] = parts;
      if (!lists.has(object)) return `E.${call}(c${number}[${index}],${others.join(",")});`;
      if (wide === "A") return settleOne(wide, `${listName(unit, object)}[${index}]`, 0, others);
      return `{const $i=${index};${settleOne(wide, `${listName(unit, object)}[$i]`, object[0].sig.n, others)}}`;
    });
  return { drivers, lists: [...lists], count: places.size, inParts, settle };
}

/** Its bits are driven by no other, and nobody looks at more than events. */
function isPartOwn({ sig, own }: Driver): boolean {
  return own !== null && sig.onActive === null && sig.outside === null;
}

/** Leaves assignments without delay open: made by way of the driver, or kept in a variable. */
class JoinEmitter extends UnitEmitter {
  private driverOf(text: string): DriverTree {
    const match = /^c(\d+)$/.exec(text);
    const object = match ? this.unit.caps[Number(match[1])] : undefined;
    return object instanceof Driver || Array.isArray(object) ? (object as DriverTree) : undefined;
  }
  private mark(kind: "A" | "B" | "S", driver: Driver, ...parts: string[]): string {
    return this.open(kind, this.cap(driver), parts);
  }
  private open(kind: string, cap: string, parts: readonly string[]): string {
    const wide = kind.toUpperCase();
    if (wide === "B") this.rt("setL");
    if (wide === "S") this.rt("insertL");
    return `\ue000${kind}${cap.slice(1)}\ue001${parts.join("\ue001")}\ue002`;
  }
  /** `c3[index]`: an element of a list of drivers. */
  private elementOf(text: string): { readonly list: string; readonly index: string } | null {
    const match = /^(c(\d+))\[(.*)\]$/s.exec(text);
    if (!match || !isClosed(match[3])) return null;
    const list = this.unit.caps[Number(match[2])];
    if (!Array.isArray(list) || list.length > longestList) return null;
    return list.every((each) => each instanceof Driver && !each.part) ? { list: match[1], index: match[3] } : null;
  }

  override assignWhole(text: string, js: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.open("a", element.list, [element.index, js]) : super.assignWhole(text, js);
    }
    if (!driver.part) return this.mark("A", driver, js);
    const { of, lo, n, bit, two } = driver.part;
    if (bit) return this.mark("B", of, String(lo), two ? `(${js})+2` : js);
    return n === 0 ? "" : this.mark("S", of, String(lo), js, String(n));
  }
  override assignBit(text: string, lo: string, js: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.open("b", element.list, [element.index, lo, js]) : super.assignBit(text, lo, js);
    }
    if (driver.part) return this.mark("B", driver.part.of, `${driver.part.lo}+(${lo})`, js);
    return this.mark("B", driver, lo, js);
  }
  override assignSlice(text: string, lo: string, js: string, bits: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element
        ? this.open("s", element.list, [element.index, lo, js, bits])
        : super.assignSlice(text, lo, js, bits);
    }
    if (driver.part) return this.mark("S", driver.part.of, `${driver.part.lo}+(${lo})`, js, bits);
    return this.mark("S", driver, lo, js, bits);
  }
  override assignTree(text: string, js: string): string {
    const tree = this.driverOf(text);
    if (!Array.isArray(tree) || countOf(tree) > 64) return super.assignTree(text, js);
    const name = this.temp();
    const leaf = (at: DriverTree, value: string): string => {
      if (Array.isArray(at)) return at.map((each, i) => leaf(each, `${value}[${i}]`)).join("");
      return at ? this.assignWhole(this.cap(at), value) : "";
    };
    return `${name}=${js};${leaf(tree, name)}`;
  }
}
/** Every bracket in it has its other one in it too. */
function isClosed(text: string): boolean {
  let depth = 0;
  for (const char of text) {
    if (char === "[") depth++;
    else if (char === "]" && --depth < 0) return false;
  }
  return depth === 0;
}
function countOf(tree: DriverTree): number {
  return Array.isArray(tree) ? tree.reduce<number>((sum, each) => sum + countOf(each), 0) : 1;
}
