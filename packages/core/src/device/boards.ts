import { type Finding, nearestName } from "../common/finding.ts";

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

/** What a signal of a board leads to. */
export type BoardSignalKind = "oscillator" | "switch" | "button" | "lamp" | "digit" | "segment";

/** A wire of a board that ends at a pin of its part: one of a bus, or alone. */
export interface BoardSignal {
  /** As printed on the board: `lamps[3]`. */
  readonly name: string;
  /** The bus that it is of, and its number there; a signal alone is number 0 of its own name. */
  readonly bus: string;
  readonly index: number;
  readonly pin: string;
  /** Seen from the part: what the board drives is an input. */
  readonly direction: "input" | "output";
  readonly kind: BoardSignalKind;
  /** Standard that its wires are made for. */
  readonly standard: string;
}

/** The complete list of a board's signals, buses in the order in which they are printed. */
export function boardSignals({ oscillator, switches, buttons, lamps, digits }: BoardDescription): BoardSignal[] {
  const standard = "LVCMOS33";
  const bus = (
    name: string,
    kind: BoardSignalKind,
    direction: BoardSignal["direction"],
    pins: readonly string[],
  ): BoardSignal[] =>
    pins.map((pin, index) => ({ name: `${name}[${index}]`, bus: name, index, pin, direction, kind, standard }));
  return [
    { name: "clk", bus: "clk", index: 0, pin: oscillator.pin, direction: "input", kind: "oscillator", standard },
    ...bus("switches", "switch", "input", switches),
    ...bus("buttons", "button", "input", buttons),
    ...bus("lamps", "lamp", "output", lamps),
    ...bus("digit_on", "digit", "output", digits?.select ?? []),
    ...bus("segment", "segment", "output", digits?.segments ?? []),
  ];
}

const boards: readonly BoardDescription[] = [shuttle, bobbin, heddle, treadle];

export function listBoards(): readonly BoardDescription[] {
  return boards;
}

/** Die and package: parts that differ in grade alone have the same pins. */
const bodyOf = (part: string) => part.slice(0, part.lastIndexOf("-"));

/** The board that a part sits on; null for none, and for one that is made for another die or package. */
export function boardUnder(name: string | null | undefined, part: { readonly name: string }): BoardDescription | null {
  const { board } = findBoard(name ?? "");
  return board && bodyOf(board.part) === bodyOf(part.name) ? board : null;
}

/** Tells of a board that is chosen and counts for nothing, since another part sits on it. */
export function boardFindings(name: string | null | undefined, part: { readonly name: string }): Finding[] {
  const { board } = findBoard(name ?? "");
  if (!board || boardUnder(name, part)) return [];
  return [
    {
      code: "pins/board-part",
      severity: "warning",
      place: { object: part.name },
      message: `The ${board.title} is made for ${board.part}, so pins of ${part.name} are not checked against what it ties to them.`,
      remedy: "Choose the board's part, another board, or none.",
    },
  ];
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
