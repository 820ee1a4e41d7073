import type { Finding } from "../common/finding.ts";
import type { Loc } from "../common/source.ts";
import type { DesignModel, Expr, Process, Signal, Stmt } from "./model.ts";
import type { Report } from "./report.ts";
import { exprsOf, statementsOf, targetsOf, type Visitor, walkDesign, walkStmt } from "./walk.ts";

/**
 * What design code does that is legal and rarely meant. Each check stays silent on code that is written as people write
 * circuits on purpose; what concerns bits rather than statements is checked where the circuit is made.
 */
export function checkDesignCode(design: DesignModel, report: Report): void {
  const use = usesOf(design);
  checkUnused(design, use, report);
  for (const process of design.processes) {
    if (process.kind === "initial" || process.kind === "final" || process.events === null) continue;
    const edges = process.events !== "star" && process.events.some((event) => event.edge !== null);
    if (!edges) checkSensitivity(process, report);
    checkAssignments(process, edges, use, report);
  }
  checkResets(design, report);
}

interface Uses {
  /** Places of declarations (file and offset) that something reads or writes: instances share them. */
  readonly read: Set<string>;
  readonly written: Set<string>;
  /** Processes that read a signal. */
  readonly readers: Map<Signal, Set<Process | null>>;
}
const keyOf = (signal: Signal) => `${signal.loc.file}:${signal.loc.start}`;

function usesOf(design: DesignModel): Uses {
  const read = new Set<string>();
  const written = new Set<string>();
  const readers = new Map<Signal, Set<Process | null>>();
  const note = (signal: Signal, process: Process | null) => {
    read.add(keyOf(signal));
    const set = readers.get(signal);
    if (set) set.add(process);
    else readers.set(signal, new Set([process]));
  };
  const looking = (process: Process | null): Visitor => ({
    expr: (expr) => {
      if (expr.op === "signal" || expr.op === "element") note(expr.signal, process);
    },
    target: ({ parts }) => {
      for (const { signal } of parts) written.add(keyOf(signal));
    },
    array: (signal, callee) => {
      note(signal, process);
      if (/^\$(readmem|fread)/.test(callee)) written.add(keyOf(signal));
    },
    stmt: (stmt) => {
      if (stmt.op === "trigger") written.add(keyOf(stmt.signal));
    },
  });
  walkDesign(design, (within) => looking(within && "events" in within ? within : null));
  // what only an assertion looks at is looked at
  for (const process of design.properties?.processes ?? []) walkStmt(process.body, looking(null));
  for (const join of design.joins)
    for (const signal of [join.inner, join.outer]) {
      note(signal, null);
      written.add(keyOf(signal));
    }
  return { read, written, readers };
}

function checkUnused(design: DesignModel, use: Uses, report: Report): void {
  for (const signal of design.signals) {
    if (signal.kind === "local" || signal.instance.kind !== "module" || signal.implicit) continue;
    const key = keyOf(signal);
    const used = use.read.has(key);
    if (signal.direction === "input") {
      if (!used)
        report.add(
          "note",
          "verilog/unused-input",
          signal.loc,
          `Input '${signal.plainName}' is never read.`,
          "Remove it, or use it.",
        );
      continue;
    }
    if (signal.direction !== null || used) continue;
    const written = use.written.has(key);
    if (!written && signal.type.kind !== "event")
      report.warn("verilog/unused", signal.loc, `'${signal.plainName}' is never used.`, "Remove the declaration.");
    else if (written && signal.kind === "variable")
      report.add(
        "note",
        "verilog/never-read",
        signal.loc,
        `'${signal.plainName}' is assigned, but nothing reads it.`,
        "Remove it, or use its value.",
      );
  }
}

