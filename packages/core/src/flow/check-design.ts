import type { Finding } from "../common/finding.ts";
import { type PinNeed, type PinPlan, parsePins } from "../constraints/pins.ts";
import { portCircuit } from "../constraints/port-circuit.ts";
import { type ClockRule, parseSdc } from "../constraints/sdc.ts";
import { findPart } from "../device/part.ts";
import { type ElaboratedDesign, elaborate } from "../elaborate/elaborate.ts";
import type { HierarchyNode } from "../netlist/rtl.ts";
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
  readonly plan: PinPlan | null;
  readonly clocks: readonly ClockRule[];
  readonly clockPorts: readonly string[];
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
  const rules = circuit && part ? checkRules(circuit, input.pinFiles, input.timingFiles, part) : rulesAlone(input);
  rules.pins.findings.push(...partFindings);
  return {
    sourceFindings: findings,
    pinFindings: rules.pins.findings,
    timingFindings: rules.clocks.findings,
    modules: modules.filter((name) => !testBenches.includes(name)),
    testBenches: testBenches.map((name) => locate(input, name)),
    hierarchy: artifact?.hierarchy ?? null,
    needs,
    plan: rules.pins.artifact,
    clocks: rules.clocks.artifact ?? [],
    clockPorts: needs.filter((need) => need.isClock).map((need) => need.bitName),
  };
}

/** Rules as far as they can be read without a circuit or a part. */
function rulesAlone({ pinFiles, timingFiles }: DesignInput): ReturnType<typeof checkRules> {
  const clocks = parseSdc(timingFiles);
  return {
    pins: { artifact: null, findings: parsePins(pinFiles).findings },
    clocks: { artifact: clocks.clocks.map(({ rule }) => rule), findings: clocks.findings },
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
