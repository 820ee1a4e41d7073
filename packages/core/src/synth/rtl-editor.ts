import { ownerOfMade } from "../netlist/made-names.ts";
import { bitX, portReads, type RtlCell, type RtlNetlist } from "../netlist/rtl.ts";
import { RtlBuilder } from "../netlist/rtl-builder.ts";
import { Wishes } from "./wishes.ts";

export interface Reader {
  readonly cell: number;
  readonly input: number;
  readonly bit: number;
}

/** Netlist with cells taken out and put in; `origin` leads from each cell to the one in the elaborated netlist. */
export interface EditedNetlist {
  readonly netlist: RtlNetlist;
  /** [cells] */
  readonly origin: Int32Array;
}

const perBit = new Set<RtlCell["kind"]>(["not", "and", "or", "xor", "mux", "ff", "latch"]);

/** [nets] 1 where an output port or a net that is to be kept depends on a net, over any number of cycles. Bit by bit; O(pins). */
export function liveNets(netlist: RtlNetlist): Uint8Array {
  const { cells, netCount, ports } = netlist;
  const driver = new Int32Array(netCount).fill(-1);
  const bitAt = new Int32Array(netCount);
  cells.forEach((cell, c) => {
    cell.output.forEach((net, i) => {
      driver[net] = c;
      bitAt[net] = i;
    });
  });
  const live = new Uint8Array(netCount);
  const whole = new Uint8Array(cells.length); // cells whose shared inputs are marked already
  const stack: number[] = [];
  const mark = (net: number) => {
    if (live[net]) return;
    live[net] = 1;
    stack.push(net);
  };
  for (const port of ports) for (const bits of portReads(port)) bits.forEach(mark);
  new Wishes(netlist).kept.forEach(mark);
  while (stack.length) {
    const net = stack.pop()!;
    const c = driver[net];
    if (c < 0) continue;
    const cell = cells[c];
    if (perBit.has(cell.kind)) {
      const at = bitAt[net];
      const first = cell.kind === "mux" ? 1 : 0;
      const last = cell.kind === "ff" || cell.kind === "latch" ? 1 : cell.inputs.length;
      for (let i = first; i < last; i++) mark(cell.inputs[i][at]);
      if (whole[c]) continue;
      whole[c] = 1;
      if (cell.kind === "mux") mark(cell.inputs[0][0]);
      for (let i = last; i < cell.inputs.length; i++) cell.inputs[i].forEach(mark);
    } else if (!whole[c]) {
      whole[c] = 1;
      for (const input of cell.inputs) input.forEach(mark);
    }
  }
  return live;
}

/** Changes a word-level netlist. Driver and readers are those of the netlist as it came in; what reads for nothing is not counted. */
export class RtlEditor {
  readonly builder = new RtlBuilder();
  private readonly driverCell: Int32Array;
  private readonly driverBit: Int32Array;
  private readonly readerStart: Int32Array;
  private readonly readerList: Int32Array;
  /** [nets] 1 for nets of output ports and those that are to be kept. */
  private readonly isOutput: Uint8Array;
  readonly wishes: Wishes;
  private readonly removed: Uint8Array;
  private readonly removedBits = new Map<number, Set<number>>();
  private readonly madeOrigin: number[] = [];

  constructor(
    readonly netlist: RtlNetlist,
    private readonly origin: Int32Array,
  ) {
    const { cells, netCount } = netlist;
    this.builder.netCount = netCount;
    this.driverCell = new Int32Array(netCount).fill(-1);
    this.driverBit = new Int32Array(netCount);
    this.readerStart = new Int32Array(netCount + 1);
    this.isOutput = new Uint8Array(netCount);
    this.removed = new Uint8Array(cells.length);
    const live = liveNets(netlist);
    const reads = (cell: RtlCell, input: number, bit: number) => {
      if (perBit.has(cell.kind)) {
        // a bit of a bitwise cell reads only its own; controls serve all
        const isControl =
          (cell.kind === "mux" && input === 0) || ((cell.kind === "ff" || cell.kind === "latch") && input > 0);
        if (!isControl) return live[cell.output[bit]] === 1;
      }
      return cell.output.some((net) => live[net] === 1);
    };
    for (const cell of cells)
      cell.inputs.forEach((input, i) => {
        input.forEach((net, bit) => {
          if (reads(cell, i, bit)) this.readerStart[net + 1]++;
        });
      });
    for (let net = 0; net < netCount; net++) this.readerStart[net + 1] += this.readerStart[net];
    const fill = this.readerStart.slice(0, netCount);
    this.readerList = new Int32Array(3 * this.readerStart[netCount]);
    cells.forEach((cell, c) => {
      cell.output.forEach((net, i) => {
        this.driverCell[net] = c;
        this.driverBit[net] = i;
      });
      cell.inputs.forEach((input, i) => {
        input.forEach((net, bit) => {
          if (!reads(cell, i, bit)) return;
          const at = 3 * fill[net]++;
          this.readerList[at] = c;
          this.readerList[at + 1] = i;
          this.readerList[at + 2] = bit;
        });
      });
    });
    for (const port of netlist.ports)
      for (const bits of portReads(port)) for (const net of bits) this.isOutput[net] = 1;
    this.wishes = new Wishes(netlist);
    for (const net of this.wishes.kept) this.isOutput[net] = 1;
  }

