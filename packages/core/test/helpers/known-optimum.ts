import { Random } from "../../src/common/random.ts";
import type { Part } from "../../src/device/index.ts";
import type { PlacementProblem } from "../../src/place/problem.ts";

/**
 * A placement problem whose shortest wirelength is known, with places that have it (Chang, Cong and Xie 2003, "Optimality and scalability study of existing
 * placement algorithms"): clusters lie side by side, and every net is among so many of them that lie as close together as that
 * many ever can. Their numbers are shuffled, so that nothing tells where they came from.
 * @param clusterCount At most as many as the die has logic tiles.
 */
export function knownOptimum(
  part: Part,
  clusterCount: number,
  seed: number,
): { problem: PlacementProblem; optimum: number; tileOf: Int32Array } {
  const { fabric } = part;
  const random = new Random(seed);
  // the tiles nearest to the middle
  const [mx, my] = [fabric.width / 2, fabric.height / 2];
  const far = (tile: number) => Math.max(Math.abs(fabric.tileX(tile) - mx), Math.abs(fabric.tileY(tile) - my));
  const tiles = [...fabric.logicTiles].sort((a, b) => far(a) - far(b) || a - b).slice(0, clusterCount);
  const isUsed = new Uint8Array(fabric.tileCount);
  for (const tile of tiles) isUsed[tile] = 1;
  const names = tiles.map((_, i) => i);
  for (let i = names.length - 1; i > 0; i--) {
    const j = random.below(i + 1);
    [names[i], names[j]] = [names[j], names[i]];
  }
  const tileOf = new Int32Array(clusterCount);
  names.forEach((name, i) => {
    tileOf[name] = tiles[i];
  });
  const nameAt = new Map(tiles.map((tile, i) => [tile, names[i]]));
  const netStart = [0];
  const netEntity: number[] = [];
  const connFrom: number[] = [];
  const connTo: number[] = [];
  let optimum = 0;
  // about as many nets of each size as circuits have
  const sizes = [...Array(10).fill(2), ...Array(5).fill(3), ...Array(3).fill(4), 5, 6, 7, 9];
  const wanted = Math.round(2.7 * clusterCount);
  for (let net = 0, tries = 0; net < wanted && tries < 100 * wanted; tries++) {
    const size = sizes[random.below(sizes.length)];
    // the flattest box of so many tiles: no set of as many lies closer
    const wide = Math.ceil(Math.sqrt(size));
    const high = Math.ceil(size / wide);
    const [w, h] = random.below(2) ? [wide, high] : [high, wide];
    const corner = tiles[random.below(tiles.length)];
    const [x, y] = [fabric.tileX(corner), fabric.tileY(corner)];
    const box: number[] = [];
    for (let dy = 0; dy < h; dy++)
      for (let dx = 0; dx < w; dx++)
        if (x + dx < fabric.width && y + dy < fabric.height) box.push((y + dy) * fabric.width + x + dx);
    if (box.length < w * h || box.some((tile) => !isUsed[tile])) continue;
    const members = box.map((tile) => nameAt.get(tile)!);
    // any so many of them; a box that is smaller for it would be no optimum
    while (members.length > size) members.splice(random.below(members.length), 1);
    const at = members.map((name) => tileOf[name]);
    const spanX = Math.max(...at.map((tile) => fabric.tileX(tile))) - Math.min(...at.map((tile) => fabric.tileX(tile)));
    const spanY = Math.max(...at.map((tile) => fabric.tileY(tile))) - Math.min(...at.map((tile) => fabric.tileY(tile)));
    optimum += spanX + spanY;
    for (const other of members.slice(1)) {
      connFrom.push(members[0]);
      connTo.push(other);
    }
    netEntity.push(...members);
    netStart.push(netEntity.length);
    net++;
  }
  const all = Int32Array.from({ length: clusterCount }, (_, i) => i);
  const columns = [...new Set(fabric.logicTiles.map((tile) => fabric.tileX(tile)))].sort((a, b) => a - b);
  return {
    optimum,
    tileOf,
    problem: {
      part,
      places: 1,
      entityCount: clusterCount,
      fixedSite: new Int32Array(clusterCount).fill(-1),
      groupStart: Int32Array.from({ length: clusterCount + 1 }, (_, i) => i),
      groupEntity: all,
      groupKind: new Uint8Array(clusterCount),
      groupOf: all,
      kinds: [{ name: "logic", sites: fabric.logicTiles, columns }],
      netStart: Int32Array.from(netStart),
      netEntity: Int32Array.from(netEntity),
      connFrom: Int32Array.from(connFrom),
      connTo: Int32Array.from(connTo),
      connSlot: Int32Array.from(connFrom, (_, i) => i),
      connKind: new Int8Array(connFrom.length),
      isLutPin: new Uint8Array(connFrom.length),
    },
  };
}
