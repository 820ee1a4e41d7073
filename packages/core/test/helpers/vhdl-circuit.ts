import { expect } from "vitest";
import { quietContext } from "../../src/common/context.ts";
import { formatFinding, Random, type SourceFile } from "../../src/common/index.ts";
import { elaborate } from "../../src/elaborate/index.ts";
import { defaultSynthOptions, synthesize } from "../../src/synth/index.ts";
import { MappedSimulator } from "./mapped-sim.ts";
import { runText } from "./simulation.ts";

export interface PortSpec {
  readonly name: string;
  /** 0: a single std_logic; else a std_logic_vector. */
  readonly width: number;
}
export interface DutSpec {
  readonly entity: string;
  readonly inputs: readonly PortSpec[];
  readonly outputs: readonly PortSpec[];
  readonly clock?: string;
  /** Asynchronous or not: high for the first cycle. */
  readonly reset?: string;
  readonly cycles?: number;
  readonly seed?: number;
}

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
  const files = typeof source === "string" ? [{ name: "dut.vhd", text: source }] : source;
  const random = new Random(spec.seed ?? 1);
  const cycles = spec.cycles ?? 60;
  const stimuli = Array.from({ length: cycles }, (_, cycle) =>
    spec.inputs.map((port) => {
      if (port.name === spec.reset) return cycle === 0 || random.float() < 0.03 ? 1n : 0n;
      let v = 0n;
      for (let i = 0; i < Math.max(1, port.width); i++) v = (v << 1n) | BigInt(random.below(2));
      return v;
    }),
  );
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
  const lines = ran.text.split("\n").slice(0, -1);
  expect(lines.length).toBe(cycles);
  const design = elaborate(files, { top: spec.entity });
  if (!design.artifact) throw new Error(`${design.findings.map(formatFinding).join("\n")}\n${files[0].text}`);
  const netlist = synthesize(design.artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
  const sim = new MappedSimulator(netlist);
  let compared = 0;
  stimuli.forEach((values, cycle) => {
    spec.inputs.forEach((port, i) => sim.set(port.name, values[i]));
    sim.settle();
    if (spec.clock) sim.cycle(spec.clock);
    sim.settle();
    const texts = lines[cycle].split(" ");
    spec.outputs.forEach((port, i) => {
      const width = Math.max(1, port.width);
      const got = sim.get(port.name).toString(2).padStart(width, "0");
      const want = texts[i];
      for (let bit = 0; bit < width; bit++) {
        if (want[bit] !== "0" && want[bit] !== "1") continue;
        compared++;
        if (want[bit] !== got[bit])
          expect.fail(
            `cycle ${cycle}, ${port.name}: circuit ${got}, simulation ${want}; inputs ${spec.inputs.map((p, k) => `${p.name}=${values[k]}`).join(" ")}\n${files[0].text}`,
          );
      }
    });
  });
  return compared;
}
