import type { Finding } from "../common/finding.ts";
import { findPart, listParts, type Part } from "../device/part.ts";
import type { ElaboratedDesign } from "../elaborate/elaborate.ts";
import { bit0, bit1, bitX, type RtlCell } from "../netlist/rtl.ts";

/** How far an estimate of LUTs may be above what a part has before the work is refused: much may still be optimised away. */
const doubt = 8;

const lutsOf = (part: Part): number => part.fabric.logicTiles.length * part.family.elementsPerTile;
let largest: Part | null = null;
function largestPart(): Part {
  largest ??= listParts()
    .map((name) => findPart(name).part!)
    .reduce((most, part) => (lutsOf(part) > lutsOf(most) ? part : most));
  return largest;
}

/** Bits that are no constants, each net once: a sign that is carried on costs nothing more. */
function variable(bits: readonly number[]): number {
  return new Set(bits.filter((bit) => bit !== bit0 && bit !== bit1 && bit !== bitX)).size;
}

/** LUTs that an array of adders or subtracters takes, about: one a bit of each row. */
function arrayLuts({ kind, inputs, output }: RtlCell): number {
  const [a, b] = [variable(inputs[0]), variable(inputs[1])];
  const [least, most] = a < b ? [a, b] : [b, a];
  if (kind === "mul") return least === 0 ? most * Math.ceil(output.length / 3) : least * Math.min(most, output.length);
  // a row for each bit of the dividend, as wide as the divisor; a power of two as divisor is no division any more
  return inputs[0].length * Math.max(1, b === 0 ? Math.ceil(inputs[1].length / 3) : b);
}

const approximately = (count: number): string =>
  count >= 1e6
    ? `${(count / 1e6).toFixed(1)} million`
    : count >= 10_000
      ? `${Math.round(count / 1000)},000`
      : `${count}`;

/**
 * What no part can hold, told before it is tried: products and quotients are written out gate by gate, and one of very wide
 * words takes hours for what never fits.
 */
export function beyondParts(design: Pick<ElaboratedDesign, "netlist" | "positions">): Finding[] {
  const { netlist, positions } = design;
  const findings: Finding[] = [];
  const room = lutsOf(largestPart());
  netlist.cells.forEach((cell, c) => {
    if (cell.kind !== "mul" && cell.kind !== "div" && cell.kind !== "mod") return;
    const luts = arrayLuts(cell);
    if (luts <= room) return;
    const what = cell.kind === "mul" ? "product" : cell.kind === "div" ? "quotient" : "remainder";
    const isHopeless = luts > doubt * room;
    findings.push({
      code: "fit/wide-arithmetic",
      severity: isHopeless ? "error" : "warning",
      place: { ...positions.cells[c], object: cell.name },
      message: `This ${what} of ${cell.inputs.slice(0, 2).map(variable).join(" by ")} bits would take about ${approximately(luts)} LUTs; the largest part has ${room}.`,
      remedy: "Compute it in steps over several clock cycles, or in narrower words.",
    });
  });
  return findings;
}
