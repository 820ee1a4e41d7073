import { listBlocks } from "./blocks/registry.ts";
import { corners, type FamilyDescription, type PartDescription, temperatureRange } from "./family.ts";
import { specialRoles } from "./package-pins.ts";
import { findPart, listDies } from "./part.ts";

/** Data sheet of a family as Markdown, all of it from the family's description. */
export function writeDataSheet(family: FamilyDescription): string {
  const dies = listDies().filter((die) => die.family === family.name);
  const { delays } = family;
  const lines: string[] = [`# ${family.name}`, "", `${family.what}.`, ""];
  const table = (head: readonly string[], rows: readonly (readonly (string | number)[])[]) => {
    const text = [head, ...rows.map((row) => row.map(String))];
    const widths = head.map((_, i) => Math.max(...text.map((row) => row[i].length), 3));
    const line = (row: readonly string[]) => `| ${row.map((cell, i) => cell.padEnd(widths[i])).join(" | ")} |`;
    lines.push(line(head), `| ${widths.map((width) => "-".repeat(width)).join(" | ")} |`);
    for (const row of text.slice(1)) lines.push(line(row));
    lines.push("");
  };
  lines.push("## Parts", "");
  table(
    ["part", "LUTs", "registers", "memories", "multipliers", "I/O banks", "packages (signal pins)", "IDCODE", "cost"],
    dies.map((die) => {
      const parts = die.packages.map((pack) => findPart(`${die.name}-${pack.name}-${die.grades[0]}C`).part!);
      const { fabric } = parts[0];
      const luts = fabric.logicTiles.length * family.elementsPerTile;
      return [
        die.name,
        luts.toLocaleString("en"),
        luts.toLocaleString("en"),
        family.memory === "none" ? "none" : fabric.blockSites("memory").length,
        fabric.blockSites("multiplier").length || "none",
        4 * die.banksPerSide,
        parts.map((part) => `${part.package.name} (${part.pins.length})`).join(", "),
        `0x${(die.idcode >>> 0).toString(16).toUpperCase().padStart(8, "0")}`,
        die.cost.toFixed(1),
      ];
    }),
  );
  lines.push(
    `Order as \`${dies[0].name}-${dies[0].packages[0].name}-${dies[0].grades[0]}C\`: die, package, speed grade (${dies[0].grades.join(", ")}; 1 is slowest), and C for ${temperatureRange.C.join(" to ")} or I for ${temperatureRange.I.join(" to ")} degrees Celsius at the junction. Cost is beside the cheapest part.`,
    "",
    "## Fabric",
    "",
    `- **Logic tile**: ${family.elementsPerTile} elements of a ${family.lutInputs}-input LUT, a flip-flop and a carry link to the element above; ${family.elementsPerGroup} elements share an enable and a reset, the tile a clock and its inversion.`,
  );
  for (const wire of family.wires)
    lines.push(
      `- **Wires of length ${wire.length}**: ${wire.perDirection} a direction start in each tile, taken at ${wire.taps.join(", ")}; each is driven by one mux of ${wire.fromOutputs} outputs of its tile and ${wire.fromWires.reduce((a, b) => a + b, 0)} wires.`,
    );
  lines.push(
    `- **Pins**: each LUT input, bypass, enable and reset is a mux of ${family.pinFromOutputs} outputs of its tile and ${family.pinFromWires.reduce((a, b) => a + b, 0)} wires.`,
    `- **Clocks**: ${family.globalClocks} global clocks from as many clock pads, ${family.regionClocks} in each quarter of the die; a tile can also take its clock from ${family.clockFromWires} ordinary wires, slowly.`,
  );
  const shown = listBlocks().flatMap(({ dataSheet }) => {
    const line = dataSheet.line(family, dies);
    return line === null ? [] : [{ line, delays: dataSheet.delays(delays) }];
  });
  for (const { line } of shown) lines.push(line);
  lines.push(
    `- **Configuration**: ${family.configuration === "flash" ? "kept in flash on the die, erased and programmed over JTAG; the part runs as soon as it has power" : "volatile, over JTAG"}.`,
    "",
    "## Delays",
    "",
    "Largest values in ps at slow-hot, commercial, speed grade of factor 1.",
    "",
  );
  const rows: [string, string | number][] = [
    ["LUT, by input", delays.lutPs.join(" ")],
    ["carry: link / into a chain / to a sum", `${delays.carryPs} / ${delays.carryEntryPs} / ${delays.carrySumPs}`],
    [
      "flip-flop: clock to output / setup / more past the LUT / hold",
      `${delays.clockToOutputPs} / ${delays.setupPs} / ${delays.bypassSetupPs} / ${delays.holdPs}`,
    ],
    [`wire of length ${family.wires.map((wire) => wire.length).join(" / ")}`, delays.wirePs.join(" / ")],
    ["pin mux", delays.pinMuxPs],
    [
      "clock: global / region / tile, and more a tile",
      `${delays.globalClockPs} / ${delays.regionClockPs} / ${delays.tileClockPs}, ${delays.tileClockStepPs}`,
    ],
    ["input pad / output pad", `${delays.inputPadPs} / ${delays.outputPadPs}`],
    [`output pad: load meant (pF), and more a pF at 8 mA`, `${delays.padLoadPf}, ${delays.padLoadPs}`],
    ["input pad: capacitance (pF)", delays.padInputPf],
    ["clock high, and low, at a register", delays.pulsePs],
  ];
  rows.push(...shown.map(({ delays: [what, ps] }): [string, string] => [what, ps]));
  table(["element", "ps"], rows);
  table(
    ["speed grade", "factor"],
    Object.entries(family.gradeFactor).map(([grade, factor]) => [grade, factor]),
  );
  table(
    ["corner", "commercial", "industrial", "least over largest"],
    (["slow-hot", "slow-cold", "fast-cold"] as const).map((corner) => [
      corner,
      corners.C[corner].factor,
      corners.I[corner].factor,
      corners.C[corner].min,
    ]),
  );
  lines.push("## Standards", "");
  table(
    ["standard", "supply, V", "input, more ps", "output, more ps", "drive, mA", "wires", "termination", "hysteresis"],
    family.standards.map((standard) => [
      standard.name,
      standard.volts,
      standard.inputPs,
      standard.outputPs,
      standard.drives.join(", "),
      standard.isDifferential ? "a pair" : standard.reference ? `one, against ${standard.reference} V` : "one",
      standard.terminates ? "inside" : "outside",
      standard.hysteresis ? "yes" : "no",
    ]),
  );
  lines.push(
    `A bank's outputs that switch together may draw ${family.supplyPinMa} mA for each supply pin of its share of the side; slow edges count half. All the time, it may be ${family.steadyPinMa} mA.`,
    "",
    "## Pins with a second use",
    "",
  );
  const second = secondUses(dies);
  if (second.length) table(["part and package", ...Object.keys(specialRoles), "reference, by bank"], second);
  else lines.push("None: it starts from the flash on its die, and no standard compares with a level.");
  return `${lines.join("\n").trimEnd()}\n`;
}

/** Part and package, pins to the flash, and reference pins. Empty for a family without any. */
function secondUses(dies: readonly PartDescription[]): string[][] {
  return dies.flatMap((die) =>
    die.packages.flatMap((pack) => {
      const { pins } = findPart(`${die.name}-${pack.name}-${die.grades[0]}C`).part!;
      const flash = Object.keys(specialRoles).map((role) => pins.find(({ special }) => special === role)?.name ?? "-");
      const reference = pins.filter(({ isReference }) => isReference).map(({ name }) => name);
      const isNone = flash.every((name) => name === "-") && reference.length === 0;
      return isNone ? [] : [[`${die.name}-${pack.name}`, ...flash, reference.join(", ") || "-"]];
    }),
  );
}
