import { type BoolExpr, expressionFor } from "../logic/boolean.ts";
import type { DecodedFlipFlop } from "./decode.ts";
import type { ReducedTable } from "./reduce.ts";
import { type CodeWriter, op } from "./wasm-writer.ts";

/** Pushes the value of a signal: from a local or from memory, as the function at hand keeps it. */
export type Read = (signal: number) => void;

/** Pushes the value of a table: as an expression or as a look-up, whichever takes fewer operations. */
export function emitTable(code: CodeWriter, { inputs, mask }: ReducedTable, read: Read): void {
  const { expr, cost } = expressionFor(mask, inputs.length);
  const lookUpCost = inputs.length <= 5 ? 3 * inputs.length + 2 : 3 * inputs.length + 4;
  if (cost <= lookUpCost) emitExpression(code, expr, inputs, read);
  else emitLookUp(code, mask, inputs, read);
}

function emitExpression(code: CodeWriter, expr: BoolExpr, inputs: readonly number[], read: Read): void {
  switch (expr.op) {
    case "const":
      code.constant(expr.value);
      return;
    case "input":
      read(inputs[expr.input]);
      return;
    case "not":
      emitExpression(code, expr.a, inputs, read);
      code.constant(1);
      code.byte(op.i32Xor);
      return;
    case "mux":
      emitExpression(code, expr.yes, inputs, read);
      emitExpression(code, expr.no, inputs, read);
      read(inputs[expr.select]);
      code.byte(op.select);
      return;
    default:
      emitExpression(code, expr.a, inputs, read);
      emitExpression(code, expr.b, inputs, read);
      code.byte(expr.op === "and" ? op.i32And : expr.op === "or" ? op.i32Or : op.i32Xor);
  }
}

/** (mask >> index) & 1, the index gathered from the inputs. */
function emitLookUp(code: CodeWriter, mask: bigint, inputs: readonly number[], read: (signal: number) => void): void {
  const wide = inputs.length === 6;
  if (wide) {
    code.byte(op.i64Const);
    code.signed(BigInt.asIntN(64, mask));
  } else code.constant(Number(BigInt.asIntN(32, mask)));
  inputs.forEach((input, i) => {
    read(input);
    if (i > 0) {
      code.constant(i);
      code.byte(op.i32Shl);
      code.byte(op.i32Or);
    }
  });
  if (wide) {
    code.byte(op.i64ExtendI32U);
    code.byte(op.i64ShrU);
    code.byte(op.i32WrapI64);
  } else code.byte(op.i32ShrU);
  code.constant(1);
  code.byte(op.i32And);
}

/** Next value of a register: reset first, then enable, then data. */
export function emitNext(code: CodeWriter, ff: DecodedFlipFlop, read: Read): void {
  const hasReset = ff.reset > 0;
  if (hasReset) code.constant(ff.resetValue);
  read(ff.d);
  if (ff.enable >= 0) {
    read(ff.output);
    read(ff.enable);
    code.byte(op.select);
  }
  if (hasReset) {
    read(ff.reset);
    code.byte(op.select);
  }
}
