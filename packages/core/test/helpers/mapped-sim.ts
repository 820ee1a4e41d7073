import {
  blockOfCells,
  cellKind,
  ffMode,
  ffPin,
  isLogic,
  logicOutput,
  type MappedNetlist,
  padPin,
} from "../../src/netlist/index.ts";
import { BlockReference } from "./block-reference.ts";

/** Slow and obvious simulator of a mapped netlist: evaluates until nothing changes. One clock, both edges. */
export class MappedSimulator {
  private readonly value: Uint8Array;
  private readonly blockOf: Int32Array;
  constructor(private readonly netlist: MappedNetlist) {
    this.value = new Uint8Array(netlist.netCount);
    this.blockOf = blockOfCells(netlist);
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (netlist.kind[cell] === cellKind.flipFlop)
        this.value[netlist.outputNet[cell]] = netlist.modes[cell] & ffMode.init ? 1 : 0;
    }
    this.blocks = netlist.blocks.map((block) => new BlockReference(block));
    this.settle();
  }
  private readonly blocks: BlockReference[];
  private input(cell: number, pin: number): number {
    const net = this.netlist.inputNet[this.netlist.inputStart[cell] + pin];
    return net < 0 ? -1 : this.value[net];
  }
  settle(): void {
    const { netlist } = this;
    for (let changed = true, round = 0; changed; round++) {
      if (round > 1000) throw new Error("does not settle");
      changed = false;
      for (let cell = 0; cell < netlist.cellCount; cell++) {
        let next = -1;
        if (netlist.kind[cell] === cellKind.blockOutput) {
          const block = this.blocks[this.blockOf[cell]];
          next = block.output(netlist.modes[cell], (pin) => Math.max(0, this.input(block.cell, pin)));
        } else if (isLogic(netlist.kind[cell])) next = logicOutput(netlist, cell, (net) => this.value[net]);
        else if (
          netlist.kind[cell] === cellKind.flipFlop &&
          netlist.modes[cell] & ffMode.asyncReset &&
          this.input(cell, ffPin.reset) === 1
        ) {
          next = netlist.modes[cell] & ffMode.resetValue ? 1 : 0;
        }
        if (next >= 0 && this.value[netlist.outputNet[cell]] !== next) {
          this.value[netlist.outputNet[cell]] = next;
          changed = true;
        }
      }
    }
  }
  set(port: string, value: bigint): void {
    const found = this.netlist.ports.find((candidate) => candidate.name === port)!;
    found.pads.forEach((cell, i) => {
      if (cell >= 0) this.value[this.netlist.outputNet[cell]] = Number((value >> BigInt(i)) & 1n);
    });
  }
  get(port: string): bigint {
    return this.fromPads(port, (cell) => this.input(cell, padPin.value));
  }
  /** Bits of an output port that are driven. */
  drives(port: string): bigint {
    return this.fromPads(port, (cell) => Math.abs(this.input(cell, padPin.enable)));
  }
  private fromPads(port: string, bit: (cell: number) => number): bigint {
    const found = this.netlist.ports.find(({ name, direction }) => name === port && direction === "output")!;
    return found.pads.reduce((sum, cell, i) => sum | (BigInt(bit(cell)) << BigInt(i)), 0n);
  }
  /** Value of a net by its name. */
  net(name: string): number {
    return this.value[this.netlist.netName.indexOf(name)];
  }
  /** One cycle of the clock: rising registers, then falling ones. */
  cycle(clock: string): void {
    const { netlist } = this;
    for (const level of [1n, 0n]) {
      const next: [number, number][] = [];
      for (let cell = 0; cell < netlist.cellCount; cell++) {
        if (netlist.kind[cell] !== cellKind.flipFlop) continue;
        const falling = (netlist.modes[cell] & ffMode.clockFalling) !== 0;
        if (falling === (level === 1n)) continue;
        let q: number = this.value[netlist.outputNet[cell]];
        if (this.input(cell, ffPin.enable) !== 0) q = this.input(cell, ffPin.d);
        if (this.input(cell, ffPin.reset) === 1) q = netlist.modes[cell] & ffMode.resetValue ? 1 : 0;
        next.push([netlist.outputNet[cell], q]);
      }
      // pins as they are before the edge
      for (const block of this.blocks) {
        const clocks = block.clockEdges(level === 1n).filter((p) => {
          const net = netlist.inputNet[netlist.inputStart[block.cell] + block.inputCount + p];
          return net >= 0 && netlist.kind[netlist.netDriver[net]] === cellKind.inputPad;
        });
        block.edge(clocks, (pin) => Math.max(0, this.input(block.cell, pin)));
      }
      this.set(clock, level);
      for (const [net, q] of next) this.value[net] = q;
      this.settle();
    }
  }
}
