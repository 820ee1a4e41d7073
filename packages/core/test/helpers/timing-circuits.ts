import type { Random } from "../../src/common/index.ts";

/** A small random circuit as text, with the names of what is in it, and rules for it. */
export interface TimingCase {
  readonly text: string;
  readonly clocks: readonly CaseClock[];
  readonly delays: readonly CaseIo[];
  readonly exceptions: readonly CaseException[];
  readonly groups: readonly (readonly string[])[];
  readonly uncertainties: readonly CaseUncertainty[];
  readonly latencies: readonly { readonly clock: string; readonly early: number; readonly late: number }[];
  readonly constants: readonly { readonly port: string; readonly value: 0 | 1 }[];
  readonly sdc: string;
}
export interface CaseClock {
  readonly name: string;
  /** Port, or register for a generated one; null for a virtual clock. */
  readonly source: { readonly port: string } | { readonly register: string } | null;
  readonly periodNs: number;
  readonly riseNs: number;
  readonly fallNs: number;
  readonly master: string | null;
}
export interface CaseIo {
  readonly side: "input" | "output";
  readonly port: string;
  readonly clock: string;
  readonly falls: boolean;
  readonly maxNs: number;
  readonly minNs: number;
}
export type CasePoint =
  | { readonly kind: "clock"; readonly name: string }
  | { readonly kind: "port"; readonly name: string }
  | { readonly kind: "register"; readonly name: string }
  | { readonly kind: "net"; readonly name: string };
export interface CasePoints {
  readonly points: readonly CasePoint[];
  readonly edge: "" | "rise" | "fall";
}
export interface CaseException {
  readonly kind: "false" | "multicycle" | "max" | "min";
  readonly from: CasePoints | null;
  readonly through: readonly CasePoints[];
  readonly to: CasePoints | null;
  readonly setup: boolean;
  readonly hold: boolean;
  readonly value: number;
  readonly side: "" | "start" | "end";
}
export interface CaseUncertainty {
  readonly clock: string;
  readonly from: string | null;
  readonly setup: boolean;
  readonly hold: boolean;
  readonly ns: number;
}

const pick = <T>(random: Random, list: readonly T[]): T => list[random.below(list.length)];
const periods = [10, 8, 12, 5, 6];

/**
 * Registers of two clocks, both edges, gated, multiplexed and divided clocks, enables, resets that wait and that do not,
 * latches, ports of both directions whose value comes back in, and random rules for all of it.
 */
