import type { Loc } from "../common/source.ts";
import type { TimeScale } from "../hdl/verilog/ast.ts";
import type { ClassModel } from "./class-info.ts";
import type { PropertyTree } from "./sequence.ts";
import type { DataType, Dim, IntegralType } from "./types.ts";

/**
 * The elaborated model that both languages share: parameters are numbers, names are objects, every expression carries
 * its width and sign, and context sizing has become explicit `extend` nodes. Simulation and synthesis need no language
 * rules of their own. Each instance has signals and processes of its own.
 */

/** Four-state value: bit i is 0 (a0 b0), 1 (a1 b0), z (a0 b1), x (a1 b1). */
export interface Value {
  readonly a: bigint;
  readonly b: bigint;
}
/** A value of any form. */
export type AnyValue = Value | number | string;

export type NetKind =
  | "wire"
  | "tri"
  | "wand"
  | "triand"
  | "wor"
  | "trior"
  | "tri0"
  | "tri1"
  | "trireg"
  | "uwire"
  | "supply0"
  | "supply1";

export interface Signal {
  /** Index in the design's `signals`. */
  readonly id: number;
  /** Name with instances and generate scopes, without the top's name: `u1.lane[2].sum`. */
  readonly name: string;
  /** As declared, without any scope. */
  readonly plainName: string;
  readonly instance: Instance;
  type: DataType;
  /** Of an element, for arrays. 0 for strings and events, 64 for reals. */
  width: number;
  signed: boolean;
  fourState: boolean;
  /** Bounds of the outermost packed dimension; bit `lsb` is bit 0 of the value. */
  msb: number;
  lsb: number;
  /** Unpacked dimensions, outermost first. */
  dims: readonly Dim[];
  /** `local` is a function's or loop's variable: it stands for no hardware by itself. */
  kind: "net" | "variable" | "local";
  net: NetKind | null;
  direction: "input" | "output" | "inout" | "ref" | null;
  /** One for each call or thread; else one for all. */
  readonly automatic: boolean;
  readonly loc: Loc;
  /** Value before the first clock edge. */
  init: Value | null;
  /** Made by an undeclared name where the standard allows it. */
  readonly implicit: boolean;
  readonly isConst: boolean;
}

