import { nearestName } from "../../common/finding.ts";

/** What a board carries and to which package pins it is wired. */
export interface BoardDescription {
  readonly name: string;
  readonly title: string;
  readonly part: string;
  readonly oscillator: { readonly pin: string; readonly frequenciesHz: readonly number[]; readonly startHz: number };
  /** Index is the number printed on the board. Switch up, button held and lamp lit are all a high level. */
  readonly switches: readonly string[];
  readonly buttons: readonly string[];
  readonly lamps: readonly string[];
  /** Digit 0 is at the right; high lights it. Segments a to g, then the point; high lights them. */
  readonly digits: { readonly select: readonly string[]; readonly segments: readonly string[] } | null;
}

const shuttle: BoardDescription = {
  name: "shuttle",
  title: "Shuttle",
  part: "TW-2-P144-2C",
  oscillator: {
    pin: "N19",
    frequenciesHz: [1_000_000, 4_000_000, 12_000_000, 25_000_000, 50_000_000, 100_000_000],
    startHz: 4_000_000,
  },
  switches: ["S36", "S35", "S34", "S33", "S31", "S30"],
  buttons: ["S10", "S9", "S8", "S7", "S6"],
  lamps: ["E1", "E2", "E3", "E4", "E6", "E7", "E8", "E9", "E10", "E11"],
  digits: { select: ["W36", "W35", "W34", "W33"], segments: ["W1", "W2", "W3", "W4", "W6", "W7", "W8", "W9"] },
};

/** The small loom's panel: low cost, two digits. */
const bobbin: BoardDescription = {
  name: "bobbin",
  title: "Bobbin",
  part: "CA-1-P84-2C",
  oscillator: {
    pin: "N10",
    frequenciesHz: [1_000_000, 4_000_000, 12_000_000, 25_000_000, 50_000_000],
    startHz: 4_000_000,
  },
  switches: ["S21", "S20", "S19"],
  buttons: ["S8", "S7", "S6"],
  lamps: ["E1", "E2", "E3", "E5", "E6", "E7", "E8"],
  digits: { select: ["W21", "W20"], segments: ["W1", "W2", "W3", "W5", "W6", "W7", "W8", "W9"] },
};

/** A foot pedal's interlock: the smallest part, which runs as soon as it has power. */
const treadle: BoardDescription = {
  name: "treadle",
  title: "Treadle",
  part: "FE-64-P44-2C",
  oscillator: { pin: "N5", frequenciesHz: [1_000_000, 4_000_000, 12_000_000, 25_000_000], startHz: 1_000_000 },
  switches: ["S10", "S8"],
  buttons: ["S2", "S1"],
  lamps: ["E1", "E2", "E4", "E5", "E6"],
  digits: null,
};

/** The large loom's controller: the middle part, a wide panel, six digits. */
const heddle: BoardDescription = {
  name: "heddle",
  title: "Heddle",
  part: "TW-9-P208-2C",
  oscillator: {
    pin: "N27",
    frequenciesHz: [1_000_000, 4_000_000, 12_000_000, 25_000_000, 50_000_000, 100_000_000],
    startHz: 12_000_000,
  },
  switches: ["S52", "S51", "S50", "S49", "S47", "S46", "S45", "S44", "S43"],
  buttons: ["S13", "S12", "S11", "S10", "S9", "S8"],
  lamps: ["E1", "E2", "E3", "E4", "E6", "E7", "E8", "E9", "E10", "E11", "E12", "E13"],
  digits: {
    select: ["W52", "W51", "W50", "W49", "W47", "W46"],
    segments: ["W1", "W2", "W3", "W4", "W6", "W7", "W8", "W9"],
  },
};

const boards: readonly BoardDescription[] = [shuttle, bobbin, heddle, treadle];

export function listBoards(): readonly BoardDescription[] {
  return boards;
}

export function findBoard(name: string): { board: BoardDescription | null; suggestion: string | null } {
  const board = boards.find((candidate) => candidate.name === name.toLowerCase()) ?? null;
  return {
    board,
    suggestion: board
      ? null
      : nearestName(
          name,
          boards.map((candidate) => candidate.name),
        ),
  };
}
