import type { Fabric, Pad } from "./fabric.ts";
import type { EdgePackage, GridPackage, PackageDescription } from "./family.ts";

/** A contact of a package that carries a signal. */
export interface PackagePin {
  /** Side letter and place, counted clockwise from the top left (N1, E4, S12, W30); row and column of a grid (B7, AA12). */
  readonly name: string;
  readonly pad: number;
  readonly bank: number;
  readonly isClock: boolean;
  /** Level that inputs of its bank compare with, where a standard asks for one: it carries nothing else then. */
  readonly isReference: boolean;
  /** What it does while the part starts; null for most. */
  readonly special: SpecialRole | null;
}

/** Wires to the flash that a part starts from. After that they are pins like others. */
export const specialRoles = {
  "flash select": { drivenBy: "part" },
  "flash clock": { drivenBy: "part" },
  "flash command": { drivenBy: "part" },
  "flash data": { drivenBy: "flash" },
} as const;
type SpecialRole = keyof typeof specialRoles;

/** Any contact of a package, and where it is, seen from above: columns to the right, rows down, both from 0. */
export interface Contact {
  readonly name: string;
  readonly column: number;
  readonly row: number;
  /** A port of IEEE 1149.1 by its name. */
  readonly kind: "signal" | "power" | "ground" | "TCK" | "TMS" | "TDI" | "TDO";
  /** null for all but signals. */
  readonly pin: PackagePin | null;
}

const sideLetters = ["N", "E", "S", "W"];
const tapPorts = ["TCK", "TMS", "TDI", "TDO"] as const;
/** Letters that are not taken for others: JEDEC Publication 95, design guide 4.14. */
const rowLetters = "ABCDEFGHJKLMNPRTUVWY";
const rowName = (row: number): string =>
  row < rowLetters.length ? rowLetters[row] : `A${rowLetters[row - rowLetters.length]}`;
const isGrid = (pack: PackageDescription): pack is GridPackage => "rows" in pack;

/** A place for a contact, by what lies there. */
interface Spot extends Omit<Contact, "pin" | "kind"> {
  readonly kind: Contact["kind"];
  /** Of the die, which its wire goes to; -1 for test contacts and what lies in the middle. */
  readonly side: number;
}

/** Signal places of each side come in the order of the pads. */
function spotsOf(pack: PackageDescription): Spot[] {
  return isGrid(pack) ? gridSpots(pack) : edgeSpots(pack);
}

function edgeSpots({ pinsPerSide, supplyPlaces }: EdgePackage): Spot[] {
  const spots: Spot[] = [];
  const last = pinsPerSide + 1;
  const half = Math.ceil((4 * supplyPlaces.length) / 2);
  let supplies = 0;
  for (let side = 0; side < 4; side++)
    for (let place = 1; place <= pinsPerSide; place++) {
      const [column, row] = [
        [place, 0],
        [last, place],
        [last - place, last],
        [0, last - place],
      ][side];
      const isSupply = supplyPlaces.includes(place);
      const kind = isSupply ? (supplies++ < half ? "power" : "ground") : "signal";
      spots.push({ name: `${sideLetters[side]}${place}`, column, row, kind, side });
    }
  const corners = [
    [0, 0],
    [last, 0],
    [last, last],
    [0, last],
  ];
  corners.forEach(([column, row], i) => {
    spots.push({ name: `T${i + 1}`, column, row, kind: tapPorts[i], side: -1 });
  });
  return spots;
}

function gridSpots({ rows, supplyRows }: GridPackage): Spot[] {
  const spots: (Spot & { readonly along: number; readonly depth: number })[] = [];
  const last = rows - 1;
  const rim = (rows - supplyRows) / 2;
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < rows; column++) {
      const name = `${rowName(row)}${column + 1}`;
      const distances = [row, last - column, last - row, column];
      const depth = Math.min(...distances);
      const side = distances.indexOf(depth);
      const isDiagonal = distances.filter((each) => each === depth).length > 1;
      const isInside = depth >= rim;
      if (isDiagonal && depth === 0) {
        const corner = row === 0 ? (column === 0 ? 0 : 1) : column === 0 ? 3 : 2;
        spots.push({ name, column, row, kind: tapPorts[corner], side: -1, along: 0, depth });
      } else if (isDiagonal || isInside) {
        const kind = (row + column) % 2 ? "ground" : "power";
        spots.push({ name, column, row, kind, side: isInside ? -1 : side, along: 0, depth });
      } else {
        const along = [column, row, last - column, last - row][side];
        spots.push({ name, column, row, kind: "signal", side, along, depth });
      }
    }
  return spots.sort((a, b) => a.side - b.side || a.along - b.along || a.depth - b.depth);
}

/** Contacts of a package, signals with their pins. @param pins As `packagePins` gives them. */
export function packageContacts(pack: PackageDescription, pins: readonly PackagePin[]): Contact[] {
  const byName = new Map(pins.map((pin) => [pin.name, pin]));
  return spotsOf(pack).map(({ name, column, row, kind }) => ({
    name,
    column,
    row,
    kind,
    pin: byName.get(name) ?? null,
  }));
}

