/** Value change dump (IEEE 1364-2005 clause 18), written as it comes. */

interface VcdVariable {
  readonly name: string;
  readonly kind: "wire" | "reg" | "real" | "string";
  readonly width: number;
  /** Declared bounds; null for one bit without a range. */
  readonly msb: number | null;
  readonly lsb: number | null;
}

/** Identifier codes are the printable characters, shortest first. */
function vcdCode(index: number): string {
  let text = "";
  let rest = index;
  do {
    text += String.fromCharCode(33 + (rest % 94));
    rest = Math.floor(rest / 94) - 1;
  } while (rest >= 0);
  return text;
}

const unitNames = ["s", "ms", "us", "ns", "ps", "fs"];

/** `1 ps` for -12, `10 ns` for -8. */
function timescaleText(precision: number): string {
  const unit = Math.min(5, Math.max(0, Math.ceil(-precision / 3)));
  return `${10 ** (precision + 3 * unit)} ${unitNames[unit]}`;
}

/** Collects text and hands it out in pieces of about 64 KB. */
export class VcdWriter {
  private text = "";
  private scope: readonly string[] = [];
  private count = 0;
  private started = false;
  private now = -1;

  constructor(
    private readonly write: (text: string) => void,
    date = "",
  ) {
    if (date) this.text += `$date ${date} $end\n`;
    this.text += "$version Gate Clock $end\n";
  }

  timescale(precision: number): void {
    this.text += `$timescale ${timescaleText(precision)} $end\n`;
  }

  /** @returns Number of the variable, for `bits` and its kin. */
  declare(path: readonly string[], variable: VcdVariable): number {
    let same = 0;
    while (same < path.length && same < this.scope.length && path[same] === this.scope[same]) same++;
    for (let i = this.scope.length; i > same; i--) this.text += "$upscope $end\n";
    for (let i = same; i < path.length; i++) this.text += `$scope module ${plain(path[i])} $end\n`;
    this.scope = path;
    const { kind, width, msb, lsb, name } = variable;
    const range = msb === null ? "" : ` [${msb}:${lsb}]`;
    this.text += `$var ${kind} ${kind === "real" ? 64 : Math.max(1, width)} ${vcdCode(this.count)} ${plain(name)}${range} $end\n`;
    this.flush(65536);
    return this.count++;
  }

  ready(): void {
    for (const _ of this.scope) this.text += "$upscope $end\n";
    this.scope = [];
    this.text += "$enddefinitions $end\n";
  }

  time(steps: number): void {
    if (this.now === steps) return;
    if (this.started && this.now >= 0 && this.dumping) this.endDump();
    this.now = steps;
    this.text += `#${steps}\n`;
    if (!this.started) {
      this.started = true;
      this.dumping = true;
      this.text += "$dumpvars\n";
    }
    this.flush(65536);
  }
  private dumping = false;

  private endDump(): void {
    this.dumping = false;
    this.text += "$end\n";
  }

  bits(index: number, width: number, a: bigint, b: bigint): void {
    if (width === 1) {
      this.text += `${(b ? (a ? "x" : "z") : a ? "1" : "0") + vcdCode(index)}\n`;
      return;
    }
    this.text += `b${vcdBits(width, a, b)} ${vcdCode(index)}\n`;
  }

  /** As `bits`, for up to 32 bits: planes as unsigned numbers. */
  narrow(index: number, width: number, a: number, b: number): void {
    if (width > 1 && b !== 0) this.bits(index, width, BigInt(a), BigInt(b));
    else if (width === 1) this.text += `${(b ? (a ? "x" : "z") : a ? "1" : "0") + vcdCode(index)}\n`;
    else this.text += `b${a.toString(2)} ${vcdCode(index)}\n`;
  }

  /** A wide value as digits. */
  digits(index: number, text: string): void {
    this.text += `b${shorten(text)} ${vcdCode(index)}\n`;
  }

  real(index: number, value: number): void {
    this.text += `r${value} ${vcdCode(index)}\n`;
  }

  string(index: number, value: string): void {
    const clean = value.replace(/[\s\\]/g, (c) => `\\${c.charCodeAt(0).toString(8).padStart(3, "0")}`);
    this.text += `s${clean} ${vcdCode(index)}\n`;
  }

  end(steps: number): void {
    if (this.dumping) this.endDump();
    if (steps > this.now) this.text += `#${steps}\n`;
    this.flush(0);
  }

  private flush(above: number): void {
    if (this.text.length <= above) return;
    this.write(this.text);
    this.text = "";
  }
}

/** Leftmost digits that repeat are left out: a leading 0 or 1 extends with 0, x with x, z with z (clause 18.2.1). */
function vcdBits(width: number, a: bigint, b: bigint): string {
  if (b === 0n) return a.toString(2);
  let text = "";
  for (let i = BigInt(width) - 1n; i >= 0n; i--) {
    const known = (b >> i) & 1n;
    const bit = (a >> i) & 1n;
    text += known ? (bit ? "x" : "z") : bit ? "1" : "0";
  }
  return shorten(text);
}

function shorten(text: string): string {
  return text
    .replace(/^0+(?=[01])/, "")
    .replace(/^x+(?=x)/, "")
    .replace(/^z+(?=z)/, "");
}

const plain = (name: string) => name.replace(/\s/g, "_");
