import { Arguments, type OptionSpec } from "../arguments.ts";
import type { Call, Implementation } from "../interpreter.ts";
import type { ObjectKind } from "../objects.ts";
import type { RuleReader } from "../rule-reader.ts";
import type { ExceptionKind, ExceptionRule, RulePoints } from "../rules.ts";
import { textOf, type Value } from "../values.ts";
import { edgeOf } from "./clocks.ts";

/** Paths that are told apart from others: false, longer than a cycle, bounded, grouped. */
export function exceptionCommands(reader: RuleReader): Readonly<Record<string, Implementation>> {
  return {
    set_false_path: (call) => exception(reader, call, "false path"),
    set_multicycle_path: (call) => exception(reader, call, "multicycle"),
    set_max_delay: (call) => exception(reader, call, "max delay"),
    set_min_delay: (call) => exception(reader, call, "min delay"),
    set_max_skew: (call) => exception(reader, call, "max skew"),
    group_path: (call) => exception(reader, call, "group"),
    set_disable_timing: (call) => disable(reader, call),
    set_case_analysis: (call) => caseAnalysis(reader, call),
    set_data_check: (call) => dataCheck(reader, call),
    set_clock_gating_check: (call) => gating(reader, call),
  };
}

const pathOptions: OptionSpec = {
  "-from": "values",
  "-rise_from": "values",
  "-fall_from": "values",
  "-through": "values",
  "-rise_through": "values",
  "-fall_through": "values",
  "-to": "values",
  "-rise_to": "values",
  "-fall_to": "values",
  "-rise": "flag",
  "-fall": "flag",
  "-comment": "text",
};
const ends: readonly ObjectKind[] = ["clock", "port", "pin", "cell"];
const throughs: readonly ObjectKind[] = ["pin", "net", "cell", "port"];

/** Null: not given. "none": what is given matches nothing. */
function points(
  reader: RuleReader,
  args: Arguments,
  names: readonly [both: string, rise: string, fall: string],
  kinds: readonly ObjectKind[],
): RulePoints | null | "none" {
  const name = args.one(...names);
  if (!name) return null;
  const given = args.values(name);
  if (given.length > 1) args.call.fail(`'${name}' stands twice.`, "Put both into one list.", given[1].at);
  const [{ value, at }] = given;
  const objects = reader.take(args.call, value, at, kinds);
  if (objects.length === 0) return "none";
  return { objects, edge: name === names[0] ? "both" : name === names[1] ? "rise" : "fall" };
}

/** In the order in which they stand, whatever their edge. */
function throughPoints(reader: RuleReader, args: Arguments): RulePoints[] | "none" {
  const all = (["-through", "-rise_through", "-fall_through"] as const).flatMap((name) =>
    args.values(name).map((each) => ({
      ...each,
      edge: name === "-through" ? ("both" as const) : name === "-rise_through" ? ("rise" as const) : ("fall" as const),
    })),
  );
  all.sort((a, b) => a.at - b.at);
  const groups = all.map(({ value, at, edge }) => ({ objects: reader.take(args.call, value, at, throughs), edge }));
  return groups.some(({ objects }) => objects.length === 0) ? "none" : groups;
}

interface Form {
  readonly options: OptionSpec;
  readonly usage: string;
  readonly values: number;
}
const forms: Readonly<Record<ExceptionKind, Form>> = {
  "false path": {
    options: { ...pathOptions, "-setup": "flag", "-hold": "flag", "-reset_path": "flag" },
    usage: "[-setup] [-hold] -from OBJECTS -through OBJECTS -to OBJECTS",
    values: 0,
  },
  multicycle: {
    options: {
      ...pathOptions,
      "-setup": "flag",
      "-hold": "flag",
      "-start": "flag",
      "-end": "flag",
      "-reset_path": "flag",
    },
    usage: "[-setup|-hold] [-start|-end] CYCLES -from OBJECTS -to OBJECTS",
    values: 1,
  },
  "max delay": { options: { ...pathOptions, "-reset_path": "flag" }, usage: "NS -from OBJECTS -to OBJECTS", values: 1 },
  "min delay": { options: { ...pathOptions, "-reset_path": "flag" }, usage: "NS -from OBJECTS -to OBJECTS", values: 1 },
  "max skew": { options: pathOptions, usage: "NS -from OBJECTS -to OBJECTS", values: 1 },
  group: {
    options: { ...pathOptions, "-name": "text", "-default": "flag", "-weight": "number", "-critical_range": "number" },
    usage: "-name NAME -from OBJECTS -to OBJECTS",
    values: 0,
  },
};