/** Supply and ground contacts that feed the outputs of a side. */
export function sideSupplies(pack: PackageDescription): number {
  if (!isGrid(pack)) return pack.supplyPlaces.length;
  return Math.floor(spotsOf(pack).filter(({ kind }) => kind === "power" || kind === "ground").length / 4);
}

/** So many of the pads, evenly, and both of a tile where it can be. */
function byTiles(pads: readonly Pad[], count: number): Pad[] {
  const tiles = [...new Set(pads.map((pad) => pad.tile))];
  const perTile = Math.max(1, Math.ceil(pads.length / Math.max(1, tiles.length)));
  const whole = Math.min(tiles.length, Math.ceil(count / perTile));
  const order = Array.from({ length: whole }, (_, i) => tiles[Math.floor((i * tiles.length) / whole)]);
  const sorted = [...new Set([...order, ...tiles])].flatMap((tile) => pads.filter((pad) => pad.tile === tile));
  return sorted.slice(0, count);
}

/** Pads of a side that are bonded out: evenly, both of a tile where there is room; the clock pads always are. */
function bondedPads(fabric: Fabric, side: number, places: number): Pad[] {
  const pads = fabric.pads.filter((pad) => pad.side === side);
  const count = Math.min(places, pads.length);
  const chosen = new Set(pads.filter((pad) => fabric.clockPads.includes(pad.id)).map((pad) => pad.id));
  // as many on either side of the clock pads as if all were taken evenly
  const evenly = new Set(chosen);
  for (let i = 0; evenly.size < count && i < pads.length; i++)
    evenly.add(pads[Math.floor((i * pads.length) / count) % pads.length].id);
  for (let i = 0; evenly.size < count; i++) evenly.add(pads[i].id);
  const clocks = pads.flatMap((pad, i) => (chosen.has(pad.id) ? [i] : []));
  const [from, to] = clocks.length ? [clocks[0], clocks[clocks.length - 1] + 1] : [0, 0];
  const rest = count - chosen.size;
  const before = pads.slice(0, from).filter((pad) => evenly.has(pad.id)).length;
  for (const [part, wanted] of [
    [pads.slice(0, from), before],
    [pads.slice(to), rest - before],
  ] as const)
    for (const pad of byTiles(part, wanted)) chosen.add(pad.id);
  return pads.filter((pad) => chosen.has(pad.id));
}

/** [sides] Pads that a package bonds out, with the contacts that they lead to. */
function bondings(fabric: Fabric, pack: PackageDescription): { readonly pad: Pad; readonly name: string }[] {
  const spots = spotsOf(pack).filter(({ kind }) => kind === "signal");
  return [0, 1, 2, 3].flatMap((side) => {
    const places = spots.filter((spot) => spot.side === side);
    return bondedPads(fabric, side, places.length).map((pad, i) => ({ pad, name: places[i].name }));
  });
}

/** Side of the die whose last pads lead to the flash. */
const flashSide = 1;

/** Pads of a die that have a second use, the same in every package. */
interface PadRoles {
  readonly special: ReadonlyMap<number, SpecialRole>;
  readonly reference: ReadonlySet<number>;
}
const rolesOf = new WeakMap<Fabric, PadRoles>();

function padRoles(fabric: Fabric): PadRoles {
  const known = rolesOf.get(fabric);
  if (known) return known;
  const bonded = fabric.part.packages.map((pack) => new Set(bondings(fabric, pack).map(({ pad }) => pad.id)));
  const everywhere = fabric.pads.filter(
    ({ id }) => bonded.every((each) => each.has(id)) && !fabric.clockPads.includes(id),
  );
  const roles = Object.keys(specialRoles) as SpecialRole[];
  // a part with its configuration on the die starts without a flash
  const flashPads =
    fabric.family.configuration === "flash"
      ? []
      : everywhere.filter(({ side }) => side === flashSide).slice(-roles.length);
  const special = new Map(flashPads.map(({ id }, i) => [id, roles[i]]));
  const reference = new Set<number>();
  const asksForLevels = fabric.family.standards.some((standard) => standard.reference !== undefined);
  if (asksForLevels) {
    const lastOfBank = new Map<number, number>();
    for (const { id, bank } of everywhere) if (!special.has(id)) lastOfBank.set(bank, id);
    for (const id of lastOfBank.values()) reference.add(id);
  }
  const found = { special, reference };
  rolesOf.set(fabric, found);
  return found;
}

const pinsOf = new WeakMap<Fabric, Map<string, readonly PackagePin[]>>();

/** Signal pins of a package, in the order of the pads. */
export function packagePins(fabric: Fabric, pack: PackageDescription): readonly PackagePin[] {
  const known = pinsOf.get(fabric) ?? new Map<string, readonly PackagePin[]>();
  pinsOf.set(fabric, known);
  let pins = known.get(pack.name);
  if (!pins) {
    const { special, reference } = padRoles(fabric);
    pins = bondings(fabric, pack).map(({ pad, name }) => ({
      name,
      pad: pad.id,
      bank: pad.bank,
      isClock: fabric.clockPads.includes(pad.id),
      isReference: reference.has(pad.id),
      special: special.get(pad.id) ?? null,
    }));
    known.set(pack.name, pins);
  }
  return pins;
}
