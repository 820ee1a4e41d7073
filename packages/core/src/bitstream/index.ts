/**
 * Routed design to configuration bits and to the bitstream file, and back by the same map. docs/bitstream.md describes
 * the file. Same inputs, same bytes.
 */
export { assemble } from "./assemble.ts";
export { configMap, readBits, TileConfig } from "./config-map.ts";
export {
  type BitstreamFault,
  compressBitstream,
  decodeBitstream,
  encodeBitstream,
  faultText,
  hex32,
  readHeader,
} from "./format.ts";
export { packRuns, unpackRuns } from "./runs.ts";
