import { blockPinAt, isOutsidePin } from "../device/blocks/registry.ts";
import { carryPin, cellKind, clockSlots, ffMode, ffPin, padPin, serialPads } from "../netlist/mapped.ts";
import { elementAt, type TimedLayout } from "./layout.ts";

type LaidOut = Omit<TimedLayout, "pins">;

/**
 * What is not as it must be in a finished layout, seen from the layout alone: every cell at one place that there is, what shares a tile
 * allowed to, every input reached at a pin of its own cell from its own driver, by edges that the part has, no wire in two nets. Knows
 * nothing of how it came about. Empty: nothing is wrong. O(pins + tree nodes).
 */
export function layoutFaults(layout: LaidOut): string[] {
  const check = new LayoutCheck(layout);
  check.places();
  // what lies nowhere can be connected to nothing
  if (check.faults.length) return check.faults;
  check.sharing();
  check.chains();
  check.trees();
  check.pins();
  return check.faults;
}

class LayoutCheck {
  readonly faults: string[] = [];
  /** Net that each routing node belongs to. */
  private readonly owner = new Map<number, number>();
  /** [cells] Tile and place of those in logic tiles. */
  private readonly lies: ReadonlyMap<number, { tile: number; place: number }>;

  constructor(private readonly layout: LaidOut) {
    const { packed, placed, part } = layout;
    const lies = new Map<number, { tile: number; place: number }>();
    for (let e = 0; e < packed.elementCount; e++)
      for (const cell of [packed.elementLut[e], packed.elementFf[e], packed.elementSum[e], packed.elementMux[e]])
        if (cell >= 0) lies.set(cell, elementAt(part, placed, e));
    this.lies = lies;
  }

  private fault(text: string): void {
    this.faults.push(text);
  }
  private tileName(tile: number): string {
    const { fabric } = this.layout.part;
    return `x${fabric.tileX(tile)}y${fabric.tileY(tile)}`;
  }
  private nameOf(cell: number): string {
    return `'${this.layout.netlist.cellName[cell]}'`;
  }

