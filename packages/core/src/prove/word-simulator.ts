import { bit1, bitX, firstNet, type RtlCell, type RtlNetlist } from "../netlist/rtl.ts";

/** A level: 0, 1, or not known. */
export type Level = 0 | 1 | 2;
const unknown = 2;

/** Thrown where logic feeds itself without coming to rest. */
export class Unsettled extends Error {}

/** Registers or write ports that one net clocks. */
interface ClockGroup {
  readonly net: number;
  before: number;
  readonly cells: number[];
}

/**
 * Runs a word-level netlist on levels that may be unknown. What is known is so whatever the unknown levels are, gate by
 * gate: so a value here can be compared with a simulation of the text, which may take an unknown condition for false.
 * Shares nothing with synthesis, with its proof, or with the simulation of texts.
 */
export class WordSimulator {
  /** [nets] */
  readonly level: Uint8Array;
  private readonly fanout: number[][] = [];
  private readonly rank: Int32Array;
  private readonly queues: number[][] = [];
  private readonly isQueued: Uint8Array;
  private lowest = 0;
  private readonly groups: ClockGroup[] = [];
  /** Registers with a reset that does not wait. */
  private readonly resets: number[] = [];
  private readonly words = new Map<number, Uint8Array>();
  private started = false;
  /** Nets whose first level is no edge: constants and what is given from outside. */
  private readonly given = new Set([0, bit1]);

  /** @param open What stands for levels that the netlist leaves open. */
  constructor(
    private readonly netlist: RtlNetlist,
    open: Level = unknown,
  ) {
    const { cells, netCount, ports } = netlist;
    for (const port of ports) if (port.direction === "input") for (const net of port.bits) this.given.add(net);
    this.level = new Uint8Array(netCount).fill(unknown);
    this.level[0] = 0;
    this.level[bit1] = 1;
    this.level[bitX] = open;
    this.isQueued = new Uint8Array(cells.length);
    this.rank = ranksOf(netlist);
    for (let net = 0; net < netCount; net++) this.fanout.push([]);
    const groupOf = new Map<number, ClockGroup>();
    const clocked = (net: number, c: number) => {
      let group = groupOf.get(net);
      if (!group) {
        group = { net, before: unknown, cells: [] };
        groupOf.set(net, group);
        this.groups.push(group);
      }
      if (group.cells[group.cells.length - 1] !== c) group.cells.push(c);
    };
    cells.forEach((cell, c) => {
      const { kind, inputs } = cell;
      if (kind === "block") return;
      if (kind === "ff") {
        clocked(inputs[1][0], c);
        if (cell.modes!.asyncReset && inputs[3]?.length) this.resets.push(c);
        this.put(cell.output, levels(cell.modes!.init));
        return;
      }
      if (kind === "mem") {
        const memory = cell.memory!;
        this.words.set(c, contentsOf(memory.width, memory.depth, memory.init));
        for (let port = 0; port < memory.writes.length; port++) clocked(inputs[memory.reads + 4 * port + 3][0], c);
      }
      const seen = new Set<number>();
      const heard = kind === "mem" ? inputs.slice(0, cell.memory!.reads) : inputs;
      for (const bits of heard)
        for (const net of bits)
          if (net >= firstNet && !seen.has(net)) {
            seen.add(net);
            this.fanout[net].push(c);
          }
      this.enqueue(c);
    });
  }

  set(net: number, level: Level): void {
    if (net < firstNet || this.level[net] === level) return;
    this.level[net] = level;
    for (const c of this.fanout[net]) this.enqueue(c);
  }

