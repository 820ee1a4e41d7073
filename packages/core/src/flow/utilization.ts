import { listBlocks } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { cellKind, clockSlots, type MappedNetlist, portBits, serialPads } from "../netlist/mapped.ts";

export interface ResourceUse {
  /** LUTs, registers, carry links, logic tiles, pins, clocks, or what several blocks of a type are called. */
  readonly kind: string;
  readonly used: number;
  readonly available: number;
}
/** Cells of one instance: its own, and with all that is below it. */
export interface ModuleUse {
  readonly path: string;
  readonly luts: number;
  readonly registers: number;
  readonly carry: number;
  readonly memories: number;
  readonly multipliers: number;
  readonly ownLuts: number;
  readonly ownRegisters: number;
}

/**
 * Logic tiles that packing will take, from the mapped netlist alone: elements with one LUT and one register each, where
 * a register fed by a LUT of its own shares its element; tiles are filled to nine tenths.
 */
export function estimateTiles(netlist: MappedNetlist, part: Part): number {
  const { kind, inputStart, inputNet, netDriver } = netlist;
  const taken = new Uint8Array(netlist.cellCount);
  let elements = 0;
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.lut) elements++;
    if (kind[cell] !== cellKind.flipFlop) continue;
    const driver = netDriver[inputNet[inputStart[cell]]];
    const joins = (kind[driver] === cellKind.lut || kind[driver] === cellKind.carrySum) && !taken[driver];
    if (joins) taken[driver] = 1;
    else elements++;
  }
  return Math.ceil(elements / (0.9 * part.family.elementsPerTile));
}

/** Used and available by kind. `packed` is null before packing: then the tiles are an estimate that is left out. */
export function utilization(netlist: MappedNetlist, packed: PackedDesign | null, part: Part): ResourceUse[] {
  const { fabric, family } = part;
  const elements = fabric.logicTiles.length * family.elementsPerTile;
  const count = (kind: number) => netlist.kind.reduce((sum, k) => sum + (k === kind ? 1 : 0), 0);
  const clocks = new Set<number>();
  clockSlots(netlist).forEach((isClock, slot) => {
    if (isClock && netlist.inputNet[slot] >= 0) clocks.add(netlist.inputNet[slot]);
  });
  const uses: ResourceUse[] = [
    { kind: "LUTs", used: count(cellKind.lut), available: elements },
    { kind: "registers", used: count(cellKind.flipFlop), available: elements },
  ];
  uses.push({
    kind: "carry links",
    used: netlist.chains.reduce((sum, chain) => sum + chain.lut.length, 0),
    available: elements,
  });
  if (packed) uses.push({ kind: "logic tiles", used: packed.clusterCount, available: fabric.logicTiles.length });
  uses.push(
    {
      kind: "pins",
      // those of serial lanes are not among the part's signal pins
      used: portBits(netlist.ports).length - serialPads(netlist).size,
      available: part.pins.length,
    },
    { kind: "clocks", used: clocks.size, available: family.globalClocks },
    ...listBlocks().flatMap(({ type, several, isAlwaysCounted }) => {
      const used = netlist.blocks.filter((block) => block.modes.type === type).length;
      const available = fabric.blockSites(type).length;
      // clocks that neither the part makes nor the design wants say nothing
      const isShown = isAlwaysCounted || used > 0 || available > 0;
      return isShown ? [{ kind: several, used, available }] : [];
    }),
  );
  return uses;
}

/**
 * Cells by instance: each belongs where the operator or register that it came from was written. The first row is the top.
 * @param originNames Names of the word-level cells, which `netlist.origin` points to.
 */
export function utilizationByModule(
  netlist: MappedNetlist,
  instances: readonly string[],
  originNames: readonly string[],
): ModuleUse[] {
  type Row = { -readonly [K in Exclude<keyof ModuleUse, "path">]: number };
  const rows = new Map<string, Row>();
  const known = new Set(instances);
  const fresh = (): Row => ({
    luts: 0,
    registers: 0,
    carry: 0,
    memories: 0,
    multipliers: 0,
    ownLuts: 0,
    ownRegisters: 0,
  });
  for (const path of ["", ...instances]) rows.set(path, fresh());
  const inChain = new Uint8Array(netlist.cellCount);
  for (const chain of netlist.chains) for (const cell of chain.lut) inChain[cell] = 1;
  const blockType = new Map(netlist.blocks.map((block) => [block.cell, block.modes.type]));
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const kind = netlist.kind[cell];
    if (kind !== cellKind.lut && kind !== cellKind.flipFlop && kind !== cellKind.block) continue;
    const owner = ownerOf(
      netlist.origin[cell] >= 0 ? originNames[netlist.origin[cell]] : netlist.cellName[cell],
      known,
    );
    const own = rows.get(owner)!;
    if (kind === cellKind.lut) own.ownLuts++;
    if (kind === cellKind.flipFlop) own.ownRegisters++;
    for (let path = owner; ; path = known.has(path) ? parentOf(path, known) : "") {
      const row = rows.get(path)!;
      if (kind === cellKind.lut) {
        row.luts++;
        row.carry += inChain[cell];
      } else if (kind === cellKind.flipFlop) row.registers++;
      else if (blockType.get(cell) === "memory") row.memories++;
      else if (blockType.get(cell) === "multiplier") row.multipliers++;
      if (path === "") break;
    }
  }
  return [...rows].map(([path, row]) => ({ path, ...row }));
}

/** Innermost instance that a hierarchical name lies in; "" for the top. */
function ownerOf(name: string, known: ReadonlySet<string>): string {
  for (let dot = name.lastIndexOf("."); dot > 0; dot = name.lastIndexOf(".", dot - 1))
    if (known.has(name.slice(0, dot))) return name.slice(0, dot);
  return "";
}

function parentOf(path: string, known: ReadonlySet<string>): string {
  for (let dot = path.lastIndexOf("."); dot > 0; dot = path.lastIndexOf(".", dot - 1))
    if (known.has(path.slice(0, dot))) return path.slice(0, dot);
  return "";
}
