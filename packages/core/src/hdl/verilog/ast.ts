import type { Loc } from "../../common/source.ts";

/**
 * Syntax tree of Verilog (IEEE 1364-2005) and the SystemVerilog (IEEE 1800-2017) that designs and test benches use, as
 * written: names unresolved, sizes unknown. Every node has its place.
 */

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
  | "==?"
  | "!=?"
  | "&&"
  | "||"
  | "->"
  | "<->"
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
interface NumberNode {
  readonly kind: "number";
  readonly loc: Loc;
  /** null when the literal gives no size: then it has at least 32 bits. */
  readonly width: number | null;
  readonly signed: boolean;
  readonly based: boolean;
  readonly a: bigint;
  readonly b: bigint;
}
interface RealNode {
  readonly kind: "real";
  readonly loc: Loc;
  readonly value: number;
}
/** `1.5ns`: scaled to the time unit of the module around it. */
interface TimeNode {
  readonly kind: "time";
  readonly loc: Loc;
  readonly value: number;
  /** Power of ten of a second: -9 for ns. */
  readonly exponent: number;
}
/** `'0`, `'1`, `'x`, `'z`: every bit of the context. */
interface FillNode {
  readonly kind: "fill";
  readonly loc: Loc;
  readonly bit: "0" | "1" | "x" | "z";
}
interface NameNode {
  readonly kind: "name";
  readonly loc: Loc;
  readonly name: string;
}
/** `package::name` or `$unit::name`. */
interface ScopedNode {
  readonly kind: "scoped";
  readonly loc: Loc;
  /** A package, `$unit`, or a class. */
  readonly scope: string;
  readonly name: string;
  /** Of a class: `fifo #(8)::depth`. */
  readonly params?: readonly ParamOverride[];
}
interface MemberNode {
  readonly kind: "member";
  readonly loc: Loc;
  readonly base: ExprNode;
  readonly name: string;
  readonly nameLoc: Loc;
}
interface StringNode {
  readonly kind: "string";
  readonly loc: Loc;
  /** With its escapes resolved; one character a byte. */
  readonly text: string;
}
interface IndexNode {
  readonly kind: "index";
  readonly loc: Loc;
  readonly base: ExprNode;
  readonly index: ExprNode;
}
interface RangeSelectNode {
  readonly kind: "range";
  readonly loc: Loc;
  readonly base: ExprNode;
  readonly mode: ":" | "+:" | "-:";
  readonly left: ExprNode;
  readonly right: ExprNode;
}
interface UnaryNode {
  readonly kind: "unary";
  readonly loc: Loc;
  readonly op: UnaryOp;
  readonly operand: ExprNode;
}
interface BinaryNode {
  readonly kind: "binary";
  readonly loc: Loc;
  readonly op: BinaryOp;
  readonly left: ExprNode;
  readonly right: ExprNode;
}
/** `i++`, `--i`. */
interface StepNode {
  readonly kind: "step";
  readonly loc: Loc;
  readonly op: "++" | "--";
  readonly prefix: boolean;
  readonly target: ExprNode;
}
interface ConditionalNode {
  readonly kind: "conditional";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly yes: ExprNode;
  readonly no: ExprNode;
}
interface ConcatNode {
  readonly kind: "concat";
  readonly loc: Loc;
  readonly parts: readonly ExprNode[];
}
interface RepeatNode {
  readonly kind: "repeat";
  readonly loc: Loc;
  readonly count: ExprNode;
  readonly parts: readonly ExprNode[];
}
/** `'{a, b}`, `'{x: 1, default: 0}`, `'{4{a}}`. */
export interface PatternNode {
  readonly kind: "pattern";
  readonly loc: Loc;
  readonly items: readonly { readonly key: ExprNode | "default" | null; readonly value: ExprNode }[];
  readonly count: ExprNode | null;
}
export interface CallArg {
  readonly name: string | null;
  readonly value: ExprNode | null;
  readonly loc: Loc;
}
export interface CallNode {
  readonly kind: "call";
  readonly loc: Loc;
  /** A name node whose name starts with `$` is a system task or function. */
  readonly callee: ExprNode;
  readonly args: readonly CallArg[];
  /** `with (item > 3)` behind a method of an array. */
  readonly with?: ExprNode;
}
interface CastNode {
  readonly kind: "cast";
  readonly loc: Loc;
  /** A type, a size, or a sign. */
  readonly to: TypeNode | ExprNode | "signed" | "unsigned";
  readonly value: ExprNode;
}
interface InsideNode {
  readonly kind: "inside";
  readonly loc: Loc;
  readonly value: ExprNode;
  readonly ranges: readonly (ExprNode | SpanNode)[];
}
/** `[low:high]` in `inside`; a `$` bound is open. */
export interface SpanNode {
  readonly kind: "span";
  readonly loc: Loc;
  readonly low: ExprNode | null;
  readonly high: ExprNode | null;
}
/** A data type where an expression may stand, as in `$bits(byte)`. */
interface TypeExprNode {
  readonly kind: "type";
  readonly loc: Loc;
  readonly type: TypeNode;
}
/** `{<< 8 {a, b}}`: blocks of bits in the order from the left (`>>`), or from the right (`<<`). */
export interface StreamNode {
  readonly kind: "stream";
  readonly loc: Loc;
  readonly op: "<<" | ">>";
  /** Bits of a block, as a number or a type; null: 1. */
  readonly slice: ExprNode | null;
  readonly parts: readonly ExprNode[];
}
/** The right side of an assignment to a stream. */
export interface UnstreamNode {
  readonly kind: "unstream";
  readonly loc: Loc;
  readonly op: "<<" | ">>";
  readonly slice: ExprNode | null;
  readonly value: ExprNode;
}
/** Stands where an expression could not be read; a finding was given there already. */
interface BadExprNode {
  readonly kind: "bad";
  readonly loc: Loc;
}

