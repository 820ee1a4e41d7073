import type { TimingReport } from "@gate-clock/core";
import { formatCount, formatMhz, formatNs } from "../../ui/format.ts";

/** What the trial made of the clocks, those that blocks of the part make among them. */
export function TrialClocks({ trial, timing }: { trial: number; timing: TimingReport }) {
  const clocks = timing.clocks.filter((clock) => clock.registers > 0);
  if (clocks.length === 0) return null;
  return (
    <section>
      <h2 className="mb-2 font-semibold">In trial {trial}</h2>
      <table className="w-full text-[13px]" data-testid="clocks-reached">
        <thead>
          <tr className="border-b border-line text-left text-soft">
            <th className="py-1 font-semibold">Clock</th>
            <th className="font-semibold">From</th>
            <th className="text-right font-semibold">Registers</th>
            <th className="text-right font-semibold">Required MHz</th>
            <th className="text-right font-semibold">fmax MHz</th>
            <th className="text-right font-semibold" title="Earliest and latest arrival at a register, slow-hot">
              Arrival ns
            </th>
          </tr>
        </thead>
        <tbody>
          {clocks.map(({ name, port, registers, periodPs, fmaxMhz, earliestPs, latestPs }) => {
            const goal = periodPs === null ? null : 1e6 / periodPs;
            const isShort = goal !== null && fmaxMhz !== null && fmaxMhz < goal;
            return (
              <tr key={name} className="border-b border-line/60">
                <td className="py-1.5 pr-2 font-mono text-xs">{name}</td>
                <td className="font-mono text-xs">{port}</td>
                <td className="tabular text-right">{formatCount(registers)}</td>
                <td className="tabular text-right">{goal === null ? "–" : formatMhz(goal)}</td>
                <td className={`tabular text-right ${isShort ? "font-semibold text-bad" : ""}`}>
                  {fmaxMhz === null ? "–" : formatMhz(fmaxMhz)}
                </td>
                <td className="tabular text-right">
                  {formatNs(earliestPs)} to {formatNs(latestPs)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
