import type { TrialFigures } from "@gate-clock/contract";

/** How a figure of one trial stands to that of another. */
export interface Difference {
  readonly name: string;
  readonly unit: string;
  /** Value minus that of the other trial. */
  readonly by: number;
  readonly digits: number;
  /** Null where neither way is better. */
  readonly isBetter: boolean | null;
}

/** Figures that are compared, with the way in which they get better. */
const compared: readonly {
  readonly name: string;
  readonly unit: string;
  readonly digits: number;
  readonly better: "more" | "less";
  of(figures: TrialFigures): number | null;
}[] = [
  { name: "setup", unit: "ns", digits: 3, better: "more", of: ({ setupSlackPs }) => inNs(setupSlackPs) },
  { name: "hold", unit: "ns", digits: 3, better: "more", of: ({ holdSlackPs }) => inNs(holdSlackPs) },
  { name: "fmax", unit: "MHz", digits: 1, better: "more", of: ({ fmaxMhz }) => fmaxMhz },
  { name: "LUTs", unit: "", digits: 0, better: "less", of: ({ luts }) => luts },
  { name: "registers", unit: "", digits: 0, better: "less", of: ({ registers }) => registers },
  { name: "wires", unit: "", digits: 0, better: "less", of: ({ wires }) => wires },
];
const inNs = (ps: number | null) => (ps === null ? null : ps / 1000);

/** Differences that show at the figures' precision. Those that one of the two lacks are left out. */
export function differences(own: TrialFigures, other: TrialFigures): Difference[] {
  return compared.flatMap(({ name, unit, digits, better, of }): Difference[] => {
    const [a, b] = [of(own), of(other)];
    if (a === null || b === null) return [];
    const by = Number((a - b).toFixed(digits));
    if (by === 0) return [];
    return [{ name, unit, digits, by, isBetter: by > 0 === (better === "more") }];
  });
}

/** `+0.120 ns`, with a sign that is told from a hyphen. */
export function differenceText({ by, digits, unit }: Pick<Difference, "by" | "digits" | "unit">): string {
  return `${by < 0 ? "−" : "+"}${Math.abs(by).toFixed(digits)}${unit ? ` ${unit}` : ""}`;
}
