import {
  type BoardDescription,
  type Contact,
  type Finding,
  formatPin,
  insideLine,
  optionText,
  type PackagePin,
  type ParsedPin,
  type Part,
  PinChoices,
  type PinNeed,
  type PinOptionName,
  type PlacedPort,
  type PlannedPin,
  type PortLink,
  type PortOfBits,
  packageContacts,
  pairOf,
  parsePins,
  portsOf,
  type ResolvedPins,
  resolvePins,
  type SourceFile,
} from "@gate-clock/core";

/** What lies at a contact of the package. */
export type ContactUse =
  | { readonly kind: "supply" | "test" | "free" }
  | { readonly kind: "line" | "automatic"; readonly need: PinNeed; readonly isWrong: boolean }
  /** Second pin of a pair, or the level that inputs of the bank compare with. */
  | { readonly kind: "second" | "reference"; readonly of: string };

/** A port bit, or a vector with its bits below it. */
export interface PinRow {
  /** Name of the bit; of a vector, its name and range. */
  readonly id: string;
  readonly isVector: boolean;
  readonly needs: readonly PinNeed[];
  readonly direction: string;
  /** Text of a column; of a vector, what all of its bits have, and "mixed" for several. */
  readonly pin: string;
  readonly bank: string;
  readonly standard: string;
  readonly drive: string;
  readonly slew: string;
  readonly pull: string;
  readonly more: string;
  readonly how: string;
  /** The line that places it, where there is one that holds; of a vector, of its first bit. */
  readonly placed: PlacedPort | null;
}

export interface PinState {
  readonly part: Part;
  /** Lines as they were read, and what was wrong with reading them. */
  readonly read: readonly ParsedPin[];
  readonly readFindings: readonly Finding[];
  readonly resolved: ResolvedPins;
  readonly needs: readonly PinNeed[];
  readonly needByName: ReadonlyMap<string, PinNeed>;
  readonly contacts: readonly Contact[];
  readonly useOf: ReadonlyMap<string, ContactUse>;
  readonly rows: readonly PinRow[];
  /** Pin of each port bit, by lines or by themselves. */
  readonly pinOf: ReadonlyMap<string, PlannedPin>;
  /** Board signal at a pin, by the pin's name. */
  readonly signalAt: ReadonlyMap<string, { readonly name: string; readonly kind: string }>;
}

const knownContacts = new WeakMap<Part["pins"], readonly Contact[]>();
/** The same list for the same package, so that what is drawn of it is drawn once. */
function contactsOf({ package: pack, pins }: Part): readonly Contact[] {
  let contacts = knownContacts.get(pins);
  if (!contacts) {
    contacts = packageContacts(pack, pins);
    knownContacts.set(pins, contacts);
  }
  return contacts;
}

/** Pins as the texts have them now: all that the station shows is worked out here. */
export function pinStateOf(
  files: readonly SourceFile[],
  needs: readonly PinNeed[],
  part: Part,
  board: BoardDescription | null,
  links: readonly PortLink[] = [],
): PinState {
  const parsed = parsePins(files);
  const resolved = resolvePins(parsed.pins, needs, part, board, links);
  const needByName = new Map(needs.map((need) => [need.bitName, need]));
  const wrong = new Set(
    resolved.findings.flatMap(({ severity, place }) =>
      severity === "error" && place.line !== undefined ? [`${place.file}:${place.line}`] : [],
    ),
  );
  const pinOf = new Map<string, PlannedPin>();
  for (const { assignment } of resolved.lines.placed) pinOf.set(assignment.port, { ...assignment, automatic: false });
  for (const pin of [...resolved.automatic, ...resolved.serial]) pinOf.set(pin.port, pin);
  const contacts = contactsOf(part);
  const useOf = new Map<string, ContactUse>();
  for (const { name, kind, pin } of contacts)
    useOf.set(name, { kind: pin ? "free" : kind === "power" || kind === "ground" ? "supply" : "test" });
  for (const [name, of] of resolved.references) useOf.set(name, { kind: "reference", of: of.assignment.port });
  for (const [name, of] of resolved.seconds) useOf.set(name, { kind: "second", of: of.assignment.port });
  for (const { port, pin } of resolved.automatic)
    useOf.set(pin, { kind: "automatic", need: needByName.get(port)!, isWrong: false });
  for (const { need, pin, place } of resolved.lines.placed)
    useOf.set(pin.name, { kind: "line", need, isWrong: wrong.has(`${place.file}:${place.line}`) });
  // what a line with a fault asks for is shown where it asks for it, if nothing holds there
  const asked = new Map<string, string>();
  for (const { assignment, isInside } of parsed.pins) {
    const need = needByName.get(assignment.port);
    if (!need || isInside || pinOf.has(assignment.port)) continue;
    asked.set(assignment.port, assignment.pin);
    const use = useOf.get(assignment.pin);
    if (use?.kind === "free") useOf.set(assignment.pin, { kind: "line", need, isWrong: true });
  }
  return {
    part,
    read: parsed.pins,
    readFindings: parsed.findings,
    resolved,
    needs,
    needByName,
    contacts,
    useOf,
    pinOf,
    rows: rowsOf(needs, resolved, pinOf, asked, part),
    signalAt: resolved.ties?.signalAt ?? new Map(),
  };
}