  /**
   * Lets what has been set take effect: logic, then registers whose clocks have changed, all at once, and so on.
   * @throws Unsettled
   */
  settle(): void {
    for (let turn = 0; ; turn++) {
      if (turn > 1000) throw new Unsettled();
      this.logic();
      if (!this.started) {
        // inputs begin with their levels; how others come to theirs may count as an edge in a simulation
        this.started = true;
        for (const group of this.groups) if (this.given.has(group.net)) group.before = this.level[group.net];
      }
      const changes: [number, Uint8Array][] = [];
      const writes: (() => void)[] = [];
      for (const group of this.groups) {
        const now = this.level[group.net];
        const { before } = group;
        if (before === now) continue;
        group.before = now;
        for (const c of group.cells) {
          const cell = this.netlist.cells[c];
          if (cell.kind === "ff") {
            const edge = edgeOf(before, now, cell.modes!.clockRising);
            if (edge) changes.push([c, this.next(cell, edge === unknown)]);
          } else this.write(c, cell, group.net, before, now, writes);
        }
      }
      let moved = false;
      for (const [c, value] of changes) moved = this.put(this.netlist.cells[c].output, value) || moved;
      for (const run of writes) run();
      moved = moved || writes.length > 0;
      for (const c of this.resets) {
        const cell = this.netlist.cells[c];
        const reset = this.level[cell.inputs[3][0]];
        if (reset === 0) continue;
        const to = levels(cell.modes!.resetValue);
        const value = cell.output.map((net, i) => (reset === 1 || this.level[net] === to[i] ? to[i] : unknown));
        moved = this.put(cell.output, value) || moved;
      }
      if (!moved) return;
    }
  }

  /** Everything that does not wait for clocks. */
  private logic(): void {
    const { queues, netlist, isQueued } = this;
    let budget = 64 * netlist.cells.length + 4096;
    while (this.lowest < queues.length) {
      const queue = queues[this.lowest];
      const c = queue?.pop();
      if (c === undefined) {
        this.lowest++;
        continue;
      }
      isQueued[c] = 0;
      if (budget-- === 0) throw new Unsettled();
      this.evaluate(c, netlist.cells[c]);
    }
  }
  private enqueue(c: number): void {
    if (this.isQueued[c]) return;
    this.isQueued[c] = 1;
    const rank = this.rank[c];
    this.queues[rank] ??= [];
    this.queues[rank].push(c);
    if (rank < this.lowest) this.lowest = rank;
  }
  private put(output: readonly number[], value: ArrayLike<number>): boolean {
    let changed = false;
    for (let i = 0; i < output.length; i++) {
      const net = output[i];
      if (net < firstNet || this.level[net] === value[i]) continue;
      this.level[net] = value[i];
      changed = true;
      for (const c of this.fanout[net]) this.enqueue(c);
    }
    return changed;
  }
  private read(bits: readonly number[]): Uint8Array {
    return Uint8Array.from(bits, (net) => this.level[net]);
  }
  private one(bits: readonly number[] | undefined, otherwise: number): number {
    return bits?.length ? this.level[bits[0]] : otherwise;
  }

  /** What a register takes at an edge. */
  private next(cell: RtlCell, isDoubtful: boolean): Uint8Array {
    const { inputs, output, modes } = cell;
    const enable = this.one(inputs[2], 1);
    const reset = this.one(inputs[3], 0);
    const to = levels(modes!.resetValue);
    return Uint8Array.from(output, (net, i) => {
      const q = this.level[net];
      const d = this.level[inputs[0][i]];
      let value = enable === 1 ? d : enable === 0 ? q : d === q ? q : unknown;
      value = reset === 1 ? to[i] : reset === 0 || value === to[i] ? value : unknown;
      return isDoubtful && value !== q ? unknown : value;
    });
  }

  private write(c: number, cell: RtlCell, clock: number, before: number, now: number, writes: (() => void)[]): void {
    const { memory, inputs } = cell;
    const { width, depth, reads } = memory!;
    memory!.writes.forEach((rising, port) => {
      const at = reads + 4 * port;
      if (inputs[at + 3][0] !== clock) return;
      const edge = edgeOf(before, now, rising);
      if (!edge) return;
      const address = numberOf(this.read(inputs[at]));
      const data = this.read(inputs[at + 1]);
      const enables = this.read(inputs[at + 2]);
      if (enables.every((level) => level === 0)) return;
      const words = this.words.get(c)!;
      writes.push(() => {
        if (address === null) words.fill(unknown);
        else if (address < depth)
          for (let i = 0; i < width; i++) {
            if (enables[i] === 0) continue;
            const place = Number(address) * width + i;
            words[place] = enables[i] === 1 && edge === 1 ? data[i] : words[place] === data[i] ? data[i] : unknown;
          }
        this.enqueue(c);
      });
    });
  }

