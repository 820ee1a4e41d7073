import type { Claim } from "./claims.ts";
import {
  defaultPinOptions,
  optionText,
  type ParsedPin,
  type PinAssignment,
  type PinOptionName,
  pinOptionNames,
  serialStandard,
} from "./model.ts";

/** Pin files as text: each change here touches the words that it is about, and leaves comments, order and layout alone. */

/** One line of a pin file, as `parsePins` reads it. Options at their default are left out. */
export function formatPin(pin: PinAssignment): string {
  // the pins of serial lanes take no options
  if (pin.standard === serialStandard) return `${pin.port.padEnd(14)} at ${pin.pin}`;
  const options = pinOptionNames.flatMap((name) => {
    const text = optionText(pin, name);
    return text === optionText(defaultPinOptions, name) ? [] : [`${name}=${text}`];
  });
  return `${pin.port.padEnd(14)} at ${pin.pin.padEnd(5)} ${pin.standard}${options.length ? `  ${options.join(" ")}` : ""}`;
}

/** The line of a port that is kept inside. */
export const insideLine = (port: string) => `${port.padEnd(14)} inside`;

/**
 * A pin file in which lines say what others say: each in its place, with its comment; new ones stand at the end.
 * @param pins As they were read.
 */
export function withLinesOf(text: string, pins: readonly Pick<ParsedPin, "assignment" | "isInside">[]): string {
  const lineFor = ({ assignment, isInside }: Pick<ParsedPin, "assignment" | "isInside">) =>
    isInside ? insideLine(assignment.port) : formatPin(assignment);
  return changedLines(
    text,
    pins.map((pin) => ({
      port: pin.assignment.port,
      change: (line) => withRest(line, lineFor(pin).slice(pin.assignment.port.length).trimStart()),
      added: lineFor(pin),
    })),
  );
}

/** Lines of the pin file that a claim makes: pin and standard of each signal. */
export function claimedPins({ port, bus, from }: Claim): PinAssignment[] {
  return port.bits.map(({ name }, i) => {
    const { pin, standard } = bus.signals[from + i];
    return { port: name, pin, ...defaultPinOptions, standard };
  });
}

/** A pin file with lines more at its end. */
export function withPins(text: string, pins: readonly PinAssignment[]): string {
  return withLines(text, pins.map(formatPin));
}
function withLines(text: string, lines: readonly string[]): string {
  if (lines.length === 0) return text;
  return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${lines.join("\n")}\n`;
}

const portOfLine = (line: string) => /^\s*([^\s#]\S*)/.exec(line)?.[1] ?? "";
const linesOf = (text: string) => text.split(/(?<=\n|\r(?!\n))/);

/** A pin file without the lines of some port bits; all else stays as it was written. */
export function withoutPins(text: string, bits: ReadonlySet<string>): string {
  return linesOf(text)
    .filter((line) => !bits.has(portOfLine(line)))
    .join("");
}

/** A pin file in which the lines of some port bits are comments, each with words before it. */
export function withComments(text: string, bits: ReadonlySet<string>, words: string): string {
  return linesOf(text)
    .map((line) => (bits.has(portOfLine(line)) ? `# ${words}${line.trimStart()}` : line))
    .join("");
}

/** Port bits that have a line. */
export function placedPorts(text: string): Set<string> {
  return new Set(linesOf(text).map(portOfLine).filter(Boolean));
}

/**
 * A pin file in which ports lie at other pins: their lines keep what else they say. Ports without a line get one at the end.
 * A line that keeps its port inside becomes one that places it.
 */
export function withPlaces(text: string, pins: readonly PinAssignment[]): string {
  return changedLines(
    text,
    pins.map((pin) => ({
      port: pin.port,
      change: (line) => {
        const words = wordsOf(line);
        return words[1]?.text === "at" && words[2]
          ? withWord(line, words[2], pin.pin)
          : withRest(line, `at ${pin.pin.padEnd(5)} ${pin.standard}`);
      },
      added: formatPin(pin),
    })),
  );
}

