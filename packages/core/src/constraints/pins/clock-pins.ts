import type { Finding } from "../../common/finding.ts";
import { Delays, type Part } from "../../device/part.ts";
import { wireTable } from "../../device/wire-table.ts";
import { addition, replacement } from "./edits.ts";
import { nearestPin, type PlacedPort } from "./lines.ts";

/** Ways that branch to many registers are longer than those that lead to one: found by comparing with what was built. */
const branchingShare = 1.7;

/**
 * How far apart the edges of a clock arrive, in ns, by ordinary wires and by the clock network, before anything is placed:
 * registers that fill a square of tiles, whose nearest and farthest corner are two sides of it apart; the largest delays.
 * @param clocked Registers, memories and blocks.
 */
export function estimateSkewNs(part: Part, clocked: number): { readonly plain: number; readonly network: number } {
  const { family } = part;
  const { scale } = new Delays(part, "slow-hot");
  const tiles = Math.max(1, Math.ceil(clocked / family.elementsPerTile));
  const side = Math.min(Math.sqrt(tiles), Math.max(part.die.rows, part.die.columns.length));
  const across = Math.max(1, 2 * side - 1);
  const table = wireTable(part, Math.ceil(across));
  const low = Math.floor(across);
  const farPs = table[low] + (across - low) * (table[Math.ceil(across)] - table[low]);
  const plainPs = branchingShare * (farPs - table[0]);
  const networkPs = family.delays.tileClockStepPs * side;
  return { plain: (plainPs * scale) / 1000, network: (networkPs * scale) / 1000 };
}

/** Clocks at pins without a way to the clock network. */
export function checkClockPins(placed: readonly PlacedPort[], part: Part, avoided: ReadonlySet<string>): Finding[] {
  const taken = new Set([...placed.map(({ pin }) => pin.name), ...avoided]);
  const clockPins = part.pins.filter(({ isClock }) => isClock).map(({ name }) => name);
  return placed.flatMap(({ assignment, place, words, need, pin, standard }): Finding[] => {
    if (!need.isClock || need.direction === "output" || pin.isClock || assignment.clock === "plain") return [];
    const { port } = assignment;
    const skew = estimateSkewNs(part, need.clocked ?? 1);
    const inBank = (bank: number) => placed.find((each) => each.pin.bank === bank && each.assignment.port !== port);
    const free = nearestPin(part, pin, (to) => {
      const volts = inBank(to.bank)?.standard.volts ?? standard.volts;
      return to.isClock && !taken.has(to.name) && volts === standard.volts;
    });
    const allow = addition(place, "clock=plain", "Allow it with clock=plain");
    return [
      {
        code: "pins/clock-on-plain-pin",
        severity: "warning",
        place: words.pin!,
        message: `'${port}' is a clock, but ${pin.name} has no way to the clock network: by ordinary wires its edges arrive about ${skew.plain.toFixed(2)} ns apart (network: ${skew.network.toFixed(2)} ns).`,
        remedy: `Clock pins are ${clockPins.join(", ")}; clock=plain in its line allows it here.`,
        edit: free ? replacement(words.pin!, free.name, `Move it to ${free.name}`) : allow,
        ...(free ? { alternatives: [allow] } : {}),
      },
    ];
  });
}
