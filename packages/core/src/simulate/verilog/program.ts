import { type Code, joined, js, OpenPlace, openPlaces, rendered } from "../../common/code-pieces.ts";
import { compileGenerated } from "../../common/generated-code.ts";
import type { Loc } from "../../common/source.ts";
import { evaluateAny, truthOf } from "../../elaborate/evaluate.ts";
import type {
  AnyValue,
  BlockId,
  ContinuousAssignment,
  DesignModel,
  Expr,
  Instance,
  Process,
  Signal,
  Stmt,
  Target,
  Value,
} from "../../elaborate/model.ts";
import { type DataType, formOf, sizeOf, vectorType } from "../../elaborate/types.ts";
import { suspends } from "../../elaborate/verilog/bind-subroutine.ts";
import { readsOf, readsOfExpr, targetsOf, walkExpr } from "../../elaborate/walk.ts";
import type { Kernel } from "../kernel.ts";
import { type ClockGroups, findClockGroups } from "./clock-groups.ts";
import { Calls } from "./compile-call.ts";
import { type Bits, ExprCompiler, isWide, type Pair } from "./compile-expr.ts";
import { ObjectCode } from "./compile-object.ts";
import { StmtCompiler } from "./compile-stmt.ts";
import { TaskCalls } from "./compile-task.ts";
import { arrayQueue, Writes } from "./compile-write.ts";
import { helpers, makeOutputs } from "./helpers.ts";
import { type LevelNode, levelOrder } from "./levels.ts";
import { plainFunctions } from "./plain-functions.ts";
import { observedSignals, type PrivateBody, privateBody } from "./private-variables.ts";
import type { Runtime } from "./runtime.ts";
import { elementForm, Storage } from "./storage.ts";
import { findViews, type Views } from "./views.ts";
import { hasTasks, writtenBy } from "./walk-body.ts";

/** One driver of a net with several. */
export interface ResolvedNet {
  readonly signal: Signal;
  readonly drivers: { a: bigint; b: bigint; readonly zero: number; readonly one: number }[];
}
interface Fanout {
  /** Processes that any change wakes, with the bits that they look at (null: all). */
  readonly level: { process: number; mask: bigint | null }[];
  readonly edges: { process: number; bit: number; edge: "pos" | "neg" | "both" }[];
  /** Names of lists of threads that an edge wakes. */
  readonly lists: { name: string; bit: number; edge: "pos" | "neg" | "both" }[];
}

interface ProcessInfo {
  readonly loc: Loc;
  readonly name: string;
  readonly instance: Instance;
  readonly kind: string;
}

/** Bodies up to this many characters stand within the function that runs them in order. */
const longBody = 1500;
const longSetter = 500;
/** Setters used in more places are called. */
const mostInlined = 3;

/** Joins texts to pieces that are not too long to be optimised as one function. */
function inPieces(texts: readonly (string | Code)[], longest = 8000): Code[] {
  const pieces: Code[] = [];
  let piece: (string | Code)[] = [];
  let length = 0;
  for (const text of texts) {
    if (piece.length && length + text.length > longest) {
      pieces.push(joined(piece, "\n"));
      piece = [];
      length = 0;
    }
    piece.push(text);
    length += text.length + 1;
  }
  if (piece.length) pieces.push(joined(piece, "\n"));
  return pieces;
}

/** Where a signal gets a new value, `a` and `b`. */
class SetterPlace extends OpenPlace {
  constructor(readonly signal: Signal) {
    super();
  }
}
const setterCall = ({ id, fourState, kind }: Signal): string => `u${id}(a${fourState || kind === "net" ? ",b" : ""});`;

/**
 * A whole design as one JavaScript program: storage, a setter for each signal that something waits for, a function for
 * each process. Processes that never wait inside are plain functions, called when one of their events happens; the
 * others are generators.
 */
export class Program {
  readonly storage: Storage;
  readonly writes: Writes;
  readonly calls: Calls;
  readonly tasks: TaskCalls;
  readonly objects: ObjectCode;
  /** Types that calls of the runtime name. */
  readonly types: DataType[] = [];
  /** Finest precision of all modules, as a power of ten of a second. */
  readonly precision: number;
  readonly processes: ProcessInfo[] = [];
  readonly resolved = new Map<Signal, ResolvedNet>();
  readonly assertions: (Stmt & { op: "assert" })[] = [];
  readonly places: Loc[] = [];
  /** Number of the process that is being compiled, for messages. */
  currentProcess = -1;
  currentInstance: Instance;
  private readonly views: Views;
  private readonly fanouts = new Map<Signal, Fanout>();
  private readonly setters = new Set<Signal>();
  private readonly changers = new Set<Signal>();
  private readonly watched = new Set<Signal>();
  private readonly blocks: BlockId[] = [];
  private readonly blockNumbers = new Map<BlockId, number>();
  private readonly evaluatedExprs: { expr: Expr; keys: (Signal | Expr)[] }[] = [];
  private readonly text: (string | Code)[] = [];
  private readonly start: (string | Code)[] = [];
  private readonly startLast: (string | Code)[] = [];
  private pseudoCount = 0;

  constructor(
    readonly design: DesignModel,
    /** Whether values may be recorded. */
    readonly records: boolean,
    readonly fileNames: readonly string[],
  ) {
    this.views = findViews(design);
    this.storage = new Storage(design, this.views.views);
    this.precision = finestPrecision(design.top);
    this.currentInstance = design.top;
    this.writes = new Writes(this);
    this.calls = new Calls(this);
    this.tasks = new TaskCalls(this);
    this.objects = new ObjectCode(this);
  }

  // ---- what the compilers ask for -----------------------------------------------------------------------------

  setter(signal: Signal): string {
    this.setters.add(signal);
    return `u${signal.id}`;
  }

  /**
   * Statement that gives a signal of bits a new value. Where few places do that, the setter's text stands there itself:
   * the linker decides.
   */
  storing(signal: Signal, a: string, b: string): Code {
    this.setter(signal);
    const four = signal.fourState || signal.kind === "net";
    return js`{const a=${a}${four ? `,b=${b}` : ""};${new SetterPlace(signal)}}`;
  }