export type ExprNode =
  | StreamNode
  | UnstreamNode
  | NumberNode
  | RealNode
  | TimeNode
  | FillNode
  | NameNode
  | ScopedNode
  | MemberNode
  | StringNode
  | IndexNode
  | RangeSelectNode
  | UnaryNode
  | BinaryNode
  | StepNode
  | ConditionalNode
  | ConcatNode
  | RepeatNode
  | PatternNode
  | CallNode
  | CastNode
  | InsideNode
  | TypeExprNode
  | LastNode
  | NewNode
  | NewObjectNode
  | NullNode
  | BadExprNode;

/** `$` as an index: the last element of a queue. */
interface LastNode {
  readonly kind: "last";
  readonly loc: Loc;
}
/** `new[size](from)`: a dynamic array. */
interface NewNode {
  readonly kind: "new";
  readonly size: ExprNode;
  readonly from: ExprNode | null;
  readonly loc: Loc;
}

/** `new`, `new(1, 2)`, `new other` (a copy), `base #(8)::new`: an object. */
export interface NewObjectNode {
  readonly kind: "newobject";
  /** null: of the class of what it is assigned to. */
  readonly type: NamedType | null;
  readonly args: readonly CallArg[];
  readonly from: ExprNode | null;
  readonly loc: Loc;
}
/** `null`: no object. */
interface NullNode {
  readonly kind: "null";
  readonly loc: Loc;
}

export interface RangeNode {
  /** Of `[]`, `[$]` and `[*]`, which have no bounds. */
  readonly open?: "array" | "queue" | "map";
  readonly left: ExprNode;
  /** null: `[n]`, which stands for `[0:n-1]`. */
  readonly right: ExprNode | null;
  readonly loc: Loc;
}

export type BuiltinWord =
  | "logic"
  | "reg"
  | "bit"
  | "integer"
  | "time"
  | "int"
  | "byte"
  | "shortint"
  | "longint"
  | "real"
  | "string"
  | "event"
  | "void"
  | "implicit";

