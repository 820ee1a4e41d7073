import {
  accumulatorWidth,
  type MultiplierModes,
  multiplierBlockPins,
  multiplierWidth,
} from "../device/blocks/multiplier.ts";
import type { InferredItem } from "../netlist/inferred.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import { type Bits, bit0, bit1, bitX, type RtlCell } from "../netlist/rtl.ts";
import type { RtlEditor } from "./rtl-editor.ts";

/** Products of narrower operands, or of fewer bits altogether, are logic. */
const leastWidth = 4;
const leastArea = 40;
/** A constant of at most so many digits that are not 0 (in canonical signed form) is a few sums on carry chains. */
const mostDigits = 5;

/** Clock, enable and reset that all registers of a block share. */
interface Control {
  readonly clock: number;
  readonly rising: boolean;
  readonly enable: number;
  readonly reset: number;
}
interface Operand {
  readonly bits: Bits;
  readonly signed: boolean;
}

/**
 * Puts products onto multiplier blocks, largest first, with the registers around them and the sum or accumulator behind
 * them that a block has inside. What finds no block stays logic.
 * @param available Blocks of the part.
 */
export function mapMultipliers(editor: RtlEditor, available: number): InferredItem[] {
  const found: { id: number; x: Operand; y: Operand; area: number; reason: string; isWished: boolean }[] = [];
  editor.netlist.cells.forEach((cell, id) => {
    if (cell.kind !== "mul" || editor.isRemoved(id) || !cell.output.some((net) => editor.isRead(net))) return;
    const x = trim(cell.inputs[0]);
    const y = trim(cell.inputs[1]);
    const area = x.bits.length * y.bits.length;
    const wish = editor.wishes.of(cell).product_as;
    const reason = wish === "logic" ? "the source asks for logic" : wish === "blocks" ? "" : logicReason(x, y, area);
    found.push({ id, x, y, area, reason, isWished: wish === "blocks" });
  });
  // what the source asks for is served first, then the largest
  found.sort((a, b) => Number(b.isWished) - Number(a.isWished) || b.area - a.area || a.id - b.id);
  let left = available;
  return found.map(({ id, x, y, reason }) => {
    const name = ownerOfName(editor.cell(id).name, "mul");
    const shape = `${x.bits.length} x ${y.bits.length}${x.signed || y.signed ? ", signed" : ""}`;
    const item = (becomes: InferredItem["becomes"], count: number, why: string): InferredItem => ({
      kind: "multiplier",
      name,
      origin: id,
      shape,
      becomes,
      count,
      reason: why,
    });
    if (reason) return item("carry chains", 0, reason);
    const chunksX = split(x);
    const chunksY = split(y);
    const need = chunksX.length * chunksY.length;
    if (available === 0) return item("carry chains", 0, "the part has no multiplier blocks");
    if (need > left) return item("carry chains", 0, `all ${available} multiplier blocks are taken by larger products`);
    left -= need;
    let how = "";
    editor.from(id, () => {
      how = need === 1 ? new OneBlock(editor, id, x, y).emit() : emitParts(editor, id, chunksX, chunksY);
    });
    return item("multiplier block", need, how);
  });
}

function logicReason(x: Operand, y: Operand, area: number): string {
  const constant = [x, y].find((each) => each.bits.every((net) => net <= bitX));
  if (constant) {
    const digits = signedDigits(constant);
    if (digits <= mostDigits) return `a product with a constant of ${digits} digits`;
  }
  if (Math.min(x.bits.length, y.bits.length) < leastWidth || area < leastArea) return "a small product";
  return "";
}

function trim(word: Bits): Operand {
  let n = word.length;
  if (word[n - 1] === bit0) {
    while (n > 1 && word[n - 1] === bit0) n--;
    return { bits: word.slice(0, n), signed: false };
  }
  while (n > 1 && word[n - 2] === word[n - 1]) n--;
  return { bits: word.slice(0, n), signed: n < word.length };
}

