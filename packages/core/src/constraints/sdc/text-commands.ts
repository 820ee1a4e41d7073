import { indexOf, items, list, made, options, patternOf, text, whole } from "./command-words.ts";
import { numberOf } from "./expression.ts";
import { type Call, type Implementation, takes } from "./interpreter.ts";
import { matchGlob } from "./match.ts";
import { itemsOf, ListValue, textOf, type Value } from "./values.ts";

const classTests: Readonly<Record<string, (value: string) => boolean>> = {
  integer: (value) => numberOf(value)?.isWhole === true,
  double: (value) => numberOf(value) !== null,
  boolean: (value) => /^(?:0|1|true|false|yes|no|on|off)$/i.test(value),
  alpha: (value) => /^[A-Za-z]*$/.test(value),
  alnum: (value) => /^[A-Za-z0-9]*$/.test(value),
  digit: (value) => /^\d*$/.test(value),
  space: (value) => /^\s*$/.test(value),
  upper: (value) => /^[A-Z]*$/.test(value),
  lower: (value) => /^[a-z]*$/.test(value),
  list: (value) => itemsOf(value) !== null,
};

/** Sub-commands of `string`, behind its name. */
const strings: Readonly<
  Record<string, readonly [least: number, most: number, usage: string, run: (call: Call) => Value]>
> = {
  length: [1, 1, "TEXT", (call) => String(text(call, 1).length)],
  index: [2, 2, "TEXT INDEX", (call) => text(call, 1)[indexOf(call, 2, text(call, 1).length)] ?? ""],
  range: [
    3,
    3,
    "TEXT FIRST LAST",
    (call) => {
      const own = text(call, 1);
      const first = Math.max(0, indexOf(call, 2, own.length));
      return own.slice(first, Math.max(first, indexOf(call, 3, own.length) + 1));
    },
  ],
  equal: [2, 4, "[-nocase] A B", (call) => (comparison(call) === 0 ? "1" : "0")],
  compare: [2, 4, "[-nocase] A B", (call) => String(comparison(call))],
  match: [
    2,
    3,
    "[-nocase] PATTERN TEXT",
    (call) => {
      const fold = call.args.length === 4;
      if (fold && text(call, 1) !== "-nocase")
        call.fail(`'string match' has no option '${text(call, 1)}'.`, "It has -nocase.", 1);
      const [pattern, own] = call.args.slice(-2).map((arg) => (fold ? textOf(arg).toLowerCase() : textOf(arg)));
      return matchGlob(pattern, own) ? "1" : "0";
    },
  ],
  first: [2, 2, "PART TEXT", (call) => String(text(call, 2).indexOf(text(call, 1)))],
  last: [2, 2, "PART TEXT", (call) => String(text(call, 2).lastIndexOf(text(call, 1)))],
  tolower: [1, 1, "TEXT", (call) => text(call, 1).toLowerCase()],
  toupper: [1, 1, "TEXT", (call) => text(call, 1).toUpperCase()],
  trim: [1, 2, "TEXT [CHARACTERS]", (call) => trimmed(call, true, true)],
  trimleft: [1, 2, "TEXT [CHARACTERS]", (call) => trimmed(call, true, false)],
  trimright: [1, 2, "TEXT [CHARACTERS]", (call) => trimmed(call, false, true)],
  reverse: [1, 1, "TEXT", (call) => [...text(call, 1)].reverse().join("")],
  repeat: [
    2,
    2,
    "TEXT COUNT",
    (call) => {
      const count = Math.max(0, whole(call, 2));
      call.interpreter.spend(0, count * text(call, 1).length);
      return text(call, 1).repeat(count);
    },
  ],
  replace: [
    3,
    4,
    "TEXT FIRST LAST [NEW]",
    (call) => {
      const own = text(call, 1);
      const first = Math.max(0, indexOf(call, 2, own.length));
      const last = indexOf(call, 3, own.length);
      if (last < first || first >= own.length) return own;
      return own.slice(0, first) + (call.args[4] === undefined ? "" : text(call, 4)) + own.slice(last + 1);
    },
  ],
  map: [
    2,
    2,
    "{FROM TO ...} TEXT",
    (call) => {
      const pairs = items(call, 1).map(textOf);
      if (pairs.length % 2) call.fail("A text to replace has nothing in its place.", "Give pairs.", 1);
      const own = text(call, 2);
      let result = "";
      for (let at = 0; at < own.length; ) {
        let hit = -1;
        for (let p = 0; p < pairs.length && hit < 0; p += 2) if (pairs[p] && own.startsWith(pairs[p], at)) hit = p;
        result += hit < 0 ? own[at] : pairs[hit + 1];
        at += hit < 0 ? 1 : pairs[hit].length;
        call.interpreter.spend(0, pairs.length);
      }
      return result;
    },
  ],
  is: [
    2,
    3,
    "CLASS [-strict] TEXT",
    (call) => {
      const test = classTests[text(call, 1)];
      if (!test)
        call.fail(`There is no class '${text(call, 1)}'.`, `There are ${Object.keys(classTests).join(", ")}.`, 1);
      const own = textOf(call.args[call.args.length - 1]);
      if (own === "") return call.args.length === 4 ? "0" : "1";
      return test(own) ? "1" : "0";
    },
  ],
};

