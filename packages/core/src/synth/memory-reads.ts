import { type Bits, bit0, bit1, type RtlCell, type RtlMemory } from "../netlist/rtl.ts";
import type { RtlEditor } from "./rtl-editor.ts";

export interface WritePort {
  readonly address: Bits;
  readonly data: Bits;
  /** A net a bit. */
  readonly enable: Bits;
  readonly clock: number;
  readonly rising: boolean;
}

/** A read port as a block offers it: the word appears at a clock edge. */
export interface SyncRead {
  readonly address: Bits;
  readonly clock: number;
  readonly rising: boolean;
  /** Net, or -1 for always. */
  readonly enable: number;
  readonly reset: number;
  /** What a read of a word sees that is written at the same edge. */
  readonly sees: "old" | "new" | "hold" | "either";
  /** [width] Net that takes each bit; -1 where nobody does. */
  readonly out: number[];
  readonly outputRegister: boolean;
  /** Register bits that the block's own output takes the place of. */
  readonly replaced: readonly { readonly cell: number; readonly bit: number }[];
}

export const same = (a: Bits, b: Bits): boolean => a.length === b.length && a.every((bit, i) => bit === b[i]);

/** The registers around a memory's read ports that a block has inside. */
export class MemoryReads {
  private readonly memory: RtlMemory;

  constructor(
    private readonly editor: RtlEditor,
    private readonly cell: RtlCell,
    private readonly addresses: readonly Bits[],
    private readonly writes: readonly WritePort[],
  ) {
    this.memory = cell.memory!;
  }

  /** Finds the registers that make a read wait for a clock, or says why there are none. */
  find(r: number): SyncRead | string {
    const { width } = this.memory;
    const data = this.cell.output.slice(r * width, (r + 1) * width);
    const byData = this.registeredData(r, data);
    if (typeof byData !== "string") return byData;
    const byAddress = this.registeredAddress(r, data);
    return typeof byAddress === "string" ? byData : byAddress;
  }

  private registeredData(r: number, data: Bits): SyncRead | string {
    const { editor } = this;
    const out: number[] = new Array(data.length).fill(-1);
    const replaced: { cell: number; bit: number }[] = [];
    let first: RtlCell | null = null;
    let select = -1;
    const taken: number[] = []; // data that a write puts straight into the register, by bit
    for (let i = 0; i < data.length; i++) {
      if (!editor.isRead(data[i])) continue;
      let reader = editor.onlyReader(data[i]);
      if (!reader) return "a word is read without a clock, or by more than one register";
      let own = -1;
      const through = editor.cell(reader.cell);
      if (through.kind === "mux" && reader.input === 2) {
        own = through.inputs[0][0];
        taken[i] = through.inputs[1][reader.bit];
        reader = editor.onlyReader(through.output[reader.bit]);
        if (!reader) return "a word is read without a clock";
      }
      const ff = editor.cell(reader.cell);
      if (ff.kind !== "ff" || reader.input !== 0) return "a word is read without a clock";
      if (first === null) {
        first = ff;
        select = own;
      } else if (own !== select || !sameControl(first, ff))
        return "parts of a word go to registers that differ in clock, enable or reset";
      const modes = ff.modes!;
      const pick = (text: string) => text[text.length - 1 - reader.bit];
      if (modes.asyncReset && ff.inputs[3].length) return "its output register is reset without the clock";
      if (pick(modes.init) === "1") return "its output register starts with 1, which a block's cannot";
      if (ff.inputs[3].length && pick(modes.resetValue) === "1")
        return "its output register is reset to 1, which a block's cannot be";
      out[i] = ff.output[reader.bit];
      replaced.push({ cell: reader.cell, bit: reader.bit });
    }
    const address = this.addresses[r];
    if (!first)
      return {
        address,
        clock: bit0,
        rising: true,
        enable: -1,
        reset: -1,
        sees: "either",
        out,
        outputRegister: false,
        replaced,
      };
    const clock = first.inputs[1][0];
    const rising = first.modes!.clockRising;
    const enable = first.inputs[2][0] ?? -1;
    const reset = first.inputs[3][0] ?? -1;
    const atClock = this.writes.some((write) => write.clock === clock && write.rising === rising);
    let sees: SyncRead["sees"] = atClock ? "old" : "either";
    if (select >= 0) {
      const writes = (write: WritePort) =>
        write.clock === clock &&
        write.rising === rising &&
        same(write.address, address) &&
        write.enable.every((net) => net === select || this.isBoth(net, select, enable)) &&
        data.every((_, i) => taken[i] === undefined || taken[i] === write.data[i]);
      if (this.writes.length !== 1 || !writes(this.writes[0]))
        return "what its output register takes besides is not what is written";
      sees = "new";
    }
    return this.withOutputRegister({
      address,
      clock,
      rising,
      enable,
      reset,
      sees,
      out,
      outputRegister: false,
      replaced,
    });
  }

