import type { BlockFamily } from "../device/blocks/description.ts";
import {
  type MemoryModes,
  type MemoryPortModes,
  memoryAddressBits,
  memoryBlockPins,
  memoryWidth,
  writeMode,
} from "../device/blocks/memory.ts";
import type { InferredItem } from "../netlist/inferred.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import { type Bits, bit0, bit1, type RtlCell, type RtlMemory } from "../netlist/rtl.ts";
import { MemoryReads, type SyncRead, same, type WritePort } from "./memory-reads.ts";
import type { RtlEditor } from "./rtl-editor.ts";

/** Memories of no more bits are logic: a block would be mostly empty. */
const smallBits = 256;
/** A table of constants of at most so many LUTs is logic. */
const smallRomLuts = 24;

/** One copy of the memory's contents behind two physical ports. */
interface Replica {
  readonly ports: readonly { write: WritePort | null; read: SyncRead | null }[];
}

/**
 * Puts each `mem` cell onto memory blocks, with the registers around it that a block has inside, or makes logic of it.
 * @returns What became of each, for people.
 */
export function mapMemories(editor: RtlEditor, family: BlockFamily): InferredItem[] {
  const items: InferredItem[] = [];
  editor.netlist.cells.forEach((cell, c) => {
    if (cell.kind === "mem") items.push(new MemoryMapper(editor, family, cell, c).run());
  });
  return items;
}

class MemoryMapper {
  private readonly memory: RtlMemory;
  private readonly addresses: readonly Bits[];
  private readonly reads: MemoryReads;
  private mayHold = true;
  private readonly writes: WritePort[] = [];

  constructor(
    private readonly editor: RtlEditor,
    private readonly family: BlockFamily,
    private readonly cell: RtlCell,
    private readonly id: number,
  ) {
    this.memory = cell.memory!;
    const { reads, writes } = this.memory;
    this.addresses = cell.inputs.slice(0, reads);
    writes.forEach((rising, w) => {
      const [address, data, enable, clock] = cell.inputs.slice(reads + 4 * w, reads + 4 * w + 4);
      if (enable.every((bit) => bit === bit0)) return;
      this.writes.push({ address, data, enable, clock: clock[0], rising });
    });
    this.reads = new MemoryReads(editor, cell, this.addresses, this.writes);
  }

  run(): InferredItem {
    const { memory, cell } = this;
    const bits = memory.width * memory.depth;
    const name = ownerOfName(cell.name, "mem");
    const shape = `${memory.depth} x ${memory.width}`;
    const item = (becomes: InferredItem["becomes"], count: number, reason: string): InferredItem => ({
      kind: "memory",
      name,
      origin: this.id,
      shape: `${shape}, ${this.writes.length} write, ${memory.reads} read`,
      becomes,
      count,
      reason,
    });
    const wish = this.editor.wishes.of(cell).memory_as;
    const reason = wish === "logic" ? "the source asks for logic" : wish === "blocks" ? null : this.smallReason(bits);
    let plan: Replica[] | string = reason ?? "";
    if (!reason) {
      if (this.family.memory === "none") plan = `${this.family.name} has no memory blocks`;
      else plan = this.plan();
    }
    if (typeof plan === "string") {
      const [first, second] = this.writes;
      if (second && (second.clock !== first.clock || second.rising !== first.rising))
        return { ...item("logic", 0, plan), failure: "it is written at two clocks, which only a memory block can do" };
      this.editor.from(this.id, () => this.asLogic());
      this.editor.remove(this.id);
      return item("logic", 0, plan);
    }
    const chosen = plan;
    let count = 0;
    this.editor.from(this.id, () => {
      for (const replica of chosen) count += this.emit(replica);
    });
    this.editor.remove(this.id);
    const reads = chosen.flatMap((replica) => replica.ports.flatMap((port) => port.read ?? []));
    const notes = [
      chosen.length > 1 ? `${chosen.length} copies, one for each read port` : "",
      reads.some((read) => read.sees === "hold") ? "the output holds while its port writes" : "",
      reads.some((read) => read.sees === "new")
        ? "a read sees what is written at the same edge"
        : reads.some((read) => read.sees === "old")
          ? "a read sees the word before"
          : "",
      reads.some((read) => read.outputRegister) ? "output registers inside" : "",
    ].filter((note) => note !== "");
    return item("memory block", count, notes.join("; "));
  }

