import type { Finding, StageResult } from "../../common/finding.ts";
import type { SourceFile } from "../../common/source.ts";
import { checkClockBlocks } from "../../constraints/clock-blocks.ts";
import { parsePins, planPins } from "../../constraints/pins.ts";
import type { PortCircuit } from "../../constraints/port-circuit.ts";
import { checkClocks, parseSdc } from "../../constraints/sdc.ts";
import type { Part } from "../../device/part.ts";
import type { RulesArtifact } from "../artifacts.ts";
import { stage } from "../stage.ts";

/** Rules against the circuit as written: what is not allowed is known before anything is built. */
export const rulesStage = stage("rules", {
  word: "rules",
  version: 6,
  settings: ["pin files", "timing files", "part"],
  reads: ["elaborate.ports"],
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
      of: ({ clocks }) =>
        clocks.map(({ port, periodPs }) => ({ port, periodPs })).sort((a, b) => (a.port < b.port ? -1 : 1)),
    },
    clocks: { of: ({ clocks }) => clocks },
  },
  async run(given) {
    const { pins, clocks } = checkRules(
      await given.read("elaborate.ports"),
      given.setting("pin files"),
      given.setting("timing files"),
      given.setting("part"),
    );
    const findings = [...pins.findings, ...clocks.findings];
    return { artifact: pins.artifact && { pins: pins.artifact, clocks: clocks.artifact! }, findings };
  },
});

/** Pins and clocks, each with its own findings. */
export function checkRules(
  { needs, makers }: PortCircuit,
  pinFiles: readonly SourceFile[],
  timingFiles: readonly SourceFile[],
  part: Part,
): { pins: StageResult<RulesArtifact["pins"]>; clocks: StageResult<RulesArtifact["clocks"]> } {
  const parsedPins = parsePins(pinFiles);
  const plan = planPins(parsedPins.pins, needs, part);
  const parsed = parseSdc(timingFiles);
  const inputs = new Set(needs.filter((need) => need.direction !== "output").map((need) => need.bitName));
  const clockPorts = needs.filter((need) => need.isClock).map((need) => need.bitName);
  const checked = checkClocks(parsed.clocks, inputs, clockPorts, timingFiles[0]?.name ?? null);
  const findings: Finding[] = [
    ...parsed.findings,
    ...checked.findings,
    ...checkClockBlocks(makers, checked.clocks, part),
  ];
  return {
    pins: { artifact: plan.artifact, findings: [...parsedPins.findings, ...plan.findings] },
    clocks: { artifact: checked.clocks, findings },
  };
}
