import { numberOf } from "./expression.ts";
import { type Call, type Implementation, takes } from "./interpreter.ts";
import { matchGlob, Pattern, PatternError } from "./match.ts";
import { itemsOf, ListValue, textOf, type Value } from "./values.ts";

/** Commands on text, lists and arrays, as far as timing files use them. */

const items = (call: Call, index: number): readonly Value[] =>
  call.interpreter.items(call.args[index], call.places(index));

/** `3`, `end`, `end-1`, `2+1` as an index. */
function indexOf(call: Call, at: number, length: number): number {
  const text = textOf(call.args[at]).trim();
  const match = /^(end|[+-]?\d+)(?:([+-])(\d+))?$/.exec(text);
  if (!match) call.fail(`'${text}' is no index.`, "Use a number, end or end-1.", at);
  const base = match[1] === "end" ? length - 1 : Number(match[1]);
  return base + (match[2] ? Number(`${match[2]}${match[3]}`) : 0);
}

const text = (call: Call, at: number): string => textOf(call.args[at]);

function made(call: Call, result: string): string {
  call.interpreter.spend(0, result.length);
  return result;
}

function list(call: Call, values: readonly Value[]): ListValue {
  call.interpreter.spend(values.length >> 4);
  return new ListValue(values);
}

function whole(call: Call, at: number): number {
  const number = numberOf(text(call, at));
  if (!number?.isWhole) call.fail(`'${text(call, at)}' is not a whole number.`, "Give one.", at);
  return number.number;
}

/** Compiles a user's pattern. @throws ScriptError */
export function patternOf(call: Call, source: string, at: number, ignoreCase = false): Pattern {
  try {
    return new Pattern(source, ignoreCase);
  } catch (error) {
    if (!(error instanceof PatternError)) throw error;
    return call.fail(`The pattern cannot be used: ${error.message}.`, "Write it in another way.", at);
  }
}

/** Options that begin with a dash, in front of what a command works on. */
function options(call: Call, known: readonly string[]): { readonly set: ReadonlySet<string>; readonly first: number } {
  const set = new Set<string>();
  let i = 0;
  for (; i < call.args.length && text(call, i).startsWith("-"); i++) {
    const option = text(call, i);
    if (option === "--") return { set, first: i + 1 };
    if (!known.includes(option))
      call.fail(`'${call.name}' has no option '${option}'.`, `It has ${known.join(", ")}.`, i);
    set.add(option);
  }
  return { set, first: i };
}

function compareItems(how: ReadonlySet<string>): (a: string, b: string) => number {
  const sign = how.has("-decreasing") ? -1 : 1;
  if (how.has("-integer") || how.has("-real")) return (a, b) => sign * (Number(a) - Number(b));
  if (how.has("-dictionary")) return (a, b) => sign * naturalOrder(a, b);
  const fold = (value: string) => (how.has("-nocase") ? value.toLowerCase() : value);
  return (a, b) => (fold(a) < fold(b) ? -sign : fold(a) > fold(b) ? sign : 0);
}

/** Runs of digits by their value. */
function naturalOrder(a: string, b: string): number {
  const [x, y] = [a, b].map((value) => value.match(/\d+|\D+/g) ?? []);
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const bothNumbers = /^\d/.test(x[i]) && /^\d/.test(y[i]);
    const order = bothNumbers ? Number(x[i]) - Number(y[i]) : x[i] < y[i] ? -1 : x[i] > y[i] ? 1 : 0;
    if (order !== 0) return order;
  }
  return x.length - y.length;
}

