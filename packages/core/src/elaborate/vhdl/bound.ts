import type { Loc } from "../../common/source.ts";
import type { ConcurrentNode, GenericNode, Mode, SubprogramBody as SubprogramBodyNode } from "../../hdl/vhdl/ast.ts";
import type { Scope } from "./scope.ts";
import type { ArrayType, BoundRange, RecordType, Subtype, VType } from "./types.ts";

/**
 * What names of VHDL mean, and expressions and statements with every name, overload and type resolved. Values of
 * generics and bounds are not known yet: one tree serves all instances of a design unit.
 */

export interface ConstantDecl {
  readonly kind: "constant";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
  /** null: a generic, a parameter, a loop's or generate's parameter, or deferred to the package body. */
  init: Expr | null;
  readonly role: "constant" | "generic" | "param" | "loop" | "generate";
  /** Full declaration of a deferred one. */
  full: ConstantDecl | null;
}
export interface SignalDecl {
  readonly kind: "signal";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
  readonly init: Expr | null;
  /** Ports and parameters. */
  readonly mode: Mode | null;
  readonly role: "signal" | "port" | "param";
  readonly kindOf: "register" | "bus" | null;
}
export interface VariableDecl {
  readonly kind: "variable";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
  readonly init: Expr | null;
  readonly mode: Mode | null;
  readonly role: "variable" | "shared" | "param";
}
export interface FileDecl {
  readonly kind: "file";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
  readonly mode: Expr | null;
  readonly path: Expr | null;
  readonly role: "file" | "param";
}
/** Another name for an object or a part of it. Aliases of other things are those things. */
export interface AliasDecl {
  readonly kind: "alias";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
  readonly of: Expr;
}
export interface TypeDecl {
  readonly kind: "type";
  readonly name: string;
  readonly loc: Loc;
  subtype: Subtype;
  /** A generic type: its subtype is set by each instance. */
  readonly isGeneric?: boolean;
}
export interface EnumLiteral {
  readonly kind: "literal";
  readonly name: string;
  readonly loc: Loc;
  readonly type: VType;
  readonly pos: number;
}
interface UnitDecl {
  readonly kind: "unit";
  readonly name: string;
  readonly loc: Loc;
  readonly type: VType;
  readonly scale: number;
}
export type ParamDecl = ConstantDecl | SignalDecl | VariableDecl | FileDecl;
export interface Subprogram {
  readonly kind: "sub";
  readonly name: string;
  readonly loc: Loc;
  readonly isFunction: boolean;
  readonly pure: boolean;
  readonly params: readonly ParamDecl[];
  /** Default values by parameter. */
  readonly defaults: readonly (Expr | null)[];
  readonly result: Subtype | null;
  body: SubprogramBody | null;
  /** Where the body has been read but not looked at yet. */
  pending: { readonly node: SubprogramBodyNode; readonly bind: () => SubprogramBody } | null;
  /** Computed by the runtime, under this name. */
  native: string | null;
  /** Names its package; null for those of architectures, processes and other subprograms. */
  readonly home: PackageDecl | null;
  /** Declared within: it may use what that declares. */
  readonly nested: boolean;
  /** A method of a protected type. */
  readonly ownerType?: VType;
  /** A generic subprogram stands for this one. */
  alias?: Subprogram;
}
export interface SubprogramBody {
  readonly params: readonly ParamDecl[];
  readonly decls: readonly BoundDecl[];
  readonly stmts: readonly Stmt[];
}
export interface ProtectedBody {
  readonly decls: readonly BoundDecl[];
  readonly subprograms: readonly Subprogram[];
}
export interface ComponentDecl {
  readonly kind: "component";
  readonly name: string;
  readonly loc: Loc;
  readonly generics: readonly ConstantDecl[];
  readonly ports: readonly SignalDecl[];
}
export interface AttributeDecl {
  readonly kind: "attribute";
  readonly name: string;
  readonly loc: Loc;
  readonly subtype: Subtype;
}
export interface LibraryDecl {
  readonly kind: "library";
  readonly name: string;
  readonly loc: Loc;
  readonly units: Map<string, UnitEntry>;
}
export type UnitEntry = EntityDecl | PackageDecl | ConfigurationDecl | ContextDecl;
export interface PackageDecl {
  readonly kind: "package";
  readonly name: string;
  readonly loc: Loc;
  readonly library: string;
  readonly scope: Scope;
  /** In the order of declaration, those of the body last. */
  readonly decls: BoundDecl[];
  /** Generic packages are no packages yet. */
  readonly generics: readonly GenericNode[];
  /** Reads the declarations when they are first needed. */
  load: (() => void) | null;
  /** Reads the body when it is first needed. */
  loadBody: (() => void) | null;
  /** For generic packages: makes an instance. */
  instantiate?: (
    name: string,
    loc: Loc,
    map: readonly import("../../hdl/vhdl/ast.ts").Association[],
    scope: Scope,
  ) => PackageDecl;
}
export interface EntityDecl {
  readonly kind: "entity";
  readonly name: string;
  /** As written. */
  readonly shown: string;
  readonly loc: Loc;
  readonly scope: Scope;
  readonly generics: ConstantDecl[];
  readonly ports: SignalDecl[];
  readonly decls: BoundDecl[];
  readonly concurrents: Concurrent[];
  readonly architectures: Map<string, ArchitectureDecl>;
  lastArchitecture: ArchitectureDecl | null;
  /** Reads the interface when it is first needed. */
  load: (() => void) | null;
}
export interface ArchitectureDecl {
  readonly kind: "architecture";
  readonly name: string;
  readonly loc: Loc;
  readonly entity: EntityDecl;
  readonly decls: BoundDecl[];
  readonly concurrents: Concurrent[];
  readonly nodes: readonly ConcurrentNode[];
  load: (() => void) | null;
}
export interface ConfigurationDecl {
  readonly kind: "configuration";
  readonly name: string;
  readonly loc: Loc;
  entity: EntityDecl | null;
  architecture: string | null;
  rules: readonly ConfigRule[];
  load: (() => void) | null;
}
/** Which unit the labelled instances below a path take. */
export interface ConfigRule {
  /** Labels of blocks and generates from the architecture on. */
  readonly path: readonly string[];
  readonly labels: readonly string[] | "all" | "others";
  readonly component: string;
  readonly unit: BindingUnit | null;
  readonly inner: readonly ConfigRule[];
}
export type BindingUnit =
  | { readonly kind: "entity"; readonly entity: EntityDecl; readonly architecture: string | null }
  | { readonly kind: "configuration"; readonly configuration: ConfigurationDecl }
  | { readonly kind: "foreign"; readonly module: string }
  | { readonly kind: "open" };
