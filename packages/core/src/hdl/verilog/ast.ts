import type { Loc } from "../../common/source.ts";

/** Syntax tree of IEEE 1364-2005 modules, as written: names unresolved, sizes unknown. Every node has its place. */

export type UnaryOp = "+" | "-" | "!" | "~" | "&" | "~&" | "|" | "~|" | "^" | "~^";
export type BinaryOp =
  | "+"
  | "-"
  | "*"
  | "/"
  | "%"
  | "**"
  | "=="
  | "!="
  | "==="
  | "!=="
  | "&&"
  | "||"
  | "<"
  | "<="
  | ">"
  | ">="
  | "&"
  | "|"
  | "^"
  | "~^"
  | "<<"
  | ">>"
  | "<<<"
  | ">>>";

/** A four-state number: bit i is 0 (a0 b0), 1 (a1 b0), z (a0 b1) or x (a1 b1), as in IEEE 1364 clause 27 (aval, bval). */
export interface NumberNode {
  readonly kind: "number";
  readonly loc: Loc;
  /** null when the literal gives no size: then it has at least 32 bits. */
  readonly width: number | null;
  readonly signed: boolean;
  readonly based: boolean;
  readonly a: bigint;
  readonly b: bigint;
}
export interface NameNode {
  readonly kind: "name";
  readonly loc: Loc;
  readonly name: string;
}
export interface StringNode {
  readonly kind: "string";
  readonly loc: Loc;
  readonly text: string;
}
export interface IndexNode {
  readonly kind: "index";
  readonly loc: Loc;
  readonly base: ExprNode;
  readonly index: ExprNode;
}
export interface RangeSelectNode {
  readonly kind: "range";
  readonly loc: Loc;
  readonly base: ExprNode;
  readonly mode: ":" | "+:" | "-:";
  readonly left: ExprNode;
  readonly right: ExprNode;
}
export interface UnaryNode {
  readonly kind: "unary";
  readonly loc: Loc;
  readonly op: UnaryOp;
  readonly operand: ExprNode;
}
export interface BinaryNode {
  readonly kind: "binary";
  readonly loc: Loc;
  readonly op: BinaryOp;
  readonly left: ExprNode;
  readonly right: ExprNode;
}
export interface ConditionalNode {
  readonly kind: "conditional";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly yes: ExprNode;
  readonly no: ExprNode;
}
export interface ConcatNode {
  readonly kind: "concat";
  readonly loc: Loc;
  readonly parts: readonly ExprNode[];
}
export interface RepeatNode {
  readonly kind: "repeat";
  readonly loc: Loc;
  readonly count: ExprNode;
  readonly parts: readonly ExprNode[];
}
export interface CallNode {
  readonly kind: "call";
  readonly loc: Loc;
  readonly name: string;
  readonly args: readonly ExprNode[];
}
/** Stands where an expression could not be read; a finding was given there already. */
export interface BadExprNode {
  readonly kind: "bad";
  readonly loc: Loc;
}

export type ExprNode =
  | NumberNode
  | NameNode
  | StringNode
  | IndexNode
  | RangeSelectNode
  | UnaryNode
  | BinaryNode
  | ConditionalNode
  | ConcatNode
  | RepeatNode
  | CallNode
  | BadExprNode;

export interface BlockStmt {
  readonly kind: "block";
  readonly loc: Loc;
  readonly label: string | null;
  readonly decls: readonly DeclItem[];
  readonly body: readonly StmtNode[];
}
export interface IfStmt {
  readonly kind: "if";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly yes: StmtNode;
  readonly no: StmtNode | null;
}
export interface CaseItem {
  readonly labels: readonly ExprNode[];
  readonly body: StmtNode;
  readonly loc: Loc;
}
export interface CaseStmt {
  readonly kind: "case";
  readonly loc: Loc;
  readonly flavour: "case" | "casez" | "casex";
  readonly subject: ExprNode;
  readonly items: readonly CaseItem[];
  readonly fallback: StmtNode | null;
}
export interface ForStmt {
  readonly kind: "for";
  readonly loc: Loc;
  readonly init: AssignStmt;
  readonly test: ExprNode;
  readonly step: AssignStmt;
  readonly body: StmtNode;
}
export interface AssignStmt {
  readonly kind: "assign";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly value: ExprNode;
  readonly blocking: boolean;
}
/** A system task call such as `$display`: no hardware comes of it. */
export interface SystemStmt {
  readonly kind: "system";
  readonly loc: Loc;
  readonly name: string;
}
export interface NullStmt {
  readonly kind: "null";
  readonly loc: Loc;
}
export type StmtNode = BlockStmt | IfStmt | CaseStmt | ForStmt | AssignStmt | SystemStmt | NullStmt;

