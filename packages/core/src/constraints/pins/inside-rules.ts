import type { Finding } from "../../common/finding.ts";
import { portOf } from "../../netlist/port-shape.ts";
import { lineRemoval } from "./edits.ts";
import type { ParsedPin, PinNeed } from "./model.ts";

/**
 * Ports that are kept inside: a register stands in for each pad, so there must be a clock for it; and a vector stays
 * inside as a whole, since it is one port of the circuit.
 */
export function checkInside(inside: ReadonlyMap<string, ParsedPin>, needs: readonly PinNeed[]): Finding[] {
  if (inside.size === 0) return [];
  const hasClock = needs.some(({ isClock }) => isClock);
  const findings: Finding[] = [];
  const told = new Set<string>();
  for (const [bit, { place }] of inside) {
    const port = portOf(bit);
    if (told.has(port)) continue;
    const outside = needs.filter(({ bitName }) => portOf(bitName) === port && !inside.has(bitName));
    if (hasClock && outside.length === 0) continue;
    told.add(port);
    findings.push({
      code: "pins/inside",
      severity: "error",
      place,
      ...(hasClock
        ? {
            message: `'${bit}' stays inside, but '${outside[0].bitName}' of the same port does not.`,
            remedy: `Keep all bits of '${port}' inside, or none.`,
          }
        : {
            message: `'${bit}' cannot stay inside: the circuit has no clock for the register that stands in for its pad.`,
            remedy: "Give it a pin.",
          }),
      edit: lineRemoval(place, "Delete the line"),
    });
  }
  return findings;
}
