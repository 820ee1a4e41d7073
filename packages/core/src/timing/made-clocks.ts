import type { PortClock } from "../constraints/port-clocks.ts";
import { blockOf } from "../device/blocks/registry.ts";
import { blockOfCells, cellKind, type LayoutNetlist } from "../netlist/mapped.ts";

const anyClock = { name: "", periodPs: 1, risePs: 0, fallPs: 1 };

/**
 * What is known of the clock at a cell's output: the rule of a port's clock, what a clock block makes of it, or both
 * clocks of a switch. A clock that logic makes has none.
 */
export class MadeClocks {
  private readonly blockOf: Int32Array;
  private readonly known = new Map<number, readonly PortClock[]>();

  constructor(
    private readonly netlist: LayoutNetlist,
    private readonly rules: readonly PortClock[],
  ) {
    this.blockOf = blockOfCells(netlist);
  }

  /** True for an output of a maker of clocks that is a clock. */
  isMade(cell: number): boolean {
    if (this.netlist.kind[cell] !== cellKind.blockOutput) return false;
    const { modes, outputNames } = this.netlist.blocks[this.blockOf[cell]];
    return blockOf(modes).clockFrom?.(modes, anyClock, outputNames[this.netlist.modes[cell]]) != null;
  }

  /** True for a clock that its block keeps in step with the one that comes in. */
  isAligned(cell: number): boolean {
    return this.isMade(cell) && blockOf(this.netlist.blocks[this.blockOf[cell]].modes).isAligned === true;
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
  at(cell: number): readonly PortClock[] {
    const known = this.known.get(cell);
    if (known) return known;
    this.known.set(cell, []); // a ring of clock blocks has no beginning
    let result: readonly PortClock[] = [];
    const { kind, cellName, blocks, modes } = this.netlist;
    if (kind[cell] === cellKind.inputPad) result = this.rules.filter(({ port }) => port === cellName[cell]);
    else if (this.isMade(cell)) {
      const sources = this.inputsOf(cell).flatMap(({ driver }) => this.at(driver));
      const { modes: own, outputNames } = blocks[this.blockOf[cell]];
      const output = outputNames[modes[cell]];
      result = sources.flatMap((rule) => {
        const made = blockOf(own).clockFrom!(own, rule, output);
        return made ? [{ ...made, port: cellName[cell] }] : [];
      });
    }
    this.known.set(cell, result);
    return result;
  }
}
