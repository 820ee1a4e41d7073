import type { LayoutInputs } from "../layout/layout.ts";
import { takesBypass } from "../layout/pads.ts";
import { carryHalves, cellKind, ffPin, isLogic } from "../netlist/mapped.ts";
import { cornerDelays } from "../timing/corner-delays.ts";

/** Names in `netlist.v`, by kind of cell. */
const cellModels: Readonly<Record<number, { name: string; pins: readonly string[]; output: string }>> = {
  [cellKind.lut]: { name: "gc_lut", pins: ["i0", "i1", "i2", "i3", "i4", "i5"], output: "o" },
  [cellKind.flipFlop]: { name: "gc_ff", pins: ["d", "clk", "en", "reset"], output: "q" },
  [cellKind.carrySum]: { name: "gc_carry", pins: ["propagate", "carry_in"], output: "sum" },
  [cellKind.carryMux]: { name: "gc_carry", pins: ["propagate", "carry_in", "b"], output: "carry_out" },
};

/**
 * Delays of the routed design as SDF (IEEE 1497-2001): cell arcs and net delays of each instance in `netlist.v`, as
 * (least at fast-cold : : largest at slow-hot), in ps.
 */
export function writeSdf(layout: LayoutInputs): string {
  const { netlist, packed } = layout;
  const slow = cornerDelays(layout, "slow-hot");
  const fast = cornerDelays(layout, "fast-cold");
  const lines: string[] = [
    "(DELAYFILE",
    '  (SDFVERSION "3.0")',
    `  (DESIGN "${netlist.top}")`,
    '  (PROGRAM "Gate Clock")',
    "  (DIVIDER /)",
    "  (TIMESCALE 1ps)",
  ];
  const escapeName = (name: string) => name.replace(/[^A-Za-z0-9_]/g, (c) => `\\${c}`);
  const triple = (least: number, largest: number) => `(${least.toFixed(1)}::${largest.toFixed(1)})`;
  const ratio = fast.delays.minRatio;
  const halves = carryHalves(netlist);
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const kind = netlist.kind[cell];
    const model = cellModels[kind];
    // the sum of a carry element tells of its link as well
    if (!model || (kind === cellKind.carryMux && halves[cell] >= 0)) continue;
    const isLut = isLogic(kind);
    const first = netlist.inputStart[cell];
    const arcs: string[] = [];
    const ports = new Map<string, string>();
    for (const half of kind === cellKind.carrySum && halves[cell] >= 0 ? [cell, halves[cell]] : [cell]) {
      const { pins, output } = cellModels[netlist.kind[half]];
      const start = netlist.inputStart[half];
      for (let slot = start; slot < netlist.inputStart[half + 1]; slot++) {
        if (netlist.inputNet[slot] < 0) continue;
        const pin = pins[slot - start];
        if (isLut) arcs.push(`(IOPATH ${pin} ${output} ${triple(fast.lutPs[slot] * ratio, slow.lutPs[slot])})`);
        if (!ports.has(pin)) ports.set(pin, `(PORT ${pin} ${triple(fast.netPs[slot] * ratio, slow.netPs[slot])})`);
      }
    }
    const checks: string[] = [];
    if (!isLut) {
      const edge = netlist.modes[cell] & 8 ? "negedge" : "posedge";
      arcs.push(`(IOPATH (${edge} clk) q ${triple(fast.delays.clockToOutputPs * ratio, slow.delays.clockToOutputPs)})`);
      const bypass = takesBypass(packed, cell);
      for (const pin of ["d", "en"] as const) {
        if (pin === "en" && netlist.inputNet[first + ffPin.enable] < 0) continue;
        checks.push(
          `(SETUPHOLD ${pin} (${edge} clk) (${slow.delays.setupPs(bypass && pin === "d").toFixed(1)}) (${slow.delays.holdPs.toFixed(1)}))`,
        );
      }
    }
    lines.push(`  (CELL (CELLTYPE "${model.name}") (INSTANCE ${escapeName(`cell:${netlist.cellName[cell]}`)})`);
    lines.push(`    (DELAY (ABSOLUTE ${[...ports.values(), ...arcs].join(" ")}))`);
    if (checks.length) lines.push(`    (TIMINGCHECK ${checks.join(" ")})`);
    lines.push("  )");
  }
  lines.push(")", "");
  return lines.join("\n");
}