function signedDigits({ bits, signed }: Operand): number {
  let value = bits.reduce(
    (sum, net, i) => sum + (net === bit1 ? (signed && i === bits.length - 1 ? -1n : 1n) << BigInt(i) : 0n),
    0n,
  );
  let digits = 0;
  while (value !== 0n) {
    if (value & 1n) {
      digits++;
      value -= (value & 3n) === 3n ? -1n : 1n;
    }
    value >>= 1n;
  }
  return digits;
}

/** Parts of at most a block's width; only the top one carries the sign. */
function split({ bits, signed }: Operand): { operand: Operand; shift: number }[] {
  const parts: { operand: Operand; shift: number }[] = [];
  for (let at = 0; at < bits.length; at += multiplierWidth) {
    const isTop = at + multiplierWidth >= bits.length;
    parts.push({ operand: { bits: bits.slice(at, at + multiplierWidth), signed: signed && isTop }, shift: at });
  }
  return parts;
}

/**
 * A product wider than a block: one for each pair of parts. Those of one weight are summed in the blocks' own adders;
 * sums that do not overlap lie in one word, and the words are added on carry chains.
 */
function emitParts(
  editor: RtlEditor,
  id: number,
  chunksX: readonly { operand: Operand; shift: number }[],
  chunksY: readonly { operand: Operand; shift: number }[],
): string {
  const { builder } = editor;
  const out = editor.cell(id).output;
  const n = out.length;
  const byShift = new Map<number, Bits>();
  const countAt = new Map<number, number>();
  for (const x of chunksX)
    for (const y of chunksY) countAt.set(x.shift + y.shift, (countAt.get(x.shift + y.shift) ?? 0) + 1);
  const isNegative = new Set<number>();
  for (const x of chunksX)
    for (const y of chunksY) {
      const shift = x.shift + y.shift;
      if (shift >= n) continue;
      const before = byShift.get(shift);
      // room for every product of this weight
      const width = Math.min(
        n - shift,
        accumulatorWidth,
        2 * multiplierWidth + Math.ceil(Math.log2(countAt.get(shift)!)),
      );
      const nets = builder.nets(width);
      const fill = before && isNegative.has(shift) ? before[before.length - 1] : bit0;
      const c = before ? Array.from({ length: accumulatorWidth }, (_, i) => before[i] ?? fill) : [];
      emitBlock(editor, { x: x.operand, y: y.operand, c, out: nets, control: null, modes: {} });
      byShift.set(shift, nets);
      if (x.operand.signed || y.operand.signed) isNegative.add(shift);
    }
  const rows: { bits: number[]; free: number }[] = [];
  for (const [shift, nets] of [...byShift].sort((a, b) => a[0] - b[0])) {
    const isSigned = isNegative.has(shift);
    let row = rows.find(({ free }) => free <= shift);
    if (!row) {
      row = { bits: new Array<number>(n).fill(bit0), free: 0 };
      rows.push(row);
    }
    for (let i = shift; i < n; i++) row.bits[i] = nets[i - shift] ?? (isSigned ? nets[nets.length - 1] : bit0);
    row.free = isSigned ? n : shift + nets.length;
  }
  const sum = rows.map(({ bits }) => bits as Bits).reduce((a, b) => builder.add("add", [a, b], n));
  editor.remove(id);
  builder.add("or", [sum, out.map(() => bit0)], n, false, null, out);
  return rows.length > 1
    ? "parts of a wider product, summed in the blocks and on carry chains"
    : "parts of a wider product, summed in the blocks";
}

interface BlockPlan {
  readonly x: Operand;
  readonly y: Operand;
  readonly c: Bits;
  /** Net of each bit of the result, -1 where nobody reads it. */
  readonly out: readonly number[];
  readonly control: Control | null;
  readonly modes: Partial<MultiplierModes>;
}

