import type { TimingReport } from "@gate-clock/core";
import { formatCount, formatMhz, formatNs } from "../../ui/format.ts";

/** What a trial, or an estimate, makes of the clocks, those that blocks of the part make among them. */
export function ClockFigures({
  title,
  timing,
  isEstimate = false,
}: {
  title: string;
  timing: TimingReport;
  isEstimate?: boolean;
}) {
  const clocks = timing.clocks.filter((clock) => clock.registers > 0);
  if (clocks.length === 0) return null;
  const worst = (name: string) =>
    timing.pairs.reduce<number | null>(
      (least, { capture, worstSlackPs }) =>
        capture === name && worstSlackPs !== null ? Math.min(least ?? Infinity, worstSlackPs) : least,
      null,
    );
  const about = (ps: number) => `about ${(ps / 1000).toFixed(1)}`;
  return (
    <section className="mb-6">
      <h2 className="mb-2 font-semibold">{title}</h2>
      <table className="w-full text-[13px]" data-testid={isEstimate ? "clocks-estimated" : "clocks-reached"}>
        <thead>
          <tr className="border-b border-line text-left text-soft">
            <th className="py-1 font-semibold">Clock</th>
            <th className="font-semibold">From</th>
            <th className="text-right font-semibold">Registers</th>
            <th className="text-right font-semibold">Required MHz</th>
            <th className="text-right font-semibold">fmax MHz</th>
            <th className="text-right font-semibold" title="Worst of all corners, of paths that end at this clock">
              Setup slack ns
            </th>
            {!isEstimate && (
              <th className="text-right font-semibold" title="Earliest and latest arrival at a register, slow-hot">
                Arrival ns
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {clocks.map(({ name, port, registers, periodPs, fmaxMhz, earliestPs, latestPs }) => {
            const goal = periodPs === null ? null : 1e6 / periodPs;
            const slack = worst(name);
            const isShort = goal !== null && fmaxMhz !== null && fmaxMhz < goal;
            return (
              <tr key={name} className="border-b border-line/60">
                <td className="max-w-40 truncate py-1.5 pr-2 font-mono text-xs" title={name}>
                  {name}
                </td>
                <td className="max-w-40 truncate font-mono text-xs" title={port}>
                  {port}
                </td>
                <td className="tabular text-right">{formatCount(registers)}</td>
                <td className="tabular text-right">{goal === null ? "–" : formatMhz(goal)}</td>
                <td className={`tabular text-right ${isShort ? "font-semibold text-bad" : ""}`}>
                  {fmaxMhz === null ? "–" : isEstimate ? `about ${Math.round(fmaxMhz)}` : formatMhz(fmaxMhz)}
                </td>
                <td className={`tabular text-right ${slack !== null && slack < 0 ? "font-semibold text-bad" : ""}`}>
                  {slack === null ? "–" : isEstimate ? about(slack) : formatNs(slack)}
                </td>
                {!isEstimate && (
                  <td className="tabular text-right">
                    {formatNs(earliestPs)} to {formatNs(latestPs)}
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
