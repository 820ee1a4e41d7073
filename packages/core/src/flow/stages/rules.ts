import { hashValue } from "../../common/codec.ts";
import type { Finding, StageResult } from "../../common/finding.ts";
import type { SourceFile } from "../../common/source.ts";
import { checkClockBlocks } from "../../constraints/clock-blocks.ts";
import { parsePins, planPins } from "../../constraints/pins.ts";
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
import type { RulesArtifact } from "../artifacts.ts";
import { stage } from "../stage.ts";

/** Rules against the circuit as written: what is not allowed is known before anything is built. */
export const rulesStage = stage("rules", {
  word: "rules",
  version: 8,
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
}

/** Pins and timing rules, each with their own findings. */
export function checkRules(
  { ports, netlist, hierarchy }: RuleCircuit,
  pinFiles: readonly SourceFile[],
  timingFiles: readonly SourceFile[],
  part: Part,
  board: BoardDescription | null,
): CheckedRules {
  const { needs, makers } = ports;
  const parsedPins = parsePins(pinFiles);
  const plan = planPins(parsedPins.pins, needs, part, board);
  const objects = new CircuitObjects(netlist, hierarchy);
  const read = readTimingFiles(timingFiles, objects);
  const checked = checkTimingRules(read.rules, objects, part.family, timingFiles[0]?.name ?? null);
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
  };
}