/** A list of levels that leaves out what the block reads simulates as a latch, while hardware does not. */
function checkSensitivity(process: Process, report: Report): void {
  if (process.events === "star" || process.events === null) return;
  const listed = new Set<Signal>();
  for (const event of process.events)
    exprsOf(
      event.expr,
      (inner) => void ((inner.op === "signal" || inner.op === "element") && listed.add(inner.signal)),
    );
  const own = new Set<Signal>();
  const missing = new Map<Signal, Loc>();
  targetsOf(process.body, ({ parts }) => {
    for (const part of parts) own.add(part.signal);
  });
  walkStmt(process.body, {
    // what is printed or checked is no circuit
    stmt: ({ op }) => op !== "system" && op !== "assert",
    expr: (expr) => {
      if (expr.op !== "signal" && expr.op !== "element") return;
      const { signal } = expr;
      if (signal.kind === "local" || listed.has(signal) || own.has(signal) || missing.has(signal)) return;
      missing.set(signal, expr.loc);
    },
  });
  if (missing.size === 0) return;
  const names = [...missing.keys()].map((signal) => `'${signal.plainName}'`);
  report.warn(
    "verilog/sensitivity",
    process.eventLoc,
    `The event list leaves out ${names.slice(0, 6).join(", ")}${names.length > 6 ? ` and ${names.length - 6} more` : ""}, which the block reads.`,
    "Write @(*), which lists everything by itself.",
    {
      related: [...missing]
        .slice(0, 6)
        .map(([signal, loc]) => ({ place: report.sources.place(loc), message: `'${signal.plainName}' is read here.` })),
      ...starEdit(process.eventLoc, report),
    },
  );
}

function starEdit(at: Loc, report: Report): Partial<Finding> {
  const text = report.sources.files[at.file].text.slice(at.start);
  const match = /^@\s*\([^()]*\)/.exec(text);
  return match ? { edit: editAt(report, at.file, at.start, at.start + match[0].length, "@(*)", "Write @(*)") } : {};
}

function editAt(
  report: Report,
  file: number,
  from: number,
  to: number,
  text: string,
  label: string,
): NonNullable<Finding["edit"]> {
  const a = report.sources.position(file, from);
  const b = report.sources.position(file, to);
  return { file: a.file, label, line: a.line, column: a.column, endLine: b.line, endColumn: b.column, text };
}

/** Registers are written with <= and the rest with =, or simulation and circuit part ways. */
function checkAssignments(process: Process, clocked: boolean, use: Uses, report: Report): void {
  const counters = new Set<Signal>();
  statementsOf(process.body, (stmt) => {
    if (stmt.op !== "loop") return;
    for (const part of [stmt.init, stmt.step]) {
      if (part)
        statementsOf(
          part,
          (inner) =>
            void (inner.op === "assign" && inner.target.parts.forEach((each) => void counters.add(each.signal))),
        );
    }
  });
  statementsOf(process.body, (stmt) => {
    if (stmt.op !== "assign" || !stmt.opLoc) return;
    const { opLoc } = stmt;
    for (const { signal } of stmt.target.parts) {
      if (signal.kind === "local" || counters.has(signal)) continue;
      if (clocked && stmt.blocking) {
        const outside = [...(use.readers.get(signal) ?? [])].some((reader) => reader !== process);
        if (!outside && signal.direction !== "output") continue; // an intermediate value of this block
        report.warn(
          "verilog/blocking-in-clocked",
          stmt.loc,
          `'${signal.plainName}' is assigned with = in a clocked block, and read outside of it: who reads it first depends on the order of the blocks.`,
          "Assign registers with <=.",
          {
            edit: plainOperator(report, opLoc, "=")
              ? editAt(report, opLoc.file, opLoc.start, opLoc.end, "<=", "Write <=")
              : undefined,
          },
        );
      } else if (!clocked && !stmt.blocking && process.kind !== "always_latch") {
        report.warn(
          "verilog/nonblocking-in-comb",
          stmt.loc,
          `'${signal.plainName}' is assigned with <= in a combinational block, so it follows its inputs a step late.`,
          "Assign it with =.",
          { edit: editAt(report, opLoc.file, opLoc.start, opLoc.end, "=", "Write =") },
        );
      }
    }
  });
}

const plainOperator = (report: Report, loc: Loc, text: string) => report.sources.text(loc) === text;

