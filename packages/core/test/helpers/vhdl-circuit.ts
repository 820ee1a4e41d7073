import type { SourceFile } from "../../src/common/index.ts";
import { compareWithCircuit, type DutSpec, type PortSpec, type SourceRun, stimuliOf } from "./circuit-compare.ts";
import { runText } from "./simulation.ts";

export type { DutSpec, PortSpec };

const typeOf = (port: PortSpec): string =>
  port.width === 0 ? "std_logic" : `std_logic_vector(${port.width - 1} downto 0)`;
const literal = (port: PortSpec, value: bigint): string =>
  port.width === 0 ? `'${value}'` : `"${value.toString(2).padStart(port.width, "0")}"`;

/**
 * Runs a VHDL design in simulation and as a mapped circuit on the same random inputs: after each clock (or each change
 * of the inputs) both must give the same. X of the simulation may be anything in the circuit.
 * @returns Number of compared output bits that were 0 or 1.
 */
export function sameAsCircuit(source: string | readonly SourceFile[], spec: DutSpec): number {
  return compareWithCircuit(vhdlRun(source, spec), spec);
}

/** What its simulation gives on random inputs. */
export function vhdlRun(source: string | readonly SourceFile[], spec: DutSpec): SourceRun {
  const files = typeof source === "string" ? [{ name: "dut.vhd", text: source }] : source;
  const stimuli = stimuliOf(spec);
  const ports = [...spec.inputs, ...spec.outputs];
  const clock = spec.clock
    ? `  ${spec.clock} <= '0'; wait for 5 ns; ${spec.clock} <= '1'; wait for 5 ns; ${spec.clock} <= '0'; wait for 5 ns;`
    : "  wait for 5 ns;";
  const bench = `library ieee; use ieee.std_logic_1164.all;
entity bench is end entity;
architecture sim of bench is
${spec.clock ? `signal ${spec.clock} : std_logic := '0';` : ""}
${ports.map((port) => `signal ${port.name} : ${typeOf(port)};`).join("\n")}
begin
dut : entity work.${spec.entity} port map (${[...(spec.clock ? [spec.clock] : []), ...ports.map((port) => port.name)].map((name) => `${name} => ${name}`).join(", ")});
process begin
${stimuli
  .map(
    (values) => `${spec.inputs.map((port, i) => `${port.name} <= ${literal(port, values[i])};`).join(" ")}
${clock}
report ${spec.outputs.map((port) => `to_string(${port.name})`).join(' & " " & ')};`,
  )
  .join("\n")}
wait;
end process;
end architecture;
`;
  const ran = runText([...files, { name: "bench.vhd", text: bench }], { top: "bench" });
  if (ran.findings.some((finding) => finding.includes(": error:")))
    throw new Error(`${ran.findings.join("\n")}\n${files[0].text}`);
  return { files, stimuli, lines: ran.text.split("\n").slice(0, -1) };
}
