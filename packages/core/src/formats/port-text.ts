import type { PinNeed } from "../constraints/pins/model.ts";
import { portsOf } from "../constraints/pins/ports.ts";
import { verilogName, vhdlName } from "./hdl-names.ts";

/** Ports of a design's top as source text, each with the pins that it lies at: what a module for the same board begins with. */
interface PortText {
  readonly verilog: string;
  readonly vhdl: string;
}

/** A port with its range; null for one bit without one. */
interface Port {
  readonly name: string;
  readonly direction: PinNeed["direction"];
  readonly range: readonly [high: number, low: number] | null;
  readonly pins: string;
}

/** @param pinOf Pin of each port bit, or undefined for none. */
export function writePortText(
  top: string,
  needs: readonly PinNeed[],
  pinOf: (bit: string) => string | undefined,
): PortText {
  const ports = portList(needs, pinOf);
  return { verilog: verilogText(top, ports), vhdl: vhdlText(top, ports) };
}

function portList(needs: readonly PinNeed[], pinOf: (bit: string) => string | undefined): Port[] {
  return portsOf(needs).map(({ name, bits }) => {
    const [low, high] = [bits[0].index, bits[bits.length - 1].index];
    return {
      name,
      direction: bits[0].need.direction,
      range: low === null || high === null ? null : [high, low],
      pins: bits.map(({ need }) => pinOf(need.bitName) ?? "no pin").join(" "),
    };
  });
}

function columns(rows: readonly (readonly string[])[]): string[] {
  const widths = rows[0]?.map((_, i) => Math.max(...rows.map((row) => row[i].length))) ?? [];
  return rows.map((row) =>
    row
      .map((cell, i) => (i + 1 < row.length ? cell.padEnd(widths[i]) : cell))
      .join(" ")
      .trimEnd(),
  );
}

function verilogText(top: string, ports: readonly Port[]): string {
  const lines = columns(
    ports.map(({ name, direction, range, pins }, i) => [
      direction,
      direction === "inout" ? "wire" : direction === "output" ? "reg " : "wire",
      range ? `[${range[0]}:${range[1]}]` : "",
      `${verilogName(name)}${i + 1 < ports.length ? "," : ""}`,
      `// ${pins}`,
    ]),
  );
  return `module ${verilogName(top)}${ports.length ? ` (\n${lines.map((line) => `  ${line}`).join("\n")}\n)` : ""};\n\nendmodule\n`;
}

function vhdlText(top: string, ports: readonly Port[]): string {
  const modes = { input: "in", output: "out", inout: "inout" } as const;
  const lines = columns(
    ports.map(({ name, direction, range, pins }, i) => [
      vhdlName(name),
      ":",
      modes[direction],
      `${range ? `std_logic_vector(${range[0]} downto ${range[1]})` : "std_logic"}${i + 1 < ports.length ? ";" : ""}`,
      `-- ${pins}`,
    ]),
  );
  const clause = ports.length ? `  port (\n${lines.map((line) => `    ${line}`).join("\n")}\n  );\n` : "";
  return `library ieee;\nuse ieee.std_logic_1164.all;\n\nentity ${vhdlName(top)} is\n${clause}end entity;\n\narchitecture rtl of ${vhdlName(top)} is\nbegin\nend architecture;\n`;
}
