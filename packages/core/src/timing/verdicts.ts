import type { Finding } from "../common/finding.ts";
import type { Analysis } from "./analysis.ts";
import type { BuiltGraph } from "./built-graph.ts";
import type { TimingReport } from "./report.ts";

/** What a report says of each kind of check, if it is not met. */
export function verdicts(told: TimingReport, top: string): Finding[] {
  const findings: Finding[] = [];
  for (const kind of ["setup", "hold", "recovery", "removal"] as const) {
    const failing = told.checks.filter((check) => check.kind === kind && check.failingEndpoints > 0);
    if (!failing.length) continue;
    const worst = failing.reduce((a, b) => (a.worstSlackPs! < b.worstSlackPs! ? a : b));
    const isSetup = kind === "setup" || kind === "recovery";
    const path = (isSetup ? told.setupPaths : told.holdPaths).find((each) => each.kind === kind);
    findings.push({
      code: `timing/${kind}`,
      severity: "warning",
      place: { object: path?.to ?? top },
      message: `${worst.failingEndpoints} endpoint(s) miss ${kind} at ${worst.corner}, the worst by ${(-worst.worstSlackPs! / 1000).toFixed(3)} ns${path ? `: ${path.from} to ${path.to}` : ""}.`,
      remedy: isSetup
        ? "Shorten the logic on the worst paths, or slow the clock."
        : "Reduce the clock skew: bring the clock in at a clock pin.",
    });
  }
  const [pulse] = told.pulses;
  if (pulse && pulse.slackPs < 0)
    findings.push({
      code: "timing/pulse",
      severity: "warning",
      place: { object: pulse.pin },
      message: `'${pulse.clock}' is ${pulse.what === "period" ? "too fast" : `${pulse.what} for too short`} at ${pulse.pin}: ${(pulse.havePs / 1000).toFixed(3)} ns, and ${(pulse.needPs / 1000).toFixed(3)} ns are needed at ${pulse.corner}.`,
      remedy: "Slow the clock, or make its high and low times more alike.",
    });
  const wide = told.skews.filter(({ skewPs, limitPs }) => skewPs > limitPs);
  if (wide.length)
    findings.push({
      code: "timing/skew",
      severity: "warning",
      place: { object: top },
      message: `Paths of a skew rule are ${(Math.max(...wide.map(({ skewPs }) => skewPs)) / 1000).toFixed(3)} ns apart, and ${(wide[0].limitPs / 1000).toFixed(3)} ns are allowed.`,
      remedy: "Put the registers of the ports into their pads, or allow more.",
    });
  const [data] = told.dataChecks.filter(({ slackPs }) => slackPs < 0).sort((a, b) => a.slackPs - b.slackPs);
  if (data)
    findings.push({
      code: "timing/data",
      severity: "warning",
      place: { object: data.to },
      message: `${data.to} misses its ${data.kind} against ${data.from} by ${(-data.slackPs / 1000).toFixed(3)} ns at ${data.corner}.`,
      remedy:
        data.kind === "setup"
          ? "Shorten its path, or make the other one longer."
          : "Make its path longer, or shorten the other one.",
    });
  if (told.brokenLoops)
    findings.push({
      code: "timing/loop",
      severity: "warning",
      place: { object: top },
      message: `${told.brokenLoops} arc(s) were cut to break combinational loops, at ${told.cutArcs.slice(0, 3).join(", ")}.`,
      remedy: "Put a register on each loop: paths through it are timed only up to the cut.",
    });
  return findings;
}

/** What is wrong with how clocks come to registers. */
export function structureFindings(
  { graph, netlist }: BuiltGraph,
  { network, rules, search }: Analysis,
  declared: number,
): Finding[] {
  const findings: Finding[] = [];
  const ports = new Set(graph.ports.map(({ inPin }) => inPin));
  for (const clock of rules.clocks.slice(declared)) {
    const [pin] = clock.sources;
    if (ports.has(pin)) continue;
    findings.push({
      code: "timing/clock-from-logic",
      severity: "warning",
      place: { object: clock.name },
      message: `'${clock.name}' clocks registers, but comes from a register or logic, and no line declares it: its paths have no goal.`,
      remedy: "Use the outside clock with an enable instead, or declare it with create_generated_clock.",
    });
  }
  for (const clock of network.detached) {
    if (clock >= declared || rules.clocks[clock].sources.length === 0) continue;
    findings.push({
      code: "timing/detached-clock",
      severity: "warning",
      place: { object: rules.clocks[clock].name },
      message: `The clock '${rules.clocks[clock].name}' is not reached from the clock that it is made of, so its delay is not known.`,
      remedy: "Correct its -source, or declare it with create_clock.",
    });
  }
  if (network.isCut || search.isCut)
    findings.push({
      code: "timing/too-many",
      severity: "error",
      place: { object: netlist.top },
      message: "The rules tell too many kinds of paths apart for all of them to be looked at.",
      remedy: "Use fewer exceptions, or name clocks in place of registers.",
    });
  return findings;
}
