import { fromHex, toHex } from "../common/codec.ts";
import { crc32c } from "../common/crc32c.ts";
import type { Part } from "../device/part.ts";
import { configMap } from "./config-map.ts";
import { packRuns, unpackRuns } from "./runs.ts";

/** The bitstream container; docs/bitstream.md describes it byte by byte. All numbers are little-endian. */
const startMark = 0x4b4c4347; // "GCLK" in the file
const formatVersion = 1;
const leadBytes = 16;
const headerBytes = 56;
const framePayload = 256;
const frameHeader = 8;
const endMark = 0xffff;
const flagOmitBlank = 1;
const flagCompressed = 2;

interface BitstreamOptions {
  /** Leaves out frames that hold only zeros; the part clears its memory first. */
  readonly omitBlankFrames: boolean;
  /** Writes payloads as runs, where that makes them shorter. */
  readonly compressed?: boolean;
}

/** Configuration memory to file: lead-in, header, frames column by column, whole-file check. */
export function encodeBitstream(
  memory: Uint8Array,
  part: Part,
  designKey: string,
  options: BitstreamOptions,
): Uint8Array {
  const map = configMap(part);
  const frames: Uint8Array[] = [];
  for (let x = 0; x + 1 < map.columnByte.length; x++) {
    const end = map.columnByte[x + 1];
    for (let at = map.columnByte[x], columnPart = 0; at < end; at += framePayload, columnPart++) {
      const payload = memory.subarray(at, Math.min(end, at + framePayload));
      if (options.omitBlankFrames && payload.every((byte) => byte === 0)) continue;
      const compressed = options.compressed ? packRuns(payload) : payload;
      const isCompressed = compressed.length < payload.length;
      const stored = isCompressed ? compressed : payload;
      const frame = new Uint8Array(frameHeader + stored.length + 4);
      const view = new DataView(frame.buffer);
      view.setUint16(0, x, true);
      view.setUint16(2, columnPart, true);
      view.setUint16(4, payload.length, true);
      view.setUint16(6, isCompressed ? stored.length : 0, true);
      frame.set(stored, frameHeader);
      view.setUint32(frameHeader + stored.length, crc32c(frame, 0, frameHeader + stored.length), true);
      frames.push(frame);
    }
  }
  const body = frames.reduce((sum, frame) => sum + frame.length, 0);
  const file = new Uint8Array(leadBytes + headerBytes + body + 8);
  const view = new DataView(file.buffer);
  file.fill(0xff, 0, leadBytes);
  let at = leadBytes;
  view.setUint32(at, startMark, true);
  view.setUint16(at + 4, formatVersion, true);
  view.setUint16(
    at + 6,
    (options.omitBlankFrames ? flagOmitBlank : 0) | (options.compressed ? flagCompressed : 0),
    true,
  );
  view.setUint32(at + 8, part.die.idcode, true);
  view.setUint32(at + 12, frames.length, true);
  file.set(fromHex(designKey), at + 16);
  view.setUint32(at + 48, map.byteCount, true);
  view.setUint32(at + 52, crc32c(file, at, at + 52), true);
  at += headerBytes;
  for (const frame of frames) {
    file.set(frame, at);
    at += frame.length;
  }
  view.setUint16(at, endMark, true);
  view.setUint16(at + 2, 0, true);
  view.setUint32(at + 4, crc32c(file, 0, at + 4), true);
  return file;
}

interface BitstreamHeader {
  readonly version: number;
  readonly idcode: number;
  readonly frameCount: number;
  readonly designKey: string;
  readonly memoryBytes: number;
  readonly blankOmitted: boolean;
  readonly compressed: boolean;
}

export type BitstreamFault =
  | "no-start-mark"
  | "bad-version"
  | "wrong-idcode"
  | "header-crc"
  | "short-file"
  | "frame-crc"
  | "bad-address"
  | "file-crc"
  | "wrong-size";

export const faultText: Readonly<Record<BitstreamFault, string>> = {
  "no-start-mark": "no start mark was found: this is not a bitstream",
  "bad-version": "the format version is not one this part knows",
  "wrong-idcode": "the bitstream is for another part",
  "header-crc": "the header's CRC is wrong",
  "short-file": "the data ended before the bitstream did",
  "frame-crc": "the CRC of a frame is wrong",
  "bad-address": "a frame is addressed to a column that does not exist",
  "file-crc": "the CRC over the whole file is wrong",
  "wrong-size": "the configuration memory of this part has another size",
};

