import type { SourceFile } from "../../src/common/index.ts";
import { compareWithCircuit, type DutSpec, type SourceRun, stimuliOf } from "./circuit-compare.ts";
import { runText } from "./simulation.ts";

/** A SystemVerilog design in simulation and as a mapped circuit on the same random inputs: see `compareWithCircuit`. */
export function verilogAsCircuit(text: string, spec: DutSpec): number {
  return compareWithCircuit(verilogRun(text, spec), spec);
}

/** What its simulation gives on random inputs. */
export function verilogRun(text: string, spec: DutSpec): SourceRun {
  const files: SourceFile[] = [{ name: "dut.sv", text }];
  const stimuli = stimuliOf(spec);
  const range = (width: number) => (width > 0 ? `[${width - 1}:0] ` : "");
  const ports = [...(spec.clock ? [spec.clock] : []), ...[...spec.inputs, ...spec.outputs].map((port) => port.name)];
  const clock = spec.clock ? `#5 ${spec.clock} = 1; #5 ${spec.clock} = 0; ` : "";
  const bench = `module bench;
${spec.clock ? `reg ${spec.clock} = 0;` : ""}
${spec.inputs.map((port) => `reg ${range(port.width)}${port.name};`).join("\n")}
${spec.outputs.map((port) => `wire ${range(port.width)}${port.name};`).join("\n")}
${spec.entity} d(${ports.map((name) => `.${name}(${name})`).join(", ")});
initial begin
${stimuli
  .map(
    (values) =>
      `${spec.inputs.map((port, i) => `${port.name} = ${Math.max(1, port.width)}'d${values[i]};`).join(" ")} ${clock}#5 $display("${spec.outputs.map(() => "%b").join(" ")}", ${spec.outputs.map((port) => port.name).join(", ")});`,
  )
  .join("\n")}
end
endmodule
`;
  const ran = runText([...files, { name: "bench.sv", text: bench }], { top: "bench" });
  if (ran.findings.some((finding) => finding.includes(": error:")))
    throw new Error(`${ran.findings.join("\n")}\n${text}`);
  return { files, stimuli, lines: ran.text.split("\n").slice(0, -1) };
}
