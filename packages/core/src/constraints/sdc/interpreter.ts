import { type Finding, nearestName, type Place } from "../../common/finding.ts";
import type { SourceSet } from "../../common/source.ts";
import { type Expression, ExpressionError, type ExpressionHost, evaluate, parseExpression } from "./expression.ts";
import {
  type Part,
  parseScript,
  type Script,
  type ScriptCommand,
  ScriptSyntaxError,
  type ScriptText,
  type Span,
  type Word,
} from "./script.ts";
import { BoundError, Leave, ScriptError } from "./script-errors.ts";
import { itemsOf, ListValue, textOf, type Value } from "./values.ts";

/** One call of a command, for its implementation. */
export interface Call {
  readonly name: string;
  readonly args: readonly Value[];
  /** Where each argument stands. */
  places(index: number): Place;
  readonly place: Place;
  /** Stretch of the file of the whole command, -1 for text made while running. */
  readonly span: Span & { readonly file: number };
  /** Stands in a file by itself, not within a loop, a procedure or another command. */
  readonly isOwnLine: boolean;
  /** Words as written, for those that look at more than the value. */
  readonly words: readonly Word[];
  readonly interpreter: Interpreter;
  /** @throws ScriptError at an argument. */
  fail(message: string, remedy: string, at?: number): never;
}
export type Implementation = (call: Call) => Value;

interface Procedure {
  readonly formals: readonly { readonly name: string; readonly initial: Value | null }[];
  readonly body: BodyText;
}

type Variable = { value: Value } | { elements: Map<string, Value> };

interface Frame {
  readonly variables: Map<string, Variable>;
}

/** Text that is to be run, with where it comes from. */
export interface BodyText {
  readonly source: ScriptText;
  readonly span: Span;
  readonly fallback: Place;
}

export interface Bounds {
  /** Commands, and characters made, that all files together may take. */
  readonly steps: number;
  readonly characters: number;
  readonly depth: number;
  readonly findings: number;
}
export const usualBounds: Bounds = { steps: 2_000_000, characters: 200_000_000, depth: 200, findings: 200 };

/**
 * Runs command files. It keeps variables and procedures; all else is in the commands that it is given. A file can reach nothing outside of them, and is stopped at its bounds, by counting: the same files end the same way
 * on every machine.
 */
export class Interpreter implements ExpressionHost {
  readonly findings: Finding[] = [];
  readonly commands = new Map<string, Implementation>();
  private readonly procedures = new Map<string, Procedure>();
  private readonly globals: Frame = { variables: new Map() };
  private frame = this.globals;
  private depth = 0;
  private steps = 0;
  private characters = 0;
  private readonly parsed = new Map<string, Script>();
  private readonly expressions = new Map<string, Expression>();
  private readonly running: number[] = [];
  private isStopped = false;
  /** Frames that commands run in which stand in a file by themselves. */
  private ownDepth = 0;

  constructor(
    private readonly sources: SourceSet,
    private readonly bounds: Bounds = usualBounds,
  ) {}

  /** Runs a file of the set. A command that fails leads to a finding, and the next one runs. */
  file(index: number): void {
    if (this.running.includes(index))
      throw new ScriptError("sdc/source", `'${this.sources.files[index].name}' reads itself.`, "Take the ring out.");
    if (this.running.length > 20)
      throw new ScriptError("sdc/source", "Files read each other more than 20 deep.", "Put them into fewer files.");
    this.running.push(index);
    const source: ScriptText = { text: this.sources.files[index].text, file: index };
    const script = parseScript(source, undefined, (error) =>
      this.tell("sdc/syntax", error.message, error.remedy, this.placeOf(source, error.span)),
    );
    const before = this.ownDepth;
    this.ownDepth = this.depth;
    for (const command of script.commands) {
      if (this.isStopped) break;
      try {
        this.command(command, source, true);
      } catch (error) {
        if (error instanceof Leave && error.how === "return") break;
        this.report(error, this.placeOf(source, command));
      }
    }
    this.ownDepth = before;
    this.running.pop();
  }

  private report(error: unknown, place: Place): void {
    if (error instanceof BoundError) this.isStopped = true;
    if (error instanceof ScriptError) this.tell(error.code, error.message, error.remedy, error.place ?? place);
    else if (error instanceof Leave) {
      this.tell("sdc/syntax", `'${error.how}' stands outside of a loop.`, "Take it out.", place);
    } else throw error;
  }

