import type { TextEdit } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type { ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Report } from "../../report.ts";
import type { Expr } from "../bound.ts";
import type { Scope } from "../scope.ts";
import { errorType, type VType } from "../types.ts";
import type { World } from "../world.ts";
import { AggregateBinder } from "./bind-aggregate.ts";
import { AssignmentBinder } from "./bind-assignment.ts";
import { AttributeBinder } from "./bind-attribute.ts";
import { BracketBinder } from "./bind-brackets.ts";
import { CallReadings } from "./bind-calls.ts";
import { TypeCandidates } from "./bind-candidates.ts";
import { ConcurrentBinder } from "./bind-concurrent.ts";
import { ConfigurationBinder } from "./bind-configuration.ts";
import { DeclBinder } from "./bind-decl.ts";
import { DesignUnits } from "./bind-entity.ts";
import { ExprBinder } from "./bind-expr.ts";
import { GenericMaps } from "./bind-generic.ts";
import { type ForeignUnits, InstanceBinder } from "./bind-instance.ts";
import { NameBinder } from "./bind-names.ts";
import { OperatorBinder } from "./bind-operator.ts";
import { PackageBinder } from "./bind-package.ts";
import { ProcedureBinder } from "./bind-procedure.ts";
import { RangeBinder } from "./bind-range.ts";
import { OperatorReadings } from "./bind-readings.ts";
import { StmtBinder } from "./bind-stmt.ts";
import { SubprogramBinder } from "./bind-subprogram.ts";
import { TypeBinder } from "./bind-type.ts";

/** Design units (clauses 3, 4, 11 and 13). One binder for each unit: a unit is read when something needs it. */
export class Binder {
  readonly typeDecls = new TypeBinder(this);
  readonly subprograms = new SubprogramBinder(this);
  readonly genericMaps = new GenericMaps(this);
  readonly operations = new OperatorBinder(this);
  readonly brackets = new BracketBinder(this);
  readonly assignments = new AssignmentBinder(this);
  readonly procedures = new ProcedureBinder(this);
  readonly attributes = new AttributeBinder(this);

  readonly ranges = new RangeBinder(this);
  readonly aggregates = new AggregateBinder(this);
  readonly exprs = new ExprBinder(this);
  readonly decls = new DeclBinder(this);
  readonly stmts = new StmtBinder(this);
  readonly instances = new InstanceBinder(this);
  readonly names = new NameBinder(this);
  readonly candidates = new TypeCandidates(this);
  readonly operators = new OperatorReadings(this);
  readonly calls = new CallReadings(this);
  readonly packages = new PackageBinder(this);
  readonly units = new DesignUnits(this);
  readonly concurrents = new ConcurrentBinder(this);
  readonly configurations = new ConfigurationBinder(this);

  /** Candidate types of expressions, by node. */
  memo = new Map<ExprNode, readonly VType[]>();
  /** Above 0 while something is only tried: no mistake is told. */
  silent = 0;

  constructor(
    readonly world: World,
    readonly report: Report,
    public scope: Scope,
    readonly foreign: ForeignUnits | null = null,
  ) {}

  /** A binder of its own for another unit, in the scope at hand. */
  another(): Binder {
    return new Binder(this.world, this.report, this.scope, this.foreign);
  }

  /** Forgets candidate types: called between statements, since nodes of one are not looked at again. */
  forget(): void {
    if (this.memo.size) this.memo = new Map();
  }

  error(code: string, loc: Loc, message: string, remedy: string, edit?: TextEdit): void {
    if (this.silent || loc.file < 0) return;
    this.report.error(`vhdl/${code}`, loc, message, remedy, edit ? { edit } : {});
  }
  warn(code: string, loc: Loc, message: string, remedy: string): void {
    if (this.silent || loc.file < 0) return;
    this.report.warn(`vhdl/${code}`, loc, message, remedy);
  }

  /** What stands for an expression with a mistake in it: nothing more is told of it. */
  bad(loc: Loc, type: VType = errorType): Expr {
    return { op: "bad", type, loc };
  }
}
