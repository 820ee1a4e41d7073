import { assemble } from "../../bitstream/assemble.ts";
import { configMap } from "../../bitstream/config-map.ts";
import { encodeBitstream, readHeader } from "../../bitstream/format.ts";
import type { LayoutInputs } from "../../layout/layout.ts";
import { portBits } from "../../netlist/mapped.ts";
import type { ImageArtifact, ImagePort, PortPeriod } from "../artifacts.ts";
import { stage } from "../stage.ts";

export const imageStage = stage("image", {
  word: "image",
  version: 5,
  settings: ["part"],
  reads: ["synth.function", "pack.clusters", "place.places", "route.trees", "rules.electrical", "rules.periods"],
  facets: {},
  async run(given) {
    const layout = {
      netlist: await given.read("synth.function"),
      packed: await given.read("pack.clusters"),
      placed: await given.read("place.places"),
      routed: await given.read("route.trees"),
      pins: await given.read("rules.electrical"),
      part: given.setting("part"),
    };
    return { artifact: buildImage(layout, await given.read("rules.periods"), given.key), findings: [] };
  },
});

function buildImage(layout: LayoutInputs, periods: readonly PortPeriod[], key: string): ImageArtifact {
  const { part, netlist } = layout;
  const memory = assemble(layout);
  const file = encodeBitstream(memory, part, key, { omitBlankFrames: false });
  let bitsSet = 0;
  for (const byte of memory) for (let rest = byte; rest; rest &= rest - 1) bitsSet++;
  const pinOf = new Map(layout.pins.map((pin) => [pin.port, pin]));
  const periodOf = new Map(periods.map(({ port, periodPs }) => [port, periodPs]));
  const ports = portBits(netlist.ports).map(({ bitName, direction }): ImagePort => {
    const pin = pinOf.get(bitName)!;
    const period = periodOf.get(bitName);
    return {
      port: bitName,
      direction,
      pin: pin.pin,
      standard: pin.standard,
      clockNs: period === undefined ? null : period / 1000,
    };
  });
  return {
    file,
    partName: part.name,
    idcode: part.die.idcode,
    designKey: key,
    memoryBits: configMap(part).byteCount * 8,
    bitsSet,
    frames: readHeader(file)!.frameCount,
    ports,
  };
}