  private smallReason(bits: number): string | null {
    if (this.writes.length === 0) {
      const perBit = Math.ceil(this.memory.depth / 2 ** this.family.lutInputs);
      if (Math.ceil(perBit * 1.3) * this.memory.width * this.memory.reads <= smallRomLuts)
        return "a table this small takes few LUTs";
      return null;
    }
    return bits <= smallBits ? `${bits} bits are too few for a block` : null;
  }

  /** Ports paired up onto physical ones, or why not. */
  private plan(): Replica[] | string {
    const { writes } = this;
    const reads: SyncRead[] = [];
    for (let r = 0; r < this.memory.reads; r++) {
      const read = this.reads.find(r);
      if (typeof read === "string") return read;
      if (read.out.some((net) => net >= 0)) reads.push(read);
    }
    // a port that holds shows the other one the word before
    this.mayHold = reads.every((read) => read.sees !== "new");
    if (writes.length === 2 && this.family.memory === "simple")
      return `two write ports, and ${this.family.name} has one`;
    const alone = (read: SyncRead | null) => ({ write: null, read });
    if (writes.length === 0) {
      const replicas: Replica[] = [];
      const step = this.family.memory === "dual" ? 2 : 1;
      for (let i = 0; i < reads.length; i += step)
        replicas.push({
          ports: step === 2 ? [alone(reads[i]), alone(reads[i + 1] ?? null)] : [alone(null), alone(reads[i])],
        });
      return replicas;
    }
    if (writes.length === 1) {
      const [write] = writes;
      const open = [...reads];
      const replicas: Replica[] = [];
      if (this.family.memory === "dual") {
        // a port of its own is as good, but for a read that waits while the port writes
        const at = open.findIndex((read) => (open.length > 1 && this.shares(write, read)) || this.held(write, read));
        if (at >= 0) {
          const [read] = open.splice(at, 1);
          const own = this.shares(write, read) ? read : this.held(write, read)!;
          const other = open.findIndex((read) => agree(read, own));
          replicas.push({ ports: [{ write, read: own }, alone(other >= 0 ? open.splice(other, 1)[0] : null)] });
        }
      }
      for (const read of open) replicas.push({ ports: [{ write, read: null }, alone(read)] });
      return replicas;
    }
    // two write ports take both physical ones: each read must be at one of them
    const open = [...reads];
    const replicas: Replica[] = [];
    while (open.length) {
      let first: SyncRead | null = null;
      const ports = writes.map((write) => {
        const at = open.findIndex(
          (read) => (this.shares(write, read) && (!first || agree(read, first))) || this.held(write, read),
        );
        const found = at >= 0 ? open.splice(at, 1)[0] : null;
        const read = found && (this.shares(write, found) ? found : this.held(write, found));
        if (read?.sees !== "hold") first ??= read;
        return { write, read };
      });
      if (ports.every((port) => port.read === null))
        return "it has two write ports, and a read at an address or clock that neither writes at";
      replicas.push({ ports });
    }
    return replicas;
  }

  /** True if the read can use the write's physical port: one address and clock, and an enable that serves both. */
  private shares(write: WritePort, read: SyncRead): boolean {
    if (!same(write.address, read.address) || write.clock !== read.clock || write.rising !== read.rising) return false;
    if (read.enable < 0) return true;
    return write.enable.every((net) => net === bit0 || this.implies(net, read.enable));
  }

  /**
   * The read as it shares the write's port where it takes no word while that writes: the output holds then.
   * Null if it is no such read. Only for memories of one bank: the others would go on reading.
   */
  private held(write: WritePort, read: SyncRead): SyncRead | null {
    if (!same(write.address, read.address) || write.clock !== read.clock || write.rising !== read.rising) return null;
    const wanted = write.enable[0];
    if (!this.mayHold || read.sees === "new") return null;
    if (read.enable < 0 || write.enable.some((net) => net !== wanted)) return null;
    const { writeOnly, both } = this.splitEnable(wanted, read.enable);
    if (!writeOnly) return null;
    const made: SyncRead = { ...read, enable: both, sees: "hold" };
    return this.shapeOf({ ports: [{ write, read: made }] }).banks === 1 ? made : null;
  }

