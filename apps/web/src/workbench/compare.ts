import type { Trial, TrialFigures } from "@gate-clock/contract";

/** A figure that trials are compared by. */
export type FigureName = "setup" | "hold" | "fmax" | "luts" | "registers" | "cells" | "share" | "wires" | "image";

/** How a figure of one trial stands to that of another. */
export interface Difference {
  readonly name: string;
  readonly unit: string;
  /** Value minus that of the other trial. */
  readonly by: number;
  readonly digits: number;
  readonly isBetter: boolean;
}

/** Figures of a trial, or of something that has nothing to say of most of them. */
type Figures = Partial<TrialFigures>;

/** What figures are compared with: a trial, or what the rules ask for. */
export interface Reference {
  /** "trial 11", "the baseline, trial 3", "the goal". */
  readonly name: string;
  readonly figures: Figures;
}

interface Compared {
  readonly label: string;
  readonly unit: string;
  readonly digits: number;
  readonly better: "more" | "less";
  of(figures: Figures): number | null | undefined;
}
const inNs = (ps: number | null | undefined) => (ps == null ? null : ps / 1000);

/** Figures with the way in which they get better. */
const compared: Readonly<Record<FigureName, Compared>> = {
  setup: { label: "setup", unit: "ns", digits: 3, better: "more", of: ({ setupSlackPs }) => inNs(setupSlackPs) },
  hold: { label: "hold", unit: "ns", digits: 3, better: "more", of: ({ holdSlackPs }) => inNs(holdSlackPs) },
  fmax: { label: "fmax", unit: "MHz", digits: 1, better: "more", of: ({ fmaxMhz }) => fmaxMhz },
  luts: { label: "LUTs", unit: "", digits: 0, better: "less", of: ({ luts }) => luts },
  registers: { label: "registers", unit: "", digits: 0, better: "less", of: ({ registers }) => registers },
  cells: {
    label: "cells",
    unit: "",
    digits: 0,
    better: "less",
    of: ({ luts, registers }) => (luts == null || registers == null ? null : luts + registers),
  },
  share: { label: "LUTs", unit: "%", digits: 1, better: "less", of: ({ lutPercent }) => lutPercent },
  wires: { label: "wires", unit: "", digits: 0, better: "less", of: ({ wires }) => wires },
  image: {
    label: "image",
    unit: "KiB",
    digits: 1,
    better: "less",
    of: ({ imageBytes }) => (imageBytes == null ? null : imageBytes / 1024),
  },
};

/** What shows at the figure's precision; null where there is nothing to see, or one of the two lacks the figure. */
export function difference(figure: FigureName, own: Figures, other: Figures): Difference | null {
  const { label, unit, digits, better, of } = compared[figure];
  const [a, b] = [of(own), of(other)];
  if (a == null || b == null) return null;
  const by = Number((a - b).toFixed(digits));
  return by === 0 ? null : { name: label, unit, digits, by, isBetter: by > 0 === (better === "more") };
}

/** Those that a line about a trial has room for. */
const inLine: readonly FigureName[] = ["setup", "hold", "fmax", "luts", "registers", "wires"];
export const differences = (own: Figures, other: Figures): Difference[] =>
  inLine.map((figure) => difference(figure, own, other)).filter((each) => each !== null);

/** `+0.120 ns`, with a sign that is told from a hyphen. */
export function differenceText({ by, digits, unit }: Pick<Difference, "by" | "digits" | "unit">): string {
  return `${by < 0 ? "−" : "+"}${Math.abs(by).toFixed(digits)}${unit ? ` ${unit}` : ""}`;
}

// ---- what is compared with ----------------------------------------------------------------------------------------

/** As the address says it; without a word there, the trial before. */
export type Against = "before" | "baseline" | "goal" | "none" | number;

/** A number in the address; null for none, or for what is none. */
export function trialNumber(text: string | null): number | null {
  return text !== null && /^[1-9]\d{0,8}$/.test(text) ? Number(text) : null;
}
export function parseAgainst(text: string | null): Against {
  if (text === "baseline" || text === "goal" || text === "none") return text;
  return trialNumber(text) ?? "before";
}
export const formatAgainst = (against: Against): string | null => (against === "before" ? null : String(against));

/**
 * Number of the trial that one is compared with.
 * @param trials Of the target, in any order.
 */
export function comparedNumber(
  against: Against,
  trial: Pick<Trial, "number"> | null,
  trials: readonly Pick<Trial, "number" | "status">[],
  baseline: number | null,
): number | null {
  if (!trial || against === "none" || against === "goal") return null;
  if (against === "before") {
    const earlier = trials.filter(({ number, status }) => status === "done" && number < trial.number);
    return earlier.length ? Math.max(...earlier.map(({ number }) => number)) : null;
  }
  const number = against === "baseline" ? baseline : against;
  return number === trial.number ? null : number;
}

/** What the rules ask for: no slack below nothing, and the clock's speed where there is one clock. */
export function goalOf(clocks: readonly { readonly periodPs: number }[]): Reference {
  const fmaxMhz = clocks.length === 1 ? 1e6 / clocks[0].periodPs : null;
  const slack = clocks.length ? 0 : null;
  return { name: "the goal", figures: { setupSlackPs: slack, holdSlackPs: slack, fmaxMhz } };
}

// ---- the baseline of a target ---------------------------------------------------------------------------------------

/** Kept with the design, for all that look at it. */
export const baselineName = (targetId: string): string => `baseline:${targetId}`;
export function baselineIn(
  kept: readonly { readonly name: string; readonly value: unknown }[],
  targetId: string,
): number | null {
  const value = kept.find(({ name }) => name === baselineName(targetId))?.value as
    | { readonly number?: unknown }
    | null
    | undefined;
  return Number.isInteger(value?.number) ? (value!.number as number) : null;
}
