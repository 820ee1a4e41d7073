import { type SourceFile, SourceSet } from "../../src/common/index.ts";
import type { AnyValue, Expr, Stmt, Subroutine } from "../../src/elaborate/model.ts";
import { Report } from "../../src/elaborate/report.ts";
import { type Frame, interpret } from "../../src/elaborate/run-constant.ts";
import { suspends } from "../../src/elaborate/verilog/bind-subroutine.ts";
import { Elaboration } from "../../src/elaborate/verilog/elaboration.ts";
import { parseVerilog } from "../../src/hdl/verilog/parser.ts";
import { formatArgs, type PrintArg, type Radix } from "../../src/simulate/verilog/format.ts";

class Finished extends Error {}

function argOf(expr: Expr, value: AnyValue): PrintArg {
  if (expr.op === "strconst") return { kind: "literal", text: expr.value };
  if (typeof value === "number") return { kind: "real", value };
  if (typeof value === "string") return { kind: "string", text: value };
  return { kind: "bits", width: expr.width, signed: expr.signed, ...value };
}

/**
 * What the `initial` blocks of a text print when its statements are run as those of constant functions are: by the
 * interpreter of elaboration, which shares nothing with the compiled code of simulation but the elaborated text.
 * @returns null for texts that wait, have instances or nets, or use what no constant function can.
 */
export function interpreted(files: readonly SourceFile[]): string | null {
  const sources = new SourceSet(files);
  const syntax = parseVerilog(sources);
  if (syntax.modules.length !== 1 || syntax.findings.length) return null;
  const elaboration = new Elaboration(syntax, new Report(sources));
  const design = elaboration.design(syntax.modules[0]);
  if (!design || design.assigns.length || design.joins.length || design.top.children.length) return null;
  // assertions run beside all else
  if (design.properties?.trees.length) return null;
  if (design.processes.some(({ kind }) => kind !== "initial")) return null;
  // who waits must be the last one: nothing else goes on meanwhile
  if (design.processes.slice(0, -1).some(({ body }) => suspends(body))) return null;
  const frame: Frame = new Map();
  const kept = new Map<Subroutine, Frame>();
  let out = "";
  const tell = (stmt: Stmt & { op: "system" }, worth: (expr: Expr) => AnyValue): boolean => {
    if (stmt.name === "$finish") throw new Finished();
    const match = /^\$(display|write)([boh]?)$/.exec(stmt.name);
    if (!match) return false;
    const args: PrintArg[] = [];
    for (const arg of stmt.args) {
      if (arg.kind === "none") args.push({ kind: "none" });
      else if (arg.kind !== "expr") return false;
      else {
        const made = argOf(arg.expr, worth(arg.expr));
        args.push(made.kind === "bits" && arg.type ? { ...made, type: arg.type } : made);
      }
    }
    const scope = `${design.top.name}.${stmt.scope}`.replace(/\.$/, "");
    const timeFormat = { unit: -9, precision: 0, suffix: "", width: 20 };
    out += formatArgs(args, (match[2] || "d") as Radix, { scope, timeFormat, unit: design.top.timeScale.unit });
    if (match[1] === "display") out += "\n";
    return true;
  };
  try {
    for (const { body } of design.processes) if (!interpret(body, frame, kept, elaboration, tell)) return null;
  } catch (error) {
    if (!(error instanceof Finished)) throw error;
  }
  return out;
}