  /** Code that has to stand within an expression: with calls of the setters. */
  plain(code: Code): string {
    return rendered(code, (place) => setterCall((place as SetterPlace).signal));
  }

  /** Statement that tells of a change to an array, or to what is no bits. */
  changed(signal: Signal): string {
    this.changers.add(signal);
    return `c${signal.id}();`;
  }

  /** Name of a constant with this text, one for all that are alike. */
  shared(text: string): string {
    let name = this.constants.get(text);
    if (!name) {
      name = `k$${this.constants.size}`;
      this.constants.set(text, name);
    }
    return name;
  }
  private readonly constants = new Map<string, string>();

  /** Text that stands for a container. */
  object(signal: Signal): string {
    return signal.automatic ? `l${signal.id}a` : `OB[${this.storage.places[signal.id].at}]`;
  }

  watch(signal: Signal): void {
    this.watched.add(signal);
  }

  blockIndex(block: BlockId): number {
    let number = this.blockNumbers.get(block);
    if (number === undefined) {
      number = this.blocks.push(block) - 1;
      this.blockNumbers.set(block, number);
    }
    return number;
  }

  blockLabel(block: BlockId): string {
    return `L$${this.blockIndex(block)}`;
  }

  place(loc: Loc): number {
    return this.places.push(loc) - 1;
  }

  assertion(stmt: Stmt & { op: "assert" }): number {
    return this.assertions.push(stmt) - 1;
  }

  /** Steps of time in one unit of the module at hand. */
  scaleOf(_expr: Expr): number {
    return 10 ** (this.currentInstance.timeScale.unit - this.precision);
  }

  /** A made-up variable that lives in compiled code only. */
  pseudo(width: number, signed: boolean, fourState = true): Signal {
    const id = this.design.signals.length + this.pseudoCount++;
    return {
      id,
      name: `$${id}`,
      plainName: `$${id}`,
      instance: this.design.top,
      type: vectorType(Math.max(1, width), signed),
      width,
      signed,
      fourState,
      msb: width - 1,
      lsb: 0,
      dims: [],
      kind: "local",
      net: null,
      direction: null,
      automatic: true,
      loc: this.design.top.loc,
      init: null,
      implicit: false,
      isConst: false,
    };
  }

  /** Registers an expression for the four-state evaluator. Keys: what must be handed over, in order. */
  evaluated(expr: Expr, made: ReadonlyMap<Expr, Pair>): { number: number; keys: (Signal | Expr)[] } {
    const keys = new Set<Signal | Expr>();
    walkExpr(expr, {
      expr: (inner) => {
        const isMade = made.has(inner);
        if (isMade) keys.add(inner);
        else if ((inner.op === "signal" || inner.op === "element") && inner.signal.automatic) keys.add(inner.signal);
        return !isMade;
      },
    });
    const list = [...keys];
    return { number: this.evaluatedExprs.push({ expr, keys: list }) - 1, keys: list };
  }

  // ---- compiling ----------------------------------------------------------------------------------------------

  private fanout(signal: Signal): Fanout {
    const { signal: root } = this.storage.root(signal);
    let fanout = this.fanouts.get(root);
    if (!fanout) {
      fanout = { level: [], edges: [], lists: [] };
      this.fanouts.set(root, fanout);
    }
    return fanout;
  }

  /** Processes that any change of the signal wakes. */
  readers(signal: Signal): number[] {
    return this.fanouts.get(signal)?.level.map((each) => each.process) ?? [];
  }

  private sensitive(signal: Signal, process: number): void {
    const { signal: root, offset } = this.storage.root(signal);
    const part = root !== signal && signal.width < root.width;
    const mask = part ? ((1n << BigInt(signal.width)) - 1n) << BigInt(offset) : null;
    const { level } = this.fanout(signal);
    if (!level.some((each) => each.process === process && each.mask === null)) level.push({ process, mask });
  }

  private addProcess(info: ProcessInfo): number {
    this.currentProcess = this.processes.push(info) - 1;
    this.currentInstance = info.instance;
    return this.currentProcess;
  }

  /** Told of each change of a signal, among the active events: those of another language look on so. */
  readonly observers: { readonly signal: Signal; readonly run: () => void; process: number }[] = [];
  /** Variables that are stored from outside, by `Runtime.store`. */
  readonly driven: Signal[] = [];

  /** Makes the running program. */
  build(kernel: Kernel, runtime: Runtime): { text: string; finals: (() => void)[] } {
    this.calls.plain = plainFunctions(this.design, (like) => this.pseudo(like.width, like.signed, like.fourState));
    for (const { result, args, locals } of this.calls.plain.keys())
      for (const signal of [result!, ...args.map((arg) => arg.signal), ...locals]) this.calls.dissolved.add(signal);
    this.observed = observedSignals(this.design, this.views.forced);
    this.clocks = findClockGroups(
      this.design.processes,
      this.design.subroutines,
      (process) => this.clockEdges(process),
      (signal) => this.storage.root(signal).signal,
    );
    for (const process of this.design.processes) this.process(process);
    for (const observer of this.observers) {
      observer.process = this.addProcess({
        loc: observer.signal.loc,
        name: observer.signal.plainName,
        instance: this.design.top,
        kind: "always",
      });
      this.sensitive(observer.signal, observer.process);
    }
    for (const signal of this.driven) this.setter(signal);
    this.linkGroups();
    this.findResolved();
    for (const assign of this.design.assigns) this.continuous(assign);
    for (const { binding, instance } of this.views.bindings) {
      const { port, value, target, loc } = binding;
      const extra = { delay: null, strength: null, loc };
      const whole: Target = {
        parts: [{ signal: port, width: port.width, index: [], offset: 0, loc }],
        width: port.width,
        loc,
        ...(formOf(port.type) ? { form: formOf(port.type) } : {}),
      };
      const form = formOf(port.type) ? { form: formOf(port.type) } : {};
      if (value) this.continuous({ target: whole, value, instance: instance.parent!, ...extra });
      else if (target) {
        const read: Expr = { op: "signal", signal: port, width: port.width, signed: port.signed, loc, ...form };
        const wide: Expr =
          target.width === port.width || form.form
            ? read
            : { op: "extend", arg: read, bySign: port.signed, width: target.width, signed: port.signed, loc };
        this.continuous({ target, value: wide, instance: instance.parent!, ...extra });
      }
    }
    this.calls.compileAll();
    return this.link(kernel, runtime);
  }

