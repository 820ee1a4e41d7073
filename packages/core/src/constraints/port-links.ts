import { clockPinsOf } from "../netlist/clocked-cells.ts";
import { firstNet, type RtlNetlist } from "../netlist/rtl.ts";

/** Two ports that logic ties together: the stronger, the fewer registers lie between them. */
export interface PortLink {
  readonly ports: readonly [string, string];
  /** 1 through logic alone; less for each register on the way; summed over what they share. */
  readonly weight: number;
}

/** Registers that a way may lead through, and cells that one port's ways may reach. */
const mostLevels = 2;
const mostCells = 4000;
/** What more ports than this reach, as a reset does, ties none of them together. */
const mostSharers = 24;

/**
 * Which ports talk to each other. From inputs forwards and from outputs backwards, through logic and a few registers, by
 * word-level cell; ports that meet at a cell are linked. Clock pins count for nothing.
 */
export function portLinks(netlist: RtlNetlist): PortLink[] {
  const { cells, ports } = netlist;
  const readers = new Map<number, number[]>();
  const drivers = new Map<number, number>();
  const isClocked = cells.map((cell) => clockPinsOf(cell).length > 0);
  cells.forEach((cell, c) => {
    const clocks = new Set(clockPinsOf(cell).map(({ net }) => net));
    for (const net of cell.output) drivers.set(net, c);
    for (const input of cell.inputs)
      for (const net of input) {
        if (net < firstNet || clocks.has(net)) continue;
        const list = readers.get(net);
        if (list) list.push(c);
        else readers.set(net, [c]);
      }
  });
  /** [cells] Ports that reach it, with the registers passed. */
  const reached: Map<string, number>[] = cells.map(() => new Map());
  for (const { name, direction, bits, enable } of ports) {
    const forwards = direction === "input";
    const next = (net: number) => {
      const driver = drivers.get(net);
      return forwards ? (readers.get(net) ?? []) : driver === undefined ? [] : [driver];
    };
    let front = [...bits, ...(enable ?? [])];
    let count = 0;
    const seen = new Set<number>();
    for (let level = 0; level <= mostLevels && front.length; level++) {
      const beyond: number[] = [];
      // a list goes on to what is added to it while it is walked
      for (const net of front)
        for (const cell of next(net)) {
          if (seen.has(cell) || count >= mostCells) continue;
          seen.add(cell);
          count++;
          const known = reached[cell].get(name);
          if (known === undefined || level < known) reached[cell].set(name, level);
          const nets = forwards ? cells[cell].output : cells[cell].inputs.flat().filter((each) => each >= firstNet);
          (isClocked[cell] ? beyond : front).push(...nets);
        }
      front = beyond;
    }
  }
  const weights = new Map<string, { ports: readonly [string, string]; weight: number }>();
  for (const at of reached) {
    if (at.size < 2 || at.size > mostSharers) continue;
    const list = [...at].sort(([a], [b]) => (a < b ? -1 : 1));
    for (let i = 0; i < list.length; i++)
      for (let k = i + 1; k < list.length; k++) {
        const key = `${list[i][0]}\n${list[k][0]}`;
        const known = weights.get(key) ?? { ports: [list[i][0], list[k][0]] as const, weight: 0 };
        known.weight += 1 / (1 + list[i][1] + list[k][1]);
        weights.set(key, known);
      }
  }
  return [...weights.values()];
}
