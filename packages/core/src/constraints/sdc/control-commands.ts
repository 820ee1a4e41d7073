import { nearestName } from "../../common/finding.ts";
import { asText, ExpressionError, isTrue } from "./expression.ts";
import { type BodyText, type Call, type Implementation, type Interpreter, takes } from "./interpreter.ts";
import { matchGlob } from "./match.ts";
import { ScriptSyntaxError } from "./script.ts";
import { Leave, ScriptError } from "./script-errors.ts";
import { textOf, type Value } from "./values.ts";

function truth(call: Call, index: number): boolean {
  return at(call, index, () => isTrue(call.interpreter.expression(textOf(call.args[index]))));
}

/** Puts errors of an expression at the argument that holds it. */
function at<T>(call: Call, index: number, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof ExpressionError || error instanceof ScriptSyntaxError)
      throw new ScriptError("sdc/expression", error.message, error.remedy, call.places(index));
    if (error instanceof ScriptError && (error.place === null || error.place.file === undefined))
      error.place = call.places(index);
    throw error;
  }
}

/** Runs a loop's body. @returns False to leave the loop. */
function turn(interpreter: Interpreter, body: BodyText): boolean {
  interpreter.spend(1);
  try {
    interpreter.body(body);
  } catch (error) {
    if (!(error instanceof Leave) || error.how === "return") throw error;
    return error.how === "continue";
  }
  return true;
}

