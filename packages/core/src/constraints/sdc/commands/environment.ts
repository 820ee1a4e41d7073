import { Arguments } from "../arguments.ts";
import type { Call, Implementation } from "../interpreter.ts";
import type { RuleReader } from "../rule-reader.ts";
import type { Value } from "../values.ts";
import { edgeOf } from "./clocks.ts";
import { noEffect } from "./exceptions.ts";

/** What lies around the part, units, and commands of the standard that mean nothing to it. */
export function environmentCommands(reader: RuleReader): Readonly<Record<string, Implementation>> {
  const withoutEffect = Object.fromEntries(
    Object.entries(reasons).map(([name, why]): [string, Implementation] => [
      name,
      (call) => {
        noEffect(reader, call, name, why);
        return "";
      },
    ]),
  );
  return {
    ...withoutEffect,
    set_input_delay: (call) => ioDelay(reader, call, "input"),
    set_output_delay: (call) => ioDelay(reader, call, "output"),
    set_load: (call) => load(reader, call, "load"),
    set_drive: (call) => load(reader, call, "drive"),
    set_units: (call) => units(reader, call),
  };
}

const sizes = "the part's cells have the sizes that they have";
const slopes = "the part's delays do not depend on slopes: every wire has a buffer of its own";
/** Commands of the SDC documents that are about other kinds of circuits. */
const reasons: Readonly<Record<string, string>> = {
  set_clock_transition: slopes,
  set_input_transition: slopes,
  set_driving_cell: "what drives a pin is outside of the part; set_drive says how strong it is",
  set_max_transition: slopes,
  set_max_capacitance: "every wire of the part is driven by a buffer made for it",
  set_min_capacitance: "every wire of the part is driven by a buffer made for it",
  set_max_fanout: "the router shares long nets among wires by itself",
  set_fanout_load: "every wire of the part is driven by a buffer made for it",
  set_port_fanout_number: "what lies outside of the part is given by set_load",
  set_resistance: "the part's wires have the delays that they have",
  set_max_area: sizes,
  set_ideal_network: "clock networks are analysed as they are",
  set_ideal_latency: "clock networks are analysed as they are",
  set_ideal_transition: slopes,
  set_operating_conditions: "every report covers the part's three corners",
  set_wire_load_model: "wires are measured, or estimated from the placement",
  set_wire_load_mode: "wires are measured, or estimated from the placement",
  set_wire_load_selection_group: "wires are measured, or estimated from the placement",
  set_wire_load_min_block_size: "wires are measured, or estimated from the placement",
  set_timing_derate: "the corners hold the part's own least and largest delays",
  set_voltage: "supplies are set by the banks of the pin file",
  set_max_dynamic_power: "power is estimated on its own page",
  set_max_leakage_power: "power is estimated on its own page",
  set_level_shifter_strategy: sizes,
  set_level_shifter_threshold: sizes,
  create_voltage_area: "the part has one supply inside",
  set_min_porosity: sizes,
  set_logic_dc: "set_case_analysis says what is constant",
  set_logic_zero: "set_case_analysis says what is constant",
  set_logic_one: "set_case_analysis says what is constant",
  set_min_pulse_width: "the part's registers and blocks have limits of their own, which are checked",
};

function ioDelay(reader: RuleReader, call: Call, side: "input" | "output"): Value {
  const args = new Arguments(
    call,
    {
      "-clock": "value",
      "-reference_pin": "value",
      "-clock_fall": "flag",
      "-level_sensitive": "flag",
      "-rise": "flag",
      "-fall": "flag",
      "-max": "flag",
      "-min": "flag",
      "-add_delay": "flag",
      "-network_latency_included": "flag",
      "-source_latency_included": "flag",
    },
    "-clock CLOCK [-max] [-min] NS PORTS",
    2,
    2,
  );
  const ps = reader.time(call, args.rest[0].value, args.rest[0].at);
  const ports = reader
    .take(call, args.rest[1].value, args.rest[1].at, ["port"])
    .filter((number) => fits(reader, call, side, number, args.rest[1].at));
  const clockValue = args.value("-clock");
  const clocks = clockValue === null ? [] : reader.clockNames(call, clockValue, args.at("-clock"));
  if (clockValue !== null && clocks.length === 0) return "";
  if (clocks.length > 1)
    call.fail(`${clocks.length} clocks are named.`, "Write a line for each, with -add_delay.", args.at("-clock"));
  const referenceValue = args.value("-reference_pin");
  const reference =
    referenceValue === null ? [-1] : reader.take(call, referenceValue, args.at("-reference_pin"), ["port", "pin"]);
  if (reference.length !== 1)
    call.fail("A delay goes by one reference.", "Name one pin or port.", args.at("-reference_pin"));
  if (args.has("-level_sensitive"))
    call.fail(
      "-level_sensitive is not taken: what drives the pin is outside of the part.",
      "Give the delay from the edge that opens the latch.",
      args.at("-level_sensitive"),
    );
  if (clocks.length === 0 && args.has("-clock_fall"))
    call.fail("-clock_fall goes with -clock.", "Name the clock.", args.at("-clock_fall"));
  if (ports.length === 0) return "";
  if (args.has("-network_latency_included"))
    noEffect(
      reader,
      call,
      "-network_latency_included",
      "delays outside go by the clock at its source, and no network outside is known",
    );
  const isBoth = args.has("-max") === args.has("-min");
  reader.rules.ioDelays.push({
    side,
    ports,
    clock: clocks[0] ?? null,
    clockFalls: args.has("-clock_fall"),
    reference: reference[0],
    add: args.has("-add_delay"),
    max: isBoth || args.has("-max"),
    min: isBoth || args.has("-min"),
    edge: edgeOf(args),
    ps,
    sourceLatencyIncluded: args.has("-source_latency_included"),
    origin: reader.origin(call),
  });
  return "";
}

