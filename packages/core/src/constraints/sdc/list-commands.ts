import { indexOf, items, list, made, options, patternOf, text, whole } from "./command-words.ts";
import { numberOf } from "./expression.ts";
import { type Implementation, takes } from "./interpreter.ts";
import { matchGlob } from "./match.ts";
import { itemsOf, ListValue, textOf, type Value } from "./values.ts";

/** Commands on lists and arrays. */
export const listCommands: Readonly<Record<string, Implementation>> = {
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
};

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
