import { isClockedBlock } from "../device/blocks/registry.ts";
import { firstNet, type RtlCell, type RtlNetlist } from "./rtl.ts";

/**
 * Bits that the given output bit depends on within one clock cycle. Bitwise cells depend bit by bit, sums on the bits
 * up to their own, the others on all of their inputs; flip-flops on nothing.
 */
export function combFanin(cell: RtlCell, at: number, visit: (bit: number) => void): void {
  switch (cell.kind) {
    case "ff":
      return;
    case "block": {
      if (!isClockedBlock(cell.block!.modes)) for (const input of cell.inputs) for (const bit of input) visit(bit);
      return;
    }
    case "not":
    case "and":
    case "or":
    case "xor":
      for (const input of cell.inputs) visit(input[at]);
      return;
    case "mux":
      visit(cell.inputs[0][0]);
      visit(cell.inputs[1][at]);
      visit(cell.inputs[2][at]);
      return;
    case "add":
    case "sub": // a carry only climbs
      for (const input of cell.inputs) for (let i = 0; i <= at; i++) visit(input[i]);
      return;
    case "mem":
      for (const bit of cell.inputs[Math.floor(at / cell.memory!.width)]) visit(bit);
      return;
    case "latch": // the loop through a latch's own output is its purpose; data and enable still pass through it
      visit(cell.inputs[0][at]);
      visit(cell.inputs[1][0]);
      return;
    default:
      for (const input of cell.inputs) for (const bit of input) visit(bit);
  }
}

/**
 * Rings of combinational cells: strongly connected components of the nets (Tarjan 1972, SIAM J. Comput. 1(2)), without
 * recursion. @returns Each loop as the nets on it.
 */
export function findCombLoops(netlist: RtlNetlist): number[][] {
  const { netCount, cells } = netlist;
  const driver = new Int32Array(netCount).fill(-1);
  const bitAt = new Int32Array(netCount);
  cells.forEach((cell, c) => {
    cell.output.forEach((bit, i) => {
      driver[bit] = c;
      bitAt[bit] = i;
    });
  });
  const faninOf = (net: number): number[] => {
    const list: number[] = [];
    if (driver[net] >= 0)
      combFanin(cells[driver[net]], bitAt[net], (bit) => bit >= firstNet && driver[bit] >= 0 && list.push(bit));
    return list;
  };
  const order = new Int32Array(netCount); // 0: not seen
  const low = new Int32Array(netCount);
  const onStack = new Uint8Array(netCount);
  const stack: number[] = [];
  const loops: number[][] = [];
  let counter = 0;
  for (let root = firstNet; root < netCount; root++) {
    if (order[root] || driver[root] < 0) continue;
    const frames: { net: number; fanin: number[]; next: number }[] = [];
    const enter = (net: number) => {
      order[net] = low[net] = ++counter;
      onStack[net] = 1;
      stack.push(net);
      frames.push({ net, fanin: faninOf(net), next: 0 });
    };
    enter(root);
    while (frames.length) {
      const frame = frames[frames.length - 1];
      if (frame.next < frame.fanin.length) {
        const to = frame.fanin[frame.next++];
        if (!order[to]) enter(to);
        else if (onStack[to]) low[frame.net] = Math.min(low[frame.net], order[to]);
        continue;
      }
      frames.pop();
      if (frames.length) {
        const parent = frames[frames.length - 1].net;
        low[parent] = Math.min(low[parent], low[frame.net]);
      }
      if (low[frame.net] === order[frame.net]) {
        const members: number[] = [];
        for (;;) {
          const net = stack.pop()!;
          onStack[net] = 0;
          members.push(net);
          if (net === frame.net) break;
        }
        if (members.length > 1 || frame.fanin.includes(frame.net)) loops.push(members);
      }
    }
  }
  return loops;
}