interface BuiltinType {
  readonly kind: "builtin";
  readonly loc: Loc;
  readonly word: BuiltinWord;
  /** null: as the word has it. */
  readonly signed: boolean | null;
  readonly dims: readonly RangeNode[];
}
export interface EnumType {
  readonly kind: "enum";
  readonly loc: Loc;
  readonly base: TypeNode | null;
  readonly members: readonly {
    readonly name: string;
    readonly loc: Loc;
    readonly range: RangeNode | null;
    readonly value: ExprNode | null;
  }[];
  readonly dims: readonly RangeNode[];
}
export interface StructType {
  readonly kind: "struct";
  readonly loc: Loc;
  readonly union: boolean;
  readonly packed: boolean;
  readonly signed: boolean;
  readonly members: readonly { readonly type: TypeNode; readonly names: readonly DeclName[] }[];
  readonly dims: readonly RangeNode[];
}
export interface NamedType {
  readonly kind: "named";
  readonly loc: Loc;
  /** A package or a class. */
  readonly scope: string | null;
  readonly name: string;
  readonly dims: readonly RangeNode[];
  /** Of a class. */
  readonly params?: readonly ParamOverride[];
  /** Of the class that it is looked up in. */
  readonly scopeParams?: readonly ParamOverride[];
}
/** `type(expression)`. */
interface TypeOfType {
  readonly kind: "typeof";
  readonly loc: Loc;
  readonly expr: ExprNode;
  readonly dims: readonly RangeNode[];
}
/** `virtual bus_if`, `virtual interface bus_if #(8).src`: a handle of an interface. */
export interface VirtualType {
  readonly kind: "virtual";
  readonly loc: Loc;
  readonly name: string;
  readonly dims: readonly RangeNode[];
}
export type TypeNode = BuiltinType | EnumType | StructType | NamedType | TypeOfType | VirtualType;

/** `#5`, `#(2, 3)`, `#(1:2:3)` with the typical value kept: rise, fall, turn-off. */
export interface DelayNode {
  readonly loc: Loc;
  readonly values: readonly ExprNode[];
}
export interface EventTerm {
  readonly edge: "posedge" | "negedge" | "edge" | null;
  readonly signal: ExprNode;
  readonly guard: ExprNode | null;
  readonly loc: Loc;
}
/** `star`: every signal that is read. */
export type EventControl = readonly EventTerm[] | "star";

