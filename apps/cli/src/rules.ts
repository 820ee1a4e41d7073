import {
  checkDesign,
  type DesignCheck,
  estimateDesign,
  hasErrors,
  quietContext,
  type TimingReport,
} from "@gate-clock/core";
import { printFindings } from "./commands.ts";
import { type LoadOptions, loadDesign } from "./load-design.ts";
import type { Session } from "./session.ts";

const ns = (ps: number | null) => (ps === null ? "-" : (ps / 1000).toFixed(3));

/**
 * Pins and timing rules held against the circuit as written, without a layout: the pin plan, clocks found and declared, what
 * the rules cover, what each query matched; slacks, with the delays that wires will about have, where they are asked for.
 * @returns 1 after an error.
 */
export async function rules(
  paths: readonly string[],
  options: LoadOptions & { json?: boolean; estimate?: boolean },
  io: Session,
): Promise<number> {
  const input = loadDesign(paths, options, io);
  const check = checkDesign(input);
  const findings = [...check.sourceFindings, ...check.pinFindings, ...check.timingFindings];
  let estimate: TimingReport | null = null;
  if (options.estimate && !hasErrors(findings)) {
    const estimated = await estimateDesign(input, quietContext());
    estimate = estimated.artifact;
    // rules are told of already; what is new is that it cannot be mapped, or does not fit
    if (!estimate) findings.push(...estimated.findings.filter(({ severity }) => severity === "error"));
  }
  printFindings(findings, io);
  if (options.json)
    io.out(
      JSON.stringify(
        {
          ok: !hasErrors(findings),
          pins: check.plan?.pins ?? null,
          clocks: check.foundClocks,
          coverage: check.coverage && { ...check.coverage, exceptions: exceptionsOf(check) },
          queries: check.queries,
          ...(options.estimate ? { estimate } : {}),
          findings,
        },
        null,
        2,
      ),
    );
  else for (const line of [...linesOf(check), ...(estimate ? estimateLines(estimate) : [])]) io.out(line);
  return hasErrors(findings) ? 1 : 0;
}

const row = (cells: readonly (string | number)[], widths: readonly number[]) =>
  cells
    .map((cell, i) => (typeof cell === "number" ? String(cell).padStart(widths[i]) : cell.padEnd(widths[i])))
    .join("  ")
    .trimEnd();

/** Clocks and worst slacks before layout, each said to be an estimate. */
function estimateLines({ clocks, checks, pairs }: TimingReport): string[] {
  const widths = [24, 24, 10, 10];
  return [
    row(["estimated clock", "", "period ns", "fmax MHz"], widths),
    ...clocks
      .filter(({ registers }) => registers > 0)
      .map(({ name, port, periodPs, fmaxMhz }) => row([name, port, ns(periodPs), fmaxMhz?.toFixed(1) ?? "-"], widths)),
    row(["estimated check", "corner", "slack ns", ""], widths),
    ...checks
      .filter(({ worstSlackPs }) => worstSlackPs !== null)
      .map(({ kind, corner, worstSlackPs }) => row([kind, corner, ns(worstSlackPs)], widths)),
    row(["estimated from", "to", "slack ns", ""], widths),
    ...pairs.map(({ launch, capture, worstSlackPs }) => row([launch, capture, ns(worstSlackPs)], widths)),
  ];
}

function exceptionsOf({ coverage, timing }: DesignCheck): unknown[] {
  return (coverage?.exceptions ?? []).map(({ rule, decides, meets }) => {
    const { origin, kind } = timing.exceptions[rule];
    return { kind, file: origin.place.file, line: origin.place.line, text: origin.text, decides, meets };
  });
}

function linesOf({ plan, foundClocks, coverage, queries }: DesignCheck): string[] {
  const lines: string[] = [];
  if (plan) {
    const widths = [20, 6, 10, 9];
    lines.push(row(["port", "pin", "standard"], widths));
    for (const { port, pin, standard, automatic } of plan.pins)
      lines.push(row([port, pin, standard, automatic ? "automatic" : ""], widths));
  }
  const clockWidths = [24, 24, 10, 7, 7, 7, 12];
  lines.push(row(["clock", "from", "period ns", "rising", "falling", "latches", ""], clockWidths));
  for (const clock of foundClocks)
    lines.push(
      row(
        [
          clock.name,
          clock.source || "outside",
          ns(clock.periodPs),
          clock.rising,
          clock.falling,
          clock.latches,
          clock.isDeclared ? (clock.isAutomatic ? "automatic" : "declared") : "not declared",
        ],
        clockWidths,
      ),
    );
  if (coverage) {
    const { clockPins, inputs, outputs, ends, pairs } = coverage;
    lines.push(
      `clock pins ${clockPins.clocked} of ${clockPins.total}, inputs ${inputs.covered} of ${inputs.total}, outputs ${outputs.covered} of ${outputs.total}, ` +
        `ends with a goal ${ends.judged}, left out ${ends.excluded}, without a rule ${ends.open}`,
    );
    for (const { launch, capture, state, ends: count } of pairs)
      lines.push(row([launch, capture, state, count], [24, 24, 10, 6]));
  }
  for (const { place, text, count, names } of queries)
    lines.push(
      `${place.file}:${place.line}: ${text}: ${count}${count ? ` (${names.slice(0, 4).join(", ")}${count > 4 ? ", ..." : ""})` : ""}`,
    );
  return lines;
}
