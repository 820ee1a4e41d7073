import type { Finding } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";

/**
 * Syntax of VHDL (IEEE 1076-2008 clauses 3 to 11). Read-only; every node has its place. What a name means is not known
 * here: calls, indexed names, slices and conversions are all `apply`.
 */

export interface Ident {
  /** In lower case, or an extended name, a character literal or an operator symbol with its quotes. */
  readonly id: string;
  readonly loc: Loc;
}

export type Direction = "to" | "downto";
export interface RangeNode {
  readonly kind: "range";
  readonly left: ExprNode;
  readonly dir: Direction;
  readonly right: ExprNode;
  readonly loc: Loc;
}
export interface SubtypeNode {
  readonly kind: "subtype";
  readonly mark: ExprNode;
  readonly resolution: ExprNode | null;
  readonly constraint: ConstraintNode | null;
  readonly loc: Loc;
}
export type ConstraintNode =
  | { readonly kind: "scalar"; readonly range: RangeNode | ExprNode; readonly loc: Loc }
  /** Ranges of one array, then perhaps constraints of its elements (2008). A range may be `open`. */
  | {
      readonly kind: "array";
      readonly ranges: readonly DiscreteNode[];
      readonly element: ConstraintNode | null;
      readonly loc: Loc;
    }
  | {
      readonly kind: "record";
      readonly fields: readonly { readonly name: Ident; readonly constraint: ConstraintNode }[];
      readonly loc: Loc;
    };
/** A range, the name of a type or range attribute, or a subtype with a range. */
export type DiscreteNode = RangeNode | SubtypeNode | ExprNode;

export type Choice = ExprNode | RangeNode | SubtypeNode | { readonly kind: "others"; readonly loc: Loc };
export interface Association {
  readonly formal: ExprNode | null;
  readonly actual: ExprNode | RangeNode | SubtypeNode;
  /** Written out as `inertial` (2008). */
  readonly loc: Loc;
}

export type ExprNode =
  | { readonly kind: "name"; readonly id: string; readonly loc: Loc }
  | { readonly kind: "char"; readonly id: string; readonly loc: Loc }
  /** A string, or the symbol of an operator. */
  | { readonly kind: "string"; readonly text: string; readonly isBits: boolean; readonly loc: Loc }
  | { readonly kind: "number"; readonly value: number | bigint; readonly isReal: boolean; readonly loc: Loc }
  | { readonly kind: "physical"; readonly value: number; readonly unit: ExprNode; readonly loc: Loc }
  | { readonly kind: "select"; readonly of: ExprNode; readonly name: Ident; readonly loc: Loc }
  | { readonly kind: "deref"; readonly of: ExprNode; readonly loc: Loc }
  | { readonly kind: "apply"; readonly of: ExprNode; readonly args: readonly Association[]; readonly loc: Loc }
  | {
      readonly kind: "attribute";
      readonly of: ExprNode;
      readonly signature: SignatureNode | null;
      readonly name: Ident;
      readonly arg: ExprNode | null;
      readonly loc: Loc;
    }
  | { readonly kind: "qualified"; readonly mark: ExprNode; readonly value: ExprNode; readonly loc: Loc }
  | {
      readonly kind: "aggregate";
      readonly elements: readonly { readonly choices: readonly Choice[]; readonly value: ExprNode }[];
      readonly loc: Loc;
    }
  | { readonly kind: "unary"; readonly op: string; readonly arg: ExprNode; readonly opLoc: Loc; readonly loc: Loc }
  | {
      readonly kind: "binary";
      readonly op: string;
      readonly left: ExprNode;
      readonly right: ExprNode;
      readonly opLoc: Loc;
      readonly loc: Loc;
    }
  | { readonly kind: "new"; readonly value: ExprNode | SubtypeNode; readonly loc: Loc }
  | { readonly kind: "null"; readonly loc: Loc }
  | { readonly kind: "open"; readonly loc: Loc }
  /** `<< signal path : type >>` (2008). */
  | {
      readonly kind: "external";
      readonly object: string;
      readonly path: readonly Ident[];
      readonly absolute: boolean;
      readonly up: number;
      readonly type: SubtypeNode;
      readonly loc: Loc;
    }
  /** Stands where an expression is missing; its mistake has been told. */
  | { readonly kind: "bad"; readonly loc: Loc };

export interface SignatureNode {
  readonly args: readonly ExprNode[];
  readonly result: ExprNode | null;
  readonly loc: Loc;
}

// ---- declarations -------------------------------------------------------------------------------------------------

