import { expect } from "vitest";
import { quietContext } from "../../src/common/context.ts";
import { formatFinding, Random, type SourceFile } from "../../src/common/index.ts";
import { elaborate } from "../../src/elaborate/index.ts";
import { defaultSynthOptions, synthesize } from "../../src/synth/index.ts";
import { running } from "./build.ts";
import { MappedSimulator } from "./mapped-sim.ts";

export interface PortSpec {
  readonly name: string;
  /** 0: a single bit; else a vector. */
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

/** [cycles][inputs] */
export function stimuliOf(spec: DutSpec): bigint[][] {
  const random = new Random(spec.seed ?? 1);
  return Array.from({ length: spec.cycles ?? 60 }, (_, cycle) =>
    spec.inputs.map((port) => {
      if (port.name === spec.reset) return cycle === 0 || random.float() < 0.03 ? 1n : 0n;
      let v = 0n;
      for (let i = 0; i < Math.max(1, port.width); i++) v = (v << 1n) | BigInt(random.below(2));
      return v;
    }),
  );
}

/** A design and what its simulation gave. */
export interface SourceRun {
  readonly files: readonly SourceFile[];
  /** [cycles][inputs] */
  readonly stimuli: readonly (readonly bigint[])[];
  /** [cycles] Outputs, parted by blanks. */
  readonly lines: readonly string[];
}

/** What runs the circuit: a slow simulator of the netlist, or the part. */
interface Runner {
  set(port: string, value: bigint): void;
  settle(): void;
  cycle(clock: string): void;
  get(port: string): bigint;
}

/**
 * Runs the mapped circuit of a design on the inputs that its simulation had: after each clock (or each change of the
 * inputs) both must give the same. X of the simulation may be anything in the circuit.
 * @returns Number of compared output bits that were 0 or 1.
 */
export function compareWithCircuit(run: SourceRun, spec: DutSpec): number {
  const { files } = run;
  const design = elaborate(files, { top: spec.entity });
  if (!design.artifact) throw new Error(`${design.findings.map(formatFinding).join("\n")}\n${files[0].text}`);
  const netlist = synthesize(design.artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
  return compare(run, spec, new MappedSimulator(netlist));
}

/** The same with a part that knows its bitstream alone. */
export async function compareWithPart(run: SourceRun, spec: DutSpec): Promise<number> {
  const { player } = await running("", { sources: run.files, top: spec.entity });
  const runner: Runner = {
    set: (port, value) => player.set({ [port]: `0b${value.toString(2)}` }),
    settle: () => {},
    cycle: (clock) => player.clock(clock, 1),
    get: (port) => BigInt(player.read(port)),
  };
  return compare(run, spec, runner);
}

function compare({ files, stimuli, lines }: SourceRun, spec: DutSpec, sim: Runner): number {
  expect(lines.length).toBe(stimuli.length);
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
