import type { Claim } from "./claims.ts";
import { defaultPinOptions, formatPin, type PinAssignment } from "./pins.ts";

/** Lines of the pin file that a claim makes: pin and standard of each signal. */
export function claimedPins({ port, bus, from }: Claim): PinAssignment[] {
  return port.bits.map(({ name }, i) => {
    const { pin, standard } = bus.signals[from + i];
    return { port: name, pin, ...defaultPinOptions, standard };
  });
}

/** A pin file with lines more at its end. */
export function withPins(text: string, pins: readonly PinAssignment[]): string {
  const lines = pins.map(formatPin).join("\n");
  return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${lines}\n`;
}

/** A pin file without the lines of some port bits; all else stays as it was written. */
export function withoutPins(text: string, bits: ReadonlySet<string>): string {
  return text
    .split(/(?<=\n)/)
    .filter((line) => !bits.has(/^\s*(\S+)/.exec(line)?.[1] ?? ""))
    .join("");
}
