import type { TimingRules } from "../constraints/sdc/rules.ts";
import { blockOf } from "../device/blocks/registry.ts";
import type { CornerName } from "../device/family.ts";
import type { LayoutInputs } from "../layout/layout.ts";
import { blockOfCells, carryHalves, cellKind, ffMode } from "../netlist/mapped.ts";
import { bindRules } from "../timing/bind-rules.ts";
import { type BuiltGraph, buildBuiltGraph } from "../timing/built-graph.ts";
import { builtPlaces } from "../timing/built-places.ts";
import { graphDelays } from "../timing/graph-delays.ts";
import { arcKind, checkKind, type GraphDelays } from "../timing/pin-graph.ts";
import { laidOut } from "../timing/timed-circuit.ts";

/** Names in `netlist.v`, by kind of cell. */
const cellModels: Readonly<Record<number, { name: string; pins: readonly string[]; output: string }>> = {
  [cellKind.lut]: { name: "gc_lut", pins: ["i0", "i1", "i2", "i3", "i4", "i5"], output: "o" },
  [cellKind.flipFlop]: { name: "gc_ff", pins: ["d", "clk", "en", "reset"], output: "q" },
  [cellKind.carrySum]: { name: "gc_carry", pins: ["propagate", "carry_in", "b"], output: "sum" },
  [cellKind.carryMux]: { name: "gc_carry", pins: ["propagate", "carry_in", "b"], output: "carry_out" },
};
const latchModel = { name: "gc_latch", pins: ["en", "d", "q"], output: "q" };

/**
 * Delays of the routed design as SDF (IEEE 1497-2001), for the instances in `netlist.v`: ways through cells, wires to their
 * pins, checks, and from and to ports the pads with the wires behind them. Least and largest of one corner, or, for `all`,
 * the least of fast-cold and the largest of slow-hot. In ps.
 * @param timing Rules, for what they say of loads at pins.
 */
export function writeSdf(layout: LayoutInputs, timing: TimingRules, corner: CornerName | "all" = "all"): string {
  const built = buildBuiltGraph(layout.netlist);
  const circuit = laidOut(layout);
  const { loads } = bindRules(timing, built.graph, builtPlaces(built)).rules;
  const at = (name: CornerName) => {
    const table = circuit.delaysAt(name);
    return { delays: graphDelays(built, circuit, table, loads), pulsePs: table.delays.pulsePs };
  };
  const slow = at(corner === "all" ? "slow-hot" : corner);
  const fast = corner === "all" ? at("fast-cold") : slow;
  return new SdfWriter(layout, built, fast.delays, slow.delays, fast.pulsePs, slow.pulsePs, corner).write();
}

const escapeName = (name: string) => name.replace(/[^A-Za-z0-9_]/g, (c) => `\\${c}`);

class SdfWriter {
  private readonly lines: string[] = [];
  private readonly checksOf = new Map<number, number[]>();
  private readonly blockOfCell: Int32Array;
  /** [cells] The instance that stands for a cell in the netlist. */
  private readonly halves: Int32Array;
  /** Ways from and to ports. */
  private readonly outside: string[] = [];

  constructor(
    private readonly layout: LayoutInputs,
    private readonly built: BuiltGraph,
    private readonly fast: GraphDelays,
    private readonly slow: GraphDelays,
    private readonly fastPulsePs: number,
    private readonly slowPulsePs: number,
    private readonly corner: string,
  ) {
    built.checkSlot.forEach((slot, check) => {
      const cell = slot < 0 ? layout.netlist.blocks[built.checkBlock[check]].cell : built.pinCell[slot];
      const list = this.checksOf.get(cell);
      if (list) list.push(check);
      else this.checksOf.set(cell, [check]);
    });
    this.blockOfCell = blockOfCells(layout.netlist);
    this.halves = carryHalves(layout.netlist);
  }

  write(): string {
    const { netlist } = this.layout;
    this.lines.push(
      "(DELAYFILE",
      '  (SDFVERSION "3.0")',
      `  (DESIGN "${netlist.top}")`,
      '  (PROGRAM "Gate Clock")',
      "  (DIVIDER /)",
      ...(this.corner === "all" ? [] : [`  (PROCESS "${this.corner}")`]),
      "  (TIMESCALE 1ps)",
    );
    const at = this.lines.length;
    const cells: string[] = [];
    for (let cell = 0; cell < netlist.cellCount; cell++) cells.push(...this.cell(cell));
    this.lines.push(...cells);
    if (this.outside.length)
      this.lines.splice(
        at,
        0,
        `  (CELL (CELLTYPE "${netlist.top}") (INSTANCE)`,
        "    (DELAY (ABSOLUTE",
        ...this.outside.map((line) => `      ${line}`),
        "    ))",
        "  )",
      );
    this.lines.push(")", "");
    return this.lines.join("\n");
  }