  /** Takes apart write = both AND select, read = both AND NOT select; `both` is -1 for always. */
  private splitEnable(write: number, read: number): { writeOnly: boolean; both: number } {
    const isNot = (net: number, of: number) => {
      const not = this.editor.driverOfKind(net, "not");
      return not?.cell.inputs[0][not.bit] === of;
    };
    if (isNot(read, write)) return { writeOnly: true, both: -1 };
    const parts = (net: number) => {
      const and = this.editor.driverOfKind(net, "and");
      return and ? and.cell.inputs.map((input) => input[and.bit]) : [];
    };
    for (const both of parts(read))
      for (const select of parts(write)) {
        const [other] = parts(read).filter((net) => net !== both);
        if (other !== undefined && parts(write).includes(both) && select !== both && isNot(other, select))
          return { writeOnly: true, both };
      }
    return { writeOnly: false, both: -1 };
  }

  /** True if a net can only be 1 while another is: it is the other, or an AND with it. */
  private implies(net: number, other: number): boolean {
    if (net === other) return true;
    const and = this.editor.driverOfKind(net, "and");
    return and?.cell.inputs.some((input) => this.implies(input[and.bit], other)) ?? false;
  }

  /** The word width (as a power of two) that takes the fewest blocks; banks follow one another in depth. */
  private shapeOf(replica: Replica): { w: number; slices: number[][]; banks: number } {
    const { family, memory } = this;
    const totalBits = 2 ** memoryAddressBits(family);
    const lanes = lanesOf(replica, memory.width);
    let best: { w: number; slices: number[][]; banks: number } | null = null;
    for (let w = 0; 2 ** w <= memoryWidth(family); w++) {
      const slices = sliceWord(lanes, w);
      const banks = Math.ceil(memory.depth / (totalBits >> w));
      const count = slices.length * banks;
      const known = best ? best.slices.length * best.banks : Infinity;
      if (count < known || (count === known && banks < best!.banks)) best = { w, slices, banks };
    }
    return best!;
  }

  /** Makes the blocks of a replica. @returns Their number. */
  private emit(replica: Replica): number {
    const { editor, family, memory } = this;
    const { builder } = editor;
    const { width } = memory;
    const { w, slices, banks } = this.shapeOf(replica);
    const perBank = (2 ** memoryAddressBits(family)) >> w;
    const pins = memoryBlockPins(family);
    const pinAt = new Map(pins.inputs.map((name, i) => [name, i]));
    const outAt = new Map(pins.outputs.map((name, i) => [name, i]));
    const lowBits = Math.log2(perBank);
    const letters = ["A", "B"];
    for (const { read } of replica.ports) for (const { cell, bit } of read?.replaced ?? []) editor.removeBit(cell, bit);

    // words of each bank, for the banks' multiplexers: [port][bank][bit]
    const words: (number[][] | null)[] = replica.ports.map(({ read }) =>
      read && banks > 1 ? Array.from({ length: banks }, () => new Array<number>(width).fill(bit0)) : null,
    );
    for (let bank = 0; bank < banks; bank++) {
      for (const slice of slices) {
        const inputs: Bits[] = Array.from({ length: pins.inputs.length + pins.clocks }, () => []);
        const put = (name: string, net: number) => {
          const at = pinAt.get(name);
          if (at !== undefined && net !== bit0) inputs[at] = [net];
        };
        const outputPins: number[] = [];
        const output: number[] = [];
        const modes: MemoryPortModes[] = replica.ports.map(({ write, read }, p) => {
          const letter = letters[p];
          const address = read?.address ?? write?.address ?? [];
          for (let j = 0; j < lowBits && j < address.length; j++) put(`A${letter}${w + j}`, address[j]);
          const hit =
            write && banks > 1
              ? builder.eq(write.address.slice(lowBits), constantBits(bank, write.address.length - lowBits))
              : bit1;
          slice.forEach((bit, place) => {
            if (bit < 0) return;
            if (write) {
              put(`D${letter}${place}`, write.data[bit]);
              const byte = `W${letter}${place >> 3}`;
              if (inputs[pinAt.get(byte)!].length === 0) put(byte, builder.and([write.enable[bit]], [hit])[0]);
            }
            if (read && read.out[bit] >= 0) {
              outputPins.push(outAt.get(`Q${letter}${place}`)!);
              if (banks === 1) output.push(read.out[bit]);
              else {
                const [net] = builder.nets(1);
                words[p]![bank][bit] = net;
                output.push(net);
              }
            }
          });
          if (read && read.enable >= 0) put(`E${letter}`, read.enable);
          if (read && read.reset >= 0) put(`R${letter}`, read.reset);
          const port = write ?? read;
          if (port && port.clock !== bit0) inputs[pins.inputs.length + p] = [port.clock];
          return {
            width: w,
            writeMode: !write ? writeMode.old : read?.sees === "hold" ? writeMode.hold : this.modeOf(replica),
            outputRegister: read?.outputRegister ?? false,
            enableUsed: read !== null && read.enable >= 0,
            clockFalling: port ? !port.rising : false,
          };
        });
        builder.add("block", inputs, output.length, false, null, output, undefined, {
          modes: memoryModes(modes, this.contents(slice, bank * perBank, perBank, w)),
          outputPins,
        });
      }
    }
    replica.ports.forEach(({ read }, p) => {
      if (read && words[p]) this.joinBanks(read, words[p], lowBits);
    });
    return slices.length * banks;
  }