/** A register that resets others without a clock must not also be data: the two arrive at different times. */
function checkResets(design: DesignModel, report: Report): void {
  const resets = new Map<Signal, { process: Process; loc: Loc }>();
  for (const process of design.processes) {
    if (process.events === null || process.events === "star" || process.events.length < 2) continue;
    const [first] = unwrap(process.body);
    if (first?.op !== "if") continue;
    const tested = new Set<Signal>();
    exprsOf(first.test, (inner) => void (inner.op === "signal" && tested.add(inner.signal)));
    for (const event of process.events) {
      if (
        event.edge &&
        event.expr.op === "signal" &&
        tested.has(event.expr.signal) &&
        event.expr.signal.direction !== "input" &&
        !resets.has(event.expr.signal)
      )
        resets.set(event.expr.signal, { process, loc: event.loc });
    }
  }
  if (resets.size === 0) return;
  for (const process of design.processes) {
    if (process.events === null || process.events === "star" || !process.events.some((event) => event.edge)) continue;
    const edges = new Set(process.events.map((event) => (event.expr.op === "signal" ? event.expr.signal : null)));
    const look = (inner: Expr) => {
      if (inner.op !== "signal" || edges.has(inner.signal)) return;
      const reset = resets.get(inner.signal);
      if (!reset) return;
      report.warn(
        "verilog/reset-as-data",
        inner.loc,
        `'${inner.signal.plainName}' is an asynchronous reset, and is used as data here.`,
        "Use a copy of it that is registered by this clock.",
        { related: [{ place: report.sources.place(reset.loc), message: "It resets without a clock here." }] },
      );
    };
    walkStmt(process.body, { expr: look });
  }
}

function unwrap(stmt: Stmt): readonly Stmt[] {
  return stmt.op === "block" ? (stmt.body.length === 1 ? unwrap(stmt.body[0]) : stmt.body) : [stmt];
}

/**
 * The statement that leaves a signal as it was: an `if` without its other branch, or a `case` that has no default.
 * null if it cannot be told so simply.
 */
export function unassignedBranch(stmt: Stmt, signal: Signal): { loc: Loc; how: string } | null {
  const assigns = (inner: Stmt): "always" | "never" | "some" => {
    switch (inner.op) {
      case "assign":
        return inner.target.parts.some((part) => part.signal === signal) ? "always" : "never";
      case "arraycopy":
        return inner.target === signal ? "always" : "never";
      case "block": {
        let sum: "always" | "never" | "some" = "never";
        for (const each of inner.body) {
          const part = assigns(each);
          if (part === "always") return "always";
          if (part === "some") sum = "some";
        }
        return sum;
      }
      case "if": {
        const yes = assigns(inner.yes);
        const no = inner.no ? assigns(inner.no) : "never";
        if (yes === no) return yes;
        return "some";
      }
      case "case": {
        const parts = inner.items.map((item) => assigns(item.body));
        parts.push(inner.fallback ? assigns(inner.fallback) : "never");
        return parts.every((part) => part === parts[0]) ? parts[0] : "some";
      }
      case "loop":
      case "repeat":
        return assigns(inner.body) === "never" ? "never" : "some";
      default:
        return "never";
    }
  };
  const find = (inner: Stmt): { loc: Loc; how: string } | null => {
    switch (inner.op) {
      case "block":
        for (const each of inner.body) {
          if (assigns(each) === "some") return find(each);
        }
        return null;
      case "if": {
        const yes = assigns(inner.yes);
        const no = inner.no ? assigns(inner.no) : "never";
        if (yes === "never") return { loc: inner.loc, how: "where this condition holds" };
        if (yes === "some") return find(inner.yes);
        if (no === "some") return find(inner.no!);
        return {
          loc: inner.loc,
          how: inner.no ? "in the else branch of this 'if'" : "where this condition does not hold",
        };
      }
      case "case":
        for (const item of inner.items) {
          const part = assigns(item.body);
          if (part === "never") return { loc: item.loc, how: "in this branch" };
          if (part === "some") return find(item.body);
        }
        if (inner.fallback)
          return assigns(inner.fallback) === "some"
            ? find(inner.fallback)
            : { loc: inner.loc, how: "in the default of this 'case'" };
        return { loc: inner.loc, how: "where no label of this 'case' fits, as it has no default" };
      default:
        return null;
    }
  };
  return find(stmt);
}