/** `picks[7:0]` for a vector, the name for a port of one bit. */
function portTitle({ name, bits }: PortOfBits): string {
  const [first, last] = [bits[0].index, bits[bits.length - 1].index];
  return first === null ? name : first === last ? `${name}[${first}]` : `${name}[${last}:${first}]`;
}

function rowsOf(
  needs: readonly PinNeed[],
  resolved: ResolvedPins,
  pinOf: ReadonlyMap<string, PlannedPin>,
  asked: ReadonlyMap<string, string>,
  part: Part,
): PinRow[] {
  return portsOf(needs).flatMap((port) => {
    const rows = port.bits.map(({ need }) => {
      const wanted = asked.get(need.bitName);
      const row = rowOf(need, resolved, pinOf.get(need.bitName), part);
      return wanted === undefined ? row : { ...row, pin: wanted, how: "faulty line" };
    });
    return rows.length > 1 ? [vectorRow(portTitle(port), rows), ...rows] : rows;
  });
}

const nothing = "–";

function rowOf(need: PinNeed, { lines }: ResolvedPins, pin: PlannedPin | undefined, part: Part): PinRow {
  const placed = lines.byPort.get(need.bitName) ?? null;
  const contact = pin && part.pinByName.get(pin.pin);
  const isInside = lines.inside.has(need.bitName);
  const partner = placed?.standard.isDifferential && contact ? pairOf(part, contact)?.pin.name : undefined;
  const drives = need.direction !== "input" && placed !== null;
  return {
    id: need.bitName,
    isVector: false,
    needs: [need],
    direction: need.isClock ? "clock" : need.direction,
    pin: isInside ? "inside" : (pin?.pin ?? nothing),
    bank: contact ? String(contact.bank + 1) : nothing,
    standard: pin?.standard ?? nothing,
    drive: drives ? String(pin!.drive) : nothing,
    slew: drives ? pin!.slew : nothing,
    pull: placed ? pin!.pull : nothing,
    more: [
      partner && `with ${partner}`,
      pin?.hysteresis && "hysteresis",
      pin?.register && "pad register",
      pin?.termination && "terminated",
      pin?.clock === "plain" && "clock by plain wires",
      pin && pin.initial !== "source" && `starts at ${pin.initial}`,
    ]
      .filter(Boolean)
      .join(", "),
    how: isInside || placed ? "line" : pin ? (pin.automatic ? "automatic" : "line") : "nothing",
    placed,
  };
}

function vectorRow(id: string, rows: readonly PinRow[]): PinRow {
  const common = (of: (row: PinRow) => string) =>
    rows.every((row) => of(row) === of(rows[0])) ? of(rows[0]) : "mixed";
  return {
    id,
    isVector: true,
    needs: rows.flatMap(({ needs }) => needs),
    direction: common(({ direction }) => direction),
    pin: rows[0].pin === "inside" ? common(({ pin }) => pin) : `${rows[0].pin} …`,
    bank: common(({ bank }) => bank),
    standard: common(({ standard }) => standard),
    drive: common(({ drive }) => drive),
    slew: common(({ slew }) => slew),
    pull: common(({ pull }) => pull),
    more: common(({ more }) => more),
    how: common(({ how }) => how),
    placed: rows.find(({ placed }) => placed)?.placed ?? null,
  };
}

