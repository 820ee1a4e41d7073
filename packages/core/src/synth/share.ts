import { bit0, type RtlCell } from "../netlist/rtl.ts";
import type { RtlEditor } from "./rtl-editor.ts";

/** Narrower sums and differences are mostly logic. */
const leastWidth = 5;
const sharable = new Set<RtlCell["kind"]>(["add", "sub", "mul", "div", "mod", "lt"]);

/**
 * One operator for two of which a multiplexer takes only one result: the choice moves in front of the operands. Pays
 * where carry chains or whole arrays of gates are saved for a multiplexer that their LUTs mostly take in.
 * @returns How many operators were saved.
 */
export function shareOperators(editor: RtlEditor): number {
  let saved = 0;
  editor.netlist.cells.forEach((mux, c) => {
    if (mux.kind !== "mux" || editor.isRemoved(c)) return;
    const yes = wholeOperator(editor, mux.inputs[1], c);
    const no = wholeOperator(editor, mux.inputs[2], c);
    if (negateOrNot(editor, c, yes, 1) || negateOrNot(editor, c, no, 2)) {
      saved++;
      return;
    }
    if (!yes || !no || yes.id === no.id) return;
    const [a, b] = [yes.cell, no.cell];
    if (addOrSubtract(editor, c, yes, no)) {
      saved++;
      return;
    }
    if (a.kind !== b.kind || a.signed !== b.signed || a.inputs[0].length !== b.inputs[0].length) return;
    const [b0, b1] = b.inputs;
    const commutes = a.kind === "add" || a.kind === "mul";
    const swapped =
      commutes && alike(a.inputs[0], b1) + alike(a.inputs[1], b0) > alike(a.inputs[0], b0) + alike(a.inputs[1], b1);
    const [right0, right1] = swapped ? [b1, b0] : [b0, b1];
    editor.from(yes.id, () => {
      const { builder } = editor;
      const [select] = mux.inputs[0];
      const left = builder.mux(select, a.inputs[0], right0);
      const right = builder.mux(select, a.inputs[1], right1);
      builder.add(a.kind, [left, right], mux.output.length, a.signed, null, mux.output);
    });
    editor.remove(c);
    editor.remove(yes.id);
    editor.remove(no.id);
    saved++;
  });
  return saved;
}

/** Places at which two words have the same net. */
const alike = (x: readonly number[], y: readonly number[]) => x.filter((net, i) => net === y[i]).length;

interface Operator {
  readonly cell: RtlCell;
  readonly id: number;
}

/** A sum or a difference is one chain: {a, s} + {b ^ s, s}, where s says that b is taken away. */
function addOrSubtract(editor: RtlEditor, mux: number, yes: Operator, no: Operator): boolean {
  const sum = [yes, no].find(({ cell }) => cell.kind === "add");
  const difference = [yes, no].find(({ cell }) => cell.kind === "sub");
  const { inputs, output } = editor.cell(mux);
  if (!sum || !difference || output.length < leastWidth) return false;
  const [minuend, subtrahend] = difference.cell.inputs;
  const [first, second] = sum.cell.inputs;
  const swapped = alike(second, minuend) + alike(first, subtrahend) > alike(first, minuend) + alike(second, subtrahend);
  const [left, right] = swapped ? [second, first] : [first, second];
  // with a choice in front of both operands it would take as many LUTs as two chains, and a level more
  if (alike(left, minuend) < left.length && alike(right, subtrahend) < right.length) return false;
  editor.from(yes.id, () => {
    const { builder } = editor;
    const takesAway = difference === yes ? inputs[0][0] : builder.not(inputs[0])[0];
    const a = builder.mux(takesAway, minuend, left);
    const b = builder.mux(takesAway, subtrahend, right);
    const flipped = builder.xor(b, new Array<number>(b.length).fill(takesAway));
    const words = [
      [takesAway, ...a],
      [takesAway, ...flipped],
    ];
    builder.add("add", words, output.length + 1, false, null, [builder.nets(1)[0], ...output]);
  });
  for (const cell of [mux, yes.id, no.id]) editor.remove(cell);
  return true;
}

/** s ? -d : d, or the other way round, is one chain: (d ^ s) + s. @param way Input of the multiplexer that the operator feeds. */
function negateOrNot(editor: RtlEditor, mux: number, operator: Operator | null, way: 1 | 2): boolean {
  if (operator?.cell.kind !== "sub") return false;
  const { inputs, output } = editor.cell(mux);
  const [zero, word] = operator.cell.inputs;
  const other = inputs[3 - way];
  const isPlain = zero.every((net) => net === bit0) && word.every((net, i) => net === other[i]);
  if (!isPlain || output.length < leastWidth) return false;
  editor.from(operator.id, () => {
    const { builder } = editor;
    const [select] = way === 1 ? inputs[0] : builder.not(inputs[0]);
    const flipped = builder.xor(word, new Array<number>(word.length).fill(select));
    const carry = [select, ...flipped];
    const words = [carry, [select, ...flipped.map(() => bit0)]];
    builder.add("add", words, output.length + 1, false, null, [builder.nets(1)[0], ...output]);
  });
  for (const cell of [mux, operator.id]) editor.remove(cell);
  return true;
}

/** The operator whose whole result, and nothing else, a word is; null if anything but the multiplexer reads it too. */
function wholeOperator(editor: RtlEditor, word: readonly number[], mux: number): Operator | null {
  const first = editor.driver(word[0]);
  if (!first || editor.isRemoved(first.cell)) return null;
  const cell = editor.cell(first.cell);
  if (!sharable.has(cell.kind) || cell.output.length !== word.length) return null;
  for (let i = 0; i < word.length; i++) {
    if (cell.output[i] !== word[i]) return null;
    if (editor.onlyReader(word[i])?.cell !== mux) return null;
  }
  return { cell, id: first.cell };
}