  private triple(least: number, most: number): string {
    return `(${least.toFixed(3)}::${most.toFixed(3)})`;
  }
  private ofArcs(...arcs: readonly number[]): string {
    const sum = (list: Float64Array) => arcs.reduce((all, arc) => all + (arc < 0 ? 0 : list[arc]), 0);
    return this.triple(sum(this.fast.least), sum(this.slow.most));
  }

  /** A pin of the netlist that a slot is: instance and port. */
  private pinOf(slot: number): { instance: string; port: string } {
    const { netlist } = this.layout;
    const cell = this.built.pinCell[slot];
    const at = slot - netlist.inputStart[cell];
    const instance = this.instance(cell);
    if (netlist.kind[cell] === cellKind.block) {
      const { modes, inputNames } = netlist.blocks[this.blockOfCell[cell]];
      return { instance, port: blockOf(modes).verilog.pin(inputNames[at] ?? at - inputNames.length) };
    }
    return { instance, port: this.model(cell)!.pins[at] };
  }
  private outputOf(cell: number): { instance: string; port: string } {
    const { netlist } = this.layout;
    if (netlist.kind[cell] === cellKind.blockOutput) {
      const block = netlist.blocks[this.blockOfCell[cell]];
      const port = blockOf(block.modes).verilog.pin(block.outputNames[netlist.modes[cell]]);
      return { instance: this.instance(block.cell), port };
    }
    return { instance: this.instance(cell), port: this.model(cell)!.output };
  }
  private model(cell: number) {
    return this.built.isLatch[cell] ? latchModel : cellModels[this.layout.netlist.kind[cell]];
  }
  private instance(cell: number): string {
    const { kind, cellName } = this.layout.netlist;
    // the sum of a carry element stands for its link as well
    const own = kind[cell] === cellKind.carryMux && this.halves[cell] >= 0 ? this.halves[cell] : cell;
    return escapeName(`cell:${cellName[own]}`);
  }

  private cell(cell: number): string[] {
    const { netlist } = this.layout;
    const { kind } = netlist;
    switch (kind[cell]) {
      case cellKind.inputPad:
      case cellKind.blockOutput:
        return [];
      case cellKind.outputPad:
        this.outputPad(cell);
        return [];
      case cellKind.block:
        return this.block(cell);
      case cellKind.carryMux:
        if (this.halves[cell] >= 0) return [];
    }
    const model = this.model(cell)!;
    const wires = new Map<string, string>();
    const ways: string[] = [];
    const own = kind[cell] === cellKind.carrySum && this.halves[cell] >= 0 ? [cell, this.halves[cell]] : [cell];
    for (const half of own) {
      const { pins, output } = this.model(half)!;
      const first = netlist.inputStart[half];
      for (let slot = first; slot < netlist.inputStart[half + 1]; slot++) {
        if (netlist.inputNet[slot] < 0) continue;
        const pin = pins[slot - first];
        // a latch's way back to itself is inside of it
        if (this.built.isLatch[half] && pin === "q") continue;
        this.wire(slot, pin, wires);
        const arc = this.built.throughArc[slot];
        if (arc >= 0) ways.push(`(IOPATH ${pin} ${output} ${this.ofArcs(arc)})`);
      }
    }
    const launch = this.built.launchArc[cell];
    if (launch >= 0) {
      const isLatch = this.built.isLatch[cell] === 1;
      const edge = netlist.modes[cell] & ffMode.clockFalling && !isLatch ? "negedge" : "posedge";
      ways.push(`(IOPATH (${edge} ${isLatch ? "en" : "clk"}) q ${this.ofArcs(launch)})`);
    }
    return this.entry(model.name, cell, [...wires.values(), ...ways], this.checks(cell));
  }

  /** The wire to a pin; from a port, with its pad, as a way of the whole. */
  private wire(slot: number, pin: string, wires: Map<string, string>): void {
    const { netlist } = this.layout;
    const arc = this.built.wireArc[slot];
    if (arc < 0) return;
    const driver = netlist.netDriver[netlist.inputNet[slot]];
    const pad = this.built.padArc[driver];
    if (pad < 0) {
      if (!wires.has(pin)) wires.set(pin, `(PORT ${pin} ${this.ofArcs(arc)})`);
      return;
    }
    const { instance } = this.pinOf(slot);
    const line = `(INTERCONNECT ${escapeName(netlist.cellName[driver])} ${instance}/${pin} ${this.ofArcs(pad, arc)})`;
    if (wires.has(pin)) return;
    wires.set(pin, "");
    this.outside.push(line);
  }