export interface BlockStmt {
  readonly kind: "block";
  readonly loc: Loc;
  readonly label: string | null;
  readonly decls: readonly (DeclItem | ParamItem | TypedefItem | ImportItem | LetItem)[];
  readonly body: readonly StmtNode[];
  /** null for begin ... end. */
  readonly fork: "join" | "join_any" | "join_none" | null;
}
interface IfStmt {
  readonly kind: "if";
  readonly loc: Loc;
  readonly check: Uniqueness;
  readonly test: ExprNode;
  readonly yes: StmtNode;
  readonly no: StmtNode | null;
}
export type Uniqueness = "unique" | "unique0" | "priority" | null;
export interface CaseItem {
  readonly labels: readonly (ExprNode | SpanNode)[];
  readonly body: StmtNode;
  readonly loc: Loc;
}
export interface CaseStmt {
  readonly kind: "case";
  readonly loc: Loc;
  readonly check: Uniqueness;
  readonly flavour: "case" | "casez" | "casex" | "inside";
  readonly subject: ExprNode;
  readonly items: readonly CaseItem[];
  readonly fallback: StmtNode | null;
  /** Place of `endcase`, where a default may be put. */
  readonly endLoc: Loc;
}
interface ForStmt {
  readonly kind: "for";
  readonly loc: Loc;
  readonly decls: readonly DeclItem[];
  readonly init: readonly StmtNode[];
  readonly test: ExprNode | null;
  readonly step: readonly StmtNode[];
  readonly body: StmtNode;
}
export interface ForeachStmt {
  readonly kind: "foreach";
  readonly loc: Loc;
  readonly array: ExprNode;
  /** null where a dimension is passed over. */
  readonly names: readonly ({ readonly name: string; readonly loc: Loc } | null)[];
  readonly body: StmtNode;
}
interface LoopStmt {
  readonly kind: "while" | "dowhile" | "repeat";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly body: StmtNode;
}
interface ForeverStmt {
  readonly kind: "forever";
  readonly loc: Loc;
  readonly body: StmtNode;
}
/** `= #5 v`, `<= @(posedge clk) v`, `= repeat (3) @(e) v`. */
export interface IntraControl {
  readonly delay: DelayNode | null;
  readonly repeat: ExprNode | null;
  readonly events: EventControl | null;
}
export interface AssignStmt {
  readonly kind: "assign";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly value: ExprNode;
  readonly blocking: boolean;
  /** For `+=` and its kin. */
  readonly op: BinaryOp | null;
  readonly intra: IntraControl | null;
  /** Place of the `=` or `<=`. */
  readonly opLoc: Loc;
}
/** Procedural continuous assignment: `assign`, `deassign`, `force`, `release`. */
interface ForceStmt {
  readonly kind: "force";
  readonly loc: Loc;
  readonly word: "assign" | "deassign" | "force" | "release";
  readonly target: ExprNode;
  readonly value: ExprNode | null;
}
interface DelayStmt {
  readonly kind: "delay";
  readonly loc: Loc;
  readonly delay: DelayNode;
  readonly body: StmtNode | null;
}
interface EventStmt {
  readonly kind: "event";
  readonly loc: Loc;
  readonly events: EventControl;
  readonly body: StmtNode | null;
}
interface WaitStmt {
  readonly kind: "wait";
  readonly loc: Loc;
  /** null: `wait fork`. */
  readonly test: ExprNode | null;
  readonly body: StmtNode | null;
}
interface DisableStmt {
  readonly kind: "disable";
  readonly loc: Loc;
  /** null: `disable fork`. */
  readonly target: ExprNode | null;
}
interface TriggerStmt {
  readonly kind: "trigger";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly blocking: boolean;
}
/** A task, a system task, or a void function; `i++` too. */
interface CallStmt {
  readonly kind: "call";
  readonly loc: Loc;
  readonly call: ExprNode;
}
interface ReturnStmt {
  readonly kind: "return";
  readonly loc: Loc;
  readonly value: ExprNode | null;
}
interface JumpStmt {
  readonly kind: "break" | "continue";
  readonly loc: Loc;
}
interface AssertStmt {
  readonly kind: "assert";
  readonly loc: Loc;
  readonly word: "assert" | "assume" | "cover";
  readonly label: string | null;
  readonly test: ExprNode;
  readonly pass: StmtNode | null;
  readonly fail: StmtNode | null;
}
/** What a concurrent assertion says of several clocks (IEEE 1800-2017 clauses 16.7 to 16.12). */
export type PropertyNode = { readonly loc: Loc } & (
  | { readonly kind: "expr"; readonly expr: ExprNode }
  /** `left ##[low:high] right`; `high` null: just `low`. */
  | {
      readonly kind: "delay";
      readonly left: PropertyNode | null;
      readonly low: ExprNode;
      readonly high: ExprNode | "$" | null;
      readonly right: PropertyNode;
    }
  | {
      readonly kind: "repeat";
      readonly of: PropertyNode;
      readonly mode: "*" | "->" | "=";
      readonly low: ExprNode;
      readonly high: ExprNode | "$" | null;
    }
  | {
      readonly kind: "and" | "or" | "intersect" | "within" | "throughout";
      readonly left: PropertyNode;
      readonly right: PropertyNode;
    }
  | { readonly kind: "first" | "not"; readonly of: PropertyNode }
  | {
      readonly kind: "implies";
      readonly overlapped: boolean;
      readonly left: PropertyNode;
      readonly right: PropertyNode;
    }
  | { readonly kind: "if"; readonly test: ExprNode; readonly yes: PropertyNode; readonly no: PropertyNode | null }
);
export interface PropertySpec {
  /** null: that of `default clocking`, or of the property that it is part of. */
  readonly clock: readonly EventTerm[] | null;
  readonly disable: ExprNode | null;
  readonly body: PropertyNode;
}
export interface ConcurrentAssert {
  readonly kind: "concurrent";
  readonly loc: Loc;
  readonly word: "assert" | "assume" | "cover";
  readonly label: string | null;
  readonly spec: PropertySpec;
  readonly pass: StmtNode | null;
  readonly fail: StmtNode | null;
}
/** A named property or sequence. */
export interface AssertionDecl {
  readonly kind: "assertiondecl";
  readonly loc: Loc;
  readonly name: string;
  readonly nameLoc: Loc;
  readonly args: readonly { readonly name: string; readonly loc: Loc; readonly init: ExprNode | null }[];
  readonly spec: PropertySpec;
}
/** `bind target checker u_checker (...);`: instances that stand in another module as if written there. */
interface BindItem {
  readonly kind: "bind";
  readonly loc: Loc;
  readonly target: string;
  readonly targetLoc: Loc;
  readonly instances: readonly InstanceItem[];
}
/** `specify ... endspecify`: passed over. */
interface SpecifyItem {
  readonly kind: "specify";
  readonly loc: Loc;
}
/** `let name(a, b = 1) = expression;` */
export interface LetItem {
  readonly kind: "let";
  readonly loc: Loc;
  readonly name: string;
  readonly nameLoc: Loc;
  readonly args: readonly {
    readonly name: string;
    readonly loc: Loc;
    readonly type: TypeNode | null;
    readonly init: ExprNode | null;
  }[];
  readonly value: ExprNode;
}
/** `default clocking @(posedge clk); endclocking`, `default disable iff (rst);`. */
export interface AssertionDefault {
  readonly kind: "assertiondefault";
  readonly loc: Loc;
  readonly clock: readonly EventTerm[] | null;
  readonly disable: ExprNode | null;
}
interface NullStmt {
  readonly kind: "null";
  readonly loc: Loc;
}
export type StmtNode =
  | BlockStmt
  | IfStmt
  | CaseStmt
  | ForStmt
  | ForeachStmt
  | LoopStmt
  | ForeverStmt
  | AssignStmt
  | ForceStmt
  | DelayStmt
  | EventStmt
  | WaitStmt
  | DisableStmt
  | TriggerStmt
  | CallStmt
  | ReturnStmt
  | JumpStmt
  | AssertStmt
  | ConcurrentAssert
  | NullStmt;

