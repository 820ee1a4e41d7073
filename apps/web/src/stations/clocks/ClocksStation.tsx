import { useQuery } from "@tanstack/react-query";
import { artifactQuery } from "../../app/queries.ts";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatMhz, formatNs } from "../../ui/format.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { CheckVerdict } from "../../workbench/CheckVerdict.tsx";
import { useActs, useCheckResult, useDesign } from "../../workbench/context.ts";
import { Findings } from "../../workbench/Findings.tsx";
import { RuleFileEditor } from "../../workbench/RuleFileEditor.tsx";

export function ClocksStation() {
  const { design, trial } = useDesign();
  const { check } = useCheckResult();
  const { repair } = useActs();
  const file = design.files.find((each) => each.kind === "timing");
  const findings = check?.timingFindings ?? [];
  const errors = findings.filter((finding) => finding.severity === "error");
  const open = check?.clockPorts.filter((port) => !check.clocks.some((clock) => clock.port === port)) ?? [];
  const openFinding = findings.find((finding) => finding.code === "sdc/no-clock" && finding.edit);
  return (
    <div className="flex h-full flex-col">
      <CheckVerdict waiting="Reading the timing rules…">
        {check &&
          (errors.length ? (
            <Verdict tone="bad" figure={String(errors.length)} unit={errors.length === 1 ? "error" : "errors"}>
              {errors[0].message} {errors[0].remedy}
            </Verdict>
          ) : open.length ? (
            <Verdict
              tone="warn"
              figure={String(open.length)}
              unit={open.length === 1 ? "unconstrained clock" : "unconstrained clocks"}
              aside={openFinding?.edit && <Button onClick={() => repair(openFinding)}>{openFinding.edit.label}</Button>}
            >
              No rule says how fast {open.join(", ")} runs, so its paths cannot be judged.
            </Verdict>
          ) : check.clocks.length ? (
            <Verdict
              tone="good"
              figure={formatMhz(1e6 / Math.min(...check.clocks.map((clock) => clock.periodPs)))}
              unit="MHz"
            >
              {check.clocks.length === 1 ? (
                <>
                  The clock <span className="font-mono">{check.clocks[0].name}</span> is constrained; it covers every
                  register it drives.
                </>
              ) : (
                `All ${check.clocks.length} clocks are constrained.`
              )}
            </Verdict>
          ) : (
            <Verdict tone="plain">
              The design has no clocked registers, so there is nothing to time between them.
            </Verdict>
          ))}
      </CheckVerdict>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <section className="min-h-0 overflow-auto border-r border-line bg-panel p-5">
          <h2 className="mb-2 font-semibold">Clocks of the design</h2>
          <table className="w-full text-[13px]">
            <thead>
              <tr className="border-b border-line text-left text-soft">
                <th className="py-1 font-semibold">Clock</th>
                <th className="font-semibold">Port</th>
                <th className="text-right font-semibold">Period ns</th>
                <th className="text-right font-semibold">Rise, fall ns</th>
                <th className="text-right font-semibold">Required MHz</th>
              </tr>
            </thead>
            <tbody>
              {check?.clocks.map((clock) => (
                <tr key={clock.name} className="border-b border-line/60">
                  <td className="py-1.5 font-mono text-xs">{clock.name}</td>
                  <td className="font-mono text-xs">{clock.port}</td>
                  <td className="tabular text-right">{formatNs(clock.periodPs)}</td>
                  <td className="tabular text-right">
                    {formatNs(clock.risePs)}, {formatNs(clock.fallPs)}
                  </td>
                  <td className="tabular text-right">{formatMhz(1e6 / clock.periodPs)}</td>
                </tr>
              ))}
              {open.map((port) => (
                <tr key={port} className="border-b border-line/60">
                  <td className="py-1.5 text-warn">unconstrained</td>
                  <td className="font-mono text-xs">{port}</td>
                  <td colSpan={3} className="text-right text-soft">
                    unconstrained
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {trial && <Reached trial={trial} />}
          {findings.length > 0 && (
            <div className="-mx-5 mt-4 border-t border-line">
              <Findings findings={findings} />
            </div>
          )}
        </section>
        <section className="flex min-h-0 flex-col">
          <RuleFileEditor file={file} language="sdc" findings={findings} kind="timing" example="clocks.sdc" />
        </section>
      </div>
    </div>
  );
}

/** What the trial made of the clocks, those that blocks of the part make among them. */
function Reached({ trial }: { trial: NonNullable<ReturnType<typeof useDesign>["trial"]> }) {
  const { data: timing } = useQuery(artifactQuery(trial, "timing"));
  const clocks = timing?.clocks.filter((clock) => clock.registers > 0) ?? [];
  if (clocks.length === 0) return null;
  return (
    <>
      <h2 className="mt-6 mb-2 font-semibold">In trial {trial.number}</h2>
      <table className="w-full text-[13px]" data-testid="clocks-reached">
        <thead>
          <tr className="border-b border-line text-left text-soft">
            <th className="py-1 font-semibold">Clock</th>
            <th className="font-semibold">From</th>
            <th className="text-right font-semibold">Registers</th>
            <th className="text-right font-semibold">Required MHz</th>
            <th className="text-right font-semibold">fmax MHz</th>
          </tr>
        </thead>
        <tbody>
          {clocks.map(({ name, port, registers, periodPs, fmaxMhz }) => {
            const goal = periodPs === null ? null : 1e6 / periodPs;
            const isShort = goal !== null && fmaxMhz !== null && fmaxMhz < goal;
            return (
              <tr key={port} className="border-b border-line/60">
                <td className="py-1.5 pr-2 font-mono text-xs">{name}</td>
                <td className="font-mono text-xs">{port}</td>
                <td className="tabular text-right">{formatCount(registers)}</td>
                <td className="tabular text-right">{goal === null ? "–" : formatMhz(goal)}</td>
                <td className={`tabular text-right ${isShort ? "font-semibold text-bad" : ""}`}>
                  {fmaxMhz === null ? "–" : formatMhz(fmaxMhz)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