  /** The edges of a process that waits for nothing else and nowhere else. */
  private clockEdges(process: Process): ClockGroups["groups"][number]["edges"] | null {
    const { kind, events, body } = process;
    if (kind === "initial" || kind === "final" || events === null || events === "star" || suspends(body)) return null;
    const edges = events.map((event) => {
      const spot = event.edge ? this.staticEvent(event) : null;
      return spot && { signal: this.storage.root(spot.signal).signal, bit: spot.bit, edge: event.edge! };
    });
    return edges.length && edges.every((edge) => edge !== null) ? edges : null;
  }

  /** The group whose shadow takes non-blocking assignments to this signal, if it has one. */
  shadowGroup(signal: Signal): number | null {
    return this.clocks.shadowOf.get(signal)?.number ?? null;
  }

  /**
   * Where the next value of a register waits. In typed arrays, for a variable of JavaScript would box numbers of more
   * than 31 bits.
   */
  shadow(signal: Signal): { readonly flag: string; readonly a: string; readonly b: string } {
    let at = this.shadowAt.get(signal);
    if (at === undefined) {
      at = this.shadowAt.size;
      this.shadowAt.set(signal, at);
      const { id } = signal;
      if (isWide(signal.width)) this.text.push(`let x${id}a=0n,x${id}b=0n;`);
    }
    return isWide(signal.width)
      ? { flag: `XF[${at}]`, a: `x${signal.id}a`, b: `x${signal.id}b` }
      : { flag: `XF[${at}]`, a: `XA[${at}]`, b: `XB[${at}]` };
  }
  private readonly shadowAt = new Map<Signal, number>();

  private linkGroups(): void {
    const commits: string[] = [];
    for (const group of this.clocks.groups) {
      const [leader] = group.members;
      if (leader === undefined) continue;
      const pieces = inPieces(group.members.map((member) => js`{${this.clocked.get(member)!}}`));
      const calls = pieces.map((piece, i) => {
        this.text.push(js`function g${leader}$${i}(){${piece}}`);
        return `g${leader}$${i}();`;
      });
      this.text.push(`P[${leader}]=function(){F[${leader}]=1;${calls.join("")}F[${leader}]=0;};`);
      for (const { signal, bit, edge } of group.edges) this.fanout(signal).edges.push({ process: leader, bit, edge });
      const shadows = [...group.shadows];
      if (shadows.length + group.arrays.size === 0) continue;
      const { number } = group;
      const names: string[] = [];
      for (const signal of group.arrays) {
        const y = `y${signal.id}`;
        const four = signal.fourState || signal.kind === "net";
        const list = (plane: string) => `${y}${plane}=new Int32Array(${arrayQueue})`;
        this.text.push(
          `let ${y}n=0;const ${list("i")},${list("a")}${four ? `,${list("b")}` : ""};
function cy${signal.id}(){const n=${y}n;${y}n=0;for(let k=0;k<n;k++)${this.setter(signal)}(${y}i[k],${y}a[k]${four ? `,${y}b[k]` : ""});}`,
        );
        names.push(`cy${signal.id}`);
      }
      for (let i = 0; i < shadows.length; i += 128) {
        const name = `cg${number}$${i}`;
        const lines = shadows.slice(i, i + 128).map((signal) => {
          const at = this.shadow(signal);
          return js`if(${at.flag}){${at.flag}=0;${this.storing(signal, at.a, at.b)}}`;
        });
        names.push(name);
        this.text.push(js`function ${name}(){${joined(lines, "\n")}}`);
      }
      this.text.push(`let gx${number}=0;`);
      commits.push(`if(gx${number}){gx${number}=0;any=true;${names.map((name) => `${name}();`).join("")}}`);
    }
    this.commitText = commits.join("\n");
  }
  private commitText = "";
  /** Texts of the processes that run when something they look at changes, by number. */
  private readonly bodies = new Map<number, { readonly text: Code; readonly ignoresItself: boolean }>();
  private readonly clocked = new Map<number, Code>();
  private observed: ReadonlySet<Signal> = new Set();
  private readonly combinational: LevelNode[] = [];

  /** Notes a process that does nothing but follow what it reads. */
  private follows(process: number, written: Iterable<Signal>, ignoresItself: boolean): void {
    const writes = new Set<number>();
    for (const signal of written) writes.add(signal.automatic ? signal.id : this.storage.root(signal).signal.id);
    this.combinational.push({ process, writes, ignoresItself });
  }

  private keepPrivate(body: Stmt): PrivateBody | null {
    const touched = new Set<Signal>(writtenBy(body));
    readsOf(body, touched);
    const roots = new Map<Signal, number>();
    for (const signal of touched) {
      if (signal.automatic) continue;
      const { signal: root } = this.storage.root(signal);
      roots.set(root, (roots.get(root) ?? 0) + 1);
    }
    const canHold = (signal: Signal) =>
      !signal.automatic &&
      signal.dims.length === 0 &&
      signal.type.kind === "integral" &&
      signal.width > 0 &&
      this.storage.root(signal).signal === signal &&
      roots.get(signal) === 1;
    return privateBody(body, this.observed, canHold, (like, fourState) =>
      this.pseudo(like.width, like.signed, fourState),
    );
  }

  /** The body as a function's text, its own variables around it. */
  private bodyText(compiler: StmtCompiler, body: Stmt, held: PrivateBody | null): Code {
    const text = compiler.body(held?.body ?? body, "RL");
    if (!held) return text;
    const before: string[] = [];
    const after: Code[] = [];
    for (const { signal, local, isFresh } of held.variables) {
      const zero = isWide(signal.width) ? "0n" : "0";
      const old = compiler.c.signal(signal);
      const [a, b] = [`l${local.id}a`, `l${local.id}b`];
      before.push(`let ${a}=${isFresh ? zero : old.a}${local.fourState ? `,${b}=${isFresh ? zero : old.b}` : ""};`);
      const value = local.fourState ? b : zero;
      after.push(this.storing(signal, a, value));
    }
    return js`${before.join("")}${text}\n${joined(after)}`;
  }
  private clocks: ClockGroups = { groups: [], of: new Map(), shadowOf: new Map() };

