import type { Finding } from "../common/finding.ts";
import { type PinNeed, type PinPlan, parsePins, planPins } from "../constraints/pins.ts";
import { type ClockRule, checkClocks, parseSdc } from "../constraints/sdc.ts";
import { findPart } from "../device/part.ts";
import { elaborate } from "../elaborate/elaborate.ts";
import { blockClockCount, portBits } from "../netlist/mapped.ts";
import { bitName, type HierarchyNode, type RtlCell, type RtlNetlist, serialNets } from "../netlist/rtl.ts";
import { beyondPart } from "./beyond-part.ts";
import type { DesignInput } from "./design-input.ts";

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

export interface TestBench {
  readonly name: string;
  readonly file: string;
  readonly line: number;
}

/**
 * All that can be told about a design without synthesis: quick enough to run at every pause in typing.
 * @param tell Hears what is being done.
 */
export function checkDesign(input: DesignInput, tell?: (step: string) => void): DesignCheck {
  const { artifact, findings, modules, testBenches } = elaborate(input.sources, {
    top: input.top ?? undefined,
    withKey: false,
    onStep: tell,
  });
  const parsedPins = parsePins(input.pinFiles);
  const parsedClocks = parseSdc(input.timingFiles);
  const pinFindings: Finding[] = [...parsedPins.findings];
  const timingFindings: Finding[] = [...parsedClocks.findings];
  const { part, findings: partFindings } = findPart(input.part);
  pinFindings.push(...partFindings);
  if (artifact) {
    // a shortage of pins is told with the pins
    for (const finding of beyondPart(artifact, part)) if (finding.code.startsWith("fit/")) findings.push(finding);
  }
  const needs = artifact ? portNeeds(artifact.netlist) : [];
  const clockPorts = needs.filter((need) => need.isClock).map((need) => need.bitName);
  tell?.("looking at the pins");
  let plan: PinPlan | null = null;
  let clocks: readonly ClockRule[] = parsedClocks.clocks.map((clock) => clock.rule);
  if (artifact && part) {
    const planned = planPins(parsedPins.pins, needs, part);
    plan = planned.artifact;
    pinFindings.push(...planned.findings);
    const inputs = new Set(needs.filter((need) => need.direction !== "output").map((need) => need.bitName));
    const checked = checkClocks(parsedClocks.clocks, inputs, clockPorts, input.timingFiles[0]?.name ?? null);
    clocks = checked.clocks;
    timingFindings.push(...checked.findings);
  }
  return {
    sourceFindings: findings,
    pinFindings,
    timingFindings,
    modules: modules.filter((name) => !testBenches.includes(name)),
    testBenches: testBenches.map((name) => locate(input, name)),
    hierarchy: artifact?.hierarchy ?? null,
    needs,
    plan,
    clocks,
    clockPorts,
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

/** Port bits of the top, with those that clock a register marked. */
function portNeeds(netlist: RtlNetlist): PinNeed[] {
  const clockNets = new Set(netlist.cells.flatMap(clocksOf));
  const clocks = new Set(
    netlist.ports.flatMap((port) =>
      port.bits.flatMap((bit, i) => (port.direction === "input" && clockNets.has(bit) ? [bitName(port, i)] : [])),
    ),
  );
  const named = netlist.ports.map((port) => ({ ...port, bitNames: port.bits.map((_, i) => bitName(port, i)) }));
  const serial = serialNets(netlist);
  const serialOf = new Map(
    netlist.ports.flatMap((port) =>
      port.bits.flatMap((bit, i) => {
        const found = serial.get(bit);
        return found ? [[bitName(port, i), found] as const] : [];
      }),
    ),
  );
  return portBits(named).map((each) => {
    const found = serialOf.get(each.bitName);
    return { ...each, isClock: clocks.has(each.bitName), ...(found ? { serial: found } : {}) };
  });
}

/** Nets that clock a cell. */
function clocksOf({ kind, inputs, memory, block }: RtlCell): readonly number[] {
  switch (kind) {
    case "ff":
      return inputs[1];
    case "mem":
      // behind the addresses of the reads, each write has address, data, enables and clock
      return memory!.writes.flatMap((_, w) => inputs[memory!.reads + 4 * w + 3]);
    case "block":
      return inputs.slice(-blockClockCount(block!.modes)).flat();
    default:
      return [];
  }
}