/** A pin file in which port bits are kept inside: what else their lines said goes, their comments stay. */
export function withInside(text: string, ports: readonly string[]): string {
  return changedLines(
    text,
    ports.map((port) => ({ port, change: (line) => withRest(line, "inside"), added: insideLine(port) })),
  );
}

interface LineChange {
  readonly port: string;
  readonly change: (line: string) => string;
  /** Line of a port that has none yet. */
  readonly added: string;
}

/** Changes one line of each port: of several the first that can be read, which is the one that counts. */
function changedLines(text: string, changes: readonly LineChange[]): string {
  const lines = linesOf(text);
  const lineOf = new Map<string, number>();
  lines.forEach((line, i) => {
    const port = portOfLine(line);
    const known = lineOf.get(port);
    if (known === undefined || (!isWhole(lines[known]) && isWhole(line))) lineOf.set(port, i);
  });
  const added: string[] = [];
  for (const { port, change, added: whole } of changes) {
    const at = lineOf.get(port);
    if (at === undefined) added.push(whole);
    else lines[at] = change(lines[at]);
  }
  return withLines(lines.join(""), added);
}

const isWhole = (line: string) => {
  const [, how, pin] = wordsOf(line);
  return how?.text === "inside" || (how?.text === "at" && pin !== undefined);
};

/** A line that says something else behind its port; its comment stays. */
function withRest(line: string, rest: string): string {
  const words = wordsOf(line);
  const last = words[words.length - 1];
  // the blanks behind the port are the file's own
  return words[1]
    ? withWord(line, { text: "", start: words[1].start, end: last.end }, rest)
    : withWord(line, { text: "", start: last.end, end: last.end }, ` ${rest}`);
}

/**
 * A pin file in which some port bits have another standard or option. @param value null takes the word away, so that the
 * default holds. Port bits without a line, and those inside, are left alone.
 */
export function withPinOption(
  text: string,
  ports: ReadonlySet<string>,
  name: PinOptionName | "standard",
  value: string | null,
): string {
  return linesOf(text)
    .map((line) => (ports.has(portOfLine(line)) ? lineWithOption(line, name, value) : line))
    .join("");
}

function lineWithOption(line: string, name: PinOptionName | "standard", value: string | null): string {
  const words = wordsOf(line);
  if (words[1]?.text !== "at" || words.length < 3) return line;
  const isOne = ({ text }: LineWord) => (name === "standard" ? !text.includes("=") : text.startsWith(`${name}=`));
  const known = words.slice(3).find(isOne);
  const word = value === null ? null : name === "standard" ? value : `${name}=${value}`;
  if (known) {
    if (word !== null) return withWord(line, known, word);
    // with the blanks before it: what stood behind it keeps its distance
    const before = line.slice(0, known.start).trimEnd();
    return before + line.slice(known.end);
  }
  if (word === null) return line;
  const behind = name === "standard" ? words[2] : words[words.length - 1];
  const isFirst = behind === words[2] || (name !== "standard" && words.length === 4 && !words[3].text.includes("="));
  const gap = name !== "standard" && isFirst ? "  " : " ";
  return line.slice(0, behind.end) + gap + word + line.slice(behind.end);
}

interface LineWord {
  readonly text: string;
  readonly start: number;
  readonly end: number;
}
/** Words of a line, up to its comment. */
function wordsOf(line: string): LineWord[] {
  const code = line.replace(/[\r\n]+$/, "").replace(/#.*$/, "");
  return [...code.matchAll(/\S+/g)].map(({ 0: text, index }) => ({ text, start: index, end: index + text.length }));
}

/** A line with another word in the place of one. Columns behind it stay where they are as far as there are blanks for it. */
function withWord(line: string, { start, end }: LineWord, text: string): string {
  const grows = text.length - (end - start);
  let rest = line.slice(end);
  const blanks = /^ */.exec(rest)![0].length;
  if (blanks && /\S/.test(rest)) {
    if (grows > 0) rest = rest.slice(Math.min(grows, blanks - 1));
    else rest = " ".repeat(-grows) + rest;
  }
  return line.slice(0, start) + text + rest;
}