const lists: Readonly<Record<string, Implementation>> = {
  list: (call) => list(call, call.args),
  llength(call) {
    takes(call, 1, 1, "LIST");
    return String(items(call, 0).length);
  },
  lindex(call) {
    takes(call, 1, Infinity, "LIST [INDEX ...]");
    let value: Value = call.args[0];
    for (let i = 1; i < call.args.length; i++) {
      const own = call.interpreter.items(value, call.places(0));
      value = own[indexOf(call, i, own.length)] ?? "";
    }
    return value;
  },
  lappend(call) {
    takes(call, 1, Infinity, "NAME [VALUE ...]");
    const { interpreter, args } = call;
    const name = text(call, 0);
    const before = interpreter.get(name);
    const old = before === null ? [] : interpreter.items(before, call.places(0));
    interpreter.spend(old.length >> 5);
    return interpreter.set(name, new ListValue([...old, ...args.slice(1)]));
  },
  lrange(call) {
    takes(call, 3, 3, "LIST FIRST LAST");
    const own = items(call, 0);
    const first = Math.max(0, indexOf(call, 1, own.length));
    return list(call, own.slice(first, Math.max(first, indexOf(call, 2, own.length) + 1)));
  },
  linsert(call) {
    takes(call, 2, Infinity, "LIST INDEX VALUE ...");
    const own = items(call, 0);
    const isEnd = text(call, 1).startsWith("end");
    const at = Math.min(own.length, Math.max(0, indexOf(call, 1, own.length) + (isEnd ? 1 : 0)));
    return list(call, [...own.slice(0, at), ...call.args.slice(2), ...own.slice(at)]);
  },
  lreplace(call) {
    takes(call, 3, Infinity, "LIST FIRST LAST [VALUE ...]");
    const own = items(call, 0);
    const first = Math.min(own.length, Math.max(0, indexOf(call, 1, own.length)));
    const next = Math.max(first, indexOf(call, 2, own.length) + 1);
    return list(call, [...own.slice(0, first), ...call.args.slice(3), ...own.slice(next)]);
  },
  lreverse(call) {
    takes(call, 1, 1, "LIST");
    return list(call, [...items(call, 0)].reverse());
  },
  lrepeat(call) {
    takes(call, 1, Infinity, "COUNT VALUE ...");
    const count = whole(call, 0);
    if (count < 0) call.fail("A list cannot be repeated less than 0 times.", "Give 0 or more.", 0);
    call.interpreter.spend(0, count * Math.max(1, call.args.length - 1));
    return new ListValue(Array.from({ length: count }, () => call.args.slice(1)).flat());
  },
  lset(call) {
    takes(call, 3, 3, "NAME INDEX VALUE");
    const { interpreter } = call;
    const before =
      interpreter.get(text(call, 0)) ?? call.fail(`There is no variable '${text(call, 0)}'.`, "Set it first.", 0);
    const own = [...interpreter.items(before, call.places(0))];
    const at = indexOf(call, 1, own.length);
    if (at < 0 || at > own.length) call.fail(`The list has no element ${text(call, 1)}.`, `It has ${own.length}.`, 1);
    own[at] = call.args[2];
    return interpreter.set(text(call, 0), list(call, own));
  },
  lassign(call) {
    takes(call, 2, Infinity, "LIST NAME ...");
    const own = items(call, 0);
    const names = call.args.slice(1);
    names.forEach((name, i) => call.interpreter.set(textOf(name), own[i] ?? ""));
    return list(call, own.slice(names.length));
  },
  lsort(call) {
    const { set, first } = options(call, [
      "-ascii",
      "-dictionary",
      "-integer",
      "-real",
      "-increasing",
      "-decreasing",
      "-unique",
      "-nocase",
    ]);
    if (first !== call.args.length - 1) call.fail("'lsort' sorts one list.", "Write lsort [OPTION ...] LIST.");
    const own = items(call, first).map((value) => ({ value, text: textOf(value) }));
    if (set.has("-integer") || set.has("-real")) {
      const wrong = own.find((item) => !numberOf(item.text));
      if (wrong) call.fail(`'${wrong.text}' is not a number.`, "Sort it as text.", first);
    }
    call.interpreter.spend(own.length);
    const compare = compareItems(set);
    own.sort((a, b) => compare(a.text, b.text));
    const kept = set.has("-unique")
      ? own.filter((item, i) => i === 0 || compare(own[i - 1].text, item.text) !== 0)
      : own;
    return new ListValue(kept.map((item) => item.value));
  },
  lsearch(call) {
    const { set, first } = options(call, ["-exact", "-glob", "-regexp", "-all", "-inline", "-not", "-nocase"]);
    if (first !== call.args.length - 2)
      call.fail("'lsearch' takes a list and a pattern.", "Write lsearch [OPTION ...] LIST PATTERN.");
    const own = items(call, first);
    const fold = (value: string) => (set.has("-nocase") ? value.toLowerCase() : value);
    const pattern = fold(text(call, first + 1));
    const expression = set.has("-regexp")
      ? patternOf(call, text(call, first + 1), first + 1, set.has("-nocase"))
      : null;
    const hits: number[] = [];
    own.forEach((item, i) => {
      const value = fold(textOf(item));
      call.interpreter.spend(0, value.length + (expression ? value.length * 8 : 0));
      const is = expression
        ? expression.find(value) !== null
        : set.has("-exact")
          ? value === pattern
          : matchGlob(pattern, value);
      if (is !== set.has("-not")) hits.push(i);
    });
    if (set.has("-all")) return new ListValue(hits.map((i) => (set.has("-inline") ? own[i] : String(i))));
    if (set.has("-inline")) return hits.length ? own[hits[0]] : "";
    return String(hits[0] ?? -1);
  },
  concat(call) {
    const all = call.args.map((arg) => itemsOf(arg));
    if (all.every((each) => each !== null)) return list(call, all.flat());
    return made(
      call,
      call.args
        .map((arg) => textOf(arg).trim())
        .filter(Boolean)
        .join(" "),
    );
  },
  join(call) {
    takes(call, 1, 2, "LIST [BETWEEN]");
    return made(
      call,
      items(call, 0)
        .map(textOf)
        .join(call.args.length > 1 ? text(call, 1) : " "),
    );
  },
  split(call) {
    takes(call, 1, 2, "TEXT [CHARACTERS]");
    const own = text(call, 0);
    if (own === "") return new ListValue([]);
    const at = new Set(call.args.length > 1 ? text(call, 1) : " \t\r\n");
    call.interpreter.spend(0, own.length);
    if (at.size === 0) return new ListValue([...own]);
    const parts: string[] = [];
    let start = 0;
    for (let i = 0; i < own.length; i++) {
      if (!at.has(own[i])) continue;
      parts.push(own.slice(start, i));
      start = i + 1;
    }
    parts.push(own.slice(start));
    return new ListValue(parts);
  },
};

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