/** A delay for the wrong side of the part covers nothing: that is told, port by port. */
function fits(reader: RuleReader, call: Call, side: "input" | "output", number: number, at: number): boolean {
  const object = reader.rules.objects[number];
  if (object.kind !== "port") return false;
  const wrong = side === "input" ? "out" : "in";
  if (object.direction !== wrong) return true;
  reader.findings.push({
    code: "sdc/wrong-side",
    severity: "warning",
    place: call.places(at),
    message: `'${object.name}' is an ${side === "input" ? "output" : "input"}: this ${side} delay has no effect on it.`,
    remedy: `Use set_${side === "input" ? "output" : "input"}_delay.`,
  });
  return false;
}

function load(reader: RuleReader, call: Call, kind: "load" | "drive"): Value {
  const args = new Arguments(
    call,
    {
      "-min": "flag",
      "-max": "flag",
      "-rise": "flag",
      "-fall": "flag",
      "-pin_load": "flag",
      "-wire_load": "flag",
      "-subtract_pin_load": "flag",
    },
    kind === "load" ? "PICOFARAD PORTS" : "KILOOHM PORTS",
    2,
    2,
  );
  const value = args.numberOfRest(0) * (kind === "load" ? reader.units.capacitance : reader.units.resistance);
  if (value < 0) call.fail(`A ${kind} is not below 0.`, "Give 0 or more.", args.rest[0].at);
  const ports = reader.take(call, args.rest[1].value, args.rest[1].at, ["port"]);
  const wrong = ports.filter((number) => {
    const object = reader.rules.objects[number];
    return object.kind === "port" && object.direction === (kind === "load" ? "in" : "out");
  });
  for (const number of wrong)
    reader.findings.push({
      code: "sdc/wrong-side",
      severity: "warning",
      place: call.places(args.rest[1].at),
      message: `'${reader.rules.objects[number].name}' is an ${kind === "load" ? "input" : "output"}: this ${kind} has no effect on it.`,
      remedy: kind === "load" ? "Name outputs." : "Name inputs.",
    });
  const left = ports.filter((number) => !wrong.includes(number));
  if (left.length === 0) return "";
  const isBoth = args.has("-max") === args.has("-min");
  reader.rules.loads.push({
    kind,
    ports: left,
    max: isBoth || args.has("-max"),
    min: isBoth || args.has("-min"),
    edge: edgeOf(args),
    value,
    origin: reader.origin(call),
  });
  return "";
}

const prefixes: Readonly<Record<string, number>> = {
  f: 1e-15,
  p: 1e-12,
  n: 1e-9,
  u: 1e-6,
  m: 1e-3,
  "": 1,
  k: 1e3,
  M: 1e6,
};

function units(reader: RuleReader, call: Call): Value {
  const args = new Arguments(
    call,
    {
      "-time": "text",
      "-capacitance": "text",
      "-resistance": "text",
      "-current": "text",
      "-voltage": "text",
      "-power": "text",
    },
    "-time ns -capacitance pF -resistance kOhm",
    0,
    0,
  );
  const read = (name: string, unit: RegExp, base: number): number | null => {
    const text = args.text(name);
    if (text === null) return null;
    const match = /^(\d+(?:\.\d+)?)?\s*([fpnumkM]?)([A-Za-z]+)$/.exec(text.trim());
    if (!match || !unit.test(match[3]))
      call.fail(`'${text}' is no unit.`, "Write, for instance, 1ns, 1pF or 1kOhm.", args.at(name));
    return (Number(match[1] ?? 1) * prefixes[match[2]]) / base;
  };
  reader.units.time = read("-time", /^s$/, 1e-12) ?? reader.units.time;
  reader.units.capacitance = read("-capacitance", /^[fF]$/, 1e-12) ?? reader.units.capacitance;
  reader.units.resistance = read("-resistance", /^ohms?$/i, 1e3) ?? reader.units.resistance;
  for (const name of ["-current", "-voltage", "-power"])
    if (args.has(name)) noEffect(reader, call, name, "no rule here has such a unit");
  return "";
}
