import { Arguments, numberAt } from "../arguments.ts";
import type { Call, Implementation } from "../interpreter.ts";
import { type DeclaredClock, type RuleReader, thousandth } from "../rule-reader.ts";
import type { LatencyRule, RuleEdge, UncertaintyRule } from "../rules.ts";
import { textOf, type Value } from "../values.ts";

/** Clocks, what is made of them, and how they vary. */
export function clockCommands(reader: RuleReader): Readonly<Record<string, Implementation>> {
  return {
    create_clock: (call) => createClock(reader, call),
    create_generated_clock: (call) => createGenerated(reader, call),
    set_clock_groups: (call) => clockGroups(reader, call),
    set_clock_uncertainty: (call) => uncertainty(reader, call),
    set_clock_latency: (call) => latency(reader, call),
    set_propagated_clock(call) {
      const args = new Arguments(call, {}, "CLOCKS", 1, 1);
      const [{ value, at }] = args.rest;
      const found = reader.take(call, value, at, ["clock", "port", "pin"]);
      const { clocks, points } = parted(reader, found);
      reader.rules.propagated.push({ clocks, points, origin: reader.origin(call) });
      return "";
    },
  };
}

/** Clocks by name, and other objects. */
export function parted(reader: RuleReader, objects: readonly number[]): { clocks: string[]; points: number[] } {
  const clocks: string[] = [];
  const points: number[] = [];
  for (const number of objects) {
    const object = reader.rules.objects[number];
    if (object.kind === "clock") clocks.push(object.name);
    else points.push(number);
  }
  return { clocks, points };
}

function declare(reader: RuleReader, call: Call, clock: DeclaredClock): string {
  const fail = (message: string, other: DeclaredClock, remedy: string) =>
    reader.findings.push({
      code: "sdc/duplicate-clock",
      severity: "error",
      place: call.place,
      message,
      remedy,
      related: [{ place: other.origin.place, message: "First created here." }],
    });
  const same = reader.declared.find(({ name }) => name === clock.name);
  if (same) {
    fail(`There are two clocks of the name '${clock.name}'.`, same, "Keep one of them, or give one another -name.");
    return clock.name;
  }
  const places = new Set(clock.sources.map((source) => reader.sourcePlace(source)));
  const other = clock.add
    ? undefined
    : reader.declared.find(({ sources }) => sources.some((source) => places.has(reader.sourcePlace(source))));
  if (other) {
    const source = other.sources.find((each) => places.has(reader.sourcePlace(each)))!;
    fail(
      `'${reader.rules.objects[source].name}' has a clock already, '${other.name}'.`,
      other,
      "Keep one of them, or write -add where both are meant.",
    );
    return clock.name;
  }
  reader.declared.push(clock);
  return clock.name;
}

const longestNs = 1e6;

function createClock(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    { "-period": "number", "-name": "text", "-waveform": "value", "-add": "flag", "-comment": "text" },
    "-period NS [-name NAME] [-waveform {RISE FALL}] [get_ports PORT]",
    0,
    1,
  );
  const period = args.value("-period");
  if (period === null) call.fail("This clock has no period.", "Add -period and a time in ns.");
  const periodPs = reader.time(call, period, args.at("-period"));
  if (!(periodPs > 0) || periodPs > longestNs * 1000)
    call.fail(
      `'${textOf(period)}' is no period.`,
      "Give a positive number, such as 20 for 50 MHz.",
      args.at("-period"),
    );
  const edgesPs = waveform(reader, call, args, periodPs);
  const [given] = args.rest;
  const sources = given ? reader.take(call, given.value, given.at, ["port", "pin", "net"]) : [];
  const name =
    args.text("-name") ??
    (sources.length ? reader.rules.objects[sources[0]].name : reader.objects ? null : `clock${reader.declared.length}`);
  if (given && sources.length === 0 && reader.objects) {
    reader.findings.push({
      code: "sdc/no-source",
      severity: "error",
      place: call.places(given.at),
      message: `This clock is not made${name === null ? "" : `, nor anything that asks for '${name}'`}: nothing is where it should start.`,
      remedy: "Name a port of the design.",
    });
    return "";
  }
  if (name === null)
    return call.fail(
      "This clock has neither a name nor a port.",
      "End the line with [get_ports NAME], or give a -name.",
    );
  for (const source of sources) {
    const object = reader.rules.objects[source];
    if (object.kind === "port" && object.direction === "out")
      call.fail(
        `'${object.name}' is an output: no clock comes in there.`,
        "Use create_generated_clock for one that goes out.",
        given.at,
      );
  }
  return declare(reader, call, {
    name,
    sources,
    add: args.has("-add"),
    own: { periodPs, edgesPs },
    generated: null,
    origin: reader.origin(call),
  });
}