const texts: Readonly<Record<string, Implementation>> = {
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
  array(call) {
    takes(call, 2, 3, "KIND NAME ...");
    const { interpreter } = call;
    const name = text(call, 1);
    const elements = interpreter.elements(name);
    const matching = () =>
      [...(elements ?? [])].filter(([key]) => call.args.length < 3 || matchGlob(text(call, 2), key));
    switch (text(call, 0)) {
      case "set": {
        takes(call, 3, 3, "set NAME {INDEX VALUE ...}");
        const own = items(call, 2);
        if (own.length % 2) call.fail("The last index has no value.", "Give pairs.", 2);
        for (let i = 0; i < own.length; i += 2) interpreter.set(`${name}(${textOf(own[i])})`, own[i + 1]);
        return "";
      }
      case "get":
        return list(call, matching().flat());
      case "names":
        return list(
          call,
          matching().map(([key]) => key),
        );
      case "exists":
        return elements ? "1" : "0";
      case "size":
        return String(elements?.size ?? 0);
      case "unset":
        if (call.args.length < 3) interpreter.unset(name);
        else for (const [key] of matching()) elements!.delete(key);
        return "";
      default:
        return call.fail(
          `There is no 'array ${text(call, 0)}'.`,
          "There are set, get, names, exists, size and unset.",
          0,
        );
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

export const textCommands: Readonly<Record<string, Implementation>> = { ...lists, ...texts };