interface ContextDecl {
  readonly kind: "context";
  readonly name: string;
  readonly loc: Loc;
  readonly items: readonly import("../../hdl/vhdl/ast.ts").ContextItem[];
}
interface LabelDecl {
  readonly kind: "label";
  readonly name: string;
  readonly loc: Loc;
  readonly scope: Scope | null;
}

export type Decl =
  | ConstantDecl
  | SignalDecl
  | VariableDecl
  | FileDecl
  | AliasDecl
  | TypeDecl
  | EnumLiteral
  | UnitDecl
  | Subprogram
  | ComponentDecl
  | AttributeDecl
  | LibraryDecl
  | PackageDecl
  | EntityDecl
  | ArchitectureDecl
  | ConfigurationDecl
  | ContextDecl
  | LabelDecl;

/** Declarations that make something when they are elaborated. */
export type BoundDecl =
  | ConstantDecl
  | SignalDecl
  | VariableDecl
  | FileDecl
  | AliasDecl
  | TypeDecl
  | Subprogram
  | PackageDecl
  | { readonly kind: "attributevalue"; readonly decl: AttributeDecl; readonly on: Decl; readonly value: Expr };

export type ObjectDecl = ConstantDecl | SignalDecl | VariableDecl | FileDecl | AliasDecl;

// ---- expressions --------------------------------------------------------------------------------------------------

interface ExprBase {
  readonly type: VType;
  readonly loc: Loc;
}
export type PredefinedOp =
  | "and"
  | "or"
  | "nand"
  | "nor"
  | "xor"
  | "xnor"
  | "not"
  | "="
  | "/="
  | "<"
  | "<="
  | ">"
  | ">="
  | "?="
  | "?/="
  | "??"
  | "sll"
  | "srl"
  | "sla"
  | "sra"
  | "rol"
  | "ror"
  | "+"
  | "-"
  | "&"
  | "*"
  | "/"
  | "mod"
  | "rem"
  | "**"
  | "abs"
  | "neg"
  | "plus"
  | "minimum"
  | "maximum";

