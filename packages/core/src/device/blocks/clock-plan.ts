import type { FamilyDescription } from "../family.ts";

/** What an output of a clock block is to be. */
export interface ClockWish {
  readonly mhz: number;
  /** Later than the input by so much of its own period, in degrees. */
  readonly degrees: number;
}

/** Settings of a clock block, and how far they are from what was wished. */
export interface ClockSettings {
  readonly multiply: number;
  /** [outputs] A, and B where it is wanted. */
  readonly outputs: readonly {
    readonly divide: number;
    /** Eighths of the output's period. */
    readonly phase: number;
    readonly mhz: number;
    readonly degrees: number;
    /** Of the frequency, in millionths. */
    readonly ppm: number;
    /** Of the phase, in degrees: what is had less what was wished. */
    readonly degreesOff: number;
  }[];
  /** Frequency inside of the block, in MHz. */
  readonly insideMhz: number;
  /** Of its outputs, from one period to the next, in ps. */
  readonly jitterPs: number;
  /** The largest of the outputs' faults of frequency, in millionths. */
  readonly worstPpm: number;
}

/**
 * Jitter of a clock block's outputs, in ps: that of its ring of inverters, which grows with the square root of the time that
 * it takes for one turn (McNeill 1997, "Jitter in ring oscillators").
 */
export function clockBlockJitter(
  insideMhz: number,
  { clockBlockMhz: { inside }, clockBlockJitterPs }: Pick<FamilyDescription, "clockBlockMhz" | "clockBlockJitterPs">,
): number {
  return clockBlockJitterPs * Math.sqrt(inside / insideMhz);
}

const most = 64;
const eighth = 45;

/**
 * Settings of a family's clock block that come nearest to what is wished, the nearest first; of those that are as near,
 * the one that multiplies least, which is slowest inside. Empty where the block cannot take the input at all.
 * @param jitterPs Most that is allowed: what keeps to it comes before what does not. A block is the steadier the faster it
 * runs inside.
 * @param count So many at most, each with other frequencies.
 */
export function planClockBlock(
  inMhz: number,
  wishes: readonly ClockWish[],
  family: Pick<FamilyDescription, "clockBlockMhz" | "clockBlockJitterPs">,
  { jitterPs = Infinity, count = 5 }: { readonly jitterPs?: number; readonly count?: number } = {},
): ClockSettings[] {
  const { input, inside } = family.clockBlockMhz;
  if (!(inMhz >= input[0] && inMhz <= input[1]) || wishes.length === 0 || wishes.some(({ mhz }) => !(mhz > 0)))
    return [];
  const found: ClockSettings[] = [];
  for (let multiply = 1; multiply <= most && inMhz * multiply <= inside; multiply++) {
    const insideMhz = inMhz * multiply;
    const outputs = wishes.map(({ mhz, degrees }) => {
      const divide = nearestDivide(insideMhz, mhz);
      const phase = ((Math.round(degrees / eighth) % 8) + 8) % 8;
      const turned = ((degrees % 360) + 360) % 360;
      const off = phase * eighth - turned;
      return {
        divide,
        phase,
        mhz: insideMhz / divide,
        degrees: phase * eighth,
        ppm: (insideMhz / divide / mhz - 1) * 1e6,
        degreesOff: off < -180 ? off + 360 : off,
      };
    });
    const jitter = clockBlockJitter(insideMhz, family);
    found.push({
      multiply,
      outputs,
      insideMhz,
      jitterPs: jitter,
      worstPpm: Math.max(...outputs.map(({ ppm }) => Math.abs(ppm))),
    });
  }
  // sums of halves and thirds are never quite the same number twice
  const rank = ({ worstPpm }: ClockSettings) => Math.round(worstPpm * 1e3);
  const isRestless = (settings: ClockSettings) => Number(settings.jitterPs > jitterPs);
  found.sort((a, b) => isRestless(a) - isRestless(b) || rank(a) - rank(b) || a.multiply - b.multiply);
  const seen = new Set<string>();
  return found
    .filter(({ outputs }) => {
      const key = outputs.map(({ mhz }) => mhz.toPrecision(9)).join();
      return !seen.has(key) && seen.add(key);
    })
    .slice(0, count);
}

function nearestDivide(insideMhz: number, mhz: number): number {
  const low = Math.min(most, Math.max(1, Math.floor(insideMhz / mhz)));
  const high = Math.min(most, low + 1);
  const fault = (divide: number) => Math.abs(insideMhz / divide / mhz - 1);
  return fault(high) < fault(low) ? high : low;
}