interface ExprBase {
  readonly width: number;
  readonly signed: boolean;
  readonly loc: Loc;
  /** Absent for bits. A real has width 64; a string, a handle and an array that grows have width 0 (see `formOf`). */
  readonly form?: "real" | "string";
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
  | "weq"
  | "wne"
  | "lt"
  | "le"
  | "gt"
  | "ge"
  | "logand"
  | "logor";

export type SystemArg =
  /** With its type where a pattern shows more of it than a number. */
  | { readonly kind: "expr"; readonly expr: Expr; readonly type?: IntegralType }
  /** A variable that the call may write: a file's line, a seed, a memory. */
  | { readonly kind: "place"; readonly expr: Expr; readonly target: Target }
  | { readonly kind: "array"; readonly signal: Signal; readonly loc: Loc }
  | { readonly kind: "scope"; readonly path: string; readonly instance: Instance }
  | { readonly kind: "type"; readonly type: DataType }
  /** An expression over the elements of an array, worked out for each of them. */
  | { readonly kind: "lambda"; readonly item: Signal; readonly index: Signal; readonly expr: Expr }
  | { readonly kind: "none" };

/**
 * Typed expression. Operands of bitwise and arithmetic nodes have the node's width; those of comparisons have one
 * common width, and `operandSigned` says how they compare. Shift amounts and indexes are self-determined.
 */
export type Expr =
  | (ExprBase & { readonly op: "const"; readonly value: Value })
  | (ExprBase & { readonly op: "realconst"; readonly value: number })
  | (ExprBase & { readonly op: "strconst"; readonly value: string })
  | (ExprBase & { readonly op: "signal"; readonly signal: Signal })
  /** Element of an array. One index for each dimension, counted from the lowest bound; x where one is outside. */
  | (ExprBase & { readonly op: "element"; readonly signal: Signal; readonly index: readonly Expr[] })
  /** Bits `lsb` to `lsb + width - 1` of `arg`; those outside it are x. */
  | (ExprBase & { readonly op: "slice"; readonly arg: Expr; readonly lsb: number })
  /** As slice, from a bit offset known at run time; a signed offset may be negative. */
  | (ExprBase & { readonly op: "dynslice"; readonly arg: Expr; readonly offset: Expr })
  /** Wider by sign or by zeros, or narrower by cutting. */
  | (ExprBase & { readonly op: "extend"; readonly arg: Expr; readonly bySign: boolean })
  /** x and z become 0: a value for a two-state variable. */
  | (ExprBase & { readonly op: "twostate"; readonly arg: Expr })
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
  | (ExprBase & { readonly op: "repeat"; readonly count: number; readonly arg: Expr })
  | (ExprBase & { readonly op: "call"; readonly func: Subroutine; readonly args: readonly (Expr | Target)[] })
  | (ExprBase & { readonly op: "system"; readonly name: string; readonly args: readonly SystemArg[] })
  /** From bits to real by value, from real to bits by rounding, from either to string and back. */
  | (ExprBase & { readonly op: "convert"; readonly arg: Expr })
  /** An assignment within an expression; its value is that before or after. */
  | (ExprBase & { readonly op: "step"; readonly target: Target; readonly value: Expr; readonly old: Expr | null });

/** What an assignment changes: a stretch of one signal. */
export interface TargetPart {
  readonly signal: Signal;
  readonly width: number;
  /** For arrays: one index a dimension. */
  readonly index: readonly Expr[];
  /** Static bit offset, or an expression. */
  readonly offset: number | Expr;
  readonly loc: Loc;
}
/** Most significant part first. */
export interface Target {
  readonly parts: readonly TargetPart[];
  readonly width: number;
  readonly form?: "real" | "string";
  /** Of a handle. */
  readonly type?: DataType;
  readonly loc: Loc;
}

/** All of a signal of bits, as what is assigned. */
export function wholeTarget(signal: Signal, loc: Loc = signal.loc): Target {
  return { parts: [{ signal, width: signal.width, index: [], offset: 0, loc }], width: signal.width, loc };
}

/** Whether what a target holds has a sign: a whole variable that has one. */
export function isSignedTarget({ parts, width }: Target): boolean {
  const [part] = parts;
  return parts.length === 1 && part.offset === 0 && part.signal.width === width && part.signal.signed;
}

export interface DelayModel {
  /** In units of the instance's time scale: bits or real. Rise, fall, turn-off. */
  readonly values: readonly Expr[];
  readonly timeScale: TimeScale;
}
export interface EventModel {
  readonly edge: "pos" | "neg" | "both" | null;
  readonly expr: Expr;
  readonly guard: Expr | null;
  readonly loc: Loc;
}
/** Where a run of the named block can be found by `disable`. */
export interface BlockId {
  readonly name: string;
  /** Some `disable` names it. */
  disabled: boolean;
}

export type Stmt =
  | {
      readonly op: "block";
      readonly body: readonly Stmt[];
      readonly id?: BlockId;
      /** Automatic variables to make anew. */
      readonly locals?: readonly Signal[];
      readonly loc?: Loc;
    }
  | {
      readonly op: "if";
      readonly test: Expr;
      readonly yes: Stmt;
      readonly no: Stmt | null;
      readonly check?: "unique" | "unique0" | "priority" | null;
      readonly loc: Loc;
    }
  | {
      readonly op: "case";
      readonly flavour: "case" | "casez" | "casex" | "inside";
      readonly check?: "unique" | "unique0" | "priority" | null;
      readonly subject: Expr;
      /** For `inside`, each label is the whole test. */
      readonly items: readonly { readonly labels: readonly Expr[]; readonly body: Stmt; readonly loc: Loc }[];
      readonly fallback: Stmt | null;
      readonly loc: Loc;
      readonly endLoc?: Loc;
    }
  | {
      /** `test` null: forever. With `after`, the test comes behind the body. */
      readonly op: "loop";
      readonly init: Stmt | null;
      readonly test: Expr | null;
      readonly after: boolean;
      readonly step: Stmt | null;
      readonly body: Stmt;
      readonly loc: Loc;
    }
  | { readonly op: "repeat"; readonly count: Expr; readonly body: Stmt; readonly loc: Loc }
  | {
      readonly op: "assign";
      readonly target: Target;
      readonly value: Expr;
      readonly blocking: boolean;
      readonly intra: {
        readonly delay: DelayModel | null;
        readonly repeat: Expr | null;
        readonly events: readonly EventModel[] | null;
      } | null;
      readonly loc: Loc;
      /** Place of the = or <=. */
      readonly opLoc?: Loc;
    }
  /** All elements of one array from another of the same size, from given element indexes on. */
  | {
      readonly op: "arraycopy";
      readonly target: Signal;
      readonly from: Signal;
      readonly targetStart: number;
      readonly fromStart: number;
      readonly count: number;
      readonly blocking: boolean;
      readonly loc: Loc;
    }
  | {
      readonly op: "force";
      readonly word: "assign" | "deassign" | "force" | "release";
      readonly target: Target;
      readonly value: Expr | null;
      readonly loc: Loc;
    }
  | { readonly op: "delay"; readonly delay: DelayModel; readonly loc: Loc }
  | { readonly op: "event"; readonly events: readonly EventModel[]; readonly loc: Loc }
  | { readonly op: "wait"; readonly test: Expr | null; readonly loc: Loc }
  | {
      readonly op: "fork";
      readonly join: "join" | "join_any" | "join_none";
      readonly branches: readonly Stmt[];
      readonly id?: BlockId;
      readonly loc: Loc;
    }
  /** `block` null: all threads that this one has forked. */
  | { readonly op: "disable"; readonly block: BlockId | null; readonly loc: Loc }
  | { readonly op: "trigger"; readonly signal: Signal; readonly blocking: boolean; readonly loc: Loc }
  | { readonly op: "call"; readonly sub: Subroutine; readonly args: readonly (Expr | Target)[]; readonly loc: Loc }
  | {
      readonly op: "system";
      readonly name: string;
      readonly args: readonly SystemArg[];
      readonly instance: Instance;
      readonly scope: string;
      readonly loc: Loc;
    }
  | { readonly op: "eval"; readonly expr: Expr; readonly loc: Loc }
  | {
      readonly op: "assert";
      readonly word: "assert" | "assume" | "cover";
      readonly label: string | null;
      readonly test: Expr;
      readonly pass: Stmt | null;
      readonly fail: Stmt | null;
      readonly text: string;
      readonly instance: Instance;
      readonly loc: Loc;
    }
  | { readonly op: "return"; readonly loc: Loc }
  | { readonly op: "break" | "continue"; readonly loc: Loc };

/** A function or task. Its result is a signal of its own. */
export interface Subroutine {
  readonly name: string;
  readonly task: boolean;
  readonly automatic: boolean;
  readonly args: readonly { readonly signal: Signal; readonly direction: "input" | "output" | "inout" | "ref" }[];
  /** null for tasks and void functions. */
  readonly result: Signal | null;
  /** Variables besides arguments and result. */
  readonly locals: Signal[];
  body: Stmt;
  /** Waits for time or events somewhere within, or calls what does. Set once bodies are bound. */
  suspends: boolean;
  readonly id: BlockId;
  readonly instance: Instance;
  readonly loc: Loc;
}

export type ProcessKind = "always" | "always_comb" | "always_ff" | "always_latch" | "initial" | "final";
export interface Process {
  readonly kind: ProcessKind;
  /** For always: what starts a turn. "star" stands for all that is read. null: nothing. */
  readonly events: readonly EventModel[] | "star" | null;
  readonly body: Stmt;
  readonly instance: Instance;
  readonly loc: Loc;
  readonly eventLoc: Loc;
  /** Name for findings and schematics: the first target, or the place in order. */
  readonly name: string;
  /** Variables that nothing else sees: they stand for hardware only as far as an old value of them is used. */
  readonly own?: readonly Signal[];
  /** The asynchronous reset comes after the clock: registers that it does not set go on while it is on. */
  readonly resetLast?: boolean;
}

export interface ContinuousAssignment {
  readonly target: Target;
  readonly value: Expr;
  readonly delay: DelayModel | null;
  /** Levels 0 to 7; 6 is strong. */
  readonly strength: { readonly zero: number; readonly one: number } | null;
  readonly instance: Instance;
  readonly loc: Loc;
}

/** A net that is a stretch of another: an inout port, or two nets that a switch joins for good. */
export interface NetJoin {
  readonly inner: Signal;
  readonly outer: Signal;
  readonly offset: number;
  readonly loc: Loc;
}

/** A switch between two bits of nets; a process of its own sets it. */
export interface NetSwitch {
  readonly a: { readonly signal: Signal; readonly bit: number };
  readonly b: { readonly signal: Signal; readonly bit: number };
}

/** Port connection that could not be taken as one name for both sides. */
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
  /** With the generate scopes that it is in, below its parent. */
  readonly name: string;
  /** Its label alone, where that is known apart: an escaped one may hold dots. */
  readonly ownName?: string;
  /** Names from the top on, with the top's own. */
  readonly path: string;
  readonly module: string;
  readonly kind: "module" | "interface" | "program" | "package";
  /** An interface that stands for what would be connected to a port of the top. */
  readonly fromPort?: boolean;
  readonly parent: Instance | null;
  readonly children: Instance[];
  readonly parameters: { readonly name: string; readonly value: string }[];
  readonly ports: Signal[];
  readonly bindings: PortBinding[];
  readonly timeScale: TimeScale;
  readonly loc: Loc;
  /** Place of the module's own name. */
  readonly moduleLoc: Loc;
}

/** What the source asks of the tools, for a declared name or for all in an instance. */
export interface ModelAttribute {
  /** Of a signal, or the instance's path without the top's name. */
  readonly of: string;
  readonly isScope: boolean;
  readonly name: string;
  readonly value: string | number | boolean;
  readonly loc: Loc;
}

export interface DesignModel {
  readonly top: Instance;
  readonly signals: Signal[];
  /** Outer ones first; a later one overrides an earlier one of the same name. */
  readonly attributes: ModelAttribute[];
  readonly assigns: ContinuousAssignment[];
  readonly processes: Process[];
  readonly joins: NetJoin[];
  readonly switches: NetSwitch[];
  readonly subroutines: Subroutine[];
  readonly classes?: readonly ClassModel[];
  /** Concurrent assertions: what they say, and the processes that watch. Simulation alone runs them. */
  readonly properties?: { readonly trees: readonly PropertyTree[]; readonly processes: readonly Process[] };
}
