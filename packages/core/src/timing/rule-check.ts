import type { Finding, TextEdit } from "../common/finding.ts";
import type { CircuitObjects } from "../constraints/sdc/objects.ts";
import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { BlockFamily } from "../device/blocks/description.ts";
import { analyzeAssuming } from "./assumed-clocks.ts";
import { bindRules } from "./bind-rules.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type FoundClock, surveyClocks } from "./clock-survey.ts";
import { type ClockPair, type Coverage, coverageOf } from "./coverage.ts";
import { buildWrittenGraph } from "./written-graph.ts";

interface RuleCheck {
  readonly findings: Finding[];
  readonly coverage: Coverage;
  readonly clocks: readonly FoundClock[];
}

/** Ports that are named in one finding. */
const namesShown = 6;

/**
 * Timing rules held against the circuit as written, before anything is built: which clocks there are, what the rules cover, what
 * lies on nothing, each with what to do.
 * @param timingFile File that repairs go to; null where the design has none.
 */
export function checkTimingRules(
  rules: TimingRules,
  objects: CircuitObjects,
  family: BlockFamily,
  timingFile: string | null,
): RuleCheck {
  const { graph, places } = buildWrittenGraph(objects, family);
  const binding = bindRules(rules, graph, places);
  const off = new Uint8Array(graph.arcCount);
  for (const arc of binding.rules.disabledArcs) off[arc] = 1;
  for (let arc = 0; arc < graph.arcCount; arc++) if (binding.rules.constants.has(graph.arcFrom[arc])) off[arc] = 1;
  const even = new Uint8Array(graph.arcCount).fill(1);
  const declared = binding.rules.clocks.length;
  const analysis = analyzeAssuming(graph, binding.rules, off, even);
  const clocks = surveyClocks(analysis, declared);
  const coverage = coverageOf(analysis, rules, declared, null);
  const append = (label: string, text: string): TextEdit | undefined =>
    timingFile === null ? undefined : { file: timingFile, label, append: true, text };
  const findings = [
    ...binding.findings,
    ...clocks.flatMap((clock) => clockFindings(clock, rules, append)),
    ...sharedFindings(clocks, analysis.rules, rules, append),
    ...exceptionFindings(coverage, rules),
    ...pairFindings(coverage.pairs, append),
    ...portFindings(coverage, clocks),
  ];
  if (analysis.network.isCut || analysis.search.isCut)
    findings.push({
      code: "sdc/too-many",
      severity: "error",
      place: { object: objects.top },
      message: "The rules tell too many kinds of paths apart for all of them to be looked at.",
      remedy: "Use fewer exceptions, or name clocks in place of registers.",
    });
  return { findings, coverage, clocks };
}

type Append = (label: string, text: string) => TextEdit | undefined;