export type Mode = "in" | "out" | "inout" | "buffer" | "linkage";
export interface InterfaceNode {
  readonly kind: "interface";
  readonly object: "constant" | "signal" | "variable" | "file" | null;
  readonly name: Ident;
  readonly mode: Mode | null;
  readonly type: SubtypeNode;
  readonly init: ExprNode | null;
  readonly loc: Loc;
}
/** `generic (type t)`, `generic (function f ...)` or a package: 2008. */
export type GenericNode =
  | InterfaceNode
  | { readonly kind: "generictype"; readonly name: Ident; readonly loc: Loc }
  | {
      readonly kind: "genericsub";
      readonly spec: SubprogramSpec;
      readonly fallback: ExprNode | "box" | null;
      readonly loc: Loc;
    };

export type TypeDefinition =
  | { readonly kind: "enum"; readonly literals: readonly Ident[]; readonly loc: Loc }
  | { readonly kind: "rangetype"; readonly range: RangeNode | ExprNode; readonly loc: Loc }
  | {
      readonly kind: "physicaltype";
      readonly range: RangeNode | ExprNode;
      readonly base: Ident;
      readonly units: readonly { readonly name: Ident; readonly value: ExprNode }[];
      readonly loc: Loc;
    }
  | {
      readonly kind: "arraytype";
      /** Of an unconstrained one: marks of index subtypes. */
      readonly open: boolean;
      readonly indexes: readonly DiscreteNode[];
      readonly element: SubtypeNode;
      readonly loc: Loc;
    }
  | {
      readonly kind: "recordtype";
      readonly fields: readonly { readonly name: Ident; readonly type: SubtypeNode }[];
      readonly loc: Loc;
    }
  | { readonly kind: "accesstype"; readonly of: SubtypeNode; readonly loc: Loc }
  | { readonly kind: "filetype"; readonly of: ExprNode; readonly loc: Loc }
  | { readonly kind: "protected"; readonly items: readonly DeclNode[]; readonly loc: Loc }
  | { readonly kind: "protectedbody"; readonly items: readonly DeclNode[]; readonly loc: Loc }
  | { readonly kind: "incomplete"; readonly loc: Loc };

export interface SubprogramSpec {
  readonly name: Ident;
  readonly isFunction: boolean;
  readonly pure: boolean;
  readonly params: readonly InterfaceNode[];
  readonly result: ExprNode | null;
  readonly generics: readonly GenericNode[];
  readonly loc: Loc;
}

export type DeclNode =
  | { readonly kind: "type"; readonly name: Ident; readonly def: TypeDefinition; readonly loc: Loc }
  | { readonly kind: "subtypedecl"; readonly name: Ident; readonly type: SubtypeNode; readonly loc: Loc }
  | {
      readonly kind: "object";
      readonly object: "constant" | "signal" | "variable" | "shared";
      readonly names: readonly Ident[];
      readonly type: SubtypeNode;
      readonly signalKind: "register" | "bus" | null;
      readonly init: ExprNode | null;
      readonly loc: Loc;
    }
  | {
      readonly kind: "file";
      readonly names: readonly Ident[];
      readonly type: SubtypeNode;
      readonly mode: ExprNode | null;
      readonly path: ExprNode | null;
      readonly loc: Loc;
    }
  | {
      readonly kind: "alias";
      readonly name: Ident;
      readonly type: SubtypeNode | null;
      readonly of: ExprNode;
      readonly signature: SignatureNode | null;
      readonly loc: Loc;
    }
  | { readonly kind: "attributedecl"; readonly name: Ident; readonly type: ExprNode; readonly loc: Loc }
  | {
      readonly kind: "attributespec";
      readonly name: Ident;
      readonly entities:
        | readonly { readonly name: Ident; readonly signature: SignatureNode | null }[]
        | "all"
        | "others";
      readonly entityClass: string;
      readonly value: ExprNode;
      readonly loc: Loc;
    }
  | {
      readonly kind: "component";
      readonly name: Ident;
      readonly generics: readonly GenericNode[];
      readonly ports: readonly InterfaceNode[];
      readonly loc: Loc;
    }
  | {
      readonly kind: "subprogram";
      readonly spec: SubprogramSpec;
      readonly body: SubprogramBody | null;
      readonly loc: Loc;
    }
  | {
      readonly kind: "subprograminstance";
      readonly name: Ident;
      readonly isFunction: boolean;
      readonly of: ExprNode;
      readonly generics: readonly Association[];
      readonly loc: Loc;
    }
  | { readonly kind: "use"; readonly names: readonly ExprNode[]; readonly loc: Loc }
  | { readonly kind: "configspec"; readonly spec: BindingSpec; readonly loc: Loc }
  | { readonly kind: "package"; readonly unit: PackageNode; readonly loc: Loc }
  | { readonly kind: "packagebody"; readonly unit: PackageBodyNode; readonly loc: Loc }
  | PackageInstanceNode
  /** Groups, disconnections: read and of no effect. */
  | { readonly kind: "ignored"; readonly loc: Loc };