  private evaluate(c: number, cell: RtlCell): void {
    const { kind, inputs, output } = cell;
    const width = output.length;
    const out = new Uint8Array(width);
    const a = inputs.length > 0 ? this.read(inputs[0]) : out;
    const b = inputs.length > 1 ? this.read(inputs[1]) : out;
    switch (kind) {
      case "not":
        for (let i = 0; i < width; i++) out[i] = not(a[i]);
        break;
      case "and":
        for (let i = 0; i < width; i++) out[i] = and(a[i], b[i]);
        break;
      case "or":
        for (let i = 0; i < width; i++) out[i] = not(and(not(a[i]), not(b[i])));
        break;
      case "xor":
        for (let i = 0; i < width; i++) out[i] = xor(a[i], b[i]);
        break;
      case "mux": {
        const no = this.read(inputs[2]);
        for (let i = 0; i < width; i++) out[i] = a[0] === 1 ? b[i] : a[0] === 0 || b[i] === no[i] ? no[i] : unknown;
        break;
      }
      case "redand":
        out[0] = a.reduce(and, 1);
        break;
      case "redor":
        out[0] = not(a.reduce((all, level) => and(all, not(level)), 1));
        break;
      case "redxor":
        out[0] = a.reduce(xor, 0);
        break;
      case "add":
      case "sub": {
        let carry = kind === "sub" ? 1 : 0;
        for (let i = 0; i < width; i++) {
          const y = kind === "sub" ? not(b[i]) : b[i];
          out[i] = xor(xor(a[i], y), carry);
          carry = majority(a[i], y, carry);
        }
        break;
      }
      case "eq":
        out[0] = a.reduce((all, level, i) => and(all, not(xor(level, b[i]))), 1);
        break;
      case "lt": {
        // a higher bit that differs decides
        let value = 0;
        for (let i = 0; i < a.length; i++) {
          const isSign = cell.signed && i === a.length - 1;
          const [x, y] = isSign ? [b[i], a[i]] : [a[i], b[i]];
          const differs = xor(x, y);
          if (differs === 1) value = y;
          else if (differs === unknown && (y !== unknown ? y : not(x)) !== value) value = unknown;
        }
        out[0] = value;
        break;
      }
      case "mul":
      case "div":
      case "mod":
        this.divideOrMultiply(cell, a, b, out);
        break;
      case "shl":
      case "shr":
      case "sshr": {
        const by = numberOf(b);
        const end = kind === "sshr" ? a[width - 1] : 0;
        if (by === null) out.fill(a.every((level) => level === end) ? end : unknown);
        else
          for (let i = 0; i < width; i++) {
            const from = kind === "shl" ? BigInt(i) - by : BigInt(i) + by;
            out[i] = from >= 0n && from < BigInt(width) ? a[Number(from)] : kind === "shl" ? 0 : end;
          }
        break;
      }
      case "latch": {
        const enable = b[0];
        for (let i = 0; i < width; i++) {
          const q = this.level[output[i]];
          out[i] = enable === 1 ? a[i] : enable === 0 || a[i] === q ? q : unknown;
        }
        break;
      }
      case "mem": {
        const { width: size, depth, reads } = cell.memory!;
        const words = this.words.get(c)!;
        for (let port = 0; port < reads; port++) {
          const address = numberOf(this.read(inputs[port]));
          const isThere = address !== null && address < BigInt(depth);
          for (let i = 0; i < size; i++) out[port * size + i] = isThere ? words[Number(address) * size + i] : unknown;
        }
        break;
      }
      default:
        return;
    }
    this.put(output, out);
  }

