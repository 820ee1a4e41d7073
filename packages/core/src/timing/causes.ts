import type { PathStep, TimingPath } from "./report.ts";

/** What paths have in common that makes them long. */
type CauseKind = "operator" | "fan-out" | "wire" | "block" | "crossing" | "end";

export interface TimingCause {
  readonly kind: CauseKind;
  /** What they share: a key of `placeOf` for operators, else the name of a net, a block, a pair of clocks or a register. */
  readonly name: string;
  /** Word-level cells that the steps are of, for operators; those with most time first. */
  readonly origins: readonly number[];
  /** Places of its paths in the list that was given, worst first. */
  readonly paths: readonly number[];
  readonly worstSlackPs: number;
  /** Sum of the negative slacks of its paths, 0 or below: what it costs in all. */
  readonly totalNegativePs: number;
  /** Mean share of it in the data's way. */
  readonly share: number;
  /** Most LUTs of it on one path. */
  readonly levels: number;
}

/** A wire that takes so many times as long as most is one by itself, not part of what it leads to. */
const longWire = 2.5;
const manySinks = 24;
/** Least share of a path that may count as its cause. */
const leastShare = 0.25;
/** Of what is taken only where nothing else is a cause. */
const lastResort = 0.2;

interface Feature {
  readonly kind: CauseKind;
  readonly name: string;
  /** Path -> ps of it, and LUTs. */
  readonly of: Map<number, { ps: number; levels: number }>;
  readonly origins: Map<number, number>;
}

/**
 * Gathers paths by what they share, so that ten paths of one comparison read as the comparison: each time the feature that accounts for
 * most of the slack that is missing takes its paths, until all have a cause (greedy set cover: Chvatal 1979). O(steps x causes).
 * @param placeOf Where a word-level cell is written, the same text for one operator; null where it is not known.
 * @param belowPs Paths with less slack than this have to be explained.
 */
export function timingCauses(
  paths: readonly TimingPath[],
  placeOf: (origin: number) => string | null,
  belowPs: number,
): TimingCause[] {
  const open = new Set<number>();
  paths.forEach(({ slackPs }, p) => {
    if (slackPs !== null && slackPs < belowPs) open.add(p);
  });
  const features = featuresOf(paths, [...open], placeOf);
  const weight = (p: number) => 1 + Math.max(0, -paths[p].slackPs!);
  const shareOf = ({ kind, of }: Feature, p: number): number => {
    if (kind === "end") return lastResort;
    const share = (of.get(p)?.ps ?? 0) / Math.max(1, paths[p].dataPs);
    return share < leastShare ? 0 : share;
  };
  const causes: TimingCause[] = [];
  while (open.size) {
    let best: Feature | null = null;
    let most = 0;
    for (const feature of features) {
      let score = 0;
      for (const p of feature.of.keys()) if (open.has(p)) score += weight(p) * shareOf(feature, p);
      if (score > most) [best, most] = [feature, score];
    }
    if (!best) break;
    const members = [...best.of.keys()].filter((p) => open.has(p) && shareOf(best!, p) > 0);
    for (const p of members) open.delete(p);
    members.sort((a, b) => paths[a].slackPs! - paths[b].slackPs! || a - b);
    causes.push({
      kind: best.kind,
      name: best.name,
      origins: [...best.origins].sort((a, b) => b[1] - a[1] || a[0] - b[0]).map(([origin]) => origin),
      paths: members,
      worstSlackPs: paths[members[0]].slackPs!,
      totalNegativePs: members.reduce((sum, p) => sum + Math.min(0, paths[p].slackPs!), 0),
      share: members.reduce((sum, p) => sum + best!.of.get(p)!.ps / Math.max(1, paths[p].dataPs), 0) / members.length,
      levels: Math.max(...members.map((p) => best!.of.get(p)!.levels)),
    });
  }
  return causes.sort((a, b) => a.totalNegativePs - b.totalNegativePs || a.worstSlackPs - b.worstSlackPs);
}

function featuresOf(
  paths: readonly TimingPath[],
  open: readonly number[],
  placeOf: (origin: number) => string | null,
): Feature[] {
  const byKey = new Map<string, Feature>();
  const add = (kind: CauseKind, name: string, p: number, ps: number, levels = 0, origin = -1) => {
    const key = `${kind} ${name}`;
    const feature = byKey.get(key) ?? { kind, name, of: new Map(), origins: new Map() };
    byKey.set(key, feature);
    const old = feature.of.get(p) ?? { ps: 0, levels: 0 };
    feature.of.set(p, { ps: old.ps + ps, levels: old.levels + levels });
    if (origin >= 0) feature.origins.set(origin, (feature.origins.get(origin) ?? 0) + ps);
  };
  const wires = open.flatMap((p) => paths[p].steps.flatMap(({ what, delayPs }) => (what === "net" ? [delayPs] : [])));
  wires.sort((a, b) => a - b);
  const usual = wires[wires.length >> 1] ?? 0;
  for (const p of open) {
    const { steps, launchClock, captureClock, dataPs, to } = paths[p];
    if (launchClock !== captureClock) add("crossing", `${launchClock} ${captureClock}`, p, dataPs);
    add("end", stemOf(to), p, lastResort * dataPs);
    let wire: PathStep | null = null;
    for (const step of steps) {
      if (step.what === "net") {
        wire = step;
        if (step.delayPs > longWire * usual)
          add(step.fanout >= manySinks ? "fan-out" : "wire", step.name, p, step.delayPs - usual);
        continue;
      }
      const isLogic = step.what === "LUT" || step.what === "carry";
      if (step.what === "block") add("block", step.name, p, step.delayPs);
      if (!isLogic) continue;
      const place = step.origin < 0 ? null : placeOf(step.origin);
      // the way to it is part of an operator, as far as it is as long as usual
      const way = wire ? Math.min(wire.delayPs, usual) : 0;
      wire = null;
      if (place !== null) add("operator", place, p, step.delayPs + way, Number(step.what === "LUT"), step.origin);
    }
  }
  return [...byKey.values()];
}

/** A register without its bit, and without the pin that is meant. */
function stemOf(name: string): string {
  return name.replace(/ \(.*\)$/, "").replace(/\[\d+\]$/, "");
}
