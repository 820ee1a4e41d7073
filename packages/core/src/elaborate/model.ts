import type { Loc } from "../common/source.ts";

/**
 * The elaborated model that both languages share: parameters are numbers, names are ids, every expression carries its
 * width and sign, and context sizing has become explicit `extend` nodes. Consumers need no language rules.
 */

/** Four-state value: bit i is 0 (a0 b0), 1 (a1 b0), z (a0 b1), x (a1 b1). */
export interface Value {
  readonly a: bigint;
  readonly b: bigint;
}

export interface Signal {
  /** Index in its module's `signals`. */
  readonly id: number;
  /** Name within the module, with generate scopes: `lane[2].sum`. */
  readonly name: string;
  readonly width: number;
  readonly signed: boolean;
  /** Declared bounds; bit `lsb` is bit 0 of the value. */
  readonly msb: number;
  readonly lsb: number;
  /** `local` is a function's or block's variable: it stands for no hardware by itself. */
  readonly kind: "net" | "variable" | "local";
  readonly direction: "input" | "output" | "inout" | null;
  readonly loc: Loc;
  /** Value before the first clock edge. */
  init: Value | null;
  /** Made by an undeclared name where the standard allows it. */
  readonly implicit: boolean;
}

interface ExprBase {
  readonly width: number;
  readonly signed: boolean;
  readonly loc: Loc;
}
export type UnaryKind = "not" | "neg" | "redand" | "redor" | "redxor" | "lognot";
export type BinaryKind =
  | "add"
  | "sub"
  | "mul"
  | "div"
  | "mod"
  | "pow"
  | "and"
  | "or"
  | "xor"
  | "shl"
  | "shr"
  | "sshr"
  | "eq"
  | "ne"
  | "ceq"
  | "cne"
  | "lt"
  | "le"
  | "gt"
  | "ge"
  | "logand"
  | "logor";

/**
 * Typed expression. Operands of bitwise and arithmetic nodes have the node's width; those of comparisons have one
 * common width, and `operandSigned` says how they compare. Shift amounts and indexes are self-determined.
 */
export type Expr =
  | (ExprBase & { readonly op: "const"; readonly value: Value })
  | (ExprBase & { readonly op: "signal"; readonly signal: Signal })
  /** Bits `lsb` to `lsb + width - 1` of `arg`; those outside it are x. */
  | (ExprBase & { readonly op: "slice"; readonly arg: Expr; readonly lsb: number })
  /** As slice, from a bit offset known at run time; a signed offset may be negative. */
  | (ExprBase & { readonly op: "dynslice"; readonly arg: Expr; readonly offset: Expr })
  /** Wider by sign or by zeros, or narrower by cutting. */
  | (ExprBase & { readonly op: "extend"; readonly arg: Expr; readonly bySign: boolean })
  | (ExprBase & { readonly op: "unary"; readonly kind: UnaryKind; readonly arg: Expr })
  | (ExprBase & {
      readonly op: "binary";
      readonly kind: BinaryKind;
      readonly left: Expr;
      readonly right: Expr;
      readonly operandSigned: boolean;
    })
  | (ExprBase & { readonly op: "cond"; readonly test: Expr; readonly yes: Expr; readonly no: Expr })
  /** Most significant part first. */
  | (ExprBase & { readonly op: "concat"; readonly parts: readonly Expr[] })
  | (ExprBase & { readonly op: "call"; readonly func: Func; readonly args: readonly Expr[] });

/** What an assignment changes: a stretch of one signal. */
export interface TargetPart {
  readonly signal: Signal;
  readonly width: number;
  /** Static bit offset, or an expression. */
  readonly offset: number | Expr;
  readonly loc: Loc;
}
/** Most significant part first. */
export interface Target {
  readonly parts: readonly TargetPart[];
  readonly width: number;
}

export type Stmt =
  | { readonly op: "block"; readonly body: readonly Stmt[] }
  | { readonly op: "if"; readonly test: Expr; readonly yes: Stmt; readonly no: Stmt | null; readonly loc: Loc }
  | {
      readonly op: "case";
      readonly flavour: "case" | "casez" | "casex";
      readonly subject: Expr;
      readonly items: readonly { readonly labels: readonly Expr[]; readonly body: Stmt }[];
      readonly fallback: Stmt | null;
      readonly loc: Loc;
    }
  | {
      readonly op: "for";
      readonly init: Stmt;
      readonly test: Expr;
      readonly step: Stmt;
      readonly body: Stmt;
      readonly loc: Loc;
    }
  | {
      readonly op: "assign";
      readonly target: Target;
      readonly value: Expr;
      readonly blocking: boolean;
      readonly loc: Loc;
    };

export interface Func {
  readonly name: string;
  readonly args: readonly Signal[];
  readonly result: Signal;
  body: Stmt;
}

export interface Edge {
  readonly signal: Signal;
  readonly bit: number;
  readonly rising: boolean;
  readonly loc: Loc;
}
/** `edges` is empty for a combinational process. */
export interface Process {
  readonly edges: readonly Edge[];
  readonly body: Stmt;
  readonly loc: Loc;
  /** Name for findings and schematics: the first target, or the place in order. */
  readonly name: string;
}

export interface ContinuousAssignment {
  readonly target: Target;
  readonly value: Expr;
  readonly loc: Loc;
}

export interface PortBinding {
  /** Port signal in the child. */
  readonly port: Signal;
  /** For inputs; null if left open. */
  readonly value: Expr | null;
  /** For outputs; null if left open. */
  readonly target: Target | null;
  readonly loc: Loc;
}
export interface Instance {
  readonly name: string;
  readonly module: ElaboratedModule;
  readonly bindings: readonly PortBinding[];
  readonly loc: Loc;
}

/** One module with one set of parameter values. Shared by all instances that agree on those. */
export interface ElaboratedModule {
  readonly name: string;
  /** Name and parameter values, unique in a design. */
  readonly variant: string;
  readonly parameters: readonly { readonly name: string; readonly value: string }[];
  readonly signals: Signal[];
  readonly ports: readonly Signal[];
  readonly assigns: ContinuousAssignment[];
  readonly processes: Process[];
  readonly instances: Instance[];
  readonly loc: Loc;
}
