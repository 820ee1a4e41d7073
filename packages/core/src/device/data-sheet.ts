import { clockBlockLockEdges, serialWordBits } from "../netlist/rtl.ts";
import { accumulatorWidth, memoryAddressBits, memoryWidth } from "./blocks.ts";
import { corners, type FamilyDescription, temperatureRange } from "./family.ts";
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
  if (family.clockBlocks)
    lines.push(
      `- **Clock blocks**: ${family.clockBlocks}, in the corners; each makes two clocks of one between ${family.clockBlockMhz.input.join(" and ")} MHz, by multiplying by 1 to 64, up to ${family.clockBlockMhz.inside} MHz, dividing by 1 to 64 and shifting by eighths of a period. They run from the ${clockBlockLockEdges}th rising edge on, and keep in step with the clock at the pin: the block takes its own delay out by feedback.`,
    );
  if (family.clockSwitches)
    lines.push(
      `- **Clock switches**: ${family.clockSwitches}; each passes one of two clocks, chosen while the part runs, and never a shortened pulse.`,
    );
  const laneDies = dies.filter((die) => die.serialLanes > 0);
  if (laneDies.length)
    lines.push(
      `- **Serial lanes**: ${laneDies.map((die) => `${die.serialLanes} in ${die.name}`).join(", ")}; each sends and receives ${serialWordBits} bits a cycle of its clock, lowest first, at the pins TX0, RX0 and so on. What comes in can be shifted by a bit until words begin where they should.`,
    );
  if (family.memory !== "none")
    lines.push(
      `- **Memory block**: ${2 ** memoryAddressBits(family) / 1024} Kbit, words of 1 to ${memoryWidth(family)} bits by powers of two, ${family.memory === "dual" ? "two ports that both read and write" : "one port that writes and one that reads"}, byte enables, output registers, start values. The port that writes decides what a read at the same edge sees: the word before, the word after, or (at this port) nothing new.`,
    );
  if (family.multiplier !== "none" && dies.some((die) => die.columns.includes("X")))
    lines.push(
      `- **Multiplier block**: ${family.multiplier}, each operand signed or not; registers before, between and behind; adds its product to a ${accumulatorWidth}-bit word or to its last result, or takes it away.`,
    );
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
    ...(family.clockBlocks
      ? [
          [
            "clock block: left by feedback / clock switch",
            `${delays.clockBlockPs} / ${delays.clockSwitchPs}`,
          ] satisfies [string, string],
        ]
      : []),
    ...(laneDies.length
      ? [
          ["serial lane: clock to word / setup", `${delays.serialClockPs} / ${delays.serialSetupPs}`] satisfies [
            string,
            string,
          ],
        ]
      : []),
    ["input pad / output pad", `${delays.inputPadPs} / ${delays.outputPadPs}`],
  ];
  if (family.memory !== "none")
    rows.push([
      "memory: clock to word / to output register / setup",
      `${delays.memoryClockPs} / ${delays.memoryRegisteredPs} / ${delays.memorySetupPs}`,
    ]);
  if (family.multiplier !== "none")
    rows.push([
      "multiplier: product / sum / clock to output / setup",
      `${delays.multiplierPs} / ${delays.multiplierAddPs} / ${delays.multiplierClockPs} / ${delays.multiplierSetupPs}`,
    ]);
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
    ["standard", "supply, V", "input, more ps", "output, more ps", "wires", "termination"],
    family.standards.map((standard) => [
      standard.name,
      standard.volts,
      standard.inputPs,
      standard.outputPs,
      standard.isDifferential ? "a pair" : "one",
      standard.terminates ? "inside" : "outside",
    ]),
  );
  lines.push(
    `A bank's outputs that switch together may draw ${family.supplyPinMa} mA for each supply pin of its share of the side; slow edges count half.`,
  );
  return `${lines.join("\n").trimEnd()}\n`;
}