export interface AggregateElement {
  /** Positions are numbered; `others` is null. For records, the field's number. */
  readonly choice:
    | { readonly kind: "position"; readonly at: number }
    | { readonly kind: "value"; readonly value: Expr }
    | { readonly kind: "range"; readonly range: BoundRange }
    | { readonly kind: "field"; readonly field: number }
    | { readonly kind: "others" };
  readonly value: Expr;
  /** 2008: the value is a stretch of elements, not one. */
  readonly isStretch?: boolean;
}
export type Expr =
  /** Of a scalar: number, position, base units or real. */
  | (ExprBase & { readonly op: "literal"; readonly value: number })
  /** Positions of the characters' literals. */
  | (ExprBase & { readonly op: "string"; readonly values: readonly number[] })
  | (ExprBase & { readonly op: "object"; readonly decl: ObjectDecl })
  | (ExprBase & { readonly op: "index"; readonly of: Expr; readonly indexes: readonly Expr[] })
  | (ExprBase & { readonly op: "slice"; readonly of: Expr; readonly range: BoundRange })
  | (ExprBase & { readonly op: "field"; readonly of: Expr; readonly field: number })
  | (ExprBase & { readonly op: "deref"; readonly of: Expr })
  | (ExprBase & {
      readonly op: "call";
      readonly sub: Subprogram;
      /** One a parameter; null takes the default. */
      readonly args: readonly (Expr | null)[];
      /** The protected object whose method it is. */
      readonly on?: Expr;
    })
  | (ExprBase & { readonly op: "builtin"; readonly name: PredefinedOp; readonly args: readonly Expr[] })
  | (ExprBase & {
      readonly op: "attribute";
      readonly name: string;
      /** An object or a call; null if the prefix is a type. */
      readonly of: Expr | null;
      readonly subtype: Subtype | null;
      readonly arg: Expr | null;
      /** For 'path_name and its kin, and user's attributes. */
      readonly decl?: Decl;
    })
  | (ExprBase & { readonly op: "aggregate"; readonly elements: readonly AggregateElement[] })
  | (ExprBase & { readonly op: "convert"; readonly subtype: Subtype; readonly arg: Expr })
  | (ExprBase & { readonly op: "qualified"; readonly subtype: Subtype; readonly arg: Expr })
  | (ExprBase & { readonly op: "new"; readonly subtype: Subtype; readonly init: Expr | null })
  | (ExprBase & { readonly op: "null" })
  /** An external name of a signal, constant or variable in another instance. */
  | (ExprBase & {
      readonly op: "external";
      readonly object: string;
      readonly path: readonly string[];
      readonly absolute: boolean;
      readonly up: number;
      readonly subtype: Subtype;
    })
  | (ExprBase & { readonly op: "open" })
  | (ExprBase & { readonly op: "bad" });

export interface BoundChoice {
  readonly kind: "value" | "range" | "others";
  readonly value?: Expr;
  readonly range?: BoundRange;
  readonly loc: Loc;
}

// ---- statements ---------------------------------------------------------------------------------------------------