  private process(process: Process): void {
    const { kind, body, events } = process;
    const info: ProcessInfo = { loc: process.loc, name: process.name, instance: process.instance, kind };
    const number = this.addProcess(info);
    if (kind === "final") {
      const compiler = new StmtCompiler(this, false);
      this.text.push(js`finals.push(function(){${compiler.body(body, "RL")}});`);
      return;
    }
    const waits = suspends(body);
    if (kind === "initial") {
      const compiler = new StmtCompiler(this, waits);
      const text = compiler.body(body, "RL");
      // behind the always blocks: what they wait for at time 0 may come from here
      if (waits) this.startLast.push(js`K.spawn(${number},function*(th){${text}});`);
      else {
        this.text.push(js`P[${number}]=function(){${text}};`);
        this.startLast.push(`K.wake(${number});`);
      }
      return;
    }
    const simple = events === "star" || events?.every((event) => this.staticEvent(event));
    if (!waits && simple && events !== null) {
      const compiler = new StmtCompiler(this, false);
      const held = this.keepPrivate(body);
      const text = this.bodyText(compiler, body, held);
      const group = this.clocks.of.get(process);
      if (group) {
        group.members.push(number);
        this.clocked.set(number, text);
        return;
      }
      // what the process changes itself does not start it again
      this.bodies.set(number, { text, ignoresItself: true });
      if ((events === "star" || events.every((event) => event.edge === null)) && !hasTasks(body))
        this.follows(number, writtenBy(body), true);
      if (events === "star") {
        const read = new Set<Signal>();
        readsOf(body, read);
        // its old value does not matter, so that its changes do not either
        for (const each of held?.variables ?? []) if (each.isFresh) read.delete(each.signal);
        if (kind !== "always") {
          const written = new Set<Signal>();
          targetsOf(body, (target) => {
            for (const part of target.parts) written.add(part.signal);
          });
          for (const signal of written) read.delete(signal);
          this.start.push(`K.wake(${number});`);
        } else if (read.size > 0 && [...read].some((signal) => this.startsKnown(signal))) {
          this.start.push(`K.wake(${number});`);
        }
        for (const signal of read) this.sensitive(signal, number);
      } else {
        for (const event of events) {
          const spot = this.staticEvent(event)!;
          if (event.edge) this.fanout(spot.signal).edges.push({ process: number, bit: spot.bit, edge: event.edge });
          else this.sensitive(spot.signal, number);
        }
        if (
          events.every((event) => event.edge === null) &&
          events.some((event) => this.startsKnown(this.staticEvent(event)!.signal))
        )
          this.start.push(`K.wake(${number});`);
      }
      return;
    }
    if (this.clockMaker(process, number)) return;
    const compiler = new StmtCompiler(this, true);
    const { c } = compiler;
    const text = c.nested(() => {
      if (events === "star") {
        const read = new Set<Signal>();
        readsOf(body, read);
        compiler.wait(
          [...read].map((signal) => ({
            edge: null,
            guard: null,
            loc: process.loc,
            expr: { op: "signal", signal, width: signal.width, signed: false, loc: process.loc },
          })),
        );
      } else if (events) compiler.wait(events);
      const inner = c.nested(() => compiler.stmt(body));
      c.emit(js`RL:{${inner}}K.tick();`);
    });
    this.start.push(js`K.spawn(${number},function*(th){${c.takeTemps()}for(;;){${text}}});`);
  }

  /** `always #5 clk = ~clk` and its kin: a delay, then statements that do not wait. No thread is needed for that. */
  private clockMaker(process: Process, number: number): boolean {
    const { body, events } = process;
    if (events !== null || body.op !== "block") return false;
    const [first, ...rest] = body.body;
    if (first?.op !== "delay" || body.locals?.length || body.id || rest.some(suspends)) return false;
    const [value] = first.delay.values;
    if (value.op !== "const" && value.op !== "realconst") return false;
    const compiler = new StmtCompiler(this, false);
    const ticks = Number(compiler.ticks(first.delay));
    if (!(ticks > 0)) return false;
    const text = compiler.body({ op: "block", body: rest }, "RL");
    this.text.push(js`P[${number}]=function(){${text}\nK.after(${ticks},P[${number}]);};`);
    this.start.push(`K.after(${ticks},P[${number}]);`);
    return true;
  }

  /**
   * In Verilog, the start value in a declaration is an event at time 0 (IEEE 1364-2005 clause 6.2.1); in SystemVerilog
   * it stands before any process runs.
   */
  private startsKnown(signal: Signal): boolean {
    return signal.init !== null && signal.kind === "variable" && !this.tasks.isSystemVerilog(signal.loc.file);
  }

  /** Name of the list of threads that wait for this edge. */
  edgeList(own: Signal, bit: number, edge: "pos" | "neg" | "both"): string {
    const { signal } = this.storage.root(own);
    const name = `w${signal.id}$${bit}${edge}`;
    if (!this.edgeLists.has(name)) {
      this.edgeLists.add(name);
      this.fanout(signal).lists.push({ name, bit, edge });
    }
    return name;
  }
  private readonly edgeLists = new Set<string>();

  staticEvent(event: {
    readonly expr: Expr;
    readonly guard: Expr | null;
    readonly edge: unknown;
  }): { signal: Signal; bit: number } | null {
    const { expr, guard, edge } = event;
    if (guard || expr.form) return null;
    if (expr.op === "signal" && !expr.signal.automatic && expr.signal.type.kind !== "event") {
      if (!edge && expr.signal.width === 0) return null;
      const { offset } = this.storage.root(expr.signal);
      return { signal: expr.signal, bit: offset };
    }
    if (
      edge &&
      expr.op === "slice" &&
      expr.width === 1 &&
      expr.arg.op === "signal" &&
      !expr.arg.signal.automatic &&
      expr.arg.signal.dims.length === 0
    ) {
      const { offset } = this.storage.root(expr.arg.signal);
      return { signal: expr.arg.signal, bit: offset + expr.lsb };
    }
    return null;
  }