export interface RangeNode {
  readonly left: ExprNode;
  readonly right: ExprNode;
  readonly loc: Loc;
}
export type Direction = "input" | "output" | "inout";

export interface DeclName {
  readonly name: string;
  readonly loc: Loc;
  readonly init: ExprNode | null;
  /** Unpacked dimensions, as in `reg [7:0] line [0:15]`. */
  readonly dims: readonly RangeNode[];
}
export interface DeclItem {
  readonly kind: "decl";
  readonly loc: Loc;
  readonly direction: Direction | null;
  /** null where a port declaration gives a direction only. */
  readonly net: "wire" | "reg" | "integer" | "genvar" | "supply0" | "supply1" | null;
  readonly signed: boolean;
  readonly range: RangeNode | null;
  readonly names: readonly DeclName[];
}
export interface ParamItem {
  readonly kind: "param";
  readonly loc: Loc;
  readonly local: boolean;
  readonly signed: boolean;
  readonly range: RangeNode | null;
  readonly name: string;
  readonly value: ExprNode;
}
export interface ContinuousAssign {
  readonly kind: "continuous";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly value: ExprNode;
}
export interface EventNode {
  readonly edge: "posedge" | "negedge" | null;
  readonly signal: ExprNode;
  readonly loc: Loc;
}
export interface AlwaysItem {
  readonly kind: "always";
  readonly loc: Loc;
  /** null: no event control. "star": every signal that is read. */
  readonly events: readonly EventNode[] | "star" | null;
  readonly body: StmtNode;
}
export interface InitialItem {
  readonly kind: "initial";
  readonly loc: Loc;
  readonly body: StmtNode;
}
export interface Connection {
  readonly name: string | null;
  readonly value: ExprNode | null;
  readonly loc: Loc;
}
export interface InstanceItem {
  readonly kind: "instance";
  readonly loc: Loc;
  readonly module: string;
  readonly moduleLoc: Loc;
  readonly name: string;
  readonly params: readonly Connection[];
  readonly ports: readonly Connection[];
}
export interface GenerateFor {
  readonly kind: "genfor";
  readonly loc: Loc;
  readonly genvar: string;
  readonly init: ExprNode;
  readonly test: ExprNode;
  readonly stepName: string;
  readonly step: ExprNode;
  readonly label: string | null;
  readonly body: readonly ModuleItem[];
}
export interface GenerateIf {
  readonly kind: "genif";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly yes: GenerateBlock;
  readonly no: GenerateBlock | null;
}
export interface GenerateBlock {
  readonly label: string | null;
  readonly items: readonly ModuleItem[];
}
export interface FunctionItem {
  readonly kind: "function";
  readonly loc: Loc;
  readonly name: string;
  readonly signed: boolean;
  readonly range: RangeNode | null;
  readonly isInteger: boolean;
  readonly decls: readonly DeclItem[];
  readonly body: StmtNode;
}
export type ModuleItem =
  | DeclItem
  | ParamItem
  | ContinuousAssign
  | AlwaysItem
  | InitialItem
  | InstanceItem
  | GenerateFor
  | GenerateIf
  | FunctionItem;

export interface ModuleNode {
  readonly name: string;
  readonly loc: Loc;
  readonly nameLoc: Loc;
  /** Port names in order. ANSI declarations appear in `items` as well. */
  readonly ports: readonly { readonly name: string; readonly loc: Loc }[];
  readonly items: readonly ModuleItem[];
  readonly endLoc: Loc;
}
