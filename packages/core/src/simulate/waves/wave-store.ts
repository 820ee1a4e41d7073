import type { Signal } from "../../elaborate/model.ts";
import type { WaveSink } from "./recorder.ts";
import { VcdReader } from "./vcd-read.ts";
import { VcdWriter } from "./vcd-write.ts";

/** Values of up to 8, 16 or 32 bits in as few bytes: most signals are one bit. */
type Plane = Uint8Array | Uint16Array | Uint32Array;

/**
 * Waves in memory, a signal a track: times of changes beside values, in arrays that grow by doubling. Made to be handed
 * from a worker to a page without copying.
 */
export interface WaveTrack {
  readonly name: string;
  /** Scopes from the top on. */
  readonly path: readonly string[];
  readonly width: number;
  readonly signed: boolean;
  readonly kind: "bits" | "real" | "text";
  /** Names by value, for enumerations. */
  readonly names: Readonly<Record<string, string>> | null;
  /** Declared bounds of a vector. */
  readonly range: readonly [number, number] | null;
  /** Where it is declared: file index and offset. */
  readonly place: { readonly file: number; readonly start: number; readonly end: number } | null;
  /** [changes] In steps of the precision, rising. */
  readonly times: Float64Array;
  /** [changes] Planes a and b, for bits up to 32. */
  readonly a: Plane;
  readonly b: Plane;
  /** [changes] Wider values as digits 0, 1, x, z; texts; empty for the others. */
  readonly texts: readonly string[];
  /** [changes] Reals. */
  readonly reals: Float64Array;
}
export interface Waves {
  /** Power of ten of a second. */
  readonly precision: number;
  readonly end: number;
  readonly tracks: readonly WaveTrack[];
  /** Changes in all. */
  readonly changes: number;
  /** Set when the limit was reached: what happened later is not in the tracks. */
  readonly stoppedAt: number | null;
}

interface Growing {
  readonly info: Omit<WaveTrack, "times" | "a" | "b" | "texts" | "reals">;
  count: number;
  times: Float64Array;
  a: Plane;
  b: Plane;
  readonly texts: string[];
  reals: Float64Array;
}

/** What a change takes: its time, and its two planes or a text. */
const timeBytes = 8;
const textBytes = 32;
const noPlane = new Uint8Array(0);
const planeKind = (width: number) => (width <= 8 ? Uint8Array : width <= 16 ? Uint16Array : Uint32Array);
const none64 = new Float64Array(0);

export class WaveStore implements WaveSink {
  private readonly tracks: Growing[] = [];
  private precision = 0;
  private now = 0;
  private changes = 0;
  private stoppedAt: number | null = null;

  /** Bytes that may still be filled. */
  private room: number;

  /** @param maxBytes Memory for the waves; a run may go on without being recorded further. */
  constructor(maxBytes = 512 * 2 ** 20) {
    this.room = maxBytes;
  }

  begin(precision: number): void {
    this.precision = precision;
  }

  declare(signal: Signal, path: readonly string[], name: string): void {
    const { type } = signal;
    const enumeration = type.kind === "integral" ? type.enumeration : null;
    const names =
      enumeration && Object.fromEntries(enumeration.members.map(({ name, value }) => [String(value.a), name]));
    const vector = type.kind === "integral" && (signal.width > 1 || type.dims.length > 0);
    this.add({
      name,
      path,
      width: signal.width,
      signed: signal.signed,
      kind: type.kind === "real" ? "real" : type.kind === "string" ? "text" : "bits",
      names,
      range: vector
        ? type.kind === "integral" && type.dims.length === 1
          ? [signal.msb, signal.lsb]
          : [signal.width - 1, 0]
        : null,
      place: { file: signal.loc.file, start: signal.loc.start, end: signal.loc.end },
    });
  }

  add(info: Growing["info"]): number {
    const narrow = info.kind === "bits" && info.width <= 32;
    return (
      this.tracks.push({
        info,
        count: 0,
        times: new Float64Array(4),
        a: narrow ? new (planeKind(info.width))(4) : noPlane,
        b: narrow ? new (planeKind(info.width))(4) : noPlane,
        texts: [],
        reals: info.kind === "real" ? new Float64Array(4) : none64,
      }) - 1
    );
  }

  ready(): void {}

  time(steps: number): void {
    this.now = steps;
  }

  private next(index: number, bytes: number): Growing | null {
    if (this.room <= 0) {
      this.stoppedAt ??= this.now;
      return null;
    }
    this.room -= bytes;
    this.changes++;
    const track = this.tracks[index];
    const { count } = track;
    // a second value at the same time takes the place of the first
    if (count && track.times[count - 1] === this.now) {
      track.count--;
      this.changes--;
      this.room += bytes;
      if (track.texts.length) track.texts.pop();
    } else if (count === track.times.length) {
      track.times = grow64(track.times);
      if (track.a.length) {
        track.a = growPlane(track.a);
        track.b = growPlane(track.b);
      }
      if (track.reals.length) track.reals = grow64(track.reals);
    }
    track.times[track.count] = this.now;
    return track;
  }