  // ---- continuous assignments ---------------------------------------------------------------------------------

  /** Nets whose drivers overlap, or whose kind or strengths ask for more than the last value. */
  private findResolved(): void {
    const spans = new Map<Signal, { from: number; to: number }[]>();
    const special = new Set<Signal>();
    const note = (target: Target, strength: ContinuousAssignment["strength"]): void => {
      for (const part of target.parts) {
        if (part.signal.automatic || part.signal.dims.length || part.signal.kind !== "net") continue;
        const { signal: root, offset } = this.storage.root(part.signal);
        if (root.kind !== "net" || root.dims.length || root.width === 0) continue;
        if (strength) special.add(root);
        const from = typeof part.offset === "number" ? part.offset + offset : 0;
        const to = typeof part.offset === "number" ? from + part.width : root.width;
        const list = spans.get(root);
        if (list) list.push({ from, to });
        else spans.set(root, [{ from, to }]);
      }
    };
    for (const assign of this.design.assigns) note(assign.target, assign.strength);
    for (const { binding } of this.views.bindings) if (binding.target) note(binding.target, null);
    for (const [signal, list] of spans) {
      list.sort((x, y) => x.from - y.from);
      let overlaps = special.has(signal) || /^(tri0|tri1|trireg)$/.test(signal.net ?? "");
      for (let i = 1; i < list.length; i++) if (list[i].from < list[i - 1].to) overlaps = true;
      if (overlaps) this.resolved.set(signal, { signal, drivers: [] });
    }
    for (const { a, b } of this.design.switches)
      for (const { signal } of [a, b]) {
        const root = this.storage.root(signal).signal;
        if (!this.resolved.has(root)) this.resolved.set(root, { signal: root, drivers: [] });
        this.setter(root);
      }
  }

  private continuous(assign: ContinuousAssignment): void {
    const { target, value, delay, strength } = assign;
    if (delay) for (const part of target.parts) this.startUnknown(part);
    const number = this.addProcess({
      loc: assign.loc,
      name: target.parts[0]?.signal.plainName ?? "assign",
      instance: assign.instance,
      kind: "assign",
    });
    const compiler = new StmtCompiler(this, false);
    const { c } = compiler;
    const drive = (pair: Pair, width: number): void => {
      const held = target.parts.length > 1 ? c.hold(pair) : pair;
      let at = width;
      for (const part of target.parts) {
        at -= part.width;
        this.driver(c, part, target.parts.length > 1 ? c.cut(held, width, at, part.width) : held, strength);
      }
    };
    const text = c.nested(() => {
      if (target.form) {
        this.writes.assignForm(c, target, target.form === "real" ? c.real(value) : c.text(value));
        return;
      }
      const pair = c.pair(value as Bits);
      if (!delay) {
        drive(pair, value.width);
        return;
      }
      const wide = c.wide(value as Bits);
      const times = [0, 1, 2].map((which) => compiler.ticks(delay, which)).slice(0, Math.max(1, delay.values.length));
      const held = this.pseudo(value.width, false);
      const apply = c.nested(() => drive({ a: `l${held.id}a`, b: `l${held.id}b` }, value.width));
      const down = isWide(value.width) ? "" : "H.down";
      c.emit(
        js`T.delayed(${number},${value.width},[${times.join(",")}],${wide.a},${wide.b},(va,vb)=>{const l${held.id}a=${down}(va),l${held.id}b=${down}(vb);${apply}});`,
      );
    });
    this.bodies.set(number, { text: js`${c.takeTemps()}${text}`, ignoresItself: false });
    this.start.push(`K.wake(${number});`);
    if (!delay)
      this.follows(
        number,
        target.parts.map((part) => part.signal),
        false,
      );
    const read = new Set<Signal>();
    readsOfExpr(value, read);
    for (const part of target.parts) {
      for (const index of [...part.index, ...(typeof part.offset === "number" ? [] : [part.offset])])
        readsOfExpr(index, read);
    }
    for (const signal of read) this.sensitive(signal, number);
  }

  /** A net whose driver has a delay is x, not z, until the first value arrives. */
  private startUnknown(part: Target["parts"][number]): void {
    const { signal: own, offset } = part;
    if (own.automatic || own.dims.length || own.kind !== "net" || typeof offset !== "number") return;
    const root = this.storage.root(own);
    const { form, at } = this.storage.places[root.signal.id];
    const ones = ((1n << BigInt(part.width)) - 1n) << BigInt(offset + root.offset);
    if (form === "narrow") {
      const mask = Number(BigInt.asIntN(32, ones));
      this.storage.a[at] |= mask;
      this.storage.b[at] |= mask;
    } else if (form === "wide") {
      this.storage.wideA[at] |= ones;
      this.storage.wideB[at] |= ones;
    }
  }

  private driver(
    c: ExprCompiler,
    part: Target["parts"][number],
    value: Pair,
    strength: ContinuousAssignment["strength"],
  ): void {
    const root = part.signal.automatic || part.signal.dims.length ? null : this.storage.root(part.signal);
    const net = root && this.resolved.get(root.signal);
    if (!net) {
      this.writes.assign(c, { parts: [part], width: part.width, loc: part.loc }, value, part.width);
      return;
    }
    this.setter(net.signal);
    const { width } = net.signal;
    const ones = (1n << BigInt(width)) - 1n;
    const index = net.drivers.push({ a: 0n, b: ones, zero: strength?.zero ?? 6, one: strength?.one ?? 6 }) - 1;
    const wide = isWide(part.width) ? value : { a: `BigInt(${value.a}>>>0)`, b: `BigInt(${value.b}>>>0)` };
    const offset =
      typeof part.offset === "number"
        ? String(part.offset + root!.offset)
        : c.asNumber(c.pair(part.offset as Bits).a, part.offset.width, part.offset.signed);
    c.emit(`T.drive(${net.signal.id},${index},${offset},${part.width},${wide.a},${wide.b});`);
  }

  // ---- setters ------------------------------------------------------------------------------------------------