export interface SubprogramBody {
  readonly decls: readonly DeclNode[];
  readonly stmts: readonly StmtNode[];
  readonly loc: Loc;
}
export interface BindingSpec {
  readonly labels: readonly Ident[] | "all" | "others";
  readonly component: ExprNode;
  /** null: left open, or only maps. */
  readonly unit:
    | { readonly kind: "entity"; readonly name: ExprNode; readonly architecture: Ident | null }
    | { readonly kind: "configuration"; readonly name: ExprNode }
    | { readonly kind: "open" }
    | null;
  readonly generics: readonly Association[];
  readonly ports: readonly Association[];
  readonly loc: Loc;
}

// ---- statements ---------------------------------------------------------------------------------------------------

export interface WaveformElement {
  readonly value: ExprNode;
  readonly after: ExprNode | null;
}
/** `unaffected` is an empty list. */
export type Waveform = readonly WaveformElement[];
export interface DelayMechanism {
  readonly transport: boolean;
  readonly reject: ExprNode | null;
}
type CaseFlavour = "case" | "case?";
export interface Conditional<T> {
  readonly value: T;
  readonly test: ExprNode | null;
}
export interface Selected<T> {
  readonly value: T;
  readonly choices: readonly Choice[];
}
/** What is assigned: plainly, by conditions, or by a selector. */
export type Assigned<T> =
  | { readonly kind: "plain"; readonly value: T }
  | { readonly kind: "when"; readonly branches: readonly Conditional<T>[] }
  | {
      readonly kind: "select";
      readonly subject: ExprNode;
      readonly matching: boolean;
      readonly branches: readonly Selected<T>[];
    };

export type StmtNode = { readonly label: Ident | null; readonly loc: Loc } & (
  | {
      readonly kind: "signal";
      readonly target: ExprNode;
      readonly delay: DelayMechanism;
      readonly value: Assigned<Waveform>;
      readonly force: "force" | "release" | null;
    }
  | { readonly kind: "assign"; readonly target: ExprNode; readonly value: Assigned<ExprNode> }
  | {
      readonly kind: "if";
      readonly branches: readonly { readonly test: ExprNode; readonly body: readonly StmtNode[]; readonly loc: Loc }[];
      readonly otherwise: readonly StmtNode[] | null;
    }
  | {
      readonly kind: "case";
      readonly flavour: CaseFlavour;
      readonly subject: ExprNode;
      readonly branches: readonly {
        readonly choices: readonly Choice[];
        readonly body: readonly StmtNode[];
        readonly loc: Loc;
      }[];
    }
  | { readonly kind: "loop"; readonly scheme: LoopScheme | null; readonly body: readonly StmtNode[] }
  | { readonly kind: "exit" | "next"; readonly target: Ident | null; readonly test: ExprNode | null }
  | { readonly kind: "return"; readonly value: ExprNode | null }
  | { readonly kind: "null" }
  | {
      readonly kind: "wait";
      readonly on: readonly ExprNode[] | null;
      readonly until: ExprNode | null;
      readonly delay: ExprNode | null;
    }
  | {
      readonly kind: "assert";
      readonly test: ExprNode;
      readonly message: ExprNode | null;
      readonly severity: ExprNode | null;
    }
  | { readonly kind: "report"; readonly message: ExprNode; readonly severity: ExprNode | null }
  | { readonly kind: "call"; readonly call: ExprNode }
);
export type LoopScheme =
  | { readonly kind: "while"; readonly test: ExprNode }
  | { readonly kind: "for"; readonly name: Ident; readonly range: DiscreteNode };