export type Direction = "input" | "output" | "inout" | "ref";
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
  /** null for variables, and where a port declaration gives a direction only. */
  readonly net: NetKind | null;
  /** True if the declaration names a data type or `var`. */
  readonly variable: boolean;
  readonly type: TypeNode;
  readonly names: readonly DeclName[];
  readonly lifetime: "automatic" | "static" | null;
  readonly isConst: boolean;
  readonly delay: DelayNode | null;
  readonly strength: Strength | null;
}
/** `bus_if.slave b` in a port list; `interface b` has no interface name. */
export interface InterfacePortItem {
  readonly kind: "interfaceport";
  readonly loc: Loc;
  readonly interfaceName: string | null;
  readonly modport: string | null;
  readonly name: string;
  readonly dims: readonly RangeNode[];
}
interface GenvarItem {
  readonly kind: "genvar";
  readonly loc: Loc;
  readonly names: readonly { readonly name: string; readonly loc: Loc }[];
}
export interface ParamItem {
  readonly kind: "param";
  readonly loc: Loc;
  readonly nameLoc: Loc;
  readonly local: boolean;
  readonly type: TypeNode;
  readonly dims: readonly RangeNode[];
  readonly name: string;
  /** null: must be overridden. */
  readonly value: ExprNode | null;
  /** `parameter type T = byte`. */
  readonly typeValue: TypeNode | null;
  readonly isType: boolean;
}
export interface TypedefItem {
  readonly kind: "typedef";
  readonly loc: Loc;
  readonly name: string;
  readonly nameLoc: Loc;
  readonly type: TypeNode;
  readonly dims: readonly RangeNode[];
}
export interface ImportItem {
  readonly kind: "import";
  readonly loc: Loc;
  readonly package: string;
  /** null: everything (`*`). */
  readonly name: string | null;
  /** Seen by those who import this package too; `*` as the package: from all that it imports. */
  readonly isExport?: boolean;
}
/** Drive strengths as levels: 7 supply, 6 strong, 5 pull, 3 weak, 0 high impedance. */
export interface Strength {
  readonly zero: number;
  readonly one: number;
}
interface ContinuousAssign {
  readonly kind: "continuous";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly value: ExprNode;
  readonly delay: DelayNode | null;
  readonly strength: Strength | null;
}
export interface AlwaysItem {
  readonly kind: "always";
  readonly loc: Loc;
  readonly word: "always" | "always_comb" | "always_ff" | "always_latch";
  /** Place of the event control, or of the word. */
  readonly eventLoc: Loc;
  readonly body: StmtNode;
}
interface InitialItem {
  readonly kind: "initial";
  readonly loc: Loc;
  readonly final: boolean;
  readonly body: StmtNode;
}
export interface Connection {
  readonly name: string | null;
  readonly value: ExprNode | null;
  /** `.name` alone: the net of the same name. */
  readonly implicit?: boolean;
  readonly loc: Loc;
}
export interface ParamOverride {
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
  readonly nameLoc: Loc;
  readonly range: RangeNode | null;
  readonly params: readonly ParamOverride[];
  readonly ports: readonly Connection[];
  /** `.*`: all ports not named connect to nets of their name. */
  readonly wildcard: boolean;
}
export interface GateItem {
  readonly kind: "gate";
  readonly loc: Loc;
  readonly gate: string;
  readonly name: string | null;
  readonly range: RangeNode | null;
  readonly delay: DelayNode | null;
  readonly strength: Strength | null;
  readonly pins: readonly ExprNode[];
}
export interface GenerateFor {
  readonly kind: "genfor";
  readonly loc: Loc;
  readonly genvar: string;
  readonly init: ExprNode;
  readonly test: ExprNode;
  readonly step: StmtNode;
  readonly body: GenerateBlock;
}
export interface GenerateIf {
  readonly kind: "genif";
  readonly loc: Loc;
  readonly test: ExprNode;
  readonly yes: GenerateBlock;
  readonly no: GenerateBlock | null;
}
export interface GenerateCase {
  readonly kind: "gencase";
  readonly loc: Loc;
  readonly subject: ExprNode;
  readonly items: readonly { readonly labels: readonly ExprNode[]; readonly block: GenerateBlock }[];
  readonly fallback: GenerateBlock | null;
}
export interface GenerateBlock {
  readonly kind: "genblock";
  readonly loc: Loc;
  readonly label: string | null;
  readonly items: readonly ModuleItem[];
  /** False for a single item without begin and end. */
  readonly braced: boolean;
}
export interface SubroutineItem {
  readonly kind: "subroutine";
  readonly loc: Loc;
  readonly nameLoc: Loc;
  readonly task: boolean;
  readonly automatic: boolean | null;
  readonly name: string;
  /** For functions; `void` gives nothing back. */
  readonly type: TypeNode | null;
  /** In order; each names one argument. Declared in the header or in the body. */
  readonly args: readonly DeclItem[];
  readonly decls: readonly (DeclItem | ParamItem | TypedefItem | ImportItem | LetItem)[];
  readonly body: readonly StmtNode[];
  /** The body of a method that its class declares as `extern`. */
  readonly of?: { readonly name: string; readonly loc: Loc };
}
export type Access = "public" | "local" | "protected";
export interface PropertyItem {
  readonly kind: "property";
  readonly loc: Loc;
  readonly decl: DeclItem;
  readonly isStatic: boolean;
  readonly access: Access;
}
export interface MethodItem {
  readonly kind: "method";
  readonly loc: Loc;
  readonly node: SubroutineItem;
  readonly isStatic: boolean;
  readonly isVirtual: boolean;
  /** Without a body: a derived class gives it. */
  readonly isPure: boolean;
  /** Its body stands outside of the class. */
  readonly isExtern: boolean;
  readonly access: Access;
}
export type ClassMember = PropertyItem | MethodItem | ParamItem | TypedefItem | ImportItem | ClassItem;
export interface ClassItem {
  readonly kind: "class";
  readonly loc: Loc;
  readonly name: string;
  readonly nameLoc: Loc;
  /** Virtual: only derived classes have objects. */
  readonly isAbstract: boolean;
  readonly params: readonly ParamItem[];
  readonly base: NamedType | null;
  /** `extends base(8)`: what its constructor is given. */
  readonly baseArgs: readonly CallArg[] | null;
  readonly items: readonly ClassMember[];
}
interface DefparamItem {
  readonly kind: "defparam";
  readonly loc: Loc;
  readonly target: ExprNode;
  readonly value: ExprNode;
}
interface ModportItem {
  readonly kind: "modport";
  readonly loc: Loc;
  readonly name: string;
  readonly ports: readonly {
    readonly name: string;
    readonly direction: Direction;
    readonly imported: boolean;
    readonly loc: Loc;
  }[];
}
interface ElabTaskItem {
  readonly kind: "elabtask";
  readonly loc: Loc;
  readonly call: CallNode;
}
export type ModuleItem =
  | DeclItem
  | InterfacePortItem
  | GenvarItem
  | ParamItem
  | TypedefItem
  | ImportItem
  | ContinuousAssign
  | AlwaysItem
  | InitialItem
  | InstanceItem
  | GateItem
  | GenerateFor
  | GenerateIf
  | GenerateCase
  | GenerateBlock
  | SubroutineItem
  | DefparamItem
  | ModportItem
  | ElabTaskItem
  | ClassItem
  | AssertionDecl
  | LetItem
  | BindItem
  | SpecifyItem
  | AssertionDefault
  | ConcurrentAssert
  | AssertItem;
/** A deferred or immediate assertion standing as a module item. */
interface AssertItem {
  readonly kind: "assertitem";
  readonly loc: Loc;
  readonly body: AssertStmt;
}

export interface TimeScale {
  /** Powers of ten of a second: -9 for ns. */
  readonly unit: number;
  readonly precision: number;
}

export interface PortName {
  readonly name: string;
  readonly loc: Loc;
  /** `.name(expression)` of an old-style header; null where the name is the net itself. */
  readonly expr: ExprNode | null;
}

export interface ModuleNode {
  readonly kind: "module" | "interface" | "package" | "program";
  readonly name: string;
  readonly loc: Loc;
  readonly nameLoc: Loc;
  /** Port names in order. ANSI declarations appear in `items` as well. */
  readonly ports: readonly PortName[];
  readonly items: readonly ModuleItem[];
  readonly endLoc: Loc;
  /** From a `timescale before it, or its own timeunit; null if there was none. */
  readonly timeScale: TimeScale | null;
  /** What an undeclared name becomes; null after `default_nettype none. */
  readonly defaultNet: NetKind | null;
  /** What its inputs are pulled to where an instance leaves them open. */
  readonly openInputs: 0 | 1 | null;
  readonly automatic: boolean;
}
