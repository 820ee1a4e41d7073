import type { DesignCheck, FoundClock } from "@gate-clock/core";
import { Binary, Cpu, Power, Unplug } from "lucide-react";
import type { ReactNode } from "react";
import { formatCount, formatMhz, formatNs } from "../../ui/format.ts";
import { InlineFigure } from "./InlineFigure.tsx";

const origins: Readonly<Record<FoundClock["from"], { readonly icon: typeof Cpu; readonly words: string }>> = {
  port: { icon: Power, words: "port" },
  block: { icon: Cpu, words: "clock block" },
  register: { icon: Binary, words: "register" },
  logic: { icon: Binary, words: "logic" },
  nothing: { icon: Unplug, words: "outside" },
};

/** Every clock that the circuit has: where it comes from, what it clocks, whether a rule declares it. */
export function ClockTable({
  check,
  onPeriod,
}: {
  check: DesignCheck;
  /** Null for clocks whose period stands in no line of its own. */
  onPeriod: (clock: FoundClock) => ((ns: string) => void) | null;
}) {
  return (
    <table className="w-full text-[13px]" data-testid="clock-table">
      <thead>
        <tr className="border-b border-line text-left text-soft">
          <th className="py-1 pr-2 font-semibold">Clock</th>
          <th className="pr-2 font-semibold">From</th>
          <th className="pr-3 text-right font-semibold">Period ns</th>
          <th className="pr-2 text-right font-semibold">MHz</th>
          <th className="pr-2 text-right font-semibold" title="Clock pins by the edge that counts there">
            Rising
          </th>
          <th className="pr-2 text-right font-semibold">Falling</th>
          <th className="pr-2 text-right font-semibold">Latches</th>
          <th className="font-semibold">Rule</th>
        </tr>
      </thead>
      <tbody>
        {check.foundClocks.map((clock) => {
          const { icon: Icon, words } = origins[clock.from];
          const set = onPeriod(clock);
          return (
            <tr key={clock.name} className="border-b border-line/60" data-testid={`clock-${clock.name}`}>
              <td className="max-w-40 truncate py-1.5 pr-2 font-mono text-xs" title={clock.name}>
                {clock.name}
              </td>
              <td className="pr-2 whitespace-nowrap">
                <Icon className="mr-1 inline size-3.5 text-soft" aria-hidden />
                {words}
                {clock.master && <span className="text-soft"> of {clock.master}</span>}
              </td>
              <td className="pr-2 text-right">
                {set ? (
                  <InlineFigure
                    text={clock.periodPs === null ? "" : formatNs(clock.periodPs)}
                    label={`Period of ${clock.name}, ns`}
                    onChange={set}
                  />
                ) : (
                  <span className="tabular pr-1">{clock.periodPs === null ? "–" : formatNs(clock.periodPs)}</span>
                )}
              </td>
              <td className="tabular pr-2 text-right">
                {clock.periodPs === null ? "–" : formatMhz(1e6 / clock.periodPs)}
              </td>
              <Pins count={clock.rising} />
              <Pins count={clock.falling} />
              <Pins count={clock.latches} />
              <td className="whitespace-nowrap">{stateOf(clock)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Pins({ count }: { count: number }) {
  return <td className={`tabular pr-2 text-right ${count === 0 ? "text-soft" : ""}`}>{formatCount(count)}</td>;
}

function stateOf({ isDeclared, isAutomatic, gates, shared, rising, falling, latches, from }: FoundClock): ReactNode {
  if (!isDeclared) return <span className="font-semibold text-warn">not declared</span>;
  if (gates.length) return <span className="text-warn">declared, gated</span>;
  if (shared) return <span>declared, shares pins</span>;
  if (from !== "nothing" && rising + falling + latches === 0) return <span className="text-soft">clocks nothing</span>;
  return isAutomatic ? "by itself" : "declared";
}