  private setterText(signal: Signal): string {
    const { form, at, count } = this.storage.places[signal.id];
    const { id } = signal;
    const fanout = this.fanouts.get(signal);
    const four = signal.fourState || signal.kind === "net";
    const record = this.records && signal.kind !== "local" ? `if(D[${id}]===1){D[${id}]=2;DL.push(${id});}` : "";
    const wakeAll = this.wakes(fanout?.level.filter((each) => each.mask === null).map((each) => each.process) ?? []);
    if (count) {
      const names = { narrow: "M", wide: "N", real: "MR", string: "MT", event: "MT", object: "MT" }[form];
      const a = `${names}A${at}`;
      const b = `${names}B${at}`;
      const notify = this.watched.has(signal) ? `if(KW[${id}]!=null)K.notify(${id},()=>null);` : "";
      return four && (form === "narrow" || form === "wide")
        ? `function u${id}(i,a,b){if(${a}[i]===a&&${b}[i]===b)return;${a}[i]=a;${b}[i]=b;${record}${wakeAll}${notify}}`
        : `function u${id}(i,a){if(${a}[i]===a)return;${a}[i]=a;${record}${wakeAll}${notify}}`;
    }
    const guard = this.views.forced.has(signal)
      ? `if(FC[${id}]!==0&&T.open!==${id}){T.held(${id},a,${four ? "b" : "0"});return;}`
      : "";
    if (form === "real" || form === "string") {
      const store = form === "real" ? "R" : "S";
      const notify = this.watched.has(signal) ? `if(KW[${id}]!=null)K.notify(${id},()=>null);` : "";
      return `function u${id}(a){${guard}if(${store}[${at}]===a)return;${store}[${at}]=a;${record}${wakeAll}${notify}}`;
    }
    const wide = form === "wide";
    const [storeA, storeB] = wide ? ["WA", "WB"] : ["A", "B"];
    const parts: string[] = [];
    for (const { process, mask } of fanout?.level ?? []) {
      if (mask === null) continue;
      const text = wide ? `0x${mask.toString(16)}n` : String(Number(BigInt.asIntN(32, mask)));
      const zero = wide ? "0n" : "0";
      parts.push(`if((((pa^a)${four ? "|(pb^b)" : ""})&${text})!==${zero}){${this.wakes([process])}}`);
    }
    parts.push(...this.edgeText(fanout, wide, four, signal.width));
    const edge = wide ? "wideEdge" : "edge";
    const zero = wide ? "0n" : "0";
    const notify = this.watched.has(signal)
      ? `if(KW[${id}]!=null)K.notify(${id},bit=>H.${edge}(pa,${four ? "pb" : zero},a,${four ? "b" : zero},bit));`
      : "";
    const told = `${record}${wakeAll}${parts.join("")}${notify}`;
    const needsOld = parts.length > 0 || notify !== "";
    const body = four
      ? needsOld
        ? `const pa=${storeA}[${at}],pb=${storeB}[${at}];if(pa!==a||pb!==b){${storeA}[${at}]=a;${storeB}[${at}]=b;${told}}`
        : `if(${storeA}[${at}]!==a||${storeB}[${at}]!==b){${storeA}[${at}]=a;${storeB}[${at}]=b;${told}}`
      : `${needsOld ? `const pa=${storeA}[${at}];` : ""}if(${storeA}[${at}]!==a){${storeA}[${at}]=a;${told}}`;
    if (guard === "" && told === "")
      this.inline.set(id, four ? `${storeA}[${at}]=a;${storeB}[${at}]=b;` : `${storeA}[${at}]=a;`);
    else if (guard === "" && body.length <= longSetter) this.inline.set(id, body);
    return `function u${id}(a${four ? ",b" : ""}){${guard}${body}}`;
  }
  /** Texts of setters that may stand where they are used, by signal. */
  private readonly inline = new Map<number, string>();

  /** The text, with setters at their places or called from there. */
  private placeSetters(code: Code): string {
    const uses = new Map<number, number>();
    for (const place of openPlaces(code)) {
      const { id } = (place as SetterPlace).signal;
      uses.set(id, (uses.get(id) ?? 0) + 1);
    }
    return rendered(code, (place) => {
      const { signal } = place as SetterPlace;
      const inline = uses.get(signal.id)! <= mostInlined ? this.inline.get(signal.id) : undefined;
      return inline ?? setterCall(signal);
    });
  }

  private wakes(list: readonly number[]): string {
    const words = new Map<number, number>();
    const queued: number[] = [];
    for (const process of new Set(list)) {
      const level = this.levelOf.get(process);
      if (level === undefined) queued.push(process);
      else words.set(level >>> 5, (words.get(level >>> 5) ?? 0) | (1 << (level & 31)));
    }
    const runner = this.processes.length;
    const levels = words.size
      ? `${[...words].map(([word, bits]) => `V[${word}]|=${bits};`).join("")}if(F[${runner}]===0){F[${runner}]=1;q[K.tail++]=${runner};}`
      : "";
    if (queued.length > 8) return `${levels}for(const p of [${queued.join(",")}])if(!F[p]){F[p]=1;q[K.tail++]=p;}`;
    return levels + queued.map((p) => `if(F[${p}]===0){F[${p}]=1;q[K.tail++]=${p};}`).join("");
  }

  /** Runs the combinational processes whose bits are set, each behind those that it depends on. */
  private levelText(order: readonly number[]): Code {
    const runner = this.processes.length;
    const words = Math.ceil(order.length / 32);
    const texts: (string | Code)[] = [];
    for (let word = 0; word < words; word++) {
      const lines = order.slice(word * 32, word * 32 + 32).map((process, i) => {
        const { text } = this.bodies.get(process)!;
        const test = `if(V[${word}]&${1 << i})`;
        if (text.length <= longBody) return js`${test}{${text}}`;
        texts.push(js`function P${process}(){${text}}`);
        return `${test}P${process}();`;
      });
      const calls = inPieces(lines).map((piece, i) => {
        texts.push(js`function v${word}$${i}(){${piece}}`);
        return `v${word}$${i}();`;
      });
      texts.push(`function v${word}(){${calls.join("")}V[${word}]=0;}`);
    }
    // in pieces: one function for all would be too long to be optimised
    const pieces: string[] = [];
    for (let word = 0; word < words; word += 64) {
      pieces.push(`vv${word}();`);
      const calls: string[] = [];
      for (let i = word; i < Math.min(words, word + 64); i++) calls.push(`if(V[${i}]!==0)v${i}();`);
      texts.push(`function vv${word}(){${calls.join("")}}`);
    }
    return js`${joined(texts, "\n")}
P[${runner}]=function(){F[${runner}]=1;${pieces.join("")}F[${runner}]=0;for(let i=0;i<${words};i++)if(V[i]!==0){F[${runner}]=1;q[K.tail++]=${runner};break;}};
`;
  }
  private levelOf: ReadonlyMap<number, number> = new Map();