  /** net = select AND enable. */
  private isBoth(net: number, select: number, enable: number): boolean {
    const and = this.editor.driverOfKind(net, "and");
    if (!and || enable < 0) return false;
    const [a, b] = and.cell.inputs.map((input) => input[and.bit]);
    return (a === select && b === enable) || (a === enable && b === select);
  }

  /** A second rank of registers right behind the first, without an enable, is the block's output register; it can be reset. */
  private withOutputRegister(read: SyncRead): SyncRead {
    const { editor } = this;
    const out = [...read.out];
    const replaced = [...read.replaced];
    if (read.reset >= 0) return read;
    let reset: number | null = null;
    for (let i = 0; i < out.length; i++) {
      if (out[i] < 0) continue;
      const reader = editor.onlyReader(out[i]);
      const ff = reader && editor.cell(reader.cell);
      if (!reader || !ff || ff.kind !== "ff" || reader.input !== 0) return read;
      const modes = ff.modes!;
      const isOne = (text: string) => text[text.length - 1 - reader.bit] === "1";
      const atClock = ff.inputs[1][0] === read.clock && modes.clockRising === read.rising;
      const own: number = ff.inputs[3][0] ?? -1;
      if (ff.inputs[2].length || !atClock || isOne(modes.init) || (reset !== null && own !== reset)) return read;
      if (own >= 0 && (modes.asyncReset || isOne(modes.resetValue))) return read;
      reset = own;
      replaced.push({ cell: reader.cell, bit: reader.bit });
      out[i] = ff.output[reader.bit];
    }
    return { ...read, out, replaced, outputRegister: true, reset: reset ?? -1 };
  }

  /** The address comes straight from a register: the block takes the address that the register is about to. */
  private registeredAddress(r: number, data: Bits): SyncRead | string {
    const { editor } = this;
    const none = "a word is read without a clock";
    let first: RtlCell | null = null;
    const address: number[] = [];
    for (const net of this.addresses[r]) {
      if (net <= bit1) {
        address.push(net);
        continue;
      }
      const ff = editor.driverOfKind(net, "ff");
      if (!ff || ff.cell.inputs[3].length) return none;
      if (first && !sameControl(first, ff.cell)) return none;
      first = ff.cell;
      const { init } = ff.cell.modes!;
      if (init[init.length - 1 - ff.bit] !== "x" && this.memory.init !== null) return none;
      address.push(ff.cell.inputs[0][ff.bit]);
    }
    if (!first) return none;
    const clock = first.inputs[1][0];
    const rising = first.modes!.clockRising;
    const enable = first.inputs[2][0] ?? -1;
    // between two edges of the address register nothing may change behind the address
    if (this.writes.some((write) => write.clock !== clock || write.rising !== rising)) return none;
    if (this.writes.length && enable >= 0)
      return "its address register has an enable, so that a write may change the word that is being read";
    const out = data.map((net) => (editor.isRead(net) ? net : -1));
    return this.withOutputRegister({
      address,
      clock,
      rising,
      enable,
      reset: -1,
      sees: this.writes.length ? "new" : "either",
      out,
      outputRegister: false,
      replaced: [],
    });
  }
}

function sameControl(a: RtlCell, b: RtlCell): boolean {
  const net = (cell: RtlCell, i: number) => cell.inputs[i][0] ?? -1;
  return (
    [1, 2, 3].every((i) => net(a, i) === net(b, i)) &&
    a.modes!.clockRising === b.modes!.clockRising &&
    a.modes!.asyncReset === b.modes!.asyncReset
  );
}
