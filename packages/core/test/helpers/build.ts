import { decodeBitstream } from "../../src/bitstream/index.ts";
import { type Finding, formatFinding, quietContext } from "../../src/common/index.ts";
import { elaborate } from "../../src/elaborate/index.ts";
import { type DesignInput, type FlowResult, MemoryStore, Player, runFlow } from "../../src/flow/index.ts";
import { Cable } from "../../src/jtag/index.ts";
import type { LayoutInputs } from "../../src/layout/index.ts";
import type { MappedNetlist } from "../../src/netlist/index.ts";
import { SimulatedPart } from "../../src/silicon/index.ts";
import { defaultSynthOptions, synthesize } from "../../src/synth/index.ts";

export const testPart = "TW-2-P144-2C";

export function findingsOf(text: string, top?: string): Finding[] {
  return elaborate([{ name: "t.v", text }], { top }).findings;
}

/** Mapped netlist of a source text; fails with the findings if it has errors. */
export function mapped(text: string, top?: string): MappedNetlist {
  const design = elaborate([{ name: "t.v", text }], { top });
  if (!design.artifact) throw new Error(`${design.findings.map(formatFinding).join("\n")}\n${text}`);
  return synthesize(design.artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
}

export function designInput(text: string, fields: Partial<DesignInput> = {}): DesignInput {
  return {
    name: "t",
    top: null,
    part: testPart,
    sources: [{ name: "t.v", text }],
    pinFiles: [],
    timingFiles: [],
    recipe: "swift",
    seed: 1,
    ...fields,
  };
}

export async function built(text: string, fields: Partial<DesignInput> = {}): Promise<FlowResult> {
  const result = await runFlow(designInput(text, fields), new MemoryStore());
  if (result.status !== "done")
    throw new Error(`${result.status}: ${result.findings.map(formatFinding).join("\n")}\n${text}`);
  return result;
}

/** Builds, configures a simulated part through its TAP, and gives it names. */
export async function running(
  text: string,
  fields: Partial<DesignInput> = {},
): Promise<{ player: Player; device: SimulatedPart; result: FlowResult; padOf: (port: string) => number }> {
  const result = await built(text, fields);
  const image = (await result.artifact("image"))!;
  const device = new SimulatedPart(result.part!);
  const cable = new Cable(device);
  cable.reset();
  cable.configure(image.file);
  if (!device.configured) throw new Error(device.refusal ?? "not configured");
  const padOf = (port: string) => result.part!.pinByName.get(image.ports.find((each) => each.port === port)!.pin)!.pad;
  return { player: new Player(device, result.part!, image.ports), device, result, padOf };
}

/** The layout of a build, as timing, assembly and readback take it. */
export async function layoutOf(result: FlowResult): Promise<LayoutInputs> {
  const get = async <S extends "synth" | "pack" | "place" | "route" | "rules">(stage: S) =>
    (await result.artifact(stage))!;
  return {
    netlist: await get("synth"),
    packed: await get("pack"),
    placed: await get("place"),
    routed: await get("route"),
    pins: (await get("rules")).pins.pins,
    part: result.part!,
  };
}

/** Configuration memory that a build's bitstream holds. */
export async function memoryOf(result: FlowResult): Promise<Uint8Array> {
  const decoded = decodeBitstream((await result.artifact("image"))!.file, result.part!);
  if (!decoded.ok) throw new Error(decoded.detail);
  return decoded.memory;
}