  private bytesOf(index: number): number {
    return timeBytes + 2 * this.tracks[index].a.BYTES_PER_ELEMENT;
  }

  bits(index: number, width: number, a: bigint, b: bigint): void {
    const track = this.next(index, width <= 32 ? this.bytesOf(index) : textBytes + width);
    if (!track) return;
    if (width <= 32) {
      track.a[track.count] = Number(a);
      track.b[track.count] = Number(b);
    } else track.texts.push(digits(width, a, b));
    track.count++;
  }

  /** As `bits`, for values that come as numbers. */
  narrow(index: number, _width: number, a: number, b: number): void {
    const track = this.next(index, this.bytesOf(index));
    if (!track) return;
    track.a[track.count] = a;
    track.b[track.count++] = b;
  }

  wide(index: number, text: string): void {
    this.text(index, text);
  }

  real(index: number, value: number): void {
    const track = this.next(index, 2 * timeBytes);
    if (track) track.reals[track.count++] = value;
  }

  text(index: number, value: string): void {
    const track = this.next(index, textBytes + value.length);
    if (!track) return;
    track.texts.push(value);
    track.count++;
  }

  end(steps: number): void {
    this.now = Math.max(this.now, steps);
  }

  /** The finished waves, each array cut to its length. The store gives up what it held: once is all it can be asked. */
  waves(): Waves {
    const tracks = this.tracks.map((track): WaveTrack => {
      const { count } = track;
      const made = {
        ...track.info,
        times: track.times.slice(0, count),
        a: track.a.slice(0, Math.min(count, track.a.length)),
        b: track.b.slice(0, Math.min(count, track.b.length)),
        texts: track.texts,
        reals: track.reals.slice(0, Math.min(count, track.reals.length)),
      };
      // track by track, so that all of it is never there twice
      Object.assign(track, { count: 0, times: none64, a: noPlane, b: noPlane, reals: none64 });
      return made;
    });
    return { precision: this.precision, end: this.now, tracks, changes: this.changes, stoppedAt: this.stoppedAt };
  }
}

function grow64(old: Float64Array): Float64Array {
  const list = new Float64Array(old.length * 2);
  list.set(old);
  return list;
}

function growPlane(old: Plane): Plane {
  const list = new (old.constructor as Uint32ArrayConstructor)(old.length * 2);
  list.set(old);
  return list;
}

function digits(width: number, a: bigint, b: bigint): string {
  const plain = a.toString(2).padStart(width, "0");
  if (b === 0n) return plain;
  const unknown = b.toString(2).padStart(width, "0");
  let text = "";
  for (let i = 0; i < width; i++) text += unknown[i] === "1" ? (plain[i] === "1" ? "x" : "z") : plain[i];
  return text;
}

/** Waves out of a value change dump, to be fed chunk by chunk. */
export function vcdLoader(maxBytes?: number): { reader: VcdReader; finish: () => Waves } {
  const store = new WaveStore(maxBytes);
  const reader = new VcdReader({
    begin: (precision) => store.begin(precision),
    declare: (path, { name, kind, width, range }) =>
      store.add({ name, path, width, signed: false, kind, names: null, range, place: null }),
    time: (steps) => store.time(steps),
    narrow: (index, a, b) => store.narrow(index, 0, a, b),
    wide: (index, digits) => store.wide(index, digits),
    real: (index, value) => store.real(index, value),
    text: (index, value) => store.text(index, value),
  });
  return {
    reader,
    finish: () => {
      reader.end();
      return store.waves();
    },
  };
}

/** A value change dump of chosen tracks, within a stretch of time. */
export function writeVcd(
  waves: Waves,
  tracks: readonly WaveTrack[],
  from: number,
  to: number,
  write: (text: string) => void,
): void {
  const writer = new VcdWriter(write);
  writer.timescale(waves.precision);
  // variables of one scope stand together
  const order = [...tracks].sort((x, y) =>
    x.path.join(".") < y.path.join(".") ? -1 : x.path.join(".") > y.path.join(".") ? 1 : 0,
  );
  for (const track of order)
    writer.declare(track.path, {
      name: track.name,
      kind: track.kind === "bits" ? "wire" : track.kind === "real" ? "real" : "string",
      width: track.width,
      msb: track.range?.[0] ?? null,
      lsb: track.range?.[1] ?? null,
    });
  writer.ready();
  const put = (index: number, change: number) => {
    const track = order[index];
    if (track.kind === "real") writer.real(index, track.reals[change]);
    else if (track.kind === "text") writer.string(index, track.texts[change]);
    else if (track.width <= 32) writer.bits(index, track.width, BigInt(track.a[change]), BigInt(track.b[change]));
    else writer.digits(index, track.texts[change]);
  };
  const next = order.map((track) => Math.max(0, changeAt(track, from)));
  writer.time(from);
  order.forEach((track, i) => {
    if (track.times.length && track.times[next[i]] <= from) put(i, next[i]++);
  });
  // the nearest change of all tracks, again and again, from a heap (Williams 1964)
  const heap = order.map((_, i) => i).filter((i) => next[i] < order[i].times.length);
  const time = (i: number) => order[i].times[next[i]];
  const sink = (start: number) => {
    let at = start;
    for (;;) {
      let child = 2 * at + 1;
      if (child >= heap.length) return;
      if (child + 1 < heap.length && time(heap[child + 1]) < time(heap[child])) child++;
      if (time(heap[child]) >= time(heap[at])) return;
      [heap[at], heap[child]] = [heap[child], heap[at]];
      at = child;
    }
  };
  for (let i = heap.length >> 1; i >= 0; i--) if (heap.length) sink(i);
  while (heap.length) {
    const i = heap[0];
    const at = time(i);
    if (at > to) break;
    writer.time(at);
    put(i, next[i]++);
    if (next[i] >= order[i].times.length) {
      const last = heap.pop()!;
      if (heap.length) heap[0] = last;
    }
    if (heap.length) sink(0);
  }
  writer.end(Math.min(to, waves.end));
}