  private modeOf(replica: Replica): 0 | 1 | 2 {
    return replica.ports.some((port) => port.read?.sees === "new") ? writeMode.new : writeMode.old;
  }

  /** Chooses the bank by the upper address bits, as they were when it was read. */
  private joinBanks(read: SyncRead, banks: readonly number[][], lowBits: number): void {
    const { builder } = this.editor;
    let upper: Bits = read.address.slice(lowBits);
    const enable = read.enable >= 0 ? [read.enable] : [];
    const modes = (n: number) => ({
      clockRising: read.rising,
      asyncReset: false,
      resetValue: "x".repeat(n),
      init: "0".repeat(n),
    });
    upper = builder.add("ff", [upper, [read.clock], enable, []], upper.length, false, modes(upper.length));
    if (read.outputRegister)
      upper = builder.add("ff", [upper, [read.clock], [], []], upper.length, false, modes(upper.length));
    const used = read.out.map((_, i) => i).filter((i) => read.out[i] >= 0);
    let level = banks.map((word) => used.map((i) => word[i]));
    for (let bit = 0; level.length > 1; bit++) {
      const next: number[][] = [];
      for (let i = 0; i < level.length; i += 2)
        next.push(i + 1 < level.length ? builder.mux(upper[bit], level[i + 1], level[i]) : level[i]);
      level = next;
    }
    // a plain wire from the multiplexer to the nets that the registers drove
    builder.add(
      "or",
      [level[0], used.map(() => bit0)],
      used.length,
      false,
      null,
      used.map((i) => read.out[i]),
    );
  }

  /** Bits of a block, in hex; null if all are 0. */
  private contents(slice: readonly number[], firstWord: number, words: number, w: number): string | null {
    const { init, width, depth } = this.memory;
    if (init === null) return null;
    const digits = Math.ceil(width / 4);
    const step = 2 ** w;
    const bits = new Uint8Array(words * step);
    let any = false;
    for (let word = 0; word < words && firstWord + word < depth; word++) {
      const text = init.slice((firstWord + word) * digits, (firstWord + word + 1) * digits);
      slice.forEach((bit, place) => {
        if (bit < 0) return;
        const digit = Number.parseInt(text[digits - 1 - (bit >> 2)], 16);
        if ((digit >> (bit & 3)) & 1) {
          bits[word * step + place] = 1;
          any = true;
        }
      });
    }
    if (!any) return null;
    let hex = "";
    for (let at = bits.length - 4; at >= 0; at -= 4)
      hex += (bits[at] | (bits[at + 1] << 1) | (bits[at + 2] << 2) | (bits[at + 3] << 3)).toString(16);
    return hex;
  }

