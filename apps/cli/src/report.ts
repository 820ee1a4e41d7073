import { type Finding, formatFinding, type RuleRef, type TimingReport, type TimingRules } from "@gate-clock/core";
import { joinPath, readJson, UsageError } from "./load-design.ts";
import type { Session } from "./session.ts";

const kinds = ["utilization", "timing", "pins", "findings", "stages"] as const;

/** One report of a finished build. Exit status 1 if the build did not get that far. */
export async function report(folder: string, kind: string, options: { json?: boolean }, io: Session): Promise<number> {
  if (!(kinds as readonly string[]).includes(kind))
    throw new UsageError(`There is no report '${kind}'. The reports are ${kinds.join(", ")}.`);
  const path = joinPath(folder, "report.json");
  const written = new Written(path);
  const data = written.record(readJson(path, io));
  const section =
    kind === "utilization"
      ? { resources: data["utilization"], modules: data["modules"], levels: data["levels"] }
      : data[kind];
  if (section === null || section === undefined) {
    io.err(`${folder}: error: [report/missing] The build did not get far enough for this report.`);
    return 1;
  }
  if (options.json) {
    io.out(JSON.stringify(section, null, 2));
    return 0;
  }
  for (const line of linesOf(kind, kind === "utilization" ? data["utilization"] : section, written)) io.out(line);
  return 0;
}

/** What `build` has written and somebody may have changed since. */
class Written {
  constructor(private readonly path: string) {}

  /** @throws UsageError */
  other(): never {
    throw new UsageError(`${this.path} is not what 'build' writes: build again.`);
  }
  record(value: unknown): Record<string, unknown> {
    return typeof value === "object" && value !== null && !Array.isArray(value)
      ? (value as Record<string, unknown>)
      : this.other();
  }
  list(value: unknown): Record<string, unknown>[] {
    return Array.isArray(value) ? value.map((each) => this.record(each)) : this.other();
  }
  text(value: unknown): string {
    return typeof value === "string" ? value : this.other();
  }
  number(value: unknown): number {
    return typeof value === "number" ? value : this.other();
  }
  numberOrNone(value: unknown): number | null {
    return value === null || value === undefined ? null : this.number(value);
  }
}

function linesOf(kind: string, section: unknown, written: Written): string[] {
  const row = (cells: (string | number)[], widths: number[]) =>
    cells
      .map((cell, i) => (typeof cell === "number" ? String(cell).padStart(widths[i]) : cell.padEnd(widths[i])))
      .join("  ")
      .trimEnd();
  const text = (value: unknown) => written.text(value);
  const number = (value: unknown) => written.number(value);
  const fixed = (value: unknown, digits: number, unit = 1) => {
    const known = written.numberOrNone(value);
    return known === null ? "-" : (known / unit).toFixed(digits);
  };
  const ns = (value: unknown) => fixed(value, 3, 1000);
  switch (kind) {
    case "utilization": {
      const widths = [14, 8, 10, 8];
      return [
        row(["kind", "used", "available", "percent"], widths),
        ...written.list(section).map((use) => {
          const [used, available] = [number(use["used"]), number(use["available"])];
          return row([text(use["kind"]), used, available, ((100 * used) / Math.max(1, available)).toFixed(1)], widths);
        }),
      ];
    }
    case "timing": {
      const { clocks, checks, setupPaths } = written.record(section);
      const widths = { clocks: [16, 10, 10, 9], checks: [10, 6, 9, 8, 9], paths: [40, 9, 9, 10] };
      return [
        row(["clock", "period ns", "fmax MHz", "registers"], widths.clocks),
        ...written
          .list(clocks)
          .map((each) =>
            row(
              [text(each["name"]), ns(each["periodPs"]), fixed(each["fmaxMhz"], 1), number(each["registers"])],
              widths.clocks,
            ),
          ),
        row(["corner", "check", "slack ns", "failing", "endpoints"], widths.checks),
        ...written
          .list(checks)
          .map((each) =>
            row(
              [
                text(each["corner"]),
                text(each["kind"]),
                ns(each["worstSlackPs"]),
                number(each["failingEndpoints"]),
                number(each["endpoints"]),
              ],
              widths.checks,
            ),
          ),
        ...written
          .list(setupPaths)
          .slice(0, 5)
          .map((each) =>
            row(
              [
                `${text(each["from"])} -> ${text(each["to"])}`,
                ns(each["slackPs"]),
                `${number(each["levels"])} levels`,
                `${ns(each["dataPs"])} ns`,
              ],
              widths.paths,
            ),
          ),
      ];
    }
    case "pins":
      return written
        .list(section)
        .map((pin) =>
          row(
            [text(pin["port"]), text(pin["pin"]), text(pin["standard"]), pin["automatic"] === true ? "automatic" : ""],
            [20, 6, 10, 9],
          ),
        );
    case "findings":
      return written.list(section).map((each) => {
        for (const field of ["code", "severity", "message"]) text(each[field]);
        const { file, object, line, column } = written.record(each["place"]);
        for (const name of [file, object, each["remedy"]]) if (name !== undefined) text(name);
        for (const at of [line, column]) written.numberOrNone(at);
        return formatFinding(each as unknown as Finding);
      });
    default:
      return written
        .list(section)
        .map((stage) =>
          row([text(stage["stage"]), text(stage["state"]), written.numberOrNone(stage["elapsedMs"]) ?? 0], [12, 10, 8]),
        );
  }
}

/** A timing report whose paths name the lines of their rules. */
export function withRuleLines(told: TimingReport, said: TimingRules): unknown {
  const lineOf = ({ list, number }: RuleRef) => {
    const origin = said[list][number]?.origin;
    return {
      list,
      number,
      file: origin?.place.file ?? null,
      line: origin?.place.line ?? null,
      text: origin?.text ?? null,
    };
  };
  const lines = (paths: TimingReport["setupPaths"]) =>
    paths.map((path) => ({ ...path, rules: path.rules.map(lineOf) }));
  return {
    ...told,
    setupPaths: lines(told.setupPaths),
    holdPaths: lines(told.holdPaths),
    padPaths: lines(told.padPaths),
    skews: told.skews.map((skew) => ({ ...skew, rule: lineOf(skew.rule) })),
    dataChecks: told.dataChecks.map((check) => ({ ...check, rule: lineOf(check.rule) })),
    // one figure a net, which the names of the nets would be needed for
    netSlacksPs: undefined,
  };
}
