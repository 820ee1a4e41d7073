import type { Loc } from "../../../common/source.ts";
import type { ArchitectureDecl, Decl, EntityDecl, Expr, SignalDecl } from "../bound.ts";
import type { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";

/** A signal of an instance, for hierarchies and waves. */
export interface NamedSignal {
  readonly decl: SignalDecl;
  readonly tree: SigTree;
  readonly shape: Shape;
}
/** One entity in the hierarchy, or a block or generate statement. */
export interface VhdlInstance {
  readonly label: string;
  readonly kind: "entity" | "block" | "generate" | "process";
  readonly entity: EntityDecl | null;
  readonly architecture: ArchitectureDecl | null;
  readonly parent: VhdlInstance | null;
  readonly children: VhdlInstance[];
  readonly signals: NamedSignal[];
  /** Of what is declared here, of labels, and of itself (entity and architecture). */
  readonly attributes: {
    readonly on: Decl;
    readonly name: string;
    readonly value: string | number;
    readonly loc: Loc;
  }[];
  readonly generics: { readonly name: string; readonly value: string }[];
  /** Of a block: the condition of its guarded assignments, the signal that tells it, and where its names are found. */
  guard?: { readonly signal: SignalDecl; readonly expr: Expr; readonly frame: Frame };
  readonly frame: Frame;
  readonly path: readonly string[];
  readonly loc: Loc;
}
/** An actual of a module's port or parameter. */
export interface BorderActual {
  readonly name: string;
  readonly expr: Expr | null;
  readonly frame: Frame;
  readonly loc: Loc;
}