  places(): void {
    const { netlist, packed, placed, part } = this.layout;
    const { fabric, family } = part;
    const taken = new Map<string, string>();
    const take = (place: string, who: string) => {
      const other = taken.get(place);
      if (other !== undefined) this.fault(`${who} and ${other} are both at ${place}.`);
      taken.set(place, who);
    };
    for (let e = 0; e < packed.elementCount; e++) {
      const cell = [packed.elementLut[e], packed.elementFf[e], packed.elementSum[e], packed.elementMux[e]].find(
        (own) => own >= 0,
      );
      const who = cell === undefined ? `element ${e}` : this.nameOf(cell);
      const site = placed.elementSite[e];
      const { tile, place } = elementAt(part, placed, e);
      if (!(site >= 0 && site < fabric.tileCount * family.elementsPerTile)) {
        this.fault(`${who} lies nowhere.`);
        continue;
      }
      if (fabric.tileKind(tile) !== "logic")
        this.fault(`${who} lies in ${this.tileName(tile)}, a tile of kind ${fabric.tileKind(tile)}.`);
      take(`${this.tileName(tile)}, place ${place}`, who);
    }
    netlist.blocks.forEach(({ cell, modes }, b) => {
      const tile = placed.blockTile[b];
      const who = this.nameOf(cell);
      if (!fabric.blockSites(modes.type).includes(tile))
        this.fault(`${who} lies in ${this.tileName(tile)}, which is no place for it.`);
      if (packed.blockSite[b] >= 0 && fabric.blockSites(modes.type)[packed.blockSite[b]] !== tile)
        this.fault(`${who} lies in ${this.tileName(tile)}, but its pins are elsewhere.`);
      take(`${modes.type} ${this.tileName(tile)}`, who);
    });
    const serial = serialPads(netlist);
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      const kind = netlist.kind[cell];
      const isPad = (kind === cellKind.inputPad || kind === cellKind.outputPad) && !serial.has(cell);
      if (isPad && !fabric.pads[packed.cellPad[cell]]) this.fault(`${this.nameOf(cell)} has no pad.`);
      const isLogic =
        kind === cellKind.lut ||
        kind === cellKind.carrySum ||
        kind === cellKind.carryMux ||
        (kind === cellKind.flipFlop && packed.cellPad[cell] < 0);
      if (isLogic && !this.lies.has(cell)) this.fault(`${this.nameOf(cell)} lies nowhere.`);
    }
  }

  /** Registers of a tile share a clock, those of a group enable and reset; registers in pads of a tile share a clock. */
  sharing(): void {
    const { netlist: n, packed, part } = this.layout;
    const shared = new Map<string, string>();
    const agree = (place: string, what: string, cell: number) => {
      const other = shared.get(place);
      if (other !== undefined && other !== what) this.fault(`${this.nameOf(cell)} does not agree with ${place}.`);
      shared.set(place, what);
    };
    for (let ff = 0; ff < n.cellCount; ff++) {
      if (n.kind[ff] !== cellKind.flipFlop) continue;
      const net = (pin: number) => n.inputNet[n.inputStart[ff] + pin];
      const clock = `${net(ffPin.clock)} ${n.modes[ff] & ffMode.clockFalling}`;
      const at = this.lies.get(ff);
      if (at) {
        const tile = this.tileName(at.tile);
        agree(`the clock of ${tile}`, clock, ff);
        const group = Math.floor(at.place / part.family.elementsPerGroup);
        agree(`enable and reset of ${tile}, group ${group}`, `${net(ffPin.enable)} ${net(ffPin.reset)}`, ff);
      } else if (packed.cellPad[ff] >= 0) {
        agree(`the clock of ${this.tileName(part.fabric.pads[packed.cellPad[ff]].tile)}`, clock, ff);
        if (net(ffPin.enable) >= 0 || net(ffPin.reset) >= 0)
          this.fault(`${this.nameOf(ff)} lies in a pad, which has neither enable nor reset.`);
      }
    }
  }

  /** Chains climb through neighbouring elements, from tile to tile upwards. */
  chains(): void {
    const { fabric, family } = this.layout.part;
    for (const { lut, sum, mux } of this.layout.netlist.chains)
      for (let i = 0; i < lut.length; i++) {
        const cells = [sum[i], mux[i], lut[i]].filter((cell) => cell >= 0);
        const places = cells.map((cell) => this.lies.get(cell));
        const [own] = places;
        if (!own) continue; // told already
        if (places.some((other) => other?.tile !== own.tile || other.place !== own.place))
          this.fault(`${this.nameOf(cells[0])} is apart from the LUT of its carry link.`);
        if (i === 0) continue;
        const below = this.lies.get([sum[i - 1], mux[i - 1], lut[i - 1]].find((cell) => cell >= 0)!);
        if (!below) continue;
        const height = (at: { tile: number; place: number }) =>
          fabric.tileY(at.tile) * family.elementsPerTile + at.place;
        if (fabric.tileX(own.tile) !== fabric.tileX(below.tile) || height(own) !== height(below) + 1)
          this.fault(`The carry link to ${this.nameOf(cells[0])} is broken.`);
      }
  }

  /** Real edges, parents first, each node once, from the driver's own pin. */
  trees(): void {
    const { netlist: n, routed, part } = this.layout;
    const { graph } = part;
    for (let net = 0; net < n.netCount; net++) {
      const name = `'${n.netName[net]}'`;
      const [first, end] = [routed.netStart[net], routed.netStart[net + 1]];
      for (let i = first; i < end; i++) {
        const node = routed.treeNode[i];
        const other = this.owner.get(node);
        if (other === net) this.fault(`Net ${name} goes through node ${node} twice.`);
        else if (other !== undefined) this.fault(`Nets '${n.netName[other]}' and ${name} share node ${node}.`);
        this.owner.set(node, net);
        const up = routed.treeParent[i];
        if (i === first ? up !== -1 : !(up >= 0 && up < i - first)) {
          this.fault(`The tree of net ${name} is none.`);
          continue;
        }
        if (up < 0) {
          const source = this.sourceOf(n.netDriver[net]);
          if (node !== source) this.fault(`Net ${name} begins at node ${node}, not at its driver's ${source}.`);
          continue;
        }
        const parent = routed.treeNode[first + up];
        let k = graph.sourceCount(node) - 1;
        while (k >= 0 && graph.source(node, k) !== parent) k--;
        if (k < 0) this.fault(`Net ${name} goes from ${parent} to ${node}, where there is no edge.`);
      }
    }
  }

  private node(tile: number, name: string): number {
    const { fabric, graph } = this.layout.part;
    return graph.tileFirst[tile] + (fabric.pattern(tile).byName.get(name) ?? Number.NaN);
  }
  private blockPin(cell: number, direction: "inputs" | "outputs", pin: number): number {
    const { netlist, packed, placed, part } = this.layout;
    const b = packed.cellBlock[cell];
    const { row, name } = blockPinAt(part.family, netlist.blocks[b].modes.type, direction, pin);
    return this.node(placed.blockTile[b] + row * part.fabric.width, name);
  }

  private sourceOf(cell: number): number {
    const { netlist, packed, part } = this.layout;
    const pad = part.fabric.pads[packed.cellPad[cell]];
    if (pad) return this.node(pad.tile, `IN${pad.index}`);
    if (netlist.kind[cell] === cellKind.blockOutput) return this.blockPin(cell, "outputs", netlist.modes[cell]);
    const at = this.lies.get(cell);
    return at ? this.node(at.tile, `${netlist.kind[cell] === cellKind.flipFlop ? "Q" : "O"}${at.place}`) : Number.NaN;
  }

  /** Each input is reached where it is; or needs no wire, since its driver is the same element or pad. */
  pins(): void {
    const { netlist: n, routed } = this.layout;
    const isClock = clockSlots(n);
    for (let cell = 0; cell < n.cellCount; cell++) {
      const used = new Set<number>();
      for (let slot = n.inputStart[cell]; slot < n.inputStart[cell + 1]; slot++) {
        if (n.inputNet[slot] < 0) continue;
        const node = routed.pinNode[slot];
        const pin = slot - n.inputStart[cell];
        const who = `Input ${pin} of ${this.nameOf(cell)}`;
        if (this.isInside(cell, pin)) {
          if (node >= 0) this.fault(`${who} needs no wire, and has one.`);
          continue;
        }
        if (node < 0) {
          this.fault(`${who} is not reached.`);
          continue;
        }
        if (this.owner.get(node) !== n.inputNet[slot]) this.fault(`${who} is reached by another net, or by none.`);
        const { first, count } = this.pinsOf(cell, pin, isClock[slot] === 1);
        if (!(node >= first && node < first + count))
          this.fault(`${who} is reached at node ${node}, which is no pin of it.`);
        if (used.has(node)) this.fault(`${who} is reached at the pin of another input.`);
        used.add(node);
      }
    }
  }

  private pinsOf(cell: number, pin: number, isClock: boolean): { first: number; count: number } {
    const { netlist, packed, part } = this.layout;
    const kind = netlist.kind[cell];
    if (kind === cellKind.block) return { first: this.blockPin(cell, "inputs", pin), count: 1 };
    const pad = part.fabric.pads[packed.cellPad[cell]];
    if (pad) {
      const name =
        kind === cellKind.flipFlop
          ? isClock
            ? "CLK"
            : `OUT${pad.index}`
          : `${pin === padPin.enable ? "OE" : "OUT"}${pad.index}`;
      return { first: this.node(pad.tile, name), count: 1 };
    }
    const at = this.lies.get(cell);
    if (!at) return { first: Number.NaN, count: 0 };
    if (kind === cellKind.lut) return { first: this.node(at.tile, `L${at.place}.0`), count: part.family.lutInputs };
    const group = Math.floor(at.place / part.family.elementsPerGroup);
    const name = isClock
      ? "CLK"
      : kind === cellKind.carryMux || pin === ffPin.d
        ? `B${at.place}`
        : `${pin === ffPin.enable ? "EN" : "SR"}${group}`;
    return { first: this.node(at.tile, name), count: 1 };
  }

  /** True for what never leaves an element, a pad or a block. */
  private isInside(cell: number, pin: number): boolean {
    const { netlist: n, packed } = this.layout;
    const kind = n.kind[cell];
    const driver = n.netDriver[n.inputNet[n.inputStart[cell] + pin]];
    if (kind === cellKind.blockOutput) return true;
    if (kind === cellKind.carrySum || kind === cellKind.carryMux) return pin === carryPin.p || pin === carryPin.carryIn;
    if (kind === cellKind.block) {
      const { modes, inputNames } = n.blocks[packed.cellBlock[cell]];
      return isOutsidePin(modes.type, inputNames[pin]);
    }
    if (kind === cellKind.outputPad)
      return (
        packed.cellPad[cell] < 0 ||
        (n.kind[driver] === cellKind.flipFlop && packed.cellPad[driver] === packed.cellPad[cell])
      );
    if (kind !== cellKind.flipFlop || pin !== ffPin.d) return false;
    if (packed.cellPad[cell] >= 0)
      return n.kind[driver] === cellKind.inputPad && packed.cellPad[driver] === packed.cellPad[cell];
    const [own, from] = [this.lies.get(cell), this.lies.get(driver)];
    const isJoined = packed.elementJoined[packed.cellElement[cell]] === 1;
    if (isJoined && (own?.tile !== from?.tile || own?.place !== from?.place || n.kind[driver] === cellKind.flipFlop))
      this.fault(`${this.nameOf(cell)} takes what its element's LUT makes, but that is not what it reads.`);
    return isJoined;
  }
}
