import { Random } from "../common/random.ts";
import { Aig } from "../logic/aig.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { HardWords } from "./word-logic.ts";

/** An operator whose gates do not give what whole numbers do. */
export interface WordFault {
  readonly cell: string;
  readonly operands: readonly string[];
  readonly expected: string;
  readonly got: string;
}

/**
 * Products, quotients and remainders of the design against whole numbers: corners and random operands, 32 at a time.
 * These are the operators that the proof takes in synthesis's own form.
 */
export function checkWords(netlist: RtlNetlist, lutInputs: number, seed: number): WordFault[] {
  const faults: WordFault[] = [];
  const checked = new Set<string>();
  for (const cell of netlist.cells) {
    if (cell.kind !== "mul" && cell.kind !== "div" && cell.kind !== "mod") continue;
    const shape = cell.inputs.map((input) => shapeOf(input));
    const id = `${cell.kind} ${cell.signed} ${shape.map((each) => each.join(",")).join(" ")}`;
    if (checked.has(id)) continue;
    checked.add(id);
    const fault = checkOne(cell.kind, cell.signed, shape, lutInputs, seed);
    if (fault) faults.push({ cell: cell.name, ...fault });
  }
  return faults;
}

/** Bits by what they are: 0, 1, or the number of the first bit on the same net. */
function shapeOf(word: readonly number[]): number[] {
  const first = new Map<number, number>();
  return word.map((net, i) => {
    if (net <= 2) return net === 1 ? -2 : -1;
    if (!first.has(net)) first.set(net, i);
    return first.get(net)!;
  });
}

function checkOne(
  kind: "mul" | "div" | "mod",
  signed: boolean,
  shape: readonly number[][],
  lutInputs: number,
  seed: number,
): Omit<WordFault, "cell"> | null {
  const aig = new Aig();
  const random = new Random(seed);
  const words = shape.map((bits) => {
    const made: number[] = [];
    bits.forEach((bit, i) => made.push(bit < 0 ? (bit === -2 ? 1 : 0) : bit === i ? aig.input() : made[bit]));
    return made;
  });
  const out = new HardWords(aig, lutInputs).make(kind, words[0], words[1], signed);
  const n = out.length;
  const value = new Int32Array(aig.nodeCount);
  const read = (literal: number, lane: number) =>
    ((literal & 1 ? ~value[literal >> 1] : value[literal >> 1]) >>> lane) & 1;
  for (let round = 0; round < 24; round++) {
    for (let node = 1; node < aig.nodeCount; node++) {
      if (aig.isAnd(node)) {
        const [f0, f1] = [aig.fanin0[node], aig.fanin1[node]];
        value[node] = (f0 & 1 ? ~value[f0 >> 1] : value[f0 >> 1]) & (f1 & 1 ? ~value[f1 >> 1] : value[f1 >> 1]);
      } else {
        // sparse and dense words beside even ones: carries run far, divisors are small
        const a = random.uint32();
        value[node] =
          round % 3 === 0 ? a & random.uint32() & random.uint32() : round % 3 === 1 ? a | random.uint32() : a;
      }
    }
    for (let lane = 0; lane < 32; lane++) {
      const number = (word: readonly number[]) =>
        word.reduce((sum, literal, i) => sum | (BigInt(read(literal, lane)) << BigInt(i)), 0n);
      const raw = words.map(number);
      const [a, b] = signed ? raw.map((each, i) => BigInt.asIntN(words[i].length, each)) : raw;
      if (kind !== "mul" && b === 0n) continue;
      const exact = kind === "mul" ? a * b : kind === "div" ? a / b : a % b;
      const expected = BigInt.asUintN(n, exact);
      const got = number(out);
      if (got !== expected) return { operands: [String(a), String(b)], expected: String(expected), got: String(got) };
    }
  }
  return null;
}