/** How a port bit came out of a build beside what is asked for now: "as asked", or what it has there. */
export function builtText(
  row: PinRow,
  built: ReadonlyMap<string, { readonly pin: string; readonly standard: string }> | null,
): string {
  if (!built) return "";
  const texts = row.needs.map(({ bitName }) => {
    const got = built.get(bitName);
    if (!got) return row.pin === "inside" ? "as asked" : "not there";
    return !row.isVector && (got.pin !== row.pin || got.standard !== row.standard)
      ? `${got.pin} ${got.standard}`
      : "as asked";
  });
  // of a vector, the bits say it
  return row.isVector ? "" : texts[0];
}

/** One sentence about a contact: what it is, what lies there, what the board ties to it. */
export function contactText({ name, kind, pin }: Contact, state: PinState): string {
  if (!pin) return `${name}: ${kind === "power" || kind === "ground" ? kind : `test contact ${kind}`}`;
  const able = abilities(pin, state.part);
  const use = state.useOf.get(name)!;
  const signal = state.signalAt.get(name);
  return [
    `${name}: bank ${pin.bank + 1}${able.length ? `, ${able.join(", ")}` : ""}`,
    textOfUse(use, state),
    signal && `${state.resolved.ties!.title} ties it to ${signal.name}`,
  ]
    .filter(Boolean)
    .join(". ");
}

function textOfUse(use: ContactUse, { pinOf }: PinState): string {
  switch (use.kind) {
    case "line":
    case "automatic": {
      const pin = pinOf.get(use.need.bitName);
      if (!pin) return `Asked for by ${use.need.bitName}, which cannot have it`;
      return `${use.need.bitName}, ${use.need.direction}, ${pin.standard}${use.kind === "automatic" ? ", by itself" : ""}`;
    }
    case "second":
      return `Carries the other level of ${use.of}`;
    case "reference":
      return `Carries the level that ${use.of} compares with`;
    default:
      return "Free";
  }
}

/** What a pin can do that others cannot. */
export function abilities(pin: PackagePin, part: Part): string[] {
  const pair = pairOf(part, pin);
  return [
    pin.isClock && "clock",
    pin.special,
    pin.isReference && "reference",
    pair && (pair.isFirst ? `first of a pair with ${pair.pin.name}` : `second of a pair with ${pair.pin.name}`),
  ].filter((each) => typeof each === "string");
}

/** What the line that places a port says of an option, or leaves at its default. */
export function optionNow({ assignment }: PlacedPort, name: PinOptionName | "standard"): string {
  return name === "standard" ? assignment.standard : optionText(assignment, name);
}

/** Standards that a port may have at its pin beside the other lines. */
export function standardsFor({ need, pin, assignment }: PlacedPort, { resolved, part }: PinState): string[] {
  const choices = new PinChoices(resolved.lines, part, resolved.ties, new Set([assignment.port]));
  return choices.standards(pin, need).map(({ name }) => name);
}

/** Name that stands beside a contact: of its port, of what it carries, or of the board's signal. */
export function shownLabel({ name, kind }: Contact, state: PinState): string {
  const use = state.useOf.get(name)!;
  if (use.kind === "line" || use.kind === "automatic") return use.need.bitName;
  if (use.kind === "second") return `${use.of} not`;
  if (use.kind === "reference") return "reference";
  if (use.kind === "test") return kind;
  return state.signalAt.get(name)?.name ?? "";
}

/** Every port as a line of one pin file, those without a line too, in the order of the source. */
export function pinFile({ needs, pinOf, resolved, part }: PinState): string {
  const lines = needs.flatMap(({ bitName }) => {
    const pin = pinOf.get(bitName);
    if (resolved.lines.inside.has(bitName)) return [insideLine(bitName)];
    return pin ? [formatPin(pin)] : [];
  });
  return `# ${part.name}\n${lines.join("\n")}\n`;
}