function exception(reader: RuleReader, call: Call, kind: ExceptionKind): Value {
  const form = forms[kind];
  const args = new Arguments(call, form.options, form.usage, form.values, form.values);
  const from = points(reader, args, ["-from", "-rise_from", "-fall_from"], ends);
  const to = points(reader, args, ["-to", "-rise_to", "-fall_to"], ends);
  const through = throughPoints(reader, args);
  if (args.has("-reset_path"))
    call.fail(
      "-reset_path takes back other lines, which files here do not need.",
      "Delete those lines instead.",
      args.at("-reset_path"),
    );
  for (const name of ["-weight", "-critical_range"])
    if (args.has(name)) noEffect(reader, call, name, "all paths are worked on by their slack alone");
  // a query that finds nothing has been told: the rule then covers no path
  if (from === "none" || to === "none" || through === "none") return "";
  if (kind !== "group" && !from && !to && through.length === 0)
    call.fail(`This '${call.name}' names no path.`, "Add -from, -through or -to.");
  if (kind === "group" && !args.has("-name") && !args.has("-default"))
    call.fail("The group has no name.", "Add -name NAME.");
  const value = amountOf(reader, call, kind, args);
  const [setup, hold] = [args.has("-setup"), args.has("-hold")];
  const isMulticycle = kind === "multicycle";
  const start = args.one("-start", "-end");
  const rule: ExceptionRule = {
    kind,
    from,
    through,
    to,
    // a multicycle without -hold moves the setup check, and hold goes with it
    setup: kind === "min delay" ? false : setup || !hold,
    hold: kind === "max delay" ? false : isMulticycle ? hold : hold || !setup,
    edge: edgeOf(args),
    value,
    byStart: start === null ? isMulticycle && hold && !setup : start === "-start",
    group: args.text("-name") ?? "",
    origin: reader.origin(call),
  };
  reader.rules.exceptions.push(rule);
  return "";
}

function amountOf(reader: RuleReader, call: Call, kind: ExceptionKind, args: Arguments): number {
  if (forms[kind].values === 0) return 0;
  if (kind !== "multicycle") {
    const ps = reader.time(call, args.rest[0].value, args.rest[0].at);
    if (kind === "max skew" && ps < 0) call.fail("A skew is not below 0.", "Give 0 or more.", args.rest[0].at);
    return ps;
  }
  const cycles = args.numberOfRest(0);
  const least = args.has("-hold") && !args.has("-setup") ? -1000 : 1;
  if (!Number.isInteger(cycles) || cycles < least || cycles > 1000)
    call.fail(`'${cycles}' is no number of cycles.`, `Give a whole number from ${least} to 1000.`, args.rest[0].at);
  return cycles;
}

export function noEffect(reader: RuleReader, call: Call, what: string, why: string): void {
  reader.findings.push({
    code: "sdc/no-effect",
    severity: "note",
    place: call.place,
    message: `'${what}' has no effect: ${why}.`,
    remedy: "It can stay for other programs.",
  });
}

