import type { Finding } from "../../common/finding.ts";
import { type BoardDescription, type BoardSignal, boardSignals } from "../../device/boards.ts";
import type { Part } from "../../device/part.ts";
import { edgeOfContact } from "../source-advice.ts";
import { boardBuses, claimPorts, suggestClaims } from "./claims.ts";
import { replacement } from "./edits.ts";
import type { PlacedPort } from "./lines.ts";
import type { PinNeed } from "./model.ts";

/** What a board ties to the pins of its part. */
export interface BoardTies {
  readonly title: string;
  readonly signals: readonly BoardSignal[];
  readonly signalAt: ReadonlyMap<string, BoardSignal>;
}

export function tiesOf(board: BoardDescription): BoardTies {
  const signals = boardSignals(board);
  return { title: board.title, signals, signalAt: new Map(signals.map((signal) => [signal.pin, signal])) };
}

/**
 * Pins that the board ties to something that does not go with their port: two drivers on one wire, an input that nothing
 * drives, a contact as a clock, a wire made for another voltage, a bus whose bits lie in another order than the board's.
 * @param placed Lines of the pin file that hold so far.
 */
export function checkBoard(
  placed: readonly PlacedPort[],
  needs: readonly PinNeed[],
  ties: BoardTies,
  { standards }: Part["family"],
): Finding[] {
  const { title, signals, signalAt } = ties;
  const findings: Finding[] = [];
  const tell = (
    { words }: PlacedPort,
    severity: Finding["severity"],
    code: string,
    message: string,
    remedy: string,
    edit?: Finding["edit"] | null,
    snippets?: Finding["snippets"],
  ): void =>
    void findings.push({
      code,
      severity,
      place: words.pin!,
      message,
      remedy,
      ...(edit ? { edit } : {}),
      ...(snippets ? { snippets } : {}),
    });
  const taken = new Set(placed.map(({ pin }) => pin.name));
  const isOscillator = ({ pin }: PlacedPort) => signalAt.get(pin.name)?.kind === "oscillator";
  const oscillatorPort = placed.find(isOscillator)?.assignment.port ?? "clk";
  const ports = claimPorts(needs);
  const buses = boardBuses(signals);
  /** The likeliest free signal of the board for a port bit. */
  const nearest = (bit: string): BoardSignal | null => {
    const port = ports.find(({ bits }) => bits.some(({ name }) => name === bit));
    const own = port?.bits.find(({ name }) => name === bit);
    const [first] = port && own ? suggestClaims({ ...port, bits: [own] }, buses, taken) : [];
    return first?.bus.signals[first.from] ?? null;
  };
  const choose = (near: BoardSignal | null, otherwise: string) =>
    near
      ? `Place it at ${near.pin} (${near.name}), or ${otherwise}`
      : `${otherwise[0].toUpperCase()}${otherwise.slice(1)}`;
  const moveTo = ({ words }: PlacedPort, near: BoardSignal | null) =>
    near && replacement(words.pin!, near.pin, `Move it to ${near.name}`);
  for (const each of placed) {
    const { assignment, need, pin, standard } = each;
    const signal = signalAt.get(pin.name);
    if (!signal) continue;
    const { port } = assignment;
    const near = signal.direction === "input" && need.direction === "input" ? null : nearest(port);
    const tied = `${pin.name}, which ${title} ties to ${signal.name}`;
    if (signal.direction === "input" && need.direction === "output")
      tell(
        each,
        "error",
        "pins/board-drives",
        `'${port}' is an output at ${tied}: a ${signal.kind} drives that wire, and the two would work against each other.`,
        choose(near, "at a pin that the board does not drive."),
        moveTo(each, near),
      );
    else if (signal.direction === "input" && need.direction === "inout")
      tell(
        each,
        "warning",
        "pins/board-drives",
        `'${port}' drives ${tied}: the ${signal.kind} drives that wire too.`,
        "Never drive it while the board does, or place it elsewhere.",
      );
    else if (signal.direction === "output" && need.direction === "input")
      tell(
        each,
        "warning",
        "pins/board-listens",
        `'${port}' is an input at ${tied}: nothing drives that wire.`,
        choose(near, "at a pin that something drives."),
        moveTo(each, near),
      );
    else if (need.isClock && (signal.kind === "button" || signal.kind === "switch"))
      tell(
        each,
        "warning",
        "pins/contact-as-clock",
        `'${port}' is a clock at ${tied}: a contact bounces for milliseconds, and each bounce is an edge.`,
        `Clock the registers by ${signals.find(({ kind }) => kind === "oscillator")!.name}; take '${port}' through two registers, and let its change enable them.`,
        null,
        edgeOfContact(oscillatorPort, port),
      );
    if (standard.volts !== standards.find(({ name }) => name === signal.standard)!.volts)
      tell(
        each,
        "warning",
        "pins/board-voltage",
        `'${port}' has ${standard.name} at ${tied}, whose wire is made for ${signal.standard}.`,
        `Use ${signal.standard} there.`,
        each.words.standard && replacement(each.words.standard, signal.standard, `Write ${signal.standard}`),
      );
  }
  findings.push(...checkOrder(placed, ties));
  return findings;
}

/** Bits of a vector that lie on one bus of the board, but neither rising nor falling with its numbers. */
function checkOrder(placed: readonly PlacedPort[], { title, signalAt }: BoardTies): Finding[] {
  const vectors = new Map<
    string,
    { readonly index: number; readonly line: PlacedPort; readonly signal: BoardSignal }[]
  >();
  for (const line of placed) {
    const match = /^(.*)\[(-?\d+)\]$/.exec(line.assignment.port);
    const signal = signalAt.get(line.pin.name);
    if (!match || !signal) continue;
    const key = `${match[1]} on ${signal.bus}`;
    const list = vectors.get(key) ?? [];
    list.push({ index: Number(match[2]), line, signal });
    vectors.set(key, list);
  }
  return [...vectors.values()].flatMap((bits): Finding[] => {
    bits.sort((a, b) => a.index - b.index);
    const steps = bits.slice(1).map(({ signal }, i) => Math.sign(signal.index - bits[i].signal.index));
    const falling = steps.filter((step) => step < 0).length;
    if (falling === 0 || falling === steps.length) return [];
    const rises = 2 * falling < steps.length;
    const { line, signal } = bits[steps.findIndex((step) => step < 0 === rises) + 1];
    const before = bits[bits.findIndex((bit) => bit.line === line) - 1];
    return [
      {
        code: "pins/bus-order",
        severity: "warning",
        place: line.place,
        message: `'${line.assignment.port}' is tied to ${signal.name} of ${title}, but '${before.line.assignment.port}' to ${before.signal.name}: the bits are out of order.`,
        remedy: "Swap their pins, unless the source counts on it.",
        related: [{ place: before.line.place, message: "The bit before is placed here." }],
      },
    ];
  });
}
