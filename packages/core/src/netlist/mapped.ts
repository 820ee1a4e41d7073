/** The circuit as built: LUTs, flip-flops and pads, as struct of arrays. Shared by all stages from synthesis on. */

export const cellKind = { lut: 0, flipFlop: 1, inputPad: 2, outputPad: 3 } as const;
export type CellKind = (typeof cellKind)[keyof typeof cellKind];

/** Positions of a flip-flop's input pins. */
export const ffPin = { d: 0, clock: 1, enable: 2, reset: 3 } as const;

/** Bits of a flip-flop's modes. */
export const ffMode = { init: 1, resetValue: 2, asyncReset: 4, clockFalling: 8 } as const;

/**
 * Invariants: every net has one driver cell; `inputNet[inputStart[c] .. inputStart[c + 1]]` are cell c's input pins,
 * -1 for one left open (a flip-flop's enable or reset); LUT input i has weight 2^i in its mask.
 */
export interface MappedNetlist {
  readonly top: string;
  readonly cellCount: number;
  readonly netCount: number;
  /** [cells] */
  readonly kind: Uint8Array;
  readonly cellName: readonly string[];
  /** [cells] Word-level cell it came from, for its source position; -1 for pads. */
  readonly origin: Int32Array;
  /** [cells + 1] */
  readonly inputStart: Int32Array;
  readonly inputNet: Int32Array;
  /** [cells] Net at the output; -1 for output pads. */
  readonly outputNet: Int32Array;
  /** [cells] Truth table of a LUT, inputs above its own repeated: bits 0 to 31 and 32 to 63. */
  readonly maskLow: Uint32Array;
  readonly maskHigh: Uint32Array;
  /** [cells] Flip-flop modes, bits of `ffMode`. */
  readonly modes: Uint8Array;
  readonly netName: readonly string[];
  /** [nets] */
  readonly netDriver: Int32Array;
  readonly ports: readonly MappedPort[];
  /** LUT levels on the longest path. */
  readonly levels: number;
  /** What became of names that have no cell of their own. */
  readonly fates: readonly NameFate[];
}

export interface MappedPort {
  readonly name: string;
  readonly direction: "input" | "output";
  readonly msb: number;
  readonly lsb: number;
  /** Pad cell of each bit, least significant first; -1 for an input bit that nothing reads. */
  readonly pads: readonly number[];
  /** Full name of each bit. */
  readonly bitNames: readonly string[];
}

export interface NameFate {
  readonly name: string;
  readonly became: "constant 0" | "constant 1" | "unused" | "folded into logic" | "another name of";
  /** For "another name of": the net that carries it. */
  readonly net?: string;
}

export interface NetSinks {
  /** [nets + 1] */
  readonly start: Int32Array;
  readonly cell: Int32Array;
  /** Pin position within the cell. */
  readonly pin: Int32Array;
}

/** Sinks of every net, in cell order. O(pins). */
export function collectSinks(netlist: MappedNetlist): NetSinks {
  const { netCount, cellCount, inputStart, inputNet } = netlist;
  const start = new Int32Array(netCount + 1);
  for (const net of inputNet) if (net >= 0) start[net + 1]++;
  for (let net = 0; net < netCount; net++) start[net + 1] += start[net];
  const fill = start.slice(0, netCount);
  const cell = new Int32Array(start[netCount]);
  const pin = new Int32Array(start[netCount]);
  for (let c = 0; c < cellCount; c++) {
    for (let i = inputStart[c]; i < inputStart[c + 1]; i++) {
      const net = inputNet[i];
      if (net < 0) continue;
      cell[fill[net]] = c;
      pin[fill[net]++] = i - inputStart[c];
    }
  }
  return { start, cell, pin };
}

/** Output of a LUT for the given input values (bit i = input i). */
export function lutOutput(maskLow: number, maskHigh: number, inputs: number): number {
  return inputs < 32 ? (maskLow >>> inputs) & 1 : (maskHigh >>> (inputs - 32)) & 1;
}