function disable(reader: RuleReader, call: Call): Value {
  const args = new Arguments(call, { "-from": "text", "-to": "text" }, "[-from PIN] [-to PIN] OBJECTS", 1, 1);
  const [{ value, at }] = args.rest;
  const objects = reader.take(call, value, at, ["cell", "pin", "port", "net"]);
  if (objects.length === 0) return "";
  const [from, to] = [args.text("-from") ?? "", args.text("-to") ?? ""];
  if (from || to)
    for (const number of objects)
      if (reader.rules.objects[number].kind !== "cell")
        call.fail("-from and -to name pins of a cell.", "Name the cell with get_cells.", at);
  reader.rules.disabled.push({ objects, from, to, origin: reader.origin(call) });
  return "";
}

function caseAnalysis(reader: RuleReader, call: Call): Value {
  const args = new Arguments(call, {}, "0|1|rising|falling PORTS", 2, 2);
  const text = textOf(args.rest[0].value).toLowerCase();
  const known: Readonly<Record<string, "0" | "1" | "rising" | "falling">> = {
    "0": "0",
    zero: "0",
    "1": "1",
    one: "1",
    rising: "rising",
    rise: "rising",
    falling: "falling",
    fall: "falling",
  };
  const value = known[text];
  if (!value) call.fail(`'${text}' is no value.`, "Use 0, 1, rising or falling.", args.rest[0].at);
  const objects = reader.take(call, args.rest[1].value, args.rest[1].at, ["port", "pin", "net"]);
  if (objects.length) reader.rules.cases.push({ objects, value, origin: reader.origin(call) });
  return "";
}

function dataCheck(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-from": "value",
      "-to": "value",
      "-rise_from": "value",
      "-fall_from": "value",
      "-rise_to": "value",
      "-fall_to": "value",
      "-setup": "flag",
      "-hold": "flag",
      "-clock": "value",
    },
    "-from OBJECT -to OBJECT [-setup] [-hold] NS",
    1,
    1,
  );
  const side = (names: readonly string[]): RulePoints | null => {
    const name = args.one(...names);
    if (!name) return call.fail(`'${names[0]}' is missing.`, "A data check has -from and -to.");
    const objects = reader.take(call, args.value(name)!, args.at(name), ["pin", "port", "cell"]);
    return objects.length
      ? { objects, edge: name === names[0] ? "both" : name.startsWith("-rise") ? "rise" : "fall" }
      : null;
  };
  const from = side(["-from", "-rise_from", "-fall_from"]);
  const to = side(["-to", "-rise_to", "-fall_to"]);
  if (!from || !to) return "";
  const ps = reader.time(call, args.rest[0].value, args.rest[0].at);
  const [setup, hold] = [args.has("-setup"), args.has("-hold")];
  const clock = args.value("-clock");
  reader.rules.dataChecks.push({
    from,
    to,
    setupPs: setup || !hold ? ps : null,
    holdPs: hold || !setup ? ps : null,
    clock: clock === null ? null : (reader.clockNames(call, clock, args.at("-clock"))[0] ?? null),
    origin: reader.origin(call),
  });
  return "";
}

function gating(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    { "-setup": "number", "-hold": "number", "-rise": "flag", "-fall": "flag", "-high": "flag", "-low": "flag" },
    "-setup NS -hold NS [OBJECTS]",
    0,
    1,
  );
  for (const name of ["-rise", "-fall", "-high", "-low"])
    if (args.has(name))
      call.fail(
        `'${name}' is not taken: which level lets a clock pass is seen from the logic.`,
        "Take it out.",
        args.at(name),
      );
  const time = (name: string) => {
    const value = args.value(name);
    return value === null ? null : reader.time(call, value, args.at(name));
  };
  const [given] = args.rest;
  const objects = given ? reader.take(call, given.value, given.at, ["cell", "pin", "clock"]) : [];
  if (given && objects.length === 0) return "";
  reader.rules.gating.push({
    objects,
    setupPs: time("-setup"),
    holdPs: time("-hold"),
    origin: reader.origin(call),
  });
  return "";
}