/** Rise and fall in turn, within one period of each other. */
function waveform(reader: RuleReader, call: Call, args: Arguments, periodPs: number): number[] {
  const value = args.value("-waveform");
  if (value === null) return [0, thousandth(periodPs / 2)];
  const at = args.at("-waveform");
  const edges = call.interpreter.items(value, call.places(at)).map((each) => reader.time(call, each, at));
  const usage = "Write -waveform {0 10}: rise and fall in turn.";
  if (edges.length < 2 || edges.length % 2) call.fail("A waveform is an even number of times.", usage, at);
  if (edges.length > 200) call.fail("A waveform has at most 200 edges.", usage, at);
  if (edges.some((edge, i) => edge < 0 || (i > 0 && edge <= edges[i - 1])))
    call.fail("The times of a waveform go up.", usage, at);
  if (edges[edges.length - 1] - edges[0] >= periodPs)
    call.fail("The waveform is longer than the period.", "Let it end within the period.", at);
  return edges;
}

function createGenerated(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-name": "text",
      "-source": "value",
      "-edges": "value",
      "-divide_by": "number",
      "-multiply_by": "number",
      "-duty_cycle": "number",
      "-invert": "flag",
      "-edge_shift": "value",
      "-add": "flag",
      "-master_clock": "value",
      "-combinational": "flag",
      "-comment": "text",
    },
    "-source OBJECT [-divide_by N] [-multiply_by N] OBJECTS",
    1,
    1,
  );
  const { interpreter } = call;
  const source = args.value("-source");
  if (source === null) call.fail("This clock has no -source.", "Name the port or pin of the clock that it is made of.");
  const [from] = reader.take(call, source, args.at("-source"), ["port", "pin", "net"]);
  const [given] = args.rest;
  const sources = reader.take(call, given.value, given.at, ["port", "pin", "net"]);
  if (sources.length === 0 || from === undefined) return "";
  const whole = (name: string): number => {
    const number = args.number(name) ?? 1;
    if (!Number.isInteger(number) || number < 1 || number > 1e6)
      call.fail(`'${number}' is no ratio.`, "Give a whole number from 1 up.", args.at(name));
    return number;
  };
  const edgesValue = args.value("-edges");
  let edges: number[] | null = null;
  if (edgesValue !== null) {
    const at = args.at("-edges");
    edges = interpreter.items(edgesValue, call.places(at)).map((each) => numberAt(call, each, at));
    if (
      edges.length < 3 ||
      edges.length % 2 === 0 ||
      edges.some((edge, i) => !Number.isInteger(edge) || edge < 1 || (i > 0 && edge < edges![i - 1]))
    )
      call.fail(
        "Edges are an odd number of the master's edges, counted from 1 and rising.",
        "Write -edges {1 3 5} for half the frequency.",
        at,
      );
    args.one("-edges", "-divide_by");
    args.one("-edges", "-multiply_by");
  }
  const shiftValue = args.value("-edge_shift");
  let shiftsPs: number[] = [];
  if (shiftValue !== null) {
    const at = args.at("-edge_shift");
    shiftsPs = interpreter.items(shiftValue, call.places(at)).map((each) => reader.time(call, each, at));
    if (!edges || shiftsPs.length !== edges.length)
      call.fail("There is a shift for each of -edges.", "Give as many times as edges.", at);
  }
  const duty = args.number("-duty_cycle");
  if (duty !== null && !(duty > 0 && duty < 100))
    call.fail(`'${duty}' is no duty cycle.`, "Give percent between 0 and 100.", args.at("-duty_cycle"));
  const masterValue = args.value("-master_clock");
  const master =
    masterValue === null
      ? null
      : (reader.clockNames(call, masterValue, args.at("-master_clock"))[0] ?? textOf(masterValue));
  return declare(reader, call, {
    name: args.text("-name") ?? reader.rules.objects[sources[0]].name,
    sources,
    add: args.has("-add"),
    own: null,
    generated: {
      source: from,
      master,
      divideBy: whole("-divide_by"),
      multiplyBy: whole("-multiply_by"),
      edges,
      shiftsPs,
      isInverted: args.has("-invert"),
      duty,
    },
    origin: reader.origin(call),
  });
}

function clockGroups(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-name": "text",
      "-asynchronous": "flag",
      "-logically_exclusive": "flag",
      "-physically_exclusive": "flag",
      "-allow_paths": "flag",
      "-group": "values",
      "-comment": "text",
    },
    "-asynchronous -group CLOCKS -group CLOCKS",
    0,
    0,
  );
  const kind = args.one("-asynchronous", "-logically_exclusive", "-physically_exclusive");
  if (!kind) call.fail("The groups have no kind.", "Add -asynchronous, -logically_exclusive or -physically_exclusive.");
  if (args.has("-allow_paths"))
    call.fail(
      "-allow_paths is for crosstalk, which this part's wires do not have.",
      "Take it out, or take the rule out if the paths are to be checked.",
      args.at("-allow_paths"),
    );
  const values = args.values("-group");
  if (values.length === 0) call.fail("There is no -group.", "Give at least one.");
  const groups = values.map(({ value, at }) => reader.clockNames(call, value, at));
  const seen = new Map<string, number>();
  groups.forEach((group, g) => {
    for (const name of group) {
      if (seen.has(name) && seen.get(name) !== g)
        call.fail(`'${name}' is in two of the groups.`, "Keep it in one.", values[g].at);
      seen.set(name, g);
    }
  });
  if (groups.some((group) => group.length === 0)) return "";
  reader.rules.groups.push({
    kind:
      kind === "-asynchronous"
        ? "asynchronous"
        : kind === "-logically_exclusive"
          ? "logically exclusive"
          : "physically exclusive",
    groups,
    origin: reader.origin(call),
  });
  return "";
}

