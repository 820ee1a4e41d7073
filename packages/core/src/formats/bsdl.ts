import type { Part } from "../device/part.ts";
import { instruction, irBits } from "../jtag/tap.ts";

/** Contacts of the test access port, at the corners of every package. */
const tapContacts = [
  ["TCK", "T1", "in"],
  ["TMS", "T2", "in"],
  ["TDI", "T3", "in"],
  ["TDO", "T4", "out"],
] as const;

/**
 * Boundary-scan description of a part in its package: BSDL as in IEEE 1149.1-2013 annex B. Pads that the package does not
 * bond out have cells all the same.
 */
export function writeBsdl(part: Part): string {
  const entity = part.name.replace(/-\d[CI]$/, "").replaceAll("-", "_");
  const pins = [...part.pins].sort((a, b) => a.pad - b.pad);
  const supplies = ["N", "E", "S", "W"].flatMap((side) => part.package.supplyPlaces.map((place) => `${side}${place}`));
  const half = Math.ceil(supplies.length / 2);
  const [power, ground] = [supplies.slice(0, half), supplies.slice(half)];
  const bits = (code: number) => code.toString(2).padStart(irBits, "0");
  const idcode = (part.die.idcode >>> 0).toString(2).padStart(32, "0");
  const lines = [
    `-- ${part.die.name} in ${part.package.name}, family ${part.family.name}`,
    `entity ${entity} is`,
    `  generic (PHYSICAL_PIN_MAP : string := "${part.package.name}");`,
    "  port (",
    ...tapContacts.map(([name, , direction]) => `    ${name} : ${direction} bit;`),
    ...pins.map((pin) => `    IO_${pin.name} : inout bit;`),
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
    if (pin) {
      cells.push(`${3 * id} (BC_1, IO_${pin.name}, input, X)`);
      cells.push(`${3 * id + 1} (BC_1, IO_${pin.name}, output3, X, ${3 * id + 2}, 0, Z)`);
    } else {
      cells.push(`${3 * id} (BC_1, *, internal, X)`);
      cells.push(`${3 * id + 1} (BC_1, *, internal, X)`);
    }
    cells.push(pin ? `${3 * id + 2} (BC_1, *, control, 0)` : `${3 * id + 2} (BC_1, *, internal, 0)`);
  }
  lines.push(...cells.map((cell, i) => `    "${cell}${i + 1 < cells.length ? ',"  &' : '";'}`), `end ${entity};`, "");
  return lines.join("\n");
}
