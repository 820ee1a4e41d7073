import type { Finding } from "../common/finding.ts";
import type { PinNeed, PinPlan } from "../constraints/pins/model.ts";
import { parsePins } from "../constraints/pins/read.ts";
import { portCircuit } from "../constraints/port-circuit.ts";
import type { PortLink } from "../constraints/port-links.ts";
import type { QueryRecord } from "../constraints/sdc/queries.ts";
import { readTimingFiles } from "../constraints/sdc/read.ts";
import { noTimingRules, type TimingRules } from "../constraints/sdc/rules.ts";
import { boardFindings, boardUnder } from "../device/boards.ts";
import { findPart } from "../device/part.ts";
import { type ElaboratedDesign, elaborate } from "../elaborate/elaborate.ts";
import type { HierarchyNode } from "../netlist/rtl.ts";
import type { FoundClock } from "../timing/clock-survey.ts";
import type { Coverage } from "../timing/coverage.ts";
import { beyondParts } from "./beyond-part.ts";
import type { DesignInput } from "./design-input.ts";
import { checkRules } from "./stages/rules.ts";

export interface DesignCheck {
  readonly sourceFindings: readonly Finding[];
  readonly pinFindings: readonly Finding[];
  readonly timingFindings: readonly Finding[];
  /** Those that can be built; test benches are not among them. */
  readonly modules: readonly string[];
  /** Modules that are run, not built, with the files that hold them. */
  readonly testBenches: readonly TestBench[];
  readonly hierarchy: HierarchyNode | null;
  /** Port bits of the top module; empty while the sources have errors. */
  readonly needs: readonly PinNeed[];
  /** Which ports talk to each other. */
  readonly links: readonly PortLink[];
  readonly plan: PinPlan | null;
  readonly timing: TimingRules;
  readonly clocks: readonly DeclaredClock[];
  /** What each query of the timing files matches. */
  readonly queries: readonly QueryRecord[];
  /** Clocks that the circuit has, declared or not, and what the rules cover; null while there is no circuit. */
  readonly foundClocks: readonly FoundClock[];
  readonly coverage: Coverage | null;
  readonly clockPorts: readonly string[];
  /** Timing rules to begin with; empty where there are some, or nothing to time. */
  readonly starter: string;
}

/** A clock of the timing files, or one that a block makes of such. Times in ps. */
export interface DeclaredClock {
  readonly name: string;
  /** Port or pin that it starts at; empty for a virtual one. */
  readonly port: string;
  readonly periodPs: number;
  readonly risePs: number;
  readonly fallPs: number;
  /** Clock that it is made of, null for others. */
  readonly master: string | null;
  /** No line declares it: a block of the part makes it. */
  readonly isAutomatic: boolean;
}

interface TestBench {
  readonly name: string;
  readonly file: string;
  readonly line: number;
}

/**
 * All that can be told about a design without synthesis: quick enough to run at every pause in typing.
 * @param tell Hears what is being done.
 * @param onCircuit Gets the circuit as written, if there is one.
 */
export function checkDesign(
  input: DesignInput,
  tell?: (step: string) => void,
  onCircuit?: (design: ElaboratedDesign) => void,
): DesignCheck {
  const { artifact, findings, modules, testBenches } = elaborate(input.sources, {
    top: input.top ?? undefined,
    withKey: false,
    onStep: tell,
  });
  if (artifact) {
    findings.push(...beyondParts(artifact));
    onCircuit?.(artifact);
  }
  const { part, findings: partFindings } = findPart(input.part);
  const circuit = artifact && portCircuit(artifact.netlist);
  const needs = circuit?.needs ?? [];
  tell?.("looking at the pins");
  const rules =
    artifact && circuit && part
      ? checkRules(
          { ports: circuit, netlist: artifact.netlist, hierarchy: artifact.hierarchy },
          input.pinFiles,
          input.timingFiles,
          part,
          boardUnder(input.board, part),
        )
      : rulesAlone(input);
  rules.pins.findings.push(...partFindings, ...(part ? boardFindings(input.board, part) : []));
  const timing = rules.timing.artifact ?? noTimingRules;
  return {
    sourceFindings: findings,
    pinFindings: rules.pins.findings,
    timingFindings: rules.timing.findings,
    modules: modules.filter((name) => !testBenches.includes(name)),
    testBenches: testBenches.map((name) => locate(input, name)),
    hierarchy: artifact?.hierarchy ?? null,
    needs,
    links: circuit?.links ?? [],
    plan: rules.pins.artifact,
    timing,
    clocks: timing.clocks.map(({ name, sources, periodPs, edgesPs, generated, origin }) => ({
      name,
      port: sources.length ? timing.objects[sources[0]].name : "",
      periodPs,
      risePs: edgesPs[0],
      fallPs: edgesPs[1],
      master: generated?.master ?? null,
      isAutomatic: origin === null,
    })),
    queries: rules.queries,
    foundClocks: rules.clocks,
    coverage: rules.coverage,
    starter: rules.starter,
    clockPorts: needs.filter((need) => need.isClock).map((need) => need.bitName),
  };
}

/** Rules as far as they can be read without a circuit or a part. */
function rulesAlone({
  pinFiles,
  timingFiles,
}: DesignInput): Omit<ReturnType<typeof checkRules>, "coverage"> & { readonly coverage: null } {
  const read = readTimingFiles(timingFiles, null);
  return {
    pins: { artifact: null, findings: parsePins(pinFiles).findings },
    timing: { artifact: read.rules, findings: read.findings },
    queries: [],
    clocks: [],
    starter: "",
    coverage: null,
  };
}

/** Where a module is declared; its name stands behind the word `module` or `entity`. */
function locate(input: DesignInput, name: string): TestBench {
  const own = name.replace(/[^\w]/g, "\\$&");
  const pattern = new RegExp(
    `\\bmodule\\s+(?:automatic\\s+|static\\s+)?${own}\\b|^\\s*entity\\s+${own}\\s+is\\b`,
    "im",
  );
  for (const file of input.sources) {
    const at = file.text.search(pattern);
    if (at >= 0) return { name, file: file.name, line: file.text.slice(0, at).split("\n").length };
  }
  return { name, file: input.sources[0]?.name ?? "", line: 1 };
}