function emitBlock(editor: RtlEditor, { x, y, c, out, control, modes }: BlockPlan): void {
  const pins = multiplierBlockPins;
  const at = new Map(pins.inputs.map((name, i) => [name, i]));
  const inputs: Bits[] = Array.from({ length: pins.inputs.length + 1 }, () => []);
  const put = (name: string, net: number) => {
    if (net !== bit0 && net !== bitX) inputs[at.get(name)!] = [net];
  };
  // a sign goes on to the block's own width
  const operand = (name: string, { bits, signed }: Operand) => {
    for (let i = 0; i < multiplierWidth; i++) put(`${name}${i}`, bits[i] ?? (signed ? bits[bits.length - 1] : bit0));
  };
  operand("LEFT", x);
  operand("RIGHT", y);
  c.forEach((net, i) => {
    if (i < accumulatorWidth) put(`ADDEND${i}`, net);
  });
  if (control) {
    inputs[pins.inputs.length] = [control.clock];
    if (control.enable >= 0) put("E", control.enable);
    if (control.reset >= 0) put("R", control.reset);
  }
  const used = out.map((_, i) => i).filter((i) => out[i] >= 0);
  editor.builder.add(
    "block",
    inputs,
    used.length,
    false,
    null,
    used.map((i) => out[i]),
    undefined,
    {
      modes: {
        type: "multiplier",
        signedLeft: x.signed,
        signedRight: y.signed,
        inputRegister: false,
        productRegister: false,
        outputRegister: false,
        accumulate: false,
        subtract: false,
        enableUsed: control !== null && control.enable >= 0,
        clockFalling: control !== null && !control.rising,
        ...modes,
      },
      outputPins: used.map((i) => Math.min(i, accumulatorWidth - 1)),
    },
  );
}

/** One product with what follows it: a register, a sum, a register. */
class OneBlock {
  private control: Control | null = null;
  private readonly replaced: { cell: number; bit: number }[] = [];

  constructor(
    private readonly editor: RtlEditor,
    private readonly id: number,
    private x: Operand,
    private y: Operand,
  ) {}

  /** @returns What went into the block, in words. */
  emit(): string {
    const { editor } = this;
    const product = editor.cell(this.id).output;
    const words: string[] = [];
    let ranks = 0;
    let value: readonly number[] = product;
    const first = this.register(value);
    if (first) {
      value = first;
      ranks = 1;
    }
    const sum = this.sum(value);
    let c: Bits = [];
    const modes: { -readonly [K in keyof MultiplierModes]?: MultiplierModes[K] } = {};
    if (sum) {
      const behind = this.register(sum.output);
      const isAccumulator = behind?.every((net, i) => net < 0 || net === sum.other[i]) === true;
      // without its own register behind the sum, a register before it can only be the block's last
      if (behind || ranks === 0) {
        modes.productRegister = ranks === 1;
        modes.subtract = sum.subtract;
        modes.outputRegister = behind !== null;
        modes.accumulate = isAccumulator;
        c = isAccumulator ? [] : sum.other;
        value = behind ?? sum.output;
        ranks = -1;
        words.push(isAccumulator ? "accumulates" : sum.subtract ? "subtracts from a sum" : "adds to a sum");
        if (modes.productRegister) words.push("product register inside");
        if (modes.outputRegister && !isAccumulator) words.push("output register inside");
      }
    }
    if (ranks === 1) {
      const second = this.register(value);
      modes.outputRegister = true;
      if (second) {
        value = second;
        modes.productRegister = true;
      }
      words.push(second ? "two registers inside" : "output register inside");
    }
    if (this.takeInputRegisters()) {
      modes.inputRegister = true;
      words.push("input registers inside");
    }
    for (const { cell, bit } of this.replaced) editor.removeBit(cell, bit);
    editor.remove(this.id);
    const out = value.map((net) => (net >= 0 && (value !== product || editor.isRead(net)) ? net : -1));
    emitBlock(editor, { x: this.x, y: this.y, c, out, control: this.control, modes });
    return words.join("; ");
  }

