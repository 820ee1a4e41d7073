import type { Finding, TextEdit } from "../common/finding.ts";
import type { CircuitObjects } from "../constraints/sdc/objects.ts";
import type { TimingRules } from "../constraints/sdc/rules.ts";
import { quoteElement } from "../constraints/sdc/values.ts";
import { edgeOfContact, enableForGate, enableForMade } from "../constraints/source-advice.ts";
import type { BlockFamily } from "../device/blocks/description.ts";
import { analyzeAssuming } from "./assumed-clocks.ts";
import { bindRules } from "./bind-rules.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type FoundClock, surveyClocks } from "./clock-survey.ts";
import { type ClockPair, type Coverage, coverageOf } from "./coverage.ts";
import { nothingAround, periodAt, type Surroundings, starterRules } from "./starter-rules.ts";
import { buildWrittenGraph } from "./written-graph.ts";

interface RuleCheck {
  readonly findings: Finding[];
  readonly coverage: Coverage;
  readonly clocks: readonly FoundClock[];
  /** Lines to begin with where there are none; empty where there are, or where nothing is clocked. */
  readonly starter: string;
}

/** Ports that are named in one finding. */
const namesShown = 6;

/**
 * Timing rules held against the circuit as written, before anything is built: which clocks there are, what the rules cover, what
 * lies on nothing, each with what to do.
 * @param timingFile File that repairs go to; null where the design has none.
 * @param around What lies at the ports.
 */
export function checkTimingRules(
  rules: TimingRules,
  objects: CircuitObjects,
  family: BlockFamily,
  timingFile: string | null,
  around: Surroundings = nothingAround,
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
  const coverage = coverageOf(analysis, rules, declared);
  const append = (label: string, text: string): TextEdit | undefined =>
    timingFile === null ? undefined : { file: timingFile, label, append: true, text };
  const starter = hasNone(rules)
    ? starterRules(
        clocks,
        objects.ports.map(({ name, direction }) => ({ bitName: name, direction })),
        around,
      )
    : "";
  const findings = [
    ...binding.findings,
    ...(starter ? [noRules(objects.top, append("Write the usual lines", starter))] : []),
    ...clocks.flatMap((clock) => clockFindings(clock, rules, append, around, mainClock(clocks, around))),
    ...sharedFindings(clocks, analysis.rules, rules, append),
    ...exceptionFindings(coverage, rules, binding.rules),
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
  return { findings, coverage, clocks, starter };
}

/** Nothing says what the design must do in time. */
const hasNone = ({ clocks, exceptions, ioDelays }: TimingRules) =>
  clocks.every(({ origin }) => origin === null) && exceptions.length === 0 && ioDelays.length === 0;

function noRules(top: string, edit: TextEdit | undefined): Finding {
  return {
    code: "sdc/no-rules",
    severity: "warning",
    place: { object: top },
    message: "No timing rule says how fast the design is to run, so nothing in it is judged.",
    remedy: "Begin with its clocks; the usual lines for this design are at hand.",
    ...(edit ? { edit } : {}),
  };
}

type Append = (label: string, text: string) => TextEdit | undefined;

const count = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;

/** The clock that others are best taken into: an oscillator's, or the one with most pins that no contact makes. */
function mainClock(clocks: readonly FoundClock[], { oscillators, contacts }: Surroundings): string {
  const pins = ({ rising, falling }: FoundClock) => rising + falling;
  const able = clocks.filter(({ from, source }) => from === "port" && !contacts.has(source));
  const best = [...able].sort(
    (a, b) => Number(oscillators.has(b.source)) - Number(oscillators.has(a.source)) || pins(b) - pins(a),
  )[0];
  return best?.source ?? "clk";
}

function clockFindings(
  clock: FoundClock,
  rules: TimingRules,
  append: Append,
  around: Surroundings,
  main: string,
): Finding[] {
  const { name, source, from, isDeclared, isAutomatic, rising, falling, latches, gates } = clock;
  const findings: Finding[] = [];
  const pins = rising + falling + latches;
  const rule = rules.clocks.find((each) => each.name === name);
  const place = rule?.origin?.place ?? { object: source || name };
  const isContact = from === "port" && around.contacts.has(source);
  // a contact is no clock to be declared: what to do instead is told below
  if (!isDeclared && !(isContact && pins > 0)) {
    if (from === "port") {
      const { ns, why } = periodAt(name, around);
      findings.push({
        code: "sdc/no-clock",
        severity: "warning",
        place,
        message: `'${name}' clocks ${count(pins, "pin")}, but no timing rule says how fast, so their paths have no goal.`,
        remedy: "Create the clock with its period.",
        edit: append(
          `Create it at ${why.split(/[,:]/)[0]}`,
          `create_clock -name ${quoteElement(name)} -period ${ns} [get_ports ${quoteElement(name)}] ;# ${why}\n`,
        ),
      });
    } else
      findings.push({
        code: "sdc/clock-from-logic",
        severity: "warning",
        place,
        message: `'${name}' clocks ${count(pins, "pin")}, but is made by a register or logic, and no timing rule declares it.`,
        remedy:
          "Clock them with the outside clock, and let an enable say when they change; or declare it with create_generated_clock.",
        snippets: enableForMade(main, source || name),
      });
  } else if (isDeclared && pins === 0 && !isAutomatic && rule && rule.sources.length > 0 && !isReferred(name, rules))
    findings.push({
      code: "sdc/idle-clock",
      severity: "warning",
      place,
      message: `No register is clocked by '${name}'.`,
      remedy: "Remove the clock, or check the design's clocks.",
    });
  if (isContact && pins > 0)
    findings.push({
      code: "sdc/contact-clock",
      severity: "warning",
      place: { object: source },
      message: `'${source}' clocks ${count(pins, "pin")}, but is a contact: it bounces for milliseconds, and each bounce is an edge.`,
      remedy: `Clock them with '${main}'; take '${source}' through two registers, and let its change enable them.`,
      snippets: edgeOfContact(main, source),
    });
  const plain = from === "port" ? around.plainPins.get(source) : undefined;
  if (plain && pins > 0)
    findings.push({
      code: "sdc/plain-clock-pin",
      severity: "note",
      place: { object: source },
      message: `'${source}' comes in at ${plain.pin}, which has no way to the clock network: its edges arrive about ${plain.plain.toFixed(2)} ns apart (network: ${plain.network.toFixed(2)} ns).`,
      remedy: "Every path of this clock pays for that, and hold is at risk: place it at a clock pin.",
    });
  if (gates.length)
    findings.push({
      code: "sdc/gated-clock",
      severity: "warning",
      place: { object: gates[0] },
      message: `'${name}' goes through a gate that ${gates.slice(0, 3).join(", ")} can close: it leaves the clock network there, and a late change cuts a pulse short.`,
      remedy: `Clock the registers with '${name}' itself, and make the signal their enable: if (${gates[0].replace(/^.*\./, "")}) ...`,
      snippets: enableForGate(name, gates),
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
          `set_clock_groups -logically_exclusive -group {${quoteElement(name)}} -group {${quoteElement(other)}}\n`,
        ),
      });
    }
  return findings;
}

function exceptionFindings({ exceptions }: Coverage, rules: TimingRules, bound: BoundRules): Finding[] {
  // of the others it has been told why they count nowhere
  const inForce = new Set(bound.exceptions.map(({ rule }) => rule));
  return exceptions.flatMap(({ rule, decides, meets }): Finding[] => {
    if (!inForce.has(rule)) return [];
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
        `set_clock_groups -asynchronous -group {${quoteElement(launch)}} -group {${quoteElement(capture)}}\n`,
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
