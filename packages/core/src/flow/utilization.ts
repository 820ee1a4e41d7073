import type { Part } from "../device/part.ts";
import { cellKind, clockSlots, type MappedNetlist } from "../netlist/mapped.ts";
import type { PackedDesign } from "../pack/pack.ts";

export interface ResourceUse {
  readonly kind: "LUTs" | "registers" | "logic tiles" | "pins" | "clocks" | "memories" | "multipliers";
  readonly used: number;
  readonly available: number;
}
/** Cells of one instance: its own, and with all that is below it. */
export interface ModuleUse {
  readonly path: string;
  readonly luts: number;
  readonly registers: number;
  readonly ownLuts: number;
  readonly ownRegisters: number;
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
  const blocks = (type: string) => netlist.blocks.filter((block) => block.modes.type === type).length;
  const uses: ResourceUse[] = [
    { kind: "LUTs", used: count(cellKind.lut), available: elements },
    { kind: "registers", used: count(cellKind.flipFlop), available: elements },
  ];
  if (packed) uses.push({ kind: "logic tiles", used: packed.clusterCount, available: fabric.logicTiles.length });
  uses.push(
    {
      kind: "pins",
      used: netlist.ports.reduce((sum, port) => sum + port.bitNames.length, 0),
      available: part.pins.length,
    },
    { kind: "clocks", used: clocks.size, available: family.globalClocks },
    { kind: "memories", used: blocks("memory"), available: fabric.blockSites("memory").length },
    { kind: "multipliers", used: blocks("multiplier"), available: fabric.blockSites("multiplier").length },
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
  const rows = new Map<string, { luts: number; registers: number; ownLuts: number; ownRegisters: number }>();
  const known = new Set(instances);
  for (const path of ["", ...instances]) rows.set(path, { luts: 0, registers: 0, ownLuts: 0, ownRegisters: 0 });
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const isLut = netlist.kind[cell] === cellKind.lut;
    if (!isLut && netlist.kind[cell] !== cellKind.flipFlop) continue;
    const name = netlist.origin[cell] >= 0 ? originNames[netlist.origin[cell]] : netlist.cellName[cell];
    let owner = "";
    for (let dot = name.lastIndexOf("."); dot > 0; dot = name.lastIndexOf(".", dot - 1)) {
      if (known.has(name.slice(0, dot))) {
        owner = name.slice(0, dot);
        break;
      }
    }
    const own = rows.get(owner)!;
    if (isLut) own.ownLuts++;
    else own.ownRegisters++;
    for (let path = owner; ; path = known.has(path) ? parentOf(path, known) : "") {
      const row = rows.get(path)!;
      if (isLut) row.luts++;
      else row.registers++;
      if (path === "") break;
    }
  }
  return [...rows].map(([path, row]) => ({ path, ...row }));
}

function parentOf(path: string, known: ReadonlySet<string>): string {
  for (let dot = path.lastIndexOf("."); dot > 0; dot = path.lastIndexOf(".", dot - 1))
    if (known.has(path.slice(0, dot))) return path.slice(0, dot);
  return "";
}
