import { type Finding, nearestName } from "../../common/finding.ts";
import { optionText, type ParsedPin, type PinAssignment, type PinOptionName, pinOptionNames } from "./model.ts";
import { parsePins } from "./read.ts";
import { formatPin, insideLine } from "./write.ts";

/**
 * Pins as a sheet of rows and columns, as other programs write and take them. Columns are known by their heading, in any
 * order; without headings they are port, pin, standard, and then options as a pin file writes them.
 */
type Column = "port" | "pin" | "standard" | PinOptionName | "direction" | "bank" | null;

/** Headings that people write, without blanks and marks. */
const headings: Readonly<Record<Exclude<Column, null>, readonly string[]>> = {
  port: ["port", "signal", "net", "name", "portname", "signalname", "netname", "bit"],
  pin: ["pin", "location", "ball", "contact", "pad", "pinname", "pinnumber", "packagepin", "site"],
  standard: ["standard", "iostandard", "io", "level", "type"],
  drive: ["drive", "drivema", "strength", "drivestrength", "current"],
  slew: ["slew", "slewrate", "edge", "edges"],
  pull: ["pull", "pullmode", "resistor", "pulltype"],
  hysteresis: ["hysteresis", "schmitt"],
  register: ["register", "padregister"],
  termination: ["termination", "terminated", "odt"],
  clock: ["clock", "clockcomesby"],
  initial: ["initial", "startsat", "init"],
  // known, and of no account: the design and the part say them
  direction: ["direction", "dir", "way", "mode"],
  bank: ["bank", "iobank"],
};
const plainHeading = (text: string) => text.toLowerCase().replace(/[^a-z]/g, "");
const columnOf = (text: string): Column =>
  (Object.keys(headings) as Exclude<Column, null>[]).find((each) => headings[each].includes(plainHeading(text))) ??
  null;

/** A row of a sheet that cannot be taken, with its number from 1. */
export interface SheetFault {
  readonly row: number;
  readonly message: string;
}

/** Values that mean the same as one of ours. */
const meanings: Readonly<Record<string, string>> = {
  yes: "on",
  true: "on",
  no: "off",
  false: "off",
  pullup: "up",
  pulldown: "down",
  float: "none",
};

/**
 * Reads a sheet as lines of a pin file. Rows without a pin are passed over; of a column that is not known, nothing is taken.
 * @param rows Cells as text.
 */
export function readPinSheet(rows: readonly (readonly string[])[]): {
  readonly pins: readonly ParsedPin[];
  readonly faults: readonly SheetFault[];
} {
  const first = rows.findIndex((row) => row.some((cell) => cell.trim() !== ""));
  if (first < 0) return { pins: [], faults: [] };
  const headed = rows[first].map(columnOf);
  const hasHeadings = headed.includes("port") && headed.includes("pin");
  const columns: readonly Column[] = hasHeadings ? headed : ["port", "pin", "standard"];
  const faults: SheetFault[] = [];
  const pins = rows.flatMap((cells, i): ParsedPin[] => {
    if (i < first || (hasHeadings && i === first) || cells.every((cell) => cell.trim() === "")) return [];
    const row = i + 1;
    const cellOf = (column: Column) => cells[columns.indexOf(column)]?.trim() ?? "";
    const [port, pin] = [cellOf("port"), cellOf("pin")];
    if (port === "") {
      faults.push({ row, message: "The row names no port." });
      return [];
    }
    if (pin === "" || pin === "–" || pin === "-") return [];
    const options = hasHeadings
      ? pinOptionNames.flatMap((name) => {
          const text = cellOf(name)
            .toLowerCase()
            .replace(/\s*ma$/, "");
          return text === "" || text === "–" || text === "-" ? [] : [`${name}=${meanings[text] ?? text}`];
        })
      : cells.slice(3).map((cell) => cell.trim());
    const text =
      pin.toLowerCase() === "inside"
        ? `${port} inside`
        : `${port} at ${pin} ${cellOf("standard").replace(/^[–-]$/, "")} ${options.join(" ")}`;
    const { pins, findings } = parsePins([{ name: "", text }]);
    if (/\s/.test(port)) faults.push({ row, message: `'${port}' is no name of a port.` });
    else if (findings.length) faults.push({ row, message: sentence(findings[0]) });
    else return pins;
    return [];
  });
  if (!hasHeadings && pins.length === 0 && faults.length)
    faults.unshift({ row: first + 1, message: headingHint(rows[first]) });
  return { pins, faults };
}

const sentence = ({ message, remedy }: Finding) => `${message} ${remedy ?? ""}`.trim();

function headingHint(cells: readonly string[]): string {
  const known = Object.values(headings).flat();
  const near = cells.flatMap((cell) => nearestName(plainHeading(cell), known) ?? []);
  return `No columns 'port' and 'pin' were found${near.length ? `; did you mean ${near.join(", ")}?` : "."}`;
}

/** Headings of a sheet that is written. */
const written = [
  "Port",
  "Direction",
  "Pin",
  "Bank",
  "Standard",
  "Drive",
  "Slew",
  "Pull",
  "Hysteresis",
  "Register",
  "Termination",
  "Clock",
  "Initial",
] as const;

/** A sheet of pins, headings first: as `readPinSheet` takes it back. */
export function writePinSheet(
  pins: readonly (PinAssignment & { readonly direction: string; readonly bank: string })[],
  inside: readonly { readonly port: string; readonly direction: string }[] = [],
): string[][] {
  const options = pinOptionNames;
  return [
    [...written],
    ...pins.map((pin) => [
      pin.port,
      pin.direction,
      pin.pin,
      pin.bank,
      pin.standard,
      ...options.map((name) => optionText(pin, name)),
    ]),
    ...inside.map(({ port, direction }) => [port, direction, "inside", "", "", ...options.map(() => "")]),
  ];
}

/** How one port's line would change. */
export interface PinDifference {
  readonly port: string;
  readonly kind: "new" | "changed" | "missing";
  /** As lines of a pin file, without the port; null for none. */
  readonly before: string | null;
  readonly after: string | null;
  readonly pin: ParsedPin | null;
}

const said = ({ assignment, isInside }: ParsedPin) =>
  (isInside ? insideLine(assignment.port) : formatPin(assignment))
    .slice(assignment.port.length)
    .trim()
    .replace(/\s+/g, " ");

/** What differs between the lines that there are and others that come in, by port, in the order of what comes in. */
export function comparePins(now: readonly ParsedPin[], incoming: readonly ParsedPin[]): PinDifference[] {
  const own = new Map(now.map((pin) => [pin.assignment.port, pin]));
  const theirs = new Map(incoming.map((pin) => [pin.assignment.port, pin]));
  const found = [...theirs].flatMap(([port, pin]): PinDifference[] => {
    const mine = own.get(port);
    const [before, after] = [mine ? said(mine) : null, said(pin)];
    return before === after ? [] : [{ port, kind: mine ? "changed" : "new", before, after, pin }];
  });
  const missing = [...own].flatMap(([port, pin]): PinDifference[] =>
    theirs.has(port) ? [] : [{ port, kind: "missing", before: said(pin), after: null, pin: null }],
  );
  return [...found, ...missing];
}