export function randomTimingCase(random: Random): TimingCase {
  const clockPorts = ["ck0", "ck1"];
  const inputs = ["a0", "a1", "a2", "sel"];
  const lines: string[] = [];
  const signals = [...inputs, "io0", "io1"];
  const registers: string[] = [];
  const wires: string[] = [];
  const expr = (of: readonly string[] = signals): string => {
    const [x, y, z] = [pick(random, of), pick(random, of), pick(random, of)];
    return pick(random, [
      `${x} & ${y}`,
      `${x} | ${y}`,
      `${x} ^ ${y}`,
      `~(${x} & ${y}) ^ ${z}`,
      `${x} ? ${y} : ${z}`,
      `${x} & ~${y} | ${z}`,
    ]);
  };
  const names = Array.from({ length: 5 + random.below(4) }, (_, i) => `r${i}`);
  const latches = random.below(2) ? Array.from({ length: 1 + random.below(2) }, (_, i) => `q${i}`) : [];
  signals.push(...names, ...latches);
  for (let i = 0; i < 4 + random.below(5); i++) {
    lines.push(`  wire w${i} = ${expr()};`);
    signals.push(`w${i}`);
    wires.push(`w${i}`);
  }
  // clocks: plain, gated, through a multiplexer, divided
  const clockOf: string[] = ["ck0", "ck1", "ck0"];
  if (random.below(3) === 0) {
    const level = random.below(2);
    lines.push(
      `  wire gated = ${level ? "ck0 & gate" : "ck0 | gate"};`,
      "  reg gate;",
      `  always @(${level ? "negedge" : "posedge"} ck0) gate <= ${expr()};`,
    );
    clockOf.push("gated");
    registers.push("gate");
  }
  if (random.below(4) === 0) {
    lines.push("  wire chosen = sel ? ck0 : ck1;");
    clockOf.push("chosen");
  }
  const isDivided = random.below(3) === 0;
  if (isDivided) {
    lines.push("  reg half;", "  always @(posedge ck0) half <= ~half;");
    clockOf.push("half");
  }
  for (const name of names) {
    const clock = pick(random, clockOf);
    const edge = random.below(4) === 0 ? "negedge" : "posedge";
    lines.push(`  reg ${name};`);
    registers.push(name);
    switch (random.below(4)) {
      case 0:
        lines.push(`  always @(${edge} ${clock}) if (${pick(random, signals)}) ${name} <= ${expr()};`);
        break;
      case 1:
        lines.push(
          `  always @(${edge} ${clock}) if (${pick(random, signals)}) ${name} <= 0; else ${name} <= ${expr()};`,
        );
        break;
      case 2: {
        const reset = pick(random, [...inputs, ...names]);
        lines.push(
          `  always @(${edge} ${clock} or posedge ${reset}) if (${reset}) ${name} <= 0; else ${name} <= ${expr()};`,
        );
        break;
      }
      default:
        lines.push(`  always @(${edge} ${clock}) ${name} <= ${expr()};`);
    }
  }
  latches.forEach((name, i) => {
    const clock = pick(random, clockPorts);
    // wires may read latches: a latch that reads them could close a loop
    const value = expr([...inputs, "io0", "io1", ...names, ...latches.slice(0, i)]);
    lines.push(`  reg ${name};`, `  always @* if (${random.below(2) ? clock : `~${clock}`}) ${name} = ${value};`);
    registers.push(name);
  });
  const text = [
    `module m(input ${[...clockPorts, ...inputs].join(", ")}, inout io0, io1, output y0, y1, y2${random.below(3) === 0 ? ", output ckout" : ""});`,
    ...lines.filter((line) => line.startsWith("  reg")),
    ...lines.filter((line) => !line.startsWith("  reg")),
    `  assign io0 = ${pick(random, signals)} ? ${pick(random, signals)} : 1'bz;`,
    `  assign io1 = ${pick(random, names)} ? ${expr()} : 1'bz;`,
    ...[0, 1, 2].map((i) => `  assign y${i} = ${expr()};`),
    "endmodule",
    "",
  ].join("\n");
  const withOut = text.includes("output ckout") ? text.replace("endmodule", "  assign ckout = ck0;\nendmodule") : text;

  const clocks: CaseClock[] = [];
  for (const port of clockPorts) {
    if (random.below(8) === 0 && port === "ck1") continue;
    const periodNs = pick(random, periods);
    const riseNs = random.below(3) === 0 ? periodNs / 4 : 0;
    clocks.push({
      name: port,
      source: { port },
      periodNs,
      riseNs,
      fallNs: riseNs + periodNs / (random.below(2) ? 2 : 4),
      master: null,
    });
  }
  if (isDivided && random.below(3)) {
    const [{ periodNs, riseNs }] = clocks;
    // edges 1, 3 and 5 of the master
    clocks.push({
      name: "slow",
      source: { register: "half" },
      periodNs: 2 * periodNs,
      riseNs,
      fallNs: riseNs + periodNs,
      master: "ck0",
    });
  }
  if (random.below(3) === 0)
    clocks.push({ name: "virt", source: null, periodNs: pick(random, periods), riseNs: 0, fallNs: 2.5, master: null });
  const clockNames = clocks.map(({ name }) => name);
  const ns = (most: number) => random.below(most * 1000) / 1000;

  const delays: CaseIo[] = [];
  for (const [side, ports] of [
    ["input", [...inputs, "io0", "io1"]],
    ["output", ["y0", "y1", "y2", "io0", "io1"]],
  ] as const)
    for (const port of ports) {
      if (random.below(3) === 0) continue;
      const times = random.below(5) === 0 ? 2 : 1;
      for (let i = 0; i < times; i++) {
        const maxNs = ns(3);
        const clock = pick(random, clockNames);
        const falls = random.below(4) === 0;
        if (
          delays.some(
            (each) => each.side === side && each.port === port && each.clock === clock && each.falls === falls,
          )
        )
          continue;
        delays.push({ side, port, clock, falls, maxNs, minNs: maxNs - ns(2) });
      }
    }
  const point = (kinds: readonly CasePoint["kind"][]): CasePoint => {
    const kind = pick(random, kinds);
    if (kind === "clock") return { kind, name: pick(random, clockNames) };
    if (kind === "register") return { kind, name: pick(random, registers) };
    if (kind === "net") return { kind, name: pick(random, wires) };
    return { kind, name: pick(random, [...inputs, "io0", "io1", "y0", "y1", "y2"]) };
  };
  const points = (kinds: readonly CasePoint["kind"][]): CasePoints => {
    const first = point(kinds);
    // now and then clocks and pins stand together
    const others = random.below(4) ? [first.kind] : kinds;
    const more = Array.from({ length: random.below(3) }, () => point(others));
    const names = new Set<string>();
    const all = [first, ...more].filter(({ name }) => !names.has(name) && names.add(name));
    return { points: all, edge: random.below(6) === 0 ? pick(random, ["rise", "fall"] as const) : "" };
  };
  const exceptions: CaseException[] = [];
  for (let i = 0; i < random.below(6); i++) {
    const kind = pick(random, ["false", "multicycle", "multicycle", "max", "min"] as const);
    const from = random.below(3) ? points(["clock", "register", "port"]) : null;
    const to = random.below(3) ? points(["clock", "register", "port"]) : null;
    const through = Array.from({ length: random.below(4) === 0 ? 1 + random.below(2) : 0 }, () => points(["net"]));
    if (!from && !to && through.length === 0) continue;
    const [setup, hold] = pick(random, [
      [true, false],
      [false, true],
      [false, false],
    ] as const);
    exceptions.push({
      kind,
      from,
      through,
      to,
      setup,
      hold,
      value: kind === "multicycle" ? 1 + random.below(3) : kind === "false" ? 0 : ns(9),
      side: kind === "multicycle" ? pick(random, ["", "start", "end"] as const) : "",
    });
  }
  const groups = random.below(5) === 0 && clockNames.length > 1 ? [[clockNames[0]], [clockNames[1]]] : [];
  const uncertainties: CaseUncertainty[] = [];
  if (random.below(3) === 0)
    for (let i = 0; i < 1 + random.below(2); i++)
      uncertainties.push({
        clock: pick(random, clockNames),
        from: random.below(3) === 0 ? pick(random, clockNames) : null,
        ...pick(random, [
          { setup: true, hold: true },
          { setup: true, hold: false },
          { setup: false, hold: true },
        ]),
        ns: ns(1),
      });
  const latencies =
    random.below(4) === 0
      ? [
          {
            clock: pick(
              random,
              clocks.filter(({ master }) => master === null),
            ).name,
            early: 0.5,
            late: 0.5 + ns(1),
          },
        ]
      : [];
  const constants = random.below(5) === 0 ? [{ port: pick(random, inputs), value: random.below(2) as 0 | 1 }] : [];
  const made = { clocks, delays, exceptions, groups, uncertainties, latencies, constants };
  return { text: withOut, ...made, sdc: sdcOf(made) };
}

