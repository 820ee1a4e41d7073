import { type Finding, nearestName, type Place } from "../common/finding.ts";
import { type SourceFile, SourceSet } from "../common/source.ts";

/** A clock of the timing file. Times in ps. */
export interface ClockRule {
  readonly name: string;
  readonly port: string;
  readonly periodPs: number;
  readonly risePs: number;
  readonly fallPs: number;
}
interface ParsedClock {
  readonly rule: ClockRule;
  readonly place: Place;
}

type Word = {
  readonly text: string;
  readonly place: Place;
  readonly kind: "plain" | "braces" | "command";
  readonly words?: readonly Word[];
};

/** SDC commands that the standard has and that we do not act on yet. */
const laterCommands = new Set(
  "create_generated_clock set_input_delay set_output_delay set_false_path set_multicycle_path set_clock_uncertainty set_clock_groups set_max_delay set_min_delay set_clock_latency set_input_transition set_load set_units current_design".split(
    " ",
  ),
);

/**
 * Reads SDC text: `create_clock` and comments. Words, braces, brackets and line continuation follow the Tcl rules that
 * SDC is written in; there are no variables and no control flow.
 */
export function parseSdc(files: readonly SourceFile[]): { clocks: ParsedClock[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const clocks: ParsedClock[] = [];
  const sources = new SourceSet(files);
  sources.files.forEach((file, index) => {
    if (file.text.includes("\0")) {
      findings.push({
        code: "sdc/not-text",
        severity: "error",
        place: { file: file.name, line: 1, column: 1 },
        message: `${file.name} is not a text file.`,
        remedy: "Replace it with a timing file.",
      });
      return;
    }
    for (const command of splitCommands(sources, index, findings)) {
      const [head] = command;
      if (head.text === "create_clock") {
        const clock = readClock(command, findings);
        if (clock) clocks.push(clock);
      } else {
        const near = nearestName(head.text, ["create_clock"]);
        const known = laterCommands.has(head.text);
        findings.push({
          code: known ? "sdc/not-yet" : "sdc/unknown-command",
          severity: known ? "warning" : "error",
          place: head.place,
          message: known
            ? `'${head.text}' is not supported yet, so this rule has no effect.`
            : `'${head.text}' is not an SDC command.`,
          remedy: near
            ? `Did you mean '${near}'?`
            : known
              ? "The timing report does not take it into account."
              : "Correct it or comment it out with #.",
        });
      }
    }
  });
  const seen = new Map<string, ParsedClock>();
  for (const clock of clocks) {
    for (const key of [`name ${clock.rule.name}`, `port ${clock.rule.port}`]) {
      const first = seen.get(key);
      if (first) {
        findings.push({
          code: "sdc/duplicate-clock",
          severity: "error",
          place: clock.place,
          message: `There are two clocks of the same ${key.replace(" ", " '")}'.`,
          remedy: "Keep one of them.",
          related: [{ place: first.place, message: "First created here." }],
        });
      } else seen.set(key, clock);
    }
  }
  return { clocks, findings };
}

function splitCommands(sources: SourceSet, file: number, findings: Finding[]): Word[][] {
  const { text, name } = sources.files[file];
  const commands: Word[][] = [];
  let at = 0;
  const place = (start: number, end: number): Place => sources.place({ file, start, end });
  const words = (stop: string | null): Word[] => {
    const list: Word[] = [];
    for (;;) {
      while (at < text.length) {
        if (text[at] === "\\" && /[\r\n]/.test(text[at + 1] ?? "")) {
          at++;
          while (/[\r\n]/.test(text[at] ?? "")) at++;
        } else if (/[ \t]/.test(text[at]) || (stop && /\s/.test(text[at]))) at++;
        else break;
      }
      if (at >= text.length) {
        if (stop)
          findings.push({
            code: "sdc/syntax",
            severity: "error",
            place: place(at - 1, at),
            message: `A '${stop}' is missing at the end of ${name}.`,
            remedy: `Add '${stop}'.`,
          });
        return list;
      }
      const c = text[at];
      if (stop && c === stop) {
        at++;
        return list;
      }
      if (!stop && (c === ";" || c === "\n" || c === "\r")) {
        at++;
        return list;
      }
      if (!stop && c === "#" && list.length === 0) {
        while (at < text.length && text[at] !== "\n" && text[at] !== "\r") at++;
        return list;
      }
      const start = at;
      if (c === "{" || c === "[") {
        at++;
        const inner = words(c === "{" ? "}" : "]");
        list.push({
          text: text.slice(start, at),
          place: place(start, at),
          kind: c === "{" ? "braces" : "command",
          words: inner,
        });
        continue;
      }
      if (c === '"') {
        const end = text.indexOf('"', at + 1);
        at = end < 0 ? text.length : end + 1;
        list.push({ text: text.slice(start + 1, at - 1), place: place(start, at), kind: "plain" });
        continue;
      }
      // an index like switches[3] belongs to the word; a bare [ opens a command
      while (
        at < text.length &&
        !/[\s;{}]/.test(text[at]) &&
        !(stop && text[at] === stop && !text.slice(start, at).includes("["))
      ) {
        at++;
        if (stop === "]" && text[at - 1] === "]") break;
      }
      if (at === start) at++; // a stray closing bracket
      list.push({ text: text.slice(start, at), place: place(start, at), kind: "plain" });
    }
  };
  while (at < text.length) {
    const command = words(null);
    if (command.length) commands.push(command);
  }
  return commands;
}

function readClock(command: readonly Word[], findings: Finding[]): ParsedClock | null {
  const [head] = command;
  let name: string | null = null;
  let period: number | null = null;
  let wave: number[] | null = null;
  let ports: string[] = [];
  const error = (place: Place, message: string, remedy: string) => {
    findings.push({ code: "sdc/create-clock", severity: "error", place, message, remedy });
    return null;
  };
  for (let i = 1; i < command.length; i++) {
    const word = command[i];
    if (word.kind === "plain" && word.text.startsWith("-")) {
      const value = command[++i];
      if (word.text === "-add") {
        i--;
        continue;
      }
      if (!value) return error(word.place, `${word.text} has no value.`, "Give it one.");
      if (word.text === "-name") name = value.text;
      else if (word.text === "-period") {
        period = Number(value.text);
        if (!(period > 0) || period > 1e6)
          return error(
            value.place,
            `'${value.text}' is not a period in ns.`,
            "Give a positive number, such as 20 for 50 MHz.",
          );
      } else if (word.text === "-waveform") {
        wave = (value.words ?? [value]).map((part) => Number(part.text));
        if (wave.length !== 2 || !(wave[0] >= 0) || !(wave[1] > wave[0]))
          return error(value.place, "A waveform is two times, rise then fall.", "Write -waveform {0 10}.");
      } else if (word.text !== "-comment")
        return error(word.place, `create_clock has no option '${word.text}'.`, "Use -name, -period and -waveform.");
    } else if (word.kind === "command") {
      const [inner, ...names] = word.words ?? [];
      if (inner?.text !== "get_ports")
        return error(word.place, "A clock here starts at a port.", "Write [get_ports NAME].");
      ports = names.flatMap((entry) => (entry.words ? entry.words.map((part) => part.text) : [entry.text]));
    } else ports = word.words ? word.words.map((part) => part.text) : [word.text];
  }
  if (period === null) return error(head.place, "This clock has no period.", "Add -period and a time in ns.");
  if (ports.length !== 1)
    return error(
      head.place,
      ports.length ? "One clock at a time, please." : "This clock names no port.",
      "End the line with [get_ports NAME].",
    );
  if (wave && wave[1] > period)
    return error(head.place, "The waveform is longer than the period.", "Let it fall within the period.");
  const [port] = ports;
  const ps = (ns: number) => Math.round(ns * 1000);
  const rule: ClockRule = {
    name: name ?? port,
    port,
    periodPs: ps(period),
    risePs: ps(wave?.[0] ?? 0),
    fallPs: ps(wave?.[1] ?? period / 2),
  };
  return { rule, place: head.place };
}

/** Timing rules checked against the design. Clock ports that no rule covers get a finding with the repair. */
export function checkClocks(
  parsed: readonly ParsedClock[],
  ports: ReadonlySet<string>,
  clockPorts: readonly string[],
  timingFile: string | null,
): { clocks: ClockRule[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const clocks: ClockRule[] = [];
  for (const { rule, place } of parsed) {
    if (!ports.has(rule.port)) {
      const near = nearestName(rule.port, ports);
      findings.push({
        code: "sdc/unknown-port",
        severity: "error",
        place,
        message: `The design has no input port '${rule.port}'.`,
        remedy: near ? `Did you mean '${near}'?` : "Correct the name.",
      });
      continue;
    }
    if (!clockPorts.includes(rule.port)) {
      findings.push({
        code: "sdc/idle-clock",
        severity: "warning",
        place,
        message: `No register is clocked by '${rule.port}'.`,
        remedy: "Remove the clock, or check the design's clocks.",
      });
    }
    clocks.push(rule);
  }
  for (const port of clockPorts) {
    if (clocks.some((clock) => clock.port === port)) continue;
    const text = `create_clock -name ${port} -period 20.000 [get_ports ${/[[\]]/.test(port) ? `{${port}}` : port}]\n`;
    findings.push({
      code: "sdc/no-clock",
      severity: "warning",
      place: { object: port },
      message: `'${port}' clocks registers, but no timing rule says how fast, so its paths have no goal.`,
      remedy: "Create the clock with its period.",
      edit: timingFile ? { file: timingFile, label: "Create it at 50 MHz", append: true, text } : undefined,
    });
  }
  clocks.sort((a, b) => (a.name < b.name ? -1 : 1));
  return { clocks, findings };
}
