import type { PinWay } from "../constraints/sdc/objects.ts";
import { quoteElement } from "../constraints/sdc/values.ts";
import { portOf } from "../netlist/port-shape.ts";
import type { FoundClock } from "./clock-survey.ts";

/** What is known of the world around the ports. */
export interface Surroundings {
  /** Oscillators, by the port that they come in at. */
  readonly oscillators: ReadonlyMap<string, { readonly title: string; readonly hz: number }>;
  /** Port bits at things that people move or look at: contacts, lamps, digits. */
  readonly contacts: ReadonlySet<string>;
  readonly lights: ReadonlySet<string>;
  /** Clocks at pins without a way to the clock network: how far apart their edges arrive, and by the network, in ns. */
  readonly plainPins: ReadonlyMap<string, { readonly pin: string; readonly plain: number; readonly network: number }>;
}
export const nothingAround: Surroundings = {
  oscillators: new Map(),
  contacts: new Set(),
  lights: new Set(),
  plainPins: new Map(),
};

/** Where nobody says how fast a clock is. */
const guessHz = 50_000_000;

/** Period of a clock at a port in ns, as it is written, and what it is known from. */
export function periodAt(port: string, { oscillators }: Surroundings): { readonly ns: string; readonly why: string } {
  const known = oscillators.get(port);
  const hz = known?.hz ?? guessHz;
  const mhz = `${Number((hz / 1e6).toPrecision(6))} MHz`;
  return { ns: (1e9 / hz).toFixed(3), why: known ? `${mhz}, ${known.title}` : `${mhz}: put the true frequency here` };
}

/**
 * The few lines that a design of this kind needs, where it has none: its clocks, that they have nothing to do with each other,
 * what people move and look at, and the times at all other ports.
 * @param ports Port bits of the design.
 */
export function starterRules(
  clocks: readonly FoundClock[],
  ports: readonly { readonly bitName: string; readonly direction: PinWay }[],
  around: Surroundings,
): string {
  const atPorts = clocks.filter(({ from, isDeclared }) => from === "port" && !isDeclared);
  const fromLogic = clocks.filter(({ from }) => from === "logic");
  if (atPorts.length === 0) return "";
  const lines = ["# Clocks that come in"];
  for (const { source } of atPorts) {
    const { ns, why } = periodAt(source, around);
    lines.push(
      `create_clock -name ${quoteElement(source)} -period ${ns} [get_ports ${quoteElement(source)}] ;# ${why}`,
    );
  }
  if (fromLogic.length) {
    lines.push("", "# Clocks that registers or logic make: say what each is made of, or use enables in their place");
    for (const { source } of fromLogic)
      lines.push(
        `# create_generated_clock -name ${quoteElement(source)} -divide_by 2 -source [get_ports ${quoteElement(atPorts[0].source)}] [get_pins ${quoteElement(source)}]`,
      );
  }
  if (atPorts.length > 1)
    lines.push(
      "",
      "# Nothing ties their edges to each other",
      `set_clock_groups -asynchronous ${atPorts.map(({ source }) => `-group ${quoteElement(source)}`).join(" ")}`,
    );
  const isClock = new Set(atPorts.map(({ source }) => source));
  const data = ports.filter(({ bitName }) => !isClock.has(bitName));
  const named = (wanted: (bit: string, direction: string) => boolean) =>
    namesOf(
      data.filter(({ bitName, direction }) => wanted(bitName, direction)).map(({ bitName }) => bitName),
      data,
    );
  const contacts = named((bit, direction) => direction === "in" && around.contacts.has(bit));
  const lights = named((bit, direction) => direction === "out" && around.lights.has(bit));
  if (contacts || lights) {
    lines.push("", "# What people move and look at: nanoseconds are nothing there");
    if (contacts) lines.push(`set_false_path -from [get_ports {${contacts}}]`);
    if (lights) lines.push(`set_false_path -to [get_ports {${lights}}]`);
  }
  const inputs = named((bit, direction) => direction !== "out" && !around.contacts.has(bit));
  const outputs = named((bit, direction) => direction !== "in" && !around.lights.has(bit));
  if (inputs || outputs) {
    const most = [...atPorts].sort((a, b) => b.rising + b.falling - a.rising - a.falling)[0];
    lines.push("", "# What the board takes of each period at the other ports, in ns: put the true times here");
    if (inputs) lines.push(`set_input_delay -clock ${quoteElement(most.source)} 0 [get_ports {${inputs}}]`);
    if (outputs) lines.push(`set_output_delay -clock ${quoteElement(most.source)} 0 [get_ports {${outputs}}]`);
  }
  return `${lines.join("\n")}\n`;
}

/** Names of bits, a whole vector as one pattern. Empty for none. */
function namesOf(bits: readonly string[], all: readonly { readonly bitName: string }[]): string {
  const wanted = new Set(bits);
  const done = new Set<string>();
  return bits
    .flatMap((bit) => {
      const port = portOf(bit);
      if (port === bit || done.has(port)) return port === bit ? [bit] : [];
      const own = all.filter(({ bitName }) => portOf(bitName) === port && bitName !== port);
      if (!own.every(({ bitName }) => wanted.has(bitName))) return [bit];
      done.add(port);
      return [`${port}[*]`];
    })
    .join(" ");
}
