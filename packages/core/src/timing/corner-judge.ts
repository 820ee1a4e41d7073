import { isAssumed } from "./assumed-clocks.ts";
import type { BuiltGraph } from "./built-graph.ts";
import { worstPaths } from "./paths.ts";
import type { CheckKind, ClockSummary, TimingCheck } from "./report.ts";
import type { TimingState } from "./timing-state.ts";

/** Sums up what one corner says. */
export class CornerJudge {
  private readonly known = new Map<"setup" | "hold", { entries: number[]; worst: Map<number, number> }>();

  constructor(
    private readonly state: TimingState,
    private readonly corner: string,
    private readonly declared: number,
  ) {}

  private ends(kind: "setup" | "hold"): { entries: number[]; worst: Map<number, number> } {
    let known = this.known.get(kind);
    if (known) return known;
    const { entries, search } = this.state.analysis;
    const bounds = kind === "setup" ? this.state.setupSlack : this.state.holdSlack;
    known = { entries: [], worst: new Map() };
    for (let entry = 0; entry < entries.count; entry++) {
      const slack = bounds[entry];
      if (slack === Infinity || (kind === "setup" && isAssumed(this.state.analysis, entry, this.declared))) continue;
      known.entries.push(entry);
      const end = entries.end[entry];
      if (slack < (known.worst.get(end) ?? Infinity)) known.worst.set(end, slack);
    }
    if (search.isMerged) this.refine(kind, known);
    this.known.set(kind, known);
    return known;
  }

  /** Where branches of a clock were taken together, ends that seem to fail are looked at path by path. */
  private refine(kind: "setup" | "hold", known: { entries: number[]; worst: Map<number, number> }): void {
    const { entries } = this.state.analysis;
    const byEnd = new Map<number, number[]>();
    for (const entry of known.entries) {
      const list = byEnd.get(entries.end[entry]);
      if (list) list.push(entry);
      else byEnd.set(entries.end[entry], [entry]);
    }
    for (const [end, list] of byEnd) {
      const [path] = worstPaths(this.state, { kind, count: 1, entries: list });
      if (path) known.worst.set(end, path.slackPs);
    }
  }

  /** Entries that have a goal. */
  judged(kind: "setup" | "hold"): readonly number[] {
    return this.ends(kind).entries;
  }

  check(kind: CheckKind): TimingCheck {
    const isReset = kind === "recovery" || kind === "removal";
    const { ends } = this.state.analysis;
    let worst: number | null = null;
    let total = 0;
    let failing = 0;
    let count = 0;
    for (const [end, slack] of this.ends(kind === "setup" || kind === "recovery" ? "setup" : "hold").worst) {
      if ((ends[end].kind === "recovery") !== isReset) continue;
      count++;
      if (worst === null || slack < worst) worst = slack;
      if (slack < 0) {
        failing++;
        total += slack;
      }
    }
    return {
      corner: this.corner,
      kind,
      worstSlackPs: worst,
      totalNegativePs: total,
      failingEndpoints: failing,
      endpoints: count,
    };
  }

  endSlacks(): Float32Array<ArrayBuffer> {
    return Float32Array.from(this.ends("setup").worst.values());
  }

  /** Ends of registers that signals of registers come to, and that no rule gives a goal. */
  withoutGoal(): number {
    const { entries, ends, search } = this.state.analysis;
    const open = new Set<number>();
    const judged = this.ends("setup").worst;
    for (let entry = 0; entry < entries.count; entry++) {
      const end = entries.end[entry];
      if (ends[end].check < 0 || judged.has(end)) continue;
      const info = entries.info[entries.infoOf[entry]];
      const launch = search.launches[search.launch[entries.vertex[entry]]];
      if (
        launch.clock >= 0 &&
        info.why !== "false path" &&
        !(info.why === "cut clocks" && !isAssumed(this.state.analysis, entry, this.declared))
      )
        open.add(end);
    }
    return open.size;
  }

  summaries({ graph, pinCell }: BuiltGraph): ClockSummary[] {
    const { analysis } = this.state;
    const { entries, search, rules, network } = analysis;
    const need = new Map<number, number>();
    for (let entry = 0; entry < entries.count; entry++) {
      const node = entries.node[entry];
      const launch = search.launches[search.launch[entries.vertex[entry]]];
      if (node < 0 || launch.clock !== network.clock[node] || this.state.setupSlack[entry] === Infinity) continue;
      const info = entries.info[entries.infoOf[entry]];
      if (info.rules.setup >= 0 && rules.exceptions[info.rules.setup].kind === "max delay") continue;
      const period = rules.clocks[launch.clock].periodPs;
      const raw = info.setup + info.setupUncertainty;
      // half-cycle paths count twice
      const own = (raw - this.state.setupSlack[entry]) / (raw / period);
      if (own > (need.get(launch.clock) ?? 0)) need.set(launch.clock, own);
    }
    const clockPins = new Set<number>(graph.checkClock);
    return rules.clocks.map((clock, c): ClockSummary => {
      let earliestPs = Infinity;
      let latestPs = 0;
      const cells = new Set<number>();
      for (let node = 0; node < network.nodeCount; node++) {
        const pin = network.pin[node];
        if (network.clock[node] !== c || pin < 0 || !clockPins.has(pin)) continue;
        cells.add(pinCell[pin]);
        earliestPs = Math.min(earliestPs, this.state.clockEarly[node]);
        latestPs = Math.max(latestPs, this.state.clockLate[node]);
      }
      const least = need.get(c);
      const [source] = clock.sources;
      return {
        name: clock.name,
        port: source === undefined ? clock.name : graph.pinName(source).replace(/\/(?:o|q)$/, ""),
        periodPs: c < this.declared ? clock.periodPs : null,
        fmaxMhz: least && least > 0 ? 1e6 / least : null,
        registers: cells.size,
        earliestPs: earliestPs === Infinity ? 0 : earliestPs,
        latestPs,
      };
    });
  }
}
