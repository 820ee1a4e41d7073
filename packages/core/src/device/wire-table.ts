import type { Part } from "./part.ts";

/** [distance in tiles] Least delay of wires along one line that lead so far, by their taps; in ps, before grade and corner. */
function alongLine({ wires, delays }: Part["family"], reach: number): Float64Array {
  const least = new Float64Array(2 * reach + 1).fill(Infinity);
  least[0] = 0;
  // wires lead back as well as on: a second pass takes what overshoots
  for (let pass = 0; pass < 2; pass++)
    for (let at = 0; at < least.length; at++)
      wires.forEach(({ taps }, i) => {
        for (const tap of taps) {
          const from = Math.min(at - tap >= 0 ? least[at - tap] : Infinity, least[at + tap] ?? Infinity);
          least[at] = Math.min(least[at], from + delays.wirePs[i]);
        }
      });
  return least.subarray(0, reach + 1);
}

/**
 * [distance in tiles] Delay of a connection over so many tiles, the mean over all ways to share them between rows and columns;
 * in ps, before grade and corner. Half of the connections need a short wire more to come to where their pin can be reached.
 */
export function wireTable(part: Part, reach: number): Float64Array {
  const { family } = part;
  const line = alongLine(family, reach);
  const around = family.delays.pinMuxPs + family.delays.wirePs[0] / 2;
  return Float64Array.from({ length: reach + 1 }, (_, distance) => {
    let sum = 0;
    for (let x = 0; x <= distance; x++) sum += line[x] + line[distance - x];
    return around + sum / (distance + 1);
  });
}