/** `both` where neither or both of two flags are given. */
export function edgeOf(args: Arguments, rise = "-rise", fall = "-fall"): RuleEdge {
  return args.has(rise) === args.has(fall) ? "both" : args.has(rise) ? "rise" : "fall";
}

function uncertainty(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-setup": "flag",
      "-hold": "flag",
      "-rise": "flag",
      "-fall": "flag",
      "-from": "value",
      "-rise_from": "value",
      "-fall_from": "value",
      "-to": "value",
      "-rise_to": "value",
      "-fall_to": "value",
    },
    "[-setup] [-hold] NS CLOCKS",
    1,
    2,
  );
  const ps = reader.time(call, args.rest[0].value, args.rest[0].at);
  const [setup, hold] = [args.has("-setup"), args.has("-hold")];
  const between = (names: readonly string[]): UncertaintyRule["from"] => {
    const name = args.one(...names);
    if (!name) return null;
    const edge = name.startsWith("-rise") ? "rise" : name.startsWith("-fall") ? "fall" : "both";
    return { clocks: reader.clockNames(call, args.value(name)!, args.at(name)), edge };
  };
  const from = between(["-from", "-rise_from", "-fall_from"]);
  const to = between(["-to", "-rise_to", "-fall_to"]);
  const [, objects] = args.rest;
  let clocks: string[] = [];
  let points: number[] = [];
  if (from || to) {
    if (objects) call.fail("Clocks stand behind -from and -to here.", "Take out the ones at the end.", objects.at);
    if (!from || !to) call.fail("An uncertainty between clocks has -from and -to.", "Give both.");
    if (from.clocks.length === 0 || to.clocks.length === 0) return "";
  } else {
    if (!objects) call.fail("No clock is named.", "End the line with [get_clocks NAME].");
    ({ clocks, points } = parted(reader, reader.take(call, objects.value, objects.at, ["clock", "port", "pin"])));
    if (clocks.length + points.length === 0) return "";
  }
  // edges at the end of a path, for uncertainty between clocks
  const edge = edgeOf(args);
  reader.rules.uncertainties.push({
    clocks,
    from,
    to: to && edge !== "both" && to.edge === "both" ? { ...to, edge } : to,
    points,
    setup: setup || !hold,
    hold: hold || !setup,
    ps,
    origin: reader.origin(call),
  });
  return "";
}

function latency(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-rise": "flag",
      "-fall": "flag",
      "-min": "flag",
      "-max": "flag",
      "-source": "flag",
      "-early": "flag",
      "-late": "flag",
      "-dynamic": "number",
      "-clock": "value",
    },
    "[-source] [-early|-late] NS CLOCKS",
    2,
    2,
  );
  if (args.has("-dynamic"))
    call.fail("-dynamic has no meaning for this part.", "Give the whole latency.", args.at("-dynamic"));
  const isSource = args.has("-source");
  for (const name of ["-early", "-late"])
    if (args.has(name) && !isSource)
      call.fail(`'${name}' goes with -source.`, "Add -source, or take it out.", args.at(name));
  if (edgeOf(args) !== "both")
    call.fail(
      "Rising and falling edges of a clock have one latency here.",
      "Take -rise and -fall out, and give the larger one.",
      args.at(args.has("-rise") ? "-rise" : "-fall"),
    );
  const ps = reader.time(call, args.rest[0].value, args.rest[0].at);
  const { value, at } = args.rest[1];
  const { clocks, points } = parted(reader, reader.take(call, value, at, ["clock", "port", "pin"]));
  if (clocks.length + points.length === 0) return "";
  const only = args.value("-clock");
  const limited = only === null ? clocks : reader.clockNames(call, only, args.at("-clock"));
  const both = (a: string, b: string): [boolean, boolean] =>
    args.has(a) === args.has(b) ? [true, true] : [args.has(a), args.has(b)];
  const [min, max] = both("-min", "-max");
  const [early, late] = both("-early", "-late");
  const rule: LatencyRule = {
    clocks: limited,
    points,
    isSource,
    early,
    late,
    min,
    max,
    ps,
    origin: reader.origin(call),
  };
  reader.rules.latencies.push(rule);
  return "";
}