  private outputPad(cell: number): void {
    const { netlist } = this.layout;
    const port = escapeName(netlist.cellName[cell].replace(/:pad$/, ""));
    for (let slot = netlist.inputStart[cell]; slot < netlist.inputStart[cell + 1]; slot++) {
      const [wire, through] = [this.built.wireArc[slot], this.built.throughArc[slot]];
      if (wire < 0 || through < 0) continue;
      const driver = netlist.netDriver[netlist.inputNet[slot]];
      const pad = this.built.padArc[driver];
      if (netlist.kind[driver] === cellKind.inputPad) {
        if (pad >= 0)
          this.outside.push(
            `(INTERCONNECT ${escapeName(netlist.cellName[driver])} ${port} ${this.ofArcs(pad, wire, through)})`,
          );
        continue;
      }
      const from = this.outputOf(driver);
      this.outside.push(`(INTERCONNECT ${from.instance}/${from.port} ${port} ${this.ofArcs(wire, through)})`);
    }
  }

  private block(cell: number): string[] {
    const { netlist } = this.layout;
    const { graph } = this.built;
    const { modes, inputNames } = netlist.blocks[this.blockOfCell[cell]];
    const { verilog, clockFalls } = blockOf(modes);
    const wires = new Map<string, string>();
    const ways: string[] = [];
    const first = netlist.inputStart[cell];
    const outputs: number[] = [];
    for (let out = 0; out < netlist.cellCount; out++)
      if (netlist.kind[out] === cellKind.blockOutput && this.blockOfCell[out] === this.blockOfCell[cell])
        outputs.push(out);
    for (let slot = first; slot < netlist.inputStart[cell + 1]; slot++) {
      if (netlist.inputNet[slot] < 0) continue;
      const at = slot - first;
      const isClock = at >= inputNames.length;
      const pin = verilog.pin(isClock ? at - inputNames.length : inputNames[at]);
      this.wire(slot, pin, wires);
      const through = this.built.throughArc[slot];
      if (through >= 0 && !isClock)
        for (const out of outputs) {
          const way = this.built.throughArc[netlist.inputStart[out]];
          ways.push(`(IOPATH ${pin} ${this.outputOf(out).port} ${this.ofArcs(through, way)})`);
        }
      if (!isClock) continue;
      const edge = clockFalls(modes, at - inputNames.length) ? "negedge" : "posedge";
      for (const out of outputs)
        for (let a = graph.inStart[this.built.outputPin(out)]; a < graph.inStart[this.built.outputPin(out) + 1]; a++) {
          const arc = graph.inArc[a];
          if (graph.arcFrom[arc] !== slot) continue;
          const from =
            this.built.launchArc[out] === arc && graph.arcKind[arc] === arcKind.launch ? `(${edge} ${pin})` : pin;
          ways.push(`(IOPATH ${from} ${this.outputOf(out).port} ${this.ofArcs(arc)})`);
        }
    }
    return this.entry(
      verilog.model.match(/module\s+(\w+)/)?.[1] ?? "block",
      cell,
      [...wires.values(), ...ways],
      this.checks(cell),
    );
  }

  private checks(cell: number): string[] {
    const { netlist } = this.layout;
    const { graph } = this.built;
    const lines: string[] = [];
    const clocks = new Set<string>();
    for (const check of this.checksOf.get(cell) ?? []) {
      const slot = this.built.checkSlot[check];
      if (slot < 0) continue;
      const { port } = this.pinOf(slot);
      const clock = this.pinOf(graph.checkClock[check]).port;
      const edge = graph.checkFalls[check] ? "negedge" : "posedge";
      const setup = this.triple(this.fast.setup[check], this.slow.setup[check]);
      const hold = this.triple(this.fast.hold[check], this.slow.hold[check]);
      const word = graph.checkKind[check] === checkKind.recovery ? "RECREM" : "SETUPHOLD";
      lines.push(`(${word} ${port} (${edge} ${clock}) ${setup} ${hold})`);
      clocks.add(clock);
    }
    if (netlist.kind[cell] !== cellKind.lut)
      for (const clock of clocks)
        for (const edge of ["posedge", "negedge"])
          lines.push(`(WIDTH (${edge} ${clock}) ${this.triple(this.fastPulsePs, this.slowPulsePs)})`);
    return lines;
  }

  private entry(model: string, cell: number, delays: readonly string[], checks: readonly string[]): string[] {
    const shown = delays.filter((line) => line !== "");
    return [
      `  (CELL (CELLTYPE "${model}") (INSTANCE ${this.instance(cell)})`,
      ...(shown.length ? [`    (DELAY (ABSOLUTE ${shown.join(" ")}))`] : []),
      ...(checks.length ? [`    (TIMINGCHECK ${checks.join(" ")})`] : []),
      "  )",
    ];
  }
}