/** Buffers that can be handed over to another thread. */
export function waveBuffers(waves: Waves): ArrayBuffer[] {
  return waves.tracks.flatMap((track) =>
    [track.times, track.a, track.b, track.reals]
      .filter((list) => list.length)
      .map((list) => list.buffer as ArrayBuffer),
  );
}

/** Index of the change that holds at a time: the last one not after it; -1 before the first. O(log changes). */
export function changeAt(track: WaveTrack, time: number): number {
  let low = 0;
  let high = track.times.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (track.times[middle] <= time) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** One bit of a vector as a track of its own; its changes are those of the vector that change it. O(changes). */
export function bitTrack(track: WaveTrack, bit: number): WaveTrack {
  const count = track.times.length;
  const times = new Float64Array(count);
  const a = new Uint8Array(count);
  const b = new Uint8Array(count);
  let kept = 0;
  for (let i = 0; i < count; i++) {
    let low: number;
    let high: number;
    if (track.width <= 32) {
      low = (track.a[i] >>> bit) & 1;
      high = (track.b[i] >>> bit) & 1;
    } else {
      const digit = track.texts[i][track.width - 1 - bit];
      low = digit === "1" || digit === "x" ? 1 : 0;
      high = digit === "x" || digit === "z" ? 1 : 0;
    }
    if (kept && a[kept - 1] === low && b[kept - 1] === high) continue;
    times[kept] = track.times[i];
    a[kept] = low;
    b[kept++] = high;
  }
  const [left, right] = track.range ?? [track.width - 1, 0];
  return {
    ...track,
    name: `${track.name}[${left >= right ? right + bit : right - bit}]`,
    width: 1,
    signed: false,
    names: null,
    range: null,
    times: times.slice(0, kept),
    a: a.slice(0, kept),
    b: b.slice(0, kept),
    texts: [],
  };
}

export type WaveRadix = "binary" | "hex" | "unsigned" | "signed" | "ascii" | "real" | "names";

/** A value as text. Unknown digits are x and z, as in the language. */
export function valueText(track: WaveTrack, change: number, radix: WaveRadix): string {
  if (change < 0) return "";
  if (track.kind === "real") return String(Number(track.reals[change].toPrecision(7)));
  if (track.kind === "text") return `"${track.texts[change]}"`;
  const bits =
    track.width <= 32 ? digits(track.width, BigInt(track.a[change]), BigInt(track.b[change])) : track.texts[change];
  return bitsText(bits, track, radix);
}

function bitsText(bits: string, track: WaveTrack, radix: WaveRadix): string {
  const known = /^[01]*$/.test(bits);
  if (radix === "binary" || bits.length === 1) return bits;
  if (known) {
    const value = BigInt(`0b${bits}`);
    if (radix === "names" && track.names?.[String(value)]) return track.names[String(value)];
    if (radix === "unsigned") return String(value);
    if (radix === "real" && (bits.length === 32 || bits.length === 64)) return realText(value, bits.length);
    if (radix === "signed") return String(BigInt.asIntN(bits.length, value));
    if (radix === "ascii") {
      let text = "";
      for (let shift = Math.ceil(bits.length / 8) * 8 - 8; shift >= 0; shift -= 8) {
        const code = Number((value >> BigInt(shift)) & 255n);
        text += code >= 32 && code < 127 ? String.fromCharCode(code) : "·";
      }
      return `"${text}"`;
    }
    return value.toString(16).padStart(Math.ceil(bits.length / 4), "0");
  }
  const padded = bits.padStart(Math.ceil(bits.length / 4) * 4, bits[0] === "1" ? "0" : bits[0]);
  let text = "";
  for (let i = 0; i < padded.length; i += 4) {
    const four = padded.slice(i, i + 4);
    text += /^[01]+$/.test(four) ? Number.parseInt(four, 2).toString(16) : four.includes("x") ? "x" : "z";
  }
  return text;
}

/** Bits read as a binary floating-point number (IEEE 754). */
function realText(value: bigint, width: number): string {
  const bytes = new DataView(new ArrayBuffer(8));
  if (width === 32) bytes.setUint32(0, Number(value));
  else bytes.setBigUint64(0, value);
  return String(Number((width === 32 ? bytes.getFloat32(0) : bytes.getFloat64(0)).toPrecision(7)));
}
