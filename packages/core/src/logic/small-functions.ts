/**
 * How functions of four inputs are made from the fewest gates: ANDs, and exclusive ORs that count as three of them.
 * Functions are truth tables of 16 bits, input i's own being `inputTables[i]`; of a function and its inverse only the
 * one that is 0 for the first row is held. Sizes are those of formulas: what two parts share is found when they are built.
 * Method: enumeration by growing size, as in D. E. Knuth, The Art of Computer Programming 4A, section 7.1.2.
 */
export const inputTables: readonly number[] = [0xaaaa, 0xcccc, 0xf0f0, 0xff00];

/** Ways of one size that are kept of each function. */
export const waysKept = 3;
/** Larger ones are left out: a cone that is replaced by so many gates seldom has more. */
const mostGates = 7;
export const unknown = 255;

interface SmallFunctions {
  /** [2^16] Gates of a function, the same for its inverse; `unknown` if too many. */
  readonly size: Uint8Array;
  /** [2^16 * waysKept] First operand: a function, inverted or not; -1 behind the last way. */
  readonly left: Int32Array;
  readonly right: Int32Array;
  /** [2^16 * waysKept] What joins the operands: one of `join`. */
  readonly joins: Uint8Array;
}

export const join = { and: 0, xor: 1, nand: 2 } as const;

let made: SmallFunctions | null = null;

/** Made on the first call. Ways are held for functions that are 0 in the first row, so f is inverted where f & 1 is set. */
export function smallFunctions(): SmallFunctions {
  made ??= enumerate();
  return made;
}

function enumerate(): SmallFunctions {
  const size = new Uint8Array(1 << 16).fill(unknown);
  const left = new Int32Array((1 << 16) * waysKept).fill(-1);
  const right = new Int32Array((1 << 16) * waysKept).fill(-1);
  const joins = new Uint8Array((1 << 16) * waysKept);
  const bySize: number[][] = [[]];
  for (const f of [0, ...inputTables]) {
    size[f] = 0;
    bySize[0].push(f);
  }
  const add = (f: number, n: number, a: number, b: number, how: number) => {
    if (size[f] < n) return;
    let way = 0;
    if (size[f] === unknown) {
      size[f] = n;
      bySize[n].push(f);
    } else {
      while (way < waysKept && left[f * waysKept + way] >= 0) way++;
      if (way === waysKept) return;
    }
    left[f * waysKept + way] = a;
    right[f * waysKept + way] = b;
    joins[f * waysKept + way] = how;
  };
  for (let n = 1; n <= mostGates; n++) {
    bySize.push([]);
    for (let i = 0; 2 * i <= n - 1; i++) {
      const [small, large] = [bySize[i], bySize[n - 1 - i]];
      for (const g of small)
        for (const h of large) {
          const [ng, nh] = [~g & 0xffff, ~h & 0xffff];
          add(g & h, n, g, h, join.and);
          add(g & nh, n, g, nh, join.and);
          add(ng & h, n, ng, h, join.and);
          add(g | h, n, ng, nh, join.nand);
        }
    }
    for (let i = 0; 2 * i <= n - 3; i++)
      for (const g of bySize[i]) for (const h of bySize[n - 3 - i]) add(g ^ h, n, g, h, join.xor);
  }
  for (let f = 0; f < 1 << 16; f += 2) size[~f & 0xffff] = size[f];
  return { size, left, right, joins };
}
