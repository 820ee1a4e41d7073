/**
 * Runs of bytes, for frames that are mostly zeros. A control byte c is followed by: c + 1 bytes as they are (below 0x80);
 * nothing, for (c & 0x3F) + 1 zeros (0x80 to 0xBF); one byte that is repeated (c & 0x3F) + 3 times (from 0xC0 on).
 */
export function packRuns(bytes: Uint8Array): Uint8Array {
  const out: number[] = [];
  let literal = 0; // first byte that is not written yet
  const flush = (end: number) => {
    for (; literal < end; ) {
      const count = Math.min(128, end - literal);
      out.push(count - 1, ...bytes.subarray(literal, literal + count));
      literal += count;
    }
  };
  for (let at = 0; at < bytes.length; ) {
    const byte = bytes[at];
    let end = at + 1;
    while (end < bytes.length && bytes[end] === byte) end++;
    const count = end - at;
    // a run must save what it costs to break off the bytes before it
    if (byte === 0 ? count >= 2 : count >= 4) {
      flush(at);
      const [most, least, mark] = byte === 0 ? [64, 1, 0x80] : [66, 3, 0xc0];
      let left = count;
      while (left >= least) {
        const now = Math.min(most, left);
        out.push(mark | (now - least));
        if (byte) out.push(byte);
        left -= now;
      }
      literal = end - left;
    }
    at = end;
  }
  flush(bytes.length);
  return Uint8Array.from(out);
}

/** @returns Null if the runs do not make exactly `length` bytes. */
export function unpackRuns(packed: Uint8Array, length: number): Uint8Array | null {
  const bytes = new Uint8Array(length);
  let to = 0;
  for (let at = 0; at < packed.length; ) {
    const control = packed[at++];
    const count = control < 0x80 ? control + 1 : (control & 0x3f) + (control < 0xc0 ? 1 : 3);
    if (to + count > length) return null;
    if (control < 0x80) {
      if (at + count > packed.length) return null;
      bytes.set(packed.subarray(at, at + count), to);
      at += count;
    } else if (control >= 0xc0) {
      if (at >= packed.length) return null;
      bytes.fill(packed[at++], to, to + count);
    }
    to += count;
  }
  return to === length ? bytes : null;
}