  cell(c: number): RtlCell {
    return this.netlist.cells[c];
  }
  /** Cell that drives a net, with the bit; null for ports, constants and nets of new cells. */
  driver(net: number): { cell: number; bit: number } | null {
    if (net <= bitX || net >= this.driverCell.length || this.driverCell[net] < 0) return null;
    return { cell: this.driverCell[net], bit: this.driverBit[net] };
  }
  /** The cell itself where it is of the kind, else null. */
  driverOfKind(net: number, kind: RtlCell["kind"]): { cell: RtlCell; bit: number; id: number } | null {
    const found = this.driver(net);
    if (!found || this.cell(found.cell).kind !== kind) return null;
    return { cell: this.cell(found.cell), bit: found.bit, id: found.cell };
  }
  readerCount(net: number): number {
    return this.readerStart[net + 1] - this.readerStart[net];
  }
  reader(net: number, i: number): Reader {
    const at = 3 * (this.readerStart[net] + i);
    return { cell: this.readerList[at], input: this.readerList[at + 1], bit: this.readerList[at + 2] };
  }
  /** The one place that reads a net; null if there are more, none, or an output port is among them. */
  onlyReader(net: number): Reader | null {
    return this.readerCount(net) === 1 && !this.isOutput[net] ? this.reader(net, 0) : null;
  }
  isRead(net: number): boolean {
    return this.isOutput[net] === 1 || this.readerCount(net) > 0;
  }
  leadsOut(net: number): boolean {
    return this.isOutput[net] === 1;
  }

  remove(c: number): void {
    this.removed[c] = 1;
  }
  isRemoved(c: number): boolean {
    return this.removed[c] === 1;
  }
  /** Takes one bit of a register out; its output net is free for another driver then. */
  removeBit(c: number, bit: number): void {
    const bits = this.removedBits.get(c);
    if (bits) bits.add(bit);
    else this.removedBits.set(c, new Set([bit]));
  }

  /** Runs `make`; cells that the builder makes meanwhile come from `origin`. */
  from(origin: number, make: () => void): void {
    this.builder.hint = ownerOfMade(this.cell(origin).name);
    make();
    while (this.madeOrigin.length < this.builder.cells.length) this.madeOrigin.push(this.origin[origin]);
  }

  finish(): EditedNetlist {
    const cells: RtlCell[] = [];
    const origin: number[] = [];
    this.netlist.cells.forEach((cell, c) => {
      if (this.removed[c]) return;
      const gone = this.removedBits.get(c);
      if (gone) {
        const kept = cell.output.map((_, i) => i).filter((i) => !gone.has(i));
        if (kept.length === 0) return;
        const cut = (text: string) =>
          [...kept]
            .reverse()
            .map((i) => text[text.length - 1 - i])
            .join("");
        const modes = cell.modes && {
          ...cell.modes,
          resetValue: cut(cell.modes.resetValue),
          init: cut(cell.modes.init),
        };
        const inputs = cell.inputs.map((input, i) => (i === 0 ? kept.map((bit) => input[bit]) : input));
        cells.push({ ...cell, inputs, output: kept.map((bit) => cell.output[bit]), modes });
      } else cells.push(cell);
      origin.push(this.origin[c]);
    });
    this.builder.cells.forEach((cell, i) => {
      cells.push(cell);
      origin.push(this.madeOrigin[i] ?? -1);
    });
    return {
      netlist: { ...this.netlist, netCount: this.builder.netCount, cells },
      origin: Int32Array.from(origin),
    };
  }
}
