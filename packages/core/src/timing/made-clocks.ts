import { clockFrom } from "../constraints/made-clock.ts";
import type { ClockRule } from "../constraints/sdc.ts";
import { clockBlockPins } from "../device/blocks.ts";
import { blockOfCells, cellKind, isClockMaker, type LayoutNetlist } from "../netlist/mapped.ts";

/**
 * What is known of the clock at a cell's output: the rule of a port's clock, what a clock block makes of it, or both
 * clocks of a switch. A clock that logic makes has none.
 */
export class MadeClocks {
  private readonly blockOf: Int32Array;
  private readonly known = new Map<number, readonly ClockRule[]>();

  constructor(
    private readonly netlist: LayoutNetlist,
    private readonly rules: readonly ClockRule[],
  ) {
    this.blockOf = blockOfCells(netlist);
  }

  /** True for an output of a clock block or switch that is a clock. */
  isMade(cell: number): boolean {
    const { kind, blocks, modes } = this.netlist;
    if (kind[cell] !== cellKind.blockOutput) return false;
    const own = blocks[this.blockOf[cell]].modes;
    return isClockMaker(own) && !(own.type === "clockBlock" && clockBlockPins.outputs[modes[cell]] === "LOCKED");
  }

  /** True for a clock that its block keeps in step with the one that comes in. */
  isAligned(cell: number): boolean {
    return this.isMade(cell) && this.netlist.blocks[this.blockOf[cell]].modes.type === "clockBlock";
  }

  /** Cells at the clock inputs of the block or switch that a made clock comes from, with the slots they lead to. */
  inputsOf(cell: number): { readonly driver: number; readonly slot: number }[] {
    const { blocks, inputStart, inputNet, netDriver } = this.netlist;
    const block = blocks[this.blockOf[cell]];
    const slots: { driver: number; slot: number }[] = [];
    for (let slot = inputStart[block.cell] + block.inputNames.length; slot < inputStart[block.cell + 1]; slot++)
      if (inputNet[slot] >= 0) slots.push({ driver: netDriver[inputNet[slot]], slot });
    return slots;
  }

  /** Times in ps; the port of a made clock's rule is the name of the output that makes it. */
  at(cell: number): readonly ClockRule[] {
    const known = this.known.get(cell);
    if (known) return known;
    this.known.set(cell, []); // a ring of clock blocks has no beginning
    let result: readonly ClockRule[] = [];
    const { kind, cellName, blocks, modes } = this.netlist;
    if (kind[cell] === cellKind.inputPad) result = this.rules.filter(({ port }) => port === cellName[cell]);
    else if (this.isMade(cell)) {
      const sources = this.inputsOf(cell).flatMap(({ driver }) => this.at(driver));
      const own = blocks[this.blockOf[cell]].modes;
      if (isClockMaker(own))
        result = sources.map((rule) => ({ ...clockFrom(rule, own, modes[cell]), port: cellName[cell] }));
    }
    this.known.set(cell, result);
    return result;
  }
}
