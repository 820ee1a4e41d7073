import type { Loc } from "../../common/source.ts";
import { type Bits, bit0, bit1, bitX } from "../../netlist/rtl.ts";
import { numberOf } from "../../netlist/rtl-builder.ts";
import { readMemoryText } from "../memory-text.ts";
import type { Expr, Process, Signal, Stmt } from "../model.ts";
import { systemTasks } from "../system-tasks.ts";
import { hintOf } from "./lower-process.ts";
import { StatementLowering } from "./lower-stmt.ts";

/** Text of a file that the design loads memory contents from, or null. */
export type ReadFile = (name: string) => string | null;

/** Start values: the block is run once, and what it leaves as constants counts. */
export class InitialLowering extends StatementLowering {
  readFile: ReadFile = () => null;

  run(process: Process): void {
    this.rtl.hint = hintOf(process);
    this.exec(process.body, false);
    for (const [signal, slot] of [...this.env.blocking, ...this.env.deferred]) {
      if (signal.kind !== "variable" || this.loopVariables.has(signal)) continue;
      const width = BigInt(slot.value.length);
      const old = signal.init;
      const oldA = old ? old.a.toString(2).padStart(Number(width), "0") : "";
      const oldB = old ? old.b.toString(2).padStart(Number(width), "0") : "";
      let unknown = false;
      const a: string[] = [];
      const b: string[] = [];
      for (let i = slot.value.length - 1; i >= 0; i--) {
        const bit = slot.value[i];
        const place = slot.value.length - 1 - i;
        if (slot.assigned[i] === bit1 && (bit === bit0 || bit === bit1)) {
          a.push(bit === bit1 ? "1" : "0");
          b.push("0");
        } else if (slot.assigned[i] === bit0 && old) {
          a.push(oldA[place]);
          b.push(oldB[place]);
        } else {
          a.push("0");
          b.push("1");
          if (bit > bitX || slot.assigned[i] > bitX) unknown = true;
        }
      }
      if (unknown)
        this.report.warn(
          "verilog/initial",
          process.loc,
          `The start value of '${signal.plainName}' is not a constant, so it is ignored.`,
          "Assign a constant in the initial block.",
        );
      signal.init = { a: BigInt(`0b${a.join("")}`), b: BigInt(`0b${b.join("")}`) };
    }
  }

  /** At the outermost level nothing else holds the slot, so that loops over large arrays may change it in place. */
  protected override write(signal: Signal, offset: number, bits: Bits, blocking: boolean): void {
    const slots = blocking ? this.env.blocking : this.env.deferred;
    const own = this.env.parent === null ? slots.get(signal) : undefined;
    if (!own) {
      super.write(signal, offset, bits, blocking);
      return;
    }
    const value = own.value as number[];
    const assigned = own.assigned as number[];
    for (let i = Math.max(0, -offset); i < bits.length && offset + i < value.length; i++) {
      value[offset + i] = bits[i];
      assigned[offset + i] = bit1;
    }
  }

  protected override exec(stmt: Stmt, outermost: boolean): void {
    if (stmt.op === "system" && systemTasks.get(stmt.name)?.fillsMemory) this.loadMemory(stmt);
    else super.exec(stmt, outermost);
  }

  /** Contents from a file, as simulation takes them. */
  private loadMemory(stmt: Stmt & { op: "system" }): void {
    const [file, array, from, to] = stmt.args;
    if (array?.kind !== "array") return;
    const name = file?.kind === "expr" ? textOf(file.expr) : null;
    if (name === null) {
      this.report.error("memory/file", stmt.loc, "The name of the file is not a constant.", "Write it as a string.");
      return;
    }
    const text = this.readFile(name);
    if (text === null) {
      this.report.error(
        "memory/file",
        stmt.loc,
        `There is no file '${name}' in the design, which '${array.signal.plainName}' takes its contents from.`,
        "Add the file to the design, or correct its name.",
      );
      return;
    }
    const address = (arg: (typeof stmt.args)[number] | undefined) => {
      const value = arg?.kind === "expr" ? numberOf(this.expression(arg.expr)) : null;
      return value === null ? null : Number(value);
    };
    const { signal } = array;
    const problem = readMemoryText(signal, text, stmt.name.endsWith("h"), address(from), address(to), (at, value) =>
      this.write(signal, at * signal.width, this.rtl.constant(value, signal.width), true),
    );
    if (problem)
      this.report.error("memory/contents", stmt.loc, `${name}, ${problem}`, "Correct the file, or the array's size.");
  }

  override unsynthesizable(loc: Loc, what: string): void {
    this.report.warn(
      "verilog/initial",
      loc,
      `${what} gives no start value, so hardware ignores it.`,
      "Assign constants in the initial block.",
    );
  }
}

function textOf(expr: Expr): string | null {
  if (expr.op === "strconst") return expr.value;
  if (expr.op !== "const" || expr.value.b) return null;
  const hex = expr.value.a.toString(16);
  return (hex.length & 1 ? `0${hex}` : hex).replace(/../g, (pair) => String.fromCharCode(Number.parseInt(pair, 16)));
}
