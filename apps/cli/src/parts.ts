import { findPart, formatFinding, listBlocks, listParts, writeBsdl } from "@gate-clock/core";
import { UsageError } from "./load-design.ts";
import type { Session } from "./session.ts";

const words: Readonly<Record<string, string>> = { luts: "LUTs", idcode: "IDCODE" };
const plain = (key: string) => key.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`);

/** Lists the parts, tells of one, or writes its boundary-scan description. */
export function parts(name: string | undefined, options: { bsdl?: boolean; json?: boolean }, io: Session): number {
  if (!name) {
    if (options.bsdl) throw new UsageError("Name the part whose description is wanted.");
    if (options.json) io.out(JSON.stringify(listParts(), null, 2));
    else for (const each of listParts()) io.out(each);
    return 0;
  }
  const { part, findings } = findPart(name);
  if (!part) {
    for (const finding of findings) io.err(formatFinding(finding));
    return 1;
  }
  if (options.bsdl) {
    io.write(writeBsdl(part));
    return 0;
  }
  const facts = {
    name: part.name,
    family: part.family.name,
    luts: part.fabric.logicTiles.length * part.family.elementsPerTile,
    ...Object.fromEntries(
      listBlocks().map(({ type, several }) => [
        several.replace(/ (\w)/, (_, letter: string) => letter.toUpperCase()),
        part.fabric.blockSites(type).length,
      ]),
    ),
    signalPins: part.pins.length,
    clockPins: part.pins.filter((pin) => pin.isClock).map((pin) => pin.name),
    idcode: `0x${(part.die.idcode >>> 0).toString(16).padStart(8, "0")}`,
    cost: Number(part.cost.toFixed(2)),
  };
  if (options.json) io.out(JSON.stringify(facts, null, 2));
  else
    for (const [key, value] of Object.entries(facts))
      io.out(`${words[key] ?? plain(key)}: ${Array.isArray(value) ? value.join(" ") : value}`);
  return 0;
}
