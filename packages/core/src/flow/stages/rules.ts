import { hashValue } from "../../common/codec.ts";
import type { Finding, StageResult } from "../../common/finding.ts";
import type { SourceFile } from "../../common/source.ts";
import { checkClockBlocks } from "../../constraints/clock-blocks.ts";
import { tiesOf } from "../../constraints/pins/board-rules.ts";
import { estimateSkewNs } from "../../constraints/pins/clock-pins.ts";
import type { ParsedPin, PinNeed } from "../../constraints/pins/model.ts";
import { planPins } from "../../constraints/pins/plan.ts";
import { parsePins } from "../../constraints/pins/read.ts";
import type { PortCircuit } from "../../constraints/port-circuit.ts";
import { portClocks } from "../../constraints/port-clocks.ts";
import { CircuitObjects } from "../../constraints/sdc/objects.ts";
import { readTimingFiles, type TimingFiles } from "../../constraints/sdc/read.ts";
import type { TimingRules } from "../../constraints/sdc/rules.ts";
import type { BoardDescription } from "../../device/boards.ts";
import type { Part } from "../../device/part.ts";
import type { HierarchyNode, RtlNetlist } from "../../netlist/rtl.ts";
import type { FoundClock } from "../../timing/clock-survey.ts";
import type { Coverage } from "../../timing/coverage.ts";
import { checkTimingRules } from "../../timing/rule-check.ts";
import { nothingAround, type Surroundings } from "../../timing/starter-rules.ts";
import type { RulesArtifact } from "../artifacts.ts";
import { stage } from "../stage.ts";

/** Rules against the circuit as written: what is not allowed is known before anything is built. */
export const rulesStage = stage("rules", {
  word: "rules",
  version: 10,
  settings: ["pin files", "timing files", "part", "board"],
  reads: ["elaborate.ports", "elaborate.circuit", "elaborate.instances"],
  facets: {
    sites: { of: ({ pins }) => pins.pins.map(({ port, pin, register }) => ({ port, pin, register })) },
    delays: { of: ({ pins }) => pins.pins.map(({ port, standard, drive, slew }) => ({ port, standard, drive, slew })) },
    electrical: {
      of: ({ pins }) =>
        pins.pins.map(({ port, pin, standard, drive, slew, pull, hysteresis, termination }) => ({
          port,
          pin,
          standard,
          drive,
          slew,
          pull,
          hysteresis,
          termination,
        })),
    },
    periods: {
      of: ({ timing }) =>
        portClocks(timing)
          .map(({ port, periodPs }) => ({ port, periodPs }))
          .sort((a, b) => (a.port < b.port ? -1 : 1)),
    },
    timing: { of: ({ timing }) => timing, hash: ({ timing }) => hashValue(withoutPlaces(timing)) },
  },
  async run(given) {
    const circuit = {
      ports: await given.read("elaborate.ports"),
      netlist: await given.read("elaborate.circuit"),
      hierarchy: await given.read("elaborate.instances"),
    };
    const { pins, timing } = checkRules(
      circuit,
      given.setting("pin files"),
      given.setting("timing files"),
      given.setting("part"),
      given.setting("board"),
    );
    const findings = [...pins.findings, ...timing.findings];
    return { artifact: pins.artifact && { pins: pins.artifact, timing: timing.artifact! }, findings };
  },
});

/** Rules with every place the same, for a key over what they say. */
function withoutPlaces(timing: TimingRules): unknown {
  const strip = (value: unknown): unknown => {
    if (Array.isArray(value)) return value.map(strip);
    if (typeof value !== "object" || value === null) return value;
    return Object.fromEntries(Object.entries(value).map(([key, own]) => [key, key === "place" ? null : strip(own)]));
  };
  const { objects, ...rules } = timing;
  // objects hold no places, and can be many
  return { objects, rules: strip(rules) };
}

/** A circuit as written, as far as rules go by it. */
interface RuleCircuit {
  readonly ports: PortCircuit;
  readonly netlist: RtlNetlist;
  readonly hierarchy: HierarchyNode | null;
}
interface CheckedRules {
  readonly pins: StageResult<RulesArtifact["pins"]>;
  readonly timing: StageResult<RulesArtifact["timing"]>;
  readonly queries: TimingFiles["queries"];
  readonly coverage: Coverage;
  readonly clocks: readonly FoundClock[];
  /** Timing rules to begin with; empty where there are some. */
  readonly starter: string;
}

/** Pins and timing rules, each with their own findings. */
export function checkRules(
  { ports, netlist, hierarchy }: RuleCircuit,
  pinFiles: readonly SourceFile[],
  timingFiles: readonly SourceFile[],
  part: Part,
  board: BoardDescription | null,
): CheckedRules {
  const { needs, makers, links } = ports;
  const parsedPins = parsePins(pinFiles);
  const plan = planPins(parsedPins.pins, needs, part, board, links);
  const objects = new CircuitObjects(netlist, hierarchy);
  const read = readTimingFiles(timingFiles, objects);
  const checked = checkTimingRules(
    read.rules,
    objects,
    part.family,
    timingFiles[0]?.name ?? null,
    surroundings(parsedPins.pins, needs, part, board),
  );
  const findings: Finding[] = [
    ...read.findings,
    ...checked.findings,
    ...checkClockBlocks(makers, portClocks(read.rules), part),
  ];
  return {
    pins: { artifact: plan.artifact, findings: [...parsedPins.findings, ...plan.findings] },
    timing: { artifact: read.rules, findings },
    queries: read.queries,
    coverage: checked.coverage,
    clocks: checked.clocks,
    starter: checked.starter,
  };
}

/** What the board has at the pins of the design's lines. */
function surroundings(
  lines: readonly ParsedPin[],
  needs: readonly PinNeed[],
  part: Part,
  board: BoardDescription | null,
): Surroundings {
  const clocked = new Map(needs.flatMap(({ bitName, isClock, clocked }) => (isClock ? [[bitName, clocked ?? 1]] : [])));
  const plainPins = new Map(
    lines.flatMap(({ assignment: { port, pin } }) => {
      const contact = part.pinByName.get(pin);
      const count = clocked.get(port);
      return contact && !contact.isClock && count !== undefined
        ? [[port, { pin, ...estimateSkewNs(part, count) }] as const]
        : [];
    }),
  );
  if (!board) return { ...nothingAround, plainPins };
  const { signalAt, title } = tiesOf(board);
  const oscillators = new Map<string, { title: string; hz: number }>();
  const contacts = new Set<string>();
  const lights = new Set<string>();
  for (const { assignment } of lines) {
    const signal = signalAt.get(assignment.pin);
    if (!signal) continue;
    if (signal.kind === "oscillator")
      oscillators.set(assignment.port, { title: `oscillator of ${title}`, hz: board.oscillator.startHz });
    else (signal.direction === "input" ? contacts : lights).add(assignment.port);
  }
  return { oscillators, contacts, lights, plainPins };
}
