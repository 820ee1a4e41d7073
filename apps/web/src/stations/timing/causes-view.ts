import {
  type ElaboratedDesign,
  type SourcePosition,
  type TimingCause,
  type TimingPath,
  timingCauses,
} from "@gate-clock/core";

/** What an operator is called, by the kind of its word-level cell. */
const words: Readonly<Record<string, string>> = {
  add: "sum",
  sub: "difference",
  mul: "product",
  div: "quotient",
  mod: "remainder",
  eq: "comparison",
  lt: "comparison",
  mux: "choice",
  shl: "shift",
  shr: "shift",
  sshr: "shift",
  mem: "memory",
  block: "block",
};

/** Paths this close to the worst are explained where none fails, as a share of what they have. */
const nearShare = 0.1;

export interface CauseRow {
  readonly cause: TimingCause;
  /** In words, without its place: "comparison and sum". */
  readonly what: string;
  /** Name or place, in the font of names. */
  readonly name: string;
  readonly place: SourcePosition | null;
}

/** Causes of what fails; where nothing does, of what comes nearest to it. Those that cost most first. */
export function causeRows(paths: readonly TimingPath[], elaborated: ElaboratedDesign | undefined): CauseRow[] {
  const positions = elaborated?.positions.cells;
  const placeOf = (origin: number) => {
    const place = positions?.[origin];
    return place ? `${place.file}:${place.line}` : null;
  };
  const worst = paths.reduce((least, { slackPs }) => Math.min(least, slackPs ?? Infinity), Infinity);
  if (worst === Infinity) return [];
  const near = worst + nearShare * (paths.find(({ slackPs }) => slackPs === worst)?.requirementPs ?? 0);
  return timingCauses(paths, placeOf, worst < 0 ? 0 : near).map((cause) => {
    const kinds = cause.origins.map((origin) => words[elaborated?.netlist.cells[origin]?.kind ?? ""] ?? "logic");
    const shown = [...new Set(kinds)].slice(0, 2).join(" and ");
    switch (cause.kind) {
      case "operator":
        return { cause, what: `${shown} in`, name: cause.name, place: positions?.[cause.origins[0]] ?? null };
      case "wire":
        return { cause, what: "long way of", name: cause.name, place: null };
      case "fan-out":
        return { cause, what: "many ends of", name: cause.name, place: null };
      case "block":
        return { cause, what: "block", name: cause.name, place: null };
      case "crossing":
        return { cause, what: "crossing", name: cause.name.replace(" ", " → "), place: null };
      default:
        return { cause, what: "paths to", name: cause.name, place: null };
    }
  });
}