/** A name as one word of a timing file. */
const word = (name: string) => (/[[\]\s$;"\\{}]/.test(name) ? `{${name}}` : name);
const count = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;

function clockFindings(clock: FoundClock, rules: TimingRules, append: Append): Finding[] {
  const { name, source, from, isDeclared, isAutomatic, rising, falling, latches, gates } = clock;
  const findings: Finding[] = [];
  const pins = rising + falling + latches;
  const rule = rules.clocks.find((each) => each.name === name);
  const place = rule?.origin?.place ?? { object: source || name };
  if (!isDeclared) {
    if (from === "port")
      findings.push({
        code: "sdc/no-clock",
        severity: "warning",
        place,
        message: `'${name}' clocks ${count(pins, "pin")}, but no timing rule says how fast, so their paths have no goal.`,
        remedy: "Create the clock with its period.",
        edit: append(
          "Create it at 50 MHz",
          `create_clock -name ${word(name)} -period 20.000 [get_ports ${word(name)}]\n`,
        ),
      });
    else
      findings.push({
        code: "sdc/clock-from-logic",
        severity: "warning",
        place,
        message: `'${name}' clocks ${count(pins, "pin")}, but is made by a register or logic, and no timing rule declares it.`,
        remedy:
          "Clock them with the outside clock, and let an enable say when they change; or declare it with create_generated_clock.",
      });
  } else if (pins === 0 && !isAutomatic && rule && rule.sources.length > 0 && !isReferred(name, rules))
    findings.push({
      code: "sdc/idle-clock",
      severity: "warning",
      place,
      message: `No register is clocked by '${name}'.`,
      remedy: "Remove the clock, or check the design's clocks.",
    });
  if (gates.length)
    findings.push({
      code: "sdc/gated-clock",
      severity: "warning",
      place: { object: gates[0] },
      message: `'${name}' goes through a gate that ${gates.slice(0, 3).join(", ")} can close: it leaves the clock network there, and a late change cuts a pulse short.`,
      remedy: `Clock the registers with '${name}' itself, and make the signal their enable: if (${gates[0].replace(/^.*\./, "")}) ...`,
    });
  if (rising > 0 && falling > 0 && !isAutomatic)
    findings.push({
      code: "sdc/both-edges",
      severity: "note",
      place,
      message: `Both edges of '${name}' count: ${count(rising, "pin")} by the rising one, ${falling} by the falling one.`,
      remedy: "Paths from one to the other have half a period, or what the waveform says.",
    });
  return findings;
}

function isReferred(name: string, { ioDelays, clocks }: TimingRules): boolean {
  return ioDelays.some(({ clock }) => clock === name) || clocks.some(({ generated }) => generated?.master === name);
}

/** Pins that two clocks come to, of which nothing says that only one is there at a time. */
function sharedFindings(
  clocks: readonly FoundClock[],
  bound: BoundRules,
  rules: TimingRules,
  append: Append,
): Finding[] {
  const findings: Finding[] = [];
  const told = new Set<string>();
  const idOf = new Map(bound.clocks.map(({ name }, i) => [name, i]));
  for (const { name, sharedWith, shared, isDeclared } of clocks)
    for (const other of sharedWith) {
      const key = [name, other].sort().join("\n");
      if (told.has(key) || !isDeclared) continue;
      told.add(key);
      if (bound.cutPairs.has(idOf.get(name)! * bound.clocks.length + idOf.get(other)!)) continue;
      findings.push({
        code: "sdc/two-clocks",
        severity: "warning",
        place: rules.clocks.find((each) => each.name === name)?.origin?.place ?? { object: name },
        message: `Both '${name}' and '${other}' come to ${count(shared, "clock pin")}, and paths from one to the other are judged there.`,
        remedy: "If only one of them is there at a time, say so.",
        edit: append(
          "Say that they exclude each other",
          `set_clock_groups -logically_exclusive -group {${word(name)}} -group {${word(other)}}\n`,
        ),
      });
    }
  return findings;
}

function exceptionFindings({ exceptions }: Coverage, rules: TimingRules): Finding[] {
  return exceptions.flatMap(({ rule, decides, meets }): Finding[] => {
    const { origin, kind } = rules.exceptions[rule];
    if (meets === 0)
      return [
        {
          code: "sdc/no-path",
          severity: "warning",
          place: origin.place,
          message: "No path of the circuit is what this line says.",
          remedy: "Correct where its paths begin, pass or end, or delete it.",
        },
      ];
    if (decides > 0 || kind === "group" || kind === "max skew") return [];
    return [
      {
        code: "sdc/covered",
        severity: "note",
        place: origin.place,
        message: `Other lines count for all of the ${count(meets, "place")} where its paths end.`,
        remedy: "Delete it, or make it more particular than those.",
      },
    ];
  });
}

function pairFindings(pairs: readonly ClockPair[], append: Append): Finding[] {
  const findings: Finding[] = [];
  const told = new Set<string>();
  for (const { launch, capture, state, ends } of pairs) {
    const key = [launch, capture].sort().join("\n");
    if (state !== "undecided" || told.has(key)) continue;
    told.add(key);
    const back = pairs.find((other) => other.launch === capture && other.capture === launch)?.ends ?? 0;
    findings.push({
      code: "sdc/undecided",
      severity: "warning",
      place: { object: launch },
      message: `Paths cross between '${launch}' and '${capture}' (to ${count(ends + back, "place")}), which come from different sources: they are judged as if both kept step.`,
      remedy: "If they do not, say that they are asynchronous, and let synchronisers take what crosses.",
      edit: append(
        "Say that they are asynchronous",
        `set_clock_groups -asynchronous -group {${word(launch)}} -group {${word(capture)}}\n`,
      ),
    });
  }
  return findings;
}

function portFindings({ inputs, outputs }: Coverage, clocks: readonly FoundClock[]): Finding[] {
  if (!clocks.some(({ isDeclared }) => isDeclared)) return [];
  return (
    [
      ["input", inputs.open],
      ["output", outputs.open],
    ] as const
  ).flatMap(([side, open]): Finding[] =>
    open.length === 0
      ? []
      : [
          {
            code: `sdc/open-${side}s`,
            severity: "note",
            place: { object: open[0] },
            message: `${count(open.length, side)} ${open.length === 1 ? "has" : "have"} no ${side} delay, so paths ${side === "input" ? "from" : "to"} ${open.length === 1 ? "it" : "them"} are not judged: ${open.slice(0, namesShown).join(", ")}${open.length > namesShown ? ` and ${open.length - namesShown} more` : ""}.`,
            remedy: `Give set_${side}_delay where the time at the pin matters, or set_false_path where it does not.`,
          },
        ],
  );
}