  tell(code: string, message: string, remedy: string, place: Place): void {
    this.add({ code, severity: "error", place, message, remedy });
  }
  add(finding: Finding): void {
    if (this.findings.length < this.bounds.findings) this.findings.push(finding);
    else if (!this.isStopped && finding.severity === "error") {
      this.isStopped = true;
      this.findings.push({
        code: "sdc/too-many",
        severity: "error",
        place: finding.place,
        message: `There are more than ${this.bounds.findings} findings in the timing files; the rest is not read.`,
        remedy: "Correct the first ones.",
      });
    }
  }

  placeOf(source: ScriptText, { start, end }: Span): Place {
    return source.file < 0 ? {} : this.sources.place({ file: source.file, start, end });
  }

  /** Number of the file of a name, as `source` takes it; -1 for none. */
  fileNamed(name: string): number {
    const plain = name.replace(/^\.\//, "");
    const exact = this.sources.files.findIndex((file) => file.name === plain);
    return exact >= 0 ? exact : this.sources.files.findIndex((file) => file.name.endsWith(`/${plain}`));
  }
  get fileNames(): string[] {
    return this.sources.files.map((file) => file.name);
  }
  /** The file that is being read, or -1. */
  get currentFile(): number {
    return this.running[this.running.length - 1] ?? -1;
  }

  /** Counts work. @throws BoundError */
  spend(steps: number, characters = 0): void {
    this.steps += steps;
    this.characters += characters;
    if (this.steps > this.bounds.steps)
      throw new BoundError(
        "sdc/too-long",
        `The timing files take more than ${this.bounds.steps} steps.`,
        "Look for a loop that does not end.",
      );
    if (this.characters > this.bounds.characters)
      throw new BoundError(
        "sdc/too-large",
        `The timing files make more than ${this.bounds.characters} characters of text.`,
        "Look for a loop that does not end.",
      );
  }

  private run(script: Script, fallback: Place): Value {
    let value: Value = "";
    for (const command of script.commands) {
      if (script.source.file >= 0) value = this.command(command, script.source, false);
      else
        try {
          value = this.command(command, script.source, false);
        } catch (error) {
          // text made while running has no place of its own
          if (error instanceof ScriptError && (!error.place || error.place.file === undefined)) error.place = fallback;
          throw error;
        }
    }
    return value;
  }

  private command(command: ScriptCommand, source: ScriptText, isOwnLine: boolean): Value {
    this.spend(1);
    const args: Value[] = [];
    const wordOf: number[] = [];
    command.words.forEach((word, w) => {
      const value = this.word(word, source);
      if (!word.isExpanded) {
        args.push(value);
        wordOf.push(w);
        return;
      }
      for (const item of this.items(value, this.placeOf(source, word))) {
        args.push(item);
        wordOf.push(w);
      }
    });
    if (args.length === 0) return "";
    const name = textOf(args.shift()!).replace(/^::/, "");
    wordOf.shift();
    const { words } = command;
    let known: Place | null = null;
    const placeOf = () => (known ??= this.placeOf(source, words[0]));
    const places = (index: number): Place => {
      const word = words[wordOf[index]];
      return word ? this.placeOf(source, word) : placeOf();
    };
    const call: Call = {
      name,
      args,
      get place() {
        return placeOf();
      },
      places,
      span: { file: source.file, start: command.start, end: command.end },
      isOwnLine: isOwnLine && this.depth === this.ownDepth,
      words: wordOf.map((w) => words[w]),
      interpreter: this,
      fail: (message, remedy, at) => {
        throw new ScriptError("sdc/command", message, remedy, at === undefined ? placeOf() : places(at));
      },
    };
    try {
      const procedure = this.procedures.get(name);
      if (procedure) return this.callProcedure(procedure, call);
      const run = this.commands.get(name);
      if (run) return run(call);
    } catch (error) {
      if (error instanceof ScriptError) error.place ??= placeOf();
      else if (error instanceof ExpressionError)
        throw new ScriptError("sdc/expression", error.message, error.remedy, placeOf());
      else if (error instanceof ScriptSyntaxError)
        throw new ScriptError("sdc/syntax", error.message, error.remedy, placeOf());
      throw error;
    }
    // an index without braces, as in [get_ports lamps[3]], is meant as it stands
    if (args.length === 0 && /^(?:-?\d+(?::-?\d+)?|[*?])$/.test(name)) return `[${name}]`;
    const near = nearestName(name, [...this.commands.keys(), ...this.procedures.keys()]);
    throw new ScriptError(
      "sdc/unknown-command",
      `There is no command '${name}'.`,
      near ? `Did you mean '${near}'?` : "Correct it or comment it out with #.",
      placeOf(),
    );
  }

  private callProcedure({ formals, body }: Procedure, call: Call): Value {
    const frame: Frame = { variables: new Map() };
    const { args } = call;
    formals.forEach(({ name, initial }, i) => {
      const isRest = name === "args" && i === formals.length - 1;
      const value = isRest ? new ListValue(args.slice(i)) : (args[i] ?? initial);
      if (value === null || value === undefined)
        call.fail(
          `'${call.name}' is called without '${name}'.`,
          `It takes ${formals.map((each) => each.name).join(" ")}.`,
        );
      frame.variables.set(name, { value });
    });
    if (args.length > formals.length && formals[formals.length - 1]?.name !== "args")
      call.fail(`'${call.name}' is called with ${args.length} arguments.`, `It takes ${formals.length}.`);
    const before = this.frame;
    this.frame = frame;
    try {
      return this.body(body);
    } catch (error) {
      if (error instanceof Leave && error.how === "return") return error.value;
      if (error instanceof Leave)
        throw new ScriptError("sdc/syntax", `'${error.how}' stands outside of a loop.`, "Take it out.", call.place);
      throw error;
    } finally {
      this.frame = before;
    }
  }

  defineProcedure(name: string, formals: Procedure["formals"], body: BodyText): void {
    this.procedures.set(name, { formals, body });
  }
  isCommand(name: string): boolean {
    return this.commands.has(name) || this.procedures.has(name);
  }

  private word(word: Word, source: ScriptText): Value {
    if (word.parts.length === 1) return this.part(word.parts[0], source);
    let text = "";
    for (const part of word.parts) text += textOf(this.part(part, source));
    this.spend(0, text.length);
    return text;
  }

  private part(part: Part, source: ScriptText | null): Value {
    if (part.kind === "text") return part.text;
    if (part.kind === "script") {
      return this.within(() => this.run(part.script, source ? this.placeOf(source, part.span) : {}));
    }
    const name = part.index ? `${part.name}(${this.substitute(part.index)})` : part.name;
    const value = this.get(name);
    if (value !== null) return value;
    const near = nearestName(name, this.frame.variables.keys());
    throw new ScriptError(
      "sdc/variable",
      `There is no variable '${name}'.`,
      near ? `Did you mean '${near}'?` : "Set it first.",
      source ? this.placeOf(source, part.span) : null,
    );
  }

  substitute(parts: readonly Part[]): string {
    let text = "";
    for (const part of parts) text += textOf(this.part(part, null));
    this.spend(0, text.length);
    return text;
  }
  list(text: string): readonly string[] {
    return (itemsOf(text) ?? []).map(textOf);
  }

  items(value: Value, place: Place): readonly Value[] {
    const items = itemsOf(value);
    if (!items)
      throw new ScriptError("sdc/list", "This is no list: a brace or quote in it is open.", "Close it.", place);
    this.spend(items.length >> 4);
    return items;
  }

  private within<T>(run: () => T): T {
    if (this.depth >= this.bounds.depth)
      throw new BoundError(
        "sdc/too-deep",
        `Commands are nested more than ${this.bounds.depth} deep.`,
        "Look for a procedure that calls itself without end.",
      );
    this.depth++;
    try {
      return run();
    } finally {
      this.depth--;
    }
  }

  /** Runs text that a command was given. */
  body(text: BodyText): Value {
    const key = `${text.source.file}:${text.span.start}:${text.span.end}:${text.source.file < 0 ? text.source.text : ""}`;
    let script = this.parsed.get(key);
    if (!script) {
      try {
        script = parseScript(text.source, text.span);
      } catch (error) {
        if (!(error instanceof ScriptSyntaxError)) throw error;
        const place = text.source.file < 0 ? text.fallback : this.placeOf(text.source, error.span);
        throw new ScriptError("sdc/syntax", error.message, error.remedy, place);
      }
      if (this.parsed.size < 10_000) this.parsed.set(key, script);
    }
    const known = script;
    return this.within(() => this.run(known, text.fallback));
  }

  /** An argument as text to run: of the file itself where it stands there in braces, so that findings keep their place. */
  bodyOf(call: Call, index: number): BodyText {
    const word = call.words[index];
    const fallback = call.places(index);
    if (word?.inside && call.span.file >= 0 && !word.isExpanded)
      return {
        source: { text: this.sources.files[call.span.file].text, file: call.span.file },
        span: word.inside,
        fallback,
      };
    const text = textOf(call.args[index]);
    return { source: { text, file: -1 }, span: { start: 0, end: text.length }, fallback };
  }

  expression(text: string): ReturnType<typeof evaluate> {
    this.spend(1);
    let expression = this.expressions.get(text);
    if (!expression) {
      expression = parseExpression({ text, file: -1 }, 0, text.length);
      if (this.expressions.size < 10_000) this.expressions.set(text, expression);
    }
    return evaluate(expression, this);
  }

  /** Runs something that may fail; bounds still end everything. */
  guarded<T>(run: () => T): { value: T } | { error: ScriptError } {
    try {
      return { value: run() };
    } catch (error) {
      if (error instanceof ScriptError && !(error instanceof BoundError)) return { error };
      throw error;
    }
  }

  /** A variable or an element of an array, `name(index)`; null for none. */
  get(name: string): Value | null {
    const [base, index] = splitName(name);
    const variable = this.lookUp(base).variables.get(base.replace(/^::/, ""));
    if (!variable) return null;
    if ("elements" in variable) return index === null ? null : (variable.elements.get(index) ?? null);
    return index === null ? variable.value : null;
  }
  set(name: string, value: Value): Value {
    const [base, index] = splitName(name);
    const { variables } = this.lookUp(base);
    const own = base.replace(/^::/, "");
    const known = variables.get(own);
    if (index === null) {
      if (known && "elements" in known)
        throw new ScriptError("sdc/variable", `'${own}' is an array.`, "Give an index, or another name.");
      if (known) known.value = value;
      else variables.set(own, { value });
    } else if (known && "value" in known)
      throw new ScriptError("sdc/variable", `'${own}' is no array.`, "Use another name.");
    else if (known) known.elements.set(index, value);
    else variables.set(own, { elements: new Map([[index, value]]) });
    return value;
  }
  /** @returns False if there was none. */
  unset(name: string): boolean {
    const [base, index] = splitName(name);
    const { variables } = this.lookUp(base);
    const own = base.replace(/^::/, "");
    const known = variables.get(own);
    if (!known) return false;
    if (index === null) return variables.delete(own);
    return "elements" in known && known.elements.delete(index);
  }
  elements(name: string): Map<string, Value> | null {
    const variable = this.lookUp(name).variables.get(name.replace(/^::/, ""));
    return variable && "elements" in variable ? variable.elements : null;
  }
  /** Makes a procedure's name stand for the variable outside of all procedures. */
  global(name: string): void {
    if (this.frame === this.globals) return;
    let outer = this.globals.variables.get(name);
    if (!outer) {
      outer = { value: "" };
      this.globals.variables.set(name, outer);
    }
    this.frame.variables.set(name, outer);
  }
  variableNames(): string[] {
    return [...this.frame.variables.keys()];
  }

  private lookUp(name: string): Frame {
    return name.startsWith("::") ? this.globals : this.frame;
  }
}

function splitName(name: string): [string, string | null] {
  if (!name.endsWith(")")) return [name, null];
  const open = name.indexOf("(");
  return open <= 0 ? [name, null] : [name.slice(0, open), name.slice(open + 1, -1)];
}

/** Asks for a number of arguments. @throws ScriptError */
export function takes(call: Call, least: number, most: number, usage: string): void {
  if (call.args.length >= least && call.args.length <= most) return;
  call.fail(
    call.args.length < least ? `'${call.name}' is given too little.` : `'${call.name}' is given too much.`,
    `Write ${call.name} ${usage}.`,
    call.args.length > most ? most : undefined,
  );
}
