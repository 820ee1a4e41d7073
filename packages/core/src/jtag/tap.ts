/** TAP controller of IEEE 1149.1-2013 figure 6-1: the sixteen states and where TMS leads from each. */
export const tapStates = [
  "test-logic-reset",
  "run-test-idle",
  "select-dr",
  "capture-dr",
  "shift-dr",
  "exit1-dr",
  "pause-dr",
  "exit2-dr",
  "update-dr",
  "select-ir",
  "capture-ir",
  "shift-ir",
  "exit1-ir",
  "pause-ir",
  "exit2-ir",
  "update-ir",
] as const;
export type TapState = (typeof tapStates)[number];

/** Where most ways lead. */
const idle = "run-test-idle" satisfies TapState;

const moves: Readonly<Record<TapState, readonly [TapState, TapState]>> = {
  "test-logic-reset": [idle, "test-logic-reset"],
  "run-test-idle": [idle, "select-dr"],
  "select-dr": ["capture-dr", "select-ir"],
  "capture-dr": ["shift-dr", "exit1-dr"],
  "shift-dr": ["shift-dr", "exit1-dr"],
  "exit1-dr": ["pause-dr", "update-dr"],
  "pause-dr": ["pause-dr", "exit2-dr"],
  "exit2-dr": ["shift-dr", "update-dr"],
  "update-dr": [idle, "select-dr"],
  "select-ir": ["capture-ir", "test-logic-reset"],
  "capture-ir": ["shift-ir", "exit1-ir"],
  "shift-ir": ["shift-ir", "exit1-ir"],
  "exit1-ir": ["pause-ir", "update-ir"],
  "pause-ir": ["pause-ir", "exit2-ir"],
  "exit2-ir": ["shift-ir", "update-ir"],
  "update-ir": [idle, "select-dr"],
};

export function nextTapState(state: TapState, tms: number): TapState {
  return moves[state][tms ? 1 : 0];
}

/** Something on a chain: takes TMS and TDI at a rising TCK and gives TDO. */
export interface TapDevice {
  clock(tms: number, tdi: number): number;
}

/** Instruction register of the parts, 6 bits. */
export const irBits = 6;
export const instruction = {
  extest: 0b000000,
  sample: 0b000001,
  idcode: 0b000010,
  /** Streams a bitstream in. */
  configure: 0b000100,
  /** 32 bits of status. */
  status: 0b000101,
  /** Streams the configuration memory out. */
  readback: 0b000110,
  /** Clears the configuration and stops the part. */
  clear: 0b000111,
  bypass: 0b111111,
} as const;

/** Bits of the status register. The fault field names why the last bitstream was refused; 0 for none. */
export const statusBit = { configured: 1, receiving: 2, refused: 4 } as const;
export const statusFaultShift = 8;
