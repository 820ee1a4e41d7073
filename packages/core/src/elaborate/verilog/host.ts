import type { Loc, SourceSet } from "../../common/source.ts";
import type { AnyValue, Instance, Process, Signal, Stmt, Subroutine } from "../model.ts";
import type { Report } from "../report.ts";
import type { Meaning, Scope } from "../scope.ts";
import type { DataType } from "../types.ts";

export interface SignalFields {
  readonly type: DataType;
  readonly kind: Signal["kind"];
  readonly net?: Signal["net"];
  readonly direction?: Signal["direction"];
  readonly automatic?: boolean;
  readonly implicit?: boolean;
  readonly isConst?: boolean;
}

/** What the parts of the elaboration need of each other. */
export interface Host {
  readonly report: Report;
  readonly sources: SourceSet;
  readonly exprs: import("./bind-expr.ts").Expressions;
  readonly refs: import("./bind-ref.ts").References;
  readonly types: import("./bind-type.ts").Types;
  readonly calls: import("./bind-call.ts").Calls;
  readonly stmts: import("./bind-stmt.ts").Statements;
  readonly containers: import("./bind-container.ts").Containers;
  readonly classes: import("./classes.ts").Classes;
  readonly virtuals: import("./virtual-interfaces.ts").VirtualInterfaces;
  readonly lets: import("./lets.ts").Lets;
  readonly properties: import("./properties.ts").Properties;
  /** A node, or what it is another way to write. */
  standsFor(
    node: import("../../hdl/verilog/ast.ts").ExprNode,
    scope: Scope,
  ): import("../../hdl/verilog/ast.ts").ExprNode;
  readonly subroutines: Subroutine[];
  /** Behaviour to bind once all names are known. */
  readonly later: (() => void)[];
  newSignal(name: string, loc: Loc, scope: Scope, fields: SignalFields): Signal;
  /** The subroutine behind a name, with its header bound; its body follows later, or at once when `body` is set. */
  subroutine(meaning: Meaning & { kind: "subroutine" }, body: boolean): Subroutine;
  /** Binds the body of a subroutine that is to run now; false within that very body. */
  ready(sub: Subroutine): boolean;
  /** The scope of its own names, for hierarchical names that lead into it. */
  insideOf(meaning: Meaning & { kind: "subroutine" }): Scope;
  /** A process that gives a variable its start value, before all that is declared as one. */
  startBy(body: Stmt, signal: Signal, scope: Scope, loc: Loc): Process;
  readonly constantArrays: Map<Signal, ReadonlyMap<number, AnyValue>>;
  scopeOf(instance: Instance): Scope;
  packageScope(name: string, loc: Loc): Scope | null;
  readonly unit: Scope;
  /** Marks for checks of use: who reads and who writes. */
  noteRead(signal: Signal): void;
}