function comparison(call: Call): number {
  const fold = call.args.slice(1, -2).some((arg) => textOf(arg) === "-nocase");
  const [a, b] = call.args.slice(-2).map((arg) => (fold ? textOf(arg).toLowerCase() : textOf(arg)));
  return a < b ? -1 : a > b ? 1 : 0;
}

function trimmed(call: Call, left: boolean, right: boolean): string {
  const own = text(call, 1);
  const drop = new Set(call.args.length > 2 ? text(call, 2) : " \t\r\n\f\v");
  let start = 0;
  let end = own.length;
  if (left) while (start < end && drop.has(own[start])) start++;
  if (right) while (end > start && drop.has(own[end - 1])) end--;
  return own.slice(start, end);
}

/** `%5.2f` and its kind. */
function format(call: Call): string {
  takes(call, 1, Infinity, "FORMAT [VALUE ...]");
  let next = 1;
  const result = text(call, 0).replace(
    /%(?:%|([-+ 0#]*)(\*|\d*)(?:\.(\d*))?([a-zA-Z]))/g,
    (
      all,
      flags: string | undefined,
      width: string | undefined,
      digits: string | undefined,
      kind: string | undefined,
    ) => {
      if (kind === undefined) return all === "%%" ? "%" : all;
      const least = width === "*" ? whole(call, next++) : Number(width || 0);
      if (next >= call.args.length) call.fail("'format' is given too few values.", "Give one for each %.", 0);
      if (least > 10_000 || Number(digits || 0) > 100) call.fail("The field is too wide.", "Make it narrower.", 0);
      const own = formatted(call, next++, kind, digits);
      const signed =
        /[dfeg]/.test(kind) && !own.startsWith("-")
          ? (flags!.includes("+") ? "+" : flags!.includes(" ") ? " " : "") + own
          : own;
      if (flags!.includes("-")) return signed.padEnd(least);
      if (!flags!.includes("0") || kind === "s") return signed.padStart(least);
      const sign = /^[+-]/.test(signed) ? signed[0] : "";
      return sign + signed.slice(sign.length).padStart(least - sign.length, "0");
    },
  );
  return made(call, result);
}

function formatted(call: Call, at: number, kind: string, digits: string | undefined): string {
  const own = text(call, at);
  if (kind === "s") return digits === undefined ? own : own.slice(0, Number(digits));
  if (kind === "c") return String.fromCodePoint(Math.min(0x10ffff, Math.max(0, whole(call, at))));
  const number = numberOf(own) ?? call.fail(`'${own}' is not a number.`, `%${kind} needs one.`, at);
  const places = digits === undefined ? 6 : Number(digits);
  switch (kind) {
    case "d":
    case "i":
    case "u":
      return String(Math.trunc(number.number));
    case "x":
      return Math.trunc(number.number).toString(16);
    case "X":
      return Math.trunc(number.number).toString(16).toUpperCase();
    case "o":
      return Math.trunc(number.number).toString(8);
    case "b":
      return Math.trunc(number.number).toString(2);
    case "f":
      return number.number.toFixed(places);
    case "e":
      return number.number.toExponential(places).replace(/e([+-])(\d)$/, "e$10$2");
    case "g":
      return String(Number(number.number.toPrecision(Math.max(1, places))));
    default:
      return call.fail(`'format' has no '%${kind}'.`, "Use %s, %d, %x, %f, %e or %g.", 0);
  }
}

/** Commands on text, as far as timing files use them. */
export const textCommands: Readonly<Record<string, Implementation>> = {
  string(call) {
    takes(call, 1, Infinity, "KIND ...");
    const kind = strings[text(call, 0)];
    if (!kind) call.fail(`There is no 'string ${text(call, 0)}'.`, `There are ${Object.keys(strings).join(", ")}.`, 0);
    const [least, most, usage, run] = kind;
    if (call.args.length - 1 < least || call.args.length - 1 > most)
      call.fail(
        `'string ${text(call, 0)}' is given too ${call.args.length - 1 < least ? "little" : "much"}.`,
        `Write string ${text(call, 0)} ${usage}.`,
      );
    const result = run(call);
    call.interpreter.spend(0, typeof result === "string" ? result.length : 0);
    return result;
  },
  format,
  append(call) {
    takes(call, 1, Infinity, "NAME [TEXT ...]");
    const { interpreter } = call;
    const before = interpreter.get(text(call, 0));
    const result = (before === null ? "" : textOf(before)) + call.args.slice(1).map(textOf).join("");
    interpreter.spend(0, result.length >> 4);
    if (result.length > 1 << 24)
      call.fail("The text grows beyond 16 million characters.", "Look at the loop that it is in.", 0);
    return interpreter.set(text(call, 0), result);
  },
  incr(call) {
    takes(call, 1, 2, "NAME [BY]");
    const { interpreter } = call;
    const before = interpreter.get(text(call, 0)) ?? "0";
    const number = numberOf(textOf(before));
    if (!number?.isWhole) return call.fail(`'${textOf(before)}' is not a whole number.`, "Use expr for fractions.", 0);
    return interpreter.set(text(call, 0), String(number.number + (call.args.length > 1 ? whole(call, 1) : 1)));
  },
  regexp(call) {
    const { set, first } = options(call, ["-nocase", "-inline", "-all"]);
    if (call.args.length < first + 2)
      call.fail("'regexp' takes a pattern and a text.", "Write regexp [-nocase] PATTERN TEXT [NAME ...].");
    const pattern = patternOf(call, text(call, first), first, set.has("-nocase"));
    const own = text(call, first + 1);
    const all: number[][] = [];
    for (let from = 0; from <= own.length; ) {
      call.interpreter.spend(0, (own.length - from) * 8 + 8);
      const found = pattern.find(own, from);
      if (!found) break;
      all.push(found);
      if (!set.has("-all")) break;
      from = found[1] > found[0] ? found[1] : found[1] + 1;
    }
    const groupsOf = (found: readonly number[]) =>
      Array.from({ length: found.length / 2 }, (_, g) =>
        found[2 * g] < 0 ? "" : own.slice(found[2 * g], found[2 * g + 1]),
      );
    if (set.has("-inline")) return list(call, all.flatMap(groupsOf));
    const last = all[all.length - 1];
    if (last) {
      const groups = groupsOf(last);
      call.args.slice(first + 2).forEach((name, g) => call.interpreter.set(textOf(name), groups[g] ?? ""));
    }
    return String(all.length);
  },
  regsub(call) {
    const { set, first } = options(call, ["-nocase", "-all"]);
    const { args } = call;
    if (args.length < first + 3 || args.length > first + 4)
      call.fail("'regsub' takes a pattern, a text and what to put in.", "Write regsub [-all] PATTERN TEXT NEW [NAME].");
    const pattern = patternOf(call, text(call, first), first, set.has("-nocase"));
    const [own, replacement] = [text(call, first + 1), text(call, first + 2)];
    let result = "";
    let count = 0;
    let from = 0;
    for (let search = 0; search <= own.length; ) {
      call.interpreter.spend(0, (own.length - search) * 8 + 8);
      const found = pattern.find(own, search);
      if (!found) break;
      count++;
      const group = (g: number) =>
        found[2 * g] === undefined || found[2 * g] < 0 ? "" : own.slice(found[2 * g], found[2 * g + 1]);
      result +=
        own.slice(from, found[0]) +
        replacement.replace(/\\(\d)|\\\\|&|\\&/g, (hit, g?: string) => {
          if (g !== undefined) return group(Number(g));
          return hit === "&" ? group(0) : hit.slice(1);
        });
      from = found[1];
      if (!set.has("-all")) break;
      search = found[1] > found[0] ? found[1] : found[1] + 1;
      if (found[1] === found[0] && found[1] < own.length) {
        result += own[found[1]];
        from = found[1] + 1;
      }
    }
    result += own.slice(from);
    made(call, result);
    if (args.length === first + 3) return result;
    call.interpreter.set(text(call, first + 3), result);
    return String(count);
  },
  info(call) {
    takes(call, 1, 2, "exists NAME");
    const { interpreter } = call;
    switch (text(call, 0)) {
      case "exists": {
        takes(call, 2, 2, "exists NAME");
        const name = text(call, 1);
        return interpreter.get(name) !== null || interpreter.elements(name) ? "1" : "0";
      }
      case "commands":
        return interpreter.isCommand(call.args.length > 1 ? text(call, 1) : "") ? text(call, 1) : "";
      case "vars":
        return new ListValue(
          interpreter.variableNames().filter((name) => call.args.length < 2 || matchGlob(text(call, 1), name)),
        );
      default:
        return call.fail(`There is no 'info ${text(call, 0)}'.`, "There are exists, commands and vars.", 0);
    }
  },
  puts(call) {
    const { interpreter, args } = call;
    const message = args.length ? textOf(args[args.length - 1]) : "";
    interpreter.add({
      code: "sdc/prints",
      severity: "note",
      place: call.place,
      message: `The file prints: ${message.length > 200 ? `${message.slice(0, 200)}…` : message}`,
    });
    return "";
  },
};