function sdcOf(made: Omit<TimingCase, "text" | "sdc">): string {
  const lines: string[] = [];
  for (const { name, source, periodNs, riseNs, fallNs, master } of made.clocks) {
    if (master)
      lines.push(`create_generated_clock -name ${name} -source [get_ports ${master}] -edges {1 3 5} [get_pins half/q]`);
    else
      lines.push(
        `create_clock -name ${name} -period ${periodNs} -waveform {${riseNs} ${fallNs}}${source && "port" in source ? ` [get_ports ${source.port}]` : ""}`,
      );
  }
  const seen = new Set<string>();
  for (const { side, port, clock, falls, maxNs, minNs } of made.delays) {
    const add = seen.has(`${side} ${port}`) ? " -add_delay" : "";
    seen.add(`${side} ${port}`);
    const rest = `-clock ${clock}${falls ? " -clock_fall" : ""}${add}`;
    lines.push(`set_${side}_delay ${rest} -max ${maxNs} [get_ports ${port}]`);
    lines.push(`set_${side}_delay ${rest}${add ? "" : ""} -min ${minNs} [get_ports ${port}]`);
  }
  const list = (points: CasePoints) => {
    const get = { clock: "get_clocks", port: "get_ports", register: "get_cells", net: "get_nets" };
    const kinds = [...new Set(points.points.map(({ kind }) => kind))];
    const queries = kinds.map((kind) => {
      const own = points.points.filter((point) => point.kind === kind);
      return `[${get[kind]} {${own.map(({ name }) => name).join(" ")}}]`;
    });
    return queries.length > 1 ? `[list ${queries.join(" ")}]` : queries[0];
  };
  const option = (name: string, points: CasePoints | null) =>
    points ? ` -${points.edge ? `${points.edge}_` : ""}${name} ${list(points)}` : "";
  for (const { kind, from, through, to, setup, hold, value, side } of made.exceptions) {
    const where = `${option("from", from)}${through.map((each) => option("through", each)).join("")}${option("to", to)}`;
    const flags = `${setup ? " -setup" : ""}${hold ? " -hold" : ""}`;
    if (kind === "false") lines.push(`set_false_path${flags}${where}`);
    else if (kind === "multicycle")
      lines.push(`set_multicycle_path${flags}${side ? ` -${side}` : ""} ${value}${where}`);
    else lines.push(`set_${kind}_delay ${value}${where}`);
  }
  for (const group of made.groups.length ? [made.groups] : [])
    lines.push(`set_clock_groups -asynchronous ${group.map((names) => `-group {${names.join(" ")}}`).join(" ")}`);
  for (const { clock, from, setup, hold, ns } of made.uncertainties) {
    const flags = `${setup ? " -setup" : ""}${hold ? " -hold" : ""}`;
    lines.push(
      from === null
        ? `set_clock_uncertainty${flags} ${ns} [get_clocks ${clock}]`
        : `set_clock_uncertainty${flags} ${ns} -from ${from} -to ${clock}`,
    );
  }
  for (const { clock, early, late } of made.latencies)
    lines.push(
      `set_clock_latency -source -early ${early} [get_clocks ${clock}]`,
      `set_clock_latency -source -late ${late} [get_clocks ${clock}]`,
    );
  for (const { port, value } of made.constants) lines.push(`set_case_analysis ${value} [get_ports ${port}]`);
  return `${lines.join("\n")}\n`;
}
