import { Decoder, Encoder, ExtensionCodec } from "@msgpack/msgpack";
import { sha256 } from "@noble/hashes/sha2.js";

/**
 * Artifacts as bytes: MessagePack, with typed arrays as extension type 1 (one tag byte, then the raw little-endian
 * elements), bigint as type 2 (decimal text), and maps and sets as types 3 and 4 (their entries, encoded likewise). Decoded typed arrays own their memory and are aligned.
 */
const kinds = [
  Int8Array,
  Uint8Array,
  Int16Array,
  Uint16Array,
  Int32Array,
  Uint32Array,
  Float32Array,
  Float64Array,
] as const;

const extensionCodec = new ExtensionCodec();
extensionCodec.register({
  type: 1,
  encode(value) {
    const tag = kinds.findIndex((kind) => value instanceof kind);
    if (tag < 0) return null;
    const view = value as Uint8Array;
    const out = new Uint8Array(1 + view.byteLength);
    out[0] = tag;
    out.set(new Uint8Array(view.buffer, view.byteOffset, view.byteLength), 1);
    return out;
  },
  decode(data) {
    const kind = kinds[data[0]];
    if (!kind) throw new Error(`Unknown array kind ${data[0]} in an artifact.`);
    const copy = new Uint8Array(data.length - 1); // not slice(): Node's Buffer would share its memory
    copy.set(data.subarray(1));
    return new kind(copy.buffer, 0, copy.byteLength / kind.BYTES_PER_ELEMENT);
  },
});
extensionCodec.register({
  type: 2,
  encode: (value) => (typeof value === "bigint" ? Uint8Array.from(value.toString(), (c) => c.charCodeAt(0)) : null),
  decode: (data) => BigInt(String.fromCharCode(...data)),
});

extensionCodec.register({
  type: 3,
  encode: (value) => (value instanceof Map ? encodeArtifact([...value]) : null),
  decode: (data) => new Map(decodeArtifact<[unknown, unknown][]>(data)),
});
extensionCodec.register({
  type: 4,
  encode: (value) => (value instanceof Set ? encodeArtifact([...value]) : null),
  decode: (data) => new Set(decodeArtifact<unknown[]>(data)),
});

/** Deterministic for equal values built the same way: object fields keep their order of insertion. */
export function encodeArtifact(value: unknown): Uint8Array {
  // Uint8Array would be taken as plain binary before extensions are asked, which decodes to the same class: fine.
  return new Encoder({ extensionCodec, ignoreUndefined: true }).encode(value);
}

/** @throws Error if the bytes are not an artifact. */
export function decodeArtifact<T>(bytes: Uint8Array): T {
  return new Decoder({ extensionCodec }).decode(bytes) as T;
}

/** SHA-256 as 64 lower-case hex digits. */
export function hashBytes(bytes: Uint8Array): string {
  return toHex(sha256(bytes));
}

/** Hash over meaning: two values that encode alike have the same key. */
export function hashValue(value: unknown): string {
  return hashBytes(encodeArtifact(value));
}

export function toHex(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += byte.toString(16).padStart(2, "0");
  return text;
}

export function fromHex(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length >> 1);
  for (let i = 0; i < bytes.length; i++) bytes[i] = Number.parseInt(text.slice(2 * i, 2 * i + 2), 16);
  return bytes;
}
