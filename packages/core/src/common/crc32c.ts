/** CRC-32C (Castagnoli, reflected 0x82F63B78), as in RFC 3720 appendix B.4. Table-driven, a byte at a time. */
const table = new Uint32Array(256);
for (let n = 0; n < 256; n++) {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? (c >>> 1) ^ 0x82f63b78 : c >>> 1;
  table[n] = c >>> 0;
}

/** @param seed A former result, to go on with it over the next piece of data. */
export function crc32c(data: Uint8Array, start = 0, end = data.length, seed = 0): number {
  let crc = ~seed;
  for (let i = start; i < end; i++) crc = table[(crc ^ data[i]) & 255] ^ (crc >>> 8);
  return ~crc >>> 0;
}
