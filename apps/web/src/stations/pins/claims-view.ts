import {
  type BoardBus,
  type Claim,
  type ClaimPort,
  claimAll,
  claimPorts,
  type PinNeed,
  parsePins,
  suggestClaims,
} from "@gate-clock/core";

/** Ports of a design by how they stand to the signals of its board. */
export interface PortClaims {
  /** Tied to signals, all bits of them. */
  readonly tied: readonly Claim[];
  /** What those surely mean that are not in the pin file. */
  readonly sure: readonly Claim[];
  /** Those that are not in the pin file, the sure ones first, each with what it may be tied to, the likeliest first. */
  readonly open: readonly { readonly port: ClaimPort; readonly choices: readonly Claim[] }[];
}

/** @param text The pin file as it stands in the editor. */
export function portClaims(needs: readonly PinNeed[], buses: readonly BoardBus[], text: string): PortClaims {
  const pinOf = new Map(
    parsePins([{ name: "pins", text }]).pins.map(({ assignment }) => [assignment.port, assignment.pin]),
  );
  const ports = claimPorts(needs);
  const tied: Claim[] = [];
  const left: ClaimPort[] = [];
  for (const port of ports) {
    const claim = tiedTo(port, buses, pinOf);
    if (claim) tied.push(claim);
    else if (!port.bits.some(({ name }) => pinOf.has(name))) left.push(port);
  }
  const taken = new Set(pinOf.values());
  const sure = claimAll(left, buses, taken);
  for (const { bus, from, port } of sure) port.bits.forEach((_, i) => taken.add(bus.signals[from + i].pin));
  const meant = new Map(sure.map((claim) => [claim.port, claim]));
  const others = left.filter((port) => !meant.has(port));
  const open = [...meant.keys(), ...others].map((port) => {
    const first = meant.get(port);
    const guesses = suggestClaims(port, buses, taken).filter(({ bus }) => bus !== first?.bus);
    return { port, choices: first ? [first, ...guesses] : guesses };
  });
  return { tied, sure, open };
}

/** The signals that a port's lines name, one behind the other on one bus; null for any other pins. */
function tiedTo(port: ClaimPort, buses: readonly BoardBus[], pinOf: ReadonlyMap<string, string>): Claim | null {
  for (const bus of buses) {
    const from = bus.signals.findIndex(({ pin }) => pin === pinOf.get(port.bits[0].name));
    if (from < 0) continue;
    const isAll = port.bits.every(({ name }, i) => bus.signals[from + i]?.pin === pinOf.get(name));
    if (isAll) return { port, bus, from, score: 1, why: "claimed" };
  }
  return null;
}
