import type { Analysis } from "./analysis.ts";
import { captureFalls } from "./checks.ts";
import { checkKind } from "./pin-graph.ts";

/** A clock that a circuit really has, declared or not. */
export interface FoundClock {
  readonly name: string;
  /** Port, net or pin where it begins; empty for a virtual clock. */
  readonly source: string;
  readonly from: "port" | "block" | "register" | "logic" | "nothing";
  readonly isDeclared: boolean;
  /** Made by a block of the part; no line need declare it. */
  readonly isAutomatic: boolean;
  readonly periodPs: number | null;
  readonly master: string | null;
  /** Clock pins that it comes to, by the edge that counts there; and those of latches. */
  readonly rising: number;
  readonly falling: number;
  readonly latches: number;
  /** Signals that hold it back on its way. */
  readonly gates: readonly string[];
  /** Clock pins where another clock comes too. */
  readonly shared: number;
  readonly sharedWith: readonly string[];
  /** It goes where data goes, too. */
  readonly isData: boolean;
  /** The first of the pins that it clocks. */
  readonly examples: readonly string[];
}

const examplesShown = 5;

/** Every clock of a circuit, from the pins that are clocked back to where the clock comes from. */
export function surveyClocks({ active, network, search, ends, rules }: Analysis, declared: number): FoundClock[] {
  const { graph } = active;
  const inPins = new Set(graph.ports.map(({ inPin }) => inPin));
  const data = new Set<number>();
  for (let i = 0; i < search.seedVertex.length; i++)
    if (search.seedArc[i] < 0 && search.seedIo[i] < 0 && search.seedNode[i] >= 0)
      data.add(network.clock[search.seedNode[i]]);

  const found = rules.clocks.map((clock, c) => ({
    clock,
    isDeclared: c < declared,
    rising: new Set<number>(),
    falling: new Set<number>(),
    latches: new Set<number>(),
    gates: new Set<string>(),
    shared: new Set<number>(),
    sharedWith: new Set<string>(),
  }));
  ends.forEach((end) => {
    if (end.clockPin < 0) return;
    for (let node = network.first[end.clockPin]; node >= 0; node = network.next[node]) {
      const own = found[network.clock[node]];
      if (end.kind === "gate") {
        own.gates.add(gateName(end.pin));
        continue;
      }
      if (end.check >= 0 && graph.checkKind[end.check] === checkKind.latch) own.latches.add(end.clockPin);
      else (captureFalls(graph, network, end, node) ? own.falling : own.rising).add(end.clockPin);
      for (let other = network.first[end.clockPin]; other >= 0; other = network.next[other])
        if (network.clock[other] !== network.clock[node]) {
          own.shared.add(end.clockPin);
          own.sharedWith.add(rules.clocks[network.clock[other]].name);
        }
    }
  });
  function gateName(pin: number): string {
    return graph.pinName(pin).replace(/\/\w+$/, "");
  }
  return found.map(({ clock, isDeclared, rising, falling, latches, gates, shared, sharedWith }, c): FoundClock => {
    const [source] = clock.sources;
    return {
      name: clock.name,
      source: source === undefined ? "" : graph.pinName(source),
      from:
        source === undefined
          ? "nothing"
          : inPins.has(source)
            ? "port"
            : clock.isAutomatic
              ? "block"
              : isDeclared
                ? "register"
                : "logic",
      isDeclared,
      isAutomatic: clock.isAutomatic,
      periodPs: isDeclared ? clock.periodPs : null,
      master: clock.master >= 0 ? rules.clocks[clock.master].name : null,
      rising: rising.size,
      falling: falling.size,
      latches: latches.size,
      gates: [...gates],
      shared: shared.size,
      sharedWith: [...sharedWith],
      isData: data.has(c),
      examples: [...rising, ...falling, ...latches].slice(0, examplesShown).map((pin) => graph.pinName(pin)),
    };
  });
}