interface ProcessNode {
  readonly kind: "process";
  readonly label: Ident | null;
  /** null: none; it waits by itself. */
  readonly sensitivity: readonly ExprNode[] | "all" | null;
  readonly postponed: boolean;
  readonly decls: readonly DeclNode[];
  readonly stmts: readonly StmtNode[];
  readonly headLoc: Loc;
  readonly loc: Loc;
}
export type ConcurrentNode =
  | ProcessNode
  | {
      readonly kind: "signal";
      readonly label: Ident | null;
      readonly target: ExprNode;
      readonly delay: DelayMechanism;
      readonly guarded: boolean;
      readonly value: Assigned<Waveform>;
      readonly loc: Loc;
    }
  | { readonly kind: "call"; readonly label: Ident | null; readonly call: ExprNode; readonly loc: Loc }
  | {
      readonly kind: "assert";
      readonly label: Ident | null;
      readonly test: ExprNode;
      readonly message: ExprNode | null;
      readonly severity: ExprNode | null;
      readonly loc: Loc;
    }
  | {
      readonly kind: "block";
      readonly label: Ident;
      readonly guard: ExprNode | null;
      readonly generics: readonly GenericNode[];
      readonly genericMap: readonly Association[];
      readonly ports: readonly InterfaceNode[];
      readonly portMap: readonly Association[];
      readonly decls: readonly DeclNode[];
      readonly stmts: readonly ConcurrentNode[];
      readonly loc: Loc;
    }
  | InstanceNode
  | {
      readonly kind: "forgenerate";
      readonly label: Ident;
      readonly name: Ident;
      readonly range: DiscreteNode;
      readonly body: GenerateBody;
      readonly loc: Loc;
    }
  | {
      readonly kind: "ifgenerate";
      readonly label: Ident;
      readonly branches: readonly {
        readonly label: Ident | null;
        readonly test: ExprNode | null;
        readonly body: GenerateBody;
      }[];
      readonly loc: Loc;
    }
  | {
      readonly kind: "casegenerate";
      readonly label: Ident;
      readonly subject: ExprNode;
      readonly branches: readonly {
        readonly label: Ident | null;
        readonly choices: readonly Choice[];
        readonly body: GenerateBody;
      }[];
      readonly loc: Loc;
    };
export interface GenerateBody {
  readonly decls: readonly DeclNode[];
  readonly stmts: readonly ConcurrentNode[];
  readonly loc: Loc;
}
export interface InstanceNode {
  readonly kind: "instance";
  readonly label: Ident;
  readonly unit: "component" | "entity" | "configuration";
  readonly name: ExprNode;
  readonly architecture: Ident | null;
  readonly generics: readonly Association[];
  readonly ports: readonly Association[];
  readonly loc: Loc;
}

// ---- design units -------------------------------------------------------------------------------------------------

export type ContextItem =
  | { readonly kind: "library"; readonly names: readonly Ident[]; readonly loc: Loc }
  | { readonly kind: "use"; readonly names: readonly ExprNode[]; readonly loc: Loc }
  | { readonly kind: "contextref"; readonly names: readonly ExprNode[]; readonly loc: Loc };

export interface EntityNode {
  readonly kind: "entity";
  readonly name: Ident;
  readonly generics: readonly GenericNode[];
  readonly ports: readonly InterfaceNode[];
  readonly decls: readonly DeclNode[];
  readonly stmts: readonly ConcurrentNode[];
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
export interface ArchitectureNode {
  readonly kind: "architecture";
  readonly name: Ident;
  readonly entity: Ident;
  readonly decls: readonly DeclNode[];
  readonly stmts: readonly ConcurrentNode[];
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
export interface PackageNode {
  readonly kind: "package";
  readonly name: Ident;
  readonly generics: readonly GenericNode[];
  readonly decls: readonly DeclNode[];
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
export interface PackageBodyNode {
  readonly kind: "packagebody";
  readonly name: Ident;
  readonly decls: readonly DeclNode[];
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
export interface PackageInstanceNode {
  readonly kind: "packageinstance";
  readonly name: Ident;
  readonly of: ExprNode;
  readonly generics: readonly Association[];
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
export interface ConfigBlock {
  /** Architecture or label of a block or generate statement. */
  readonly name: Ident;
  readonly items: readonly (
    | { readonly kind: "block"; readonly block: ConfigBlock }
    | { readonly kind: "bind"; readonly spec: BindingSpec; readonly inner: ConfigBlock | null }
  )[];
  readonly loc: Loc;
}
export interface ConfigurationNode {
  readonly kind: "configuration";
  readonly name: Ident;
  readonly entity: ExprNode;
  readonly block: ConfigBlock | null;
  readonly context: readonly ContextItem[];
  readonly loc: Loc;
}
interface ContextNode {
  readonly kind: "context";
  readonly name: Ident;
  readonly items: readonly ContextItem[];
  readonly loc: Loc;
}
export type UnitNode =
  | EntityNode
  | ArchitectureNode
  | PackageNode
  | PackageBodyNode
  | PackageInstanceNode
  | ConfigurationNode
  | ContextNode;

/** What a file, or all of a design, holds. */
export interface VhdlSyntax {
  readonly units: readonly UnitNode[];
  readonly findings: Finding[];
}