  /**
   * Registers that take a whole word and are all that reads it. @returns Their outputs, -1 for bits nobody reads; null
   * if there are none, or others than a block has. Bits that repeat a sign may share one.
   */
  private register(word: readonly number[]): number[] | null {
    const { editor } = this;
    if (word.length > accumulatorWidth) return null;
    const out: number[] = new Array(word.length).fill(-1);
    const taken: { cell: number; bit: number }[] = [];
    let control = this.control;
    let any = false;
    for (let i = 0; i < word.length; i++) {
      if (word[i] < 0 || !editor.isRead(word[i])) continue;
      const reader = editor.onlyReader(word[i]);
      const ff = reader && editor.cell(reader.cell);
      if (!reader || !ff || ff.kind !== "ff" || reader.input !== 0) return null;
      const own = controlOf(ff, reader.bit);
      if (!own || (control && !sameControl(control, own))) return null;
      control = own;
      out[i] = ff.output[reader.bit];
      taken.push({ cell: reader.cell, bit: reader.bit });
      any = true;
    }
    if (!any) return null;
    this.control = control;
    this.replaced.push(...taken);
    return out;
  }

  /** A sum that is all that reads a word, which it may extend. */
  private sum(word: readonly number[]): { output: Bits; other: Bits; subtract: boolean } | null {
    const { editor } = this;
    const known = word.filter((net) => net >= 0 && editor.isRead(net));
    if (known.length === 0 || word.some((net) => net < 0) || editor.readerCount(known[0]) === 0) return null;
    const first = editor.reader(known[0], 0);
    const cell = editor.cell(first.cell);
    if ((cell.kind !== "add" && cell.kind !== "sub") || cell.output.length > accumulatorWidth) return null;
    const { input } = first;
    if (cell.kind === "sub" && input !== 1) return null;
    for (const net of known) {
      if (editor.leadsOut(net)) return null;
      for (let r = 0; r < editor.readerCount(net); r++) {
        const reader = editor.reader(net, r);
        if (reader.cell !== first.cell || reader.input !== input) return null;
      }
    }
    const top = word[word.length - 1];
    const signed = this.x.signed || this.y.signed;
    const fits = cell.inputs[input].every((net, i) =>
      i < word.length ? net === word[i] : net === (signed ? top : bit0) || (net === top && top === bit0),
    );
    if (!fits) return null;
    return { output: cell.output, other: cell.inputs[1 - input], subtract: cell.kind === "sub" };
  }

  /** Registers in front of both operands, with the controls of those behind. */
  private takeInputRegisters(): boolean {
    const { editor } = this;
    let control = this.control;
    const before = ({ bits, signed }: Operand): Operand | null => {
      const made: number[] = [];
      for (const net of bits) {
        if (net <= bit1) {
          if (net === bit1) return null; // a register starts with 0
          made.push(net);
          continue;
        }
        const ff = editor.driverOfKind(net, "ff");
        const own = ff && controlOf(ff.cell, ff.bit);
        if (!ff || !own || (control && !sameControl(control, own))) return null;
        // a register that others read too stays where it is
        if (!editor.onlyReader(net) && !this.readOnlyHere(net)) return null;
        control = own;
        made.push(ff.cell.inputs[0][ff.bit]);
      }
      return { bits: made, signed };
    };
    const x = before(this.x);
    const y = x && before(this.y);
    if (!x || !y || !control) return false;
    this.x = x;
    this.y = y;
    this.control = control;
    return true;
  }

  private readOnlyHere(net: number): boolean {
    const { editor } = this;
    if (editor.leadsOut(net)) return false;
    for (let r = 0; r < editor.readerCount(net); r++) if (editor.reader(net, r).cell !== this.id) return false;
    return true;
  }
}

/** Null where a block cannot stand for the register: it would start with 1, or be reset to 1 or without the clock. */
function controlOf(ff: RtlCell, bit: number): Control | null {
  const modes = ff.modes!;
  const pick = (text: string) => text[text.length - 1 - bit];
  if (pick(modes.init) === "1") return null;
  const reset = ff.inputs[3][0] ?? -1;
  if (reset >= 0 && (modes.asyncReset || pick(modes.resetValue) === "1")) return null;
  return { clock: ff.inputs[1][0], rising: modes.clockRising, enable: ff.inputs[2][0] ?? -1, reset };
}

function sameControl(a: Control, b: Control): boolean {
  return a.clock === b.clock && a.rising === b.rising && a.enable === b.enable && a.reset === b.reset;
}
