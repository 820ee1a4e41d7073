import { hashValue } from "../../common/codec.ts";
import { layoutNetlist, type MappedNetlist } from "../../netlist/mapped.ts";
import { shapePorts } from "../../netlist/port-shape.ts";
import { SynthMemory } from "../../synth/regions.ts";
import { synthesize } from "../../synth/synthesize.ts";
import { stage } from "../stage.ts";

/** Regions of an earlier state of the design, by what they are. */
interface StoredMemory {
  readonly names: readonly string[];
  readonly regions: readonly Int32Array[];
}

/** Circuit as written to circuit as built. */
export const synthStage = stage("synth", {
  word: "synthesize",
  version: 14,
  settings: ["synthesis", "port shape"],
  reads: ["elaborate.circuit"],
  facets: {
    structure: { of: layoutNetlist, hash: (netlist) => hashValue(withoutNames(netlist)) },
    timed: {
      of: (netlist) => {
        const { origin, maskLow, maskHigh, fates } = netlist;
        return { ...layoutNetlist(netlist), origin, maskLow, maskHigh, fates };
      },
    },
    function: {
      of: (netlist) => netlist,
      hash: (netlist) => {
        const { maskLow, maskHigh, modes, blocks } = netlist;
        const all = blocks.map(({ cell, modes, inputNames, outputNames }) => ({
          cell,
          modes,
          inputNames,
          outputNames,
        }));
        return hashValue([withoutNames(netlist), maskLow, maskHigh, modes, all]);
      },
    },
  },
  async run(given, context, kept) {
    const before = (await kept.load()) as StoredMemory | null;
    const memory = new SynthMemory(
      before ? new Map(before.names.map((name, i) => [name, before.regions[i]])) : undefined,
    );
    const shape = given.setting("port shape");
    const circuit = shapePorts(await given.read("elaborate.circuit"), shape);
    const result = synthesize(circuit, given.setting("synthesis"), context, memory);
    if (result.artifact)
      await kept.save({
        names: [...memory.kept.keys()],
        regions: [...memory.kept.values()],
      } satisfies StoredMemory);
    return { ...result, artifact: result.artifact && { ...result.artifact, shape } };
  },
});

function withoutNames(netlist: MappedNetlist): unknown {
  const { top: _top, cellName: _cells, netName: _nets, ...structure } = layoutNetlist(netlist);
  return structure;
}
