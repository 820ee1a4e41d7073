import { combFanin } from "../../netlist/comb-graph.ts";
import { firstNet, type RtlNetlist } from "../../netlist/rtl.ts";

/** Where nets of a circuit as written come from: for clocks on their way through gates and multiplexers. */
export class ClockTracing {
  private readonly driver: Int32Array;
  private readonly bitAt: Int32Array;

  constructor(readonly netlist: RtlNetlist) {
    this.driver = new Int32Array(netlist.netCount).fill(-1);
    this.bitAt = new Int32Array(netlist.netCount);
    netlist.cells.forEach((cell, c) => {
      cell.output.forEach((net, i) => {
        this.driver[net] = c;
        this.bitAt[net] = i;
      });
    });
  }

  /** Number of the cell that drives a net, -1 for ports and constants; and the bit of its output. */
  driverOf(net: number): { readonly cell: number; readonly bit: number } {
    return { cell: this.driver[net] ?? -1, bit: this.bitAt[net] ?? 0 };
  }

  /** Nets that logic makes a net of, without going through registers and blocks. */
  faninOf(net: number): number[] {
    const found: number[] = [];
    const cell = this.driver[net] ?? -1;
    if (cell < 0) return found;
    const { kind } = this.netlist.cells[cell];
    if (kind === "ff" || kind === "latch" || kind === "mem" || kind === "block") return found;
    combFanin(this.netlist.cells[cell], this.bitAt[net], (bit) => {
      if (bit >= firstNet) found.push(bit);
    });
    return found;
  }

  /**
   * Goes back from a net to the nearest ones that `isEnd` names, each once. O(nets on the way).
   * @param most Nets that are looked at before it gives up.
   */
  nearest(net: number, isEnd: (net: number) => boolean, most = 10_000): number[] {
    const seen = new Set([net]);
    const queue = [net];
    const found: number[] = [];
    for (let head = 0; head < queue.length && head < most; head++) {
      if (isEnd(queue[head])) {
        found.push(queue[head]);
        continue;
      }
      for (const from of this.faninOf(queue[head]))
        if (!seen.has(from)) {
          seen.add(from);
          queue.push(from);
        }
    }
    return found;
  }
}