  private edgeText(fanout: Fanout | undefined, wide: boolean, four: boolean, width: number): string[] {
    const byBit = new Map<number, { pos: number[]; neg: number[]; fired: Record<"pos" | "neg", string> }>();
    const entryOf = (bit: number) => {
      let entry = byBit.get(bit);
      if (!entry) {
        entry = { pos: [], neg: [], fired: { pos: "", neg: "" } };
        byBit.set(bit, entry);
      }
      return entry;
    };
    for (const { process, bit, edge } of fanout?.edges ?? []) {
      if (edge !== "neg") entryOf(bit).pos.push(process);
      if (edge !== "pos") entryOf(bit).neg.push(process);
    }
    for (const { name, bit, edge } of fanout?.lists ?? [])
      if (edge !== "both") entryOf(bit).fired[edge] += `if(${name}.count!==0)K.fire(${name});`;
    const texts: string[] = [];
    for (const [bit, { pos, neg, fired }] of byBit) {
      const up = this.wakes(pos) + fired.pos;
      const down = this.wakes(neg) + fired.neg;
      if (!wide && !four) {
        const of = (plane: string) => (width === 1 ? plane : `(${plane}>>>${bit}&1)`);
        texts.push(`if(${of("pa")}!==${of("a")}){if(${of("a")}){${up}}else{${down}}}`);
        continue;
      }
      const edge = wide
        ? `H.wideEdge(pa,pb,a,b,${bit})`
        : width === 1
          ? "(b===0?(a===1?1:-1):pb===0?(pa===1?-1:1):0)"
          : `H.edge(pa,pb,a,b,${bit})`;
      texts.push(`{const e=${edge};if(e===1){${up}}else if(e===-1){${down}}}`);
    }
    return texts;
  }

  // ---- linking ------------------------------------------------------------------------------------------------

  private link(kernel: Kernel, runtime: Runtime): { text: string; finals: (() => void)[] } {
    const { storage } = this;
    // a signal that something waits for must tell of its changes, whoever writes it
    for (const signal of this.fanouts.keys()) this.setters.add(signal);
    const byRoot = new Map<number, readonly number[]>();
    for (const [signal, { level }] of this.fanouts)
      byRoot.set(
        signal.id,
        level.map((each) => each.process),
      );
    const order = levelOrder(this.combinational, (signal) => byRoot.get(signal) ?? []);
    this.levelOf = new Map(order.map((process, at) => [process, at]));
    const setters: string[] = [];
    const table: string[] = [];
    for (const signal of this.setters) {
      if (signal.automatic || storage.places[signal.id].view) continue;
      setters.push(this.setterText(signal));
      table.push(`U[${signal.id}]=u${signal.id};`);
    }
    for (const signal of this.changers) {
      const { id } = signal;
      const fanout = this.fanouts.get(signal);
      const record = this.records ? `if(D[${id}]===1){D[${id}]=2;DL.push(${id});}` : "";
      setters.push(
        `function c${id}(){${record}${this.wakes(fanout?.level.map((each) => each.process) ?? [])}${this.watched.has(signal) ? `if(KW[${id}]!=null)K.notify(${id},()=>null);` : ""}}`,
      );
    }
    const arrays: string[] = [];
    storage.narrowArrays.forEach((_, i) =>
      arrays.push(`const MA${i}=ST.narrowArrays[${i}].a,MB${i}=ST.narrowArrays[${i}].b;`),
    );
    storage.wideArrays.forEach((_, i) =>
      arrays.push(`const NA${i}=ST.wideArrays[${i}].a,NB${i}=ST.wideArrays[${i}].b;`),
    );
    storage.realArrays.forEach((_, i) => arrays.push(`const MRA${i}=ST.realArrays[${i}];`));
    storage.textArrays.forEach((_, i) => arrays.push(`const MTA${i}=ST.textArrays[${i}];`));
    for (const [process, { text, ignoresItself }] of this.bodies) {
      if (this.levelOf.has(process)) continue;
      this.text.push(
        ignoresItself
          ? js`P[${process}]=function(){F[${process}]=1;${text}\nF[${process}]=0;};`
          : js`P[${process}]=function(){${text}};`,
      );
    }
    const text = this.placeSetters(js`"use strict";
const A=ST.a,B=ST.b,WA=ST.wideA,WB=ST.wideB,R=ST.real,S=ST.text,OB=ST.objects;
${arrays.join("\n")}
const F=K.queuedFlags,q=K.queue,KW=K.waiters,P=K.processes,D=T.recorded,DL=T.dirty,FC=T.forceLevel;
const V=K.levels,Z=new Int32Array(1);
const XF=new Uint8Array(${this.shadowAt.size}),XA=new Int32Array(${this.shadowAt.size}),XB=new Int32Array(${this.shadowAt.size});
const U=T.setters,slotOf=T.slotOf,fourOf=T.fourOf;
let nn=0,NCAP=1024,NS=new Int32Array(NCAP),NI=new Int32Array(NCAP),NM=new Int32Array(NCAP),NA_=new Int32Array(NCAP),NB_=new Int32Array(NCAP);
function grow(){const more=(old)=>{const list=new Int32Array(NCAP*2);list.set(old);return list;};NS=more(NS);NI=more(NI);NM=more(NM);NA_=more(NA_);NB_=more(NB_);NCAP*=2;}
const NFS=[];
function NF(run){NFS.push(run);NB(-1,NFS.length-1,0,0,0);}
K.deferNonblocking=NF;
function NB(id,i,mask,a,b){if(nn===NCAP)grow();NS[nn]=id;NI[nn]=i;NM[nn]=mask;NA_[nn]=a;NB_[nn++]=b;}
K.applyNonblocking=function(){
let any=false;
${this.commitText}
if(nn===0)return any;
const count=nn,hs=NS,hi=NI,hm=NM,ha=NA_,hb=NB_;
for(let k=0;k<count;k++){
const id=hs[k],i=hi[k],mask=hm[k];
let a=ha[k],b=hb[k];
if(id<0){NFS[i]();continue;}
if(i<0){
if(mask!==-1){const s=slotOf[id];a=A[s]&~mask|a&mask;b=B[s]&~mask|b&mask;}
U[id](a,b);
}else{
if(mask!==-1){const m=ST.narrowArrays[slotOf[id]];a=m.a[i]&~mask|a&mask;b=m.b[i]&~mask|b&mask;}
U[id](i,a,b);
}}
nn=0;
NFS.length=0;
return true;
};
${[...this.edgeLists].map((name) => `const ${name}={threads:[],count:0};`).join("")}
${setters.join("\n")}
${table.join("")}
${[...this.constants].map(([text, name]) => `const ${name}=${text};`).join("\n")}
${joined(this.calls.text, "\n")}
${joined(this.text, "\n")}
${order.length ? this.levelText(order) : ""}T.start=function(){${joined([...this.start, ...this.startLast], "\n")}};
`);
    // one more than the design's own: that which runs the combinational ones in order
    kernel.queuedFlags = new Uint8Array(this.processes.length + 1);
    kernel.processes = new Array<() => void>(this.processes.length + 1).fill(() => {});
    kernel.levelOf = new Int32Array(this.processes.length + 1).fill(-1);
    order.forEach((process, at) => {
      kernel.levelOf[process] = at;
    });
    kernel.levels = new Int32Array(Math.ceil(order.length / 32));
    kernel.levelRunner = this.processes.length;
    runtime.bind(this, kernel);
    const outputs = makeOutputs();
    runtime.outputs = outputs;
    const finals: (() => void)[] = [];
    const adapters: ((values: AnyValue[]) => AnyValue)[] = [];
    const evaluator = this.evaluator(outputs, runtime, adapters);
    const run = compileGenerated(["ST", "K", "T", "H", "X", "E", "BI", "CF", "finals"], text);
    run(storage, kernel, runtime, helpers, outputs, evaluator, this.blocks, adapters, finals);
    for (const { process, run: tell } of this.observers) kernel.processes[process] = tell;
    return { text, finals };
  }

