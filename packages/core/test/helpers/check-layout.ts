import { blockPinAt } from "../../src/device/blocks/registry.ts";
import type { LayoutInputs } from "../../src/layout/index.ts";
import { cellKind, clockSlots, ffMode, ffPin } from "../../src/netlist/index.ts";

/**
 * What is not as it must be in a finished layout, by itself: every cell in one place that there is, what shares a tile allowed to,
 * every connection by edges that the part has, no wire in two nets. Empty: nothing is wrong.
 */
export function layoutFaults({ netlist: n, packed, placed, routed, part }: LayoutInputs): string[] {
  const { fabric, graph, family } = part;
  const faults: string[] = [];
  const fault = (text: string) => faults.push(text);
  // clusters on logic tiles, one a tile
  const taken = new Map<string, string>();
  const take = (place: string, who: string) => {
    const other = taken.get(place);
    if (other !== undefined) fault(`${who} and ${other} are both at ${place}.`);
    taken.set(place, who);
  };
  placed.clusterTile.forEach((tile, c) => {
    if (fabric.tileKind(tile) !== "logic") fault(`Cluster ${c} lies on a tile of kind ${fabric.tileKind(tile)}.`);
    take(`tile ${tile}`, `cluster ${c}`);
  });
  for (let e = 0; e < packed.elementCount; e++) {
    if (packed.elementSlot[e] < 0 || packed.elementSlot[e] >= family.elementsPerTile)
      fault(`Element ${e} has slot ${packed.elementSlot[e]}.`);
    take(`slot ${packed.elementCluster[e]}.${packed.elementSlot[e]}`, `element ${e}`);
  }
  n.blocks.forEach(({ modes }, b) => {
    const tile = placed.blockTile[b];
    if (!fabric.blockSites(modes.type).includes(tile))
      fault(`Block ${b} lies on tile ${tile}, which is no place for it.`);
    take(`${modes.type} ${tile}`, `block ${b}`);
  });
  // registers of a tile share a clock, those of a group enable and reset
  const shared = new Map<string, string>();
  const agree = (place: string, what: string) => {
    const other = shared.get(place);
    if (other !== undefined && other !== what) fault(`${place} would need ${other} and ${what}.`);
    shared.set(place, what);
  };
  for (let e = 0; e < packed.elementCount; e++) {
    const ff = packed.elementFf[e];
    if (ff < 0) continue;
    const net = (pin: number) => n.inputNet[n.inputStart[ff] + pin];
    const cluster = packed.elementCluster[e];
    agree(`cluster ${cluster}, clock`, `${net(ffPin.clock)} ${n.modes[ff] & ffMode.clockFalling}`);
    const group = Math.floor(packed.elementSlot[e] / family.elementsPerGroup);
    agree(`cluster ${cluster}, group ${group}`, `${net(ffPin.enable)} ${net(ffPin.reset)}`);
  }
  // chains climb through neighbouring elements, from tile to tile upwards
  for (const { lut, sum, mux } of n.chains)
    for (let i = 1; i < lut.length; i++) {
      const elementAt = (k: number) => packed.cellElement[[sum[k], mux[k], lut[k]].find((cell) => cell >= 0)!];
      const [below, above] = [elementAt(i - 1), elementAt(i)];
      const height = (e: number) =>
        fabric.tileY(placed.clusterTile[packed.elementCluster[e]]) * family.elementsPerTile + packed.elementSlot[e];
      const column = (e: number) => fabric.tileX(placed.clusterTile[packed.elementCluster[e]]);
      if (column(above) !== column(below) || height(above) !== height(below) + 1)
        fault(`A carry link from element ${below} to ${above} is broken.`);
    }
  // trees: real edges, each node once, each sink reached at a pin of its own cell
  const owner = new Map<number, number>();
  const isClock = clockSlots(n);
  for (let net = 0; net < n.netCount; net++) {
    const first = routed.netStart[net];
    const nodes = new Set<number>();
    for (let i = first; i < routed.netStart[net + 1]; i++) {
      const node = routed.treeNode[i];
      const other = owner.get(node);
      if (other !== undefined) fault(`Nets ${other} and ${net} share node ${node}.`);
      owner.set(node, net);
      nodes.add(node);
      if (routed.treeParent[i] < 0) continue;
      const parent = routed.treeNode[first + routed.treeParent[i]];
      const from = Array.from({ length: graph.sourceCount(node) }, (_, s) => graph.source(node, s));
      if (!from.includes(parent)) fault(`Net ${net} goes from ${parent} to ${node}, where there is no edge.`);
    }
    if (nodes.size !== routed.netStart[net + 1] - first) fault(`Net ${net} goes through a node twice.`);
  }
  for (let cell = 0; cell < n.cellCount; cell++)
    for (let slot = n.inputStart[cell]; slot < n.inputStart[cell + 1]; slot++) {
      const node = routed.pinNode[slot];
      if (node < 0) continue;
      if (owner.get(node) !== n.inputNet[slot]) fault(`Pin ${slot} is reached by net ${owner.get(node)}.`);
      const at = tileOf(cell);
      const tile = graph.nodeTile[node];
      if (n.kind[cell] === cellKind.block) {
        const b = packed.cellBlock[cell];
        const { row, name } = blockPinAt(family, n.blocks[b].modes.type, "inputs", slot - n.inputStart[cell]);
        const expected = placed.blockTile[b] + row * fabric.width;
        const pin = graph.tileFirst[expected] + fabric.pattern(expected).byName.get(name)!;
        if (node !== pin) fault(`Pin ${slot} of block ${b} is reached at node ${node}, not at ${pin}.`);
      } else if (tile !== at) fault(`Pin ${slot} of cell ${cell} is reached in tile ${tile}, but it lies in ${at}.`);
      if (isClock[slot] && n.kind[cell] === cellKind.flipFlop) {
        const clock = graph.tileFirst[tile] + fabric.pattern(tile).byName.get("CLK")!;
        if (node !== clock) fault(`The clock of cell ${cell} is reached at a pin that is none.`);
      }
    }
  return faults;

  function tileOf(cell: number): number {
    if (packed.cellPad[cell] >= 0) return fabric.pads[packed.cellPad[cell]].tile;
    const element = packed.cellElement[cell];
    return element < 0 ? -1 : placed.clusterTile[packed.elementCluster[element]];
  }
}