type DecodedBitstream =
  | { readonly ok: true; readonly header: BitstreamHeader; readonly memory: Uint8Array }
  | { readonly ok: false; readonly fault: BitstreamFault; readonly detail: string };

/** Header alone, without a part; null if the file has none. */
export function readHeader(file: Uint8Array): BitstreamHeader | null {
  const at = findSync(file);
  if (at < 0 || at + headerBytes > file.length) return null;
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  if (view.getUint32(at + 52, true) !== crc32c(file, at, at + 52)) return null;
  return {
    version: view.getUint16(at + 4, true),
    blankOmitted: (view.getUint16(at + 6, true) & flagOmitBlank) !== 0,
    compressed: (view.getUint16(at + 6, true) & flagCompressed) !== 0,
    idcode: view.getUint32(at + 8, true),
    frameCount: view.getUint32(at + 12, true),
    designKey: toHex(file.subarray(at + 16, at + 48)),
    memoryBytes: view.getUint32(at + 48, true),
  };
}

function findSync(file: Uint8Array): number {
  const limit = Math.min(file.length - 4, 4096);
  for (let at = 0; at <= limit; at++) {
    if (file[at] === 0x47 && file[at + 1] === 0x43 && file[at + 2] === 0x4c && file[at + 3] === 0x4b) return at;
  }
  return -1;
}

/** File to configuration memory, as the part checks it: any fault refuses the whole. */
export function decodeBitstream(file: Uint8Array, part: Part): DecodedBitstream {
  const fail = (fault: BitstreamFault, detail: string = faultText[fault]): DecodedBitstream => ({
    ok: false,
    fault,
    detail,
  });
  const sync = findSync(file);
  if (sync < 0) return fail("no-start-mark");
  if (sync + headerBytes > file.length) return fail("short-file");
  const header = readHeader(file);
  if (!header) return fail("header-crc");
  if (header.version !== formatVersion)
    return fail("bad-version", `format version ${header.version}, this part knows ${formatVersion}`);
  if (header.idcode !== part.die.idcode) {
    return fail(
      "wrong-idcode",
      `the bitstream is for IDCODE ${hex32(header.idcode)}, this part has ${hex32(part.die.idcode)}`,
    );
  }
  const map = configMap(part);
  if (header.memoryBytes !== map.byteCount) return fail("wrong-size");
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  const memory = new Uint8Array(map.byteCount);
  let at = sync + headerBytes;
  for (let n = 0; n < header.frameCount; n++) {
    if (at + frameHeader > file.length) return fail("short-file");
    const column = view.getUint16(at, true);
    const columnPart = view.getUint16(at + 2, true);
    const length = view.getUint16(at + 4, true);
    const compressedLength = view.getUint16(at + 6, true);
    const stored = compressedLength || length;
    if (length > framePayload || stored > framePayload) return fail("frame-crc", `frame ${n} has an impossible length`);
    if (at + frameHeader + stored + 4 > file.length) return fail("short-file");
    if (view.getUint32(at + frameHeader + stored, true) !== crc32c(file, at, at + frameHeader + stored))
      return fail("frame-crc", `the CRC of frame ${n} (column ${column}, part ${columnPart}) is wrong`);
    if (
      column + 1 >= map.columnByte.length ||
      map.columnByte[column] + columnPart * framePayload + length > map.columnByte[column + 1]
    )
      return fail("bad-address");
    const bytes = file.subarray(at + frameHeader, at + frameHeader + stored);
    const payload = compressedLength ? unpackRuns(bytes, length) : bytes;
    if (!payload) return fail("frame-crc", `the runs of frame ${n} do not make its length`);
    memory.set(payload, map.columnByte[column] + columnPart * framePayload);
    at += frameHeader + stored + 4;
  }
  if (at + 8 > file.length) return fail("short-file");
  if (view.getUint16(at, true) !== endMark || view.getUint32(at + 4, true) !== crc32c(file, 0, at + 4))
    return fail("file-crc");
  return { ok: true, header, memory };
}

/**
 * The same configuration in fewer bytes: blank frames left out, the others as runs. Null if the part would refuse the file.
 */
export function compressBitstream(file: Uint8Array, part: Part): Uint8Array | null {
  const decoded = decodeBitstream(file, part);
  if (!decoded.ok) return null;
  return encodeBitstream(decoded.memory, part, decoded.header.designKey, { omitBlankFrames: true, compressed: true });
}

export function hex32(value: number): string {
  return `0x${(value >>> 0).toString(16).toUpperCase().padStart(8, "0")}`;
}