  /** The four-state evaluator over what compiled code has stored. */
  private evaluator(
    outputs: ReturnType<typeof makeOutputs>,
    runtime: Runtime,
    adapters: ((values: AnyValue[]) => AnyValue)[],
  ): (number: number, values: unknown[] | null) => boolean {
    const { storage } = this;
    const list = this.evaluatedExprs;
    const wide = (value: unknown): bigint => (typeof value === "bigint" ? value : BigInt((value as number) >>> 0));
    const formed = (expr: { form?: string }, a: unknown, b: unknown): AnyValue =>
      expr.form ? (a as number | string) : { a: wide(a), b: wide(b) };
    return (number, values) => {
      const { expr, keys } = list[number];
      const given = (key: Signal | Expr): number => (values ? keys.indexOf(key) : -1);
      const read = (inner: Expr): AnyValue | null => {
        const at = given(inner.op === "signal" || inner.op === "element" ? inner.signal : inner);
        switch (inner.op) {
          case "signal": {
            if (at >= 0) return formed(inner, values![2 * at], values![2 * at + 1]);
            if (inner.form === "real") return storage.readReal(storage.root(inner.signal).signal);
            if (inner.form === "string") return storage.readText(storage.root(inner.signal).signal);
            return storage.read(inner.signal);
          }
          case "element": {
            const made = given(inner);
            if (made >= 0) return formed(inner, values![2 * made], values![2 * made + 1]);
            const element = elementNumber(inner.signal, inner.index, read);
            if (element < 0) return outsideValue(inner.signal);
            if (at >= 0) {
              const a = (values![2 * at] as ArrayLike<unknown>)[element];
              const b = inner.signal.fourState ? (values![2 * at + 1] as ArrayLike<unknown>)[element] : 0;
              return formed(inner, a, b);
            }
            if (inner.form === "real") return storage.readReal(inner.signal, element);
            if (inner.form === "string") return storage.readText(inner.signal, element);
            return storage.read(inner.signal, element);
          }
          case "call": {
            if (at >= 0) return formed(inner, values![2 * at], values![2 * at + 1]);
            const args = inner.args.map((arg) => ("op" in arg ? evaluateAny(arg, read)! : 0));
            return adapters[this.calls.adapter(inner.func)](args);
          }
          case "system": {
            if (at >= 0) return formed(inner, values![2 * at], values![2 * at + 1]);
            return runtime.systemValue(inner, (arg) => evaluateAny(arg, read)!);
          }
          default:
            return at >= 0 ? formed(inner, values![2 * at], values![2 * at + 1]) : null;
        }
      };
      const value = evaluateAny(expr, read) as Value;
      outputs.a = value.a;
      outputs.b = value.b;
      return truthOf(value) === true;
    };
  }
}

function elementNumber(signal: Signal, index: readonly Expr[], read: (expr: Expr) => AnyValue | null): number {
  let at = 0;
  for (let d = 0; d < signal.dims.length; d++) {
    const value = evaluateAny(index[d], read) as Value;
    if (value.b) return -1;
    const i = index[d].signed ? BigInt.asIntN(index[d].width, value.a) : value.a;
    const size = sizeOf(signal.dims[d]);
    if (i < 0n || i >= BigInt(size)) return -1;
    at = at * size + Number(i);
  }
  return at;
}

function outsideValue(signal: Signal): AnyValue {
  const form = elementForm(signal);
  if (form === "real") return 0;
  if (form === "string") return "";
  const ones = signal.fourState || signal.kind === "net" ? (1n << BigInt(signal.width)) - 1n : 0n;
  return { a: ones, b: ones };
}

function finestPrecision(instance: Instance): number {
  let least = Math.min(instance.timeScale.precision, 0);
  for (const child of instance.children) least = Math.min(least, finestPrecision(child));
  return least;
}
