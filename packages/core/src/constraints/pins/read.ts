import { type Finding, nearestName, type Place } from "../../common/finding.ts";
import { type SourceFile, SourceSet } from "../../common/source.ts";
import { type PortShape, portOf } from "../../netlist/port-shape.ts";
import { removal, replacement } from "./edits.ts";
import {
  defaultPinOptions,
  type ParsedPin,
  type PinOptionName,
  type PinOptions,
  pinOptionNames,
  pinOptionValues,
} from "./model.ts";

/** Findings of one file about how its lines are written; further ones tell nothing new. */
const mostFindings = 50;

/** Reads pin files without a part: syntax only. Lines that cannot be read are left out, each with a finding. */
export function parsePins(files: readonly SourceFile[]): { pins: ParsedPin[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const pins: ParsedPin[] = [];
  for (const file of new SourceSet(files).files) {
    if (file.text.includes("\0")) {
      findings.push({
        code: "pins/not-text",
        severity: "error",
        place: { file: file.name, line: 1, column: 1 },
        message: `${file.name} is not a text file.`,
        remedy: "Replace it with a pin file.",
      });
      continue;
    }
    const lines = file.text.split(/\r\n|\r|\n/);
    const own: Finding[] = [];
    for (let i = 0; i < lines.length && own.length <= mostFindings; i++) {
      const pin = new LineReader(file.name, i + 1, lines[i], own).read();
      if (pin) pins.push(pin);
    }
    findings.push(...own);
  }
  return { pins, findings };
}

interface LineWord {
  readonly text: string;
  readonly place: Place;
}

class LineReader {
  private readonly words: readonly LineWord[];
  private isGood = true;

  constructor(
    private readonly file: string,
    private readonly line: number,
    text: string,
    private readonly findings: Finding[],
  ) {
    const code = text.replace(/#.*$/, "");
    this.words = [...code.matchAll(/\S+/g)].map(({ 0: word, index }) => ({
      text: word,
      place: this.placeOf(index, index + word.length),
    }));
  }

  /** null for an empty line, and for one with a fault. */
  read(): ParsedPin | null {
    const { words } = this;
    if (words.length === 0) return null;
    const [port, how] = words;
    const isInside = how?.text === "inside";
    if (!isInside && (how?.text !== "at" || words.length < 3)) {
      this.error(
        "pins/syntax",
        this.whole(),
        "This line is not 'PORT at PIN'.",
        "Write, for instance, lamps[0] at E3 LVCMOS33.",
      );
      return null;
    }
    const rest = words.slice(isInside ? 2 : 3);
    if (isInside && rest.length) {
      this.error(
        "pins/syntax",
        rest[0].place,
        `'${port.text}' is kept inside, and has no pad that '${rest[0].text}' could be said of.`,
        "Delete what stands behind 'inside'.",
        removal(rest[0].place, `Delete ${rest[0].text}`),
      );
      return null;
    }
    const { options, standard, places } = this.options(rest);
    if (!this.isGood) return null;
    return {
      assignment: { port: port.text, pin: isInside ? "" : words[2].text.toUpperCase(), ...options },
      isInside,
      place: this.whole(),
      words: { port: port.place, pin: isInside ? null : words[2].place, standard, options: places },
    };
  }

  private options(words: readonly LineWord[]) {
    const options: { -readonly [K in keyof PinOptions]: PinOptions[K] } = { ...defaultPinOptions };
    const places = new Map<PinOptionName, Place>();
    let standard: Place | null = null;
    for (const word of words) {
      const equals = word.text.indexOf("=");
      if (equals < 0) {
        if (standard)
          this.error(
            "pins/syntax",
            word.place,
            `The line has a standard already, before '${word.text}'.`,
            "Leave one of the two, and write options as option=value.",
            removal(word.place, `Delete ${word.text}`),
          );
        options.standard = word.text.toUpperCase();
        standard = word.place;
        continue;
      }
      const name = this.optionName(word, equals);
      const value = name && this.optionValue(name, word, equals);
      if (!name || value === null) continue;
      if (places.has(name)) {
        this.error(
          "pins/option",
          word.place,
          `The line says ${name}= twice.`,
          "Leave one of the two.",
          removal(word.place, `Delete ${word.text}`),
        );
        continue;
      }
      places.set(name, word.place);
      Object.assign(options, { [name]: optionOf(name, value) });
    }
    return { options, standard, places };
  }

  private optionName({ text, place }: LineWord, equals: number): PinOptionName | null {
    const name = text.slice(0, equals);
    const known = pinOptionNames.find((each) => each === name);
    if (known) return known;
    const near = nearestName(name, pinOptionNames);
    this.error(
      "pins/option",
      place,
      `There is no pin option '${name}'.`,
      near ? `Did you mean '${near}'?` : `The options are ${pinOptionNames.join(", ")}.`,
      near ? replacement(place, `${near}${text.slice(equals)}`, `Write ${near}`) : undefined,
    );
    return null;
  }

  private optionValue(name: PinOptionName, { text, place }: LineWord, equals: number): string | null {
    const value = text.slice(equals + 1);
    const values = pinOptionValues[name];
    if (values.includes(value)) return value;
    const near = nearestNumber(value, values) ?? nearestName(value, values);
    this.error(
      "pins/option",
      place,
      `'${value}' is no value for ${name}.`,
      `Use one of ${values.join(", ")}.`,
      near ? replacement(place, `${name}=${near}`, `Write ${name}=${near}`) : undefined,
    );
    return null;
  }

  private whole(): Place {
    const { words } = this;
    return { ...words[0].place, endColumn: words[words.length - 1].place.endColumn };
  }
  private placeOf(from: number, to: number): Place {
    const { file, line } = this;
    return { file, line, column: from + 1, endLine: line, endColumn: to + 1 };
  }
  private error(code: string, place: Place, message: string, remedy: string, edit?: Finding["edit"]): void {
    this.isGood = false;
    this.findings.push({ code, severity: "error", place, message, remedy, ...(edit ? { edit } : {}) });
  }
}

function optionOf(name: PinOptionName, value: string): string | number | boolean {
  if (name === "drive") return Number(value);
  return typeof defaultPinOptions[name] === "boolean" ? value === "on" : value;
}

/** The number of a list that is closest to a number that is written. */
function nearestNumber(text: string, values: readonly string[]): string | null {
  const wanted = Number.parseFloat(text);
  const numbers = values.filter((value) => /^\d+$/.test(value));
  if (!Number.isFinite(wanted) || numbers.length < 3) return null;
  return numbers.reduce((best, each) => (Math.abs(+each - wanted) < Math.abs(+best - wanted) ? each : best));
}

/** What lines change of the circuit before it is built, as far as they can be read. */
export function portShape(files: readonly SourceFile[]): PortShape {
  const { pins } = parsePins(files);
  const inside = new Set(pins.flatMap(({ isInside, assignment }) => (isInside ? [portOf(assignment.port)] : [])));
  return {
    inside: [...inside].sort(),
    initial: pins
      .flatMap(({ assignment: { port, initial } }) => (initial === "source" ? [] : [[port, initial] as const]))
      .sort(([a], [b]) => (a < b ? -1 : 1)),
  };
}
