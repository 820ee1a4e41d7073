import type { Contact } from "@gate-clock/core";

/** A package drawn from above, in units of a tenth of the distance between two contacts. */
export interface PackagePicture {
  readonly width: number;
  readonly height: number;
  readonly isGrid: boolean;
  readonly body: Box;
  readonly spots: readonly Spot[];
  readonly banks: readonly BankBand[];
  /** Letters of the rows and numbers of the columns of a grid. */
  readonly marks: readonly { readonly x: number; readonly y: number; readonly text: string }[];
}
interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}
export interface Spot {
  readonly contact: Contact;
  readonly x: number;
  readonly y: number;
  /** Side of the edge that it lies at, clockwise from the top; null in a grid and for corners. */
  readonly side: number | null;
}
/** Where the name of a bank stands, and the stretches or squares that are its. */
interface BankBand {
  readonly bank: number;
  readonly boxes: readonly Box[];
  readonly label: { readonly x: number; readonly y: number; readonly turn: number };
}

export const pitch = 10;
/** Room around the contacts for the names of the banks. */
const margin = 34;
/** How far the body lies inside of the contacts at the edges. */
const inset = 6;

export function drawPackage(contacts: readonly Contact[]): PackagePicture {
  const columns = Math.max(...contacts.map(({ column }) => column));
  const rows = Math.max(...contacts.map(({ row }) => row));
  const isGrid = contacts.some(
    ({ column, row, kind }) => kind === "signal" && column > 1 && row > 1 && column < columns - 1 && row < rows - 1,
  );
  const at = (place: number) => margin + pitch * (place + 0.5);
  const spots = contacts.map(
    (contact): Spot => ({
      contact,
      x: at(contact.column),
      y: at(contact.row),
      side: isGrid ? null : sideOf(contact, columns, rows),
    }),
  );
  const [width, height] = [columns, rows].map((count) => 2 * margin + pitch * (count + 1));
  const lead = isGrid ? -pitch / 2 : pitch + inset;
  const body = {
    x: margin + lead,
    y: margin + lead,
    width: width - 2 * (margin + lead),
    height: height - 2 * (margin + lead),
  };
  return {
    width,
    height,
    isGrid,
    body,
    spots,
    banks: bankBands(spots, width, height, isGrid),
    marks: isGrid ? gridMarks(spots, body) : [],
  };
}

function gridMarks(spots: readonly Spot[], body: Box): PackagePicture["marks"] {
  return spots.flatMap(({ contact: { name, column, row }, x, y }) => [
    ...(column === 0 ? [{ x: body.x - 4, y, text: name.replace(/\d+$/, "") }] : []),
    ...(row === 0 ? [{ x, y: body.y - 4, text: name.replace(/^[A-Z]+/, "") }] : []),
  ]);
}

function sideOf({ column, row, kind }: Contact, columns: number, rows: number): number | null {
  if (kind !== "signal" && kind !== "power" && kind !== "ground") return null;
  return row === 0 ? 0 : column === columns ? 1 : row === rows ? 2 : 3;
}

function bankBands(spots: readonly Spot[], width: number, height: number, isGrid: boolean): BankBand[] {
  const byBank = new Map<number, Spot[]>();
  for (const spot of spots) {
    if (!spot.contact.pin) continue;
    const { bank } = spot.contact.pin;
    const list = byBank.get(bank);
    if (list) list.push(spot);
    else byBank.set(bank, [spot]);
  }
  return [...byBank]
    .sort(([a], [b]) => a - b)
    .map(([bank, own]) => {
      const [left, right] = [Math.min(...own.map(({ x }) => x)), Math.max(...own.map(({ x }) => x))];
      const [top, bottom] = [Math.min(...own.map(({ y }) => y)), Math.max(...own.map(({ y }) => y))];
      const middle = { x: (left + right) / 2, y: (top + bottom) / 2 };
      // the side of the picture that most of it is near to
      const distances = [middle.y, width - middle.x, height - middle.y, middle.x];
      const side = own[0].side ?? distances.indexOf(Math.min(...distances));
      const half = pitch / 2;
      const outside = margin - 18;
      const label = [
        { x: middle.x, y: outside - 5, turn: 0 },
        { x: width - outside + 5, y: middle.y, turn: 90 },
        { x: middle.x, y: height - outside + 5, turn: 0 },
        { x: outside - 5, y: middle.y, turn: -90 },
      ][side];
      const along = { x: left - half, y: top - half, width: right - left + pitch, height: bottom - top + pitch };
      const band = 2.5;
      const strip = [
        { ...along, y: outside, height: band },
        { ...along, x: width - outside - band, width: band },
        { ...along, y: height - outside - band, height: band },
        { ...along, x: outside, width: band },
      ][side];
      const boxes = isGrid
        ? own.map(({ x, y }) => ({ x: x - half, y: y - half, width: pitch, height: pitch }))
        : [strip];
      return { bank, boxes, label };
    });
}

/** The contact at a point of the picture; null where none is near. */
export function spotAt({ spots }: PackagePicture, x: number, y: number): Spot | null {
  let best: Spot | null = null;
  let least = pitch * 1.1;
  for (const spot of spots) {
    // a contact at an edge is longer across it than along
    const [dx, dy] = [Math.abs(spot.x - x), Math.abs(spot.y - y)];
    const across = spot.side === null ? 1 : 0.5;
    const isUpright = spot.side === 0 || spot.side === 2;
    const distance = isUpright ? Math.max(dx, dy * across) : Math.max(dx * across, dy);
    if (distance < least) {
      best = spot;
      least = distance;
    }
  }
  return best;
}

/** A name that is cut in the middle: its ends tell bits of a bus from each other. */
export function shortName(name: string, most: number): string {
  if (name.length <= most) return name;
  if (most === 0) return "";
  const tail = /\[-?\d+\]$/.exec(name)?.[0] ?? name.slice(-3);
  return `${name.slice(0, Math.max(1, most - tail.length - 1))}…${tail}`;
}

/** Letters of a name beside a contact, and what each takes, in units. */
const mostLetters = 18;
const letter = 4.5;

/**
 * How many letters of a name find room inside of the body, by contact: near a corner, names of two sides would cross; they
 * end at the diagonal there. @param isNamed True for contacts that have a name.
 */
export function labelRoom({ spots, body }: PackagePicture, isNamed: (spot: Spot) => boolean): (spot: Spot) => number {
  const reach = mostLetters * letter;
  const far = { right: body.x + body.width, bottom: body.y + body.height };
  /** Distances from the two corners of its side, the one before it clockwise first. */
  const distances = ({ x, y, side }: Spot) =>
    [
      [x - body.x, far.right - x],
      [y - body.y, far.bottom - y],
      [far.right - x, x - body.x],
      [far.bottom - y, y - body.y],
    ][side!];
  // [side] whether names stand near its corner with the side before, and with the side behind
  const crowded = [0, 1, 2, 3].map((side) =>
    [0, 1].map((end) => spots.some((spot) => spot.side === side && isNamed(spot) && distances(spot)[end] < reach)),
  );
  return (spot) => {
    if (spot.side === null) return mostLetters;
    const [before, behind] = distances(spot);
    const limits = [reach];
    if (crowded[(spot.side + 3) % 4][1]) limits.push(before);
    if (crowded[(spot.side + 1) % 4][0]) limits.push(behind);
    const letters = Math.floor(Math.min(...limits) / letter) - 2;
    return letters < 4 ? 0 : letters;
  };
}