/** Variables, control flow, procedures and other files: what makes the commands a language. */
export const controlCommands: Readonly<Record<string, Implementation>> = {
  set(call) {
    takes(call, 1, 2, "NAME [VALUE]");
    const name = textOf(call.args[0]);
    if (call.args.length === 2) return call.interpreter.set(name, call.args[1]);
    const value = call.interpreter.get(name);
    return value ?? call.fail(`There is no variable '${name}'.`, "Set it first.", 0);
  },
  unset(call) {
    for (const [i, arg] of call.args.entries()) {
      const name = textOf(arg);
      if (name === "-nocomplain" || name === "--") continue;
      if (!call.interpreter.unset(name) && textOf(call.args[0]) !== "-nocomplain")
        call.fail(`There is no variable '${name}'.`, "Take it out, or use -nocomplain.", i);
    }
    return "";
  },
  global(call) {
    for (const arg of call.args) call.interpreter.global(textOf(arg));
    return "";
  },
  expr(call) {
    takes(call, 1, Infinity, "EXPRESSION");
    const [only] = call.args;
    const text = call.args.length === 1 ? textOf(only) : call.args.map(textOf).join(" ");
    return at(call, 0, () => asText(call.interpreter.expression(text)));
  },
  if(call) {
    const { args, interpreter } = call;
    const usage = "Write if TEST {...} elseif TEST {...} else {...}.";
    for (let i = 0; i < args.length; ) {
      const holds = truth(call, i++);
      if (args[i] !== undefined && textOf(args[i]) === "then") i++;
      if (i >= args.length) call.fail("A branch of 'if' is missing.", usage);
      if (holds) return interpreter.body(interpreter.bodyOf(call, i));
      i++;
      if (i >= args.length) return "";
      const word = textOf(args[i]);
      if (word === "elseif") {
        i++;
        if (i >= args.length) call.fail("A test is missing behind 'elseif'.", usage);
        continue;
      }
      if (word === "else") i++;
      if (i !== args.length - 1)
        call.fail("Something stands behind the last branch of 'if'.", usage, Math.min(i, args.length - 1));
      return interpreter.body(interpreter.bodyOf(call, i));
    }
    return call.fail("'if' has no test.", usage);
  },
  while(call) {
    takes(call, 2, 2, "TEST {...}");
    const body = call.interpreter.bodyOf(call, 1);
    while (truth(call, 0)) if (!turn(call.interpreter, body)) break;
    return "";
  },
  for(call) {
    takes(call, 4, 4, "{START} {TEST} {NEXT} {...}");
    const { interpreter } = call;
    const [next, body] = [interpreter.bodyOf(call, 2), interpreter.bodyOf(call, 3)];
    for (interpreter.body(interpreter.bodyOf(call, 0)); truth(call, 1); interpreter.body(next))
      if (!turn(interpreter, body)) break;
    return "";
  },
  foreach(call) {
    const { args, interpreter } = call;
    if (args.length < 3 || args.length % 2 === 0)
      call.fail("'foreach' is given too little.", "Write foreach NAME LIST {...}.");
    const body = interpreter.bodyOf(call, args.length - 1);
    const pairs: { names: readonly string[]; items: readonly Value[] }[] = [];
    for (let i = 0; i + 1 < args.length; i += 2) {
      const names = interpreter.items(args[i], call.places(i)).map(textOf);
      if (names.length === 0) call.fail("'foreach' has no variable.", "Write foreach NAME LIST {...}.", i);
      pairs.push({ names, items: interpreter.items(args[i + 1], call.places(i + 1)) });
    }
    const turns = Math.max(...pairs.map(({ names, items }) => Math.ceil(items.length / names.length)));
    for (let t = 0; t < turns; t++) {
      for (const { names, items } of pairs)
        names.forEach((name, n) => interpreter.set(name, items[t * names.length + n] ?? ""));
      if (!turn(interpreter, body)) break;
    }
    return "";
  },
  switch(call) {
    const { args, interpreter } = call;
    let i = 0;
    let how: "exact" | "glob" = "exact";
    for (; i < args.length && textOf(args[i]).startsWith("-"); i++) {
      const option = textOf(args[i]);
      if (option === "--") {
        i++;
        break;
      }
      if (option === "-exact" || option === "-glob") how = option === "-glob" ? "glob" : "exact";
      else call.fail(`'switch' has no option '${option}'.`, "Use -exact or -glob.", i);
    }
    if (i >= args.length) call.fail("'switch' is given too little.", "Write switch VALUE {PATTERN {...} ...}.");
    const value = textOf(args[i]);
    const base = i + 1;
    const isOne = args.length === base + 1;
    const cases = isOne ? interpreter.items(args[base], call.places(base)) : args.slice(base);
    if (cases.length % 2) call.fail("A pattern of 'switch' has no body.", "Give each pattern one.", base);
    for (let c = 0; c < cases.length; c += 2) {
      const pattern = textOf(cases[c]);
      const isLast = c === cases.length - 2;
      const hit = (pattern === "default" && isLast) || (how === "glob" ? matchGlob(pattern, value) : pattern === value);
      if (!hit) continue;
      let b = c + 1;
      while (textOf(cases[b]) === "-" && b + 2 < cases.length) b += 2;
      if (!isOne) return interpreter.body(interpreter.bodyOf(call, base + b));
      const text = textOf(cases[b]);
      const source = { text, file: -1 };
      return interpreter.body({ source, span: { start: 0, end: text.length }, fallback: call.places(base) });
    }
    return "";
  },
  break() {
    throw new Leave("break", "");
  },
  continue() {
    throw new Leave("continue", "");
  },
  return(call) {
    throw new Leave("return", call.args[call.args.length - 1] ?? "");
  },
  error(call) {
    takes(call, 1, 3, "MESSAGE");
    throw new ScriptError("sdc/error", textOf(call.args[0]), "The file itself says so.", call.place);
  },
  catch(call) {
    takes(call, 1, 3, "{...} [NAME]");
    const { interpreter } = call;
    const result = interpreter.guarded(() => interpreter.body(interpreter.bodyOf(call, 0)));
    const value: Value = "error" in result ? result.error.message : result.value;
    if (call.args[1] !== undefined) interpreter.set(textOf(call.args[1]), value);
    return "error" in result ? "1" : "0";
  },
  eval(call) {
    takes(call, 1, Infinity, "SCRIPT");
    if (call.args.length === 1) return call.interpreter.body(call.interpreter.bodyOf(call, 0));
    const text = call.args.map(textOf).join(" ");
    const source = { text, file: -1 };
    return call.interpreter.body({ source, span: { start: 0, end: text.length }, fallback: call.place });
  },
  proc(call) {
    takes(call, 3, 3, "NAME {ARGUMENTS} {...}");
    const { interpreter, args } = call;
    const name = textOf(args[0]).replace(/^::/, "");
    if (interpreter.commands.has(name))
      call.fail(`'${name}' is a command already.`, "Give the procedure another name.", 0);
    const formals = interpreter.items(args[1], call.places(1)).map((formal) => {
      const [own, initial] = interpreter.items(formal, call.places(1));
      return { name: own === undefined ? "" : textOf(own), initial: initial ?? null };
    });
    interpreter.defineProcedure(name, formals, interpreter.bodyOf(call, 2));
    return "";
  },
  source(call) {
    takes(call, 1, 1, "FILE");
    const name = textOf(call.args[0]);
    const index = call.interpreter.fileNamed(name);
    if (index < 0) {
      const near = nearestName(name, call.interpreter.fileNames);
      call.fail(
        `The design has no timing file '${name}'.`,
        near ? `Did you mean '${near}'?` : "Add it to the design: nothing outside of it can be read.",
        0,
      );
    }
    call.interpreter.file(index);
    return "";
  },
};
