import {
  Board,
  type BoardState,
  Cable,
  type CornerName,
  findBoard,
  hex32,
  partByIdcode,
  statusBit,
  type WrongCapture,
} from "@gate-clock/core";
import { exposeSealed, timers } from "../engine/sealed-worker.ts";

/** What the bench tells the page, some thirty times a second. */
export interface BenchFrame {
  readonly state: BoardState;
  /** Board seconds a real second, over the last while; 1 is real time. */
  readonly pace: number;
  /** Cycles a second that the simulated part could do if it ran all the time. */
  readonly topHz: number;
  readonly luts: number;
  readonly flipFlops: number;
}
/** What turning the oscillator up has found. */
export interface Limit {
  /** Highest frequency at which nothing was captured wrong; 0 if there is none. */
  readonly goodHz: number;
  /** Lowest at which something was, and what; null where nothing failed up to the highest that was tried. */
  readonly bad: { readonly hz: number; readonly wrong: WrongCapture } | null;
  readonly cycles: number;
}
export interface ChainEntry {
  readonly idcode: string;
  readonly name: string;
}
export type ProgramResult =
  | { readonly ok: true; readonly clocks: number; readonly elapsedMs: number }
  | { readonly ok: false; readonly reason: string };

const frameMs = 33;
/** Share of a frame that may go into computing; the rest keeps the worker able to answer. */
const computeMs = 24;

let board: Board | null = null;
let cable: Cable | null = null;
let timer: ReturnType<typeof setInterval> | null = null;
let listener: ((frame: BenchFrame) => void) | null = null;
let lastFrame = 0;
let debt = 0; // cycles that real time asks for
/** What cycles a ms are taken for until they have been measured, without delays and with them. */
const [plainPace, delayedPace] = [20_000, 4];
let cyclesPerMs = plainPace; // measured while running
let pace = 0;
let lastShown: Omit<BenchFrame, "state"> = { pace: 0, topHz: 0, luts: 0, flipFlops: 0 };

/** Frequencies that turning up goes through, and cycles at each. */
const [leastHz, mostHz] = [100_000, 2e9];
const cyclesAtEach = 20_000;
const cyclesAtOnce = 2000;
/** How closely good and bad enclose the limit. */
const closeness = 1.003;
let isTurning = false;

/** Runs a while at a frequency, with room for other calls in between. */
async function failsAt(own: Board, hz: number): Promise<WrongCapture | null> {
  let wrong = own.runsAt(hz, cyclesAtOnce);
  for (let done = cyclesAtOnce; done < cyclesAtEach && !wrong && isTurning; done += cyclesAtOnce) {
    await new Promise<void>((resolve) => timers.setTimeout(resolve, 0));
    wrong = own.runOn(cyclesAtOnce);
  }
  return wrong;
}

function frame(): void {
  if (!board || !listener || isTurning) return;
  const now = performance.now();
  const passed = Math.min(200, now - lastFrame);
  if (passed <= 0) {
    listener({ ...lastShown, state: board.state() });
    return;
  }
  lastFrame = now;
  if (board.powered && board.device.configured) {
    debt = Math.min(debt + (board.frequencyHz * passed) / 1000, board.frequencyHz / 4);
    const want = Math.round(Math.min(debt, Math.max(64, cyclesPerMs * computeMs)));
    const start = performance.now();
    board.run(want);
    const spent = performance.now() - start;
    if (spent > 0.2) cyclesPerMs = 0.8 * cyclesPerMs + 0.2 * (want / spent);
    debt -= want;
    pace = 0.9 * pace + 0.1 * (want / board.frequencyHz / (passed / 1000));
    // what could not be caught up is let go: the board then runs slower than real time, and says so
    if (debt > board.frequencyHz / 5) debt = 0;
  } else pace = 0;
  lastShown = {
    pace,
    topHz: cyclesPerMs * 1000,
    luts: board.device.circuit?.lutCount ?? 0,
    flipFlops: board.device.circuit?.flipFlopCount ?? 0,
  };
  listener({ ...lastShown, state: board.state() });
}

const bench = {
  open(name: string, onFrame: (frame: BenchFrame) => void): void {
    const found = findBoard(name).board;
    if (!found) throw new Error(`There is no board '${name}'.`);
    board = new Board(found);
    cable = new Cable(board.device);
    listener = onFrame;
    lastFrame = performance.now();
    if (timer) timers.clearInterval(timer);
    timer = timers.setInterval(frame, frameMs);
    frame();
  },
  power(on: boolean): void {
    board?.setPower(on);
    debt = 0;
    frame();
  },
  findChain(): ChainEntry[] {
    if (!board?.powered || !cable) return [];
    return cable
      .findDevices()
      .map((code) => ({ idcode: hex32(code), name: partByIdcode(code)?.name ?? "unknown part" }));
  },
  program(file: Uint8Array, onProgress: (fraction: number) => void): ProgramResult {
    if (!board?.powered || !cable) return { ok: false, reason: "the board has no power" };
    const start = performance.now();
    const before = cable.clocks;
    cable.reset();
    const status = cable.configure(file, onProgress);
    board.restartClock();
    debt = 0;
    lastFrame = performance.now();
    frame();
    if ((status & statusBit.configured) === 0)
      return { ok: false, reason: board.device.refusal ?? "the part did not start" };
    return { ok: true, clocks: cable.clocks - before, elapsedMs: performance.now() - start };
  },
  setSwitch(index: number, on: boolean): void {
    board?.setSwitch(index, on);
  },
  setButton(index: number, held: boolean): void {
    board?.setButton(index, held);
  },
  setFrequency(hz: number): void {
    board?.setFrequency(hz);
    debt = 0;
    frame();
  },
  /** With the delays of a corner, or without any. */
  setDelays(corner: CornerName | null): void {
    board?.setDelays(corner);
    cyclesPerMs = corner ? delayedPace : plainPace;
    debt = 0;
    frame();
  },
  /**
   * Turns the oscillator up, or down where it fails already, until the highest frequency is known at which the part captures all as it
   * would without delays. Leaves it there. @returns Null if it was stopped.
   */
  async turnUp(onStep: (hz: number) => void): Promise<Limit | null> {
    const own = board;
    if (!own?.device.configured || isTurning) return null;
    isTurning = true;
    try {
      let [goodHz, hz] = [0, own.frequencyHz];
      let bad: Limit["bad"] = null;
      while (isTurning && hz >= leastHz && hz <= mostHz && !(bad && bad.hz <= goodHz * closeness)) {
        onStep(hz);
        const wrong = await failsAt(own, hz);
        if (!isTurning) return null;
        if (wrong) bad = { hz, wrong };
        else goodHz = hz;
        hz = !bad ? goodHz * 1.5 : goodHz ? Math.sqrt(goodHz * bad.hz) : bad.hz / 1.5;
      }
      if (goodHz) own.setFrequency(goodHz);
      return { goodHz, bad, cycles: cyclesAtEach };
    } finally {
      isTurning = false;
      debt = 0;
      lastFrame = performance.now();
      frame();
    }
  },
  stopTurning(): void {
    isTurning = false;
  },
};
export type Bench = typeof bench;
exposeSealed(bench);