  private divideOrMultiply(cell: RtlCell, a: Uint8Array, b: Uint8Array, out: Uint8Array): void {
    const width = out.length;
    const plain = [numberOf(a), numberOf(b)];
    if (plain[0] === null || plain[1] === null || (cell.kind !== "mul" && plain[1] === 0n)) {
      // nothing times anything is nothing
      const isZero = cell.kind === "mul" && (plain[0] === 0n || plain[1] === 0n);
      out.fill(isZero ? 0 : unknown);
      return;
    }
    const [x, y] = cell.signed
      ? [BigInt.asIntN(a.length, plain[0]), BigInt.asIntN(b.length, plain[1])]
      : [plain[0], plain[1]];
    const value = BigInt.asUintN(width, cell.kind === "mul" ? x * y : cell.kind === "div" ? x / y : x % y);
    for (let i = 0; i < width; i++) out[i] = Number((value >> BigInt(i)) & 1n);
  }
}

function not(a: number): number {
  return a === unknown ? unknown : 1 - a;
}
function and(a: number, b: number): number {
  return a === 0 || b === 0 ? 0 : a === 1 && b === 1 ? 1 : unknown;
}
function xor(a: number, b: number): number {
  return a === unknown || b === unknown ? unknown : a ^ b;
}
function majority(a: number, b: number, c: number): number {
  if (a === b && a !== unknown) return a;
  if (a === c && a !== unknown) return a;
  return b === c ? b : unknown;
}
/** 1: an edge; 2: perhaps one; 0: none. */
function edgeOf(before: number, now: number, rising: boolean): number {
  const [from, to] = rising ? [0, 1] : [1, 0];
  if (before === from && now === to) return 1;
  return before !== to && now !== from && (before === unknown || now === unknown) ? unknown : 0;
}
/** The number that levels make, lowest first; null if one is unknown. */
function numberOf(bits: Uint8Array): bigint | null {
  let value = 0n;
  for (let i = bits.length - 1; i >= 0; i--) {
    if (bits[i] === unknown) return null;
    value = (value << 1n) | BigInt(bits[i]);
  }
  return value;
}
/** Characters, most significant first, to levels, lowest first. */
function levels(text: string): Uint8Array {
  const made = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) {
    const character = text[text.length - 1 - i];
    made[i] = character === "0" ? 0 : character === "1" ? 1 : unknown;
  }
  return made;
}
function contentsOf(width: number, depth: number, init: string | null): Uint8Array {
  const words = new Uint8Array(width * depth);
  if (init === null) return words;
  const digits = Math.ceil(width / 4);
  for (let at = 0; at < depth; at++) {
    const text = init.slice(at * digits, (at + 1) * digits);
    for (let i = 0; i < width; i++)
      words[at * width + i] = (Number.parseInt(text[digits - 1 - (i >> 2)], 16) >> (i & 3)) & 1;
  }
  return words;
}

/** [cells] An order in which each cell mostly comes behind what it reads; cells on loops come last. */
function ranksOf({ cells, netCount }: RtlNetlist): Int32Array {
  const driver = new Int32Array(netCount).fill(-1);
  cells.forEach((cell, c) => {
    if (cell.kind !== "ff" && cell.kind !== "block") for (const net of cell.output) driver[net] = c;
  });
  const heardBy = (cell: RtlCell) => (cell.kind === "mem" ? cell.inputs.slice(0, cell.memory!.reads) : cell.inputs);
  const waits = new Int32Array(cells.length);
  const readers: number[][] = cells.map(() => []);
  cells.forEach((cell, c) => {
    if (cell.kind === "ff" || cell.kind === "block") return;
    const from = new Set<number>();
    for (const bits of heardBy(cell)) for (const net of bits) if (driver[net] >= 0) from.add(driver[net]);
    waits[c] = from.size;
    for (const each of from) readers[each].push(c);
  });
  const rank = new Int32Array(cells.length);
  const ready: number[] = [];
  const isDone = new Uint8Array(cells.length);
  for (let c = 0; c < cells.length; c++) if (waits[c] === 0) ready.push(c);
  let highest = 0;
  for (let head = 0; head < ready.length; head++) {
    const c = ready[head];
    isDone[c] = 1;
    highest = Math.max(highest, rank[c]);
    for (const reader of readers[c]) {
      rank[reader] = Math.max(rank[reader], rank[c] + 1);
      if (--waits[reader] === 0) ready.push(reader);
    }
  }
  for (let c = 0; c < cells.length; c++) if (!isDone[c]) rank[c] = highest + 1;
  return rank;
}
