import { type Contact, packageContacts } from "../device/package-pins.ts";
import type { Part } from "../device/part.ts";
import { instruction, irBits } from "../jtag/tap.ts";
import type { PinDirection } from "../netlist/mapped.ts";

/** A pin that a design uses, as a tester must know it once the part is configured. */
interface ConfiguredPin {
  readonly pin: string;
  readonly port: string;
  readonly direction: PinDirection;
  /** Pin that carries the opposite level; null where there is none. */
  readonly partner: string | null;
}

/** Ports of the test access port, with their direction. */
const tapPorts = [
  ["TCK", "in"],
  ["TMS", "in"],
  ["TDI", "in"],
  ["TDO", "out"],
] as const;

const bsdlMode = { input: "in", output: "out", inout: "inout", linkage: "linkage" } as const;

/**
 * Boundary-scan description of a part in its package: BSDL as in IEEE 1149.1-2013 annex B. Pads that the package does not
 * bond out have cells all the same.
 * @param configured Pins of a design that the part is configured with: those take part in tests in their own direction
 * only, all others not at all. Without it, the part is blank.
 */
export function writeBsdl(
  part: Part,
  configured?: { readonly design: string; readonly pins: readonly ConfiguredPin[] },
): string {
  const blank = part.name.replace(/-\d[CI]$/, "").replaceAll("-", "_");
  const entity = configured ? `${blank}_${identifier(configured.design)}` : blank;
  const useOf = configured && new Map(configured.pins.map((each) => [each.pin, each]));
  const directionOf = (pin: string): PinDirection | "linkage" =>
    useOf ? (useOf.get(pin)?.direction ?? "linkage") : "inout";
  const pins = [...part.pins].sort((a, b) => a.pad - b.pad);
  const contacts = packageContacts(part.package, part.pins);
  const named = (kind: Contact["kind"]) => contacts.filter((each) => each.kind === kind).map(({ name }) => name);
  const tapContacts = tapPorts.map(([name, direction]) => [name, named(name)[0], direction] as const);
  const [power, ground] = [named("power"), named("ground")];
  const bits = (code: number) => code.toString(2).padStart(irBits, "0");
  const idcode = (part.die.idcode >>> 0).toString(2).padStart(32, "0");
  const lines = [
    `-- ${part.die.name} in ${part.package.name}, family ${part.family.name}`,
    ...(configured ? [`-- configured with ${configured.design.replace(/[\r\n]+/g, " ")}`] : []),
    `entity ${entity} is`,
    `  generic (PHYSICAL_PIN_MAP : string := "${part.package.name}");`,
    "  port (",
    ...tapContacts.map(([name, , direction]) => `    ${name} : ${direction} bit;`),
    ...pins.map(({ name }) => `    IO_${name} : ${bsdlMode[directionOf(name)]} bit;${portNote(useOf?.get(name))}`),
    `    VCC : linkage bit_vector (1 to ${power.length});`,
    `    GND : linkage bit_vector (1 to ${ground.length})`,
    "  );",
    "  use STD_1149_1_2013.all;",
    `  attribute COMPONENT_CONFORMANCE of ${entity} : entity is "STD_1149_1_2013";`,
    `  attribute PIN_MAP of ${entity} : entity is PHYSICAL_PIN_MAP;`,
    `  constant ${part.package.name} : PIN_MAP_STRING :=`,
    ...[
      ...tapContacts.map(([name, contact]) => `${name} : ${contact}`),
      ...pins.map((pin) => `IO_${pin.name} : ${pin.name}`),
      `VCC : (${power.join(", ")})`,
      `GND : (${ground.join(", ")})`,
    ].map((entry, i, all) => `    "${entry}${i + 1 < all.length ? ',"  &' : '";'}`),
    "  attribute TAP_SCAN_IN of TDI : signal is true;",
    "  attribute TAP_SCAN_MODE of TMS : signal is true;",
    "  attribute TAP_SCAN_OUT of TDO : signal is true;",
    "  attribute TAP_SCAN_CLOCK of TCK : signal is (25.0e6, BOTH);",
    `  attribute INSTRUCTION_LENGTH of ${entity} : entity is ${irBits};`,
    `  attribute INSTRUCTION_OPCODE of ${entity} : entity is`,
    ...(
      [
        ["EXTEST", instruction.extest],
        ["SAMPLE", instruction.sample],
        ["PRELOAD", instruction.sample],
        ["IDCODE", instruction.idcode],
        ["CONFIGURE", instruction.configure],
        ["STATUS", instruction.status],
        ["READBACK", instruction.readback],
        ["CLEAR", instruction.clear],
        ["BYPASS", instruction.bypass],
      ] as const
    ).map(([name, code], i, all) => `    "${name} (${bits(code)})${i + 1 < all.length ? ',"  &' : '";'}`),
    `  attribute INSTRUCTION_CAPTURE of ${entity} : entity is "${bits(1)}";`,
    `  attribute INSTRUCTION_PRIVATE of ${entity} : entity is "CONFIGURE, STATUS, READBACK, CLEAR";`,
    `  attribute IDCODE_REGISTER of ${entity} : entity is`,
    `    "${idcode.slice(0, 4)}"  &  -- version`,
    `    "${idcode.slice(4, 20)}"  &  -- part`,
    `    "${idcode.slice(20, 31)}"  &  -- maker`,
    `    "${idcode.slice(31)}";`,
    `  attribute BOUNDARY_LENGTH of ${entity} : entity is ${3 * part.fabric.pads.length};`,
    `  attribute BOUNDARY_REGISTER of ${entity} : entity is`,
  ];
  const cells: string[] = [];
  for (const { id } of part.fabric.pads) {
    const pin = part.pinOfPad.get(id);
    const direction = pin ? directionOf(pin.name) : "linkage";
    const reads = direction === "input" || direction === "inout";
    const drives = direction === "output" || direction === "inout";
    cells.push(reads ? `${3 * id} (BC_1, IO_${pin!.name}, input, X)` : `${3 * id} (BC_1, *, internal, X)`);
    cells.push(
      drives
        ? `${3 * id + 1} (BC_1, IO_${pin!.name}, output3, X, ${3 * id + 2}, 0, Z)`
        : `${3 * id + 1} (BC_1, *, internal, X)`,
    );
    cells.push(drives ? `${3 * id + 2} (BC_1, *, control, 0)` : `${3 * id + 2} (BC_1, *, internal, 0)`);
  }
  lines.push(...cells.map((cell, i) => `    "${cell}${i + 1 < cells.length ? ',"  &' : '";'}`), `end ${entity};`, "");
  return lines.join("\n");
}

/** Of a name, what VHDL takes in an identifier. */
function identifier(name: string): string {
  return name.replace(/\W+/g, "_").replace(/_+/g, "_").replace(/^_|_$/g, "") || "design";
}

function portNote(use: ConfiguredPin | undefined): string {
  return use ? `  -- ${use.port}${use.partner ? `, with its opposite level at ${use.partner}` : ""}` : "";
}
