import { Buffer } from "node:buffer";
import { deserialize, serialize } from "node:v8";

/** Messages over a stream of bytes: four bytes of length, then the message as the engine's structured clone. */
export function toFrame(message: unknown): Buffer {
  const body = serialize(message);
  const head = Buffer.allocUnsafe(4);
  head.writeUInt32LE(body.length);
  return Buffer.concat([head, body]);
}

/** Longest message that is taken, in bytes. */
const longest = 2 ** 30;

/** Puts the bytes of a stream together to messages. */
export class FrameReader {
  private chunks: Buffer[] = [];
  private held = 0;

  /** @returns The messages that are whole now. @throws RangeError for one that is longer than any may be. */
  take(chunk: Buffer): unknown[] {
    this.chunks.push(chunk);
    this.held += chunk.length;
    const found: unknown[] = [];
    for (;;) {
      if (this.held < 4) return found;
      const length = this.peekLength();
      if (length > longest) throw new RangeError(`A message of ${length} bytes.`);
      if (this.held < 4 + length) return found;
      const all = this.chunks.length === 1 ? this.chunks[0] : Buffer.concat(this.chunks);
      found.push(deserialize(all.subarray(4, 4 + length)));
      const rest = all.subarray(4 + length);
      this.chunks = rest.length ? [rest] : [];
      this.held = rest.length;
    }
  }

  private peekLength(): number {
    if (this.chunks[0].length < 4) this.chunks = [Buffer.concat(this.chunks)];
    return this.chunks[0].readUInt32LE(0);
  }
}