  /** Registers with a decoder, or a table, and a tree of multiplexers for each read port. */
  private asLogic(): void {
    const { memory, cell, writes } = this;
    const { builder } = this.editor;
    const { width, depth, init } = memory;
    const digits = Math.ceil(width / 4);
    const words: Bits[] = [];
    for (let word = 0; word < depth; word++) {
      const text = init?.slice(word * digits, (word + 1) * digits) ?? "0";
      const start = BigInt(`0x${text || "0"}`);
      const startBits = Array.from({ length: width }, (_, i) => ((start >> BigInt(i)) & 1n ? bit1 : bit0));
      if (writes.length === 0) {
        words.push(startBits);
        continue;
      }
      const sameEnables = (a: number, b: number) => writes.every((write) => write.enable[a] === write.enable[b]);
      const hits = writes.map((write) => {
        const at = builder.eq(write.address, constantBits(word, write.address.length));
        return write.enable.map((net) => builder.and([net], [at])[0]);
      });
      const q = builder.nets(width);
      // runs of bits with the same enables are one register
      for (let from = 0; from < width; ) {
        let to = from + 1;
        while (to < width && sameEnables(from, to)) to++;
        let d: Bits = q.slice(from, to);
        let enable: number = bit0;
        writes.forEach((write, w) => {
          const hit = hits[w][from];
          d = w === 0 ? write.data.slice(from, to) : builder.mux(hit, write.data.slice(from, to), d);
          enable = builder.or([enable], [hit])[0];
        });
        const text = startBits
          .slice(from, to)
          .reverse()
          .map((bit) => (init === null ? "x" : bit === bit1 ? "1" : "0"))
          .join("");
        if (enable !== bit0)
          builder.add(
            "ff",
            [d, [writes[0].clock], enable === bit1 ? [] : [enable], []],
            to - from,
            false,
            { clockRising: writes[0].rising, asyncReset: false, resetValue: "x".repeat(to - from), init: text },
            q.slice(from, to),
          );
        from = to;
      }
      words.push(q);
    }
    this.addresses.forEach((address, r) => {
      let level = words;
      for (let bit = 0; level.length > 1; bit++) {
        const next: Bits[] = [];
        for (let i = 0; i < level.length; i += 2)
          next.push(i + 1 < level.length ? builder.mux(address[bit] ?? bit0, level[i + 1], level[i]) : level[i]);
        level = next;
      }
      const out = cell.output.slice(r * width, (r + 1) * width);
      builder.add("or", [level[0], out.map(() => bit0)], width, false, null, out);
    });
  }
}

const agree = (a: SyncRead, b: SyncRead) => a.sees === b.sees || a.sees === "either" || b.sees === "either";

function constantBits(value: number, width: number): number[] {
  return Array.from({ length: width }, (_, i) => ((value / 2 ** i) & 1 ? bit1 : bit0));
}

/** Runs of bits that the same enables write. */
function lanesOf(replica: Replica, width: number): number[][] {
  const key = (bit: number) => replica.ports.map((port) => port.write?.enable[bit] ?? -1).join(" ");
  const lanes: number[][] = [];
  let last = "";
  for (let bit = 0; bit < width; bit++) {
    const own = key(bit);
    if (bit > 0 && own === last) lanes[lanes.length - 1].push(bit);
    else lanes.push([bit]);
    last = own;
  }
  return lanes;
}

/** Words of 2^w places that hold the lanes, a byte enable's eight places never shared by two lanes; -1: empty. */
function sliceWord(lanes: readonly number[][], w: number): number[][] {
  const size = 2 ** w;
  const unit = Math.min(8, size);
  const units: number[][] = [];
  for (const lane of lanes)
    for (let i = 0; i < lane.length; i += unit) {
      const part = lane.slice(i, i + unit);
      units.push([...part, ...new Array<number>(unit - part.length).fill(-1)]);
    }
  const slices: number[][] = [];
  for (let i = 0; i < units.length; i += size / unit) slices.push(units.slice(i, i + size / unit).flat());
  return slices;
}

const memoryModes = (ports: MemoryModes["ports"], contents: string | null): MemoryModes => ({
  type: "memory",
  ports,
  contents,
});