export interface Waveform {
  readonly elements: readonly { readonly value: Expr | null; readonly after: Expr | null }[];
}
export type Stmt = { readonly loc: Loc } & (
  | {
      readonly op: "signal";
      readonly target: Expr;
      readonly transport: boolean;
      readonly reject: Expr | null;
      /** Empty: unaffected. */
      readonly waveform: Waveform;
      readonly force: "force" | "release" | null;
      readonly guarded?: boolean;
    }
  | { readonly op: "assign"; readonly target: Expr; readonly value: Expr }
  | { readonly op: "if"; readonly test: Expr; readonly yes: readonly Stmt[]; readonly no: readonly Stmt[] | null }
  | {
      readonly op: "case";
      readonly subject: Expr;
      readonly matching: boolean;
      readonly branches: readonly {
        readonly choices: readonly BoundChoice[];
        readonly body: readonly Stmt[];
        readonly loc: Loc;
      }[];
    }
  | { readonly op: "while"; readonly label: string; readonly test: Expr | null; readonly body: readonly Stmt[] }
  | {
      readonly op: "for";
      readonly label: string;
      readonly param: ConstantDecl;
      readonly range: BoundRange;
      readonly body: readonly Stmt[];
    }
  | { readonly op: "exit" | "next"; readonly label: string; readonly test: Expr | null }
  | { readonly op: "return"; readonly value: Expr | null }
  | { readonly op: "null" }
  | { readonly op: "block"; readonly body: readonly Stmt[] }
  | {
      readonly op: "wait";
      readonly on: readonly Expr[] | null;
      readonly until: Expr | null;
      readonly delay: Expr | null;
    }
  | { readonly op: "assert"; readonly test: Expr | null; readonly message: Expr | null; readonly severity: Expr | null }
  | { readonly op: "call"; readonly sub: Subprogram; readonly args: readonly (Expr | null)[]; readonly on?: Expr }
  /** What every file or access type has of itself: `file_open`, `read`, `deallocate` and their kin. */
  | { readonly op: "builtin"; readonly name: string; readonly args: readonly Expr[] }
);

export interface BoundProcess {
  readonly kind: "process";
  readonly label: string | null;
  readonly name: string;
  /** null: waits within. "all": whatever it reads. */
  readonly sensitivity: readonly Expr[] | "all" | null;
  readonly decls: readonly BoundDecl[];
  readonly stmts: readonly Stmt[];
  /** A concurrent assignment or assertion: runs once, then at each event of what it reads. */
  readonly concurrent: boolean;
  readonly postponed: boolean;
  readonly headLoc: Loc;
  readonly loc: Loc;
}
export interface BoundAssociation {
  readonly formal: SignalDecl | ConstantDecl;
  /** The formal, or the part of it that is meant. */
  readonly formalExpr: Expr;
  /** null: open. */
  readonly actual: Expr | null;
  /** Conversion of the formal's side, for outputs. */
  readonly formalConversion?: (inner: Expr) => Expr;
  readonly loc: Loc;
}
export interface BoundInstance {
  readonly kind: "instance";
  readonly label: string;
  readonly shown: string;
  /** null: the entity with the component's name, or nothing. */
  readonly unit: BindingUnit | null;
  readonly component: ComponentDecl | null;
  readonly generics: readonly BoundAssociation[];
  readonly ports: readonly BoundAssociation[];
  /** Names of a foreign module's parameters and ports, where no component says their types. */
  readonly foreign?: { readonly generics: readonly ForeignActual[]; readonly ports: readonly ForeignActual[] };
  readonly loc: Loc;
}
export interface ForeignActual {
  readonly name: string;
  readonly actual: Expr | null;
  readonly loc: Loc;
}
export interface BoundRegion {
  readonly decls: readonly BoundDecl[];
  readonly concurrents: readonly Concurrent[];
}
export type Concurrent =
  | BoundProcess
  | BoundInstance
  | ({
      readonly kind: "block";
      readonly label: string;
      readonly shown: string;
      readonly guard: Expr | null;
      readonly guardSignal: SignalDecl | null;
      readonly generics: readonly ConstantDecl[];
      readonly genericMap: readonly BoundAssociation[];
      readonly ports: readonly SignalDecl[];
      readonly portMap: readonly BoundAssociation[];
      readonly loc: Loc;
    } & BoundRegion)
  | {
      readonly kind: "for";
      readonly label: string;
      readonly shown: string;
      readonly param: ConstantDecl;
      readonly range: BoundRange;
      readonly body: BoundRegion;
      readonly loc: Loc;
    }
  | {
      readonly kind: "if";
      readonly label: string;
      readonly shown: string;
      readonly branches: readonly {
        readonly label: string | null;
        readonly test: Expr | null;
        readonly body: BoundRegion;
      }[];
      readonly loc: Loc;
    }
  | {
      readonly kind: "case";
      readonly label: string;
      readonly shown: string;
      readonly subject: Expr;
      readonly branches: readonly {
        readonly label: string | null;
        readonly choices: readonly BoundChoice[];
        readonly body: BoundRegion;
      }[];
      readonly loc: Loc;
    };

export type { ArrayType, RecordType };
